"""What silences somebody who should be heard: controls at their bottom and faders down; the cause before its symptoms."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import Delivery, goes_astray
from kymaphon.core.graph.signal import STRAY, EdgeKind, Knob, spread
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.wants import wants_of


@dataclass(frozen=True, slots=True)
class Down:
    """A knob or fader that is down, and whom it silences.

    Attributes:
        label: the control in words; `now` where it stands, dB.
        up: where to bring it, dB.
        pairs: (listener, voice) of those who should hear and be heard.
    """

    ref: SettingRef
    label: str
    now: float
    up: float
    pairs: tuple[tuple[str, str], ...]


def is_down(knob: Knob) -> bool:
    """Whether a knob stands at the bottom of a range that begins at silence."""
    return knob.lowest <= number("off-below") and knob.value <= knob.lowest + 1 and knob.highest > knob.lowest


def down_on(path: SignalPath) -> list[Knob]:
    """The knobs of a way that are down, first first."""
    low = path.graph.at_bottom
    if low.isdisjoint(path.edges):
        return []
    return [knob for i in path.edges if i in low for knob in path.graph.edges[i].knobs if is_down(knob)]


def downs(analysis: Computed) -> dict[SettingRef, Down]:
    """Setting -> what is down and keeps a wanted voice from a listener, in the order of the signal; kept with the analysis.

    Where a voice comes by its own way, too weak to be heard, the controls at their bottom on that way. Where it comes by none,
    faders that are down on what would be one.
    """
    return analysis.once(_downs)


def _downs(analysis: Computed) -> dict[SettingRef, Down]:
    found: dict[SettingRef, Down] = {}
    wires = _Wires(analysis)

    def add(knob: Knob, key: tuple[str, str]) -> None:
        row = found.get(knob.ref)
        pairs = (*(row.pairs if row is not None else ()), key)
        up = min(max(0.0, knob.lowest), knob.highest)
        found[knob.ref] = Down(knob.ref, knob.label, knob.value, up, pairs)

    for key, wanted in wants_of(analysis.show).items():
        feed = analysis.feeds.get(key)
        if wanted.want != "hear" or feed is None or key[0] == key[1]:
            continue
        if feed.path is not None and not goes_astray(feed.path):
            if (feed.gain_db or 0.0) - wanted.gain_db < number("heard-floor"):
                for knob in down_on(feed.path):
                    add(knob, key)
            continue
        for knob in wires.shut_between(feed):
            add(knob, key)
    return found


class _Wires:
    """What is joined to what through everything that is switched on, the air left out; looked up once for each voice and listener."""

    def __init__(self, analysis: Computed) -> None:
        self.graph = analysis.graph
        self.shut = [
            (edge, [knob for knob in edge.knobs if is_down(knob)])
            for edge in self.graph.edges
            if edge.broken and all(switch.passes for switch in edge.switches)
        ]
        self.shut = [row for row in self.shut if row[1]]
        self._rows: tuple[dict[int, list[int]], dict[int, list[int]]] = {}, {}
        for edge in self.graph.edges if self.shut else ():
            if edge.on and edge.kind not in STRAY:
                self._rows[0].setdefault(edge.source, []).append(edge.target)
                self._rows[1].setdefault(edge.target, []).append(edge.source)
        self._reached: dict[str, set[int]] = {}
        self._leading: dict[str, set[int]] = {}

    def shut_between(self, feed: Delivery) -> list[Knob]:
        """Faders that are down between what a voice reaches by its own microphone and what leads to its listener."""
        if not self.shut:
            return []
        if feed.voice not in self._reached:
            mouth = self.graph.mouths[feed.voice][0]
            own = [edge.target for edge in self.graph.edges if edge.source == mouth and edge.kind is EdgeKind.SPEAKS]
            self._reached[feed.voice] = spread(self._rows[0], own or [mouth])
        if feed.listener not in self._leading:
            self._leading[feed.listener] = spread(self._rows[1], list(self.graph.ears[feed.listener]))
        reached, leading = self._reached[feed.voice], self._leading[feed.listener]
        return [
            knob for edge, knobs in self.shut if edge.source in reached and edge.target in leading for knob in knobs
        ]


def down_before(analysis: Computed, voice: str, ladder: Ladder | None) -> list[str]:
    """What is down before a voice, in words: of a wanted one what silences it, else what is down on its way to an end."""
    causes = [row.label for row in downs(analysis).values() if any(name == voice for _, name in row.pairs)]
    return causes or ([knob.label for knob in down_on(ladder.path)] if ladder is not None else [])


def bring_up(labels: list[str]) -> str:
    """What is down, and that it comes first: a sentence without its end."""
    return f"{', '.join(labels)} {'is' if len(labels) == 1 else 'are'} down: bring that up first"


def is_silenced(analysis: Computed, listener: str, voice: str) -> bool:
    """Whether something that is down is why a listener does not hear a voice: then that is told, and not what follows from it."""
    return (listener, voice) in analysis.once(_silenced)


def _silenced(analysis: Computed) -> frozenset[tuple[str, str]]:
    return frozenset(pair for row in downs(analysis).values() for pair in row.pairs)
