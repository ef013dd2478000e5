"""House figures, assumed levels and tolerances: data with a source, never bare numbers in code."""

from __future__ import annotations

import json
from functools import cache
from importlib import resources
from typing import Any

from kymaphon.core.derive import Derived


def _read(name: str) -> Any:
    return json.loads(resources.files("kymaphon.core").joinpath("data", name).read_text(encoding="utf-8"))


@cache
def _figures() -> dict[str, Derived]:
    rows = _read("figures.json")["figures"]
    return {
        row["id"]: Derived(row["name"], row["value"], row["unit"], source=row["source"], spread=_spread(row))
        for row in rows
    }


def _spread(row: dict[str, Any]) -> tuple[float, float] | None:
    return (row["low"], row["high"]) if "low" in row else None


def figure(figure_id: str) -> Derived:
    """A house figure with its name, unit and source.

    Raises:
        KeyError: there is no such figure.
    """
    return _figures()[figure_id]


def number(figure_id: str) -> float:
    """The bare value of a house figure.

    Raises:
        KeyError: there is no such figure.
    """
    return _figures()[figure_id].value


@cache
def acoustic_data() -> dict[str, Any]:
    """Tables of mouths, spectra and rooms: data/acoustics.json as it is, each table with its source."""
    data: dict[str, Any] = _read("acoustics.json")
    return data


@cache
def data_table(name: str) -> dict[str, Any]:
    """A table of the core's data as it is, by the name of its file."""
    table: dict[str, Any] = _read(f"{name}.json")
    return table
