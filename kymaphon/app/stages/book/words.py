"""The words of Book's views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

BOOK_VIEWS = (
    ("log", "Log", "Everything that was logged, by sort and by words; what was set, open and heard at a moment."),
    ("over", "Over shows", "What was measured and set, show by show: a room's noise, a talker's gain."),
    ("memory", "Memory", "What worked before and fits this show; to be put in, mended or thrown away."),
)
BOOK_COMMANDS = (
    ("log", "The &log", "Line-ups, circuit checks, taps, takes, gates, incidents, drills, changes on air.", ""),
    ("over", "&Over shows", "Lines over shows, with their middle and spread.", ""),
    ("memory", "&Memory", "What worked, and how sure that is.", ""),
)
ACTS = (
    ("log", "incident", "Note an &incident\u2026", "Something that went wrong, in words, with the time."),
    ("log", "report", "Incident &report of this moment\u2026", "A page: what was set, open and heard then."),
    ("memory", "remember", "&Remember this show now", "As it is done by itself whenever it is saved."),
    ("memory", "drop-show", "Throw a show &away\u2026", "Its figures and its log, out of the memory."),
    (
        "memory",
        "forget",
        "&Forget somebody\u2026",
        "Everywhere in the memory: gains, levels, and their name in old logs.",
    ),
    ("memory", "aside", "Set a damaged memory a&side", "It is kept beside, and a new one begins."),
)
FILES = (
    ("next-week", "Begin &next week's from this show\u2026", "What carries over, and what has to be done again."),
    ("compare", "&Compare with another show\u2026", "What differs, in plain sentences."),
    ("archive", "&Archive with its recordings\u2026", "The show and its takes in one file."),
    ("unpack", "&Unpack an archive\u2026", "Into a folder; nothing is written outside it."),
)
EMPTY = "Nothing is logged yet: line-ups, taps, circuit checks, notes and what happens on air come here by themselves."
