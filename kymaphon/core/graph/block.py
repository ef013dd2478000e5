"""The gains inside one part of the rig in which signal goes round, as the few that are not nought: solved, cut open, made small."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from scipy.sparse.linalg import SuperLU

Floats = NDArray[np.float64]
Positions = NDArray[np.intp]

DENSE = 400
"""Up to this size a block is solved as a full matrix: that is quicker, and needs no sparse solver to be imported."""
AT_ONCE = 256
"""So many right sides are solved for at once: of hundreds of devices with all their noises one copy takes 100 MB."""


@dataclass(frozen=True)
class Block:
    """A square matrix of weights that are not negative, as its entries.

    Attributes:
        size: rows and columns.
        target, source: row and column of each entry, shape (E,); no pair twice.
        weight: of each entry, shape (E,).
    """

    size: int
    target: Positions
    source: Positions
    weight: Floats

    @classmethod
    def of(cls, size: int, target: Positions, source: Positions, weight: Floats) -> Block:
        """The block of these entries, added up where a pair comes twice, those of nought left out; in the order of the pairs."""
        there = weight > 0
        pairs, place = np.unique(target[there] * size + source[there], return_inverse=True)
        added: Floats = np.bincount(place, weight[there], len(pairs)).astype(np.float64)
        return cls(size, pairs // max(size, 1), pairs % max(size, 1), added)

    @classmethod
    def full(cls, matrix: Floats) -> Block:
        """The block of a full matrix, row = target."""
        target, source = np.nonzero(matrix)
        return cls(len(matrix), target, source, matrix[target, source])

    @cached_property
    def matrix(self) -> Floats:
        """In full, row = target; shape (size, size)."""
        out = np.zeros((self.size, self.size))
        out[self.target, self.source] = self.weight
        return out

    def times(self, vector: Floats) -> Floats:
        """The block times a vector of shape (size,)."""
        out: Floats = np.bincount(self.target, self.weight * vector[self.source], self.size).astype(np.float64)
        return out

    def scaled(self, scale: Floats) -> Block:
        """D^-1 B D, with each point measured in a unit of its own.

        Args:
            scale: the units, above nought, shape (size,).
        """
        weight = self.weight * (scale[self.source] / scale[self.target])
        return Block(self.size, self.target, self.source, weight)

    def only(self, there: NDArray[np.bool_]) -> Block:
        """What is between the points that are there, numbered anew."""
        place = np.cumsum(there) - 1
        kept = there[self.target] & there[self.source]
        return Block(int(there.sum()), place[self.target[kept]], place[self.source[kept]], self.weight[kept])

    def balanced(self) -> Block:
        """The same with each point measured in a unit of its own, so that rows and columns are alike in size (Osborne 1960)."""
        off = np.flatnonzero(self.target != self.source)
        weight = self.weight.tolist()
        into: list[list[int]] = [[] for _ in range(self.size)]
        out: list[list[int]] = [[] for _ in range(self.size)]
        for k, row, column in zip(off.tolist(), self.target[off].tolist(), self.source[off].tolist(), strict=True):
            into[row].append(k)
            out[column].append(k)
        for _ in range(2):
            for arriving, leaving in zip(into, out, strict=True):
                row, column = sum(weight[k] for k in arriving), sum(weight[k] for k in leaving)
                if row > 0 and column > 0:
                    scale = (column / row) ** 0.5
                    for k in arriving:
                        weight[k] *= scale
                    for k in leaving:
                        weight[k] /= scale
        return Block(self.size, self.target, self.source, np.array(weight))

    def solved(self, entering: Floats) -> Floats:
        """x = entering + block x, for weights whose loops are under one; x is then not negative either.

        Microphones and preamplifiers lie 200 dB apart, so each node is first put to the scale of the strongest way to it: no weight
        is then over one, and a small sum is not lost in the rounding of a large one (row and column scaling: Higham, Accuracy and
        Stability of Numerical Algorithms, chapter 7, from memory).

        Args:
            entering: not negative, shape (size, S).
        """
        with np.errstate(divide="ignore"):
            level = np.log(entering.max(axis=1, initial=0.0))
            weight = np.log(self.weight)
        for _ in range(self.size):
            better = level.copy()
            np.maximum.at(better, self.target, level[self.source] + weight)
            if np.array_equal(better, level):
                break
            level = better
        there = np.isfinite(level)
        out = np.zeros_like(entering)
        inner, unit = self.only(there).scaled(np.exp(level[there])), np.exp(level[there])[:, None]
        places = np.flatnonzero(there)
        if inner.size <= DENSE:
            found = np.linalg.solve(np.eye(inner.size) - inner.matrix, entering[places] / unit)
            out[places] = np.maximum(found, 0.0) * unit
            return out
        factors = inner.factors()
        for start in range(0, entering.shape[1], AT_ONCE):
            columns = slice(start, start + AT_ONCE)
            found = factors.solve(entering[places, columns] / unit)
            out[places, columns] = np.maximum(found, 0.0) * unit
        return out

    def factors(self) -> SuperLU:
        """One less the block, in triangular factors of few entries."""
        return sparse_factors(self.size, self.target, self.source, self.weight)

    def rounds(self) -> Floats:
        """The diagonal of the inverse of one less the block: a point's own signal with all that comes back to it; shape (size,)."""
        if self.size <= DENSE:
            return np.diag(np.linalg.inv(np.eye(self.size) - self.matrix)).copy()
        factors = self.factors()
        out = np.empty(self.size)
        for start in range(0, self.size, AT_ONCE):
            points = np.arange(start, min(start + AT_ONCE, self.size))
            entering = np.zeros((self.size, len(points)))
            entering[points, points - start] = 1.0
            out[points] = factors.solve(entering)[points, points - start]
        return out

    def knots(self) -> Block:
        """The block without the points that all that passes leaves, or reaches, by one step: what goes round through such a point goes
        round through its neighbour as well, so that as much comes back there. What is left keeps what comes back to it (the points
        are eliminated one by one, as Gauss did).
        """
        into: list[dict[int, float]] = [{} for _ in range(self.size)]
        out: list[dict[int, float]] = [{} for _ in range(self.size)]
        entries = zip(self.target.tolist(), self.source.tolist(), self.weight.tolist(), strict=True)
        for row, column, weight in entries:
            into[row][column] = out[column][row] = weight
        left = set(range(self.size))
        waiting = list(left)
        while waiting:
            point = waiting.pop()
            if point not in left or point in out[point] or (len(into[point]) > 1 and len(out[point]) > 1):
                continue
            left.discard(point)
            for before in into[point]:
                del out[before][point]
            for after in out[point]:
                del into[after][point]
            for before, first in into[point].items():
                for after, second in out[point].items():
                    out[before][after] = into[after][before] = out[before].get(after, 0.0) + first * second
            waiting.extend((*into[point], *out[point]))
        place = {point: i for i, point in enumerate(sorted(left))}
        rows = [(place[after], place[before], weight) for before in left for after, weight in out[before].items()]
        target, source = (np.array([row[i] for row in rows], dtype=np.intp) for i in (0, 1))
        return Block.of(len(left), target, source, np.array([row[2] for row in rows]))

    def opened(self, first: Sequence[int]) -> Block:
        """The block without the entries that lead back in a depth-first walk: nothing goes round in it.

        Args:
            first: where signal comes in; the walk starts there, so that what is cut is a way back, not the way in.
        """
        onward: list[list[int]] = [[] for _ in range(self.size)]
        order = np.lexsort((self.target, self.source)).tolist()
        source, target = self.source.tolist(), self.target.tolist()
        for k in order:
            onward[source[k]].append(k)
        back = set(_leading_back(onward, target, (*first, *range(self.size))))
        kept = np.array([k not in back for k in range(len(target))], dtype=bool)
        return Block(self.size, self.target[kept], self.source[kept], self.weight[kept])


def _leading_back(onward: list[list[int]], target: list[int], roots: Collection[int]) -> Iterator[int]:
    """Entries that lead to a point which the depth-first walk is still below."""
    state = [0] * len(onward)
    for root in roots:
        if state[root]:
            continue
        work = [(root, iter(onward[root]))]
        state[root] = 1
        while work:
            node, entries = work[-1]
            for k in entries:
                after = target[k]
                if state[after] == 1:
                    yield k
                elif state[after] == 0:
                    state[after] = 1
                    work.append((after, iter(onward[after])))
                    break
            else:
                state[node] = 2
                work.pop()


def sparse_factors(size: int, target: Positions, source: Positions, weight: NDArray[Any]) -> SuperLU:
    """One less a matrix of few entries, which may be complex, in triangular factors (SuperLU, through scipy).

    Args:
        target, source, weight: row, column and value of each entry, shape (E,); what comes twice is added.
    """
    from scipy.sparse import csc_array, eye_array
    from scipy.sparse.linalg import splu

    entries = csc_array((weight, (target, source)), shape=(size, size))
    return splu((eye_array(size, format="csc") - entries).tocsc())
