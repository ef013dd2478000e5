"""Whatever a place looks like: a remedy of Cast mends what it is offered for, stays in the place, and says the truth."""

from __future__ import annotations

import math
import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.acoustics.pickup import Pickup
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.show import Show
from kymaphon.core.placement.head_turns import turned_level_db, turns_of
from kymaphon.core.placement.moves import inside, placed_in
from kymaphon.core.rules.cast_bleed import WITHIN, quiet_aim_deg
from tests.budget import tries
from tests.core.acoustics.test_cast_sound import places
from tests.core.rooms import mic, person, room

MANY = settings(max_examples=tries(20))
MENDS = {
    "too-far",
    "too-near",
    "off-axis",
    "head-turn",
    "three-to-one",
    "loudspeaker-into-microphone",
    "reflection-close",
    "wind-unshielded",
    "outside-place",
    "same-spot",
}


@st.composite
def busy_places(draw: st.DrawFn) -> Show:
    """Any place, now and then with a loudspeaker, a window, or wind."""
    show = draw(places())
    place = show.places[0]
    if draw(st.booleans()):
        ends = draw(st.tuples(st.tuples(st.floats(0, 8), st.floats(0, 6)), st.tuples(st.floats(0, 8), st.floats(0, 6))))
        glass = {"id": "w", "name": "Window", "from_m": ends[0], "to_m": ends[1]}
        place = place.with_(surfaces=[glass])
    if draw(st.booleans()):
        place = place.with_(wind_m_s=draw(st.floats(0, 15)))
    devices = list(show.devices)
    if draw(st.booleans()):
        at, aim = draw(st.tuples(st.floats(0, 8), st.floats(0, 6))), draw(st.floats(0, 360))
        devices.append({"id": "spk", "kind": "loudspeaker", "place": "room", "at_m": at, "aim_deg": aim})
    return show.with_(places=[place], devices=devices)


@given(busy_places())
@MANY
def test_every_remedy_mends_its_finding(show: Show) -> None:
    analysis = analyse(show)
    for row in analysis.findings:
        if row.code not in MENDS:
            continue
        for remedy in row.remedies:
            if remedy.id == "level":
                continue
            after = analyse(remedy.apply(show))
            if row.code == "wind-unshielded":
                left = [other for other in after.findings if other.code == row.code and other.subjects == row.subjects]
            else:
                left = [other for other in after.findings if other.key == row.key]
            assert not left, (row.code, remedy.id, remedy.label)


@given(busy_places())
@MANY
def test_no_remedy_puts_anything_outside_the_place(show: Show) -> None:
    analysis = analyse(show)
    place = show.places[0]
    for row in analysis.findings:
        if row.stage != "Cast":
            continue
        for remedy in row.remedies:
            for edit in remedy.edits:
                if isinstance(edit, SetField) and edit.field == "at_m" and edit.value is not None:
                    x, y = edit.value
                    assert inside(place, (round(x, 2), round(y, 2))) or row.code == "same-spot", remedy.label


@given(busy_places())
@MANY
def test_the_figures_in_words_are_those_of_the_finding(show: Show) -> None:
    """Each decibel figure of a message is one of the finding's own figures, or a house figure that it quotes."""
    for row in analyse(show).findings:
        if row.code not in ("too-far", "too-near", "off-axis"):
            continue
        told = {abs(float(text.replace("\u2212", "-"))) for text in re.findall(r"(\u2212?\d+\.\d) dB", row.message)}
        known = {round(abs(figure.value), 1) for figure in row.figures}
        assert all(any(abs(value - other) < 0.051 for other in known) for value in told), row.message


@given(
    st.floats(0.05, 0.6),
    st.floats(-60, 60),
    st.sampled_from(["dynamic-close", "condenser-wide", "reporter-omni"]),
)
@MANY
def test_a_turn_to_one_side_is_as_one_to_the_other_mirrored(metres: float, side: float, kind: str) -> None:
    def levels(sign: float) -> list[float]:
        angle = math.radians(sign * side)
        spot = (4 + metres * math.cos(angle), 3 + metres * math.sin(angle))
        row = placed_in(analyse(room([person("ann", 4, 3, 0)], [mic("ann", *spot, kind)])), "room")[0]
        return [turned_level_db(row, sign * turn) for turn in (-90, -30, 0, 30, 90)]

    for one, other in zip(levels(1), levels(-1), strict=True):
        assert math.isclose(one, other, abs_tol=1e-6)


