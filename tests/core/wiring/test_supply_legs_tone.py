"""Phantom of every voltage, balanced into unbalanced, a preamplifier's noise without its resistor, line-up tone, several at once,
names of unnamed devices: each against a standard or a plain sum.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.figures import number
from kymaphon.core.graph.own_noise import own_ein
from kymaphon.core.graph.phantom import current_limit, voltage_left, within_budget
from kymaphon.core.levels.lineup.tone import tone_along
from kymaphon.core.model.catalogue import Strip, shipped_catalogue
from kymaphon.core.model.edits import apply_all
from kymaphon.core.model.show import Show
from tests.core.rigs import TAPE, VOICE, dev, of_code, rig, wire

KINDS = {kind.id: kind for kind in shipped_catalogue()}


def own(kind_id: str, new_id: str, **changes: dict[str, Any]) -> dict[str, Any]:
    """A shipped kind with some sockets changed: {socket: {field: value}}; `strip` fields under `strip`."""
    data = KINDS[kind_id].model_dump(by_alias=True, exclude_defaults=True)
    data["id"] = new_id
    for port in (*data.get("inputs", ()), *data.get("outputs", ())):
        more = dict(changes.get(port["id"].replace("-", "_"), {}))
        strip = more.pop("strip", None)
        port.update(more)
        if strip:
            port["strip"] = {**port["strip"], **strip}
    return data


class TestPhantom:
    @pytest.mark.parametrize(
        ("supply", "ma", "left"),
        [
            # IEC 61938: P48 over 6.8 kohm a leg, 10 mA at most: 48 - 10 x 3.4 = 14 V; P24 over 1.2 kohm, P12 over 680 ohm.
            (None, 10.0, 14.0),
            (24.0, 10.0, 18.0),
            (12.0, 15.0, 6.9),
        ],
    )
    def test_what_is_left_is_that_of_the_standards_resistors(
        self, supply: float | None, ma: float, left: float
    ) -> None:
        assert voltage_left(ma, supply).value == pytest.approx(left, abs=0.06)

    @pytest.mark.parametrize(("supply", "most"), [(None, 10.0), (48.0, 10.0), (24.0, 10.0), (12.0, 15.0)])
    def test_the_current_is_that_of_the_standards_supplies(self, supply: float | None, most: float) -> None:
        """IEC 61938: P48 and P24 give 10 mA, P12 gives 15."""
        assert current_limit(supply).value == most
        assert within_budget(most, supply)
        assert not within_budget(most + 0.1, supply)

    def test_a_low_supply_stops_a_microphone_and_a_full_one_is_offered(self) -> None:
        desk = own("desk-8", "desk-24v", in1={"strip": {"phantom_v": 24}}, in2={"strip": {"phantom_v": 24}})
        low = {"in1": {"phantom": True, "gain_db": 30}}
        show = rig(
            [
                dev("mic", "condenser-slim", at_m=[1, 1.2]),
                dev("desk", "desk-24v", settings=low),
                dev("other", "desk-8"),
            ],
            [wire("mic.out", "desk.in1")],
            kinds=[desk],
        )
        (found,) = of_code(show, "phantom-too-low")
        # 24 - 3.5 mA x 0.6 kohm = 21.9 V, under the 34 V that the microphone states.
        assert found.why is not None
        assert found.why.value == pytest.approx(24 - 3.5 * 0.6, abs=0.01)
        assert "21.9 V" in found.message
        assert "34" in found.message
        mended = apply_all(show, found.remedies[0].edits)
        (target,) = (cable.target for cable in mended.cables)
        assert target not in ("desk.in1", "desk.in2"), "those have 24 V"
        assert not of_code(mended, "phantom-too-low")
        assert not of_code(mended, "phantom-missing")

    def test_what_states_no_least_is_not_blamed(self) -> None:
        desk = own("desk-8", "desk-24v", in1={"strip": {"phantom_v": 24}})
        mic = own("condenser-slim", "any-volts", out={"phantom_least_v": None})
        show = rig(
            [dev("mic", "any-volts", at_m=[1, 1.2]), dev("desk", "desk-24v", settings={"in1": {"phantom": True}})],
            [wire("mic.out", "desk.in1")],
            kinds=[desk, mic],
        )
        assert not of_code(show, "phantom-too-low")


def into_unbalanced(stage: str | None) -> Show:
    desk = own("desk-8", "desk-x", main_out={"output_stage": stage})
    devices = [
        dev("mic", "dynamic-close", at_m=[1, 1.2]),
        dev("desk", "desk-x", settings={"in1": {"gain_db": 45}}),
        dev("box", "stream-box", power="adaptor"),
        dev("rec", "recorder"),
    ]
    cables = [
        wire("mic.out", "desk.in1"),
        wire("desk.main-out.l", "box.music", adapter="jack-minijack"),
        wire("box.usb", "rec.in"),
    ]
    return rig(devices, cables, [VOICE, TAPE], kinds=[desk])


def at(analysis: Report, node: str) -> float:
    ladder = analysis.ladder("mira", "tape")
    assert ladder is not None
    return next(row.speech_db for row in ladder.rungs if row.node == node)


class TestBalancedIntoUnbalanced:
    """Half the voltage from a stage that drives each leg from earth, all of it from the others (textbook)."""

    @pytest.mark.parametrize(
        ("stage", "loss"),
        [("each-leg", 20 * math.log10(0.5)), ("floating", 0.0), ("impedance-balanced", 0.0)],
    )
    def test_the_loss_is_that_of_the_stage(self, stage: str, loss: float) -> None:
        analysis = analyse(into_unbalanced(stage))
        step = at(analysis, "box.music.l") - at(analysis, "desk.main-out.l")
        whole = analyse(into_unbalanced("floating"))
        loading = at(whole, "box.music.l") - at(whole, "desk.main-out.l")
        assert -1 < loading <= 0
        assert step - loading == pytest.approx(loss, abs=1e-6)

    @pytest.mark.parametrize("stage", ["each-leg", "floating"])
    def test_a_line_behind_a_transformer_takes_both_legs(self, stage: str) -> None:
        """The primary lies between the two wires (textbook): no more is lost than 60 ohm into 600 do, 20 lg(600 / 660) = -0.83 dB."""
        desk = own("desk-8", "desk-x", main_out={"output_stage": stage, "impedance_ohm": 60})
        show = rig(
            [
                dev("mic", "dynamic-close", at_m=[1, 1.2]),
                dev("desk", "desk-x", settings={"in1": {"gain_db": 45}}),
                dev("line", "studio-line"),
            ],
            [wire("mic.out", "desk.in1"), wire("desk.main-out.l", "line.in", adapter="xlr-terminal")],
            [VOICE, {**TAPE, "kind": "audience", "hears_on": "line"}],
            kinds=[desk],
        )
        analysis = analyse(show)
        assert at(analysis, "line.in") - at(analysis, "desk.main-out.l") == pytest.approx(-0.83, abs=0.01)
        ladder = analysis.ladder("mira", "tape")
        assert ladder is not None
        nodes = [point.rung.node for point in tone_along(analysis, ladder)]
        assert [name for name in ("desk.main-out.l", "line.in", "line.studio") if name in nodes] == [
            "desk.main-out.l",
            "line.in",
            "line.studio",
        ], "every plug on the way has its reading, also where nothing changes"

    def test_an_unknown_stage_is_told_as_the_range_that_it_is(self) -> None:
        analysis = analyse(into_unbalanced(None))
        ladder = analysis.ladder("mira", "tape")
        assert ladder is not None
        spans = [
            row.spread
            for rung in ladder.rungs
            for _, row in rung.speech.walk()
            if row.name.startswith("Balanced output of unknown")
        ]
        assert spans
        assert spans[0] == (-6.02, 0.0)


class TestEquivalentInputNoise:
    def test_less_than_its_own_resistor_is_refused(self) -> None:
        """Johnson, Nyquist: 150 ohm at 290 K over 20 kHz make -131.0 dBu (20 lg of sqrt(4 k T R B) / 0.775 V)."""
        volts = math.sqrt(4 * 1.380649e-23 * 290 * 150 * 20000)
        floor = 20 * math.log10(volts / math.sqrt(0.6))
        assert floor == pytest.approx(-131.0, abs=0.15)
        with pytest.raises(ValidationError, match="thermal"):
            Strip(gain_db=(0, 60), ein_dbu=((0, -100), (60, floor - 0.5)))
        Strip(gain_db=(0, 60), ein_dbu=((0, -100), (60, floor + 0.5)))

    def test_the_amplifiers_own_and_the_resistor_make_the_stated_figure_again(self) -> None:
        strip = Strip(gain_db=(0, 60), ein_dbu=((0, -100), (60, -127.5)))
        volts = math.sqrt(4 * 1.380649e-23 * (273.15 + number("air-temperature")) * 150 * number("noise-bandwidth"))
        thermal = volts**2 / 0.6
        for (gain, stated), (gain_again, left) in zip(strip.ein_dbu, own_ein(strip), strict=True):
            assert gain == gain_again
            assert 10 ** (left / 10) + thermal == pytest.approx(10 ** (stated / 10), rel=2e-3)


class TestTone:
    def test_every_meter_at_zero_reference(self) -> None:
        """+4 dBu: VU 0 (IEC 60268-17); type I PPM -2, IIa 5, IIb +4 (IEC 60268-10); LUFS of both channels 3.01 dB over one."""
        analysis = analyse(into_unbalanced("floating"))
        ladder = analysis.ladder("mira", "tape")
        assert ladder is not None
        tone = tone_along(analysis, ladder)
        assert tone[0].rung.node.startswith("desk.in1:")
        readings = {name: row.value for name, row in tone[0].readings.items()}
        assert tone[0].level.value == 4.0
        assert readings["vu"] == pytest.approx(0)
        assert readings["ppm-1"] == pytest.approx(-2)
        assert readings["ppm-2a"] == pytest.approx(5)
        assert readings["ppm-2b"] == pytest.approx(4)
        assert readings["lufs"] - readings["dbfs"] == pytest.approx(0, abs=0.05)
        # What a gain does to the voice it does to the tone.
        for point in tone:
            first = next(row for row in ladder.rungs if row.node == tone[0].rung.node)
            wanted = point.rung.speech_db - first.speech_db
            assert point.level.value - tone[0].level.value == pytest.approx(wanted)


def three_talkers(fader: float) -> Show:
    loud = {"effort": "loud"}
    parties = [
        {**VOICE, **loud},
        TAPE,
        *(
            {
                **loud,
                "id": f"t{n}",
                "name": f"Talker {n}",
                "kind": "guest",
                "place": "studio",
                "at_m": [1 + n, 1],
                "speaks": True,
            }
            for n in (1, 2)
        ),
    ]
    mics = [
        dev("mic", "dynamic-close", at_m=[1, 1.1]),
        *(dev(f"m{n}", "dynamic-close", at_m=[1 + n, 1.1], party=f"t{n}") for n in (1, 2)),
    ]
    desk = dev(
        "desk", "desk-8", settings={**{f"in{n}": {"gain_db": 54} for n in (1, 2, 3)}, "main": {"fader_db": fader}}
    )
    cables = [
        wire("mic.out", "desk.in1"),
        wire("m1.out", "desk.in2"),
        wire("m2.out", "desk.in3"),
        wire("desk.usb", "rec.in"),
    ]
    return rig([*mics, desk, dev("rec", "recorder")], cables, parties)


def test_three_at_once_need_what_powers_and_peaks_add() -> None:
    """No finding, then one, where three equal levels (+4.77 dB) and their peaks pass the shared ceiling and one does not."""
    told = [fader for fader in np.arange(0.0, 10.5, 0.5) if of_code(three_talkers(fader), "several-clip")]
    assert told, "the fader reaches it"
    analysis = analyse(three_talkers(float(told[0])))
    (found,) = (row for row in analysis.findings if row.code == "several-clip")
    assert set(found.subjects) >= {"mira", "t1", "t2"}
    assert "at once" in found.message
    mended = apply_all(analysis.show, found.remedies[0].edits)
    assert not of_code(mended, "several-clip")
    assert not of_code(three_talkers(float(told[0]) - 3), "several-clip")


def behind_an_interface(desk_db: float, interface_db: float) -> Show:
    """The same three into an interface behind the desk, and by its monitor mix into a recorder with a gain of its own."""
    show = three_talkers(desk_db)
    cables = [
        *(row.model_dump() for row in show.cables if row.target != "rec.in"),
        wire("desk.main-out.l", "face.in1"),
        wire("face.usb1", "mixer.in1"),
        wire("mixer.out", "rec.in"),
    ]
    pc = dev("pc", "laptop")
    face = dev("face", "interface-2", host="pc", settings={"in1": {"gain_db": interface_db, "pad": True}})
    devices = [row.model_dump() for row in show.devices]
    return rig(
        [*devices, pc, face, dev("mixer", "soft-mixer", host="pc")], cables, [row.model_dump() for row in show.parties]
    )


@pytest.mark.parametrize(
    ("desk_db", "interface_db", "behind"),
    [
        (0.0, 16.0, "Software mixer, programme, fader"),
        (6.0, 4.0, "Two-input interface, input 1, gain"),
        # The mixer and the recorder clip with it: whatever is put back there only moves the clipping on.
        (6.0, 12.0, None),
        (6.0, 24.0, None),
    ],
)
def test_level_is_put_back_only_behind_what_would_clip_by_it(
    desk_db: float, interface_db: float, behind: str | None
) -> None:
    """What is taken off before a point and put back behind it leaves the end as loud, and nothing else clipping."""
    analysis = analyse(behind_an_interface(desk_db, interface_db))
    (found,) = (row for row in analysis.findings if row.code == "several-clip")
    remedy = next((row for row in found.remedies if row.id == "shared-behind"), None)
    if behind is None or remedy is None:
        assert behind is remedy is None
        return
    assert remedy.label.endswith(f"add it behind: {behind}")
    after = analyse(apply_all(analysis.show, remedy.edits))
    assert not [row for row in after.findings if row.code == "several-clip"]
    for key, ladder in analysis.ladders.items():
        assert after.ladders[key].last.speech_db == pytest.approx(ladder.last.speech_db, abs=0.6)


def test_unnamed_devices_of_one_kind_are_told_apart() -> None:
    show = rig([dev("a", "recorder"), dev("b", "recorder"), dev("c", "headphones")], [])
    analysis = analyse(show)
    kind = KINDS["recorder"].name
    assert [analysis.device_name(row) for row in "abc"] == [
        f"{kind} a",
        f"{kind} b",
        KINDS["headphones"].name,
    ]


class TestEachInAShow:
    def kind(self, last: int) -> dict[str, Any]:
        row = {"each": [1, last], "id": "in{n}", "name": "input {n}", "domain": "analog", "level": "line"}
        return {"id": "many", "name": "Many inputs", "group": "desk", "inputs": [row]}

    def test_rows_of_a_shows_own_kind_are_written_out(self) -> None:
        show = rig([dev("a", "many")], [], kinds=[self.kind(8)])
        assert [port.id for port in show.kinds[0].inputs] == [f"in{n}" for n in range(1, 9)]
        assert len(rig([dev("a", "many")], [], kinds=[self.kind(512)]).kinds[0].inputs) == 512

    def test_no_more_than_the_bound(self) -> None:
        with pytest.raises(ValidationError, match="more than 512 rows"):
            rig([dev("a", "many")], [], kinds=[self.kind(513)])
