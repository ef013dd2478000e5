"""Finds a gate for a take: thresholds and times that cost least by what the operator prefers; margins; what else would help.

The cost of a setting is a weighted sum of words eaten, what is heard to be missing, room let through, chatter, and how far the
two thresholds come near the room and the quietest word. It is no smooth function, and has many hollows: all thresholds are
tried, and what is best is gone on from, value by value over its whole range and in pairs. The tests hold it against a plain grid.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.evaluation import Evaluation, Trial, trial_of
from kymaphon.core.dynamics.speech import SpeechSegments
from kymaphon.core.figures import data_table, number
from kymaphon.core.model.processing import Gate

Preference = Literal["never-eat", "balanced", "keep-silent"]
PREFERENCES: tuple[Preference, ...] = ("never-eat", "balanced", "keep-silent")
LONG_STEPS = 480_000
"""A take of more steps than this, two minutes, is tried in steps taken together."""
TOO_MUCH = 20.0
"""More room let through than works counts so much heavier."""
BEYOND_DB = 3.0
"""Thresholds are tried from so far under the room's loudest to so far over the quietest word."""
STRIDES_DB = (0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0, 12.0)
FEW, APART_DB = 5, 3.0
"""How many of the best thresholds are gone on from, and how far apart they are."""
Setting = tuple[float, float, int, int, int]
"""Opening threshold, distance to the closing one, and the places of attack, hold and release among their values."""
TRIFLE = 0.05
"""Cost of a time that is 2.7 times the usual, or a part of it."""


def preference_of(preference: str) -> dict[str, Any]:
    """A preference's data.

    Raises:
        KeyError: there is none of that name.
    """
    for row in data_table("gates")["preferences"]:
        if row["id"] == preference:
            return dict(row)
    raise KeyError(preference)


@dataclass(frozen=True)
class Design:
    """A gate found for a take.

    Attributes:
        trial: the take, ready for other settings to be tried beside this one.
        room_loudest_db: the highest that the detector reads of the room.
        word_quietest_db: the highest that it reads of the word where that is lowest; `quietest` is its number.
        expander: the same gate with little range, offered where a gate cannot do it; None where it can.
        notes: in words, why it does not do, and what would.
    """

    talk: SpeechSegments
    trial: Trial
    preference: Preference
    gate: Gate
    verdict: Evaluation
    room_loudest_db: float
    word_quietest_db: float
    quietest: int
    expander: Evaluation | None
    notes: tuple[str, ...]

    @property
    def works(self) -> bool:
        """Whether its gate does; see `Evaluation.works`."""
        return self.verdict.works

    def margins(self, gate: Gate | None = None) -> tuple[Derived, ...]:
        """Room to opening, quietest word to opening, room to closing: how far each is from going wrong."""
        at = gate or self.gate
        return _margins(at, self.room_loudest_db, self.word_quietest_db, self.quietest, self.talk)

    @cached_property
    def schools(self) -> tuple[tuple[str, str, str, Evaluation], ...]:
        """What each school's values do to this very take: id, name, source, verdict."""
        rows = []
        for row in data_table("gates")["schools"]:
            open_db = row.get("open_db", self.gate.open_db)
            close_db = open_db - row["between_db"] if "between_db" in row else self.gate.close_db
            gate = self.gate.with_(
                open_db=open_db,
                close_db=close_db,
                attack_ms=row["attack_ms"],
                hold_ms=row["hold_ms"],
                release_ms=row["release_ms"],
                range_db=row["range_db"],
                look_ahead_ms=0.0,
            )
            rows.append((row["id"], row["name"], row["source"], self.trial.judge(gate)))
        rows.append(("none", "No gate", "", self.trial.without_gate()))
        return tuple(rows)


def extremes(talk: SpeechSegments, trial: Trial) -> tuple[float, float, int]:
    """The loudest of the room and the quietest word as a detector reads them, and that word's number."""
    levels, room = trial.levels, trial.room_loudest_db
    # A window's length after a word its detector still reads the word.
    peaks = [float(levels[int(a) : max(int(b), int(a) + 1)].max()) for a, b in trial.words]
    quietest = int(np.argmin(peaks))
    return room, peaks[quietest], quietest


