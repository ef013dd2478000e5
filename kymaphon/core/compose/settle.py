"""Answers made sound: what cannot be meant is told at its answer and left out, and the rest goes on."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, Literal

from kymaphon.core.figures import data_table
from kymaphon.core.model.answers import Answers, HearerAnswer, RoomAnswer, VoiceAnswer
from kymaphon.core.model.catalogue import Catalogue, Kind, shipped_catalogue

Question = Literal["heard", "hears", "have"]


def settings() -> dict[str, Any]:
    """What composing assumes, each with its source: data/compose.json."""
    return data_table("compose")


def own_kinds(catalogue: Catalogue) -> dict[str, Kind]:
    """Kinds that do not ship: those of the user's own shelf."""
    shipped = shipped_catalogue()
    return {kind.id: kind for kind in catalogue if kind.id not in shipped or shipped[kind.id] != kind}


@dataclass(frozen=True, slots=True)
class Remark:
    """What cannot be done as it was answered, in one sentence, and what would do it.

    Attributes:
        question: at which of the three.
        answer: id of the voice, or kind of what there is; empty for the whole question.
        left_out: it is not in the show.
    """

    question: Question
    answer: str
    text: str
    left_out: bool = False

    def to_json(self) -> dict[str, Any]:
        return {"question": self.question, "answer": self.answer, "text": self.text, "left_out": self.left_out}


@dataclass
class Stock:
    """What there is: how many of each kind are left, and what had to be added."""

    left: dict[str, int]
    added: dict[str, int] = field(default_factory=dict)

    def has(self, kind: str) -> bool:
        return self.left.get(kind, 0) > 0

    def take(self, kind: str) -> bool:
        """One of a kind, from what there is or to be got. Whether it was there."""
        if self.has(kind):
            self.left[kind] -= 1
            return True
        self.added[kind] = self.added.get(kind, 0) + 1
        return False

    def first_that(self, catalogue: Catalogue, fits: Callable[[Kind], bool]) -> str | None:
        """The first kind that is there and fits, in the order of the catalogue: those that ship before the own ones."""
        return next((kind.id for kind in catalogue if self.has(kind.id) and fits(kind)), None)

    def first(self, kinds: Iterable[str]) -> str | None:
        """The first of some kinds that is there."""
        return next((kind for kind in kinds if self.has(kind)), None)


@dataclass
class Settled:
    """Answers that can be built.

    Attributes:
        rooms: at least one where somebody is in a room.
        voices: who is in which room; those far away and players in none.
        parties: id of a voice -> id of its party in the show.
        desk: it is built round a desk.
        quiet: the loudspeakers are left out.
    """

    answers: Answers
    catalogue: Catalogue
    rooms: tuple[RoomAnswer, ...]
    voices: tuple[VoiceAnswer, ...]
    stock: Stock
    remarks: list[Remark]
    quiet: bool = False
    desk: bool = False
    parties: dict[str, str] = field(default_factory=dict)

    def of(self, *sorts: str) -> tuple[VoiceAnswer, ...]:
        return tuple(row for row in self.voices if row.sort in sorts)

    @property
    def in_rooms(self) -> tuple[VoiceAnswer, ...]:
        return self.of("person", "instrument", "crowd", "effect")

    def hearer(self, sort: str) -> HearerAnswer | None:
        """The answer that somebody of a sort hears; None where there is none, or where loudspeakers had to be left out."""
        if self.quiet and sort == "loudspeakers":
            return None
        return next((row for row in self.answers.hearers if row.sort == sort), None)

    @property
    def on_headphones(self) -> bool:
        people = self.of("person")
        return bool(people) and (self.hearer("ears") is not None or bool(self.of("remote")))

    def say(self, question: Question, answer: str, text: str, *, left_out: bool = False) -> None:
        remark = Remark(question, answer, text, left_out)
        if remark not in self.remarks:
            self.remarks.append(remark)

    def drop(self, voice: VoiceAnswer, text: str) -> None:
        """A voice that cannot be had, with the reason."""
        self.voices = tuple(row for row in self.voices if row.id != voice.id)
        self.say("heard", voice.id, text, left_out=True)


