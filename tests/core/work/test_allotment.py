"""Desk allotment against every allotment of small desks, judged by the definition of its cost; and what is told where not all fits."""

from __future__ import annotations

from itertools import permutations
from random import Random

import pytest

from kymaphon.core.figures import data_table
from kymaphon.core.work.allotment import (
    AIMS,
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


Cost = tuple[float, float, float, float, float, float]
"""As `AIMS`, each before the next."""


def families_along(found: list[str], *, left: tuple[int, int] = (0, 0), before: float = 0.0) -> Cost:
    """What a row of families costs, empty strings between: pieces, commentary beside another, reach, after what is given."""
    count = len(found)
    reach = sum(reach_cost(n, count, name) for n, name in enumerate(found) if name)
    pieces = sum(name != "" and (n == 0 or found[n - 1] != name) for n, name in enumerate(found))
    beside = sum(
        bool(a) and bool(b) and (a == "commentary") != (b == "commentary")
        for a, b in zip(found, found[1:], strict=False)
    )
    return *left, before, pieces, beside, round(reach, 6)


def cost_of(answer: Allotment, spares: int) -> Cost:
    """The same of an allotment, with what is mixed before the desk, what is left and what spares are lost."""
    by_id = {row.id: row for row in answer.sources}
    before = sum(float(FAMILIES[row.family]["submix"]) * len(row.sources) for row in answer.submixes)
    before += weight("spare-lost") * max(spares - answer.spares, 0)
    spoken = sum(by_id[name].family == "commentary" for name in answer.left)
    return families_along(
        [row.family for row in answer.strips], left=(spoken, len(answer.left) - spoken), before=before
    )


def best_by_trying(sources: list[Source], plan: DeskPlan, spares: int) -> Cost:
    """Every way to leave some out or to mix them before the desk (none, or any number of a family from two on), and every order of the rest."""
    count = len(plan.channels)
    names = list(dict.fromkeys(row.family for row in sources))
    sizes = {name: sum(row.family == name for row in sources) for name in names}
    best: Cost | None = None

    def choices(rest: list[str]) -> list[dict[str, tuple[int, int]]]:
        """Family -> (mixed before the desk, left out)."""
        if not rest:
            return [{}]
        first, *others = rest
        rows = [
            (mixed, left)
            for left in range(sizes[first] + 1)
            for mixed in (0, *range(2, sizes[first] - left + 1))
            if not mixed or FAMILIES[first]["submix"] is not None
        ]
        return [{first: row, **more} for row in rows for more in choices(others)]

    for chosen in choices(names):
        on_desk: list[str] = []
        before = 0.0
        for name, (mixed, left) in chosen.items():
            on_desk += [name] * (sizes[name] - left - mixed + (1 if mixed else 0))
            before += float(FAMILIES[name]["submix"] or 0) * mixed
        if len(on_desk) > count:
            continue
        spoken = chosen["commentary"][1] if "commentary" in chosen else 0
        out = spoken, sum(left for _, left in chosen.values()) - spoken
        before += weight("spare-lost") * max(spares - (count - len(on_desk)), 0)
        if best is not None and (*out, before) > best[:3]:
            continue
        for row in set(permutations([*on_desk, *[""] * (count - len(on_desk))])):
            cost = families_along(list(row), left=out, before=before)
            best = cost if best is None else min(best, cost)
    assert best is not None
    return best


class TestAgainstEveryAllotment:
    @pytest.mark.parametrize("seed", range(16))
    def test_small_desks(self, seed: int) -> None:
        chance = Random(seed)
        plan = desk(chance.randint(4, 6))
        names = chance.choices(["commentary", "effects", "crowd", "music"], k=chance.randint(3, 7))
        sources = [mic(f"s{n}", name) for n, name in enumerate(names)]
        spares = chance.choice([0, 1])
        found = allot(sources, plan, spares=spares)
        assert found.proven
        assert cost_of(found, spares) == pytest.approx(best_by_trying(sources, plan, spares), abs=1e-5)
        assert [row.name for row in found.aims] == list(AIMS)
        assert [row.cost for row in found.aims] == pytest.approx(cost_of(found, spares), abs=1e-5)

    def test_no_family_is_split_for_what_is_left_out(self) -> None:
        """However much is left out, the rest is allotted as well as without it: nothing hides behind a large sum."""
        sources = [mic(f"c{n}", "commentary") for n in range(9)] + [
            mic(f"e{n}", "effects", fixed=f"in{n + 1}") for n in range(2)
        ]
        found = allot(sources, desk(8), spares=0)
        pieces = next(row for row in found.aims if row.name == "pieces of families")
        assert (len(found.left), pieces.cost, pieces.proven) == (3, 2, True)

    def test_the_right_side_of_a_stereo_source_fits_its_channel_too(self) -> None:
        song = Source("song", "Song", "music", "mic", stereo=True, fixed="in4")
        found = allot([song], desk(4, 2, stereo=True), spares=0)
        assert found.problems == (
            "Song is fixed to channel 4 with its right side on channel 5, which takes no mic level: put where it fits.",
        )
        channels = {row.id: row for row in found.desk.channels}
        assert all("mic" in channels[row.channel].takes for row in found.strips if row.sources)

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
        assert found.proven

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
