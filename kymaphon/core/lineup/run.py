"""The run through the sources before a show: for each what to say, what to watch, what it should read, what to turn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kymaphon.core.analysis import Analysis
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.edits import AddLog, Edit, SetField, SetValue
from kymaphon.core.figures import data_table, figure, number
from kymaphon.core.graph import Knob
from kymaphon.core.levels import Ladder, Rung
from kymaphon.core.lineup.model import KEPT_WHERE_IT_IS
from kymaphon.core.meter.active import SpeechMeter
from kymaphon.core.meter.needles import QuasiPeakMeter, VuMeter
from kymaphon.core.scales import House, house_at, level_of, reading, scales
from kymaphon.core.show import LineUpReading, LogEntry

ORDER = ("presenter", "guest", "instrument", "remote", "crowd", "effect", "player")


@dataclass(frozen=True)
class Step:
    """One source of the run.

    Attributes:
        point: where it is listened to and read: after its own gain, before its fader.
        scale: id of the meter there; `peaks` says that it is read at its peaks.
        wanted_db: active speech level wanted at the point, in its unit, so that the mark further on is met.
        expected: what the meter should then show; `low` and `high` are the ends of what is right.
        knob: what to turn; None when nothing there can be.
    """

    voice: str
    name: str
    say: str
    listen: str
    watch: str
    point: Rung
    scale: str
    peaks: bool
    house: House
    wanted_db: float
    tolerance_db: float
    expected: Derived
    low: float
    high: float
    knob: Knob | None
    mark: Derived

    @property
    def unit(self) -> str:
        return scales()[self.scale].unit

    def level(self, shown: float) -> float:
        """The speech level at the point when the meter shows so much."""
        return level_of(self.scale, shown, self.point.unit, self.house, peaks=self.peaks)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a reading says.

    Attributes:
        off_db: above the mark.
        turn_db: what to turn the gain by, in its steps and within its range; `left_db` stays off after that.
        words: all that in a sentence.
        learnt_db: how much louder the voice is than the show has it.
    """

    shown: float
    off_db: float
    passed: bool
    turn_db: float
    left_db: float
    words: str
    learnt_db: float


def steps_of(analysis: Analysis) -> tuple[Step, ...]:
    """Every source that reaches an end, talkers first, those that nobody speaks into last."""
    rows = []
    for voice in analysis.voices:
        ladder = analysis.any_ladder(voice.id)
        step = _step(analysis, ladder) if ladder is not None else None
        if step is not None:
            rows.append(step)
    kinds = {party.id: party.kind for party in analysis.show.parties}
    return tuple(
        sorted(rows, key=lambda row: ORDER.index(kinds[row.voice]) if kinds[row.voice] in ORDER else 99)
    )


