"""Loops, returns and combined ways against hand calculation and against an impulse; the rules that speak of them."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kymaphon.core.acoustics.sound import comb
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.derive import Derived
from kymaphon.core.graph.paths import best_paths, round_once, simple_cycles, strong_cycles
from kymaphon.core.graph.routing import arrivals_of
from kymaphon.core.graph.signal import Edge, EdgeKind, Node, SignalGraph
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.mixes.planner import plan_feeds
from kymaphon.core.mixes.returns import combined, loops_of, together, turn_of
from kymaphon.core.mixes.sentence import listener_sentence
from kymaphon.core.model.edits import Plug, SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Cable, Party, Show
from kymaphon.core.model.wants import role_want, unsaid, wants_by_role
from kymaphon.core.rules.feeds import circles
from kymaphon.sim.impulse import impulse_arrivals
from tests.budget import tries
from tests.conftest import two_desks
from tests.core.mixes.rooms import studio, two_rooms
from tests.core.rigs import STUDIO, dev, of_code, rig, wire


def bare(count: int, edges: list[tuple[int, int, float, float]]) -> SignalGraph:
    """Points and ways: from, to, gain in dB, delay in ms."""
    nodes = tuple(Node(f"n{i}", "", "dBFS", "x") for i in range(count))
    rows = tuple(Edge(a, b, (Derived("g", gain, "dB"),), (Derived("d", delay, "ms"),)) for a, b, gain, delay in edges)
    return SignalGraph(nodes, rows)


class TestTwoDesks:
    """Two desks that feed each other, by hand: a codec of 82 ms at either end, so 164 ms each way and 328 round; everything at unity."""

    def test_the_circle_by_hand(self) -> None:
        show = two_desks(a={"in5>send1": {"on": True}}, b={"in5>send1": {"on": True}})
        (circle,) = [row for row in loops_of(analyse(show)) if row.gain_margin_db < 20]
        assert circle.delay.value == pytest.approx(328)
        assert circle.spacing_hz == pytest.approx(1000 / 328)
        assert circle.cause == "two desks feed each other"
        assert circle.howls == (circle.gain_margin_db <= 1), "gains are known to a decibel, no better"
        assert circle.comb(3) == pytest.approx((1000 / 328, 2000 / 328, 3000 / 328))

    def test_howl_then_echo_then_neither(self) -> None:
        """Broken at one end the howl is gone and one party still has its echo, late by the round trip; broken at both neither."""
        on, off = {"in5>send1": {"on": True, "gain_db": 4}}, {"in5>send1": {"on": False}}
        howl = {row.code for row in analyse(two_desks(a=on, b=on)).findings}
        assert "loop-howls" in howl
        one = analyse(two_desks(a=on, b=off))
        codes = [row for row in one.findings if row.code == "own-voice-back"]
        assert "loop-howls" not in {row.code for row in one.findings}
        assert len(codes) == 1
        feed = one.feeds[codes[0].pairs[0]]
        assert feed.delay_ms == pytest.approx(328, abs=1)
        turn = turn_of(one, feed.path, feed.listener) if feed.path is not None else None
        assert turn is not None
        assert turn.device == "desk-a"
        assert not turn.own_end
        none = {row.code for row in analyse(two_desks(a=off, b=off)).findings}
        assert not none & {"loop-howls", "own-voice-back"}

    def test_mix_plus_gives_own_voice_back_at_once(self) -> None:
        """With the guest's channel off its send the own microphone in the own monitor comes without the round trip."""
        off = {"in5>send1": {"on": False}}
        feed = analyse(two_desks(a=off, b=off)).feeds["talker-a", "talker-a"]
        assert feed.verdict == "local"
        assert (feed.delay_ms or 0) < 1


