"""The words of Quiet's views and commands, for its own head and for the menu bar; imported before the stage is."""

from __future__ import annotations

QUIET_VIEWS = (
    ("gate", "Gate", "Level over time with the gate's verdict on it; what the schools' values would do to this take."),
    ("spectrum", "Spectrum", "Voice and room by frequency, and what a low cut buys."),
    ("strip", "Strip", "Low cut, gate, equaliser, compressor and limiter of this voice, in their order."),
    ("duck", "Ducking", "Music under the voice: how deep it goes and when it comes back."),
)
QUIET_COMMANDS = (
    ("gate", "&Gate", "A gate from a recording of this voice.", "Ctrl+G"),
    ("spectrum", "S&pectrum and low cut", "Voice and room by frequency, and what a low cut buys.", ""),
    ("strip", "&Strip", "What the voice's strip does to the sound, in its order.", ""),
    ("duck", "&Ducking", "Music under the voice.", ""),
)
EMPTY = (
    "Record half a minute of the room with nobody speaking, then half a minute of talk, at the gain of the show. Drop both on "
    "this window, or measure them with Quiet, Record the room and Record talk on the simulated rig. Then the gate is found from them."
)
