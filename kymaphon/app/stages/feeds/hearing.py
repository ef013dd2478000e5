"""Feeds, who hears whom: the table, and of the chosen pair its arrivals, its ways, its response, or its listener's wants."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.feeds.words import NOTHING
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.arrivals import SPAN_DB, ArrivalPicture, Stem, own_voice_zones
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.matrix import FeedMatrix, want_words
from kymaphon.app.widgets.response_picture import ResponsePicture
from kymaphon.app.widgets.views import mark_view, view_buttons
from kymaphon.app.widgets.way_picture import Station, WayPicture, WayRow
from kymaphon.app.widgets.why import Action, WhyContent, findings_about, label
from kymaphon.core.derive import show_number
from kymaphon.core.graph.routing import Delivery, at_once_ms, is_for_far_end
from kymaphon.core.mixes.cures import switches_of_feed, way_words
from kymaphon.core.mixes.returns import combined, legs_of, turn_of
from kymaphon.core.mixes.sentence import listener_sentence
from kymaphon.core.model.base import WantKind
from kymaphon.core.model.edits import SetWant
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.wants import wants_by_role
from kymaphon.core.report.sheet import VERDICT_WORDS, feed_severity
from kymaphon.core.words import counted

ORDER: tuple[WantKind, ...] = ("hear", "never", "any")
OWN_ORDER: tuple[WantKind, ...] = ("local", "hear", "never", "any")
BELOW = (
    ("arrivals", "Arrivals", "When and how loud the voice arrives, each path by itself."),
    ("ways", "Paths", "The signal paths device by device, and what each adds in time."),
    ("response", "Response", "What all paths do together, over frequency."),
    ("wants", "Wants", "What this listener should get and what it gets, side by side."),
)
WANT_HEADINGS = ("Voice", "Wanted", "Gets", "Off by", "So it is")
WANT_HELP = (
    "Who speaks",
    "What was asked for, or goes by the role. Enter asks for the next",
    "Level against the mark, and how late",
    "Above or under the wanted level",
    "How that stands",
)
ROOMY = 560
"""From this width on, at usual text size, the pair's name stands beside its buttons."""
RANK = ("back", "missing", "unwanted", "twice", "late", "loud", "quiet")


