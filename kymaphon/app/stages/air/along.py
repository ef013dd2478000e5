"""A rundown as the bar along the clock draws it, for the views that have one."""

from __future__ import annotations

from datetime import UTC, datetime

from kymaphon.app.widgets.rundown_bar import Block, HardLine, RundownBar
from kymaphon.core.model.clock import by_the_clock
from kymaphon.core.model.show import Show
from kymaphon.core.rundown.timing import Timeline


def draw_along(bar: RundownBar, show: Show, line: Timeline, words: str, now: datetime | None = None) -> None:
    """Puts a rundown into the bar, from its first segment on; `now` where it runs."""
    first = line.rows[0].starts if line.rows else None

    def since(when: datetime) -> float:
        assert first is not None
        return (when.astimezone(UTC) - first.astimezone(UTC)).total_seconds()

    at, blocks = 0.0, []
    for row in line.rows:
        at = since(row.starts) if row.starts is not None and first is not None else at
        blocks.append(Block(row.segment.id, row.segment.name, at, at + row.length_s, row.state))
        at += row.length_s
    hard = tuple(
        HardLine(since(row.at), f"{'out' if row.sort == 'out' else 'hard'} {by_the_clock(show, row.at)}", row.missed)
        for row in line.hard
        if first is not None
    )
    bar.show_rundown(tuple(blocks), hard, since(now) if now is not None and first is not None else None, words)
