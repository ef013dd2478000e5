"""The patch list worked on: cells edited in place, lists in and out of CSV. Every change is one step of undo."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.rig.forms import RigForms
from kymaphon.app.widgets.form import number_of
from kymaphon.app.widgets.patch_table import Options
from kymaphon.core.model.connectors import adapters
from kymaphon.core.model.edits import Edit, SetCable, SetField
from kymaphon.core.model.ends import end_of
from kymaphon.core.wiring.fit import Fit, fit_of, partners
from kymaphon.core.wiring.patching import merged
from kymaphon.core.wiring.plugging import plug
from kymaphon.core.words import counted
from kymaphon.files.errors import FileProblem
from kymaphon.files.patch_file import read_patch, write_patch
from kymaphon.files.row_file import RowProblems

CSV_FILTER = "Lists (*.csv);;All files (*)"


class RigLists(QObject):
    """Takes over what is typed into the patch list, or what a file has.

    Signals:
        renamed: `from>to` of a cable that got another end, so that the selection can go with it.
    """

    renamed = Signal(str)

    def __init__(self, window: QWidget, document: Document, forms: RigForms) -> None:
        super().__init__(window)
        self.window, self.document, self.forms = window, document, forms

    def options(self, ends: tuple[str, str], field: str) -> Options:
        """What a cell of the patch list can become, the best first; what it is now leads."""
        show = self.document.show
        known = self.document.analysis.catalogue.with_kinds(*show.kinds)
        if not any(row.ends == ends for row in show.cables):
            return ()
        source, target = (end_of(show, known, end) for end in ends)
        if field == "adapter":
            fit = fit_of(source, target)
            rows = [("", "as the two sockets are"), *((row.id, row.name) for row in adapters().values())]
            now = next(row.adapter or "" for row in show.cables if row.ends == ends)
            best = fit.adapter.id if fit.adapter is not None else ""
            rows.sort(key=lambda row: (row[0] != now, row[0] != best))
            return tuple(rows)
        end, output = (target, False) if field == "source" else (source, True)
        here = source if field == "source" else target
        fits = partners(show, known, end, output=output, levels=self.forms.levels())

        def words(fit: Fit) -> tuple[str, str]:
            other = fit.source if field == "source" else fit.target
            return other.ref, f"{other.name}  \u00b7  {fit.words}"

        rest = [words(fit) for fit in fits if fit.works] + [words(fit) for fit in fits if not fit.works]
        return ((here.ref, here.name), *(row for row in rest if row[0] != here.ref))

    def edit(self, ends: tuple[str, str], field: str, text: str) -> None:
        """Takes over what was typed into a cell, or says what is wrong with it."""
        show = self.document.show
        cable = next((row for row in show.cables if row.ends == tuple(ends)), None)
        if cable is None:
            return
        known = self.document.analysis.catalogue.with_kinds(*show.kinds)
        try:
            if field in ("source", "target"):
                near, far = (text, cable.target) if field == "source" else (cable.source, text)
                if (near, far) == cable.ends:
                    return
                fit = fit_of(end_of(show, known, near), end_of(show, known, far))
                if not fit.works:
                    self.document.trouble.emit(fit.faults[0].text)
                    return
                fresh = plug(show, known, near, far, length_m=cable.length_m, label=cable.label).cable
                rows = tuple(fresh if row is cable else row for row in show.cables)
                edits: tuple[Edit, ...] = (SetField("show", None, "cables", rows),)
                self.renamed.emit(">".join(fresh.ends))
            else:
                edits = (SetCable(*cable.ends, field, _value(field, text)),)
        except (ValueError, KeyError) as problem:
            self.document.trouble.emit(_first_words(problem))
            return
        self._do(edits, f"Patch list: {field.removesuffix('_m')}")

    # lists in and out

    def ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Import a patch list", "", CSV_FILTER)
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Takes cables over from a list; the good rows of one with bad ones only when the user agrees."""
        try:
            cables = read_patch(path, self.document.show, self.document.analysis.catalogue)
        except RowProblems as problem:
            if not problem.good or not self._agrees(problem):
                self.document.trouble.emit(f"{problem}. Nothing was imported.")
                return
            cables = problem.good
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        if not cables:
            self.document.trouble.emit(f"{path.name} has no cables in it.")
            return
        self._do((merged(self.document.show, cables, self.document.analysis.catalogue),), f"Import {path.name}")
        self.document.trouble.emit(
            f"{counted(len(cables), 'cable')} imported from {path.name}. Ctrl+Z takes them back."
        )

    def _agrees(self, problem: RowProblems) -> bool:
        buttons = QMessageBox.StandardButton
        title = f"{counted(len(problem.problems), 'row')} cannot be used, {len(problem.good)} can"
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Import", title, buttons.Yes | buttons.No, self.window)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setInformativeText("\n".join(problem.problems[:8]) + ("\n\u2026" if len(problem.problems) > 8 else ""))
        box.button(buttons.Yes).setText("Keep the good ones")
        box.button(buttons.No).setText("Keep none")
        return bool(box.exec() == buttons.Yes)

    def ask_export(self, which: str) -> None:
        start = "patch-list.csv" if which == "export" else "pull-list.csv"
        name, _ = QFileDialog.getSaveFileName(self.window, "Write a list", start, CSV_FILTER)
        if name:
            self.give_out(Path(name), which)

    def give_out(self, path: Path, which: str = "export") -> None:
        """Writes the patch list, or the pull list."""
        from kymaphon.core.report.sheet import pull_table
        from kymaphon.files.guard import guard
        from kymaphon.files.sheet_file import table_csv
        from kymaphon.files.text_file import write_whole

        try:
            if which == "export":
                write_patch(path, self.document.analysis)
            else:
                guard(path)
                write_whole(path, table_csv(pull_table(self.document.analysis)).encode("utf-8"))
        except FileProblem as problem:
            self.document.trouble.emit(str(problem))
            return
        self.document.trouble.emit(f"Written: {path.name}")

    def _do(self, edits: tuple[Edit, ...], text: str) -> None:
        do(self.document, edits, text)


def do(document: Document, edits: tuple[Edit, ...], text: str) -> None:
    """Applies edits, or says in the status line why they cannot be."""
    try:
        document.apply(edits, text)
    except KeyError as gone:
        document.trouble.emit(f"{gone.args[0]} is no longer there.")
    except ValueError as problem:
        document.trouble.emit(str(problem).splitlines()[0])


def _value(field: str, text: str) -> object:
    if field == "length_m":
        return number_of(text.removesuffix("m").strip(), "Length") if text else None
    if field == "adapter":
        return text or None
    return text


def _first_words(problem: Exception) -> str:
    from pydantic import ValidationError

    from kymaphon.files.show_file import plain_error

    if isinstance(problem, ValidationError):
        return plain_error(problem.errors()[0])
    return str(problem.args[0] if problem.args else problem)
