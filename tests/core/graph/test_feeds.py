"""Who hears whom, by hand on two desks that feed each other, and on the demo."""

from __future__ import annotations

import math

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.graph.routing import echo_class, second_arrival, total_gain_db
from kymaphon.core.model.edits import SetValue, SetWant, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show
from tests.conftest import two_desks

LOOP = {"in5>send1": {"on": True}}


def codes(analysis: Report) -> set[str]:
    return {row.code for row in analysis.findings}


def finding(analysis: Report, code: str) -> Finding:
    return next(row for row in analysis.findings if row.code == code)


class TestTwoDesks:
    """Two desks feeding each other, from the practice of mix-minus: both ends cut, one end cut, none cut. By hand calculation."""

    def test_both_ends_send_back_and_it_howls(self) -> None:
        """0 dB sends, unity line inputs, converters in line: the loop is lossless but for loading, and the return has +gain to spare."""
        lifted = {**LOOP, "in5": {"gain_db": 3}}
        analysis = analyse(two_desks(a=lifted, b=lifted))
        circle = finding(analysis, "loop-howls")
        assert circle.severity == "stop"
        worst = analysis.circles.paths[0]
        loading = 20 * math.log10(20000 / 20120)
        assert worst.gain_db == pytest.approx(2 * 3 + 4 * loading)
        assert worst.delay_ms == pytest.approx(4 * 82)
        assert all(feed.unstable for feed in analysis.feeds.values() if feed.voice != feed.listener and feed.path)

    def test_the_remedy_opens_the_circle_and_keeps_the_wants(self) -> None:
        lifted = {**LOOP, "in5": {"gain_db": 3}}
        show = apply_all(
            two_desks(a=lifted, b=lifted),
            tuple(SetWant(f"talker-{a}", f"talker-{b}", "hear") for a, b in (("a", "b"), ("b", "a"))),
        )
        mended = finding(analyse(show), "loop-howls").remedies[0].apply(show)
        after = analyse(mended)
        assert not {"loop-howls", "loop-rings"} & codes(after)
        assert after.feeds["talker-a", "talker-b"].gain_db is not None
        assert after.feeds["talker-b", "talker-a"].gain_db is not None

    def test_one_end_cut_leaves_the_echo_of_the_round_trip(self) -> None:
        """b still sends a's voice back: a hears itself after four codec passes of 82 ms less none: two there, two back."""
        analysis = analyse(two_desks(b=LOOP))
        assert "loop-howls" not in codes(analysis)
        own = [arrival for arrival in analysis.arrivals("talker-a", "talker-a") if arrival.delay_ms > 1]
        assert own[0].delay_ms == pytest.approx(4 * 82 + 0.437, abs=0.01)
        feed = analysis.feeds["talker-a", "talker-a"]
        assert feed.verdict == "back", "the echo counts although the same ears hear the voice at once as well"
        assert feed.delay_ms == pytest.approx(own[0].delay_ms)
        row = next(row for row in analysis.findings if row.code == "own-voice-back")
        assert row.severity == "stop"
        assert row.subjects == ("talker-a",)
        assert "own-voice-back" not in {row.code for row in analysis.findings if row.subjects == ("talker-b",)}

    def test_the_cure_keeps_the_voice_that_is_heard_at_once(self) -> None:
        """Mix-plus: own voice added locally stays, the round trip goes; the switch is at the far end, where the mix is made."""
        show = SetWant("talker-a", "talker-a", "local").apply(two_desks(b=LOOP, a={"phones-knob": {"gain_db": -10}}))
        remedy = next(row for row in analyse(show).findings if row.code == "own-voice-back").remedies[0]
        assert remedy.edits == (SetValue(SettingRef("desk-b", "in5>send1", "on"), False),)
        after = analyse(remedy.apply(show)).feeds["talker-a", "talker-a"]
        assert after.verdict == "local"
        assert after.delay_ms == pytest.approx(0.437, abs=0.01)

    def test_both_ends_cut_leave_neither(self) -> None:
        analysis = analyse(two_desks())
        assert not {"loop-howls", "loop-rings", "own-voice-back"} & codes(analysis)
        for name in ("a", "b"):
            late = [
                arrival for arrival in analysis.arrivals(f"talker-{name}", f"talker-{name}") if arrival.delay_ms > 1
            ]
            assert all(
                arrival.gain_db < analysis.arrivals(f"talker-{name}", f"talker-{name}")[0].gain_db - 40
                for arrival in late
            )

    def test_own_voice_is_local_and_at_once(self) -> None:
        feed = analyse(two_desks()).feeds["talker-a", "talker-a"]
        assert feed.verdict in ("local", "silent")
        assert feed.delay_ms == pytest.approx(0.437, abs=0.01)

    def test_across_takes_two_codecs(self) -> None:
        assert analyse(two_desks()).feeds["talker-a", "talker-b"].delay_ms == pytest.approx(164.437, abs=0.01)


