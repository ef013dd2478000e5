"""Where the shipped demo lies."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

FAULTY = "lantern-quay.json"
REPAIRED = "lantern-quay-repaired.json"
FINAL = "lantern-quay-final.json"
"""Its second act, an outside broadcast with talkback and a crew."""


def demo_path(name: str = FAULTY) -> Path:
    """A file of the demo: a show, or one of its takes."""
    return Path(str(resources.files("kymaphon").joinpath("demo", name)))
