"""Findings: what is wrong, why, and what would put it right. The rules that look for them are in `rules`."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any, overload

from kymaphon.core.derive import UNIT_KEYS, Derived
from kymaphon.core.model.edits import Edit, apply_all
from kymaphon.core.model.show import Show
from kymaphon.core.model.stages import SEVERITIES, Severity, Stage


@dataclass(frozen=True, slots=True)
class Remedy:
    """A named edit, with what it would change.

    Attributes:
        id: stable within its finding.
        label: what to do, as a button says it.
        effect: what will be so afterwards, in one sentence.
        edits: applied together, undone together.
        leads: it mends what other findings follow from: it comes first, also where it leaves something else to fix.
    """

    id: str
    label: str
    effect: str
    edits: tuple[Edit, ...]
    leads: bool = False

    def apply(self, show: Show) -> Show:
        """The show with this remedy in it."""
        return apply_all(show, self.edits)

    def to_json(self) -> dict[str, Any]:
        return {
            "id": self.id,
            "label": self.label,
            "effect": self.effect,
            "edits": [edit.to_json() for edit in self.edits],
        }


class Later(Sequence[Remedy]):
    """Remedies that are looked for when somebody looks at them, once; the same to whoever asks, from any thread.

    Args:
        find: looks for them, the least harmful first.
        key: tells these from others; without, nothing else is the same.
    """

    def __init__(self, find: Callable[[], Iterable[Remedy]], key: Hashable = None) -> None:
        self._find, self._lock = find, Lock()
        self._found: tuple[Remedy, ...] | None = None
        self.key = key if key is not None else id(self)

    def all(self) -> tuple[Remedy, ...]:
        with self._lock:
            if self._found is None:
                self._found = tuple(self._find())
            return self._found

    @overload
    def __getitem__(self, at: int) -> Remedy: ...
    @overload
    def __getitem__(self, at: slice) -> tuple[Remedy, ...]: ...
    def __getitem__(self, at: int | slice) -> Remedy | tuple[Remedy, ...]:
        return self.all()[at]

    def __len__(self) -> int:
        return len(self.all())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Later) and other.key == self.key

    def __hash__(self) -> int:
        return hash(self.key)


@dataclass(frozen=True, slots=True)
class Finding:
    """Something about the show that the operator should know.

    Attributes:
        code: stable, kebab-case.
        severity: `stop` never go on air like this, `fix` sort out before air, `note` worth knowing.
        stage: where in the order of work it belongs.
        subjects: ids of parties, devices or nodes.
        title: a few words.
        message: one sentence, plain words, with the figures.
        figures: the figures by name.
        why: the arithmetic; None where there is none to show.
        remedies: the least harmful first; `Later` where looking for them takes long.
        pairs: (listener, voice) of every feed it is about; empty where it is about no feed.
        refused: what would mend it and is not offered, with what it would cost, in sentences; see `offers`.
    """

    code: str
    severity: Severity
    stage: Stage
    subjects: tuple[str, ...]
    title: str
    message: str
    figures: tuple[Derived, ...] = ()
    why: Derived | None = None
    remedies: Sequence[Remedy] = ()
    pairs: tuple[tuple[str, str], ...] = ()
    refused: tuple[str, ...] = ()

    @property
    def may_have_remedies(self) -> bool:
        """Whether there are any, or whether nobody has looked yet."""
        return isinstance(self.remedies, Later) or bool(self.remedies)

    @property
    def key(self) -> tuple[str, tuple[str, ...]]:
        """Tells one finding from another across edits."""
        return self.code, self.subjects

    def to_json(self) -> dict[str, Any]:
        figures: dict[str, float] = {}
        for row in self.figures:
            figures.update(_figure_json(row))
        out = {
            "code": self.code,
            "severity": self.severity,
            "stage": self.stage,
            "subjects": list(self.subjects),
            "title": self.title,
            "message": self.message,
            "figures": figures,
            "remedies": [remedy.to_json() for remedy in self.remedies],
        }
        if self.refused:
            out["not_offered"] = list(self.refused)
        if self.pairs:
            out["pairs"] = [{"listener": listener, "voice": voice} for listener, voice in self.pairs]
        if self.why is not None:
            out["why"] = self.why.to_json()
        return out


def _figure_json(row: Derived) -> dict[str, float]:
    return {row.name.replace(" ", "_").replace("-", "_") + UNIT_KEYS[row.unit]: round(row.value, 4)}


def worst_first(found: Iterable[Finding]) -> tuple[Finding, ...]:
    """Findings by severity, otherwise in the order they came."""
    return tuple(sorted(found, key=lambda row: SEVERITIES.index(row.severity)))


FORMER_CODES = {
    "circle-howls": "loop-howls",
    "circle-rings": "loop-rings",
    "circle-echoes": "loop-echoes",
    "ways-not-told": "routes-not-told",
}
"""What codes were called before: still understood where one is given."""


def present_id(finding_id: str) -> str:
    """The id of a finding by the code that it has now."""
    code, at, subject = finding_id.partition("@")
    return f"{FORMER_CODES.get(code, code)}{at}{subject}"


def finding_ids(findings: Iterable[Finding]) -> dict[str, Finding]:
    """Id -> finding, in their order: its code and its first subject, `off-mark@ann`; the second of that name is `off-mark@ann#2`."""
    out: dict[str, Finding] = {}
    for row in findings:
        base = f"{row.code}@{row.subjects[0]}" if row.subjects else row.code
        name, number = base, 1
        while name in out:
            number += 1
            name = f"{base}#{number}"
        out[name] = row
    return out
