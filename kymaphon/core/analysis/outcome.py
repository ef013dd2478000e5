"""What people then hear: the outcome of a show in figures, and what of it one state has worse than another.

Everything that the program does (cures, plans, line-ups, composed shows) is judged by this and not by findings alone: what no rule
looks at is not good for that. An outcome has every pair of listener and voice with verdict, level and delay; every circuit with state,
index and level for each who speaks and each who hears; where talkback can get that must not have it; what comes of each voice at the
points that have a mark, and its headroom; the gain margins; the hard times.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import Delivery, goes_astray, is_for_far_end
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetValue, Unplug
from kymaphon.core.model.show import Show
from kymaphon.core.model.wants import asked_at, wants_of
from kymaphon.core.rundown.channels import channels_of
from kymaphon.core.rundown.timing import planned_s, timeline
from kymaphon.core.talk.cures import end_name
from kymaphon.core.talk.hearing import Hearing, hearing_of
from kymaphon.core.talk.intelligible import limit, verdict_of
from kymaphon.core.talk.proofs import AirProof, air_proofs

Sort = Literal[
    "pair", "circuit", "return", "proof", "mark", "headroom", "loop", "key loop", "time", "channel", "segment"
]
Key = tuple[Sort, str, str, str]
PLUGS = (Plug, Unplug, AddRow)
"""Edits that change the rig itself."""


@dataclass(frozen=True, slots=True)
class Heard:
    """One thing of an outcome.

    Attributes:
        state: the verdict on it, in the words of its subject.
        level: its figure (against the mark, off the mark, in hand, a margin, seconds), in dB or s; None where there is none.
        delay: in ms; None where there is none.
        index: of a circuit, how well it is followed.
    """

    state: str
    level: float | None = None
    delay: float | None = None
    index: float | None = None


@dataclass(frozen=True)
class Outcome:
    """What people hear of a show. Made by `outcome_of`.

    Attributes:
        rows: (sort, for whom, of whom, where) -> what is so; by what it says alone two outcomes are the same or not.
        marks: see `marked`.
        figures: what they were read from, with nothing kept.
    """

    rows: Mapping[Key, Heard]
    marks: Mapping[tuple[str, str], tuple[float, str]]
    figures: Computed

    def same(self, other: Outcome) -> bool:
        """Whether people hear just the same."""
        return self.rows == other.rows


@dataclass(frozen=True, slots=True)
class Cost:
    """Something that a change would spoil.

    Attributes:
        sort: `lost` a wanted voice; `unwanted` a voice that somebody must not have, or themselves late; `circuit` somebody on it;
            `proof` a way to air; `loop` one too near to howling; `time` a hard one missed; `channel` a voice that nothing opens any
            more; `settled` what a stage counts as done; `stop` a finding of that weight that was not there: never taken unasked.
            `mark` a voice off its mark; `pair` one that comes twice, too late, too loud or too quiet; `fix` such a finding: said first.
        words: what would be so, to follow "then".
    """

    sort: Literal[
        "lost", "unwanted", "circuit", "proof", "loop", "time", "channel", "settled", "stop", "mark", "pair", "fix"
    ]
    words: str

    def hard(self, edits: tuple[Edit, ...] = ()) -> bool:
        """Whether such a change may not be offered at all: whatever it mends, it would do harm on air.

        What plugs things anew, or switches processing that rides levels, may leave a level to be set after it; a knob that sets one
        level and upsets another may not.
        """
        leaves = any(isinstance(row, PLUGS) or _is_processor(row) for row in edits)
        return self.sort not in (("fix", "pair", "mark", "settled") if leaves else ("fix", "pair"))

    @property
    def spoils(self) -> bool:
        """Whether a plan with it is none: somebody loses what they had, or the program's own rules call it worse."""
        return self.sort not in ("mark", "pair", "settled")


def _is_processor(edit: Edit) -> bool:
    """Whether an edit switches something in a device that is no way through it."""
    return isinstance(edit, SetValue) and edit.ref.field == "on" and ">" not in edit.ref.key


def outcome_of(figures: Computed) -> Outcome:
    """The outcome of a show; ask by `Computed.once`."""
    marks = marked(figures)
    return Outcome(dict(_rows(figures, marks)), marks, figures.bare())


