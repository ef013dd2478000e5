"""Before air: the network, every end, the recording, and the short list; sums by hand."""

from __future__ import annotations

import math

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.offers import offers_of
from kymaphon.core.levels.programme import programme
from kymaphon.core.model.show import Show
from kymaphon.core.report.before_air import before_air
from kymaphon.core.report.sheet import rig_sheet
from tests.core.rigs import STUDIO, TAPE, VOICE, dev, of_code, rig, wire

STREAM = {"id": "stream", "name": "Stream", "kind": "audience", "listens": True, "hears_on": "enc"}


def on_air(**more: object) -> Show:
    """One voice to a stream, and to a recorder in the same computer."""
    return rig(
        [
            dev("mic", "dynamic-close", at_m=[1.15, 1]),
            dev("face", "interface-2", host="pc", settings={"in1": {"gain_db": 55}}),
            dev("pc", "laptop"),
            dev("mix", "soft-mixer", host="pc"),
            dev("enc", "stream-encoder", host="pc"),
            dev("rec", "recorder", host="pc"),
        ],
        [
            wire("mic.out", "face.in1"),
            wire("face.usb1", "mix.in1"),
            wire("mix.out", "enc.in"),
            wire("mix.out", "rec.in"),
        ],
        [VOICE, STREAM, TAPE],
        **more,
    )


class TestNetwork:
    def test_two_of_ten_megabits_stop_the_show(self) -> None:
        """6160 kbit/s and a tenth for packets are 6776; half as much again is 10.2 Mbit/s (common practice)."""
        show = on_air(streaming={"video_kbps": 6000, "audio_kbps": 160, "up_mbps": 2.0, "down_mbps": 30})
        (row,) = of_code(show, "upload-short")
        assert row.severity == "stop"
        assert row.figures[1].value == pytest.approx(6160 * 1.1 * 1.5 / 1000, abs=0.001)
        mended = offers_of(analyse(show), row).remedies[0].apply(show)
        assert not of_code(mended, "upload-short")
        assert mended.streaming is not None
        assert mended.streaming.video_kbps == 0, "below five megabits no picture is steady"

    def test_smaller_pictures_are_offered_where_they_fit(self) -> None:
        show = on_air(streaming={"video_kbps": 6000, "audio_kbps": 160, "up_mbps": 8.0, "down_mbps": 30})
        (row,) = of_code(show, "upload-short")
        remedy = next(remedy for remedy in row.remedies if remedy.id == "smaller")
        after = remedy.apply(show)
        assert after.streaming is not None
        assert 4000 < after.streaming.video_kbps < 5000
        assert not of_code(after, "upload-short")

    def test_enough_is_no_finding_and_unmeasured_is_a_note(self) -> None:
        assert not of_code(on_air(streaming={"video_kbps": 4500, "up_mbps": 20, "down_mbps": 30}), "upload-short")
        (row,) = of_code(on_air(streaming={"video_kbps": 4500}), "network-not-measured")
        assert row.severity == "note"
        assert not of_code(on_air(), "network-not-measured")


class TestEnds:
    def test_a_stream_that_gets_nothing_stops_the_show(self) -> None:
        show = on_air()
        cut = show.with_(cables=[row for row in show.cables if row.target != "enc.in"])
        (row,) = of_code(cut, "end-silent")
        assert (row.severity, row.subjects) == ("stop", ("stream",))
        assert not of_code(show, "end-silent")

    def test_a_voice_that_reaches_no_end_stops_the_show(self) -> None:
        second = {**VOICE, "id": "tam", "name": "Tam", "at_m": [3, 1], "kind": "guest"}
        show = on_air()
        two = show.with_(
            parties=[*show.parties, second],
            devices=[*show.devices, {**dev("mic2", "dynamic-close", at_m=[3.15, 1]), "party": "tam"}],
            cables=[*show.cables, wire("mic2.out", "face.in2")],
        )
        (row,) = of_code(two, "not-on-air")
        assert (row.severity, row.subjects) == ("stop", ("tam",))
        heard = two.with_(cables=[*two.cables, wire("face.usb2", "mix.in2")])
        assert not of_code(heard, "not-on-air")

    def test_where_a_fader_is_down_that_is_told_instead(self) -> None:
        show = on_air()
        down = show.with_(
            devices=[
                row.with_(settings={"main": {"fader_db": -90}}) if row.id == "mix" else row for row in show.devices
            ]
        )
        codes = {row.code for row in analyse(down).findings if row.severity == "stop"}
        assert codes == {"control-down"}


