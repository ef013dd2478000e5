"""Plays a few seconds of sound: through the optional sound library if it is installed, else through a player of the system."""

from __future__ import annotations

import importlib.util
import shutil
import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QProcess

from kymaphon.files.takes import write_audio

PLAYERS = ("pw-play", "paplay", "aplay")
LOUDEST = 0.5
"""Excerpts are never played above this part of full scale: whoever listens wears headphones."""


class NoPlayerError(Exception):
    """Nothing here can play sound; the message says what to do."""


class Player(QObject):
    """Plays one thing at a time; a new one ends the one before."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process: QProcess | None = None
        self._file: Path | None = None

    def play(self, samples: NDArray[np.float32], sample_rate_hz: int, *, gain_db: float = 0.0) -> None:
        """Plays some samples, shape (frames,).

        Raises:
            NoPlayerError: there is nothing to play with.
        """
        self.stop()
        sound = np.clip(samples * np.float32(10 ** (gain_db / 20)), -LOUDEST, LOUDEST)
        if importlib.util.find_spec("sounddevice") is not None:
            import sounddevice

            try:
                sounddevice.play(sound, sample_rate_hz)
            except sounddevice.PortAudioError as error:
                raise NoPlayerError(
                    f"The sound library cannot play: {error}. Check the system's sound output."
                ) from error
            return
        player = next((path for path in (shutil.which(name) for name in PLAYERS) if path), None)
        if player is None:
            raise NoPlayerError(
                "Nothing here can play sound: install the extra 'capture', or one of "
                f"{', '.join(PLAYERS)}. It can be saved and heard elsewhere."
            )
        self._file = Path(tempfile.mkdtemp(prefix="kymaphon-")) / "excerpt.wav"
        write_audio(self._file, sound, sample_rate_hz, about="excerpt")
        self._process = QProcess(self)
        self._process.finished.connect(lambda *_: self._clear())
        self._process.start(player, [str(self._file)])

    def stop(self) -> None:
        """Ends what is playing."""
        if self._process is not None:
            self._process.kill()
            self._process.waitForFinished(500)
        self._clear()

    def _clear(self) -> None:
        self._process = None
        if self._file is not None:
            shutil.rmtree(self._file.parent, ignore_errors=True)
            self._file = None
