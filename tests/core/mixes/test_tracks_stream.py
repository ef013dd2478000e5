"""Tracks by the file format's limit and by who is alone where; the stream's budget by the trade's figures."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.mixes.alone import outlets
from kymaphon.core.mixes.stream import delays, stream_budget
from kymaphon.core.mixes.tracks import duration, file_limit, slug, track_plan
from kymaphon.core.model.delivery import Recording, Streaming
from kymaphon.core.model.edits import AddRow, Plug, apply_all
from kymaphon.core.model.show import Show
from tests.core.mixes.rooms import usb_desk
from tests.core.rigs import TAPE, dev, rig, wire

NOON = datetime(2026, 11, 27, 12, 5, tzinfo=UTC)


def two_people(recorder: str = "multitrack", **more: object) -> Show:
    """Two talkers side by side on an interface whose two channels go to a recorder in the same computer."""
    people = [
        {"id": "ann", "name": "Ann", "kind": "presenter", "place": "studio", "at_m": [1, 1], "speaks": True},
        {"id": "ben", "name": "Ben", "kind": "guest", "place": "studio", "at_m": [3, 1], "speaks": True},
    ]
    tape = {**TAPE, "hears_on": "rec"}
    into = [wire("face.usb1", "rec.in1"), wire("face.usb2", "rec.in2")] if recorder == "multitrack" else []
    return rig(
        [
            dev("m1", "dynamic-close", party="ann", at_m=[1.15, 1]),
            dev("m2", "dynamic-close", party="ben", at_m=[3.15, 1]),
            dev("face", "interface-4", host="pc", settings={"in1": {"gain_db": 55}, "in2": {"gain_db": 55}}),
            dev("pc", "laptop"),
            dev("rec", recorder, host="pc"),
        ],
        [wire("m1.out", "face.in1"), wire("m2.out", "face.in2"), *into],
        [*people, tape],
        **more,
    )


class TestFiles:
    @pytest.mark.parametrize(("channels", "words"), [(2, "4 h 8 min 33 s"), (24, "20 min 42 s")])
    def test_when_a_wav_is_full(self, channels: int, words: str) -> None:
        """RIFF's length field has 32 bits: stereo 48 kHz/24 bit 4 h 8 min 33 s, 24 tracks 20 min 42 s."""
        limit = file_limit(48000, 24, channels)
        assert duration(limit.value) == words
        assert limit.value * 48000 * 3 * channels == pytest.approx(2**32)

    def test_names_have_date_time_number_and_who(self) -> None:
        plan = track_plan(analyse(two_people(title="Quay & Boathouse")), NOON, Recording(way="each"))
        assert [row.file for row in plan.tracks] == [
            "quay-boathouse_2026-11-27_1205_01-ann.wav",
            "quay-boathouse_2026-11-27_1205_02-ben.wav",
        ]

    def test_the_time_of_air_stands_before_that_of_the_clock(self) -> None:
        plan = track_plan(analyse(two_people(air_at="2026-12-01T19:30:00+01:00")), NOON, Recording(way="each"))
        assert "_2026-12-01_1930_" in plan.tracks[0].file

    @pytest.mark.parametrize(
        ("text", "name"),
        [("Mira O\u2019Dell", "mira-o-dell"), ("\u00c9t\u00e9", "ete"), ("\u2603", "track"), ("", "track")],
    )
    def test_names_that_any_disk_takes(self, text: str, name: str) -> None:
        if text.startswith("Mira"):
            text = "Mira O'Dell"
        assert slug(text) == name

    @pytest.mark.parametrize(
        ("seconds", "words"), [(0, "0 s"), (59.9, "59 s"), (14400, "4 h"), (3661, "1 h 1 min 1 s"), (90000, "25 h")]
    )
    def test_durations(self, seconds: float, words: str) -> None:
        assert duration(seconds) == words


class TestSize:
    def test_bytes_by_hand(self) -> None:
        """Two mono tracks of one hour at 48 kHz and 24 bit: 2 x 3600 x 48000 x 3 bytes."""
        plan = track_plan(analyse(two_people()), NOON, Recording(way="each", length_s=3600))
        assert plan.size.value == 2 * 3600 * 48000 * 3
        assert plan.bytes_per_s == 288000

    def test_all_in_one_file_is_full_sooner(self) -> None:
        analysis = analyse(two_people())
        apart, together = (track_plan(analysis, NOON, Recording(way="each", together=row)) for row in (False, True))
        assert apart.limit_s is not None
        assert together.limit_s is not None
        assert apart.limit_s.value == pytest.approx(2 * together.limit_s.value)

    def test_a_long_show_is_told_when_to_stop(self) -> None:
        long = Recording(way="each", length_s=9 * 3600)
        assert any(
            "4 GiB after 8 h 17 min 6 s" in row for row in track_plan(analyse(two_people()), NOON, long).problems
        )
        beyond = long.with_(files="rf64")
        plan = track_plan(analyse(two_people()), NOON, beyond)
        assert plan.limit_s is None
        assert not plan.problems

    def test_a_disk_that_is_too_small(self) -> None:
        """1 GB less a tenth at 288 kB/s lasts 3125 s."""
        how = Recording(way="each", length_s=3600, free_bytes=10**9)
        plan = track_plan(analyse(two_people()), NOON, how)
        assert plan.left_s is not None
        assert plan.left_s.value == pytest.approx(3125)
        assert any("full after 52 min 5 s" in row for row in plan.problems)

    def test_the_length_is_the_rundowns(self) -> None:
        show = two_people(
            rundown=[{"id": "a", "name": "A", "length_s": 600}, {"id": "b", "name": "B", "length_s": 900}]
        )
        assert track_plan(analyse(show), NOON).length_s.value == 1500


