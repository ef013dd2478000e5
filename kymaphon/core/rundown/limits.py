"""Limits of the rundown, of Air and of the Book: data/air.json, each with its source."""

from __future__ import annotations

from kymaphon.core.figures import data_table


def limit(name: str) -> float:
    """A limit by its name, in the unit that the name ends in. Raises KeyError where there is none."""
    return float(data_table("air")["limits"][name]["value"])
