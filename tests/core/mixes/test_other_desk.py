"""A desk exchanged for another: every lead finds a socket like its own, and what was set goes along."""

from __future__ import annotations

from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.mixes.other_desk import Exchange, exchange
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.mixes.ways_out import ways_out
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import apply_all
from kymaphon.core.model.show import Setting, Show
from tests.core.mixes.rooms import studio, usb_desk
from tests.core.rigs import VOICE, dev, rig, wire

CATALOGUE = shipped_catalogue()
DESKS = [kind.id for kind in CATALOGUE if kind.group == "desk"]


def change(show: Show, kind: str) -> Exchange | None:
    return exchange(show, CATALOGUE, show.device("desk"), CATALOGUE[kind])


def changed(show: Show, kind: str) -> Show:
    found = change(show, kind)
    assert found is not None
    return apply_all(show, found.edits)


def pocket(**settings: Any) -> Show:
    """One talker, one telephone by its codec, on a desk that has nothing but its main mix."""
    far = {"id": "far", "name": "Far", "kind": "remote", "speaks": True, "listens": True, "hears_on": "tel"}
    return rig(
        [
            dev("mic", "dynamic-close", party=VOICE["id"], at_m=[1.1, 1]),
            dev("ears", "headphones"),
            dev("codec", "call-codec"),
            dev("tel", "phone", party="far"),
            dev("desk", "desk-pocket", settings={"in1": {"gain_db": 50}, **settings}),
        ],
        [
            wire("mic.out", "desk.in1"),
            wire("codec.near-out", "desk.line-in"),
            wire("desk.main-out.l", "codec.near-in"),
            wire("tel.call-out", "codec.far-in"),
            wire("desk.phones", "ears.in"),
            wire("codec.far-out", "tel.call-in"),
        ],
        [{**VOICE, "listens": True, "hears_on": "ears"}, far],
    )


class TestSockets:
    @pytest.mark.parametrize("before", ["desk-8", "desk-12-4", "desk-direct", "desk-1-send"])
    @pytest.mark.parametrize("after", DESKS)
    def test_whatever_fits_has_every_lead_and_every_voice(self, before: str, after: str) -> None:
        show = studio(before, 2)
        found = change(show, after)
        if found is None:
            return
        other = apply_all(show, found.edits)
        assert len(other.cables) == len(show.cables)
        analysis = analyse(other)
        for voice in ("host", "far1", "far2"):
            mouth = analysis.graph.mouths[voice][0]
            inputs = [i for i, node in enumerate(analysis.graph.nodes) if node.owner == "desk"]
            assert any(analysis.transfer.best_gain_to(node)[mouth] > -300 for node in inputs), voice

    def test_the_usual_ones_do_fit(self) -> None:
        fitting = {kind for kind in DESKS if change(studio("desk-8", 2), kind) is not None}
        assert {"desk-8", "desk-multi", "desk-12-4"} <= fitting
        assert "desk-pocket" not in fitting, "three channels are too few"

    def test_a_usb_pair_stays_one(self) -> None:
        assert {row.ends for row in changed(usb_desk(), "desk-8").cables} == {row.ends for row in usb_desk().cables}
        found = change(usb_desk(), "desk-multi")
        assert found is not None
        assert found.moved == 2, "its pair is called otherwise, and the single channels beside it are no pair"
        ends = {row.ends for row in apply_all(usb_desk(), found.edits).cables}
        assert {("desk.usb-mix", "enc.in"), ("desk.usb-mix.l", "app.mic"), ("app.out", "desk.usb-in")} <= ends

    def test_a_single_lead_in_a_stereo_socket_takes_one_channel(self) -> None:
        other = changed(pocket(), "desk-8")
        assert ("codec.near-out", "desk.in5") in {row.ends for row in other.cables}
        assert "in6" not in other.device("desk").settings

    def test_two_sides_take_two_channels_panned_apart(self) -> None:
        show = rig(
            [dev("disc", "player"), dev("desk", "desk-pocket", settings={"line-in": {"fader_db": -6}})],
            [wire("disc.out", "desk.line-in")],
        )
        other = changed(show, "desk-8")
        assert {row.ends for row in other.cables} == {("disc.out.l", "desk.in5"), ("disc.out.r", "desk.in6")}
        settings = other.device("desk").settings
        assert (settings["in5"].pan, settings["in6"].pan) == (-1.0, 1.0)
        assert settings["in5"].fader_db == settings["in6"].fader_db == -6.0

    def test_without_sockets_enough_there_is_none(self) -> None:
        assert change(studio("desk-8", 4), "desk-pocket") is None

    def test_nor_where_somebody_listens_on_a_socket_that_the_other_lacks(self) -> None:
        show = pocket()
        listening = show.with_(
            parties=tuple(
                row.with_(listens=True, hears_on="desk.phones") if row.id != "far" else row for row in show.parties
            )
        )
        names = {kind: any(port.id == "phones" for port in CATALOGUE[kind].outputs) for kind in DESKS}
        for kind, has in names.items():
            if not has:
                assert change(listening, kind) is None


class TestSettings:
    def test_they_go_along_to_where_the_lead_is(self) -> None:
        other = changed(pocket(**{"line-in": {"fader_db": -3}, "line-in>main": {"on": False}}), "desk-8")
        settings = other.device("desk").settings
        assert settings["in1"].gain_db == 50.0
        assert settings["in5"].fader_db == -3.0
        assert settings["in5>main"] == Setting(on=False)
        assert not any(key.startswith("line-in") for key in settings)

    def test_a_gain_that_the_other_does_not_have_is_its_nearest(self) -> None:
        lowest, highest = CATALOGUE["desk-8"].port("in1").strip.gain_db  # type: ignore[union-attr,misc]
        show = studio("desk-8", 1).with_(
            devices=tuple(
                row.with_(settings={"in1": Setting(gain_db=highest)}) if row.id == "desk" else row
                for row in studio("desk-8", 1).devices
            )
        )
        for kind in DESKS:
            found = change(show, kind)
            if found is None:
                continue
            after = apply_all(show, found.edits)
            strips = {port.id: port.strip for port in CATALOGUE[kind].inputs}
            for key, setting in after.device("desk").settings.items():
                strip = strips.get(key)
                if strip is not None and strip.gain_db is not None and setting.gain_db is not None:
                    assert strip.gain_db[0] <= setting.gain_db <= strip.gain_db[1]
            analyse(after)
        assert lowest < highest


class TestWayOut:
    def test_a_desk_with_other_sockets_is_offered_and_does_it(self) -> None:
        show = pocket()
        plan = plan_feeds(show, CATALOGUE)
        assert len(plan.missing) == 1
        [way] = [row for row in ways_out(show, CATALOGUE, plan) if row.sort == "desk"]
        assert "1 lead goes into other sockets" in way.text
        done = plan_feeds(apply_all(show, way.edits), CATALOGUE)
        assert done.made
        assert done.after.feeds["far", "far"].verdict == "silent"
        assert done.after.feeds["far", VOICE["id"]].verdict in ("heard", "quiet")
