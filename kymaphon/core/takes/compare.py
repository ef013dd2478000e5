"""Several takes of one voice side by side: at equal speech level, which has the least noise, and is that real.

The noise of a take is the power in its pauses; how much that may be off comes from how it varies between half seconds of
pause, and the speech level's from how it varies between stretches of talk. A difference is real when it is larger than
twice its standard uncertainty (JCGM 100, the GUM: coverage factor 2).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.levels.meter.active import MARGIN_DB, SINE_DB
from kymaphon.core.takes.floor import HOP_S
from kymaphon.core.takes.measure import TakeMeasure
from kymaphon.core.units import power_to_db

HANG_HOPS = round(0.2 / HOP_S)
CHUNK_HOPS = round(0.5 / HOP_S)
STRETCH_HOPS = round(5.0 / HOP_S)
LEAST_CHUNKS = 3
LEAST_STRETCHES = 2
PER_DB = 10 / math.log(10)
"""What a relative error of one in a power is in dB, for small ones."""


class NotComparableError(ValueError):
    """A take that cannot be compared; `name` says which, the message why."""

    def __init__(self, name: str, why: str) -> None:
        super().__init__(f"{name}: {why}")
        self.name = name


@dataclass(frozen=True, slots=True)
class Compared:
    """One take in a comparison.

    Attributes:
        speech_dbfs, noise_dbfs: active speech level, and the noise in its pauses (AES17).
        speech_u_db, noise_u_db: their standard uncertainties.
        equal_gain_db: brings its speech to that of the first take.
        pauses_s: seconds of pause that the noise was told from.
    """

    name: str
    sample_rate_hz: int
    speech_dbfs: float
    speech_u_db: float
    noise_dbfs: float
    noise_u_db: float
    pauses_s: float
    equal_gain_db: float = 0.0
    notes: tuple[str, ...] = ()

    @property
    def noise_re_speech_db(self) -> float:
        return self.noise_dbfs - self.speech_dbfs

    @property
    def u_db(self) -> float:
        """Standard uncertainty of the noise against speech."""
        return math.hypot(self.speech_u_db, self.noise_u_db)

    def why(self) -> Derived:
        """Noise against speech, line by line."""
        terms = (
            Derived(
                "noise in the pauses",
                self.noise_dbfs,
                "dBFS",
                source=f"{self.pauses_s:.1f} s of pause, give or take {self.noise_u_db:.1f} dB",
            ),
            Derived(
                "less the speech level",
                -self.speech_dbfs,
                "dB",
                source=f"ITU-T P.56, give or take {self.speech_u_db:.1f} dB",
            ),
        )
        return Derived(
            f"{self.name}, noise against speech",
            self.noise_re_speech_db,
            "dB",
            "sum of the lines",
            terms,
            "JCGM 100",
            True,
        )

    def to_json(self) -> dict[str, Any]:
        return {
            "name": self.name,
            "sample_rate_hz": self.sample_rate_hz,
            "speech_dbfs": round(self.speech_dbfs, 3),
            "speech_uncertainty_db": round(self.speech_u_db, 3),
            "noise_dbfs": round(self.noise_dbfs, 3),
            "noise_uncertainty_db": round(self.noise_u_db, 3),
            "noise_re_speech_db": round(self.noise_re_speech_db, 3),
            "uncertainty_db": round(self.u_db, 3),
            "equal_gain_db": round(self.equal_gain_db, 3),
            "pauses_s": round(self.pauses_s, 3),
            "notes": list(self.notes),
        }


@dataclass(frozen=True, slots=True)
class Comparison:
    """Takes, the least noise against speech first, and what may be said of them."""

    takes: tuple[Compared, ...]
    verdict: str

    def differs(self, first: int, second: int) -> tuple[float, float, bool]:
        """How much less noise one take has than another, the expanded uncertainty of that, and whether it is real."""
        a, b = self.takes[first], self.takes[second]
        gap = b.noise_re_speech_db - a.noise_re_speech_db
        wide = number("coverage") * math.hypot(a.u_db, b.u_db)
        return gap, wide, abs(gap) > wide

    def to_json(self) -> dict[str, Any]:
        pairs = []
        for i in range(1, len(self.takes)):
            gap, wide, real = self.differs(0, i)
            pairs.append(
                {
                    "quieter": self.takes[0].name,
                    "than": self.takes[i].name,
                    "by_db": round(gap, 3),
                    "expanded_uncertainty_db": round(wide, 3),
                    "real": real,
                }
            )
        return {"takes": [row.to_json() for row in self.takes], "differences": pairs, "verdict": self.verdict}


def compare(takes: Sequence[tuple[str, TakeMeasure]]) -> Comparison:
    """Compares takes of one voice.

    Raises:
        ValueError: fewer than two takes.
        NotComparableError: a take without speech, without pauses, too short or clipped from end to end.
    """
    if len(takes) < 2:
        raise ValueError("a comparison needs at least two takes")
    rows = [_compared(name, measure) for name, measure in takes]
    first = rows[0].speech_dbfs
    rates = {row.sample_rate_hz for row in rows}
    made = []
    for row in rows:
        notes = row.notes
        if len(rates) > 1:
            notes = (*notes, f"noise counted up to {row.sample_rate_hz / 2000:g} kHz, others differ")
        made.append(_with(row, first - row.speech_dbfs, notes))
    ordered = tuple(sorted(made, key=lambda row: row.noise_re_speech_db))
    bare = Comparison(ordered, "")
    return Comparison(ordered, _verdict(bare))


def _with(row: Compared, gain: float, notes: tuple[str, ...]) -> Compared:
    return Compared(
        row.name,
        row.sample_rate_hz,
        row.speech_dbfs,
        row.speech_u_db,
        row.noise_dbfs,
        row.noise_u_db,
        row.pauses_s,
        gain,
        notes,
    )


def _verdict(comparison: Comparison) -> str:
    best = comparison.takes[0]
    alike: list[str] = []
    worse: list[str] = []
    for i in range(1, len(comparison.takes)):
        gap, wide, real = comparison.differs(0, i)
        text = f"{comparison.takes[i].name} by {show_number(gap, 'dB')} give or take {show_number(wide, 'dB')}"
        (worse if real else alike).append(text)
    parts = []
    if worse:
        parts.append(f"At one speech level {best.name} is quieter than {'; than '.join(worse)}: real.")
    if alike:
        lead = "It is quieter than" if worse else f"At one speech level {best.name} is quieter than"
        parts.append(
            f"{lead} {'; than '.join(alike)}: that may be chance. Choose by ear or by convenience, or record longer."
        )
    return " ".join(parts)


def _compared(name: str, measure: TakeMeasure) -> Compared:
    if measure.speech_dbfs is None:
        why = next(
            (note for note in measure.notes if "speech" in note or "silence" in note or "empty" in note),
            "no speech found",
        )
        raise NotComparableError(name, why)
    clipped = next((note for note in measure.notes if note.startswith("clipped from end")), None)
    if clipped:
        raise NotComparableError(name, clipped)
    hops = np.asarray(measure.hop_power, dtype=np.float64)
    active = _active(hops, measure.speech_dbfs, measure.noise_floor_dbfs)
    quiet = hops[~active]
    chunks = _chunks(quiet, CHUNK_HOPS)
    if len(chunks) < LEAST_CHUNKS:
        held = len(quiet) * HOP_S
        raise NotComparableError(
            name,
            f"only {held:.1f} s of pause; at least {LEAST_CHUNKS * CHUNK_HOPS * HOP_S:.1f} s are needed to tell its noise",
        )
    if not chunks.mean() > 0:
        raise NotComparableError(name, "its pauses are digital silence: a gate or an edit, not its noise")
    stretches = _chunks(hops[active], STRETCH_HOPS)
    if len(stretches) < LEAST_STRETCHES:
        raise NotComparableError(name, "less than ten seconds of talk: its level cannot be told with an uncertainty")
    notes = (f"{measure.clipped_runs} clipped runs",) if measure.clipped_runs else ()
    return Compared(
        name,
        measure.sample_rate_hz,
        measure.speech_dbfs,
        _spread(stretches),
        power_to_db(float(chunks.mean())) + SINE_DB,
        _spread(chunks),
        len(quiet) * HOP_S,
        notes=notes,
    )


def _active(hops: NDArray[np.float64], speech_dbfs: float, floor_dbfs: float | None) -> NDArray[np.bool_]:
    """Which hops are talk: over the threshold of P.56, or half way to the floor where noise lies higher; with a hangover."""
    threshold = speech_dbfs - MARGIN_DB
    if floor_dbfs is not None:
        threshold = max(threshold, min((speech_dbfs + floor_dbfs) / 2, floor_dbfs + 10))
    over = hops >= 10 ** ((threshold - SINE_DB) / 10)
    out = over.copy()
    for shift in range(1, HANG_HOPS + 1):
        out[shift:] |= over[:-shift]
    # A word begins a little before it is over the threshold.
    out[:-1] |= over[1:]
    return out


def _chunks(values: NDArray[np.float64], length: int) -> NDArray[np.float64]:
    whole = len(values) // length
    return np.asarray(values[: whole * length].reshape(whole, length).mean(axis=1), dtype=np.float64)


def _spread(chunks: NDArray[np.float64]) -> float:
    """Standard uncertainty of the mean of some powers, in dB."""
    if len(chunks) < 2 or not chunks.mean() > 0:
        return 0.0
    return float(PER_DB * chunks.std(ddof=1) / math.sqrt(len(chunks)) / chunks.mean())
