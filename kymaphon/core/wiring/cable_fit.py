"""How the cables of a show fit, and what their length does."""

from __future__ import annotations

import math

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.figures import figure
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.show import Cable
from kymaphon.core.wiring.fit import Fit, fit_of
from kymaphon.core.wiring.open_ends import level_at


def cable_fit(analysis: Computed, cable: Cable) -> Fit:
    """How a cable of the show fits, with the level that really comes."""
    source = end_of(analysis.show, analysis.catalogue, cable.source)
    target = end_of(analysis.show, analysis.catalogue, cable.target)
    return fit_of(source, target, cable.adapter, level_at(analysis, source))


def cable_corner_hz(source_ohm: float, load_ohm: float | None, metres: float) -> Derived:
    """Where a cable's capacitance takes 3 dB off: 1 / (2 pi R C), R the source and its load in parallel."""
    ohms = source_ohm if not load_ohm else 1 / (1 / source_ohm + 1 / load_ohm)
    each = figure("cable-pf")
    farad = each.value * metres * 1e-12
    corner = 1 / (2 * math.pi * ohms * farad) if farad > 0 else math.inf
    formula = f"1 / (2π × {ohms:.0f} ohm × {farad * 1e9:.2f} nF)"
    terms = (
        Derived("source", source_ohm, "ohm", source="device data"),
        *((Derived("load", load_ohm, "ohm", source="device data"),) if load_ohm else ()),
        Derived("length", metres, "m", source="given"),
        each,
    )
    return Derived("3 dB down at", min(corner, 1e9), "Hz", formula, terms, "low-pass of first order")
