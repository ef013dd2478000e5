"""The book as pages, lines and JSON: an incident reviewed, the log as a list, what memory proposes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kymaphon.core.book.entries import SORT_WORDS, names_of, setting_of
from kymaphon.core.book.facts import UNITS, WHAT_WORDS, Proposal
from kymaphon.core.book.review import Review, moment_words
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.model.clock import by_the_clock, zone_of
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.report.sheet import CAUTIONS, Sheet, Table

MOST_LINES = 14


def ref_words(analysis: Computed, ref: str) -> str:
    """A setting of the log as people call it: `Desk, channel 2, gain`."""
    found = setting_of(ref)
    device = analysis.show.find_device(found.device) if found is not None else None
    if found is None or device is None:
        return ref
    kind = analysis.catalogue[device.kind]
    names = {
        row.id: row.name for rows in (kind.inputs, kind.outputs, kind.buses, kind.controls, kind.keys) for row in rows
    }
    words = " to ".join(names.get(part, part) for part in found.key.split(">"))
    field = {"gain_db": "gain", "fader_db": "fader", "on": "on", "tap": "tap"}.get(found.field, found.field)
    return f"{analysis.device_name(device.id)}, {words}, {field}"


def value_words(ref: str, value: object) -> str:
    """A value of the log: +42.0 dB, on, post."""
    if value is None:
        return "as delivered"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float | int) and ref.endswith("_db"):
        return show_number(float(value), "dB", sign=True)
    return f"{value:g}" if isinstance(value, float) else str(value)


def _names(analysis: Computed, parties: Any) -> str:
    names = names_of(analysis.show)
    order = {row.id: n for n, row in enumerate(analysis.show.parties)}
    return ", ".join(names.party(name) for name in sorted(parties, key=lambda name: order.get(name, 999)))


def review_lines(analysis: Computed, found: Review) -> list[str]:
    """A moment in lines."""
    show, names = analysis.show, names_of(analysis.show)
    out = [f"{by_the_clock(show, found.at)}, {moment_words(found)}."]
    if found.state.on_air:
        out.append(f"On: {names.segment(found.state.segment) or 'nothing'}.")
        out.append(f"Open: {_names(analysis, found.state.open) or 'nobody'}.")
        out.append(f"Playing: {_names(analysis, found.state.playing) or 'nothing'}.")
        groups: dict[str, list[str]] = {}
        for listener, whom in found.heard:
            groups.setdefault(_names(analysis, whom) or "nobody", []).append(names.party(listener))
        out += [f"{', '.join(rows)} heard: {whom}." for whom, rows in groups.items()]
    for ref, then, now in found.differs[:MOST_LINES]:
        out.append(f"{ref_words(analysis, ref)} stood at {value_words(ref, then)}; today {value_words(ref, now)}.")
    out += list(found.missing)
    return out


def incident_sheet(analysis: Computed, found: Review) -> Sheet:
    """A moment as a page: what was on, who heard whom, how everything stood, what was logged round it."""
    show = analysis.show
    names = names_of(show)
    state = found.state
    when = f"{found.at.astimezone(zone_of(show)):%Y-%m-%d} {by_the_clock(show, found.at)}"
    moment = [
        ("Time", f"{when}, {moment_words(found)}"),
        ("On", names.segment(state.segment) or "\u2013"),
        ("Open", _names(analysis, state.open) or "nobody"),
        ("Playing", _names(analysis, state.playing) or "nothing"),
    ]
    if state.held_since is not None:
        moment.append(("Held since", by_the_clock(show, state.held_since)))
    around = tuple(
        (
            by_the_clock(show, row.at),
            SORT_WORDS[row.told_sort],
            names.of(row) or "\u2013",
            row.text,
        )
        for row in found.around
    )
    heard = tuple((names.party(name), _names(analysis, whom) or "nobody") for name, whom in found.heard)
    settings = tuple(
        (ref_words(analysis, ref), value_words(ref, value), by_the_clock(show, since))
        for ref, (value, since) in sorted(found.sets.items(), key=lambda row: ref_words(analysis, row[0]))
    )
    lined = tuple((names.party(voice), by_the_clock(show, row.at), row.text) for voice, row in found.lined_up.items())
    differs = tuple(
        (ref_words(analysis, ref), value_words(ref, then), value_words(ref, now)) for ref, then, now in found.differs
    )
    tables = (
        Table("The moment", ("", ""), tuple(moment)),
        Table("What was logged round it", ("When", "What", "About", ""), around),
        Table(
            "Who heard whom",
            ("Listener", "Heard"),
            heard,
            "Computed: the rig of the show with the settings that the log has, and who was open.",
        ),
        Table("Stands otherwise today", ("Setting", "Then", "Today"), differs),
        Table("Line-up before it", ("Source", "When", ""), lined),
        Table("How it stood", ("Setting", "Stood at", "Since"), settings, "As last logged before the moment."),
        Table("What the log cannot tell", ("",), tuple((row,) for row in found.missing)),
    )
    summary = f"{when}: {next((row.text for row in found.around if row.at == found.at), 'a moment of the show')}"
    return Sheet(
        show.title,
        f"incident report, {when}",
        summary,
        tuple(row for row in tables if row.rows),
        CAUTIONS[:1],
        sort="incident report",
    )


def log_table(show: Show, rows: Sequence[LogEntry]) -> Table:
    """The log as a list."""
    names = names_of(show)
    return Table(
        "Log",
        ("at", "sort", "about", "text"),
        tuple((row.at.isoformat(), row.told_sort, names.of(row), row.text) for row in rows),
    )


def log_json(rows: Sequence[LogEntry]) -> list[dict[str, Any]]:
    """Rows of the log as they stand in a show file, each with its sort."""
    return [
        {**row.model_dump(mode="json", by_alias=True, exclude_defaults=True), "sort": row.told_sort} for row in rows
    ]


def review_json(analysis: Computed, found: Review) -> dict[str, Any]:
    """A moment in base units."""
    return {
        "at": found.at.isoformat(),
        "show_s": found.show_s,
        "segment": found.state.segment or None,
        "open": sorted(found.state.open),
        "playing": sorted(found.state.playing),
        "heard": {name: list(whom) for name, whom in found.heard},
        "sets": {ref: value for ref, (value, _) in found.sets.items()},
        "differs": [{"setting": ref, "then": then, "now": now} for ref, then, now in found.differs],
        "missing": list(found.missing),
        "around": log_json(found.around),
    }


def proposal_json(row: Proposal) -> dict[str, Any]:
    """What memory proposes, in base units."""
    unit = {"dB": "_db", "dB SPL": "_db_spl", "m": "_m", "dBA": "_dba", "h": "_h", "s": "_s"}[UNITS[row.fact.what]]
    return {
        "about": row.subject,
        "name": row.fact.name,
        "what": WHAT_WORDS[row.fact.what],
        f"usual{unit}": row.middle.value,
        f"spread{unit}": row.middle.spread,
        f"now{unit}": row.now,
        "times": row.middle.count,
        "outside": row.outside,
        "words": row.words,
        "edits": [edit.to_json() for edit in row.edits],
    }