def _rows(figures: Computed, marks: Mapping[tuple[str, str], tuple[float, str]]) -> Iterator[tuple[Key, Heard]]:
    for (listener, voice), feed in figures.feeds.items():
        if feed.path is not None:
            yield ("pair", listener, voice, ""), Heard(feed.verdict, _told(feed.gain_db), _told(feed.delay_ms))
        elif feed.verdict == "missing":
            yield ("pair", listener, voice, ""), Heard("missing")
    yield from _talk_rows(figures)
    for (voice, node), (off, _) in marks.items():
        yield ("mark", voice, "", node), Heard("on" if off <= 0.05 else "off", _told(off))
    for (voice, end), ladder in figures.ladders.items():
        left = min((row for rung in ladder.rungs if (row := rung.headroom_db) is not None), default=None)
        if left is not None:
            yield ("headroom", voice, end, ""), Heard("clips" if left < 0 else "", _told(left))
    margin = figures.transfer.stability.margin_db
    if math.isfinite(margin) or figures.transfer.howls:
        yield ("loop", "", "", ""), Heard(_loop_state(margin), _told(margin))
    yield from _rundown_rows(figures)


def _rundown_rows(figures: Computed) -> Iterator[tuple[Key, Heard]]:
    """Hard times, who is open and what plays in each segment, and what opens each voice."""
    if not figures.show.rundown:
        return
    for hard in timeline(figures.show).hard:
        yield ("time", hard.segment, hard.sort, ""), Heard("missed" if hard.missed else "met", _told(hard.off_s))
    channels = figures.once(channels_of)
    for voice in figures.voices:
        found = channels.of(voice.id)
        up = max((row.up_db for row in found if row.up_db is not None), default=None)
        yield ("channel", voice.id, "", ""), Heard(", ".join(str(row.ref) for row in found), _told(up))
    for segment in figures.show.rundown:
        plays = (f"{row.party}, {row.under}" for row in segment.plays)
        yield ("segment", segment.id, "", ""), Heard("; ".join((*segment.open, *plays)), planned_s(segment))


def _talk_rows(figures: Computed) -> Iterator[tuple[Key, Heard]]:
    if not figures.show.circuits:
        return
    hearing = figures.once(hearing_of)
    model = hearing.model
    for (circuit, speaker, listener), row in hearing.rows.items():
        delay = model.steps(row.way)[1] if row.way.state == "heard" else None
        yield (
            ("circuit", circuit, speaker, listener),
            Heard(_talk_state(row), _told(row.way.gain_db), _told(delay), _told(row.index)),
        )
    for way in model.returns:
        delay = model.steps(way)[1] if way.state == "heard" else None
        yield ("return", way.circuit, way.speaker, ""), Heard(way.state, _told(way.gain_db), _told(delay))
    for (circuit, speaker), state in model.states.items():
        if model.closes(state):
            margin = model.stability(state).margin_db
            yield ("key loop", circuit, speaker, ""), Heard(_loop_state(margin), _told(margin))
    for proof in figures.once(air_proofs):
        for target, (state_, level) in _reached(proof).items():
            yield ("proof", proof.circuit, proof.speaker, target), Heard(state_, _told(level))


def _reached(proof: AirProof) -> dict[str, tuple[str, float | None]]:
    """Where somebody's words get that must not have them: now, or with other keys too."""
    out: dict[str, tuple[str, float | None]] = {row.target: ("can", None) for row in proof.leaks}
    out.update({row.target: ("now", None) for row in proof.now})
    return out


def _talk_state(row: Hearing) -> str:
    return "usable" if row.usable else row.way.state


def _loop_state(margin_db: float) -> str:
    near = number("loop-tolerance"), number("loop-margin")
    return "howls" if margin_db <= near[0] else "near" if margin_db < near[1] else "keeps"


def _told(value: float | None) -> float | None:
    """A figure as exactly as any command prints it."""
    return value if value is None or not math.isfinite(value) else round(value, 4)


# what is worse


def worse(before: Outcome, after: Outcome) -> tuple[Cost, ...]:
    """What was good in the one and is not in the other; of a show and itself nothing."""
    if before.same(after):
        return ()
    rows = (
        *_lost(before, after),
        *_unwanted(before, after),
        *_circuits(before, after),
        *_proofs(before, after),
        *_off_mark(before, after),
        *_pairs(before, after),
        *_loops(before, after),
        *_times(before, after),
        *_channels(before, after),
    )
    return tuple(dict.fromkeys(rows))