def _margins(gate: Gate, room: float, word: float, quietest: int, talk: SpeechSegments) -> tuple[Derived, ...]:
    at = talk.words[quietest].start_s
    what = f"{gate.detector} detector, {gate.detector_ms:g} ms"
    opening = Derived("opening threshold", gate.open_db, "dBFS", source="setting")
    loudest = Derived("less the room's loudest", -room, "dB", source=f"{what}; {room:.1f} dBFS".replace("-", "\u2212"))
    return (
        Derived("room to opening", gate.open_db - room, "dB", terms=(opening, loudest), adds=True),
        Derived(
            "quietest word over opening",
            word - gate.open_db,
            "dB",
            terms=(
                Derived("quietest word", word, "dBFS", source=f"word {quietest + 1}, at {at:.1f} s; {what}"),
                Derived("less the opening threshold", -gate.open_db, "dB", source="setting"),
            ),
            adds=True,
        ),
        Derived(
            "room to closing",
            gate.close_db - room,
            "dB",
            terms=(Derived("closing threshold", gate.close_db, "dBFS", source="setting"), loudest),
            adds=True,
            source="below nothing, the room can hold the gate open",
        ),
    )


def design(
    talk: SpeechSegments,
    preference: Preference = "balanced",
    *,
    like: Gate | None = None,
    range_db: float | None = None,
    progress: Callable[[float], bool] | None = None,
) -> Design:
    """The gate that costs least.

    Args:
        like: a gate whose detector, key filter and look-ahead are kept; None tries each detector of `DETECTORS` and takes
            the better.
        range_db: wanted range; None takes the preference's.
        progress: called with the part done; returning False gives what is found so far.

    Raises:
        KeyError: no such preference.
    """
    bases = (like,) if like is not None else DETECTORS
    found: list[tuple[bool, float, Design]] = []
    for i, base in enumerate(bases):

        def step(part: float, done: int = i) -> bool:
            return progress is None or progress((done + part) / len(bases))

        made, cost = _designed(talk, preference, base, range_db, step)
        found.append((not made.works, cost, made))
    return min(found, key=lambda row: row[:2])[2]


DETECTORS = (Gate(), Gate(detector="rms", detector_ms=5.0))


def _designed(
    talk: SpeechSegments,
    preference: Preference,
    like: Gate,
    range_db: float | None,
    progress: Callable[[float], bool] | None,
) -> tuple[Design, float]:
    """The gate that costs least with one detector, and what it costs."""
    data = preference_of(preference)
    weights: dict[str, float] = data["weights"]
    base = like.with_(range_db=data["range_db"] if range_db is None else range_db)
    coarse = max(1, round(len(talk.key.peak) / LONG_STEPS))
    trial = trial_of(talk, base, coarse=coarse)
    room, word, quietest = extremes(talk, trial)
    search = _Search(trial, base, weights, room, word)
    gate = search.gate(search.run(progress))
    fine = trial if coarse == 1 else trial_of(talk, gate)
    verdict = fine.judge(gate)
    expander = None
    if not verdict.works:
        # A little range hurts no word, and still lowers the room.
        expander = fine.judge(gate.with_(range_db=float(data_table("gates")["expander"]["range_db"])))
    bare = Design(talk, fine, preference, gate, verdict, room, word, quietest, expander, ())
    notes = (*talk.notes, *_advice(bare))
    made = Design(talk, fine, preference, gate, verdict, room, word, quietest, expander, notes)
    return made, cost_of(verdict, gate, weights, room, word, search.wanted)


@dataclass(frozen=True)
class Option:
    """Something that a unit may have, tried: what it buys.

    Attributes:
        id: detector, look-ahead or key-low-cut.
        label: what is changed, as an operator would say it.
        design: the gate found with it.
        text: what it buys against the gate found without it.
    """

    id: str
    label: str
    design: Design
    text: str


def options_of(found: Design, *, range_db: float | None = None) -> tuple[Option, ...]:
    """Another detector, and looking ahead, each tried on the same take."""
    gate = found.gate
    other = next(row for row in DETECTORS if row.detector != gate.detector)
    ahead = number("gate-look-ahead")
    rows = [
        (
            "detector",
            f"{other.detector} detector",
            gate.with_(detector=other.detector, detector_ms=other.detector_ms),
        )
    ]
    if gate.look_ahead_ms < ahead:
        rows.append(("look-ahead", f"{ahead:g} ms of look-ahead", gate.with_(look_ahead_ms=ahead)))
    out = []
    for id_, label, like in rows:
        made, _ = _designed(found.talk, found.preference, like, range_db, None)
        late = f"; the sound is {ahead:g} ms later" if id_ == "look-ahead" else ""
        out.append(Option(id_, label, made, what_it_buys(found, made) + late))
    return tuple(out)


def key_option(found: Design, keyed: SpeechSegments, corner_hz: float, *, range_db: float | None = None) -> Option:
    """A low cut in the key, tried.

    Args:
        keyed: the same take, its key behind that low cut.
    """
    made, _ = _designed(keyed, found.preference, found.gate.with_(key_low_hz=corner_hz), range_db, None)
    label = f"a low cut at {show_number(corner_hz, 'Hz')} in the key"
    return Option("key-low-cut", label, made, what_it_buys(found, made))


