"""What silences somebody who should be heard: controls at their bottom and faders down; the cause before its symptoms."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.analysis import Analysis
from kymaphon.core.feeds.wants import wants_of
from kymaphon.core.figures import number
from kymaphon.core.graph import Knob, SettingRef, spread
from kymaphon.core.levels import Ladder
from kymaphon.core.paths import PathThrough
from kymaphon.core.routing import STRAY, Feed, goes_astray


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


def down_on(path: PathThrough) -> list[Knob]:
    """The knobs of a way that are down, first first."""
    return [knob for step in path.steps() for knob in step.knobs if is_down(knob)]


def downs(analysis: Analysis) -> dict[SettingRef, Down]:
    """Setting -> what is down and keeps a wanted voice from a listener, in the order of the signal; kept with the analysis.

    Where a voice comes by its own way, too weak to be heard, the controls at their bottom on that way. Where it comes by none,
    faders that are down on what would be one.
    """
    known: dict[SettingRef, Down] | None = analysis.__dict__.get("_downs")
    if known is None:
        known = analysis.__dict__["_downs"] = _downs(analysis)
    return known


def _downs(analysis: Analysis) -> dict[SettingRef, Down]:
    found: dict[SettingRef, Down] = {}

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
        for knob in _shut_faders(analysis, feed):
            add(knob, key)
    return found


def _shut_faders(analysis: Analysis, feed: Feed) -> list[Knob]:
    """Faders that are down between what a voice reaches by its own microphone and what leads to its listener."""
    graph = analysis.graph
    mouth = graph.mouths[feed.voice][0]
    own = [edge.target for edge in graph.edges if edge.source == mouth and edge.label == "speaks into"]
    reached = _spread(analysis, own or [mouth], backward=False)
    leading = _spread(analysis, list(graph.ears[feed.listener]), backward=True)
    return [
        knob
        for edge in graph.edges
        if edge.broken and edge.source in reached and edge.target in leading
        for knob in edge.knobs
        if is_down(knob) and all(switch.passes for switch in edge.switches)
    ]


def _spread(analysis: Analysis, starts: list[int], *, backward: bool) -> set[int]:
    """Nodes on the wires from some on, or before them, through everything that is switched on; the air left out."""
    rows: dict[int, list[int]] = {}
    for edge in analysis.graph.edges:
        if edge.on and edge.label not in STRAY:
            a, b = (edge.target, edge.source) if backward else (edge.source, edge.target)
            rows.setdefault(a, []).append(b)
    return spread(rows, starts)


def down_before(analysis: Analysis, voice: str, ladder: Ladder | None) -> list[str]:
    """What is down before a voice, in words: of a wanted one what silences it, else what is down on its way to an end."""
    causes = [row.label for row in downs(analysis).values() if any(name == voice for _, name in row.pairs)]
    return causes or ([knob.label for knob in down_on(ladder.path)] if ladder is not None else [])


def bring_up(labels: list[str]) -> str:
    """What is down, and that it comes first: a sentence without its end."""
    return f"{', '.join(labels)} {'is' if len(labels) == 1 else 'are'} down: bring that up first"


def is_silenced(analysis: Analysis, listener: str, voice: str) -> bool:
    """Whether something that is down is why a listener does not hear a voice: then that is told, and not what follows from it."""
    return any((listener, voice) in row.pairs for row in downs(analysis).values())