def comes(feed: Delivery | None) -> bool:
    """Whether a voice is there for its listener, by its own microphone where it has one."""
    if feed is None or feed.path is None or feed.gain_db is None or feed.verdict == "missing":
        return False
    if feed.listener == feed.voice:
        return feed.verdict != "back" and feed.gain_db > number("own-voice-floor")
    if goes_astray(feed.path):
        return False
    return feed.gain_db - feed.wanted_gain_db >= number("heard-floor")


def _wanted(before: Outcome, after: Outcome) -> Iterator[tuple[float, Delivery | None, Delivery | None]]:
    """Pairs that are wanted, by what was said or by role: at what level, as they were and as they are."""
    for key, wanted in wants_of(before.figures.show).items():
        if wanted.want in ("hear", "local"):
            yield wanted.gain_db, before.figures.feeds.get(key), after.figures.feeds.get(key)


def _lost(before: Outcome, after: Outcome) -> Iterator[Cost]:
    name = before.figures.party_name
    for wanted_db, was, now in _wanted(before, after):
        if was is None or not comes(was):
            continue
        own = was.listener == was.voice
        if not comes(now):
            yield Cost("lost", f"{name(was.listener)} no longer hears {'themselves' if own else name(was.voice)}")
            continue
        if own or now is None or was.gain_db is None or now.gain_db is None:
            continue
        fell, short = was.gain_db - now.gain_db, wanted_db - now.gain_db
        far = before.figures.show.party(was.listener).kind in ("audience", "recorder", "remote")
        if far and fell > number("fell-by") and short > number("level-tolerance"):
            yield Cost("lost", f"{name(was.listener)} gets {name(was.voice)} {fell:.0f} dB quieter")


def _unwanted(before: Outcome, after: Outcome) -> Iterator[Cost]:
    """Voices that somebody now has and must not, and own voices that now come back late."""
    name = before.figures.party_name
    for key, now in after.figures.feeds.items():
        was = before.figures.feeds.get(key)
        if now.verdict not in ("unwanted", "back") or (was is not None and was.verdict in ("unwanted", "back")):
            continue
        if (now.gain_db or 0.0) - number("own-voice-floor" if now.listener == now.voice else "heard-floor") < number(
            "spoilt-by"
        ):
            continue  # no gain is known so well
        if now.verdict == "back":
            # By a loudspeaker and a microphone far away it is for echo control there, and no reason against a mix here.
            yield Cost(
                "pair" if is_for_far_end(now) else "unwanted",
                f"{name(now.listener)} hears itself {show_number(now.delay_ms or 0.0, 'ms')} late",
            )
        else:
            yield Cost("unwanted", f"{name(now.listener)} hears {name(now.voice)}, and must not")


OFF_WORDS = {"late": "too late", "loud": "too loud", "quiet": "too quiet", "twice": "twice"}


def _pairs(before: Outcome, after: Outcome) -> Iterator[Cost]:
    """Wanted voices that came as they should and now come twice, late, too loud or too quiet; those that did, further off."""
    name = before.figures.party_name
    by = number("spoilt-by")
    for wanted_db, was, now in _wanted(before, after):
        if was is None or now is None or not comes(was) or not comes(now) or now.verdict not in OFF_WORDS:
            continue
        if was.gain_db is None or now.gain_db is None:
            continue
        further = abs(now.gain_db - wanted_db) - abs(was.gain_db - wanted_db)
        spoilt = (
            was.well if now.verdict in ("twice", "late") else (was.well or was.verdict == now.verdict) and further > by
        )
        if spoilt:
            yield Cost("pair", f"{name(now.listener)} hears {name(now.voice)} {OFF_WORDS[now.verdict]}")