@given(
    st.floats(-180, 180),
    st.floats(-170, 170),
    st.sampled_from(["dynamic-close", "reporter-hyper", "figure-eight"]),
)
@MANY
def test_the_quiet_aim_is_the_best_of_all_that_keep_the_voice(own: float, apart: float, kind: str) -> None:
    """Against every aim in steps of five degrees that leaves the own voice within what the pattern tolerates."""
    pickup = Pickup(
        {"dynamic-close": "cardioid", "reporter-hyper": "hypercardioid", "figure-eight": "figure-of-eight"}[kind]
    )
    away = own + apart

    def under(aim: float) -> float:
        to_own, to_other = _off(own, aim), _off(away, aim)
        return float(pickup.gain_db(to_own, 1.0) - pickup.gain_db(to_other, 1.0))

    limit = int(pickup.tolerance_deg() * WITHIN)
    best = max(under(own + turn) for turn in range(-limit, limit + 1, 5))
    found = quiet_aim_deg(pickup, own, away)
    assert _off(found, own) <= limit + 1e-6
    assert under(found) == pytest.approx(best, abs=0.01)


@pytest.mark.parametrize("side", [1, -1])
def test_against_a_loudspeaker_each_thing_is_turned_the_right_way(side: int) -> None:
    """It stands behind Ann to her left, or to her right, and faces her microphone. Offered are just these three, each a cure:
    the microphone turned away from it, the loudspeaker with its back to the microphone, the microphone nearer."""
    speaker = {
        "id": "spk",
        "kind": "loudspeaker",
        "name": "Monitor",
        "place": "room",
        "at_m": [2.75, 3 + side],
        "aim_deg": -side * 34,
    }
    show = room([person("ann", 4, 3, 0)], [mic("ann", 4.25, 3, aim=180), speaker], outdoors=True)
    row = next(row for row in analyse(show).findings if row.code == "loudspeaker-into-microphone")
    remedies = {remedy.id: remedy.apply(show) for remedy in row.remedies}
    assert list(remedies) == ["aim", "turn", "nearer"]
    to = side * math.degrees(math.atan2(1, -1.5))
    aim = remedies["aim"].device("mic-ann").aim_deg
    assert aim is not None
    assert _off(aim, 180) == pytest.approx(0.8 * Pickup("cardioid").tolerance_deg(), abs=5)
    assert _off(aim, to) > _off(180, to)
    back = remedies["turn"].device("spk").aim_deg
    assert back is not None
    assert _off(back, to) < 0.6, "on from the microphone to the loudspeaker is straight away from the microphone"
    for after in remedies.values():
        assert "loudspeaker-into-microphone" not in {found.code for found in analyse(after).findings}


def _off(one_deg: float, other_deg: float) -> float:
    return abs((one_deg - other_deg + 180) % 360 - 180)


@given(st.floats(0.1, 0.5))
@MANY
def test_turning_away_never_gains_before_the_mouth(metres: float) -> None:
    row = placed_in(analyse(room([person("ann", 4, 3, 0)], [mic("ann", 4 + metres, 3)])), "room")[0]
    changes = [turn.change_db for turn in turns_of(row)]
    assert all(change <= 1e-9 for change in changes)
    assert changes == sorted(changes, reverse=True)


def test_a_headset_does_not_mind_and_a_chest_minds_less_than_a_stand() -> None:
    """Common practice: what is worn on the head keeps its level, a lapel microphone loses a little."""
    worst = {}
    for kind, at in (("headset", (4, 3)), ("lapel", (4, 3)), ("dynamic-close", (4.2, 3))):
        row = placed_in(analyse(room([person("ann", 4, 3, 0)], [mic("ann", *at, kind)])), "room")[0]
        worst[kind] = min(turn.change_db for turn in turns_of(row))
    assert worst["headset"] == 0
    assert worst["headset"] > worst["lapel"] > worst["dynamic-close"]
