"""How a microphone hears: off its axis, the sound all around it, and things very near.

Each figure is against an omnidirectional microphone of the same stated sensitivity at the same spot, in dB.

- First-order patterns: p(t) = A + B cos t; diffuse sound A^2 + B^2/3 (Eargle, The Microphone Book).
- Gun: a supercardioid behind a line of open ports. The line takes off sin(x)/x with
  x = pi L / lambda (1 - cos t) (Olson, Elements of Acoustical Engineering, line microphone; from memory), so low
  sounds are picked up like a supercardioid and high ones narrowly. Summed over octave bands.
- Boundary: an omni let into a large hard surface. What comes direct is doubled, 6.02 dB, which its stated sensitivity
  contains; diffuse sound gains only 3.01 dB there (Waterhouse 1955, from memory), so it lies 3.01 dB down.
- Close-talking: two sides, a gap D apart, that work against each other. A mouth at r reaches the far side weaker
  and later, |1 - r/r2 e^(-jk(r2-r))|; sound from afar reaches both alike and cancels, the more the lower it is. Its
  sensitivity is stated at its reference distance, where each band is taken to be made flat (from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from kymaphon.core.acoustics.mouth import between
from kymaphon.core.acoustics.sound import PATTERNS, pattern_gain_db, random_efficiency_db, speed_of_sound_m_s
from kymaphon.core.figures import acoustic_data, number
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.units import power_to_db

Floats = NDArray[np.float64]
BOUNDARY_DIFFUSE_DB = -10 * float(np.log10(2))
GUN_CAPSULE = "supercardioid"
_STEPS = 721
SOURCES = {
    "gun": "Olson: a line of ports, sin(x)/x, over a supercardioid; from memory",
    "boundary": "Waterhouse 1955: direct sound doubles at the surface, diffuse gains 3 dB; from memory",
    "close-talking": "two-port gradient in a near field, octave bands, flat at its reference distance; from memory",
}
FORMULAS = {
    "gun": "20 lg |A + B cos \u03b8| and the line's sin(x)/x",
    "boundary": "alike to every side above its surface",
    "close-talking": "|1 \u2212 r/r\u2082 e^(\u2212jk(r\u2082\u2212r))|",
}


@dataclass(frozen=True, slots=True)
class Pickup:
    """The directions of one kind of microphone, and what nearness does to it."""

    pattern: str
    tube_m: float = 0.25
    port_gap_m: float = 0.012

    @property
    def name(self) -> str:
        return self.pattern.replace("-", " ")

    @property
    def a_name(self) -> str:
        """With its article: `an omni`, `a gun microphone`."""
        word = self.name if self.pattern in PATTERNS else f"{self.name} microphone"
        return f"{'an' if word[0] in 'aeio' else 'a'} {word}"

    @property
    def source(self) -> str:
        """Where the model comes from."""
        return SOURCES.get(self.pattern, "Eargle, The Microphone Book")

    @property
    def formula(self) -> str:
        return FORMULAS.get(self.pattern, "20 lg |A + B cos \u03b8|")

    def gain_db(self, angle_deg: ArrayLike, distance_m: ArrayLike = 1.0) -> Floats:
        """Speech off the axis by so many degrees, at a distance in m; shapes broadcast. Floored at the deepest
        null of a real room.
        """
        angle = np.abs(np.asarray(angle_deg, dtype=float))
        if self.pattern == "close-talking":
            gains = _near_gradient_db(self.port_gap_m, angle, np.asarray(distance_m, dtype=float))
            return np.maximum(gains, number("pattern-floor"))
        grid, gains = _off_axis(self.pattern, self.tube_m)
        found: Floats = np.asarray(np.interp(angle, grid, gains))
        return found + np.zeros(np.broadcast_shapes(found.shape, np.shape(distance_m)))

    def gain_at_db(self, angle_deg: float, distance_m: float = 1.0) -> float:
        """`gain_db` at one angle and distance."""
        if self.pattern == "close-talking":
            return float(self.gain_db(angle_deg, distance_m))
        return between(abs(angle_deg), *_off_axis_lists(self.pattern, self.tube_m))

    def diffuse_db(self, noise: str = "room-tone") -> float:
        """Sound from all around, of a kind of noise, against sound on the axis."""
        return _diffuse_db(self.pattern, self.tube_m, self.port_gap_m, noise)

    def reverberant_db(self) -> float:
        """Speech from all around, after the room has mixed it."""
        return _diffuse_db(self.pattern, self.tube_m, self.port_gap_m, "speech")

    def tolerance_deg(self) -> float:
        """The angle at which speech loses 3 dB (half its power); 180 where it never does."""
        return _tolerance_deg(self.pattern, self.tube_m, self.port_gap_m)

    def quietest_deg(self) -> float:
        """The angle at which a distant sound is picked up least: where to put a loudspeaker."""
        grid = np.arange(0.0, 181.0)
        gains = self.gain_db(grid, 2.0)
        # A null is a stretch of angles at the floor of a real room: its middle, or straight behind when it ends there.
        lowest = grid[gains <= gains.min() + 0.01]
        return 180.0 if lowest[-1] == 180.0 else float(np.median(lowest))

    def proximity_db(self, distance_m: float, frequency_hz: float = 100.0) -> float:
        """What nearness adds at a low frequency against a voice far away, on the axis, in dB.

        A + B (1 + 1/(jkr)) for the first-order patterns: the gradient part grows in a spherical wave (Eargle).
        """
        a = PATTERNS.get(GUN_CAPSULE if self.pattern == "gun" else self.pattern, 1.0)
        if a == 1.0 or distance_m <= 0:
            return 0.0
        kr = 2 * np.pi * frequency_hz / _speed() * distance_m
        return float(20 * np.log10(abs(a + (1 - a) * (1 + 1 / (1j * kr)))))


def pickup_of(kind: Kind) -> Pickup:
    """The pickup of a kind with an acoustic input; kinds that are no microphone give their `pattern`, else omni."""
    if kind.microphone is None:
        return Pickup(kind.pattern if kind.pattern in PATTERNS else "omni")
    mic = kind.microphone
    return Pickup(mic.pattern, mic.tube_m, mic.port_gap_m)


@lru_cache(maxsize=1)
def _speed() -> float:
    return speed_of_sound_m_s(number("air-temperature"))


@lru_cache(maxsize=1)
def _bands() -> Floats:
    return np.array(acoustic_data()["bands_hz"], dtype=float)


@lru_cache(maxsize=16)
def _shares(noise: str) -> Floats:
    data = acoustic_data()
    power = (
        10 ** (np.array(data["speech_share"]["db"], dtype=float) / 10)
        if noise == "speech"
        else np.array(data["noise_share"][noise], dtype=float)
    )
    share: Floats = power / power.sum()
    return share


def _gun_power(angle_deg: Floats, tube_m: float) -> Floats:
    """Squared response of the gun; shape (bands, angles)."""
    a = PATTERNS[GUN_CAPSULE]
    cosine = np.cos(np.radians(angle_deg))
    base = (a + (1 - a) * cosine) ** 2
    x = tube_m * _bands()[:, None] / _speed() * (1 - cosine)
    power: Floats = base * np.sinc(x) ** 2
    return power


@lru_cache(maxsize=256)
def _off_axis(pattern: str, tube_m: float) -> tuple[Floats, Floats]:
    """Gain at each quarter degree from 0 to 180."""
    grid = np.linspace(0, 180, _STEPS)
    if pattern == "boundary":
        return grid, np.zeros_like(grid)
    if pattern == "gun":
        power = _shares("speech") @ _gun_power(grid, tube_m)
        return grid, np.maximum(10 * np.log10(np.maximum(power, 1e-9)), number("pattern-floor"))
    return grid, np.array([pattern_gain_db(pattern, float(angle)) for angle in grid])


@lru_cache(maxsize=256)
def _off_axis_lists(pattern: str, tube_m: float) -> tuple[list[float], list[float]]:
    grid, gains = _off_axis(pattern, tube_m)
    return grid.tolist(), gains.tolist()


@lru_cache(maxsize=1024)
def _diffuse_db(pattern: str, tube_m: float, gap_m: float, noise: str) -> float:
    if pattern == "boundary":
        return BOUNDARY_DIFFUSE_DB
    if pattern == "gun":
        grid = np.linspace(0, 180, _STEPS)
        power = _gun_power(grid, tube_m) * np.sin(np.radians(grid)) / 2
        around = np.trapezoid(power, np.radians(grid), axis=1)
        return power_to_db(float(_shares(noise) @ around))
    if pattern == "close-talking":
        kd = 2 * np.pi * _bands() / _speed() * gap_m
        around = (2 - 2 * np.sin(kd) / kd) / _near_reference(gap_m) ** 2
        return power_to_db(float(_shares(noise) @ around))
    return random_efficiency_db(pattern)


def _gradient(gap_m: float, angle_deg: Floats, distance_m: Floats) -> Floats:
    """|1 - r/r2 e^(-jk(r2-r))|; shape (bands, ...) over the broadcast shape of angle and distance."""
    r = np.maximum(distance_m, number("nearest-distance"))
    behind = np.sqrt(r**2 + gap_m**2 + 2 * r * gap_m * np.cos(np.radians(angle_deg)))
    # Nothing is nearer to either port than that; at the rear one itself the figure would be without bound.
    behind = np.maximum(behind, number("nearest-distance"))
    k = 2 * np.pi * _bands() / _speed()
    shape = (-1,) + (1,) * np.ndim(behind)
    size: Floats = np.abs(1 - r / behind * np.exp(-1j * k.reshape(shape) * (behind - r)))
    return size


@lru_cache(maxsize=64)
def _near_reference(gap_m: float) -> Floats:
    return _gradient(gap_m, np.array(0.0), np.array(number("close-reference")))


def _near_gradient_db(gap_m: float, angle_deg: Floats, distance_m: Floats) -> Floats:
    size = _gradient(gap_m, angle_deg, distance_m)
    reference = _near_reference(gap_m).reshape((-1,) + (1,) * (size.ndim - 1))
    power = np.tensordot(_shares("speech"), (size / reference) ** 2, axes=1)
    level: Floats = 10 * np.log10(np.maximum(power, 1e-9))
    return level


@lru_cache(maxsize=256)
def _tolerance_deg(pattern: str, tube_m: float, gap_m: float) -> float:
    grid = np.linspace(0, 180, _STEPS)
    gains = Pickup(pattern, tube_m, gap_m).gain_db(grid, number("close-reference"))
    low = np.flatnonzero(gains < gains[0] - number("off-axis-tolerance"))
    return float(grid[low[0]]) if len(low) else 180.0
