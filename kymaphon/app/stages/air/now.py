"""Air, now: what is on and what is next, to be read across a room; the clock, who is open, the meters; keys for all of it."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from kymaphon.app.stages.air.along import draw_along
from kymaphon.app.stages.air.bench import AirBench
from kymaphon.app.stages.air.cards import NextCard, TimeCard
from kymaphon.app.stages.air.watch import watch_content
from kymaphon.app.stages.air.words import NO_RUNDOWN, NOTE_KEYS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.air_strips import AirStrips, Strip
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.flow import FlowLayout
from kymaphon.app.widgets.rundown_bar import RundownBar
from kymaphon.app.widgets.why import WhyContent, empty, label
from kymaphon.core.air.run import next_of, place_of
from kymaphon.core.air.trends import change_words
from kymaphon.core.model.clock import by_the_clock, span_words
from kymaphon.core.model.rundown import NoteKind
from kymaphon.core.report.rundown import days_words, running_words
from kymaphon.core.rundown.states import microphones_open, moves_between
from kymaphon.core.rundown.timing import Timeline, planned_s
from kymaphon.core.words import counted

MOST_MOVES = 5


class NowPage(StagePage):
    """The page that a show is run from. Its text line takes letters while it has the keyboard; else they are keys."""

    def __init__(self, bench: AirBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        self._chosen = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("On air")
        self.trouble = label("", "bad")
        self.trouble.hide()
        self.column.addWidget(self.trouble)
        self.how = label(NO_RUNDOWN, "muted")
        self.column.addWidget(self.how)
        inside = self.card(margin=8)
        self.bar = RundownBar(theme)
        inside.addWidget(self.bar)
        self.advice = label("", "muted")
        inside.addWidget(self.advice)
        middle = QHBoxLayout()
        middle.setSpacing(8)
        self.column.addLayout(middle)
        self.time, self.coming = TimeCard(), NextCard(self.act)
        middle.addWidget(self.time, 5)
        middle.addWidget(self.coming, 5)
        self.chips = QWidget()
        self._chip_row = FlowLayout(6)
        self.chips.setLayout(self._chip_row)
        self.column.addWidget(self.chips)
        below = self.card(1)
        self.strips = AirStrips(theme)
        self.strips.chosen.connect(self._choose)
        self.meters_told = label("", "muted")
        self.meters_from = ChoiceBox()
        self.meters_from.setAccessibleName("Where the meters come from")
        self.meters_from.setToolTip("The simulated rig plays this show; a real input needs the extra 'capture'.")
        for words, source in (("No meters", "none"), ("Simulated rig", "sim"), ("A real input", "input")):
            self.meters_from.addItem(words, source)
        self.meters_from.activated.connect(lambda _index: self.act(f"meters {self.meters_from.currentData()}"))
        told = QHBoxLayout()
        told.addWidget(self.meters_told, 1)
        told.addWidget(self.meters_from)
        below.addLayout(told)
        below.addWidget(self.strips, 1)
        self.coming.text.returnPressed.connect(self._write)
        self._shortcuts()
        bench.ticked.connect(self._ticked)
        bench.changed.connect(self._changed)
        self._second = -1

    def _shortcuts(self) -> None:
        def on(key: str, act: str) -> None:
            row = QShortcut(QKeySequence(key), self)
            # Wherever in the window the keyboard is: after a click into the panel beside it Space is still Go.
            row.setContext(Qt.ShortcutContext.WindowShortcut)
            row.setAutoRepeat(False)
            row.activated.connect(lambda: self._key(act))

        for key, act in (("Space", "go"), ("B", "back"), ("H", "hold"), ("T", "write"), ("D", "advised")):
            on(key, act)
        for key, kind in NOTE_KEYS.items():
            on(key, f"note {kind}")
        for number in range(1, 10):
            on(str(number), f"channel {number}")

    def set_scale(self, scale: float) -> None:
        self.bar.set_scale(scale)
        self.strips.set_scale(scale)

    def first(self) -> QWidget | None:
        return self

    # what is shown

    def refresh(self, voice: str, end: str) -> None:
        self.bench.follow()

    def _ticked(self) -> None:
        if not self.isVisible():
            return
        self.strips.show_needles([self.bench.needle(row.voice) for row in self.strips.rows])
        second = int(self.bench.now().timestamp())
        if second != self._second:
            self._second = second
            self._clock()

    def _changed(self) -> None:
        if not self.isVisible():
            return
        self._clock()
        self._voices()
        self.why_changed.emit()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._changed()

    def _clock(self) -> None:
        show, state, line = self.document.show, self.bench.state, self.bench.timeline
        rundown = bool(show.rundown)
        self.how.setVisible(not rundown)
        now = self.bench.now()
        self._bar(line, now)
        on = line.on
        place = place_of(show, state)
        if on is not None:
            title = on.segment.name
            since = by_the_clock(show, on.starts) if on.starts is not None else ""
            self.title.emit(title, f"segment {place + 1} of {len(show.rundown)}, on since {since}")
            planned = planned_s(on.segment)
            held = state.held_since is not None
            self.time.words.setText(
                "held; left in this segment" if held else "left in this segment" if planned is not None else "on for"
            )
            value = on.left_s if planned is not None else on.spent_s
            self.time.figure.show_text(span_words(value), late=planned is not None and value < 0)
        elif state.ended is not None:
            self.title.emit("Off air", self._ended_words())
            self.time.words.setText("was on for")
            whole = (state.ended - state.started).total_seconds() if state.started is not None else 0.0
            self.time.figure.show_text(span_words(whole), late=False)
        else:
            self.title.emit("Not on air yet", f"{counted(len(show.rundown), 'segment')}; Space begins")
            wait = (show.air_at - now).total_seconds() if show.air_at is not None else None
            self.time.words.setText("to air" if wait is not None else "no time of air is set")
            self.time.figure.show_text(
                span_words(wait) if wait is not None else "\u2013", late=wait is not None and wait < 0
            )
        self.time.then.setText(self._then_words(line, now))
        self._next(line)
        self.coming.hold.setText("Go on  H" if state.held_since is not None else "Hold  H")
        self.coming.go.setEnabled(rundown)
        self.coming.back.setEnabled(state.on_air and place > 0)
        self.coming.hold.setEnabled(state.on_air)

    def _ended_words(self) -> str:
        state, show = self.bench.state, self.document.show
        return f"at {by_the_clock(show, state.ended)}; Space begins a new run" if state.ended is not None else ""

    def _then_words(self, line: Timeline, now: datetime) -> str:
        show, state = self.document.show, self.bench.state
        rows = [f"clock {by_the_clock(show, now)}"]
        if state.on_air:
            rows.append(f"{span_words(state.show_s(now) or 0.0)} on air")
        hard = line.next_hard
        if hard is not None:
            word = "out" if hard.sort == "out" else line.of(hard.segment).segment.name
            left, at = (hard.at - now).total_seconds(), by_the_clock(show, hard.at)
            if abs(left) > 2 * 86_400:
                rows.append(f"{word} at {at}, {f'in {days_words(left)}' if left > 0 else f'{days_words(left)} ago'}")
            else:
                rows.append(f"{span_words(left)} to {word} at {at}")
        return "  \u00b7  ".join(rows)

    def _bar(self, line: Timeline, now: datetime) -> None:
        words = running_words(line)
        draw_along(self.bar, self.document.show, line, words, now if self.bench.state.on_air else None)
        self.advice.setText(words)
        self.advice.setVisible(bool(words))

    def _next(self, line: Timeline) -> None:
        show, state, report = self.document.show, self.bench.state, self.document.analysis
        following = next_of(show, self.bench.fresh())
        if following is None:
            self.coming.words.setText("Next")
            self.coming.title.setText("Off air" if state.on_air else "\u2013")
            self.coming.moves.setText("Close everybody; Space ends the show." if state.on_air else "")
            return
        row = next((one for one in line.rows if one.segment.id == following.id), None)
        length = f", {span_words(planned_s(following) or 0.0)}" if planned_s(following) is not None else ""
        self.coming.words.setText(
            f"Next, at {by_the_clock(show, row.starts)}" if row is not None and row.starts is not None else "Next"
        )
        self.coming.title.setText(f"{following.name}{length}")
        moves = () if report.unsearched else moves_between(report, state.open, state.playing, following)
        rows = [f"{n}.  {move.words}  \u00b7  {move.where}" for n, move in enumerate(moves[:MOST_MOVES], start=1)]
        if len(moves) > MOST_MOVES:
            rows.append(f"and {len(moves) - MOST_MOVES} more")
        if following.note:
            rows.append(following.note)
        self.coming.moves.setText("\n".join(rows) or "Nothing to move.")

    def _voices(self) -> None:
        report, state = self.document.analysis, self.bench.state
        hues = {party.id: n for n, party in enumerate(report.show.parties)}
        names = {row.id: row.name for row in report.show.parties}
        shown = self.bench.voices
        self._chips(shown, names)
        places = (
            []
            if report.unsearched
            else [
                place.name
                for place in report.show.places
                if place.speakers_mute and place.id in microphones_open(report, state.open)
            ]
        )
        self.time.shut.setText(f"loudspeakers in {', '.join(places)}" if places else "nothing")
        plays = [names.get(name, name) for name in state.playing]
        self.time.playing.setText(", ".join(plays) or "nothing")
        rows = []
        for voice in shown:
            trend = self.bench.trends.get(voice)
            on = voice in state.open or voice in state.playing
            mark, change, words = "", "", ""
            if trend is not None:
                change, words = change_words(trend), trend.words
                mark = ("fix" if trend.change_db > 0 else "note") if trend.apart else "settled"
            elif on and self.bench.metering and self.bench.followed(voice):
                words = "reading\u2026"
            state_word = "plays" if voice in state.playing else "open" if on else "closed"
            step = self.bench.steps.get(voice)
            tolerance = step.expected.tolerance_db if step is not None else 3.0
            rows.append(
                Strip(
                    voice,
                    names[voice],
                    hues[voice],
                    state_word,
                    self.bench.trace(voice),
                    change,
                    words,
                    mark,
                    tolerance,
                )
            )
        self.strips.show_rows(tuple(rows), metered=self.bench.metering)
        source = {
            "none": "Voices against their line-up: choose where the meters come from.",
            "sim": "Voices against their line-up, last ten minutes; meters of the simulated rig against each mark.",
            "input": "Voices against their line-up, last ten minutes; meters of the input against each mark.",
        }[self.bench.source]
        if self.bench.source == "sim" and self.bench.meters is None:
            source = "The simulated rig is being played\u2026"
        self.meters_told.setText(source)
        self.meters_from.setCurrentIndex(self.meters_from.findData(self.bench.source))

    def _chips(self, voices: list[str], names: dict[str, str]) -> None:
        state = self.bench.state
        if [row.property("voice") for row in self._buttons()] != voices:
            empty(self._chip_row)
            for n, voice in enumerate(voices, start=1):
                button = QPushButton()
                button.setCheckable(True)
                button.setProperty("role", "chip")
                button.setProperty("voice", voice)
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                tip = f"{names[voice]} open or closed, beside the rundown" + (
                    f"; {n} on the keyboard" if n < 10 else ""
                )
                button.setToolTip(tip)
                button.setStatusTip(tip)
                button.clicked.connect(lambda _checked=False, voice=voice: self.act(f"toggle {voice}"))
                self._chip_row.addWidget(button)
        for n, button in enumerate(self._buttons(), start=1):
            voice = str(button.property("voice"))
            on = voice in state.open or voice in state.playing
            words = f"{n} {names[voice]}" if n < 10 else names[voice]
            button.setText(words)
            button.setAccessibleName(f"{names[voice]}, {'open' if on else 'closed'}")
            button.setChecked(on)
            button.setEnabled(state.on_air)

    def _buttons(self) -> list[QPushButton]:
        return [
            widget
            for n in range(self._chip_row.count())
            if (item := self._chip_row.itemAt(n)) is not None and isinstance(widget := item.widget(), QPushButton)
        ]

    def tell_trouble(self, text: str) -> None:
        """A problem, told in the page: nothing covers it."""
        self.trouble.setText(text)
        self.trouble.setVisible(bool(text))

    # what the user does

    def _key(self, act: str) -> None:
        if act == "advised":
            lead = self.why().lead
            if lead:
                self.act(lead[0].id)
            else:
                self.say.emit("There is nothing advised to be turned.")
        elif act == "write":
            self.coming.text.setFocus(Qt.FocusReason.ShortcutFocusReason)
        elif act.startswith("channel "):
            number = int(act.split()[1])
            voices = self.bench.voices
            if number <= len(voices):
                self.act(f"toggle {voices[number - 1]}")
        else:
            self.act(act)

    def escape(self) -> None:
        """Leaves the text line, and takes what is told in the page away."""
        self.coming.text.clear()
        self.tell_trouble("")
        self.setFocus()

    def _write(self) -> None:
        words = self.coming.text.text().strip()
        if words:
            self._note("text", words)
            self.coming.text.clear()
        self.setFocus()

    def _note(self, kind: NoteKind, text: str = "") -> None:
        entry = self.bench.note(kind, text)
        at = by_the_clock(self.document.show, entry.at)
        kept = "" if self.document.log_is_kept else "; the disk did not take it yet, it is tried again"
        self.say.emit(f"Noted at {at}: {entry.text}{kept}.")

    def act(self, action: str) -> None:
        bench = self.bench
        name, _, rest = action.partition(" ")
        if name == "go":
            if not bench.go() and not self.document.show.rundown:
                self.say.emit("There is no rundown to go through: make one in the view Rundown.")
        elif name == "back":
            if not bench.back():
                self.say.emit("There is nothing to go back to.")
        elif name in ("hold", "end"):
            if not getattr(bench, name)():
                self.say.emit("The show is not on air.")
        elif name == "toggle":
            if not bench.toggle(rest):
                self.say.emit("The show is not on air: Space begins it.")
        elif name == "note":
            self._note(rest)  # type: ignore[arg-type]
        elif name == "turn":
            told = bench.turn(rest)
            self.say.emit(f"Turned, and in the log: {told}." if told else "There is nothing to turn there.")
        elif name == "meters":
            self._meters(rest)
        self._changed()

    def _meters(self, source: str) -> None:
        if source != "input":
            self.bench.meter_from(source)
            return
        from kymaphon.app.stages.air.live import LiveMeters, digital_points
        from kymaphon.files.capture import CaptureProblem, LiveInput, input_channels

        report = self.document.analysis
        try:
            count = input_channels()
            rows = digital_points(report)[:count]
            if not rows:
                self.say.emit("No voice of this show comes to a digital input that could be read.")
                return
            rate = report.show.sample_rate_hz
            live = LiveMeters(rows, rate, lambda take: LiveInput(rate, count, take))
        except CaptureProblem as problem:
            self.tell_trouble(str(problem))
            return
        self.bench.meter_from("input", live)
        told = ", ".join(f"{n} {report.party_name(voice)}" for n, (voice, _) in enumerate(rows, start=1))
        self.say.emit(f"Channels of the input: {told}.")

    def _choose(self, voice: str) -> None:
        self._chosen = voice
        self.strips.select(voice)
        self.why_changed.emit()

    def why(self) -> WhyContent:
        return watch_content(self.bench, self._chosen)
