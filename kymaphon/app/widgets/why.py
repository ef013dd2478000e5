"""The Why panel: the arithmetic of what is selected line by line, findings about it, remedies with a
preview, switches on its way.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractButton,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kymaphon.app.theme import Theme
from kymaphon.app.widgets.marks import SEVERITY_NAMES, MarkLabel
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.core.derive import Derived
from kymaphon.core.findings import Finding, Remedy
from kymaphon.core.graph import Switch

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
    """Rebuilt from a `WhyContent` whenever the selection or the analysis changes."""

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

    def show_content(self, content: WhyContent, *, trying: bool = False) -> None:
        """Shows something else. Where the reader had scrolled to is kept while the title stays the same.

        Args:
            trying: remedies are still being tried on the show; none is offered before.
        """
        self.trying = trying
        same = content.title == self._content.title
        position = self.verticalScrollBar().value() if same else 0
        focused = self._focused_name() if same else ""
        self._content = content
        self._build()
        self.verticalScrollBar().setValue(position)
        if focused:
            for button in self.findChildren(QAbstractButton):
                if button.objectName() == focused:
                    button.setFocus()
                    break

    def _focused_name(self) -> str:
        widget = self.focusWidget()
        return widget.objectName() if isinstance(widget, QAbstractButton) and widget.hasFocus() else ""

    def _build(self) -> None:
        content = self._content
        body = QWidget()
        body.setObjectName("whyBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(4)
        if self.held is not None:
            self._add_held(column, self.held)
        column.addWidget(label(content.title, "title"))
        if content.subtitle:
            column.addWidget(label(content.subtitle, "bad" if content.bad else "muted"))
        column.addSpacing(8)
        for text in content.extra:
            column.addWidget(label(text))
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
            column.addWidget(label(text))
        if content.switches:
            column.addSpacing(8)
            column.addWidget(label(content.switches_title, "heading"))
            for switch in content.switches:
                row = QHBoxLayout()
                row.addWidget(label(switch.label.removesuffix(", mute"), "muted"), 1)
                row.addWidget(self._switch_button(switch))
                column.addLayout(row)
        if content.actions:
            column.addSpacing(8)
        for action in content.actions:
            column.addWidget(self._action_button(action))
        if content.hint:
            column.addSpacing(8)
            column.addWidget(label(content.hint, "muted"))
        column.addStretch(1)
        self.setWidget(body)

    def _action_button(self, action: Action, *, primary: bool = False) -> QPushButton:
        button = QPushButton(action.label)
        button.setObjectName(f"act {action.id}")
        button.setToolTip(plain_tip(action.tip))
        button.setStatusTip(action.tip)
        if primary:
            button.setProperty("role", "primary")
        if action.checked is not None:
            button.setCheckable(True)
            button.setChecked(action.checked)
        button.clicked.connect(lambda _checked=False, name=action.id: self.act.emit(name))
        return button

    def _add_held(self, column: QVBoxLayout, remedy: Remedy) -> None:
        """What is being previewed: it may have made its own finding vanish, so it is decided here."""
        column.addWidget(
            label("Preview, nothing changed yet", "badge", wrap=False), 0, Qt.AlignmentFlag.AlignLeft
        )
        column.addWidget(label(remedy.label, "heading"))
        column.addWidget(label(remedy.effect, "muted"))
        row = QHBoxLayout()
        do, end = QPushButton("Do this"), QPushButton("End preview")
        do.setProperty("role", "primary")
        do.setObjectName("do held")
        end.setObjectName("end held")
        end.setToolTip("Back to the show as it is. Esc")
        do.clicked.connect(lambda: self.apply_remedy.emit(remedy))
        end.clicked.connect(self.end_preview)
        for button in (do, end):
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            row.addWidget(button)
        column.addLayout(row)
        column.addSpacing(12)

    def _add_derivation(self, column: QVBoxLayout, derived: Derived) -> None:
        grid = QGridLayout()
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(1, 1)
        row = 0
        for term in derived.terms:
            row = self._add_term(grid, row, term, derived.name)
        if derived.terms:
            rule = QWidget()
            rule.setFixedHeight(1)
            rule.setObjectName("rule")
            grid.addWidget(rule, row, 0, 1, 3)
            row += 1
        grid.addWidget(label(_capital(derived.name)), row, 0, 1, 2, _TOP)
        grid.addWidget(_figure(derived.text()), row, 2, _TOP_RIGHT)
        column.addLayout(grid)
        if derived.equation():
            column.addWidget(label(derived.equation()))
        if derived.source:
            column.addWidget(label(_capital(derived.source), "muted"))
        column.addSpacing(8)

    def _add_term(self, grid: QGridLayout, row: int, term: Derived, within: str) -> int:
        name = label(_capital(term.name), "muted")
        how = [part for part in (term.equation(), f"source: {term.source}" if term.source else "") if part]
        name.setToolTip(plain_tip("\n".join(how) or term.text()))
        name.setStatusTip(", ".join(how))
        key = f"{within}/{term.name}"
        unfolds = bool(term.terms or term.formula or term.source)
        if unfolds:
            arrow = QToolButton()
            arrow.setArrowType(Qt.ArrowType.DownArrow if key in self._open else Qt.ArrowType.RightArrow)
            arrow.setFixedSize(14, 16)
            arrow.setObjectName(f"unfold {key}")
            arrow.setAccessibleName(f"Arithmetic and source of {term.name}")
            arrow.setToolTip("Shows where this figure comes from.")
            arrow.setStatusTip("Shows where this figure comes from.")
            arrow.clicked.connect(lambda _checked=False, key=key: self._unfold(key))
            grid.addWidget(arrow, row, 0, _TOP)
        grid.addWidget(name, row, 1, _TOP)
        grid.addWidget(_figure(term.text()), row, 2, _TOP_RIGHT)
        row += 1
        if unfolds and key in self._open:
            for below in term.terms:
                grid.addWidget(label(_capital(below.name), "muted"), row, 1)
                grid.addWidget(_figure(below.text()), row, 2, _TOP_RIGHT)
                row += 1
                if below.source or below.formula:
                    grid.addWidget(
                        label(", ".join(part for part in (below.formula, below.source) if part), "muted"),
                        row,
                        1,
                        1,
                        2,
                    )
                    row += 1
            text = ", ".join(part for part in (term.equation(), term.source) if part)
            if text:
                grid.addWidget(label(_capital(text), "muted"), row, 1, 1, 2)
                row += 1
        return row

    def _unfold(self, key: str) -> None:
        self._open ^= {key}
        self.show_content(self._content, trying=self.trying)

    def _add_finding(self, column: QVBoxLayout, finding: Finding) -> None:
        column.addSpacing(8)
        head = QHBoxLayout()
        head.setSpacing(8)
        mark = MarkLabel(finding.severity, self.theme)
        head.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
        title = label(finding.title, "heading")
        title.setAccessibleName(f"{SEVERITY_NAMES[finding.severity]}: {finding.title}")
        head.addWidget(title, 1)
        column.addLayout(head)
        column.addWidget(label(finding.message))
        if self.trying and finding.may_have_remedies:
            column.addWidget(label("What can be done is being tried on the show \u2026", "muted"))
            return
        for i, remedy in enumerate(finding.remedies):
            self._add_remedy(column, finding, remedy, primary=i == 0)
        for text in finding.refused:
            column.addWidget(label(text, "muted"))

    def _add_remedy(self, column: QVBoxLayout, finding: Finding, remedy: Remedy, *, primary: bool) -> None:
        card = QWidget()
        inner = QVBoxLayout(card)
        inner.setContentsMargins(0, 6, 0, 2)
        inner.setSpacing(4)
        inner.addWidget(label(remedy.label, "heading" if primary else ""))
        inner.addWidget(label(_capital(remedy.effect), "muted"))
        row = QHBoxLayout()
        row.setSpacing(8)
        do = QPushButton("Do this" if primary else "Do this instead")
        do.setProperty("role", "primary" if primary else "")
        do.setObjectName(f"do {finding.code} {remedy.id}")
        do.setAccessibleName(f"{remedy.label}. {remedy.effect}")
        do.setToolTip(plain_tip(f"{remedy.label}\n{remedy.effect}\nCan be undone."))
        do.setStatusTip(f"{remedy.label}. {remedy.effect} Can be undone.")
        do.clicked.connect(lambda _checked=False, remedy=remedy: self.apply_remedy.emit(remedy))
        look = QPushButton("Preview")
        look.setCheckable(True)
        look.setChecked(self.held == remedy)
        look.setObjectName(f"preview {finding.code} {remedy.id}")
        look.setAccessibleName(f"Preview: {remedy.label}")
        look.setToolTip("Shows what would change on this screen, without changing it. Press again to end.")
        look.setStatusTip("Shows what would change on this screen, without changing it. Press again to end.")
        look.clicked.connect(lambda checked, remedy=remedy: self._preview(checked, remedy))
        for button in (do, look):
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            row.addWidget(button)
        inner.addLayout(row)
        column.addWidget(card)

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
        button = QPushButton(now)
        button.setAccessibleName(f"{name}: {now.lower()}")
        button.setObjectName(f"switch {switch.ref.device} {switch.ref.key} {switch.ref.field}")
        tip = f"{name} is {now.lower()}. Press for {then.lower()}; every feed on this way follows. Can be undone."
        button.setToolTip(plain_tip(tip))
        button.setStatusTip(tip)
        button.clicked.connect(lambda _checked=False, switch=switch: self.flip.emit(switch))
        return button


def _figure(text: str) -> QLabel:
    row = label(text, "figure", wrap=False)
    row.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
    return row


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def findings_about(findings: Sequence[Finding], *subjects: str) -> tuple[Finding, ...]:
    """The findings that name any of these ids."""
    wanted = set(subjects)
    return tuple(row for row in findings if wanted & set(row.subjects))
