"""Rules about wants: wanted and not heard, heard and not wanted, too loud, too quiet, too late."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property, partial

from kymaphon.core.computing.build import build_graph
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.cuts import (
    PairConstraint,
    closing_switches,
    reaches,
    switch_words,
)
from kymaphon.core.graph.paths import SignalPath, best_paths
from kymaphon.core.graph.routing import (
    Delivery,
    all_feeds,
    arrivals_of,
    at_once_ms,
    goes_astray,
    late_return,
)
from kymaphon.core.graph.signal import reachable
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.levels.down import is_silenced
from kymaphon.core.mixes.cures import against_mark, blocked, cuts_of, kept_pair, remedies_of, wanted_pairs
from kymaphon.core.mixes.unrouted import UnroutedSource, unrouted_sources
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import Edit, SetValue, apply_all
from kymaphon.core.model.ends import End
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.rules.ears import echo_cancelled, for_this_ear, leak_turned_down
from kymaphon.core.rules.record import rule
from kymaphon.core.wiring.exchanged import exchanges, miss_of
from kymaphon.core.wiring.fit import Fit
from kymaphon.core.wiring.open_ends import deaf_end, outputs_with, plug_edits
from kymaphon.core.wiring.plugging import free_inputs


@rule(
    "wanted-not-heard",
    "heard-too-loud",
    "heard-too-quiet",
    "heard-unwanted",
    "one-way-late",
    stage="Feeds",
    reads=("feeds",),
)
def wants_not_met(analysis: Computed) -> Iterator[Finding]:
    """Wanted and not heard, heard and not wanted, too loud, too quiet, too late."""
    kept = wanted_pairs(analysis)
    ended: dict[str, _Ended] | None = None
    deaf: dict[str, _Deaf | None] = {}
    off: dict[tuple[str, str], list[Delivery]] = {}
    for feed in analysis.feeds.values():
        if is_silenced(analysis, *feed.key):
            continue
        if feed.verdict == "missing":
            if ended is None:
                ended = {voice: _Ended(analysis, row) for row in unrouted_sources(analysis) for voice in row.voices}
            if feed.listener not in deaf:
                deaf[feed.listener] = _deaf(analysis, feed.listener)
            yield _missing(analysis, feed, ended.get(feed.voice), deaf[feed.listener])
        elif feed.verdict == "unwanted":
            if feed.path is None or not echo_cancelled(analysis, feed.path):
                yield _unwanted(analysis, feed, kept)
        elif (how := _how_off(feed)) and not _level_tells(analysis, feed):
            off.setdefault((feed.listener, how), []).append(feed)
        elif feed.verdict == "late":
            yield _late(analysis, feed)
    for rows in off.values():
        yield _off_level(analysis, sorted(rows, key=lambda row: -abs((row.gain_db or 0.0) - row.wanted_gain_db)))


def _how_off(feed: Delivery) -> str:
    """`loud` or `quiet`, also of a voice that somebody else's microphone brings beside its own way; empty where it is neither."""
    if feed.verdict == "twice" and feed.want == "hear" and feed.gain_db is not None:
        off = feed.gain_db - feed.wanted_gain_db
        return "" if abs(off) <= number("level-tolerance") else "loud" if off > 0 else "quiet"
    return feed.verdict if feed.verdict in ("loud", "quiet") else ""


def _level_tells(analysis: Computed, feed: Delivery) -> bool:
    """Whether the same is told at Level, against the mark of that very end: of speech, not of what is a matter of taste."""
    ladder = analysis.ladders.get((feed.voice, feed.listener))
    return (
        ladder is not None
        and analysis.show.party(feed.voice).kind not in NO_SPEECH
        and any(rung.mark is not None for rung in ladder.rungs)
        and ladder.last.unit != "dB SPL"
    )


