"""A small form in a dialog: labelled fields, checked as a whole when it is accepted; a wrong value is told and kept."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QFrame,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.tick import TickBox
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import label
from kymaphon.core.model.references import ShowProblem
from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import plain_error

TALLEST = 680
"""A form with more in it scrolls."""
ROOM_PASSES = 3
"""What is given to a form its layout hands on in steps."""


@dataclass(frozen=True, slots=True)
class Field:
    """One field.

    Attributes:
        sort: `text`, `words` (several lines), `number`, `point`, `choice` or `check`.
        options: (value, words) of a choice.
        empty: whether nothing may be given, and what that means, in the field's own grey words.
        more: it stands under More, which is closed unless something there is filled.
        when: a test of the values of the form: it is shown where that holds, and keeps its value where it does not.
    """

    name: str
    label: str
    sort: str = "text"
    value: Any = None
    options: tuple[tuple[Any, str], ...] = ()
    empty: str = ""
    tip: str = ""
    more: bool = False
    when: Callable[[dict[str, Any]], bool] | None = None

    @property
    def unit(self) -> str:
        """What stands in brackets behind the name of a figure: told inside the field."""
        found = re.fullmatch(r".* \(([^()]{1,14})\)", self.label)
        return found[1] if found and self.sort in ("number", "point") else ""

    @property
    def called(self) -> str:
        """The name without the unit."""
        return self.label.removesuffix(f" ({self.unit})") if self.unit else self.label


class UnitLine(QLineEdit):
    """A line with a unit at its right end, inside."""

    def __init__(self, text: str, unit: str) -> None:
        super().__init__(text)
        self._unit = QLabel(unit, self)
        self._unit.setProperty("role", "unit")
        self._unit.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._place()

    def _place(self) -> None:
        size = self._unit.sizeHint()
        self._unit.setGeometry(self.width() - size.width() - 10, 0, size.width(), self.height())
        self.setTextMargins(0, 0, size.width() + 8, 0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._place()


class Form(QDialog):
    """The dialog: a raised surface with an edge and a short title; what is common first, the rest under More.

    Args:
        take: gets the values by name and raises what is wrong with them; then the form stays open.
        shows: the effect of the values in one sentence, told as they are typed; empty, or a ValueError, where there is none.
        fills: gets the name of a choice that was made and its value; what other fields then stand at.

    Raises nothing itself: ValueError, KeyError, ShowProblem and FileProblem from `take` are shown.
    """

    def __init__(
        self,
        title: str,
        fields: tuple[Field, ...],
        take: Callable[[dict[str, Any]], None],
        parent: QWidget | None = None,
        *,
        note: str = "",
        shows: Callable[[dict[str, Any]], str] | None = None,
        fills: Callable[[str, Any], dict[str, Any]] | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self._fields, self._take, self._shows, self._fills = fields, take, shows, fills
        self._inputs: dict[str, QWidget] = {}
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        sheet = QFrame()
        sheet.setObjectName("sheet")
        whole.addWidget(sheet)
        column = QVBoxLayout(sheet)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label(title, "title"))
        if note:
            column.addWidget(label(note, "muted"))
        body = QWidget()
        body.setObjectName("sheetBody")
        groups = QVBoxLayout(body)
        groups.setContentsMargins(0, 0, 8, 0)
        self._rows: dict[str, tuple[QFormLayout, QWidget]] = {}
        groups.addLayout(self._group(tuple(row for row in fields if not row.more)))
        self.more = QPushButton("More")
        self.more.setProperty("role", "more")
        self.more.setCheckable(True)
        self.more.setAutoDefault(False)
        self.more.setObjectName("more")
        self._rest = QWidget()
        further = tuple(row for row in fields if row.more)
        rest = self._group(further)
        rest.setContentsMargins(0, 0, 0, 0)
        self._rest.setLayout(rest)
        self.more.toggled.connect(self._open)
        groups.addWidget(self.more)
        groups.addWidget(self._rest)
        groups.addStretch(1)
        self.more.setVisible(bool(further))
        self._area = area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(body)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(area, 1)
        self.effect = label("", "effect")
        self.effect.setObjectName("effect")
        self.effect.hide()
        column.addWidget(self.effect)
        self.trouble = label("", "bad")
        self.trouble.setObjectName("trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        ok.setText("Apply")
        ok.setProperty("role", "primary")
        ok.setObjectName("take over")
        buttons.button(QDialogButtonBox.StandardButton.Cancel).setText("Cancel")
        for button in buttons.buttons():
            button.setIcon(button.icon().__class__())
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.setMinimumWidth(460)
        self._open(any(row.value not in (None, "", False) for row in further))
        self.follow()
        # What is typed goes into the first field; what stands there is marked, to be typed over.
        first = next(iter(self._inputs.values()), None)
        if first is not None:
            first.setFocus()
            if isinstance(first, QLineEdit):
                first.selectAll()

    def _group(self, fields: tuple[Field, ...]) -> QFormLayout:
        rows = QFormLayout()
        rows.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        rows.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for field in fields:
            widget = self._input(field)
            widget.setObjectName(f"field {field.name}")
            widget.setAccessibleName(field.label)
            widget.setToolTip(plain_tip(field.tip or field.label))
            self._inputs[field.name] = widget
            self._rows[field.name] = rows, widget
            rows.addRow(label(field.called, wrap=False), widget)
            self._listen(field, widget)
        return rows

    def _listen(self, field: Field, widget: QWidget) -> None:
        if isinstance(widget, ChoiceBox):
            widget.activated.connect(lambda _index: self._chosen(field.name, widget.currentData()))
        elif isinstance(widget, QCheckBox):
            widget.toggled.connect(self.follow)
        elif isinstance(widget, QPlainTextEdit | QLineEdit):
            widget.textChanged.connect(self.follow)

    def _chosen(self, name: str, value: Any) -> None:
        """What follows from a choice stands in the other fields, as if it had been typed."""
        for other, set_to in (self._fills(name, value) if self._fills is not None else {}).items():
            widget = self._inputs.get(other)
            if isinstance(widget, ChoiceBox):
                widget.setCurrentIndex(max(0, widget.findData(set_to)))
            elif isinstance(widget, QCheckBox):
                widget.setChecked(bool(set_to))
            elif isinstance(widget, QLineEdit):
                field = next(row for row in self._fields if row.name == other)
                widget.setText(_shown(replace(field, value=set_to)))
        self.follow()

    def follow(self, *_: object) -> None:
        """Which fields are to be seen, and what the values come to."""
        self.trouble.hide()  # it was about what stood there
        try:
            values = self.values()
        except ValueError:
            self.effect.hide()
            return
        for field in self._fields:
            if field.when is not None:
                rows, widget = self._rows[field.name]
                rows.setRowVisible(widget, field.when(values))
        try:
            text = self._shows(values) if self._shows is not None else ""
        except (ValueError, KeyError, ShowProblem):
            text = ""
        self.effect.setText(text)
        self.effect.setVisible(bool(text))
        self._make_room()

    def _make_room(self) -> None:
        """Grows until every field is seen beside what is told under them, up to the height of a form."""
        body, sheet = self._area.widget(), self._area.parentWidget()
        column = sheet.layout() if sheet is not None else None
        if column is None or body is None or not self.isVisible():
            return
        margins = column.contentsMargins()
        inside = self.width() - margins.left() - margins.right()
        told = [row for row in (self.effect, self.trouble) if row.isVisibleTo(self)]
        for _ in range(ROOM_PASSES):
            column.activate()
            # A label that has just got more lines has not got their height yet.
            lack = max(body.sizeHint().height() - self._area.height(), 0)
            lack += sum(max(row.heightForWidth(inside) - row.height(), 0) for row in told)
            if lack <= 0:
                break
            self.resize(self.width(), min(self.height() + lack, max(TALLEST, self.height())))

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._make_room()

    def show_effect(self, shows: Callable[[dict[str, Any]], str]) -> None:
        """What tells the effect of the values from now on: for one that needs the form itself."""
        self._shows = shows
        self.follow()

    def _open(self, opened: bool) -> None:
        self.more.setChecked(opened)
        self.more.setText("Less" if opened else "More")
        self._rest.setVisible(opened)
        shown = sum(not row.more or opened for row in self._fields)
        self.resize(520, min(170 + 42 * shown, TALLEST))

    def _input(self, field: Field) -> QWidget:
        if field.sort == "choice":
            row = ChoiceBox()
            # Long words are cut with dots; the form stays as wide as it is.
            row.setSizeAdjustPolicy(ChoiceBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            row.setMinimumContentsLength(20)
            for value, words in field.options:
                row.addItem(words, value)
            row.setCurrentIndex(
                max(0, next((i for i, (value, _) in enumerate(field.options) if value == field.value), 0))
            )
            return row
        if field.sort == "check":
            box = TickBox()
            box.setChecked(bool(field.value))
            return box
        if field.sort == "words":
            text = QPlainTextEdit(str(field.value or ""))
            text.setTabChangesFocus(True)
            text.setFixedHeight(64)
            return text
        line = UnitLine(_shown(field), field.unit) if field.unit else QLineEdit(_shown(field))
        line.setPlaceholderText(field.empty)
        return line

    def values(self) -> dict[str, Any]:
        """What stands in the form.

        Raises:
            ValueError: a number is none, or something is missing.
        """
        out: dict[str, Any] = {}
        for field in self._fields:
            widget = self._inputs[field.name]
            if isinstance(widget, ChoiceBox):
                out[field.name] = widget.currentData()
            elif isinstance(widget, QCheckBox):
                out[field.name] = widget.isChecked()
            elif isinstance(widget, QPlainTextEdit):
                out[field.name] = widget.toPlainText().strip()
            elif isinstance(widget, QLineEdit):
                out[field.name] = _read(field, widget.text().strip())
        return out

    def accept(self) -> None:
        try:
            self._take(self.values())
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(step) for step in first["loc"] if isinstance(step, str))
            name = next((row.label for row in self._fields if row.name == where.partition(".")[0]), where)
            self.tell(f"{name}: {plain_error(first)}" if name else plain_error(first))
        except ShowProblem as error:
            self.tell(error.what)
        except (ValueError, FileProblem) as error:
            self.tell(str(error))
        except KeyError as error:
            self.tell(f"there is no {error.args[0]} any more")
        else:
            super().accept()

    def tell(self, text: str) -> None:
        """What is wrong, told under the fields."""
        self.trouble.setText(text[:1].upper() + text[1:])
        self.trouble.show()
        self._make_room()


def _shown(field: Field) -> str:
    if field.value is None:
        return ""
    if field.sort == "point":
        return f"{field.value[0]:g}, {field.value[1]:g}"
    return f"{field.value:g}" if isinstance(field.value, float | int) else str(field.value)


def _read(field: Field, text: str) -> Any:
    if not text:
        if not field.empty and field.sort != "text":
            raise ValueError(f"{field.label}: a figure is needed")
        return None if field.sort != "text" or field.empty else ""
    if field.sort == "number":
        return number_of(text, field.label)
    if field.sort == "point":
        parts = text.replace(";", " ").replace(", ", " ").split()
        if len(parts) == 1:
            parts = text.split(",")
        if len(parts) != 2:
            raise ValueError(f"{field.label}: two figures in metres, such as 1.4, 2.9")
        return number_of(parts[0], field.label), number_of(parts[1], field.label)
    return text


def number_of(text: str, name: str) -> float:
    """A number as people type it: a true minus sign or a decimal comma will do.

    Raises:
        ValueError: it is none.
    """
    try:
        value = float(text.replace("\u2212", "-").replace(",", "."))
    except ValueError:
        raise ValueError(f"{name}: {text[:30]} is not a number") from None
    if value != value or value in (float("inf"), float("-inf")):
        raise ValueError(f"{name}: {text[:30]} is not a number that can be used")
    return value
