"""Rules about hum: cables beside power, and earths that are joined twice."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, class_under, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.indexed import Indexed
from kymaphon.core.model.edits import Edit, SetCable, SetField, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Cable, Place, Show
from kymaphon.core.placement.plan import free_spot
from kymaphon.core.rules.record import rule
from kymaphon.core.wiring.earth import EarthLoop, Tie, earth_loops, earth_ties, loop_hum
from kymaphon.core.wiring.hum import cable_name, is_risk, ranked_meetings, under_voice
from kymaphon.core.wiring.plugging import inserted, powered_by
from kymaphon.core.wiring.power import feed_of
from kymaphon.core.wiring.routes import SORT_WORDS, Meeting, detours, meetings, position_of, way_of

EARTH_CAUTION = "Never defeat a protective earth to cure hum; mains is work for a licensed person, by local codes."


def _told(under: Derived) -> str:
    """How far hum lies under the voice, no more exactly than it is known."""
    return class_under(under.span() or (under.value, under.value), "the voice")


@rule("beside-power", stage="Rig", reads=("levels",))
def beside_power(analysis: Computed) -> Iterator[Finding]:
    """Audio cables that run beside mains, dimmed and coiled leads or lamps; the riskiest first."""
    for meeting, under in ranked_meetings(analysis):
        if not is_risk(meeting, under.value):
            continue
        cable, run = meeting.cable, meeting.run
        name = cable_name(analysis, cable)
        distance = show_number(meeting.nearest_m, "m")
        if len(run.points_m) > 1:
            where = f"runs beside {run.name} ({SORT_WORDS[run.sort]}) for {show_number(meeting.beside_m, 'm')}, {distance} away at the nearest"
        else:
            where = f"passes {run.name} ({SORT_WORDS[run.sort]}) at {distance}"
        heard = under.value < number("hum-under")
        text = (
            f"{name} {where}: hum is {_told(under)}{', and is heard' if heard else ''}. Keep "
            f"{show_number(number('power-distance'), 'm')} apart or cross at right angles."
        )
        figures = (
            Derived("distance", meeting.nearest_m, "m"),
            Derived("beside", meeting.beside_m, "m"),
            Derived("hum under voice", under.value, "dB"),
        )
        yield Finding(
            "beside-power",
            "fix" if heard else "note",
            "Rig",
            (*cable.ends, run.id, cable.source_device),
            f"{name} beside {run.name}",
            text,
            figures,
            under,
            Later(partial(_other_way, analysis, meeting)) if analysis.remedies else (),
        )


def _other_way(analysis: Computed, meeting: Meeting) -> Iterator[Remedy]:
    cable, run, place = meeting.cable, meeting.run, meeting.place
    if cable.coiled or run.sort == "coil":
        edits: list[Edit] = [SetCable(*cable.ends, "coiled", False)] if cable.coiled else []
        if run.sort == "coil":
            edits.append(_with_run(place, run.id, "sort", "mains"))
        changed = meetings(
            analysis.show.model_copy(
                update={"places": _places(analysis, place, run.id) if run.sort == "coil" else analysis.show.places}
            ),
            analysis.catalogue,
            [cable.with_(coiled=False)],
        )
        if not any(_risky(analysis, row) for row in changed if row.run.id == run.id):
            what = run.name if run.sort == "coil" else "the audio cable"
            yield Remedy("uncoil", f"Uncoil {what}", "A coil counts once for each of its turns.", tuple(edits))
    found = way_of(analysis.show, cable)
    if found is None:
        return
    best: tuple[float, tuple[tuple[float, float], ...]] | None = None
    for route in detours(place, found[1], run):
        tried = meetings(analysis.show, analysis.catalogue, [cable.with_(route_m=route)])
        if any(_risky(analysis, row) for row in tried):
            continue
        line = np.array([found[1][0], *route, found[1][-1]])
        length = float(np.hypot(*np.diff(line, axis=0).T).sum())
        if best is None or length < best[0]:
            best = length, route
    if best is not None:
        near = min(
            (row.nearest_m for row in meetings(analysis.show, analysis.catalogue, [cable.with_(route_m=best[1])])),
            default=0.0,
        )
        spots = ", then ".join(f"{x:g}, {y:g}" for x, y in best[1]) or "straight"
        edits_: list[Edit] = [SetCable(*cable.ends, "route_m", best[1])]
        needed = best[0] * (1 + figure("slack").value / 100)
        if cable.length_m is not None and cable.length_m < best[0]:
            edits_.append(SetCable(*cable.ends, "length_m", float(round(needed))))
        effect = f"It goes by {spots} (metres on the plan), {best[0]:.1f} m long, {show_number(near, 'm')} from power at the nearest or across it."
        yield Remedy("other-way", "Lay it another way", effect, tuple(edits_))


def _risky(analysis: Computed, meeting: Meeting) -> bool:
    return is_risk(meeting, under_voice(analysis, meeting.cable, meeting.level).value)


def _with_run(place: Place, run_id: str, field: str, value: object) -> SetField:
    rows = tuple(row.with_(**{field: value}) if row.id == run_id else row for row in place.runs)
    return SetField("places", place.id, "runs", rows)


def _places(analysis: Computed, place: Place, run_id: str) -> tuple[Place, ...]:
    changed = place.with_(runs=tuple(row.with_(sort="mains") if row.id == run_id else row for row in place.runs))
    return tuple(changed if row.id == place.id else row for row in analysis.show.places)


@rule("routes-not-told", stage="Rig", reads=("layout", "wiring"), notes_only=True)
def ways_not_told(analysis: Computed) -> Iterator[Finding]:
    """Cables in a place with power runs whose way is not on the plan."""
    show = analysis.show
    for place in show.places:
        if not place.runs:
            continue
        lost: list[Cable] = []
        for cable in show.cables:
            source = end_of(show, analysis.catalogue, cable.source)
            if source.port.domain == "analog" and source.device.place == place.id and way_of(show, cable) is None:
                lost.append(cable)
        ids = [PortId.of(end).device for cable in lost for end in cable.ends]
        off = [
            show.device(name)
            for name in dict.fromkeys(ids)
            if position_of(show, show.device(name)) is None and show.device(name).place == place.id
        ]
        if not off:
            continue
        names = ", ".join(analysis.device_name(row.id) for row in off[:4])
        more = f" and {len(off) - 4} more" if len(off) > 4 else ""
        text = (
            f"In {place.name} {len(lost)} audio {'cable' if len(lost) == 1 else 'cables'} cannot "
            "be "
            f"followed: {names}{more} {'has' if len(off) == 1 else 'have'} no position, so what runs beside power there cannot be told."
        )
        edits: list[Edit] = []
        grown = show
        for device in off:
            spot = free_spot(grown, place)
            edits.append(SetField("devices", device.id, "at_m", spot))
            grown = edits[-1].apply(grown)
        remedies = (
            Remedy(
                "place",
                "Put them on the plan",
                "They stand near the middle; move them to where they are.",
                tuple(edits),
            ),
        )
        yield Finding(
            "routes-not-told",
            "note",
            "Rig",
            (place.id, *(row.id for row in off)),
            f"Routes of cables in {place.name}",
            text,
            (),
            None,
            remedies,
        )


@rule("earth-loop", stage="Rig", reads=("levels",))
def earths(analysis: Computed) -> Iterator[Finding]:
    """Earth loops: loops of mains earths, hosts and shields; the smallest set of isolators that opens them."""
    loops = earth_loops(earth_ties(analysis.show, analysis.catalogue))
    openable = [loop for loop in loops if loop.opened is not None]
    for loop in openable:
        tie = loop.opened
        if tie is None:
            continue
        hum = _loop_hum(analysis, tie)
        if hum.value > number("hum-forgotten"):
            continue
        names = " \u203a ".join(analysis.device_name(row) for row in loop.devices)
        heard = hum.value < number("hum-under")
        apart = (
            f", on {len(loop.circuits)} mains circuits ({', '.join(loop.circuits)})" if len(loop.circuits) > 1 else ""
        )
        link = "balanced" if tie.balanced else "unbalanced"
        text = (
            f"{names} are earthed twice{apart}: a current between their earths runs in the shields. "
            f"In the {link} link {_link(analysis, tie)} it would be {_told(hum)}."
        )
        figures = (Derived("hum under voice", hum.value, "dB"), Derived("isolators in all", len(openable), ""))
        yield Finding(
            "earth-loop",
            "fix" if heard else "note",
            "Rig",
            (*loop.devices, *(end for row in tie.cables for end in row)),
            f"Earth loop: {names}",
            text,
            figures,
            hum,
            Later(partial(_loop_remedies, analysis, loop, tie, len(openable))) if analysis.remedies else (),
        )


def _link(analysis: Computed, tie: Tie) -> str:
    return f"{analysis.device_name(tie.first)} to {analysis.device_name(tie.second)}"


def _loop_hum(analysis: Computed, tie: Tie) -> Derived:
    """How far loop hum lies under the voice in that cable of a tie in which it is nearest."""
    hum = loop_hum(tie)
    rows = _cables_of(analysis.show, tie)
    return min((under_voice(analysis, row, hum) for row in rows), key=lambda row: row.value)


_by_ends: Indexed[dict[tuple[str, str], tuple[int, Cable]]] = Indexed(
    lambda rows: {row.ends: (i, row) for i, row in enumerate(rows)}
)


def _cables_of(show: Show, tie: Tie) -> list[Cable]:
    """The cables whose shields make a tie, in the show's order."""
    known = _by_ends(show.cables)
    return [row for _, row in sorted((known[ends] for ends in tie.cables), key=lambda pair: pair[0])]