@dataclass(frozen=True)
class _Ended:
    """A voice that gets to no mixer."""

    analysis: Computed
    stray: UnroutedSource

    @cached_property
    def feeds(self) -> dict[tuple[str, str], Delivery] | None:
        """Who hears whom once it is plugged in; None where that is no cure, as a loop howls or somebody has themselves back late."""
        return None if self.stray.into is None else _feeds_with(self.analysis, self.stray.edits)


TRIED = 3
"""So many outputs are tried for somebody who is plugged into nothing."""


@dataclass(frozen=True)
class _Deaf:
    """Somebody whose headphones or other sockets are plugged into nothing."""

    analysis: Computed
    listener: str
    end: End

    @cached_property
    def ways(self) -> tuple[tuple[Fit, tuple[Edit, ...], dict[tuple[str, str], Delivery]], ...]:
        """The ways to plug them in, and who hears whom with each."""
        analysis = self.analysis
        wanted = [row.voice for row in analysis.feeds.values() if row.listener == self.listener and row.want == "hear"]
        ways = []
        for fit in outputs_with(analysis, self.end, wanted)[:TRIED]:
            edits = plug_edits(analysis.show, analysis, fit)
            feeds = _feeds_with(analysis, edits)
            if feeds is not None:
                ways.append((fit, edits, feeds))
        return tuple(ways)


def _deaf(analysis: Computed, listener: str) -> _Deaf | None:
    end = deaf_end(analysis, listener)
    return None if end is None else _Deaf(analysis, listener, end)


def _feeds_with(analysis: Computed, edits: tuple[Edit, ...]) -> dict[tuple[str, str], Delivery] | None:
    """Who hears whom with some edits; None where a loop howls or somebody has themselves back late who did not."""
    show = apply_all(analysis.show, edits)
    graph = build_graph(show, analysis.catalogue)
    transfer = Transfer(graph)
    feeds = all_feeds(show, graph, transfer)
    echo = any(row.verdict == "back" and analysis.feeds[key].verdict != "back" for key, row in feeds.items())
    return None if echo or transfer.howls else feeds


def _pair(analysis: Computed, feed: Delivery) -> tuple[str, str]:
    return analysis.party_name(feed.listener), analysis.party_name(feed.voice)


def _missing(analysis: Computed, feed: Delivery, ended: _Ended | None, deaf: _Deaf | None) -> Finding:
    listener, voice = _pair(analysis, feed)
    whom = "itself from a wedge or headphones" if feed.listener == feed.voice else voice
    kept = kept_pair(analysis, feed)
    others = [row for row in wanted_pairs(analysis) if (row.listener, row.voice) != feed.key]

    def is_fine(transfer: Transfer) -> bool:
        if not all(reaches(transfer, row) for row in (kept, *others)) or transfer.howls:
            return False
        return not _new_echo(analysis, transfer)

    def found() -> Iterator[Remedy]:
        none = True
        misses = [
            miss_of(analysis, row.voice, row.listener) for row in analysis.feeds.values() if row.verdict == "missing"
        ]
        yield from exchanges(analysis, [row for row in misses if row is not None])
        for i, door in enumerate(closing_switches(analysis.graph, kept.mouth, kept.ears, is_fine)):
            none = False
            yield Remedy(
                f"open-{i + 1}",
                switch_words(door),
                f"{listener} hears {voice}; nobody hears themselves late for it.",
                (SetValue(door.ref, not door.now),),
            )
        for remedy in _plugged(analysis, feed, ended) if ended is not None else ():
            none = False
            yield remedy
        if none:
            yield from _into_the_mix(analysis, feed)
        if deaf is not None:
            yield from _plugged_in(analysis, feed, deaf)

    if deaf is not None:
        text = f"{listener} should hear {whom}, and {deaf.end.name} is plugged into nothing."
    elif feed.gain_db is None:
        reason = (
            _why_silent(analysis, kept)
            if ended is None
            else f": it gets as far as {ended.stray.end.name}, where nothing is plugged in"
        )
        text = f"{listener} should hear {whom} and no signal path leads there{reason}."
    else:
        bleeds = feed.path is not None and goes_astray(feed.path)
        how = ", by way of other people's microphones" if bleeds else ""
        text = f"{listener} should hear {whom}, and gets it only {against_mark(feed.gain_db)}{how}."
    figures = (Derived("gain", feed.gain_db, "dB"),) if feed.gain_db is not None else ()
    on_air = analysis.show.party(feed.listener).kind in ("audience", "recorder")
    return Finding(
        "wanted-not-heard",
        "stop" if on_air else "fix",
        "Feeds",
        (feed.listener, feed.voice),
        f"{listener} does not hear {'itself' if feed.listener == feed.voice else voice}",
        text,
        figures,
        None,
        Later(found) if analysis.remedies else (),
        (feed.key,),
    )


