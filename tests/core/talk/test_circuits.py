"""Who hears whom with a key down: held against the show with that key set, solved in full, on the second act and on small rigs."""

from __future__ import annotations

import math
from random import Random
from typing import Any

import networkx
import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse, figures_of
from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.paths import strongest_path
from kymaphon.core.graph.routing import SEVERAL_DB
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.model.edits import SetField, SetValue, apply_all
from kymaphon.core.model.show import Show
from kymaphon.core.talk.circuits import KeyState, TalkModel, talk_of
from kymaphon.core.talk.hearing import hearing_of
from kymaphon.core.talk.keys import key_ref, key_words
from kymaphon.files.demo import FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.core.rigs import dev, wire
from tests.core.talk.rigs import computed, member, row, van


@pytest.fixture(scope="module")
def final() -> Show:
    return read_show(demo_path(FINAL))


@pytest.fixture(scope="module")
def figures(final: Show) -> Computed:
    return figures_of(final)


def solved(show: Show, state: KeyState) -> tuple[Computed, np.ndarray]:
    """The show with the keys of a state set in it, and (I - |A|^2)^-1 of it, dense."""
    edits = tuple(SetValue(ref, True) for ref in state.down)
    there = figures_of(apply_all(show, edits))
    size = len(there.graph.nodes)
    matrix = np.zeros((size, size))
    for edge in there.graph.edges:
        if edge.on:
            matrix[edge.target, edge.source] += 10 ** (edge.gain_db / 10)
    return there, np.linalg.inv(np.eye(size) - matrix)


def expected_db(there: Computed, inverse: np.ndarray, speaker: str, node: int) -> float:
    mouth, level = there.graph.mouths[speaker]
    power = inverse[node, mouth]
    return level.value + 10 * math.log10(power) if power > 1e-30 else -math.inf


def amplitudes(there: Computed) -> np.ndarray:
    """(I - |A|)^-1 by amplitude, dense: what comes where every way adds to every other in step."""
    size = len(there.graph.nodes)
    matrix = np.zeros((size, size))
    for edge in there.graph.edges:
        if edge.on:
            matrix[edge.target, edge.source] += 10 ** (edge.gain_db / 20)
    return np.linalg.inv(np.eye(size) - matrix)


def check_all(show: Show, model: TalkModel) -> int:
    """Every way of every circuit against the full solve; how many came."""
    count = 0
    for (circuit_id, speaker), state in model.states.items():
        there, inverse = solved(show, state)
        circuit = model.circuit(circuit_id)
        for listener in circuit.members:
            if not listener.hears or listener.party == speaker:
                continue
            way = model.way(circuit, speaker, listener.party)
            nodes = model.nodes_of(listener.party, listener)
            most = max((expected_db(there, inverse, speaker, node) for node in nodes), default=-math.inf)
            if way.state == "heard":
                count += 1
                full = Transfer(there.graph)
                mouth, source = there.graph.mouths[speaker]
                path = strongest_path(full, mouth, way.node or 0)
                steps, delay = model.steps(way)
                assert path is not None
                if most - source.value - path.gain_db <= SEVERAL_DB:
                    assert way.level_db == pytest.approx(most, abs=1e-6), (circuit_id, speaker, listener.party)
                else:
                    # Ways of one length add in step: at least the sum of powers, at the most that of amplitudes.
                    in_step = source.value + 20 * math.log10(amplitudes(there)[way.node, mouth])
                    assert most - 1e-6 <= way.level_db <= in_step + 1e-6, (circuit_id, speaker, listener.party)
                assert sum(there.graph.edges[i].gain_db for i in steps) == pytest.approx(path.gain_db, abs=1e-6)
                assert delay == pytest.approx(sum(there.graph.edges[i].delay_ms for i in steps), abs=1e-9)
            elif way.state == "none":
                mark = model.mark(listener.party, "dB SPL")
                assert most < mark - 100
    return count


class TestAgainstTheFullSolve:
    def test_the_second_act(self, final: Show, figures: Computed) -> None:
        assert check_all(final, figures.once(talk_of)) > 40

    def test_the_small_van(self) -> None:
        show = van()
        assert check_all(show, figures_of(show).once(talk_of)) == 2

    @pytest.mark.parametrize("seed", range(6))
    def test_with_anything_set_anyhow(self, final: Show, figures: Computed, seed: int) -> None:
        """Keys left down, crosspoints open and shut, knobs turned: the small solve is that of the changed rig."""
        chance = Random(seed)
        switches = sorted({(r.ref, r.now) for e in figures.graph.edges for r in e.switches}, key=str)
        edits = tuple(SetValue(ref, not now) for ref, now in chance.sample(switches, 6))
        show = apply_all(final, edits)
        model = figures_of(show).once(talk_of)
        if model.analysis.transfer.howls:
            pytest.skip("this one howls as it stands")
        assert check_all(show, model) > 0


