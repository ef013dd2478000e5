"""Which need gets which bus: an integer programme over assignments, with the main mix's sides as routers.

A send or a group holds just what its needs ask for, so two needs can share one unless what the one must hear the other must
not (pairwise conflicts, as cliques). The main mix is one mix for everything on it and for both its sides, so what is on each
side of it is part of the programme.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from kymaphon.core.figures import data_table
from kymaphon.core.mixes.mixer import MixBus, Mixer
from kymaphon.core.mixes.requirements import MixRequirement


def cost(name: str) -> float:
    """What something weighs when mixes are put on buses. Raises KeyError for an unknown name."""
    return float(data_table("feeds")["costs"][name]["value"])


@dataclass(frozen=True)
class RequiredInputs:
    """A need as inputs of its mixer.

    Attributes:
        groups: for each wanted voice the inputs that bring it; one of them is enough.
        off: inputs that must not be on.
        unable: wanted voices that no input brings by itself.
    """

    need: MixRequirement
    groups: dict[str, tuple[str, ...]]
    off: frozenset[str]
    unable: tuple[str, ...]

    @property
    def on(self) -> frozenset[str]:
        """Every input that brings something wanted and nothing forbidden."""
        return frozenset(row for rows in self.groups.values() for row in rows)

    def conflicts(self, other: RequiredInputs) -> bool:
        """Whether no one mix can serve both: something that one wants cannot be had without what the other forbids."""
        return any(other.off.issuperset(rows) for rows in self.groups.values()) or any(
            self.off.issuperset(rows) for rows in other.groups.values()
        )


@dataclass(frozen=True)
class Assignment:
    """What came out.

    Attributes:
        buses: need -> bus; a need without one is in `left`.
        sides: (bus, input) -> whether it is on the left and on the right of that mix.
        value: the cost.
    """

    buses: dict[tuple[str, ...], MixBus]
    left: tuple[RequiredInputs, ...]
    sides: dict[tuple[str, str], tuple[bool, bool]] = field(default_factory=dict)
    value: float = 0.0


def required_inputs(mixer: Mixer, need: MixRequirement) -> RequiredInputs:
    """What a need asks of the mixer's inputs."""
    off = {row for row, found in mixer.voices.items() if row in mixer.needless or not need.keep_off.isdisjoint(found)}
    groups: dict[str, tuple[str, ...]] = {}
    unable = []
    for voice in (*need.hear, *sorted(need.local)):
        rows = tuple(row for row in mixer.carrying(voice) if row not in off)
        if rows:
            groups[voice] = rows
        elif voice in need.hear and any(voice in found for found in mixer.voices.values()):
            unable.append(voice)
    return RequiredInputs(need, groups, frozenset(off), tuple(unable))


def fits(need: MixRequirement, mixer: Mixer, bus: MixBus) -> bool:
    """Whether some socket of a bus and the need's sockets are of one domain; what takes one side of a pair is on that side's bus."""
    if need.here is not None:
        return any(socket == need.here and not side for socket, side in bus.sockets)
    if bus.stereo and not need.stereo and any(row.base == bus.base and row.side for row in mixer.buses):
        return False
    return need.domain in domains_of(mixer, bus)


def domains_of(mixer: Mixer, bus: MixBus) -> frozenset[str]:
    """As what a bus comes out: analogue, digital or both."""
    names = {name for name, _ in bus.sockets}
    return frozenset(port.domain for port in mixer.kind.outputs if port.id in names)


def lacks(asks: RequiredInputs, bus: MixBus) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Wanted voices that a bus cannot hold, and forbidden inputs that it holds by itself."""
    fixed = {row for row, point in bus.inputs.items() if point.fixed}
    missing = tuple(voice for voice, rows in asks.groups.items() if bus.inputs.keys().isdisjoint(rows))
    return missing, tuple(sorted(fixed & asks.off))


def price(asks: RequiredInputs, mixer: Mixer, bus: MixBus) -> float:
    """What it costs to put a need on a bus, beside what others want there."""
    need = asks.need
    missing, harm = lacks(asks, bus)
    # What leads on to another mixer need not bring everybody: they may come there by other inputs.
    wanted = cost("missing") if need.last else cost("switch")
    out = sum(wanted if voice in need.hear else cost("local-missing") for voice in missing)
    out += cost("own-voice") * len(harm)
    out += _plugging(need, bus)
    on_air = not need.kinds.isdisjoint(("audience", "recorder"))
    if bus.side and not (need.socket is not None and need.socket[1] == bus.side):
        out += cost("one-side")
    if need.level == "headphone" and not is_plugged(need, bus) and not drives_headphones(mixer, bus):
        out += cost("ears-from-line")
    if need.stereo and not bus.stereo:
        out += cost("programme-mono" if on_air else "ears-mono")
    if not on_air and not bus.before_fader and need.last and "remote" not in need.kinds:
        out += cost("follows-fader")
    if not bus.gained and max(need.hear.values(), default=0.0) - min(need.hear.values(), default=0.0) > 1.0:
        out += cost("no-levels")
    return out


def drives_headphones(mixer: Mixer, bus: MixBus) -> bool:
    """Whether a bus has a socket that is made for headphones."""
    names = {name for name, _ in bus.sockets}
    return any(port.id in names and port.level == "headphone" for port in mixer.kind.outputs)


def is_plugged(need: MixRequirement, bus: MixBus) -> bool:
    """Whether a need's cables come from a bus already."""
    if need.here is not None:
        return True
    if need.socket is None or need.socket[0] not in {name for name, _ in bus.sockets}:
        return False
    if not need.socket[1] and not need.stereo and bus.side:
        return bus.side == "l"  # a stereo plug in a mono socket gives its left
    return need.socket[1] == bus.side or (not bus.side and not bus.stereo)


