"""Every sheet of a show by its name, made from the same tables as the rig sheet."""

from __future__ import annotations

from collections.abc import Callable

from kymaphon.core.analysis.report import Report
from kymaphon.core.report.drawing import chain_drawings, plan_drawings
from kymaphon.core.report.rundown import rundown_list, rundown_sheet
from kymaphon.core.report.sheet import (
    CAUTIONS,
    Sheet,
    Table,
    feeds_table,
    line_up_table,
    marks_table,
    patch_list,
    patch_table,
    placing,
    plugs_where,
    pull_table,
    rig_sheet,
    show_line,
    tasks,
    tracks_table,
)
from kymaphon.core.report.talk import talkback_sheet
from kymaphon.core.words import counted

SORTS: dict[str, str] = {
    "rig": "Rig sheet: first what somebody needs who walks in, then everything",
    "patch": "Patch list: every lead, and what plugs where",
    "channels": "Channel list: the desk allotted, with strip labels",
    "feeds": "Who hears whom, and what is recorded",
    "talkback": "Circuits, keys, and what never reaches air",
    "schedule": "Who does what when before air",
    "line-up": "What every source should show and showed",
    "rundown": "Segments against the clock, moves, who then hears whom",
    "pull": "What to take out of the store",
}
"""Name of a sheet -> what is on it. The incident report is of a moment: `core/report/book.py`."""


def sheet_of(analysis: Report, name: str) -> tuple[Sheet, Table]:
    """A sheet, and the list that a .csv of it has.

    Raises:
        KeyError: no sheet of that name.
        ValueError: the show has nothing to put on it, and why.
    """
    sheet, table = _MAKERS[name](analysis)
    if not sheet.tables and not sheet.front:
        raise ValueError(f"there is nothing to put on a {name} sheet yet: {sheet.summary}")
    return sheet, table


def _of(
    analysis: Report, sort: str, summary: str, tables: tuple[Table, ...], *, plans: bool = False, chain: bool = False
) -> Sheet:
    drawings = (*(plan_drawings(analysis) if plans else ()), *(chain_drawings(analysis) if chain else ()))
    front = (tables[0],) if plans and tables[0].rows else ()
    rest = tables[1:] if front else tables
    return Sheet(
        analysis.show.title,
        show_line(analysis.show, sort),
        summary,
        tuple(row for row in rest if row.rows),
        CAUTIONS,
        front,
        drawings,
        sort,
    )


def _patch(analysis: Report) -> tuple[Sheet, Table]:
    count = len(analysis.show.cables)
    tables = (patch_list(analysis), plugs_where(analysis))
    return _of(analysis, "patch list", f"{counted(count, 'lead')}.", tables, chain=True), patch_table(analysis)


def _feeds(analysis: Report) -> tuple[Sheet, Table]:
    table = feeds_table(analysis)
    tables = (table, tracks_table(analysis), marks_table(analysis))
    return _of(analysis, "feeds", f"{counted(len(table.rows), 'listener')}.", tables if table.rows else ()), table


def _line_up(analysis: Report) -> tuple[Sheet, Table]:
    table = line_up_table(analysis)
    tables = (table, marks_table(analysis), placing(analysis))
    return _of(
        analysis, "line-up", f"{counted(len(table.rows), 'source')} were read.", tables if table.rows else ()
    ), table


def _pull(analysis: Report) -> tuple[Sheet, Table]:
    table = pull_table(analysis)
    return _of(
        analysis, "pull list", f"{len(table.rows)} sorts of things.", (table, tasks(analysis)) if table.rows else ()
    ), table


def _talkback(analysis: Report) -> tuple[Sheet, Table]:
    sheet = talkback_sheet(analysis)
    return sheet, sheet.tables[0] if sheet.tables else Table("Talkback", ("Who",), ())


def _schedule(analysis: Report) -> tuple[Sheet, Table]:
    from datetime import UTC, datetime

    from kymaphon.core.report.work import work_sheet
    from kymaphon.core.work.plan import drops, plan_work

    begins = min((row.from_at for row in analysis.show.crew if row.from_at is not None), default=analysis.show.air_at)
    plan = plan_work(analysis, begins or datetime(2000, 1, 1, tzinfo=UTC))
    sheet = work_sheet(analysis, plan, drops(analysis, plan))
    return sheet, sheet.tables[0] if sheet.tables else Table("Order of work", ("What",), ())


def _channels(analysis: Report) -> tuple[Sheet, Table]:
    from kymaphon.core.report.work import channel_sheet, channel_table
    from kymaphon.core.work.desk import allot_show, desks_of

    rows = desks_of(analysis)
    allotment = allot_show(analysis, rows[0]) if rows else None
    if allotment is None:
        raise ValueError("there is nothing to put on a channels sheet yet: there is no desk in this show")
    return channel_sheet(analysis, allotment), channel_table(allotment)


def _rundown(analysis: Report) -> tuple[Sheet, Table]:
    return rundown_sheet(analysis), rundown_list(analysis)


def _rig(analysis: Report) -> tuple[Sheet, Table]:
    return rig_sheet(analysis), patch_table(analysis)


_MAKERS: dict[str, Callable[[Report], tuple[Sheet, Table]]] = {
    "rig": _rig,
    "patch": _patch,
    "channels": _channels,
    "feeds": _feeds,
    "talkback": _talkback,
    "schedule": _schedule,
    "line-up": _line_up,
    "rundown": _rundown,
    "pull": _pull,
}
