"""The log looked through: by sort, by whom or what it is about, by words, by time."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import LogEntry, LogSort, SetPoint, Show

SORT_WORDS: dict[LogSort, str] = {
    "line-up": "Line-up",
    "circuit-check": "Circuit check",
    "tap-test": "Tap test",
    "take": "Take",
    "gate": "Gate",
    "incident": "Incident",
    "drill": "Drill",
    "air": "On air",
    "note": "Note",
    "change": "Change on air",
    "other": "Other",
}


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is looked for; what is left empty is not asked.

    Attributes:
        words: each of them has to be in the text or in what it is about.
    """

    sorts: frozenset[str] = frozenset()
    words: str = ""
    subject: str = ""
    since: datetime | None = None
    until: datetime | None = None


class LogIndex:
    """The log made ready to be searched as somebody types. Rows that are added are added here too.

    Args:
        names: of whom and what rows are about.
    """

    def __init__(self, names: Names) -> None:
        self.names = names
        self.rows: list[LogEntry] = []
        self._texts: list[str] = []
        self._sorts: list[str] = []

    def follow(self, log: Sequence[LogEntry]) -> None:
        """Takes in what the log has by now; where it is another, all of it."""
        known = len(self.rows)
        if known > len(log) or (known and log[known - 1] is not self.rows[-1]):
            self.rows, self._texts, self._sorts, known = [], [], [], 0
        for row in log[known:]:
            self.rows.append(row)
            self._texts.append(f"{row.text} {self.names.of(row)} {SORT_WORDS[row.told_sort]}".casefold())
            self._sorts.append(row.told_sort)

    def find(self, wanted: Wanted) -> list[int]:
        """Places of the rows that fit, in the order of the log."""
        words = wanted.words.casefold().split()
        out = []
        for n, (text, sort) in enumerate(zip(self._texts, self._sorts, strict=True)):
            if wanted.sorts and sort not in wanted.sorts:
                continue
            if words and not all(word in text for word in words):
                continue
            row = self.rows[n]
            if wanted.subject and row.subject != wanted.subject:
                continue
            if (wanted.since is not None and row.at < wanted.since) or (
                wanted.until is not None and row.at > wanted.until
            ):
                continue
            out.append(n)
        return out

    def counts(self) -> dict[str, int]:
        """How many of each sort there are, the commonest first."""
        return dict(Counter(self._sorts).most_common())


@dataclass(frozen=True)
class Names:
    """What the log may be about, by name. A segment and a party may have the same id: which is meant the row tells."""

    others: dict[str, str]
    segments: dict[str, str]

    def of(self, row: LogEntry) -> str:
        """Whom or what a row is about; empty for nothing."""
        if row.subject is None:
            return ""
        on_air = row.air is not None or row.note is not None or row.told_sort == "change"
        rows = self.segments if on_air else self.others
        return rows.get(row.subject) or self.others.get(row.subject) or self.segments.get(row.subject) or row.subject

    def party(self, party: str) -> str:
        return self.others.get(party, party)

    def segment(self, segment: str) -> str:
        return self.segments.get(segment, segment)


def names_of(show: Show) -> Names:
    """The names of everything that the log of a show may be about."""
    out: dict[str, str] = {}
    out |= {row.id: row.called for row in show.circuits}
    out |= {row.id: row.name for row in show.places}
    out |= {row.id: row.name or row.id for row in show.devices}
    out |= {row.id: row.name for row in show.parties}
    return Names(out, {row.id: row.name for row in show.rundown})


def stands(show: Show) -> tuple[SetPoint, ...]:
    """Every setting as the show has it, but for chains: for the log, when a show begins."""
    return tuple(
        SetPoint(ref=f"{device.id}.{key}.{field}", value=value)
        for device in show.devices
        for key, setting in device.settings.items()
        for field, value in setting
        if value is not None and field != "chain"
    )


def moved(before: Show, after: Show) -> tuple[SetPoint, ...]:
    """The settings that differ between two states of a show, as they stand in the later one."""
    was = {row.ref: row.value for row in stands(before)}
    now = {row.ref: row.value for row in stands(after)}
    refs = [ref for ref in {**was, **now} if was.get(ref) != now.get(ref)]
    return tuple(SetPoint(ref=ref, value=now.get(ref)) for ref in refs)


def setting_of(ref: str) -> SettingRef | None:
    """The setting that a reference of the log names; None where it names none."""
    device, _, rest = ref.partition(".")
    key, _, field = rest.rpartition(".")
    return SettingRef(device, key, field) if device and key and field else None


def about(entries: Iterable[LogEntry], subject: str) -> list[LogEntry]:
    """What the log has about somebody or something, the newest last."""
    return [row for row in entries if row.subject == subject]
