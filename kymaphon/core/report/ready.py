"""Ready for air: what is still open of this very show, with its evidence, what settles it, and how long that takes.

The order is that which saves most risk a minute (minutes and risks: `core/data/prove.json`); nothing stands here that the show does not
give a reason for.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import cache

from kymaphon.core.analysis.report import Report
from kymaphon.core.figures import data_table
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.prove.proven import proofs
from kymaphon.core.talk.checks import check_states

MOST_NAMED = 4


@dataclass(frozen=True, slots=True)
class OpenPoint:
    """One thing that is open before air.

    Attributes:
        id: its sort, as in `core/data/prove.json`.
        title, evidence: what is open, and from what that is told.
        stage, view: where it is settled.
        note: what the log says once it was done, for what only people can say; empty for what the show itself will tell.
        minutes: how long it takes; `risk`: how much it saves, against the others.
    """

    id: str
    title: str
    evidence: str
    stage: str
    view: str
    minutes: float
    risk: float
    note: str = ""

    @property
    def worth(self) -> float:
        """Risk saved a minute."""
        return self.risk / self.minutes


@cache
def _table() -> dict[str, tuple[float, float]]:
    return {row["id"]: (row["minutes"], row["risk"]) for row in data_table("prove")["ready"]}


def _point(
    name: str, title: str, evidence: str, stage: str, view: str = "", *, times: float = 1.0, note: str = ""
) -> OpenPoint:
    minutes, risk = _table()[name]
    return OpenPoint(name, title, evidence, stage, view, minutes * times, risk * times, note)


def open_points(analysis: Report) -> tuple[OpenPoint, ...]:
    """Everything that is open, what saves most risk a minute first."""
    return tuple(sorted(_found(analysis), key=lambda row: -row.worth))


def time_words(points: tuple[OpenPoint, ...], air_at: datetime | None, now: datetime) -> str:
    """How long all of it takes, against the time that is left."""
    if not points:
        return "Nothing is open: ready."
    need = sum(row.minutes for row in points)
    words = f"{len(points)} open, about {need:.0f} min"
    if air_at is None:
        return f"{words}; no time of air is set."
    left = (air_at - now).total_seconds() / 60
    if left < 0:
        return f"{words}; on air already."
    if need <= left:
        return f"{words} of the {left:.0f} min to air."
    first, spent = 0, 0.0
    for row in points:
        if spent + row.minutes > left:
            break
        first, spent = first + 1, spent + row.minutes
    return f"{words}, and {left:.0f} min to air: the first {first} fit."


def _found(analysis: Report) -> Iterator[OpenPoint]:
    stops = [row for row in analysis.findings if row.severity == "stop"]
    if stops:
        yield _point("stops", f"{len(stops)} to stop for", stops[0].title, stops[0].stage, times=len(stops))
    yield from _unproven(analysis)
    yield from _lined_up(analysis)
    yield from _gates(analysis)
    yield from _talk(analysis)
    yield from _outside(analysis)


def _unproven(analysis: Report) -> Iterator[OpenPoint]:
    pairs = proofs(analysis)
    for name, rows in (
        ("stale", [row for row in pairs if row.stale]),
        ("unproven", [row for row in pairs if row.proven is None]),
    ):
        if not rows:
            continue
        taps = sorted({analysis.party_name(row.voice) for row in rows})
        what = "stale since an edit" if name == "stale" else "not proven"
        title = f"{len(rows)} {'pair is' if len(rows) == 1 else 'pairs are'} {what}"
        yield _point(name, title, f"{len(taps)} to tap: {_listed(taps)}", "Prove", "tap", times=len(taps))
    calls = [
        party.name
        for party in analysis.voices
        if party.kind == "remote" and not any(row.holds for row in pairs if row.voice == party.id and row.comes)
    ]
    if calls:
        title = f"{len(calls)} {'call' if len(calls) == 1 else 'calls'} without a warm-up"
        yield _point("call", title, f"nobody has heard {_listed(calls)} yet", "Prove", "tap", times=len(calls))


def _lined_up(analysis: Report) -> Iterator[OpenPoint]:
    passed = {entry.line_up.voice for entry in analysis.show.log if entry.line_up is not None and entry.line_up.passed}
    left = [party.name for party in analysis.voices if party.kind not in NO_SPEECH and party.id not in passed]
    if left:
        yield _point("line-up", f"{len(left)} not lined up", _listed(left), "Level", "run", times=len(left))


def _gates(analysis: Report) -> Iterator[OpenPoint]:
    with_take = {take.voice for take in analysis.show.takes if take.what == "voice"}
    left = [row.name for row in analysis.voices if row.id not in with_take and analysis.gates(row.id)]
    if left:
        title = f"{len(left)} {'gate' if len(left) == 1 else 'gates'} without a take"
        yield _point("gate-take", title, f"set by no recording: {_listed(left)}", "Quiet", "gate", times=len(left))


def _talk(analysis: Report) -> Iterator[OpenPoint]:
    """Circuits that nobody has tried by voice, or that were changed since; lines that the far end has not answered."""
    ways = [row for row in check_states(analysis) if row.way.state != "outside"]
    left = [row for row in ways if not row.holds]
    if left:
        stale = sum(row.stale for row in left)
        names = {circuit.id: circuit.called for circuit in analysis.show.circuits}
        what = f"{stale} changed since; " if stale else ""
        evidence = f"{what}{_listed(list(dict.fromkeys(names[row.way.circuit] for row in left)))}"
        title = f"{len(left)} of {len(ways)} paths of circuits not tried by voice"
        yield _point("circuits", title, evidence, "Talk", "check", times=len(left))
    lines = [row.called for row in analysis.show.lines if row.result != "good"]
    if lines:
        title = f"{len(lines)} {'line' if len(lines) == 1 else 'lines'} not answered good"
        yield _point("lines", title, f"tone and ident: {_listed(lines)}", "Talk", "lines", times=len(lines))


def _outside(analysis: Report) -> Iterator[OpenPoint]:
    show = analysis.show
    said = {entry.subject for entry in show.log}
    encoders = [row for row in show.devices if analysis.catalogue[row.kind].is_encoder]
    if encoders:
        name = analysis.device_name(encoders[0].id)
        if show.streaming is None or show.streaming.up_mbps is None:
            yield _point(
                "upload",
                "The upload was not measured",
                f"{name} sends, and nobody knows what the network carries",
                "Feeds",
                "out",
            )
        if "test-stream" not in said:
            yield _point(
                "test-stream",
                "No private test stream was heard on a telephone",
                f"nothing in the log says so; {name} sends",
                "Prove",
                "listen",
                note="A private test stream was heard on a telephone",
            )
    kinds = analysis.catalogue.with_kinds(*show.kinds)
    batteries = [analysis.device_name(row.id) for row in show.devices if kinds[row.kind].runs_on_battery]
    if batteries and "battery" not in said:
        yield _point(
            "battery",
            f"{len(batteries)} {'battery' if len(batteries) == 1 else 'batteries'} not looked at",
            f"{_listed(batteries)}; nothing in the log says that they are full",
            "Prove",
            "ready",
            note=f"Batteries are full, spares lie beside: {_listed(batteries)}",
        )
    recorders = [row for row in show.parties if row.kind == "recorder"]
    if recorders:
        if show.recording is None or show.recording.free_bytes is None:
            yield _point("disk", "The space on the disk is not known", f"{recorders[0].name} records", "Feeds", "out")
        if "consent" not in said:
            yield _point(
                "consent",
                "Consent to record is not noted",
                f"{recorders[0].name} records; nothing in the log says so",
                "Prove",
                "ready",
                note="Everybody was told that it is recorded, and agreed",
            )


def _listed(names: list[str]) -> str:
    more = len(names) - MOST_NAMED
    return ", ".join(names[:MOST_NAMED]) + (f" and {more} more" if more > 0 else "")
