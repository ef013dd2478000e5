"""The run through the sources before a show: for each what to say, what to watch, what it should read, what to turn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import in_sentence, show_number
from kymaphon.core.figures import data_table, number
from kymaphon.core.graph.ladder import Ladder, Rung
from kymaphon.core.graph.signal import Knob
from kymaphon.core.levels.down import bring_up, down_before, down_on
from kymaphon.core.levels.lineup.expected import Expected, expected_at, figure_on
from kymaphon.core.levels.meter.active import SpeechMeter
from kymaphon.core.levels.meter.loudness import LoudnessMeter
from kymaphon.core.levels.meter.needles import QuasiPeakMeter, RmsMeter, VuMeter
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import AddLog, Edit, SetField, SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.scales import Scale, mono_speech_lufs, reading
from kymaphon.core.model.show import LineUpReading, LogEntry, Party
from kymaphon.core.model.wants import wants_of
from kymaphon.core.wiring.linked_controls import turned_together, twins_along

LISTENED_AT = ("desk", "interface", "preamp", "recorder", "host")
"""Groups of devices at whose inputs a source is listened to before its fader, the likeliest first."""
ORDER = ("presenter", "guest", "instrument", "remote", "crowd", "effect", "player")


@dataclass(frozen=True)
class RunStep:
    """One source of the run.

    Attributes:
        expected: what its meter should show where it is listened to: after its own gain, before its fader.
        knob: what to turn; None when nothing there can be.
        twins: settings of the other side of a stereo way, which are turned with it.
    """

    voice: str
    name: str
    say: str
    listen: str
    expected: Expected
    knob: Knob | None
    twins: tuple[SettingRef, ...] = ()

    @property
    def point(self) -> Rung:
        return self.expected.point

    @property
    def watch(self) -> str:
        """What to look at, and what it should show."""
        return self.expected.words()


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


def steps_of(analysis: Computed) -> tuple[RunStep, ...]:
    """Every source that reaches an end, talkers first, those that nobody speaks into last."""
    rows = []
    for voice in analysis.voices:
        ladder = analysis.any_ladder(voice.id)
        step = _step(analysis, ladder) if ladder is not None else None
        if step is not None:
            rows.append(step)
    kinds = {party.id: party.kind for party in analysis.show.parties}
    return tuple(sorted(rows, key=lambda row: ORDER.index(kinds[row.voice]) if kinds[row.voice] in ORDER else 99))


def not_read(analysis: Computed) -> tuple[str, ...]:
    """Sources whose mark can be read nowhere on their way, each with why; what they should show cannot be said then."""
    have = {step.voice for step in steps_of(analysis)}
    return tuple(
        f"{voice.name}: {_why_not(analysis, voice)}"
        for voice in analysis.voices
        if voice.id not in have and _why_not(analysis, voice)
    )


def _why_not(analysis: Computed, voice: Party) -> str:
    """Why a voice cannot be run through; empty where it has no business at any end."""
    mark, ladder = analysis.mark, analysis.any_ladder(voice.id)
    labels = down_before(analysis, voice.id, ladder)
    if labels:
        return f"{bring_up(labels)}, then run this source."
    if ladder is None:
        wanted = any(row.want == "hear" and name == voice.id for (_, name), row in wants_of(analysis.show).items())
        return "it reaches no end: plug it in, and open what is shut, first." if wanted and voice.kind != "crew" else ""
    short = _out_of_reach(analysis, ladder)
    if short:
        return short
    if voice.kind in NO_SPEECH:
        return ""
    return (
        f"the practice {in_sentence(mark.name)} is read on {mark.meter}, and nothing on the way "
        "has such a meter. Set a mark for a point of it, or choose a practice that its recorder or software shows."
    )


def _out_of_reach(analysis: Computed, ladder: Ladder) -> str:
    """Where a source would have to clip for its mark to be met further on, what is missing after it; empty where all is well."""
    point, _ = _own_gain(analysis, ladder)
    expected = expected_at(analysis, ladder, point)
    if expected is None or point.ceiling_db is None or not point.ceiling_here:
        return ""
    over = expected.wanted_db - expected.tolerance_db - point.ceiling_db
    if over < 0:
        return ""
    after = ladder.rungs[[row.node for row in ladder.rungs].index(point.node) + 1 :]
    knobs = [knob for rung in after for knob in rung.knobs if knob.highest - knob.value > 1]
    first = max(knobs, key=lambda knob: knob.highest - knob.value, default=None)
    told = f": {first.label} stands {first.highest - first.value:.0f} dB under its top" if first is not None else ""
    return (
        f"what follows {point.label} is at least {over:.0f} dB too low for any level there{told}. Bring that up first."
    )


def _step(analysis: Computed, ladder: Ladder) -> RunStep | None:
    party = analysis.show.party(ladder.voice)
    point, knob = _own_gain(analysis, ladder)
    expected = expected_at(analysis, ladder, point)
    if expected is None or down_on(ladder.path) or _out_of_reach(analysis, ladder):
        return None
    words: Mapping[str, Any] = data_table("lineup_words")
    channel = point.label.removesuffix(", after gain")
    listen = f"Pre-fade listen on {channel}, all others shut."
    sings = "music" in analysis.mark.practice.id and party.kind in ("presenter", "guest")
    say = words["say"].get("instrument" if sings else party.kind, words["others"])
    twins = twins_along(analysis, ladder).get(knob.ref, ()) if knob is not None else ()
    return RunStep(ladder.voice, party.name, say, listen, expected, knob, twins)


def _own_gain(analysis: Computed, ladder: Ladder) -> tuple[Rung, Knob | None]:
    """Where a source is listened to: after the gain that is this voice's alone, at the first desk on the way, else the first
    interface, else wherever it has one; and that gain. Without one the point of the mark.
    """
    shared: dict[Any, set[str]] = {}
    for (voice, _), row in analysis.ladders.items():
        for step in row.path.steps():
            for knob in step.knobs:
                shared.setdefault(knob.ref, set()).add(voice)
    found: list[tuple[int, Rung, Knob]] = []
    kinds = {device.id: analysis.catalogue[device.kind].group for device in analysis.show.devices}
    for rung, step in zip(ladder.rungs[1:], ladder.path.steps(), strict=True):
        for knob in step.knobs:
            own = knob.is_gain and knob.lowest < knob.highest
            if own and shared.get(knob.ref, {ladder.voice}) == {ladder.voice} and rung.unit != "dB SPL":
                group = kinds.get(knob.ref.device, "")
                found.append((LISTENED_AT.index(group) if group in LISTENED_AT else len(LISTENED_AT), rung, knob))
    if found:
        # The last of the device where it is listened to: what is behind it there is faders.
        best = min(row[0] for row in found)
        device = next(knob.ref.device for place, _, knob in found if place == best)
        return next((rung, knob) for place, rung, knob in reversed(found) if knob.ref.device == device)
    rows = [rung for rung in ladder.rungs if rung.wanted is not None] or [ladder.last]
    with_device = [rung for rung in rows if any(row.id == rung.owner for row in analysis.show.devices)]
    return (with_device or rows)[-1], None


def judge(step: RunStep, shown: float) -> Outcome:
    """What a reading of the step's meter says.

    Raises:
        ValueError: the reading is not a number, or off any scale.
    """
    wants = step.expected
    if not -200 <= shown <= 100:
        raise ValueError(f"{shown:g} is on no meter; give what {wants.meter.name} showed, in {wants.unit}")
    level = wants.level(shown)
    off = level - wants.wanted_db
    passed = abs(off) <= wants.tolerance_db + 1e-9
    turn = _turn(step.knob, -off) if step.knob is not None else 0.0
    left = off + turn
    name = step.name
    if passed and abs(off) < number("level-learnt"):
        words = f"{name} is on the mark."
    else:
        words = (
            f"{name} is {abs(off):.1f} dB {'over' if off > 0 else 'under'} the mark{', still right' if passed else ''}."
        )
    if abs(turn) > 1e-9 and step.knob is not None:
        way = "up, clockwise" if turn > 0 else "down, anticlockwise"
        words += f" Turn {step.knob.label} {way} by {abs(turn):g} dB, to {show_number(step.knob.value + turn, 'dB', sign=True)}."
    if not passed and step.knob is None:
        words += " Nothing here is its own to turn: ask for another level, or move."
    elif abs(left) > wants.tolerance_db and step.knob is not None:
        words += f" Its range ends there: {abs(left):.1f} dB stay {'over' if left > 0 else 'under'}; " + (
            "use the pad or move back." if left > 0 else "come nearer, or add a booster."
        )
    return Outcome(shown, off, passed, turn, left, words, level - step.point.speech_db)


def _turn(knob: Knob, by_db: float) -> float:
    return round(knob.snap(knob.value + by_db) - knob.value, 3)


def entry_of(
    step: RunStep,
    outcome: Outcome,
    at: datetime,
    *,
    note: str = "",
    turned: bool = False,
    measured: bool = False,
) -> LogEntry:
    """The line of the log for a reading."""
    wants = step.expected
    passed = outcome.passed or (turned and abs(outcome.left_db) <= wants.tolerance_db + 1e-9)
    text = (
        f"Line-up, {step.name}: {wants.meter.name} showed {figure_on(outcome.shown, wants.unit)}, "
        f"expected {figure_on(wants.shows.value, wants.unit)}; "
        f"{outcome.words}" + (f" {note}" if note else "")
    )
    return LogEntry(
        at=at,
        text=text[:2000],
        subject=step.voice,
        line_up=LineUpReading(
            voice=step.voice,
            at=step.point.node,
            scale=wants.meter.id,
            peaks=wants.peaks,
            expected=round(wants.shows.value, 3),
            shown=round(outcome.shown, 3),
            off_db=round(outcome.off_db, 3),
            turn_db=outcome.turn_db,
            turned=turned,
            passed=passed,
            measured=measured,
            note=note[:500],
        ),
    )


def edits_of(analysis: Computed, step: RunStep, outcome: Outcome, entry: LogEntry, *, turned: bool) -> tuple[Edit, ...]:
    """What a reading changes in the show: the log, the gain if it was turned, and the talker's level as now known, so
    that the plan agrees with what was heard.
    """
    edits: list[Edit] = [AddLog(entry)]
    if turned and step.knob is not None and outcome.turn_db:
        turned_to = SetValue(step.knob.ref, round(step.knob.value + outcome.turn_db, 3))
        edits.extend(turned_together(analysis, {step.knob.ref: step.twins}, turned_to, step.knob.value))
    node, level = analysis.graph.mouths[step.voice]
    if analysis.graph.nodes[node].unit == "dB SPL" and abs(outcome.learnt_db) >= number("level-learnt"):
        value = min(max(level.value + outcome.learnt_db, 0.0), 160.0)
        edits.append(SetField("parties", step.voice, "level_db_spl_1m", round(value, 1)))
    return tuple(edits)


def last_readings(analysis: Computed) -> dict[str, LogEntry]:
    """The newest line-up in the log of each voice that is in the show."""
    there = {row.id for row in analysis.show.parties}
    rows = (row for row in analysis.show.log if row.line_up is not None)
    return {row.line_up.voice: row for row in rows if row.line_up is not None and row.line_up.voice in there}


@dataclass(frozen=True, slots=True)
class Trace:
    """A meter's reading as it went, on its own scale: one value for every `STEP_S`; and what stands at the end.

    Attributes:
        shown: what is to be noted: the average, or the height of the swings where a meter is read at its peaks.
    """

    values: tuple[float, ...]
    shown: float


STEP_S = 0.05


def read_meter(expected: Expected, signal: Any, sample_rate_hz: int, full_scale_db: float) -> Trace:
    """What the meter of a point shows of a signal.

    Args:
        signal: shape (frames,), full scale 1.
        full_scale_db: level of a full-scale sine, in the unit of the point.

    Raises:
        ValueError: there is nothing to read.
    """
    row = expected.meter
    needle = needle_of(expected, sample_rate_hz)
    step = max(1, round(sample_rate_hz * STEP_S))
    values = []
    for start in range(0, len(signal) - step + 1, step):
        needle.add(signal[start : start + step])
        level = needle.dbfs
        if level is not None:
            values.append(on_scale(row, level + full_scale_db, expected))
    speech = SpeechMeter(sample_rate_hz)
    speech.add(signal)
    level = speech.level_dbfs()
    if level is None:
        raise ValueError("nothing came: no signal at this point")
    highest = needle.highest_dbfs
    if isinstance(needle, _Momentary):
        level = needle.whole_dbfs if needle.whole_dbfs is not None else level
    if row.average_lead_db is None and highest is not None:
        # A programme meter is read at the height of its swings, as they were.
        shown = on_scale(row, highest + full_scale_db, expected)
    else:
        shown = reading(row.id, level + full_scale_db, expected.point.unit, expected.house, peaks=expected.peaks).value
    return Trace(tuple(values), shown)


class _Momentary:
    """A loudness meter with the face of a needle: its momentary reading, as the level of speech that has it."""

    def __init__(self, sample_rate_hz: int) -> None:
        self._meter = LoudnessMeter(sample_rate_hz)

    def add(self, block: Any) -> None:
        self._meter.add(block[:, None])

    @property
    def dbfs(self) -> float | None:
        told = self._meter.momentary_lufs
        return None if told is None else told - mono_speech_lufs()

    @property
    def whole_dbfs(self) -> float | None:
        """The same of everything so far, gated."""
        told = self._meter.integrated_lufs()
        return None if told is None else told - mono_speech_lufs()

    highest_dbfs = dbfs


def needle_of(expected: Expected, sample_rate_hz: int) -> VuMeter | QuasiPeakMeter | RmsMeter | _Momentary:
    """What moves as the meter of a point does."""
    if expected.scale == "vu":
        return VuMeter(sample_rate_hz)
    if expected.scale == "lufs":
        return _Momentary(sample_rate_hz)
    if expected.peaks:
        return QuasiPeakMeter(sample_rate_hz, "II" if expected.scale.startswith("ppm-2") else "I")
    return RmsMeter(sample_rate_hz)


def on_scale(scale: Scale, level: float, expected: Expected) -> float:
    """A needle's own level as its scale prints it, with nothing added for the swings of speech."""
    told = reading(scale.id, level, expected.point.unit, expected.house, peaks=True).value
    return told - scale.per_db * scale.peak_lead_db


def caution() -> str:
    return str(data_table("lineup_words")["caution"])