def _step(analysis: Analysis, ladder: Ladder) -> Step | None:
    party = analysis.show.party(ladder.voice)
    point, knob = _own_gain(analysis, ladder)
    goal = next((rung for rung in reversed(ladder.rungs) if rung.wanted is not None), None)
    if party.kind in KEPT_WHERE_IT_IS or goal is None or goal.wanted is None:
        wanted, tolerance = point.speech_db, number("level-near")
        mark = Derived(
            f"{party.name}, as the plan has it", point.speech_db, point.unit, source="where the plan puts it"
        )
    else:
        later = Derived(
            f"gain from here to {goal.label}",
            goal.speech_db - point.speech_db,
            "dB",
            source="as the rig stands",
        )
        wanted, tolerance = goal.wanted.average - later.value, goal.wanted.tolerance_db
        if goal.unit == point.unit:
            mark = Derived(
                "wanted here",
                wanted,
                point.unit,
                "mark \u2212 gain",
                (goal.wanted.line, later),
                goal.wanted.source,
            )
        else:
            mark = Derived(
                f"wanted here, in {point.unit}", wanted, point.unit, "mark \u2212 gain and converter",
                (goal.wanted.line, later), goal.wanted.source,
            )  # fmt: skip
    if point.unit not in ("dBu", "dBFS"):
        return None
    owners = [rung.node.partition(".")[0] for rung in ladder.rungs]
    place = next(i for i, rung in enumerate(ladder.rungs) if rung.node == point.node)
    house = house_at(analysis.show, analysis.catalogue, [*owners[place::-1], *owners[place + 1 :]])
    device = analysis.show.device(point.node.partition(".")[0])
    kind = analysis.catalogue[device.kind]
    scale = kind.meter or ("desk-peak" if point.unit == "dBu" else "dbfs")
    row = scales()[scale]
    peaks = row.average_lead_db is None or scale == "desk-peak"
    expected = reading(scale, wanted, point.unit, house, peaks=peaks)
    low, high = (
        reading(scale, wanted + sign * tolerance, point.unit, house, peaks=peaks).value for sign in (-1, 1)
    )
    words: Mapping[str, Any] = data_table("lineup_words")
    channel = point.label.removesuffix(", after gain")
    what = "its peaks" if peaks else "the average"
    watch = f"{row.name} of {device.name or kind.name}: {what} should come to {_figure(expected.value, row.unit)}, from {_figure(low, row.unit)} to {_figure(high, row.unit)}."
    return Step(
        ladder.voice, party.name, words["say"].get(party.kind, words["others"]), f"Pre-fade listen on {channel}, all others shut.",
        watch, point, scale, peaks, house, wanted, tolerance, expected, low, high, knob, mark,
    )  # fmt: skip


def _own_gain(analysis: Analysis, ladder: Ladder) -> tuple[Rung, Knob | None]:
    """The point after the last gain that is this voice's alone, and that gain; without one the point of the mark."""
    shared: dict[Any, set[str]] = {}
    for (voice, _), row in analysis.ladders.items():
        for step in row.path.steps():
            for knob in step.knobs:
                shared.setdefault(knob.ref, set()).add(voice)
    found: tuple[Rung, Knob | None] | None = None
    for rung, step in zip(ladder.rungs[1:], ladder.path.steps(), strict=True):
        for knob in step.knobs:
            own = knob.ref.field == "gain_db" and ">" not in knob.ref.key and knob.lowest < knob.highest
            if own and shared.get(knob.ref, {ladder.voice}) == {ladder.voice} and rung.unit != "dB SPL":
                found = rung, knob
    if found is not None:
        return found
    rows = [rung for rung in ladder.rungs if rung.wanted is not None] or [ladder.last]
    with_device = [
        rung for rung in rows if any(row.id == rung.node.partition(".")[0] for row in analysis.show.devices)
    ]
    return (with_device or rows)[-1], None


def _figure(value: float, unit: str) -> str:
    return show_number(value, unit, sign=unit in ("dB", "VU"))


def judge(step: Step, shown: float) -> Outcome:
    """What a reading of the step's meter says.

    Raises:
        ValueError: the reading is not a number, or off any scale.
    """
    if not -200 <= shown <= 100:
        raise ValueError(
            f"{shown:g} is on no meter; give what {scales()[step.scale].name} showed, in {step.unit}"
        )
    level = step.level(shown)
    off = level - step.wanted_db
    passed = abs(off) <= step.tolerance_db + 1e-9
    turn = _turn(step.knob, -off) if step.knob is not None else 0.0
    left = off + turn
    name = step.name
    if passed and abs(off) < 0.5:
        words = f"{name} is on the mark."
    else:
        words = f"{name} is {abs(off):.1f} dB {'over' if off > 0 else 'under'} the mark{', still right' if passed else ''}."
    if abs(turn) > 1e-9 and step.knob is not None:
        way = "up, clockwise" if turn > 0 else "down, anticlockwise"
        words += f" Turn {step.knob.label} {way} by {abs(turn):g} dB, to {show_number(step.knob.value + turn, 'dB', sign=True)}."
    if not passed and step.knob is None:
        words += " Nothing here is its own to turn: ask for another level, or move."
    elif abs(left) > step.tolerance_db and step.knob is not None:
        words += f" Its range ends there: {abs(left):.1f} dB stay {'over' if left > 0 else 'under'}; " + (
            "use the pad or move back." if left > 0 else "come nearer, or add a booster."
        )
    return Outcome(shown, off, passed, turn, left, words, level - step.point.speech_db)


