"""What else an answer could be: a short menu at its chip."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QMenu

from kymaphon.core.compose.settle import Question
from kymaphon.core.model.answers import Answers, VoiceAnswer
from kymaphon.core.model.catalogue import Catalogue

SIZES = ((3.0, 2.5), (4.0, 3.0), (5.0, 4.0), (8.0, 6.0), (15.0, 10.0))
LINKS = (("call", "By call, in the computer"), ("telephone", "By telephone"), ("codec", "By programme codec"))


def fill_options(
    menu: QMenu,
    answers: Answers,
    question: Question,
    name: str,
    catalogue: Catalogue,
    use: Callable[[Answers], None],
    remove: Callable[[], None],
) -> None:
    """Fills the menu of a chip.

    Args:
        use: takes the answers as they then are.
    """

    def add(text: str, after: Answers, *, now: bool) -> None:
        row = menu.addAction(text)
        row.setCheckable(True)
        row.setChecked(now)
        row.triggered.connect(lambda _checked=False: use(after))

    if question == "heard" and name.startswith("room "):
        _room(answers, name.removeprefix("room "), add)
    elif question == "heard":
        _voice(answers, next(row for row in answers.voices if row.id == name), catalogue, add)
    elif question == "hears":
        row = next(row for row in answers.hearers if row.sort == name)
        if row.sort == "recording":
            for each, text in ((False, "The mix of all"), (True, "Each on a track")):
                rows = tuple(other.with_(each=each) if other is row else other for other in answers.hearers)
                add(text, answers.with_(hearers=rows), now=row.each is each)
        if row.sort == "loudspeakers":
            for room in answers.rooms:
                rows = tuple(other.with_(room=room.id) if other is row else other for other in answers.hearers)
                add(f"In {room.name or 'the room'}", answers.with_(hearers=rows), now=row.room == room.id)
    else:
        thing = next(row for row in answers.have if row.kind == name)
        for count in range(1, 7):
            have = tuple(other.with_(count=count) if other is thing else other for other in answers.have)
            add(f"{count} of it", answers.with_(have=have), now=thing.count == count)
    menu.addSeparator()
    menu.addAction("Take it away").triggered.connect(lambda _checked=False: remove())


Add = Callable[..., None]


def _room(answers: Answers, room_id: str, add: Add) -> None:
    room = next(row for row in answers.rooms if row.id == room_id)

    def changed(**fields: object) -> Answers:
        return answers.with_(rooms=tuple(row.with_(**fields) if row is room else row for row in answers.rooms))

    for width, depth in SIZES:
        add(f"{width:g} by {depth:g} m", changed(size_m=(width, depth)), now=room.size_m == (width, depth))
    add("Outdoors", changed(outdoors=not room.outdoors), now=room.outdoors)
    add("A studio: an open microphone mutes its loudspeakers", changed(studio=not room.studio), now=room.studio)


def _voice(answers: Answers, voice: VoiceAnswer, catalogue: Catalogue, add: Add) -> None:
    def changed(**fields: object) -> Answers:
        return answers.with_(voices=tuple(row.with_(**fields) if row is voice else row for row in answers.voices))

    if voice.sort == "remote":
        for link, text in LINKS:
            add(text, changed(by=link), now=voice.by == link)
        return
    if voice.sort == "player":
        return
    for room in answers.rooms if len(answers.rooms) > 1 else ():
        add(f"In {room.name or 'the room'}", changed(room=room.id), now=voice.room == room.id)
    add("Propose a microphone", changed(microphone=None), now=voice.microphone is None)
    if voice.sort == "instrument":
        add("Plugged in by its pickup", changed(microphone="guitar-passive"), now=voice.microphone == "guitar-passive")
        add("Plugged in, both sides", changed(microphone="keyboard"), now=voice.microphone == "keyboard")
    for kind in catalogue:
        if kind.is_microphone:
            add(kind.name, changed(microphone=kind.id), now=voice.microphone == kind.id)
