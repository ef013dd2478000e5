"""The words of Prove's views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

PROVE_VIEWS = (
    ("tap", "Tap", "One source after the other: which meters must move, which did, and what explains it."),
    ("listen", "Listen", "What anybody hears of the whole show, as it is and after a remedy."),
    ("faults", "Faults", "What is heard to be wrong with a recording, how sure, where, and what cures it."),
    ("questions", "Questions", "What is heard and what changes it: which cause that speaks for."),
    ("practice", "Practice", "Drills on the simulated rig of this show; nothing of it is changed but its log."),
    ("ready", "Ready", "What is still open before air, in the order that saves most risk a minute."),
    ("pairs", "Proven", "Every wanted pair: proven, stale since an edit, or not yet."),
)
PROVE_COMMANDS = (
    ("tap", "&Tap test", "One source after the other, and what explains what was seen.", ""),
    ("listen", "&Hear what somebody hears", "The whole show by their ears, before and after a remedy.", ""),
    ("faults", "&Faults in a recording", "What is heard to be wrong, how sure, where, and what cures it.", ""),
    ("questions", "Fault by &questions", "Hum, crackle, echo: what changes it, and so what it is.", ""),
    ("practice", "P&ractice", "Drills of growing difficulty: line up, build a mix, find a fault, set a gate.", ""),
    ("ready", "Read&y for air", "What is still open of this very show, and how long it takes.", ""),
    ("pairs", "&What is proven", "Every wanted pair: proven, stale, or not yet.", ""),
)
KEYS = (
    "Y as it should, N silent, 1 to 9 five to forty-five dB below, H far above, A all the rest as they should, "
    "Backspace takes back, Enter next tap, R read from the simulated rig."
)
HURTS = "Tap, do not blow; faders down and headphones off the ears before a lead is moved."
EMPTY = "Nobody in this show speaks or plays into the rig yet: Cast and Rig come first."
