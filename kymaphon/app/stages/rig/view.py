"""What Rig's tables and Why panel say of an analysis; no widgets are made here."""

from __future__ import annotations

from kymaphon.app.widgets.cast_table import Row
from kymaphon.app.widgets.patch_table import PatchRow
from kymaphon.app.widgets.route_plan import RouteLine, RoutePlan
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.acoustics.spots import bounds_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import class_under, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.signal import Switch
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.show import Cable, Device, Place, PowerRun, Setting
from kymaphon.core.placement.plan import Thing
from kymaphon.core.report.chain import ChainBox, link_state, worst_by_subject
from kymaphon.core.report.rig_explain import cable_lines, cable_words, device_lines, device_words
from kymaphon.core.wiring.controls import is_on, touches
from kymaphon.core.wiring.hum import cable_name, is_risk, ranked_meetings
from kymaphon.core.wiring.patching import patch_rows
from kymaphon.core.wiring.power import FEED_WORDS, feed_of
from kymaphon.core.wiring.pull import pull_list
from kymaphon.core.wiring.routes import SORT_WORDS, position_of, way_of

DASH = "\u2013"
DEVICE_HEADINGS = ("Device", "Kind", "Place", "Runs from", "On", "Plugged")
DEVICE_HELP = (
    "What it is called.",
    "Of which kind it is.",
    "Where it is.",
    "What it runs from.",
    "The computer that it hangs or runs on.",
    "Sockets in use.",
)
ROUTE_HEADINGS = ("Cable", "Beside", "Nearest", "Beside for", "Crosses at", "Hum under voice")
ROUTE_HELP = (
    "The audio cable.",
    "The power lead or lamp.",
    "Between the two at their nearest.",
    "Stretch within 0.9 m, by how parallel it is.",
    "Angle between the two where they are nearest; 90° is best.",
    "How far induced hum lies under the voice in the cable.",
)
KNOB_HEADINGS = ("Knob", "Stands at", "Who hears it turned", "On air")
KNOB_HELP = (
    "Gain, fader, send or control, in the order of the rig.",
    "Where it stands, and its range.",
    "Everybody to whom the rig leads from there.",
    "Whether somebody who is not in the room hears it.",
)
PULL_HEADINGS = ("Sort", "What", "Take", "Spare", "For")
PULL_HELP = (
    "What sort of thing.",
    "What it is.",
    "How many, spares with them.",
    "How many of them are spares.",
    "What needs it.",
)


def patch_table_rows(analysis: Report) -> tuple[PatchRow, ...]:
    """Every cable as a row of the patch list."""
    worst = worst_by_subject(analysis)
    out = []
    for cable, row in zip(analysis.show.cables, patch_rows(analysis), strict=True):
        figure, silence = link_state(analysis, cable)
        found = [worst[name] for name in cable.ends if name in worst]
        mark = min(found, key=("stop", "fix", "note").index, default="")
        length = f"{row['length_m']} m" if row["length_m"] else ""
        cells = (
            cable.label,
            row["from_name"],
            row["to_name"],
            row["cable"] or DASH,
            length,
            figure or f"no signal: {silence}",
        )
        out.append(PatchRow(cable.ends, cells, mark, not figure))
    return tuple(out)


def device_rows(analysis: Report, hues: dict[str, int]) -> tuple[Row, ...]:
    """Every device as a row."""
    worst = worst_by_subject(analysis)
    places = {place.id: place.name for place in analysis.show.places}
    out = []
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        feed = feed_of(device, kind)
        count = sum(device.id in (cable.source_device, cable.target_device) for cable in analysis.show.cables)
        host = analysis.device_name(device.host) if device.host else DASH
        cells = (
            device.name or kind.name,
            kind.name,
            places.get(device.place or "", DASH),
            FEED_WORDS[feed] if feed else DASH,
            host,
            f"{count}",
        )
        mark = worst.get(device.id)
        out.append(Row(("device", device.id), cells, hues.get(device.party or "", -1), ((1, mark),) if mark else ()))
    return tuple(out)