def _plugged(analysis: Computed, feed: Delivery, ended: _Ended) -> Iterator[Remedy]:
    """Plugging in where a voice ends, where that is all it takes."""
    stray, feeds = ended.stray, ended.feeds
    if stray.into is not None and feeds is not None and feeds[feed.key].verdict != "missing":
        listener, voice = _pair(analysis, feed)
        effect = f"{listener} hears {voice}; nobody hears themselves late for it. Set its gain at Level."
        yield Remedy("plug", f"Plug {stray.end.name} into {stray.into.name}", effect, stray.edits)


def _into_the_mix(analysis: Computed, feed: Delivery) -> Iterator[Remedy]:
    """A free input of a mixer program that leads to the listener, fed by what has the voice in the same computer."""
    leading = analysis.leading_to(list(analysis.graph.ears[feed.listener]))
    tried = 0
    for device in analysis.show.devices:
        if not analysis.catalogue[device.kind].is_mixing_software:
            continue
        for end in free_inputs(analysis.show, analysis.catalogue, device):
            nodes = {
                analysis.graph.index[name]
                for side in ("", ".l", ".r")
                if (name := f"{end.ref}{side}") in analysis.graph.index
            }
            fits = outputs_with(analysis, end, [feed.voice]) if leading & nodes else ()
            for fit in fits[: TRIED - tried]:
                tried += 1
                edits = plug_edits(analysis.show, analysis, fit)
                feeds = _feeds_with(analysis, edits)
                if feeds is not None and feeds[feed.key].verdict != "missing":
                    listener, voice = _pair(analysis, feed)
                    effect = f"{listener} hears {voice}; nobody hears themselves late for it. Set its gain at Level."
                    yield Remedy("plug-mix", f"Plug {fit.source.name} into {end.name}", effect, edits)
                    return


def _plugged_in(analysis: Computed, feed: Delivery, deaf: _Deaf) -> Iterator[Remedy]:
    """Plugging a listener in, where that is all it takes: the output with most of what they should hear."""
    listener, voice = _pair(analysis, feed)
    for fit, edits, feeds in deaf.ways:
        if feeds[feed.key].verdict == "missing":
            continue
        others = [
            analysis.party_name(key[1])
            for key, row in feeds.items()
            if key[0] == feed.listener
            and key != feed.key
            and row.want == "hear"
            and row.verdict not in ("missing", "unwanted")
        ]
        more = f", and {', '.join(others)}" if others else ""
        effect = f"{listener} hears {voice}{more}; nobody hears themselves late for it. Start low."
        yield Remedy("plug-in", f"Plug {deaf.end.name} into {fit.source.name}", effect, edits)
        return


def _why_silent(analysis: Computed, kept: PairConstraint) -> str:
    """The first break behind the voice, if there is just one thing that stops it."""
    forward = reachable(analysis.graph, [kept.mouth], backward=False)
    for edge in analysis.graph.edges:
        if edge.source in forward and edge.broken and edge.broken != "panned to the other side":
            return f": {edge.broken} at {analysis.graph.nodes[edge.source].label}"
    return ""


