"""What is remembered over shows: one SQLite file in the user's data folder, written by one program at a time, read by any.

Tables (version 1): `shows` (id, title, at, path, remembered_at), `entries` (the log of each: show, n, at, sort, subject, who, text, data
as JSON), `facts` (id, show, sort, name, what, value, context, at, mended). Times are ISO 8601 with their offset.
"""

from __future__ import annotations

import json
import re
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from kymaphon.core.book.entries import names_of
from kymaphon.core.book.facts import Fact, facts_of, show_key
from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.show import LogEntry
from kymaphon.files.errors import FileProblem
from kymaphon.files.locked import locked
from kymaphon.files.user_folders import user_folder

VERSION = 1
APPLICATION_ID = 0x4B594D41
"""`KYMA`: tells the file from any other of SQLite."""
NAME = "memory.sqlite"
WAIT_S = 10.0
SOMEBODY = "somebody"
SCHEMA = """
CREATE TABLE shows (id TEXT PRIMARY KEY, title TEXT NOT NULL, at TEXT, path TEXT, remembered_at TEXT NOT NULL);
CREATE TABLE entries (show TEXT NOT NULL, n INTEGER NOT NULL, at TEXT NOT NULL, sort TEXT NOT NULL, subject TEXT, who TEXT,
    text TEXT NOT NULL, data TEXT NOT NULL, PRIMARY KEY (show, n));
CREATE TABLE facts (id INTEGER PRIMARY KEY, show TEXT NOT NULL, sort TEXT NOT NULL, name TEXT NOT NULL, what TEXT NOT NULL,
    value REAL NOT NULL, context TEXT NOT NULL, at TEXT NOT NULL, mended INTEGER NOT NULL DEFAULT 0);
CREATE INDEX entries_at ON entries (at);
CREATE INDEX facts_name ON facts (sort, name, what);
"""


@dataclass(frozen=True, slots=True)
class RememberedShow:
    """A show that is remembered."""

    id: str
    title: str
    at: datetime | None
    path: str
    entries: int
    facts: int


@dataclass(frozen=True, slots=True)
class RememberedEntry:
    """A row of a remembered log."""

    show: str
    at: datetime
    sort: str
    who: str
    text: str


