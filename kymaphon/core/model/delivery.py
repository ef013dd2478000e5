"""How a show is recorded and streamed, as it stands in its file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kymaphon.core.model.base import Model

RecordWay = Literal["mix", "split", "each"]
"""mix: all together. split: the host left, everyone else right. each: one track a person."""


class Recording(Model):
    """How the show is recorded."""

    way: RecordWay = "mix"
    safety: Annotated[bool, Field(description="a copy of each voice, recorded lower")] = False
    bits: Literal[16, 24, 32] = 24
    rate_hz: Annotated[int | None, Field(ge=8000, le=768000, description="left out: the show's")] = None
    files: Annotated[Literal["wav", "rf64"], Field(description="rf64 goes on beyond 4 GiB")] = "wav"
    together: Annotated[bool, Field(description="all tracks in one file")] = False
    length_s: Annotated[
        float | None, Field(gt=0, le=1_000_000, description="left out: the rundown's, else assumed")
    ] = None
    free_bytes: Annotated[int | None, Field(ge=0, le=10**16, description="on the disk that is recorded on")] = None


class Streaming(Model):
    """What is sent out by the network, and what the network was measured to carry."""

    video_kbps: Annotated[float, Field(ge=0, le=200_000, description="0: sound only")] = 0.0
    audio_kbps: Annotated[float, Field(ge=8, le=10_000, description="of each stream")] = 160.0
    streams: Annotated[int | None, Field(ge=1, le=20, description="left out: as many as there are encoders")] = None
    up_mbps: Annotated[float | None, Field(ge=0, le=100_000, description="measured upload")] = None
    down_mbps: Annotated[float | None, Field(ge=0, le=100_000, description="measured download")] = None
    other_up_kbps: Annotated[float, Field(ge=0, le=1_000_000, description="whatever else sends")] = 0.0