class TestResponse:
    def test_total_is_the_mean_power_of_the_direct_solve(self, demo_analysis: Report) -> None:
        """The total over all ways against H(f) = (I - A)^-1, averaged over many frequencies of the speech band."""
        transfer, graph = demo_analysis.transfer, demo_analysis.graph
        frequencies = np.linspace(100, 8000, 6001)
        for key in (("stream", "mira"), ("podcast", "tam"), ("ferry", "ferry"), ("mira", "ferry")):
            feed = demo_analysis.feeds[key]
            mouth, level = graph.mouths[feed.voice]
            response = transfer.response(mouth, feed.node, frequencies)
            mean_db = 10 * math.log10(np.mean(np.abs(response) ** 2))
            # Bleed a few milliseconds late is not quite out of step on average over so narrow a band.
            assert feed.level_db - level.value == pytest.approx(mean_db, abs=0.2)

    def test_the_twice_heard_pair_has_its_notch_where_the_finding_says(self, demo: Show) -> None:
        """With the other channels shut: their bleed would fill the notch, or deepen it."""
        shut = [SetValue(SettingRef("desk", f"in{n}", "mute"), True) for n in (2, 3, 4)]
        demo_analysis = analyse(apply_all(demo, tuple(shut)))
        first, second = demo_analysis.arrivals("stream", "mira")[:2]
        notch = 1000 / (2 * (second.delay_ms - first.delay_ms))
        assert notch == pytest.approx(93.75, abs=0.01)
        feed = demo_analysis.feeds["stream", "mira"]
        mouth = demo_analysis.graph.mouths["mira"][0]
        near = np.linspace(notch * 0.9, notch * 1.1, 401)
        response = np.abs(demo_analysis.transfer.response(mouth, feed.node, near))
        assert near[int(response.argmin())] == pytest.approx(notch, rel=0.01)
        assert 20 * math.log10(response.min()) - first.gain_db == pytest.approx(-13.74, abs=0.3)

    def test_an_impulse_through_the_graph_arrives_when_and_as_strong_as_listed(self, demo_analysis: Report) -> None:
        """The inverse transform of the response has its two strongest taps at the two arrivals."""
        feed = demo_analysis.feeds["podcast", "mira"]
        mouth = demo_analysis.graph.mouths["mira"][0]
        count, rate = 8192, 192000
        response = demo_analysis.transfer.response(mouth, feed.node, np.fft.rfftfreq(count, 1 / rate))
        impulse = np.abs(np.fft.irfft(response, count))
        for arrival in demo_analysis.arrivals("podcast", "mira")[:2]:
            place = round(arrival.delay_ms / 1000 * rate)
            energy = np.sqrt(np.sum(impulse[place - 40 : place + 41] ** 2))
            assert 20 * math.log10(energy) == pytest.approx(arrival.gain_db, abs=1.0)


