"""What a strip does to a sound, as records of a show: low cut, equaliser, gate, compressor, limiter, ducker.

How each of them works on samples is stated exactly in docs/quiet.md and done in the modules beside this one. Thresholds
are dBFS or dBu, in the unit of the point where the processor sits; a full-scale sine reads 0 dBFS.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kymaphon.core.model.base import Model

LEAST_DB, MOST_DB, LONGEST_HOLD_MS = -140.0, 40.0, 5000.0
Threshold = Annotated[float, Field(ge=LEAST_DB, le=MOST_DB)]
Sort = Literal["low-cut", "equaliser", "gate", "compressor", "limiter", "ducker"]
ORDER: tuple[Sort, ...] = ("low-cut", "gate", "equaliser", "compressor", "ducker", "limiter")
"""The order in which a chain does its work, and why is told by `chain.order_problems`."""
NAMES: dict[str, str] = {
    "low-cut": "low cut",
    "equaliser": "equaliser",
    "gate": "gate",
    "compressor": "compressor",
    "limiter": "limiter",
    "ducker": "ducker",
}
LOWEST_DB = 120.0
"""A gate of this range, or more, mutes."""


class LowCut(Model):
    """A high-pass: Butterworth of the order that the slope gives, 6 dB an octave for each."""

    sort: Literal["low-cut"] = "low-cut"
    on: bool = True
    corner_hz: Annotated[float, Field(ge=10, le=1000, description="3 dB down here")] = 80.0
    slope_db_per_octave: Literal[6, 12, 18, 24] = 12


class Gate(Model):
    """Opens at one threshold and closes below a lower one."""

    sort: Literal["gate"] = "gate"
    on: bool = True
    open_db: Annotated[Threshold, Field(description="opens when the detector is at or above this")] = -40.0
    close_db: Annotated[Threshold, Field(description="begins to close when it was below this for the hold")] = -46.0
    attack_ms: Annotated[float, Field(ge=0, le=500)] = 2.0
    hold_ms: Annotated[float, Field(ge=0, le=LONGEST_HOLD_MS)] = 200.0
    release_ms: Annotated[float, Field(ge=0, le=5000)] = 150.0
    range_db: Annotated[float, Field(ge=0, le=LOWEST_DB, description="taken off when closed; 120: all of it")] = 40.0
    look_ahead_ms: Annotated[
        float, Field(ge=0, le=100, description="the sound is delayed by this, the detector is not")
    ] = 0.0
    detector: Annotated[
        Literal["peak", "rms"], Field(description="highest sample, or rms, of the last detector_ms")
    ] = "peak"
    detector_ms: Annotated[float, Field(ge=0.25, le=200)] = 10.0
    key_low_hz: Annotated[float | None, Field(ge=10, le=2000, description="key filter: nothing below counts")] = None
    key_high_hz: Annotated[float | None, Field(ge=200, le=20000, description="key filter: nothing above counts")] = None
    set_at_gain_db: Annotated[float | None, Field(ge=-120, le=120, description="gain of its strip when it was set")] = (
        None
    )

    @model_validator(mode="after")
    def _in_order(self) -> Gate:
        if self.close_db > self.open_db:
            raise ValueError(f"closes at {self.close_db:g}, above where it opens, {self.open_db:g}")
        if self.key_low_hz and self.key_high_hz and self.key_low_hz >= self.key_high_hz:
            raise ValueError("the key filter's low corner lies at or above its high one")
        return self


class Compressor(Model):
    """Turns down what is over the threshold, by the ratio."""

    sort: Literal["compressor"] = "compressor"
    on: bool = True
    threshold_db: Threshold = -24.0
    ratio: Annotated[float, Field(ge=1, le=100)] = 3.0
    knee_db: Annotated[float, Field(ge=0, le=40)] = 6.0
    attack_ms: Annotated[float, Field(ge=0, le=500)] = 10.0
    release_ms: Annotated[float, Field(ge=0, le=5000)] = 150.0
    make_up_db: Annotated[float, Field(ge=-40, le=40)] = 0.0
    detector_ms: Annotated[float, Field(ge=0.25, le=200, description="rms over this long")] = 10.0


class Limiter(Model):
    """Lets no sample past the ceiling."""

    sort: Literal["limiter"] = "limiter"
    on: bool = True
    ceiling_db: Threshold = -6.0
    look_ahead_ms: Annotated[float, Field(ge=0, le=50, description="the sound is delayed by this")] = 2.0
    release_ms: Annotated[float, Field(ge=0, le=5000, description="time for 20 dB")] = 200.0


class Ducker(Model):
    """Turns the music down while a voice speaks."""

    sort: Literal["ducker"] = "ducker"
    on: bool = True
    threshold_db: Annotated[Threshold, Field(description="of the voice, at its own strip")] = -40.0
    depth_db: Annotated[float, Field(ge=0, le=LOWEST_DB)] = 15.0
    attack_ms: Annotated[float, Field(ge=0, le=5000)] = 80.0
    hold_ms: Annotated[float, Field(ge=0, le=10000)] = 600.0
    release_ms: Annotated[float, Field(ge=0, le=10000)] = 800.0


class Band(Model):
    """One band of an equaliser."""

    shape: Literal["bell", "low-shelf", "high-shelf"] = "bell"
    centre_hz: Annotated[float, Field(ge=10, le=20000)] = 1000.0
    gain_db: Annotated[float, Field(ge=-24, le=24)] = 0.0
    q: Annotated[float, Field(ge=0.1, le=20)] = 0.7071


class Equaliser(Model):
    """Up to four bands, one after the other."""

    sort: Literal["equaliser"] = "equaliser"
    on: bool = True
    bands: Annotated[tuple[Band, ...], Field(min_length=1, max_length=4)]


Processing = Annotated[LowCut | Gate | Equaliser | Compressor | Limiter | Ducker, Field(discriminator="sort")]
Chain = Annotated[
    tuple[Processing, ...],
    Field(max_length=12, description="what the strip does to the sound, in this order"),
]
