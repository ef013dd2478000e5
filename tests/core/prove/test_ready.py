"""What is open before air: told of the show alone, gone once it was done, in the order that saves most risk a minute."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.figures import data_table
from kymaphon.core.model.delivery import Recording, Streaming
from kymaphon.core.model.edits import AddLog, SetField, Unplug, apply_all
from kymaphon.core.model.show import LogEntry, Show
from kymaphon.core.prove.model import tap_model
from kymaphon.core.prove.proven import newly_proven
from kymaphon.core.report.prove import read_by
from kymaphon.core.report.ready import open_points, time_words
from kymaphon.core.talk.checks import check_of
from kymaphon.files.demo import FAULTY, FINAL, REPAIRED, demo_path
from kymaphon.files.show_file import read_show

NOW = datetime(2026, 12, 1, 18, 0, tzinfo=UTC)


def names(show: Show) -> list[str]:
    return [row.id for row in open_points(analyse(show))]


def test_an_empty_show_has_nothing_open() -> None:
    assert open_points(analyse(Show())) == ()
    assert time_words((), None, NOW) == "Nothing is open: ready."


def test_what_stops_the_show_comes_first_and_each_row_has_its_reason() -> None:
    points = open_points(analyse(read_show(demo_path(FAULTY))))
    assert points[0].id == "stops"
    assert points[0].evidence == "Echo: Ferry hears itself 164.1 ms late"
    assert [row.worth for row in points] == sorted((row.worth for row in points), reverse=True)
    assert all(row.evidence and row.minutes > 0 for row in points)
    gate = next(row for row in points if row.id == "gate-take")
    assert "Tam" in gate.evidence


def test_each_point_goes_when_it_was_settled() -> None:
    show = read_show(demo_path(REPAIRED))
    before = names(show)
    assert {"unproven", "call", "upload", "test-stream", "disk", "consent", "battery", "line-up"} <= set(before)
    report = analyse(show)
    model = tap_model(report)
    seen = {cell: what for k in range(len(model.taps)) for cell, what in read_by(model, (), k).items()}
    entries = [
        LogEntry(at=NOW, text="tapped", proven=newly_proven(report, model, seen)),
        LogEntry(at=NOW, text="heard", subject="test-stream"),
        LogEntry(at=NOW, text="told", subject="consent"),
        LogEntry(at=NOW, text="full", subject="battery"),
    ]
    done = apply_all(show, tuple(AddLog(row) for row in entries))
    streaming = (done.streaming or Streaming()).model_copy(update={"up_mbps": 10.0})
    recording = (done.recording or Recording()).model_copy(update={"free_bytes": 10**12})
    done = done.with_(streaming=streaming, recording=recording)
    left = names(done)
    assert not {"unproven", "call", "upload", "test-stream", "disk", "consent", "battery"} & set(left)
    assert "line-up" in left


def test_a_pulled_lead_makes_what_it_carried_stale() -> None:
    show = read_show(demo_path(REPAIRED))
    report = analyse(show)
    model = tap_model(report)
    seen = {cell: what for k in range(len(model.taps)) for cell, what in read_by(model, (), k).items()}
    proven = apply_all(show, (AddLog(LogEntry(at=NOW, text="tapped", proven=newly_proven(report, model, seen))),))
    lead = next(row for row in show.cables if row.target == "desk.in3")
    point = next(row for row in open_points(analyse(apply_all(proven, (Unplug(*lead.ends),)))) if row.id == "stale")
    assert point.evidence == "1 to tap: Ilse"


def test_circuits_and_lines_are_open_until_they_are_tried() -> None:
    show = read_show(demo_path(FINAL))
    points = {row.id: row for row in open_points(analyse(show))}
    assert points["circuits"].title == "48 of 48 paths of circuits not tried by voice"
    assert (points["circuits"].stage, points["circuits"].view) == ("Talk", "check")
    assert points["lines"].evidence == "tone and ident: Programme, main, Programme, reserve"
    check = check_of(analyse(show), "production", "wren", "cam-1", "good")
    entry = AddLog(LogEntry(at=NOW, text="Wren to Camera 1: good", circuit_check=check))
    answered = tuple(SetField("lines", name, "result", "good") for name in ("main", "reserve"))
    after = {row.id: row for row in open_points(analyse(apply_all(show, (entry, *answered))))}
    assert after["circuits"].title.startswith("47 of 48")
    assert "lines" not in after


def test_time_is_held_against_air() -> None:
    points = open_points(analyse(read_show(demo_path(FAULTY))))
    need = sum(row.minutes for row in points)
    assert "no time of air" in time_words(points, None, NOW)
    assert "on air already" in time_words(points, NOW - timedelta(minutes=1), NOW)
    assert f"about {need:.0f} min of the 60 min to air" in time_words(points, NOW + timedelta(minutes=60), NOW)
    short = time_words(points, NOW + timedelta(minutes=points[0].minutes + 0.1), NOW)
    assert short.endswith("the first 1 fit.")


def test_every_sort_says_where_its_figures_come_from() -> None:
    assert all(row["source"] for row in data_table("prove")["ready"])