class TestKeys:
    def test_up_nothing_comes_and_down_it_does(self) -> None:
        show = van()
        figures = figures_of(show)
        assert figures.feeds["ann", "dee"].node is None
        way = figures.once(talk_of).way(show.circuits[0], "dee", "ann")
        assert way.state == "heard"

    def test_a_lazy_key_takes_off_air(self) -> None:
        """Common practice: the lazy microphone goes to the van only."""
        show = van()
        model = figures_of(show).once(talk_of)
        state = model.states["comm", "ann"]
        line = model.analysis.graph.index["air.ear"]
        assert line not in model.wired(state)
        assert line in model.wired(KeyState("rest", "ann", frozenset(), ()))

    def test_talking_dims_the_panels_own_loudspeaker(self) -> None:
        """By the depth that its kind states."""
        show = van()
        model = figures_of(show).once(talk_of)
        state = model.states["comm", "dee"]
        dims = [row for row in state.changes if row.before_db > -math.inf and row.gain_db > -math.inf]
        assert [row.gain_db - row.before_db for row in dims] == [-20]

    def test_a_key_that_stands_down_changes_nothing_more(self) -> None:
        show = van(lambda rows: row(rows, "devices", "panel").update(settings={"talk1": {"on": True}}))
        model = figures_of(show).once(talk_of)
        assert model.states["comm", "dee"].changes == ()
        assert model.way(show.circuits[0], "dee", "ann").state == "heard"

    def test_a_listen_key_has_to_be_down_too(self) -> None:
        def shut(rows: dict) -> None:
            row(rows, "devices", "panel")["settings"] = {"listen1": {"on": False}}

        show = van(shut)
        assert figures_of(show).once(talk_of).way(show.circuits[0], "ann", "dee").state == "none"

        def named(rows: dict) -> None:
            shut(rows)
            member(rows, "comm", "dee")["listen_key"] = "panel.listen1"

        show = van(named)
        assert figures_of(show).once(talk_of).way(show.circuits[0], "ann", "dee").state == "heard"

    def test_what_is_no_key_is_none(self) -> None:
        figures = figures_of(van())
        assert key_ref(figures, "panel.talk1") is not None
        assert key_ref(figures, "desk.in24>group1") is not None
        for wrong in (None, "", "panel.talk9", "nobody.talk1", "desk.main>main-out", "panel"):
            assert key_ref(figures, wrong) is None
        assert key_words(figures, "panel.talk1") == "Panel with four talk keys, Talk 1"
        assert key_words(figures, "desk.in24>group1").endswith("channel 24 to group 1")

    def test_by_telephone_nothing_of_the_rig_is_needed(self) -> None:
        def phone(rows: dict) -> None:
            for one in row(rows, "circuits", "comm")["members"]:
                one.update(by="telephone", key=None)
            row(rows, "parties", "ann")["hears_on"] = None

        show = van(phone)
        assert {way.state for way in figures_of(show).once(talk_of).ways} == {"outside"}

    def test_a_key_that_closes_a_howling_loop_is_told(self) -> None:
        """A panel whose own loudspeaker gets its own microphone by a key, at a volume that feeds back."""

        def loop(rows: dict) -> None:
            rows["cables"] = [one for one in rows["cables"] if one["from"] != "panel.out2"]
            rows["cables"].append({"from": "panel.out2", "to": "monitor.line-in"})
            rows["devices"].append(
                {
                    "id": "monitor",
                    "kind": "talk-speaker",
                    "place": "van",
                    "at_m": [1, 0.7],
                    "settings": {"volume": {"gain_db": 10}},
                }
            )
            member(rows, "comm", "dee")["key"] = "panel.talk2"

        show = van(loop)
        model = figures_of(show).once(talk_of)
        state = model.states["comm", "dee"]
        there, _ = solved(show, state)
        assert there.transfer.howls
        assert model.howls(state)
        assert not figures_of(show).transfer.howls
        assert [row.code for row in analyse(show).findings if row.code == "talk-howls"] == ["talk-howls"]

    def test_no_other_does(self, final: Show, figures: Computed) -> None:
        model = figures.once(talk_of)
        for state in model.states.values():
            assert model.howls(state) == solved(final, state)[0].transfer.howls


