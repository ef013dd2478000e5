"""Other answers for a show that was changed by hand since it was composed."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.compose.again import merged, recompose
from kymaphon.core.compose.compose import compose
from kymaphon.core.compose.starts import starts
from kymaphon.core.model.answers import VoiceAnswer
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Show

PODCAST = starts()[0].answers
ANOTHER = PODCAST.with_(voices=(*PODCAST.voices, VoiceAnswer(id="dora", name="Dora", sort="remote")))


def by_hand(show: Show) -> Show:
    """A gain turned, a microphone moved and renamed, the show's title."""
    return apply_all(
        show,
        (
            SetValue(SettingRef("interface", "in1", "gain_db"), 31.0),
            SetField("devices", "mic-ben", "name", "The old one"),
            SetField("devices", "mic-ben", "at_m", (1.0, 1.0)),
            SetField("", None, "subtitle", "every Friday"),
        ),
    )


def test_another_guest_comes_and_what_was_set_by_hand_stays() -> None:
    show = by_hand(compose(PODCAST).show)
    made = recompose(show, ANOTHER)
    after = apply_all(show, made.edits)
    assert any(row.name == "Dora" and row.kind == "remote" for row in after.parties)
    assert after.device("interface").settings["in1"].gain_db == 31.0
    assert after.device("mic-ben").name == "The old one"
    assert after.device("mic-ben").at_m == (1.0, 1.0)
    assert after.subtitle == "every Friday"
    assert after.answers == ANOTHER
    assert any("Dora" in text for text in made.sentences)
    assert not [row for row in analyse(after).findings if row.severity == "stop"]


def test_whoever_is_taken_away_goes_with_all_that_is_theirs() -> None:
    show = compose(ANOTHER).show
    after = apply_all(show, recompose(show, PODCAST).edits)
    assert not [row for row in after.parties if row.name == "Dora"]
    assert not [row for row in after.devices if "dora" in row.id]
    assert not [row for row in after.cables if "dora" in row.source + row.target]


def test_the_same_answers_change_nothing() -> None:
    show = by_hand(compose(PODCAST).show)
    made = recompose(show, PODCAST)
    assert made.sentences == ()
    assert apply_all(show, made.edits).devices == show.devices


def test_what_was_taken_away_by_hand_stays_away() -> None:
    base = compose(PODCAST).show
    mine = base.model_copy(update={"cables": base.cables[1:]})
    assert merged(base, compose(ANOTHER).show, mine).cables[0] != base.cables[0]


def test_a_show_made_by_hand_has_no_answers() -> None:
    with pytest.raises(ValueError, match="made by hand"):
        recompose(Show(), PODCAST)
