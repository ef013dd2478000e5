"""Quiet, gate: the take with the gate's verdict, thresholds to drag, words eaten to be heard, and the schools beside it."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, QTimer
from PySide6.QtWidgets import QWidget

from kymaphon.app.listening import STOPPED
from kymaphon.app.player import NoPlayerError, Player
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.quiet.model import HERE, QuietModel, alike
from kymaphon.app.stages.quiet.words import EMPTY
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.gate_picture import GatePicture
from kymaphon.app.widgets.why import Action, WhyContent, findings_about
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.chain import run_chain
from kymaphon.core.dynamics.evaluation import Evaluation
from kymaphon.core.dynamics.explain import Saving, explain_word, savings
from kymaphon.core.dynamics.places import missing_words
from kymaphon.core.dynamics.speakers import SpeakersAllowed, planned_for, speakers_allowed
from kymaphon.core.figures import number
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.processing import Gate
from kymaphon.core.model.show import Take
from kymaphon.core.takes.spectrum import floor_lines
from kymaphon.files.errors import FileProblem
from kymaphon.files.takes import excerpt

HEADINGS = (
    "On this take",
    "Open",
    "Close",
    "Attack",
    "Hold",
    "Release",
    "Words eaten",
    "Room let in",
    "Chatter",
)
HELP = (
    "Whose values they are",
    "Opening threshold, dBFS where the take was made",
    "Closing threshold, dBFS",
    "Attack",
    "Hold",
    "Release",
    "Words that lose more of their start, middle or end than is let pass",
    "Share of the time without talk in which the room comes through",
    "Openings within a quarter of a second of shutting, a minute",
)
AROUND_S = 0.4
WORDS_MS = 120
SPANS = {"span room": "room_s", "span talk": "talk_s"}


class GatePage(StagePage):
    """Picture above, settings side by side below."""

    def __init__(self, model: QuietModel, theme: Theme) -> None:
        super().__init__(model.document, theme)
        self.model = model
        self.player = Player(self)
        self._savings: tuple[Saving, ...] = ()
        inside = self.card(5, margin=0)
        self.picture = GatePicture(theme)
        self.picture.moving.connect(self._moved)
        self.picture.word_chosen.connect(self._word_chosen)
        self.picture.span_chosen.connect(lambda *_: self.why_changed.emit())
        self.picture.play.connect(lambda: self.act("hear"))
        self.picture.before_after.connect(self._swap)
        self.picture.let_go.connect(self._tell_all)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(WORDS_MS)
        self._later.timeout.connect(self._tell_all)
        inside.addWidget(self.picture)
        self.table = RowTable(
            theme,
            "Settings on this take",
            "Each row is tried on this very take; Enter sets it. The Why panel has the sums.",
        )
        self.table.spare = (8, 5, 4, 3, 2)
        self.table.chosen.connect(lambda row, _column: self._row_chosen(row))
        self.table.opened.connect(lambda _row: self.act("use row"))
        self.column.addWidget(self.table)
        model.heard_changed.connect(self._heard)
        model.gate_changed.connect(self._judged)
        model.listening.connect(self._listening)
        self._heard()

    def set_scale(self, scale: float) -> None:
        self.picture.scale = scale
        self.picture.setMinimumHeight(round(170 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(25 * scale))
        self._fit_table()

    def first(self) -> QWidget | None:
        return self.picture

    def zoom(self, steps: int) -> None:
        """The picture nearer or further."""
        self.picture.zoom(steps)

    def refresh(self, voice: str, end: str) -> None:
        talk = self.model.takes.talk
        self.picture.by_hand = (talk.room_s, talk.talk_s) if talk is not None else ((), ())
        self._judged()

    def _fit_table(self) -> None:
        """As tall as its rows, so that nothing of the comparison is out of sight; the picture has what is left."""
        self.table.setFixedHeight(self.table.fitting_height())

    # following the model

    def _heard(self) -> None:
        self.picture.set_trial(self.model.trial)

    def _judged(self) -> None:
        shown = self.model.shown()
        verdict = shown[3] if shown is not None else None
        self.picture.show_gate(verdict.gate if verdict is not None else None, verdict)
        if not self.picture.dragging:
            self._tell_all()
        elif not self._later.isActive():
            # Under the hand the picture follows at once, words and figures some moments later.
            self._later.start()

    def _tell_all(self) -> None:
        """Table, head and Why panel."""
        rows = self.model.rows()
        with QSignalBlocker(self.table):
            self.table.set_rows(HEADINGS, HELP, tuple(_row(*row) for row in rows))
            self._fit_table()
            picked = [row[0] for row in rows]
            self.table.choose(picked.index(self.model.picked) if self.model.picked in picked else -1)
        self._tell()
        self.why_changed.emit()

    def _listening(self, part: float) -> None:
        """How far the reading of a long take is; it can be stopped."""
        if self.isVisible() and self.model.busy:
            name = self.document.analysis.party_name(self.model.voice) if self.model.voice else ""
            self.title.emit(name, f"listening, {part:.0%}")
            if not part:
                self.why_changed.emit()

    def _tell(self) -> None:
        heard = self.model.heard
        name = self.document.analysis.party_name(self.model.voice) if self.model.voice else "No talker"
        if heard is None or heard.study is None:
            self.title.emit(name, "listening\u2026" if self.model.busy else "no take of the voice yet")
            return
        talk = heard.study.talk
        room = "its own room take" if talk.own_room else "room from its pauses"
        self.title.emit(
            f"{name}: {show_number(talk.snr_db, 'dB')} over the room",
            f"{heard.takes.talk.file if heard.takes.talk else ''}, {talk.key.seconds:.1f} s, {room}",
        )

    # hands

    def _moved(self, open_db: float, close_db: float) -> None:
        shown = self.model.shown()
        gate = shown[3].gate if shown is not None else None
        if gate is not None:
            self.model.set_gate(gate.model_copy(update={"open_db": open_db, "close_db": close_db}))

    def _word_chosen(self, number: int) -> None:
        if number >= 0:
            self.say.emit(f"Word {number + 1}. Space plays it, B is before and after.")
        self.why_changed.emit()

    def _row_chosen(self, row: int) -> None:
        rows = self.model.rows()
        if 0 <= row < len(rows):
            self.picture.word = -1
            self.model.pick(rows[row][0])

    def _swap(self) -> None:
        self.picture.after = not self.picture.after
        self.picture.update()
        self.say.emit("Behind the gate." if self.picture.after else "Before the gate.")

    # why

    def why(self) -> WhyContent:
        model = self.model
        heard, shown = model.heard, model.shown()
        about = tuple(
            row for row in findings_about(self.document.analysis.findings, model.voice) if row.stage == "Quiet"
        )
        if not model.voice:
            return WhyContent("No talker yet", hint="Add a party that speaks; open a show or the demo to see one.")
        if heard is None or (model.busy and heard.voice != model.voice):
            stop = Action("stop", "Stop listening", "Ends the reading of a long take; nothing is changed.")
            return WhyContent(
                "Listening\u2026",
                extra=("Levels, words, spectra and a gate for each preference.",),
                actions=(stop,),
            )
        if heard.problem == STOPPED:
            again = Action("again", "Listen again", "Reads the take from its beginning.")
            return WhyContent("Listening was stopped", findings=about, lead=(again,))
        if heard.problem:
            return WhyContent(
                "This take will not do",
                "",
                True,
                extra=(heard.problem[:1].upper() + heard.problem[1:] + ".",),
                findings=about,
                hint=EMPTY,
            )
        if heard.study is None or shown is None or model.design is None:
            return WhyContent("No take of this voice", extra=(EMPTY,), findings=about)
        if self.picture.span is not None:
            return self._why_span(self.picture.span)
        if self.picture.word >= 0:
            return self._why_word(shown[3], self.picture.word)
        if shown[0] != HERE:
            return self._why_row(shown)
        return self._why_gate(about)

    def _why_gate(self, about: tuple[Finding, ...]) -> WhyContent:
        model = self.model
        heard, design, gate, verdict = model.heard, model.design, model.gate, model.verdict
        if heard is None or heard.study is None or design is None or gate is None or verdict is None:
            return WhyContent("No take of this voice", extra=(EMPTY,))
        lines: list[Derived] = [*design.margins(gate), heard.study.talk.snr()]
        notes = [
            *design.notes,
            *(note[:1].upper() + note[1:] + "." for note in heard.study.notes if note not in design.notes),
        ]
        allowed = self._speakers(gate)
        if allowed is not None:
            lines.append(allowed.why)
            notes.append(allowed.text)
        more = list(floor_lines(heard.study.room)) if heard.study.room is not None else []
        if heard.study.kind is not None:
            notes.insert(0, f"The room: {heard.study.kind.words}.")
        since = model.turned_since()
        if since is not None and abs(since) >= number("gate-follows"):
            notes.append(
                f"The gain was turned by {show_number(since, 'dB', sign=True)} since this take was made: record it again, or turn back."
            )
        lead = self._put_actions()
        several = len(model.talks)
        actions = [
            Action("edit gate", "Times, range, detector\u2026", "Every value of the gate, typed."),
        ]
        extra = self._about_take(heard.takes.talk)
        choice = heard.study.choice
        if choice is not None and choice.low_cut is not None and heard.study.low_cut is None:
            text = f"Low cut first: {choice.low_cut.corner_hz:.0f} Hz"
            lead.append(
                Action(
                    "low cut",
                    text,
                    f"Takes {show_number(choice.room_db, 'dB')} off the room and {show_number(choice.voice_db, 'dB')} "
                    "off the voice, before the gate. Can be undone.",
                )
            )
        actions += [
            Action("save gated", "Save the gated take\u2026", "Writes the sound behind the gate to a file."),
            Action(
                "save preset",
                "Save as plain text\u2026",
                "Writes the strip's settings as text, thresholds as they read at the strip.",
            ),
        ]
        if several > 1:
            actions.append(
                Action(
                    "next take",
                    f"Another of the {several} takes",
                    "Listens to the oldest of this voice's takes instead; again, to the next. Can be undone.",
                )
            )
        state = "as the show has it" if model.in_show() else "not in the show yet"
        title = (
            f"{verdict.words_clipped} of {verdict.words} words eaten"
            if verdict.words_clipped
            else f"All {verdict.words} words whole"
        )
        return WhyContent(
            title,
            state,
            bad=bool(verdict.words_clipped),
            extra=extra,
            lines=tuple(lines),
            findings=about,
            more=tuple(more),
            notes=tuple(notes),
            lead=tuple(lead),
            actions=tuple(actions),
        )

    def _about_take(self, take: Take | None) -> tuple[str, ...]:
        """Where, when and at what gain the take was made, as far as it knows."""
        if take is None:
            return ()
        parts = []
        index = self.document.analysis.graph.index
        if take.at in index:
            parts.append(f"at {self.document.analysis.graph.nodes[index[take.at]].label.removesuffix(', after gain')}")
        if take.recorded_at is not None:
            parts.append(f"{take.recorded_at:%Y-%m-%d %H:%M}")
        if take.gain_db is not None:
            parts.append(f"gain {show_number(take.gain_db, 'dB', sign=True)}")
        return (f"Recorded {', '.join(parts)}.",) if parts else ()

    def _speakers(self, gate: Gate) -> SpeakersAllowed | None:
        """From a take of the loudspeakers at this microphone, else from the plan."""
        model = self.model
        if model.heard is not None and model.heard.speakers is not None:
            try:
                return speakers_allowed(gate, model.heard.speakers)
            except ValueError as error:
                self.say.emit(str(error))
        talk = model.takes.talk
        return planned_for(self.document.analysis, model.voice, gate, talk.at if talk is not None else None)

    def _put_actions(self) -> list[Action]:
        model = self.model
        strip = model.strip("gate")
        if strip is None or model.gate is None:
            return []
        if model.in_show():
            found = model.design.gate if model.design is not None else None
            if found is None or alike(found, model.gate):
                return []
            text = f"Set the one found: opens at {show_number(found.open_db, 'dBFS')}"
            return [
                Action(
                    "anew",
                    text,
                    "The gate that this take, this low cut and this preference ask for comes on screen.",
                )
            ]
        try:
            step = model.step(strip).value
        except ValueError:
            step = 0.0
        at = show_number(model.gate.open_db + step, strip.unit)
        tip = (
            f"There it opens at {at}, as levels are {show_number(step, 'dB', sign=True)} higher than "
            f"in the take. {missing_words(strip, 'gate')} Can be undone."
        )
        return [Action("put gate", f"Put it into {strip.name}", tip)]

    def _why_row(self, shown: tuple[str, str, str, Evaluation]) -> WhyContent:
        _, name, source, verdict = shown
        design = self.model.design
        lines = design.margins(verdict.gate) if design is not None and verdict.gate is not None else ()
        figures = (
            Derived("room let in", 100 * verdict.noise_open_ratio, "%", source="of the time without talk"),
            Derived("longest start lost", verdict.onset_lost_ms, "ms", source="of any word"),
        )
        actions = (
            ()
            if verdict.gate is None
            else (
                Action(
                    "use row",
                    "Set these",
                    "Puts these values on screen as your own; the show follows when you put them into the strip.",
                ),
                Action("back", "Back to what is set", "Shows the gate on screen again."),
            )
        )
        text = f"{verdict.words_clipped} of {verdict.words} words eaten; opens again at once {verdict.chatter_per_min:.1f} times a minute."
        return WhyContent(
            name,
            source,
            bool(verdict.words_clipped),
            extra=(text,),
            lines=(*figures, *lines),
            actions=actions,
        )

    def _why_word(self, verdict: Evaluation, number: int) -> WhyContent:
        trial = self.model.trial
        if trial is None or number >= len(trial.talk.words):
            return WhyContent("No such word")
        found = explain_word(trial, verdict, number)
        word = trial.talk.words[number]
        hear = (
            Action("hear", "Hear it", "Plays the word behind the gate, with a little before and after. Space."),
            Action("hear dry", "Without gate", "Plays it as it was recorded."),
        )
        actions = list(hear)
        notes = []
        lead: list[Action] = []
        if found.eaten is not None and verdict.gate is not None and self.model.design is not None:
            self._savings = savings(trial, verdict.gate, number, self.model.design.room_loudest_db)
            lead = [Action(f"save {row.id}", row.label, row.text) for row in self._savings]
            notes = [row.text for row in self._savings]
            if not self._savings:
                notes.append("No single value saves it: more than one has to change, or the voice has to come nearer.")
        return WhyContent(
            found.title,
            f"at {word.start_s:.1f} s, {1000 * (word.end_s - word.start_s):.0f} ms long",
            found.eaten is not None,
            lines=found.lines,
            notes=tuple(notes),
            lead=tuple(lead),
            actions=tuple(actions),
        )

    def _why_span(self, span: tuple[float, float]) -> WhyContent:
        start, end = sorted(span)
        talk = self.model.takes.talk
        actions = [
            Action("span room", "This is room", "Nobody speaks here: the room is told from it. Can be undone."),
            Action("span talk", "This is talk", "Only what is marked as talk is taken for words. Can be undone."),
            Action("hear", "Hear it", "Plays it behind the gate. Space."),
            Action("hear dry", "Without gate", "Plays it as it was recorded."),
        ]
        if talk is not None and (talk.room_s or talk.talk_s):
            actions.append(
                Action(
                    "span none",
                    "Find both by itself again",
                    "Takes all marks set by hand away. Can be undone.",
                )
            )
        return WhyContent(
            "A stretch of the take",
            f"{start:.2f} to {end:.2f} s",
            extra=("Room and talk are found by themselves; where that went wrong, say so here.",),
            actions=tuple(actions),
        )

    # doing

    def act(self, action: str) -> None:
        model = self.model
        shown = model.shown()
        if action == "stop":
            model.stop()
        elif action == "next take":
            model.next_take()
        elif action == "again":
            model.again()
        elif action in ("hear", "hear dry"):
            self._play(dry=action == "hear dry")
        elif action == "put gate" and model.gate is not None:
            model.put(model.gate)
        elif action == "low cut" and model.heard is not None and model.heard.study is not None:
            choice = model.heard.study.choice
            if choice is not None and choice.low_cut is not None:
                model.put(choice.low_cut)
        elif action == "use row" and shown is not None and shown[3].gate is not None:
            model.set_gate(shown[3].gate)
        elif action == "anew" and model.design is not None:
            model.set_gate(model.design.gate)
        elif action == "back":
            model.pick(HERE)
        elif any(action == f"save {row.id}" for row in self._savings):
            model.set_gate(next(row.gate for row in self._savings if action == f"save {row.id}"))
        elif action in SPANS and self.picture.span is not None:
            start, end = sorted(self.picture.span)
            self.picture.span = None
            model.mark_span(SPANS[action], start, end)
        elif action == "span none":
            self.picture.span = None
            model.forget_spans()
        elif action in ("edit gate", "save gated", "save preset"):
            from kymaphon.app.stages.quiet.forms import QuietForms

            QuietForms(self, model, self.say.emit).do(action)

    def _play(self, *, dry: bool) -> None:
        """The chosen word or stretch, behind the gate or as it was recorded."""
        model, trial = self.model, self.model.trial
        shown = model.shown()
        if (
            model.heard is None
            or model.heard.source is None
            or model.heard.study is None
            or trial is None
            or shown is None
        ):
            self.say.emit("There is no take to be heard.")
            return
        if self.picture.span is not None:
            start, end = sorted(self.picture.span)
        elif self.picture.word >= 0:
            word = trial.talk.words[self.picture.word]
            start, end = word.start_s - AROUND_S, word.end_s + AROUND_S
        else:
            self.say.emit("Choose a word first: Left and Right, or N for the next that is eaten.")
            return
        lead = max(0.0, start - 2.0)
        try:
            sound = excerpt(model.heard.source, lead, end, model.heard.study.channel)
            rate = model.heard.source.sample_rate_hz
            gate = shown[3].gate
            if not dry and gate is not None:
                before = (model.heard.study.low_cut,) if model.heard.study.low_cut else ()
                sound = run_chain(sound, (*before, gate), rate)
            self.player.play(sound[round((max(start, 0.0) - lead) * rate) :], rate)
        except (FileProblem, NoPlayerError, ValueError) as problem:
            self.say.emit(str(problem))
        else:
            self.say.emit("As it was recorded." if dry else "Behind the gate.")


def _row(row_id: str, name: str, _source: str, verdict: Evaluation) -> Row:
    gate: Gate | None = verdict.gate
    if gate is None:
        times = (DASH,) * 5
    else:
        times = (
            show_number(gate.open_db, "dB").removesuffix(" dB"),
            show_number(gate.close_db, "dB").removesuffix(" dB"),
            f"{gate.attack_ms:g} ms",
            f"{gate.hold_ms:g} ms",
            f"{gate.release_ms:g} ms",
        )
    mark = verdict.mark
    return Row(
        ("gate", row_id),
        (
            name,
            *times,
            f"{verdict.words_clipped} of {verdict.words}",
            f"{verdict.noise_open_ratio:.0%}",
            f"{verdict.chatter_per_min:.1f} /min" if gate else DASH,
        ),
        marks=((6, mark),),
    )
