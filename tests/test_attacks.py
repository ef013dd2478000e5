"""A bounded part of the attacks of `make soak`, with fixed seeds."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from kymaphon.files.errors import FileProblem
from kymaphon.files.show_file import read_show, write_show
from kymaphon.files.text_file import ABANDONED_S
from tests.attacks import SMALL, attack_readers, kill_while_editing, samples, two_writers
from tests.budget import some, tries


def test_every_sample_is_good(tmp_path: Path) -> None:
    for name, (data, read) in samples().items():
        (tmp_path / name).write_bytes(data)
        read(tmp_path / name)


def test_every_byte_of_every_sort_of_file(tmp_path: Path) -> None:
    tried, wrong = attack_readers(tmp_path, seed=17, count=tries(8))
    assert wrong == []
    assert tried > tries(300)


@pytest.mark.parametrize("after_s", some([2.1, 4.4], 1))
def test_killed_while_somebody_types(tmp_path: Path, after_s: float) -> None:
    assert kill_while_editing(tmp_path, tmp_path / "state", after_s) == []


def test_two_programs_at_one_file(tmp_path: Path) -> None:
    assert two_writers(tmp_path, 40) == []


def test_what_a_killed_save_left_is_swept_and_what_is_being_written_is_not(tmp_path: Path) -> None:
    path = tmp_path / "a.json"
    old, new = tmp_path / ".a.json.old1.part", tmp_path / ".a.json.new1.part"
    for row in (old, new):
        row.write_text("half")
    long_ago = time.time() - ABANDONED_S - 5
    os.utime(old, (long_ago, long_ago))
    write_show(path, SMALL)
    assert not old.exists()
    assert new.exists()


def test_a_full_disk_leaves_the_old_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The write fails, or only the sync does: the show that was there reads as it did, and nothing lies beside it."""
    path = tmp_path / "a.json"
    write_show(path, SMALL)
    for name in ("fsync", "replace"):
        with monkeypatch.context() as patch:

            def full(*_given: object, **_more: object) -> None:
                raise OSError(28, "No space left on device")

            patch.setattr(f"kymaphon.files.text_file.os.{name}", full)
            with pytest.raises(FileProblem, match="No space left"):
                write_show(path, SMALL.with_(title="New"))
        assert read_show(path) == SMALL
        assert [row.name for row in tmp_path.iterdir()] == ["a.json"]
