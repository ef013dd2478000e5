"""What a rule is: a record of the codes that it may find, the stage that it belongs to and the facets that it reads."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from types import ModuleType

from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.facets import Facet
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.stages import Stage

Check = Callable[[Computed], Iterable[Finding]]
"""A pure function from the figures of a show to findings."""


@dataclass(frozen=True)
class Rule:
    """One rule.

    Attributes:
        codes: of the findings that it may make.
        stage: where these belong in the order of work.
        reads: the facets that its findings depend on, remedies included; where none of them changed, they stand.
        check: looks for them.
        notes_only: it never finds more than a note: a change that is tried is not weighed by it.
    """

    codes: tuple[str, ...]
    stage: Stage
    reads: frozenset[Facet]
    check: Check
    notes_only: bool

    @property
    def name(self) -> str:
        """The function's name, which no other rule has."""
        return self.check.__name__


_RECORDED: list[Rule] = []


def rule(*codes: str, stage: Stage, reads: Iterable[Facet], notes_only: bool = False) -> Callable[[Check], Check]:
    """Makes a function a rule.

    Raises:
        ValueError: it has no code, or a rule of its name is there already.
    """

    def record(check: Check) -> Check:
        if not codes or any(row.name == check.__name__ for row in _RECORDED):
            raise ValueError(f"{check.__name__} needs a code and a name of its own")
        _RECORDED.append(Rule(codes, stage, frozenset(reads), check, notes_only))
        return check

    return record


def in_order(modules: Iterable[ModuleType]) -> tuple[Rule, ...]:
    """Every rule there is, by module and, in a module, as they stand there.

    Raises:
        ValueError: a rule's module is not among them.
    """
    places = {module.__name__: n for n, module in enumerate(modules)}
    astray = {row.check.__module__ for row in _RECORDED} - set(places)
    if astray:
        raise ValueError(f"{', '.join(sorted(astray))} has rules and no place in the order")
    return tuple(sorted(_RECORDED, key=lambda row: places[row.check.__module__]))