class TestWho:
    def test_one_track_a_person_from_inputs_of_their_own(self) -> None:
        plan = track_plan(analyse(two_people()), NOON, Recording(way="each"))
        assert [(row.voices, row.sources, row.into, row.plugged) for row in plan.tracks] == [
            (("ann",), ("face.usb1",), "rec.in1", True),
            (("ben",), ("face.usb2",), "rec.in2", True),
        ]

    def test_bleed_is_told_with_its_figure(self) -> None:
        """What of Ben lies on Ann's track is what of him is in her microphone: the solve at the output says so."""
        analysis = analyse(two_people())
        plan = track_plan(analysis, NOON, Recording(way="each"))
        under = plan.tracks[0].under_db
        node = analysis.graph.index["face.usb1"]
        mouths = analysis.graph.mouths
        power = analysis.transfer.power_from([mouths[name][0] for name in ("ann", "ben")])[node]
        assert under is not None
        assert 10 ** (under / 10) == pytest.approx(power[0] / power[1], rel=1e-6)

    def test_a_track_that_is_not_plugged_gets_a_free_input(self) -> None:
        show = two_people()
        show = show.model_copy(update={"cables": show.cables[:-1]})
        plan = track_plan(analyse(show), NOON, Recording(way="each"))
        assert [row.plugged for row in plan.tracks] == [True, False]
        assert plan.tracks[1].into == "rec.in2"
        done = apply_all(show, plan.edits)
        assert {row.ends for row in done.cables} >= {("face.usb2", "rec.in2")}
        assert [row.source for row in done.tracks] == ["face.usb1", "face.usb2"]

    def test_planned_again_the_tracks_are_replaced_and_others_stay(self) -> None:
        show = two_people(tracks=[{"id": "own", "name": "Own"}])
        once = apply_all(show, track_plan(analyse(show), NOON, Recording(way="each")).edits)
        twice = apply_all(once, track_plan(analyse(once), NOON, Recording(way="each")).edits)
        assert [row.id for row in twice.tracks] == ["own", "plan-1", "plan-2"]

    def test_a_mix_stays_a_mix(self, demo_analysis: Report) -> None:
        plan = track_plan(demo_analysis, NOON)
        assert len(plan.tracks) == 1
        assert plan.tracks[0].plugged
        assert len(plan.tracks[0].voices) == 8
        assert "what is wrong in it stays wrong" in plan.stays[0]
        assert "Mira at Mira's microphone" in plan.stays[1]

    def test_one_track_a_person_where_it_cannot_be_had(self, demo_analysis: Report) -> None:
        plan = track_plan(demo_analysis, NOON, Recording(way="each"))
        assert any("cannot be had" in row for row in plan.problems)
        assert [row.plugged for row in plan.tracks] == [True]

    def test_a_split_that_is_none(self, demo_analysis: Report) -> None:
        plan = track_plan(demo_analysis, NOON, Recording(way="split"))
        assert any(row.startswith("Everyone is not on one side") for row in plan.problems)
        assert any("Stream, Harbour station" in row for row in plan.problems)

    def desk_to_tape(self, **settings: object) -> Show:
        """Two talkers on a desk whose main mix goes to a recorder and nowhere else."""
        people = [
            {
                "id": "ann",
                "name": "Ann",
                "kind": "presenter",
                "place": "studio",
                "at_m": [1, 1],
                "speaks": True,
            },
            {"id": "ben", "name": "Ben", "kind": "guest", "place": "studio", "at_m": [5, 4], "speaks": True},
        ]
        given = {"in1": {"gain_db": 50}, "in2": {"gain_db": 50}, **settings}
        return rig(
            [
                dev("m1", "dynamic-close", party="ann", at_m=[1.15, 1]),
                dev("m2", "dynamic-close", party="ben", at_m=[5.15, 4]),
                dev("desk", "desk-8", host="pc", settings=given),
                dev("pc", "laptop"),
                dev("rec", "recorder", host="pc"),
            ],
            [wire("m1.out", "desk.in1"), wire("m2.out", "desk.in2"), wire("desk.usb", "rec.in")],
            [*people, {**TAPE, "hears_on": "rec"}],
        )

    def test_a_split_is_panned(self) -> None:
        """Common practice: host left, guest right. In the middle both are told, and the pans that would do it are given."""
        show = self.desk_to_tape()
        plan = track_plan(analyse(show), NOON, Recording(way="split"))
        assert any("Everyone is not on one side" in row for row in plan.problems)
        done = apply_all(show, plan.edits)
        assert [done.device("desk").settings[key].pan for key in ("in1", "in2")] == [-1, 1]
        again = track_plan(analyse(done), NOON, Recording(way="split"))
        assert not any("one side" in row for row in again.problems)

    def test_a_split_the_wrong_way_round_is_told(self) -> None:
        show = self.desk_to_tape(in1={"gain_db": 50, "pan": 1}, in2={"gain_db": 50, "pan": -1})
        plan = track_plan(analyse(show), NOON, Recording(way="split"))
        assert any("Everyone is not on one side" in row for row in plan.problems)

    def test_safety_copies_take_inputs_of_their_own(self) -> None:
        plan = track_plan(analyse(two_people()), NOON, Recording(way="each", safety=True))
        assert [row.copy_of for row in plan.tracks] == [None, None, "ann", "ben"]
        plugged = [edit.cable.target for edit in plan.edits if isinstance(edit, Plug)]
        assert plugged == ["face.in3", "rec.in3", "face.in4", "rec.in4"]
        assert [row.into for row in plan.tracks] == ["rec.in1", "rec.in2", "rec.in3", "rec.in4"]

    def test_no_recorder_is_said(self) -> None:
        show = rig([dev("mic", "dynamic-close")], [])
        plan = track_plan(analyse(show), NOON)
        assert plan.tracks == ()
        assert any("no recorder" in row for row in plan.problems)
        assert not [edit for edit in plan.edits if isinstance(edit, AddRow)]

    def test_every_side_of_every_output_is_looked_at(self, demo_analysis: Report) -> None:
        rows = {row.ref: row for row in outlets(demo_analysis)}
        assert tuple(rows["mic-mira.out"].voices) == ("mira",)
        assert set(rows["codec-ferry.near-out"].voices) == {"ferry"}
        assert len(rows["desk.main-out.l"].voices) == 8