class HearingPage(StagePage):
    """The table above, one of four pictures of the chosen pair below.

    Signals:
        wants_view: the user asks for another view of the stage.
    """

    wants_view = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        self.listener: str | None = None
        """The listener that was asked for as a whole; None while a pair is chosen."""
        self.below = "arrivals"
        self.matrix = FeedMatrix(theme)
        self.matrix.cell_chosen.connect(lambda _feed: self._pair_chosen())
        self.matrix.next_want.connect(self._next_want)
        self.matrix.listener_chosen.connect(self.choose_listener)
        self.column.addWidget(_card(self.matrix), 3)
        card = QWidget()
        card.setObjectName("card")
        inside = QVBoxLayout(card)
        inside.setContentsMargins(16, 8, 12, 8)
        inside.setSpacing(2)
        self._head = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.pair, self.sentence = label("", "heading"), label("", "muted")
        self._head.addWidget(self.pair, 1)
        row = QHBoxLayout()
        row.setSpacing(4)
        self._buttons = view_buttons(self, row, BELOW, self.choose_below)
        self._head.addLayout(row)
        inside.addLayout(self._head)
        inside.addWidget(self.sentence)
        self.arrivals = ArrivalPicture(theme)
        self.ways = WayPicture(theme)
        self.response = ResponsePicture(theme)
        self.wants = RowTable(
            theme, "What this listener should get, and gets", "Enter asks for the next want of a voice."
        )
        self.wants.chosen.connect(lambda row, _column: self._voice_row(row))
        self.wants.opened.connect(self._want_row)
        self.stack = QStackedWidget()
        for part in (self.arrivals, self.ways, self.response, self.wants):
            self.stack.addWidget(part)
        inside.addWidget(self.stack, 1)
        self.column.addWidget(card, 2)
        mark_view(self._buttons, self.below)

    def set_scale(self, scale: float) -> None:
        for part in (self.arrivals, self.ways, self.response, self.matrix.delegate, self.matrix.voices):
            part.scale = scale
        self.matrix.setMinimumHeight(round(190 * scale))
        self.stack.setMinimumHeight(round(130 * scale))
        self.matrix.fit_rows()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        beside = self.width() >= ROOMY * self.arrivals.scale
        self._head.setDirection(QBoxLayout.Direction.LeftToRight if beside else QBoxLayout.Direction.TopToBottom)

    def first(self) -> QWidget | None:
        return self.matrix

    # what is shown

    def refresh(self, voice: str, end: str) -> None:
        analysis = self.document.analysis
        before = self.document.settled if self.document.previewing else None
        self.matrix.feeds.set_analysis(analysis, before)
        if self.matrix.current_feed() is None:
            self.choose_worst()
        self.title.emit("Who hears whom", self._headline())
        self._fill()

    def _headline(self) -> str:
        analysis = self.document.analysis
        if not analysis.feeds:
            return NOTHING
        if self.document.previewing:
            before = self.document.settled.feeds
            changed = sum(before[key].verdict != row.verdict for key, row in analysis.feeds.items() if key in before)
            return f"Preview: {changed} {'pair changes' if changed == 1 else 'pairs change'}, outlined. Esc ends it."
        broken = sum(not feed.well for feed in analysis.feeds.values())
        back = sum(feed.verdict == "back" for feed in analysis.feeds.values())
        howls = sum(row.code == "loop-howls" for row in analysis.findings)
        words = f"{counted(len(analysis.listeners), 'listener')}, {counted(len(analysis.voices), 'voice')}. "
        nothing = not any(feed.want in ("hear", "local", "never") for feed in analysis.feeds.values())
        words += f"{broken} not as wanted" if broken else "Nothing is wanted yet" if nothing else "All as wanted"
        words += f", {back} own voice back late" if back else ""
        return words + (", a loop howls." if howls else ".")

    def choose_worst(self) -> None:
        """The pair that most needs a look."""
        feeds = self.matrix.feeds
        analysis = feeds.analysis
        if analysis is None or not feeds.voices or not feeds.listeners:
            return
        bad = sorted(
            (feed for feed in analysis.feeds.values() if feed.verdict in RANK),
            key=lambda feed: RANK.index(feed.verdict),
        )
        self.choose(*(bad[0].key if bad else (feeds.listeners[0], feeds.voices[0])))

    def choose(self, listener: str, voice: str) -> None:
        """Selects a cell."""
        feeds = self.matrix.feeds
        if listener in feeds.listeners and voice in feeds.voices:
            self.matrix.setCurrentIndex(feeds.index(feeds.listeners.index(listener), feeds.voices.index(voice)))

    def choose_below(self, name: str) -> None:
        """Another picture of the pair."""
        self.below = name
        mark_view(self._buttons, name)
        self.stack.setCurrentIndex([row[0] for row in BELOW].index(name))
        self._fill()

    def choose_listener(self, listener: str) -> None:
        """A listener as a whole: its sentence and its wants."""
        self.listener = listener
        feed = self.matrix.current_feed()
        if feed is None or feed.listener != listener:
            voices = self.matrix.feeds.voices
            if voices:
                self.choose(listener, voices[0])
                self.listener = listener
        self.choose_below("wants")

    def _pair_chosen(self) -> None:
        self.listener = None
        self._fill()

    def _fill(self) -> None:
        feed = self.matrix.current_feed()
        analysis = self.document.analysis
        if feed is None:
            self.pair.setText("No pair chosen")
            self.sentence.setText("")
        else:
            listener, voice = (analysis.party_name(row) for row in feed.key)
            own = feed.listener == feed.voice
            pair = f"{listener}'s own voice, arriving at {listener}" if own else f"{voice}, arriving at {listener}"
            self.pair.setText(f"{listener}: wanted and heard" if self.below == "wants" else pair)
            self.sentence.setText(listener_sentence(analysis, feed.listener))
        self._fill_below()
        self.why_changed.emit()

    def _fill_below(self) -> None:
        feed = self.matrix.current_feed()
        hue = self.theme.party(max(self.matrix.currentIndex().column(), 0))
        if self.below == "arrivals":
            own = feed is not None and feed.listener == feed.voice
            self.arrivals.set_stems(self._stems(feed), hue, own_voice_zones() if own else ())
        elif self.below == "ways":
            self.ways.set_rows(self._way_rows(feed), hue)
        elif self.below == "response":
            self._fill_response(feed)
        else:
            self._fill_wants(feed)

    def _offset(self, feed: Delivery) -> float:
        """Level at the listener against the mark, of a way of 0 dB."""
        source = self.document.analysis.graph.mouths[feed.voice][1].value
        return source - ((feed.level_db or 0.0) - (feed.gain_db or 0.0))

    def _stems(self, feed: Delivery | None) -> tuple[Stem, ...]:
        if feed is None or feed.path is None:
            return ()
        analysis = self.document.analysis
        arrivals = analysis.arrivals(*feed.key)
        ways = [row.paths[0] for row in arrivals]
        offset = self._offset(feed)
        stems = tuple(
            Stem(row.delay_ms, row.gain_db + offset, way_words(analysis, row.paths[0], ways)) for row in arrivals
        )
        return tuple(stem for stem in stems if stem.gain_db > stems[0].gain_db - SPAN_DB)

    def _way_rows(self, feed: Delivery | None) -> tuple[WayRow, ...]:
        if feed is None or feed.path is None:
            return ()
        analysis, offset = self.document.analysis, self._offset(feed)
        rows = []
        for arrival in analysis.arrivals(*feed.key):
            for path in arrival.paths:
                late = feed.verdict == "back" and path.delay_ms > at_once_ms(feed.want)
                turn = turn_of(analysis, path, feed.listener) if late else None
                stations = tuple(
                    Station(leg.name, leg.delay_ms, turn is not None and leg.device == turn.device)
                    for leg in legs_of(analysis, path)
                )
                rows.append(WayRow(stations, path.gain_db + offset, path.delay_ms))
        # Weaker ones by far are there, and of no account.
        return tuple(row for row in rows if row.gain_db > rows[0].gain_db - SPAN_DB)

    def _fill_response(self, feed: Delivery | None) -> None:
        picture, hue = self.response, self.theme.party(max(self.matrix.currentIndex().column(), 0))
        empty = self.response.frequencies[:0]
        found = combined(self.document.analysis, feed) if feed is not None else None
        if found is None:
            words = (
                "A loop howls on the way: there is no steady response."
                if feed is not None and feed.unstable
                else "No signal path leads there."
            )
            picture.set_curve(empty, empty, (), words, hue)
            return
        words = f"ripple {show_number(found.ripple.value, 'dB')}, 100 Hz to 8 kHz"
        picture.set_curve(found.frequencies_hz, found.level_db, found.notches_hz, words, hue)

    def _fill_wants(self, feed: Delivery | None) -> None:
        analysis = self.document.analysis
        if feed is None:
            self.wants.set_rows(WANT_HEADINGS, WANT_HELP, ())
            return
        rows = []
        for column, voice in enumerate(analysis.voices):
            row = analysis.feeds[feed.listener, voice.id]
            wanted = want_words(row) + (
                f", {show_number(row.wanted_gain_db, 'dB', sign=True)}" if row.wanted_gain_db else ""
            )
            gets = off = DASH
            if row.gain_db is not None:
                gets = f"{row.gain_words()}, {show_number(row.delay_ms or 0.0, 'ms')}"
                if row.want == "hear" and not row.howling:
                    off = show_number(row.gain_db - row.wanted_gain_db, "dB", sign=True)
            severity = feed_severity(analysis, row)
            mark = () if severity is None else ((4, severity),)
            rows.append(
                Row(
                    (feed.listener, voice.id),
                    (voice.name, wanted, gets, off, VERDICT_WORDS[row.verdict]),
                    column,
                    mark,
                )
            )
        self.wants.set_rows(WANT_HEADINGS, WANT_HELP, tuple(rows))
        self.wants.choose(self.matrix.currentIndex().column())

    # the Why panel

    def why(self) -> WhyContent:
        analysis = self.document.analysis
        feed = self.matrix.current_feed()
        if feed is None:
            return WhyContent(
                "Nothing chosen", "", findings=tuple(row for row in analysis.findings if row.stage == "Feeds")
            )
        if self.listener is not None:
            return self._listener_why(self.listener)
        listener, voice = (analysis.party_name(row) for row in feed.key)
        explained = analysis.explain_feed(feed)
        lines = tuple(row for row in explained[1:] if row.terms) if explained else ()
        more = explained[:1] if explained else ()
        if self.below == "response":
            found = combined(analysis, feed)
            more = (*more, found.ripple) if found is not None else more
        about = tuple(
            row for row in analysis.findings if row.stage == "Feeds" and (feed.key in row.pairs or not row.pairs)
        )
        switches = tuple(switches_of_feed(analysis, feed)) if explained else ()
        controls = (
            sorted({name for step in feed.path.steps() for name in step.controls}) if feed.path is not None else []
        )
        notes = (f"Turned as well by: {', '.join(controls)}.",) if controls else ()
        actions: tuple[Action, ...] = ()
        if not feed.well and feed.verdict not in ("loud", "quiet") and not is_for_far_end(feed):
            actions = (
                Action(
                    "plan",
                    "Plan the feeds",
                    "Puts every needed mix on a bus that is there, this one among them.",
                ),
            )
        if feed.want == "hear":
            actions = (
                *actions,
                Action("level", "Wanted level \u2026", "How loud this voice should be here, against the mark."),
            )
        subtitle = f"{want_words(feed)}; {verdict_words(feed)}"
        before = self.document.settled.feeds.get(feed.key) if self.document.previewing else None
        if before is not None and before.verdict != feed.verdict:
            subtitle += f". Was: {verdict_words(before)}"
        return WhyContent(
            f"{listener} hears {voice}",
            subtitle,
            feed_severity(self.document.analysis, feed) in ("stop", "fix"),
            lines,
            about,
            more,
            switches,
            notes=notes,
            actions=actions,
        )

    def _listener_why(self, listener: str) -> WhyContent:
        """One sentence, what is wrong there, and what its role would hear."""
        analysis = self.document.analysis
        name = analysis.party_name(listener)
        about = tuple(
            row
            for row in findings_about(analysis.findings, listener)
            if row.stage == "Feeds" and (not row.pairs or any(name == listener for name, _ in row.pairs))
        )
        by_role = wants_by_role(self.document.show, listener)
        actions: tuple[Action, ...] = ()
        if by_role:
            actions = (
                Action(
                    "by role",
                    f"Ask by its role: {len(by_role)} more",
                    "Adds the wants that go by the role; what was asked stays.",
                ),
            )
        return WhyContent(name, listener_sentence(analysis, listener), bool(about), (), about, actions=actions)

    def act(self, action: str) -> None:
        listener, feed = self.listener, self.matrix.current_feed()
        if action == "plan":
            self.wants_view.emit("plan")
        elif action == "level" and feed is not None:
            from kymaphon.app.stages.feeds.forms import edit_level

            edit_level(self.window(), self.document, feed)
        elif action == "by role" and listener is not None:
            edits = wants_by_role(self.document.show, listener)
            self.document.apply(edits, f"{self.document.analysis.party_name(listener)}: wants by role")

    # what the user does

    def _next_want(self, feed: Delivery) -> None:
        order = OWN_ORDER if feed.listener == feed.voice else ORDER
        want = order[(order.index(feed.want) + 1) % len(order)] if feed.want in order else order[0]
        names = (self.document.analysis.party_name(row) for row in feed.key)
        text = f"{' and '.join(names)}: {want_words(replace(feed, want=want))}"
        self.document.apply((SetWant(feed.listener, feed.voice, want, feed.wanted_gain_db),), text)

    def _voice_row(self, row: int) -> None:
        feed = self.matrix.current_feed()
        voices = self.matrix.feeds.voices
        if feed is not None and row < len(voices) and feed.voice != voices[row]:
            self.choose(feed.listener, voices[row])

    def _want_row(self, row: int) -> None:
        self._voice_row(row)
        feed = self.matrix.current_feed()
        if feed is not None:
            self._next_want(feed)

    def show_finding(self, finding: Finding) -> None:
        """The pair that a finding is about."""
        if finding.pairs:
            self.choose(*finding.pairs[0])


def verdict_words(feed: Delivery) -> str:
    """A verdict as the end of a sentence."""
    if feed.verdict == "back":
        return f"comes back {show_number(feed.delay_ms or 0.0, 'ms')} late"
    if feed.verdict == "twice":
        return "arrives twice"
    if feed.verdict in ("silent", "missing"):
        return "does not"
    if feed.verdict in ("heard", "free"):
        return "does"
    return VERDICT_WORDS[feed.verdict]


def _card(widget: QWidget) -> QWidget:
    card = QWidget()
    card.setObjectName("card")
    inside = QVBoxLayout(card)
    inside.setContentsMargins(8, 8, 8, 8)
    inside.addWidget(widget, 1, Qt.AlignmentFlag(0))
    return card
