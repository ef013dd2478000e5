"""The Why panel: the arithmetic of what is selected line by line, findings about it, remedies with a
preview, switches on its way.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import (
    QApplication,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.arrangement import Arrangement, Slot
from kymaphon.app.widgets.marks import SEVERITY_NAMES, MarkLabel
from kymaphon.app.widgets.reuse import ArrowButton, Press, PushButton, Reused
from kymaphon.app.widgets.tips import plain_tip

if TYPE_CHECKING:
    from kymaphon.core.derive import Derived
    from kymaphon.core.graph.signal import Switch
    from kymaphon.core.model.findings import Finding, Remedy

_TOP = Qt.AlignmentFlag.AlignTop
_TOP_RIGHT = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight


@dataclass(frozen=True)
class Action:
    """Something that the stage can do about the selection, offered as a button."""

    id: str
    label: str
    tip: str
    checked: bool | None = None


@dataclass(frozen=True)
class WhyContent:
    """What the panel shows. `lines` are derivations, each printed with its terms, before the findings;
    `more` come after them, and `notes`, in words, after those. `lead` are the actions that come first, before any line.
    """

    title: str
    subtitle: str = ""
    bad: bool = False
    lines: tuple[Derived, ...] = ()
    findings: tuple[Finding, ...] = ()
    more: tuple[Derived, ...] = ()
    switches: tuple[Switch, ...] = ()
    switches_title: str = "Switches on the way"
    hint: str = ""
    extra: tuple[str, ...] = field(default=())
    actions: tuple[Action, ...] = ()
    lead: tuple[Action, ...] = ()
    notes: tuple[str, ...] = ()


def label(text: str, role: str = "", *, wrap: bool = True) -> QLabel:
    """A label of one of the style sheet's roles."""
    row = QLabel(text)
    row.setTextFormat(Qt.TextFormat.PlainText)
    row.setWordWrap(wrap)
    if role:
        row.setProperty("role", role)
    return row


