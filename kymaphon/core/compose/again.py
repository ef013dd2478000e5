"""Other answers for a show that is at work: what they change of it, with everything that was set by hand kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from kymaphon.core.compose.compose import Composed, compose
from kymaphon.core.mixes.doing import doing_edits
from kymaphon.core.model.answers import Answers
from kymaphon.core.model.base import Model
from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.changes import changes
from kymaphon.core.model.edits import Edit, SetField
from kymaphon.core.model.show import Setting, Show

TABLES: dict[str, Callable[[Any], Any]] = {
    "kinds": lambda row: row.id,
    "places": lambda row: row.id,
    "parties": lambda row: row.id,
    "devices": lambda row: row.id,
    "cables": lambda row: row.ends,
    "wants": lambda row: (row.listener, row.voice),
    "tracks": lambda row: row.id,
}
"""Tables that answers make, and what tells a row of each from the others."""


@dataclass(frozen=True)
class Recomposed:
    """What other answers would make of a show.

    Attributes:
        composed: the new answers by themselves.
        edits: one step of undo, the doing list's new steps among them.
        sentences: what would be otherwise, one sentence each.
        show: the show as it would be.
    """

    composed: Composed
    edits: tuple[Edit, ...]
    sentences: tuple[str, ...]
    show: Show


def recompose(show: Show, answers: Answers, catalogue: Catalogue | None = None) -> Recomposed:
    """What other answers would change of a show that was composed, and has been changed by hand since.

    The show as its own answers gave it is composed once more. What the new answers make otherwise than those is taken over; whatever
    stands otherwise than they left it was set by hand, and stays.

    Raises:
        ValueError: the show was not composed from answers.
    """
    kinds = catalogue or shipped_catalogue()
    if show.answers is None:
        raise ValueError("this show was made by hand: there are no answers to change")
    base, made = compose(show.answers, kinds).show, compose(answers, kinds)
    after = merged(base, made.show, show)
    edits: list[Edit] = [
        SetField("", None, table, getattr(after, table))
        for table in (*TABLES, "recording", "streaming")
        if getattr(after, table) != getattr(show, table)
    ]
    edits.append(SetField("", None, "answers", answers))
    sentences = changes(after, show, kinds)
    told = tuple(
        text.replace(" there and not here.", " taken away.").replace(" here and not there.", " new.")
        for text in sentences
        if not text.startswith("Answers")
    )
    return Recomposed(made, tuple(doing_edits(show, edits, kinds)), told, after)


def merged(base: Show, made: Show, mine: Show) -> Show:
    """`mine` with what is otherwise in `made` than in `base`, but for what is otherwise in `mine` than in `base`."""
    out: dict[str, Any] = {
        name: _table(getattr(base, name), getattr(made, name), getattr(mine, name), key) for name, key in TABLES.items()
    }
    for name in ("recording", "streaming"):
        was, new, now = (getattr(row, name) for row in (base, made, mine))
        out[name] = new if now == was else now
    ids = {row.id for row in out["devices"]}
    people = {row.id for row in out["parties"]}
    # A lead or a want whose end is gone goes with it.
    out["cables"] = tuple(row for row in out["cables"] if row.source_device in ids and row.target_device in ids)
    out["wants"] = tuple(row for row in out["wants"] if row.listener in people and row.voice in people)
    return mine.model_copy(update=out)


def _table(
    base: tuple[Any, ...], made: tuple[Any, ...], mine: tuple[Any, ...], key: Callable[[Any], Any]
) -> tuple[Any, ...]:
    was, new = ({key(row): row for row in rows} for rows in (base, made))
    out = []
    here = {key(row) for row in mine}
    for row in mine:
        name = key(row)
        if name in was and name not in new:
            continue
        out.append(_row(was[name], new[name], row) if name in was else row)
    # What somebody took away by hand stays away.
    out += [row for name, row in new.items() if name not in here and name not in was]
    return tuple(out)


def _row(was: Any, new: Any, now: Any) -> Any:
    """A row with the fields that the new answers set otherwise, where nobody has set them."""
    if was == new:
        return now
    fields: dict[str, Any] = {}
    for name in type(now).model_fields:
        a, b, c = (getattr(row, name) for row in (was, new, now))
        if name == "settings":
            fields[name] = _settings(a, b, c)
        elif a != b and c == a:
            fields[name] = b
    return now.model_copy(update=fields)


def _settings(was: dict[str, Setting], new: dict[str, Setting], now: dict[str, Setting]) -> dict[str, Setting]:
    out = dict(now)
    for key in dict.fromkeys([*was, *new]):
        a, b, c = (rows.get(key, Setting()) for rows in (was, new, now))
        row: Model = _row(a, b, c)
        if row != c or key in now:
            out[key] = row  # type: ignore[assignment]
    return out
