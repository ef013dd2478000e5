"""Takes of one voice side by side, on signals whose noise against speech is known."""

from __future__ import annotations

import numpy as np
import pytest

from kymaphon.core.takes.compare import NotComparableError, compare
from kymaphon.core.takes.measure import TakeMeasure, TakeMeter

RATE = 16000


def take(noise_db: float, gain_db: float = 0.0, seed: int = 0, seconds: int = 40, rate: int = RATE) -> TakeMeasure:
    """Words of noise of rms -20 dB with pauses, and a steady noise."""
    rng = np.random.default_rng(seed)
    rows = []
    for _ in range(seconds // 4):
        rows.append(rng.normal(0, 0.1, round(rate * 2.6)) * 10 ** (rng.normal(0, 1) / 20))
        rows.append(np.zeros(round(rate * 1.4)))
    signal = np.concatenate(rows)
    signal = (signal + rng.normal(0, 0.1 * 10 ** (noise_db / 20), len(signal))) * 10 ** (gain_db / 20)
    meter = TakeMeter(rate, 1)
    meter.add(signal.astype(np.float32)[:, None])
    return meter.result()


def test_equal_levels_and_a_real_difference() -> None:
    result = compare([("with booster", take(-40, -6.0, 1)), ("without", take(-34, 0.0, 2))])
    best, other = result.takes
    assert best.name == "with booster"
    assert best.noise_re_speech_db == pytest.approx(-40, abs=0.8)
    assert other.noise_re_speech_db == pytest.approx(-34, abs=0.8)
    gap, wide, real = result.differs(0, 1)
    assert real
    assert gap == pytest.approx(6.0, abs=wide + 0.3)
    assert "real" in result.verdict
    # Brought to the level of the first: the second is turned down by about 6 dB.
    assert other.equal_gain_db == pytest.approx(-6.0, abs=1.0)
    assert best.why().value == pytest.approx(best.noise_re_speech_db)


def test_the_same_chain_twice_is_called_chance() -> None:
    """At 95 % coverage about one pair in twenty of equal takes is called different; of these eight at most one."""
    called = [compare([("a", take(-40, 0, 2 * i)), ("b", take(-40, 3, 2 * i + 1))]).differs(0, 1)[2] for i in range(8)]
    assert sum(called) <= 1
    result = compare([("a", take(-40, 0, 100)), ("b", take(-40, 3, 101))])
    assert "may be chance" in result.verdict


def test_longer_takes_are_surer() -> None:
    short = compare([("a", take(-40, seed=1, seconds=24)), ("b", take(-40, seed=2, seconds=24))]).takes[0]
    long = compare([("a", take(-40, seed=1, seconds=160)), ("b", take(-40, seed=2, seconds=160))]).takes[0]
    assert long.u_db < short.u_db


def test_three_are_ranked_and_other_rates_are_told() -> None:
    result = compare([("a", take(-30, seed=1)), ("b", take(-45, seed=2, rate=48000)), ("c", take(-38, seed=3))])
    assert [row.name for row in result.takes] == ["b", "c", "a"]
    assert any("24 kHz" in note for note in result.takes[0].notes)
    data = result.to_json()
    assert [row["than"] for row in data["differences"]] == ["c", "a"]
    assert all(row["real"] for row in data["differences"])


def measured(signal: np.ndarray) -> TakeMeasure:
    meter = TakeMeter(RATE, 1)
    meter.add(signal.astype(np.float32)[:, None])
    return meter.result()


@pytest.mark.parametrize(
    ("signal", "why"),
    [
        (np.zeros(RATE * 20), "silence"),
        (np.random.default_rng(1).normal(0, 0.05, RATE * 20), "no speech found"),
        (np.sign(np.random.default_rng(2).normal(0, 1, RATE * 20)), "speech|clipped"),
        (np.random.default_rng(3).normal(0, 0.05, RATE // 8), "speech"),
        (
            np.concatenate(
                [np.concatenate([np.random.default_rng(4).normal(0, 0.1, RATE * 9), np.zeros(RATE * 2)])] * 3
            ),
            "digital silence",
        ),
        (
            np.concatenate(
                [
                    np.random.default_rng(5).normal(0, 0.001, RATE),
                    np.random.default_rng(6).normal(0, 0.1, RATE * 20),
                ]
            ),
            "pause",
        ),
    ],
)
def test_what_cannot_be_compared_is_refused_with_the_reason(signal: np.ndarray, why: str) -> None:
    with pytest.raises(NotComparableError, match=why) as caught:
        compare([("good", take(-40)), ("odd", measured(signal))])
    assert caught.value.name == "odd"


def test_one_alone_is_no_comparison() -> None:
    with pytest.raises(ValueError, match="at least two"):
        compare([("a", take(-40))])
