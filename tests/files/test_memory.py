"""The memory: an SQLite file that the standard library alone reads, one writer at a time, damaged and newer ones left as they are."""

from __future__ import annotations

import sqlite3
import threading
from datetime import UTC, datetime
from pathlib import Path

import pytest

from kymaphon.core.book.facts import Fact
from kymaphon.core.model.show import LogEntry
from kymaphon.files.errors import FileProblem
from kymaphon.files.memory import SOMEBODY, VERSION, Memory

AT = datetime(2026, 11, 6, 19, 0, tzinfo=UTC)


def fact(name: str, value: float, what: str = "gain", sort: str = "person") -> Fact:
    return Fact(sort, name, what, value, "Handheld into Desk", "Lantern Quay", AT)


def entry(text: str, subject: str | None = None) -> LogEntry:
    return LogEntry(at=AT, text=text, subject=subject, sort="incident")


@pytest.fixture
def memory(tmp_path: Path) -> Memory:
    return Memory(tmp_path / "memory.sqlite")


def put(memory: Memory, show: str = "one", *facts: Fact, log: tuple[tuple[LogEntry, str], ...] = ()) -> None:
    memory.remember(show, "Lantern Quay", AT, "/shows/one.json", AT, log, facts)


class TestKept:
    def test_what_is_put_in_comes_out(self, memory: Memory) -> None:
        assert memory.facts() == []
        assert memory.shows() == []
        put(memory, "one", fact("Tam", 38.0), fact("Ilse", 54.0), log=((entry("Tam clipped", "tam"), "Tam"),))
        assert [(row.name, row.value, row.show, row.at) for row in memory.facts()] == [
            ("Tam", 38.0, "Lantern Quay", AT),
            ("Ilse", 54.0, "Lantern Quay", AT),
        ]
        (show,) = memory.shows()
        assert (show.title, show.at, show.entries, show.facts) == ("Lantern Quay", AT, 1, 2)
        assert [row.text for row in memory.entries(words="TAM clip")] == ["Tam clipped"]
        assert memory.entries(sorts=("note",)) == []

    def test_a_show_remembered_again_takes_its_own_place_and_its_log_grows(self, memory: Memory) -> None:
        first = (entry("a"), "")
        put(memory, "one", fact("Tam", 38.0), log=(first,))
        put(memory, "one", fact("Tam", 41.0), log=(first, (entry("b"), "")))
        assert [row.value for row in memory.facts()] == [41.0]
        assert sorted(row.text for row in memory.entries()) == ["a", "b"]
        assert len(memory.shows()) == 1

    def test_what_was_mended_stays(self, memory: Memory) -> None:
        put(memory, "one", fact("Tam", 38.0))
        memory.mend(memory.facts()[0].id, 36.5)
        put(memory, "one", fact("Tam", 41.0))
        assert [row.value for row in memory.facts()] == [36.5]
        with pytest.raises(KeyError):
            memory.mend(999, 1.0)

    def test_facts_and_shows_are_thrown_away(self, memory: Memory) -> None:
        put(memory, "one", fact("Tam", 38.0), fact("Ilse", 54.0))
        put(memory, "two", fact("Tam", 39.0), log=((entry("a"), ""),))
        memory.throw_away([memory.facts()[0].id])
        assert [row.name for row in memory.facts()] == ["Ilse", "Tam"]
        memory.throw_show_away("two")
        assert [row.name for row in memory.facts()] == ["Ilse"]
        assert memory.entries() == []

    def test_somebody_is_forgotten_everywhere_down_to_the_bytes(self, memory: Memory) -> None:
        log = (
            (entry("Tamsin laughs, and tam, too", "t1"), "Other"),
            (entry("gone for 14 s", "tam"), "Tam"),
            (entry("nothing of theirs"), ""),
        )
        put(memory, "one", fact("Tam", 38.0), fact("TAM", 70.0, "level"), fact("Tamsin", 40.0), log=log)
        assert memory.forget(" tam ") == (2, 2)
        assert [row.name for row in memory.facts()] == ["Tamsin"]
        assert sorted(row.text for row in memory.entries()) == [
            f"Tamsin laughs, and {SOMEBODY}, too",
            "gone for 14 s",
            "nothing of theirs",
        ]
        data = memory.path.read_bytes().lower().replace(b"tamsin", b"")
        assert b"tam" not in data
        with pytest.raises(ValueError, match="whom"):
            memory.forget("  ")


