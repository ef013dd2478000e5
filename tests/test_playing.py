"""The show that plays against the analysis: levels, delays, noise, loops and faults; and the command that writes it."""

from __future__ import annotations

import json
import math
import re
from functools import cache
from pathlib import Path

import numpy as np
import pytest
import soundfile

from kymaphon.cli import main
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.dynamics.chain import run_chain
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.processing import Compressor, Gate, Limiter, LowCut, Processing
from kymaphon.core.model.show import Show
from kymaphon.core.prove.faults import Fault, audible_faults, single_faults
from kymaphon.core.takes.faults.finder import FaultFinder
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path
from kymaphon.files.show_file import read_show
from kymaphon.sim.blemishes import HEARD
from kymaphon.sim.impulse import impulse_arrivals
from kymaphon.sim.playing import CHUNK, ShowPlayer
from kymaphon.sim.through import heard_through, throughs
from tests.budget import some
from tests.conftest import two_desks

RATE = 48000


@cache
def quay(name: str = REPAIRED) -> Report:
    return analyse(read_show(demo_path(name)))


def level(sound: np.ndarray) -> float:
    """RMS as AES17 has it, in the unit of the point."""
    return 10 * math.log10(max(float(np.mean(sound**2)) * 2, 1e-30))


def near(times: np.ndarray, at: float) -> int:
    return int(np.argmin(np.abs(times - at)))


class TestAgainstTheAnalysis:
    @pytest.mark.parametrize("voice", ["mira", "tam", "ilse", "jingles"])
    def test_each_voice_alone_comes_as_loud_as_its_ladder_says(self, voice: str) -> None:
        """White noise instead of talk, as loud as the voice at its mouth: everything on its way is linear."""
        report = quay()
        ladder = report.ladder(voice, "podcast")
        assert ladder is not None
        node, start = report.graph.mouths[voice]
        tone = np.random.default_rng(1).normal(0, 10 ** (start.value / 20) / math.sqrt(2), 3 * RATE)
        quiet = tone * 1e-3  # under every ceiling
        player = ShowPlayer(report, noise=False, chains=False)
        heard = player.at([report.graph.index[ladder.last.node]], 3.0, sources={node: quiet})[0]
        whole = report.transfer.power_from([node])[report.graph.index[ladder.last.node], 0]
        assert level(heard[RATE:]) == pytest.approx(start.value - 60 + 10 * math.log10(whole), abs=0.35)

    def test_an_impulse_arrives_when_and_as_strong_as_the_follower_says(self) -> None:
        """`sim/impulse.py` follows events in time and knows no blocks; late arrivals of loops included."""
        report = quay(FAULTY)
        graph = report.graph
        node = graph.mouths["ferry"][0]
        target = graph.ears["ferry"][0]
        times, strengths = impulse_arrivals(graph, node, target, until_ms=600, below_db=-60)
        frames = RATE
        impulse = np.zeros(frames)
        impulse[0] = 1e-3
        heard = ShowPlayer(report, noise=False, chains=False).at([target], 1.0, sources={node: impulse})[0] * 1e3
        strongest = np.argsort(-strengths)[:6]
        for k in strongest:
            at = round(times[k] * RATE / 1000)
            around = heard[max(0, at - 12) : at + 13]
            together = strengths[np.abs(times - times[k]) < 0.2].sum()
            assert float(np.abs(around).max()) == pytest.approx(together, rel=0.15), times[k]

    def test_noise_is_that_of_every_source_together(self) -> None:
        """RMS of the playing rig with nobody speaking, against the powers of all noise sources added (within 0.2 dB)."""
        report = quay()
        target = report.graph.ears["podcast"][0]
        noises = report.graph.noises
        power = report.transfer.power_from([row.node for row in noises])[target]
        expected = 10 * math.log10(sum(10 ** (row.flat_db / 10) * p for row, p in zip(noises, power, strict=True)))
        heard = ShowPlayer(report, voices=False, chains=False).at([target], 4.0)[0]
        assert level(heard[RATE:]) == pytest.approx(expected, abs=0.2)

    def test_chunks_are_one_sound(self) -> None:
        """However long it plays, what was played first is the same."""
        report = quay()
        nodes = report.graph.ears["tam"]
        short = ShowPlayer(report, noise=False, chains=False).at(nodes, 1.0)
        twice = ShowPlayer(report, noise=False, chains=False).at(nodes, 1.0)
        assert np.array_equal(short, twice)
        assert short.shape == (len(nodes), RATE)
        assert RATE % CHUNK == 0

    def test_a_rig_that_howls_stays_finite_and_loud(self) -> None:
        both = {"in5>send1": {"on": True}, "in5": {"gain_db": 20}}
        report = analyse(two_desks(a=both, b=both))
        assert report.transfer.howls
        heard = ShowPlayer(report).at(report.graph.ears["talker-a"], 6.0)[0]
        assert np.isfinite(heard).all()
        calm = analyse(two_desks())
        quiet = ShowPlayer(calm).at(calm.graph.ears["talker-a"], 6.0)[0]
        assert level(heard[-RATE:]) > level(quiet[-RATE:]) + 10