def route_rows(analysis: Report) -> tuple[Row, ...]:
    """Cables and power runs, the riskiest first."""
    out = []
    for meeting, under in ranked_meetings(analysis):
        name = meeting.cable.label or cable_name(analysis, meeting.cable).removeprefix("The cable ")
        risk = is_risk(meeting, under.value)
        cells = (
            name,
            meeting.run.name,
            show_number(meeting.nearest_m, "m"),
            show_number(meeting.beside_m, "m"),
            show_number(meeting.angle_deg, "\u00b0"),
            under.text(),
        )
        mark = "fix" if under.value < number("hum-under") and risk else "note" if risk else "tick"
        out.append(Row(("cable", ">".join(meeting.cable.ends)), cells, -1, ((1, mark),)))
    return tuple(out)


def knob_rows(analysis: Report) -> tuple[Row, ...]:
    """Every knob that something passes, with who hears it; those on air are marked."""
    return tuple(
        Row(
            ("device", row.ref.device),
            (
                row.label,
                row.stands,
                ", ".join(row.who) or "nobody",
                "on air" if row.air else "may be touched",
            ),
            -1,
            ((3, "note" if row.air else "tick"),),
        )
        for row in touches(analysis)
    )


def route_place(analysis: Report, key: tuple[str, str]) -> str | None:
    """The place whose routes to show: that of the selection, else the first with power in it, else the first."""
    show = analysis.show
    if key[0] == "run":
        return next((row.id for row in show.places if any(run.id == key[1] for run in row.runs)), None)
    owner = PortId.of(key[1].partition(">")[0]).device if key[0] == "cable" else key[1]
    device = next((row for row in show.devices if row.id == owner), None)
    if device is not None and device.place is not None:
        return device.place
    first = next((row for row in show.places if row.runs), next(iter(show.places), None))
    return first.id if first is not None else None


def route_plan(analysis: Report, place_id: str) -> RoutePlan:
    """Cables, power and devices of a place from above."""
    show = analysis.show
    place = show.place(place_id)
    risky = {
        ">".join(row.cable.ends): "fix" if under.value < number("hum-under") else "note"
        for row, under in ranked_meetings(analysis)
        if is_risk(row, under.value)
    }
    lines = [RouteLine(run.id, run.name, run.sort, run.points_m) for run in place.runs]
    for cable in show.cables:
        end = end_of(show, analysis.catalogue, cable.source)
        found = way_of(show, cable) if end.port.domain == "analog" else None
        if found is not None and found[0].id == place_id:
            name = ">".join(cable.ends)
            points = tuple((float(x), float(y)) for x, y in found[1])
            lines.append(RouteLine(name, cable_name(analysis, cable), "audio", points, risky.get(name, "")))
    devices = tuple(
        (analysis.device_name(row.id), at)
        for row in show.devices
        if row.place == place_id
        and (at := position_of(show, row)) is not None
        and (row.at_m is not None or not analysis.catalogue[row.kind].is_headphones)
    )
    surfaces = tuple(
        (Thing("surface", row.id, row.name, None, ends=(row.from_m, row.to_m)), row.shape, row.finish == "hard")
        for row in place.surfaces
    )
    return RoutePlan(
        bounds_of(analysis.sound(place_id)),
        place.size_m is not None and not place.outdoors,
        surfaces,
        devices,
        tuple(lines),
    )


def pull_rows(analysis: Report) -> tuple[Row, ...]:
    """The pull list as rows."""
    return tuple(
        Row(
            ("pull", f"{k}"),
            (row.sort, row.what, f"{row.count}", f"{row.spares}" if row.spares else DASH, row.used_for),
        )
        for k, row in enumerate(pull_list(analysis))
    )


def findings_about(analysis: Report, subjects: set[str]) -> tuple[Finding, ...]:
    """Rig's findings that name one of these."""
    return tuple(row for row in analysis.findings if row.stage == "Rig" and subjects.intersection(row.subjects))