class TestRoundTheMainMix:
    """Two desks that give each other their main mix: a voice passes the mix where it is once, goes round, and passes it again."""

    def test_own_voice_comes_back_as_an_impulse_does(self) -> None:
        analysis = analyse(two_rooms())
        for who in ("host", "rep"):
            feed = analysis.feeds[who, who]
            assert feed.verdict == "back"
            assert feed.node is not None
            mouth = analysis.graph.mouths[who][0]
            times, amplitudes = impulse_arrivals(analysis.graph, mouth, feed.node, until_ms=400, below_db=-60)
            late = np.abs(times - (feed.delay_ms or 0)) < 0.02
            by_time = 20 * math.log10(amplitudes[late].sum())
            ours = next(row for row in analysis.arrivals(who, who) if row.delay_ms == feed.delay_ms)
            assert feed.delay_ms == pytest.approx(4 * 82 + 0.29, abs=0.05)
            assert ours.gain_db == pytest.approx(by_time, abs=0.05)

    def test_it_is_the_way_and_the_circle(self) -> None:
        graph = bare(5, [(0, 1, -3, 1), (1, 2, -1, 2), (2, 4, -2, 0), (2, 3, -4, 10), (3, 1, -5, 20)])
        transfer = Transfer(graph)
        [way] = best_paths(transfer, 0, 4).paths
        [circle] = strong_cycles(transfer)
        lap = round_once(way, circle)
        assert lap is not None
        assert lap.nodes == (0, 1, 2, 3, 1, 2, 4)
        assert (lap.gain_db, lap.delay_ms) == (pytest.approx(-6 - 10), pytest.approx(3 + 32))
        assert [(row.gain_db, row.delay_ms) for row in arrivals_of(transfer, 0, 4, own=True)] == [
            (pytest.approx(-6), pytest.approx(3)),
            (pytest.approx(-16), pytest.approx(35)),
        ]
        assert [row.delay_ms for row in arrivals_of(transfer, 0, 4)] == [pytest.approx(3)]
        [aside] = best_paths(Transfer(bare(3, [(0, 1, 0, 0), (1, 2, 0, 0)])), 0, 2).paths
        assert round_once(aside, simple_cycles(Transfer(bare(9, [(7, 8, -6, 1), (8, 7, -6, 1)]))).paths[0]) is None

    def test_what_goes_round_is_told_as_an_echo(self) -> None:
        show = two_rooms()
        show = apply_all(show, tuple(row for party in unsaid(show) for row in wants_by_role(show, party.id)))
        rows = [row for row in analyse(show).findings if row.code in ("own-voice-back", "loop-echoes")]
        assert {row.code for row in rows} == {"own-voice-back", "loop-echoes"}
        echo = next(row for row in rows if row.code == "loop-echoes")
        assert "every 328.0 ms" in echo.message
        assert "60 dB down after 10 rounds, 3.280 s" in echo.message, "10 x 6.2 dB, 10 x 328 ms"

    def test_a_short_circle_as_weak_only_colours(self) -> None:
        """Ten decibels in hand: at 5 ms it colours by 3 dB, which the margin lets pass; at 200 ms every word comes again."""
        for delay, told in ((5.0, False), (200.0, True)):
            analysis = _with(bare(3, [(0, 1, 0, 0), (1, 2, 0, 0), (2, 1, -10, delay)]))
            assert [row.code for row in circles(analysis)] == (["loop-echoes"] if told else [])


