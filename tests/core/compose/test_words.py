"""What is typed at a question, and what is taken of it."""

from __future__ import annotations

import pytest

from kymaphon.core.compose.words import NotUnderstood, matching, taken
from kymaphon.core.model.answers import Answers, RoomAnswer
from kymaphon.core.model.catalogue import shipped_catalogue

CATALOGUE = shipped_catalogue()


@pytest.mark.parametrize(
    ("text", "sort", "name"),
    [
        ("mira", "person", "Mira"),
        ("Ferry by call", "remote", "Ferry"),
        ("ferry far", "remote", "Ferry"),
        ("Anna by telephone", "remote", "Anna"),
        ("Studio by codec", "remote", "Studio"),
        ("fiddle", "instrument", "Fiddle"),
        ("Rook guitar", "instrument", "Rook guitar"),
        ("jingles", "player", "Jingles"),
        ("Slipway crowd", "crowd", "Slipway"),
        ("far", "remote", "Far"),
    ],
)
def test_who_is_heard(text: str, sort: str, name: str) -> None:
    row = taken("heard", text, Answers(), CATALOGUE).answers.voices[-1]
    assert row.sort == sort
    assert row.name == name


def test_how_somebody_far_away_comes_in() -> None:
    links = [
        taken("heard", f"Ann {how}", Answers(), CATALOGUE).answers.voices[0].by for how in ("far", "by phone", "codec")
    ]
    assert links == ["call", "telephone", "codec"]


def test_rooms_and_who_is_in_them() -> None:
    answers = taken("heard", "room 6 by 4,5", Answers(), CATALOGUE).answers
    assert answers.rooms == (RoomAnswer(id="room", name="Room", size_m=(6.0, 4.5)),)
    answers = taken("heard", "room Yard 12x8", answers, CATALOGUE).answers
    row = taken("heard", "Bo on a headset in the yard", answers, CATALOGUE).answers.voices[0]
    assert row.room == "yard"
    assert row.microphone == "headset"
    # A room without a size may be somebody's name.
    assert taken("heard", "Room", answers, CATALOGUE).answers.voices[0].name == "Room"


def test_several_at_once_have_names_and_ids_of_their_own() -> None:
    answers = taken("heard", "3 people", Answers(), CATALOGUE).answers
    assert len({row.id for row in answers.voices}) == 3
    again = taken("heard", "Ann", taken("heard", "Ann", Answers(), CATALOGUE).answers, CATALOGUE).answers
    assert [row.id for row in again.voices] == ["ann", "ann-2"]


@pytest.mark.parametrize(
    ("text", "sort"),
    [("str", "stream"), ("rec each", "recording"), ("line", "line"), ("pa", "loudspeakers"), ("cans", "ears")],
)
def test_who_hears_it(text: str, sort: str) -> None:
    row = taken("hears", text, Answers(), CATALOGUE).answers.hearers[0]
    assert row.sort == sort
    assert row.each is ("each" in text)


@pytest.mark.parametrize(
    ("text", "kind", "count"),
    [
        ("two inp", "interface-2", 1),
        ("2 headphones", "headphones", 2),
        ("two dyn close", "dynamic-close", 2),
        ("laptop", "laptop", 1),
    ],
)
def test_what_is_there(text: str, kind: str, count: int) -> None:
    row = taken("have", text, Answers(), CATALOGUE).answers.have[0]
    assert row.kind == kind
    assert row.count == count


@pytest.mark.parametrize(
    ("question", "text"),
    [
        ("heard", "  "),
        ("heard", "99 people"),
        ("heard", "Ann on a zither"),
        ("hears", "the moon"),
        ("have", "abacus"),
        ("have", "0 laptop"),
    ],
)
def test_what_cannot_be_meant_is_told(question: str, text: str) -> None:
    with pytest.raises(NotUnderstood) as problem:
        taken(question, text, Answers(), CATALOGUE)  # type: ignore[arg-type]
    assert str(problem.value)[0].isupper() or str(problem.value)[0].isdigit()


def test_every_kind_is_found_by_its_own_name() -> None:
    for kind in CATALOGUE:
        assert matching(kind.name, CATALOGUE)[0].name == kind.name
