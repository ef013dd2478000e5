"""Where somebody speaks in a take and where only the room is heard: words, room, their levels, signal to noise.

A word here is what stands out of the room between two gaps: words that run together count as one. Where it begins and
ends is told to a few milliseconds, but no part of it that lies under the room can be seen.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.derive import Derived, show_number
from kymaphon.core.dynamics.envelope import edges
from kymaphon.core.dynamics.key import SINE_DB, Key, Levels
from kymaphon.core.figures import number
from kymaphon.core.levels.meter.active import HANGOVER_S, MARGIN_DB
from kymaphon.core.units import power_to_db

Spans = tuple[tuple[float, float], ...]
FRAME_STEPS = 20
"""Frames of 5 ms, or what whole samples come nearest to that (5.44 ms at 22.05 kHz): short beside a syllable, long beside a period of a voice."""
FLOOR_FRAMES = 100
"""The first guess of a room is its quietest half second."""
ROUNDS = 4
EDGE_SIGMAS, CORE_SIGMAS = 2.33, 3.09
"""Standard deviations over the median that 99 and 99.9 % of a normal distribution lie under."""


class NoTalkError(ValueError):
    """A take from which no gate can be set; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Word:
    """Something spoken, from one gap to the next.

    Attributes:
        start_s, end_s: in the take.
        peak_dbfs: highest sample.
        level_dbfs: rms over its length, the room with it (AES17).
    """

    start_s: float
    end_s: float
    peak_dbfs: float
    level_dbfs: float


@dataclass(frozen=True)
class SpeechSegments:
    """What a take holds.

    Attributes:
        key: its levels.
        words: in order.
        talk_s, room_s: stretches of talk and of room alone; what lies between belongs to neither.
        speech_dbfs: speech level without the pauses and without the room's part (after ITU-T P.56).
        noise_dbfs: mean level of the room (AES17).
        room_key: levels of the room: of a take of its own, or of the pauses, one after the other.
        noise_u_db: standard uncertainty of the noise.
        own_room: whether the room comes from a take of its own.
        notes: what the user should know of the take.
    """

    key: Key
    words: tuple[Word, ...]
    talk_s: Spans
    room_s: Spans
    speech_dbfs: float
    activity: float
    noise_dbfs: float
    room_key: Key
    own_room: bool
    noise_u_db: float = 0.0
    notes: tuple[str, ...] = field(default=())

    @property
    def snr_db(self) -> float:
        """Speech over noise."""
        return self.speech_dbfs - self.noise_dbfs

    def snr(self) -> Derived:
        """Speech over noise, line by line."""
        where = "the room's own take" if self.own_room else f"{spans_s(self.room_s):.1f} s of pauses"
        return Derived(
            "voice over room",
            self.snr_db,
            "dB",
            terms=(
                Derived(
                    "speech",
                    self.speech_dbfs,
                    "dBFS",
                    source="without pauses, room taken off; after ITU-T P.56",
                ),
                Derived("less the room", -self.noise_dbfs, "dB", source=f"mean level of {where}; AES17"),
            ),
            adds=True,
        )


def spans_s(spans: Spans) -> float:
    """Seconds in some stretches."""
    return float(sum(end - start for start, end in spans))


@dataclass(frozen=True, slots=True)
class _Room:
    """Levels of a room by frames: mean power, and the two thresholds above it."""

    power: float
    edge_db: float
    core_db: float


