"""Answers as they are typed: one line at a time, in plain words."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from kymaphon.core.compose.settle import Question
from kymaphon.core.model.answers import Answers, HaveAnswer, HearerAnswer, HearerSort, RoomAnswer, VoiceAnswer
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.words import counted

NUMBERS = ("one", "two", "three", "four", "five", "six", "seven", "eight")
MOST = 40
"""So many at once, as in `40 people`."""


class NotUnderstood(ValueError):
    """What was typed cannot be taken; the message says what could be."""


@dataclass(frozen=True)
class Taken:
    """The answers with one more in them, and what was taken, in words."""

    answers: Answers
    told: str


_SORTS: tuple[tuple[str, str, str | None, str], ...] = (
    # pattern, sort, link or kind, words
    (r"by (?:programme )?codec|codec", "remote", "codec", "far away, by programme codec"),
    (r"by (?:tele)?phone|telephone|caller", "remote", "telephone", "far away, by telephone"),
    (r"by call|online|far away|far|remote|guest far away", "remote", "call", "far away, by call"),
    (r"guitar|bass|mandolin", "instrument", "guitar-passive", "plugged in by its pickup"),
    (r"keyboards?|keys|synth(?:esi[sz]er)?|stage piano", "instrument", "keyboard", "plugged in, both sides"),
    (
        r"instrument|fiddle|violin|viola|cello|drums?|accordion|sax(?:ophone)?|trumpet|flute|piano|pipes|choir|trio|quartet",
        "instrument",
        None,
        "by a microphone",
    ),
    (r"player|jingles?|backing(?: track)?|music|records?|tape|sound effects", "player", None, "player"),
    (r"crowd|spectators", "crowd", None, "crowd"),
    (r"effects?|action|bell|ball", "effect", None, "effects"),
)
"""What stands in or behind a name -> what it is. A word that is the whole name stays the name."""
_KEPT = (
    "guitar",
    "bass",
    "mandolin",
    "key",
    "synth",
    "stage piano",
    "fiddle",
    "violin",
    "viola",
    "cello",
    "drum",
    "accordion",
)
_HEARERS: tuple[tuple[HearerSort, str, tuple[str, ...]], ...] = (
    ("stream", "live stream", ("stream", "live", "streaming", "online", "internet")),
    ("recording", "recording", ("recording", "recorder", "podcast", "file", "tracks", "each")),
    ("line", "line to a station", ("line", "station", "transmitter", "studio")),
    ("loudspeakers", "loudspeakers", ("loudspeakers", "speakers", "pa", "monitors")),
    ("ears", "headphones for those in rooms", ("headphones", "ears", "earphones", "phones", "cans")),
)
"""Who hears it -> the words that are typed for it; their beginnings do."""


def taken(question: Question, text: str, answers: Answers, catalogue: Catalogue) -> Taken:
    """The answers with what was typed at a question.

    Raises:
        NotUnderstood: nothing there can be meant by it.
    """
    words = " ".join(text.split())
    if not words:
        raise NotUnderstood("Nothing is typed yet.")
    if question == "heard":
        return _room(words, answers) or _voice(words[:80], answers, catalogue)
    if question == "hears":
        return _hearer(words, answers)
    return _thing(words, answers, catalogue)


def sort_words(row: VoiceAnswer, catalogue: Catalogue) -> str:
    """What a voice is, for its chip: `far away, by call`; a person's microphone where one was named."""
    if row.sort == "remote":
        return {"call": "far away, by call", "telephone": "far away, by telephone", "codec": "far away, by codec"}[
            row.by
        ]
    if row.microphone is not None:
        return catalogue[row.microphone].name.lower() if row.microphone in catalogue else row.microphone
    return {
        "person": "",
        "instrument": "by a microphone",
        "player": "player",
        "crowd": "crowd",
        "effect": "effects",
    }[row.sort]


def hearer_words(row: HearerAnswer) -> tuple[str, str]:
    """Name and detail of who hears, for its chip."""
    name = next(name for sort, name, _ in _HEARERS if sort == row.sort)
    detail = ("each on a track" if row.each else "the mix") if row.sort == "recording" else ""
    return row.name or name.capitalize(), detail


