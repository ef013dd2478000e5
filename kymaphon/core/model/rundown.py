"""The rundown and what happens on air, as a show keeps them: segments with what plays in them, notes and changes of state in the log."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AwareDatetime, Field, model_validator

from kymaphon.core.model.base import Identifier, Model, Name

SegmentSort = Literal["talk", "interview", "remote", "music", "jingle", "effects", "break", "other"]
NoteKind = Literal["retake", "noise", "clip", "good", "fader", "text"]
"""What is noted with one key: to be said again, noise, clipping, a good bit, the wrong fader, in words."""
NOTE_KINDS: tuple[NoteKind, ...] = ("retake", "noise", "clip", "good", "fader", "text")
AirAction = Literal["start", "go", "back", "hold", "resume", "open", "close", "end"]
Seconds = Annotated[float, Field(ge=0, le=604_800)]


class Play(Model):
    """Something that a player plays in a segment."""

    party: Annotated[Identifier, Field(description="the player")]
    title: Name = ""
    length_s: Annotated[Seconds | None, Field(description="left out: the whole segment")] = None
    follow: Annotated[
        Literal["single", "run-on"], Field(description="one track and stop, or on into the next by itself")
    ] = "single"
    under: Annotated[bool, Field(description="plays under the talk on purpose, ducked or turned down")] = False
    can_drop: Annotated[bool, Field(description="the segment can do without it, and is shorter by it then")] = False

    @property
    def called(self) -> str:
        """What it is called on screen."""
        return self.title or self.party


class Topic(Model):
    """Something to talk about in a segment, and with whom."""

    text: Annotated[str, Field(min_length=1, max_length=1000)]
    party: Annotated[Identifier | None, Field(description="whose topic it is; left out: everybody's")] = None
    minutes: Annotated[float | None, Field(gt=0, le=1440)] = None


class Segment(Model):
    """A part of the rundown: how long, who is open, what plays."""

    id: Identifier
    name: Name
    length_s: Annotated[Seconds | None, Field(description="planned; left out: it takes as long as it takes")] = None
    sort: SegmentSort = "other"
    open: Annotated[
        tuple[Identifier, ...], Field(max_length=200, description="parties whose microphones or lines are open")
    ] = ()
    plays: Annotated[tuple[Play, ...], Field(max_length=100)] = ()
    talkback: Annotated[tuple[Identifier, ...], Field(max_length=50, description="circuits that are used in it")] = ()
    note: Annotated[str, Field(max_length=2000)] = ""
    starts_at: Annotated[
        AwareDatetime | None, Field(description="hard time: begins then, neither sooner nor later")
    ] = None
    ends_by: Annotated[AwareDatetime | None, Field(description="hard out: over by then")] = None
    shortest_s: Annotated[Seconds | None, Field(description="may be cut down to this; left out: not at all")] = None
    longest_s: Annotated[Seconds | None, Field(description="may be stretched to this; left out: not at all")] = None
    can_drop: Annotated[bool, Field(description="the show can go without")] = False
    loses: Annotated[str, Field(max_length=500, description="what it goes without then")] = ""
    topics: Annotated[tuple[Topic, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _spans(self) -> Segment:
        if self.length_s is not None:
            if self.shortest_s is not None and self.shortest_s > self.length_s:
                raise ValueError("shortest_s is longer than length_s")
            if self.longest_s is not None and self.longest_s < self.length_s:
                raise ValueError("longest_s is shorter than length_s")
        if self.starts_at is not None and self.ends_by is not None and self.ends_by <= self.starts_at:
            raise ValueError("ends_by is not after starts_at")
        return self


class AirNote(Model):
    """Something noted with one key, and where in the show that was."""

    kind: NoteKind
    show_s: Annotated[float | None, Field(ge=-604_800, le=604_800, description="since the show began")] = None
    segment: Identifier | None = None
    until_s: Annotated[
        float | None, Field(ge=-604_800, le=604_800, description="end of what is meant; left out: a moment")
    ] = None


class AirEvent(Model):
    """A change of state on air, and how things stand after it."""

    action: AirAction
    segment: Annotated[Identifier | None, Field(description="the one that is on after it")] = None
    open: Annotated[tuple[Identifier, ...], Field(max_length=500, description="who is open after it")] = ()
    playing: Annotated[tuple[Identifier, ...], Field(max_length=100, description="players that play after it")] = ()