class Memory:
    """The file. Nothing of it is held open: every call reads or writes it whole, and others may do so between.

    Args:
        path: left out: that in the user's data folder.

    Raises:
        FileProblem: by every call where it is damaged, of a newer program, or the disk does not take it; nothing in it is changed then.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path if path is not None else user_folder("data") / NAME

    # reading

    @contextmanager
    def _reading(self) -> Iterator[sqlite3.Connection | None]:
        """The file as it is, never written; None where there is none yet."""
        if not self.path.exists():
            yield None
            return
        with self._told():
            uri = f"{self.path.resolve().as_uri()}?mode=ro"
            with closing(sqlite3.connect(uri, uri=True, timeout=WAIT_S)) as base:
                self._check(base)
                yield base

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except sqlite3.OperationalError as error:
            what = "another program is writing it for long" if "locked" in str(error) else str(error)
            raise FileProblem(self.path, f"cannot be used: {what}") from error
        except (sqlite3.DatabaseError, ValueError, UnicodeDecodeError) as error:
            raise FileProblem(
                self.path,
                f"is damaged ({error}); nothing in it was changed. Book, Memory can set it aside and begin anew",
            ) from error
        except OSError as error:
            raise FileProblem(self.path, f"cannot be used: {error.strerror or error}") from error

    def _check(self, base: sqlite3.Connection) -> None:
        (own,) = base.execute("PRAGMA application_id").fetchone()
        (version,) = base.execute("PRAGMA user_version").fetchone()
        if own != APPLICATION_ID:
            raise FileProblem(self.path, "is no memory of Kymaphon's; nothing in it was changed")
        if version > VERSION:
            raise FileProblem(
                self.path,
                f"was written by a newer Kymaphon (version {version}, this one knows {VERSION}); it is left as it is",
            )

    def shows(self) -> list[RememberedShow]:
        """The shows that are remembered, the newest first."""
        query = """SELECT id, title, at, path, (SELECT COUNT(*) FROM entries WHERE show = shows.id),
            (SELECT COUNT(*) FROM facts WHERE show = shows.id) FROM shows"""
        with self._reading() as base:
            rows = base.execute(query).fetchall() if base is not None else []
            found = [RememberedShow(a, b, _time(c), d or "", e, f) for a, b, c, d, e, f in rows]
        return sorted(found, key=lambda row: row.at.timestamp() if row.at else 0.0, reverse=True)

    def facts(self) -> list[Fact]:
        """Everything that is remembered, in the order that it came."""
        query = """SELECT facts.id, facts.sort, name, what, value, context, shows.title, facts.at FROM facts
            JOIN shows ON shows.id = facts.show ORDER BY facts.id"""
        with self._reading() as base:
            rows = base.execute(query).fetchall() if base is not None else []
            return [Fact(b, c, d, float(e), f, g, _certain(h), a) for a, b, c, d, e, f, g, h in rows]

    def entries(self, *, words: str = "", sorts: Sequence[str] = (), most: int = 5000) -> list[RememberedEntry]:
        """Rows of all remembered logs that have all of some words, the newest first."""
        wanted = words.casefold().split()
        out = []
        query = "SELECT shows.title, entries.at, sort, who, text FROM entries JOIN shows ON shows.id = entries.show"
        with self._reading() as base:
            for title, at, sort, who, text in base.execute(query) if base is not None else ():
                told = f"{text} {who or ''}".casefold()
                if (not sorts or sort in sorts) and all(word in told for word in wanted):
                    out.append(RememberedEntry(title, _certain(at), sort, who or "", text))
        return sorted(out, key=lambda row: row.at, reverse=True)[:most]

    # writing

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """The file, for one writer at a time; all of it is done, or nothing."""
        # `locked` makes the folder, and says where it cannot.
        with self._told(), locked(self.path), closing(sqlite3.connect(self.path, timeout=WAIT_S)) as base:
            base.execute("PRAGMA secure_delete = ON")
            (tables,) = base.execute("SELECT COUNT(*) FROM sqlite_master").fetchone()
            if tables:
                self._check(base)
            else:
                with base:
                    base.executescript(SCHEMA)
                    base.execute(f"PRAGMA application_id = {APPLICATION_ID}")
                    base.execute(f"PRAGMA user_version = {VERSION}")
            with base:
                yield base

    def remember(
        self,
        show: str,
        title: str,
        at: datetime | None,
        path: str,
        now: datetime,
        log: Sequence[tuple[LogEntry, str]],
        facts: Sequence[Fact],
    ) -> None:
        """A show as it stands by now: rows of its log that are not there yet are added, and its facts take the place of those from before,
        but for what somebody has mended.

        Args:
            show: what tells it from other shows.
            log: each row with the name of whom or what it is about.
        """
        with self._writing() as base:
            base.execute(
                "INSERT INTO shows VALUES (?, ?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET title = excluded.title, at = excluded.at, "
                "path = excluded.path, remembered_at = excluded.remembered_at",
                (show, title, at.isoformat() if at is not None else None, path, now.isoformat()),
            )
            rows = (
                (
                    show,
                    n,
                    row.at.isoformat(),
                    row.told_sort,
                    row.subject,
                    who,
                    row.text,
                    json.dumps(row.model_dump(mode="json", by_alias=True, exclude_defaults=True), ensure_ascii=False),
                )
                for n, (row, who) in enumerate(log)
            )
            base.executemany("INSERT OR IGNORE INTO entries VALUES (?, ?, ?, ?, ?, ?, ?, ?)", rows)
            base.execute("DELETE FROM facts WHERE show = ? AND mended = 0", (show,))
            mended = {
                (sort, name.casefold(), what, context)
                for sort, name, what, context in base.execute(
                    "SELECT sort, name, what, context FROM facts WHERE show = ?", (show,)
                )
            }
            base.executemany(
                "INSERT INTO facts (show, sort, name, what, value, context, at) VALUES (?, ?, ?, ?, ?, ?, ?)",
                [
                    (show, row.sort, row.name, row.what, row.value, row.context, row.at.isoformat())
                    for row in facts
                    if row.key not in mended
                ],
            )

    def mend(self, fact: int, value: float) -> None:
        """Another value for a fact; it stays when its show is remembered again. Raises KeyError when there is none."""
        with self._writing() as base:
            done = base.execute("UPDATE facts SET value = ?, mended = 1 WHERE id = ?", (float(value), fact))
            if not done.rowcount:
                raise KeyError(fact)

    def throw_away(self, facts: Sequence[int]) -> None:
        """Facts that are to count no more."""
        with self._writing() as base:
            base.executemany("DELETE FROM facts WHERE id = ?", [(row,) for row in facts])
        self._shrink()

    def throw_show_away(self, show: str) -> None:
        """Everything of a show. Raises KeyError when there is none."""
        with self._writing() as base:
            for table, column in (("facts", "show"), ("entries", "show"), ("shows", "id")):
                done = base.execute(f"DELETE FROM {table} WHERE {column} = ?", (show,))
            if not done.rowcount:
                raise KeyError(show)
        self._shrink()

    def forget(self, name: str) -> tuple[int, int]:
        """Forgets a person everywhere here: their facts go, and in the logs their name becomes `somebody`; how many of each.

        Raises:
            ValueError: no name is given.
        """
        plain = name.strip().casefold()
        if not plain:
            raise ValueError("say whom to forget")
        word = re.compile(rf"(?<!\w){re.escape(name.strip())}(?!\w)", re.IGNORECASE)
        with self._writing() as base:
            gone = [
                row for row, other in base.execute("SELECT id, name FROM facts").fetchall() if other.casefold() == plain
            ]
            base.executemany("DELETE FROM facts WHERE id = ?", [(row,) for row in gone])
            changed = []
            for show, n, who, text, data in base.execute("SELECT show, n, who, text, data FROM entries").fetchall():
                if (who or "").casefold() == plain or word.search(text) or word.search(data):
                    changed.append((None, SOMEBODY, word.sub(SOMEBODY, text), "{}", show, n))
            base.executemany(
                "UPDATE entries SET subject = ?, who = ?, text = ?, data = ? WHERE show = ? AND n = ?", changed
            )
        self._shrink()
        return len(gone), len(changed)

    def _shrink(self) -> None:
        """What was deleted is on the disk no more."""
        with self._told(), locked(self.path), closing(sqlite3.connect(self.path, timeout=WAIT_S)) as base:
            base.execute("VACUUM")

    def set_aside(self) -> Path:
        """Puts a file that cannot be used beside, under another name, so that a new one can begin; where it lies then."""
        for n in range(1, 1000):
            target = self.path.with_name(f"{self.path.stem}-aside-{n}{self.path.suffix}")
            if not target.exists():
                try:
                    self.path.replace(target)
                except OSError as error:
                    raise FileProblem(self.path, f"cannot be set aside: {error.strerror}") from error
                return target
        raise FileProblem(self.path, "cannot be set aside: too many lie beside it")


def remember_show(memory: Memory, analysis: Computed, path: str, now: datetime) -> tuple[int, int]:
    """Puts a show into the memory as it stands: how many figures, and how many rows its log has. Raises FileProblem."""
    show = analysis.show
    names = names_of(show)
    key, at = show_key(show, now)
    facts = facts_of(analysis, now)
    memory.remember(key, show.title, at, path, now, [(row, names.of(row)) for row in show.log], facts)
    return len(facts), len(show.log)


def _time(text: str | None) -> datetime | None:
    return datetime.fromisoformat(text) if text else None


def _certain(text: str) -> datetime:
    return datetime.fromisoformat(text)
