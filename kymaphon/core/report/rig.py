"""The rig for the command: cables with what runs in them, phantom and USB power, earths, routes, controls."""

from __future__ import annotations

from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import class_under, show_number
from kymaphon.core.graph.phantom import phantom_of
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Cable
from kymaphon.core.report.chain import link_state
from kymaphon.core.wiring.controls import reaches, touches
from kymaphon.core.wiring.earth import earth_loops, earth_ties
from kymaphon.core.wiring.hum import is_risk, ranked_meetings
from kymaphon.core.wiring.power import host_budgets
from kymaphon.core.wiring.pull import lead_of, pull_list


def phantom_rows(analysis: Computed) -> list[dict[str, Any]]:
    """Everything that draws phantom power: how much, from where, and what voltage is left."""
    out = []
    for device in analysis.show.devices:
        state = phantom_of(analysis.show, analysis.catalogue, device)
        if state.needs_ma is not None:
            left = state.left.value if state.on else 0.0
            out.append(
                {
                    "device": device.id,
                    "draws_ma": state.needs_ma,
                    "from": state.into or None,
                    "on": state.on,
                    "left_v": round(left, 2),
                }
            )
    return out


def rig_json(analysis: Computed) -> dict[str, Any]:
    """The rig as plain data, units in the keys."""
    loops = earth_loops(earth_ties(analysis.show, analysis.catalogue))
    return {
        "cables": [_cable_json(analysis, cable) for cable in analysis.show.cables],
        "phantom": phantom_rows(analysis),
        "usb": [
            {
                "host": row.host,
                "gives_ma": None if row.gives is None else row.gives.value,
                "drawn_ma": round(row.drawn.value, 1),
                "devices": list(row.users),
            }
            for row in host_budgets(analysis.show, analysis.catalogue)
        ],
        "earth_loops": [
            {
                "devices": list(loop.devices),
                "circuits": list(loop.circuits),
                "isolate": [list(pair) for pair in loop.opened.cables] if loop.opened else [],
            }
            for loop in loops
        ],
        "routes": [
            {
                "from": row.cable.source,
                "to": row.cable.target,
                "beside": row.run.id,
                "place": row.place.id,
                "nearest_m": round(row.nearest_m, 3),
                "beside_m": round(row.beside_m, 3),
                "angle_deg": round(row.angle_deg, 1),
                "hum_under_voice_db": round(under.value, 1),
                "risk": is_risk(row, under.value),
            }
            for row, under in ranked_meetings(analysis)
        ],
        "controls": [
            {
                "device": device.id,
                "control": reach.control.id,
                "moves": [{"path": label, "heard_by": list(who)} for label, who in reach.paths],
            }
            for device in analysis.show.devices
            for reach in reaches(analysis, device)
        ],
        "knobs": [row.to_json() for row in touches(analysis)],
        "pull": [
            {"sort": row.sort, "what": row.what, "count": row.count, "spares": row.spares, "for": row.used_for}
            for row in pull_list(analysis)
        ],
    }


def _cable_json(analysis: Computed, cable: Cable) -> dict[str, Any]:
    end = end_of(analysis.show, analysis.catalogue, cable.source)
    _, silence = link_state(analysis, cable)
    nodes = [f"{end.device.id}.{end.port.id}{side}" for side in ((f".{end.side}",) if end.side else ("", ".l", ".r"))]
    levels = [
        level for name in nodes if name in analysis.graph.index and (level := analysis.flow.level(name)) is not None
    ]
    key = "level_dbfs" if end.port.domain == "digital" else "level_dbu"
    return {
        "from": cable.source,
        "to": cable.target,
        "cable": lead_of(analysis, cable),
        "length_m": cable.length_m,
        "label": cable.label,
        "class": end.level,
        key: round(max(levels), 2) if levels else None,
        "no_signal_because": silence or None,
    }


def rig_lines(analysis: Computed) -> list[str]:
    """The rig in words, for a terminal."""
    lines = ["Cables"]
    for cable in analysis.show.cables:
        source, target = (end_of(analysis.show, analysis.catalogue, end) for end in cable.ends)
        figure, silence = link_state(analysis, cable)
        what = lead_of(analysis, cable)
        length = f", {cable.length_m:g} m" if cable.length_m is not None else ""
        state = figure or f"no signal: {silence}"
        label = f"{cable.label}  " if cable.label else ""
        lines.append(
            f"  {label}{source.name} -> {target.name}: {state}{'  (' if what else ''}{what}{length if what else ''}{')' if what else ''}"
        )
    rows = phantom_rows(analysis)
    if rows:
        lines.append("Phantom power")
        for row in rows:
            left = show_number(row["left_v"], "V")
            where = f"from {row['from']}, {left} left" if row["on"] else f"none ({row['from'] or 'nothing gives any'})"
            lines.append(f"  {analysis.device_name(row['device'])}: {row['draws_ma']:.1f} mA, {where}")
    for budget in host_budgets(analysis.show, analysis.catalogue):
        gives = "not known" if budget.gives is None else show_number(budget.gives.value, "mA")
        lines.append(
            f"USB of {analysis.device_name(budget.host)}: {show_number(budget.drawn.value, 'mA')} drawn, {gives} given"
        )
    loops = earth_loops(earth_ties(analysis.show, analysis.catalogue))
    lines.append(f"Earth loops: {len(loops) or 'none'}")
    for loop in loops:
        names = " > ".join(analysis.device_name(name) for name in loop.devices)
        opened = loop.opened
        cure = (
            f"isolate {analysis.device_name(opened.first)} to {analysis.device_name(opened.second)}"
            if opened is not None
            else "no audio cable in it"
        )
        lines.append(f"  {names}: {cure}")
    meetings = ranked_meetings(analysis)
    if meetings:
        lines.append("Cables and power, the riskiest first")
    for meeting, under in meetings:
        near = show_number(meeting.nearest_m, "m")
        lines.append(
            f"  {'!' if is_risk(meeting, under.value) else ' '} {meeting.cable.source} -> {meeting.cable.target} "
            f"and {meeting.run.name}: {near} at the nearest, {show_number(meeting.beside_m, 'm')} "
            f"beside, hum {class_under(under.span() or (under.value, under.value), 'the voice')}"
        )
    moving = [(device, reach) for device in analysis.show.devices for reach in reaches(analysis, device)]
    if moving:
        lines.append("What each control moves")
    for device, reach in moving:
        parts = "; ".join(f"{label}: {', '.join(who) or 'nobody'}" for label, who in reach.paths)
        lines.append(f"  {analysis.device_name(device.id)}, {reach.control.name}: {parts}")
    knobs = touches(analysis)
    if knobs:
        lines.append("Which knobs may be touched on air")
    lines += [f"  {knob.label}, {show_number(knob.now, 'dB', sign=True)}: {knob.words()}" for knob in knobs]
    return lines
