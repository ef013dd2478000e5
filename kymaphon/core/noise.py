"""Electrical noise: thermal, equivalent input noise, cascades, converters."""

from __future__ import annotations

import math
from collections.abc import Sequence

from kymaphon.core.units import PASCAL_DB_SPL, db_to_power, power_to_db, uncorrelated_sum_db, volts_to_dbu

BOLTZMANN = 1.380649e-23
"""J/K, exact since the 2019 SI."""


def thermal_noise_dbu(ohms: float, bandwidth_hz: float = 20000.0, temperature_c: float = 20.0) -> float:
    """Johnson noise sqrt(4kTRB) of a resistance in dBu: 150 ohm over 20 kHz at 20 C, -130.9 (Johnson 1928).

    Raises:
        ValueError: resistance or bandwidth not above zero.

    >>> round(thermal_noise_dbu(150), 1)
    -130.9
    """
    if not (ohms > 0 and bandwidth_hz > 0):
        raise ValueError("resistance and bandwidth must be above zero")
    return volts_to_dbu(math.sqrt(4 * BOLTZMANN * (temperature_c + 273.15) * ohms * bandwidth_hz))


def ein_at_gain_dbu(points: Sequence[tuple[float, float]], gain_db: float) -> float:
    """Equivalent input noise of a preamplifier at a gain, between stated points.

    Args:
        points: (gain in dB, EIN in dBu), in rising order of gain.
        gain_db: held to the first and last point outside their range.

    Raises:
        ValueError: no points.

    >>> ein_at_gain_dbu([(20, -118.0), (60, -128.0)], 50)
    -125.5
    """
    if not points:
        raise ValueError("no EIN points")
    if gain_db <= points[0][0]:
        return points[0][1]
    for (g0, n0), (g1, n1) in zip(points, points[1:], strict=False):
        if gain_db <= g1:
            return n0 + (n1 - n0) * (gain_db - g0) / (g1 - g0)
    return points[-1][1]


def cascade_noise_db(stages: Sequence[tuple[float, float]]) -> float:
    """Noise of stages in a row, referred to the first input (Friis 1944).

    Args:
        stages: (input-referred noise level in dB, gain in dB) of each stage in order.

    >>> round(cascade_noise_db([(-128, 40), (-100, 0)]), 2)
    -127.73
    """
    levels, before_db = [], 0.0
    for noise_db, gain_db in stages:
        levels.append(noise_db - before_db)
        before_db += gain_db
    return uncorrelated_sum_db(levels)


def noise_as_sound_db_spl(noise_dbu: float, sensitivity_dbu_per_pa: float) -> float:
    """The sound level that would make this noise: 93.98 + EIN - S. -128 dBu behind 1.1 mV/Pa is 22.9 dB
    SPL.

    >>> round(noise_as_sound_db_spl(-128, -56.95), 1)
    22.9
    """
    return PASCAL_DB_SPL + noise_dbu - sensitivity_dbu_per_pa


def converter_snr_db(bits: int) -> float:
    """Signal to noise of an ideal converter for a full-scale sine: 6.0206 N + 1.76 dB (Bennett 1948).

    >>> round(converter_snr_db(24), 1)
    146.3
    """
    return 20 * bits * math.log10(2) + 10 * math.log10(1.5)


def loading_gain_db(source_ohms: float, load_ohms: float) -> float:
    """Level lost into a load: 20 lg(ZL / (ZS + ZL)); equal impedances -6.02 dB.

    >>> round(loading_gain_db(600, 600), 2)
    -6.02
    """
    return 20 * math.log10(load_ohms / (source_ohms + load_ohms))


def without_noise_db(total_db: float, part_db: float) -> float | None:
    """What is left of a noise when a known part is taken off, as powers; None when the part is all of it.

    >>> round(without_noise_db(33.01, 30), 2)
    30.0
    """
    left = db_to_power(total_db) - db_to_power(part_db)
    return power_to_db(left) if left > 0 else None
