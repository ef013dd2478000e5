"""The words of Cast's commands, for its own menu and for the menu bar; imported before the stage is."""

from __future__ import annotations

CAST_VIEWS = (
    ("microphones", "Microphones", "Each microphone with its party: distance, angle, voice, room, bleed."),
    (
        "bleed",
        "Bleed",
        "Every voice and loudspeaker in every microphone, against the microphone's own voice.",
    ),
    (
        "best",
        "Best places",
        "All kinds of microphone for the selected party, each at its best allowed spot, ranked.",
    ),
    (
        "howl",
        "Before it howls",
        "How far from howling each kind of microphone would be, and where: for a voice that loudspeakers in its own room carry.",
    ),
)
CAST_COMMANDS = (
    (
        "talker",
        "Add a &talker\u2026",
        "Somebody with a microphone and headphones: seat, spot, free input, phantom power and leads, in one step.",
        "Ctrl+Shift+D",
    ),
    (
        "far",
        "Add a guest far a&way\u2026",
        "By call, telephone or codec: the app or box, their end, the leads and what they listen on, in one step.",
        "Ctrl+Shift+F",
    ),
    ("party", "Add &somebody or something\u2026", "Adds who is heard, or hears, or both.", ""),
    ("title", "Title and time on &air\u2026", "What the show is called, its subtitle, and when it goes on air.", ""),
    ("microphone", "Add a &microphone\u2026", "Adds a microphone to the place that is shown.", ""),
    ("loudspeaker", "Add a &loudspeaker\u2026", "Adds a loudspeaker to the place that is shown.", ""),
    ("noise", "Add a &noise\u2026", "Adds a noise that stands somewhere in the place that is shown.", ""),
    ("surface", "Add a s&urface\u2026", "Adds a table, wall or window that reflects.", ""),
    ("place", "Add a &place\u2026", "Adds a room, deck or yard.", ""),
    ("edit-place", "&Details of this place\u2026", "Size, noise, liveliness and wind of the place that is shown.", ""),
    ("remove-place", "&Remove this place", "Takes the place off the show; who was there is kept, without a place.", ""),
    ("kinds", "Your own &kinds\u2026", "Your own microphones, players and desks, kept across shows.", ""),
)
