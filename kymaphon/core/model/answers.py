"""What a new show is composed from: the answers to three questions, as they stand in its file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kymaphon.core.model.base import Identifier, Model, Name

VoiceSort = Literal["person", "remote", "instrument", "player", "crowd", "effect"]
Link = Literal["call", "telephone", "codec"]
HearerSort = Literal["stream", "recording", "line", "loudspeakers", "ears"]
MOST_ANSWERS = 200
"""So many rows of one answer are read; the rest of a list that long is a mistake."""


class RoomAnswer(Model):
    """A room, or a spot outdoors, in which somebody is heard or hears."""

    id: Identifier
    name: Name = ""
    size_m: Annotated[tuple[float, float] | None, Field(description="width and depth; left out: assumed")] = None
    outdoors: bool = False
    studio: Annotated[bool, Field(description="an open microphone mutes its loudspeakers")] = False


class VoiceAnswer(Model):
    """Somebody or something that must be heard.

    `microphone` is the kind of the microphone, or of the instrument or player itself where it is plugged; left out, one is
    proposed.
    """

    id: Identifier
    name: Name
    sort: VoiceSort = "person"
    room: Annotated[Identifier | None, Field(description="left out: the first room")] = None
    by: Annotated[Link, Field(description="of somebody far away: how they come in")] = "call"
    microphone: Identifier | None = None


class HearerAnswer(Model):
    """Who hears it. `each`: of a recording, one track a voice."""

    sort: HearerSort
    name: Name = ""
    room: Annotated[Identifier | None, Field(description="of loudspeakers; left out: the first room")] = None
    each: bool = False


class HaveAnswer(Model):
    """Something that is there, and how many of it."""

    kind: Identifier
    count: Annotated[int, Field(ge=1, le=99)] = 1


class Answers(Model):
    """The answers to what must be heard, who hears it, and what there is."""

    title: Name = ""
    rooms: Annotated[tuple[RoomAnswer, ...], Field(max_length=MOST_ANSWERS)] = ()
    voices: Annotated[tuple[VoiceAnswer, ...], Field(max_length=MOST_ANSWERS)] = ()
    hearers: Annotated[tuple[HearerAnswer, ...], Field(max_length=MOST_ANSWERS)] = ()
    have: Annotated[tuple[HaveAnswer, ...], Field(max_length=MOST_ANSWERS)] = ()
