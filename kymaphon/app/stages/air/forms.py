"""Air's forms: a segment, and when the show is on air. Each is one step of undo."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.widgets.form import Field, Form
from kymaphon.core.model.clock import by_the_clock, clock_of, seconds_of, span_text, zone_of
from kymaphon.core.model.edits import AddRow, Edit, MoveRow, SetField
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Show
from kymaphon.core.report.rundown import play_text, topic_text
from kymaphon.core.rundown.carry import air_moved
from kymaphon.files.rundown_file import fresh_name, parties_of, plays_of, topics_of

SORTS = (
    ("talk", "talk"),
    ("interview", "interview"),
    ("remote", "somebody far away"),
    ("music", "music"),
    ("jingle", "jingle"),
    ("effects", "effects"),
    ("break", "break: nothing of ours is on"),
    ("other", "other"),
)


HARD = ("starts_at", "ends_by")


class AirForms:
    """Opens forms over a window and puts what is taken over into the document."""

    def __init__(self, parent: QWidget, document: Document) -> None:
        self.parent, self.document = parent, document
        self.last: Form | None = None

    def segment(self, segment: Segment | None, after: int = -1) -> str:
        """A segment, or a new one after a place in the rundown; its id where it was taken over, else empty."""
        show = self.document.show
        taken = {row.id for row in show.rundown}
        voices = ", ".join(row.id for row in show.parties if row.speaks)
        given = segment or Segment(id="new", name="", sort="talk")
        fields = (
            Field("name", "Name", value=given.name),
            Field("length_s", "Length", value=_span(given.length_s), empty="as long as it takes", tip="4:05, or 40 s"),
            Field("sort", "Sort", "choice", given.sort, SORTS),
            Field(
                "open", "Who is open", value=", ".join(given.open), empty="nobody", tip=f"Between commas, of {voices}"
            ),
            Field(
                "plays",
                "What plays",
                value="; ".join(map(play_text, given.plays)),
                empty="nothing",
                tip='A player, a title, a length, how: jingles "The lantern is lit" 0:20 under; run-on; can-drop',
            ),
            Field(
                "starts_at", "Begins at, hard", value=_clock(show, given.starts_at), empty="when the one before is over"
            ),
            Field("ends_by", "Over by, hard", value=_clock(show, given.ends_by), empty="no hard out"),
            Field("shortest_s", "May be cut to", value=_span(given.shortest_s), empty="not at all"),
            Field("longest_s", "May be stretched to", value=_span(given.longest_s), empty="not at all"),
            Field("can_drop", "The show can go without it", "check", given.can_drop),
            Field("loses", "What it goes without then", value=given.loses),
            Field(
                "topics",
                "Topics",
                value=" | ".join(map(topic_text, given.topics)),
                empty="none",
                tip="tam: The hull, plank by plank (3 min) | everybody: The storm",
            ),
            Field(
                "talkback",
                "Talkback circuits",
                value=", ".join(given.talkback),
                empty="none",
                tip=f"Of {', '.join(row.id for row in show.circuits) or 'none yet: see Talk'}",
            ),
            Field("note", "Note", "words", given.note),
        )
        done: list[str] = []

        def take(values: dict[str, Any]) -> None:
            name = str(values["name"]).strip()
            if not name:
                raise ValueError("a segment needs a name")
            row = Segment.model_validate(
                {
                    "id": segment.id if segment is not None else fresh_name(name, taken),
                    "name": name,
                    "sort": values["sort"],
                    "open": parties_of(str(values["open"] or ""), show),
                    "plays": plays_of(str(values["plays"] or ""), show),
                    "topics": topics_of(str(values["topics"] or ""), show),
                    "talkback": tuple(str(values["talkback"] or "").replace(",", " ").split()),
                    "can_drop": values["can_drop"],
                    "loses": values["loses"],
                    "note": values["note"],
                    **{key: seconds_of(values[key]) for key in ("length_s", "shortest_s", "longest_s") if values[key]},
                    **{key: _hard(show, values[key], getattr(given, key)) for key in HARD if values[key]},
                }
            )
            edits: tuple[Edit, ...]
            if segment is None:
                edits = (AddRow("rundown", row), MoveRow("rundown", row.id, after + 1))
            else:
                rows = tuple(row if one.id == row.id else one for one in show.rundown)
                edits = (SetField("", None, "rundown", rows),) if row != segment else ()
            self.document.apply(edits, f"segment {name[:40]}")
            done.append(row.id)

        title = f"{segment.name}" if segment is not None else "New segment"
        self.last = Form(title, fields, take, self.parent)
        return done[0] if self.last.exec() and done else ""

    def air_time(self) -> bool:
        """Day, time and zone of the show; True when they were taken over."""
        show = self.document.show
        zone = zone_of(show)
        air = show.air_at.astimezone(zone) if show.air_at is not None else None
        fields = (
            Field("day", "Day", value=f"{air:%Y-%m-%d}" if air else f"{datetime.now():%Y-%m-%d}", tip="2026-08-15"),
            Field(
                "time",
                "On air at",
                value=f"{air:%H:%M:%S}" if air else "",
                empty="no time yet",
                tip="19:00, or 19:00:30",
            ),
            Field(
                "zone",
                "Time zone",
                value=show.time_zone or "",
                empty="this computer's",
                tip="Of the standard database, such as Europe/Lisbon: times keep to its clock over a change of it",
            ),
        )

        def take(values: dict[str, Any]) -> None:
            name = str(values["zone"] or "") or None
            edits = (SetField("", None, "time_zone", name),)
            zone = zone_of(SetField("", None, "time_zone", name).apply(Show())) if name else None
            moment = None
            if values["time"]:
                try:
                    day = datetime.fromisoformat(str(values["day"]))
                except ValueError:
                    raise ValueError(f"{str(values['day'])[:20]} is no day, such as 2026-08-15") from None
                noon = day.replace(hour=12, tzinfo=zone) if zone is not None else day.replace(hour=12).astimezone()
                moment = clock_of(str(values["time"]), noon)
                if zone is None and moment is not None:
                    # This computer's clock may be another by then.
                    moment = moment.replace(tzinfo=None).astimezone()
            moved = air_moved(show, moment)
            along = " with hard times" if len(moved) > 1 else ""
            self.document.apply((*edits, *moved), f"time of air{along}")

        self.last = Form("When it is on air", fields, take, self.parent)
        return bool(self.last.exec())


def _span(seconds: float | None) -> str:
    return span_text(seconds) if seconds is not None else ""


def _clock(show: Show, at: datetime | None) -> str:
    return by_the_clock(show, at) if at is not None else ""


def _hard(show: Show, text: str, was: datetime | None) -> datetime | None:
    """A hard time by the clock of the show: the one that it was, day and all, where it reads the same; else the first such time after the
    show is on air. Raises ValueError.
    """
    if text.strip() == _clock(show, was):
        return was
    air = show.air_at.astimezone(zone_of(show)) if show.air_at is not None else None
    return clock_of(text, air, air - timedelta(seconds=1) if air is not None else None)
