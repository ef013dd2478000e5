"""The noise that a microphone makes by itself, as sound at its diaphragm; that of a source's impedance; and that of a
preamplifier without the resistor that its EIN was measured with.
"""

from __future__ import annotations

from functools import lru_cache

from kymaphon.core.derive import Derived, total
from kymaphon.core.figures import number
from kymaphon.core.model.catalogue import Kind, Port, Strip
from kymaphon.core.model.weights import white_a
from kymaphon.core.noise import noise_as_sound_db_spl, thermal_noise_dbu, without_noise_db
from kymaphon.core.units import dbv_to_dbu


def own_noise(kind: Kind, name: str) -> Derived:
    """Equivalent sound level of a microphone's own noise, A-weighted: as stated, else the thermal noise of its
    impedance. It is taken to be white: unweighted it is more by `-white_a_db()`.

    Raises:
        ValueError: the kind is no microphone.
    """
    mic = kind.microphone
    if mic is None:
        raise ValueError(f"{kind.name} is no microphone")
    if mic.self_noise_dba is not None:
        return Derived(f"{name}, own noise", mic.self_noise_dba, "dBA", source="device data")
    out = kind.port("out")
    ohms = (out.impedance_ohm if out else None) or number("source-impedance")
    thermal = thermal_noise_dbu(ohms, number("noise-bandwidth"), number("air-temperature"))
    sensitivity = dbv_to_dbu(mic.sensitivity_dbv_pa)
    terms = (
        Derived(f"thermal noise of {ohms:.0f} ohm", thermal, "dBu", "sqrt(4kTRB)", source="Johnson 1928"),
        Derived("sensitivity", sensitivity, "dBu/Pa", source=f"device data: {kind.name}"),
    )
    flat = Derived(
        f"thermal noise of {ohms:.0f} ohm as sound",
        noise_as_sound_db_spl(thermal, sensitivity),
        "dB SPL",
        "94.0 + thermal \u2212 sensitivity",
        terms,
        "94 dB SPL is 1 Pa",
    )
    return total(f"{name}, thermal noise of {ohms:.0f} ohm as sound", "dBA", (flat, white_a()))


@lru_cache(maxsize=1024)
def thermal_of(ohms: float) -> Derived:
    """Thermal noise of a source's impedance in dBu, at room temperature over the bandwidth of noise figures."""
    bandwidth = number("noise-bandwidth")
    value = thermal_noise_dbu(ohms, bandwidth, number("air-temperature"))
    return Derived(f"thermal noise of {ohms:.0f} ohm", value, "dBu", "sqrt(4kTRB)", source="Johnson 1928")


def measured_with(strip: Strip) -> Derived:
    """Thermal noise of the resistor across the input while the EIN was measured."""
    return thermal_of(strip.ein_source_ohm)


@lru_cache(maxsize=1024)
def own_ein(strip: Strip) -> tuple[tuple[float, float], ...]:
    """(gain in dB, noise in dBu) of the amplifier alone at each stated point: EIN less the resistor that it was measured
    with, as powers.
    """
    thermal = measured_with(strip).value
    rows = ((gain, without_noise_db(ein, thermal)) for gain, ein in strip.ein_dbu)
    return tuple((gain, thermal - 40.0 if own is None else own) for gain, own in rows)


def source_noise(port: Port, name: str) -> Derived:
    """Thermal noise that an output brings into whatever it is plugged into; its usual impedance where none is stated."""
    ohms = port.impedance_ohm or number("source-impedance")
    thermal = thermal_of(ohms)
    return total(f"{name}, its own impedance", "dBu", (thermal,), source=thermal.source)
