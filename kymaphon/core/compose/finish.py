"""A rig that is plugged, brought onto its marks: lined up, its mixes planned, and mended until the rules find nothing."""

from __future__ import annotations

import math
from collections.abc import Hashable
from dataclasses import dataclass, replace

from kymaphon.core.analysis.analyse import analyse, figures_of
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.analysis.report import Report
from kymaphon.core.compose.processing import prepared
from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.levels.lineup.plan import line_up
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, SetValue, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.wants import BACKGROUND, asked_db
from kymaphon.core.model.weights import growth_of

MOST_PASSES = 3
"""A gain that is turned may move an automatic level behind it, which wants the gain turned again: so often it is asked."""
TOGETHER = ("several-clip", "little-headroom", "socket-overloaded", "headphones-loud", "clips", "bus-over-budget")
"""Findings whose remedies are knobs of their own: what mends one spoils no other."""
EASED = ("heard-too-quiet", "heard-too-loud")
MOST_MENDED = 12
"""So many remedies are followed, one after the other."""


def on_its_marks(show: Show, catalogue: Catalogue) -> Show:
    """Gains first, so that mixes are planned at the levels that will be; then gains again, as the mixes want them.

    Where nobody hears a programme, no voice has a way to line up along before its mix is planned: then the gains come from a first plan,
    and the plan that stays is made anew with them.
    """
    gains = _gains(show, catalogue)
    if not all(voice in gains.results for voice in gains.voices):
        ahead = apply_all(show, plan_feeds(show, catalogue).edits)
        gains = _gains(ahead, catalogue)
    show = apply_all(show, gains.edits)
    show = apply_all(show, plan_feeds(show, catalogue).edits)
    for _ in range(MOST_PASSES):
        edits = _gains(show, catalogue).edits
        if not edits:
            break
        show = apply_all(show, edits)
    show = apply_all(show, _behind_the_mix(figures_of(show, catalogue, remedies=False)))
    show = apply_all(show, _backgrounds(figures_of(show, catalogue, remedies=False)))
    return apply_all(show, prepared(figures_of(show, catalogue, remedies=False)))


def _behind_the_mix(figures: Computed) -> tuple[SetValue, ...]:
    """Gains that only one end of the programme passes, such as those of an interface behind a desk: a line-up goes to the first end, and
    leaves what lies beside it.
    """
    out: dict[SettingRef, SetValue] = {}
    for party in figures.show.parties:
        if party.kind not in ("audience", "recorder") or not party.listens:
            continue
        for voice, main in figures.main_ladders.items():
            ladder = figures.ladders.get((voice, party.id))
            # What comes round by a far end's echo is none of it, however clearly it is there.
            wanted = figures.feeds[party.id, voice].want == "hear"
            if ladder is None or not wanted or main.target == party.id or figures.show.party(voice).kind in NO_SPEECH:
                continue
            point = next((rung for rung in reversed(ladder.rungs) if rung.wanted is not None), None)
            mark = point.wanted.average if point is not None and point.wanted is not None else None
            shared = {knob.ref for step in main.path.steps() for knob in step.knobs}
            knob = next((k for step in ladder.path.steps() for k in step.knobs if k.own and k.ref not in shared), None)
            if point is None or mark is None or knob is None or knob.ref in out:
                continue
            off = mark + (asked_db(figures.show, ladder.target, ladder.voice) or 0.0) - point.speech_db
            value = knob.snap(knob.value + off)
            for key in (knob.ref.key, *_other_side(figures.show, knob.ref)):
                ref = replace(knob.ref, key=key)
                out[ref] = SetValue(ref, value)
            break
    return tuple(out.values())


def _other_side(show: Show, ref: SettingRef) -> tuple[str, ...]:
    """The input of the same device into which the other side of the same output goes."""
    sources = {cable.target_socket: cable.source_socket for cable in show.cables if cable.target_device == ref.device}
    mine = sources.get(f"{ref.device}.{ref.key}")
    return tuple(
        target.split(".")[1] for target, source in sources.items() if source == mine and target.split(".")[1] != ref.key
    )