class TestCircles:
    @given(st.floats(-30, -1.5), st.floats(0.5, 200))
    @settings(max_examples=tries(16))
    def test_one_circle_together_is_its_gain(self, gain: float, delay: float) -> None:
        analysis = _with(bare(3, [(0, 1, gain, delay), (1, 0, 0.0, 1.0), (1, 2, 0.0, 0.0)]))
        got = together(analysis)
        assert got is not None
        assert got.value == pytest.approx(gain, abs=1e-6)

    def test_two_circles_that_are_fine_alone_are_not_together(self) -> None:
        """Two loops of 0.44 through one point come back as 0.88, 1.1 dB below howling, though each has 7.1 dB in hand."""
        g = 20 * math.log10(0.44)
        analysis = _with(bare(3, [(0, 1, g, 5.0), (1, 0, 0.0, 0.0), (0, 2, g, 7.0), (2, 0, 0.0, 0.0)]))
        got = together(analysis)
        assert got is not None
        assert got.value == pytest.approx(20 * math.log10(0.88), abs=1e-9)
        assert all(row.gain_db == pytest.approx(g) for row in simple_cycles(analysis.transfer).paths)

    def test_at_howling_there_is_no_figure(self) -> None:
        assert together(_with(bare(2, [(0, 1, 0.0, 1.0), (1, 0, 0.0, 1.0)]))) is None
        assert together(_with(bare(2, [(0, 1, 0.0, 1.0)]))) is None

    def test_what_a_circle_does_to_what_goes_through(self) -> None:
        """g = 0.5: 1 / (1 - g) is +6.02 dB at the comb, 1 / (1 + g) is -3.52 dB between."""
        show = two_desks(a={"in5>send1": {"on": True}}, b={"in5>send1": {"on": True, "gain_db": -6.0206}})
        circle = loops_of(analyse(show))[0]
        g = 10 ** (-circle.gain_margin_db / 20)
        assert circle.peak_db == pytest.approx(-20 * math.log10(1 - g))
        assert circle.dip_db == pytest.approx(-20 * math.log10(1 + g))

    def test_left_and_right_of_one_way_are_told_once(self, demo: Show) -> None:
        """The software's monitor mix back into the desk, whose main outs go into inputs 1 and 2 of the interface: two ways round,
        each with its left and its right.
        """
        fader = SetValue(SettingRef("desk", "usb-in", "fader_db"), -10.0)
        analysis = analyse(apply_all(demo, (Plug(Cable(source="mixer.mon", target="desk.usb-in")), fader)))
        listed = loops_of(analysis)
        assert len(analysis.circles.paths) == 2 * len(listed) == 4
        assert len({(round(row.gain_margin_db, 2), round(row.path.delay_ms, 2)) for row in listed}) == len(listed)
        assert [row.gain_margin_db for row in listed] == sorted(row.gain_margin_db for row in listed)


def _with(graph: SignalGraph) -> Report:
    """An analysis of a bare graph, for what asks its transfer only."""
    show = Show()
    empty = analyse(show)
    return Report(show, empty.catalogue, graph, Transfer(graph), {})


@st.composite
def graphs(draw: st.DrawFn) -> SignalGraph:
    """Up to six points, with loops that die away."""
    count = draw(st.integers(3, 6))
    edges = []
    for _ in range(draw(st.integers(3, 8))):
        a, b = draw(st.integers(0, count - 1)), draw(st.integers(0, count - 1))
        back = b <= a
        edges.append((a, b, draw(st.floats(-40, -24 if back else 3)), round(draw(st.floats(0.1, 9)), 2)))
    return bare(count, edges)


@given(graphs())
@settings(max_examples=tries(20))
def test_the_response_is_the_transform_of_the_impulse(graph: SignalGraph) -> None:
    """H(f) of the solve against the sum of a e^(-j w t) over every arrival of an impulse followed through the graph in time."""
    transfer = Transfer(graph)
    target = len(graph.nodes) - 1
    if transfer.stability.radius > 0.7 or target == 0:
        return
    frequencies = np.array([53.0, 440.0, 1000.0, 3170.0])
    # What is too weak to be followed adds up too: all amplitudes together, less those that were followed, bound it.
    times, amplitudes = impulse_arrivals(graph, 0, target, until_ms=2000, below_db=-110)
    by_time = (amplitudes * np.exp(-2j * np.pi * np.outer(frequencies, times / 1000))).sum(axis=1)
    gains = np.zeros((len(graph.nodes), len(graph.nodes)))
    for edge in graph.edges:
        gains[edge.target, edge.source] += 10 ** (edge.gain_db / 20)
    everything = np.linalg.inv(np.eye(len(gains)) - gains)[target, 0]
    left_out = everything - np.abs(amplitudes).sum()
    assert -1e-9 <= left_out <= 0.02 * everything
    assert np.abs(by_time - transfer.response(0, target, frequencies)).max() <= left_out + 1e-9


