"""Every rule of Cast on a place made to break it and on one made to keep it; each remedy mends what it says it mends."""

from __future__ import annotations

import itertools
import json
import math
from collections.abc import Callable
from pathlib import Path

import pytest

from kymaphon.cli import main
from kymaphon.core.acoustics.cast import sound_of
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import SetField
from kymaphon.core.model.show import Show
from kymaphon.core.placement.head_turns import turns_of
from kymaphon.core.rules.cast_bleed import under_own_db
from kymaphon.files.show_file import write_show
from tests.core.rooms import cast_codes, finding_of, mic, person, room

Broken = Callable[[], Show]


def two(apart: float, *, patched: bool = False, near: float = 0.15, kind: str = "reporter-omni") -> Show:
    """Two talkers side by side, facing up, each with a microphone before the mouth."""
    people = [person("ann", 3, 2, 90), person("bob", 3 + apart, 2, 90)]
    return room(
        people,
        [mic("ann", 3, 2 + near, kind), mic("bob", 3 + apart, 2 + near, kind)],
        patched=patched,
        outdoors=True,
    )


def alone(metres: float, kind: str = "dynamic-close", aim: float | None = None, **more: object) -> Show:
    return room([person("ann", 4, 3, 0)], [mic("ann", 4 + metres, 3, kind, aim, **more)])


def loudspeaker(x: float, y: float, aim: float) -> dict[str, object]:
    return {
        "id": "spk",
        "kind": "loudspeaker",
        "name": "Monitor",
        "place": "room",
        "at_m": [x, y],
        "aim_deg": aim,
    }


def beside(kind: str = "dynamic-close") -> Show:
    """Ann faces her microphone; Bob sits 70 degrees to her left."""
    bob = math.radians(70)
    people = [person("ann", 3, 3, 0), person("bob", 3 + 2 * math.cos(bob), 3 + 2 * math.sin(bob), 250)]
    return room(people, [mic("ann", 3.2, 3, kind)])


def at_window(metres: float) -> Show:
    """Ann speaks along a window, so many metres from it."""
    glass = {"id": "w", "name": "Window", "from_m": [0, 3 - metres], "to_m": [8, 3 - metres]}
    return room([person("ann", 4, 3, 0)], [mic("ann", 4.5, 3, "condenser-wide")], surfaces=[glass], size_m=None)


def windy(shield: str, speed: float = 5) -> Show:
    return room([person("ann", 4, 3, 0)], [mic("ann", 4.2, 3, shield=shield)], outdoors=True, wind_m_s=speed)


def parted() -> Show:
    """Ann in the room, her microphone in the yard."""
    show = alone(0.15)
    yard = show.places[0].with_(id="yard", name="Yard")
    return show.with_(places=[*show.places, yard], devices=[show.devices[0].with_(place="yard")])


def open_ones(spare: int) -> Show:
    """Ann with her own microphone, and so many that are nobody's."""
    extra = [{**mic(f"x{n}", 1 + n, 1), "party": None} for n in range(spare)]
    return room([person("ann", 4, 3, 0)], [mic("ann", 4.1, 3), *extra], patched=True)


RULES: dict[str, tuple[Broken, Broken]] = {
    "too-far": (lambda: alone(0.5), lambda: alone(0.2)),
    "too-near": (lambda: alone(0.06, "condenser-broad"), lambda: alone(0.15, "condenser-broad")),
    "off-axis": (lambda: alone(0.15, aim=110), lambda: alone(0.15, aim=150)),
    "head-turn": (beside, lambda: beside("headset")),
    "three-to-one": (lambda: two(0.3), lambda: two(0.6)),
    "loudspeaker-into-microphone": (
        lambda: room([person("ann", 4, 3, 0)], [mic("ann", 4.25, 3), loudspeaker(3.2, 3, 0)]),
        lambda: room([person("ann", 4, 3, 0)], [mic("ann", 4.15, 3), loudspeaker(7, 3, 0)]),
    ),
    "reflection-close": (lambda: at_window(0.15), lambda: at_window(2.0)),
    "wind-unshielded": (lambda: windy("none"), lambda: windy("fur")),
    "open-microphones": (lambda: open_ones(2), lambda: open_ones(0)),
    "other-place": (parted, lambda: alone(0.15)),
    "wind-unknown": (
        lambda: room([person("ann", 4, 3, 0)], [mic("ann", 4.15, 3)], outdoors=True),
        lambda: room([person("ann", 4, 3, 0)], [mic("ann", 4.15, 3)], outdoors=True, wind_m_s=0),
    ),
    "same-spot": (lambda: alone(0.0), lambda: alone(0.15)),
    "outside-place": (
        lambda: room([person("ann", 9, 3, 180)], [mic("ann", 7.9, 3, "gun-long")]),
        lambda: room([person("ann", 7, 3, 180)], [mic("ann", 6.85, 3)]),
    ),
    "absurd-level": (
        lambda: room([person("ann", 4, 3, 0, level_db_spl_1m=150)], []),
        lambda: room([person("ann", 4, 3, 0, level_db_spl_1m=66)], []),
    ),
}


