"""Words that follow a figure. Imports nothing: the frame of the window is drawn before anything that computes."""

from __future__ import annotations


def counted(count: int, one: str, many: str = "") -> str:
    """A count with its noun.

    >>> counted(1, "cable"), counted(2, "cable"), counted(0, "person", "people")
    ('1 cable', '2 cables', '0 people')
    """
    return f"{count} {one if count == 1 else many or one + 's'}"
