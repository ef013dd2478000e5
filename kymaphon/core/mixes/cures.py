"""Cures of what is heard: the pairs that must stay whole, remedies made of cuts, and names of ways."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.cuts import Bad, Cut, PairConstraint, fewest_cuts, switches_on
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import Delivery, goes_astray
from kymaphon.core.graph.signal import EdgeKind, Switch
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.wants import wants_of
from kymaphon.core.words import counted


def cuts_of(analysis: Computed, bad: Bad, kept: list[PairConstraint], *, steady: bool = False) -> list[Cut]:
    """The smallest sets of switches that leave nothing bad and keep what is wanted; none where no remedies are looked for."""
    if not analysis.remedies:
        return []
    return fewest_cuts(analysis.transfer, bad, kept, spare_pairs(analysis), steady=steady)


def wanted_pairs(analysis: Computed) -> list[PairConstraint]:
    """The pairs that are wanted and heard now, stated or by role where nobody said, with the gain below which they would count
    as lost; kept with the analysis.
    """
    return analysis.once(_all_wanted_pairs)


def _all_wanted_pairs(analysis: Computed) -> list[PairConstraint]:
    return list(_wanted_pairs(analysis))


def _wanted_pairs(analysis: Computed) -> Iterator[PairConstraint]:
    for key, wanted in wants_of(analysis.show).items():
        feed = analysis.feeds.get(key)
        if feed is None or feed.gain_db is None or wanted.want not in ("hear", "local"):
            continue
        if wanted.asked:
            if feed.verdict != "missing":
                yield kept_pair(analysis, feed)
        elif _heard(feed) and feed.verdict != "back" and feed.path is not None and not goes_astray(feed.path):
            yield kept_pair(analysis, replace(feed, want=wanted.want, wanted_gain_db=wanted.gain_db))


def spare_pairs(analysis: Computed) -> list[PairConstraint]:
    """The pairs that are heard now though nobody asked for them; a cure should leave them alone where it can."""
    wants = wants_of(analysis.show)
    return [
        kept_pair(analysis, feed)
        for key, feed in analysis.feeds.items()
        if feed.verdict == "free" and _heard(feed) and wants[key].want not in ("hear", "local")
    ]


def _heard(feed: Delivery) -> bool:
    return feed.gain_db is not None and feed.gain_db > number("heard-floor")


def kept_pair(analysis: Computed, feed: Delivery) -> PairConstraint:
    """A pair and the gain under which it counts as lost; for one that is missing, what it takes to be heard again.

    A voice that has a microphone of its own is followed from there: what bleeds into other people's is no way to keep.
    """
    graph = analysis.graph
    mouth, level = graph.mouths[feed.voice]
    ears = graph.ears[feed.listener]
    mark = analysis.mark_for(feed.listener, graph.nodes[ears[0]].unit).value
    floor = mark + feed.wanted_gain_db + number("heard-floor") - level.value
    first = next(feed.path.steps(), None) if feed.path is not None else None
    if first is None or first.kind is EdgeKind.BLEEDS:
        first = next((edge for edge in graph.edges if edge.source == mouth and edge.kind is EdgeKind.SPEAKS), None)
    if first is not None and first.kind is EdgeKind.SPEAKS:
        near = mark + feed.wanted_gain_db - number("level-tolerance") - level.value
        spoken = mouth if feed.want == "hear" else None
        return PairConstraint(
            first.target, ears, floor - first.gain_db, feed.listener, feed.voice, spoken, first.gain_db, near
        )
    return PairConstraint(mouth, ears, floor, feed.listener, feed.voice)


def names(analysis: Computed, ids: Iterable[str]) -> str:
    rows = [analysis.party_name(row) for row in dict.fromkeys(ids)]
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"


def remedies_of(analysis: Computed, cuts: list[Cut], done: str, kept: list[PairConstraint]) -> tuple[Remedy, ...]:
    out = []
    for i, cut in enumerate(cuts):
        if cut.breaks:
            continue
        stays = (
            "the one want that is met now stays met"
            if len(kept) == 1
            else f"all {counted(len(kept), 'want')} that are met now stay met"
        )
        effect = f"{done}; {stays}." if kept else f"{done}."
        if cut.silences:
            pairs = [
                f"{analysis.party_name(row.listener)} no longer hears {analysis.party_name(row.voice)}"
                for row in cut.silences[:2]
            ]
            more = f", and {len(cut.silences) - 2} more such" if len(cut.silences) > 2 else ""
            effect += f" But {' and '.join(pairs)}{more}; nobody asked for that."
        if not cut.fewest:
            effect += " It is the smallest set found so far; not all were looked at."
        out.append(Remedy(f"cut-{i + 1}", cut.label, effect, cut.edits))
    return tuple(out)


def blocked(analysis: Computed, cuts: list[Cut]) -> str:
    """Why no set of switches cures it; empty where one does, or none was looked for."""
    if not analysis.remedies:
        return ""
    if not cuts:
        return " A path runs through no switch at all; it needs another routing: see Plan."
    if cuts[0].breaks:
        first = cuts[0].breaks[0]
        pair = f"{analysis.party_name(first.listener)} would lose {analysis.party_name(first.voice)}"
        return (
            f" No set of switches was found that cures it and keeps every want: with {cuts[0].label.lower()}, "
            f"{pair}. Plan looks for a mix of its own."
        )
    return ""


def against_mark(gain_db: float) -> str:
    if abs(gain_db) < 0.05:
        return "at the mark"
    return f"{abs(gain_db):.1f} dB {'above' if gain_db > 0 else 'under'} the mark"


def way_devices(analysis: Computed, path: SignalPath) -> list[str]:
    """Names of the devices along a way, each once in a row."""
    devices = {device.id: analysis.device_name(device.id) for device in analysis.show.devices}
    names: list[str] = []
    for node in path.nodes:
        name = devices.get(analysis.graph.nodes[node].owner)
        if name and (not names or names[-1] != name):
            names.append(name)
    return names


def way_words(analysis: Computed, path: SignalPath, others: Sequence[SignalPath]) -> str:
    """What tells a way from the others: the crosspoint or socket that it alone runs through; else its
    devices.
    """
    elsewhere = {k for other in others if other is not path for k in other.edges}
    own = [step for k, step in zip(path.edges, path.steps(), strict=True) if k not in elsewhere]
    if others and own and len(own) < len(path.edges):
        named = [
            step for step in own if step.label and step.kind not in (EdgeKind.CABLE, EdgeKind.LISTENS, EdgeKind.PLAYS)
        ]
        telling = next((step for step in reversed(named) if step.switches), next(iter(named), None))
        if telling is not None:
            owner = analysis.graph.nodes[telling.source].label.partition(", ")[0]
            return f"by {owner}, {telling.label}"
    devices = way_devices(analysis, path)
    if len(devices) > 5:
        devices = [*devices[:3], "\u2026", *devices[-2:]]
    return " \u203a ".join(devices)


def switches_of_feed(analysis: Computed, feed: Delivery) -> list[Switch]:
    """Closed switches on every way of a pair, crosspoints first."""
    return switches_on(path for arrival in analysis.arrivals(feed.listener, feed.voice) for path in arrival.paths)