def what_it_buys(found: Design, other: Design) -> str:
    """What another gate does better and worse, in words eaten, what is heard to be missing, room let through and margin."""
    before, after = found.verdict, other.verdict
    parts = []
    if after.words_clipped != before.words_clipped:
        parts.append(f"{after.words_clipped} instead of {before.words_clipped} words eaten")
    missing = after.heard_lost_ms - before.heard_lost_ms
    if abs(missing) >= 1:
        parts.append(
            f"{show_number(abs(missing), 'ms')} {'less' if missing < 0 else 'more'} of the words is heard to be missing"
        )
    if abs(after.noise_open_ratio - before.noise_open_ratio) >= 0.005:
        parts.append(f"{after.noise_open_ratio:.0%} instead of {before.noise_open_ratio:.0%} of the room let through")
    apart = (other.word_quietest_db - other.room_loudest_db) - (found.word_quietest_db - found.room_loudest_db)
    if abs(apart) >= 0.5:
        parts.append(
            f"the quietest word {show_number(abs(apart), 'dB')} {'further over' if apart > 0 else 'nearer to'} the room"
        )
    if other.works != found.works:
        parts.insert(0, "then it works" if other.works else "then it does not work")
    return "; ".join(parts) if parts else "buys nothing here"


class _Search:
    """Over opening threshold, distance to the closing one, attack, hold, release.

    The cost has many hollows, so the whole range of thresholds is tried first, with short and with long times; from the best
    few, each value in turn is tried over its whole range, then in the pairs that trade with each other, until nothing is better.
    """

    def __init__(self, trial: Trial, base: Gate, weights: dict[str, float], room: float, word: float) -> None:
        bounds = data_table("gates")["bounds"]
        self.trial, self.base, self.weights, self.room, self.word = trial, base, weights, room, word
        low, high = bounds["between_db"]
        self.between = [low + 0.5 * i for i in range(round((high - low) / 0.5) + 1)]
        self.times: tuple[list[float], ...] = (bounds["attack_ms"], bounds["hold_ms"], bounds["release_ms"])
        self.wanted = float(data_table("gates")["margin_wanted_db"])
        self.known: dict[Setting, float] = {}

    def gate(self, at: Setting) -> Gate:
        open_db, between, attack, hold, release = at
        return self.base.model_copy(
            update={
                "open_db": round(open_db, 1),
                "close_db": round(open_db - between, 1),
                "attack_ms": self.times[0][attack],
                "hold_ms": self.times[1][hold],
                "release_ms": self.times[2][release],
            }
        )

    def cost(self, at: Setting) -> float:
        """What a setting costs."""
        if at not in self.known:
            gate = self.gate(at)
            self.known[at] = cost_of(self.trial.judge(gate), gate, self.weights, self.room, self.word, self.wanted)
        return self.known[at]

    def run(self, progress: Callable[[float], bool] | None) -> Setting:
        """The setting that costs least."""
        seeds = self._seeds()
        if progress is not None and not progress(0.3):
            return seeds[0]
        best = seeds[0]
        for i, seed in enumerate(seeds):
            found = self._descend(seed)
            if self.cost(found) < self.cost(best) - 1e-9:
                best = found
            if progress is not None and not progress(0.3 + 0.7 * (i + 1) / len(seeds)):
                break
        return best

    def _seeds(self) -> list[Setting]:
        """The best of all thresholds, with middle and with long times, no two of them close together."""
        lowest, highest = (
            math.floor(self.room - BEYOND_DB),
            math.ceil(max(self.word, self.room + 1.0) + BEYOND_DB),
        )
        count = len(self.times[1]), len(self.times[2])
        times = [(2, round(part * (count[0] - 1)), round(part * (count[1] - 1))) for part in (0.25, 0.5, 0.85)]
        rows = [
            self._within((float(open_db), between, *row))
            for open_db in range(lowest, highest + 1)
            for between in (self.between[0], self.between[-1])
            for row in times
        ]
        kept: list[Setting] = []
        for row in sorted(set(rows), key=self.cost):
            if all(abs(row[0] - other[0]) >= APART_DB or row[3] != other[3] for other in kept):
                kept.append(row)
            if len(kept) == FEW:
                break
        return kept

    def _descend(self, at: Setting) -> Setting:
        while True:
            before = self.cost(at)
            for near in (self._along(at, axis) for axis in range(5)):
                at = min((at, *near), key=self.cost)
            if self.cost(at) < before - 1e-9:
                continue
            for pairs in (self._times(at), self._thresholds(at), self._threshold_and_hold(at)):
                at = min((at, *pairs), key=self.cost)
            if self.cost(at) >= before - 1e-9:
                return at

    def _along(self, at: Setting, axis: int) -> Iterator[Setting]:
        """Every value of one axis; of the opening threshold those around."""
        if axis == 0:
            for stride in STRIDES_DB:
                for way in (stride, -stride):
                    yield self._within((at[0] + way, *at[1:]))
        elif axis == 1:
            for between in self.between:
                yield (at[0], between, *at[2:])
        else:
            for place in range(len(self.times[axis - 2])):
                row = list(at)
                row[axis] = place
                yield self._within(tuple(row))

    def _times(self, at: Setting) -> Iterator[Setting]:
        for hold in range(len(self.times[1])):
            for release in range(len(self.times[2])):
                yield (*at[:3], hold, release)

    def _thresholds(self, at: Setting) -> Iterator[Setting]:
        for open_db in np.arange(-2.0, 2.01, 0.5):
            for between in self.between:
                yield self._within((at[0] + float(open_db), between, *at[2:]))

    def _threshold_and_hold(self, at: Setting) -> Iterator[Setting]:
        for open_db in np.arange(-3.0, 3.01, 1.0):
            for hold in range(len(self.times[1])):
                yield self._within((at[0] + float(open_db), *at[1:3], hold, at[4]))

    def _within(self, at: tuple[Any, ...]) -> Setting:
        open_db = min(max(round(at[0] * 2) / 2, -130.0), 0.0)
        return (open_db, float(at[1]), int(at[2]), int(at[3]), int(at[4]))