class TestHearing:
    def test_on_another_ear_than_usual(self, final: Show) -> None:
        rows = final.circuits[1].members
        changed = tuple(one.with_(hears_on="set-1") if one.party == "odile" else one for one in rows)
        show = apply_all(final, (SetField("circuits", "commentary", "members", changed),))
        way = figures_of(show).once(talk_of).way(show.circuits[1], "wren", "odile")
        usual = figures_of(final).once(talk_of).way(final.circuits[1], "wren", "odile")
        assert way.level_db != usual.level_db

    def test_explained_it_adds_up(self, figures: Computed) -> None:
        hearing = figures.once(hearing_of)
        told = 0
        for found in hearing.rows.values():
            one = hearing.explain(found)
            if one is None:
                assert found.way.state != "heard"
                continue
            told += 1
            assert one.level.value == pytest.approx(found.way.level_db or 0.0, abs=0.06)
            assert one.level.value == pytest.approx(sum(term.value for term in one.level.terms), abs=1e-6)
            if one.index is not None:
                assert one.index.value == pytest.approx(found.index or 0.0, abs=0.01)
            assert one.delay.value == pytest.approx(hearing.model.steps(found.way)[1])
        assert told > 40

    def test_the_way_is_that_of_the_rig_with_the_key_down(self, figures: Computed) -> None:
        hearing = figures.once(hearing_of)
        row = hearing.of("production", "soli", "perrin")
        assert row is not None
        path = hearing.model.path(row.way)
        assert path is not None
        assert path.nodes[0] == figures.graph.mouths["soli"][0]
        assert path.nodes[-1] == row.way.node
        assert all(step.on for step in path.steps())
        gone = hearing.of("production", "wren", "cam-5")
        assert gone is not None
        assert hearing.model.path(gone.way) is None

    def test_another_circuit_in_the_same_ear(self, final: Show) -> None:
        """Overridden, it goes down by as much as what else is there."""

        def over(overrides: tuple[str, ...]) -> float:
            members = (
                *final.circuits[1].members,
                {"party": "perrin", "speaks": False, "hears": True, "hears_on": "set-perrin"},
            )
            edits = (
                SetField("circuits", "commentary", "members", members),
                SetField("circuits", "commentary", "overrides", overrides),
            )
            hearing = figures_of(apply_all(final, edits)).once(hearing_of)
            row = hearing.of("commentary", "wren", "perrin")
            assert row is not None
            rows = {one.circuit: one for one in hearing.beside(row)}
            assert rows["production"].overridden is bool(overrides)
            return rows["production"].over_db

        assert over(("production",)) - over(()) == pytest.approx(20)

    def test_who_is_on_air_goes_on_while_a_key_talks_to_somebody_else(self) -> None:
        """A second commentator masks what the van says to the first, on the circuit or off it; who has the floor masks nobody."""

        def two(*members: dict[str, Any], key: bool = True) -> Show:
            def change(rows: dict[str, Any]) -> None:
                bea = {"id": "bea", "name": "Bea", "kind": "presenter", "place": "studio", "at_m": [6, 2]}
                rows["parties"].append({**bea, "speaks": True, "effort": "raised"})
                rows["devices"].append(dev("mic-2", "lip-ribbon", party="bea", at_m=[6, 2.04]))
                rows["cables"] += [wire("mic-2.out", "desk.in20"), wire("desk.send1", "box.programme-in")]
                desk = row(rows, "devices", "desk")["settings"]
                desk |= {"in20>send1": {"on": True}, "in20": {"gain_db": 50}}
                row(rows, "circuits", "comm")["members"] += members
                if not key:
                    row(rows, "devices", "panel")["settings"] = {"talk1": {"on": True}}
                    member(rows, "comm", "dee").pop("key")

            return van(change)

        def heard(show: Show) -> tuple[float, list[str]]:
            hearing = computed(show).once(hearing_of)
            found = hearing.of("comm", "dee", "ann")
            assert found is not None
            assert found.index is not None
            told = hearing.explain(found)
            assert told is not None
            return found.index, [masker.name for masker in told.maskers]

        off, on = heard(two()), heard(two({"party": "bea", "speaks": False}))
        assert off == on
        assert off[0] < 0.75
        assert off[1][0] == "Bea"
        # Without keys the circuit is the conversation itself, in which one speaks at a time.
        turns = heard(two({"party": "bea"}, key=False))
        assert turns[0] > 0.9
        assert "Bea" not in turns[1]

    def test_dimming_the_programme_is_heard(self, final: Show) -> None:
        """Twenty decibels more over what else comes by the same headphones."""
        plain = apply_all(final, (SetField("circuits", "sound", "dim_db", None),))
        before = figures_of(plain).once(hearing_of).of("sound", "bram", "soli")
        show = apply_all(final, (SetField("circuits", "sound", "dim_db", 20.0),))
        after = figures_of(show).once(hearing_of).of("sound", "bram", "soli")
        assert before is not None
        assert after is not None
        assert before.over_db is not None
        assert after.over_db is not None
        assert after.over_db > before.over_db
        assert (after.index or 0) > (before.index or 0)


def test_who_reaches_whom_is_networkx_reachability(figures: Computed) -> None:
    """Signal comes to an ear exactly where a directed path leads there with the key down."""
    model = figures.once(talk_of)
    for state in model.states.values():
        graph = model.transfer(state).graph
        there = networkx.DiGraph((e.source, e.target) for e in graph.edges if e.on)
        mouth = graph.mouths[state.speaker][0]
        assert model.reach(state) == {mouth} | (networkx.descendants(there, mouth) if mouth in there else set())