class TestCombined:
    def test_comb_figures_of_the_demo(self, demo_analysis: Report) -> None:
        """Two arrivals 5.33 ms apart and 2 dB different: notches at 1 / 2t, 3 / 2t, 5 / 2t; +5.1 dB and -13.7 dB against the first."""
        feed = demo_analysis.feeds["stream", "mira"]
        first, second = feed.arrivals[:2]
        notch, peak, dip = comb(first.delay_ms, second.delay_ms, first.gain_db - second.gain_db)
        got = combined(demo_analysis, feed)
        assert got is not None
        assert got.notches_hz == pytest.approx((notch, 3 * notch, 5 * notch), rel=0.01)
        # Bleed of her voice by the others' microphones ripples on top of it.
        assert got.ripple.value == pytest.approx(peak - dip, abs=4)

    def test_one_way_is_flat(self, demo_analysis: Report) -> None:
        got = combined(demo_analysis, demo_analysis.feeds["ferry", "jingles"])
        assert got is not None
        assert got.ripple.value < 0.5
        assert got.notches_hz == ()

    def test_no_way_and_howling_have_none(self) -> None:
        on = {"in5>send1": {"on": True, "gain_db": 4}}
        analysis = analyse(two_desks(a=on, b=on))
        assert any(feed.unstable for feed in analysis.feeds.values())
        for feed in analysis.feeds.values():
            if feed.unstable or feed.path is None:
                assert combined(analysis, feed) is None


class TestSentences:
    def test_the_demo(self, demo_analysis: Report) -> None:
        text = listener_sentence(demo_analysis, "ferry")
        assert text.startswith("Ferry hears itself 164.1 ms late; Mira, Tam, Ilse, Lighthouse and Jingles;")
        assert "(Ilse 13.9 dB too quiet)" in text

    def test_nothing_comes(self) -> None:
        assert listener_sentence(analyse(studio("desk-8", 1)), "far1") == "Far 1 hears nothing."

    def test_missing_is_said(self) -> None:
        wants = [{"listener": "far1", "voice": "host", "want": "hear"}]
        text = listener_sentence(analyse(studio("desk-8", 1, wants=wants)), "far1")
        assert text == "Far 1 hears nothing, and should hear Host."


def person(kind: str, name: str = "x") -> Party:
    return Party(id=name, name=name, kind=kind, speaks=True, listens=True)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("listener", "voice", "want", "gain"),
    [
        ("remote", "guest", "hear", 0),
        ("remote", "player", "hear", -6),
        ("remote", "crowd", "any", -10),
        ("guest", "remote", "hear", 0),
        ("audience", "crowd", "hear", -10),
        ("audience", "crew", "never", 0),
        ("recorder", "player", "hear", 0),
        ("crew", "crew", "hear", 0),
        ("crew", "guest", "any", 0),
        ("presenter", "crew", "any", 0),
    ],
)
def test_what_goes_by_the_role(listener: str, voice: str, want: str, gain: float) -> None:
    """Common practice: remote all but itself, audience the programme and never the talkback, crew the talkback."""
    row = role_want(person(listener, "a"), person(voice, "b"))
    assert (row.want, row.gain_db) == (want, gain)


def test_itself_by_the_role() -> None:
    far, near = person("remote"), person("guest")
    assert role_want(far, far).want == "never"
    assert role_want(near, near).want == "local"


