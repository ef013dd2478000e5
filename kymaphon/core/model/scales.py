"""Meters' scales: what a level reads on each, and what a reading means in dBu or dBFS at a point of the rig."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cache, lru_cache
from typing import Any

import numpy as np

from kymaphon.core.derive import Derived, in_sentence, total
from kymaphon.core.figures import acoustic_data, data_table
from kymaphon.core.model.base import ScaleId
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.naming import device_name
from kymaphon.core.model.practice import Practice, practices
from kymaphon.core.model.show import Show
from kymaphon.core.weighting import OFFSET, k_gain_db

SINE_DB = 10 * math.log10(2)
"""An AES17 level over the plain mean square, and both sides of a stereo programme over one."""


@dataclass(frozen=True, slots=True)
class Scale:
    """The scale of a sort of meter.

    Attributes:
        domain: unit of the points where it can be read directly, dBu or dBFS.
        zero: level at the scale's reference mark, in `domain`; `vu-zero` means that of the house.
        at: what the scale prints there.
        per_db: scale marks for each dB.
        average_lead_db, peak_lead_db: what it shows of speech over the active level, on the average and at its peaks;
        None where nobody reads an average on it. Peaks are the usual ones of words on a meter of samples, the highest
        swings on a meter with a needle; `highest_lead_db` is the highest that it shows of some minutes.
    """

    id: ScaleId
    name: str
    unit: str
    domain: str
    zero: float | str
    at: float
    per_db: float
    average_lead_db: float | None
    peak_lead_db: float
    highest_lead_db: float
    ballistics: str
    source: str


SOUND = "spl"
"""The scale of a sound level meter, which is held up in a room and reads no socket."""


@dataclass(frozen=True, slots=True)
class House:
    """The alignments of a rig at one point.

    Attributes:
        vu_zero_dbu: level at which a VU meter reads 0.
        full_scale_dbu: analogue level of 0 dBFS.
        how: where that full scale comes from, in words.
        mono: loudness counts one channel.
        offset_db: the meter there reads so much more than its scale says.
    """

    vu_zero_dbu: float
    full_scale_dbu: float
    how: str
    mono: bool = False
    offset_db: float = 0.0


@cache
def scales() -> dict[str, Scale]:
    """All scales by id."""
    return {row["id"]: Scale(**row) for row in data_table("scales")["scales"]}


def socket_scales() -> dict[str, Scale]:
    """Those that read a point of the rig, by id."""
    return {name: row for name, row in scales().items() if name != SOUND}


def house_of(show: Show, *, mono: bool = False) -> House:
    """The show's own alignments: line-up level is 0 dBu at so many dBFS (EBU R 68: -18; SMPTE RP 155: -20)."""
    how = f"line-up of the show: 0 dBu at {show.line_up_dbfs:.0f} dBFS".replace("-", "\u2212")
    return House(show.vu_zero_dbu, -show.line_up_dbfs, how, mono)


def house_at(show: Show, catalogue: Catalogue, owners: Iterable[str], *, mono: bool = False) -> House:
    """The alignments where the signal passed these devices, nearest first: the first with a converter says what full
    scale is; without one, the show's line-up does.
    """
    rows = tuple(owners)
    here = show.find_device(rows[0]) if rows else None
    offset = here.meter_offset_db if here is not None else 0.0
    for owner in rows:
        device = show.find_device(owner)
        if device is None:
            continue
        full = catalogue[device.kind].full_scale_dbu
        if full is not None:
            name = device_name(show, device, catalogue[device.kind].name)
            at = f"{full:+.1f}".replace("-", "\u2212")
            how = f"converter of {name}: 0 dBFS is {at} dBu"
            return House(show.vu_zero_dbu, full, how, mono, offset)
    return replace(house_of(show, mono=mono), offset_db=offset)


@cache
def speech_k_db() -> float:
    """What the K-weighting adds to long-term average speech, in dB: the mean over octave bands (Byrne et al. 1994)."""
    data: dict[str, Any] = acoustic_data()
    power = 10 ** (np.array(data["speech_share"]["db"]) / 10)
    gains = 10 ** (k_gain_db(np.array(data["bands_hz"], dtype=np.float64)) / 10)
    return float(10 * np.log10((power * gains).sum() / power.sum()))


