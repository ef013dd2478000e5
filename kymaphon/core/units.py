"""Decibels, their references, and how levels add.

Sources: AES17 for dBFS (a full-scale sine reads 0 dBFS rms); IEC 60027-3 for level quantities;
dBu is re sqrt(0.6) V and dBV re 1 V (IEC 60268-1 usage); dB SPL is re 20 uPa (ISO 1683).
"""

from __future__ import annotations

import math
from collections.abc import Iterable

SILENCE_DB = -300.0
"""Stands for "no signal at all"; far below any physical level, and finite so that sums stay numbers."""

DBU_REFERENCE_V = math.sqrt(0.6)
SPL_REFERENCE_PA = 20e-6
DBV_TO_DBU_DB = 20 * math.log10(1 / DBU_REFERENCE_V)
PASCAL_DB_SPL = 20 * math.log10(1 / SPL_REFERENCE_PA)


def amplitude_to_db(ratio: float) -> float:
    """Level in dB of an amplitude ratio; zero gives `SILENCE_DB`.

    Raises:
        ValueError: the ratio is negative.

    >>> round(amplitude_to_db(2), 2)
    6.02
    """
    if ratio < 0:
        raise ValueError("an amplitude ratio is not negative")
    return 20 * math.log10(ratio) if ratio > 0 else SILENCE_DB


def db_to_amplitude(level_db: float) -> float:
    """Amplitude ratio of a level in dB.

    >>> round(db_to_amplitude(-6), 3)
    0.501
    """
    return float(10 ** (level_db / 20))


def power_to_db(ratio: float) -> float:
    """Level in dB of a power ratio; zero gives `SILENCE_DB`.

    Raises:
        ValueError: the ratio is negative.

    >>> round(power_to_db(0.5), 2)
    -3.01
    """
    if ratio < 0:
        raise ValueError("a power ratio is not negative")
    return 10 * math.log10(ratio) if ratio > 0 else SILENCE_DB


def db_to_power(level_db: float) -> float:
    """Power ratio of a level in dB.

    >>> db_to_power(-20)
    0.01
    """
    return float(10 ** (level_db / 10))


def dbu_to_volts(level_dbu: float) -> float:
    """Volts rms of a level in dBu: 0 dBu is 0.7746 V.

    >>> round(dbu_to_volts(4), 3)
    1.228
    """
    return DBU_REFERENCE_V * db_to_amplitude(level_dbu)


def volts_to_dbu(volts_rms: float) -> float:
    """Level in dBu of volts rms.

    >>> round(volts_to_dbu(1.0), 2)
    2.22
    """
    return amplitude_to_db(volts_rms / DBU_REFERENCE_V)


def dbv_to_dbu(level_dbv: float) -> float:
    """Level in dBu of a level in dBV: 2.2185 dB more.

    >>> round(dbv_to_dbu(-10), 2)
    -7.78
    """
    return level_dbv + DBV_TO_DBU_DB


def dbu_to_dbv(level_dbu: float) -> float:
    """Level in dBV of a level in dBu."""
    return level_dbu - DBV_TO_DBU_DB


def pascal_to_spl(pascal_rms: float) -> float:
    """Sound pressure level in dB re 20 uPa: 1 Pa is 93.98 dB.

    >>> round(pascal_to_spl(1.0), 2)
    93.98
    """
    return amplitude_to_db(pascal_rms / SPL_REFERENCE_PA)


def uncorrelated_sum_db(levels_db: Iterable[float]) -> float:
    """Level of independent signals together: 10 lg sum 10^(L/10). Nothing to add gives `SILENCE_DB`.

    >>> round(uncorrelated_sum_db([60, 60]), 2)
    63.01
    """
    return power_to_db(sum(db_to_power(level) for level in levels_db))


def correlated_sum_db(levels_db: Iterable[float]) -> float:
    """Level of copies of one signal in step: 20 lg sum 10^(L/20). Nothing to add gives `SILENCE_DB`.

    >>> round(correlated_sum_db([60, 60]), 2)
    66.02
    """
    return amplitude_to_db(sum(db_to_amplitude(level) for level in levels_db))


def buffer_ms(samples: int, sample_rate_hz: int) -> float:
    """Delay of one audio buffer in ms: 256 samples at 48 kHz take 5.33 ms.

    >>> round(buffer_ms(256, 48000), 2)
    5.33
    """
    return 1000 * samples / sample_rate_hz
