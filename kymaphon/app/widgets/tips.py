"""Text of a show in tool tips and boxes: as it is typed, never as markup."""

from __future__ import annotations


def plain_tip(text: str) -> str:
    """A tool tip that shows the text as it is; Qt would read one with tags in it as markup."""
    if "<" not in text:
        return text
    import html

    return f"<qt>{html.escape(text).replace(chr(10), '<br>')}</qt>"
