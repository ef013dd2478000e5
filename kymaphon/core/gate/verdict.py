"""What a gate does to a take: words whose start, middle or end it eats, noise that it lets through, chatter."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.figures import number
from kymaphon.core.gate.key import Levels
from kymaphon.core.gate.machine import Turns, gate_turns, passing
from kymaphon.core.gate.settings import Gate
from kymaphon.core.gate.talk import Talk, detector_of

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Eaten:
    """A word that a gate clips.

    Attributes:
        number: of the word, from 0.
        start_ms, middle_ms, end_ms: how much of it is lost where; lost is what the gate turns down by more than 10 dB.
    """

    number: int
    at_s: float
    length_ms: float
    start_ms: float
    middle_ms: float
    end_ms: float

    @property
    def whole(self) -> bool:
        """Nothing of it is left."""
        return self.start_ms >= self.length_ms

    @property
    def part(self) -> str:
        """Which part of it is lost, in a word or two."""
        if self.whole:
            return "all of it"
        parts = {"start": self.start_ms > number("gate-start-lost"), "middle": self.middle_ms > number("gate-middle-lost"), "end": self.end_ms > number("gate-end-lost")}  # fmt: skip
        return " and ".join(name for name, lost in parts.items() if lost)

    @property
    def lost_ms(self) -> float:
        return self.length_ms if self.whole else self.start_ms + self.middle_ms + self.end_ms


@dataclass(frozen=True)
class Verdict:
    """What a gate did.

    Attributes:
        gate: how it is set; None for no gate.
        words: how many there are.
        eaten: those that lose more than is let pass.
        onset_lost_ms: the longest start that any word loses.
        lost_ms: everything lost of all words, also of those that are let pass.
        noise_open_ratio: of the time without talk, the share in which the gate lets the room through, 0 to 1.
        chatter_per_min: how often in a minute of the take it opens again within a quarter of a second of shutting;
            `chatter` is how often in all.
        false_openings: openings with no word in them.
        open_s, shut_s: when it opened and shut in the take.
    """

    gate: Gate | None
    words: int
    eaten: tuple[Eaten, ...]
    onset_lost_ms: float
    lost_ms: float
    noise_open_ratio: float
    chatter_per_min: float
    false_openings: int
    open_s: Floats
    shut_s: Floats
    chatter: int = 0

    @property
    def words_clipped(self) -> int:
        return len(self.eaten)

    @property
    def mark(self) -> str:
        """How bad it is: a severity, or `tick`."""
        if self.words and self.words_clipped > self.words * number("gate-many-eaten") / 100:
            return "stop"
        # In a short take a single time is many a minute.
        if self.words_clipped or (self.chatter > 2 and self.chatter_per_min > number("gate-chatter-most")):
            return "fix"
        return "note" if self.noise_open_ratio > number("gate-noise-most") / 100 else "tick"

    def figures_json(self) -> dict[str, Any]:
        return {
            "words": self.words,
            "words_clipped": self.words_clipped,
            "onset_lost_ms": round(self.onset_lost_ms, 2),
            "lost_ms": round(self.lost_ms, 2),
            "noise_open_ratio": round(self.noise_open_ratio, 4),
            "chatter_per_min": round(self.chatter_per_min, 3),
            "false_openings": self.false_openings,
        }


@dataclass(frozen=True)
class Trial:
    """A take made ready for trying gates on it.

    Attributes:
        levels, room: the detector on the take and on the room's own take; `room` is empty without one.
        step_s: length of a step of both.
    """

    talk: Talk
    levels: Levels
    room: Levels
    step_s: float

    @cached_property
    def words(self) -> Floats:
        """Words in steps; shape (words, 2)."""
        return np.array([(word.start_s, word.end_s) for word in self.talk.words]).reshape(-1, 2) / self.step_s

    @cached_property
    def pauses(self) -> Floats:
        """Time without talk, in steps; shape (pauses, 2)."""
        flat = [0.0, *(edge for span in self.talk.talk_s for edge in span), len(self.levels) * self.step_s]
        rows = np.array(flat).reshape(-1, 2) / self.step_s
        return np.asarray(rows[rows[:, 1] > rows[:, 0]], dtype=np.float64)

    def turns(self, gate: Gate) -> Turns:
        """When a gate opens and shuts on the take."""
        return gate_turns(self.levels, gate, self.step_s)

    def judge(self, gate: Gate) -> Verdict:
        """What a gate does to the take. Its detector and key filter are those that the trial was made with."""
        turned = self.turns(gate)
        starts, ends = passing(turned, gate, self.step_s, at_db=-number("gate-eaten-at"))
        a, b = self.words[:, 0], self.words[:, 1]
        onset, tail, covered = _coverage(starts, ends, a, b)
        length = b - a
        middle = np.maximum(length - covered - onset - tail, 0)
        ms = self.step_s * 1000
        clipped = (
            (onset * ms > number("gate-start-lost"))
            | (tail * ms > number("gate-end-lost"))
            | (middle * ms > number("gate-middle-lost"))
        )
        eaten = tuple(
            Eaten(int(i), float(a[i]) * self.step_s, float(length[i]) * ms, float(onset[i]) * ms, float(middle[i]) * ms, float(tail[i]) * ms)
            for i in np.flatnonzero(clipped)
        )  # fmt: skip
        noise, quiet = self._noise(gate, starts, ends)
        again = turned.opened[1:] - turned.shut[:-1] < number("gate-chatter-within") / 1000 / self.step_s
        minutes = len(self.levels) * self.step_s / 60
        false = _without(turned, self.words) + (
            len(gate_turns(self.room, gate, self.step_s).opened) if len(self.room) else 0
        )
        lost = float(np.maximum(length - covered, 0).sum()) * ms
        return Verdict(
            gate, len(self.words), eaten, float(onset.max(initial=0)) * ms, lost, noise / quiet if quiet else 0.0,
            float(again.sum()) / minutes if minutes else 0.0, false, np.asarray(turned.opened * self.step_s, dtype=np.float64), np.asarray(turned.shut * self.step_s, dtype=np.float64),
            int(again.sum()),
        )  # fmt: skip

    def _noise(self, gate: Gate, starts: Floats, ends: Floats) -> tuple[float, float]:
        """Steps without talk in which the gate lets through, and all of them."""
        rows = self.pauses
        open_ = float((_passed(starts, ends, rows[:, 1]) - _passed(starts, ends, rows[:, 0])).sum())
        quiet = float((rows[:, 1] - rows[:, 0]).sum())
        if len(self.room):
            first, last = passing(
                gate_turns(self.room, gate, self.step_s), gate, self.step_s, at_db=-number("gate-eaten-at")
            )
            open_ += float((np.maximum(last, 0) - np.maximum(first, 0)).sum())
            quiet += len(self.room)
        return open_, quiet

    def without_gate(self) -> Verdict:
        """What no gate at all does: it eats nothing and lets all noise through."""
        return Verdict(
            None,
            len(self.words),
            (),
            0.0,
            0.0,
            1.0,
            0.0,
            0,
            np.zeros(1),
            np.array([len(self.levels) * self.step_s]),
        )


def trial_of(talk: Talk, gate: Gate, *, coarse: int = 1) -> Trial:
    """A take made ready for gates with the detector of this one.

    Args:
        coarse: steps taken together, of which the highest counts: for long takes.
    """
    levels = detector_of(talk.key, gate.detector, gate.detector_ms)
    room = detector_of(talk.room_key, gate.detector, gate.detector_ms) if talk.own_room else levels[:0]
    return Trial(talk, _coarse(levels, coarse), _coarse(room, coarse), talk.key.step_s * coarse)


def _coarse(levels: Levels, by: int) -> Levels:
    if by <= 1:
        return levels
    whole = len(levels) // by
    return np.asarray(levels[: whole * by].reshape(whole, by).max(axis=1))


def _passed(starts: Floats, ends: Floats, at: Floats) -> Floats:
    """How long, up to some times, the gate has let through."""
    if not len(starts):
        return np.zeros(len(at))
    lengths = np.concatenate(([0.0], np.cumsum(ends - starts)))
    place = np.searchsorted(starts, at, side="right")
    before = lengths[place]
    inside = np.where(place > 0, np.maximum(ends[np.maximum(place - 1, 0)] - at, 0), 0)
    return np.asarray(before - inside)


def _coverage(starts: Floats, ends: Floats, a: Floats, b: Floats) -> tuple[Floats, Floats, Floats]:
    """What is lost at the start of each word and at its end, and how much of it is let through."""
    if not len(a):
        return np.zeros(0), np.zeros(0), np.zeros(0)
    if not len(starts):
        return b - a, np.zeros(len(a)), np.zeros(len(a))
    covered = _passed(starts, ends, b) - _passed(starts, ends, a)
    nothing = covered <= 0
    after = np.searchsorted(ends, a, side="right")
    begins = np.where(after < len(starts), starts[np.minimum(after, len(starts) - 1)], np.inf)
    onset = np.clip(begins - a, 0, b - a)
    before = np.searchsorted(starts, b, side="left") - 1
    finished = np.where(before >= 0, ends[np.maximum(before, 0)], -np.inf)
    tail = np.clip(b - finished, 0, b - a)
    return np.where(nothing, b - a, onset), np.where(nothing, 0.0, tail), covered


def _without(turned: Turns, words: Floats) -> int:
    """Openings with no word in them."""
    if not len(turned.opened):
        return 0
    if not len(words):
        return len(turned.opened)
    began = np.searchsorted(words[:, 0], turned.shut, side="left")
    over = np.searchsorted(words[:, 1], turned.opened, side="right")
    return int((began <= over).sum())
