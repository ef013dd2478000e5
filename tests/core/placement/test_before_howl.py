"""How far from howling a microphone would be, spot by spot: held against the changed show's own loops."""

from __future__ import annotations

import json

import numpy as np
import pytest

from kymaphon.cli import main
from kymaphon.core.acoustics.spots import bounds_of
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.placement.before_howl import before_howl
from kymaphon.files.show_file import write_show
from tests.core.analysis.test_offers import four_on_tracks, two_desks, wedge
from tests.core.rules.test_in_the_room import YARD

GAIN = SettingRef("desk", "in1", "gain_db")


def kept_as_loud(show: Show, kind: str, at: tuple[float, float] | None) -> Report:
    """The show with another microphone somewhere else, and its gain turned until the voice is as loud on the desk as before."""
    before = analyse(show, remedies=False)
    edits = (SetField("devices", "mic", "kind", kind), SetValue(SettingRef("desk", "in1", "phantom"), True))
    moved = apply_all(show, (*edits, SetField("devices", "mic", "at_m", at)) if at else edits)
    there = without_rules(moved, before.catalogue)
    on_desk = [state.ladder_to_node("ann", "desk.in1:pre") for state in (there, before)]
    assert on_desk[0] is not None
    assert on_desk[1] is not None
    up = on_desk[0].last.speech_db - on_desk[1].last.speech_db
    now = show.device("desk").settings["in1"].gain_db or 0.0
    return without_rules(apply_all(moved, (SetValue(GAIN, now - up),)), before.catalogue)


def margin(analysis: Report) -> float:
    return analysis.transfer.stability.margin_db


@pytest.mark.parametrize("outdoors", [True, False])
@pytest.mark.parametrize("kind", ["dynamic-close", "dynamic-tight", "condenser-broad", "reporter-omni", "ribbon-eight"])
@pytest.mark.parametrize("at", [(2.08, 3.0), (2.3, 3.0), (2.0, 2.9), (2.2, 3.25), (1.9, 3.05)])
def test_it_is_the_margin_of_the_changed_show(kind: str, at: tuple[float, float], outdoors: bool) -> None:
    """The microphone really put there, its gain really turned: the loops solved anew. Arrays against the graph."""
    show = apply_all(wedge(), (SetValue(GAIN, 40.0),))
    if outdoors:
        show = Show.model_validate({**show.model_dump(by_alias=True), "places": [YARD]})
    found = before_howl(analyse(show, remedies=False), "ann")
    told = float(found.gain_margin_db(analyse(show, remedies=False).catalogue[kind], np.array([at]))[0])
    assert told == pytest.approx(margin(kept_as_loud(show, kind, at)), abs=0.15)


@pytest.mark.parametrize("kind", ["headset", "lapel"])
def test_of_one_that_is_worn_too(kind: str) -> None:
    show = wedge()
    found = before_howl(analyse(show, remedies=False), "ann")
    told = float(found.gain_margin_db(analyse(show, remedies=False).catalogue[kind], np.array([[2.0, 3.0]]))[0])
    assert told == pytest.approx(margin(kept_as_loud(show, kind, None)), abs=0.15)


def test_as_it_stands_it_is_the_margin_there_is() -> None:
    analysis = analyse(wedge(), remedies=False)
    assert before_howl(analysis, "ann").now_db == pytest.approx(margin(analysis), abs=0.1)


def test_what_howls_lies_below_nought() -> None:
    """By hand: so many dB over the edge as the gain is turned beyond what was in hand."""
    near = (
        SetField("devices", "mic", "at_m", (2.85, 3.0)),
        SetField("devices", "mic", "kind", "reporter-omni"),
    )
    rows = [analyse(apply_all(wedge(), (*near, SetValue(GAIN, gain))), remedies=False) for gain in (20.0, 60.0)]
    assert not rows[0].transfer.howls
    assert rows[1].transfer.howls
    hands = [before_howl(row, "ann").now_db for row in rows]
    assert hands[0] - hands[1] == pytest.approx(40.0, abs=0.01)
    assert hands[1] < 0 < hands[0]


def test_the_ranking_beats_every_spot_of_a_plain_search() -> None:
    """Every kind at its best: no allowed spot of a fine grid lets half a decibel more through."""
    analysis = analyse(wedge(), remedies=False)
    found = before_howl(analysis, "ann")
    rows = found.ranked(analysis.catalogue)
    wide = [row.before_howl_db for row in rows if row.usable and not row.narrow]
    assert wide == sorted(wide, reverse=True)
    # Common practice: the lip microphone is for where nothing else is enough.
    assert rows[0].narrow is False
    for row in rows:
        if row.at is None:
            continue
        left, bottom, right, top = bounds_of(found.sound)
        near = (max(left, 1.0), max(bottom, 2.0), min(right, 3.0), min(top, 4.0))
        grid = found.map_of(row.kind, near)
        best = grid.over_db[grid.allowed].max() if grid.allowed.any() else -np.inf
        assert row.before_howl_db >= best - 0.5, row.kind.id


@pytest.mark.parametrize("show", [four_on_tracks, two_desks])
def test_where_no_loudspeaker_carries_it_there_is_nothing_to_say(show: object) -> None:
    analysis = analyse(show(), remedies=False)
    assert before_howl(analysis, analysis.show.parties[0].id) is None
    with pytest.raises(KeyError):
        before_howl(analysis, "nobody")


def test_the_command_ranks_by_it(tmp_path: object, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "wedge.json"
    write_show(file, wedge())
    assert main(["cast", str(file), "--best", "ann", "--by", "margin"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert lines[0].startswith("Ann: now ")
    assert main(["cast", str(file), "--best", "ann", "--by", "margin", "--json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data["by"] == "margin"
    assert [row["kind"] for row in data["ranked"]] == [line.split()[1] for line in lines[1:]]
    for wrong in (
        ["--by", "margin"],
        ["--best", "house", "--by", "margin"],
        ["--best", "nobody", "--by", "margin"],
    ):
        assert main(["cast", str(file), *wrong]) == 2
        assert capsys.readouterr().err.count("\n") == 1


def test_every_ranked_figure_unfolds_to_its_sum() -> None:
    """Voice there, less voice now, less the loudspeakers in step: line by line, and no line without a source."""
    analysis = analyse(apply_all(wedge(), (SetValue(GAIN, 40.0),)), remedies=False)
    found = before_howl(analysis, "ann")
    rows = found.ranked(analysis.catalogue)
    assert len(rows) > 5
    for row in rows:
        why = found.explain(row)
        assert why.value == pytest.approx(row.before_howl_db, abs=1e-6), row.kind.id
        assert why.value == pytest.approx(sum(term.value for term in why.terms))
        for term in why.terms:
            assert term.source
            assert all(line.source for line in term.terms)
