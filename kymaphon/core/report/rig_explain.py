"""What the Why panel says of a device or a cable: its sums, and in words what they come to."""

from __future__ import annotations

from kymaphon.core.computing.build import input_ohm
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.phantom import current_limit, phantom_of
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.model.connectors import balanced
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Cable, Device
from kymaphon.core.report.chain import link_state
from kymaphon.core.wiring.cable_fit import cable_corner_hz, cable_fit
from kymaphon.core.wiring.controls import is_on, reaches
from kymaphon.core.wiring.earth import circuit_of
from kymaphon.core.wiring.hum import under_voice
from kymaphon.core.wiring.power import FEED_WORDS, draw_of, feed_of, host_budgets
from kymaphon.core.wiring.pull import lead_of
from kymaphon.core.wiring.routes import length_of, meetings


def device_lines(analysis: Computed, device: Device) -> tuple[Derived, ...]:
    """The sums of a device: phantom voltage left, what it draws from USB, what hangs on it."""
    show, catalogue = analysis.show, analysis.catalogue
    out: list[Derived] = []
    state = phantom_of(show, catalogue, device)
    if state.needs_ma is not None:
        out.append(state.left)
    drawn = draw_of(show, catalogue, device)
    if drawn is not None:
        out.append(Derived("drawn from USB", drawn.value, "mA", drawn.formula, drawn.terms, drawn.source, drawn.adds))
    for budget in host_budgets(show, catalogue):
        if budget.host == device.id and budget.gives is not None:
            left = budget.gives.value - budget.drawn.value
            terms = (
                budget.gives,
                *(
                    Derived(f"less: {row.name}", -row.value, "mA", row.formula, row.terms, row.source)
                    for row in budget.drawn.terms
                ),
            )
            out.append(Derived("left on its USB", left, "mA", "sum of the lines", terms, "", True))
    return tuple(out)


def device_words(analysis: Computed, device: Device) -> tuple[str, ...]:
    """A device in sentences: power, phantom, hosts, processors, and what each of its controls really moves."""
    show, kind = analysis.show, analysis.catalogue[device.kind]
    out = [kind.about] if kind.about else []
    feed = feed_of(device, kind)
    if feed is not None:
        more = f", circuit {circuit_of(show, device)}" if feed.startswith("mains") else ""
        host = f" ({analysis.device_name(device.host)})" if feed == "bus" and device.host else ""
        out.append(f"Runs from {FEED_WORDS[feed]}{host}{more}.")
    elif device.host is not None:
        out.append(f"Runs on {analysis.device_name(device.host)}.")
    out += _phantom_words(analysis, device)
    for processor in kind.processors:
        state = "on" if is_on(device, processor) else "off"
        out.append(f"{processor.name.capitalize()}: {state}{', cannot be switched' if processor.fixed else ''}.")
    for reach in reaches(analysis, device):
        parts = "; ".join(f"{label} \u2192 {', '.join(who) or 'nobody'}" for label, who in reach.paths)
        out.append(f"{reach.control.name} moves {parts}.")
    return tuple(out)


def _phantom_words(analysis: Computed, device: Device) -> list[str]:
    show, catalogue = analysis.show, analysis.catalogue
    state = phantom_of(show, catalogue, device)
    if state.needs_ma is None:
        return []
    kind, limit = catalogue[device.kind], current_limit(state.supply_v).value
    left = show_number(state.left.value, "V")
    text = f"Draws {state.needs_ma:.1f} of the {limit:.0f} mA of {state.into or 'phantom power'} and leaves {left}"
    before = [end_of(show, catalogue, row.source) for row in show.cables if row.target_device == device.id]
    if kind.is_booster and not kind.passes_phantom:
        needs = any(end.port.phantom_ma is not None for end in before)
        mine = (
            "the microphone behind it needs some and gets nothing"
            if needs
            else "its microphone needs none; a condenser behind it would get nothing"
        )
        text += f"; {mine}"
    return [f"{text}."]


def cable_lines(analysis: Computed, cable: Cable) -> tuple[Derived, ...]:
    """The sums of a cable: what loading takes off, where its treble ends, what power beside it induces."""
    out: list[Derived] = []
    source, target = (end_of(analysis.show, analysis.catalogue, end) for end in cable.ends)
    bases = [f"{end.device.id}.{end.port.id}" for end in (source, target)]
    for edge in analysis.graph.edges:
        names = [analysis.graph.nodes[node].id for node in (edge.source, edge.target)]
        if edge.kind is EdgeKind.CABLE and all(
            name == base or name.startswith(f"{base}.") for name, base in zip(names, bases, strict=True)
        ):
            out += edge.parts
            break
    length = length_of(analysis.show, cable)
    analogue = source.port.domain == target.port.domain == "analog"
    if (
        analogue
        and length is not None
        and length.value > 0
        and source.port.impedance_ohm
        and target.level not in ("headphone", "speaker")
    ):
        out.append(cable_corner_hz(source.port.impedance_ohm, input_ohm(target.device, target.port), length.value))
    near = sorted(meetings(analysis.show, analysis.catalogue, [cable]), key=lambda row: row.nearest_m)
    for meeting in near[:1]:
        under = under_voice(analysis, cable, meeting.level)
        if under.value < number("hum-told"):
            out.append(under)
    return tuple(out)


def cable_words(analysis: Computed, cable: Cable) -> tuple[str, ...]:
    """A cable in sentences: what is on its ends, what runs in it, and how it fits."""
    source, target = (end_of(analysis.show, analysis.catalogue, end) for end in cable.ends)
    level, silence = link_state(analysis, cable)
    what = lead_of(analysis, cable)
    length = length_of(analysis.show, cable)
    out = [f"From {source.name} to {target.name}."]
    if what:
        metres = f", {show_number(length.value, 'm')} ({length.source})" if length is not None else ""
        out.append(f"{what}{metres}.")
    out.append(f"Carries {level} of the loudest voice." if level else f"No signal here, because {silence}.")
    fit = cable_fit(analysis, cable)
    if source.port.domain == "analog" and not (balanced(source.port) and balanced(target.port)):
        out.append("Unbalanced: keep it short and away from power.")
    if not fit.faults:
        out.append("The two ends fit.")
    return tuple(out)
