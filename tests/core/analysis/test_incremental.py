"""An edit touches what it touches: what is taken from the report before it is what would have been computed anew."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from random import Random
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.facets import Facet, changed, facet_of
from kymaphon.core.model.catalogue import shipped_catalogue
from kymaphon.core.model.edits import AddLog, Edit, SetCable, SetField, SetValue, SetWant, Unplug, apply_all
from kymaphon.core.model.findings import FORMER_CODES, present_id
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.references import ShowProblem
from kymaphon.core.model.show import Device, LogEntry, Setting, Show
from kymaphon.core.rules import RULES
from kymaphon.core.rules.record import rule
from kymaphon.files.demo import FINAL, demo_path
from kymaphon.files.show_file import read_show
from tests.budget import tries
from tests.core import hand_typed

NOW = datetime(2026, 1, 2, 3, 4, tzinfo=UTC)


def second_act() -> Show:
    """The demo with talkback."""
    return read_show(demo_path(FINAL))


SHOWS = [
    demo_path,
    second_act,
    hand_typed.podcast_for_two,
    hand_typed.hall_with_loudspeakers,
    hand_typed.two_calls,
    hand_typed.concert,
]


def opened(make: Callable[[], Any]) -> Show:
    made = make()
    return made if isinstance(made, Show) else read_show(made)


def edits_of(report: Report, chance: Random) -> tuple[Edit, ...]:
    """One thing that somebody does: turns or switches something, walks, unplugs, asks, writes down, follows a remedy."""
    show = report.show
    knobs = sorted(
        {
            (knob.ref.device, knob.ref.key, knob.ref.field, knob.lowest, knob.highest)
            for edge in report.graph.edges
            for knob in edge.knobs
        }
    )
    switches = sorted(
        {(row.ref.device, row.ref.key, row.ref.field, row.now) for edge in report.graph.edges for row in edge.switches}
    )
    sort = chance.choice(("knob", "knob", "switch", "party", "device", "cable", "want", "log", "remedy", "length"))
    if sort == "knob" and knobs:
        device, key, field, low, high = chance.choice(knobs)
        return (SetValue(SettingRef(device, key, field), round(chance.uniform(low, high))),)
    if sort == "switch" and switches:
        device, key, field, now = chance.choice(switches)
        return (SetValue(SettingRef(device, key, field), not now),)
    if sort in ("party", "device"):
        rows = [row for row in (show.parties if sort == "party" else show.devices) if row.at_m is not None]
        if rows:
            row = chance.choice(rows)
            assert row.at_m is not None
            moved = tuple(round(max(0.1, part + chance.uniform(-0.4, 0.4)), 2) for part in row.at_m)
            return (SetField("parties" if sort == "party" else "devices", row.id, "at_m", moved),)
    if sort == "cable" and show.cables:
        return (Unplug(*chance.choice(show.cables).ends),)
    if sort == "length" and show.cables:
        return (SetCable(*chance.choice(show.cables).ends, "length_m", round(chance.uniform(0.5, 40), 1)),)
    if sort == "want":
        listener, voice = chance.choice(report.listeners), chance.choice(report.voices)
        return (SetWant(listener.id, voice.id, chance.choice(("hear", "never", "any"))),)
    if sort == "remedy":
        rows = [row for finding in report.findings for row in finding.remedies]
        if rows:
            return chance.choice(rows).edits
    at = NOW + timedelta(seconds=len(show.log))
    return (AddLog(LogEntry(at=at, text="looked at it")),)


def told(report: Report) -> list[dict[str, Any]]:
    return [row.to_json() for row in report.findings]


@pytest.mark.parametrize("make", SHOWS, ids=lambda make: make.__name__)
def test_after_any_edit_the_report_is_that_of_the_show_computed_anew(make: Callable[[], Any]) -> None:
    """Every finding with its figures, reasons and remedies, after each of a row of random edits."""
    chance = Random(make.__name__)
    report = analyse(opened(make))
    kept = 0
    # The large show is computed anew after each: fewer edits of it in a run of every day.
    for _ in range(tries(6 if make is second_act else 10)):
        try:
            show = apply_all(report.show, edits_of(report, chance))
            after = analyse(show, before=report)
        except ShowProblem:
            continue
        kept += sum(rows is report.found[name] for name, rows in after.found.items())
        anew = analyse(show)
        assert told(after) == told(anew)
        assert after.feeds == anew.feeds
        report = after
    assert kept, "nothing was ever taken along"


WATCHED = ("graph", "transfer", "feeds")
OF_LEVELS: frozenset[Facet] = frozenset(("layout", "wiring", "switches", "gains", "takes", "sound", "levels"))
SOUND = ("loudspeaker_db", "open_microphones", "shut_microphones")


@contextmanager
def watched(monkeypatch: pytest.MonkeyPatch) -> Iterator[set[str]]:
    """The facets that are read inside, by the fields of a show and of its figures that are asked for."""
    seen: set[str] = set()
    inside_sound = [False]

    def note(cls: type, facet: Callable[[str], str | None]) -> None:
        plain = cls.__getattribute__

        def get(self: Any, name: str) -> Any:
            found = None if inside_sound[0] else facet(name)
            if found is not None:
                seen.add(found)
            return plain(self, name)

        monkeypatch.setattr(cls, "__getattribute__", get)

    for name in SOUND:
        made = Computed.__dict__[name]
        plain_make = made._make

        def make(of: Any, plain_make: Callable[[Any], Any] = plain_make) -> Any:
            seen.add("sound")
            before, inside_sound[0] = inside_sound[0], True
            try:
                return plain_make(of)
            finally:
                inside_sound[0] = before

        monkeypatch.setattr(made, "_make", make)
    note(Show, lambda name: facet_of(name) if name in Show.model_fields else None)
    note(Device, lambda name: None)
    note(
        Setting,
        lambda name: (
            ("gains" if name in ("gain_db", "fader_db") else "switches") if name in Setting.model_fields else None
        ),
    )
    note(Computed, lambda name: {"graph": "levels", "transfer": "levels", "feeds": "feeds"}.get(name))
    yield seen
    monkeypatch.undo()


def reach(reads: frozenset[Facet]) -> set[str]:
    """All that a rule may look at that says so: with a computed facet also what that is computed from."""
    out: set[str] = set(reads)
    if "feeds" in out:
        out |= {"levels", "wants"}
    if "levels" in out:
        out |= OF_LEVELS
    return out


@pytest.mark.parametrize(
    "make",
    [*SHOWS, hand_typed.lesson, hand_typed.play, hand_typed.game_stream],
    ids=lambda make: make.__name__,
)
def test_a_rule_looks_at_nothing_that_it_does_not_say(make: Callable[[], Any], monkeypatch: pytest.MonkeyPatch) -> None:
    """Watched at every field of the show and of its figures, while it looks and while its remedies are made."""
    show = opened(make)
    base = without_rules(show, shipped_catalogue())
    for row in RULES:
        fresh = Computed(show, base.catalogue, base.graph, base.transfer, base.feeds)
        with monkeypatch.context() as patch, watched(patch) as seen:
            for finding in row.check(fresh):
                tuple(finding.remedies)
        assert seen <= reach(row.reads), row.name


def test_what_a_rule_finds_is_of_its_codes_and_of_its_stage() -> None:
    for make in SHOWS:
        report = analyse(opened(make))
        for row in RULES:
            for finding in report.found[row.name]:
                assert finding.code in row.codes
                assert finding.stage == row.stage
                assert not row.notes_only or finding.severity == "note"


def test_former_codes_are_those_of_no_rule_and_mean_one_of_today() -> None:
    codes = {code for row in RULES for code in row.codes}
    assert not codes & set(FORMER_CODES)
    assert set(FORMER_CODES.values()) <= codes
    assert present_id("circle-howls@desk.send1#2") == "loop-howls@desk.send1#2"
    assert present_id("off-mark@ann") == "off-mark@ann"


def test_every_code_is_one_rule_s() -> None:
    codes = [code for row in RULES for code in row.codes]
    assert len(codes) == len(set(codes))
    with pytest.raises(ValueError, match="needs a code"):
        rule(stage="Rig", reads=("layout",))(lambda _figures: ())


@pytest.mark.parametrize(
    ("edit", "facets"),
    [
        (SetValue(SettingRef("desk", "in1", "gain_db"), 31.0), {"gains", "levels", "sound", "feeds"}),
        (SetValue(SettingRef("desk", "in1", "phantom"), False), {"switches", "levels", "sound", "feeds"}),
        (SetWant("ferry", "mira", "never"), {"wants", "feeds"}),
        (AddLog(LogEntry(at=NOW, text="tea")), {"programme"}),
    ],
)
def test_an_edit_changes_the_facets_that_it_touches(edit: Edit, facets: set[Facet]) -> None:
    show = read_show(demo_path())
    desk = next(row.id for row in show.devices if "in1" in row.settings)
    if isinstance(edit, SetValue):
        edit = SetValue(SettingRef(desk, "in1", edit.ref.field), edit.value)
    assert changed(show, apply_all(show, (edit,))) == facets
    assert not changed(show, show)
    assert not changed(show, show.model_copy(deep=True)), "the same to read is no change"


def test_a_line_in_the_log_computes_nothing_of_the_rig_anew() -> None:
    before = analyse(read_show(demo_path()))
    ladders = before.ladders
    after = analyse(apply_all(before.show, (AddLog(LogEntry(at=NOW, text="tea")),)), before=before)
    assert after.graph is before.graph
    assert after.feeds is before.feeds
    assert after.ladders is ladders
