"""How loud each voice is now against its line-up: what its meter showed in the last minute of its talk, and what to turn.

A reading here is what the line-up's own meter shows of a few seconds (`levels.lineup.run.read_meter`), so that now and then are the
same measure.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping
from dataclasses import dataclass, field
from statistics import median

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.levels.lineup.run import RunStep, last_readings
from kymaphon.core.rundown.limits import limit

MOST_KEPT = 20_000
READING_S = 4.0
"""So many seconds are read at a time."""


@dataclass
class MeterHistory:
    """What meters showed: for each voice its readings in order, on the scale of its own meter. Kept for the show; old ones thinned out.

    Attributes:
        rows: voice -> (seconds since it began, above its mark in dB) of every reading while it was open.
    """

    rows: dict[str, list[tuple[float, float]]] = field(default_factory=dict)

    def add(self, voice: str, at_s: float, off_db: float) -> None:
        row = self.rows.setdefault(voice, [])
        if row and at_s < row[-1][0]:
            return  # a clock that was set back
        row.append((at_s, off_db))
        if len(row) > MOST_KEPT:
            half = len(row) // 2
            row[:half] = row[:half:2]

    def since(self, voice: str, from_s: float) -> list[tuple[float, float]]:
        """Readings from a moment on."""
        row = self.rows.get(voice, [])
        return row[bisect_left(row, (from_s, float("-inf"))) :]


@dataclass(frozen=True, slots=True)
class Trend:
    """A voice against its line-up.

    Attributes:
        off_db: above its mark now, the middle of what its meter showed while it talked.
        change_db: how far that is from what came of its line-up; from its mark where it was not lined up.
        minutes: since so long it has been apart from it by more than `trend_db`.
        turn_db: what to turn to bring it back; nought where it needs none or nothing is there to turn.
        words: all that in a sentence.
        figure: with its arithmetic.
    """

    voice: str
    off_db: float
    change_db: float
    minutes: float
    turn_db: float
    words: str
    figure: Derived

    @property
    def apart(self) -> bool:
        return abs(self.change_db) >= limit("trend_db")


def lined_up_db(analysis: Computed) -> dict[str, float]:
    """Voice -> above its mark after its last line-up, what was turned then taken off."""
    out = {}
    for voice, entry in last_readings(analysis).items():
        row = entry.line_up
        if row is not None:
            out[voice] = row.off_db + (row.turn_db if row.turned else 0.0)
    return out


def trend_of(analysis: Computed, step: RunStep, history: MeterHistory, now_s: float) -> Trend | None:
    """The trend of a voice; None where it has not talked for long enough in the last minute."""
    talked = _talked(history, step.voice, now_s - limit("trend_window_s"))
    if not talked or len(talked) * READING_S < limit("trend_least_s"):
        return None
    off = median(row for _, row in talked)
    base = lined_up_db(analysis).get(step.voice)
    change = off - (base if base is not None else 0.0)
    minutes = _apart_for(history, step.voice, base or 0.0, change, now_s)
    turn = 0.0
    if abs(change) >= limit("trend_db") and step.knob is not None:
        turn = round(step.knob.snap(step.knob.value - change) - step.knob.value, 3)
    return Trend(
        step.voice, off, change, minutes, turn, _words(step, change, minutes, turn, base), _figure(step, off, base)
    )


def _talked(history: MeterHistory, voice: str, from_s: float) -> list[tuple[float, float]]:
    """Readings in which it talked: not those of pauses, which lie far under the loudest."""
    return _talk(history.since(voice, from_s))


def _talk(rows: list[tuple[float, float]]) -> list[tuple[float, float]]:
    top = max((row for _, row in rows), default=0.0)
    floor = max(top - limit("talk_over_db"), -limit("plays_under_db") - limit("talk_over_db"))
    return [row for row in rows if row[1] >= floor]


def _apart_for(history: MeterHistory, voice: str, base: float, change: float, now_s: float) -> float:
    """Minutes since the middle of a minute of it was first apart by as much, in the same sense, and stayed so."""
    window = limit("trend_window_s")
    since = now_s - window
    at = now_s - window
    while at >= 0:
        talk = [row for _, row in _talk([row for row in history.since(voice, at - window) if row[0] < at])]
        if talk:
            if (median(talk) - base) * (1 if change > 0 else -1) < limit("trend_db"):
                break
            since = at - window
        at -= window
    return (now_s - since) / 60


def _words(step: RunStep, change: float, minutes: float, turn: float, base: float | None) -> str:
    against = "since line-up" if base is not None else "off the mark, never lined up"
    if abs(change) < limit("trend_db"):
        return "on the line-up" if base is not None else "on the mark, never lined up"
    louder = "up" if change > 0 else "down"
    told = f"{abs(change):.0f} dB {louder} {against}"
    if minutes >= 1:
        told += f", for {minutes:.0f} min"
    if turn:
        told += f": turn {'up' if turn > 0 else 'down'} {abs(turn):g} at {step.knob.label if step.knob else ''}"
    return told


def _figure(step: RunStep, off: float, base: float | None) -> Derived:
    now = Derived(
        "above the mark now",
        off,
        "dB",
        source=f"middle of what {step.expected.meter.name} showed of talk in the last minute",
    )
    if base is None:
        return Derived("above the mark", off, "dB", terms=(now,))
    then = Derived("above the mark after line-up", base, "dB", source="log: line-up")
    return Derived("change since line-up", off - base, "dB", "now \u2212 then", (now, then))


def trends_of(
    analysis: Computed, steps: Mapping[str, RunStep], history: MeterHistory, now_s: float
) -> dict[str, Trend]:
    """The trend of every voice that has one."""
    rows = {voice: trend_of(analysis, step, history, now_s) for voice, step in steps.items()}
    return {voice: row for voice, row in rows.items() if row is not None}


def change_words(trend: Trend) -> str:
    """The change as a figure: +4.2 dB."""
    return show_number(trend.change_db, "dB", sign=True)