class TestRules:
    def test_circles_that_only_howl_together_are_told_so(self) -> None:
        """A program's monitor mix back into the desk that feeds it by two sides and, a second time, by a monitor mix."""
        from kymaphon.core.model.edits import Plug
        from kymaphon.core.model.show import Cable
        from kymaphon.files.demo import demo_path
        from kymaphon.files.show_file import read_show

        fader = SetValue(SettingRef("desk", "usb-in", "fader_db"), -10.0)
        show = apply_all(read_show(demo_path()), (Plug(Cable(source="mixer.mon", target="desk.usb-in")), fader))
        (row,) = of_code(show, "loop-howls")
        assert "loops howl together, though the strongest alone has a gain margin of 4.3 dB" in row.message
        assert row.severity == "stop"
        assert not of_code(row.remedies[0].apply(show), "loop-howls")

    def test_wants_that_nobody_said(self) -> None:
        show = studio("desk-8", 1)
        (row,) = of_code(show, "wants-not-said")
        assert set(row.subjects) == {"host", "stream", "far1"}
        done = row.remedies[0].apply(show)
        assert not of_code(done, "wants-not-said")
        assert of_code(done, "wants-by-role") == []
        assert wants_by_role(done) == ()

    def test_own_voice_says_where_it_turns_round(self, demo: Show) -> None:
        (row,) = of_code(demo, "own-voice-back")
        assert "turns round in Desk (Boathouse studio), channel 5 to send 1" in row.message

    def test_the_monitor_mix_is_named_as_the_cause(self, demo: Show) -> None:
        (row,) = of_code(demo, "arrives-twice")
        assert "Interface offers Software mixer its computer inputs 3 and 4 beside the inputs" in row.message

    def test_a_weak_monitor_mix_beside_the_inputs_is_a_note(self, demo: Show) -> None:
        """Turned down until the second arrival is let pass, it is still there and moves with a knob."""
        refs = [SettingRef("interface", key, "gain_db") for key in ("in1>monitor", "in2>monitor")]
        show = apply_all(demo, tuple(SetValue(ref, -14.0) for ref in refs))
        assert not of_code(show, "arrives-twice")
        rows = of_code(show, "mix-offered-twice")
        assert rows
        assert rows[0].severity == "note"
        assert rows[0].remedies
        assert not of_code(rows[0].remedies[0].apply(show), "mix-offered-twice")

    @pytest.mark.parametrize("gain_db", [8.0, 11.0])
    def test_weak_ways_of_one_length_are_a_second_arrival_together(self, demo: Show, gain_db: float) -> None:
        """The right side turned up: there the monitor mix comes by two ways 13 and 18 dB down, and both at once make 9."""
        show = apply_all(demo, (SetValue(SettingRef("mixer", "in2", "gain_db"), gain_db),))
        rows = of_code(show, "arrives-twice")
        assert rows
        for row in rows:
            for remedy in row.remedies:
                after = analyse(remedy.apply(show))
                assert not [pair for pair in row.pairs if after.feeds[pair].verdict == "twice"], remedy.label

    def test_a_double_by_somebody_elses_microphone_is_for_cast(self) -> None:
        """Two talkers 40 cm apart: each is in the other's microphone, and no switch parts them without taking one of them away."""
        people = [
            {
                "id": name,
                "name": name.title(),
                "kind": "guest",
                "place": "studio",
                "at_m": [x, 1],
                "faces_deg": 90,
                "speaks": True,
            }
            for name, x in (("ann", 1.0), ("ben", 1.4))
        ]
        tape = {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"}
        wants = [{"listener": "tape", "voice": name, "want": "hear"} for name in ("ann", "ben")]
        show = rig(
            [
                dev("m1", "condenser-broad", party="ann", at_m=[1.0, 1.3]),
                dev("m2", "condenser-broad", party="ben", at_m=[1.4, 1.3]),
                dev(
                    "face",
                    "interface-2-plain",
                    settings={"in1": {"gain_db": 40, "phantom": True}, "in2": {"gain_db": 40, "phantom": True}},
                ),
                dev("rec", "recorder"),
            ],
            [wire("m1.out", "face.in1"), wire("m2.out", "face.in2"), wire("face.usb", "rec.in")],
            [*people, tape],
            wants=wants,
        )
        rows = of_code(show, "arrives-twice")
        assert rows
        assert all("comes by somebody else's microphone: that is for Cast" in row.message for row in rows)
        assert all(row.remedies == () for row in rows)

    def test_a_circle_round_the_computer_is_called_that(self) -> None:
        """A desk whose USB pair goes into a program, and whose program's monitor comes back into the desk's main mix."""
        show = rig(
            [
                dev("mic", "dynamic-close", at_m=[1.15, 1]),
                dev("desk", "desk-8", host="pc", settings={"in1": {"gain_db": 50}, "usb-in": {"fader_db": 0}}),
                dev("pc", "laptop"),
                dev("mixer", "soft-mixer", host="pc"),
            ],
            [wire("mic.out", "desk.in1"), wire("desk.usb", "mixer.in5"), wire("mixer.mon", "desk.usb-in")],
        )
        rows = [row for row in analyse(show).findings if row.code.startswith("loop-")]
        assert rows
        assert "round the computer" in rows[0].message

    def remote_room(self, **more: Any) -> Show:
        """A guest far away who listens on a loudspeaker, by a call app whose echo control may be on."""
        places = [STUDIO, {"id": "far", "name": "Far room", "size_m": [4, 4], "ambient_dba": 35}]
        parties = [
            {
                "id": "mira",
                "name": "Mira",
                "kind": "presenter",
                "place": "studio",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
                "hears_on": "ears",
            },
            {
                "id": "joss",
                "name": "Joss",
                "kind": "remote",
                "place": "far",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
            },
        ]
        devices = [
            dev("mic", "dynamic-close", at_m=[1.15, 1]),
            dev("ears", "headphones"),
            dev("desk", "desk-8", settings={"in1": {"gain_db": 60}, "in5": {"gain_db": 20}, "in1>send1": {"on": True}}),
            {
                "id": "app",
                "kind": "conference-app",
                "place": "far",
                "settings": {"rider": {"on": False}, **more.get("app", {})},
            },
            {"id": "far-mic", "kind": "condenser-broad", "place": "far", "at_m": [1.2, 1], "party": "joss"},
            {
                "id": "box",
                "kind": "interface-2",
                "place": "far",
                "settings": {"in1": {"gain_db": 50, "phantom": True}, "in1>monitor": {"on": False}},
            },
            {"id": "speaker", "kind": "loudspeaker", "place": "far", "at_m": [1.6, 1.2]},
            {
                "id": "face",
                "kind": "interface-2",
                "place": "studio",
                "settings": {"in1": {"gain_db": 10}, "in1>monitor": {"on": False}},
            },
            dev("app-here", "conference-app", settings={"rider": {"on": False}}),
        ]
        cables = [
            wire("mic.out", "desk.in1"),
            wire("desk.phones", "ears.in"),
            wire("desk.send1", "face.in1"),
            wire("face.usb1", "app-here.mic"),
            wire("app-here.far", "app.far-in"),
            wire("app.out", "box.usb-in"),
            wire("box.phones.l", "speaker.in"),
            wire("far-mic.out", "box.in1"),
            wire("box.usb1", "app.mic"),
            wire("app.far", "app-here.far-in"),
            wire("app-here.out", "face.usb-in"),
            wire("face.phones.l", "desk.in5"),
        ]
        return rig(devices, cables, parties, places=places)

    def test_somebody_far_away_on_a_loudspeaker(self) -> None:
        show = self.remote_room()
        rows = of_code(show, "remote-on-loudspeaker")
        assert [row.subjects for row in rows] == [("joss",)]
        assert rows[0].severity == "note"
        assert "leave it on" in rows[0].message
        off = self.remote_room(app={"echo": {"on": False}})
        (row,) = of_code(off, "remote-on-loudspeaker")
        assert row.severity == "fix"
        assert row.remedies[0].id == "echo-on"
        assert of_code(row.remedies[0].apply(off), "remote-on-loudspeaker")[0].severity == "note"

    def test_an_echo_that_is_controlled_is_no_stop(self) -> None:
        controlled, not_so = (
            {row.severity for row in of_code(self.remote_room(app=row), "own-voice-back")}
            for row in ({}, {"echo": {"on": False}})
        )
        assert controlled == {"note"}
        assert not_so == {"stop"}

    def muting(self, **party: Any) -> Show:
        place = {**STUDIO, "speakers_mute": True}
        people = [
            {"id": "mira", "name": "Mira", "kind": "presenter", "place": "studio", "at_m": [1, 1], "speaks": True},
            {
                "id": "ada",
                "name": "Ada",
                "kind": "guest",
                "place": "studio",
                "at_m": [3, 1],
                "speaks": False,
                "listens": True,
                **party,
            },
            {"id": "tape", "name": "Tape", "kind": "recorder", "listens": True, "hears_on": "rec"},
        ]
        return rig(
            [
                dev("mic", "dynamic-close", at_m=[1.15, 1]),
                dev("face", "interface-2-plain"),
                dev("rec", "recorder"),
                dev("speaker", "loudspeaker", at_m=[2, 2]),
            ],
            [wire("mic.out", "face.in1"), wire("face.usb", "rec.in"), wire("face.phones.l", "speaker.in")],
            people,
            places=[place],
        )

    def test_muted_loudspeakers_leave_nobody_without_ears(self) -> None:
        """Common practice of studios: an open microphone mutes the loudspeakers, so everyone is on headphones."""
        show = self.muting()
        (row,) = of_code(show, "speakers-muted")
        assert row.subjects == ("studio", "ada")
        done = row.remedies[0].apply(show)
        assert done.party("ada").hears_on == "phones-ada"
        assert not of_code(done, "speakers-muted")

    def test_muted_loudspeakers_do_not_reach_the_microphone(self) -> None:
        show = self.muting()
        open_air = show.model_copy(update={"places": (show.places[0].with_(speakers_mute=False),)})
        counts = [
            sum(edge.on and edge.kind is EdgeKind.LOUDSPEAKER for edge in analyse(row).graph.edges)
            for row in (show, open_air)
        ]
        assert counts == [0, 1]

    def test_talkback_has_to_stand_over_the_programme(self) -> None:
        """One talkback voice and one programme voice at the same level: 0 dB over, 6 wanted; dimmed by 20 it is 20 over."""
        people = [
            {"id": "mira", "name": "Mira", "kind": "presenter", "place": "studio", "at_m": [1, 1], "speaks": True},
            {"id": "chief", "name": "Chief", "kind": "crew", "place": "studio", "at_m": [5, 4], "speaks": True},
            {"id": "cam", "name": "Camera", "kind": "crew", "listens": True, "hears_on": "ears"},
        ]
        show = rig(
            [
                dev("m1", "dynamic-close", party="mira", at_m=[1.15, 1]),
                dev("m2", "dynamic-close", party="chief", at_m=[5.15, 4]),
                dev("desk", "desk-8", settings={"in1": {"gain_db": 50}, "in2": {"gain_db": 50}}),
                {"id": "ears", "kind": "headphones"},
            ],
            [wire("m1.out", "desk.in1"), wire("m2.out", "desk.in2"), wire("desk.phones", "ears.in")],
            people,
            wants=[{"listener": "cam", "voice": "chief", "want": "hear"}],
        )
        (row,) = of_code(show, "talkback-under")
        assert row.figures[0].value == pytest.approx(0, abs=0.2)
        assert row.remedies[0].edits == (SetField("parties", "cam", "dim_db", 20.0),)
        assert not of_code(row.remedies[0].apply(show), "talkback-under")


def test_the_demo_is_repaired_by_remedies_alone(demo: Show) -> None:
    """From its faulty to a clean routing by pressing what the findings of Feeds offer, and by the plan alike."""
    show = demo
    for _ in range(6):
        rows = [row for row in analyse(show).findings if row.stage == "Feeds" and row.severity != "note"]
        if not rows:
            break
        show = rows[0].remedies[0].apply(show)
    by_remedies = analyse(show)
    assert not [row for row in by_remedies.findings if row.stage == "Feeds" and row.severity != "note"]
    planned = plan_feeds(demo, by_remedies.catalogue)
    verdicts = {key: feed.verdict for key, feed in planned.after.feeds.items()}
    assert verdicts == {key: feed.verdict for key, feed in by_remedies.feeds.items()}


def test_what_is_wanted_is_not_left_to_other_peoples_microphones(demo: Show) -> None:
    """With Mira's and the ferry's gains up, her voice off the lighthouse's send would still come there: by Ilse's microphone, and weaker,
    late, by the ferry's telephone. That is no hearing of hers, and no remedy may come to it.
    """
    gains = {"in1": 55.0, "in5": 19.0}
    show = apply_all(demo, tuple(SetValue(SettingRef("desk", key, "gain_db"), value) for key, value in gains.items()))
    analysis = analyse(show)
    kept = {
        key for key, feed in analysis.feeds.items() if feed.asked and feed.want == "hear" and feed.verdict != "missing"
    }
    rows = [row for row in analysis.findings if row.code == "arrives-twice"]
    assert ("lighthouse", "ilse") in {pair for row in rows for pair in row.pairs}
    for row in rows:
        for remedy in row.remedies:
            after = without_rules(remedy.apply(show), analysis.catalogue)
            assert not [key for key in kept if after.feeds[key].verdict == "missing"], remedy.label