def mono_speech_lufs() -> float:
    """Loudness of one channel of speech at 0 dBFS (AES17)."""
    return -SINE_DB + OFFSET + speech_k_db()


def _zero(scale: Scale, house: House) -> float:
    return house.vu_zero_dbu if scale.zero == "vu-zero" else float(scale.zero)


def _steps(scale: Scale, house: House, unit: str) -> list[Derived]:
    """From a level in `unit` to one in the scale's domain, on a scale of one mark to the dB; the lines of it."""
    out = []
    if unit != scale.domain:
        sign = -1.0 if unit == "dBu" else 1.0
        out.append(Derived(f"{unit} to {scale.domain}", sign * house.full_scale_dbu, "dB", source=house.how))
    if scale.id == "lufs":
        out.append(Derived("mean square under a sine's level", -SINE_DB, "dB", source="AES17 against BS.1770-5"))
        weighting = OFFSET + speech_k_db()
        out.append(Derived("K-weighting of speech", weighting, "dB", source="BS.1770-5; Byrne et al. 1994"))
        if not house.mono:
            out.append(Derived("in both channels", SINE_DB, "dB", source="BS.1770-5: channels add up"))
    else:
        zero = _zero(scale, house)
        if zero:
            out.append(Derived("level at the scale's zero, taken off", -zero, "dB", source=scale.source))
    if house.offset_db:
        out.append(Derived("this meter reads more by", house.offset_db, "dB", source="show: meter_offset_db"))
    return out


def reading(scale_id: str, level: float, unit: str, house: House, *, peaks: bool = False) -> Derived:
    """What a meter shows of speech.

    Args:
        level: active speech level at the point, in `unit` (dBu or dBFS).
        peaks: the height of its swings instead of the average.

    Raises:
        KeyError: no such scale.
        ValueError: an average is asked of a meter that is read at its peaks.
    """
    scale = scales()[scale_id]
    lead = scale.peak_lead_db if peaks else scale.average_lead_db
    if lead is None:
        raise ValueError(f"a {scale.name} is read at its peaks")
    what = "peaks" if peaks else "average"
    terms = [Derived("speech here", level, unit), *_steps(scale, house, unit)]
    if lead:
        terms.append(Derived(f"{what} over the speech level", lead, "dB", source=scale.source))
    return _shown(scale, what, terms, scale.ballistics)


def _shown(scale: Scale, what: str, terms: list[Derived], source: str) -> Derived:
    """The sum of some lines as the scale is marked."""
    flat = sum(term.value for term in terms)
    name = f"{scale.name}, {what}"
    if scale.per_db == 1.0 and not scale.at:
        return Derived(name, flat, scale.unit, "sum of the lines", tuple(terms), source, True)
    formula = f"{scale.at:g} + {scale.per_db:g} \u00d7 sum of the lines"
    return Derived(name, scale.at + scale.per_db * flat, scale.unit, formula, tuple(terms), source)


def tone_reading(scale_id: str, level: float, unit: str, house: House) -> Derived:
    """What a meter shows of a steady sine at 1 kHz: its level, whatever its ballistics.

    Args:
        level: rms of the sine, in `unit` (dBu or dBFS, AES17).

    Raises:
        KeyError: no such scale.
    """
    scale = scales()[scale_id]
    terms = [Derived("sine here", level, unit)]
    for row in _steps(scale, house, unit):
        if scale.id == "lufs" and row.name.startswith("K-weighting"):
            # BS.1770-5: the offset makes up for what the weighting adds at 1 kHz.
            at_1k = OFFSET + float(k_gain_db(1000.0))
            row = Derived("K-weighting of 1 kHz", at_1k, "dB", source="ITU-R BS.1770-5")
        terms.append(row)
    return _shown(scale, "sine", terms, scale.source)


def level_of(scale_id: str, shown: float, unit: str, house: House, *, peaks: bool = False) -> float:
    """The active speech level in `unit` (dBu or dBFS) at which a meter shows so much; the inverse of `reading`."""
    at_zero = reading(scale_id, 0.0, unit, house, peaks=peaks).value
    return (shown - at_zero) / scales()[scale_id].per_db