def cost_of(
    verdict: Evaluation,
    gate: Gate,
    weights: dict[str, float],
    room_db: float,
    word_db: float,
    wanted_db: float,
) -> float:
    """What a verdict costs by the weights of a preference: no unit, less is better.

    Words eaten and what is heard to be missing count per word (100 ms of each word missing at its loudness is 1), the room by
    its share of the time,
    chatter by tens a minute, margins by the square of what they lack. A gate that the room can hold open costs by itself, the more the further it
    closes under the room's loudest. Odd times cost a trifle, so that of equal settings
    the one nearest to the usual is found.
    """
    words = max(verdict.words, 1)
    # A margin that cannot be had on either side is shared.
    lacks = sum(max(0.0, wanted_db - have) ** 2 for have in (gate.open_db - room_db, word_db - gate.open_db))
    enough = number("gate-noise-works") / 100
    usual = data_table("gates")["bounds"]["usual_ms"]
    times = (gate.attack_ms, gate.hold_ms, gate.release_ms)
    trifle = TRIFLE * sum(abs(math.log(max(have, 0.1) / middle)) for have, middle in zip(times, usual, strict=True))
    return (
        weights["eaten"] * verdict.words_clipped / words
        + weights["lost"] * verdict.heard_lost_ms / words / 100
        + weights["noise"] * (verdict.noise_open_ratio + TOO_MUCH * max(0.0, verdict.noise_open_ratio - enough))
        + (weights["held"] * (1 + (room_db - gate.close_db) / 10) if verdict.held_open else 0.0)
        + weights["chatter"] * verdict.chatter_per_min / 10
        + weights["margin"] * lacks
        + trifle
    )


def _advice(found: Design) -> tuple[str, ...]:
    """What is tight, or does not work, and what would help, each with its figure."""
    wanted = float(data_table("gates")["margin_wanted_db"])
    apart = found.word_quietest_db - found.room_loudest_db
    lacking = 2 * wanted - apart
    notes = []
    verdict = found.verdict
    if lacking > 0:
        nearer = 10 ** (-lacking / 20)
        notes.append(
            f"The quietest word is {show_number(apart, 'dB')} over the room's loudest; {show_number(2 * wanted, 'dB')} would "
            f"leave {show_number(wanted, 'dB')} on both sides of the threshold. Nearer, at {nearer:.0%} of the distance, or "
            f"{show_number(lacking, 'dB')} less noise at the microphone, gives it; more gain does not."
        )
    if not found.verdict.told:
        notes.append(
            f"The voice is {show_number(found.talk.snr_db, 'dB')} over the room. Under {number('gate-works-snr'):.0f} dB whole syllables lie in it: "
            "what a gate loses of them cannot be told, and no gate is said to work."
        )
    if verdict.words_clipped:
        notes.append(
            f"No setting tried keeps all {verdict.words} words whole with this preference: {verdict.words_clipped} lose more "
            "than is let pass."
        )
    if found.expander is not None and found.expander.gate is not None:
        least = found.expander.gate.range_db
        notes.append(
            f"An expander instead: the same thresholds with a range of {show_number(least, 'dB')} lower the room by as much "
            f"and eat {found.expander.words_clipped} of {verdict.words} words."
        )
    return tuple(notes)
