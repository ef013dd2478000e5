"""Talkback, the order of work, the desk and the lines as tables, lines of text and JSON: for commands, sheets and views alike."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.model.show import Party
from kymaphon.core.model.talk import Circuit
from kymaphon.core.report.sheet import CAUTIONS, Sheet, Table, show_line
from kymaphon.core.talk.checks import CheckState, check_states
from kymaphon.core.talk.cures import end_name
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.talk.keys import key_action, key_words
from kymaphon.core.talk.proofs import ON_AIR, AirProof, air_proofs
from kymaphon.core.talk.through_air import through_air, under_words
from kymaphon.core.words import counted
from kymaphon.core.work.lines import line_states

BY_WORDS = {
    None: "",
    "loudspeaker": "loudspeaker",
    "headphones": "headphones",
    "one-ear": "one ear",
    "camera-cable": "camera cable",
    "four-wire": "four-wire",
    "call": "call",
    "telephone": "telephone",
}
TALK_CAUTIONS = (
    "Talkback in the ears all day adds up: 85 dBA for 8 hours is the usual limit, half the time for every 3 dB more (NIOSH 1998).",
    "Power at temporary sites, masts and roofs: a competent, licensed person, by local rules.",
    *CAUTIONS[3:],
)


def hears_words(row: Hearing | None) -> str:
    """What somebody makes of what comes on a circuit, in a few words."""
    if row is None:
        return "nobody speaks"
    way = row.way
    if way.state == "outside":
        return "by telephone"
    if way.state == "howls":
        return "howls"
    if way.state == "none" or way.level_db is None:
        return "no path"
    words = show_number(way.level_db, way.unit)
    if row.index is not None:
        words += f", index {row.index:.2f}"
    if row.by_air:
        words += ", across the place"
    return words if row.usable else f"{words}: too little"


def plain_line(analysis: Computed) -> str:
    """Where a show has no circuits, one line on how whoever leads it speaks to those who take part."""
    leads = [row for row in analysis.voices if row.kind == "crew"] or [
        row for row in analysis.voices if row.kind == "presenter"
    ]
    if not leads:
        return "Nobody who leads speaks in this show."
    lead = leads[0]
    rows = [row for row in analysis.listeners if row.id != lead.id and row.speaks]
    if not rows:
        return f"{lead.name} has nobody to speak to."
    heard = [row for row in rows if _comes(analysis, row, lead)]
    deaf = [row for row in rows if row not in heard]
    air = any(row.kind in ("audience", "recorder") and _comes(analysis, row, lead) for row in analysis.listeners)
    text = f"{lead.name} speaks to {_listed(heard)}" if heard else f"Nobody hears {lead.name}"
    if heard:
        text += " by the programme alone: all of it goes out" if air else " and is not on air"
    if deaf:
        text += f"; {_listed(deaf)} cannot hear {lead.name}"
    return f"{text}. For a word apart, agree a call or a message before air." if air or deaf else f"{text}."


def _comes(analysis: Computed, listener: Party, voice: Party) -> bool:
    feed = analysis.feeds.get((listener.id, voice.id))
    return feed is not None and feed.verdict not in ("silent", "missing") and feed.path is not None


def _listed(rows: list[Party]) -> str:
    names = [row.name for row in rows]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def talk_lines(analysis: Report) -> Iterator[str]:
    """The circuits as text: each with who may speak by which key, who hears it and how well."""
    if not analysis.show.circuits:
        yield plain_line(analysis)
        return
    hearing = analysis.once(hearing_of)
    for circuit in analysis.show.circuits:
        private = ", private" if circuit.private else ""
        yield f"{circuit.called} ({circuit.purpose}{private})"
        for row in member_rows(analysis, hearing, circuit):
            yield f"  {row[0]}: {', '.join(cell for cell in row[1:] if cell)}"


def member_rows(analysis: Computed, hearing: TalkHearing, circuit: Circuit) -> list[tuple[str, str, str, str]]:
    """For each on a circuit: name; how they speak; how they hear; what else there is to know."""
    names = {row.id: row.name for row in analysis.show.parties}
    out = []
    if len(circuit.members) > 2 and all(row.by == "telephone" and row.speaks and row.hears for row in circuit.members):
        everybody = ", ".join(names.get(row.party, row.party) for row in circuit.members)
        return [(everybody, "by telephone, all to all", "", "")]
    for member in circuit.members:
        if member.party not in names:
            out.append((member.party, "", "", "not in the show"))
            continue
        speaks = ""
        if member.speaks:
            action = key_action(analysis, member)
            speaks = f"speaks by {key_words(analysis, member.key)} ({action})" if member.key else "speaks"
            if member.by == "telephone":
                speaks = "speaks by telephone"
        hears = ""
        if member.hears:
            hears = f"hears {hears_words(hearing.best_to(circuit.id, member.party))}"
        more = [BY_WORDS[member.by]] if member.by and member.by != "telephone" else []
        if member.acts:
            more.append("acts on cues")
        if member.spoken_for_by:
            more.append(f"{names.get(member.spoken_for_by, member.spoken_for_by)} answers")
        if member.cue_light:
            more.append("cue lamp")
        out.append((names[member.party], speaks, hears, ", ".join(more)))
    return out


def talkback_sheet(analysis: Report) -> Sheet:
    """The talkback sheet: a page of circuits, who is on them by which key, what was tried, and the proofs."""
    hearing = analysis.once(hearing_of)
    lines: list[tuple[str, ...]] = []
    for circuit in analysis.show.circuits:
        more = [
            circuit.purpose if circuit.purpose != circuit.called.lower() else "",
            "private" if circuit.private else "",
        ]
        more.append(f"dims {circuit.dim_db:.0f} dB" if circuit.dim_db else "")
        words = ", ".join(row for row in more if row)
        title = f"{circuit.called}: {words}" if words else circuit.called
        for n, row in enumerate(member_rows(analysis, hearing, circuit)):
            lines.append((title if n == 0 else "", *row))
    tables = [Table("Circuits", ("Circuit", "Who", "Speaks", "Hears", ""), tuple(lines))]
    tried = any(row.check is not None for row in check_states(analysis))
    checks = tuple(_check_rows(analysis)) if tried else ()
    tables.append(Table("By voice, each way", ("Circuit", "From", "Good", "Still to be tried"), checks))
    proofs = tuple(_proof_rows(analysis))
    tables.append(Table("Never to air", ("Who", "Proof"), proofs))
    show = analysis.show
    summary = (
        plain_line(analysis)
        if not show.circuits
        else f"{counted(len(show.circuits), 'circuit')}, {counted(len({m.party for c in show.circuits for m in c.members}), 'person', 'people')}."
    )
    return Sheet(
        show.title,
        show_line(show, "talkback"),
        summary,
        tuple(row for row in tables if row.rows),
        TALK_CAUTIONS,
        sort="talkback",
    )


def _proof_rows(analysis: Computed) -> Iterator[tuple[str, ...]]:
    """What is proven; who share a proof stand in one row, each with their circuits."""
    rows: dict[str, dict[str, list[str]]] = {}
    for row in analysis.once(air_proofs):
        if row.keys:
            name = analysis.party_name(row.speaker)
            rows.setdefault(proof_words(analysis, row), {}).setdefault(name, []).append(_circuit(analysis, row.circuit))
    for words, who in rows.items():
        yield "; ".join(f"{name} on {', '.join(circuits)}" for name, circuits in who.items()), words


def _circuit(analysis: Computed, circuit_id: str) -> str:
    return next((row.called for row in analysis.show.circuits if row.id == circuit_id), circuit_id)


def _check_rows(analysis: Computed) -> Iterator[tuple[str, ...]]:
    """For each speaker on each circuit: to whom, how many of those were good, who is still to be tried."""
    rows: dict[tuple[str, str], list[CheckState]] = {}
    for row in check_states(analysis):
        if row.way.state == "outside":
            continue  # by telephone: numbers are exchanged, and nothing of the rig is tried
        rows.setdefault((row.way.circuit, row.way.speaker), []).append(row)
    for (circuit, speaker), states in rows.items():
        missing = [analysis.party_name(row.way.listener) for row in states if not row.holds]
        good = f"{len(states) - len(missing)} of {len(states)}"
        words = "everybody" if len(missing) == len(states) > 3 else ", ".join(missing) or "\u2013"
        yield (_circuit(analysis, circuit), analysis.party_name(speaker), good, words)


def proof_words(analysis: Computed, row: AirProof) -> str:
    """What is proven of somebody's talk, in a sentence."""
    if row.problem:
        return f"not proven: {row.problem}"
    if row.now:
        names = ", ".join(end_name(analysis, leak.target) for leak in row.now)
        return f"reaches {names} now"
    if row.leaks:
        leak = row.leaks[0]
        keys = " and ".join(
            f"{key_words(analysis, f'{ref.device}.{ref.key}')} {'down' if down else 'up'}" for ref, down in leak.needs
        )
        return f"reaches {end_name(analysis, leak.target)} with {keys}"
    rows = [one for one in analysis.once(through_air) if (one.circuit, one.speaker) == (row.circuit, row.speaker)]
    on_air = {party.id for party in analysis.listeners if party.kind in ON_AIR}
    worst = min(rows, key=lambda one: (one.target not in on_air, one.under_db), default=None)
    keys = f"in every position of {row.keys} other keys"
    if worst is None:
        return f"never to air, a recorder or a loudspeaker, {keys}, nor through the air"
    never = f"by wire never to air, a recorder or a loudspeaker, {keys}"
    where = f"{end_name(analysis, worst.target)} {under_words(analysis, worst)}"
    return f"reaches {where}; {never}" if worst.heard and worst.target in on_air else f"{never}; to {where}"


