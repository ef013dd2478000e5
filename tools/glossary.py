"""Writes docs/glossary.md from kymaphon/guide/glossary.json, so that the page and the window say the same.

python tools/glossary.py
"""

from __future__ import annotations

from pathlib import Path

from kymaphon.app.help import glossary_text

PAGE = Path(__file__).resolve().parent.parent / "docs" / "glossary.md"

if __name__ == "__main__":
    PAGE.write_text(glossary_text(), encoding="utf-8")
    print(f"wrote {PAGE.name}")
