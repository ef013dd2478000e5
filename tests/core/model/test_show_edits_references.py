"""The show model, edits as data, and references that must lead somewhere."""

from __future__ import annotations

from typing import Any

import pytest
from pydantic import ValidationError

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import figure
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.catalogue.loader import expand, read_kind
from kymaphon.core.model.edits import AttachTake, DetachTake, Plug, SetField, SetValue, SetWant, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.practice import practices
from kymaphon.core.model.references import ShowProblem, check_references, reference_problems
from kymaphon.core.model.show import Cable, Show, Take
from kymaphon.core.model.talk import Task
from kymaphon.core.report.sheet import rig_sheet
from tests.conftest import two_desks
from tests.core.rigs import dev, rig, wire


def problems(show: Show) -> list[str]:
    return [str(row) for row in reference_problems(show, shipped_catalogue())]


def changed(show: Show, table: str, index: int, **values: Any) -> Show:
    data = show.model_dump(by_alias=True, exclude_none=True)
    data[table][index].update(values)
    return Show.model_validate(data)


class TestModels:
    def test_frozen(self, demo: Show) -> None:
        with pytest.raises(ValidationError):
            demo.title = "other"  # type: ignore[misc]

    @pytest.mark.parametrize("bad", [float("nan"), float("inf"), 999])
    def test_gains_are_numbers_within_reason(self, bad: float) -> None:
        with pytest.raises(ValidationError):
            Show.model_validate({"devices": [{"id": "d", "kind": "desk-8", "settings": {"in1": {"gain_db": bad}}}]})

    def test_misspelt_keys_are_errors(self) -> None:
        with pytest.raises(ValidationError, match="extra"):
            Show.model_validate({"titel": "x"})

    def test_ids_are_plain(self) -> None:
        with pytest.raises(ValidationError):
            Show.model_validate({"places": [{"id": "has space", "name": "x"}]})

    def test_finding_by_id(self, demo: Show) -> None:
        assert demo.party("mira").name == "Mira"
        assert demo.device("desk").kind == "desk-8"
        assert demo.place("ferry-deck").noise == "wind"
        with pytest.raises(KeyError):
            demo.party("nobody")


class TestReferences:
    def test_the_demos_hold(self, demo: Show, repaired: Show) -> None:
        assert problems(demo) == []
        assert problems(repaired) == []

    @pytest.mark.parametrize(
        ("table", "index", "values", "place", "words"),
        [
            ("parties", 0, {"place": "room-x"}, "parties[0] (talker-a).place", "did you mean room-"),
            (
                "parties",
                0,
                {"hears_on": "phones-x"},
                "parties[0] (talker-a).hears_on",
                "no device called phones-x",
            ),
            ("parties", 0, {"hears_on": "desk-a"}, "parties[0] (talker-a).hears_on", "nobody can listen"),
            ("parties", 0, {"hears_on": "phones-a.nose"}, "parties[0] (talker-a).hears_on", "no output nose"),
            ("parties", 0, {"plays_on": "desk-a.nose"}, "parties[0] (talker-a).plays_on", "no port nose"),
            (
                "devices",
                0,
                {"kind": "dynamic-closed"},
                "devices[0] (mic-a).kind",
                "did you mean dynamic-close",
            ),
            ("devices", 0, {"party": "nobody"}, "devices[0] (mic-a).party", "no party called nobody"),
            ("devices", 0, {"id": "mic-b"}, "devices[4].id", "mic-b is already devices[0]"),
            ("devices", 0, {"id": "talker-a"}, "parties[0].id", "also a device"),
            (
                "devices",
                1,
                {"settings": {"in9": {"gain_db": 1}}},
                "devices[1] (desk-a).settings.in9",
                "has no in9",
            ),
            ("devices", 1, {"settings": {"in1": {"on": True}}}, "settings.in1.on", "has no on"),
            ("devices", 1, {"settings": {"in1": {"gain_db": 90}}}, "settings.in1.gain_db", "outside 0 to 60"),
            ("devices", 1, {"settings": {"main>usb": {"gain_db": 1}}}, "main>usb.gain_db", "fixed gain"),
            ("devices", 1, {"settings": {"phones-knob": {"mute": True}}}, "phones-knob.mute", "has no mute"),
            ("cables", 0, {"from": "mic-x.out"}, "cables[0].from", "no device called mic-x"),
            ("cables", 0, {"from": "mic-a.in"}, "cables[0].from", "no output in; its outputs: out"),
            ("cables", 0, {"to": "desk-a.send1"}, "cables[0].to", "send1 is an output"),
            ("cables", 0, {"to": "desk-a.usb-in"}, "cables[0]", "no cable joins them"),
            ("cables", 0, {"to": "desk-a.in5"}, "cables[4].to", "already taken by cables[0]"),
            ("cables", 0, {"to": "desk-a.in1.l"}, "cables[0].to", "is mono"),
        ],
    )
    def test_each_kind_of_mistake_names_its_place(
        self, table: str, index: int, values: dict[str, Any], place: str, words: str
    ) -> None:
        found = problems(changed(two_desks(), table, index, **values))
        assert any(place in row and words in row for row in found), found

    def test_sound_needs_no_cable(self) -> None:
        show = two_desks()
        more = [
            *show.model_dump(by_alias=True, exclude_none=True)["cables"],
            {"from": "phones-a.ear", "to": "mic-b.diaphragm"},
        ]
        assert any("sound needs no cable" in row for row in problems(show.with_(cables=more)))

    def test_the_first_is_raised_and_the_rest_counted(self) -> None:
        bad = changed(changed(two_desks(), "devices", 0, kind="x"), "devices", 4, kind="y")
        with pytest.raises(ShowProblem, match=r"devices\[0\].*and \d more"):
            check_references(bad, shipped_catalogue())

    def test_wants_twice_and_unknown(self) -> None:
        show = two_desks().with_(
            wants=[
                {"listener": "talker-a", "voice": "talker-b", "want": "hear"},
                {"listener": "talker-a", "voice": "talker-b", "want": "never"},
                {"listener": "ghost", "voice": "talker-b", "want": "never"},
            ]
        )
        found = problems(show)
        assert any("listed twice" in row for row in found)
        assert any("no party called ghost" in row for row in found)

    def test_unknown_practice(self) -> None:
        assert any("unknown practice" in row for row in problems(two_desks().with_(practice="loudest")))


