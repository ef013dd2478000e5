"""What every command needs: a show read and analysed, JSON on standard output, and the one line for what cannot be used.

The core is imported by the command that needs it: measuring a recording loads no show.
"""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from kymaphon.core.analysis import Analysis
    from kymaphon.core.show import Show


class Unusable(Exception):
    """Input that cannot be used; the message is the one line for standard error."""


def load(path: str) -> Analysis:
    from kymaphon.core.analyse import analyse
    from kymaphon.files.show_file import read_show

    return analyse(read_show(path))


def save(show: Show, given: str, output: str) -> None:
    """Writes a changed show. Its takes are still found where the file given was. Raises FileProblem."""
    from pathlib import Path

    from kymaphon.files.show_file import write_show
    from kymaphon.files.takes import rehomed

    write_show(output, rehomed(show, Path(given).parent, Path(output).parent))


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))
