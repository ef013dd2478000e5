"""Practices: where a house likes its speech to sit, and on which meter that is read. Shipped ones and the user's own."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Annotated

from pydantic import Field, model_validator

from kymaphon.core.figures import data_table
from kymaphon.core.model.base import Identifier, Model, ScaleId

Reading = Annotated[float, Field(ge=-120, le=140)]


class Practice(Model):
    """Where speech should sit. `average`, `peak` and `never_over` are readings of its meter; on a loudness meter the
    last two are true peaks in dBTP.
    """

    id: Identifier
    name: Annotated[str, Field(min_length=1, max_length=60)]
    where: Annotated[str, Field(max_length=80)] = ""
    scale: Annotated[ScaleId, Field(description="the meter that it is read on")]
    average: Annotated[Reading | None, Field(description="left out: of meters that are read at their peaks")] = None
    tolerance_db: Annotated[float, Field(gt=0, le=20, description="either side is still right")] = 3.0
    peak: Reading | None = None
    never_over: Reading | None = None
    unity: Annotated[bool, Field(description="faders stay at 0; gain makes it right")] = False
    mono: Annotated[bool, Field(description="delivered in mono; loudness counts one channel")] = False
    programme: Annotated[
        bool, Field(description="the mark of all sources together; left out: of each source by itself")
    ] = False
    source: Annotated[str, Field(max_length=200)] = ""

    @model_validator(mode="after")
    def _one_of_them(self) -> Practice:
        if self.average is None and self.peak is None:
            raise ValueError(f"practice {self.id}: give the average or the peaks that its meter should show")
        rising = [value for value in (self.average, self.peak, self.never_over) if value is not None]
        if sorted(rising) != rising:
            raise ValueError(f"practice {self.id}: average, peak and never_over must rise")
        return self


class PointMark(Model):
    """A practice for one sort of point, or for one point of the rig."""

    at: Annotated[
        str,
        Field(
            min_length=1,
            max_length=140,
            description="input, desk, recorder, stream, far-end, line, or a point of the rig (device.port)",
        ),
    ]
    practice: Identifier


@cache
def shipped_practices() -> dict[str, Practice]:
    """All shipped practices by id, the default first."""
    return {row["id"]: Practice.model_validate(row) for row in data_table("practices")["practices"]}


def practices(own: Iterable[Practice] = ()) -> dict[str, Practice]:
    """Shipped practices and the user's own, which may stand in for a shipped one of the same id."""
    return {**shipped_practices(), **{row.id: row for row in own}}


POINTS = {
    "input": "microphone input, after its gain",
    "desk": "desk, at its mixes and outputs",
    "recorder": "recorder",
    "stream": "stream",
    "far-end": "far end of a remote",
    "line": "line to the studio",
    "room": "room with loudspeakers, where it is listened to",
}
"""Sorts of points, in words."""
