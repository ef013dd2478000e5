"""Recording from a real input through the sound library, which is an extra."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

HELP = (
    "To record from a real input, install the extra 'capture' (pip install 'kymaphon[capture]'; on Debian also the package "
    "libportaudio2). Until then record with any program and drop the file on the window."
)
STEP_S = 0.1


class CaptureProblem(Exception):
    """Nothing can be recorded; the message says what to do."""


class CaptureStopped(Exception):
    """The user stopped it."""


def input_names() -> tuple[str, ...]:
    """Names of the inputs that there are, in the library's order; empty names for what is no input.

    Raises:
        CaptureProblem: the library or the system's sound is missing.
    """
    return tuple(str(row["name"]) if row["max_input_channels"] else "" for row in _library().query_devices())


def _library() -> Any:
    try:
        import sounddevice
    except ModuleNotFoundError as error:
        raise CaptureProblem(HELP) from error
    except OSError as error:
        raise CaptureProblem(f"The sound library does not start: {error}. {HELP}") from error
    return sounddevice


def capture(
    seconds: float,
    sample_rate_hz: int,
    *,
    device: int | None = None,
    channels: int = 1,
    progress: Callable[[float], bool] | None = None,
) -> NDArray[np.float32]:
    """Records; shape (frames, channels).

    Raises:
        CaptureProblem: the library, the input or the rate is not to be had.
        CaptureStopped: `progress` said stop; nothing is kept.
    """
    library = _library()
    try:
        sound = library.rec(
            round(seconds * sample_rate_hz),
            samplerate=sample_rate_hz,
            channels=channels,
            dtype="float32",
            device=device,
        )
        begun = time.monotonic()
        while (done := time.monotonic() - begun) < seconds:
            if progress is not None and not progress(done / seconds):
                library.stop()
                raise CaptureStopped
            time.sleep(min(STEP_S, seconds - done))
        library.wait()
    except library.PortAudioError as error:
        raise CaptureProblem(
            f"The input cannot be recorded: {error}. Check that it is plugged in and that no other program holds it."
        ) from error
    return np.asarray(sound, dtype=np.float32)
