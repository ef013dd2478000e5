"""Faults planted into Lantern Quay and found again by tapping; levels against the show really changed; information against brute force."""

from __future__ import annotations

from functools import cache
from itertools import product
from random import Random

import numpy as np
import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.edits import Plug, SetValue, Unplug, apply_all
from kymaphon.core.model.show import Cable, Show
from kymaphon.core.prove.diagnosis import (
    MOVED,
    SILENT,
    Hypothesis,
    Observations,
    Seen,
    Tolerances,
    diagnose,
    entropy_bits,
    information_bits,
    readings_of,
)
from kymaphon.core.prove.faults import LEVEL_SORTS, Fault, sorts
from kymaphon.core.prove.model import SHOWN_DB, VISIBLE_DB, RigHowlsError, TapModel, shows_apart, tap_model
from kymaphon.files.demo import REPAIRED, demo_path
from kymaphon.files.show_file import read_show
from tests.budget import some, tries


@cache
def quay() -> TapModel:
    return tap_model(analyse(read_show(demo_path(REPAIRED))))


def by_id(model: TapModel, name: str) -> Fault:
    return next(row for row in model.faults if row.id == name)


def seen_of(model: TapModel, *faults: Fault, draw: Random | None = None) -> Observations:
    """What an operator reads who taps everything: to the decibel, off by chance where one is given."""
    levels = model.below(faults)
    out: dict[tuple[int, int], Seen] = {}
    for tap in range(len(model.taps)):
        for meter in range(len(model.meters)):
            level = float(levels[tap, meter]) + (draw.gauss(0, 2) if draw else 0.0)
            out[tap, meter] = SILENT if level < SHOWN_DB else float(round(level))
    return out


def levels_of(show: Show, model: TapModel) -> np.ndarray:
    """The same levels from a show: its own graph, its own solve."""
    analysis = analyse(show)
    place = analysis.graph.index
    nodes = model.graph.nodes
    power = analysis.transfer.power_from([place[nodes[tap.node].id] for tap in model.taps])
    out = np.full((len(model.taps), len(model.meters)), -np.inf)
    for n, meter in enumerate(model.meters):
        for k, tap in enumerate(model.taps):
            most = max(power[place[nodes[i].id], k] for i in meter.nodes)
            if most > 1e-30:
                out[k, n] = 10 * np.log10(most) + tap.level_db - model.marks[n]
    return out


def rides_otherwise(after: Report, fault: Fault) -> bool:
    """Whether an automatic level has followed the change: a fault of the tap test leaves those as planned."""
    moved = {row.edge for row in fault.moves}
    pairs = enumerate(zip(quay().graph.edges, after.graph.edges, strict=True))
    return any(abs(one.gain_db - other.gain_db) > 0.01 for i, (one, other) in pairs if i not in moved)


def as_good_as(model: TapModel, row: Hypothesis, *faults: Fault) -> bool:
    """Whether an explanation is these faults, or others that no tap tells from them."""
    if row.has(*faults):
        return True
    return not shows_apart(model.below([s.faults[0] for s in row.suspects]), model.below(faults))


def same(one: np.ndarray, other: np.ndarray) -> bool:
    shown = np.maximum(one, -100.0), np.maximum(other, -100.0)
    return bool(np.abs(shown[0] - shown[1]).max() < 0.01)


