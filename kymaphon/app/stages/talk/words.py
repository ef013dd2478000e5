"""The words of Talk's views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

TALK_VIEWS = (
    ("circuits", "Circuits", "People by circuits: who may speak, who hears, by which key, and what comes of it."),
    ("hearing", "Hearing", "Talkback as it comes to each ear: over the programme, over the noise of the place."),
    ("work", "Work", "The order of work for the crew there is, against the clock."),
    ("desk", "Desk", "Sources onto channels and groups: families together, commentary apart, spares left."),
    ("positions", "Positions", "The voice out of the crowd, effects at the action, what a commentary position needs."),
    ("lines", "Lines", "Lines out: number, level, delay, tone and ident, the reserve."),
    ("check", "Check", "Each circuit each way by voice, noted as it is tried."),
)
TALK_COMMANDS = (
    ("circuits", "&Circuits", "Who may speak to whom, and who hears it.", ""),
    (
        "hearing",
        "&Hearing of talkback",
        "Level over the programme and the noise in each ear; whether it is followed.",
        "",
    ),
    ("work", "&Order of work", "Who does what when, what decides, what to leave out when it is late.", ""),
    ("desk", "&Desk allotment", "Channel list, groups, strip labels; what to mix before the desk.", ""),
    ("positions", "&Positions", "Commentary in the crowd, effects microphones, what a position needs.", ""),
    ("lines", "&Lines out", "Main and reserve, tone and ident, jackfield.", ""),
    ("check", "C&ircuit check by voice", "Each circuit, each way: good, weak, nothing.", ""),
)
ACTS = (
    ("circuits", "new-circuit", "&New circuit\u2026", "A circuit of its own, with its people to be put on it."),
    (
        "circuits",
        "member",
        "How somebody is &on this circuit\u2026",
        "Key, how they hear, whether they act on cues, who answers for them.",
    ),
    ("circuits", "circuit", "This circuit\u2026", "Name, purpose, private, what it overrides, how far it dims."),
    (
        "work",
        "fill",
        "&Fill the list from the show",
        "Adds the tasks that the show tells and that are not on the list.",
    ),
    ("work", "new-task", "New &task\u2026", "Something to do before air."),
    ("work", "crew", "Add somebody to the cre&w\u2026", "A pair of hands, what they can be given, from when."),
    ("desk", "apply-desk", "&Apply the allotment", "Leads, gains, sends and groups go along with their sources."),
    ("desk", "hold", "&Hold what is on this channel", "Its source stays there, or may go again."),
    ("lines", "new-line", "New l&ine\u2026", "An outgoing circuit to a station."),
)
SHEETS = (
    ("talkback", "Save the talkback &sheet\u2026", "A page: circuits, keys, what was tried, what never reaches air."),
    ("schedule", "Save the sch&edule\u2026", "A page: who does what when."),
    ("channels", "Save the channel lis&t\u2026", "A page or a list: channels, labels, groups."),
)
NO_CIRCUITS = (
    "1.  Put into Cast who has to be told something: the crew, commentators, cameras, each at their place.\n"
    "2.  Give them in Rig what they talk and hear by: panels, packs, a station or a matrix, a commentator's box.\n"
    "3.  Make a circuit here and put people on it: the first one up is the one to those who rig.\n\n"
    "A small show needs one line of it:"
)
HURTS = "Key one circuit after the other, volume low: a panel's loudspeaker beside its microphone can howl."
