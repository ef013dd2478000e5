"""Which fault explains what was seen: every single fault and every pair, by Bayes' rule over all observations so far.

What is seen of one tap at one meter is *moved*, *silent*, or a reading below what it should show. Readings are off by a spread, and a
few in a hundred are misread altogether (`core/data/prove.json`): nothing that was seen is ever left out or averaged away; what cannot
be explained without a misreading is told as such. The next tap is the one whose outcome is expected to take away most of what is
still open: the mutual information of fault and outcome (Lindley 1956; Shannon 1948).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.prove.faults import Fault, reading_figure
from kymaphon.core.prove.model import SHOWN_DB, Suspect, TapModel

Floats = NDArray[np.float64]
MOVED, SILENT = "moved", "silent"
Seen = str | float
"""`moved`, `silent`, or a reading in dB below (negative) what the meter should show."""
Observations = Mapping[tuple[int, int], Seen]
"""(tap, meter) -> what was seen, by their places in the model."""
UNLIKELY = math.log(0.2)
MOST_PAIRS = 2000
"""Of pairs of faults so many are weighed in full: those that the single ones suggest."""
OFF_DB = reading_figure("off")
"""What is off by more is seen to be."""
EDGE_SPREADS = 2.5
"""So many spreads of a reading to either side of the edge a meter may or may not be seen to move."""
DEEPEST_DB = -60.0
"""A level far below what is seen is as good as none."""


@dataclass(frozen=True, slots=True)
class Tolerances:
    """How well a meter is read.

    Attributes:
        spread_db: standard deviation of a reading, and of where a meter begins to move.
        misread: how many of all observations are simply wrong.
    """

    spread_db: float
    misread: float


def tolerances() -> Tolerances:
    """Those of the house."""
    return Tolerances(reading_figure("spread_db"), reading_figure("misread"))


@dataclass(frozen=True, slots=True)
class Hypothesis:
    """A way in which the rig may stand: as planned (nothing suspected), or with one or two faults.

    Attributes:
        suspects: what is wrong; each is all faults that no tap tells from each other.
        explains: how many of the observations it explains, and `misread` those that it takes for misread.
    """

    suspects: tuple[Suspect, ...]
    chance: float
    explains: int = 0
    misread: tuple[tuple[int, int], ...] = ()

    @property
    def label(self) -> str:
        return "; and ".join(row.label for row in self.suspects) or "Everything as planned"

    def has(self, *faults: Fault) -> bool:
        """Whether it is just these faults, or ones that no tap tells from them."""
        if len(faults) != len(self.suspects):
            return False
        one, other = (self.suspects, tuple(reversed(self.suspects)))
        return any(all(f in s.faults for f, s in zip(faults, row, strict=True)) for row in (one, other))


@dataclass(frozen=True)
class Diagnosis:
    """What is known after some observations.

    Attributes:
        ranked: hypotheses from the likeliest down.
        open_bits: how much is still open, in bits.
    """

    model: TapModel
    seen: Observations
    ranked: tuple[Hypothesis, ...]
    chances: Floats = field(repr=False)
    patterns: Floats = field(repr=False)

    @cached_property
    def open_bits(self) -> float:
        """-sum p log2 p over everything that may be."""
        return entropy_bits(self.chances)

    @property
    def fine(self) -> float:
        """How likely it is that everything is as planned."""
        return next((row.chance for row in self.ranked if not row.suspects), 0.0)

    @property
    def found(self) -> bool:
        """Whether one explanation with a fault in it has more than all others together."""
        return bool(self.seen) and bool(self.ranked[0].suspects) and self.ranked[0].chance > 0.5

    @property
    def contradicting(self) -> tuple[tuple[int, int], ...]:
        """Observations that even the likeliest hypothesis takes for misread."""
        return self.ranked[0].misread if self.ranked else ()

    def worth_bits(self, tap: int) -> float:
        """How much of what is open a tap is expected to settle, all of its meters read."""
        return information_bits(self.chances, self.patterns[:, tap], self.model.planned[tap], tolerances())

    def next_tap(self) -> tuple[int, float] | None:
        """The tap that settles most, and how many bits; None when every tap was made."""
        done = {tap for tap, _ in self.seen}
        left = [(self.worth_bits(k), -k) for k in range(len(self.model.taps)) if k not in done]
        if not left:
            return None
        worth, place = max(left)
        return -place, worth


def entropy_bits(chances: Floats) -> float:
    """Entropy of chances that add up to 1, in bits (Shannon 1948).

    >>> entropy_bits(np.array([0.5, 0.25, 0.25]))
    1.5
    """
    kept = chances[chances > 0]
    return float(-(kept * np.log2(kept)).sum())


def moves_chance(below: Floats, given: Tolerances) -> Floats:
    """How likely a meter is seen to move at levels below what it should show; any shape. A logistic curve, which lies within 0.01 of
    the normal distribution's with the factor 1.702 (common practice in item response theory; from memory).
    """
    z = (np.maximum(below, DEEPEST_DB) - SHOWN_DB) / given.spread_db
    return np.asarray(given.misread / 2 + (1 - given.misread) / (1 + np.exp(-1.702 * z)))


@dataclass(frozen=True)
class _Seen:
    """Observations as arrays: where, and what; shapes (observations,). `reading` is not a number where none was read."""

    taps: NDArray[np.intp]
    meters: NDArray[np.intp]
    moved: NDArray[np.bool_]
    reading: Floats

    @classmethod
    def of(cls, seen: Observations) -> _Seen:
        cells = list(seen)
        what = list(seen.values())
        return cls(
            np.array([row[0] for row in cells], dtype=np.intp),
            np.array([row[1] for row in cells], dtype=np.intp),
            np.array([row == MOVED for row in what], dtype=bool),
            np.array([math.nan if isinstance(row, str) else row for row in what], dtype=float),
        )

    def log_likelihood(self, levels: Floats, given: Tolerances) -> Floats:
        """Logarithm of how likely each observation is; levels of shape (H, taps, meters), result (H, observations)."""
        below = levels[:, self.taps, self.meters]
        moves = moves_chance(below, given)
        spread = given.spread_db
        read = ~np.isnan(self.reading)
        z = (np.maximum(below, DEEPEST_DB) - np.where(read, self.reading, 0.0)) / spread
        density = np.exp(-(z**2) / 2) / (spread * math.sqrt(2 * math.pi))
        shown = below > SHOWN_DB - spread
        # A misread reading is anything that the meter can show, of 60 dB.
        figure = given.misread / 60 + (1 - given.misread) * np.where(shown, density, 0.0)
        return np.asarray(np.log(np.where(read, figure, np.where(self.moved, moves, 1 - moves))))

    def together(self, fits: Floats, levels: Floats, given: Tolerances) -> Floats:
        """Logarithm of how likely all observations are at once; `fits` of shape (H, observations), levels (H, taps, meters).

        What lies near the edge of what a meter shows is seen, or not, by how hard that one tap was: of all such meters of a tap the mean
        counts, as one look. Taken for independent, ten faint meters would outweigh any fault.
        """
        below = levels[:, self.taps, self.meters]
        faint = (np.abs(np.maximum(below, DEEPEST_DB) - SHOWN_DB) < EDGE_SPREADS * given.spread_db) & np.isnan(
            self.reading
        )
        total = np.where(faint, 0.0, fits).sum(axis=1)
        for tap in np.unique(self.taps):
            here = faint & (self.taps == tap)
            count = here.sum(axis=1)
            total += np.where(here, fits, 0.0).sum(axis=1) / np.maximum(count, 1)
        return np.asarray(total)


def diagnose(model: TapModel, seen: Observations, *, pairs: bool = True) -> Diagnosis:
    """Weighs every fault, and every pair that may be, by what was seen.

    Args:
        pairs: whether two faults at once are weighed too.
    """
    given = tolerances()
    singles = model.suspects
    groups: list[tuple[Suspect, ...]] = [(), *((row,) for row in singles)]
    levels = [model.planned.astype(np.float32), *(row.levels for row in singles)]
    none = sum(math.log1p(-row.prior) for row in singles)
    odds = [math.log(row.prior / (1 - row.prior)) for row in singles]
    prior = [none, *(none + row for row in odds)]
    what = _Seen.of(seen)
    fits = what.log_likelihood(np.array(levels), given)
    score = what.together(fits, np.array(levels), given)
    if pairs:
        for one, other in _pairs_worth(fits):
            both = (singles[one], singles[other])
            groups.append(both)
            levels.append(model.below((both[0].faults[0], both[1].faults[0])).astype(np.float32))
            prior.append(none + odds[one] + odds[other])
        if len(levels) > len(fits):
            rest = np.array(levels[len(fits) :])
            score = np.concatenate((score, what.together(what.log_likelihood(rest, given), rest, given)))
    weights = np.array(prior) + score
    chances = np.exp(weights - weights.max())
    chances /= chances.sum()
    order = np.argsort(-chances, kind="stable")
    ranked = tuple(_told(groups[k], float(chances[k]), levels[k], seen, given) for k in order[:40])
    return Diagnosis(model, dict(seen), ranked, chances, np.array(levels))


def _pairs_worth(fits: Floats) -> list[tuple[int, int]]:
    """Pairs of faults that may explain what one alone does not: those of which each explains something that the plan does not.

    Args:
        fits: log likelihoods of the plan (first) and of each suspect; shape (1 + suspects, observations).
    """
    odd = fits[0] < UNLIKELY
    if not odd.any():
        return []
    gain = fits[1:, odd] - fits[0, odd]
    useful = np.flatnonzero(gain.max(axis=1) > 1.0)
    if len(useful) < 2:
        return []
    one, other = np.triu_indices(len(useful), 1)
    # What each pair would explain if either of the two showed alone at every meter.
    together = np.maximum(gain[useful[one]], gain[useful[other]]).sum(axis=1)
    best = np.argsort(-together, kind="stable")[:MOST_PAIRS]
    return [(int(useful[one[k]]), int(useful[other[k]])) for k in best]


def _told(
    suspects: tuple[Suspect, ...], chance: float, levels: Floats, seen: Observations, given: Tolerances
) -> Hypothesis:
    misread = tuple(cell for cell, what in seen.items() if not _explained(float(levels[cell]), what, given))
    return Hypothesis(suspects, chance, len(seen) - len(misread), misread)


def _explained(below: float, what: Seen, given: Tolerances) -> bool:
    """Whether an observation is what one would see at that level."""
    edge = 2 * given.spread_db
    if isinstance(what, str):
        return below > SHOWN_DB - edge if what == MOVED else below < SHOWN_DB + edge
    return abs(max(below, DEEPEST_DB) - what) <= 2 * edge


def information_bits(chances: Floats, below: Floats, planned: Floats, given: Tolerances, most: int = 64) -> float:
    """Mutual information between hypotheses and what a tap shows at all of its meters, each read as silent, low, right or high.

    Hypotheses that show the same fall together. Outcomes are weighed over the patterns that some hypothesis shows, misreadings between
    them included.

    Args:
        chances: of each hypothesis, shape (H,).
        below: levels that each shows, shape (H, meters); `planned` those without a fault, shape (meters,).
        most: so many patterns, the likeliest, are weighed one against the other.
    """
    read = readings_of(below, planned)
    # Rows are told from each other by a sum with odd weights: sorting them whole takes a thousand times as long.
    weights = np.random.default_rng(1).integers(1, 1 << 62, read.shape[1]) | 1
    _, first, inverse = np.unique(read.astype(np.int64) @ weights, return_index=True, return_inverse=True)
    patterns = read[first]
    weight = np.bincount(inverse.ravel(), weights=chances, minlength=len(patterns))
    if len(patterns) < 2:
        return 0.0
    order = np.argsort(-weight, kind="stable")[:most]
    patterns, weight = patterns[order], weight[order]
    weight = weight / weight.sum()
    # A misreading is any of the three other readings.
    wrong = given.misread / 3
    apart = (patterns[:, None, :] != patterns[None, :, :]).sum(axis=2)
    # Chance that a rig which shows row a is read as row b: each meter that differs was misread.
    confusion = wrong**apart * (1 - given.misread) ** (patterns.shape[1] - apart)
    confusion /= confusion.sum(axis=1, keepdims=True)
    joint = weight[:, None] * confusion
    outcome = joint.sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        terms = np.where(joint > 0, joint * np.log2(confusion / outcome[None, :]), 0.0)
    return float(max(0.0, terms.sum()))


def readings_of(below: Floats, planned: Floats) -> NDArray[np.int8]:
    """Levels as they are read: 0 silent, 1 lower than planned, 2 as planned, 3 higher; any shape with meters last."""
    shown = below > SHOWN_DB
    apart = np.maximum(below, SHOWN_DB) - np.maximum(planned, SHOWN_DB)
    return np.where(shown, np.select([apart < -OFF_DB, apart > OFF_DB], [1, 3], 2), 0).astype(np.int8)