def talk_json(analysis: Report) -> dict[str, Any]:
    """Circuits, what everybody hears on them, proofs, lines and what was tried, as data."""
    hearing = analysis.once(hearing_of)
    return {
        "line": plain_line(analysis) if not analysis.show.circuits else None,
        "circuits": [
            {
                "id": circuit.id,
                "name": circuit.called,
                "purpose": circuit.purpose,
                "private": circuit.private,
                "members": [row.model_dump(mode="json", exclude_none=True) for row in circuit.members],
                "ways": [_way_json(hearing, row) for key, row in hearing.rows.items() if key[0] == circuit.id],
            }
            for circuit in analysis.show.circuits
        ],
        "proofs": [
            {
                "circuit": row.circuit,
                "speaker": row.speaker,
                "proven": row.proven,
                "keys_tried": row.keys,
                "reaches": [leak.target for leak in row.leaks],
                "reaches_now": [leak.target for leak in row.now],
                "through_air": [
                    {
                        "to": one.target,
                        "under_db": round(one.under_db, 2),
                        "under": one.under or None,
                        "by": [one.source, one.into],
                    }
                    for one in analysis.once(through_air)
                    if (one.circuit, one.speaker) == (row.circuit, row.speaker)
                ],
            }
            for row in analysis.once(air_proofs)
        ],
        "lines": [
            {
                "id": row.line.id,
                "number": row.line.number,
                "fed_by": row.source or None,
                "off_db": row.off_db.value if row.off_db else None,
                "lost_db": row.lost_db.value if row.lost_db else None,
                "delay_ms": row.line.delay_ms,
                "reserve_for": row.line.reserve_for,
                "result": row.line.result,
            }
            for row in line_states(analysis)
        ],
        "checks": [
            {
                "circuit": row.way.circuit,
                "speaker": row.way.speaker,
                "listener": row.way.listener,
                "result": row.check.result if row.check else None,
                "stale": row.stale,
            }
            for row in check_states(analysis)
        ],
    }


def _way_json(hearing: TalkHearing, row: Hearing) -> dict[str, Any]:
    way = row.way
    unit = {"dB SPL": "level_db_spl", "dBu": "level_dbu", "dBFS": "level_dbfs"}.get(way.unit, "level_db")
    steps, delay = hearing.model.steps(way)
    return {
        "speaker": way.speaker,
        "listener": way.listener,
        "state": way.state,
        "usable": row.usable,
        **({unit: way.level_db} if way.level_db is not None else {}),
        "against_mark_db": way.gain_db,
        "delay_ms": delay if steps else None,
        "over_programme_db": row.over_db,
        "intelligibility_index": row.index,
        "across_the_place": row.by_air,
    }
