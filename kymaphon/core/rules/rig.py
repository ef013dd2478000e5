"""Rules about what plugs into what: phantom power."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.analysis import Analysis, Rule
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.edits import SetValue
from kymaphon.core.figures import figure
from kymaphon.core.findings import Finding, Remedy
from kymaphon.core.phantom import phantom_of, voltage_left, within_budget


def phantom_power(analysis: Analysis) -> Iterator[Finding]:
    """What needs phantom power and gets none, and what is left where it is given (IEC 61938)."""
    for device in analysis.show.devices:
        state = phantom_of(analysis.show, analysis.catalogue, device)
        if state.needs_ma is None:
            continue
        kind = analysis.catalogue[device.kind]
        name = device.name or kind.name
        draw = Derived("draws", state.needs_ma, "mA", source=f"device data: {kind.name}")
        left = voltage_left(state.needs_ma)
        limit = figure("phantom-limit").value
        budget = f"it draws {state.needs_ma:.1f} of the {limit:.0f} mA and would leave {show_number(left.value, 'V')}"
        if state.on and within_budget(state.needs_ma):
            continue
        if state.on:
            text = f"{name} draws {state.needs_ma:.1f} mA and phantom power gives {limit:.0f} at most."
            yield Finding(
                "phantom-over-budget",
                "fix",
                "Rig",
                (device.id,),
                f"{name} draws too much",
                text,
                (draw,),
                left,
            )
        elif state.supply is not None:
            text = f"{name} needs phantom power and {state.into} has it off: no signal comes out ({budget})."
            edit = SetValue(state.supply, True)
            remedy = Remedy(
                "phantom-on", f"Switch phantom on: {state.into}", f"{name} works, with {show_number(left.value, 'V')} left; mute the channel first.", (edit,)
            )  # fmt: skip
            yield Finding(
                "phantom-missing",
                "stop",
                "Rig",
                (device.id,),
                f"{name} has no phantom power",
                text,
                (draw,),
                left,
                (remedy,),
            )
        else:
            where = (
                f"{state.into} passes none on"
                if state.blocked_by
                else "it is plugged into nothing that gives any"
            )
            text = f"{name} needs phantom power and {where}: no signal comes out."
            yield Finding(
                "phantom-missing",
                "stop",
                "Rig",
                (device.id,),
                f"{name} has no phantom power",
                text,
                (draw,),
                left,
            )


RULES: tuple[Rule, ...] = (phantom_power,)