def _backgrounds(figures: Computed) -> tuple[SetValue, ...]:
    """Gains of what is no speech: a line-up leaves them as they are, and here nobody has set them yet."""
    out = []
    for party in figures.voices:
        ladder = figures.main_ladders.get(party.id)
        if party.kind not in NO_SPEECH or ladder is None:
            continue
        knob = next((knob for step in ladder.path.steps() for knob in step.knobs if knob.own), None)
        point = next((rung for rung in reversed(ladder.rungs) if rung.wanted is not None), None)
        mark = point.wanted.average if point is not None and point.wanted is not None else None
        if knob is None or point is None or mark is None:
            continue
        asked = asked_db(figures.show, ladder.target, ladder.voice) or 0.0
        if party.kind in BACKGROUND and not asked:
            asked = number("want-background")
        peaks = ladder.last.crest.value + growth_of(party).value
        room = min(
            (
                rung.ceiling_db - rung.speech_db - peaks
                for rung in ladder.rungs
                if rung.ceiling_db is not None and rung.unit != "dB SPL"
            ),
            default=math.inf,
        )
        off = min(mark + asked - point.speech_db, room)
        out.append(SetValue(knob.ref, knob.snap(knob.value + off)))
    return tuple(out)


@dataclass(frozen=True)
class _Gains:
    edits: tuple[Edit, ...]
    voices: frozenset[str]
    results: frozenset[str]


def _gains(show: Show, catalogue: Catalogue) -> _Gains:
    figures = figures_of(show, catalogue, remedies=False)
    plan = line_up(figures, reasons=False)
    return _Gains(plan.edits, frozenset(row.id for row in figures.voices), frozenset(figures.main_ladders))


def mended(show: Show, catalogue: Catalogue) -> Report:
    """The show with what is wrong put right as the rules themselves propose it, as far as that goes: all of it at once where that
    leaves less wrong, else the first thing that does.
    """
    report = analyse(show, catalogue)
    in_vain: set[Hashable] = set()
    for _ in range(MOST_MENDED):
        # What nothing mended the last time is tried again after everything else.
        rows = sorted(wrong(report), key=lambda row: row.key in in_vain)
        better = _all_at_once(report, rows)
        for row in rows if better is None else ():
            better = _by_remedy(report, row, len(rows))
            if better is not None:
                break
            in_vain.add(row.key)
        if better is None:
            break
        report = better
    return report if wrong(report) else _eased(report)


def _eased(report: Report) -> Report:
    """What is worth a turn though it is only worth knowing: ears that get too little; where nothing else suffers."""
    for row in [row for row in report.findings if row.code in EASED]:
        for remedy in offers_of(report, row).remedies[:1]:
            after = analyse(remedy.apply(report.show), report.catalogue)
            if len(wrong(after)) <= len(wrong(report)):
                report = after
    return report


def _all_at_once(report: Report, rows: list[Finding]) -> Report | None:
    """The show with the first remedy of each finding; None where that is not one for more than one, or leaves no fewer wrong."""
    edits: list[Edit] = []
    count = 0
    for row in rows:
        remedies = offers_of(report, row).remedies if row.code in TOGETHER else ()
        fresh = [edit for edit in remedies[0].edits if edit not in edits] if remedies else []
        edits += fresh
        count += bool(fresh)
    if count < 2:
        return None
    try:
        after = analyse(apply_all(report.show, tuple(edits)), report.catalogue)
    except (KeyError, ValueError):
        return None  # two remedies that touch the same lead: one after the other, then
    return after if len(wrong(after)) < len(rows) else None


def wrong(report: Report) -> list[Finding]:
    return [row for row in report.findings if row.severity != "note"]


def _by_remedy(report: Report, finding: Finding, before: int) -> Report | None:
    """The show with the first remedy that leaves fewer things wrong; None where none does."""
    for remedy in offers_of(report, finding).remedies:
        after = analyse(remedy.apply(report.show), report.catalogue)
        if len(wrong(after)) < before:
            return after
    return None
