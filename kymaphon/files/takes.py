"""Recordings as sources for the core, excerpts of them in memory, and sound written to a file in an open format.

Broadcast Wave: the chunk `bext` of EBU Tech 3285 with description, originator, date and time is written and read.
"""

from __future__ import annotations

import os
import struct
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.model.show import Show
from kymaphon.files.audio import Cancelled, Progress, open_take
from kymaphon.files.errors import FileProblem
from kymaphon.files.guard import guard
from kymaphon.files.take_places import take_path, there

Samples = NDArray[np.float32]
FORMATS = {
    ".wav": ("WAV", "PCM_24"),
    ".flac": ("FLAC", "PCM_24"),
    ".ogg": ("OGG", "VORBIS"),
    ".opus": ("OGG", "OPUS"),
    ".mp3": ("MP3", "MPEG_LAYER_III"),
    ".aiff": ("AIFF", "PCM_24"),
    ".aif": ("AIFF", "PCM_24"),
    ".w64": ("W64", "PCM_24"),
    ".rf64": ("RF64", "PCM_24"),
    ".bwf": ("WAV", "PCM_24"),
}
READ_FRAMES = 1 << 16
WRITE_FRAMES = 1 << 14
BEXT = struct.Struct("<256s32s32s10s8sQH64s190s")
"""EBU Tech 3285, version 1: description, originator, its reference, date, time, time reference, version, UMID, rest."""


@dataclass(frozen=True)
class FileTake:
    """A recording on disk; it can be read from its beginning as often as wanted.

    Attributes:
        recorded_at: local date and time from its `bext` chunk; None without one.
    """

    path: Path
    sample_rate_hz: int
    channels: int
    frames: int
    partial: bool = False
    recorded_at: datetime | None = None
    about: str = ""

    @property
    def name(self) -> str:
        return self.path.name

    def blocks(self) -> Iterator[Samples]:
        """Its samples in order; each block of shape (frames, channels).

        Raises:
            FileProblem: it breaks off, or is no longer there.
        """
        import soundfile

        done = 0
        with open_take(self.path, partial=self.partial) as file:
            frames = max(READ_FRAMES // self.channels, 4096)
            while True:
                try:
                    block = file.read(frames, dtype="float32", always_2d=True)
                except soundfile.LibsndfileError as error:
                    at = f"{done / self.sample_rate_hz:.3f} s"
                    raise FileProblem(self.path, f"breaks off: {error.error_string.strip().rstrip('.')}", at) from error
                if not len(block):
                    return
                done += len(block)
                yield block


def take_file(path: str | Path, *, partial: bool = False) -> FileTake:
    """A recording as a source.

    Raises:
        FileProblem: it cannot be read, or holds no audio.
    """
    path = Path(path)
    with open_take(path, partial=partial) as file:
        if not file.frames:
            raise FileProblem(path, "holds no audio")
        at, about = read_bext(path)
        return FileTake(path, file.samplerate, file.channels, file.frames, partial, at, about)


def excerpt(take: FileTake, start_s: float, end_s: float, channel: int) -> Samples:
    """Some seconds of one channel (from 1); shape (frames,). What lies outside the take is left out.

    Raises:
        FileProblem: it cannot be read.
    """
    with open_take(take.path, partial=take.partial) as file:
        first = min(max(0, round(start_s * take.sample_rate_hz)), take.frames)
        last = min(max(first, round(end_s * take.sample_rate_hz)), take.frames)
        file.seek(first)
        rows = file.read(last - first, dtype="float32", always_2d=True)
        return np.ascontiguousarray(rows[:, min(channel, take.channels) - 1])


def rehomed(show: Show, old: Path | None, new: Path) -> Show:
    """The show for another folder: takes that lay beside it are still found.

    Args:
        old: the folder that names without a place of their own were counted from; None where there was none.
    """
    if old is None or old == new:
        return show
    takes = []
    for take in show.takes:
        where = take_path(take, old)
        if not Path(take.file).is_absolute() and there(where) and not there(take_path(take, new)):
            take = take.model_copy(update={"file": str(where.resolve())})
        takes.append(take)
    return show.model_copy(update={"takes": tuple(takes)})


def write_audio(
    path: str | Path,
    samples: Samples,
    sample_rate_hz: int,
    *,
    about: str = "",
    recorded_at: datetime | None = None,
) -> None:
    """Writes a sound by its file's ending: WAV (24 bit, with a `bext` chunk), FLAC, OGG, Opus, MP3, AIFF, W64, RF64.

    Written beside and renamed: nothing half-written is ever left.

    Args:
        samples: shape (frames,) or (frames, channels), full scale 1; beyond it is clipped by the format.

    Raises:
        FileProblem: an ending that is not known, or it cannot be written.
    """

    rows = samples.reshape(len(samples), -1)
    blocks = (rows[start : start + WRITE_FRAMES] for start in range(0, max(len(rows), 1), WRITE_FRAMES))
    write_blocks(path, blocks, rows.shape[1], sample_rate_hz, about=about, recorded_at=recorded_at)


def write_blocks(
    path: str | Path,
    blocks: Iterable[Samples],
    channels: int,
    sample_rate_hz: int,
    *,
    about: str = "",
    recorded_at: datetime | None = None,
) -> None:
    """The same, block by block: an hour takes the memory of a block.

    Blocks are cut short before they are written: the encoder of OGG keeps on its stack what it is given at once.

    Args:
        blocks: each of shape (frames,) or (frames, channels).

    Raises:
        FileProblem: as `write_audio`, and what reading the blocks raises.
    """
    import soundfile

    path = Path(path)
    guard(path)
    kind, subtype = _format(path)
    name = _beside(path)
    try:
        with soundfile.SoundFile(name, "w", sample_rate_hz, channels, subtype, format=kind) as out:
            for block in blocks:
                for start in range(0, len(block), WRITE_FRAMES):
                    out.write(block[start : start + WRITE_FRAMES])
        if kind == "WAV":
            _add_bext(Path(name), about, recorded_at or datetime.now().astimezone())
        os.chmod(name, 0o644)
        os.replace(name, path)
    except (soundfile.LibsndfileError, OSError, RuntimeError, ValueError) as error:
        if isinstance(error, FileProblem):
            raise
        raise _unwritten(path, kind, error) from error
    finally:
        Path(name).unlink(missing_ok=True)


def convert(source: str | Path, target: str | Path, *, progress: Progress | None = None) -> None:
    """A recording in another format, by the target's ending, all channels, block by block; date and description go along.

    Raises:
        FileProblem: it cannot be read or written; the target is then as it was.
        Cancelled: `progress` said stop; likewise.
    """
    import soundfile

    take, target = take_file(source), Path(target)
    guard(target, read=[take.path])
    kind, subtype = _format(target)
    name = _beside(target)
    try:
        with soundfile.SoundFile(name, "w", take.sample_rate_hz, take.channels, subtype, format=kind) as out:
            done = 0
            for block in take.blocks():
                for start in range(0, len(block), WRITE_FRAMES):
                    out.write(block[start : start + WRITE_FRAMES])
                done += len(block)
                if progress is not None and not progress(done / max(take.frames, 1)):
                    raise Cancelled
        if kind == "WAV":
            _add_bext(Path(name), take.about, take.recorded_at or _written(take.path))
        os.chmod(name, 0o644)
        os.replace(name, target)
    except (soundfile.LibsndfileError, OSError, RuntimeError, ValueError) as error:
        if isinstance(error, FileProblem):
            raise
        raise _unwritten(target, kind, error) from error
    finally:
        Path(name).unlink(missing_ok=True)


def _format(path: Path) -> tuple[str, str]:
    """Format and coding by a file's ending. Raises FileProblem for one that is not known."""
    if path.suffix.lower() not in FORMATS:
        raise FileProblem(path, f"cannot be written: its ending has to be one of {', '.join(FORMATS)}")
    return FORMATS[path.suffix.lower()]


def _beside(path: Path) -> str:
    """A new empty file beside another. Raises FileProblem where none can be made."""
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name[:24]}.", dir=path.parent)
    except OSError as error:
        raise FileProblem(path, f"cannot be written: {error.strerror}") from error
    os.close(handle)
    return name


