"""The simulated stand-ins: talkers with the figures of speech, and a rig that plays what the analysis says."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.levels.lineup.run import edits_of, entry_of, judge, last_readings, read_meter, steps_of
from kymaphon.core.levels.meter.active import SpeechMeter
from kymaphon.core.levels.meter.needles import QuasiPeakMeter, VuMeter
from kymaphon.core.model.edits import apply_all
from kymaphon.core.model.scales import reading, scales
from kymaphon.core.model.show import Show
from kymaphon.sim.rig import FULL_SCALE, MOST_DB, SimulatedRig, blocks
from kymaphon.sim.talker import crest_db, talk


@pytest.mark.parametrize("rate", [16000, 48000])
def test_a_talker_has_the_level_and_crest_of_speech(rate: int) -> None:
    """From memory: 12 dB from the average to short peaks, up to 20 to a sample peak; active about two thirds and more."""
    for seed in range(3):
        signal = talk(8, rate, level_dbfs=-20, seed=seed)
        meter = SpeechMeter(rate)
        meter.add(signal)
        assert meter.level_dbfs() == pytest.approx(-20, abs=0.05)
        assert 0.6 <= meter.activity <= 1.0
        assert 9 <= crest_db(signal, rate) <= 20
    assert np.array_equal(talk(2, rate, seed=1), talk(2, rate, seed=1))
    with pytest.raises(ValueError, match="at least a second"):
        talk(0.2)


def test_needles_swing_on_it_as_the_scales_say() -> None:
    """The swings that the scales take from memory, within 3 dB, over several talkers."""
    found = {"vu": [], "ppm-2a": [], "ppm-1": []}
    for seed in range(6):
        signal = talk(8, level_dbfs=-20, seed=seed)
        for name, meter in (
            ("vu", VuMeter(48000)),
            ("ppm-2a", QuasiPeakMeter(48000)),
            ("ppm-1", QuasiPeakMeter(48000, "I")),
        ):
            meter.add(signal)
            found[name].append(meter.highest_dbfs + 20)
    for name, rows in found.items():
        assert np.mean(rows) == pytest.approx(scales()[name].peak_lead_db, abs=3.0)


def test_what_a_point_plays_is_what_the_analysis_says(demo: Show) -> None:
    analysis = analyse(demo)
    rig = SimulatedRig(true_to_plan=True)
    for step in steps_of(analysis):
        signal = rig.play(analysis, step.voice, step.point.node)
        shown = read_meter(step.expected, signal, rig.sample_rate_hz, FULL_SCALE[step.point.unit]).shown
        # Where noise is as loud as the voice, a meter reads both.
        flat = step.point.noise_flat_db
        both = 0.0 if flat is None else 10 * np.log10(1 + 10 ** ((flat - step.point.speech_db) / 10))
        assert judge(step, shown).learnt_db == pytest.approx(0, abs=0.7 + both), step.voice
    assert [len(part) for part in blocks(np.zeros(10), 4)] == [4, 4, 2]
    with pytest.raises(KeyError):
        rig.play(analysis, "mira", "nowhere.out")


def test_it_clips_where_the_rig_clips(demo: Show) -> None:
    show = demo.with_(
        parties=tuple(row.with_(level_db_spl_1m=110.0) if row.id == "mira" else row for row in demo.parties)
    )
    analysis = analyse(show)
    rig = SimulatedRig(true_to_plan=True)
    ladder = analysis.any_ladder("mira")
    node = ladder.rungs[-1].node
    signal = rig.play(analysis, "mira", node)
    # Nothing beyond full scale comes out of a converter (AES17).
    assert np.abs(signal).max() <= 1.0 + 1e-9
    assert (np.abs(signal) > 0.999).sum() > 1000


@pytest.mark.parametrize("scale", ["vu", "ppm-2b", "desk-peak", "dbu"])
def test_a_whole_run_brings_every_talker_onto_the_mark(repaired: Show, scale: str) -> None:
    """Lined up by what is read, turned as suggested: heard again, all of them pass, whatever meter the desk has."""
    rig, show, moved = SimulatedRig(seed=5), repaired, {}
    at = datetime(2026, 6, 5, 19, 0, tzinfo=UTC)

    def read(analysis, step):  # type: ignore[no-untyped-def]
        if step.point.unit == "dBu":
            peaks = scales()[scale].average_lead_db is None
            plain = step.expected
            rows = [
                reading(scale, plain.wanted_db + more, "dBu", plain.house, peaks=peaks)
                for more in (0.0, -plain.tolerance_db, plain.tolerance_db)
            ]
            wants = replace(plain, scale=scale, peaks=peaks, shows=rows[0], low=rows[1].value, high=rows[2].value)
            step = replace(step, expected=wants)
        signal = rig.play(analysis, step.voice, step.point.node, plan_db=moved.get(step.voice, 0.0))
        return judge(step, read_meter(step.expected, signal, rig.sample_rate_hz, FULL_SCALE[step.point.unit]).shown)

    voices = [step.voice for step in steps_of(analyse(show))]
    assert any(abs(rig.surprise_db(voice)) > 3 for voice in voices)
    assert all(abs(rig.surprise_db(voice)) <= MOST_DB for voice in voices)
    for voice in voices:
        analysis = analyse(show)
        step = next(row for row in steps_of(analysis) if row.voice == voice)
        outcome = read(analysis, step)
        edits = edits_of(analysis, step, outcome, entry_of(step, outcome, at, turned=True, measured=True), turned=True)
        before = analysis.graph.mouths[voice][1].value
        show = apply_all(show, edits)
        moved[voice] = moved.get(voice, 0.0) + analyse(show).graph.mouths[voice][1].value - before
    analysis = analyse(show)
    assert set(last_readings(analysis)) == set(voices)
    for step in steps_of(analysis):
        outcome = read(analysis, step)
        assert outcome.passed or "range ends" in outcome.words or outcome.off_db < step.expected.tolerance_db + 4, (
            step.voice
        )


def test_scales_agree_with_a_voice_from_another_synthesiser() -> None:
    """The demo's take was spoken by espeak-ng, a general speech synthesiser: its swings on each meter are what the scales
    take from memory, within 2.5 dB, and its loudness is what they say of speech, within 0.6 LU.
    """
    import soundfile

    from kymaphon.core.levels.meter.loudness import LAYOUTS, LoudnessMeter
    from kymaphon.core.model.scales import House
    from kymaphon.files.demo import demo_path

    signal, rate = soundfile.read(demo_path("voice.flac"))
    meter = SpeechMeter(rate)
    meter.add(signal)
    level = meter.level_dbfs()
    for name, needle in (
        ("vu", VuMeter(rate)),
        ("ppm-2b", QuasiPeakMeter(rate)),
        ("ppm-1", QuasiPeakMeter(rate, "I")),
    ):
        needle.add(signal)
        assert needle.highest_dbfs - level == pytest.approx(scales()[name].peak_lead_db, abs=2.5), name
    loudness = LoudnessMeter(rate, LAYOUTS["stereo"])
    loudness.add(np.column_stack([signal, signal]))
    told = reading("lufs", level, "dBFS", House(4.0, 18.0, ""))
    assert loudness.integrated_lufs() == pytest.approx(told.value, abs=0.6)
