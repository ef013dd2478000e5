"""Feeds for the command line and for scripts: plan, tracks and stream as lines and as plain data."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import UNIT_KEYS, show_number
from kymaphon.core.graph.routing import echo_class
from kymaphon.core.mixes.doing import Instruction
from kymaphon.core.mixes.far_desk import far_end
from kymaphon.core.mixes.mixer import MixBus
from kymaphon.core.mixes.mixing import Missing, Mix
from kymaphon.core.mixes.planner import FeedPlan
from kymaphon.core.mixes.returns import loops_of, together
from kymaphon.core.mixes.sentence import listener_sentence
from kymaphon.core.mixes.stream import Delays, StreamBudget
from kymaphon.core.mixes.tracks import TrackPlan, duration
from kymaphon.core.mixes.unrouted import UnroutedSource
from kymaphon.core.mixes.ways_out import WayOut
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Show
from kymaphon.core.report.sheet import VERDICT_WORDS
from kymaphon.core.words import counted


def feeds_json(analysis: Computed) -> list[dict[str, Any]]:
    """Every pair of listener and voice with all its ways."""
    rows = []
    for feed in analysis.feeds.values():
        row: dict[str, Any] = {
            "listener": feed.listener,
            "voice": feed.voice,
            "want": feed.want,
            "wanted_gain_db": feed.wanted_gain_db,
            "gain_db": None if feed.gain_db is None or feed.howling else round(feed.gain_db, 4),
            "delay_ms": None if feed.delay_ms is None else round(feed.delay_ms, 4),
            "verdict": feed.verdict,
            "unstable": feed.unstable,
            "own_voice_class": echo_class(feed.delay_ms or 0.0) if feed.verdict == "back" else None,
        }
        if feed.level_db is not None and not feed.howling:
            row["level" + UNIT_KEYS[feed.unit]] = round(feed.level_db, 4)
        offset = (
            None if feed.path is None or feed.level_db is None or feed.gain_db is None else feed.level_db - feed.gain_db
        )
        source = analysis.graph.mouths[feed.voice][1].value
        row["paths"] = [
            {
                "nodes": list(path.node_ids),
                "gain_db": round(source + path.gain_db - (offset or 0.0), 4),
                "delay_ms": round(path.delay_ms, 4),
            }
            for arrival in analysis.arrivals(feed.listener, feed.voice)
            for path in arrival.paths
        ]
        rows.append(row)
    return rows


def loops_json(analysis: Computed) -> list[dict[str, Any]]:
    """Every loop of the rig that is worth listing."""
    return [
        {
            "nodes": list(row.path.node_ids),
            "gain_db": round(row.path.gain_db, 4),
            "delay_ms": round(row.path.delay_ms, 4),
            "spacing_hz": round(row.spacing_hz, 4),
            "howls": row.howls,
            "margin_db": round(row.gain_margin_db, 4),
            "cause": row.cause,
        }
        for row in loops_of(analysis)
    ]


def hearing_json(analysis: Computed) -> dict[str, Any]:
    """Who hears what, the loops, and a sentence for each listener."""
    whole = together(analysis)
    return {
        "feeds": feeds_json(analysis),
        "circles": loops_json(analysis),
        "circles_together_db": None if whole is None else round(whole.value, 4),
        "howls": analysis.transfer.howls,
        "sentences": {party.id: listener_sentence(analysis, party.id) for party in analysis.listeners},
    }


def bus_words(show: Show, catalogue: Catalogue, device_id: str, bus: MixBus) -> str:
    """A bus with its device: `Desk, send 1`."""
    device = show.device(device_id)
    return f"{device.name or catalogue[device.kind].name}, {bus.name}"


def input_words(show: Show, catalogue: Catalogue, device_id: str, input_id: str) -> str:
    """An input as it is called at its device."""
    port = catalogue[show.device(device_id).kind].port(input_id)
    return port.name if port is not None else input_id


def party_words(show: Show, ids: tuple[str, ...]) -> str:
    """Names of parties in a row."""
    return ", ".join(show.party(row).name for row in ids)


def mix_words(plan: FeedPlan, mix: Mix) -> str:
    """One mix in a line: who takes it, from where, whether it is their mix-minus, what is on it and what is kept off."""
    show, catalogue = plan.after.show, plan.after.catalogue
    on = ", ".join(input_words(show, catalogue, mix.device, row) for row in mix.inputs) or "nothing"
    off = ", ".join(input_words(show, catalogue, mix.device, row) for row in mix.left_out)
    called = "mix-minus, " if plan.is_mix_minus(mix) else ""
    text = f"{party_words(show, mix.listeners)}: {bus_words(show, catalogue, mix.device, mix.bus)}, {called}with {on}"
    text += f"; without {off}" if off else ""
    return text + (f" ({'; '.join(mix.how)})" if mix.how else "")


def missing_words(show: Show, catalogue: Catalogue, row: Missing) -> str:
    """A mix that cannot be made, in a sentence."""
    who = party_words(show, tuple(row.need.listeners))
    device = show.device(row.device)
    name = device.name or catalogue[device.kind].name
    if row.bus is None:
        text = (
            f"{who} gets no mix: {name} is asked for {row.asked} different mixes and has no bus "
            "left "
            f"for this one, with {party_words(show, row.voices)}."
        )
        if row.unfit:
            free = ", ".join(bus.name for bus in row.unfit)
            end = end_of(show, catalogue, row.need.targets[0]).name
            was = {"analog": "analogue", "digital": "digital"}[row.need.domain]
            other = "digital" if was == "analogue" else "analogue"
            text += f" Free is {free}, which comes out {other} and does not go into {end}, {was}."
        return text
    parts = []
    if row.voices:
        parts.append(
            f"cannot hear {party_words(show, row.voices)}, who comes to {name} only together with somebody that must be kept off"
        )
    if row.back:
        parts.append(f"gets {party_words(show, row.back)} though it must not: that path has no switch")
    return f"{who} on {bus_words(show, catalogue, row.device, row.bus)} {' and '.join(parts)}."


def stray_words(show: Show, row: UnroutedSource) -> str:
    """Where a voice ends that came to no mixer, and what takes it, in a sentence."""
    who = party_words(show, row.voices)
    if row.harms:
        return (
            f"{who} gets as far as {row.end.name} and no further: plugged into the free input of "
            "a "
            "mixer it would close a loop, or cost somebody a voice."
        )
    if row.into is None:
        return f"{who} gets as far as {row.end.name} and no further: no free input of a mixer takes it."
    return f"{who} got as far as {row.end.name} and no further: plug it into {row.into.name}."


def level_words(plan: FeedPlan) -> str:
    """Who is too loud or too quiet with a plan, and for whom; empty when nobody is."""
    show, parts = plan.after.show, []
    for (voice, verdict), listeners in plan.off_level.items():
        hearing = [row for row in plan.after.feeds.values() if row.voice == voice != row.listener and row.path]
        everybody = 2 < len(listeners) == len(hearing)
        whom = "everybody" if everybody else party_words(show, listeners)
        how = "too weak to be heard by" if verdict == "faint" else f"too {verdict} for"
        parts.append(f"{show.party(voice).name} {how} {whom}")
    return "; ".join(parts)


def plan_lines(plan: FeedPlan, ways: tuple[WayOut, ...], steps: tuple[Instruction, ...]) -> Iterator[str]:
    """A plan for reading."""
    show, catalogue = plan.after.show, plan.after.catalogue
    if not plan.mixers and not plan.whole:
        yield "MISSING nothing here mixes: there is no desk, interface or software mixer with switches"
    for mix in plan.mixes:
        yield mix_words(plan, mix)
    for stray in plan.unrouted_sources:
        yield f"{'MISSING ' if stray.into is None else ''}{stray_words(show, stray)}"
    for row in plan.missing:
        yield f"MISSING {missing_words(show, catalogue, row)}"
    for way in ways:
        yield f"  way out: {way.text}"
    others = counted(len(plan.edits) - len(plan.wants), "setting or cable", "settings and cables")
    pairs = counted(len(plan.changed), "pair changes", "pairs change")
    yield f"{counted(len(plan.wants), 'want')} by role, {others}, {pairs}"
    for n, step in enumerate(steps, start=1):
        yield f"{n:3} {step.text}"
    unmet = [
        f"{show.party(row.listener).name} and {show.party(row.voice).name}: {VERDICT_WORDS[row.verdict]}"
        for row in plan.unmet
    ]
    if plan.howls:
        yield "! a loop howls with it: open it first, see loops"
    levels = level_words(plan)
    if unmet:
        yield f"not as wanted then: {'; '.join(unmet)}"
        returns = tuple(row.path for row in plan.unmet if row.path is not None and row.listener == row.voice)
        words, _, _ = far_end(plan.after, returns)
        if words:
            yield words.strip()
    else:
        yield f"all as wanted then{' but for levels' if levels else ''}: nobody hears themselves late"
    if levels:
        yield f"left to the line-up: {levels}"


def plan_json(plan: FeedPlan, ways: tuple[WayOut, ...], steps: tuple[Instruction, ...]) -> dict[str, Any]:
    """A plan as plain data."""
    return {
        "mixes": [
            {
                "device": row.device,
                "bus": row.bus.id,
                "listeners": list(row.listeners),
                "inputs": list(row.inputs),
                "without": list(row.left_out),
                "how": list(row.how),
                "plug": [{"from": a, "to": b} for a, b in row.moved],
            }
            for row in plan.mixes
        ],
        "missing": [
            {
                "device": row.device,
                "listeners": list(row.need.listeners),
                "bus": row.bus.id if row.bus else None,
                "voices": list(row.voices),
                "back": list(row.back),
                "mixes_asked": row.asked,
                "mixes_there": row.buses,
            }
            for row in plan.missing
        ],
        "strays": [
            {"voices": list(row.voices), "from": row.end.ref, "to": row.into.ref if row.into else None}
            for row in plan.unrouted_sources
        ],
        "ways_out": [
            {
                "sort": row.sort,
                "text": row.text,
                "lost": [list(pair) for pair in row.lost],
                "edits": [edit.to_json() for edit in row.edits],
            }
            for row in ways
        ],
        "edits": [edit.to_json() for edit in plan.edits],
        "steps": [{"act": row.act, "device": row.device, "text": row.text} for row in steps],
        "howls": plan.howls,
        "changed": [
            {"listener": a.listener, "voice": a.voice, "before": a.verdict, "after": b.verdict} for a, b in plan.changed
        ],
        "off_level": [
            {"voice": voice, "verdict": verdict, "listeners": list(listeners)}
            for (voice, verdict), listeners in plan.off_level.items()
        ],
        "unmet": [{"listener": row.listener, "voice": row.voice, "verdict": row.verdict} for row in plan.unmet],
    }


def track_lines(analysis: Computed, plan: TrackPlan) -> Iterator[str]:
    """A track plan for reading."""
    for track in plan.tracks:
        into = f" into {track.into}" if track.into else " (no input)"
        under = f", others {show_number(track.under_db, 'dB')} under by bleed" if track.under_db is not None else ""
        yield f"{track.name}: {' + '.join(track.sources)}{into}: {party_words(analysis.show, track.voices)}{under}; {track.file}"
    yield f"{plan.size.value / 1e9:.2f} GB in {duration(plan.length_s.value)}"
    if plan.limit_s is not None:
        yield f"a file is full after {duration(plan.limit_s.value)}"
    if plan.left_s is not None:
        yield f"the disk is full after {duration(plan.left_s.value)}"
    yield from plan.stays
    for row in plan.problems:
        yield f"! {row}"


def track_json(plan: TrackPlan) -> dict[str, Any]:
    """A track plan as plain data."""
    return {
        "recorder": plan.recorder,
        "tracks": [
            {
                "id": row.id,
                "name": row.name,
                "from": list(row.sources),
                "to": row.into,
                "plugged": row.plugged,
                "voices": list(row.voices),
                "others_under_db": None if row.under_db is None else round(row.under_db, 4),
                "copy_of": row.copy_of,
                "file": row.file,
            }
            for row in plan.tracks
        ],
        "bytes_per_s": plan.bytes_per_s,
        "size_bytes": plan.size.value,
        "length_s": plan.length_s.value,
        "file_full_after_s": None if plan.limit_s is None else round(plan.limit_s.value, 3),
        "disk_full_after_s": None if plan.left_s is None else round(plan.left_s.value, 3),
        "stays_together": list(plan.stays),
        "problems": list(plan.problems),
        "edits": [edit.to_json() for edit in plan.edits],
    }


def stream_lines(budget: StreamBudget, late: tuple[Delays, ...]) -> Iterator[str]:
    """The stream's budget for reading."""
    for part in budget.sends.terms:
        yield f"  {part.name}: {part.value:.0f} kbit/s"
    yield f"sent out: {budget.sends.value:.0f} kbit/s; needed: {budget.needed_up.value:.1f} Mbit/s up, {budget.needed_down.value:.1f} down"
    if budget.up is not None and budget.down is not None:
        yield f"measured: {budget.up.value:.1f} Mbit/s up, {budget.down.value:.1f} down"
    for problem in budget.problems:
        yield f"! {problem}"
    for row in late:
        yield f"{row.listener}: {row.words()}"


def stream_json(budget: StreamBudget, late: tuple[Delays, ...]) -> dict[str, Any]:
    """The stream's budget as plain data."""
    return {
        "sends_kbps": round(budget.sends.value, 3),
        "needed_up_mbps": round(budget.needed_up.value, 4),
        "needed_down_mbps": round(budget.needed_down.value, 4),
        "up_mbps": None if budget.up is None else budget.up.value,
        "down_mbps": None if budget.down is None else budget.down.value,
        "enough": budget.enough,
        "problems": list(budget.problems),
        "delays": [
            {
                "listener": row.listener,
                "heard_ms": round(row.heard.value, 3),
                "chat_s": [round(part.value, 2) for part in row.chat],
            }
            for row in late
        ],
    }
