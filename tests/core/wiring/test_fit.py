"""What goes into what, as every operator learns it: a table of plugs, levels and impedances by common practice."""

from __future__ import annotations

import math

import pytest

from kymaphon.core.model.catalogue import Kind, Port, shipped_catalogue
from kymaphon.core.model.connectors import adapter_between, balanced, mate, one_hole
from kymaphon.core.model.ends import End, end_of, ends_of, nominal_dbu
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import crest_of
from kymaphon.core.wiring.fit import Comes, Fit, fit_of, pad_needed, partners
from tests.core.rigs import dev, rig, wire

KINDS = shipped_catalogue()


def fit(source: str, target: str, adapter: str | None = None, level: float | None = None) -> Fit:
    """How a socket of one kind, as `kind.port`, goes with that of another."""
    first, second = source.partition(".")[0], target.partition(".")[0]
    show = rig([dev("a", first), dev("b", second)], [])
    ends = (f"a.{source.partition('.')[2]}", f"b.{target.partition('.')[2]}")
    comes = Comes(level, crest_of("presenter")) if level is not None else None
    return fit_of(*(end_of(show, KINDS, end) for end in ends), adapter, comes)


def codes(found: Fit) -> set[str]:
    return {row.code for row in found.faults}


FITS = [
    ("dynamic-close.out", "desk-8.in1"),
    ("condenser-slim.out", "interface-2.in1"),
    ("dynamic-close.out", "booster-inline.in"),
    ("booster-inline.out", "interface-8.in3"),
    ("desk-8.phones", "headphones.in"),
    ("smartphone.phones", "earphones.in"),
    ("keyboard.out.l", "di-passive.in"),
    ("guitar-passive.out", "di-active.in"),
    ("desk-powered.speakers.l", "loudspeaker-passive.in"),
    ("desk-direct.direct1", "desk-12-4.in9"),
    ("interface-2.usb1", "laptop.usb1"),
    ("interface-2.usb1", "soft-mixer.in1"),
    ("soft-mixer.out", "stream-encoder.in"),
    ("phone.call-out", "call-codec.far-in"),
    ("player-run-on.radio", "stream-box.music-radio"),
    ("player-run-on.out", "stream-box.music"),
]
"""Pairs that go together as they are (common practice)."""

MISFITS = [
    ("dynamic-close.out", "desk-8.in5", "mic-into-line"),
    ("dynamic-close.out", "laptop.headset-mic", "contacts-mismatch"),
    ("dynamic-close.out", "desk-8.usb-in", "plug-impossible"),
    ("interface-2.usb1", "desk-8.in1", "plug-impossible"),
    ("desk-8.main-out.l", "laptop.headset-mic", "line-into-mic"),
    ("desk-8.main-out.l", "wireless-link.in", "line-into-mic"),
    ("desk-8.send1", "headphones.in", "headphones-from-line"),
    ("desk-powered.speakers.l", "desk-8.in5", "speaker-into-input"),
    ("desk-8.main-out.l", "loudspeaker-passive.in", "no-amplifier"),
    ("guitar-passive.out", "interface-2.in1", "loaded-down"),
    ("guitar-passive.out", "di-passive.in", "loaded-down"),
    ("player.out.l", "desk-8.in7", "consumer-into-professional"),
    ("desk-8.send1", "stream-box.music", "professional-into-consumer"),
    ("player-run-on.out", "desk-8.in5", "stereo-into-balanced"),
    ("desk-8.send1", "headphone-amp.in", "contacts-mismatch"),
    ("laptop.radio", "desk-8.usb-in", "plug-impossible"),
]
"""Pairs that do not, and what is said of them (common practice)."""

ADAPTERS = [
    ("dynamic-close.out", "desk-8.in5", "xlr-jack"),
    ("player.out.l", "desk-8.in7", "jack-phono"),
    ("player.out", "stream-box.music", "minijack-phono"),
    ("desk-8.main-out.l", "studio-line.in", "xlr-terminal"),
    ("laptop.phones", "headphones.in", "jack-minijack"),
    ("dynamic-close.out", "laptop.headset-mic", "headset-splitter"),
    ("player-run-on.out", "desk-8.in5", "stereo-breakout"),
    ("headphone-amp.phones1", "desk-pocket.line-in", "stereo-breakout"),
]


@pytest.mark.parametrize(("source", "target"), FITS, ids=lambda row: row)
def test_what_goes_together(source: str, target: str) -> None:
    found = fit(source, target)
    assert found.works
    assert [row.text for row in found.faults if row.severity != "note"] == []
    assert found.adapter is None


