"""How much room a disk has left."""

from __future__ import annotations

import shutil
from pathlib import Path

from kymaphon.files.errors import FileProblem


def free_bytes(folder: str | Path) -> int:
    """Bytes free on the disk of a folder, for this user. Raises FileProblem when it cannot be told."""
    try:
        return shutil.disk_usage(folder).free
    except OSError as error:
        raise FileProblem(Path(folder), f"its disk cannot be asked for free space: {error.strerror}") from error
