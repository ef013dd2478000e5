"""The stages of the work in their order, and how bad a finding is. Imports nothing: the window's frame is there before the rest."""

from __future__ import annotations

from typing import Literal

Stage = Literal["Cast", "Rig", "Talk", "Level", "Quiet", "Feeds", "Prove", "Air", "Book"]
STAGES: tuple[Stage, ...] = ("Cast", "Rig", "Talk", "Level", "Quiet", "Feeds", "Prove", "Air", "Book")
Severity = Literal["stop", "fix", "note"]
SEVERITIES: tuple[Severity, ...] = ("stop", "fix", "note")
"""From the worst down."""