def matching(text: str, kinds: Iterable[Kind]) -> list[Kind]:
    """Kinds that a few letters of each word find, those with fewest other words first."""
    wanted = [word for word in re.split(r"[^a-z0-9]+", text.lower()) if word]
    rows = []
    for kind in kinds:
        has = [word for word in re.split(r"[^a-z0-9]+", f"{kind.name} {kind.id} {kind.group}".lower()) if word]
        if wanted and all(any(word.startswith(part) for word in has) for part in wanted):
            whole = sum(part in has for part in wanted)
            exact = kind.name.lower() == text.lower().strip() or kind.id == "-".join(wanted)
            rows.append((not exact, -whole, len(kind.name), kind.name, kind))
    return [row[4] for row in sorted(rows, key=lambda row: row[:4])]


def _fresh(stem: str, taken_ids: Iterable[str]) -> str:
    clean = re.sub(r"[^a-z0-9]+", "-", stem.lower()).strip("-")[:40] or "voice"
    known = set(taken_ids)
    if clean not in known:
        return clean
    return next(f"{clean}-{n}" for n in range(2, len(known) + 3) if f"{clean}-{n}" not in known)


def _size(text: str) -> tuple[float, float] | None:
    found = re.search(r"(\d+(?:[.,]\d+)?)\s*(?:x|by|\u00d7)\s*(\d+(?:[.,]\d+)?)", text, re.I)
    return (float(found[1].replace(",", ".")), float(found[2].replace(",", "."))) if found else None


def _room(words: str, answers: Answers) -> Taken | None:
    """`room 6 by 4.5`, `studio 5x4`, `outdoors 30x20`, `room Kitchen 4x3`: a room of that size; the first where it bears no name."""
    found = re.match(r"(another room|room|studio|outdoors|outside)\b\s*(.*)$", words, re.I)
    if found is None:
        return None
    what, rest = found[1].lower(), found[2]
    size = _size(rest)
    name = re.sub(r"[\d.,]+\s*(?:x|by|\u00d7)\s*[\d.,]+\s*m?", "", rest, flags=re.I).strip(" ,")
    if size is None and (rest or what in ("room", "another room")):
        return None  # somebody may be called so
    outdoors, studio = what in ("outdoors", "outside"), what == "studio"
    rooms = list(answers.rooms)
    known = next((row for row in rooms if row.name.lower() == name.lower()), None) if name else None
    first = rooms[0] if rooms and not name and what != "another room" else known
    if first is None:
        made = name or (
            "Outdoors" if outdoors else "Studio" if studio else f"Room {len(rooms) + 1}" if rooms else "Room"
        )
        first = RoomAnswer(id=_fresh(made, (row.id for row in rooms)), name=made)
        rooms.append(first)
    changed = first.with_(
        size_m=size or first.size_m, outdoors=outdoors or first.outdoors, studio=studio or first.studio
    )
    rooms = [changed if row.id == first.id else row for row in rooms]
    size_words = f", {changed.size_m[0]:g} by {changed.size_m[1]:g} m" if changed.size_m else ""
    return Taken(answers.with_(rooms=tuple(rooms)), f"{changed.name}{size_words}")


