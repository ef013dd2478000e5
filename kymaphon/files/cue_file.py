"""Notes written beside or into a recording: labels, subtitles, chapters, lists; and as cue points in a copy of a WAV file.

Cue points stand in the chunk `cue ` (sample of each) with their words in `LIST adtl` (`labl`, `note`): RIFF, Multimedia Programming
Interface and Data Specifications 1.0 (1991); a broadcast wave file (EBU Tech 3285) is one of these.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from kymaphon.core.air.cues import CUE_COLUMNS, FORMATS, Cue, cue_rows, cue_words, export, inside
from kymaphon.core.report.sheet import Table
from kymaphon.files.errors import FileProblem, told_of
from kymaphon.files.guard import guard
from kymaphon.files.sheet_file import table_csv
from kymaphon.files.text_file import whole_file, write_whole

STEP = 1 << 20
LARGEST = 0xFFFFFFFF
MOST_CHUNKS = 10_000


def form_of(path: str | Path) -> str:
    """The format that a name asks for.

    Raises:
        FileProblem: none has such an ending.
    """
    name = str(path).lower()
    found = [form for form, (ending, _) in FORMATS.items() if name.endswith(ending)]
    if not found:
        endings = ", ".join(ending for ending, _ in FORMATS.values())
        raise FileProblem(path, f"notes are written as one of {endings}; as .wav into a copy of a recording")
    return max(found, key=lambda form: len(FORMATS[form][0]))


def write_cues(path: str | Path, cues: Sequence[Cue], title: str) -> None:
    """Writes the notes, in the format that the name ends in.

    Raises:
        FileProblem: another ending, or it cannot be written.
    """
    form = form_of(path)
    guard(path)
    text = table_csv(Table("Notes", CUE_COLUMNS, cue_rows(cues))) if form == "csv" else export(cues, form, title)
    write_whole(path, text.encode("utf-8"))


@dataclass(frozen=True, slots=True)
class _Chunk:
    name: bytes
    at: int
    size: int


def mark_recording(source: str | Path, target: str | Path, cues: Sequence[Cue]) -> int:
    """A copy of a WAV recording with the notes that lie in it as cue points; how many. The recording itself stays as it is; cue points
    that it has already are carried over.

    Raises:
        FileProblem: it is no WAV file, it is cut short, or the copy cannot be written.
    """
    source, target = Path(source), Path(target)
    guard(target, read=[source])
    with told_of(source), source.open("rb") as file:
        head = file.read(12)
        if head[:4] not in (b"RIFF", b"RF64", b"BW64") or head[8:] != b"WAVE":
            raise FileProblem(source, "is no WAV file: save it as WAV first (Take, Save a recording in another format)")
        chunks = list(_chunks(file, source, large=head[:4] != b"RIFF"))
        rate, frames = _format(file, source, chunks)
        points = [(round(row.at_s * rate), cue_words(row)) for row in inside(cues, frames / rate)]
        points = [*_there(file, chunks), *points]
        _copy(file, head[:4], chunks, target, sorted(points))
    return len(points)


def _chunks(file: BinaryIO, path: Path, *, large: bool) -> Iterator[_Chunk]:
    file.seek(0, os.SEEK_END)
    whole = file.tell()
    at, data_size = 12, 0
    for _ in range(MOST_CHUNKS):
        file.seek(at)
        head = file.read(8)
        if len(head) < 8:
            return
        name, size = head[:4], struct.unpack("<I", head[4:])[0]
        if name == b"ds64":
            data_size = struct.unpack("<Q", file.read(16)[8:])[0]
        if name == b"data" and large and size == LARGEST:
            size = data_size
        if at + 8 + size > whole:
            raise FileProblem(path, "is cut short: it ends before its chunks do", f"byte {at}")
        yield _Chunk(name, at + 8, size)
        at += 8 + size + size % 2
    raise FileProblem(path, "has too many chunks to be a recording")


def _format(file: BinaryIO, path: Path, chunks: Sequence[_Chunk]) -> tuple[int, int]:
    """Sample rate and frames."""
    form = next((row for row in chunks if row.name == b"fmt " and row.size >= 16), None)
    data = next((row for row in chunks if row.name == b"data"), None)
    if form is None or data is None:
        raise FileProblem(path, "is no WAV file: its format or its sound is missing")
    file.seek(form.at)
    _, _, rate, _, block, _ = struct.unpack("<HHIIHH", file.read(16))
    if not rate or not block:
        raise FileProblem(path, "is no WAV file: it has no sample rate")
    return rate, data.size // block


def _there(file: BinaryIO, chunks: Sequence[_Chunk]) -> list[tuple[int, str]]:
    """Cue points that a recording has already, with their labels."""
    places: dict[int, int] = {}
    words: dict[int, str] = {}
    for row in chunks:
        file.seek(row.at)
        if row.name == b"cue " and row.size >= 4:
            data = file.read(min(row.size, STEP))
            for n in range(min(struct.unpack("<I", data[:4])[0], (len(data) - 4) // 24)):
                number, _, _, _, _, sample = struct.unpack("<II4sIII", data[4 + 24 * n : 28 + 24 * n])
                places[number] = sample
        elif row.name == b"LIST" and row.size >= 4:
            data = file.read(min(row.size, STEP))
            at = 4 if data[:4] == b"adtl" else len(data)
            while at + 12 <= len(data):
                name, size, number = struct.unpack("<4sII", data[at : at + 12])
                if name == b"labl":
                    words[number] = data[at + 12 : at + 8 + size].split(b"\0")[0].decode("utf-8", "replace")
                at += 8 + size + size % 2
    return [(sample, words.get(number, "")) for number, sample in places.items()]


def _marks(points: Sequence[tuple[int, str]]) -> bytes:
    """The two chunks."""
    cues = struct.pack("<I", len(points))
    labels = b"adtl"
    for number, (sample, text) in enumerate(points, start=1):
        cues += struct.pack("<II4sIII", number, sample, b"data", 0, 0, sample)
        word = text.encode("utf-8")[:1000].decode("utf-8", "ignore").encode("utf-8") + b"\0"
        labels += struct.pack("<4sII", b"labl", 4 + len(word), number) + word + b"\0" * (len(word) % 2)
    return struct.pack("<4sI", b"cue ", len(cues)) + cues + struct.pack("<4sI", b"LIST", len(labels)) + labels


def _copy(
    file: BinaryIO, kind: bytes, chunks: Sequence[_Chunk], target: Path, points: Sequence[tuple[int, str]]
) -> None:
    def old_marks(row: _Chunk) -> bool:
        if row.name == b"cue ":
            return True
        file.seek(row.at)
        return row.name == b"LIST" and file.read(4) == b"adtl"

    kept = [row for row in chunks if not old_marks(row)]
    marks = _marks(points)
    size = 4 + sum(8 + row.size + row.size % 2 for row in kept) + len(marks)
    if kind == b"RIFF" and size > LARGEST:
        raise FileProblem(target, "would be larger than a WAV file can be: save the recording as RF64 first")
    with whole_file(target) as out:
        # In a large file that field says nothing (EBU Tech 3306): its size stands in `ds64`.
        out.write(kind + struct.pack("<I", size if kind == b"RIFF" else LARGEST) + b"WAVE")
        for row in kept:
            _copy_chunk(file, out, row, size)
        out.write(marks)


def _copy_chunk(file: BinaryIO, out: BinaryIO, row: _Chunk, whole: int) -> None:
    file.seek(row.at - 8)
    out.write(file.read(8))
    if row.name == b"ds64":
        # The size of the whole stands here in a large file.
        data = file.read(row.size)
        out.write(struct.pack("<Q", whole) + data[8:])
    else:
        left = row.size
        while left:
            part = file.read(min(left, STEP))
            if not part:
                raise OSError(5, "the recording ended while it was copied")
            out.write(part)
            left -= len(part)
    out.write(b"\0" * (row.size % 2))
