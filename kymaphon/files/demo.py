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
EVENING = "lantern-quay-evening.json"
"""The evening itself: mended, lined up, with its rundown."""
EVENING_LEAD = timedelta(minutes=6)
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
    return _moved(FINAL, now, FINAL_LEAD)


def evening(now: datetime) -> Show:
    """The evening with its rundown, moved likewise: on air in `EVENING_LEAD`.

    Raises:
        FileProblem: it cannot be read.
    """
    return _moved(EVENING, now, EVENING_LEAD)


def _moved(name: str, now: datetime, lead: timedelta) -> Show:
    from kymaphon.core.rundown.carry import moved_by
    from kymaphon.files.show_file import read_show

    show = read_show(demo_path(name))
    assert show.air_at is not None
    return moved_by(show, now.replace(second=0, microsecond=0) + lead - show.air_at, now.tzinfo)
