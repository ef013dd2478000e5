"""Rules by stage, each a record (`record.Rule`); `RULES` is the order in which they are asked, and their findings of one severity listed."""

from __future__ import annotations

from kymaphon.core.rules import (
    air,
    cast_around,
    cast_bleed,
    cast_own,
    cast_plan,
    feeds,
    feeds_twice,
    feeds_ways,
    level_ears,
    level_together,
    levels,
    players,
    quiet,
    rig_controls,
    rig_hum,
    rig_plugs,
    rig_power,
    rig_sides,
    rig_sides_apart,
    rig_ways,
    room,
    rundown,
    talk_heard,
    talk_keys,
    talk_plan,
    wants,
)
from kymaphon.core.rules.record import in_order

RULES = in_order(
    (
        cast_plan,
        cast_own,
        cast_bleed,
        cast_around,
        # One side's knob comes before what is set for both.
        rig_sides_apart,
        rig_plugs,
        rig_power,
        rig_hum,
        rig_sides,
        rig_ways,
        rig_controls,
        talk_heard,
        talk_keys,
        talk_plan,
        levels,
        level_ears,
        quiet,
        players,
        feeds,
        feeds_twice,
        feeds_ways,
        # After what may bring a voice twice: the cause comes first.
        level_together,
        wants,
        # Headphones on the level that was asked for may be over the room already.
        room,
        air,
        rundown,
    )
)
