"""The pull list, the chain as a picture, and what a catalogue of kinds must hold."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.connectors import adapters, connectors, family, mate
from kymaphon.core.model.references import reference_problems
from kymaphon.core.model.show import Show
from kymaphon.core.report.chain import chain_of
from kymaphon.core.wiring.pull import lead_of, pull_list, stock_length
from tests.core.rigs import dev, rig, wire

KINDS = list(shipped_catalogue())


class TestCatalogue:
    def test_forty_kinds_of_every_sort(self) -> None:
        assert len(KINDS) >= 60
        groups = {kind.group for kind in KINDS}
        assert {
            "microphone",
            "booster",
            "interface",
            "desk",
            "software",
            "codec",
            "di",
            "pad",
            "splitter",
            "isolator",
            "wireless",
            "preamp",
            "amplifier",
            "host",
            "hub",
            "app",
            "line",
            "instrument",
            "player",
            "recorder",
            "encoder",
        } <= groups

    @pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.id)
    def test_every_socket_has_what_the_rules_ask_for(self, kind) -> None:  # type: ignore[no-untyped-def]
        for port in (*kind.inputs, *kind.outputs):
            if port.domain == "acoustic":
                continue
            assert port.connector in connectors(), port.id
            if port.domain == "analog":
                assert port.impedance_ohm, port.id
            else:
                assert family(port) in ("computer", "network", "radio"), port.id

    @pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.id)
    def test_line_outputs_bridge_and_amplifiers_have_headroom(self, kind) -> None:  # type: ignore[no-untyped-def]
        """Line outputs of a few hundred ohm at most, inputs of ten times that: common practice, but for 600 ohm lines
        and plug-on pads.
        """
        for port in kind.outputs:
            if port.level == "line" and port.domain == "analog" and port.connector != "terminal":
                assert port.impedance_ohm <= 1000
        for port in kind.inputs:
            if port.level == "line" and port.domain == "analog" and port.connector != "terminal":
                assert port.impedance_ohm >= 5000

    def test_phantom_draws_stay_within_iec_61938(self) -> None:
        for kind in KINDS:
            for port in kind.outputs:
                assert port.phantom_ma is None or 0 < port.phantom_ma <= 10

    def test_bus_powered_kinds_stay_within_usb_3(self) -> None:
        for kind in KINDS:
            if kind.power is not None and kind.power.bus_ma is not None and "bus" in kind.power.by:
                assert kind.power.bus_ma <= 900

    def test_adapters_join_what_does_not_mate(self) -> None:
        for adapter in adapters().values():
            if adapter.joins:
                assert not mate(*adapter.joins), adapter.id


class TestPull:
    @pytest.mark.parametrize(("metres", "stock"), [(0.2, 0.5), (1.0, 1), (4.1, 5), (40, 50), (101, None)])
    def test_the_shortest_in_stock_that_is_long_enough(self, metres: float, stock: float | None) -> None:
        assert stock_length(metres) == stock

    def test_cables_by_kind_and_length_with_spares(self) -> None:
        mics = [dev(f"m{n}", "dynamic-close") for n in range(12)]
        show = rig(
            [*mics, dev("desk", "desk-24-mono")],
            [wire(f"m{n}.out", f"desk.in{n + 1}", length_m=9.0) for n in range(12)],
        )
        row = next(row for row in pull_list(analyse(show)) if row.sort == "Cables")
        assert (row.what, row.count, row.spares) == ("XLR, balanced, 10 m", 14, 2)

    def test_a_length_from_the_plan_has_slack(self) -> None:
        show = rig(
            [dev("mic", "dynamic-close", at_m=[1, 1]), dev("desk", "desk-8", at_m=[5, 4])],
            [wire("mic.out", "desk.in1")],
        )
        row = next(row for row in pull_list(analyse(show)) if row.sort == "Cables")
        assert row.what == "XLR, balanced, 10 m"  # 5 m of way and a quarter more is 6.25

    def test_adapters_stands_and_batteries(self) -> None:
        show = rig(
            [
                dev("mic", "dynamic-close", at_m=[1, 1.2]),
                dev("lap", "lapel", at_m=[1, 1]),
                dev("link", "wireless-link"),
                dev("song", "player-run-on"),
                dev("desk", "desk-8"),
            ],
            [
                wire("mic.out", "link.in", length_m=1),
                wire("link.out", "desk.in1", length_m=3),
                wire("song.out.l", "desk.in5", adapter="stereo-breakout", length_m=2),
            ],
        )
        rows = {(row.sort, row.what): row for row in pull_list(analyse(show))}
        assert rows["Adapters", "stereo plug to two mono plugs"].count == 2
        assert rows["Batteries", "set of 2 AA"].count == 2
        assert "6 h" in rows["Batteries", "set of 2 AA"].used_for
        assert rows["Stands and shields", "table stand or arm"].count == 1

    def test_headphones_bring_their_own_lead_and_software_needs_none(self, demo: Show) -> None:
        analysis = analyse(demo)
        leads = {cable.ends: lead_of(analysis, cable) for cable in demo.cables}
        assert leads["desk.phones", "phones-mira.in"] == ""
        assert leads["mixer.out", "recorder.in"] == ""
        assert leads["player.out.l", "desk.in7"] == "6.35 mm jack to phono lead"


class TestChain:
    def test_every_device_and_cable_is_drawn_once(self, demo: Show) -> None:
        chain = chain_of(analyse(demo))
        assert {box.id for box in chain.boxes} == {device.id for device in demo.devices}
        assert [link.ends for link in chain.links] == [cable.ends for cable in demo.cables]
        for link in chain.links:
            assert bool(link.figure) != bool(link.silence)

    def test_a_folded_place_keeps_the_cables_to_outside(self, demo: Show) -> None:
        chain = chain_of(analyse(demo), frozenset({"slipway"}))
        box = chain.box_of("slip-mixer")
        assert box is not None
        assert set(box.members) == {"mic-trio", "mic-crowd", "slip-mixer"}
        assert [port.ref for port in box.outputs] == ["slip-mixer.main-out.l"]
        assert all("mic-trio.out" not in link.ends for link in chain.links)

    def test_everything_folded(self, demo: Show) -> None:
        chain = chain_of(analyse(demo), frozenset(place.id for place in demo.places))
        assert {box.group for box in chain.boxes} == {"place"}


class TestReferences:
    @pytest.mark.parametrize(
        ("more", "words"),
        [
            ({"host": "nobody"}, "no device called nobody"),
            ({"host": "face"}, "cannot hang on itself"),
            ({"power": "battery"}, "runs from bus"),
            ({"settings": {"gate": {"on": True}}}, "has no gate"),
        ],
    )
    def test_what_leads_nowhere_is_told(self, more: dict[str, object], words: str) -> None:
        show = rig([dev("face", "interface-2", **more)], [])
        assert any(words in problem.what for problem in reference_problems(show, shipped_catalogue()))

    def test_an_adapter_that_is_not_known(self) -> None:
        show = rig([dev("mic", "dynamic-close"), dev("desk", "desk-8")], [wire("mic.out", "desk.in1", adapter="magic")])
        assert any("magic" in problem.what for problem in reference_problems(show, shipped_catalogue()))