class TestFaults:
    def named(self, name: str) -> Fault:
        rows = (*single_faults(quay()), *audible_faults(quay()))
        return next(row for row in rows if row.id == name)

    def test_a_dead_lead_takes_its_voice_away_and_a_mute_too(self) -> None:
        report = quay()
        target = report.graph.index["desk.in3:pre"]
        whole = ShowPlayer(report, noise=False).at([target], 2.0)[0]
        dead = ShowPlayer(report, noise=False, faults=(self.named("dead-cable:mic-ilse.out>desk.in3"),)).at(
            [target], 2.0
        )
        assert level(dead[0]) < level(whole) - 30

    def test_hum_is_at_the_mains_of_the_show_and_telephones_at_their_frames(self) -> None:
        """A spectrum's highest lines: 50 Hz; multiples of 216.7 Hz (TDMA frames of 4.615 ms)."""
        report = quay()
        target = report.graph.index["desk.in3:pre"]
        for name, base in (("hum:desk.in3", 50.0), ("telephone-burst:desk.in3", 1 / 0.004615)):
            plain = ShowPlayer(report, noise=False, voices=False).at([target], 2.0)[0]
            heard = ShowPlayer(report, noise=False, voices=False, faults=(self.named(name),)).at([target], 2.0)[0]
            lines = np.abs(np.fft.rfft((heard - plain) * np.hanning(len(heard))))
            lines[:20] = 0.0
            hertz = np.fft.rfftfreq(len(heard), 1 / RATE)[int(np.argmax(lines))]
            assert hertz / base == pytest.approx(round(hertz / base), abs=0.02), name

    def test_polarity_turns_the_sound_over_and_gaps_are_silent(self) -> None:
        report = quay()
        target = report.graph.index["desk.in3"]
        plain = ShowPlayer(report, noise=False).at([target], 2.0)[0]
        turned = ShowPlayer(report, noise=False, faults=(self.named("polarity:desk.in3"),)).at([target], 2.0)[0]
        assert np.corrcoef(turned, plain)[0, 1] < -0.9999, "but for the little that comes round"
        gaps = ShowPlayer(report, faults=(self.named("dropped-samples:desk.in3"),)).at([target], 4.0)[0]
        silent = np.flatnonzero(gaps == 0.0)
        assert len(silent) > 3 * RATE // 1000

    def test_every_sort_can_be_heard(self) -> None:
        report = quay()
        target = report.graph.index["desk.in3"]
        plain = ShowPlayer(report).at([target], 2.0)[0]
        for sort in HEARD:
            heard = ShowPlayer(report, faults=(self.named(f"{sort}:desk.in3"),)).at([target], 2.0)[0]
            assert not np.allclose(heard, plain), sort
            assert np.isfinite(heard).all()

    def test_a_hum_is_as_far_under_what_is_said_at_that_very_point_on_a_microphone_as_on_a_line(self) -> None:
        """Some 25 to 35 dB under it, wherever it is planted."""
        report = quay()
        places = [
            name
            for name in ("desk.in1", "desk.in3", "desk.in5")
            if float(report.flow.speech_db[report.graph.index[name]]) > -200
        ]
        spread = [float(report.flow.speech_db[report.graph.index[name]]) for name in places]
        assert max(spread) - min(spread) > 20, "a microphone's level and a line's are among them"
        for name in places:
            target = report.graph.index[name]
            plain = ShowPlayer(report).at([target], 2.0)[0]
            hum = ShowPlayer(report, faults=(self.named(f"hum:{name}"),)).at([target], 2.0)[0] - plain
            under = float(report.flow.speech_db[target]) - level(hum)
            assert 25 <= under <= 35, (name, under)


