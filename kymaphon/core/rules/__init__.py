"""Rules by stage: each a pure function from the figures of a show to findings; `ALL_RULES` is the order in which they are asked."""

from __future__ import annotations

from kymaphon.core.model.findings import Rule
from kymaphon.core.rules import (
    air,
    cast_around,
    cast_bleed,
    cast_own,
    cast_plan,
    feeds,
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
    rig_ways,
    room,
    wants,
)

NOTES_ONLY: frozenset[Rule] = frozenset(
    (
        level_ears.booster_worth, level_ears.over_practice, level_ears.own_voice_late, levels.assumed_ambient, levels.unknown_places,
        rig_hum.ways_not_told, rig_controls.restart_needed, rig_controls.controls_on_air,
        feeds_ways.not_all_listed,
    )
)  # fmt: skip
"""Rules that only ever note something: a change that is tried is not weighed by them."""

ALL_RULES: tuple[Rule, ...] = (
    *cast_plan.RULES,
    *cast_own.RULES,
    *cast_bleed.RULES,
    *cast_around.RULES,
    # One side's knob comes before what is set for both.
    rig_sides.sides_apart,
    *rig_plugs.RULES,
    *rig_power.RULES,
    *rig_hum.RULES,
    *rig_sides.RULES,
    *rig_ways.RULES,
    *rig_controls.RULES,
    *levels.RULES,
    *level_ears.RULES,
    *quiet.RULES,
    *players.RULES,
    *feeds.RULES,
    *feeds_ways.RULES,
    # After what may bring a voice twice: the cause comes first.
    *level_together.RULES,
    *wants.RULES,
    # Headphones on the level that was asked for may be over the room already.
    *room.RULES,
    *air.RULES,
)
