"""What every tap does at every meter, as the rig is meant to be and with any faults in it: gains as powers, solved once.

With A the powers of the steps (row: where to, column: where from), a tap of unit power at s gives (I - A)^-1 e_s. A fault changes a
few entries of A, so its levels come from those of the whole rig by a small solve (Sherman, Morrison & Woodbury; Golub & Van Loan,
Matrix Computations, section 2.1.4), and two faults together by one of both: no rig is solved anew.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import data_table
from kymaphon.core.graph.signal import SignalGraph
from kymaphon.core.prove.faults import SILENT, Fault, reading_figure, single_faults
from kymaphon.core.prove.points import Meter, Tap, meters_of, taps_of

Floats = NDArray[np.float64]
HOWLS_DB = 30.0
"""What a meter is taken to show where a fault makes the rig howl, against what it should."""
SHOWN_DB: float = reading_figure("shown")
"""What lies further below what a meter should show is not seen on it."""
FAINTEST = 1e-30
SAME_DB: float = reading_figure("same")
"""What differs by less at every meter is not told apart."""
VISIBLE_DB: float = reading_figure("visible")
"""What changes no meter by more is not surely seen by tapping."""
NEVER: dict[str, float] = {
    name: row for name, row in data_table("prove")["reading"]["never"].items() if name != "source"
}
"""What a meter that no tap is meant to reach would show of speech, by its unit."""


class RigHowlsError(ValueError):
    """The rig howls as it is planned: of levels there is nothing to tell."""


@dataclass(frozen=True)
class Suspect:
    """Faults that no tap can tell from each other: what one of them would show, all do.

    Attributes:
        faults: the likeliest first.
        prior: that it is one of them, before anything was seen.
        levels: what each tap shows with it, below what each meter should show; shape (taps, meters).
    """

    faults: tuple[Fault, ...]
    prior: float
    levels: NDArray[np.float32] = field(repr=False, compare=False)

    @property
    def label(self) -> str:
        return self.faults[0].label


@dataclass(frozen=True)
class TapModel:
    """A rig to be proven.

    Attributes:
        taps, meters, faults: what can be done, seen, and wrong.
        inverse: (I - A)^-1, shape (nodes, nodes).
    """

    graph: SignalGraph
    taps: tuple[Tap, ...]
    meters: tuple[Meter, ...]
    faults: tuple[Fault, ...]
    inverse: Floats = field(repr=False)

    @cached_property
    def _nodes(self) -> NDArray[np.intp]:
        return np.array([node for meter in self.meters for node in meter.nodes], dtype=np.intp)

    @cached_property
    def _first(self) -> NDArray[np.intp]:
        """Where each meter's points begin in `_nodes`."""
        counts = [len(meter.nodes) for meter in self.meters]
        return np.cumsum([0, *counts[:-1]]).astype(np.intp)

    @cached_property
    def _sources(self) -> NDArray[np.intp]:
        return np.array([tap.node for tap in self.taps], dtype=np.intp)

    @cached_property
    def _weights(self) -> Floats:
        """Power of each edge, nought where nothing passes; shape (edges,)."""
        return np.array([10 ** (edge.gain_db / 10) if edge.on else 0.0 for edge in self.graph.edges])

    @cached_property
    def marks(self) -> Floats:
        """What each meter shows at most of what is meant to come there, in its unit; shape (meters,)."""
        most = self.planned_db.max(axis=0, initial=-np.inf)
        never = np.array([NEVER.get(meter.unit, 0.0) for meter in self.meters])
        return np.where(most > never + SHOWN_DB, most, never)

    @cached_property
    def planned_db(self) -> Floats:
        """Levels as the rig is meant to be, in the unit of each meter; -inf for nothing. Shape (taps, meters)."""
        return self._levels(self.inverse[np.ix_(self._nodes, self._sources)])

    @cached_property
    def planned(self) -> Floats:
        """The same below what each meter should show; shape (taps, meters)."""
        return self.planned_db - self.marks

    def below(self, faults: Iterable[Fault]) -> Floats:
        """Levels with faults in the rig, below what each meter should show; -inf for nothing. Shape (taps, meters)."""
        rows, columns, by = self._changes(faults)
        if not len(by):
            return self.planned
        small = np.eye(len(by)) - by[:, None] * self.inverse[np.ix_(columns, rows)]
        if np.linalg.det(small) <= 1e-9:
            return np.full(self.planned.shape, HOWLS_DB)
        into = by[:, None] * self.inverse[np.ix_(columns, self._sources)]
        power = self.inverse[np.ix_(self._nodes, self._sources)] + self.inverse[
            np.ix_(self._nodes, rows)
        ] @ np.linalg.solve(small, into)
        return self._levels(power) - self.marks

    @cached_property
    def suspects(self) -> tuple[Suspect, ...]:
        """Faults that some tap shows, those together that no tap tells apart."""
        groups: dict[bytes, list[tuple[Fault, Floats]]] = {}
        for fault in self.faults:
            levels = self.below((fault,))
            if shows_apart(levels, self.planned):
                groups.setdefault(_as_seen(levels).tobytes(), []).append((fault, levels))
        return tuple(_suspect(rows) for rows in groups.values())

    @cached_property
    def moved_by_some_fault(self) -> NDArray[np.bool_]:
        """Whether some single fault would move a meter at a tap; shape (taps, meters)."""
        most = np.full(self.planned.shape, -np.inf, dtype=np.float32)
        for row in self.suspects:
            np.maximum(most, row.levels, out=most)
        return most > SHOWN_DB

    @cached_property
    def unseen(self) -> tuple[Fault, ...]:
        """Faults that no tap shows."""
        shown = {fault.id for row in self.suspects for fault in row.faults}
        return tuple(fault for fault in self.faults if fault.id not in shown)

    def _changes(self, faults: Iterable[Fault]) -> tuple[NDArray[np.intp], NDArray[np.intp], Floats]:
        """Entries of A that change: rows, columns, by how much."""
        moved = {row.edge: row for fault in faults for row in fault.moves}
        by: dict[tuple[int, int], float] = {}
        for i, row in moved.items():
            edge = self.graph.edges[i]
            before, after = (edge.target, edge.source), (row.target, edge.source)
            by[before] = by.get(before, 0.0) - float(self._weights[i])
            by[after] = by.get(after, 0.0) + (0.0 if row.gain_db == SILENT else 10 ** (row.gain_db / 10))
        kept = [(at, value) for at, value in by.items() if value]
        rows, columns = (np.array([at[k] for at, _ in kept], dtype=np.intp) for k in (0, 1))
        return rows, columns, np.array([value for _, value in kept])

    def _levels(self, power: Floats) -> Floats:
        """Powers at the meters' points, shape (points, taps), as the louder side's level; shape (taps, meters)."""
        if not len(self.meters):
            return np.zeros((len(self.taps), 0))
        most = np.maximum.reduceat(power, self._first, axis=0)
        start = np.array([tap.level_db for tap in self.taps])[:, None]
        with np.errstate(divide="ignore"):
            return np.where(most.T > FAINTEST, 10 * np.log10(np.maximum(most.T, FAINTEST)) + start, -np.inf)


