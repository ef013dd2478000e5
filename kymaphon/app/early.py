"""What is set before anything heavy is imported, so that the window is there sooner. Imports nothing itself."""

from __future__ import annotations

import gc
import sys
from collections.abc import Sequence
from types import ModuleType


class _Unread:
    """A finder that finds nothing: it tells the Qt binding that a module about to be imported needs no look at its source.

    Once PySide6 is imported it reads the whole source of every module imported after it, in search of the word "PySide6", to
    know for which its optional snake_case names may be switched on. Nothing here switches them on; unread, the imports of a
    start take a fifth less, those of scipy a fourth. Where a later PySide6 has no such table, all is as it was.
    """

    @staticmethod
    def find_spec(name: str, path: Sequence[str] | None = None, target: ModuleType | None = None) -> None:
        feature = sys.modules.get("shibokensupport.feature")
        table = getattr(feature, "pyside_feature_dict", None)
        if isinstance(table, dict) and not name.startswith(("PySide6", "shiboken")):
            table.setdefault(name, -1)  # "ignore this module"


def start_sooner() -> None:
    """Leaves sources unread and garbage uncollected until the window is there (`collecting.Collector` takes it from then on)."""
    gc.disable()
    if _Unread not in sys.meta_path:
        sys.meta_path.insert(0, _Unread)