def empty(layout: QLayout) -> None:
    """Takes every widget out of a layout and lets it go."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()


class WhyPanel(QScrollArea):
    """Shows a `WhyContent`, anew in place whenever the selection or the analysis changes."""

    apply_remedy = Signal(object)
    preview_remedy = Signal(object)
    end_preview = Signal()
    flip = Signal(object)
    act = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("why")
        self.theme = theme
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Why: the arithmetic, findings and remedies of what is selected")
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._content = WhyContent("")
        self._open: set[str] = set()
        self.held: Remedy | None = None
        self.trying = False
        self._body = body = QWidget()
        body.setObjectName("whyBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(4)
        self._arrangement = Arrangement(column)
        self._parts = Reused(body)
        self.setWidget(body)

    def show_content(self, content: WhyContent, *, trying: bool = False) -> None:
        """Shows something else, in place. Where the reader had scrolled to is kept while the title stays the same.

        Args:
            trying: remedies are still being tried on the show; none is offered before.
        """
        self.trying = trying
        if content.title != self._content.title:
            self.verticalScrollBar().setValue(0)
        self._content = content
        body = self._body
        within = body.isAncestorOf(QApplication.focusWidget() or self)
        self._parts.begin()
        self._build(self._arrangement.begin())
        self._parts.end()
        self._arrangement.end()
        way_back = self.findChild(QPushButton, "end held")
        if within and body.focusWidget() is None and isinstance(way_back, QPushButton):
            # What was pressed to preview it may be gone: the way back is under the finger.
            way_back.setFocus()

    def _build(self, column: Slot) -> None:
        content = self._content
        if self.held is not None:
            self._add_held(column, self.held)
        column.addWidget(self._label(content.title, "title"))
        if content.subtitle:
            column.addWidget(self._label(content.subtitle, "bad" if content.bad else "muted"))
        column.addSpacing(8)
        for text in content.extra:
            column.addWidget(self._label(text))
        for i, action in enumerate(content.lead):
            column.addWidget(self._action_button(action, primary=not i))
        if content.lead:
            column.addSpacing(8)
        for derived in content.lines:
            self._add_derivation(column, derived)
        for finding in content.findings:
            self._add_finding(column, finding)
        if content.more:
            column.addSpacing(12)
        for derived in content.more:
            self._add_derivation(column, derived)
        if content.notes:
            column.addSpacing(8)
        for text in content.notes:
            column.addWidget(self._label(text))
        if content.switches:
            column.addSpacing(8)
            column.addWidget(self._label(content.switches_title, "heading"))
            for switch in content.switches:
                row = self._arrangement.row()
                row.addWidget(self._label(switch.label.removesuffix(", mute"), "muted"), 1)
                row.addWidget(self._switch_button(switch))
                column.addLayout(row)
        if content.actions:
            column.addSpacing(8)
        for action in content.actions:
            column.addWidget(self._action_button(action))
        if content.hint:
            column.addSpacing(8)
            column.addWidget(self._label(content.hint, "muted"))
        column.addStretch(1)

    def proposal(self, code: str = "") -> QPushButton | None:
        """The button of what is offered first: a remedy, or what the page would do as a whole; None where nothing is.

        Args:
            code: only a remedy of such a finding.
        """
        buttons = [row for row in self.findChildren(PushButton) if row.isVisibleTo(self) and row.isEnabled()]
        rows = [row for row in buttons if row.objectName().startswith((f"do {code} ",) if code else ("do ", "act do "))]
        return min(
            rows, key=lambda row: (row.property("role") != "primary", row.mapTo(self, QPoint()).y()), default=None
        )

    def _label(self, text: str, role: str = "", *, wrap: bool = True, tip: str = "", status: str = "") -> QLabel:
        row = cast("QLabel", self._parts.take((role, wrap), lambda: label("", role, wrap=wrap)))
        row.setText(text)
        row.setAccessibleName("")
        row.setToolTip(plain_tip(tip) if tip else "")
        row.setStatusTip(status)
        return row

    def _figure(self, text: str) -> QLabel:
        row = self._label(text, "figure", wrap=False)
        row.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        return row

    def _button(
        self,
        text: str,
        name: str,
        then: Press,
        *,
        primary: bool = False,
        check: bool | None = None,
        tip: str = "",
        said: str = "",
        status: str = "",
        wide: bool = False,
    ) -> PushButton:
        """A button; `check`: whether it is down, where it can be; `said`: its accessible name."""

        def make() -> PushButton:
            button = PushButton()
            button.setProperty("role", "primary" if primary else "")
            button.setCheckable(check is not None)
            button.clicked.connect(button.press)
            if wide:
                button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            return button

        button = cast("PushButton", self._parts.take(("button", primary, check is not None, wide), make, name))
        if (button.text(), button.accessibleName()) != (text, said):
            button.setDown(False)  # a press that has begun was meant for what it was
        button.setText(text)
        button.setChecked(bool(check))
        button.then = then
        button.setAccessibleName(said)
        button.setToolTip(plain_tip(tip))
        button.setStatusTip(status or tip)
        return button

    def _action_button(self, action: Action, *, primary: bool = False) -> QPushButton:
        return self._button(
            action.label,
            f"act {action.id}",
            lambda _on: self.act.emit(action.id),
            primary=primary,
            check=action.checked,
            tip=action.tip,
        )

    def _add_held(self, column: Slot, remedy: Remedy) -> None:
        """What is being previewed: it may have made its own finding vanish, so it is decided here."""
        column.addWidget(
            self._label("Preview, nothing changed yet", "badge", wrap=False), 0, Qt.AlignmentFlag.AlignLeft
        )
        column.addWidget(self._label(remedy.label, "heading"))
        column.addWidget(self._label(remedy.effect, "muted"))
        row = self._arrangement.row()
        row.addWidget(
            self._button("Do this", "do held", lambda _on: self.apply_remedy.emit(remedy), primary=True, wide=True)
        )
        tip = "Back to the show as it is. Esc"
        row.addWidget(self._button("End preview", "end held", lambda _on: self.end_preview.emit(), tip=tip, wide=True))
        column.addLayout(row)
        column.addSpacing(12)

    def _add_derivation(self, column: Slot, derived: Derived) -> None:
        grid = self._arrangement.grid()
        row = 0
        for term in derived.terms:
            row = self._add_term(grid, row, term, derived.name)
        if derived.terms:
            grid.addWidget(self._parts.take("rule", _rule, "rule"), row, 0, 1, 3)
            row += 1
        grid.addWidget(self._label(_capital(derived.name)), row, 0, 1, 2, _TOP)
        grid.addWidget(self._figure(derived.text()), row, 2, _TOP_RIGHT)
        column.addLayout(grid)
        if derived.equation():
            column.addWidget(self._label(derived.equation()))
        if derived.source:
            column.addWidget(self._label(_capital(derived.source), "muted"))
        column.addSpacing(8)

    def _add_term(self, grid: Slot, row: int, term: Derived, within: str) -> int:
        how = [part for part in (term.equation(), f"source: {term.source}" if term.source else "") if part]
        name = self._label(_capital(term.name), "muted", tip="\n".join(how) or term.text(), status=", ".join(how))
        key = f"{within}/{term.name}"
        unfolds = bool(term.terms or term.formula or term.source)
        if unfolds:
            arrow = cast("ArrowButton", self._parts.take("arrow", _arrow, f"unfold {key}"))
            arrow.setArrowType(Qt.ArrowType.DownArrow if key in self._open else Qt.ArrowType.RightArrow)
            arrow.setAccessibleName(f"Arithmetic and source of {term.name}")
            arrow.then = lambda _on: self._unfold(key)
            grid.addWidget(arrow, row, 0, _TOP)
        grid.addWidget(name, row, 1, _TOP)
        grid.addWidget(self._figure(term.text()), row, 2, _TOP_RIGHT)
        row += 1
        if unfolds and key in self._open:
            for below in term.terms:
                grid.addWidget(self._label(_capital(below.name), "muted"), row, 1)
                grid.addWidget(self._figure(below.text()), row, 2, _TOP_RIGHT)
                row += 1
                if below.source or below.formula:
                    grid.addWidget(
                        self._label(", ".join(part for part in (below.formula, below.source) if part), "muted"),
                        row,
                        1,
                        1,
                        2,
                    )
                    row += 1
            text = ", ".join(part for part in (term.equation(), term.source) if part)
            if text:
                grid.addWidget(self._label(_capital(text), "muted"), row, 1, 1, 2)
                row += 1
        return row

    def _unfold(self, key: str) -> None:
        self._open ^= {key}
        self.show_content(self._content, trying=self.trying)

    def _add_finding(self, column: Slot, finding: Finding) -> None:
        column.addSpacing(8)
        head = self._arrangement.row()
        severity = finding.severity
        mark = self._parts.take(("mark", severity), lambda: MarkLabel(severity, self.theme))
        head.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
        title = self._label(finding.title, "heading")
        title.setAccessibleName(f"{SEVERITY_NAMES[severity]}: {finding.title}")
        head.addWidget(title, 1)
        column.addLayout(head)
        column.addWidget(self._label(finding.message))
        if self.trying and finding.may_have_remedies:
            column.addWidget(self._label("What can be done is being tried on the show \u2026", "muted"))
            return
        for i, remedy in enumerate(finding.remedies):
            self._add_remedy(column, finding, remedy, primary=i == 0)
        for text in finding.refused:
            column.addWidget(self._label(text, "muted"))

    def _add_remedy(self, column: Slot, finding: Finding, remedy: Remedy, *, primary: bool) -> None:
        column.addSpacing(6)
        column.addWidget(self._label(remedy.label, "heading" if primary else ""))
        column.addWidget(self._label(_capital(remedy.effect), "muted"))
        row = self._arrangement.row()
        do = self._button(
            "Do this" if primary else "Do this instead",
            f"do {finding.code} {remedy.id}",
            lambda _on: self.apply_remedy.emit(remedy),
            primary=primary,
            tip=f"{remedy.label}\n{remedy.effect}\nCan be undone.",
            said=f"{remedy.label}. {remedy.effect}",
            status=f"{remedy.label}. {remedy.effect} Can be undone.",
            wide=True,
        )
        look = self._button(
            "Preview",
            f"preview {finding.code} {remedy.id}",
            lambda on: self._preview(on, remedy),
            check=self.held == remedy,
            tip="Shows what would change on this screen, without changing it. Press again to end.",
            said=f"Preview: {remedy.label}",
            wide=True,
        )
        row.addWidget(do)
        row.addWidget(look)
        column.addLayout(row)
        column.addSpacing(2)

    def _preview(self, on: bool, remedy: Remedy) -> None:
        if on:
            self.preview_remedy.emit(remedy)
        else:
            self.end_preview.emit()

    def _switch_button(self, switch: Switch) -> QPushButton:
        mute = switch.ref.field == "mute"
        passing, stopped = ("Open", "Muted") if mute else ("On", "Off")
        now, then = (passing, stopped) if switch.passes else (stopped, passing)
        name = switch.label.removesuffix(", mute")
        tip = f"{name} is {now.lower()}. Press for {then.lower()}; every feed on this path follows. Can be undone."
        key = f"switch {switch.ref.device} {switch.ref.key} {switch.ref.field}"
        return self._button(now, key, lambda _on: self.flip.emit(switch), tip=tip, said=f"{name}: {now.lower()}")


def _rule() -> QWidget:
    rule = QWidget()
    rule.setFixedHeight(1)
    return rule


def _arrow() -> ArrowButton:
    arrow = ArrowButton()
    arrow.setFixedSize(14, 16)
    arrow.clicked.connect(arrow.press)
    arrow.setToolTip("Shows where this figure comes from.")
    arrow.setStatusTip("Shows where this figure comes from.")
    return arrow


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def findings_about(findings: Sequence[Finding], *subjects: str) -> tuple[Finding, ...]:
    """The findings that name any of these ids."""
    wanted = set(subjects)
    return tuple(row for row in findings if wanted & set(row.subjects))
