"""One module for each stage of the work; each rule is a small pure function from an analysis to findings."""

from __future__ import annotations

from kymaphon.core.analysis import Rule
from kymaphon.core.rules import feeds, levels, rig, wants

ALL_RULES: tuple[Rule, ...] = (*rig.RULES, *levels.RULES, *feeds.RULES, *wants.RULES)