def strip(chain: tuple[Processing, ...], ref: tuple[str, str] = ("desk", "in3"), name: str = REPAIRED) -> Report:
    """The quay with a chain in one of its strips, and in no other."""
    return analyse(apply_all(bare(name), (SetValue(SettingRef(*ref, "chain"), chain),)))


def bare(name: str = REPAIRED) -> Show:
    """The quay without any processing."""
    show = read_show(demo_path(name))
    rows = [(device.id, key) for device in show.devices for key, row in device.settings.items() if row.chain]
    return apply_all(show, tuple(SetValue(SettingRef(*row, "chain"), ()) for row in rows))


class TestStrips:
    @pytest.mark.parametrize(
        "chain",
        [
            (Gate(open_db=-20, close_db=-26, range_db=30),),
            (LowCut(corner_hz=150), Compressor(threshold_db=-25, ratio=4)),
            (Limiter(ceiling_db=-12),),
            (Gate(open_db=-22, close_db=-28), Compressor(threshold_db=-20), Limiter(ceiling_db=-10)),
        ],
        ids=lambda chain: "-".join(row.sort for row in chain),
    )
    def test_a_strip_does_exactly_what_quiets_machines_do(self, chain: tuple[Processing, ...]) -> None:
        """The sound at the strip with its chain is that without it, run through the chain: to the last bit but single precision."""
        report = strip(chain)
        target = report.graph.index["desk.in3:pre"]
        plain = ShowPlayer(report, chains=False).at([target], 4.0)[0]
        played = ShowPlayer(report).at([target], 4.0)[0]
        assert played == pytest.approx(run_chain(plain.astype(np.float32), chain, RATE), abs=1e-6 * np.abs(plain).max())
        assert not np.allclose(played, plain, rtol=1e-3)

    def test_it_is_heard_by_whoever_hears_the_strip_and_by_nobody_else(self) -> None:
        report = strip((Gate(open_db=30, close_db=30, range_db=120),))
        ladder = report.ladder("ilse", "podcast")
        assert ladder is not None
        podcast = report.graph.index[ladder.last.node]
        with_, without = (
            ShowPlayer(report, noise=False, chains=chains).at([podcast, report.graph.index["desk.in1:pre"]], 3.0)
            for chains in (True, False)
        )
        assert level(with_[0]) < level(without[0]) - 0.2
        # But for what leaks out of headphones into a microphone nearby.
        assert np.corrcoef(with_[1], without[1])[0, 1] > 0.999

    def test_two_strips_one_after_the_other_and_one_that_is_off(self) -> None:
        """The far one works on what the near one lets through."""
        first, second = Gate(open_db=-20, close_db=-26), Compressor(threshold_db=-25)
        show = bare(FAULTY)
        refs = (SettingRef("slip-mixer", "in1", "chain"), SettingRef("desk", "in4", "chain"))
        chained = analyse(
            apply_all(show, (SetValue(refs[0], (first,)), SetValue(refs[1], (second, first.with_(on=False)))))
        )
        nearer = analyse(apply_all(show, (SetValue(refs[0], (first,)),)))
        target = chained.graph.index["desk.in4:pre"]
        before = ShowPlayer(nearer).at([target], 3.0)[0]
        after = ShowPlayer(chained).at([target], 3.0)[0]
        assert after == pytest.approx(
            run_chain(before.astype(np.float32), (second,), RATE), abs=1e-5 * np.abs(before).max()
        )

    def test_chunks_and_seeds_are_as_without(self) -> None:
        report = strip((Gate(open_db=-20, close_db=-26),))
        target = [report.graph.index["desk.in3:pre"]]
        one, other = (ShowPlayer(report, seed=4).at(target, 2.0) for _ in range(2))
        assert (one == other).all()
        assert ShowPlayer(report, seed=5).at(target, 2.0) != pytest.approx(one)

    def test_a_gate_set_too_high_eats_words_and_the_finder_hears_it(self) -> None:
        """Planted in the rig that plays, found in what it plays."""
        report = quay()
        fault = next(row for row in audible_faults(report) if row.id == "gate-high:desk.in3")
        target = report.graph.index["desk.in3:pre"]
        plain, eaten = (ShowPlayer(report, faults=faults).at([target], 24.0)[0] for faults in ((), (fault,)))
        step = RATE // 100
        loud = np.sqrt((plain[: len(plain) // step * step].reshape(-1, step) ** 2).mean(axis=1))
        left = np.sqrt((eaten[: len(eaten) // step * step].reshape(-1, step) ** 2).mean(axis=1))
        talk = loud > np.percentile(loud, 60)
        assert 0.05 < float((left[talk] < 0.1 * loud[talk]).mean()) < 0.98
        assert np.abs(eaten).max() > 0.5 * np.abs(plain).max()


def test_a_doubled_way_that_the_show_computes_is_heard_in_what_its_rig_plays() -> None:
    """The finding: all voices reach the podcast twice, so many ms apart and so many dB different. The recording: a comb of that delay."""
    report = quay(FAULTY)
    finding = next(row for row in report.findings if row.code == "arrives-twice")
    figures = {row.name: row.value for row in finding.figures}
    sound = ShowPlayer(report).arrived("podcast", 24.0)
    finder = FaultFinder(RATE, 2)
    finder.add(sound.T.astype(np.float32))
    comb = next(row for row in finder.result() if row.code == "comb")
    heard = [float(row) for row in re.findall(r"-?\d+\.\d+", comb.evidence.replace("\u2212", "-"))]
    assert heard[0] == pytest.approx(figures["apart"], abs=0.1)
    assert heard[1] == pytest.approx(-figures["difference"], abs=0.5)


class TestThrough:
    @pytest.mark.parametrize("name", ["phone", "laptop", "headphones"])
    def test_corners_lose_three_decibels(self, name: str) -> None:
        """A Butterworth filter is 3.01 dB down at its corner (Butterworth 1930)."""
        what = throughs()[name]
        time = np.arange(2 * RATE) / RATE
        for corner in (what.low_hz, what.high_hz):
            tone = np.sin(2 * np.pi * corner * time)[None, :]
            out = heard_through(tone, RATE, what)[0, RATE:]
            assert 10 * np.log10(np.mean(out**2) * 2) == pytest.approx(-3.01, abs=0.15)

    def test_a_telephone_has_one_loudspeaker(self) -> None:
        sides = np.array([np.ones(RATE), -np.ones(RATE)]) * np.sin(np.arange(RATE) * 0.1)
        assert np.abs(heard_through(sides, RATE, throughs()["phone"])).max() < 1e-9


class TestCommand:
    def test_it_writes_what_somebody_hears(self, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
        out = tmp_path / "ferry.wav"
        assert (
            main(["sim", str(demo_path(FAULTY)), "--listener", "ferry", "-o", str(out), "--seconds", "3", "--json"])
            == 0
        )
        data = json.loads(capsys.readouterr().out)
        sound, rate = soundfile.read(out)
        assert rate == data["sample_rate_hz"] == RATE
        assert len(sound) == 3 * RATE
        assert data["full_scale"] == {"value": 104.0, "unit": "dB SPL"}
        assert -60 < data["rms_dbfs"][0] < -10

    def test_the_same_seed_is_the_same_sound(self, tmp_path: Path) -> None:
        rows = []
        for name, seed in (("a", "1"), ("b", "1"), ("c", "2")):
            out = tmp_path / f"{name}.wav"
            line = [
                "sim",
                str(demo_path(REPAIRED)),
                "--listener",
                "tam",
                "-o",
                str(out),
                "--seconds",
                "1",
                "--seed",
                seed,
            ]
            assert main(line) == 0
            rows.append(soundfile.read(out)[0])
        assert np.array_equal(rows[0], rows[1])
        assert not np.array_equal(rows[0], rows[2])

    @pytest.mark.parametrize(
        ("more", "words"),
        some(
            [
                (["--listener", "nobody"], "nobody does not listen in this show"),
                (["--listener", "ferry", "--seconds", "0.2"], "--seconds is from 1 to 600"),
                (["--listener", "ferry", "--seconds", "nan"], "--seconds is from 1 to 600"),
                (["--listener", "ferry", "--seed", "-1"], "--seed is a counting number"),
                (["--listener", "ferry", "--fault", "hum:nowhere"], "is no fault of this rig"),
            ],
            5,
        ),
    )
    def test_what_cannot_be_used_is_one_line(
        self, more: list[str], words: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
    ) -> None:
        out = tmp_path / "x.wav"
        assert main(["sim", str(demo_path(REPAIRED)), "-o", str(out), *more]) == 2
        error = capsys.readouterr().err
        assert words in error
        assert error.count("\n") == 1
        assert not out.exists()
