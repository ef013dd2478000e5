"""Everything that is computed of a show, gathered: what the window and the commands show."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property

from kymaphon.core.catalogue import Catalogue
from kymaphon.core.derive import Derived
from kymaphon.core.figures import Practice, practices
from kymaphon.core.findings import SEVERITIES, Finding, Severity
from kymaphon.core.graph import SignalGraph
from kymaphon.core.levels import Ladder, NoiseField, build_ladder
from kymaphon.core.paths import Found, best_paths, find_circles
from kymaphon.core.routing import Arrival, Feed, arrivals_of, explain_delay, explain_level
from kymaphon.core.show import Party, Show
from kymaphon.core.transfer import Transfer

STAGES = ("Cast", "Rig", "Talk", "Level", "Quiet", "Feeds", "Prove", "Air", "Book")


@dataclass(frozen=True)
class StageState:
    """How far a stage is: so many settled of so many, and its worst finding."""

    settled: int
    items: int
    worst: Severity | None


@dataclass(frozen=True)
class Analysis:
    """One show, computed. Made by `analyse.analyse`; findings are filled in last, by the rules, from all the rest."""

    show: Show
    catalogue: Catalogue
    graph: SignalGraph
    transfer: Transfer
    feeds: dict[tuple[str, str], Feed]
    findings: tuple[Finding, ...] = field(default=())

    @property
    def practice(self) -> Practice:
        return practices()[self.show.practice]

    @cached_property
    def circles(self) -> Found:
        """The circles of the rig, strongest first."""
        return find_circles(self.transfer)

    @cached_property
    def noise(self) -> NoiseField:
        return NoiseField(self.graph, self.transfer)

    @property
    def voices(self) -> tuple[Party, ...]:
        """Parties that are heard, in the show's order."""
        return tuple(party for party in self.show.parties if party.id in self.graph.mouths)

    @property
    def listeners(self) -> tuple[Party, ...]:
        """Parties that hear, in the show's order."""
        return tuple(party for party in self.show.parties if party.id in self.graph.ears)

    @property
    def ends(self) -> tuple[Party, ...]:
        """Where the programme goes: audiences, then recorders; if there are none, every listener."""
        rows = [party for kind in ("audience", "recorder") for party in self.listeners if party.kind == kind]
        return tuple(rows) or self.listeners

    @cached_property
    def ladders(self) -> dict[tuple[str, str], Ladder]:
        """(voice, end) -> ladder, for every voice that reaches an end."""
        out = {}
        for voice in self.voices:
            for end in self.ends:
                ladder = self.ladder(voice.id, end.id)
                if ladder is not None and voice.id != end.id:
                    out[voice.id, end.id] = ladder
        return out

    def ladder(self, voice: str, listener: str) -> Ladder | None:
        """The ladder of a voice to a listener along the strongest way, or None when no way leads there."""
        feed = self.feeds.get((listener, voice))
        if feed is None or feed.path is None:
            return None
        return build_ladder(self.show, self.graph, self.noise, voice, listener, feed.path)

    def any_ladder(self, voice: str) -> Ladder | None:
        """The ladder of a voice to the first end that it reaches; None when it reaches none."""
        return next((row for (who, _), row in self.ladders.items() if who == voice), None)

    def ladder_to_node(self, voice: str, node: str) -> Ladder | None:
        """The ladder of a voice to any point of the rig. Raises KeyError for an unknown point."""
        target = self.graph.index[node]
        ways = best_paths(self.transfer, self.graph.mouths[voice][0], target, most=1).paths
        return build_ladder(self.show, self.graph, self.noise, voice, node, ways[0]) if ways else None

    def arrivals(self, listener: str, voice: str) -> tuple[Arrival, ...]:
        """Every time at which a voice reaches a listener, strongest first."""
        feed = self.feeds[listener, voice]
        if feed.node is None or feed.arrivals:
            return feed.arrivals
        return arrivals_of(self.transfer, self.graph.mouths[voice][0], feed.node)

    def explain_feed(self, feed: Feed) -> tuple[Derived, Derived] | None:
        """Level against the mark over all ways, and delay along the strongest; None when there is no way."""
        if feed.path is None:
            return None
        return explain_level(self.graph, feed, feed.path, self.practice), explain_delay(feed.path)

    def party_name(self, party_id: str) -> str:
        return self.show.party(party_id).name

    def counts(self) -> dict[Severity, int]:
        """How many findings of each severity."""
        return {severity: sum(row.severity == severity for row in self.findings) for severity in SEVERITIES}

    @cached_property
    def stages(self) -> dict[str, StageState]:
        """Each stage's state, in the order of work."""
        out = {}
        for stage in STAGES:
            rows = [row for row in self.findings if row.stage == stage]
            worst = next(
                (severity for severity in SEVERITIES if any(row.severity == severity for row in rows)), None
            )
            settled, items = self._settled(stage)
            out[stage] = StageState(settled, items, worst)
        return out

    def _settled(self, stage: str) -> tuple[int, int]:
        if stage == "Level":
            bad = {
                sid
                for row in self.findings
                if row.stage == "Level" and row.severity != "note"
                for sid in row.subjects
            }
            return sum(voice.id not in bad for voice in self.voices), len(self.voices)
        if stage == "Feeds":
            asked = [
                feed
                for feed in self.feeds.values()
                if feed.asked or feed.listener == feed.voice or not feed.well
            ]
            return sum(feed.well for feed in asked), len(asked)
        if stage == "Rig":
            bad = {
                sid
                for row in self.findings
                if row.stage == "Rig" and row.severity != "note"
                for sid in row.subjects
            }
            return sum(device.id not in bad for device in self.show.devices), len(self.show.devices)
        if stage == "Cast":
            placed = [party for party in self.show.parties if party.place is not None]
            return sum(party.at_m is not None for party in placed), len(placed)
        return 0, len(self.show.rundown if stage == "Air" else self.show.log if stage == "Book" else ())


Rule = Callable[[Analysis], Iterable[Finding]]
"""A pure function from an analysis (everything in it but its findings) to findings."""
