"""Desk allotment against every allotment of small desks, judged by the definition of its cost; and what is told where not all fits."""

from __future__ import annotations

import math
from itertools import permutations
from random import Random

import pytest

from kymaphon.core.figures import data_table
from kymaphon.core.work.allotment import (
    GAP,
    Allotment,
    Channel,
    DeskPlan,
    Source,
    allot,
    family_of,
    reach_cost,
    weight,
)

FAMILIES = data_table("work")["families"]


def desk(mics: int, lines: int = 0, *, groups: int = 3, stereo: bool = False) -> DeskPlan:
    rows = [
        Channel(f"in{n + 1}", f"channel {n + 1}", ("mic", "line") if n < mics else ("line",))
        for n in range(mics + lines)
    ]
    return DeskPlan(
        "desk", "Desk", tuple(rows), tuple((f"group{n}", f"group {n}") for n in range(1, groups + 1)), stereo
    )


def mic(name: str, family: str, **more: object) -> Source:
    return Source(name, name, family, "mic", **more)  # type: ignore[arg-type]


def families_along(found: list[str]) -> float:
    """Cost of a row of families, empty strings between: reach, pieces, and commentary beside another."""
    count = len(found)
    cost = sum(reach_cost(n, count, name) for n, name in enumerate(found) if name)
    pieces = sum(name != "" and (n == 0 or found[n - 1] != name) for n, name in enumerate(found))
    beside = sum(
        bool(a) and bool(b) and (a == "commentary") != (b == "commentary")
        for a, b in zip(found, found[1:], strict=False)
    )
    return cost + weight("apart") * pieces + weight("beside") * beside


def cost_of(answer: Allotment, spares: int) -> float:
    """The same of an allotment, with what is mixed before the desk, what is left and what spares are lost."""
    total = families_along([row.family for row in answer.strips])
    by_id = {row.id: row for row in answer.sources}
    for row in answer.submixes:
        total += float(FAMILIES[row.family]["submix"]) * len(row.sources)
    for name in answer.left:
        total += weight("left-commentary" if by_id[name].family == "commentary" else "left")
    return total + weight("spare-lost") * max(spares - answer.spares, 0)


def best_by_trying(sources: list[Source], plan: DeskPlan, spares: int) -> float:
    """Every way to mix families before the desk (none, or any number of them from two on), and every order of what is left on it."""
    count = len(plan.channels)
    names = list(dict.fromkeys(row.family for row in sources))
    sizes = {name: sum(row.family == name for row in sources) for name in names}
    best = math.inf

    def choices(rest: list[str]) -> list[dict[str, int]]:
        if not rest:
            return [{}]
        first, *others = rest
        may = [0, *range(2, sizes[first] + 1)] if FAMILIES[first]["submix"] is not None else [0]
        return [{first: n, **more} for n in may for more in choices(others)]

    for mixed in choices(names):
        on_desk: list[str] = []
        extra = 0.0
        for name in names:
            on_desk += [name] * (sizes[name] - mixed[name] + (1 if mixed[name] else 0))
            extra += float(FAMILIES[name]["submix"] or 0) * mixed[name]
        if len(on_desk) > count:
            continue
        lost = weight("spare-lost") * max(spares - (count - len(on_desk)), 0)
        for row in set(permutations([*on_desk, *[""] * (count - len(on_desk))])):
            best = min(best, families_along(list(row)) + extra + lost)
    return best


class TestAgainstEveryAllotment:
    @pytest.mark.parametrize("seed", range(16))
    def test_small_desks(self, seed: int) -> None:
        chance = Random(seed)
        plan = desk(chance.randint(4, 6))
        names = chance.choices(["commentary", "effects", "crowd", "music"], k=chance.randint(3, 7))
        sources = [mic(f"s{n}", name) for n, name in enumerate(names)]
        spares = chance.choice([0, 1])
        if sum(name == "commentary" for name in names) > len(plan.channels):
            pytest.skip("commentary alone is too much: nothing of it may be mixed")
        found = allot(sources, plan, spares=spares)
        best = best_by_trying(sources, plan, spares)
        assert cost_of(found, spares) == pytest.approx(found.cost, abs=1e-6)
        assert found.bound <= best + 1e-6
        assert found.cost <= best * (1 + GAP) + 1e-6
        assert found.proven

    def test_every_source_is_somewhere_once(self) -> None:
        chance = Random(3)
        names = chance.choices(list(FAMILIES), k=40)
        sources = [
            Source(f"s{n}", f"Source {n}", name, chance.choice(["mic", "line"]), chance.random() < 0.2)
            for n, name in enumerate(names)
        ]
        found = allot(sources, desk(20, 4))
        placed = [name for row in found.strips for name in row.sources]
        assert sorted([*placed, *found.left]) == sorted(row.id for row in sources)
        by_id = {row.id: row for row in sources}
        channels = {row.id: row for row in found.desk.channels}
        for row in found.strips:
            if len(row.sources) == 1:
                assert by_id[row.sources[0]].takes in channels[row.channel].takes
            assert len({by_id[name].family for name in row.sources}) <= 1
        assert found.left == ()


