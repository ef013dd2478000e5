"""What every record of a show or a catalogue is made from: the frozen model and the shapes of its values."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

Name = Annotated[str, Field(max_length=400)]
"""What something is called: longer than anybody reads, and short enough for a page."""
Identifier = Annotated[
    str,
    Field(
        min_length=1,
        max_length=64,
        pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*$",
        description="Stable and readable: letters, digits, - and _",
    ),
]
PortRef = Annotated[
    str,
    Field(
        pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*\.[A-Za-z0-9][A-Za-z0-9_-]*(\.[lr])?$",
        description="device.port, or device.port.l / device.port.r for one side of a stereo port",
    ),
]


def _known_zone(name: str) -> str:
    from zoneinfo import ZoneInfo

    try:
        ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        raise ValueError(f"{name[:40]} is no time zone of the standard database, such as Europe/Lisbon") from None
    return name


TimeZone = Annotated[
    str, Field(min_length=1, max_length=64, description="of the IANA database"), AfterValidator(_known_zone)
]
Metres = Annotated[float, Field(ge=-10000, le=10000)]
Extent = Annotated[float, Field(gt=0, le=10000)]
Point = tuple[Metres, Metres]
Degrees = Annotated[float, Field(ge=-3600, le=3600)]
Effort = Literal["quiet", "normal", "raised", "loud", "shouted"]
PartyKind = Literal[
    "presenter", "guest", "remote", "instrument", "crowd", "effect", "player", "audience", "recorder", "crew"
]
WantKind = Literal["hear", "never", "local", "any"]
Shield = Literal["none", "foam", "fur"]
ScaleId = Literal["dbfs", "lufs", "dbu", "vu", "ppm-1", "ppm-2a", "ppm-2b", "desk-peak", "spl"]
"""Sorts of meter, by the ids of data/scales.json."""
NO_SPEECH: tuple[PartyKind, ...] = ("player", "crowd", "effect")
"""Sorts of party whose level is a matter of taste beside the voices, not of the mark."""


class Model(BaseModel):
    """Frozen, and strict about names: a misspelt key is an error, not a silent default."""

    # Only the models that a run really validates are built: a window must open in a moment.
    model_config = ConfigDict(
        defer_build=True,
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        populate_by_name=True,
        serialize_by_alias=True,
    )

    def with_(self, **changes: Any) -> Self:
        """A copy with some fields changed, validated."""
        data = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**data, **changes})