def _voice(words: str, answers: Answers, catalogue: Catalogue) -> Taken:
    several = re.fullmatch(r"(\d+) (?:people|persons|talkers|voices|guests)", words, re.I)
    if several:
        count = int(several[1])
        if not 1 <= count <= MOST:
            raise NotUnderstood(f"1 to {MOST} at once.")
        for _ in range(count):
            answers = _with_voice(answers, VoiceAnswer(id="new", name=f"Person {len(answers.voices) + 1}"))
        return Taken(answers, f"{counted(count, 'person', 'people')}")
    room = None
    inside = re.search(r"\s+in (?:the )?(\S.*)$", words, re.I)
    if inside:
        known = next((row for row in answers.rooms if row.name.lower() == inside[1].lower()), None)
        if known is not None:
            room, words = known.id, words[: inside.start()]
    microphone = None
    by = re.search(r"\s+(?:on|with) (?:an? )?(\S.*)$", words, re.I)
    if by:
        kinds = [
            kind for kind in matching(by[1], catalogue) if kind.is_microphone or kind.group in ("instrument", "player")
        ]
        if not kinds:
            raise NotUnderstood(f"No microphone of the catalogue is called {by[1]}.")
        microphone, words = kinds[0].id, words[: by.start()]
    for pattern, sort, more, told in _SORTS:
        hit = re.search(rf"(?:^|[\s,]+)({pattern})$", words, re.I)
        if hit is None:
            continue
        name = words[: hit.start()].strip(" ,")
        if not name or hit[1].lower().startswith(_KEPT):
            name = words
        fields: dict[str, object] = {"id": "new", "name": name[:1].upper() + name[1:], "sort": sort, "room": room}
        if sort == "remote":
            fields["by"] = more
        else:
            fields["microphone"] = microphone or more
        row = VoiceAnswer.model_validate(fields)
        return Taken(_with_voice(answers, row), f"{row.name}, {told}")
    row = VoiceAnswer(id="new", name=words[:1].upper() + words[1:], room=room, microphone=microphone)
    how = f", on a {catalogue[microphone].name.lower()}" if microphone else ", at a microphone"
    return Taken(_with_voice(answers, row), f"{row.name}{how}")


def _with_voice(answers: Answers, row: VoiceAnswer) -> Answers:
    if len(answers.voices) >= 200:
        raise NotUnderstood("Two hundred are named already.")
    named = row.with_(id=_fresh(row.name, (voice.id for voice in answers.voices)))
    return answers.with_(voices=(*answers.voices, named))


def _hearer(words: str, answers: Answers) -> Taken:
    each = bool(re.search(r"\b(each|tracks?|separate)\b", words, re.I))
    typed = [word for word in re.split(r"[^a-z]+", words.lower()) if word and word not in ("a", "the", "on")]
    for sort, name, known in _HEARERS:
        if not typed or len(typed[0]) < 2 or not any(word.startswith(typed[0]) for word in known):
            continue
        room = next((row.id for row in answers.rooms if row.name and row.name.lower() in words.lower()), None)
        row = HearerAnswer(sort=sort, each=each and sort == "recording", room=room if sort == "loudspeakers" else None)
        kept = tuple(other for other in answers.hearers if other.sort != sort)
        detail = ", each on a track" if row.each else ""
        return Taken(answers.with_(hearers=(*kept, row)), f"{name.capitalize()}{detail}")
    raise NotUnderstood("Who hears it: stream, recording (mix or each), line, loudspeakers or headphones.")


def _thing(words: str, answers: Answers, catalogue: Catalogue) -> Taken:
    found = re.match(r"(\d+)\s*(?:x|\u00d7)?\s+(.*)$", words)
    count, rest = (int(found[1]), found[2]) if found else (1, words)
    if not 1 <= count <= 99:
        raise NotUnderstood("1 to 99 of it.")
    kinds = matching(rest, catalogue)
    first, _, more = rest.partition(" ")
    if not kinds and first.lower() in NUMBERS:
        # A number in words; but for `two-input interface`, which is found before.
        count, rest = NUMBERS.index(first.lower()) + 1, more
        kinds = matching(rest, catalogue)
    if not kinds and rest.lower().endswith("s"):
        kinds = matching(rest[:-1], catalogue)
    if not kinds:
        raise NotUnderstood(f"Nothing in the catalogue is called {rest}.")
    return Taken(
        with_thing(answers, kinds[0].id, count), f"{count} \u00d7 {kinds[0].name}" if count > 1 else kinds[0].name
    )


def with_thing(answers: Answers, kind: str, count: int = 1) -> Answers:
    """The answers with so many more of a kind; taken away where the count is below nought."""
    rows = {row.kind: row.count for row in answers.have}
    rows[kind] = min(rows.get(kind, 0) + count, 99)
    return answers.with_(have=tuple(HaveAnswer(kind=name, count=n) for name, n in rows.items() if n > 0))
