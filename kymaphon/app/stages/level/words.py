"""The words of Level's views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

LEVEL_VIEWS = (
    ("ladder", "Ladder", "Speech, peaks and every noise at every point of a chain, against ceiling and mark."),
    ("noise", "Noise", "Who brings how much noise at every point, and what each possible move would buy."),
    ("solve", "Line-up", "Gains and pads for the whole show: on the marks, under every ceiling, with the least noise."),
    ("run", "Run", "Source by source before the show: what to say, what to watch, what it should read."),
)
LEVEL_COMMANDS = (
    ("solve", "Line &up\u2026", "What to turn so that every voice is on its mark.", "Ctrl+U"),
    (
        "run",
        "&Run through the sources",
        "One source at a time, from the keyboard; what came goes into the log.",
        "Ctrl+R",
    ),
    ("noise", "&Noise budget", "Who brings how much, and what each move would buy.", "Ctrl+B"),
    ("ladder", "&Ladder", "Back to the ladder.", ""),
)
