"""Figures of Rig against published ones: loading, roll-off, phantom under load, line levels, USB, pads, induction."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import integrate, signal

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.computing.build import loading
from kymaphon.core.figures import number
from kymaphon.core.graph.phantom import voltage_left
from kymaphon.core.graph.signal import NoiseSource
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Show
from kymaphon.core.wiring.cable_fit import cable_corner_hz
from kymaphon.core.wiring.fit import fit_of, pad_needed
from kymaphon.core.wiring.power import draw_of, host_budgets
from kymaphon.core.wiring.routes import meetings
from tests.core.rigs import STUDIO, TAPE, VOICE, dev, of_code, rig, wire

KINDS = shipped_catalogue()


class TestLoading:
    @pytest.mark.parametrize(("source", "load", "db"), [(600, 600, -6.02), (200, 2000, -0.83), (150, 1500, -0.83)])
    def test_the_voltage_divider(self, source: float, load: float, db: float) -> None:
        """Equal: half the voltage; ten times: bridging (Ballou, *Handbook for Sound Engineers*, from memory)."""
        assert loading(source, [load]).value == pytest.approx(db, abs=0.01)

    def test_loads_in_parallel(self) -> None:
        """Three of 64 ohm are 21.33 ohm; on 20 ohm that takes 20 lg(21.33 / 41.33) off."""
        assert loading(20, [64, 64, 64]).value == pytest.approx(20 * math.log10(21.3333 / 41.3333), abs=0.001)

    def test_a_second_pair_of_headphones_takes_level_from_the_first(self) -> None:
        def level(count: int) -> float | None:
            cans = [dev(f"cans{n}", "headphones") for n in range(count)]
            plugs = [wire("desk.phones", f"cans{n}.in") for n in range(count)]
            parties = [{**VOICE, "listens": True, "hears_on": "cans0"}]
            show = rig(
                [dev("mic", "dynamic-close"), dev("desk", "desk-8", settings={"in1": {"gain_db": 45}}), *cans],
                [wire("mic.out", "desk.in1"), *plugs],
                parties,
            )
            return analyse(show).flow.level("cans0.in.l")

        one, three = level(1), level(3)
        assert one is not None
        assert three is not None
        assert three - one == pytest.approx(loading(20, [64] * 3).value - loading(20, [64]).value, abs=0.01)


class TestRollOff:
    def test_corner_of_a_first_order_low_pass(self) -> None:
        """f = 1 / (2 pi R C): 10 kohm and 1 nF give 15 915 Hz (any textbook of electronics)."""
        metres = 10.0  # of 100 pF each
        assert cable_corner_hz(10000, None, metres).value == pytest.approx(15915.5, abs=1)

    def test_three_db_down_there_by_scipys_analogue_filter(self) -> None:
        corner = cable_corner_hz(20000, 20000, 12).value
        resistance, farad = 10000.0, number("cable-pf") * 12e-12
        _, response = signal.freqs([1], [resistance * farad, 1], worN=[2 * math.pi * corner])
        assert 20 * math.log10(abs(response[0])) == pytest.approx(-3.01, abs=0.01)

    def test_a_microphone_lead_of_a_hundred_metres_is_no_trouble(self) -> None:
        """200 ohm into 2 kohm over 100 m stays flat beyond hearing: common practice."""
        assert cable_corner_hz(200, 2000, 100).value > 20000


class TestPhantom:
    @pytest.mark.parametrize(("ma", "volts"), [(0.0, 48.0), (3.0, 37.8), (10.0, 14.0)])
    def test_voltage_under_load(self, ma: float, volts: float) -> None:
        """48 V through 6.8 kohm in each leg (IEC 61938)."""
        assert voltage_left(ma).value == pytest.approx(volts, abs=0.15)

    def test_a_booster_and_what_it_leaves(self) -> None:
        """3.1 mA leaves 37.4 V or a little more."""
        assert voltage_left(3.1).value == pytest.approx(48 - 3.1 * 3.405, abs=0.1)

    def test_a_condenser_behind_a_booster_gets_nothing_and_is_told_the_sum(self) -> None:
        show = rig(
            [
                dev("mic", "condenser-slim"),
                dev("lift", "booster-inline"),
                dev("desk", "desk-8", settings={"in1": {"phantom": True}}),
            ],
            [wire("mic.out", "lift.in"), wire("lift.out", "desk.in1")],
        )
        found = next(row for row in of_code(show, "phantom-missing") if "mic" in row.subjects)
        assert "3.1 of the 10 mA" in found.message
        assert "37.4 V" in found.message
        after = analyse(found.remedies[0].apply(show))
        assert not [row for row in after.findings if row.code == "phantom-missing"]
        assert after.flow.level("desk.in1") is not None

    def test_a_booster_plugged_into_itself_goes_into_an_input(self) -> None:
        show = rig([dev("lift", "booster-inline"), dev("desk", "desk-8")], [wire("lift.out", "lift.in")])
        found = next(iter(of_code(show, "phantom-missing")))
        assert "plugged into itself" in found.message
        after = found.remedies[0].apply(show)
        assert [row.source for row in after.cables] == ["lift.out"]
        assert not of_code(after, "phantom-missing")

    def test_a_pad_and_a_splitters_direct_way_pass_it_on_and_its_transformers_do_not(self) -> None:
        """Common practice: only the direct output of a splitter feeds the microphone."""

        def codes(outlet: str) -> set[str]:
            show = rig(
                [
                    dev("mic", "condenser-slim"),
                    dev("split", "splitter-3"),
                    dev("desk", "desk-8", settings={"in1": {"phantom": True}}),
                ],
                [wire("mic.out", "split.in"), wire(f"split.{outlet}", "desk.in1")],
            )
            return {row.code for row in analyse(show).findings}

        assert "phantom-missing" not in codes("direct")
        assert "phantom-missing" in codes("iso1")


class TestLineLevels:
    def test_the_two_standards_are_11_8_db_apart(self) -> None:
        """+4 dBu = 1.228 V, -10 dBV = 0.316 V: 11.78 dB (IEC 60268-15 by way of any handbook, from memory)."""
        show = rig([dev("disc", "player"), dev("desk", "desk-8")], [wire("disc.out.l", "desk.in7")])
        fit = fit_of(end_of(show, KINDS, "disc.out.l"), end_of(show, KINDS, "desk.in7"))
        fault = next(row for row in fit.faults if row.code == "consumer-into-professional")
        volts = 20 * math.log10(1.22765 / 0.316228)
        assert fault.figures[0].value == pytest.approx(volts, abs=0.01)
        assert fault.figures[0].value == pytest.approx(11.78, abs=0.01)

    def test_a_line_into_a_telephones_socket_takes_about_forty_db(self) -> None:
        """About 40 dB from line to a small microphone input: common practice."""
        show = rig([dev("desk", "desk-8"), dev("laptop", "laptop")], [])
        need = pad_needed(end_of(show, KINDS, "desk.main-out.l"), end_of(show, KINDS, "laptop.headset-mic"), None)
        assert need.value == pytest.approx(42, abs=3)

    @pytest.mark.parametrize("db", [10, 20, 40])
    def test_a_pad_takes_off_what_it_says(self, db: int) -> None:
        def level(*, padded: bool) -> float | None:
            tail = (
                [wire("desk.main-out.l", "pad.in"), wire("pad.out", "other.in1")]
                if padded
                else [wire("desk.main-out.l", "other.in1")]
            )
            show = rig(
                [
                    dev("mic", "dynamic-close"),
                    dev("desk", "desk-8", settings={"in1": {"gain_db": 45}}),
                    dev("pad", f"pad-{db}"),
                    dev("other", "desk-12-4"),
                ],
                [wire("mic.out", "desk.in1"), *tail],
            )
            return analyse(show).flow.level("other.in1")

        with_, without = level(padded=True), level(padded=False)
        assert with_ is not None
        assert without is not None
        assert without - with_ == pytest.approx(db, abs=2.1)  # and its loading at both ends


class TestUsb:
    def test_ports_give_what_the_standards_say(self) -> None:
        """500 mA by USB 2.0, 900 mA by USB 3.x."""
        for kind, gives in (("laptop-old", 500), ("laptop", 900)):
            budget = host_budgets(rig([dev("host", kind), dev("face", "interface-2", host="host")], []), KINDS)[0]
            assert budget.gives is not None
            assert budget.gives.value == gives

    def test_phantom_power_costs_at_five_volts_what_it_gives_at_forty_eight(self) -> None:
        """Power is what it is: 3.5 mA at 48 V is 168 mW, at 70 % that takes 48 mA at 5 V."""
        show = rig(
            [
                dev("mic", "condenser-slim"),
                dev("host", "laptop"),
                dev("face", "interface-2", host="host", settings={"in1": {"phantom": True}}),
            ],
            [wire("mic.out", "face.in1")],
        )
        drawn = draw_of(show, KINDS, show.device("face"))
        assert drawn is not None
        assert drawn.value - 420 == pytest.approx(3.5 * 48 / 0.7 / 5, abs=0.1)

    def test_a_hub_takes_the_load_off_the_host(self) -> None:
        show = rig([dev("host", "smartphone"), dev("face", "interface-2", host="host")], [])
        found = of_code(show, "bus-over-budget")[0]
        after = found.remedies[-1].apply(show)
        budgets = {row.host: row for row in host_budgets(after, KINDS)}
        assert list(budgets) == ["usb-hub"]
        assert budgets["usb-hub"].over_ma < 0


def _lying(angle_deg: float, distance: float, length: float, **run: object) -> Show:
    """A cable of some length about the middle of a long mains lead along y = 0, turned against it."""
    half = length / 2
    turn = math.radians(angle_deg)
    x, y = half * math.cos(turn), half * math.sin(turn)
    lead = {"id": "lead", "name": "Lead", "points_m": [[-900, 0], [900, 0]], "current_a": 8, **run}
    return rig(
        [dev("mic", "dynamic-close", at_m=[-x, distance - y]), dev("gear", "desk-stereo", at_m=[x, distance + y])],
        [wire("mic.out", "gear.in1")],
        [],
        places=[{**STUDIO, "size_m": [2000, 2000], "runs": [lead]}],
    )


class TestInduction:
    def test_beside_a_lead_by_the_field_of_two_wires(self) -> None:
        """The field of each of the two conductors by Biot and Savart, integrated along both, over the loop's area."""
        distance, length, amps, spacing, width = 0.3, 4.0, 8.0, number("lead-spacing"), number("pair-width")
        meeting = meetings(_lying(0, distance, length), KINDS)[0]

        def field(offset: float) -> float:
            """Of one endless conductor at that distance: mu0 I / (4 pi) times the integral of r sin / r^3."""
            value, _ = integrate.quad(
                lambda x: offset / (x * x + offset * offset) ** 1.5, -200, 200, points=[0], limit=400
            )
            return 1e-7 * amps * value

        net = field(distance - spacing / 2) - field(distance + spacing / 2)
        volts = 2 * math.pi * 50 * net * width * length
        assert meeting.induced_v == pytest.approx(volts, rel=0.01)
        assert meeting.beside_m == pytest.approx(length, rel=0.01)

    def test_nothing_at_right_angles(self) -> None:
        """Cross at right angles: common practice, and the cosine of it."""
        beside, across = (meetings(_lying(angle, 0.1, 2.0), KINDS)[0] for angle in (0, 90))
        assert across.angle_deg == pytest.approx(90, abs=0.5)
        assert across.induced_v < beside.induced_v / 1000
        assert across.beside_m == pytest.approx(0, abs=0.01)

    def test_twice_the_distance_is_twelve_db(self) -> None:
        near, far = (meetings(_lying(0, metres, 2.0), KINDS)[0].level.value for metres in (0.2, 0.4))
        assert near - far == pytest.approx(12.04, abs=0.05)

    def test_a_coil_counts_once_for_each_turn(self) -> None:
        flat, coil = (meetings(_lying(0, 0.3, 2.0, sort=sort), KINDS)[0].level.value for sort in ("mains", "coil"))
        assert coil - flat == pytest.approx(20 * math.log10(number("coil-turns")), abs=0.01)

    def test_the_60_hz_mains_induce_more(self) -> None:
        show = _lying(0, 0.3, 2.0)
        fifty, sixty = meetings(show, KINDS)[0], meetings(show.with_(mains_hz=60), KINDS)[0]
        assert sixty.induced_v / fifty.induced_v == pytest.approx(60 / 50)