class TestStream:
    def test_the_sum_by_hand(self, demo: Show) -> None:
        """Two streams of 4660 kbit/s, two calls of 100, a tenth for packets: 10 472; half as much again is 15.708 Mbit/s."""
        analysis = analyse(demo)
        budget = stream_budget(demo, analysis.catalogue, Streaming(video_kbps=4500))
        assert budget.sends.value == pytest.approx((2 * 4660 + 2 * 100) * 1.1)
        assert budget.needed_up.value == pytest.approx(15.708)
        assert budget.needed_down.value == 3

    def test_what_the_trade_says_at_least(self) -> None:
        """Common practice: 5 Mbit/s up and 3 down at least, where pictures are sent."""
        show = rig([dev("enc", "stream-encoder")], [])
        catalogue = analyse(show).catalogue
        small = stream_budget(show, catalogue, Streaming(video_kbps=800))
        assert (small.needed_up.value, small.needed_down.value) == (5, 3)
        sound = stream_budget(show, catalogue, Streaming())
        assert sound.needed_up.value == pytest.approx(160 * 1.1 * 1.5 / 1000)

    def test_too_little_is_said_with_what_would_fit(self, demo: Show) -> None:
        catalogue = analyse(demo).catalogue
        budget = stream_budget(demo, catalogue, Streaming(video_kbps=4500, up_mbps=6, down_mbps=20))
        assert budget.enough is False
        (text,) = budget.problems
        fits = float(text.split("pictures of ")[1].split(" ")[0])
        again = stream_budget(demo, catalogue, Streaming(video_kbps=fits, up_mbps=6, down_mbps=20))
        assert again.needed_up.value == pytest.approx(6, abs=0.01)

    def test_not_measured_is_said(self, demo: Show) -> None:
        budget = stream_budget(demo, analyse(demo).catalogue)
        assert budget.enough is None
        assert "not measured" in budget.problems[0]

    def test_chat_and_confidence_are_as_late_as_the_stream(self, demo_analysis: Report) -> None:
        """Common practice: chat runs 10 to 15 s behind; the encoder of the demo alone takes 12."""
        row = next(row for row in delays(demo_analysis) if row.listener == "stream")
        assert row.heard.value == pytest.approx(12_005, abs=10)
        assert [round(part.value, 1) for part in row.chat] == [12.0, 15.0]
        assert row.heard.terms


def test_without_a_recorder_that_is_all_that_is_said() -> None:
    """The desk's USB pair carries the programme: it is not said that nothing does."""
    for way in ("mix", "split", "each"):
        plan = track_plan(analyse(usb_desk()), NOON, Recording(way=way))
        assert plan.tracks == ()
        [problem] = plan.problems
        assert "(Laptop can run one)" in problem
