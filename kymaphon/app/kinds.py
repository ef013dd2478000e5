"""The shelf: the user's own microphones, players and desks, to add, edit, import and export; kept across shows."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMessageBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.document import Document
from kymaphon.app.widgets.form import Field, Form
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import label
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.catalogue.recipe import PATTERNS, RECIPES, STAGES, Recipe, recipe_of
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.words import counted
from kymaphon.files.errors import FileProblem
from kymaphon.files.kinds_file import (
    put_on_shelf,
    read_kinds,
    read_shelf,
    take_off_shelf,
    write_kinds,
)
from kymaphon.files.row_file import RowProblems

FILTER = "Kinds (*.json *.csv);;All files (*)"
LABELS = {
    "name": "Name",
    "about": "About",
    "pattern": "Pickup pattern",
    "sensitivity_dbv_pa": "Sensitivity (dBV/Pa)",
    "self_noise_dba": "Own noise (dBA)",
    "max_db_spl": "Maximum level (dB SPL)",
    "impedance_ohm": "Output impedance (ohm)",
    "phantom_ma": "Draws phantom current (mA)",
    "nearest_m": "Made for no nearer than (m)",
    "farthest_m": "Made for up to (m)",
    "worn": "Worn on",
    "stereo": "Stereo",
    "max_dbu": "Clips at (dBu)",
    "mic_channels": "Microphone channels",
    "line_channels": "Line channels",
    "sends": "Sends",
    "mic_gain_db": "Microphone gain up to (dB)",
    "output_stage": "Balanced outputs are driven",
    "phantom_least_v": "Works from phantom of (V)",
    "ein_dbu": "Equivalent input noise at most gain (dBu)",
}
EMPTY = {
    "self_noise_dba": "the thermal noise of its impedance",
    "phantom_ma": "needs none",
    "phantom_least_v": "not stated",
}
STAGE_WORDS = {
    "each-leg": "each leg from earth",
    "floating": "floating, or by a transformer",
    "impedance-balanced": "on one leg",
}


def recipe_fields(recipe: Recipe) -> tuple[Field, ...]:
    """The fields of a recipe, in its order."""
    out = []
    for name in type(recipe).model_fields:
        value = getattr(recipe, name)
        if name in ("group", "id"):
            continue
        if name == "pattern":
            out.append(
                Field(name, LABELS[name], "choice", value, tuple((row, row.replace("-", " ")) for row in PATTERNS))
            )
        elif name == "output_stage":
            out.append(
                Field(
                    name,
                    LABELS[name],
                    "choice",
                    value,
                    ((None, "not stated"), *((row, STAGE_WORDS[row]) for row in STAGES)),
                )
            )
        elif name == "worn":
            out.append(
                Field(
                    name,
                    LABELS[name],
                    "choice",
                    value,
                    ((None, "nothing: stands or is held"), ("chest", "the chest"), ("head", "the head")),
                )
            )
        elif name == "about":
            out.append(Field(name, LABELS[name], "words", value))
        elif name == "stereo":
            out.append(Field(name, LABELS[name], "check", value))
        elif name == "name":
            out.append(Field(name, LABELS[name], value=value))
        else:
            out.append(Field(name, LABELS[name], "number", value, empty=EMPTY.get(name, "")))
    return tuple(out)


class KindsDialog(QDialog):
    """The list, and what can be done with it. Every change is on the disk before the list shows it."""

    def __init__(self, parent: QWidget, document: Document) -> None:
        super().__init__(parent)
        self.document = document
        self.setWindowTitle("Your own kinds")
        self.last: Form | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label("Your own kinds", "title"))
        column.addWidget(
            label(
                "Kept across shows. A show that uses one keeps a copy of its own, so that it opens anywhere.",
                "muted",
            )
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Your own kinds")
        self.list.itemActivated.connect(lambda _item: self.edit())
        column.addWidget(self.list, 1)
        self.trouble = label("", "bad")
        self.trouble.setObjectName("trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        for row in (
            (
                ("New microphone\u2026", "new microphone", lambda: self.new("microphone")),
                ("New player\u2026", "new player", lambda: self.new("player")),
                ("New desk\u2026", "new desk", lambda: self.new("desk")),
                ("Edit\u2026", "edit kind", self.edit),
            ),
            (
                ("Import\u2026", "import kinds", self.ask_import),
                ("Export\u2026", "export kinds", self.ask_export),
                ("Remove", "remove kind", self.remove),
                ("Close", "close kinds", self.accept),
            ),
        ):
            line = QHBoxLayout()
            for words, name, run in row:
                button = QPushButton(words)
                button.setObjectName(name)
                button.setAutoDefault(False)
                button.clicked.connect(lambda _checked=False, run=run: run())
                line.addWidget(button)
            column.addLayout(line)
        self.resize(560, 420)
        self.fill()

    def fill(self) -> None:
        """Reads the shelf."""
        chosen = self.chosen()
        self.list.clear()
        try:
            kinds = read_shelf()
        except FileProblem as problem:
            self.tell(f"{problem}. Nothing is written over it: move it away, or mend it.")
            return
        for kind in kinds:
            item = QListWidgetItem(f"{kind.name}  ({kind.group})")
            item.setData(Qt.ItemDataRole.UserRole, kind)
            item.setToolTip(plain_tip(kind.about or kind.name))
            self.list.addItem(item)
            if chosen is not None and kind.id == chosen.id:
                self.list.setCurrentItem(item)
        if self.list.currentItem() is None and self.list.count():
            self.list.setCurrentRow(0)

    def chosen(self) -> Kind | None:
        """The kind that is selected."""
        item = self.list.currentItem()
        found = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        return found if isinstance(found, Kind) else None

    def tell(self, text: str) -> None:
        """One sentence under the list; none when it is empty."""
        self.trouble.setText(text)
        self.trouble.setVisible(bool(text))

    def new(self, group: str) -> None:
        """A form for a new kind."""
        recipe = RECIPES[group].model_validate({"id": "new", "name": f"New {group}"})
        self._form(f"A {group} of your own", recipe, None)

    def edit(self) -> None:
        """The form of the selected kind."""
        kind = self.chosen()
        if kind is None:
            return
        recipe = recipe_of(kind)
        if recipe is None:
            self.tell(
                f"{kind.name} has more than this form can hold. Export it as JSON, edit it there, and import it again."
            )
            return
        self._form(kind.name, recipe, kind)

    def _form(self, title: str, recipe: Recipe, kind: Kind | None) -> None:
        def take(values: dict[str, Any]) -> None:
            given = dict(values)
            if not given.get("name"):
                raise ValueError("a name is needed")
            for name in ("mic_channels", "line_channels", "sends"):
                if name in given and float(given[name]).is_integer():
                    given[name] = int(given[name])
            taken = {row.id for row in read_shelf()} | {row.id for row in self.document.analysis.catalogue}
            if kind is not None:
                name = kind.id
            else:
                stem = fresh_id(self.document.show, given["name"])
                name = next(word for word in (stem, *(f"{stem}-{n}" for n in range(2, 10000))) if word not in taken)
            made = type(recipe).model_validate({**given, "id": name}).kind()
            self._into_show((made,))
            put_on_shelf(made)

        self.last = Form(title, recipe_fields(recipe), take, self)
        if self.last.exec():
            self.tell("")
            self.fill()

    def _into_show(self, kinds: tuple[Kind, ...]) -> None:
        """Renews the show's own copies of kinds, as one step of undo."""
        fresh = {kind.id: kind for kind in kinds}
        show = self.document.show
        if any(kind.id in fresh and fresh[kind.id] != kind for kind in show.kinds):
            rows = tuple(fresh.get(kind.id, kind) for kind in show.kinds)
            names = ", ".join(kind.name for kind in show.kinds if kind.id in fresh)
            self.document.apply((SetField("show", None, "kinds", rows),), f"Kind {names}")

    def remove(self) -> None:
        """Takes the selected kind off the shelf; shows that use it keep their copy."""
        kind = self.chosen()
        if kind is None:
            return
        try:
            take_off_shelf(kind.id)
        except FileProblem as problem:
            self.tell(str(problem))
            return
        self.tell(f"{kind.name} is off the shelf; shows that use it keep their copy.")
        self.fill()

    def ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import kinds", "", FILTER)
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Puts the kinds of a file on the shelf; good rows of a list with bad ones only when the user agrees."""
        try:
            kinds = read_kinds(path)
        except RowProblems as problem:
            if not problem.good or not self._agrees(problem):
                self.tell(str(problem))
                return
            kinds = problem.good
        except FileProblem as problem:
            self.tell(str(problem))
            return
        try:
            put_on_shelf(*kinds)
        except FileProblem as problem:
            self.tell(str(problem))
            return
        self._into_show(kinds)
        self.tell(f"{len(kinds)} put on the shelf.")
        self.fill()

    def _agrees(self, problem: RowProblems) -> bool:
        buttons = QMessageBox.StandardButton
        text = "\n".join(problem.problems[:8]) + ("\n\u2026" if len(problem.problems) > 8 else "")
        title = f"{counted(len(problem.problems), 'row')} cannot be used, {len(problem.good)} can"
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Import", title, buttons.Yes | buttons.No, self)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setInformativeText(text)
        box.button(buttons.Yes).setText("Keep the good ones")
        box.button(buttons.No).setText("Keep none")
        return bool(box.exec() == buttons.Yes)

    def ask_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Export kinds", "kinds.json", FILTER)
        if name:
            self.give_out(Path(name))

    def give_out(self, path: Path) -> None:
        """Writes the shelf as JSON or CSV."""
        try:
            left = write_kinds(path, read_shelf())
        except FileProblem as problem:
            self.tell(str(problem))
            return
        rest = (
            f" {', '.join(kind.name for kind in left)} hold more than a row can; export as JSON for those."
            if left
            else ""
        )
        self.tell(f"Written: {path.name}.{rest}")