def settle(answers: Answers, catalogue: Catalogue) -> Settled:
    """The answers with whatever cannot be built taken out and told."""
    stock = Stock({})
    out = Settled(answers, catalogue, (), (), stock, [])
    for thing in answers.have:
        if thing.kind not in catalogue:
            out.say("have", thing.kind, f"There is no kind {thing.kind} in the catalogue; left out.", left_out=True)
        else:
            stock.left[thing.kind] = stock.left.get(thing.kind, 0) + thing.count
    out.rooms = tuple(_sound_room(out, room) for room in answers.rooms)
    known = {room.id for room in out.rooms}
    voices = [row for row in answers.voices if not (row.sort == "person" and row.name.strip() == "")]
    seen: set[str] = set()
    for row in voices:
        if row.id in seen:
            out.say("heard", row.id, f"{row.name} is answered twice; once is enough.", left_out=True)
            continue
        seen.add(row.id)
        room = row.room
        if row.sort in ("remote", "player"):
            room = None
        elif room is None or room not in known:
            if room is not None:
                out.say("heard", row.id, f"{row.name}: there is no room {room}; put into the first.")
            if not out.rooms:
                out.rooms = (RoomAnswer(id="room", name="Room", size_m=tuple(settings()["rooms"]["size_m"])),)
                known = {"room"}
            room = out.rooms[0].id
        microphone = row.microphone
        if microphone is not None and microphone not in catalogue:
            out.say("heard", row.id, f"{row.name}: there is no kind {microphone}; another is proposed.")
            microphone = None
        elif microphone is not None and not _can_be(row, catalogue[microphone]):
            name = catalogue[microphone].name
            out.say(
                "heard", row.id, f"{row.name}: nothing is heard by a {name[:1].lower()}{name[1:]}; another is proposed."
            )
            microphone = None
        out.voices = (*out.voices, row.with_(room=room, microphone=microphone))
    _everybody(out)
    return out


def _can_be(row: VoiceAnswer, kind: Kind) -> bool:
    """Whether a voice of that sort can come by a kind."""
    if row.sort == "player":
        return kind.is_player
    if row.sort == "remote":
        return False
    return kind.is_microphone or (row.sort == "instrument" and kind.group == "instrument")


def _sound_room(out: Settled, room: RoomAnswer) -> RoomAnswer:
    data = settings()["rooms"]
    default = tuple(data["outdoors_m" if room.outdoors else "size_m"])
    name = room.name.strip() or ("Outdoors" if room.outdoors else "Room")
    size = room.size_m
    if size is not None and not all(data["smallest_m"] <= side <= data["largest_m"] for side in size):
        least, most = data["smallest_m"], data["largest_m"]
        out.say(
            "heard",
            room.id,
            f"{name}: a room measures {least:g} to {most:g} m a side; taken as {default[0]:g} by {default[1]:g} m.",
        )
        size = None
    return room.with_(name=name, size_m=size or default)


def _everybody(out: Settled) -> None:
    """Whether there is somebody who is heard and somebody who hears, and no more far away than can be given a mix of their own."""
    if not out.of("person", "remote", "instrument"):
        others = out.of("player", "crowd", "effect")
        out.say(
            "heard",
            "",
            "Nobody speaks or plays yet: name at least one person, instrument or guest far away."
            if not others
            else "Nobody speaks yet: only music and background would be heard.",
        )
    if not out.answers.hearers and not out.of("remote"):
        out.say("hears", "", "Nobody hears it yet: a stream, a recording, a line, loudspeakers or headphones.")
        out.voices = tuple(row for row in out.voices if row.sort != "player")
    most = int(settings()["most_far_away"])
    remotes = out.of("remote")
    for row in remotes[most:]:
        out.drop(
            row,
            f"{row.name}: {len(remotes)} are far away and one mixer makes {most} mix-minuses; the first {most} are in. "
            "Those who share one call count as one.",
        )
