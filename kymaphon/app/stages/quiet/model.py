"""What the views of Quiet share: the voice, its takes as they were heard, and the gate that is on screen. Draws nothing."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from threading import Event

from PySide6.QtCore import QObject, Signal

from kymaphon.app.document import Document
from kymaphon.app.listening import STOPPED, HeardTakes, Takes, gate_in_show, listen, preference_name, takes_of
from kymaphon.app.worker import Worker
from kymaphon.core.derive import Derived
from kymaphon.core.dynamics.chain import moved, put_in, shifted, words_of
from kymaphon.core.dynamics.design import PREFERENCES, Design, Preference
from kymaphon.core.dynamics.evaluation import Evaluation, Trial
from kymaphon.core.dynamics.places import StripPlace, best_strip, gain_since, step_between, strips_of
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import AddLog, AttachTake, Edit, SetField, SetValue
from kymaphon.core.model.processing import NAMES, Gate, LowCut, Processing, Sort
from kymaphon.core.model.show import LogEntry, Take

HERE = "here"
Row = tuple[str, str, str, Evaluation]
"""A setting beside others: id, name, source, what it does."""


class _Reading(QObject):
    part = Signal(float)


_READINGS: list[_Reading] = []
"""Kept for good: a take may still be read when the view that asked for it is gone with its theme or its window."""


class QuietModel(QObject):
    """Listens in a worker thread, judges at once.

    Signals:
        heard_changed: other takes, or the same heard through another filter; `gate_changed` follows.
        gate_changed: another gate on screen.
        listening: part of the reading that is done, 0 to 1.
    """

    heard_changed = Signal()
    gate_changed = Signal()
    listening = Signal(float)

    def __init__(self, document: Document, say: Callable[[str], None]) -> None:
        super().__init__()
        self.document, self.say = document, say
        self.voice = ""
        self.preference: Preference = "balanced"
        self.heard: HeardTakes | None = None
        self.gate: Gate | None = None
        self.verdict: Evaluation | None = None
        self.picked = HERE
        self.by_hand = False
        self._wanted: object = None
        self._known: dict[object, HeardTakes] = {}
        self._stop = Event()
        self._reading = _Reading()
        _READINGS.append(self._reading)
        self._reading.part.connect(self.listening)
        self._worker = Worker(self, self._arrived, lambda error: self.say(str(error)))

    # whose

    @property
    def talkers(self) -> tuple[str, ...]:
        """Voices that a gate can be set for."""
        return tuple(voice.id for voice in self.document.analysis.voices if voice.kind not in NO_SPEECH)

    @property
    def takes(self) -> Takes:
        return takes_of(self.document.analysis.show, self.voice)

    @property
    def folder(self) -> Path | None:
        """Where the show's takes lie."""
        path = self.document.path
        return path.parent if path is not None else None

    @property
    def busy(self) -> bool:
        """Whether a take is being listened to."""
        return self._worker.busy

    def choose_voice(self, voice: str) -> None:
        """Another voice."""
        if voice != self.voice:
            self.voice, self.by_hand, self.picked = voice, False, HERE
            self.refresh()

    def refresh(self) -> None:
        """Follows the show: listens again where takes or what comes before the gate changed."""
        voices = self.talkers
        if self.voice not in voices:
            with_take = [voice for voice in voices if takes_of(self.document.analysis.show, voice).talk is not None]
            self.voice, self.by_hand = (with_take or list(voices) or [""])[0], False
        show, voice, folder = self.document.analysis.show, self.voice, self.folder
        low_cut, like = self.low_cut, self._like()
        key = (voice, folder, self.takes, low_cut, like)
        if key == self._wanted:
            self._follow_show()
            return
        self._wanted = key
        if key in self._known:
            self._take(self._known[key])
            return
        # What was being listened to is no longer wanted.
        self._stop.set()
        stop = self._stop = Event()

        reading = self._reading

        def step(part: float) -> bool:
            reading.part.emit(part)
            return not stop.is_set()

        if self.heard is not None and self.heard.voice != voice:
            # Nothing of another voice stays under this one's name.
            self.heard, self.gate, self.verdict = None, None, None
            self.heard_changed.emit()
            self.gate_changed.emit()
        self._worker.ask(lambda: listen(show, voice, folder, low_cut=low_cut, like=like, progress=step), key)
        self.listening.emit(0.0)

    def stop(self) -> None:
        """Ends the listening that is under way."""
        self._stop.set()

    def again(self) -> None:
        """Listens once more."""
        self._wanted = None
        self.refresh()

    def _like(self) -> Gate | None:
        """Detector, key filter and look-ahead of the gate on screen: what a trial depends on, all else at its default."""
        gate = self.gate if self.by_hand else self._shown_gate()
        if gate is None:
            return None
        kept = {
            name: getattr(gate, name)
            for name in ("detector", "detector_ms", "key_low_hz", "key_high_hz", "look_ahead_ms")
        }
        like = Gate(**kept)
        return None if like == Gate() else like

    def _arrived(self, about: object, result: object) -> None:
        if isinstance(result, HeardTakes):
            if result.problem != STOPPED:
                self._known[about] = result
            if len(self._known) > 8:
                self._known.pop(next(iter(self._known)))
            if about == self._wanted:
                self._take(result)

    def _take(self, heard: HeardTakes) -> None:
        self.heard = heard
        self.heard_changed.emit()
        self._follow_show(force=True)

    def _follow_show(self, *, force: bool = False) -> None:
        """The gate of the show is the one on screen, unless a hand has moved it since."""
        if self.design is None:
            self.gate, self.verdict = None, None
            self.gate_changed.emit()
            return
        if not self.by_hand:
            gate = self._shown_gate() or self.design.gate
            if gate != self.gate or force:
                self._judge(gate)
                return
        if force and self.gate is not None:
            self._judge(self.gate)
            return
        self.gate_changed.emit()

    # the gate

    @property
    def design(self) -> Design | None:
        """The gate found for the preference that is chosen."""
        return None if self.heard is None else self.heard.designs.get(self.preference)

    @property
    def trial(self) -> Trial | None:
        design = self.design
        return None if design is None else design.trial

    def choose_preference(self, preference: Preference) -> None:
        """Another preference: its gate comes on screen."""
        self.preference, self.picked = preference, HERE
        if self.design is not None:
            self.by_hand = True
            self._judge(self.design.gate)

    def set_gate(self, gate: Gate) -> None:
        """A gate moved by hand."""
        before = self._like()
        self.by_hand, self.picked = True, HERE
        self._judge(gate)
        if self._like() != before:
            self.refresh()

    def _judge(self, gate: Gate) -> None:
        self.gate = gate
        trial = self.trial
        if trial is not None:
            self.verdict = trial.judge(gate)
        self.gate_changed.emit()

    def rows(self) -> tuple[Row, ...]:
        """The gate on screen, those found for each preference, and the schools."""
        if self.heard is None or self.design is None or self.verdict is None:
            return ()
        found = [
            (row, preference_name(row), "found on this take", self.heard.designs[row].verdict) for row in PREFERENCES
        ]
        return ((HERE, "As set here", "", self.verdict), *found, *self.design.schools)

    def shown(self) -> Row | None:
        """The row that is picked: what the picture shows."""
        rows = self.rows()
        return next((row for row in rows if row[0] == self.picked), rows[0] if rows else None)

    def pick(self, row_id: str) -> None:
        """Shows another row's gate, without setting it."""
        self.picked = row_id
        self.gate_changed.emit()

    # the strip

    @property
    def strips(self) -> tuple[StripPlace, ...]:
        return strips_of(self.document.analysis, self.voice) if self.voice else ()

    def strip(self, sort: Sort = "gate") -> StripPlace | None:
        """Where a processor of this voice is, or would best be put."""
        strips = self.strips
        here = next((row for row in strips if any(part.sort == sort for part in row.chain)), None)
        return here or best_strip(strips, sort)

    def step(self, strip: StripPlace) -> Derived:
        """How much higher levels are at a strip than in the take. Raises ValueError where that is not known."""
        take = self.takes.talk
        return step_between(self.document.analysis, self.voice, take.at if take is not None else None, strip)

    @property
    def low_cut(self) -> LowCut | None:
        """The low cut that the strip has before its gate."""
        for strip in self.strips:
            for row in strip.chain:
                if isinstance(row, Gate):
                    return None
                if isinstance(row, LowCut) and row.on:
                    return row
        return None

    def _shown_gate(self) -> Gate | None:
        """The show's gate, with its thresholds as they are in the take."""
        found = gate_in_show(self.document.analysis, self.voice) if self.voice else None
        if found is None:
            return None
        strip = next((row for row in self.strips if row.node == found[0]), None)
        if strip is None:
            return None
        try:
            return shifted(found[1], -self.step(strip).value).model_copy(update={"set_at_gain_db": None})
        except ValueError:
            return None

    def edits_for(self, row: Processing, strip: StripPlace) -> tuple[Edit, ...]:
        """What puts a processor, with the take's thresholds, into a strip. Raises ValueError as `step`."""
        here = moved(row, self.step(strip).value)
        if isinstance(here, Gate):
            here = here.model_copy(update={"set_at_gain_db": strip.gain_db})
        return (SetValue(strip.ref, put_in(strip.chain, here)),)

    def put(self, row: Processing) -> bool:
        """Puts a processor into its strip; tells where, or why not."""
        strip = self.strip(row.sort)
        name = self.document.analysis.party_name(self.voice)
        if strip is None:
            self.say(f"{name} passes no strip; plug the microphone in first.")
            return False
        try:
            edits = self.edits_for(row, strip)
        except ValueError as error:
            self.say(f"{error}.")
            return False
        if isinstance(row, Gate):
            self.by_hand = False
        self.document.apply((*edits, self._logged(row, strip)), f"{NAMES[row.sort]} of {name}")
        self.say(f"{NAMES[row.sort].capitalize()} put into {strip.name}. Ctrl+Z takes it back.")
        return True

    def _logged(self, row: Processing, strip: StripPlace) -> AddLog:
        """What was put where, and what it does to the take, for the log."""
        here = moved(row, self.step(strip).value)
        text = f"{self.document.analysis.party_name(self.voice)}, {strip.name}: {words_of(here)}, thresholds in {strip.unit}"
        if isinstance(row, Gate) and self.verdict is not None and self.takes.talk is not None:
            verdict = self.verdict
            text += (
                f"; on {self.takes.talk.file}: {verdict.words_clipped} of {verdict.words} words "
                f"eaten, room let in {verdict.noise_open_ratio:.0%} of the time without talk"
            )
        return AddLog(LogEntry(at=datetime.now(UTC), text=text, subject=self.voice, sort="gate"))

    def set_chain(self, strip: StripPlace, chain: tuple[Processing, ...], text: str) -> None:
        """A whole chain into a strip; with nothing in it the strip has none."""
        self.by_hand = False
        self.document.apply((SetValue(strip.ref, chain or None),), text)

    def replace(self, strip: StripPlace, old: Processing, new: Processing) -> None:
        """One processor of a chain for another of its sort."""
        chain = tuple(new if row is old else row for row in strip.chain)
        self.set_chain(strip, chain, f"{NAMES[new.sort]} in {strip.name}")

    def take_out(self, sort: Sort) -> None:
        """The first of a sort out of the voice's strips."""
        for strip in self.strips:
            found = next((row for row in strip.chain if row.sort == sort), None)
            if found is not None:
                rest = tuple(row for row in strip.chain if row is not found)
                self.set_chain(strip, rest, f"{NAMES[sort]} out of {strip.name}")
                self.say(f"{NAMES[sort].capitalize()} taken out of {strip.name}. Ctrl+Z takes it back.")
                return
        self.say(f"No {NAMES[sort]} is set for this voice.")

    def in_show(self) -> bool:
        """Whether the gate on screen is the one of the show."""
        shown = self._shown_gate()
        return shown is not None and self.gate is not None and alike(shown, self.gate)

    def mark_span(self, field: str, start_s: float, end_s: float) -> None:
        """Sets a stretch of room (`room_s`) or of talk (`talk_s`) by hand, beside those that are set."""
        talk = self.takes.talk
        if talk is None:
            return
        spans = (*getattr(talk, field), (round(start_s, 3), round(end_s, 3)))
        words = {"room_s": "room", "talk_s": "talk"}[field]
        self.document.apply((SetField("takes", talk.id, field, tuple(sorted(spans))),), f"{words} of {talk.id} marked")

    def forget_spans(self) -> None:
        """Room and talk are found by themselves again."""
        talk = self.takes.talk
        if talk is not None:
            edits = tuple(SetField("takes", talk.id, field, ()) for field in ("room_s", "talk_s"))
            self.document.apply(edits, f"room and talk of {talk.id} found by themselves")

    @property
    def talks(self) -> tuple[Take, ...]:
        """All takes of this voice's talk; the last is the one that is listened to."""
        return tuple(take for take in self.document.show.takes if take.what == "voice" and take.voice == self.voice)

    def next_take(self) -> None:
        """The oldest of several takes of this voice becomes the one that is listened to."""
        if len(self.talks) > 1:
            first = self.talks[0]
            self.by_hand, self.picked = False, HERE
            self.document.apply((AttachTake(first),), f"listening to {first.id}")

    def turned_since(self) -> float | None:
        """How far the gain before the take's point was turned since it was made; None where not known."""
        talk = self.takes.talk
        return None if talk is None else gain_since(self.document.analysis, talk)


def alike(first: Gate, second: Gate) -> bool:
    """Whether two gates are the same to a hundredth of a decibel."""
    a, b = first.model_dump(exclude={"set_at_gain_db"}), second.model_dump(exclude={"set_at_gain_db"})
    return all(abs(a[key] - b[key]) < 0.06 if isinstance(a[key], float) else a[key] == b[key] for key in a)