@dataclass(frozen=True, slots=True)
class Mark:
    """A practice at one point, in the point's unit: where the active speech level should be.

    Attributes:
        average: active speech level wanted, in `unit`; `tolerance_db` either side of it is right.
        never_over: what short peaks should never pass, in `unit`; None where the practice does not say.
        line: how the average came about.
        zero_vu_dbu: what the house's lines are lined up to.
        room: what a voice should have where a room with loudspeakers is listened to; None for a comfortable level.
    """

    practice: Practice
    unit: str
    average: float
    tolerance_db: float
    never_over: float | None
    line: Derived
    zero_vu_dbu: float = 4.0
    room: Derived | None = None

    @property
    def name(self) -> str:
        return self.practice.name

    @property
    def source(self) -> str:
        return self.practice.source

    @property
    def meter(self) -> str:
        """The meter that it is read on, in a sentence, with what is printed on it: `a digital meter (dBFS)`."""
        scale = scales()[self.practice.scale]
        name = f"{'' if scale.name.endswith('s') else 'a '}{in_sentence(scale.name)}"
        return name if scale.unit.lower() in name.lower() else f"{name} ({scale.unit})"

    @property
    def window(self) -> tuple[float, float]:
        return self.average - self.tolerance_db, self.average + self.tolerance_db


@lru_cache(maxsize=512)
def mark_at(practice: Practice, unit: str, house: House) -> Mark:
    """A practice as an active speech level at a point of some unit (dBu or dBFS)."""
    scale = scales()[practice.scale]
    peaks = practice.average is None or scale.average_lead_db is None
    shown = practice.peak if peaks else practice.average
    if shown is None:
        raise ValueError(f"practice {practice.id} says nothing of what {scale.name} should show")
    # A mark is a level: how a meter is trimmed changes what it should show, not where the level should be.
    house = replace(house, mono=practice.mono, offset_db=0.0)
    level = level_of(practice.scale, shown, unit, house, peaks=peaks)
    tolerance = practice.tolerance_db
    ceiling = practice.never_over
    if ceiling is not None:
        if scale.id == "lufs":
            ceiling += 0.0 if unit == "dBFS" else house.full_scale_dbu
        else:
            # What that meter shows at most, told as the highest sample of the speech that makes it.
            beyond = scales()["dbfs"].highest_lead_db - (scale.highest_lead_db - scale.peak_lead_db)
            ceiling = level_of(practice.scale, ceiling, unit, house, peaks=True) + beyond
    shows = Derived(f"{scale.name} shows", shown, scale.unit, source=practice.source)
    back = reading(practice.scale, level, unit, house, peaks=peaks)
    terms = (
        shows,
        *(Derived(row.name, -row.value, row.unit, row.formula, (), row.source) for row in back.terms[1:]),
    )
    if scale.per_db == 1.0 and not scale.at:
        line = total(f"mark, {practice.name}", unit, terms, source=practice.source)
    else:
        formula = f"(reading \u2212 {scale.at:g}) / {scale.per_db:g}, less the lines"
        line = Derived(f"mark, {practice.name}", level, unit, formula, terms, practice.source)
    return Mark(practice, unit, level, tolerance, ceiling, line)


def show_mark(show: Show) -> Mark:
    """The show's practice in the unit of its own meter."""
    known = practices(show.practices)
    practice = known[show.practice]
    at = next((known[row.practice] for row in show.marks if row.at == "room"), None)
    room = mark_at(at, "dB SPL", house_of(show)) if at is not None else None
    return replace(
        mark_at(practice, scales()[practice.scale].domain, house_of(show)),
        zero_vu_dbu=show.vu_zero_dbu,
        room=Derived(f"mark, {room.name}", room.average, "dB SPL", source=room.source) if room is not None else None,
    )


def take_against(show: Show, speech_dbfs: float) -> Derived:
    """A take's speech level against the mark of digital points."""
    own = show_mark(show)
    mark = own if own.unit == "dBFS" else shipped_digital()
    terms = (
        Derived("speech level", speech_dbfs, "dBFS", source="ITU-T P.56"),
        Derived(f"less the mark, {mark.name}", -mark.average, "dB", source=mark.source),
    )
    return total("against the mark", "dB", terms)


@cache
def shipped_digital() -> Mark:
    """The mark of digital points where the show's practice is read elsewhere: the first shipped practice."""
    return mark_at(next(iter(practices().values())), "dBFS", House(0.0, 0.0, ""))
