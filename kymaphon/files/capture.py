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


class LiveInput:
    """An input that is listened to for as long as it is open; nothing of it is kept.

    Args:
        take: gets each block, shape (frames, channels), in the sound library's own thread.

    Raises:
        CaptureProblem: the library, the input or the rate is not to be had.
    """

    def __init__(
        self,
        sample_rate_hz: int,
        channels: int,
        take: Callable[[NDArray[np.float32]], None],
        *,
        device: int | None = None,
    ) -> None:
        library = _library()

        def heard(block: Any, _frames: int, _time: Any, _status: Any) -> None:
            take(np.array(block, dtype=np.float32))

        try:
            self._stream = library.InputStream(
                samplerate=sample_rate_hz, channels=channels, dtype="float32", device=device, callback=heard
            )
            self._stream.start()
        except library.PortAudioError as error:
            raise CaptureProblem(
                f"The input cannot be listened to: {error}. Check that it is plugged in and that no other program holds it."
            ) from error

    def stop(self) -> None:
        """Lets go of the input."""
        self._stream.stop()
        self._stream.close()


def input_channels(device: int | None = None) -> int:
    """How many channels an input has, the system's own where none is named.

    Raises:
        CaptureProblem: the library or the input is missing.
    """
    library = _library()
    try:
        found = library.query_devices(device, "input")
    except (library.PortAudioError, ValueError) as error:
        raise CaptureProblem(
            f"There is no input: {error}. Plug one in, and choose it in the system's settings."
        ) from error
    return int(found["max_input_channels"])


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
