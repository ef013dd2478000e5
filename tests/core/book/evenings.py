"""Evenings of the demo that were run, week by week, for tests of what is kept of them."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from kymaphon.core.air import run
from kymaphon.core.air.run import run_of
from kymaphon.core.book.entries import moved, stands
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.files.demo import evening

FIRST = datetime(2026, 11, 6, 18, 54, tzinfo=UTC)
TAM = SettingRef("desk", "in2", "gain_db")


def ran(week: int = 0, gain: float = 40.0) -> Show:
    """An evening run from start to end: Tam clips and is turned down 4 dB, and the ferry is gone for a while."""
    show = SetValue(TAM, gain).apply(evening(FIRST + timedelta(weeks=week)))
    now = show.air_at
    assert now is not None
    rows: list[LogEntry] = list(show.log)

    def log(entry: LogEntry | None) -> None:
        assert entry is not None
        rows.append(entry)

    for n, segment in enumerate(show.rundown):
        entry = run.go(show, run_of(rows), now)
        assert entry is not None
        log(entry.with_(sets=stands(show)) if n == 0 else entry)
        if segment.id == "interview":
            log(run.note(show, run_of(rows), "clip", "Tam laughs", now + timedelta(seconds=100)))
            before, show = show, SetValue(TAM, gain - 4).apply(show)
            text = "Changed on air: Tam, gain down 4 dB"
            log(
                LogEntry(
                    at=now + timedelta(seconds=110),
                    text=text,
                    subject=segment.id,
                    sort="change",
                    sets=moved(before, show),
                )
            )
        if segment.id == "table":
            log(LogEntry(at=now + timedelta(seconds=20), text="Ferry gone for 14 s", subject="ferry", sort="incident"))
        now += timedelta(seconds=(segment.length_s or 0.0) + (7 if n % 2 else -2))
    log(run.go(show, run_of(rows), now))
    return show.model_copy(update={"log": tuple(rows)})
