"""Rules of Quiet on shows: order, twins, gates against the levels there, gates left behind by a gain."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.dynamics.places import best_strip, missing_words, step_between, strips_of
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.processing import Compressor, Gate, LowCut, Processing
from kymaphon.core.model.show import Show
from kymaphon.files.demo import REPAIRED, demo_path
from kymaphon.files.show_file import read_show, show_text

STRIP = SettingRef("desk", "in1", "chain")


@pytest.fixture(scope="module")
def plain() -> Show:
    show = read_show(demo_path(REPAIRED))
    for number in range(1, 5):
        show = SetValue(SettingRef("desk", f"in{number}", "chain"), None).apply(show)
    return show


def with_chain(show: Show, *chain: Processing, strip: SettingRef = STRIP) -> Report:
    return analyse(SetValue(strip, tuple(chain)).apply(show))


def quiet(analysis: Report) -> list[Finding]:
    return [row for row in analysis.findings if row.stage == "Quiet"]


def fitting(show: Show) -> Gate:
    """A gate half way between voice and noise in the presenter's strip."""
    analysis = analyse(show)
    ladder = analysis.any_ladder("mira")
    assert ladder is not None
    rung = next(row for row in ladder.rungs if row.node == "desk.in1:pre")
    middle = round((rung.speech_db + rung.noise_total_db) / 2 + 6, 1)
    return Gate(open_db=middle, close_db=middle - 5)


def test_without_chains_there_is_nothing_to_say(plain: Show) -> None:
    analysis = analyse(plain)
    assert quiet(analysis) == []
    state = analysis.stages["Quiet"] if isinstance(analysis.stages, dict) else analysis.stages()["Quiet"]  # type: ignore[operator]
    assert state.settled == 0
    assert state.items >= 5


def test_a_gate_that_fits_settles_its_voice(plain: Show) -> None:
    analysis = with_chain(plain, LowCut(), fitting(plain))
    assert quiet(analysis) == []
    assert analysis.gates("mira") == ("desk.in1:pre",)
    assert analysis.gates("tam") == ()


def test_compressor_before_gate_is_turned_round(plain: Show) -> None:
    analysis = with_chain(plain, Compressor(threshold_db=0), fitting(plain), LowCut())
    found = next(row for row in quiet(analysis) if row.code == "chain-order")
    assert found.severity == "fix"
    assert "Rumble" in found.message
    after = analyse(found.remedies[0].apply(analysis.show))
    assert [row.sort for row in after.chain_at("desk.in1:pre")] == ["low-cut", "gate", "compressor"]
    assert not [row for row in quiet(after) if row.code == "chain-order"]


def test_a_gate_above_the_voice_stops_the_show(plain: Show) -> None:
    analysis = with_chain(plain, Gate(open_db=30, close_db=22))
    found = next(row for row in quiet(analysis) if row.code == "gate-never-opens")
    assert found.severity == "stop"
    assert found.why is not None
    assert found.why.value == pytest.approx(sum(row.value for row in found.why.terms))
    after = analyse(found.remedies[0].apply(analysis.show))
    assert not [row for row in quiet(after) if row.code == "gate-never-opens"]


def test_a_gate_under_the_noise_never_shuts(plain: Show) -> None:
    analysis = with_chain(plain, Gate(open_db=-90, close_db=-96))
    found = next(row for row in quiet(analysis) if row.code == "gate-never-shuts")
    assert found.remedies
    after = analyse(found.remedies[0].apply(analysis.show))
    assert not [row for row in quiet(after) if row.code == "gate-never-shuts"]


def test_a_gain_turned_after_the_gate_was_set(plain: Show) -> None:
    gate = fitting(plain)
    now = analyse(plain).show.device("desk").settings["in1"].gain_db
    assert now is not None
    fresh = with_chain(plain, gate.with_(set_at_gain_db=now))
    assert quiet(fresh) == []
    turned = analyse(SetValue(SettingRef("desk", "in1", "gain_db"), now - 4).apply(fresh.show))
    found = next(row for row in quiet(turned) if row.code == "gate-gain-moved")
    assert found.figures[0].value == pytest.approx(-4)
    follow, keep = found.remedies
    after = analyse(follow.apply(turned.show))
    moved = after.chain_at("desk.in1:pre")[0]
    assert isinstance(moved, Gate)
    assert moved.open_db == pytest.approx(gate.open_db - 4)
    assert not [row for row in quiet(after) if row.code == "gate-gain-moved"]
    kept = analyse(keep.apply(turned.show)).chain_at("desk.in1:pre")[0]
    assert isinstance(kept, Gate)
    assert kept.open_db == gate.open_db


def test_two_gates_on_one_way(plain: Show) -> None:
    show = SetValue(STRIP, (fitting(plain),)).apply(plain)
    later = strips_of(analyse(show), "mira")[-1]
    assert later.ref != STRIP
    rung = next(row for row in analyse(show).any_ladder("mira").rungs if row.node == later.node)  # type: ignore[union-attr]
    second = Gate(open_db=rung.speech_db - 8, close_db=rung.speech_db - 14)
    analysis = with_chain(show, second, strip=later.ref)
    found = next(row for row in quiet(analysis) if row.code == "chain-twice")
    assert "each with a gate" in found.message
    after = analyse(found.remedies[0].apply(analysis.show))
    assert not [row for row in quiet(after) if row.code == "chain-twice"]
    shared = next(row for row in quiet(analysis) if row.code == "gate-shared")
    assert shared.severity == "note"


def test_a_strip_without_the_processor_is_told(plain: Show) -> None:
    strip = SettingRef("desk", "in5", "chain")
    voice = next(
        voice.id
        for voice in analyse(plain).voices
        if any(row.ref == strip for row in strips_of(analyse(plain), voice.id))
    )
    analysis = with_chain(plain, LowCut(), strip=strip)
    found = next(row for row in quiet(analysis) if row.code == "chain-not-there")
    assert voice in found.subjects
    assert "has no low cut" in found.message


def test_strips_and_thresholds_from_point_to_point(plain: Show) -> None:
    analysis = analyse(plain)
    strips = strips_of(analysis, "mira")
    assert strips[0].node == "desk.in1:pre"
    best = best_strip(strips, "gate")
    assert best is not None
    assert best.ref == STRIP
    assert missing_words(best, "gate") == ""
    assert "has no limiter" in missing_words(best, "limiter")
    step = step_between(analysis, "mira", None, best)
    ladder = analysis.any_ladder("mira")
    assert ladder is not None
    digital = next(row for row in ladder.rungs if row.unit == "dBFS")
    here = next(row for row in ladder.rungs if row.node == best.node)
    assert step.value == pytest.approx(here.speech_db - digital.speech_db)
    with pytest.raises(ValueError, match="thresholds cannot be carried over"):
        step_between(analysis, "mira", "desk.in2:pre", best)


def test_chains_are_saved_and_checked(plain: Show, tmp_path) -> None:
    show = SetValue(STRIP, (LowCut(), fitting(plain))).apply(plain)
    path = tmp_path / "with-chain.json"
    path.write_text(show_text(show), encoding="utf-8")
    assert read_show(path).device("desk").settings["in1"].chain == show.device("desk").settings["in1"].chain
    edit = SetValue(STRIP, (Gate(),)).to_json()
    assert edit["to"][0]["sort"] == "gate"