class TestEdits:
    def test_one_value(self, demo: Show) -> None:
        edit = SetValue(SettingRef("desk", "in1", "gain_db"), 30.0)
        after = edit.apply(demo)
        assert after.device("desk").settings["in1"].gain_db == 30
        assert after.device("desk").settings["in1"].phantom is True
        assert demo.device("desk").settings["in1"].gain_db == 42
        assert edit.to_json() == {"set": "desk.settings.in1.gain_db", "to": 30.0}

    def test_back_to_the_default(self, demo: Show) -> None:
        after = SetValue(SettingRef("desk", "in1", "gain_db"), None).apply(demo)
        assert after.device("desk").settings["in1"].gain_db is None

    def test_a_bad_value_changes_nothing(self, demo: Show) -> None:
        with pytest.raises(ValidationError):
            apply_all(demo, (SetValue(SettingRef("desk", "in1", "gain_db"), 1e9),))
        with pytest.raises(KeyError):
            SetValue(SettingRef("ghost", "in1", "gain_db"), 0.0).apply(demo)

    def test_wants_replace(self, demo: Show) -> None:
        after = SetWant("ferry", "mira", "never").apply(demo)
        rows = [row for row in after.wants if (row.listener, row.voice) == ("ferry", "mira")]
        assert [row.want for row in rows] == ["never"]

    def test_fields(self, demo: Show) -> None:
        assert SetField("show", None, "title", "New").apply(demo).title == "New"
        assert SetField("parties", "mira", "effort", "loud").apply(demo).party("mira").effort == "loud"
        with pytest.raises(KeyError):
            SetField("parties", "ghost", "effort", "loud").apply(demo)
        with pytest.raises(ValidationError):
            SetField("parties", "mira", "effort", "sung").apply(demo)

    def test_takes_come_and_go(self, demo: Show) -> None:
        take = Take(id="t", file="t.wav")
        once = AttachTake(take).apply(demo)
        twice = AttachTake(take.with_(file="u.wav")).apply(once)
        assert [row.file for row in twice.takes] == [*(row.file for row in demo.takes), "u.wav"]
        assert DetachTake("t").apply(twice).takes == demo.takes