def _turn(knob: Knob, by_db: float) -> float:
    wanted = knob.value + by_db
    stepped = knob.lowest + round((wanted - knob.lowest) / knob.step) * knob.step
    return round(min(max(stepped, knob.lowest), knob.highest) - knob.value, 3)


def entry_of(
    step: Step,
    outcome: Outcome,
    at: datetime,
    *,
    note: str = "",
    turned: bool = False,
    measured: bool = False,
) -> LogEntry:
    """The line of the log for a reading."""
    row = scales()[step.scale]
    passed = outcome.passed or (turned and abs(outcome.left_db) <= step.tolerance_db + 1e-9)
    text = (
        f"Line-up, {step.name}: {row.name} showed {_figure(outcome.shown, row.unit)}, expected {_figure(step.expected.value, row.unit)}; "
        f"{outcome.words}" + (f" {note}" if note else "")
    )
    return LogEntry(
        at=at, text=text[:2000], subject=step.voice,
        line_up=LineUpReading(
            voice=step.voice, at=step.point.node, scale=row.id, peaks=step.peaks, expected=round(step.expected.value, 3),
            shown=round(outcome.shown, 3), off_db=round(outcome.off_db, 3), turn_db=outcome.turn_db, turned=turned,
            passed=passed, measured=measured,
        ),
    )  # fmt: skip


def edits_of(
    analysis: Analysis, step: Step, outcome: Outcome, entry: LogEntry, *, turned: bool
) -> tuple[Edit, ...]:
    """What a reading changes in the show: the log, the gain if it was turned, and the talker's level as now known, so
    that the plan agrees with what was heard.
    """
    edits: list[Edit] = [AddLog(entry)]
    if turned and step.knob is not None and outcome.turn_db:
        edits.append(SetValue(step.knob.ref, round(step.knob.value + outcome.turn_db, 3)))
    node, level = analysis.graph.mouths[step.voice]
    if analysis.graph.nodes[node].unit == "dB SPL" and abs(outcome.learnt_db) >= number("level-learnt"):
        value = min(max(level.value + outcome.learnt_db, 0.0), 160.0)
        edits.append(SetField("parties", step.voice, "level_db_spl_1m", round(value, 1)))
    return tuple(edits)


def last_readings(analysis: Analysis) -> dict[str, LogEntry]:
    """The newest line-up of each voice in the log."""
    return {row.line_up.voice: row for row in analysis.show.log if row.line_up is not None}


def read_meter(step: Step, signal: Any, sample_rate_hz: int, full_scale_db: float) -> float:
    """What the step's meter shows of a signal.

    Args:
        signal: shape (frames,), full scale 1.
        full_scale_db: level of a full-scale sine, in the unit of the point.

    Raises:
        ValueError: there is nothing to read.
    """
    row = scales()[step.scale]
    level: float | None
    if row.id == "vu":
        meter = VuMeter(sample_rate_hz)
        meter.add(signal)
        # The average of its swings: the needle's peaks less how far they lie over the speech.
        level = meter.highest_dbfs
        level = None if level is None else level - row.peak_lead_db
    elif row.id.startswith("ppm"):
        quasi = QuasiPeakMeter(sample_rate_hz, "I" if row.id == "ppm-1" else "II")
        quasi.add(signal)
        level = quasi.highest_dbfs
        level = None if level is None else level - row.peak_lead_db
    else:
        speech = SpeechMeter(sample_rate_hz)
        speech.add(signal)
        level = speech.level_dbfs()
    if level is None:
        raise ValueError("nothing came: no signal at this point")
    return reading(row.id, level + full_scale_db, step.point.unit, step.house, peaks=step.peaks).value


def caution() -> str:
    return str(data_table("lineup_words")["caution"])


def growth_line() -> Derived:
    return figure("growth")
