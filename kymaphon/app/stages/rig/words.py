"""The words of Rig's commands, for its own menu and for the menu bar; imported before the stage is."""

from __future__ import annotations

RIG_VIEWS = (
    ("patch", "Patch", "Every cable: from, to, what it is, how long, what it carries; edited in place."),
    ("devices", "Devices", "Every device: kind, place, power, what it hangs on, how many cables."),
    ("routes", "Routes", "Audio cables and what power runs in the same place, the riskiest first."),
    (
        "knobs",
        "Knobs",
        "Every gain, fader, send and control that something passes: who hears it turned, and which may be touched on air.",
    ),
    ("pull", "Pull list", "What to take out of the store: cables, adapters, devices, stands, batteries, spares."),
)
RIG_COMMANDS = (
    ("add", "&Add from the catalogue\u2026", "Chooses a kind by typing and adds it to the rig.", "Ctrl+D"),
    (
        "plug",
        "&Plug a cable\u2026",
        "From the selected device: inputs ordered by fit, those that do not fit say why.",
        "Ctrl+J",
    ),
    (
        "usb",
        "Plug all channels by &USB",
        "One lead: every channel of the selected interface or desk into the mixer program of its computer, and the monitor back.",
        "",
    ),
    ("details", "&Details\u2026", "Name, place, power, host and knobs of what is selected.", ""),
    ("remove", "&Take away", "Takes the selected device off the show, or unplugs the selected cable.", ""),
    (
        "run",
        "Add a power &lead or lamp\u2026",
        "What audio cables should keep away from, in the place of the selection.",
        "",
    ),
    ("find", "&Find in the rig", "Goes to devices, kinds and sockets as you type.", "Ctrl+F"),
    ("import", "&Import a patch list\u2026", "Takes cables over from a CSV file.", ""),
    ("export", "&Export the patch list\u2026", "Writes all cables as CSV.", ""),
    ("pull", "Export the p&ull list\u2026", "Writes what to take out of the store as CSV.", ""),
)
START = (
    "Add a microphone, an interface and a computer from the catalogue: Ctrl+D, type, Enter.",
    "Plug them: Ctrl+J, choose an output, then an input. Inputs are ordered by fit; those that do not fit say why.",
    "The chain draws itself from left to right, with the level in every cable, or why there is none.",
)
