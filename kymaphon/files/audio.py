"""Recordings: opened through libsndfile, read in blocks, measured. Turns its failures into clear ones."""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from kymaphon.core.take.measure import NotANumberError, TakeMeasure, TakeMeter
from kymaphon.files.errors import FileProblem

if TYPE_CHECKING:
    import soundfile

BLOCK_FRAMES = 1 << 18
MOST_CHANNELS = 256
Progress = Callable[[float], bool]
"""Called with the part done, 0 to 1; returns whether to go on."""


class Cancelled(Exception):
    """The user stopped the work."""


@contextmanager
def open_take(path: str | Path, *, partial: bool = False) -> Iterator[soundfile.SoundFile]:
    """A recording, open for reading.

    Args:
        partial: take what is there of a WAV that was cut short.

    Raises:
        FileProblem: missing, not a recording that can be read, cut short, or empty.
    """
    import soundfile

    path = Path(path)
    if not path.exists():
        raise FileProblem(path, "there is no such file")
    if path.is_dir():
        raise FileProblem(path, "is a folder, not a recording")
    if not path.is_file():
        raise FileProblem(path, "is no ordinary file")
    if path.stat().st_size == 0:
        raise FileProblem(path, "is empty")
    if not partial:
        _refuse_cut_short(path)
    try:
        file = soundfile.SoundFile(str(path))
    except soundfile.LibsndfileError as error:
        raise FileProblem(
            path, f"is no recording that can be read ({error.error_string.strip().rstrip('.')})"
        ) from error
    except (OSError, RuntimeError, TypeError) as error:
        raise FileProblem(path, f"cannot be opened: {error}") from error
    with file:
        if file.channels > MOST_CHANNELS:
            raise FileProblem(path, f"has {file.channels} channels; at most {MOST_CHANNELS} are read")
        yield file


def _refuse_cut_short(path: Path) -> None:
    """A WAV whose header promises more audio than the file holds was cut short: by a full disk, a pulled
    stick, a crash.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        if len(head) < 12 or head[:4] != b"RIFF" or head[8:] != b"WAVE":
            return
        per_second = 0
        while True:
            chunk = file.read(8)
            if len(chunk) < 8:
                raise FileProblem(path, "is cut short: a WAV without its audio", f"byte {file.tell()}")
            name, length = chunk[:4], struct.unpack("<I", chunk[4:])[0]
            start = file.tell()
            if name == b"fmt " and length >= 16:
                row = file.read(16)
                if len(row) < 16:
                    raise FileProblem(path, "is cut short in its header", f"byte {start}")
                per_second = struct.unpack("<HHIIHH", row)[3]
            if name == b"data":
                if length in (0, 0xFFFFFFFF):
                    return
                if start + length > size:
                    held, promised = size - start, length
                    text = f"is cut short: its header promises {promised} bytes of audio and it holds {held}"
                    if per_second:
                        text = f"is cut short: {promised / per_second:.1f} s promised, {held / per_second:.1f} s there"
                    raise FileProblem(path, text + "; measure what is there with --partial", f"byte {start}")
                return
            file.seek(start + length + (length & 1))


def measure_take(path: str | Path, *, progress: Progress | None = None, partial: bool = False) -> TakeMeasure:
    """Measures a whole recording in bounded memory.

    Raises:
        FileProblem: it cannot be read, or holds samples that are not numbers.
        Cancelled: `progress` said stop.
    """
    import soundfile

    with open_take(path, partial=partial) as file:
        meter = TakeMeter(file.samplerate, file.channels)
        frames = max(BLOCK_FRAMES // file.channels, 4096)
        try:
            while True:
                block = file.read(frames, dtype="float32", always_2d=True)
                if not len(block):
                    break
                meter.add(block)
                if progress is not None and not progress(min(1.0, meter.taken / max(file.frames, 1))):
                    raise Cancelled
        except NotANumberError as error:
            raise FileProblem(path, "holds samples that are not numbers", f"{error.at_s:.3f} s") from error
        except soundfile.LibsndfileError as error:
            at = f"{meter.taken / file.samplerate:.3f} s"
            raise FileProblem(path, f"breaks off: {error.error_string.strip().rstrip('.')}", at) from error
        if not meter.taken:
            raise FileProblem(path, "holds no audio")
        return meter.result()


def fingerprint(path: str | Path) -> str:
    """SHA-256 of a file, read in blocks.

    Raises:
        FileProblem: it cannot be read.
    """
    digest = hashlib.sha256()
    try:
        with Path(path).open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
    except OSError as error:
        raise FileProblem(path, f"cannot be read: {error.strerror}") from error
    return digest.hexdigest()
