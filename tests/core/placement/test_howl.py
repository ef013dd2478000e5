"""How loud before it howls: what is in hand is what can be turned up until it does, tried on the show itself."""

from __future__ import annotations

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.placement.howl import spares
from tests.core.analysis.test_offers import four_on_tracks, wedge

GAIN = SettingRef("desk", "in1", "gain_db")


def turned(by_db: float):  # type: ignore[no-untyped-def]
    show = wedge()
    return analyse(apply_all(show, (SetValue(GAIN, 46 + by_db),)), remedies=False)


def test_in_hand_is_what_can_be_turned_up_until_it_howls() -> None:
    """Both loops go through her channel's gain: within a decibel of the figure it howls (gains are known no better)."""
    (row,) = spares(analyse(wedge()), tries=False)
    assert (row.voice, row.place) == ("ann", "Studio")
    up = SetValue(SettingRef("desk", "main", "fader_db"), 10.0)
    sends = SetValue(SettingRef("desk", "send1", "fader_db"), 10.0)
    louder = analyse(apply_all(wedge(), (up, sends)), remedies=False)
    (after,) = spares(louder, tries=False)
    assert row.gain_margin_db - after.gain_margin_db == pytest.approx(10, abs=0.2)
    most = 60 - 46
    assert turned(most).transfer.howls == (row.gain_margin_db - most <= 1)
    near = analyse(
        apply_all(
            wedge(),
            (
                up,
                sends,
                SetValue(GAIN, 46 + round(after.gain_margin_db) - 3 if after.gain_margin_db < 17 else 60),
            ),
        ),
        remedies=False,
    )
    assert not near.transfer.howls


def test_it_rings_at_the_time_once_round() -> None:
    """1 / t and its multiples, t being the strongest loop's, wedge to microphone included."""
    analysis = analyse(wedge())
    (row,) = spares(analysis)
    strongest = max(analysis.circles.paths, key=lambda path: path.gain_db)
    assert row.first_hz == pytest.approx(1000 / strongest.delay_ms)
    assert f"{row.first_hz:.0f} Hz" in row.words()
    assert row.up_db == pytest.approx(row.gain_margin_db - 6)


def test_what_would_give_more_gives_as_much_and_the_voice_is_taken_back() -> None:
    """Half the distance: six decibels more voice for the same loop, less what the near field of the pattern adds."""
    show = wedge()
    far = show.with_(devices=[row.with_(at_m=(2.3, 3)) if row.id == "mic" else row for row in show.devices])
    (row,) = spares(analyse(far))
    nearer = next(gain for gain in row.gains if "from the mouth" in gain.label)
    assert nearer.more_db == pytest.approx(6, abs=1.5)
    assert all(gain.more_db >= 0.5 for gain in row.gains)
    assert [gain.more_db for gain in row.gains] == sorted((gain.more_db for gain in row.gains), reverse=True)
    for gain in row.gains:
        analyse(apply_all(far, gain.edits), remedies=False)
    assert row.to_json()["gains"]


def test_without_loudspeakers_there_is_nothing_to_howl() -> None:
    assert spares(analyse(four_on_tracks())) == ()
