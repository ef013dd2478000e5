"""Sound in a place: distance, direction, pickup patterns, the speed of sound.

First-order patterns are p(t) = A + B cos t with B = 1 - A (Eargle, The Microphone Book).
"""

from __future__ import annotations

import math

from kymaphon.core.figures import number
from kymaphon.core.units import amplitude_to_db, power_to_db

PATTERNS: dict[str, float] = {
    "omni": 1.0,
    "wide-cardioid": 0.7,
    "cardioid": 0.5,
    "supercardioid": 0.366,
    "hypercardioid": 0.25,
    "figure-of-eight": 0.0,
}
"""The pressure part A of each first-order pattern; the gradient part B is 1 - A (Eargle)."""


def speed_of_sound_m_s(temperature_c: float = 20.0) -> float:
    """331.3 sqrt(1 + T/273.15): 343.2 m/s at 20 degrees Celsius.

    Raises:
        ValueError: at or below absolute zero.

    >>> round(speed_of_sound_m_s(20), 1)
    343.2
    """
    if temperature_c <= -273.15:
        raise ValueError("temperature at or below absolute zero")
    return 331.3 * math.sqrt(1 + temperature_c / 273.15)


def travel_ms(distance_m: float) -> float:
    """Time that sound takes over a distance in metres: 2.914 ms per metre at 20 degrees Celsius.

    >>> round(travel_ms(10), 1)
    29.1
    """
    return 1000 * distance_m / speed_of_sound_m_s(number("air-temperature"))


def distance_gain_db(distance_m: float, reference_m: float = 1.0) -> float:
    """Free-field level change from the reference distance: -20 lg(d/d0); double the distance, -6.02 dB.

    Raises:
        ValueError: a distance is zero, negative or not a number.

    >>> round(distance_gain_db(2), 2)
    -6.02
    """
    if not (distance_m > 0 and reference_m > 0):
        raise ValueError("a distance must be above zero")
    return -20 * math.log10(distance_m / reference_m)


def pattern_gain_db(pattern: str, angle_deg: float) -> float:
    """Level change off the axis of a first-order pattern, floored at the deepest null of a real room.

    Raises:
        KeyError: the pattern is not one of `PATTERNS`.

    >>> round(pattern_gain_db("cardioid", 90), 2)
    -6.02
    """
    a = PATTERNS[pattern]
    response = abs(a + (1 - a) * math.cos(math.radians(angle_deg)))
    return max(amplitude_to_db(response), number("pattern-floor"))


def random_efficiency_db(pattern: str) -> float:
    """Diffuse sound against sound on the axis: 10 lg(A^2 + B^2/3); cardioid -4.77 dB (Eargle).

    Raises:
        KeyError: the pattern is not one of `PATTERNS`.

    >>> round(random_efficiency_db("cardioid"), 2)
    -4.77
    """
    a = PATTERNS[pattern]
    return power_to_db(a * a + (1 - a) ** 2 / 3)


def distance_factor(pattern: str) -> float:
    """How much further away than an omni for the same room share: 1/sqrt(REE); cardioid 1.73 (Eargle).

    >>> round(distance_factor("cardioid"), 2)
    1.73
    """
    return float(10 ** (-random_efficiency_db(pattern) / 20))


def comb(first_ms: float, second_ms: float, difference_db: float) -> tuple[float, float, float]:
    """What two arrivals of one sound do to it.

    Args:
        first_ms, second_ms: arrival times.
        difference_db: how far the weaker lies below the stronger, 0 or more.

    Returns:
        First notch in Hz (1 / 2 dt), peak in dB (20 lg(1 + g)), dip in dB (20 lg(1 - g), floored at -60).

    Raises:
        ValueError: the arrivals coincide.

    >>> [round(value, 2) for value in comb(0, 1, 9.54)]
    [500.0, 2.5, -3.52]
    """
    apart_s = abs(second_ms - first_ms) / 1000
    if apart_s == 0:
        raise ValueError("arrivals at the same time make no comb")
    g = 10 ** (-abs(difference_db) / 20)
    return 1 / (2 * apart_s), amplitude_to_db(1 + g), max(amplitude_to_db(1 - g), -60.0)


def angle_between_deg(at: tuple[float, float], aim_deg: float, to: tuple[float, float]) -> float:
    """Angle between where something at `at` points and the direction of `to`, 0 to 180 degrees.

    Angles on a plan are measured anticlockwise from the x axis. Coincident points count as on the axis.

    >>> angle_between_deg((0, 0), 0, (0, 2))
    90.0
    """
    dx, dy = to[0] - at[0], to[1] - at[1]
    if dx == 0 and dy == 0:
        return 0.0
    off = (math.degrees(math.atan2(dy, dx)) - aim_deg) % 360
    return min(off, 360 - off)
