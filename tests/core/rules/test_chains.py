"""Each kind of the catalogue in a chain of its own: what comes out is what its data say."""

from __future__ import annotations

import math
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show
from kymaphon.core.model.weights import speech_a_db
from kymaphon.core.units import dbv_to_dbu


def chain(
    devices: list[dict[str, Any]],
    cables: list[tuple[str, str]],
    ear: str,
    *,
    kind: str = "recorder",
    **party: Any,
) -> Report:
    """One talker, 15 cm from the first device, heard at the last."""
    show = {
        "places": [{"id": "room", "name": "Room", "ambient_dba": 30}],
        "parties": [
            {
                "id": "ann",
                "name": "Ann",
                "kind": "presenter",
                "place": "room",
                "at_m": [1, 1],
                "speaks": True,
                **party,
            },
            {
                "id": "end",
                "name": "End",
                "kind": kind,
                "listens": True,
                "hears_on": ear,
                "place": "room",
                "at_m": [3, 1],
            },
        ],
        "devices": [{"party": "ann", "place": "room", "at_m": [1.15, 1], **devices[0]}, *devices[1:]],
        "cables": [{"from": a, "to": b} for a, b in cables],
    }
    return analyse(Show.model_validate(show))


SPL = 60 - speech_a_db() + 20 * math.log10(1 / 0.15)
"""60 dBA at 1 m (ISO 9921, from memory), unweighted."""


@pytest.mark.parametrize(("kind", "dbv"), [("dynamic-close", -55), ("condenser-broad", -34), ("hidden-omni", -42)])
def test_microphones_put_out_what_they_should(kind: str, dbv: float) -> None:
    """Output in dBV: sensitivity plus SPL less 93.98 (IEC 60268-4)."""
    analysis = chain(
        [
            {"id": "mic", "kind": kind},
            {"id": "face", "kind": "interface-2", "settings": {"in1": {"phantom": True}}},
            {"id": "rec", "kind": "recorder"},
        ],
        [("mic.out", "face.in1"), ("face.usb1", "rec.in")],
        "rec",
    )
    out = next(row for row in analysis.ladders["ann", "end"].rungs if row.node == "mic.out")
    assert out.speech_db == pytest.approx(dbv_to_dbu(dbv) + SPL - 93.979, abs=0.01)


def test_louder_talkers_by_the_standard() -> None:
    """ISO 9921, from memory: six decibels from effort to effort."""
    levels = []
    for effort in ("quiet", "normal", "raised", "loud"):
        analysis = chain(
            [
                {"id": "mic", "kind": "dynamic-close"},
                {"id": "face", "kind": "interface-2"},
                {"id": "rec", "kind": "recorder"},
            ],
            [("mic.out", "face.in1"), ("face.usb1", "rec.in")],
            "rec",
            effort=effort,
        )
        levels.append(analysis.ladders["ann", "end"].rungs[0].speech_db)
    assert [b - a for a, b in zip(levels, levels[1:], strict=False)] == pytest.approx([6, 6, 6])


def test_a_measured_voice_replaces_the_effort() -> None:
    analysis = chain(
        [
            {"id": "mic", "kind": "dynamic-close"},
            {"id": "face", "kind": "interface-2"},
            {"id": "rec", "kind": "recorder"},
        ],
        [("mic.out", "face.in1"), ("face.usb1", "rec.in")],
        "rec",
        level_db_spl_1m=71.5,
    )
    assert analysis.ladders["ann", "end"].rungs[0].speech_db == 71.5
    assert "measured" in analysis.ladders["ann", "end"].rungs[0].terms[0].source


def test_the_pad_takes_twenty_decibels_and_lifts_the_ceiling() -> None:
    def rung(pad: bool) -> Any:
        analysis = chain(
            [
                {"id": "mic", "kind": "dynamic-close"},
                {"id": "face", "kind": "interface-2", "settings": {"in1": {"pad": pad, "gain_db": 30}}},
                {"id": "rec", "kind": "recorder"},
            ],
            [("mic.out", "face.in1"), ("face.usb1", "rec.in")],
            "rec",
        )
        rows = {row.node: row for row in analysis.ladders["ann", "end"].rungs}
        return rows["face.in1"], rows["face.in1:pre"]

    (socket, after), (padded, after_pad) = rung(False), rung(True)
    assert after_pad.speech_db - after.speech_db == pytest.approx(-20)
    assert padded.ceiling_db - socket.ceiling_db == pytest.approx(20)


