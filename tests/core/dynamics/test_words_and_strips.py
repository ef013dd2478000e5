"""One word under a gate and what saves it; a take through a strip; levels for a picture; loudspeakers on the plan."""

from __future__ import annotations

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.dynamics.evaluation import trial_of
from kymaphon.core.dynamics.explain import explain_word, savings
from kymaphon.core.dynamics.key import key_of
from kymaphon.core.dynamics.outline import outline, spread
from kymaphon.core.dynamics.speakers import planned_for
from kymaphon.core.dynamics.speech import SpeechSegments, segment_speech
from kymaphon.core.dynamics.through import through
from kymaphon.core.model.processing import Ducker, Gate, Limiter, LowCut
from kymaphon.core.model.show import Cable, Device, Show
from kymaphon.core.takes.attaching import first_gain, free_id, voice_take
from tests.core.dynamics.takes import RATE, mixed

EATER = Gate(open_db=-24, close_db=-30, attack_ms=40, hold_ms=20, release_ms=20)


@pytest.fixture(scope="module")
def talk() -> SpeechSegments:
    samples, room = mixed(20)
    return segment_speech(key_of(samples, RATE), key_of(room, RATE))


def test_every_saving_saves_and_is_the_least_of_its_sort(talk: SpeechSegments) -> None:
    trial = trial_of(talk, EATER)
    verdict = trial.judge(EATER)
    assert verdict.words_clipped >= 3
    kinds = set()
    for eaten in verdict.eaten:
        for row in savings(trial, EATER, eaten.number, -30.0):
            kinds.add(row.id)
            after = trial.judge(row.gate)
            assert eaten.number not in [other.number for other in after.eaten]
            assert row.text
            if row.id == "lower":
                less = row.gate.model_copy(
                    update={"open_db": row.gate.open_db + 0.5, "close_db": row.gate.close_db + 0.5}
                )
                if less.open_db < EATER.open_db:
                    assert eaten.number in [other.number for other in trial.judge(less).eaten]
    assert "lower" in kinds


def test_a_word_explains_itself(talk: SpeechSegments) -> None:
    trial = trial_of(talk, EATER)
    verdict = trial.judge(EATER)
    first = verdict.eaten[0]
    found = explain_word(trial, verdict, first.number)
    assert "Word" in found.title
    assert found.eaten == first
    over = found.lines[0]
    assert over.value == pytest.approx(sum(term.value for term in over.terms))
    lost = [line for line in found.lines if line.name.startswith("lost")]
    assert lost
    whole = [number for number in range(verdict.words) if number not in [row.number for row in verdict.eaten]]
    for number in whole[:2]:
        assert explain_word(trial, verdict, number).title.endswith("is whole")
    assert explain_word(trial, trial.without_gate(), 0).eaten is None
    with pytest.raises(IndexError):
        explain_word(trial, verdict, 10_000)


def test_a_take_through_a_strip(talk: SpeechSegments) -> None:
    samples, _ = mixed(20)
    mute = Gate(open_db=-28, close_db=-34, range_db=120, hold_ms=60, release_ms=20)
    ceiling = float(20 * np.log10(np.abs(samples).max())) - 6
    rows = through(samples, talk, (LowCut(corner_hz=60), mute, Ducker(), Limiter(ceiling_db=ceiling)), RATE)
    assert [row.name for row in rows] == ["the take", "low cut", "gate", "limiter"]
    take, cut, gated, limited = rows
    assert take.over_room_db == pytest.approx(talk.snr_db, abs=2.0)
    assert cut.room_dbfs < take.room_dbfs
    assert gated.room_dbfs < cut.room_dbfs - 5
    assert limited.peak_dbfs == pytest.approx(ceiling, abs=0.01)
    assert limited.late_ms == 2.0
    off = mute.model_copy(update={"on": False})
    assert len(through(samples, talk, (off,), RATE)) == 1


def test_outlines_are_the_highest_of_each_column(talk: SpeechSegments) -> None:
    levels = trial_of(talk, EATER).levels
    row = outline(levels, 0, len(levels), 37)
    edges = np.floor(np.arange(38) * len(levels) / 37).astype(int)
    assert row == pytest.approx([levels[a:b].max() for a, b in zip(edges[:-1], edges[1:], strict=True)])
    # Nearer than a step, each column repeats it; beyond the take there is nothing.
    near = outline(levels, 100, 104, 40)
    assert set(near.tolist()) <= set(levels[100:105].tolist())
    assert outline(levels, len(levels) - 10, len(levels) + 10, 20)[15] == -200
    assert len(outline(levels[:0], 0, 10, 5)) == 5
    words, room = spread(trial_of(talk, EATER), -80, 0, 80)
    assert words.max() == room.max() == 1.0
    assert np.argmax(words) > np.argmax(room)


def test_loudspeakers_on_the_plan(demo: Show) -> None:
    gate = Gate(open_db=-40, close_db=-45)
    assert planned_for(analyse(demo), "mira", gate, None) is None
    speaker = Device(id="monitor", kind="loudspeaker-active", place="boathouse", at_m=(2.5, 3.2), aim_deg=270)
    kinds = analyse(demo).catalogue
    name = next(kind for kind in kinds if kind.group == "loudspeaker")
    loud = demo.model_copy(
        update={
            "devices": (*demo.devices, speaker.model_copy(update={"kind": name.id})),
            "cables": (
                *demo.cables,
                Cable.model_validate({"from": "desk.main-out.l", "to": f"monitor.{name.inputs[0].id}"}),
            ),
        }
    )
    analysis = analyse(loud)
    assert analysis.loudspeaker_db["monitor"] > 40
    found = planned_for(analysis, "mira", gate, None)
    assert found is not None
    assert found.may_turn_db < 0
    assert found.why.value == pytest.approx(sum(term.value for term in found.why.terms))
    calmer = planned_for(analysis, "mira", gate.model_copy(update={"open_db": 0.0, "close_db": -5.0}), None)
    assert calmer is not None
    assert calmer.may_turn_db == pytest.approx(found.may_turn_db + 40, abs=0.01)


def test_takes_know_where_they_were_made(demo: Show) -> None:
    analysis = analyse(demo)
    take = voice_take(
        analysis.any_ladder("ilse"), "ilse", take_id="t", file="t.wav", gain_db=first_gain(analysis, "ilse")
    )
    assert take.at == "interface.in1:pre"
    assert take.gain_db == 54
    assert take.path_gain_db is not None
    assert first_gain(analysis, "jingles") is not None
    nowhere = voice_take(None, "ilse", take_id="t", file="t.wav")
    assert nowhere.at is None
    assert free_id(demo, "ilse-talk") == "ilse-talk-2"
    assert free_id(demo, "new") == "new"
