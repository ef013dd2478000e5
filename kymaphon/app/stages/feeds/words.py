"""The words of Feeds' views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

FEED_VIEWS = (
    ("hearing", "Hearing", "Who hears whom, how loud and how late; the chosen pair's arrivals, paths and response."),
    ("plan", "Plan", "Every needed mix on a bus that is there, and what that changes."),
    ("doing", "Doing list", "The plan as steps at the desk, the interface and the software, to be ticked."),
    ("circles", "Loops", "What goes round: gain, time, and how far from howling."),
    ("out", "Out", "Recorder tracks and the stream's budget."),
    ("switches", "Switches", "The crosspoints of one device as a grid."),
)
FEED_COMMANDS = (
    ("hearing", "Who &hears whom", "Listeners by voices.", ""),
    ("plan", "&Plan the feeds", "Every needed mix on a bus that is there.", "Ctrl+E"),
    ("doing", "&Doing list", "Steps at the desk, to be ticked.", "Ctrl+I"),
    ("circles", "&Loops", "What goes round, and how far from howling.", ""),
    ("out", "&Tracks and stream", "What the recorder and the network get.", ""),
    ("switches", "&Switches of a device", "Crosspoints as a grid.", ""),
)
NOTHING = "Add parties that speak and listen, and cables between their devices."
HURTS = "Before anything is plugged or opened: faders down, headphones off the ears. A plug pulled live or a loop that closes hits them."