def _plugging(need: MixRequirement, bus: MixBus) -> float:
    if need.socket is None:
        return cost("plug")
    if is_plugged(need, bus):
        return 0.0
    return cost("re-plug") if need.last else cost("re-plug-on")


def assign(mixer: Mixer, asks: list[RequiredInputs]) -> Assignment:
    """The cheapest assignment of needs to buses.

    Two needs of one mixer that no bus can serve together are kept apart; a need for which no bus is left is told in `left`.

    Returns:
        The assignment; with no needs an empty one.

    Raises:
        ValueError: the solver gave up.
    """
    if not asks:
        return Assignment({}, ())
    return _Programme(mixer, asks).solve()


class _Programme:
    """Columns: a need on a bus, a need without one, an input on the left and on the right of the main mix, and how much each of
    those changes.
    """

    def __init__(self, mixer: Mixer, asks: list[RequiredInputs]) -> None:
        self.mixer, self.asks = mixer, asks
        self.cost: list[float] = []
        self.whole: list[int] = []
        self.rows: list[dict[int, float]] = []
        self.low: list[float] = []
        self.high: list[float] = []
        self.pairs: dict[tuple[int, str], int] = {}
        self.none: list[int] = []
        self.side: dict[tuple[str, str, str], int] = {}
        self.pan: dict[tuple[str, str], int] = {}
        self.at_odds = _at_odds(asks)
        self.waiting = [sum(row.need.socket is None for row in asks[:i]) for i in range(len(asks))]

    def _column(self, weight: float, *, whole: bool = True) -> int:
        self.cost.append(weight)
        self.whole.append(int(whole))
        return len(self.cost) - 1

    def _row(self, terms: dict[int, float], low: float, high: float) -> None:
        self.rows.append(terms)
        self.low.append(low)
        self.high.append(high)

    def solve(self) -> Assignment:
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import coo_array

        for i, row in enumerate(self.asks):
            self._need(i, row)
        main = [bus for bus in self.mixer.buses if bus.base in self._mains()]
        for bus in self.mixer.buses:
            if bus not in main:
                self._apart(bus)
        for base in self._mains():
            self._main(base)
        entries = [(i, k, value) for i, terms in enumerate(self.rows) for k, value in terms.items()]
        shape = (len(self.rows), len(self.cost))
        matrix = coo_array(
            (
                np.array([row[2] for row in entries]),
                (np.array([row[0] for row in entries]), np.array([row[1] for row in entries])),
            ),
            shape=shape,
        ).tocsc()
        found = milp(
            np.array(self.cost),
            constraints=LinearConstraint(matrix, self.low, self.high),
            integrality=np.array(self.whole),
            bounds=Bounds(0, 1),
            options={"mip_rel_gap": 0.0},
        )
        if found.x is None:
            raise ValueError(f"the programme of {self.mixer.name} has no answer: {found.message}")
        return self._read(found.x, float(found.fun))

    def _mains(self) -> tuple[str, ...]:
        """Buses with sides: the main mix."""
        return tuple(dict.fromkeys(bus.base for bus in self.mixer.buses if bus.side))

    def _need(self, i: int, asks: RequiredInputs) -> None:
        terms: dict[int, float] = {}
        for k, bus in enumerate(self.mixer.buses):
            if fits(asks.need, self.mixer, bus):
                # The least preference for the order of the sockets, so that of equal plans the plainest comes out.
                unplugged = 0.0 if is_plugged(asks.need, bus) else 1e-3 * k
                order = 1e-3 * abs(self.waiting[i] - k) if asks.need.socket is None else unplugged
                column = self._column(price(asks, self.mixer, bus) + order)
                self.pairs[i, bus.id] = column
                terms[column] = 1.0
        # Of two that could be left without, the later of the show.
        late = 0.1 * (len(self.asks) - i)
        alone = self._column(1.0 + late + sum(cost("missing") for voice in asks.need.hear if voice in asks.groups))
        self.none.append(alone)
        terms[alone] = 1.0
        self._row(terms, 1.0, 1.0)

    def _apart(self, bus: MixBus) -> None:
        """Needs that no one mix can serve do not share a bus."""
        there = [i for i in range(len(self.asks)) if (i, bus.id) in self.pairs]
        at_odds = {i: self.at_odds[i] & set(there) for i in there}
        done: set[tuple[int, int]] = set()
        for i in there:
            for j in sorted(at_odds[i]):
                if (i, j) in done or (j, i) in done:
                    continue
                clique = [i, j]
                for k in there:
                    if k not in clique and all(k in at_odds[row] for row in clique):
                        clique.append(k)
                done |= {(a, b) for a in clique for b in clique if a != b}
                self._row({self.pairs[k, bus.id]: 1.0 for k in clique}, -np.inf, 1.0)

    def _main(self, base: str) -> None:
        """What is on each side of a mix with sides, and what that asks of it. An input's pan is one for all of them."""
        bus = self.mixer.bus(base)
        for source, point in bus.inputs.items():
            pans = self._panned(source)
            on = self._moving(point.on, cost("switch"))
            if point.fixed:
                self._row({on: 1.0}, 1.0, 1.0)
            for side, pan in zip("lr", pans, strict=True):
                column = self.side[base, source, side] = self._column(0.0)
                # On that side: on the bus, and panned so that it gets there.
                self._row({column: 1.0, on: -1.0}, -np.inf, 0.0)
                self._row({column: 1.0, pan: -1.0}, -np.inf, 0.0)
                self._row({column: 1.0, on: -1.0, pan: -1.0}, -1.0, np.inf)
        for i, asks in enumerate(self.asks):
            for bus_id, sides in ((base, "lr"), (f"{base}.l", "l"), (f"{base}.r", "r")):
                if (i, bus_id) in self.pairs:
                    self._holds(self.pairs[i, bus_id], asks, bus, sides)

    def _panned(self, source: str) -> tuple[int, int]:
        """Columns of an input's pan: whether its left and its right side get it."""
        if (source, "l") not in self.pan:
            now = self.mixer.pans_to(source)
            for side, there in zip("lr", now, strict=True):
                self.pan[source, side] = self._moving(there, cost("pan"))
            left, right = self.pan[source, "l"], self.pan[source, "r"]
            self._row({left: 1.0, right: 1.0}, 1.0, np.inf)
            if not self.mixer.pannable(source):
                self._row({left: 1.0, right: 1.0}, 2.0, 2.0)
        return self.pan[source, "l"], self.pan[source, "r"]

    def _moving(self, now: bool, weight: float) -> int:
        """A column of yes or no that costs when it is not as it is now."""
        column = self._column(0.0)
        moved = self._column(weight, whole=False)
        self._row({moved: 1.0, column: -1.0}, -float(now), np.inf)
        self._row({moved: 1.0, column: 1.0}, float(now), np.inf)
        return column

    def _holds(self, column: int, asks: RequiredInputs, bus: MixBus, sides: str) -> None:
        for rows in asks.groups.values():
            terms = {self.side[bus.base, row, side]: 1.0 for row in rows if row in bus.inputs for side in sides}
            if terms:
                self._row({**terms, column: -1.0}, 0.0, np.inf)
            if terms and len(sides) > 1 and all(all(self.mixer.pans_to(row)) for row in rows):
                self._in_the_middle(column, asks, bus, rows)
        for row in asks.off:
            if row in bus.inputs and not bus.inputs[row].fixed:
                for side in sides:
                    self._row({self.side[bus.base, row, side]: 1.0, column: 1.0}, -np.inf, 1.0)

    def _in_the_middle(self, column: int, asks: RequiredInputs, bus: MixBus, rows: tuple[str, ...]) -> None:
        """A voice that comes in the middle stays on both sides for who takes both, or that costs."""
        on_air = not asks.need.kinds.isdisjoint(("audience", "recorder"))
        lost = self._column(cost("programme-one-sided" if on_air else "ears-one-sided"), whole=False)
        for side in "lr":
            there = {self.side[bus.base, row, side]: 1.0 for row in rows if row in bus.inputs}
            self._row({**there, lost: 1.0, column: -1.0}, 0.0, np.inf)

    def _read(self, values: np.ndarray, value: float) -> Assignment:
        buses = {
            self.asks[i].need.key: self.mixer.bus(bus_id)
            for (i, bus_id), column in self.pairs.items()
            if values[column] > 0.5
        }
        left = tuple(self.asks[i] for i, column in enumerate(self.none) if values[column] > 0.5)
        pairs = dict.fromkeys((base, source) for base, source, _ in self.side)
        sides = {
            row: (bool(values[self.side[*row, "l"]] > 0.5), bool(values[self.side[*row, "r"]] > 0.5)) for row in pairs
        }
        return Assignment(buses, left, sides, value)


def _at_odds(asks: list[RequiredInputs]) -> list[set[int]]:
    """For each need those that no one mix can serve together with it."""
    out: list[set[int]] = [set() for _ in asks]
    for i, row in enumerate(asks):
        for j in range(i + 1, len(asks)):
            if row.conflicts(asks[j]):
                out[i].add(j)
                out[j].add(i)
    return out
