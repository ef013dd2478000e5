"""The tables under Rig's picture: patch list, devices, cable routes, knobs, and what to pull from the store."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QTableView

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.rig import view
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Key, Row, RowTable
from kymaphon.app.widgets.patch_table import Options, PatchTable
from kymaphon.app.widgets.views import three_rows
from kymaphon.core.analysis.report import Report

Rows = tuple[tuple[str, ...], tuple[str, ...], Iterable[Row]]
"""Headings, their explanations, rows."""


class RigPage(StagePage):
    """One table. The stage's picture and the Why panel follow its row, and it follows theirs.

    Signals:
        picked: the thing that the user went to.
        opened: its details are wanted.
        removed: it is to go.
    """

    picked = Signal(str, str)
    opened = Signal()
    removed = Signal()

    def __init__(self, document: Document, theme: Theme, table: QTableView) -> None:
        super().__init__(document, theme, scrolls=False)
        self.table = table
        self.column.addWidget(table)

    def follow(self, key: Key) -> None:
        """Marks the row of what is selected."""

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(three_rows(scale))

    def first(self) -> QTableView:
        return self.table


class PatchPage(RigPage):
    """The patch list, worked on in its cells."""

    table: PatchTable

    def __init__(self, document: Document, theme: Theme, options: Callable[[tuple[str, str], str], Options]) -> None:
        super().__init__(document, theme, PatchTable(theme, options))
        self.table.chosen.connect(lambda ends: self.picked.emit("cable", ">".join(ends)))

    def refresh(self, voice: str, end: str) -> None:
        self.table.set_rows(view.patch_table_rows(self.document.analysis))

    def follow(self, key: Key) -> None:
        kind, name = key
        self.table.choose(tuple(name.split(">")) if kind == "cable" else None)  # type: ignore[arg-type]


class ListPage(RigPage):
    """A list of words.

    Args:
        rows: gives what it shows of an analysis.
    """

    table: RowTable

    def __init__(
        self, document: Document, theme: Theme, name: str, tip: str, rows: Callable[[Report], Rows], *spare: int
    ) -> None:
        super().__init__(document, theme, RowTable(theme, name, tip))
        self.rows = rows
        self.table.spare = spare

    def refresh(self, voice: str, end: str) -> None:
        headings, help_, rows = self.rows(self.document.analysis)
        self.table.set_rows(headings, help_, tuple(rows))


class ThingsPage(ListPage):
    """A list of things that can be opened and removed."""

    def __init__(
        self, document: Document, theme: Theme, name: str, tip: str, rows: Callable[[Report], Rows], *spare: int
    ) -> None:
        super().__init__(document, theme, name, tip, rows, *spare)
        self.table.chosen.connect(self._row_chosen)
        self.table.opened.connect(lambda _row: self.opened.emit())
        self.table.removed.connect(lambda _row: self.removed.emit())

    def _row_chosen(self, row: int, _column: int) -> None:
        rows = self.table.words.rows
        if row < len(rows):
            self.picked.emit(*rows[row].key)

    def follow(self, key: Key) -> None:
        self.table.choose(next((k for k, row in enumerate(self.table.words.rows) if row.key == key), -1))


def made(name: str, document: Document, theme: Theme, options: Callable[[tuple[str, str], str], Options]) -> RigPage:
    """A table by its name, made when it is first wanted.

    Args:
        options: what a cell of the patch list can become.
    """
    if name == "patch":
        return PatchPage(document, theme, options)
    if name == "devices":
        tip = "One row for each device. The picture and the Why panel follow the row; Enter opens its details."
        return ThingsPage(document, theme, "Devices", tip, _devices, 4, 1)
    if name == "routes":
        tip = "Audio cables and power in the same place, the riskiest first."
        return ThingsPage(document, theme, "Routes", tip, _routes)
    if name == "knobs":
        tip = "Which may be touched on air: who hears each of them turned."
        return ListPage(document, theme, "Knobs", tip, _knobs, 2)
    return ListPage(document, theme, "Pull list", "What to take out of the store; printed with the rig sheet.", _pull)


def _devices(analysis: Report) -> Rows:
    hues = {party.id: k for k, party in enumerate(analysis.show.parties)}
    return view.DEVICE_HEADINGS, view.DEVICE_HELP, view.device_rows(analysis, hues)


def _routes(analysis: Report) -> Rows:
    return view.ROUTE_HEADINGS, view.ROUTE_HELP, view.route_rows(analysis)


def _knobs(analysis: Report) -> Rows:
    return view.KNOB_HEADINGS, view.KNOB_HELP, view.knob_rows(analysis)


def _pull(analysis: Report) -> Rows:
    return view.PULL_HEADINGS, view.PULL_HELP, view.pull_rows(analysis)