def _loop_remedies(analysis: Computed, loop: EarthLoop, tie: Tie, count: int) -> Iterator[Remedy]:
    cables = _cables_of(analysis.show, tie)
    edits = isolating_edits(analysis, cables)
    if edits:
        what = f"{len(cables)} channels" if len(cables) > 1 else "1 channel"
        others = (
            f"; {count} such places open every loop of this rig"
            if count > 1
            else "; it opens the only loop of this rig"
        )
        effect = f"Signal passes by transformer, earth does not ({what}){others}. {EARTH_CAUTION}"
        yield Remedy("isolate", f"Isolating transformer: {_link(analysis, tie)}", effect, tuple(edits))
    for name in loop.devices:
        device = analysis.show.device(name)
        kind = analysis.catalogue[device.kind]
        earthed = feed_of(device, kind) == "mains-earthed"
        if earthed and kind.power is not None and "battery" in kind.power.by:
            show = analysis.show
            devices = tuple(row.with_(power="battery") if row.id == device.id else row for row in show.devices)
            left = earth_loops(earth_ties(show.model_copy(update={"devices": devices}), analysis.catalogue))
            if not any(set(loop.devices) == set(row.devices) for row in left):
                yield Remedy(
                    f"battery-{name}",
                    f"Run {analysis.device_name(name)} from its battery",
                    "It has no mains earth then, and the loop is open; watch the charge.",
                    (powered_by(device, "battery"),),
                )


def isolating_edits(analysis: Computed, cables: list[Cable]) -> list[Edit]:
    """Transformers into all cables of a link: a box of two for two sides, one for each other."""
    edits: list[Edit] = []
    show, catalogue = analysis.show, analysis.catalogue
    left = list(cables)
    while left:
        first = left.pop(0)
        whole = end_of(show, catalogue, first.source)
        two = whole.port.stereo and not whole.side
        mate = None if two else next((row for row in left if _sides(first, row)), None)
        if mate is not None:
            left.remove(mate)
        kind = "isolator-pair" if two or mate is not None else "isolator-line"
        group = [first, mate] if mate is not None else [first]
        more = inserted(show, catalogue, group, kind, "Isolator")
        if left:
            show = apply_all(show, more)
        edits += more
    return edits


def _sides(first: Cable, second: Cable) -> bool:
    """Whether two cables are the sides of one output, or go from device to device as such."""
    a, b = PortId.of(first.source), PortId.of(second.source)
    return a.socket == b.socket and {a.side, b.side} == {"l", "r"}
