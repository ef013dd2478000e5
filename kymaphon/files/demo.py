"""Where the shipped demo lies."""

from __future__ import annotations

from datetime import datetime, timedelta
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from kymaphon.core.model.show import Show

FAULTY = "lantern-quay.json"
REPAIRED = "lantern-quay-repaired.json"
FINAL = "lantern-quay-final.json"
"""Its second act, an outside broadcast with talkback and a crew."""
FINAL_LEAD = timedelta(hours=4, minutes=45)
"""So long before air its second act is opened: its crew is just there."""


def demo_path(name: str = FAULTY) -> Path:
    """A file of the demo: a show, or one of its takes."""
    return Path(str(resources.files("kymaphon").joinpath("demo", name)))


def second_act(now: datetime) -> Show:
    """The rowing final with its day moved to now and told by the clock of `now`: on air in `FINAL_LEAD`, the crew's times with it.

    Raises:
        FileProblem: it cannot be read.
    """
    from kymaphon.files.show_file import read_show

    show = read_show(demo_path(FINAL))
    assert show.air_at is not None
    by = now.replace(second=0, microsecond=0) + FINAL_LEAD - show.air_at

    def moved(at: datetime | None) -> datetime | None:
        return (at + by).astimezone(now.tzinfo) if at is not None else None

    crew = tuple(row.with_(from_at=moved(row.from_at), until_at=moved(row.until_at)) for row in show.crew)
    return show.with_(air_at=moved(show.air_at), crew=crew)