@pytest.mark.parametrize(("source", "target", "code"), MISFITS, ids=lambda row: row)
def test_what_does_not(source: str, target: str, code: str) -> None:
    found = fit(source, target)
    assert code in codes(found)
    fault = next(row for row in found.faults if row.code == code)
    assert fault.text.endswith(".")
    assert found.words


@pytest.mark.parametrize(("source", "target", "adapter"), ADAPTERS, ids=lambda row: row)
def test_the_adapter_that_is_offered_settles_the_plugs(source: str, target: str, adapter: str) -> None:
    found = fit(source, target)
    assert found.adapter is not None
    assert found.adapter.id == adapter
    plugs = {"plug-mismatch", "contacts-mismatch", "stereo-into-balanced"}
    assert codes(found) & plugs
    assert not codes(fit(source, target, adapter)) & plugs


def test_a_wrong_adapter_settles_nothing() -> None:
    assert "plug-mismatch" in codes(fit("dynamic-close.out", "desk-8.in5", "jack-phono"))


class TestLevels:
    def test_a_line_that_really_is_low_fits_a_microphone_input_for_now(self) -> None:
        """Today's level decides; the full level is told as a note."""
        found = fit("desk-8.main-out.l", "interface-2.in1", level=-10)
        fault = next(row for row in found.faults if row.code == "line-into-mic")
        assert fault.severity == "note"
        hot = fit("desk-8.main-out.l", "interface-2.in1", level=6)
        assert next(row for row in hot.faults if row.code == "line-into-mic").severity == "fix"

    @pytest.mark.parametrize(("kind", "crest"), [("presenter", 15.0), ("player", 12.0)])
    def test_peaks_are_those_of_what_it_is_less_what_the_input_loads(self, kind: str, crest: float) -> None:
        """+3 dBu of music, 12 dB of peaks, 150 ohm into 1.2 kohm (20 lg(1200 / 1350) = -1.02 dB) are +14 dBu: an input of +18 dBu bears it."""
        desk = next(row for row in shipped_catalogue() if row.id == "desk-8").model_copy(deep=True)
        inputs = tuple(
            row.model_copy(update={"max_db": 18.0, "impedance_ohm": 1200.0}) if row.id == "in1" else row
            for row in desk.inputs
        )
        desk = desk.model_copy(update={"id": "hot", "inputs": inputs})
        show = rig([dev("a", "desk-8"), dev("b", "hot")], [], kinds=[desk.model_dump(by_alias=True)])
        known = KINDS.with_kinds(*show.kinds)
        source, target = end_of(show, known, "a.main-out.l"), end_of(show, known, "b.in1")
        over = pad_needed(source, target, Comes(3.0, crest_of(kind)))
        loading = 20 * math.log10(1200 / (1200 + (source.port.impedance_ohm or 0)))
        assert over.value == pytest.approx(3 + crest + loading - 18)
        assert sum(row.value for row in over.terms) == pytest.approx(over.value)

    def test_the_inputs_own_pad_counts(self) -> None:
        show = rig([dev("a", "desk-8"), dev("b", "interface-2", settings={"in1": {"pad": True}})], [])
        found = fit_of(end_of(show, KINDS, "a.main-out.l"), end_of(show, KINDS, "b.in1"))
        assert "line-into-mic" not in codes(found)

    def test_a_strong_microphone_may_do_for_a_line_input_with_gain(self) -> None:
        """A shouted-at condenser at -15 dBu and 20 dB of gain are near enough to +4."""
        assert "mic-into-line" in codes(fit("condenser-broad.out", "desk-8.in5", level=-45))
        assert "mic-into-line" not in codes(fit("condenser-broad.out", "desk-8.in5", level=-15))

    def test_gain_that_is_turned_up_makes_up_for_the_standards(self) -> None:
        show = rig([dev("a", "player"), dev("b", "desk-8", settings={"in7": {"gain_db": 10}})], [])
        assert "consumer-into-professional" not in codes(
            fit_of(end_of(show, KINDS, "a.out.l"), end_of(show, KINDS, "b.in7"))
        )

    def test_a_pad_gives_on_what_it_is_given_less_what_it_takes(self) -> None:
        show = rig([dev("a", "desk-8"), dev("p", "pad-20"), dev("b", "desk-8")], [wire("a.main-out.l", "p.in")])
        end = end_of(show, KINDS, "p.out")
        assert (end.level, end.nominal_dbu, end.most_dbu) == ("line", 4 - 20, 22 - 20)
        mic = rig([dev("a", "dynamic-close"), dev("p", "pad-20")], [wire("a.out", "p.in")])
        assert end_of(mic, KINDS, "p.out").level == "mic"
        assert end_of(rig([dev("p", "pad-20")], []), KINDS, "p.out").level == "any"

    def test_pads_in_a_circle_end(self) -> None:
        show = rig([dev("p", "pad-20"), dev("q", "pad-20")], [wire("p.out", "q.in"), wire("q.out", "p.in")])
        assert end_of(show, KINDS, "p.out").level == "any"

    def test_matched_lines_of_600_ohm_are_as_they_are_meant(self) -> None:
        show = rig([dev("a", "studio-line"), dev("b", "studio-line")], [])
        assert "loaded-down" not in codes(fit_of(end_of(show, KINDS, "a.studio"), end_of(show, KINDS, "b.in")))

    def test_an_instrument_switch_saves_the_treble(self) -> None:
        show = rig([dev("a", "guitar-passive"), dev("b", "interface-2", settings={"in1": {"hi_z": True}})], [])
        assert fit_of(end_of(show, KINDS, "a.out"), end_of(show, KINDS, "b.in1")).faults == ()