def switches_of(analysis: Report, device: Device) -> tuple[Switch, ...]:
    """Phantom, pads, instrument switches and processors of a device, to be flipped from the Why panel."""
    kind = analysis.catalogue[device.kind]
    name = device.name or kind.name
    plugged = {PortId.of(cable.target).port for cable in analysis.show.cables if cable.target_device == device.id}
    out = []
    for port in kind.inputs:
        strip, setting = port.strip, device.settings.get(port.id, Setting())
        if strip is None or port.id not in plugged:
            continue
        for field, has, words in (
            ("phantom", strip.phantom, "phantom power"),
            ("pad", strip.pad_db, "pad"),
            ("hi_z", strip.hi_z_ohm, "instrument"),
        ):
            if has:
                now = bool(getattr(setting, field))
                out.append(Switch(SettingRef(device.id, port.id, field), f"{name}, {port.name}, {words}", True, now))
    for processor in kind.processors:
        if not processor.fixed:
            out.append(
                Switch(
                    SettingRef(device.id, processor.id, "on"),
                    f"{name}, {processor.name}",
                    True,
                    is_on(device, processor),
                )
            )
    return tuple(out)


def why_device(analysis: Report, device: Device) -> WhyContent:
    """What the Why panel says of a device."""
    kind = analysis.catalogue[device.kind]
    found = findings_about(analysis, {device.id})
    actions = (
        Action("plug", "Plug from here\u2026", "Inputs for its outputs, ordered by fit."),
        Action("details", "Details\u2026", "Name, place, power, host and knobs."),
    )
    return WhyContent(
        device.name or kind.name,
        kind.name,
        bool(found) and found[0].severity == "stop",
        device_lines(analysis, device),
        found,
        switches=switches_of(analysis, device),
        switches_title="Switches",
        notes=device_words(analysis, device),
        actions=actions,
    )


def why_cable(analysis: Report, cable: Cable) -> WhyContent:
    """What the Why panel says of a cable."""
    found = findings_about(analysis, set(cable.ends))
    found = tuple(
        row for row in found if set(cable.ends) <= set(row.subjects) or row.code in ("phantom-harms", "phantom-idle")
    )
    title = f"Cable {cable.label}" if cable.label else "Cable"
    actions = (
        Action("details", "Details\u2026", "Label, length and route."),
        Action("remove", "Unplug", "Takes the cable out; Ctrl+Z puts it back."),
    )
    return WhyContent(
        title,
        "",
        bool(found) and found[0].severity == "stop",
        cable_lines(analysis, cable),
        found,
        extra=cable_words(analysis, cable),
        actions=actions,
    )


def why_place(analysis: Report, box: ChainBox, *, collapsed: bool) -> WhyContent:
    """What the Why panel says of a collapsed place."""
    found = findings_about(analysis, set(box.members) | {box.place})
    names = ", ".join(analysis.device_name(row) for row in box.members)
    words = "Show its devices" if collapsed else "Collapse it"
    return WhyContent(
        box.name,
        f"{len(box.members)} devices",
        findings=found,
        extra=(f"{names}.",),
        actions=(Action("unfold", words, "One box for the whole place, or one for each device."),),
    )


def why_run(analysis: Report, place: Place, run: PowerRun) -> WhyContent:
    """What the Why panel says of a power lead or lamp."""
    near = [
        (row, under) for row, under in ranked_meetings(analysis) if row.run.id == run.id and row.place.id == place.id
    ]
    words = [f"{SORT_WORDS[run.sort].capitalize()} in {place.name}, {run.current_a:g} A."]
    if near:
        row, under = near[0]
        words.append(
            f"{cable_name(analysis, row.cable)} is worst off: {show_number(row.nearest_m, 'm')} away "
            f"at the nearest, hum {class_under(under.span() or (under.value, under.value), 'the voice')}."
        )
    else:
        words.append("No audio cable of this place is on the plan yet.")
    actions = (
        Action("details", "Details\u2026", "Name, sort, where it runs, its current."),
        Action("remove", "Take it off the plan", "Ctrl+Z puts it back."),
    )
    return WhyContent(run.name, "", findings=findings_about(analysis, {run.id}), extra=tuple(words), actions=actions)


def why_nothing(analysis: Report) -> WhyContent:
    """What the Why panel says when nothing is selected: all of Rig's findings."""
    rows = tuple(row for row in analysis.findings if row.stage == "Rig")
    actions = (
        Action("add", "Add from the catalogue\u2026", "Microphones, interfaces, desks, computers and the rest."),
    )
    if rows or analysis.unsearched:
        hint = ""
    elif analysis.show.devices:
        hint = "Nothing speaks against this rig."
    else:
        hint = "Start with a microphone and what it goes into."
    return WhyContent("Rig", "", findings=rows, hint=hint, actions=actions)
