"""The words of Air's views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from kymaphon.core.model.rundown import NoteKind

AIR_VIEWS = (
    ("now", "Now", "What is on and what is next, the clock, the meters, what can go wrong; notes with one key."),
    ("rundown", "Rundown", "Segments with their lengths and hard times, who is open, what plays, who then hears whom."),
    ("notes", "Notes", "What was noted, to be taken to the edit: cue points, labels, chapters, a list of cuts."),
)
AIR_COMMANDS = (
    ("now", "&Now on air", "What is on, what is next, what that mutes, how much time is left.", ""),
    ("rundown", "&Rundown", "Segments, hard times, what each change moves.", ""),
    ("notes", "No&tes of the show", "Retakes, noise, good bits; out as cue points, labels, chapters.", ""),
)
ACTS = (
    ("now", "go", "&Go: the next segment is on", "Space, in Now."),
    ("now", "back", "Go &back a segment", "B, in Now."),
    ("now", "hold", "&Hold, or go on", "H, in Now: the clock of the segment stands."),
    ("now", "end", "&Off air", "Ends the run; it stays in the log."),
    ("now", "meters sim", "Meters from the &simulated rig", "What a rig that plays this show would show."),
    ("now", "meters input", "Meters from a real &input\u2026", "Needs the extra 'capture'."),
    ("now", "meters none", "No &meters", "Clock and rundown alone."),
    ("rundown", "new", "New &segment\u2026", "After the one that is chosen."),
    ("rundown", "open", "This s&egment\u2026", "Its length, who is open, what plays."),
    ("rundown", "up", "Segment &up", "Alt+Up, in Rundown."),
    ("rundown", "down", "Segment &down", "Alt+Down, in Rundown."),
    ("rundown", "import", "Take a rundown o&ver from a list\u2026", "CSV."),
    (
        "rundown",
        "air-time",
        "When it is on &air\u2026",
        "Day, time and time zone of the show; on another day its hard times go along.",
    ),
)
SHEETS = (
    ("rundown", "Save the run&down\u2026", "A page, or a list that can be read again."),
    ("notes", "Save the n&otes\u2026", "Cue points, labels, chapters, subtitles, or a list."),
)
KEYS = (
    "Space: the next is on. B back, H hold. 1 to 9 open or close. R N C G W note, T writes one. D does what is advised."
)
NOTE_KEYS: dict[str, NoteKind] = {"R": "retake", "N": "noise", "C": "clip", "G": "good", "W": "fader"}
NO_RUNDOWN = (
    "1.  Make the segments in the view Rundown, or take a list over: name, length, who is open, what plays.\n"
    "2.  Say when it is on air; give what has to be met a hard time.\n"
    "3.  Come back here: Space begins the show.\n\n"
    "A list needs one line of headings:   name, length, open, plays, ends_by"
)
