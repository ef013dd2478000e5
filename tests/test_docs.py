"""What the documents say is tried: examples load, commands exist, pictures are there and are linked."""

from __future__ import annotations

import importlib.util
import json
import re
from pathlib import Path

import pytest

from kymaphon.cli import COMMANDS
from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.catalogue.kind import Kind
from kymaphon.core.model.show import Show
from kymaphon.core.rules import RULES
from kymaphon.files.show_file import read_show

ROOT = Path(__file__).resolve().parent.parent
README = (ROOT / "README.md").read_text(encoding="utf-8")


def test_the_example_in_the_format_page_is_a_whole_show(tmp_path: Path) -> None:
    text = (ROOT / "docs" / "format.md").read_text(encoding="utf-8")
    example = re.search(r"```json\n(.*?)```", text, re.DOTALL)
    assert example
    path = tmp_path / "example.json"
    path.write_text(example.group(1), encoding="utf-8")
    analysis = analyse(read_show(path))
    assert analysis.feeds["tape", "mira"].verdict == "heard"
    buffer = [part for part in analysis.ladders["mira", "tape"].path.delay_parts() if "buffer" in part.name]
    assert buffer[0].value == pytest.approx(128 / 48)


def test_the_readme_names_every_command_and_make_target() -> None:
    for name in COMMANDS:
        assert f"kymaphon {name}" in README
    makefile = (ROOT / "Makefile").read_text(encoding="utf-8")
    for target in re.findall(r"^make (\w+)", README, re.MULTILINE):
        assert f"\n{target}:" in makefile


def test_the_readme_counts_the_kinds() -> None:
    assert f"Add from {len(list(shipped_catalogue()))} kinds" in README


def test_pictures_are_linked_and_links_lead_somewhere() -> None:
    pictures = {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert pictures
    assert len(pictures) < 20
    for name in pictures:
        assert name in README
    for target in re.findall(r"\]\(([^)#]+)\)", README):
        assert (ROOT / target).exists(), target


def test_every_table_of_the_format_page_is_a_list_of_the_show() -> None:
    text = (ROOT / "docs" / "format.md").read_text(encoding="utf-8")
    for name in (
        "places",
        "parties",
        "devices",
        "cables",
        "wants",
        "takes",
        "tracks",
        "circuits",
        "rundown",
        "tasks",
        "log",
    ):
        assert name in Show.model_fields
        assert f"`{name}`" in text


def test_every_rule_says_what_it_looks_for() -> None:
    for row in RULES:
        assert row.check.__doc__, row.name


def test_every_kind_says_what_it_is() -> None:
    for kind in shipped_catalogue():
        assert kind.about.endswith("."), kind.id


def test_the_demo_holds_no_value_that_json_cannot() -> None:
    for path in (ROOT / "kymaphon" / "demo").glob("*.json"):
        json.loads(path.read_text(encoding="utf-8"), parse_constant=lambda name: pytest.fail(name))


def test_the_kind_in_contributing_is_a_whole_kind() -> None:
    text = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
    example = re.search(r"```json\n(.*?)```", text, re.DOTALL)
    assert example
    kind = Kind.model_validate(json.loads(example.group(1)))
    assert kind.path("in>out") is not None


def test_the_picture_of_the_house_shows_every_room_over_what_it_imports() -> None:
    """Drawn by `python tools/house.py`; the same from the same imports, with no arrow that runs up."""
    spec = importlib.util.spec_from_file_location("house", ROOT / "tools" / "house.py")
    assert spec is not None
    assert spec.loader is not None
    house = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(house)
    rooms = house.imports()
    shown = set(re.findall(r">([a-z/ ]+)</text>", (ROOT / "docs" / "house.svg").read_text(encoding="utf-8")))
    assert set(rooms) <= shown, "run python tools/house.py"
    floor = house.floors(rooms)
    for room, others in rooms.items():
        for other in others:
            together = room in house.reached(rooms, other)
            assert floor[room] > floor[other] or (together and floor[room] == floor[other]), (room, other)
            assert not (together and room.startswith("core/")), "rooms of the core import downwards only"


def test_every_decision_is_listed() -> None:
    pages = {path.name for path in (ROOT / "docs" / "decisions").glob("*.md")} - {"README.md"}
    index = (ROOT / "docs" / "decisions" / "README.md").read_text(encoding="utf-8")
    assert pages == set(re.findall(r"\(([a-z-]+\.md)\)", index))
