"""Practice on the simulated rig of a show: drills of growing difficulty, each judged, and held against what an expert would have done.

A drill goes round by round: something is asked, answered, judged, and told how an expert goes about it. Nothing of the show is changed.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache, partial
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.core.dynamics.design import Design, design
from kymaphon.core.dynamics.evaluation import Trial
from kymaphon.core.dynamics.key import key_of
from kymaphon.core.dynamics.places import strips_of
from kymaphon.core.dynamics.speech import segment_speech
from kymaphon.core.figures import data_table
from kymaphon.core.graph.ladder import Rung
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.processing import Gate
from kymaphon.core.model.wants import wants_of
from kymaphon.core.prove.diagnosis import Seen, diagnose
from kymaphon.core.prove.faults import Fault, audible_faults, sorts
from kymaphon.core.prove.model import TapModel
from kymaphon.core.prove.questions import Standing, causes, questions
from kymaphon.core.report.prove import read_by
from kymaphon.sim.playing import ShowPlayer
from kymaphon.sim.rig import SimulatedRig

Floats = NDArray[np.float64]
Answer = int | frozenset[int] | float
HEARD_S = 6.0
TAKE_S = 30.0
ROUNDS = 3
MOST_TALKERS = 6
CLOSE_DB = 1.0
"""A gain that is right to a decibel is right."""
FARTHEST_DB = 20
BY_EAR = (
    "hum",
    "dimmer-buzz",
    "telephone-burst",
    "wireless-wash",
    "broken-strand",
    "dropped-samples",
    "gate-high",
)
"""Faults that are told apart by ear in one channel."""
GATE_TRIES = 3


@dataclass(frozen=True, slots=True)
class Task:
    """A drill that can be chosen.

    Attributes:
        level: 1 to 3, growing.
        seconds: what an expert takes for a step.
        missing: what the show lacks for it; empty where it can be done.
    """

    id: str
    level: int
    name: str
    about: str
    seconds: float
    missing: str = ""


@dataclass(frozen=True)
class Round:
    """Something that is asked.

    Attributes:
        kind: one of the options, all that apply, or a number in `unit`.
        play: gives what is to be heard, shape (sides, frames); None where nothing is.
    """

    prompt: str
    kind: Literal["one", "all", "number"]
    options: tuple[str, ...] = ()
    unit: str = ""
    hint: str = ""
    play: Callable[[], Floats] | None = None


@dataclass(frozen=True, slots=True)
class Feedback:
    """How an answer was, and what an expert says to it."""

    right: bool
    words: str


@dataclass
class Drill:
    """One that is running.

    Attributes:
        round: what is asked now; None when it is over.
        steps: answers given; `right` of them right; `of` how many there are to be right.
        expert_steps: how many an expert needs.
    """

    task: Task
    round: Round | None = None
    steps: int = 0
    right: int = 0
    of: int = 0
    expert_steps: int = 0
    mistakes: list[str] = field(default_factory=list)

    def answer(self, given: Answer) -> Feedback:
        """Judges an answer and goes on to the next round. Raises ValueError: the drill is over."""
        if self.round is None:
            raise ValueError("this drill is over")
        self.steps += 1
        told = self.judge(given)
        self.right += told.right and bool(told.words)  # a part of an answer is not judged
        if not told.right:
            self.mistakes.append(told.words)
        return told

    def judge(self, given: Answer) -> Feedback:
        """What an answer is worth; sets the next round."""
        raise NotImplementedError

    def result(self, seconds: float) -> str:
        """For the log, in a sentence."""
        expert = self.expert_steps * self.task.seconds
        count = f"{self.right} of {self.of} right" if self.of else "ended"
        return (
            f"Practice, {self.task.name[:1].lower()}{self.task.name[1:]}: {count} in {seconds:.0f} s, {self.steps} steps; "
            f"an expert: {self.expert_steps} steps, {expert:.0f} s"
        )


@cache
def _tasks() -> tuple[Task, ...]:
    return tuple(
        Task(row["id"], row["level"], row["name"], row["about"], float(row["seconds"]))
        for row in data_table("prove")["drills"]
    )


def tasks(report: Report) -> tuple[Task, ...]:
    """All drills, the easiest first, each with what this show lacks for it."""
    out = []
    talkers = _strips(report)
    for row in _tasks():
        missing = ""
        if row.id in ("line-up", "gate", "ear", "ear-mix") and not talkers:
            missing = "nobody speaks into a channel with a gain"
        elif row.id == "mix-minus" and not _listeners(report):
            missing = "nobody hears more than one voice"
        elif row.id == "ear-mix" and not report.listeners:
            missing = "nobody listens"
        elif row.id in ("tap", "tap-two") and not report.voices:
            missing = "there is nothing to tap"
        out.append(Task(row.id, row.level, row.name, row.about, row.seconds, missing))
    return tuple(sorted(out, key=lambda row: row.level))


def begin(report: Report, name: str, seed: int) -> Drill:
    """A drill, ready to be answered; some seconds of computing for a gate. Those by tapping are done on the tap test itself.

    Args:
        seed: which faults, talkers and readings.

    Raises:
        KeyError: there is no such drill here.
        ValueError: the show lacks something for it; the message says what.
    """
    task = next(row for row in tasks(report) if row.id == name) if name in {row.id for row in _tasks()} else None
    if task is None or name not in _MADE:
        raise KeyError(name)
    if task.missing:
        raise ValueError(f"{task.name}: {task.missing}")
    return _MADE[name](report, task, random.Random(seed), seed)


# lining up


@dataclass(frozen=True, slots=True)
class _Strip:
    voice: str
    name: str
    rung: Rung
    step: float


def _strips(report: Report) -> list[_Strip]:
    """The first channel with a gain of each talker, with its point on the ladder."""
    out = []
    for party in report.voices:
        ladder = report.any_ladder(party.id)
        if party.kind in NO_SPEECH or ladder is None:
            continue
        rungs = {row.node: row for row in ladder.rungs}
        strip = next((row for row in strips_of(report, party.id) if row.gain_db is not None), None)
        if strip is None:
            continue
        rung = rungs[strip.node]
        knob = next((knob for knob in rung.knobs if knob.is_gain), None)
        out.append(_Strip(party.id, strip.name, rung, knob.step if knob is not None and knob.step else 1.0))
    return out


@dataclass
class LineUp(Drill):
    """A reading and a mark for each talker: by how much is the gain turned."""

    rows: list[tuple[str, _Strip, float, float]] = field(default_factory=list)

    def judge(self, given: Answer) -> Feedback:
        name, strip, reading, mark = self.rows[self.steps - 1]
        wanted = mark - reading
        turned = round(wanted / strip.step) * strip.step
        right = isinstance(given, int | float) and abs(float(given) - turned) <= max(CLOSE_DB, strip.step / 2)
        words = (
            f"{show_number(turned, 'dB', sign=True)}: the mark less the reading, {show_number(mark, strip.rung.unit)} less "
            f"{show_number(reading, strip.rung.unit)}; the control goes in steps of {strip.step:g} dB"
        )
        self.ask()
        return Feedback(right, f"{name}: {words}.")

    def ask(self) -> None:
        """The next talker, or nobody any more."""
        if self.steps >= len(self.rows):
            self.round = None
            return
        name, strip, reading, mark = self.rows[self.steps]
        unit = strip.rung.unit
        self.round = Round(
            f"{name}, {strip.name}: the meter reads {show_number(reading, unit)}, the mark is {show_number(mark, unit)}. "
            "By how much do you turn the gain?",
            "number",
            unit="dB",
            hint="Plus for more, minus for less.",
        )


def _line_up(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    rows = []
    strips = _strips(report)
    for strip in draw.sample(strips, min(MOST_TALKERS, len(strips))):
        mark = round(strip.rung.wanted.average if strip.rung.wanted is not None else strip.rung.speech_db)
        off = draw.choice([row for row in range(-FARTHEST_DB, FARTHEST_DB + 1) if abs(row) >= 3])
        rows.append((report.party_name(strip.voice), strip, float(mark + off), float(mark)))
    drill = LineUp(task, of=len(rows), expert_steps=len(rows), rows=rows)
    drill.ask()
    return drill


# mixes


def _listeners(report: Report) -> list[tuple[str, frozenset[int]]]:
    """Listeners with some wants, and which voices (by number) they must hear."""
    wants, voices = wants_of(report.show), [row.id for row in report.voices]
    out = []
    for party in report.listeners:
        hear = frozenset(
            n for n, voice in enumerate(voices) if (row := wants.get((party.id, voice))) and row.want == "hear"
        )
        if hear:
            out.append((party.id, hear))
    return out


@dataclass
class Mixes(Drill):
    """For each listener: which voices have to be in what they hear."""

    report: Report | None = None
    rows: list[tuple[str, frozenset[int], frozenset[int]]] = field(default_factory=list)

    def judge(self, given: Answer) -> Feedback:
        assert self.report is not None
        listener, hear, may = self.rows[self.steps - 1]
        chosen = given if isinstance(given, frozenset) else frozenset()
        voices = [row.id for row in self.report.voices]
        wrong = sorted((chosen - hear - may) | (hear - chosen))
        name = self.report.party_name(listener)
        own = voices.index(listener) if listener in voices else -1
        words = []
        for n in wrong:
            voice = self.report.party_name(voices[n])
            if n == own:
                words.append(f"{voice} must not get themselves back: their own voice, late, stops speech (mix-minus)")
            elif n in hear:
                words.append(f"{voice} is wanted and missing")
            else:
                words.append(f"{voice} is not wanted there")
        self.ask()
        text = "; ".join(words) if words else f"that is what {name} has to hear"
        return Feedback(not wrong, f"{name}: {text}.")

    def ask(self) -> None:
        """The next listener, or nobody any more."""
        if self.steps >= len(self.rows) or self.report is None:
            self.round = None
            return
        listener = self.rows[self.steps][0]
        names = tuple(row.name for row in self.report.voices)
        party = next(row for row in self.report.show.parties if row.id == listener)
        self.round = Round(
            f"What goes to {party.name} ({party.kind.replace('-', ' ')})? Choose all that they have to hear.",
            "all",
            names,
            hint="Space or the number puts a voice in or out, Enter is done.",
        )


def _mixes(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    wants, voices = wants_of(report.show), [row.id for row in report.voices]
    rows = []
    found = _listeners(report)
    for listener, hear in draw.sample(found, min(ROUNDS, len(found))):
        may = frozenset(
            n
            for n, voice in enumerate(voices)
            if (row := wants.get((listener, voice))) is not None and row.want not in ("hear", "never")
        )
        rows.append((listener, hear, may - {voices.index(listener)} if listener in voices else may))
    drill = Mixes(task, of=len(rows), expert_steps=len(rows), report=report, rows=rows)
    drill.ask()
    return drill


# by ear


@dataclass
class ByEar(Drill):
    """What is heard: which of six faults is it."""

    rows: list[tuple[str, str, Callable[[], Floats]]] = field(default_factory=list)
    names: tuple[str, ...] = ()

    def judge(self, given: Answer) -> Feedback:
        sort, where, _ = self.rows[self.steps - 1]
        row = sorts()[sort]
        right = given == self.names.index(sort)
        self.ask()
        return Feedback(right, f"It was {row.name}, {where}: {row.sounds}. {row.cure}")

    def ask(self) -> None:
        """The next sound, or none any more."""
        if self.steps >= len(self.rows):
            self.round = None
            return
        _, where, play = self.rows[self.steps]
        options = tuple(f"{sorts()[name].name}: {sorts()[name].sounds}" for name in self.names)
        self.round = Round(f"Listen: {where}. What is wrong?", "one", options, hint="P plays it again.", play=play)


def _by_ear(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    strips = _strips(report)
    by_place: dict[tuple[str, str], Fault] = {}
    for fault in audible_faults(report):
        by_place[fault.sort, fault.id.partition(":")[2]] = fault
    rows: list[tuple[str, str, Callable[[], Floats]]] = []
    there: set[str] = set()
    places = []
    for strip in strips:
        place = strip.rung.node.removesuffix(":pre")
        found = [sort for sort in BY_EAR if (sort, place) in by_place]
        there.update(found)
        if found:
            places.append((strip, place, found))
    names = tuple(sort for sort in BY_EAR if sort in there)[:6]
    whole = task.id == "ear-mix"
    sorts_left = list(names)
    draw.shuffle(sorts_left)
    for number, sort in enumerate(sorts_left[:ROUNDS]):
        strip, place, _ = draw.choice([row for row in places if sort in row[2]])
        fault = by_place[sort, place]
        if whole:
            listener = draw.choice([row.id for row in report.listeners if _hears(report, row.id, strip.voice)] or [""])
            if not listener:
                continue
            nodes, where = report.graph.ears[listener], f"what {report.party_name(listener)} hears"
        else:
            nodes, where = (report.graph.index[strip.rung.node],), f"{strip.name} alone"
        rows.append((sort, where, partial(_heard, report, tuple(nodes), fault, seed + number)))
    if not rows:
        raise ValueError(f"{task.name}: no fault of this rig is heard there")
    drill = ByEar(task, of=len(rows), expert_steps=len(rows), rows=rows, names=names)
    drill.ask()
    return drill


def _hears(report: Report, listener: str, voice: str) -> bool:
    row = report.feeds.get((listener, voice))
    return row is not None and row.path is not None


def _heard(report: Report, nodes: tuple[int, ...], fault: Fault, seed: int) -> Floats:
    """A fault as it sounds at some points, at one peak; shape (sides, frames)."""
    rate = report.show.sample_rate_hz
    player = ShowPlayer(report, sample_rate_hz=rate, seed=seed, faults=(fault,))
    sound = player.at(nodes, HEARD_S + 1.0)[:, rate:]
    most = float(np.abs(sound).max(initial=0.0))
    return np.asarray(sound / most) if most > 0 else sound


# by questions


@dataclass
class ByQuestions(Drill):
    """Questions are asked until the cause is named."""

    cause: str = ""
    standing: Standing = field(default_factory=Standing)
    naming: bool = False

    def judge(self, given: Answer) -> Feedback:
        place = int(given) if isinstance(given, int | float) else -1
        cause = next(row for row in causes() if row.id == self.cause)
        if self.naming:
            right = place == list(causes()).index(cause)
            self.round = None
            best = self.standing.ranking[0]
            told = f"It was: {cause.name}. {cause.cure}"
            if not right:
                told += f" Your answers spoke most for {best.cause.name} ({best.chance:.0%})."
            return Feedback(right, told)
        asked = [row for row in questions() if row.id not in self.standing.answers]
        if not 0 <= place < len(asked):
            self.steps -= 1
            self.naming = True
            self.ask()
            return Feedback(True, "Name the cause.")
        row = asked[place]
        answer = max((name for name, _ in row.answers), key=lambda name: cause.chance(row, name))
        expert, bits = self.standing.next_question, self.standing.bits(row)
        best_bits = self.standing.bits(expert) if expert is not None else 0.0
        self.standing = Standing({**self.standing.answers, row.id: answer}, None, self.standing.analysis)
        self.ask()
        words = f"{row.text} {row.words_of(answer)[:1].upper()}{row.words_of(answer)[1:]}."
        if expert is not None and expert is not row and bits < best_bits - 0.1:
            words += f" More would have told ({best_bits:.1f} against {bits:.1f} bits): {expert.text}"
        return Feedback(True, words)

    def ask(self) -> None:
        """What can still be asked, or the causes to choose from."""
        if self.naming:
            self.round = Round("Which cause is it?", "one", tuple(row.name for row in causes()))
            return
        left = tuple(row.text for row in questions() if row.id not in self.standing.answers)
        self.round = Round(
            "Somebody reports a fault. What do you ask?",
            "one",
            (*left, "I know it: name the cause"),
            hint="As few questions as you can.",
        )

    def answer(self, given: Answer) -> Feedback:
        told = super().answer(given)
        # Asking is not right or wrong; only naming is.
        self.right = int(self.round is None and told.right)
        return told


def _by_questions(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    # A cause that its own answers lead to: with the others even an expert would be wrong.
    fair = [row for row in causes() if _expert_way(report, row.id)[1]]
    cause = draw.choice(fair)
    steps, _ = _expert_way(report, cause.id)
    drill = ByQuestions(task, of=1, expert_steps=steps + 1, cause=cause.id, standing=Standing({}, None, report))
    drill.ask()
    return drill


def _expert_way(report: Report, name: str) -> tuple[int, bool]:
    """How many of the most telling questions lead to a cause, and whether they do."""
    cause = next(row for row in causes() if row.id == name)
    now = Standing({}, None, report)
    while now.ranking[0].chance < 0.8 and (asked := now.next_question) is not None:
        answer = max((row for row, _ in asked.answers), key=lambda row, asked=asked: cause.chance(asked, row))  # type: ignore[misc]
        now = Standing({**now.answers, asked.id: answer}, None, report)
    return len(now.answers), now.ranking[0].cause.id == name


# a gate


@dataclass
class SetGate(Drill):
    """Opening threshold, closing threshold and hold; tried on a take of the simulated rig."""

    trial: Trial | None = None
    best: Design | None = None
    name: str = ""
    given: list[float] = field(default_factory=list)

    def judge(self, given: Answer) -> Feedback:
        assert self.trial is not None
        assert self.best is not None
        self.given.append(float(given) if isinstance(given, int | float) else 0.0)
        if len(self.given) < 3:
            self.steps -= 1
            self.ask()
            return Feedback(True, "")
        opens, closes, hold = self.given
        self.given = []
        gate = self.best.gate.with_(
            open_db=min(max(opens, -130.0), 30.0),
            close_db=min(max(min(closes, opens), -140.0), 30.0),
            hold_ms=min(max(hold, 0.0), 5000.0),
        )
        found, best = self.trial.judge(gate), self.best.verdict
        right = not found.words_clipped and found.noise_open_ratio <= max(0.05, 1.5 * best.noise_open_ratio)
        over = right or self.steps >= GATE_TRIES
        words = (
            f"{found.words_clipped} of {found.words} words lose something that is heard, {found.noise_open_ratio:.0%} of the room "
            f"comes through, it opens {found.false_openings} times for nothing."
        )
        if over:
            expert = self.best.gate
            self.round = None
            words += (
                f" An expert: opens at {show_number(expert.open_db, 'dBFS')}, closes at {show_number(expert.close_db, 'dBFS')}, "
                f"holds {expert.hold_ms:.0f} ms; {best.words_clipped} words lose something, {best.noise_open_ratio:.0%} of the room."
            )
        else:
            self.ask()
        return Feedback(right, words)

    def ask(self) -> None:
        """The next of its three figures."""
        assert self.trial is not None
        talk = self.trial.talk
        levels = (
            f"{self.name}: the room's loudest reads {show_number(self.trial.room_loudest_db, 'dBFS')}, speech is at "
            f"{show_number(talk.speech_dbfs, 'dBFS')} on average, {show_number(talk.snr_db, 'dB')} over the room."
        )
        what = ("At which level does the gate open?", "At which level does it close?", "How long does it hold?")
        hints = (
            "Over the room's loudest, under the softest beginnings of words.",
            "Some 5 to 10 dB below the opening, and still over the room.",
            "As long as the gaps inside words.",
        )
        n = len(self.given)
        self.round = Round(f"{levels} {what[n]}", "number", unit="ms" if n == 2 else "dBFS", hint=hints[n])


def _gate(report: Report, task: Task, draw: random.Random, seed: int) -> Drill:
    strip = draw.choice(_strips(report))
    rate = report.show.sample_rate_hz
    sound = SimulatedRig(rate).play(report, strip.voice, strip.rung.node, seconds=TAKE_S)
    most = float(np.abs(sound).max(initial=0.0))
    if most <= 0:
        raise ValueError(f"{task.name}: nothing comes to {strip.name}")
    talk = segment_speech(key_of((sound * (0.3 / most)).astype(np.float32), rate))
    best = design(talk, like=Gate())
    drill = SetGate(
        task,
        of=1,
        expert_steps=1,
        trial=best.trial,
        best=best,
        name=f"{report.party_name(strip.voice)}, {strip.name}",
    )
    drill.ask()
    return drill


# by tapping


def expert_taps(model: TapModel, hidden: tuple[Fault, ...]) -> int:
    """How many taps find what is hidden, always the most telling next; all of them where it stays open."""
    seen: dict[tuple[int, int], Seen] = {}
    now = diagnose(model, seen)
    count = 0
    while (ask := now.next_tap()) is not None:
        seen = {**seen, **read_by(model, hidden, ask[0])}
        now = diagnose(model, seen)
        count += 1
        if now.ranked[0].has(*hidden):
            break
    return count


def choose_hidden(model: TapModel, draw: random.Random, count: int) -> tuple[Fault, ...]:
    """Faults to be found by tapping: such as some tap shows. Raises ValueError: no tap shows any."""
    shown = [row.faults[0] for row in model.suspects]
    if len(shown) < count:
        raise ValueError("no tap of this rig shows a fault")
    return tuple(draw.sample(shown, count))


_MADE: dict[str, Callable[[Report, Task, random.Random, int], Drill]] = {
    "line-up": _line_up,
    "mix-minus": _mixes,
    "ear": _by_ear,
    "ear-mix": _by_ear,
    "questions": _by_questions,
    "gate": _gate,
}
BY_TAPPING = ("tap", "tap-two")


def least_time(task: Task, drill: Drill) -> float:
    """What an expert takes, in s."""
    return math.ceil(drill.expert_steps * task.seconds)