class TestTheTrade:
    def test_families_stand_together_and_commentary_apart(self) -> None:
        """Common practice."""
        sources = [mic(f"e{n}", "effects") for n in range(4)] + [mic("c1", "commentary"), mic("c2", "commentary")]
        found = [row.family for row in allot(sources, desk(10)).strips]
        assert "".join(name[:1] or "." for name in found).strip(".") in ("cc.eeee", "eeee.cc")

    def test_what_is_ridden_most_is_nearest_to_the_middle(self) -> None:
        sources = [mic("c", "commentary"), *(mic(f"x{n}", "crowd") for n in range(3))]
        found = allot(sources, desk(11)).strips
        at = {row.sources[0]: abs(n - 5) for n, row in enumerate(found) if row.sources}
        assert at["c"] <= 2 <= max(at.values())

    def test_crowd_is_mixed_first_and_commentary_never(self) -> None:
        sources = (
            [mic(f"c{n}", "commentary") for n in range(3)]
            + [mic(f"x{n}", "crowd") for n in range(3)]
            + [mic("e", "effects")]
        )
        found = allot(sources, desk(5), spares=0)
        assert [row.family for row in found.submixes] == ["crowd"]
        assert found.left == ()
        assert sum(row.family == "commentary" for row in found.strips) == 3

    def test_what_a_mix_before_the_desk_loses(self) -> None:
        """Each doubling of open microphones is 3.01 dB of noise and of gain before feedback (Davis & Patronis, Sound System Engineering)."""
        sources = [mic("c", "commentary"), *(mic(f"x{n}", "crowd") for n in range(4))]
        found = allot(sources, desk(3), spares=1)
        assert found.submixes[0].noise_db == pytest.approx(6.02, abs=0.01)
        assert "x0, x1, x2, x3 share one fader" in found.submixes[0].loses

    def test_spares_are_left_and_given_up_last(self) -> None:
        few = [mic(f"c{n}", "commentary") for n in range(4)]
        assert allot(few, desk(6)).spares == 2
        assert allot([*few, mic("c4", "commentary")], desk(6)).spares == 1

    def test_effects_have_a_group_of_their_own(self) -> None:
        rows = allot([mic("c", "commentary"), mic("e", "effects"), mic("x", "crowd")], desk(6)).strips
        groups = {row.family: row.group for row in rows if row.sources}
        assert groups["commentary"] == "group1"
        assert len(set(groups.values())) == 3

    def test_more_families_than_groups_share_the_last(self) -> None:
        sources = [mic(name, name) for name in ("commentary", "effects", "crowd", "music", "returns")]
        groups = {row.family: row.group for row in allot(sources, desk(10, groups=3)).strips if row.sources}
        assert set(groups.values()) == {"group1", "group2", "group3"}
        assert groups["commentary"] == "group1"
        assert [name for name, group in groups.items() if group == "group1"] == ["commentary"]
        assert allot(sources, desk(10, groups=0)).strips[0].group == ""

    def test_stereo_takes_two_strips_where_the_desk_has_two_sides(self) -> None:
        song = Source("song", "Song", "music", "line", stereo=True)
        wide = [row for row in allot([song], desk(4, 2, stereo=True)).strips if row.sources]
        assert [row.note for row in wide] == ["left side", "right side"]
        assert [row.label for row in wide] == ["Song L", "Song R"]
        mono = [row for row in allot([song], desk(4, 2)).strips if row.sources]
        assert [row.note for row in mono] == ["both sides summed to mono"]

    def test_labels_fit_a_strip(self) -> None:
        found = allot([mic("a", "crowd"), Source("b", "Somebody with a very long name", "commentary", "mic")], desk(4))
        assert all(len(row.label) <= 12 for row in found.strips)

    @pytest.mark.parametrize(
        ("kind", "family"), [("presenter", "commentary"), ("crowd", "crowd"), ("player", "music"), ("nothing", "other")]
    )
    def test_families_by_kind(self, kind: str, family: str) -> None:
        assert family_of(kind) == family


class TestFixed:
    def test_it_is_honoured(self) -> None:
        sources = [mic("c", "commentary", fixed="in6"), mic("d", "commentary"), mic("e", "effects")]
        found = allot(sources, desk(6), spares=0)
        assert found.strips[5].sources == ("c",)
        assert found.strips[4].sources == ("d",)
        assert cost_of(found, 0) == pytest.approx(found.cost)

    @pytest.mark.parametrize(
        ("fixed", "words"),
        [("in9", "does not have"), ("in6", "takes no mic level"), ("in1", "both fixed")],
    )
    def test_what_cannot_be_is_told_and_put_elsewhere(self, fixed: str, words: str) -> None:
        sources = [mic("a", "crowd", fixed="in1"), mic("b", "crowd", fixed=fixed)]
        found = allot(sources, desk(5, 1), spares=0)
        assert words in found.problems[0]
        assert found.left == ()

    def test_more_than_fit_are_named(self) -> None:
        found = allot([mic(f"c{n}", "commentary") for n in range(5)], desk(3), spares=2)
        assert len(found.left) == 2
        assert found.spares == 0

    def test_none_at_all(self) -> None:
        found = allot([], desk(3))
        assert found.spares == 3
        assert found.left == ()
