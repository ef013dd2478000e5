"""Welcome: three questions filled from the keyboard; the rig and who hears whom grow beside them; then a show that is on its marks."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QResizeEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.shelf import Shelf
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.stages.welcome.options import fill_options
from kymaphon.app.stages.welcome.question import Answer, QuestionCard
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.outline_picture import HearingPicture, OutlinePicture
from kymaphon.app.widgets.tips import plain_tip
from kymaphon.app.widgets.why import label
from kymaphon.app.worker import Worker
from kymaphon.core.compose.again import Recomposed, recompose
from kymaphon.core.compose.compose import Composed, compose, plugged
from kymaphon.core.compose.settle import Question, Remark
from kymaphon.core.compose.starts import starts
from kymaphon.core.compose.words import NotUnderstood, hearer_words, sort_words, taken, with_thing
from kymaphon.core.model.answers import Answers
from kymaphon.core.model.catalogue import Kind, shipped_catalogue
from kymaphon.core.model.show import Show
from kymaphon.core.model.stages import SEVERITIES
from kymaphon.core.report.outline import hearing_of, outline_of

QUESTIONS: tuple[tuple[Question, str, str, str], ...] = (
    (
        "heard",
        "What must be heard?",
        "somebody, or something \u2026",
        "A name and Enter: Mira; Tam on a headset; Ferry by call; Caller by telephone; guitar; jingles; crowd; room 6 by 4.",
    ),
    (
        "hears",
        "Who hears it?",
        "and \u2026",
        "Stream; recording; recording each on a track; line; loudspeakers; headphones. Those far away always hear all but themselves.",
    ),
    (
        "have",
        "What do you have?",
        "two-input interface, 2 headphones \u2026",
        "What is there, by name. What is missing is proposed, and stands here with a dashed edge.",
    ),
)
WIDE_LETTERS = 125
"""From so many letters of width on the pictures stand beside the questions."""
MOST_TOLD = 4
WAIT_MS = 60
"""So long after the last answer the whole is computed: a run of keys is computed once."""


def in_computer(kind: Kind) -> bool:
    """Whether a kind is a program: nothing to be got or carried."""
    ports = (*kind.inputs, *kind.outputs)
    return kind.runs_in_computer or all(port.connector == "inside" for port in ports)


class WelcomeSurface(StageSurface):
    """The page for a new show.

    Signals:
        say: one line for the status line.
        started: a `Composed` to be opened; None for an empty show.
        changed: a `Recomposed`: other answers for the show that is open.
        wanted: `open`, `demo`, `recent`, or `back` to the show.
    """

    say = Signal(str)
    started = Signal(object)
    changed = Signal(object)
    wanted = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        self._shelf = Shelf(self.say.emit)
        self.catalogue = shipped_catalogue()
        self.answers = Answers()
        self.composed: Composed | None = None
        self.base: Show | None = None
        """The show whose answers are changed; None for a new one."""
        self._again: Recomposed | None = None
        self._due = QTimer(self)
        self._due.setSingleShot(True)
        self._due.setInterval(WAIT_MS)
        self._due.timeout.connect(self._compute)
        self._waiting = False
        self._worker = Worker(self, self._arrived, self._failed)
        self._build()
        self.begin(None)

    # building

    def _build(self) -> None:
        for item in (self.title, self.subtitle):
            item.setWordWrap(True)
        self.title.setText("A new show")
        self.subtitle.setText(
            "Answer three questions; what you see beside them is computed as you type. Everything can be changed later."
        )
        self.column.setContentsMargins(32, 20, 32, 12)
        self.links: dict[str, QPushButton] = {}
        for name, text, tip in (
            ("open", "&Open a show\u2026", "Opens a show file."),
            ("demo", "&Demo", "Opens Lantern Quay, with its faults in."),
            ("recent", "&Recent", "Shows that were open lately."),
            ("empty", "&Empty show", "Begins with nothing: everything is put in by hand."),
            ("back", "&Back to the show", "Leaves the answers as they are. Esc."),
        ):
            button = QPushButton(text)
            button.setProperty("role", "flat")
            button.setToolTip(plain_tip(tip))
            button.setStatusTip(tip)
            self.head.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            self.links[name] = button
            if name == "recent":
                self.recent = QMenu(button)
                self.recent.aboutToShow.connect(lambda: self.wanted.emit("recent"))
                button.setMenu(self.recent)
            elif name == "empty":
                button.clicked.connect(lambda: self.started.emit(None))
            else:
                button.clicked.connect(lambda _checked=False, name=name: self.wanted.emit(name))
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        body = QWidget()
        self._grid = grid = QGridLayout(body)
        grid.setContentsMargins(0, 8, 0, 0)
        grid.setSpacing(12)
        self._left, self._right = QWidget(), QWidget()
        left, right = QVBoxLayout(self._left), QVBoxLayout(self._right)
        for column in (left, right):
            column.setSpacing(12)
            column.setContentsMargins(0, 0, 0, 0)
        self.cards: dict[Question, QuestionCard] = {}
        for number, (question, title, hint, tip) in enumerate(QUESTIONS, 1):
            card = self.cards[question] = QuestionCard(number, title, hint, tip, self.theme)
            card.typed.connect(lambda text, question=question: self._typed(question, text))
            card.taken.connect(lambda text, question=question: self._take(question, text))
            card.pressed.connect(lambda name, question=question: self._pressed(question, name))
            card.removed.connect(lambda name, question=question: self._remove(question, name))
            left.addWidget(card)
        left.addLayout(self._start_row())
        left.addStretch(1)
        self.outline, self.hearing = OutlinePicture(self.theme), HearingPicture(self.theme)
        for title, picture, stretch in (
            ("So it will be plugged", self.outline, 3),
            ("So it will be heard", self.hearing, 2),
        ):
            card_ = QFrame()
            card_.setObjectName("card")
            column = QVBoxLayout(card_)
            column.setContentsMargins(16, 10, 16, 12)
            column.addWidget(label(title, "heading"))
            column.addWidget(picture, 1)
            if picture is self.outline:
                self.about = label("", "muted")
                column.addWidget(self.about)
            right.addWidget(card_, stretch)
        self._below = self._starts()
        area.setWidget(body)
        self.column.addWidget(area, 1)
        self._beside = False
        self._lay(beside=True)

    def _lay(self, *, beside: bool) -> None:
        """The pictures beside the questions, or below them where a window is narrow or its text large."""
        if beside == self._beside:
            return
        self._beside = beside
        for part in (self._left, self._right, self._below):
            self._grid.removeWidget(part)
        self._grid.addWidget(self._left, 0, 0)
        self._grid.addWidget(self._right, 0 if beside else 1, 1 if beside else 0)
        self._grid.addWidget(self._below, 2, 0, 1, 2 if beside else 1)
        self._grid.setColumnStretch(0, 6)
        self._grid.setColumnStretch(1, 5 if beside else 0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        self._lay(beside=self.width() >= self.fontMetrics().averageCharWidth() * WIDE_LETTERS)

    def _start_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.start = QPushButton("Start with it")
        self.start.setProperty("role", "primary")
        tip = "Opens this show. The doing list says what to plug and set, in a safe order. Ctrl+Enter."
        self.start.setToolTip(plain_tip(tip))
        self.start.setStatusTip(tip)
        self.start.clicked.connect(self.go)
        row.addWidget(self.start)
        self.verdict = label("", "muted")
        row.addWidget(self.verdict, 1)
        return row

    def _starts(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setSpacing(6)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("Or begin from", "heading"))
        row = FlowLayout(10)
        self.start_buttons: list[QPushButton] = []
        for n, start in enumerate(starts(), 1):
            button = QPushButton(f"{start.name}\n{start.about}")
            button.setProperty("role", "start")
            tip = f"{start.name}: {start.about}. Answers made ready, to be changed before you start. Alt+{n}."
            button.setToolTip(plain_tip(tip))
            button.setStatusTip(tip)
            button.setAccessibleName(f"{start.name}, {start.about}")
            button.setShortcut(QKeySequence(f"Alt+{n}"))
            button.clicked.connect(lambda _checked=False, start=start: self._begin_from(start.answers))
            row.addWidget(button)
            self.start_buttons.append(button)
        column.addLayout(row)
        return whole

    # answers

    def begin(self, show: Show | None) -> None:
        """Asks for a new show, or for other answers for one that was composed."""
        self.base = show
        known = shipped_catalogue()
        self.catalogue = self._shelf.on(known.with_kinds(*show.kinds) if show is not None else known)
        self.title.setText("A new show" if show is None else "The answers of this show")
        self.subtitle.setText(
            "Answer three questions; what you see beside them is computed as you type. Everything can be changed later."
            if show is None
            else "Change them: what was set by hand stays, and what would be otherwise is told before it is done."
        )
        self.start.setText("Start with it" if show is None else "Change the show")
        for name, button in self.links.items():
            button.setVisible((name == "back") is (show is not None))
        self._below.setVisible(show is None)
        self.set_answers(show.answers if show is not None and show.answers is not None else Answers())

    def set_answers(self, answers: Answers) -> None:
        """Other answers: shown at once, plugged at once, the rest computed beside the window."""
        self.answers = answers
        # Whoever answers on no longer waits for what was answered before.
        self._waiting = False
        self.composed, self._again = None, None
        show, settled = plugged(answers, self.catalogue)
        hues = {party.id: n for n, party in enumerate(show.parties)}
        self.outline.set_outline(outline_of(show, self.catalogue), hues)
        self.hearing.set_hearing(hearing_of(show), hues)
        self._show_chips(hues, settled.stock.added)
        self._remark(settled.remarks)
        some = bool(answers.voices)
        self.start.setEnabled(some)
        self.verdict.setText("Computing \u2026" if some else "Name somebody, or something, that must be heard.")
        self.about.setText("")
        if some:
            self._due.start()
        else:
            self._due.stop()

    def _show_chips(self, hues: dict[str, int], added: dict[str, int]) -> None:
        rows = [
            Answer(
                f"room {room.id}",
                room.name or "Room",
                f"{room.size_m[0]:g} \u00d7 {room.size_m[1]:g} m" if room.size_m else "",
            )
            for room in self.answers.rooms
        ]
        rows += [
            Answer(row.id, row.name, sort_words(row, self.catalogue), hues.get(row.id)) for row in self.answers.voices
        ]
        self.cards["heard"].set_answers(rows)
        self.cards["hears"].set_answers(Answer(row.sort, *hearer_words(row)) for row in self.answers.hearers)
        things = [
            Answer(row.kind, self._name(row.kind), f"\u00d7 {row.count}" if row.count > 1 else "")
            for row in self.answers.have
        ]
        things += [
            Answer(
                f"+{kind}", self._name(kind), f"\u00d7 {count}, proposed" if count > 1 else "proposed", proposed=True
            )
            for kind, count in added.items()
            if self.answers.voices and not in_computer(self.catalogue[kind])
        ]
        self.cards["have"].set_answers(things)

    def _name(self, kind: str) -> str:
        return self.catalogue[kind].name if kind in self.catalogue else kind

    def _typed(self, question: Question, text: str) -> None:
        card = self.cards[question]
        if not text.strip():
            card.tell("")
            return
        try:
            card.tell(f"Enter: {taken(question, text, self.answers, self.catalogue).told}")
        except NotUnderstood as problem:
            card.tell(str(problem))

    def _take(self, question: Question, text: str) -> None:
        card = self.cards[question]
        if not text.strip():
            self._next(question)
            return
        try:
            found = taken(question, text, self.answers, self.catalogue)
        except NotUnderstood as problem:
            card.tell(str(problem))
            self.say.emit(str(problem))
            return
        card.line.clear()
        self.set_answers(found.answers)
        self.say.emit(f"Taken: {found.told}. Backspace takes it away again.")

    def _next(self, question: Question) -> None:
        """Enter in an empty line goes on to the next question, and from the last to the start."""
        names = [row[0] for row in QUESTIONS]
        at = names.index(question) + 1
        (self.cards[names[at]].line if at < len(names) else self.start).setFocus(Qt.FocusReason.TabFocusReason)

    def _remove(self, question: Question, name: str) -> None:
        a = self.answers
        if question == "heard":
            gone = name or (a.voices[-1].id if a.voices else f"room {a.rooms[-1].id}" if a.rooms else "")
            rooms = tuple(row for row in a.rooms if f"room {row.id}" != gone)
            self.set_answers(a.with_(voices=tuple(row for row in a.voices if row.id != gone), rooms=rooms))
        elif question == "hears":
            last = name or (a.hearers[-1].sort if a.hearers else "")
            self.set_answers(a.with_(hearers=tuple(row for row in a.hearers if row.sort != last)))
        elif not name.startswith("+"):
            last = name or (a.have[-1].kind if a.have else "")
            self.set_answers(a.with_(have=tuple(row for row in a.have if row.kind != last)))

    def _pressed(self, question: Question, name: str) -> None:
        if name.startswith("+"):
            count = self.composed.to_get.get(name[1:], 1) if self.composed is not None else 1
            self.set_answers(with_thing(self.answers, name[1:], count))
            self.say.emit(f"{self._name(name[1:])}: it is there.")
            return
        chip = next((row for row in self.cards[question].chips() if row.property("answer") == name), None)
        self.options = menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        fill_options(
            menu, self.answers, question, name, self.catalogue, self.set_answers, lambda: self._remove(question, name)
        )
        if chip is not None:
            menu.popup(chip.mapToGlobal(chip.rect().bottomLeft()))

    def _begin_from(self, answers: Answers) -> None:
        self.set_answers(answers)
        self.cards["heard"].line.setFocus()
        self.say.emit("Change what you like, then Ctrl+Enter.")

    # computing

    def _compute(self) -> None:
        answers, base = self.answers, self.base
        if base is None:
            self._worker.ask(lambda: compose(answers, self.catalogue), answers)
        else:
            self._worker.ask(lambda: recompose(base, answers, self.catalogue), answers)

    def _arrived(self, about: object, result: object) -> None:
        if about is not self.answers:
            return
        if isinstance(result, Recomposed):
            self._again = result
            result = result.composed
        if not isinstance(result, Composed):
            return
        self.composed = result
        show, report = result.show, result.report
        hues = {party.id: n for n, party in enumerate(show.parties)}
        self.outline.set_outline(outline_of(show, self.catalogue), hues)
        self.hearing.set_hearing(hearing_of(show, report), hues)
        self._show_chips(hues, result.to_get)
        self._remark(result.remarks)
        counts = {name: sum(row.severity == name for row in report.findings) for name in SEVERITIES}
        steps = len(result.steps)
        self.verdict.setText(
            f"{counts['stop']} to stop for, {counts['fix']} to fix; {steps} {'step' if steps == 1 else 'steps'} for your hands"
        )
        self.about.setText(self._voices(result) if self._again is None else self._changes(self._again))
        if self._waiting:
            self._waiting = False
            self.go()

    @staticmethod
    def _changes(again: Recomposed) -> str:
        """What the answers would change of the show that is open."""
        rows = again.sentences
        if not rows:
            return "Nothing of the show would be otherwise."
        more = f" And {len(rows) - MOST_TOLD} more." if len(rows) > MOST_TOLD else ""
        return f"It would change: {' '.join(rows[:MOST_TOLD])}{more}"

    def _voices(self, result: Composed) -> str:
        """How the voices stand, and what has still to be got, in a line."""
        over = [
            ladder.last.voice_over_noise_db
            for ladder in result.report.main_ladders.values()
            if result.show.party(ladder.voice).kind in ("presenter", "guest")
        ]
        rows = []
        if over:
            rows.append(f"Voices on their mark, {min(over):.0f} dB and more over the noise.")
        things = [
            self._name(kind) if count == 1 else f"{count} \u00d7 {self._name(kind)}"
            for kind, count in result.to_get.items()
            if not in_computer(self.catalogue[kind])
        ]
        if things:
            rows.append(f"To get, or to say that it is there: {', '.join(things)}.")
        return " ".join(rows)

    def _failed(self, error: Exception) -> None:
        self.verdict.setText(f"This could not be computed: {error}")

    def _remark(self, remarks: object) -> None:
        rows = [row for row in remarks if isinstance(row, Remark)] if isinstance(remarks, tuple | list) else []
        quiet = not self.answers.voices and not self.answers.hearers
        for question, card in self.cards.items():
            card.set_remarks(() if quiet else [row.text for row in rows if row.question == question])

    def go(self) -> None:
        """Starts with what is there, as soon as it is computed."""
        if not self.answers.voices:
            self.say.emit("Name somebody, or something, that must be heard first. An empty show: at the upper right.")
            return
        if self.composed is None:
            self._waiting = True
            self.verdict.setText("Computing, then it starts \u2026")
            return
        if self._again is not None:
            self.changed.emit(self._again)
        else:
            self.started.emit(self.composed)

    # the stage

    def escape(self) -> None:
        if self.base is not None:
            self.wanted.emit("back")

    def set_scale(self, scale: float) -> None:
        self.outline.scale = self.hearing.scale = scale
        for card in self.cards.values():
            card.fit_line()
        self._fit()

    def first(self) -> QWidget:
        return self.cards["heard"].line
