"""Shows and graphs that several tests use. Every test has a state folder of its own."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from hypothesis import HealthCheck, settings

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.show import Show
from kymaphon.files.demo import FAULTY, REPAIRED, demo_path
from kymaphon.files.show_file import read_show
from tests.budget import BUDGET

# The same examples in every run of every day, others in each `make soak`. Nothing is timed: a busy machine is no fault.
UNTIMED = {"deadline": None, "suppress_health_check": [HealthCheck.too_slow]}
settings.register_profile("everyday", derandomize=True, database=None, **UNTIMED)
settings.register_profile("soak", derandomize=False, **UNTIMED)
settings.load_profile("everyday" if BUDGET == 1 else "soak")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest file begins first: at the end it would run alone."""
    items.sort(key=lambda item: item.path.name != "test_meddled.py")


@pytest.fixture(autouse=True)
def _own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KYMAPHON_STATE", str(tmp_path / "state"))


@pytest.fixture(scope="session")
def demo() -> Show:
    """Read once: no show can be changed."""
    return read_show(demo_path(FAULTY))


@pytest.fixture(scope="session")
def repaired() -> Show:
    return read_show(demo_path(REPAIRED))


@pytest.fixture(scope="session")
def demo_analysis(demo: Show) -> Report:
    return analyse(demo)


def two_desks(**settings: Any) -> Show:
    """Two rooms, each with a talker, a desk and headphones; each desk's send 1 feeds the other's channel 5,
    82 ms away.

    Args:
        settings: `a` and `b`, extra settings of desk a and desk b.
    """
    parties, devices, cables = [], [], []
    for name in ("a", "b"):
        other = "b" if name == "a" else "a"
        parties.append(
            {
                "id": f"talker-{name}",
                "name": f"Talker {name}",
                "kind": "presenter",
                "place": f"room-{name}",
                "at_m": [1, 1],
                "speaks": True,
                "listens": True,
                "hears_on": f"phones-{name}",
            }
        )
        desk = {
            "in1": {"gain_db": 60},
            "in1>send1": {"on": True},
            "in5>send1": {"on": False},
            "send1": {"fader_db": 0},
            **settings.get(name, {}),
        }
        devices += [
            {
                "id": f"mic-{name}",
                "kind": "dynamic-close",
                "place": f"room-{name}",
                "party": f"talker-{name}",
            },
            {"id": f"desk-{name}", "kind": "desk-8", "settings": desk},
            {"id": f"phones-{name}", "kind": "headphones"},
            {"id": f"codec-{name}", "kind": "call-codec"},
        ]
        cables += [
            {"from": f"mic-{name}.out", "to": f"desk-{name}.in1"},
            {"from": f"desk-{name}.phones", "to": f"phones-{name}.in"},
            {"from": f"desk-{name}.send1", "to": f"codec-{name}.near-in"},
            {"from": f"codec-{name}.far-out", "to": f"codec-{other}.far-in"},
            {"from": f"codec-{name}.near-out", "to": f"desk-{name}.in5"},
        ]
    places = [{"id": f"room-{name}", "name": f"Room {name}"} for name in ("a", "b")]
    return Show.model_validate(
        {"kymaphon": 1, "places": places, "parties": parties, "devices": devices, "cables": cables}
    )


def write_json(path: Path, data: Any) -> Path:
    path.write_text(data if isinstance(data, str) else json.dumps(data), encoding="utf-8")
    return path
