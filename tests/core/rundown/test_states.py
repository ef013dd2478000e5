"""Channels, states and moves of a rundown, and its rules: on the demo's evening and on rigs with one thing wrong."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta, timezone
from typing import Any

import pytest

from kymaphon.core.analysis.analyse import analyse, figures_of
from kymaphon.core.analysis.offers import with_offers
from kymaphon.core.analysis.report import Report
from kymaphon.core.analysis.segments import breaks_in
from kymaphon.core.graph.routing import comes_through
from kymaphon.core.model.edits import RemoveRow, SetField, SetValue, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.references import ShowProblem, check_references
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Show
from kymaphon.core.report.rundown import guests_table, rundown_sheet, timing_words
from kymaphon.core.rundown.channels import channels_of
from kymaphon.core.rundown.states import heard_in, microphones_open, moves_between, state_of
from kymaphon.core.rundown.timing import timeline
from kymaphon.files.demo import EVENING, demo_path, evening
from kymaphon.files.show_file import read_show


@pytest.fixture(scope="module")
def tonight() -> Report:
    return analyse(read_show(demo_path(EVENING)))


def air(show: Show) -> list[Finding]:
    return [row for row in analyse(show).findings if row.stage == "Air"]


def with_segment(show: Show, name: str, **fields: Any) -> Show:
    return apply_all(show, tuple(SetField("rundown", name, field, value) for field, value in fields.items()))


class TestChannels:
    def test_each_voice_opens_by_where_it_comes_in_at_the_desk(self, tonight: Report) -> None:
        rows = tonight.once(channels_of)
        assert [(row.number, row.voices) for row in rows.rows] == [
            (1, ("mira",)),
            (2, ("tam",)),
            (3, ("ilse",)),
            (4, ("trio", "crowd")),
            (5, ("ferry",)),
            (6, ("lighthouse",)),
            (7, ("jingles",)),
            (8, ("jingles",)),
        ]
        assert rows.without == ()
        assert rows.along({"trio"}) == (("crowd", rows.rows[3]),)

    def test_a_closed_channel_is_known_as_closed_and_its_voice_still_found(self, tonight: Report) -> None:
        ref = SettingRef("desk", "in2", "mute")
        rows = figures_of(SetValue(ref, True).apply(tonight.show)).once(channels_of)
        (tam,) = rows.of("tam")
        assert tam.shut
        assert tam.set(True) == SetValue(ref, False)

    def test_a_strip_without_a_mute_closes_by_its_fader(self) -> None:
        show = Show.model_validate(
            {
                "kinds": [
                    {
                        "id": "faders",
                        "name": "Faders",
                        "group": "desk",
                        "inputs": [
                            {
                                "id": "in1",
                                "name": "one",
                                "domain": "analog",
                                "strip": {"gain_db": [0, 60], "fader_db": [-90, 10]},
                            }
                        ],
                        "outputs": [{"id": "out", "name": "out", "domain": "analog"}],
                        "paths": [{"from": "in1", "to": "out"}],
                    }
                ],
                "places": [{"id": "room", "name": "Room"}],
                "parties": [
                    {"id": "a", "name": "A", "kind": "presenter", "place": "room", "speaks": True},
                    {"id": "air", "name": "Air", "kind": "audience", "listens": True, "hears_on": "enc"},
                ],
                "devices": [
                    {"id": "mic", "kind": "dynamic-close", "place": "room", "party": "a"},
                    {"id": "desk", "kind": "faders", "place": "room"},
                    {"id": "enc", "kind": "stream-encoder", "place": "room"},
                ],
                "cables": [{"from": "mic.out", "to": "desk.in1"}],
            }
        )
        (row,) = figures_of(show).once(channels_of).rows
        assert (row.ref.field, row.up_db, row.low_db) == ("fader_db", 0.0, -90.0)
        assert row.set(False) == SetValue(SettingRef("desk", "in1", "fader_db"), -90.0)


class TestStates:
    def test_who_hears_whom_is_that_of_the_show_with_the_mutes_set(self, tonight: Report) -> None:
        channels = tonight.once(channels_of)
        for segment in tonight.show.rundown:
            on = heard_in(segment)
            edits = tuple(row.set(not on.isdisjoint(row.voices)) for row in channels.rows)
            plain = figures_of(apply_all(tonight.show, edits))
            state = state_of(tonight, on)
            for listener in plain.listeners:
                want = {
                    voice
                    for (name, voice), feed in plain.feeds.items()
                    if name == listener.id and voice in on and voice != name and comes_through(feed)
                }
                assert set(state.hears(listener.id)) == want

    def test_a_state_is_computed_once_and_goes_with_its_figures(self, tonight: Report) -> None:
        on = frozenset({"mira"})
        assert state_of(tonight, on) is state_of(tonight, on)
        louder = figures_of(SetValue(SettingRef("desk", "in1", "gain_db"), 30.0).apply(tonight.show), before=tonight)
        assert state_of(louder, on).figures.feeds["stream", "mira"].gain_db != pytest.approx(
            state_of(tonight, on).figures.feeds["stream", "mira"].gain_db
        )

    def test_loudspeakers_live_where_no_microphone_is_open(self, tonight: Report) -> None:
        show = apply_all(tonight.show, (SetField("places", "boathouse", "speakers_mute", True),))
        report = figures_of(show)
        assert microphones_open(report, {"mira"}) == {"boathouse"}
        assert microphones_open(report, {"trio"}) == {"slipway"}
        assert microphones_open(report, {"jingles"}) == frozenset()
        muted = state_of(report, frozenset({"mira"})).figures.show.place("boathouse").speakers_mute
        alive = state_of(report, frozenset({"jingles"})).figures.show.place("boathouse").speakers_mute
        assert (muted, alive) == (True, False)


class TestMoves:
    def words(self, report: Report, before: str, segment: str) -> list[str]:
        rows = {row.id: row for row in report.show.rundown}
        was = rows[before]
        moves = moves_between(report, frozenset(was.open), frozenset(row.party for row in was.plays), rows[segment])
        return [row.words for row in moves]

    def test_towards_music_microphones_close_first(self, tonight: Report) -> None:
        assert self.words(tonight, "interview", "jingle-2") == [
            "Close Mira",
            "Close Tam",
            "Close Ilse",
            "Play Jingles: Rope and oar",
        ]

    def test_towards_talk_the_player_stops_and_who_comes_is_open_before_who_goes_is_closed(
        self, tonight: Report
    ) -> None:
        assert self.words(tonight, "opening", "welcome") == ["Stop Jingles", "Open Mira"]
        assert self.words(tonight, "ferry", "interview") == ["Open Tam", "Open Ilse", "Close Ferry"]

    def test_who_shares_a_channel_comes_along_and_is_not_closed_over_who_stays(self, tonight: Report) -> None:
        (row,) = list(moves_between(tonight, frozenset(), frozenset(), tonight.show.rundown[5]))
        assert row.along == ("crowd",)
        both = frozenset({"trio", "crowd"})
        assert moves_between(tonight, both, frozenset(), tonight.show.rundown[5]) == ()

    def test_a_player_that_would_run_on_is_armed_first(self, tonight: Report) -> None:
        show = apply_all(tonight.show, (SetField("devices", "player", "kind", "player-run-on"),))
        report = analyse(show)
        words = self.words(report, "interview", "jingle-2")
        assert words[-2:] == ["Arm Jingles for a single track", "Play Jingles: Rope and oar"]


Change = Callable[[Show], Show]
NOT_HEARD = tuple(SetValue(SettingRef("desk", f"in{n}>send1", "on"), False) for n in (1, 2, 3))
BROKEN: dict[str, Change] = {
    "segment-player-under-mic": lambda show: with_segment(show, "jingle-2", open=("mira",)),
    "segment-runs-on": lambda show: with_segment(
        show, "close", plays=({"party": "jingles", "follow": "run-on", "under": True},)
    ),
    "segment-no-mix": lambda show: apply_all(show, NOT_HEARD),
    "dead-air": lambda show: with_segment(show, "welcome", open=()),
    "segment-no-length": lambda show: with_segment(show, "welcome", length_s=None),
    "hard-time-missed": lambda show: with_segment(show, "interview", length_s=420.0),
    "hard-time-early": lambda show: with_segment(
        show, "tide", starts_at=(show.air_at or datetime.now(UTC)) + timedelta(minutes=22, seconds=15)
    ),
}


@pytest.mark.parametrize("code", BROKEN)
def test_each_rule_finds_what_breaks_it_and_its_remedies_mend_it(code: str, tonight: Report) -> None:
    assert code not in {row.code for row in tonight.findings}
    report = analyse(BROKEN[code](tonight.show))
    finding = next(row for row in report.findings if row.code == code)
    assert finding.severity in ("fix", "note")
    assert finding.message.endswith(".")
    for remedy in with_offers(report, finding).remedies:
        after = analyse(remedy.apply(report.show))
        assert finding.key not in {row.key for row in after.findings}


class TestRules:
    def test_a_late_rundown_offers_the_fewest_cuts(self, tonight: Report) -> None:
        report = analyse(with_segment(tonight.show, "interview", length_s=420.0))
        finding = next(row for row in report.findings if row.code == "hard-time-missed")
        assert "0:40 late. Cut 0:40 of Ferry: leaving the pier; or cut 0:40 of Interview" in finding.message
        assert next(row.label for row in with_offers(report, finding).remedies) == "Cut 0:40 of Ferry: leaving the pier"

    def test_a_remote_with_themselves_back_has_no_mix(self, tonight: Report) -> None:
        report = analyse(apply_all(tonight.show, (SetValue(SettingRef("desk", "in5>send1", "on"), True),)))
        finding = next(row for row in report.findings if row.code == "segment-no-mix")
        assert finding.subjects[0] == "ferry"
        assert "own voice back late" in finding.message

    def test_who_has_no_channel_is_told_and_who_has_two(self) -> None:
        from kymaphon.files.demo import FINAL

        final = read_show(demo_path(FINAL))
        rows = (Segment(id="a", name="A", length_s=60, open=("soli",)),)
        report = analyse(final.model_copy(update={"rundown": rows}))
        finding = next(row for row in report.findings if row.code == "segment-no-channel")
        assert "whenever they speak" in finding.message

    def test_an_edit_of_the_rundown_leaves_the_figures_of_the_rig(self, tonight: Report) -> None:
        after = analyse(with_segment(tonight.show, "welcome", note="slowly"), before=tonight)
        assert after.graph is tonight.graph
        assert after.once(channels_of) is tonight.once(channels_of)


class TestBreaks:
    def test_an_echo_by_a_channel_that_is_shut_now_is_found_before_its_segment(self, tonight: Report) -> None:
        """The ferry's send has the ferry in it, and nobody can tell while its channel is shut."""
        shut = SetValue(SettingRef("desk", "in5", "mute"), True)
        back = SetValue(SettingRef("desk", "in5>send1", "on"), True)
        report = analyse(apply_all(tonight.show, (shut, back)))
        rows = {row.id: row for row in report.show.rundown}
        assert not [row for row in report.findings if ("ferry", "ferry") in row.pairs]
        for name in ("ferry", "table"):
            found = breaks_in(report, rows[name])
            assert any(("ferry", "ferry") in row.pairs and row.severity == "stop" for row in found)
        assert breaks_in(report, rows["welcome"]) == ()
        sheet = rundown_sheet(report)
        wrong = next(row for row in sheet.tables if row.title == "What is wrong in it")
        assert any(row[1].startswith("In Ferry: leaving the pier, Round the table: ") for row in wrong.rows)

    def test_nothing_breaks_in_the_evening_and_each_state_is_asked_once(self, tonight: Report) -> None:
        assert all(breaks_in(tonight, row) == () for row in tonight.show.rundown)
        welcome = tonight.show.rundown[1]
        assert breaks_in(tonight, welcome) is breaks_in(tonight, welcome.with_(id="again"))


