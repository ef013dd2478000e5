"""The rig in each segment: which channels are open, what each change of state moves, and who then hears whom.

A state is the show with the channels of everybody who is not on closed, those who are on open, and loudspeakers of a place that an open
microphone mutes alive where none is open; it is computed as any show is.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from kymaphon.core.computing.compute import computed
from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.graph.routing import comes_through
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import Edit, SetField, SetValue, SetWant, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.references import SINGLE
from kymaphon.core.model.rundown import Segment
from kymaphon.core.model.show import Show
from kymaphon.core.model.wants import wants_of
from kymaphon.core.rundown.channels import Channel, Channels, channels_of
from kymaphon.core.wiring.controls import runs_on

MOST_KEPT = 200


def heard_in(segment: Segment) -> frozenset[str]:
    """Parties that are to be heard in a segment: who is open, and what plays."""
    return frozenset(segment.open) | frozenset(row.party for row in segment.plays)


def talkers_in(show: Show, segment: Segment) -> tuple[str, ...]:
    """Who talks into an open microphone or line in a segment."""
    parties = {row.id: row for row in show.parties}
    return tuple(
        name for name in segment.open if name in parties and parties[name].kind not in (*NO_SPEECH, "instrument")
    )


def microphones_open(analysis: Computed, open_voices: Iterable[str]) -> frozenset[str]:
    """Places where a microphone is open while some voices are: those of the voices with a mouth there, and of whoever shares their
    channels.
    """
    channels = analysis.once(channels_of)
    voices = set(open_voices)
    voices |= {name for name, _ in channels.along(voices)}
    mics = {row.party: row.place for row in analysis.show.devices if row.party is not None and row.place is not None}
    parties = (row for row in analysis.show.parties if row.id in voices and not row.plays_on)
    return frozenset(place for row in parties if (place := mics.get(row.id) or row.place) is not None)


@dataclass(frozen=True)
class SegmentState:
    """The rig while some parties are on.

    Attributes:
        on: who is heard.
        edits: what makes the show as it stands into it.
        figures: that show, computed; closed voices are wanted by nobody in it.
    """

    on: frozenset[str]
    edits: tuple[Edit, ...]
    figures: Computed

    def hears(self, listener: str) -> tuple[str, ...]:
        """Whom somebody hears of those who are on, best first."""
        rows = [
            (feed.gain_db - feed.wanted_gain_db, voice)
            for (name, voice), feed in self.figures.feeds.items()
            if name == listener
            and voice in self.on
            and voice != listener
            and comes_through(feed)
            and feed.gain_db is not None
        ]
        return tuple(voice for _, voice in sorted(rows, reverse=True))


def edits_for(analysis: Computed, on: frozenset[str], single: frozenset[str] = frozenset()) -> tuple[Edit, ...]:
    """What has to be set for some parties to be on and all others off; nothing of what stands so already.

    Args:
        single: players that are to stop after one track.
    """
    channels = analysis.once(channels_of)
    wanted = set(channels.open_for(on))
    edits: list[Edit] = [row.set(row in wanted) for row in channels.rows if row.shut == (row in wanted)]
    alive = microphones_open(analysis, on)
    edits += [
        SetField("places", row.id, "speakers_mute", False)
        for row in analysis.show.places
        if row.speakers_mute and row.id not in alive
    ]
    for party in analysis.show.parties:
        device = analysis.show.find_device(party.plays_device)
        if party.id in single and device is not None and runs_on(analysis, device):
            edits.append(SetValue(SettingRef(device.id, SINGLE, "on"), True))
    return tuple(edits)


@reading("feeds")
def _kept(analysis: Computed) -> dict[frozenset[str], SegmentState]:
    """States that were asked for; with the figures that they are of."""
    return {}


def state_of(analysis: Computed, on: frozenset[str]) -> SegmentState:
    """The rig while some parties are on, computed and kept.

    Raises:
        Stopped: it is no longer wanted; see `stopping`.
    """
    kept = analysis.once(_kept)
    if on not in kept:
        edits = edits_for(analysis, on)
        show = apply_all(analysis.show, edits)
        rows = wants_of(show)
        off = [key for key, row in rows.items() if key[1] not in on and row.want in ("hear", "local")]
        show = apply_all(show, tuple(SetWant(listener, voice, "any") for listener, voice in off))
        while len(kept) >= MOST_KEPT:
            kept.pop(next(iter(kept)), None)
        kept[on] = SegmentState(on, edits, computed(show, analysis.catalogue, analysis.bare(), remedies=False))
    return kept[on]


@dataclass(frozen=True, slots=True)
class Change:
    """One thing to do between two segments.

    Attributes:
        does: "open", "close", "play", "stop", "single" (arm for one track), "talkback".
        party: whom it is about; `channel`: by which strip, None where there is none.
        words: the move as it is said: `Close Mira`; `where`: on what: `Desk, channel 1`.
        along: who comes along by the same strip.
        why: what it is for, where that needs saying.
    """

    does: str
    party: str
    words: str
    where: str
    channel: Channel | None = None
    along: tuple[str, ...] = ()
    why: str = ""


def moves_between(
    analysis: Computed, open_now: frozenset[str], playing_now: frozenset[str], segment: Segment
) -> tuple[Change, ...]:
    """What to do, in order, for a segment to be on.

    Towards music microphones are closed first, so that none is open under it; towards talk the player stops first, and whoever comes is
    opened before whoever goes is closed, so that no first word is lost (common practice).
    """
    show, channels = analysis.show, analysis.once(channels_of)
    wanted, plays = frozenset(segment.open), {row.party: row for row in segment.plays}
    opens = [name for name in segment.open if name not in open_now]
    closes = [row.id for row in show.parties if row.id in open_now and row.id not in wanted]
    stops = [row.id for row in show.parties if row.id in playing_now and row.id not in plays]
    opening = [_change(analysis, channels, "open", name, wanted | set(plays)) for name in opens]
    closing = [
        _change(analysis, channels, "close", name, wanted)
        for name in closes
        if not any(not wanted.isdisjoint(row.voices) for row in channels.of(name))
    ]
    stopping = [_change(analysis, channels, "stop", name, wanted) for name in stops]
    starting = []
    for name, play in plays.items():
        device = analysis.show.find_device(analysis.show.party(name).plays_device)
        if play.follow == "single" and device is not None and runs_on(analysis, device):
            words = f"Arm {analysis.party_name(name)} for a single track"
            why = "it goes on into the next by itself as it is set"
            starting.append(Change("single", name, words, _player(analysis, name), why=why))
        if name not in playing_now or play.title:
            starting.append(_change(analysis, channels, "play", name, wanted, title=play.title))
    music_alone = bool(plays) and not any(row.under for row in plays.values())
    if music_alone and not talkers_in(show, segment):
        return (*stopping, *closing, *starting, *opening)
    if any(row.under for row in plays.values()):
        return (*stopping, *starting, *opening, *closing)
    return (*stopping, *opening, *starting, *closing)


def _change(
    analysis: Computed, channels: Channels, does: str, party: str, on: frozenset[str] | set[str], title: str = ""
) -> Change:
    rows = channels.of(party)
    channel = rows[0] if rows else None
    where = (
        channel.label
        if channel is not None
        else _player(analysis, party)
        if does in ("play", "stop")
        else "no channel of its own"
    )
    if len(rows) > 1:
        where = f"{rows[0].label} and {rows[-1].number}"
    along = (
        tuple(name for row in rows for name in row.voices if name not in on and name != party) if does == "open" else ()
    )
    verb = {"open": "Open", "close": "Close", "play": "Play", "stop": "Stop"}[does]
    name = analysis.party_name(party)
    words = f"{verb} {name}"
    if does == "play" and title:
        words = f"{words}: {title}"
    if along:
        words += f" ({', '.join(analysis.party_name(row) for row in along)} comes along)"
    return Change(does, party, words, where, channel, along)


def _player(analysis: Computed, party: str) -> str:
    device = analysis.show.party(party).plays_device
    return analysis.device_name(device) if device else ""
