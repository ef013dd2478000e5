"""Whether what goes round dies away, and how near it is to howling."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from kymaphon.core.figures import number
from kymaphon.core.graph.block import DENSE, Block

OUTRIGHT = 80
"""Up to this size all eigenvalues are found at once."""
SQUARED = 1000
"""Up to this size the iteration goes by a power of the matrix, beyond it step by step."""
MOST_ROUNDS = 1500
"""So many steps the iteration takes at most."""


@dataclass(frozen=True)
class Stability:
    """Whether what goes round dies away, asked of one strongly connected part of the rig.

    Below a spectral radius of one for |A| no phases can make it howl (Perron, Frobenius). How near it is to that is told by
    what comes back to a point the first time against what left it, 1 - 1 / N_vv with N = (I - |A|)^-1, the most at any point:
    of a single loop its gain. (The radius itself is a root of the loops' gains, and its distance from one says nothing in dB.)
    Gains are not known to a thousandth of a dB, and a sum of rounds grows without bound as the loop's gain nears one: within
    `loop-tolerance` of it the rig is told as howling, and no level in it is.

    Attributes:
        block: |A| inside the part.
    """

    block: Block

    @cached_property
    def radius(self) -> float:
        """Spectral radius of |A|."""
        return spectral_radius(self.block)

    @cached_property
    def returned(self) -> float:
        """What comes back the first time against what left, by amplitude, the most at any point; infinite where it howls
        whatever the tolerance.
        """
        if self.radius >= 1 - 1e-9:
            return math.inf
        block = self.block if self.block.size <= DENSE else self.block.knots()
        return float((1 - 1 / block.balanced().rounds()).max(initial=0.0))

    @property
    def margin_db(self) -> float:
        """Gain margin: from howling, in dB; minus infinity where it howls, infinity where nothing comes round."""
        return (
            -20 * math.log10(self.returned)
            if 0 < self.returned < math.inf
            else math.inf
            if not self.returned
            else -math.inf
        )

    @property
    def howls(self) -> bool:
        """Nearer to howling than `loop-tolerance`, or beyond it."""
        near = 10 ** (-number("loop-tolerance") / 20)
        # What comes back the first time is never more than the radius: its generating function is convex.
        return self.radius >= near and self.returned >= near


NOTHING_ROUND = Stability(Block.full(np.zeros((0, 0))))
"""Of a rig in which nothing goes round."""


def howls_at(gain_db: float) -> bool:
    """Whether one loop of this gain is told as howling."""
    return gain_db >= -number("loop-tolerance")


def spectral_radius(block: Block) -> float:
    """Largest eigenvalue of weights that are not negative: outright when small, else by power iteration on them plus one (which is
    aperiodic).

    The iteration goes by the 256th power of that, where it is not so large that single steps are cheaper. It ends when the bounds
    of Collatz and Wielandt (the least and the most by which any entry grows in one step) are within a ten-millionth of each other,
    or a thousandth where it howls by far, or at a bound on rounds.
    """
    size = block.size
    if not size:
        return 0.0
    balanced = block.balanced()
    if size <= OUTRIGHT:
        return float(np.abs(np.linalg.eigvals(balanced.matrix)).max())
    vector = np.ones(size) / size
    if size <= SQUARED:
        step = balanced.matrix + np.eye(size)
        power = step / step.sum(axis=0).max()
        for _ in range(8):
            power = power @ power
            power /= power.sum(axis=0).max()
    for _ in range(MOST_ROUNDS):
        if size <= SQUARED:
            vector = power @ vector
        vector /= vector.sum()
        grown = balanced.times(vector) + vector
        there = vector > 1e-290
        growth = grown[there] / vector[there]
        least, most = float(growth.min()), float(growth.max())
        # That it howls needs no more digits.
        if most - least < (1e-3 if least > 2.1 else 1e-7) * most:
            break
        if size > SQUARED:
            vector = grown
    # Not yet between them: what the whole grows by, which is nearest.
    return float(grown.sum()) - 1
