"""A small form in a dialog: labelled fields, checked as a whole when it is accepted; a wrong value is told and kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
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


@dataclass(frozen=True, slots=True)
class Field:
    """One field.

    Attributes:
        sort: `text`, `words` (several lines), `number`, `point`, `choice` or `check`.
        options: (value, words) of a choice.
        empty: whether nothing may be given, and what that means, in the field's own grey words.
    """

    name: str
    label: str
    sort: str = "text"
    value: Any = None
    options: tuple[tuple[Any, str], ...] = ()
    empty: str = ""
    tip: str = ""


class Form(QDialog):
    """The dialog. `take` gets the values by name and raises what is wrong with them; then the form stays open.

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
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self._fields, self._take = fields, take
        self._inputs: dict[str, QWidget] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label(title, "title"))
        if note:
            column.addWidget(label(note, "muted"))
        body = QWidget()
        rows = QFormLayout(body)
        rows.setContentsMargins(0, 0, 8, 0)
        rows.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        rows.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for field in fields:
            widget = self._input(field)
            widget.setObjectName(f"field {field.name}")
            widget.setAccessibleName(field.label)
            widget.setToolTip(plain_tip(field.tip or field.label))
            self._inputs[field.name] = widget
            rows.addRow(label(field.label, wrap=False), widget)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(body)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(area, 1)
        self.trouble = label("", "bad")
        self.trouble.setObjectName("trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        ok.setText("Take over")
        ok.setProperty("role", "primary")
        ok.setObjectName("take over")
        buttons.button(QDialogButtonBox.StandardButton.Cancel).setText("Leave as it is")
        for button in buttons.buttons():
            button.setIcon(button.icon().__class__())
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.setMinimumWidth(460)
        self.resize(520, min(140 + 42 * len(fields), 640))
        # What is typed goes into the first field; what stands there is marked, to be typed over.
        first = next(iter(self._inputs.values()), None)
        if first is not None:
            first.setFocus()
            if isinstance(first, QLineEdit):
                first.selectAll()

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
        line = QLineEdit(_shown(field))
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
            self._tell(f"{name}: {plain_error(first)}" if name else plain_error(first))
        except ShowProblem as error:
            self._tell(error.what)
        except (ValueError, FileProblem) as error:
            self._tell(str(error))
        except KeyError as error:
            self._tell(f"there is no {error.args[0]} any more")
        else:
            super().accept()

    def _tell(self, text: str) -> None:
        self.trouble.setText(text[:1].upper() + text[1:])
        self.trouble.show()


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
