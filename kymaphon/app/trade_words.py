"""What else an operator would type for a command: the trade's words, beside those that stand in the menus."""

from __future__ import annotations

ALSO: dict[str, str] = {
    "New show": "welcome template wizard setup start mix-minus podcast phone-in stream band",
    "Change the answers": "another guest interface wizard setup compose",
    "Rig sheet": "print pdf html export documentation",
    "Add from the catalogue": "device equipment new",
    "Add a guest far away": "remote caller call phone-in mix-minus codec telephone isdn voip",
    "Title and time on air": "name show title subtitle start time",
    "Plug all channels by USB": "interface usb audio multichannel connect",
    "Plug a cable": "connect patch wire",
    "Your own kinds": "catalogue library equipment",
    "Show microphones": "distance proximity",
    "Show bleed": "spill crosstalk leakage three-to-one phase",
    "Show best places": "position placement adviser",
    "Show before it howls": "feedback gain before feedback gbf larsen",
    "Show patch": "input list channel list cables",
    "Show devices": "equipment gear inventory",
    "Show routes": "cable runs mains hum power",
    "Show knobs": "controls faders pfl solo",
    "Show pull list": "packing kit list stock",
    "Line up": "gain staging trim alignment line-up levels",
    "Run through the sources": "sound check soundcheck line check",
    "Noise budget": "hiss ein preamp snr signal-to-noise booster",
    "Ladder": "gain structure level diagram headroom",
    "Marks of points": "reference level alignment 0 vu target",
    "Safety copy of the voice": "safety track backup pad",
    "Gate": "noise gate expander threshold hold",
    "Spectrum and low cut": "high-pass hpf rumble eq frequency hum wind",
    "Strip": "compressor limiter eq chain processing",
    "Ducking": "sidechain voice-over music bed",
    "Who hears whom": "matrix mix-minus n-1 clean feed monitor latency delay echo foldback iem",
    "Plan the feeds": "mix-minus n-1 clean feed routing sends aux bus",
    "Doing list": "steps checklist",
    "Loops": "loop circle feedback howl ring gain margin loopback",
    "Tracks and stream": "multitrack recording upload bitrate",
    "Switches of a device": "crosspoints routing matrix sends mute loopback",
    "Recording": "disk space bit depth sample rate length",
    "Stream and network": "upload bitrate bandwidth codec",
    "Now on air": "live run show clock countdown on-air tally meters",
    "Rundown": "running order cue sheet script outline back-timing timing",
    "Notes of the show": "markers cue points edl edit decision list chapters retake",
    "On a second screen": "prompter monitor display countdown",
    "When it is on air": "time zone start",
    "Take a rundown over from a list": "import csv running order",
    "The log": "as-run journal incident history",
    "Over shows": "trend chart history noise floor battery",
    "Memory": "recall presets last week gains",
    "Archive with its recordings": "zip backup export bundle",
    "Begin next week's from this show": "template copy duplicate last week recurring",
    "Compare with another show": "diff differences",
    "Forget somebody": "privacy delete gdpr",
    "Measure recordings": "loudness lufs peak noise floor hum analyse",
    "Compare takes of one voice": "a/b",
    "Save a recording in another format": "convert export wav flac mp3 bwf",
}
"""Name of a command as it stands in its menu, without dots -> words, in small letters."""


def also(name: str) -> str:
    """The trade's words for a command; empty where its own are enough."""
    return ALSO.get(name.rstrip("\u2026"), "")
