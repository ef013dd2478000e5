"""A number that can explain itself.

Every computed value that a user sees is a `Derived`: the value, the formula it came from, the terms that were
put in
(each of which may itself be derived), and the source of the formula or figure.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

MINUS = "\u2212"
UNIT_KEYS = {
    "dB": "_db",
    "dB SPL": "_db_spl",
    "dBA": "_dba",
    "dBFS": "_dbfs",
    "dBu": "_dbu",
    "dBu(A)": "_dbu_a",
    "dBFS(A)": "_dbfs_a",
    "dBu/Pa": "_dbu_per_pa",
    "LUFS": "_lufs",
    "LU": "_lu",
    "VU": "_vu",
    "PPM": "_ppm",
    "dBTP": "_dbtp",
    "h": "_h",
    "min": "_min",
    "ms": "_ms",
    "bytes": "_bytes",
    "kbit/s": "_kbps",
    "Mbit/s": "_mbps",
    "Hz": "_hz",
    "m": "_m",
    "mA": "_ma",
    "ohm": "_ohm",
    "kohm": "_kohm",
    "V": "_v",
    "s": "_s",
    "\u00b0": "_deg",
    "%": "_percent",
    "SII": "_sii",
    "": "",
}
_DECIMALS = {
    "": 0,
    "\u00b0": 0,
    "%": 0,
    "m": 2,
    "SII": 2,
    "V": 1,
    "mA": 1,
    "Hz": 0,
    "ohm": 0,
    "kohm": 2,
    "bytes": 0,
    "kbit/s": 0,
}


def show_number(value: float, unit: str = "", *, sign: bool = False) -> str:
    """The figure as it is printed: one decimal for dB and ms, true minus sign, unit after a space."""
    digits = _DECIMALS.get(unit, 1)
    if unit == "ms" and abs(value) >= 1000:
        value, unit, digits = value / 1000, "s", 3
    if unit == "Hz" and abs(value) >= 10000:
        value, unit, digits = value / 1000, "kHz", 1
    if unit == "m" and abs(value) < 1:
        value, unit, digits = value * 100, "cm", 0
    if round(value, digits) == 0:
        value = 0.0
    text = f"{value:{'+' if sign else ''}.{digits}f}".replace("-", MINUS)
    if unit == "\u00b0":
        return text + unit
    return f"{text} {unit}".rstrip()


LEAST_SPREAD = {"dB": 1.5, "dBA": 1.5, "dB SPL": 1.5, "dBu": 1.5, "dBFS": 1.5, "h": 0.25}
"""A figure that is known no better than so, to either side, is told as a range."""


def in_sentence(name: str) -> str:
    """A name inside a sentence: its first letter small, abbreviations (`USB microphone`, `VU meter`) as they are."""
    first = name.split(" ", 1)[0]
    return name if len(first) > 1 and first.isupper() else name[:1].lower() + name[1:]


def show_whole(value: float, unit: str = "") -> str:
    """A figure that is not known to the decimal: in whole numbers; below ten of a time, with one."""
    digits = 1 if unit == "h" and abs(value) < 10 else 0
    return f"{value:.{digits}f} {unit}".replace("-", MINUS).strip()


def class_under(db: tuple[float, float], over: str) -> str:
    """How far something lies under something else, as exactly as it is known: `negligible, 60 to 100 dB under the voice`.

    Args:
        db: lowest and highest.
        over: what it lies under, such as `the voice`.
    """
    low, high = (5 * round(row / 5) for row in db)
    if low <= 0:
        return f"{max(high, 0):.0f} dB under {over} at best, and at worst as loud"
    word = "negligible, " if low >= NEGLIGIBLE_DB else ""
    return f"{word}{low:.0f} to {high:.0f} dB under {over}" if high > low else f"{word}about {low:.0f} dB under {over}"


NEGLIGIBLE_DB = 60
"""Under what is heard in any pause (common practice: a clean recording has 60 dB)."""


@dataclass(frozen=True, slots=True)
class Derived:
    """A value with its arithmetic.

    Attributes:
        name: what the value is, in a few plain words.
        value: the figure, in `unit`.
        unit: one of the keys of `UNIT_KEYS`.
        formula: the rule in symbols, or empty for a given figure.
        terms: what was put in, in the order of the formula. In a plain sum the terms add up to `value`.
        source: a standard, a book, a device's data, a setting of the show, or an assumption named as one.
        adds: whether `value` is the plain sum of the terms' values.
        spread: lowest and highest that it may be, where it rests on what is assumed or differs from case to case; None
            where it is as exact as what was given. A sum has that of its terms: see `span`.
    """

    name: str
    value: float
    unit: str
    formula: str = ""
    terms: tuple[Derived, ...] = field(default=())
    source: str = ""
    adds: bool = False
    spread: tuple[float, float] | None = None

    def span(self) -> tuple[float, float] | None:
        """Lowest and highest that it may be; None where it is as exact as what was given.

        In a sum the spreads of independent terms add as squares, each side by itself (JCGM 100:2008, GUM).
        """
        if self.spread is not None or not self.adds:
            return self.spread
        known = [(term.value - span[0], span[1] - term.value) for term in self.terms if (span := term.span())]
        if not known:
            return None
        below, above = (math.sqrt(sum(row[side] ** 2 for row in known)) for side in (0, 1))
        return self.value - below, self.value + above

    def text(self) -> str:
        """The value with its unit, as exactly as it is known: a range where it rests on what is assumed."""
        span = self.span()
        if span is None or span[1] - span[0] < 2 * LEAST_SPREAD.get(self.unit, math.inf):
            return show_number(self.value, self.unit, sign=self.unit == "dB")
        return f"{show_whole(self.value, self.unit)} ({show_whole(span[0])} to {show_whole(span[1])})"

    def equation(self) -> str:
        """The formula with the figures put in; empty for a given figure."""
        if self.adds and len(self.terms) > 1:
            parts = [show_number(self.terms[0].value, self.terms[0].unit).rsplit(" ", 1)[0]]
            first_unit = self.terms[0].unit
            if first_unit == "dB SPL":
                parts[0] = show_number(self.terms[0].value, "dB").removesuffix(" dB")
            for term in self.terms[1:]:
                sign = MINUS if round(term.value, 1) < 0 else "+"
                parts.append(f"{sign} {abs(term.value):.1f}")
            return f"{show_number(self.value, 'dB').removesuffix(' dB')} = {' '.join(parts)}"
        return "" if self.adds else self.formula

    def walk(self) -> Iterator[tuple[int, Derived]]:
        """This value and everything under it, with its depth, in reading order."""
        yield 0, self
        for term in self.terms:
            for depth, below in term.walk():
                yield depth + 1, below

    def to_json(self) -> dict[str, Any]:
        """Plain data, the unit in the key of the value."""
        out: dict[str, Any] = {"name": self.name, "value" + UNIT_KEYS[self.unit]: round(self.value, 4)}
        if self.equation():
            out["formula"] = self.equation()
        if self.source:
            out["source"] = self.source
        span = self.span()
        if span is not None:
            out["between"] = [round(span[0], 3), round(span[1], 3)]
        if self.terms:
            out["terms"] = [term.to_json() for term in self.terms]
        return out


def less(row: Derived, name: str = "") -> Derived:
    """A figure that is taken off: its sign turned, and its spread with it; its own lines stay under it."""
    span = row.span()
    turned = None if span is None else (-span[1], -span[0])
    return Derived(name or f"less: {row.name}", -row.value, "dB", row.equation(), row.terms, row.source, spread=turned)


def total(name: str, unit: str, terms: tuple[Derived, ...], *, source: str = "") -> Derived:
    """The plain sum of its terms."""
    return Derived(name, sum(term.value for term in terms), unit, "sum of the lines", terms, source, True)