class TestDemo:
    def test_the_two_faults_are_found_with_their_figures(self, demo_analysis: Report) -> None:
        bad = {row.code for row in demo_analysis.findings if row.severity != "note" and row.stage == "Feeds"}
        assert bad == {"own-voice-back", "arrives-twice"}
        back = finding(demo_analysis, "own-voice-back")
        assert back.severity == "stop"
        assert back.subjects == ("ferry",)
        assert {row.name: row.value for row in back.figures}["delay"] == pytest.approx(2 * 82 + 0.146, abs=0.01)
        twice = finding(demo_analysis, "arrives-twice")
        assert {row.name: row.value for row in twice.figures}["apart"] == pytest.approx(256 / 48)
        assert {row.name: row.value for row in twice.figures}["difference"] == pytest.approx(2.0)
        assert len(twice.pairs) == 3 * 8

    def test_each_remedy_removes_its_fault_and_nothing_wanted(self, demo: Show, demo_analysis: Report) -> None:
        wanted = {key for key, feed in demo_analysis.feeds.items() if feed.want == "hear"}
        for code in ("own-voice-back", "arrives-twice"):
            for remedy in finding(demo_analysis, code).remedies:
                after = analyse(remedy.apply(demo))
                assert code not in codes(after)
                assert all(after.feeds[key].gain_db is not None for key in wanted)

    def test_the_repaired_copy_is_clean(self, repaired: Show) -> None:
        analysis = analyse(repaired)
        assert {row.severity for row in analysis.findings} <= {"note"}
        assert all(feed.well for feed in analysis.feeds.values())

    def test_an_analysis_is_pure(self, demo: Show) -> None:
        first, second = analyse(demo), analyse(demo)
        assert [row.to_json() for row in first.findings] == [row.to_json() for row in second.findings]

    def test_levels_on_screen_add_up(self, demo_analysis: Report) -> None:
        for feed in demo_analysis.feeds.values():
            explained = demo_analysis.explain_feed(feed)
            if explained is None or feed.twice:
                continue
            level, delay = explained
            assert level.value == pytest.approx(feed.gain_db, abs=0.1)
            assert delay.value == pytest.approx(feed.delay_ms)


