"""Words, room and signal to noise of real speech in noise, against ITU-T P.56 and a forced alignment of the same words."""

from __future__ import annotations

import numpy as np
import pytest

from kymaphon.core.dynamics.key import key_of
from kymaphon.core.dynamics.speech import NoTalkError, segment_speech, spans_s
from kymaphon.core.figures import number
from tests.core.dynamics.takes import RATE, alignment, mixed, noise, reading, reading_dbfs


@pytest.mark.parametrize("own_room", [True, False])
@pytest.mark.parametrize("snr_db", [30, 20, 15, 12, 10])
def test_signal_to_noise_within_a_decibel(snr_db: float, own_room: bool) -> None:
    """Real speech (tests/data/speech) at P.56 level over white noise at a known AES17 level."""
    talk, room = mixed(snr_db, seed=int(snr_db))
    found = segment_speech(key_of(talk, RATE), key_of(room, RATE) if own_room else None)
    assert found.snr_db == pytest.approx(snr_db, abs=1.0)
    # Its own pauses have the reading's room in them too.
    assert found.noise_dbfs == pytest.approx(reading_dbfs() - snr_db, abs=0.2 if own_room else 0.8)
    assert found.snr().value == pytest.approx(sum(term.value for term in found.snr().terms))


def test_words_begin_and_end_where_an_aligner_puts_them() -> None:
    """Each sentence's first word and last word by forced alignment (tests/data/speech/words.json), in noise that covers the reader's own room."""
    talk, room = mixed(17)
    found = segment_speech(key_of(talk, RATE), key_of(room, RATE))
    at = 0.0
    for name, words in alignment().items():
        spoken = [row for row in words if row["word"] != "<sil>"]
        first = at + float(spoken[0]["start_s"])  # type: ignore[arg-type]
        last = at + float(spoken[-1]["start_s"]) + float(spoken[-1]["length_s"])  # type: ignore[arg-type]
        inside = [word for word in found.words if word.end_s > first and word.start_s < last]
        assert inside, name
        # A breath before the first word is heard too, and the aligner calls it silence; the word itself is not missed.
        assert first - 0.25 < inside[0].start_s < first + 0.1, name
        assert last - 0.06 < inside[-1].end_s < last + 0.25, name
        length = sum(float(row["length_s"]) for row in words)  # type: ignore[arg-type]
        at += round(length, 2) + 1.0
    # Nothing is heard in the seconds between.
    assert all(word.end_s - word.start_s > 0.04 for word in found.words)


def test_the_room_lies_between_the_words() -> None:
    talk, _ = mixed(25)
    found = segment_speech(key_of(talk, RATE))
    assert 3.0 < spans_s(found.room_s) < 8.0
    for start, end in found.room_s:
        assert all(end <= word.start_s or start >= word.end_s for word in found.words)
    assert not found.own_room
    assert found.noise_u_db < 0.5


def test_stretches_set_by_hand_are_kept() -> None:
    talk, _ = mixed(25)
    key = key_of(talk, RATE)
    found = segment_speech(key, room_spans=((7.2, 8.0),), talk_spans=((0.0, 7.1),))
    assert len(found.room_s) == 1
    assert found.room_s[0] == pytest.approx((7.2, 8.0))
    assert all(word.end_s <= 7.11 for word in found.words)


def test_a_room_that_changed_is_told() -> None:
    talk, room = mixed(25)
    found = segment_speech(key_of(talk, RATE), key_of(room * 0.5, RATE))
    assert "6.6 dB louder" in found.notes[0]
    # The thresholds then come from the pauses.
    assert not found.own_room
    assert found.snr_db == pytest.approx(25, abs=1.0)


def test_a_take_without_pauses_is_told_by_the_rooms_own() -> None:
    talk = _speech_only() + noise(len(_speech_only()) / RATE, -60, 2)
    found = segment_speech(key_of(talk.astype(np.float32), RATE), key_of(noise(10, -60, 3).astype(np.float32), RATE))
    assert found.own_room
    assert found.noise_dbfs == pytest.approx(-60, abs=0.2)


@pytest.mark.parametrize("rate", [48000, 44100, 22050, 11025])
def test_a_gap_parts_words_by_its_length_at_every_rate(rate: int) -> None:
    """Bursts a fifth further apart than `gate-word-gap` are words of their own, a fifth nearer they are one."""
    gap = number("gate-word-gap") / 1000
    counts = []
    for apart in (gap * 0.8, gap * 1.2):
        level = np.concatenate(
            [
                np.zeros(rate),
                *(np.r_[np.ones(int(0.2 * rate)), np.zeros(int(apart * rate))] for _ in range(8)),
                np.zeros(rate),
            ]
        )
        draw = np.random.default_rng(4)
        samples = draw.normal(0, 1e-4, len(level)) + 0.1 * level * draw.normal(0, 1, len(level))
        counts.append(len(segment_speech(key_of(samples, rate)).words))
    assert counts == [1, 8]


def _speech_only() -> np.ndarray:
    """Sentences end to end, without their silences, looped so that nothing is left between."""
    samples = reading()
    frames = samples[: len(samples) // 80 * 80].reshape(-1, 80)
    loud = (frames**2).mean(axis=1) > 1e-3
    return frames[loud].ravel()


@pytest.mark.parametrize(
    ("samples", "words"),
    [
        (np.zeros(RATE * 5), "digital silence"),
        (noise(0.3, -30, 1), "half a minute"),
        (noise(8, -30, 1), "no speech found"),
        (np.concatenate([reading()] * 2), "gate already"),
        (_speech_only(), "no pauses|no speech"),
    ],
)
def test_takes_that_cannot_do_say_why(samples: np.ndarray, words: str) -> None:
    with pytest.raises(NoTalkError, match=words):
        segment_speech(key_of(samples.astype(np.float32), RATE))


def test_speech_under_noise_says_so() -> None:
    talk, room = mixed(-6)
    with pytest.raises(NoTalkError, match=r"lies in the noise|no speech found"):
        segment_speech(key_of(talk, RATE), key_of(room, RATE))


def test_a_silent_or_short_room_is_refused() -> None:
    talk, room = mixed(25)
    with pytest.raises(NoTalkError, match="room's take is digital silence"):
        segment_speech(key_of(talk, RATE), key_of(room * 0, RATE))
    with pytest.raises(NoTalkError, match="ten seconds are wanted"):
        segment_speech(key_of(talk, RATE), key_of(room[:1000], RATE))


def test_a_knock_in_a_pause_is_neither_word_nor_room() -> None:
    talk, _ = mixed(25)
    quiet = segment_speech(key_of(talk, RATE))
    knocked = talk.copy()
    at = round((quiet.room_s[-1][0] + quiet.room_s[-1][1]) / 2 * RATE)
    knocked[at : at + 200] += 0.4
    found = segment_speech(key_of(knocked, RATE))
    assert len(found.words) == len(quiet.words)
    assert any("short sounds in the pauses" in note for note in found.notes)
    assert found.noise_dbfs == pytest.approx(quiet.noise_dbfs, abs=0.3)
    assert all(not start <= at / RATE <= end for start, end in found.room_s)


def test_a_room_with_talk_in_it_is_told() -> None:
    talk, _ = mixed(25)
    with pytest.raises(NoTalkError, match="not only room"):
        segment_speech(key_of(talk * 0.1, RATE), key_of(talk, RATE))