def segment_speech(
    key: Key, room: Key | None = None, *, room_spans: Spans | None = None, talk_spans: Spans | None = None
) -> SpeechSegments:
    """Finds words and room in a take.

    Args:
        room: levels of a take of the room alone.
        room_spans, talk_spans: set by hand; where room is given, nothing in it is a word; where talk is given, nothing
            outside it is.

    Raises:
        NoTalkError: nothing is heard, no speech stands out, or there is no room to tell it from.
    """
    frames, frame_s = _frames(key), FRAME_STEPS * key.step_s
    if len(frames) < FLOOR_FRAMES:
        raise NoTalkError(f"the take is {key.seconds:.2f} s long; half a minute of talk is wanted")
    if not frames.max() > 0:
        raise NoTalkError("digital silence from end to end: nothing was recorded; check the input that was chosen")
    db = _db(frames)
    shut = _mask(len(frames), room_spans, key) if room_spans else None
    only = _mask(len(frames), talk_spans, key) if talk_spans else None
    notes: list[str] = []
    if room is not None:
        own = _frames(room)
        if len(own) < FLOOR_FRAMES:
            raise NoTalkError(f"the room's take is {room.seconds:.2f} s long; ten seconds are wanted")
        if not own.max() > 0:
            raise NoTalkError("the room's take is digital silence: it was gated, muted, or recorded on another input")
        found = _room_of(own)
        spoken = _words(db, found, shut, only, frame_s)
        louder = _louder_pauses(frames, db, shut, only, found, frame_s)
        if louder is not None:
            notes.append(
                f"the pauses of the talk are {show_number(louder, 'dB')} louder than the room's take: was the gain turned in "
                "between, or did the room change; the pauses are gone by"
            )
            room = None
    if room is None:
        found, spoken = _by_pauses(frames, db, shut, only, frame_s)
    if not len(spoken):
        raise NoTalkError(_why_no_words(db, None if room is None else _db(_frames(room))))
    alone = shut if shut is not None else _room_mask(len(frames), spoken, frame_s)
    if shut is None:
        # A breath, a lip or a knock is no word; it is not the room's level either.
        knocks = _knocks(db, found, alone)
        if len(knocks):
            loudest = max(float(db[a:b].max()) for a, b in knocks)
            notes.append(
                f"{len(knocks)} short sounds in the pauses are no words: breaths, lips, knocks, the loudest at "
                f"{show_number(loudest, 'dBFS')}; a gate may open for them"
            )
            alone &= _room_mask(len(frames), knocks, frame_s)
    speech, activity = _speech(frames, spoken, found.power, frame_s)
    if speech is None or speech - (power_to_db(found.power) + SINE_DB) < number("gate-least-snr"):
        over = 0.0 if speech is None else speech - power_to_db(found.power) - SINE_DB
        raise NoTalkError(
            f"the speech lies in the noise: {show_number(over, 'dB')} over the room, and below "
            f"{number('gate-least-snr'):.0f} dB no threshold can part them; go nearer, or quieten the room"
        )
    room_s = _spans(alone, frame_s)
    if room is None:
        held = float(alone.sum()) * frame_s
        if held < number("gate-least-room"):
            raise NoTalkError(
                f"the take has no pauses: only {held:.1f} s of room in {key.seconds:.0f} s; record ten seconds without "
                "talk and give them as the room, or mark a stretch of room by hand"
            )
        if not frames[alone].max() > 0:
            raise NoTalkError("its pauses are digital silence: it has been through a gate already; record without one")
        room_key = _joined(key, room_s)
        noise = float(frames[alone].mean())
    else:
        room_key = room
        noise = found.power
        pauses = frames[alone]
        if len(pauses) * frame_s >= number("gate-least-room") and pauses.max() > 0:
            apart = power_to_db(float(pauses.mean())) - power_to_db(noise)
            if apart < -number("gate-room-moved"):
                notes.append(
                    f"the pauses of the talk are {show_number(-apart, 'dB')} quieter than the room's take: was the gain "
                    "turned in between, or did the room change"
                )
    words = tuple(_word(key, frames, int(a), int(b)) for a, b in spoken)
    return SpeechSegments(
        key,
        words,
        _spans(_talk_mask(len(frames), spoken, frame_s), frame_s),
        room_s,
        speech,
        activity,
        power_to_db(noise) + SINE_DB,
        room_key,
        room is not None,
        _spread(room_key),
        tuple(notes),
    )


def _by_pauses(
    frames: NDArray[np.float64],
    db: NDArray[np.float64],
    shut: NDArray[np.bool_] | None,
    only: NDArray[np.bool_] | None,
    frame_s: float,
) -> tuple[_Room, NDArray[np.int64]]:
    """The room and the words of a take by itself: from its quietest half second on, each tells the other better."""
    quiet = frames[shut] if shut is not None and shut.any() else _quietest(frames)
    found = _room_of(quiet)
    spoken = _words(db, found, shut, only, frame_s)
    for _ in range(ROUNDS):
        alone = shut if shut is not None else _room_mask(len(frames), spoken, frame_s)
        if alone.sum() < FLOOR_FRAMES // 2:
            break
        again = _room_of(frames[alone], pure=shut is not None)
        settled = abs(again.core_db - found.core_db) < 0.05
        found = again
        if settled:
            break
        spoken = _words(db, found, shut, only, frame_s)
    return found, spoken