class TestRecording:
    def test_a_disk_that_is_full_before_the_end_stops_the_show(self) -> None:
        """Two channels of 48 kHz and 24 bits are 288 000 bytes a second: nine tenths of a gigabyte are full after 3125 s of the two hours."""
        show = on_air(recording={"way": "mix", "length_s": 7200, "free_bytes": 1_000_000_000})
        (row,) = of_code(show, "recording-short")
        assert row.severity == "stop"
        assert row.figures[0].value == pytest.approx(0.9e9 / (48000 * 3 * 2), rel=0.01)
        assert not of_code(on_air(recording={"way": "mix", "length_s": 7200, "free_bytes": 10**12}), "recording-short")

    def test_a_file_that_is_full_goes_on_as_rf64(self) -> None:
        """2**32 bytes of stereo at 96 kHz and 32 bits last an hour and a half (RIFF's length field)."""
        show = on_air(recording={"way": "mix", "length_s": 20000, "rate_hz": 96000, "bits": 32})
        (row,) = of_code(show, "recording-short")
        assert row.figures[0].value == pytest.approx(2**32 / (96000 * 4 * 2), rel=0.01)
        assert not of_code(offers_of(analyse(show), row).remedies[0].apply(show), "recording-short")


def test_the_short_list_has_the_test_the_chat_and_what_is_on_it() -> None:
    show = on_air(
        tasks=[
            {"id": "one", "text": "Water for the guests"},
            {"id": "two", "text": "Batteries", "done": True},
        ]
    )
    rows = before_air(analyse(show))
    assert any("Private test" in row and "phone" in row for row in rows)
    assert any("chat" in row for row in rows)
    assert rows[-1] == "Water for the guests"
    table = next(row for row in rig_sheet(analyse(show)).tables if row.title == "To do before air")
    assert [row[1] for row in table.rows] == [*rows, "Batteries"]
    bare = rig([dev("mic", "dynamic-close")], [], places=[STUDIO])
    assert before_air(analyse(bare)) == ()


def test_all_sources_at_once_read_as_the_sum_of_their_powers() -> None:
    """Two voices of one level are 3 dB more than one, three 4.8 (uncorrelated sum), on the recorder's own meter."""
    show = on_air()
    names = ("tam", "ilse")
    more = show.with_(
        parties=[
            *show.parties,
            *({**VOICE, "id": name, "name": name.title(), "at_m": [2 + n, 1]} for n, name in enumerate(names)),
        ],
        devices=[
            *(row for row in show.devices if row.id != "face"),
            dev("face", "interface-4", host="pc", settings={f"in{n}": {"gain_db": 55} for n in (1, 2, 3)}),
            *(
                {**dev(f"mic-{name}", "dynamic-close", at_m=[2.15 + n, 1]), "party": name}
                for n, name in enumerate(names)
            ),
        ],
        cables=[
            *show.cables,
            *(wire(f"mic-{name}.out", f"face.in{n + 2}") for n, name in enumerate(names)),
            *(wire(f"face.usb{n + 2}", f"mix.in{n + 2}") for n in range(2)),
        ],
    )
    analysis = analyse(more)
    row = next(row for row in programme(analysis) if row.point.node.startswith("mix."))
    alone = [analysis.ladders[voice, "stream"] for voice in ("mira", *names)]
    levels = [next(rung.speech_db for rung in ladder.rungs if rung.node == row.point.node) for ladder in alone]
    assert row.level.value == pytest.approx(10 * math.log10(sum(10 ** (level / 10) for level in levels)))
    assert row.level.value - levels[0] == pytest.approx(10 * math.log10(3), abs=0.3)
    assert "3 sources at once" in row.words()
    assert programme(analyse(show)) == (), "one voice is no sum"
