"""The clock that a show's times are told by, and spans as people write them."""

from __future__ import annotations

import re
from datetime import datetime, timedelta, tzinfo
from zoneinfo import ZoneInfo

from kymaphon.core.model.show import Show

_SPAN = re.compile(r"(?:(\d{1,3}):)?(\d{1,4}):(\d{2}(?:\.\d{1,3})?)")
_UNITS = re.compile(
    r"(?:(\d+(?:\.\d+)?)\s*h)?\s*(?:(\d+(?:\.\d+)?)\s*(?:m|min|'))?\s*(?:(\d+(?:\.\d+)?)\s*(?:s|\"))?", re.I
)
LONGEST_S = 604_800.0


def zone_of(show: Show) -> tzinfo | None:
    """The clock that a show's times are told by: the zone that it names, else that of its time on air, else that of its crew's times;
    None for the machine's own.
    """
    if show.time_zone is not None:
        return ZoneInfo(show.time_zone)
    given = (show.air_at, *(row.from_at for row in show.crew), *(row.until_at for row in show.crew))
    return next((at.tzinfo for at in given if at is not None), None)


def by_the_clock(show: Show, at: datetime, *, seconds: bool = True) -> str:
    """A moment by the show's clock: 19:04:30; with its offset in the hour that a change of the clock brings twice: 02:30:00 (UTC+1)."""
    local = at.astimezone(zone_of(show))
    return f"{local:{'%H:%M:%S' if seconds else '%H:%M'}}" + offset_words(local)


def offset_words(local: datetime) -> str:
    """What tells a time of day from the same one an hour later, where clocks go back between them; else nothing.

    >>> offset_words(datetime(2026, 10, 25, 1, 30, fold=1, tzinfo=ZoneInfo("Europe/Lisbon")))
    ' (UTC+0)'
    >>> offset_words(datetime(2026, 10, 25, 2, 30, tzinfo=ZoneInfo("Europe/Lisbon")))
    ''
    """
    offset = local.utcoffset()
    if offset is None or local.replace(fold=1 - local.fold).utcoffset() == offset:
        return ""
    hours, minutes = divmod(round(abs(offset.total_seconds()) / 60), 60)
    sign = "\u2212" if offset < timedelta(0) else "+"
    return f" (UTC{sign}{hours}{f':{minutes:02d}' if minutes else ''})"


def clock_of(text: str, day: datetime | None, after: datetime | None = None) -> datetime | None:
    """A time as people type it, by the clock of `day`: 9:30, 0930, 00:15, 19:30:05; on its day, or the first such time after a moment.

    Raises:
        ValueError: it is none, or there is no day to put it on.
    """
    plain = text.strip()
    if not plain:
        return None
    if day is None:
        raise ValueError("say first when the show is on air: a time needs its day")
    parts = plain.replace(".", ":").split(":")
    if len(parts) == 1 and len(plain) in (3, 4):
        parts = [plain[:-2], plain[-2:]]
    begin = (after or day).astimezone(day.tzinfo)
    try:
        hour, minute, second = (*map(int, parts), 0, 0)[:3]
        if len(parts) > 3:
            raise ValueError
        at = begin.replace(hour=hour, minute=minute, second=second, microsecond=0, fold=0)
    except ValueError:
        raise ValueError(f"{plain[:20]} is no time of day, such as 9:30") from None
    if after is not None and at <= after:
        at = (at.replace(tzinfo=None) + timedelta(days=1)).replace(tzinfo=at.tzinfo)
    return at


def span_words(seconds: float, *, sign: bool = False) -> str:
    """A span as it stands on a rundown, to the second: 4:05, 1:02:05.

    >>> span_words(245), span_words(3725), span_words(-8), span_words(8, sign=True)
    ('4:05', '1:02:05', '−0:08', '+0:08')
    """
    whole = round(abs(seconds))
    mark = "\u2212" if seconds < 0 and whole else "+" if sign and whole else ""
    hours, rest = divmod(whole, 3600)
    text = f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"
    return mark + text


def span_text(seconds: float) -> str:
    """A span to be read again by `seconds_of`: as `span_words`, with its thousandths where it has any.

    >>> span_text(245), span_text(12.5), span_text(3725.25), span_text(59.9996)
    ('4:05', '0:12.5', '1:02:05.25', '1:00')
    """
    exact = round(seconds, 3)
    whole = int(exact)
    return span_words(whole) + f"{exact - whole:.3f}".rstrip("0").rstrip(".")[1:]


def seconds_of(text: str) -> float:
    """A span as people type it: 4:05, 1:02:05, 245 (seconds), 4 min, 1h 30m, 40 s.

    Raises:
        ValueError: it is none, or below nothing, or longer than a week.

    >>> seconds_of("4:05"), seconds_of("1:02:05"), seconds_of("40"), seconds_of("1 h 30 min"), seconds_of("4m05s")
    (245.0, 3725.0, 40.0, 5400.0, 245.0)
    """
    plain = text.strip().replace(",", ".")
    if plain.startswith(("-", "\u2212")):
        raise ValueError(f"{plain[:20]} is below nothing: a length is at least 0")
    found = _SPAN.fullmatch(plain)
    if found:
        hours, minutes, seconds = (float(part or 0) for part in found.groups())
        if seconds >= 60 or (found[1] and minutes >= 60):
            raise ValueError(f"{plain[:20]} has more than 59 minutes or seconds")
        total = hours * 3600 + minutes * 60 + seconds
    elif re.fullmatch(r"\d+(?:\.\d+)?", plain):
        total = float(plain)
    else:
        units = _UNITS.fullmatch(plain)
        if not plain or units is None or not any(units.groups()):
            raise ValueError(f"{plain[:20] or 'nothing'} is no length, such as 4:05 or 40 s")
        hours, minutes, seconds = (float(part or 0) for part in units.groups())
        total = hours * 3600 + minutes * 60 + seconds
    if total > LONGEST_S:
        raise ValueError(f"{plain[:20]} is longer than a week")
    return total