def _new_echo(analysis: Computed, transfer: Transfer) -> bool:
    """Whether any party would now get itself back late that does not today."""
    for feed in analysis.feeds.values():
        if feed.listener != feed.voice or feed.verdict == "back":
            continue
        mouth, level = analysis.graph.mouths[feed.voice]
        for ear in analysis.graph.ears[feed.listener]:
            offset = level.value - analysis.mark_for(feed.listener, analysis.graph.nodes[ear].unit).value
            arrivals = arrivals_of(transfer, mouth, ear, floor_db=number("own-voice-floor") - offset, own=True)
            if late_return(arrivals, offset, at_once_ms(feed.want)) is not None:
                return True
    return False


def _unwanted(analysis: Computed, feed: Delivery, kept: list[PairConstraint]) -> Finding:
    listener, voice = _pair(analysis, feed)
    mouth, ears = analysis.graph.mouths[feed.voice][0], analysis.graph.ears[feed.listener]
    floor = (
        analysis.mark_for(feed.listener, feed.unit).value
        + number("heard-floor")
        - analysis.graph.mouths[feed.voice][1].value
    )

    def bad(transfer: Transfer) -> list[list[SignalPath]]:
        found = (best_paths(transfer, mouth, ear, floor_db=floor, most=4).paths for ear in ears)
        return [[path] for paths in found for path in paths if path.gain_db > floor]

    cuts = cuts_of(analysis, bad, kept, steady=True)
    explained = analysis.explain_feed(feed)
    return Finding(
        "heard-unwanted",
        "fix",
        "Feeds",
        (feed.listener, feed.voice),
        f"{listener} hears {voice} and must not",
        f"{listener} must not hear {voice}, and does, {against_mark(feed.gain_db or 0.0)}.{blocked(analysis, cuts)}",
        (Derived("gain", feed.gain_db or 0.0, "dB"), Derived("delay", feed.delay_ms or 0.0, "ms")),
        explained[0] if explained else None,
        remedies_of(analysis, cuts, f"{listener} no longer hears {voice}", kept) or leak_turned_down(analysis, feed),
        (feed.key,),
    )


def _off_level(analysis: Computed, feeds: list[Delivery]) -> Finding:
    """Voices that one listener gets too loud, or too quiet, the furthest off first."""
    offs = [(feed.gain_db or 0.0) - feed.wanted_gain_db for feed in feeds]
    listener, voice = _pair(analysis, feeds[0])
    word = "too loud" if offs[0] > 0 else "too quiet"
    names = ["itself" if feed.voice == feed.listener else analysis.party_name(feed.voice) for feed in feeds]
    told = ", ".join(f"{name} {abs(off):.1f} dB" for name, off in zip(names, offs, strict=True))
    title = f"{listener} gets itself {word}" if names[0] == "itself" else f"{voice} is {word} for {listener}"
    explained = analysis.explain_feed(feeds[0])
    text = f"{listener} gets {told} {'above' if offs[0] > 0 else 'under'} the wanted level: {word}."
    more = f", and {len(feeds) - 1} more" if len(feeds) > 1 else ""
    return Finding(
        f"heard-{word.replace(' ', '-')}",
        "note",
        "Feeds",
        (feeds[0].listener, *(feed.voice for feed in feeds)),
        f"{title}{more}",
        text,
        (Derived("off", offs[0], "dB"),),
        explained[0] if explained else None,
        Later(partial(for_this_ear, analysis, feeds, offs)),
        tuple(feed.key for feed in feeds),
    )


def _late(analysis: Computed, feed: Delivery) -> Finding:
    listener, voice = _pair(analysis, feed)
    delay = feed.delay_ms or 0.0
    limit = figure("one-way-limit")
    explained = analysis.explain_feed(feed)
    text = (
        f"{voice} reaches {listener} {show_number(delay, 'ms')} late; conversation bears {limit.value:.0f} ms at most."
    )
    return Finding(
        "one-way-late",
        "fix",
        "Feeds",
        (feed.listener, feed.voice),
        f"Latency: {voice} is late for {listener}",
        text,
        (Derived("delay", delay, "ms"),),
        explained[1] if explained else None,
        pairs=(feed.key,),
    )
