"""The noise budget: shares, what each move would buy, held against doing it and analysing the show again."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.boosters import booster_on, booster_verdict, booster_worth_db, made_up_without
from kymaphon.core.levels.budget import budget_of, contributions, shares
from kymaphon.core.levels.noise_moves import buys
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import white_a_db
from kymaphon.core.noise import cascade_noise_db, thermal_noise_dbu
from tests.budget import tries
from tests.core.levels.test_levels import one_chain


def boosted(gain: float = 33.0, **changes: object) -> Show:
    """The dynamic microphone behind an in-line booster."""
    data: dict[str, object] = {
        "devices": [
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "boost", "kind": "booster-inline"},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": gain, "phantom": True}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
        "cables": [
            {"from": "mic.out", "to": "boost.in"},
            {"from": "boost.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "rec.in"},
        ],
    }
    return one_chain(**{**data, **changes})


def over_noise(show: Show) -> float:
    return analyse(show).ladders["ann", "tape"].last.voice_over_noise_db


@settings(max_examples=tries(8))
@given(st.integers(0, 58), st.floats(-30, 30), st.floats(10, 60))
def test_gain_never_improves_voice_against_room(gain: int, digital: float, ambient: float) -> None:
    """Exact: whatever is turned, room noise and voice move together, at every point."""
    show = one_chain(
        places=[{"id": "room", "name": "Room", "ambient_dba": ambient}],
        devices=[
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": gain}, "in2": {}}},
            {"id": "mix", "kind": "soft-mixer", "settings": {"in1": {"gain_db": round(digital)}}},
            {"id": "rec", "kind": "recorder"},
        ],
        cables=[
            {"from": "mic.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "mix.in1"},
            {"from": "mix.out", "to": "rec.in"},
        ],
    )
    ladder = analyse(show).ladders["ann", "tape"]
    gaps = [rung.speech_db - rung.noise_db["room"] for rung in ladder.rungs if "room" in rung.noise_db]
    assert len(gaps) > 4
    assert max(gaps) - min(gaps) < 1e-9
    reference = analyse(one_chain(places=[{"id": "room", "name": "Room", "ambient_dba": ambient}]))
    first = next(rung for rung in reference.ladders["ann", "tape"].rungs if "room" in rung.noise_db)
    assert gaps[0] == pytest.approx(first.speech_db - first.noise_db["room"], abs=1e-9)
    # And so the move "more gain early" leaves the room's part as it is.
    budget = budget_of(analyse(show), "ann", "tape")
    room = [row for row in budget.voice.noises if row.kind == "room"]
    assert room
    for row in room:
        assert not row.slopes.any()
        assert not row.ein


def test_shares_are_powers_and_sum_to_one() -> None:
    last = analyse(one_chain()).ladders["ann", "tape"].last
    for rows in (shares(last), contributions(last)):
        assert sum(row.part for row in rows) == pytest.approx(1.0)
        assert [row.level_db for row in rows] == sorted((row.level_db for row in rows), reverse=True)
        # Two 10 dB apart share the power 10 to 1.
        assert rows[0].part / rows[1].part == pytest.approx(10 ** ((rows[0].level_db - rows[1].level_db) / 10))
    assert shares(analyse(one_chain()).ladders["ann", "tape"].rungs[0]) == ()


def test_the_chain_by_the_cascade_formula() -> None:
    """Friis 1944 by hand: thermal noise of 200 ohm, the preamplifier without the 150 ohm that its EIN was measured with, converter
    behind its gain; all A-weighted, the white ones by the curve of IEC 61672-1.
    """
    show = one_chain(places=[{"id": "room", "name": "Room", "ambient_dba": -10}])
    budget = budget_of(analyse(show), "ann", "tape")
    ladder = budget.ladder
    socket = next(rung for rung in ladder.rungs if rung.node == "face.in1")
    after = next(rung for rung in ladder.rungs if rung.node == "face.in1:pre")
    loss = socket.speech_db - next(rung for rung in ladder.rungs if rung.node == "mic.out").speech_db
    thermal = thermal_noise_dbu(200) + loss
    strip = analyse(show).catalogue["interface-2"].inputs[0].strip
    ein = 10 * math.log10(10 ** (strip.ein_dbu[-1][1] / 10) - 10 ** (thermal_noise_dbu(150) / 10))
    converter = -analyse(show).catalogue["interface-2"].dynamic_range_db
    gain = after.speech_db - socket.speech_db
    by_hand = cascade_noise_db([(thermal + white_a_db(), 0.0), (ein + white_a_db(), gain), (converter, 0.0)])
    room = next(row for row in budget.voice.noises if row.kind == "room").at(budget.x) + socket.weighted_speech_db
    assert 10 * math.log10(10 ** (by_hand / 10) + 10 ** (room / 10)) == pytest.approx(
        socket.weighted_speech_db - budget.over_noise_db, abs=0.01
    )


@pytest.mark.parametrize("ambient", [5, 30, 50])
def test_half_the_distance_is_what_it_is_when_done(ambient: float) -> None:
    show = one_chain(
        places=[{"id": "room", "name": "Room", "ambient_dba": ambient}],
        devices=[
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.3, 1]},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 58}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
    )
    budget = budget_of(analyse(show), "ann", "tape")
    move = next(row for row in buys(budget) if row.id == "half-distance")
    after = analyse(apply_all(show, move.edits)).ladders["ann", "tape"].last
    assert after.voice_over_noise_db - budget.over_noise_db == pytest.approx(move.gain_db, abs=0.15)
    assert after.speech_db == pytest.approx(budget.ladder.last.speech_db, abs=0.55)
    # Textbook: 6.02 dB where the room wins.
    if ambient == 50:
        assert move.gain_db == pytest.approx(6.02, abs=0.05)


@pytest.mark.parametrize("ambient", [0, 20, 45])
def test_a_booster_put_in_or_out_is_worth_what_it_says(ambient: float) -> None:
    places = [{"id": "room", "name": "Room", "ambient_dba": ambient}]
    bare = one_chain(places=places)
    budget = budget_of(analyse(bare), "ann", "tape")
    move = next(row for row in buys(budget) if row.id == "booster")
    done = apply_all(bare, move.edits)
    assert over_noise(done) - budget.over_noise_db == pytest.approx(move.gain_db, abs=0.3)
    assert analyse(done).ladders["ann", "tape"].last.speech_db == pytest.approx(budget.ladder.last.speech_db, abs=1.1)
    # The other way round: taking it out again costs as much.
    with_it = budget_of(analyse(done), "ann", "tape")
    assert booster_on(with_it)[1] == pytest.approx(25.0, abs=0.01)
    assert booster_worth_db(with_it) == pytest.approx(move.gain_db, abs=0.3)
    back = next(row for row in buys(with_it) if row.id == "booster")
    assert over_noise(apply_all(done, back.edits)) == pytest.approx(budget.over_noise_db, abs=0.3)


def test_the_verdict_on_a_booster_in_plain_words() -> None:
    """Common practice: in a room louder than the preamplifier a booster buys nothing; behind a hissing one it does."""
    loud = boosted(places=[{"id": "room", "name": "Room", "ambient_dba": 45}])
    budget = budget_of(analyse(loud), "ann", "tape")
    text = booster_verdict(budget)
    assert "not worth it" in text
    assert f"{booster_worth_db(budget):.1f} dB" in text
    assert "lifts voice and room alike" in text
    assert "Half the distance buys" in text
    data = boosted(places=[{"id": "room", "name": "Room", "ambient_dba": 15}]).model_dump(by_alias=True)
    kind = shipped_catalogue()["interface-2"].model_dump(by_alias=True)
    for port in kind["inputs"]:
        if port["strip"] and port["strip"]["ein_dbu"]:
            port["strip"]["ein_dbu"] = [[0, -95], [20, -108], [58, -112]]
    noisy = Show.model_validate({**data, "kinds": [{**kind, "id": "interface-2"}]})
    verdict = booster_verdict(budget_of(analyse(noisy), "ann", "tape"))
    assert "here: worth it." in verdict
    assert booster_verdict(budget_of(analyse(one_chain()), "ann", "tape")) == ""


def test_moves_are_ranked_and_can_be_explained(demo: Show) -> None:
    analysis = analyse(demo)
    for voice, end in analysis.ladders:
        budget = budget_of(analysis, voice, end)
        rows = buys(budget)
        assert [round(row.gain_db, 1) for row in rows] == sorted((round(row.gain_db, 1) for row in rows), reverse=True)
        for row in rows:
            assert row.why.value == pytest.approx(row.gain_db)
            assert row.why.terms[1].value - row.why.terms[0].value == pytest.approx(row.gain_db)
            assert row.text
            assert row.to_json()["buys_db"] == round(row.gain_db, 3)
            if row.edits:
                analyse(apply_all(demo, row.edits))
            # Nothing that only takes noise away can cost anything.
            if row.id in ("quieter-room", "quieter-converter", "others-shut", "tighter", "quieter-preamp"):
                assert row.gain_db >= -1e-9


def test_gain_moved_early_keeps_the_level_and_buys_what_it_says() -> None:
    show = one_chain(
        places=[{"id": "room", "name": "Room", "ambient_dba": 5}],
        devices=[
            {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "ann", "at_m": [1.15, 1]},
            {"id": "pre", "kind": "preamp-1", "settings": {"in": {"gain_db": 20}}},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"gain_db": 38}, "in2": {}}},
            {"id": "rec", "kind": "recorder"},
        ],
        cables=[
            {"from": "mic.out", "to": "pre.in"},
            {"from": "pre.out", "to": "face.in1"},
            {"from": "face.usb1", "to": "rec.in"},
        ],
    )
    budget = budget_of(analyse(show), "ann", "tape")
    move = next(row for row in buys(budget) if row.id == "gain-early")
    assert move.gain_db > 1
    after = analyse(apply_all(show, move.edits)).ladders["ann", "tape"].last
    assert after.voice_over_noise_db - budget.over_noise_db == pytest.approx(move.gain_db, abs=0.05)
    assert abs(after.speech_db - budget.ladder.last.speech_db) <= 1.0 + 1e-6
    pre = next(
        edit for edit in move.edits if isinstance(edit, SetValue) and edit.ref == SettingRef("pre", "in", "gain_db")
    )
    assert pre.value > 20


def test_without_noise_or_way_there_is_no_budget(demo: Show) -> None:
    assert budget_of(analyse(demo), "mira", "mira") is None or budget_of(analyse(demo), "mira", "mira").x is not None
    show = one_chain(cables=[])
    assert budget_of(analyse(show), "ann", "tape") is None


def test_what_can_be_done_moves_nobody_else(demo: Show) -> None:
    """A move is one voice's: what it turns is its own, or it is a comparison only."""
    analysis = analyse(demo)
    done = 0
    for voice, end in analysis.ladders:
        budget = budget_of(analysis, voice, end)
        assert SettingRef("interface", "in1", "gain_db") in budget.shared
        for move in buys(budget):
            done += bool(move.edits)
            for edit in move.edits:
                assert not isinstance(edit, SetValue) or edit.ref not in budget.shared, move.label
    assert done
    # Without its booster Tam's channel ends at +60, and the rest could only come from a gain that all share.
    out = next(row for row in buys(budget_of(analysis, "tam", "stream")) if row.id == "booster")
    assert out.edits == ()
    assert "+40.0 dB to +60.0 dB, where its range ends 5.0 dB short; then at Interface, input 1" in out.text
    assert out.text.endswith("and others come through there too.")


