"""What a gate does to a take: words whose start, middle or end it eats, noise that it lets through, chatter."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.dynamics.audible import Audible, audible_of
from kymaphon.core.dynamics.envelope import Turns, gate_turns, passing
from kymaphon.core.dynamics.key import Levels
from kymaphon.core.dynamics.speech import SpeechSegments, detector_of
from kymaphon.core.figures import number
from kymaphon.core.model.processing import Gate

Floats = NDArray[np.float64]
MOST_KNOWN = 4096


@dataclass(frozen=True, slots=True)
class Eaten:
    """A word that a gate clips.

    Attributes:
        number: of the word, from 0.
        start_ms, middle_ms, end_ms: how much of it is lost where; lost is what the gate turns down by more than 10 dB.
        start_heard_ms, middle_heard_ms, end_heard_ms: the same as it is heard to be missing; see `audible`.
    """

    number: int
    at_s: float
    length_ms: float
    start_ms: float
    middle_ms: float
    end_ms: float
    start_heard_ms: float
    middle_heard_ms: float
    end_heard_ms: float

    @property
    def whole(self) -> bool:
        """Nothing of it is left."""
        return self.start_ms >= self.length_ms

    @property
    def part(self) -> str:
        """Which part of it is lost, in a word or two."""
        if self.whole:
            return "all of it"
        parts = {
            "start": self.start_heard_ms > number("gate-start-lost"),
            "middle": self.middle_heard_ms > number("gate-middle-lost"),
            "end": self.end_heard_ms > number("gate-end-lost"),
        }
        return " and ".join(name for name, lost in parts.items() if lost)

    @property
    def heard_ms(self) -> float:
        """What is heard to be missing of it, in milliseconds at its own level."""
        return self.start_heard_ms + self.middle_heard_ms + self.end_heard_ms

    @property
    def lost_ms(self) -> float:
        return self.length_ms if self.whole else self.start_ms + self.middle_ms + self.end_ms


@dataclass(frozen=True)
class Evaluation:
    """What a gate did.

    Attributes:
        gate: how it is set; None for no gate.
        words: how many there are.
        eaten: those that lose more than is let pass.
        onset_lost_ms: the longest start that any word loses.
        lost_ms: everything lost of all words, also of those that are let pass; `heard_lost_ms` as it is heard to be missing.
        held_open: the room can hold the gate open: its loudest reaches the closing threshold.
        noise_open_ratio: of the room alone (its own take, and the pauses), the share that the gate lets through, 0 to 1.
        chatter_per_min: how often in a minute of the take it opens again within a quarter of a second of shutting;
            `chatter` is how often in all.
        false_openings: openings with no word in them.
        open_s, shut_s: when it opened and shut in the take.
        snr_db: voice over room in it.
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
    heard_lost_ms: float = 0.0
    held_open: bool = False
    snr_db: float = 0.0

    @property
    def told(self) -> bool:
        """Whether the voice stands so far over the room that what is lost of it can be told."""
        return self.snr_db >= number("gate-works-snr")

    @property
    def works(self) -> bool:
        """That can be told, no word is eaten, the room cannot hold it open, and nearly no room comes through."""
        return (
            self.told
            and not self.words_clipped
            and not self.held_open
            and self.noise_open_ratio <= number("gate-noise-works") / 100
            and self.mark in ("tick", "note")
        )

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
            "audible_lost_ms": round(self.heard_lost_ms, 2),
            "held_open_by_room": self.held_open,
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
        filled_s: from when on the detector has heard as much as it looks at.
    """

    talk: SpeechSegments
    levels: Levels
    room: Levels
    step_s: float
    filled_s: float = 0.0

    @cached_property
    def words(self) -> Floats:
        """Words in steps; shape (words, 2)."""
        return np.array([(word.start_s, word.end_s) for word in self.talk.words]).reshape(-1, 2) / self.step_s

    @cached_property
    def audible(self) -> Audible:
        """How loud each moment of the words is against its word."""
        return audible_of(self.talk)

    @cached_property
    def room_loudest_db(self) -> float:
        """The highest that the detector reads of the room; the lowest reading where there is no room."""
        if len(self.room):
            return float(self.room.max())
        parts = [self.levels[round(a / self.step_s) : round(b / self.step_s)] for a, b in self.talk.room_s]
        return max((float(part.max()) for part in parts if len(part)), default=float(self.levels.min()))

    @cached_property
    def judged(self) -> NDArray[np.bool_]:
        """Which words are judged: not one that was being spoken before the detector had filled; shape (words,)."""
        return np.asarray(self.words[:, 0] * self.step_s >= self.filled_s)

    @cached_property
    def pauses(self) -> Floats:
        """Room alone, in steps; shape (pauses, 2): pauses without what rings after a word. All time without talk where no
        stretch of room was told.
        """
        if self.talk.room_s:
            return np.array(self.talk.room_s, dtype=np.float64) / self.step_s
        flat = [0.0, *(edge for span in self.talk.talk_s for edge in span), len(self.levels) * self.step_s]
        rows = np.array(flat).reshape(-1, 2) / self.step_s
        return np.asarray(rows[rows[:, 1] > rows[:, 0]], dtype=np.float64)

    def turns(self, gate: Gate) -> Turns:
        """When a gate opens and shuts on the take."""
        return self._turned(self.levels, "take", gate)

    @cached_property
    def _known(self) -> dict[tuple[str, float, float, float], Turns]:
        return {}

    def _turned(self, levels: Levels, which: str, gate: Gate) -> Turns:
        """Turns of thresholds and hold: attack and release change none, and are tried by the dozen."""
        key = (which, gate.open_db, gate.close_db, gate.hold_ms)
        if key not in self._known:
            if len(self._known) > MOST_KNOWN:
                self._known.clear()
            self._known[key] = gate_turns(levels, gate, self.step_s)
        return self._known[key]

    def judge(self, gate: Gate) -> Evaluation:
        """What a gate does to the take. Its detector and key filter are those that the trial was made with."""
        turned = self.turns(gate)
        starts, ends = passing(turned, gate, self.step_s, at_db=-number("gate-eaten-at"))
        a, b = self.words[:, 0], self.words[:, 1]
        onset, tail, covered = _coverage(starts, ends, a, b)
        length = b - a
        middle = np.maximum(length - covered - onset - tail, 0)
        ms = self.step_s * 1000
        heard = self._heard(starts, ends, onset, tail)
        tolerances = [number(f"gate-{part}-lost") for part in ("start", "middle", "end")]
        clipped = self.judged & (heard > tolerances).any(axis=1)
        eaten = tuple(
            Eaten(
                int(i),
                float(a[i]) * self.step_s,
                float(length[i]) * ms,
                float(onset[i]) * ms,
                float(middle[i]) * ms,
                float(tail[i]) * ms,
                *(float(part) for part in heard[i]),
            )
            for i in np.flatnonzero(clipped)
        )
        noise, quiet = self._noise(gate, starts, ends)
        again = turned.opened[1:] - turned.shut[:-1] < number("gate-chatter-within") / 1000 / self.step_s
        minutes = len(self.levels) * self.step_s / 60
        false = _without(turned, self.words) + (
            len(self._turned(self.room, "room", gate).opened) if len(self.room) else 0
        )
        lost = float(np.maximum(length - covered, 0)[self.judged].sum()) * ms
        first = float(onset[self.judged].max(initial=0)) * ms
        return Evaluation(
            gate,
            len(self.words),
            eaten,
            first,
            lost,
            noise / quiet if quiet else 0.0,
            float(again.sum()) / minutes if minutes else 0.0,
            false,
            np.asarray(turned.opened * self.step_s, dtype=np.float64),
            np.asarray(turned.shut * self.step_s, dtype=np.float64),
            int(again.sum()),
            float(heard[self.judged].sum()),
            bool(gate.close_db <= self.room_loudest_db and gate.range_db > 0),
            self.talk.snr_db,
        )

    def _heard(self, starts: Floats, ends: Floats, onset: Floats, tail: Floats) -> Floats:
        """What is heard to be missing at each word's start, in its middle and at its end, in ms; shape (words, 3)."""
        a, b = self.words[:, 0], self.words[:, 1]
        if not len(a):
            return np.zeros((0, 3))
        heard, step = self.audible.at, self.step_s
        begin, end = heard(a * step), heard(b * step)
        start = heard((a + onset) * step) - begin
        final = end - heard((b - tail) * step)
        # In the middle every hole is heard by itself: the worst one counts, not their sum over a long word.
        middle = np.zeros(len(a))
        if len(starts) > 1:
            first, last = ends[:-1], starts[1:]
            word = np.searchsorted(a, first, side="right") - 1
            inside = (word >= 0) & (last <= b[np.maximum(word, 0)])
            holes = heard(last * step) - heard(first * step)
            np.maximum.at(middle, word[inside], holes[inside])
        return np.stack((start, middle, final), axis=1)

    def _noise(self, gate: Gate, starts: Floats, ends: Floats) -> tuple[float, float]:
        """Steps of room alone in which the gate lets through, and all of them."""
        rows = self.pauses
        open_ = float((_passed(starts, ends, rows[:, 1]) - _passed(starts, ends, rows[:, 0])).sum())
        quiet = float((rows[:, 1] - rows[:, 0]).sum())
        if len(self.room):
            turned = self._turned(self.room, "room", gate)
            first, last = passing(turned, gate, self.step_s, at_db=-number("gate-eaten-at"))
            open_ += float((np.maximum(last, 0) - np.maximum(first, 0)).sum())
            quiet += len(self.room)
        return open_, quiet

    def without_gate(self) -> Evaluation:
        """What no gate at all does: it eats nothing and lets all noise through."""
        return Evaluation(
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


def trial_of(talk: SpeechSegments, gate: Gate, *, coarse: int = 1) -> Trial:
    """A take made ready for gates with the detector of this one.

    Args:
        coarse: steps taken together, of which the highest counts: for long takes.
    """
    levels = detector_of(talk.key, gate.detector, gate.detector_ms)
    room = detector_of(talk.room_key, gate.detector, gate.detector_ms) if talk.own_room else levels[:0]
    filled_s = (gate.detector_ms + gate.look_ahead_ms) / 1000
    return Trial(talk, _coarse(levels, coarse), _coarse(room, coarse), talk.key.step_s * coarse, filled_s)


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