def shows_apart(one: Floats, other: Floats) -> bool:
    """Whether some meter tells two sets of levels from each other; shapes (taps, meters)."""
    apart = np.abs(np.maximum(one, SHOWN_DB) - np.maximum(other, SHOWN_DB))
    return bool(apart.max(initial=0.0) > VISIBLE_DB)


def _as_seen(levels: Floats) -> NDArray[np.int16]:
    """Levels as finely as a meter is read, all that is not seen alike."""
    return np.round(np.maximum(levels, SHOWN_DB) / SAME_DB).astype(np.int16)


def _suspect(rows: list[tuple[Fault, Floats]]) -> Suspect:
    rows.sort(key=lambda row: -row[0].prior)
    faults = tuple(fault for fault, _ in rows)
    return Suspect(faults, sum(row.prior for row in faults), rows[0][1].astype(np.float32))


def tap_model(analysis: Computed) -> TapModel:
    """The rig of a show, ready to be proven.

    Raises:
        RigHowlsError: it howls as it is planned.
    """
    if analysis.transfer.howls:
        raise RigHowlsError("the rig howls as it is planned: open the loop first, on Feeds")
    graph = analysis.graph
    count = len(graph.nodes)
    powers = np.zeros((count, count))
    np.add.at(powers, (graph.target, graph.source), 10 ** (graph.gain_db / 10))
    inverse: Floats = np.linalg.inv(np.eye(count) - powers).astype(np.float64) if count else np.zeros((0, 0))
    return TapModel(graph, taps_of(analysis), meters_of(analysis), single_faults(analysis), inverse)