def _louder_pauses(
    frames: NDArray[np.float64],
    db: NDArray[np.float64],
    shut: NDArray[np.bool_] | None,
    only: NDArray[np.bool_] | None,
    room: _Room,
    frame_s: float,
) -> float | None:
    """How much louder a take's own pauses are than the room's take, where that is too much; None where it is not.

    Pauses are believed only where they are steady: the quietest moments of talk without pauses are not.
    """
    pauses, spoken = _by_pauses(frames, db, shut, only, frame_s)
    apart = power_to_db(pauses.power) - power_to_db(room.power)
    alone = shut if shut is not None else _room_mask(len(frames), spoken, frame_s)
    if apart <= number("gate-room-moved") or not len(spoken) or alone.sum() < FLOOR_FRAMES:
        return None
    low, high = (float(value) for value in np.percentile(db[alone], (16, 84)))
    return apart if high - low < number("gate-steady") else None


def _frames(key: Key) -> NDArray[np.float64]:
    whole = len(key.power) // FRAME_STEPS
    shaped = key.power[: whole * FRAME_STEPS].reshape(whole, FRAME_STEPS)
    return np.asarray(shaped.mean(axis=1, dtype=np.float64))


def _db(power: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(10 * np.log10(np.maximum(power, 1e-20)) + SINE_DB)


def _quietest(frames: NDArray[np.float64]) -> NDArray[np.float64]:
    """The frames that are like the quietest half second that is not digital silence."""
    sums = np.concatenate(([0.0], np.cumsum(frames)))
    means = (sums[FLOOR_FRAMES:] - sums[:-FLOOR_FRAMES]) / FLOOR_FRAMES
    heard = means > means.max() * 1e-14
    lowest = float(means[heard].min())
    at = int(np.flatnonzero(means == lowest)[0])
    return frames[at : at + FLOOR_FRAMES]


def _room_of(frames: NDArray[np.float64], *, pure: bool = True) -> _Room:
    """A room from frames of it: what stands above nearly all of them is no longer the room.

    Args:
        pure: nothing but room is in them. Otherwise faint ends of words may be, and the upper side of its spread is taken
            from the lower one.
    """
    heard = frames[frames > 0]
    db = _db(heard if len(heard) else np.array([1e-20]))
    edge = float(np.percentile(db, number("gate-edge-percentile")))
    core = float(np.percentile(db, number("gate-core-percentile")))
    if not pure:
        # Of a normal distribution, 16 % lie one standard deviation under the median.
        low, middle = (float(value) for value in np.percentile(db, (15.87, 50.0)))
        edge = min(edge, middle + EDGE_SIGMAS * (middle - low))
        core = min(core, middle + CORE_SIGMAS * (middle - low))
    return _Room(float(frames.mean()), edge + number("gate-edge-over"), max(core, edge) + number("gate-core-over"))


def _words(
    db: NDArray[np.float64],
    room: _Room,
    shut: NDArray[np.bool_] | None,
    only: NDArray[np.bool_] | None,
    frame_s: float,
) -> NDArray[np.int64]:
    """Frames where words begin and where they have ended; shape (words, 2)."""
    over = db >= room.edge_db
    if shut is not None:
        over &= ~shut
    if only is not None:
        over &= only
    starts, ends = edges(over)
    if not len(starts):
        return np.zeros((0, 2), dtype=np.int64)
    gap = round(number("gate-word-gap") / 1000 / frame_s)
    parted = np.flatnonzero(starts[1:] - ends[:-1] >= gap)
    starts = starts[np.concatenate(([0], parted + 1))]
    ends = ends[np.concatenate((parted, [len(ends) - 1]))]
    strong = np.concatenate(([0], np.cumsum(db >= room.core_db)))
    least = round(number("gate-word-least") / 1000 / frame_s)
    kept = strong[ends] - strong[starts] >= least
    return np.stack((starts[kept], ends[kept]), axis=1)


def _talk_mask(count: int, spoken: NDArray[np.int64], frame_s: float) -> NDArray[np.bool_]:
    """Frames in talk: the words and the gaps between them that are no pauses."""
    pause = round(number("gate-pause") / 1000 / frame_s)
    out = np.zeros(count, dtype=np.bool_)
    for i, (a, b) in enumerate(spoken):
        out[a:b] = True
        if i + 1 < len(spoken) and spoken[i + 1, 0] - b < pause:
            out[b : spoken[i + 1, 0]] = True
    return out


def _room_mask(count: int, spoken: NDArray[np.int64], frame_s: float) -> NDArray[np.bool_]:
    """Frames of room alone: not in words, nor close to them."""
    before, after = (round(number(name) / 1000 / frame_s) for name in ("gate-before-word", "gate-after-word"))
    out = np.ones(count, dtype=np.bool_)
    for a, b in spoken:
        out[max(0, a - before) : b + after] = False
    return out


def _speech(
    frames: NDArray[np.float64], spoken: NDArray[np.int64], noise: float, frame_s: float
) -> tuple[float | None, float]:
    """Speech level in dBFS and its share of the time: the energy over the room's, over the time that is active.

    Active as in P.56: over a threshold 15.9 dB under the level, or within a hangover of 0.2 s. Where the room lies above
    that threshold, what stands out of the room is active.
    """
    talk = np.zeros(len(frames), dtype=np.bool_)
    for a, b in spoken:
        talk[a:b] = True
    energy = float(np.maximum(frames[talk] - noise, 0).sum())
    if energy <= 0:
        return None, 0.0
    hang = round(HANGOVER_S / frame_s)
    level = energy / max(int(talk.sum()), 1)
    active = talk
    for _ in range(8):
        over = talk & (frames - noise >= level * 10 ** (-MARGIN_DB / 10))
        last = np.maximum.accumulate(np.where(over, np.arange(len(frames)), -hang - 1))
        active = np.arange(len(frames)) - last < hang
        again = energy / max(int(active.sum()), 1)
        if abs(again - level) <= level * 1e-4:
            break
        level = again
    return power_to_db(level) + SINE_DB, float(active.mean())


def _knocks(db: NDArray[np.float64], room: _Room, alone: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Sounds in the pauses that rise as far out of the room as words do, too short to be any; shape (sounds, 2)."""
    over = alone & (db >= room.edge_db)
    starts, ends = edges(over)
    strong = np.concatenate(([0], np.cumsum(alone & (db >= room.core_db))))
    heard = strong[ends] > strong[starts] if len(starts) else np.zeros(0, dtype=np.bool_)
    return np.stack((starts[heard], ends[heard]), axis=1)


def _why_no_words(db: NDArray[np.float64], room_db: NDArray[np.float64] | None) -> str:
    loud = float(np.percentile(db, 99) - np.percentile(db, 50))
    text = (
        f"no speech found: the loudest hundredth of the take lies {show_number(loud, 'dB')} over its middle; is it the right "
        "input, and did somebody speak"
    )
    if room_db is not None:
        swing = float(np.percentile(room_db, 99.9) - np.percentile(room_db, 50))
        if swing > number("gate-room-swings"):
            text = (
                f"the room's take is not only room: its loudest moments lie {show_number(swing, 'dB')} over its middle; "
                "record it with nobody speaking"
            )
    return text


def _word(key: Key, frames: NDArray[np.float64], first: int, last: int) -> Word:
    """A word, its beginning and end told to a step: where its own level first and last passes that of its frame's edge."""
    a, b = first * FRAME_STEPS, last * FRAME_STEPS
    peak = float(key.peak[a:b].max())
    return Word(
        a * key.step_s,
        b * key.step_s,
        20 * math.log10(max(peak, 1e-10)),
        power_to_db(max(float(frames[first:last].mean()), 1e-20)) + SINE_DB,
    )


def _mask(count: int, spans: Spans, key: Key) -> NDArray[np.bool_]:
    frame_s = FRAME_STEPS * key.step_s
    out = np.zeros(count, dtype=np.bool_)
    for start, end in spans:
        out[max(0, round(start / frame_s)) : max(0, round(end / frame_s))] = True
    return out


def _spans(mask: NDArray[np.bool_], frame_s: float) -> Spans:
    starts, ends = edges(mask)
    return tuple((float(a) * frame_s, float(b) * frame_s) for a, b in zip(starts, ends, strict=True))


def _joined(key: Key, spans: Spans) -> Key:
    parts = [key.part(start, end) for start, end in spans]
    return Key(
        key.sample_rate_hz,
        key.samples,
        np.concatenate([part.peak for part in parts]),
        np.concatenate([part.power for part in parts]),
    )


def _spread(room: Key) -> float:
    """Standard uncertainty of the room's mean level in dB, from how it varies between half seconds (JCGM 100)."""
    frames = _frames(room)
    whole = len(frames) // FLOOR_FRAMES
    if whole < 2:
        return 0.0
    chunks = frames[: whole * FLOOR_FRAMES].reshape(whole, FLOOR_FRAMES).mean(axis=1)
    if not chunks.mean() > 0:
        return 0.0
    return float(10 / math.log(10) * chunks.std(ddof=1) / math.sqrt(whole) / chunks.mean())


def detector_of(key: Key, detector: str, window_ms: float) -> Levels:
    """The levels of a detector on a key, as its name in a gate's settings says."""
    return key.detector("rms" if detector == "rms" else "peak", window_ms)
