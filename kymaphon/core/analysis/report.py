"""What the window and the commands show of a show: its figures, what was found in them, and how far each stage is."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any

from kymaphon.core.computing.computed import Computed, lazy
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.findings import Finding, worst_first
from kymaphon.core.model.stages import SEVERITIES, STAGES, Severity


@dataclass(frozen=True)
class StageState:
    """How far a stage is: so many settled of so many, and its worst finding."""

    settled: int
    items: int
    worst: Severity | None


@dataclass(frozen=True)
class Report(Computed):
    """The figures of a show and the findings in them. Made by `analyse.analyse`.

    Attributes:
        found: name of each rule that was asked -> what it found.
        standing: the findings are those of the state before, and the show's own are still looked for.
        tried: what `offers` tried of the findings so far. Not kept with the figures: remedies that are looked for later hold on to
            those, so that a report would hold on to itself, and stay until garbage is collected.
    """

    findings: tuple[Finding, ...] = field(default=())
    found: Mapping[str, tuple[Finding, ...]] = field(default_factory=dict, repr=False, compare=False)
    standing: bool = False
    tried: dict[Hashable, Any] = field(default_factory=dict, repr=False, compare=False)

    @classmethod
    def of(cls, computed: Computed, found: Mapping[str, tuple[Finding, ...]]) -> Report:
        """The report of some figures; what was computed of them is shared, either way."""
        same = {row.name: getattr(computed, row.name) for row in fields(Computed)}
        return cls(**same, findings=worst_first(row for rows in found.values() for row in rows), found=found)

    @classmethod
    def held_over(cls, figures: Computed, before: Report | None) -> Report:
        """The figures of a show with the findings of a state before it, to be shown until its own are there; with none where no state of
        it was there before.

        Raises:
            ValueError: what is in the show is not what was in it: findings may be about what is gone.
        """
        if before is not None and not figures.same_rig(before):
            raise ValueError("findings of another rig")
        return replace(cls.of(figures, before.found if before is not None else {}), standing=True)

    @property
    def unsearched(self) -> bool:
        """Whether nobody has looked yet for what is wrong."""
        return self.standing and not self.found

    def counts(self) -> dict[Severity, int]:
        """How many findings of each severity."""
        return {severity: sum(row.severity == severity for row in self.findings) for severity in SEVERITIES}

    @lazy
    def stages(self) -> dict[str, StageState]:
        """Each stage's state, in the order of work."""
        out: dict[str, StageState] = {}
        for stage in STAGES:
            rows = [row for row in self.findings if row.stage == stage]
            worst = next((severity for severity in SEVERITIES if any(row.severity == severity for row in rows)), None)
            settled, items = self._settled(stage)
            out[stage] = StageState(settled, items, worst)
        return out

    def _bad(self, stage: str) -> set[str]:
        """Subjects of a stage's findings that have to be sorted out."""
        rows = (row for row in self.findings if row.stage == stage and row.severity != "note")
        return {subject for row in rows for subject in row.subjects}

    def _settled(self, stage: str) -> tuple[int, int]:
        if stage == "Feeds":
            asked = [feed for feed in self.feeds.values() if feed.asked or feed.listener == feed.voice or not feed.well]
            return sum(feed.well for feed in asked), len(asked)
        bad = self._bad(stage)
        if stage == "Level":
            there = {voice for voice, _ in self.ladders}
            return sum(voice.id not in bad and voice.id in there for voice in self.voices), len(self.voices)
        if stage == "Quiet":
            talkers = [voice.id for voice in self.voices if voice.kind not in NO_SPEECH]
            return sum(voice not in bad and bool(self.gates(voice)) for voice in talkers), len(talkers)
        if stage == "Rig":
            return sum(device.id not in bad for device in self.show.devices), len(self.show.devices)
        if stage == "Cast":
            placed = [party for party in self.show.parties if party.place is not None]
            return sum(row.at_m is not None and row.id not in bad for row in placed), len(placed)
        if stage == "Talk":
            there = {party.id for party in self.show.parties}
            on_it = {row.party for circuit in self.show.circuits for row in circuit.members} & there
            first = {row.subjects[0] for row in self.findings if row.stage == stage and row.severity != "note"}
            return len(on_it - first), len(on_it)
        if stage == "Prove":
            from kymaphon.core.prove.proven import proofs

            pairs = proofs(self)
            return sum(row.holds for row in pairs), len(pairs)
        if stage == "Air":
            from kymaphon.core.air.run import run_of

            began = run_of(self.show.log).began
            return sum(row.id in began for row in self.show.rundown), len(self.show.rundown)
        return 0, len(self.show.log if stage == "Book" else ())
