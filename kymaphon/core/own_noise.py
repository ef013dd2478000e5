"""The noise that a microphone makes by itself, as sound at its diaphragm."""

from __future__ import annotations

from kymaphon.core.catalogue import Kind
from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.noise import noise_as_sound_db_spl, thermal_noise_dbu
from kymaphon.core.units import dbv_to_dbu


def own_noise(kind: Kind, name: str) -> Derived:
    """Equivalent sound level of a microphone's own noise: as stated, else the thermal noise of its impedance.

    Raises:
        ValueError: the kind is no microphone.
    """
    mic = kind.microphone
    if mic is None:
        raise ValueError(f"{kind.name} is no microphone")
    if mic.self_noise_dba is not None:
        return Derived(f"{name}, own noise", mic.self_noise_dba, "dB SPL", source="device data, dBA")
    out = kind.port("out")
    ohms = (out.impedance_ohm if out else None) or number("source-impedance")
    thermal = thermal_noise_dbu(ohms, number("noise-bandwidth"), number("air-temperature"))
    sensitivity = dbv_to_dbu(mic.sensitivity_dbv_pa)
    terms = (
        Derived(f"thermal noise of {ohms:.0f} ohm", thermal, "dBu", "sqrt(4kTRB)", source="Johnson 1928"),
        Derived("sensitivity", sensitivity, "dBu/Pa", source=f"device data: {kind.name}"),
    )
    return Derived(
        f"{name}, thermal noise of {ohms:.0f} ohm as sound", noise_as_sound_db_spl(thermal, sensitivity), "dB SPL",
        "94.0 + thermal \u2212 sensitivity", terms, "94 dB SPL is 1 Pa",
    )  # fmt: skip