def test_flow_agrees_with_the_ladders() -> None:
    """Levels at every socket by one solve, and along the strongest path by the ladder."""
    show = rig(
        [dev("mic", "dynamic-close"), dev("desk", "desk-8", settings={"in1": {"gain_db": 45}}), dev("rec", "recorder")],
        [wire("mic.out", "desk.in1"), wire("desk.usb", "rec.in")],
        [VOICE, TAPE],
    )
    analysis = analyse(show)
    for rung in analysis.ladders["mira", "tape"].rungs:
        assert analysis.flow.level(rung.node) == pytest.approx(rung.speech_db, abs=0.01)


def test_silence_names_what_is_shut() -> None:
    def why(**settings: object) -> str:
        show = rig(
            [dev("mic", "dynamic-close"), dev("desk", "desk-8", settings={"in1": {"gain_db": 45, **settings}})],
            [
                wire("mic.out", "desk.in1"),
            ],
        )
        return analyse(show).flow.silence("desk.main-out.l")

    assert why() == ""
    assert "mute is on" in why(mute=True)
    assert "fader of channel 1 is down" in why(fader_db=-90)
    bare = analyse(rig([dev("mic", "condenser-slim"), dev("desk", "desk-8")], [wire("mic.out", "desk.in1")]))
    assert bare.flow.silence("desk.in1") == "no phantom power"
    lone = analyse(rig([dev("desk", "desk-8")], [], []))
    assert "plugged" in lone.flow.silence("desk.in1")


def test_the_noise_of_a_detour_is_the_sum_of_its_sources() -> None:
    """10 lg of the sum of powers, by NumPy over the graph's own noise sources."""
    from tests.core.rules.test_rig_rules import BREAKS

    show = BREAKS["out-and-back"]
    finding = of_code(show, "out-and-back")[0]
    assert finding.why is not None
    parts = np.array([term.value for term in finding.why.terms])
    assert finding.why.value == pytest.approx(10 * np.log10((10 ** (parts / 10)).sum()), abs=0.01)
    sources: tuple[NoiseSource, ...] = analyse(show).graph.noises
    assert len(parts) >= 2
    assert {term.name for term in finding.why.terms} <= {row.level.name.removesuffix(", A-weighted") for row in sources}