@pytest.mark.parametrize(("samples", "rate"), [(64, 48000), (256, 44100), (1024, 96000)])
def test_buffers_by_length_and_rate(samples: int, rate: int) -> None:
    show = chain(
        [
            {"id": "mic", "kind": "dynamic-close"},
            {"id": "face", "kind": "interface-2", "settings": {"buffer": {"samples": samples}}},
            {"id": "rec", "kind": "recorder"},
        ],
        [("mic.out", "face.in1"), ("face.usb1", "rec.in")],
        "rec",
    ).show.with_(sample_rate_hz=rate)
    part = next(part for part in analyse(show).ladders["ann", "end"].path.delay_parts() if "buffer" in part.name)
    assert part.value == pytest.approx(1000 * samples / rate)


def test_a_loudspeaker_is_heard_across_the_room_and_by_the_microphone() -> None:
    """The talker straight from 2 m away, the box later by its distance; and back into the microphone: a loop."""
    analysis = chain(
        [
            {"id": "mic", "kind": "dynamic-close"},
            {"id": "desk", "kind": "desk-8", "settings": {"in1": {"gain_db": 60}}},
            {"id": "box", "kind": "loudspeaker", "place": "room", "at_m": [0.5, 3]},
        ],
        [("mic.out", "desk.in1"), ("desk.main-out.l", "box.in")],
        "",
        kind="audience",
    )
    show = analysis.show
    listening = show.with_(parties=(show.parties[0], show.parties[1].with_(hears_on=None)))
    analysis = analyse(listening)
    paths = [path for arrival in analysis.arrivals("end", "ann") for path in arrival.paths]
    by_box = next(path for path in paths if "box.sound" in path.node_ids)
    direct = next(path for path in paths if len(path.edges) == 1)
    assert direct.gain_db == pytest.approx(-20 * math.log10(2))
    assert by_box.delay_ms == pytest.approx((0.15 + math.dist((0.5, 3), (3, 1))) * 2.914, abs=0.01)
    circle = analysis.circles.paths[0]
    assert "box.sound" in circle.node_ids
    assert circle.delay_ms == pytest.approx(math.dist((0.5, 3), (1.15, 1)) * 2.914, abs=0.01)


def test_more_gain_brings_the_circle_to_ring_and_then_to_howl() -> None:
    """Davis and Patronis: keep 6 dB. The gain at which each finding comes is told by the loop's own gain."""
    seen = {}
    for gain in range(0, 61, 2):
        analysis = chain(
            [
                {"id": "mic", "kind": "dynamic-close"},
                {"id": "desk", "kind": "desk-8", "settings": {"in1": {"gain_db": gain}}},
                {"id": "box", "kind": "loudspeaker", "place": "room", "at_m": [0.9, 1]},
                {"id": "ears", "kind": "headphones"},
            ],
            [("mic.out", "desk.in1"), ("desk.main-out.l", "box.in"), ("desk.phones", "ears.in")],
            "ears",
            kind="crew",
        )
        worst = max((path.gain_db for path in analysis.circles.paths), default=-999.0)
        codes = {row.code for row in analysis.findings}
        expected = "loop-howls" if worst >= -1 else "loop-rings" if worst > -6 else ""
        assert {code for code in codes if code.startswith("loop-")} == ({expected} if expected else set()), gain
        seen[expected] = True
    assert set(seen) == {"", "loop-rings", "loop-howls"}


def test_mono_plug_feeds_both_sides_and_a_stereo_one_loses_its_right() -> None:
    mono = chain(
        [
            {"id": "mic", "kind": "dynamic-close"},
            {"id": "face", "kind": "interface-2"},
            {"id": "rec", "kind": "recorder"},
        ],
        [("mic.out", "face.in1"), ("face.usb1", "rec.in")],
        "rec",
    )
    left, right = (mono.transfer.best_gain_to(node)[mono.graph.mouths["ann"][0]] for node in mono.graph.ears["end"])
    assert left == right > -200
    narrow = chain(
        [
            {"id": "mic", "kind": "dynamic-close"},
            {"id": "desk", "kind": "desk-8", "settings": {"in1": {"gain_db": 40, "pan": 1}}},
            {"id": "codec", "kind": "call-codec"},
            {"id": "tel", "kind": "phone"},
        ],
        [("mic.out", "desk.in1"), ("desk.main-out", "codec.near-in"), ("codec.far-out", "tel.call-in")],
        "tel",
    )
    feed = narrow.feeds["end", "ann"]
    assert feed.path is None or "codec.near-in" not in feed.path.node_ids