def _unwritten(path: Path, kind: str, error: Exception) -> FileProblem:
    text = str(getattr(error, "error_string", error)).strip().rstrip(".")
    hint = "; MP3, OGG and Opus take only some sample rates and channels" if kind in ("MP3", "OGG") else ""
    return FileProblem(path, f"cannot be written: {text}{hint}")


def _written(path: Path) -> datetime:
    return datetime.fromtimestamp(path.stat().st_mtime).astimezone()


def _add_bext(path: Path, about: str, at: datetime) -> None:
    """Appends a `bext` chunk to a WAV and mends its length. A file that would grow past 4 GiB is left as it is."""
    chunk = BEXT.pack(
        _text(about, 256),
        _text("Kymaphon", 32),
        b"",
        _text(f"{at:%Y-%m-%d}", 10),
        _text(f"{at:%H:%M:%S}", 8),
        0,
        1,
        b"",
        b"",
    )
    with path.open("r+b") as file:
        file.seek(0, os.SEEK_END)
        size = file.tell()
        if size + len(chunk) + 9 > 0xFFFFFFFF:
            return
        if size % 2:
            file.write(b"\0")
            size += 1
        file.write(b"bext" + struct.pack("<I", len(chunk)) + chunk)
        file.seek(4)
        file.write(struct.pack("<I", size + 8 + len(chunk) - 8))


def _text(text: str, length: int) -> bytes:
    return text.encode("ascii", "replace")[:length]


def read_bext(path: Path) -> tuple[datetime | None, str]:
    """Date, time and description of a Broadcast Wave; None and nothing of any other file, or of a broken chunk."""
    try:
        with path.open("rb") as file:
            head = file.read(12)
            if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
                return None, ""
            while len(row := file.read(8)) == 8:
                name, length = row[:4], struct.unpack("<I", row[4:])[0]
                if name == b"bext" and length >= BEXT.size:
                    fields = BEXT.unpack(file.read(BEXT.size))
                    about = fields[0].split(b"\0")[0].decode("ascii", "replace").strip()
                    stamp = (fields[3] + b" " + fields[4]).decode("ascii", "replace").replace("\0", "")
                    return _stamp(stamp), about
                file.seek(length + (length & 1), os.SEEK_CUR)
    except (OSError, struct.error):
        return None, ""
    return None, ""


def _stamp(text: str) -> datetime | None:
    """EBU Tech 3285 allows several marks between the numbers."""
    plain = "".join(c if c.isdigit() else " " for c in text).split()
    try:
        return datetime(*(int(part) for part in plain)).astimezone() if len(plain) == 6 else None  # type: ignore[arg-type]
    except ValueError:
        return None