class TestWants:
    def test_wanted_and_cut_is_told_with_the_switch_that_brings_it_back(self, repaired: Show) -> None:
        ref = SettingRef("desk", "in1>send1", "on")
        show = SetValue(ref, False).apply(repaired)
        row = finding(analyse(show), "wanted-not-heard")
        assert row.subjects == ("ferry", "mira")
        assert row.remedies[0].edits == (SetValue(ref, True),)
        assert not [x for x in analyse(row.remedies[0].apply(show)).findings if x.severity != "note"]

    def test_a_muted_channel_is_named_as_the_reason_to_unmute(self, repaired: Show) -> None:
        show = SetValue(SettingRef("desk", "in2", "mute"), True).apply(repaired)
        rows = [x for x in analyse(show).findings if x.code == "wanted-not-heard"]
        assert {x.subjects for x in rows} == {
            (listener, "tam") for listener in ("mira", "ilse", "ferry", "lighthouse", "stream", "station", "podcast")
        }
        assert rows[0].remedies[0].label.startswith("Unmute")

    def test_the_remedy_never_brings_an_echo(self, repaired: Show) -> None:
        """Ferry wants itself, which only the send could bring, late: no switch is offered."""
        show = SetWant("ferry", "ferry", "hear").apply(repaired)
        row = finding(analyse(show), "wanted-not-heard")
        assert not row.remedies

    def test_heard_and_must_not(self, repaired: Show) -> None:
        show = SetWant("ferry", "jingles", "never").apply(repaired)
        row = finding(analyse(show), "heard-unwanted")
        after = analyse(row.remedies[0].apply(show))
        assert after.feeds["ferry", "jingles"].verdict == "silent"
        assert len(row.remedies[0].edits) == 2, "left and right of the player have a channel each"

    def test_when_a_want_stands_in_the_way_it_is_named(self, repaired: Show) -> None:
        """Stream must not hear Mira while podcast, on the same output, must: impossible here, and said."""
        show = SetWant("stream", "mira", "never").apply(repaired)
        row = finding(analyse(show), "heard-unwanted")
        assert not row.remedies
        assert "would lose" in row.message

    def test_too_quiet_is_a_note(self, repaired: Show) -> None:
        show = SetValue(SettingRef("desk", "in1>send1", "gain_db"), -9.0).apply(repaired)
        row = finding(analyse(show), "heard-too-quiet")
        assert row.severity == "note"
        before = analyse(repaired).feeds["ferry", "mira"].gain_db
        assert {x.name: x.value for x in row.figures}["off"] == pytest.approx(before - 9, abs=1.0), (
            "bleed fills in a little"
        )

    def test_too_late_for_conversation(self, repaired: Show) -> None:
        slow = repaired.with_(
            devices=[device.with_(settings={}) if device.id != "desk" else device for device in repaired.devices]
        )
        assert "one-way-late" not in codes(analyse(slow))
        lapel = two_desks()
        chain = [cable for cable in lapel.cables if not cable.source.endswith("far-out")]
        extra = [{"id": f"hop-{i}", "kind": "call-codec"} for i in range(4)]
        hops = [{"from": "codec-b.far-out", "to": "hop-0.far-in"}]
        hops += [{"from": f"hop-{i}.near-out", "to": f"hop-{i + 1}.near-in"} for i in (0, 2)]
        hops += [
            {"from": "hop-1.far-out", "to": "hop-2.far-in"},
            {"from": "hop-3.far-out", "to": "codec-a.far-in"},
        ]
        far = lapel.with_(devices=(*lapel.devices, *extra), cables=(*chain, *hops))
        show = SetWant("talker-a", "talker-b", "hear").apply(far)
        row = finding(analyse(show), "one-way-late")
        assert {x.name: x.value for x in row.figures}["delay"] == pytest.approx(6 * 82, abs=1)


class TestPanTrick:
    """On a desk with too few sends the pan pot is a router: what is panned right is not in the left (common practice)."""

    def test_hard_right_is_not_left(self, repaired: Show) -> None:
        right = SetValue(SettingRef("desk", "in1", "pan"), 1.0).apply(repaired)
        graph = analyse(right).graph
        left = next(
            edge
            for edge in graph.edges
            if graph.nodes[edge.source].id == "desk.in1:post" and graph.nodes[edge.target].id == "desk.main.l:mix"
        )
        assert not left.on
        assert left.broken == "panned to the other side"

    def test_centre_is_three_db_down_each_side(self, demo_analysis: Report) -> None:
        graph = demo_analysis.graph
        edges = [
            edge
            for edge in graph.edges
            if graph.nodes[edge.source].id == "desk.in1:post" and "main" in graph.nodes[edge.target].id
        ]
        assert [edge.gain_db for edge in edges] == pytest.approx([-3.01, -3.01], abs=0.005)


@pytest.mark.parametrize(
    ("delay", "kind"),
    [(0.5, "colours"), (5, "hollow"), (20, "blurred"), (60, "echo"), (149, "echo"), (200, "stops")],
)
def test_what_a_delay_does(delay: float, kind: str) -> None:
    """Haas 1951 and Lee 1950, as the reference classes them."""
    assert echo_class(delay) == kind


def test_equal_delays_add_in_step(demo_analysis: Report) -> None:
    arrivals = demo_analysis.arrivals("ferry", "jingles")
    assert second_arrival(arrivals) is None
    listed = sum(10 ** (path.gain_db / 10) for arrival in arrivals for path in arrival.paths)
    assert total_gain_db(listed, arrivals) >= arrivals[0].gain_db - 1e-9