class TestOutside:
    def test_the_standard_library_alone_reads_it(self, memory: Memory) -> None:
        put(memory, "one", fact("Tam", 38.0), log=((entry("a"), "Tam"),))
        base = sqlite3.connect(f"file:{memory.path}?mode=ro", uri=True)
        assert base.execute("PRAGMA user_version").fetchone() == (VERSION,)
        assert base.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert base.execute("SELECT name, value FROM facts").fetchall() == [("Tam", 38.0)]
        assert base.execute("SELECT json_extract(data, '$.text') FROM entries").fetchall() == [("a",)]
        base.close()

    def test_others_read_while_one_writes_and_writers_wait_for_each_other(self, memory: Memory) -> None:
        put(memory, "zero", fact("Tam", 1.0))
        wrong: list[BaseException] = []

        def write(name: str) -> None:
            try:
                for n in range(8):
                    put(Memory(memory.path), f"{name}{n}", fact(name, float(n)))
            except BaseException as error:  # noqa: BLE001 - told below
                wrong.append(error)

        threads = [threading.Thread(target=write, args=(name,)) for name in ("a", "b", "c")]
        for row in threads:
            row.start()
        while any(row.is_alive() for row in threads):
            assert len(memory.facts()) >= 1
        for row in threads:
            row.join()
        assert wrong == []
        assert len(memory.facts()) == 25


class TestBad:
    @pytest.mark.parametrize(
        "content", [b"not a database at all, only words " * 40, b"", b"SQLite format 3\0" + b"\1" * 4000]
    )
    def test_a_damaged_file_is_told_and_left_as_it_is(self, memory: Memory, content: bytes) -> None:
        memory.path.write_bytes(content)
        if content:
            for do in (memory.facts, memory.shows, lambda: put(memory, "one", fact("Tam", 1.0))):
                with pytest.raises(FileProblem):
                    do()
            assert memory.path.read_bytes() == content
            aside = memory.set_aside()
            assert aside.read_bytes() == content
        put(memory, "one", fact("Tam", 1.0))
        assert len(memory.facts()) == 1

    def test_one_cut_short_is_told(self, memory: Memory) -> None:
        put(memory, "one", *(fact(f"P{n}", 1.0) for n in range(2000)))
        data = memory.path.read_bytes()
        memory.path.write_bytes(data[: len(data) // 2])
        with pytest.raises(FileProblem):
            memory.facts()
        assert memory.path.read_bytes() == data[: len(data) // 2]

    def test_a_newer_one_is_left_as_it_is(self, memory: Memory) -> None:
        put(memory, "one", fact("Tam", 1.0))
        base = sqlite3.connect(memory.path)
        base.execute(f"PRAGMA user_version = {VERSION + 1}")
        base.close()
        before = memory.path.read_bytes()
        for do in (memory.facts, lambda: put(memory, "two", fact("Tam", 2.0)), lambda: memory.forget("Tam")):
            with pytest.raises(FileProblem, match="newer Kymaphon"):
                do()
        assert memory.path.read_bytes() == before

    def test_another_programs_database_is_none(self, memory: Memory) -> None:
        base = sqlite3.connect(memory.path)
        base.execute("CREATE TABLE notes (a)")
        base.commit()
        base.close()
        with pytest.raises(FileProblem, match="no memory"):
            memory.facts()
        with pytest.raises(FileProblem, match="no memory"):
            put(memory, "one", fact("Tam", 1.0))

    def test_a_folder_that_cannot_be_written(self) -> None:
        memory = Memory(Path("/proc/nowhere/memory.sqlite"))
        assert memory.facts() == []
        with pytest.raises(FileProblem):
            put(memory, "one", fact("Tam", 1.0))