class TestPlugs:
    def test_a_combination_socket_takes_both(self) -> None:
        for plug in ("xlr", "jack"):
            assert mate(plug, "combo")
        assert adapter_between("minijack", "combo") is not None

    def test_which_are_balanced(self) -> None:
        """XLR is; a jack of three contacts only when the device says so; phono never: common practice."""

        def port(**given: object) -> Port:
            return Port.model_validate({"id": "x", "name": "x", "domain": "analog", **given})

        assert balanced(port(connector="xlr"))
        assert not balanced(port(connector="jack-3"))
        assert balanced(port(connector="jack-3", balanced=True))
        assert not balanced(port(connector="phono"))
        assert nominal_dbu(port()) == 4

    def test_both_sides_in_one_hole(self) -> None:
        desk, cans = KINDS["desk-8"], KINDS["headphones"]
        main, phones, into = desk.port("main-out"), desk.port("phones"), cans.port("in")
        assert main is not None
        assert phones is not None
        assert into is not None
        assert (one_hole(main), one_hole(phones), one_hole(into)) == (False, True, True)

    def test_a_socket_without_a_stated_plug_is_not_spoken_of(self) -> None:
        bare = Kind.model_validate(
            {
                "id": "bare",
                "name": "Bare",
                "group": "desk",
                "about": "x.",
                "inputs": [{"id": "in", "name": "in", "domain": "analog", "level": "mic", "impedance_ohm": 2000}],
            }
        )
        show = rig([dev("mic", "dynamic-close"), dev("b", "bare")], [], kinds=[bare.model_dump(by_alias=True)])
        known = KINDS.with_kinds(bare)
        assert fit_of(end_of(show, known, "mic.out"), end_of(show, known, "b.in")).faults == ()


class TestPartners:
    def _show(self) -> Show:
        return rig(
            [
                dev("mic", "dynamic-close"),
                dev("far", "desk-8", place=None),
                dev("desk", "desk-8"),
                dev("lap", "laptop"),
            ],
            [wire("desk.send1", "desk.in1")],
        )

    def test_the_best_first_taken_ones_left_out_and_the_impossible_last(self) -> None:
        show = self._show()
        rows = partners(show, KINDS, end_of(show, KINDS, "mic.out"), output=True)
        names = [row.target.ref for row in rows]
        assert "desk.in1" not in names
        assert names.index("desk.in2") < names.index("desk.in5") < names.index("desk.usb-in")
        works = [row.works for row in rows]
        assert works == sorted(works, reverse=True)

    def test_every_free_input_is_there_once(self) -> None:
        show = self._show()
        rows = [row.target.ref for row in partners(show, KINDS, end_of(show, KINDS, "mic.out"), output=True)]
        assert len(set(rows)) == len(rows)
        free = {end.ref for end in ends_of(show, KINDS, "input") if end.ref != "desk.in1"}
        assert set(rows) == free

    def test_from_the_input_side(self) -> None:
        show = self._show()
        rows = partners(show, KINDS, end_of(show, KINDS, "desk.in2"), output=False)
        assert rows[0].source.ref == "mic.out"

    def test_ends_name_what_they_are(self) -> None:
        show = rig([dev("a", "desk-8", name="Desk")], [])
        end = end_of(show, KINDS, "a.main-out.l")
        assert (end.ref, end.name) == ("a.main-out.l", "Desk, main out, left")
        with pytest.raises(KeyError):
            end_of(show, KINDS, "a.nothing")
        assert isinstance(end, End)