class TestLevels:
    def test_as_planned_they_are_those_of_the_analysis(self) -> None:
        assert same(quay().planned, levels_of(read_show(demo_path(REPAIRED)), quay()))

    def test_a_dead_lead_is_one_that_is_not_plugged(self) -> None:
        show = read_show(demo_path(REPAIRED))
        tried = 0
        for cable in some(show.cables, 9):
            name = f"dead-cable:{cable.source.removesuffix('.l')}>{cable.target}"
            fault = next((row for row in quay().faults if row.id == name), None)
            if fault is None:
                continue
            tried += 1
            without = apply_all(show, (Unplug(cable.source, cable.target),))
            # A lead that is gone loads nothing: headphones beside it get a little more.
            before, after = (np.maximum(row, SHOWN_DB) for row in (quay().below((fault,)), levels_of(without, quay())))
            assert np.abs(before - after).max() < 2.0, name
        assert tried >= 5

    def test_a_mute_and_a_crosspoint_are_the_switches_themselves(self) -> None:
        show = read_show(demo_path(REPAIRED))
        rows = [row for row in quay().faults if row.sort in ("muted-channel", "open-crosspoint", "doubled-path")]
        for fault in some(rows, 12):
            assert fault.ref is not None
            edge = quay().graph.edges[quay().graph.switched[fault.ref][0]]
            to = not next(row.now for row in edge.switches if row.ref == fault.ref)
            changed = apply_all(show, (SetValue(fault.ref, to),))
            after = analyse(changed)
            if after.transfer.howls or rides_otherwise(after, fault):
                continue
            assert same(quay().below((fault,)), levels_of(changed, quay())), fault.id

    def test_two_swapped_leads_are_two_leads_plugged_otherwise(self) -> None:
        show = read_show(demo_path(REPAIRED))
        fault = by_id(quay(), "swapped-pair:desk.in1~desk.in3")
        held = {row.target: row for row in show.cables}
        one, other = held["desk.in1"], held["desk.in3"]
        changed = apply_all(
            show,
            (
                Unplug(*one.ends),
                Unplug(*other.ends),
                Plug(Cable(source=one.source, target=other.target)),
                Plug(Cable(source=other.source, target=one.target)),
            ),
        )
        before, after = quay().below((fault,)), levels_of(changed, quay())
        silent = (before < -60) == (after < -60)
        assert silent.all(), "what moves and what does not is the same; loads of the two inputs may differ by little"
        assert np.abs(np.maximum(before, -60) - np.maximum(after, -60)).max() < 1.0

    def test_two_faults_are_solved_together(self) -> None:
        show = read_show(demo_path(REPAIRED))
        rows = [row for row in quay().faults if row.sort == "muted-channel"]
        draw = Random(3)
        for _ in range(tries(4)):
            one, other = draw.sample(rows, 2)
            assert one.ref is not None
            assert other.ref is not None
            changed = apply_all(show, (SetValue(one.ref, True), SetValue(other.ref, True)))
            assert same(quay().below((one, other)), levels_of(changed, quay()))


class TestDiagnosis:
    def test_every_single_fault_that_shows_is_ranked_first(self) -> None:
        model = quay()
        shown = [fault for row in model.suspects for fault in row.faults]
        assert len(shown) > 100
        for fault in some(shown, 60):
            found = diagnose(model, seen_of(model, fault))
            levels = (np.maximum(row, SHOWN_DB) for row in (model.below((fault,)), model.planned))
            apart = np.argwhere(np.abs(np.subtract(*levels)) > VISIBLE_DB)
            if len(apart) == 1 and not found.ranked[0].suspects:
                # One meter at one tap: as likely a wrong look. It is named, to be looked at again, and the fault comes next.
                assert found.contradicting == (tuple(apart[0]),)
                assert any(as_good_as(model, row, fault) for row in found.ranked[1:3])
                continue
            assert as_good_as(model, found.ranked[0], fault), (fault.label, found.ranked[0].label)

    @pytest.mark.parametrize("seed", range(tries(12)))
    def test_every_pair_of_faults_is_among_the_first_three(self, seed: int) -> None:
        """Pairs of which each shows beside the other: what one hides altogether nobody can see."""
        model, draw = quay(), Random(seed)
        shown = [fault for row in model.suspects for fault in row.faults]
        while True:
            one, other = draw.sample(shown, 2)
            both = model.below((one, other))
            if all(shows_apart(both, model.below((row,))) for row in (one, other)):
                break
        found = diagnose(model, seen_of(model, one, other))
        place = next((n for n, row in enumerate(found.ranked) if as_good_as(model, row, one, other)), None)
        assert place is not None, (one.label, other.label, found.ranked[0].label)
        assert place < 3

    def test_readings_that_are_off_by_a_little_do_not_mislead(self) -> None:
        model, draw = quay(), Random(7)
        rows = [row for row in model.suspects if row.faults[0].sort in ("dead-cable", "muted-channel")]
        for suspect in some(rows, 10):
            found = diagnose(model, seen_of(model, suspect.faults[0], draw=draw))
            assert found.ranked[0].has(suspect.faults[0])

    def test_a_rig_that_is_as_planned_is_said_to_be(self) -> None:
        found = diagnose(quay(), seen_of(quay()))
        assert not found.ranked[0].suspects
        assert found.fine > 0.99
        assert found.open_bits < 0.1

    def test_one_wrong_answer_is_told_as_a_misreading_and_not_averaged_away(self) -> None:
        model = quay()
        seen = dict(seen_of(model))
        cell = next(cell for cell, what in seen.items() if what != SILENT and model.planned[cell] > -3)
        seen[cell] = SILENT
        found = diagnose(model, seen)
        assert not found.ranked[0].suspects, "a hundred other looks say that all is well"
        assert found.contradicting == (cell,)

    def test_contradicting_answers_stay_both(self) -> None:
        """A meter that moves for every tap but one, behind a channel that moves: shown as what needs a misreading."""
        model = quay()
        first = next(n for n, tap in enumerate(model.taps) if tap.id == "mira")
        names = [meter.id for meter in model.meters]
        seen: dict[tuple[int, int], Seen] = {
            (first, names.index("desk.in1:pre")): SILENT,
            (first, names.index("desk.main")): MOVED,
        }
        found = diagnose(model, seen)
        assert all(row.explains < 2 or row.suspects for row in found.ranked[:3])
        assert sum(row.chance for row in found.ranked) == pytest.approx(1.0, abs=0.2)

    def test_each_tap_leaves_less_open_and_the_fault_is_found_by_few(self) -> None:
        """The next tap is always the one that it asks for; after three the fault has more than all others together."""
        model = quay()
        for fault in some([row.faults[0] for row in model.suspects if row.faults[0].sort == "dead-cable"], 6):
            everything, seen = seen_of(model, fault), {}
            found = diagnose(model, seen)
            for _ in range(len(model.taps)):
                ask = found.next_tap()
                if ask is None or (found.ranked[0].suspects and found.ranked[0].chance > 0.9):
                    break
                seen.update({cell: what for cell, what in everything.items() if cell[0] == ask[0]})
                found = diagnose(model, seen)
            assert found.ranked[0].has(fault), fault.label

    def test_a_rig_that_howls_is_refused_and_an_empty_one_has_nothing_to_tap(self) -> None:
        from tests.conftest import two_desks

        model = tap_model(analyse(Show()))
        assert model.taps == ()
        assert diagnose(model, {}).next_tap() is None
        loud = two_desks(
            a={"in5>send1": {"on": True}, "in5": {"gain_db": 20}}, b={"in5>send1": {"on": True}, "in5": {"gain_db": 20}}
        )
        report: Report = analyse(loud)
        assert report.transfer.howls
        with pytest.raises(RigHowlsError, match="howls"):
            tap_model(report)

    def test_a_microphone_of_nobody_is_tapped_too(self) -> None:
        show = read_show(demo_path(REPAIRED))
        devices = [row.with_(party=None) if row.id == "mic-tam" else row for row in show.devices]
        report = analyse(show.with_(devices=tuple(devices)))
        found = next(row for row in tap_model(report).taps if row.id == "mic-tam")
        assert found.level_db == 80
        assert found.act.startswith("Tap ")

    def test_every_sort_has_its_words_and_its_source(self) -> None:
        assert set(LEVEL_SORTS) <= set(sorts())
        for row in sorts().values():
            assert row.cure.endswith(".")
            assert row.source
            assert 0 < row.prior < 0.01
        assert "protective earth" in sorts()["hum"].cure


