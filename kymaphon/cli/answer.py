"""What every command needs: a show read and analysed, JSON on standard output, and the one line for what cannot be used.

The core is imported by the command that needs it: measuring a recording loads no show.
"""

from __future__ import annotations

import json
import math
from typing import TYPE_CHECKING, Any

from kymaphon.cli.terminal import escaped_json

if TYPE_CHECKING:
    from kymaphon.core.analysis.report import Report
    from kymaphon.core.model.show import Show


class Unusable(Exception):
    """Input that cannot be used; the message is the one line for standard error."""


def load(path: str) -> Report:
    from kymaphon.core.analysis.analyse import analyse
    from kymaphon.files.show_file import read_show

    return analyse(read_show(path))


def save(show: Show, given: str, output: str) -> None:
    """Writes a changed show. Its takes are still found where the file given was. Raises FileProblem."""
    from pathlib import Path

    from kymaphon.files.show_file import write_show
    from kymaphon.files.takes import rehomed

    write_show(output, rehomed(show, Path(given).parent, Path(output).parent))


def print_json(data: Any) -> None:
    """One JSON document; a figure without bounds is null, as JSON has no such number."""
    print(escaped_json(json.dumps(_finite(data), indent=1, ensure_ascii=False, allow_nan=False)))


def _finite(data: Any) -> Any:
    if isinstance(data, float):
        return data if math.isfinite(data) else None
    if isinstance(data, dict):
        return {key: _finite(value) for key, value in data.items()}
    return [_finite(row) for row in data] if isinstance(data, list | tuple) else data
