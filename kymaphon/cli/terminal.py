"""What goes to a terminal, a pipe or a full device: no control character of a name reaches it raw, and no letter that it lacks ends a command."""

from __future__ import annotations

import codecs
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TextIO

PLAIN = {
    "\u2212": "-",
    "\u2013": "-",
    "\u2014": "-",
    "\u2026": "...",
    "\u00d7": "x",
    "\u00b7": "*",
    "\u00b0": " deg",
    "\u03a9": "ohm",
    "\u03c0": "pi",
    "\u00b5": "u",
    "\u03bc": "u",
    "\u221a": "sqrt ",
    "\u2265": ">=",
    "\u2264": "<=",
    "\u2192": "->",
    "\u203a": ">",
    "\u2019": "'",
    "\u00b2": "2",
    "\u00b3": "3",
    "\u03a3": "sum ",
}
"""What stands for a letter that a terminal lacks."""
_CONTROL = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069\ufeff]")
"""C0 but for tab and line feed, C1, and what turns the direction of writing (Unicode UAX 9)."""


def visible(text: str) -> str:
    """A text with its control characters written out, as `\\x1b`."""
    return _CONTROL.sub(lambda found: _written(found[0]), text)


def _written(letter: str) -> str:
    code = ord(letter)
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"


def escaped_json(text: str) -> str:
    """JSON text with the same characters as its own escapes: it reads the same. Halves of letters too."""
    found = re.compile(f"{_CONTROL.pattern}|[\ud800-\udfff]")
    return found.sub(lambda row: f"\\u{ord(row[0]):04x}", text)


def _stands_for(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(PLAIN.get(letter, "?") for letter in error.object[error.start : error.end]), error.end


codecs.register_error("kymaphon-plain", _stands_for)


class _Visible:
    """A stream that writes control characters out."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        self._stream.write(visible(text))
        return len(text)

    def __getattr__(self, name: str) -> object:
        return getattr(self._stream, name)


@contextmanager
def plain_output() -> Iterator[None]:
    """Standard output and error for a command."""
    held = sys.stdout, sys.stderr
    for stream in held:
        reconfigure = getattr(stream, "reconfigure", None)
        if reconfigure is not None:
            reconfigure(errors="kymaphon-plain")
    sys.stdout, sys.stderr = (_Visible(stream) for stream in held)
    try:
        yield
    finally:
        sys.stdout, sys.stderr = held