class TestCatalogue:
    def test_every_kind_of_the_first_slice_is_there(self) -> None:
        groups = {kind.group for kind in shipped_catalogue()}
        assert groups >= {
            "microphone",
            "booster",
            "interface",
            "desk",
            "software",
            "codec",
            "phone",
            "encoder",
            "recorder",
            "headphones",
            "loudspeaker",
        }

    def test_no_preamp_beats_physics(self) -> None:
        """No equivalent input noise below the thermal noise of 150 ohm, -130.9 dBu (Johnson 1928)."""
        for kind in shipped_catalogue():
            for port in kind.inputs:
                for _, ein in port.strip.ein_dbu if port.strip else ():
                    assert ein > -130.9

    def test_phantom_draws_stay_within_the_standard(self) -> None:
        """IEC 61938: 10 mA at most."""
        draws = [port.phantom_ma for kind in shipped_catalogue() for port in kind.outputs if port.phantom_ma]
        assert draws
        assert max(draws) <= 10

    def test_inputs_bridge(self) -> None:
        """Microphone inputs load at ten times the source or more, within a tolerance: common practice."""
        for kind in shipped_catalogue():
            for port in kind.inputs:
                if port.level == "mic" and port.impedance_ohm:
                    assert port.impedance_ohm >= 1500

    def test_short_rows_are_written_out(self) -> None:
        rows = expand({"inputs": [{"each": [1, 3], "id": "in{n}", "nested": [{"x": "{n}"}]}]})["inputs"]
        assert [row["id"] for row in rows] == ["in1", "in2", "in3"]
        assert rows[2]["nested"] == [{"x": "3"}]

    @pytest.mark.parametrize(
        ("change", "words"),
        [
            ({"paths": [{"from": "a", "to": "nowhere"}]}, "does not have"),
            ({"outputs": [{"id": "a", "name": "A", "domain": "analog"}]}, "share a name"),
            ({"controls": [{"id": "k", "name": "K", "moves": ["a>b"], "gain_db": [0, 1]}]}, "does not have"),
            ({"paths": [{"from": "a", "to": "b"}, {"from": "a", "to": "b"}]}, "share their ends"),
        ],
    )
    def test_a_kind_that_contradicts_itself_is_refused(self, change: dict[str, Any], words: str) -> None:
        good: dict[str, Any] = {
            "id": "box",
            "name": "Box",
            "group": "desk",
            "inputs": [{"id": "a", "name": "A", "domain": "analog"}],
            "outputs": [{"id": "b", "name": "B", "domain": "analog"}],
        }
        assert read_kind(good).port("a") is not None
        with pytest.raises(ValidationError, match=words):
            read_kind({**good, **change})


class TestDerived:
    def test_a_sum_prints_its_figures(self) -> None:
        row = total(
            "out",
            "dBu",
            (Derived("in", 60.0, "dB SPL"), Derived("a", 14.9, "dB"), Derived("b", -125.8, "dB")),
        )
        assert row.value == pytest.approx(-50.9)
        assert row.equation() == "\u221250.9 = 60.0 + 14.9 \u2212 125.8"

    @pytest.mark.parametrize(
        ("value", "unit", "text"),
        [
            (-0.04, "dB", "0.0 dB"),
            (0.18, "m", "18 cm"),
            (1.5, "m", "1.50 m"),
            (12006.4, "ms", "12.006 s"),
            (-3.26, "dBu", "\u22123.3 dBu"),
        ],
    )
    def test_numbers_read_as_people_write_them(self, value: float, unit: str, text: str) -> None:
        assert show_number(value, unit) == text

    def test_json_carries_units_in_keys(self) -> None:
        row = total("out", "dBu", (Derived("in", 1.0, "dB SPL", source="book"), Derived("g", 2.0, "dB")))
        data = row.to_json()
        assert data["value_dbu"] == 3
        assert data["terms"][0] == {"name": "in", "value_db_spl": 1.0, "source": "book"}
        assert [depth for depth, _ in row.walk()] == [0, 1, 1]

    def test_every_figure_and_practice_has_a_source(self) -> None:
        assert figure("house-alignment").value == 4
        for practice in practices().values():
            assert practice.source
            assert practice.average < practice.never_over
        with pytest.raises(KeyError):
            figure("no-such")


class TestSockets:
    """A whole stereo socket and one side of it are one hole."""

    def test_a_side_and_the_whole_cannot_both_be_plugged(self) -> None:
        show = rig(
            [dev("desk", "desk-8"), dev("cans", "headphone-amp"), dev("two", "desk-8")],
            [wire("desk.main-out", "cans.in"), wire("two.main-out.l", "cans.in.l")],
        )
        problems = [problem.what for problem in reference_problems(show, shipped_catalogue())]
        assert any("already taken by cables[0]" in words for words in problems)

    def test_both_sides_can(self) -> None:
        show = rig(
            [dev("desk", "desk-8"), dev("cans", "headphone-amp")],
            [wire("desk.main-out.l", "cans.in.l"), wire("desk.main-out.r", "cans.in.r")],
        )
        assert not list(reference_problems(show, shipped_catalogue()))

    def test_plugging_takes_out_what_is_in_the_way_and_nothing_else(self) -> None:
        show = rig(
            [dev("desk", "desk-8"), dev("cans", "headphone-amp")],
            [wire("desk.main-out.l", "cans.in.l"), wire("desk.main-out.r", "cans.in.r")],
        )
        one = Plug(Cable(source="desk.send1", target="cans.in.l")).apply(show)
        assert {cable.ends for cable in one.cables} == {
            ("desk.send1", "cans.in.l"),
            ("desk.main-out.r", "cans.in.r"),
        }
        both = Plug(Cable(source="desk.phones", target="cans.in")).apply(show)
        assert [cable.ends for cable in both.cables] == [("desk.phones", "cans.in")]

    def test_what_is_put_on_the_list_is_on_the_sheet(self) -> None:
        task = Task(id="hands-off", text="Hands off the monitor knob.")
        sheet = rig_sheet(analyse(rig([dev("desk", "desk-8")], []).with_(tasks=(task,))))
        assert any("Hands off the monitor knob." in row for table in sheet.tables for row in table.rows)
