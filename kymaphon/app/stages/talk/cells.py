"""The matrix of people by circuits, told from a report."""

from __future__ import annotations

from kymaphon.app.widgets.talk_matrix import TalkCell, TalkRow
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Party
from kymaphon.core.model.stages import SEVERITIES
from kymaphon.core.model.talk import Circuit, CircuitMember
from kymaphon.core.report.talk import hears_words
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.talk.keys import key_action, key_words
from kymaphon.core.talk.reach import people


def talk_rows(report: Report) -> tuple[TalkRow, ...]:
    """One row for everybody who can be told something, in the order of the show."""
    hearing = report.once(hearing_of)
    places = {row.id: row.name for row in report.show.places}
    out = []
    for party in people(report):
        cells = tuple(_cell(report, hearing, circuit, party) for circuit in report.show.circuits)
        worst = _worst(report, party.id)
        out.append(TalkRow(party.id, party.name, places.get(party.place or "", "\u2013"), worst, cells))
    return tuple(out)


def _worst(report: Report, party: str, circuit: str = "") -> str:
    """The worst of Talk's findings about somebody, on one circuit where it is given."""
    rows = [
        row.severity
        for row in report.findings
        if row.stage == "Talk" and row.subjects[:1] == (party,) and (not circuit or circuit in row.subjects[1:])
    ]
    return min(rows, key=SEVERITIES.index, default="")


def _cell(report: Report, hearing: TalkHearing, circuit: Circuit, party: Party) -> TalkCell:
    member = circuit.member(party.id)
    name = circuit.called
    if member is None:
        return TalkCell(told=f"{party.name} is not on {name}. Space puts them on it.")
    heard_by = sum(row.usable for row in hearing.from_(circuit.id, party.id)) if member.speaks else None
    best = hearing.best_to(circuit.id, party.id) if member.hears else None
    comes = _comes(best) if member.hears else ""
    return TalkCell(
        member.speaks,
        member.hears,
        heard_by,
        comes,
        _word(report, member),
        _worst(report, party.id, circuit.id),
        _told(report, circuit, party, member, heard_by, best),
    )


def _comes(best: Hearing | None) -> str:
    if best is None or best.way.state in ("none", "howls", "outside"):
        return "none" if best is None else best.way.state
    if not best.usable:
        return "none" if best.by_air else "poor"
    return best.verdict or "good"


def _word(report: Report, member: CircuitMember) -> str:
    """What there is to know beside, in a word."""
    if member.spoken_for_by:
        return f"by {report.party_name(member.spoken_for_by)}" if _known(report, member.spoken_for_by) else "by nobody"
    if member.cue_light:
        return "lamp"
    action = key_action(report, member) if member.speaks else None
    if action is not None:
        return "latches" if action == "latching" else "keyed"
    return "open" if member.speaks and member.by not in ("telephone", "call") else ""


def _known(report: Report, party: str) -> bool:
    return any(row.id == party for row in report.show.parties)


def _told(
    report: Report, circuit: Circuit, party: Party, member: CircuitMember, heard_by: int | None, best: Hearing | None
) -> str:
    words = []
    if member.speaks:
        by = f" by {key_words(report, member.key)}" if member.key else ""
        words.append(f"may speak{by}, heard by {heard_by or 'nobody'}")
    if member.hears:
        words.append(f"hears: {hears_words(best)}")
    if member.acts:
        words.append("acts on cues")
    return f"{party.name} on {circuit.called}: {'; '.join(words) or 'neither speaks nor hears'}."
