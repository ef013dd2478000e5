"""The plan's edits: moving, turning, adding, removing; nothing else of the show changes, and all of it can be undone."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import AddRow, RemoveRow, apply_all
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.references import reference_problems
from kymaphon.core.model.show import Party, Show
from kymaphon.core.placement.plan import Thing, free_spot, move_edits, remove_edits, things_of, turn_edits
from tests.core.rooms import mic, person, room


@pytest.fixture
def plan() -> Show:
    noises = [{"id": "fan", "name": "Fan", "at_m": [7, 5]}]
    surfaces = [{"id": "table", "name": "Table", "shape": "table", "from_m": [2, 2], "to_m": [3, 3]}]
    people = [person("ann", 4, 3, 0), person("bob", 2, 2)]
    devices = [
        mic("ann", 4.2, 3, aim=180),
        mic("bob", 2, 2.2, "headset"),
        {"id": "spk", "kind": "loudspeaker", "place": "room", "at_m": [7, 1]},
    ]
    return room(people, devices, noises=noises, surfaces=surfaces)


def thing(show: Show, name: str) -> Thing:
    return next(row for row in things_of(show, shipped_catalogue(), "room") if row.id == name)


def test_everything_is_on_it_each_party_followed_by_its_microphone(plan: Show) -> None:
    rows = things_of(plan, shipped_catalogue(), "room")
    assert [row.id for row in rows] == ["ann", "mic-ann", "bob", "mic-bob", "spk", "fan", "table"]
    assert [row.sort for row in rows[:2]] == ["party", "microphone"]


@pytest.mark.parametrize("name", ["ann", "mic-ann", "spk", "fan", "table"])
def test_each_thing_moves_alone(plan: Show, name: str) -> None:
    show = apply_all(plan, move_edits(plan, "room", thing(plan, name), (5.0, 4.0)))
    assert thing(show, name).at == pytest.approx((5, 4))
    for other in things_of(plan, shipped_catalogue(), "room"):
        if other.id != name:
            assert thing(show, other.id).at == other.at


def test_a_party_takes_its_microphone_along_when_asked(plan: Show) -> None:
    show = apply_all(plan, move_edits(plan, "room", thing(plan, "ann"), (5.0, 4.0), carry=True))
    assert thing(show, "mic-ann").at == pytest.approx((5.2, 4))


def test_what_is_worn_goes_along_and_not_by_itself(plan: Show) -> None:
    assert move_edits(plan, "room", thing(plan, "mic-bob"), (5, 4)) == ()
    show = apply_all(plan, move_edits(plan, "room", thing(plan, "bob"), (5, 4)))
    assert thing(show, "mic-bob").at == (5, 4)


@pytest.mark.parametrize("to", [(-3.0, 2.0), (99.0, 99.0)])
def test_nothing_is_moved_out_of_the_place(plan: Show, to: tuple[float, float]) -> None:
    x, y = thing(apply_all(plan, move_edits(plan, "room", thing(plan, "ann"), to)), "ann").at or (-1, -1)
    assert 0 <= x <= 8
    assert 0 <= y <= 6


def test_turning(plan: Show) -> None:
    for name in ("ann", "mic-ann", "spk"):
        show = apply_all(plan, turn_edits(plan, "room", thing(plan, name), -90))
        assert thing(show, name).angle_deg == 270
    for name in ("fan", "table", "mic-bob"):
        assert turn_edits(plan, "room", thing(plan, name), 10) == ()


@pytest.mark.parametrize("name", ["ann", "mic-ann", "spk", "fan", "table"])
def test_what_is_removed_is_gone_and_the_rest_still_holds(plan: Show, name: str) -> None:
    show = apply_all(plan, remove_edits(plan, "room", thing(plan, name)))
    assert name not in [row.id for row in things_of(show, shipped_catalogue(), "room")]
    assert not list(reference_problems(show, shipped_catalogue()))
    analyse(show)


class TestRows:
    def test_every_row_of_the_demo_can_be_removed_and_the_rest_holds(self, demo: Show) -> None:
        for table in ("places", "parties", "devices"):
            for row in getattr(demo, table):
                show = RemoveRow(table, row.id).apply(demo)
                assert not list(reference_problems(show, shipped_catalogue())), row.id
                analyse(show)

    def test_a_kind_in_use_is_not_removed(self, demo: Show) -> None:
        with pytest.raises(ValueError, match="mic-ilse is of this kind"):
            RemoveRow("kinds", "quay-handheld").apply(demo)
        without = RemoveRow("devices", "mic-ilse").apply(demo)
        assert RemoveRow("kinds", "quay-handheld").apply(without).kinds == ()

    def test_what_is_there_is_not_added_twice_and_what_is_not_is_not_removed(self, demo: Show) -> None:
        with pytest.raises(ValueError, match="already"):
            AddRow("parties", Party(id="mira", name="M", kind="guest")).apply(demo)
        with pytest.raises(KeyError):
            RemoveRow("parties", "nobody").apply(demo)

    def test_added_and_removed_is_as_before(self, demo: Show) -> None:
        added = AddRow("parties", Party(id="new", name="New", kind="guest")).apply(demo)
        assert RemoveRow("parties", "new").apply(added) == demo
        assert AddRow("parties", Party(id="new", name="New", kind="guest")).to_json()["row"]["id"] == "new"


def test_ids_are_fresh_and_plain(demo: Show) -> None:
    assert fresh_id(demo, "Mira") == "mira-2"
    assert fresh_id(demo, "Zoë & Co") == "zo----co"
    assert fresh_id(demo, "!!!") == "new"


def test_a_free_spot_is_free(demo: Show) -> None:
    place = demo.place("boathouse")
    spot = free_spot(demo, place)
    assert all(
        abs(spot[0] - row.at_m[0]) + abs(spot[1] - row.at_m[1]) > 0.35
        for row in demo.parties
        if row.at_m and row.place == "boathouse"
    )
