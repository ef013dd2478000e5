"""Recordings: opened through libsndfile, read in blocks, measured. Turns its failures into clear ones."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.takes.faults.finder import FaultFinder, ranked
from kymaphon.core.takes.faults.kinds import SoundFault
from kymaphon.core.takes.faults.tones import pause_fault
from kymaphon.core.takes.measure import NotANumberError, TakeMeasure, TakeMeter
from kymaphon.files.cut_short import refuse_cut_short, wave_layout
from kymaphon.files.errors import FileProblem, told_of

if TYPE_CHECKING:
    import soundfile

BLOCK_FRAMES = 1 << 18
PARTIAL_FRAMES = 4096
MOST_CHANNELS = 256
MOST_RATE_HZ = 1_000_000
"""Converters go to 768 kHz; more is a broken header, and no filter of a meter is made for it."""
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
    with told_of(path):
        if path.stat().st_size == 0:
            raise FileProblem(path, "is empty")
    if not partial:
        refuse_cut_short(path)
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
        if file.samplerate > MOST_RATE_HZ:
            raise FileProblem(
                path,
                f"says that it has {file.samplerate} samples in a second; no recording has more than {MOST_RATE_HZ}",
            )
        yield file


def measure_take(
    path: str | Path,
    *,
    progress: Progress | None = None,
    partial: bool = False,
    group: tuple[int, ...] | None = None,
    layout: str | None = None,
) -> TakeMeasure:
    """Measures a whole recording in bounded memory.

    Args:
        group, layout: channels (from 1) that are one programme, and their layout, for the loudness; see `TakeMeter`. A WAV
            that says itself that it is 5.1 is taken so.

    Raises:
        FileProblem: it cannot be read, is cut short, or holds samples that cannot be.
        ValueError: a channel that is not there, or a layout of another size.
        Cancelled: `progress` said stop.
    """
    import soundfile

    with open_take(path, partial=partial) as file:
        if group is None and layout is None:
            layout = wave_layout(Path(path), file.channels)
        meter = TakeMeter(file.samplerate, file.channels, group=group, layout=layout)
        # What is there of a broken file is read in small steps, so that little before the break is lost.
        frames = PARTIAL_FRAMES if partial else max(BLOCK_FRAMES // file.channels, 4096)
        broken = ""
        try:
            while True:
                block = file.read(frames, dtype="float32", always_2d=True)
                if not len(block):
                    break
                meter.add(block)
                if progress is not None and not progress(min(1.0, meter.taken / max(file.frames, 1))):
                    raise Cancelled
        except NotANumberError as error:
            raise FileProblem(path, f"holds samples {error.what}", f"{error.at_s:.3f} s") from error
        except soundfile.LibsndfileError as error:
            broken = f"breaks off: {error.error_string.strip().rstrip('.')}"
            if not partial:
                at = f"{meter.taken / file.samplerate:.3f} s"
                raise FileProblem(path, broken + "; kymaphon take --partial measures what is there", at) from error
        if not meter.taken:
            raise FileProblem(path, "holds no audio")
        if meter.taken < file.frames and not partial:
            there, promised = meter.taken / file.samplerate, file.frames / file.samplerate
            text = f"is cut short: {promised:.1f} s promised, {there:.1f} s there; kymaphon take --partial measures what is there"
            raise FileProblem(path, text)
        result = meter.result()
        if broken or meter.taken < file.frames or (partial and _is_cut(path)):
            result = replace(
                result,
                notes=(
                    f"cut short: only the {result.duration_s:.1f} s that are there were measured",
                    *result.notes,
                ),
            )
        return result


def excerpt(path: str | Path, start_s: float, seconds: float) -> tuple[NDArray[np.float32], int]:
    """Part of a recording, shape (frames, channels), and its sample rate; less where it ends before. Raises FileProblem: it cannot be read."""
    with open_take(path) as file:
        first = min(max(0, round(start_s * file.samplerate)), file.frames)
        file.seek(first)
        return file.read(round(seconds * file.samplerate), dtype="float32", always_2d=True), file.samplerate


def faults_of(
    path: str | Path, measured: TakeMeasure, *, partial: bool = False, progress: Progress | None = None
) -> tuple[SoundFault, ...]:
    """What is heard to be wrong with a recording that was measured, the surest first.

    Raises:
        FileProblem: it cannot be read.
        Cancelled: `progress` said stop.
    """
    import soundfile

    with open_take(path, partial=partial) as file:
        finder = FaultFinder(file.samplerate, file.channels)
        taken = 0
        try:
            while len(block := file.read(max(BLOCK_FRAMES // file.channels, 4096), dtype="float32", always_2d=True)):
                finder.add(block)
                taken += len(block)
                if progress is not None and not progress(min(1.0, taken / max(file.frames, 1))):
                    raise Cancelled
        except soundfile.LibsndfileError as error:
            if not partial:
                raise FileProblem(path, f"breaks off: {error.error_string.strip().rstrip('.')}") from error
        found = finder.result()
        if measured.hum is None:
            return found
        # The quietest half second has more lines; the whole recording tells their frequency better.
        pause = pause_fault(measured.hum)
        fit = next((row for row in found if row.code in ("hum", "dimmer-buzz")), None)
        if fit is not None:
            pause = replace(
                pause, confidence=max(pause.confidence, fit.confidence), evidence=f"{pause.evidence}; {fit.evidence}"
            )
        return ranked([pause, *(row for row in found if row is not fit)])


def _is_cut(path: str | Path) -> bool:
    try:
        refuse_cut_short(Path(path))
    except FileProblem:
        return True
    return False


def fingerprint(path: str | Path) -> str:
    """SHA-256 of a file, read in blocks.

    Raises:
        FileProblem: it cannot be read.
    """
    digest = hashlib.sha256()
    with told_of(path), Path(path).open("rb") as file:
        while block := file.read(1 << 20):
            digest.update(block)
    return digest.hexdigest()