class TestReferences:
    @pytest.mark.parametrize(
        ("field", "value", "told"),
        [
            ("open", ("nobody",), "no party called nobody"),
            ("open", ("stream",), "stream is never heard"),
            ("plays", ({"party": "gone"},), "no party called gone"),
            ("talkback", ("gone",), "no circuit called gone"),
            ("topics", ({"text": "a", "party": "gone"},), "no party called gone"),
        ],
    )
    def test_what_leads_nowhere_is_told_with_its_place(
        self, tonight: Report, field: str, value: Any, told: str
    ) -> None:
        with pytest.raises(ShowProblem, match=told) as caught:
            check_references(with_segment(tonight.show, "welcome", **{field: value}), tonight.catalogue)
        assert caught.value.where.startswith("rundown[1] (welcome)")

    def test_somebody_taken_out_leaves_the_rundown(self, tonight: Report) -> None:
        after = RemoveRow("parties", "tam").apply(tonight.show)
        assert all("tam" not in row.open for row in after.rundown)
        assert after.rundown[3].topics[0].party is None
        after = RemoveRow("parties", "jingles").apply(tonight.show)
        assert after.rundown[0].plays == ()
        check_references(after, tonight.catalogue)


class TestSheet:
    def test_the_sheet_has_times_moves_and_who_hears_whom(self, tonight: Report) -> None:
        sheet = rundown_sheet(tonight)
        table = sheet.tables[0]
        assert table.rows[1][1:3] == ("19:00:20", "1:40")
        assert table.rows[4][7].startswith("Close Mira (Desk, channel 1); Close Tam")
        hears = next(row for row in sheet.tables if row.title.startswith("Who hears whom"))
        assert ("Ferry: leaving the pier", "Ferry", "Mira") in hears.rows
        assert sheet.summary == timing_words(tonight, timeline(tonight.show))

    def test_a_guest_far_away_is_told_by_their_own_clock(self, tonight: Report) -> None:
        """Tokyo is nine hours ahead of UTC all year (IANA database): 19:02 at +01:00 is 03:02 there, the next day."""
        show = apply_all(tonight.show, (SetField("parties", "ferry", "time_zone", "Asia/Tokyo"),))
        row = next(row for row in guests_table(analyse(show)).rows if row[0] == "Ferry")
        assert row[1:3] == ("19:02", "03:02 on Saturday, 15 August, Asia/Tokyo")

    def test_the_demo_opens_a_few_minutes_before_air(self) -> None:
        now = datetime(2026, 12, 1, 18, 7, 30, tzinfo=timezone(timedelta(hours=2)))
        show = evening(now)
        assert show.air_at == datetime(2026, 12, 1, 18, 13, tzinfo=now.tzinfo)
        ends = show.rundown[-1].ends_by
        assert ends is not None
        assert ends - show.air_at == timedelta(minutes=30)
        assert all(row.at < now for row in show.log)