@pytest.mark.parametrize("code", RULES)
def test_check_reports_it_where_it_is_broken_and_not_where_it_is_kept(
    code: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    for i, (make, there) in enumerate(zip(RULES[code], (True, False), strict=True)):
        path = tmp_path / f"{i}.json"
        write_show(path, make())
        assert main(["check", str(path), "--json"]) in (0, 1)
        rows = json.loads(capsys.readouterr().out)["findings"]
        assert (code in {row["code"] for row in rows}) is there


@pytest.mark.parametrize("code", [code for code in RULES if code != "absurd-level"])
def test_every_rule_offers_a_remedy_and_each_one_mends_it(code: str) -> None:
    show = RULES[code][0]()
    rows = [row for row in analyse(show).findings if row.code == code]
    assert rows
    tried = 0
    for row in rows:
        for remedy in row.remedies:
            tried += 1
            after = analyse(remedy.apply(show))
            left = {(other.code, other.subjects) for other in after.findings}
            if remedy.id == "level":
                continue  # the three-to-one of the plan counts channels on their marks; a fader is not on the plan
            assert (code, row.subjects) not in left, remedy.label
    assert tried


@pytest.mark.parametrize("code", RULES)
def test_it_shows_its_figures_and_its_sum(code: str) -> None:
    row = finding_of(analyse(RULES[code][0]()), code)
    assert row.stage == "Cast"
    assert row.message.endswith(".")
    assert row.figures or row.why or code == "other-place"
    if code not in ("same-spot", "outside-place", "other-place", "absurd-level"):
        assert row.why is not None
        for _, term in row.why.walk():
            assert math.isfinite(term.value)
        if row.why.adds:
            assert row.why.value == pytest.approx(sum(term.value for term in row.why.terms))


class TestThreeToOne:
    def test_exactly_three_times_the_distance_is_9_54_decibels(self) -> None:
        """20 lg 3 = 9.54 dB; both arrivals sum to +2.50 and -3.52 dB (reference of the trade: three-to-one rule)."""
        near = 0.2
        apart = math.sqrt((3 * near) ** 2 - near**2)
        show = two(apart, near=near).with_(
            parties=[party.with_(kind="instrument", faces_deg=None, level_db_spl_1m=60) for party in two(1).parties[:1]]
            + [two(apart).parties[1].with_(kind="instrument", faces_deg=None, level_db_spl_1m=60)]
        )
        sound = sound_of(show, shipped_catalogue(), "room")
        assert under_own_db(sound, 0, 1) == pytest.approx(20 * math.log10(3), abs=0.01)
        assert "three-to-one" not in cast_codes(show)
        closer = show.with_(
            parties=[show.parties[0].with_(at_m=(3.1, 2)), show.parties[1]],
            devices=[show.devices[0].with_(at_m=(3.1, 2.2)), show.devices[1]],
        )
        row = finding_of(analyse(closer), "three-to-one")
        figures = {figure.name: figure.value for figure in row.figures}
        assert figures["peak"] > 2.5
        assert figures["dip"] < -3.52

    def test_the_comb_is_that_of_the_geometry(self) -> None:
        """First notch at 1 / (2 dt), dt = path difference / 343.2 m/s."""
        row = finding_of(analyse(two(0.3)), "three-to-one")
        figures = {figure.name: figure.value for figure in row.figures}
        apart_s = (math.hypot(0.3, 0.15) - 0.15) / 343.2
        assert figures["apart"] == pytest.approx(apart_s * 1000, abs=0.002)
        assert figures["first notch"] == pytest.approx(1 / (2 * apart_s), rel=0.002)

    def test_a_level_change_is_offered_when_there_is_a_fader(self) -> None:
        rows = [row for row in analyse(two(0.3, patched=True)).findings if row.code == "three-to-one"]
        remedies = {remedy.id: remedy for remedy in rows[0].remedies}
        assert "level" in remedies
        assert "Desk" in remedies["level"].label or "desk" in remedies["level"].label.lower()

    def test_a_shut_microphone_combs_nobody(self) -> None:
        show = two(0.3, patched=True)
        desk = show.device("desk")
        shut = {**desk.settings, "in2": desk.settings["in2"].with_(mute=True)}
        muted = show.with_(devices=[row.with_(settings=shut) if row.id == "desk" else row for row in show.devices])
        assert "three-to-one" in cast_codes(show)
        assert "three-to-one" not in cast_codes(muted)


class TestOwn:
    def test_too_far_tells_the_centimetres_and_the_gain(self) -> None:
        """50 cm to 15 cm is 35 cm and 20 lg(50 / 15) = 10.46 dB."""
        row = finding_of(analyse(alone(0.5)), "too-far")
        assert "35 cm nearer gains 10.5 dB" in row.message
        before = analyse(alone(0.5)).sound("room").voice_over_room[0]
        after = analyse(row.remedies[0].apply(alone(0.5))).sound("room").voice_over_room[0]
        assert after - before == pytest.approx(20 * math.log10(50 / 15), abs=0.05)

    @pytest.mark.parametrize(("level", "ambient", "found"), [(90, 34, []), (70, 62, ["fix"])])
    def test_an_orchestra_is_too_far_only_where_the_room_wins(
        self, level: float, ambient: float, found: list[str]
    ) -> None:
        """A pair three metres before an orchestra is where it belongs (common practice), whatever a talker's distance from its kind is."""
        people = [{**person("orch", 15, 5, 90), "kind": "instrument", "level_db_spl_1m": level}]
        show = room(people, [mic("orch", 15, 8, "condenser-wide", 270)])
        places = tuple(row.with_(size_m=(30.0, 16.0), ambient_dba=ambient) for row in show.places)
        rows = analyse(show.model_copy(update={"places": places})).findings
        assert [row.severity for row in rows if row.code == "too-far"] == found

    def test_a_shield_lets_a_talker_come_nearer(self) -> None:
        assert "too-near" in cast_codes(alone(0.08, "condenser-broad"))
        assert "too-near" not in cast_codes(alone(0.08, "condenser-broad", shield="foam"))

    def test_a_cardioid_tolerates_65_degrees(self) -> None:
        """(1 + cos t) / 2 loses 3 dB at 65.4 degrees (Eargle)."""
        assert "off-axis" not in cast_codes(alone(0.15, aim=180 - 65))
        assert "off-axis" in cast_codes(alone(0.15, aim=180 - 67))

    def test_the_head_turn_test_tells_thirty_sixty_ninety_and_the_neighbour(self) -> None:
        from kymaphon.core.placement.moves import placed_in

        turns = turns_of(placed_in(analyse(beside()), "room")[0])
        assert [abs(turn.turn_deg) for turn in turns[:3]] == [30, 60, 90]
        changes = [turn.change_db for turn in turns[:3]]
        assert changes == sorted(changes, reverse=True)
        assert turns[3].towards == "Bob"
        assert turns[3].turn_deg == pytest.approx(70)

    def test_the_better_place_lies_between_and_halves_the_change(self) -> None:
        row = finding_of(analyse(beside()), "head-turn")
        show = row.remedies[0].apply(beside())
        x, y = show.device("mic-ann").at_m or (0, 0)
        assert 0 < math.degrees(math.atan2(y - 3, x - 3)) < 70
        assert "head-turn" not in cast_codes(show)


class TestBleed:
    def test_a_loudspeaker_behind_a_cardioid_is_let_pass_where_one_before_it_is_not(self) -> None:
        behind = room([person("ann", 4, 3, 0)], [mic("ann", 4.25, 3), loudspeaker(5.4, 3, 180)])
        before = room([person("ann", 4, 3, 0)], [mic("ann", 4.25, 3), loudspeaker(3.1, 3, 0)])
        outdoors = [SetField("places", "room", "outdoors", True)]
        assert "loudspeaker-into-microphone" not in cast_codes(outdoors[0].apply(behind))
        assert "loudspeaker-into-microphone" in cast_codes(outdoors[0].apply(before))

    def test_a_reflection_has_the_comb_of_the_geometry(self) -> None:
        """Along a window at 25 cm, 50 cm from the mouth: 2 sqrt(.25^2 + .25^2) m by the glass (image method)."""
        row = finding_of(analyse(at_window(0.25)), "reflection-close")
        figures = {figure.name: figure.value for figure in row.figures}
        longer = 2 * math.hypot(0.25, 0.25) - 0.5
        assert figures["apart"] == pytest.approx(longer / 343.2 * 1000, abs=0.003)
        assert figures["first notch"] == pytest.approx(343.2 / (2 * longer), rel=0.01)
        cover = next(remedy for remedy in row.remedies if remedy.id == "cover")
        assert "Window" in cover.label

    def test_a_table_reflects_as_surely_as_its_heights_are_known(self) -> None:
        """Mouth 0.3 to 0.5 m, microphone 0.1 to 0.45 m above the top: the comb of each corner by hand (image method)."""
        table = {"id": "t", "name": "Table", "shape": "table", "from_m": [3, 2], "to_m": [6, 4]}
        show = room([person("ann", 4, 3, 0)], [mic("ann", 4.5, 3, "condenser-wide")], surfaces=[table], size_m=None)
        row = finding_of(analyse(show), "reflection-close")
        notches = [
            343.2 / (2 * (math.hypot(0.5, mouth + mic_) - math.hypot(0.5, mouth - mic_)))
            for mouth, mic_ in itertools.product((0.3, 0.5), (0.1, 0.45))
        ]
        notch = next(figure for figure in row.figures if figure.name == "first notch")
        assert notch.spread == pytest.approx((min(notches), max(notches)), rel=0.01)
        assert notch.spread is not None
        assert f"{notch.spread[0]:.0f} to {notch.spread[1]:.0f} by the heights" in row.message
        assert "assumed" in row.message
        assert row.why is not None
        assert row.why.spread is not None
        assert row.why.spread[0] < row.why.value < row.why.spread[1]
        glass = finding_of(analyse(at_window(0.25)), "reflection-close")
        assert all(figure.spread is None for figure in glass.figures), "its place is on the plan: nothing is assumed"
        assert "assumed" not in glass.message

    def test_a_covered_surface_is_printed_as_plain_data(self) -> None:
        row = finding_of(analyse(at_window(0.25)), "reflection-close")
        edits = json.loads(json.dumps(row.to_json()))["remedies"][-1]["edits"]
        assert edits[0]["to"][0]["finish"] == "soft"

    def test_a_pair_on_an_instrument_is_only_a_note(self) -> None:
        pair = [
            mic("ann", 4.6, 3, "condenser-slim"),
            {**mic("ann", 4.6, 3.2, "condenser-slim"), "id": "mic-pair"},
        ]
        show = room([person("ann", 4, 3, kind="instrument")], pair, patched=True)
        assert finding_of(analyse(show), "open-microphones").severity == "note"

    def test_two_spare_microphones_beside_one_cost_4_8_decibels(self) -> None:
        """10 lg 3 = 4.77 dB (Davis & Patronis)."""
        row = finding_of(analyse(open_ones(2)), "open-microphones")
        assert {figure.name: figure.value for figure in row.figures}["cost"] == pytest.approx(4.77, abs=0.005)

    def test_a_foam_shield_takes_off_what_it_says(self) -> None:
        bare, foam = (analyse(windy(shield)).sound("room").ambient_db[0] for shield in ("none", "foam"))
        assert 12 < bare - foam <= 14


def test_the_demo_has_its_faults_and_the_repaired_one_none(demo: Show, repaired: Show) -> None:
    assert cast_codes(demo) == {"too-far", "head-turn", "three-to-one", "wind-unshielded"}
    assert cast_codes(repaired) == set()


def test_a_microphone_elsewhere_hears_nobody_until_it_is_brought() -> None:
    show = parted()
    row = finding_of(analyse(show), "other-place")
    assert "it does not hear them" in row.message
    assert not [edge for edge in analyse(show).graph.edges if edge.kind is EdgeKind.SPEAKS]
    after = analyse(row.remedies[0].apply(show))
    assert after.sound("room").distance_m[0, 0] == pytest.approx(0.15)
    assert [edge for edge in after.graph.edges if edge.kind is EdgeKind.SPEAKS]


def test_a_loud_neighbour_is_said_to_be_over_and_not_minus_under() -> None:
    people = [person("ann", 3, 2, 90, level_db_spl_1m=80), person("bob", 3.3, 2, 90, level_db_spl_1m=50)]
    show = room(people, [mic("ann", 3, 2.15), mic("bob", 3.3, 2.15)], outdoors=True, wind_m_s=0)
    row = finding_of(analyse(show), "three-to-one")
    assert " dB over Bob" in row.message
    assert "\u2212" not in row.message.partition("With")[0]