@pytest.mark.parametrize(("gain", "left"), [(30.0, 0.0), (40.0, 7.0), (55.0, 22.0), (58.0, 25.0)])
def test_a_booster_taken_out_says_where_the_range_of_the_preamplifier_ends(gain: float, left: float) -> None:
    """The booster's 25 dB on a preamplifier that ends at +58: by hand, gain + 25 \u2212 58 are missing."""
    show = apply_all(boosted(), (SetValue(SettingRef("face", "in1", "gain_db"), gain),))
    budget = budget_of(analyse(show), "ann", "tape")
    after = made_up_without(budget)
    if gain == 58.0:
        assert after == "Without it 25.0 dB would have to be made up, and no gain after it has any left."
    else:
        assert f"+{gain:.1f} dB to +{min(gain + 25, 58):.1f} dB" in after
        assert ("its range ends" in after) == (left > 0)
        assert not left or f"{left:.1f} dB short" in after
    move = next(row for row in buys(budget) if row.id == "booster")
    assert after in move.text
    assert bool(move.edits) == (left == 0)


def test_a_booster_that_nothing_would_feed_is_a_comparison() -> None:
    show = boosted()
    kinds = shipped_catalogue()["interface-2"].model_dump(by_alias=True)
    for port in kinds["inputs"]:
        if port["strip"]:
            port["strip"]["phantom"] = False
    bare = one_chain(kinds=[{**kinds, "id": "interface-2"}])
    move = next(row for row in buys(budget_of(analyse(bare), "ann", "tape")) if row.id == "booster")
    assert move.edits == ()
    fed = next(row for row in buys(budget_of(analyse(one_chain()), "ann", "tape")) if row.id == "booster")
    assert fed.edits
    assert booster_on(budget_of(analyse(show), "ann", "tape")) is not None