def _circuits(before: Outcome, after: Outcome) -> Iterator[Cost]:
    show: Show = before.figures.show
    names = {row.id: row.called for row in show.circuits}
    name = before.figures.party_name
    for key, was in before.rows.items():
        sort, circuit, speaker, listener = key
        now = after.rows.get(key)
        if sort == "circuit" and was.state == "usable" and (now is None or now.state != "usable"):
            yield Cost("circuit", f"{name(listener)} no longer follows {name(speaker)} on {names[circuit]}")
        elif sort == "circuit" and now is not None and _followed(was) and not _followed(now):
            yield Cost("circuit", f"{name(listener)} follows {name(speaker)} on {names[circuit]} poorly")
    for key, now_ in after.rows.items():
        sort, circuit, speaker, _ = key
        if sort == "return" and _comes_late(now_) and not _comes_late(before.rows.get(key)):
            yield Cost("circuit", f"{name(speaker)} hears themselves late on {names.get(circuit, circuit)}")


def _followed(row: Heard) -> bool:
    """Whether words are not lost; not of a line or a call, where no ear is known."""
    return row.index is None or verdict_of(row.index) != "poor"


def _comes_late(row: Heard | None) -> bool:
    return (
        row is not None
        and row.level is not None
        and row.delay is not None
        and (row.level >= limit("return_db") and row.delay > limit("return_ms"))
    )


def _proofs(before: Outcome, after: Outcome) -> Iterator[Cost]:
    rank = {"": 0, "can": 1, "now": 2}
    names = {row.id: row.called for row in after.figures.show.circuits}
    for key, now in after.rows.items():
        sort, circuit, speaker, target = key
        was = before.rows.get(key, Heard(""))
        if sort == "proof" and rank[now.state] > rank[was.state]:
            how = "gets" if now.state == "now" else "can get"
            where = end_name(after.figures, target)
            yield Cost("proof", f"what {after.figures.party_name(speaker)} says on {names[circuit]} {how} to {where}")


def marked(figures: Computed) -> dict[tuple[str, str], tuple[float, str]]:
    """(voice, point) -> how far a voice is outside the mark that is read there, and what it is off its middle, in words."""
    out = {}
    for (voice, _), ladder in figures.ladders.items():
        if figures.show.party(voice).kind in NO_SPEECH:
            continue
        point = next((rung for rung in reversed(ladder.rungs) if rung.mark is not None), None)
        asked = asked_at(figures.show, ladder, point) if point is not None else None
        if point is not None and point.mark is not None and asked is not None:
            apart = abs(point.speech_db - sum(point.mark) / 2)
            words = f"{figures.party_name(voice)} is {apart:.1f} dB off the mark at {point.label}"
            out[voice, point.node] = abs(point.off_mark_db(asked)), words
    return out


def _off_mark(before: Outcome, after: Outcome) -> Iterator[Cost]:
    was = before.marks
    told: set[str] = set()
    for (voice, node), (off, words) in after.marks.items():
        if (voice, node) not in was or voice in told:
            continue
        stood = was[voice, node][0]
        if off > 0.05 and off - stood > (0.0 if stood <= 0.05 else number("spoilt-by")):
            told.add(voice)
            yield Cost("mark", words)


def _loops(before: Outcome, after: Outcome) -> Iterator[Cost]:
    names = {row.id: row.called for row in after.figures.show.circuits}
    for key, now in after.rows.items():
        sort, circuit, speaker, _ = key
        if sort not in ("loop", "key loop") or now.state == "keeps" or now.level is None:
            continue
        was = before.rows.get(key)
        if was is not None and was.level is not None and now.level >= was.level - 0.05:
            continue
        what = "howls" if now.state == "howls" else f"comes within {show_number(max(now.level, 0.0), 'dB')} of howling"
        if sort == "loop":
            yield Cost("loop", f"a loop {what}")
        else:
            yield Cost("loop", f"{after.figures.party_name(speaker)}'s key on {names[circuit]} {what}")


def _times(before: Outcome, after: Outcome) -> Iterator[Cost]:
    titles = {row.id: row.name for row in after.figures.show.rundown}
    for key, now in after.rows.items():
        was = before.rows.get(key)
        if key[0] == "time" and now.state == "missed" and (was is None or was.state != "missed"):
            yield Cost("time", f"{titles.get(key[1], key[1])} misses its hard time")


def _channels(before: Outcome, after: Outcome) -> Iterator[Cost]:
    """Voices of the rundown that a fader or mute opened and that none opens now."""
    for (sort, voice, _, _), was in before.rows.items():
        now = after.rows.get((sort, voice, "", ""))
        if sort == "channel" and was.state and (now is None or not now.state):
            yield Cost("channel", f"nothing opens or closes {before.figures.party_name(voice)} any more")
