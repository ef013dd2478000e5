"""Where this user's own files lie, outside shows: what the program keeps between runs, and what is remembered."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Literal

from kymaphon.files.errors import FileProblem


def user_folder(sort: Literal["state", "data"]) -> Path:
    """A folder of this user's; `KYMAPHON_STATE` names another place for both.

    Raises:
        FileProblem: it cannot be made.
    """
    given = os.environ.get("KYMAPHON_STATE")
    if given:
        folder = Path(given)
    else:
        import platformdirs

        find = platformdirs.user_state_path if sort == "state" else platformdirs.user_data_path
        folder = find("kymaphon")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(folder, f"cannot be made: {error.strerror}") from error
    return folder
