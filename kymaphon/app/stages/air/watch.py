"""Air's panel: what can go wrong with how long it has stood, what to turn back, what was noted last, and the keys that note."""

from __future__ import annotations

from datetime import datetime

from kymaphon.app.stages.air.bench import AirBench
from kymaphon.app.stages.air.words import KEYS, NOTE_KEYS
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.air.hazards import Hazard
from kymaphon.core.air.run import NOTE_WORDS
from kymaphon.core.model.clock import by_the_clock, span_words
from kymaphon.core.model.findings import Finding

MOST_NOTES = 6


def watch_content(bench: AirBench, chosen: str) -> WhyContent:
    """What the panel shows; `chosen` is the voice whose trend is unfolded."""
    show = bench.document.show
    state, now = bench.state, bench.now()
    findings = tuple(_finding(row, now) for row in bench.hazards)
    lead = []
    for voice, trend in bench.trends.items():
        if trend.apart and trend.turn_db and voice in state.open:
            name = bench.document.analysis.party_name(voice)
            way = "up" if trend.turn_db > 0 else "down"
            lead.append(Action(f"turn {voice}", f"Turn {name} {way} {abs(trend.turn_db):g} dB", trend.words))
    actions = tuple(
        Action(f"note {kind}", f"{key}   {NOTE_WORDS[kind]}", "Noted with the clock and the segment; on disk at once.")
        for key, kind in NOTE_KEYS.items()
    )
    noted = [row for row in show.log if row.note is not None or row.air is not None][-MOST_NOTES:]
    notes = tuple(f"{by_the_clock(show, row.at)}  {row.text}" for row in reversed(noted))
    lines = (bench.trends[chosen].figure,) if chosen in bench.trends else ()
    words = f"{len(findings)} to watch" if findings else "Nothing to watch for."
    if lead:
        lead[0] = Action(lead[0].id, f"{lead[0].label}   D", lead[0].tip)
    return WhyContent(
        "Watch",
        words,
        lines=lines,
        findings=findings,
        lead=tuple(lead[:2]),
        actions=actions,
        notes=notes,
        hint="" if notes else KEYS,
    )


def _finding(row: Hazard, now: datetime) -> Finding:
    """A hazard as the panel shows it, with how long it has stood."""
    stood = ""
    if row.soon:
        stood = " With the next segment."
    elif row.since is not None and (now - row.since).total_seconds() >= 5:
        stood = f" Stands for {span_words((now - row.since).total_seconds())}."
    return Finding(row.code, row.severity, "Air", row.subjects, row.title, f"{row.text}{stood}")
