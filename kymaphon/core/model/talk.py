"""Talkback and the work before air, as a show keeps them: circuits with who is on them, lines out, the crew and its tasks."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field, model_validator

from kymaphon.core.model.base import Identifier, Model, Name, PortRef

HeardBy = Literal["loudspeaker", "headphones", "one-ear", "camera-cable", "four-wire", "call", "telephone"]
"""How talkback comes to somebody: in the room, over both ears, in one of them, in the camera's own cable, on a box with a send and a
return, by a call, by telephone."""
KeyAction = Literal["momentary", "latching"]
Purpose = Literal[
    "production",
    "sound",
    "lighting",
    "vision",
    "camera",
    "commentary",
    "rigging",
    "studio",
    "guests",
    "emergency",
    "general",
]
KeyRef = Annotated[
    str,
    Field(
        max_length=140,
        pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*\.[A-Za-z0-9][A-Za-z0-9_>-]*$",
        description="device.key of a box with talk keys, or device.in>out of a crosspoint that is used as one",
    ),
]
TaskSort = Literal[
    "communications",
    "power",
    "rigging",
    "commentary",
    "effects",
    "crowd",
    "lines",
    "tone",
    "line-up",
    "tap-test",
    "rehearsal",
    "other",
]


class CircuitMember(Model):
    """Who is on a circuit, and how they talk and hear on it."""

    party: Identifier
    speaks: bool = True
    hears: bool = True
    by: Annotated[HeardBy | None, Field(description="how they hear it; left out: as the rig shows")] = None
    hears_on: Annotated[
        str | None, Field(max_length=140, description="device or device.port; left out: what the party listens on")
    ] = None
    key: Annotated[KeyRef | None, Field(description="their talk key; left out: their microphone is open to it")] = None
    action: Annotated[KeyAction | None, Field(description="left out: as the key is made")] = None
    listen_key: Annotated[KeyRef | None, Field(description="has to be down for them to hear")] = None
    acts: Annotated[bool, Field(description="acts on cues given on it")] = False
    spoken_for_by: Annotated[
        Identifier | None, Field(description="stands beside somebody who cannot answer, and answers for them")
    ] = None
    cue_light: Annotated[Identifier | None, Field(description="the lamp that tells them to look or to go")] = None


class Circuit(Model):
    """A talkback circuit: who can say something to whom, apart from the programme."""

    id: Identifier
    name: Name = ""
    purpose: Purpose = "general"
    members: Annotated[tuple[CircuitMember, ...], Field(max_length=500)] = ()
    private: Annotated[bool, Field(description="nobody else may hear it")] = False
    overrides: Annotated[
        tuple[Identifier, ...], Field(description="circuits that go down in the same ears while this one talks")
    ] = ()
    dim_db: Annotated[
        float | None,
        Field(
            ge=0,
            le=60,
            description="what else is in those ears goes down by so much while it talks; left out: as each ear says",
        ),
    ] = None

    @model_validator(mode="before")
    @classmethod
    def _short_members(cls, data: Any) -> Any:
        """A member may be written as the id of a party alone: speaks and hears."""
        if isinstance(data, dict) and isinstance(data.get("members"), list | tuple):
            rows = [{"party": row} if isinstance(row, str) else row for row in data["members"]]
            return {**data, "members": rows}
        return data

    @model_validator(mode="after")
    def _once_each(self) -> Circuit:
        names = [row.party for row in self.members]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"{twice} is on this circuit twice")
        return self

    @property
    def called(self) -> str:
        """What it is called on screen."""
        return self.name or self.id

    def member(self, party: str) -> CircuitMember | None:
        """Somebody's place on it; None where they are not on it."""
        return next((row for row in self.members if row.party == party), None)


class Line(Model):
    """An outgoing circuit to a station or a control room."""

    id: Identifier
    number: Annotated[str, Field(max_length=80, description="as its owner calls it")] = ""
    name: Name = ""
    at: Annotated[PortRef, Field(description="the socket of the rig that feeds it: the input of the line's device")]
    reserve_for: Annotated[Identifier | None, Field(description="the line that it stands in for")] = None
    level_dbu: Annotated[float | None, Field(ge=-60, le=30, description="line-up level agreed with the far end")] = None
    delay_ms: Annotated[float | None, Field(ge=0, le=60000, description="as measured to the far end")] = None
    ident: Annotated[str, Field(max_length=200, description="what is said on it between tones")] = ""
    jack: Annotated[str, Field(max_length=40, description="where it comes up on the jackfield")] = ""
    result: Annotated[
        Literal["good", "bad", "untested"], Field(description="what the far end said of tone and ident")
    ] = "untested"
    received_dbu: Annotated[float | None, Field(ge=-120, le=40, description="as the far end read the tone")] = None

    @property
    def called(self) -> str:
        """What it is called on screen."""
        return self.name or self.number or self.id


class CrewMember(Model):
    """A pair of hands before air."""

    id: Identifier
    name: Name
    party: Annotated[Identifier | None, Field(description="who they are in the show, if they are in it")] = None
    does: Annotated[tuple[TaskSort, ...], Field(description="what they can be given; left out: anything")] = ()
    from_at: Annotated[AwareDatetime | None, Field(description="not there before")] = None
    until_at: Annotated[AwareDatetime | None, Field(description="gone after")] = None

    @model_validator(mode="after")
    def _some_time(self) -> CrewMember:
        if self.from_at is not None and self.until_at is not None and self.until_at <= self.from_at:
            raise ValueError(f"{self.name} is gone before they come")
        return self


class Task(Model):
    """Something to do before air."""

    id: Identifier
    text: Annotated[str, Field(max_length=4000)]
    done: bool = False
    sort: TaskSort = "other"
    minutes: Annotated[float | None, Field(gt=0, le=2880, description="left out: as usual for its sort")] = None
    people: Annotated[int, Field(ge=1, le=50, description="so many at once")] = 1
    who: Annotated[tuple[Identifier, ...], Field(description="of the crew; left out: whoever can")] = ()
    after: Annotated[tuple[Identifier, ...], Field(description="tasks that come first")] = ()
    place: Identifier | None = None
    can_drop: Annotated[bool, Field(description="the show can go without")] = False
    loses: Annotated[str, Field(max_length=500, description="what it goes without then")] = ""
    started_at: AwareDatetime | None = None
    done_at: AwareDatetime | None = None
