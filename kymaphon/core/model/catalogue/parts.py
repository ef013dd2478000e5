"""Parts of a kind that are no signal path: what feeds it, what it does to a sound, what its knobs say they do."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kymaphon.core.model.base import Identifier, Model

Connector = Literal[
    "xlr",
    "combo",
    "jack-2",
    "jack-3",
    "minijack-2",
    "minijack-3",
    "minijack-4",
    "phono",
    "terminal",
    "speaker-plug",
    "usb",
    "network",
    "radio",
    "inside",
]
"""A plug or socket by its size and number of contacts; `combo` takes XLR and 6.35 mm jack."""
Feed = Literal["mains-earthed", "mains-two-pin", "adaptor", "bus", "battery"]
"""What a device runs from: earthed mains, mains without earth, a plug-top adaptor, the USB of its host, batteries."""
Job = Literal[
    "gate",
    "compressor",
    "limiter",
    "reverb",
    "noise-suppressor",
    "echo-canceller",
    "level-rider",
    "low-cut",
    "ducker",
    "equaliser",
]


class Power(Model):
    """What a device runs from, first as delivered, and what it gives to others by USB."""

    by: Annotated[tuple[Feed, ...], Field(min_length=1)]
    bus_ma: Annotated[float | None, Field(gt=0, le=5000, description="drawn from USB, without phantom")] = None
    gives_ma: Annotated[float | None, Field(gt=0, le=20000, description="given to all that hangs on it")] = None
    cells: Annotated[str, Field(description="batteries, such as 2 AA")] = ""
    cell_hours: Annotated[float | None, Field(gt=0, description="one set lasts")] = None


class Processor(Model):
    """Something that changes the sound on the way.

    `sits` names the paths (`in1>main`) through which it works; it is switched by the device's setting of its id.
    """

    id: Identifier
    name: str
    does: Job
    sits: tuple[str, ...]
    on: Annotated[bool, Field(description="as delivered")] = True
    fixed: Annotated[bool, Field(description="cannot be switched")] = False
    depth_db: Annotated[
        float | None,
        Field(ge=0, le=60, description="how far a ducker takes the music down; left out: not known"),
    ] = None
    far: Annotated[
        bool, Field(description="works at the far end of a call, where no app of its own is in the show")
    ] = False