class TestInformation:
    def test_entropy_by_its_textbook_values(self) -> None:
        """Shannon 1948: even chances of 2^n are n bits."""
        assert entropy_bits(np.full(8, 1 / 8)) == pytest.approx(3)
        assert entropy_bits(np.array([1.0, 0.0])) == 0

    @pytest.mark.parametrize("seed", range(tries(15)))
    def test_expected_information_against_every_outcome(self, seed: int) -> None:
        """Small rigs: all 4^m outcomes of m meters weighed by brute force. Never more than that, and near it."""
        draw = np.random.default_rng(seed)
        meters, hypotheses = int(draw.integers(1, 5)), int(draw.integers(2, 9))
        planned = draw.choice([0.0, -np.inf, -5.0], meters)
        below = draw.choice([0.0, -np.inf, -5.0, -20.0, 12.0], (hypotheses, meters))
        chances = draw.dirichlet(np.ones(hypotheses))
        given = Tolerances(3.0, 0.02)
        shown = readings_of(below, planned)
        exact = 0.0
        for outcome in product(range(4), repeat=meters):
            right = shown == np.array(outcome)
            each = np.where(right, 1 - given.misread, given.misread / 3).prod(axis=1)
            whole = float(chances @ each)
            exact += float((chances * each * np.log2(np.where(each > 0, each / whole, 1.0))).sum())
        ours = information_bits(chances, below, planned, given)
        assert ours == pytest.approx(exact, abs=0.12)
        assert ours <= entropy_bits(chances) + 1e-9

    def test_the_most_telling_of_all_taps_is_chosen(self) -> None:
        model = quay()
        found = diagnose(model, {})
        ask = found.next_tap()
        assert ask is not None
        assert ask[1] == max(found.worth_bits(k) for k in range(len(model.taps)))
        assert ask[1] > 0.3
