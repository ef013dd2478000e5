"""The simulated rig on air: what the meter of every voice shows as the show runs, and three things that go wrong by themselves.

Each voice is played once through the whole rig and read by the meter of its line-up; on air that goes round. A talker warms up, a line
goes, a player runs on: which, the seed and the rundown say.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from zlib import crc32

from kymaphon.core.air.run import RunState
from kymaphon.core.air.trends import READING_S
from kymaphon.core.analysis.report import Report
from kymaphon.core.levels.lineup.run import STEP_S, RunStep, last_readings, read_meter, steps_of
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.show import Show
from kymaphon.core.stopping import check_wanted
from kymaphon.sim.rig import FULL_SCALE, SimulatedRig

SECONDS = 12.0
WARM_UP_DB = 4.5
WARM_UP_S = 480.0
GONE_AFTER_S, GONE_FOR_S = 6.0, 14.0
RUNS_ON_S = 9.0


@dataclass(frozen=True, slots=True)
class Planted:
    """Something that goes wrong by itself.

    Attributes:
        what: "warms-up": gets louder the longer it talks; "gone": nothing comes of it; "runs-on": plays on when it should have stopped.
        segment: in which it happens, so many seconds after that began; empty for all along.
    """

    what: str
    voice: str
    segment: str = ""
    after_s: float = 0.0
    for_s: float = 0.0


@dataclass(frozen=True)
class PlayedVoice:
    """What the meter of a voice shows of it while it talks, above its mark.

    Attributes:
        step: where it is read.
        needle: the meter as it moves, a value for every `STEP_S`.
        readings: what it shows of each `READING_S`.
        level_db: speech level at the point then: what is turned since moves the reading along.
    """

    step: RunStep
    needle: tuple[float, ...]
    readings: tuple[float, ...]
    level_db: float


def planted(show: Show, seed: int = 1) -> tuple[Planted, ...]:
    """What goes wrong in a show: the guest who talks most warms up, the remote that comes last is gone for a while, and a player
    runs on into the segment after the last jingle before the end.
    """
    out = []
    parties = {row.id: row for row in show.parties}
    talk: dict[str, float] = {}
    for segment in show.rundown:
        for name in segment.open:
            if name in parties and parties[name].kind == "guest":
                talk[name] = talk.get(name, 0.0) + (segment.length_s or 60.0)
    if talk:
        out.append(Planted("warms-up", max(talk, key=lambda name: (talk[name], -crc32(f"{name}{seed}".encode())))))
    remote = [
        (segment.id, name)
        for segment in show.rundown
        for name in segment.open
        if name in parties and parties[name].kind == "remote"
    ]
    if remote:
        segment_id, voice = remote[-1]
        out.append(Planted("gone", voice, segment_id, GONE_AFTER_S, GONE_FOR_S))
    for before, after in zip(reversed(show.rundown[:-1]), reversed(show.rundown[1:]), strict=True):
        stops = [row.party for row in before.plays if row.party not in {play.party for play in after.plays}]
        if stops:
            out.append(Planted("runs-on", stops[0], after.id, 0.0, RUNS_ON_S))
            break
    return tuple(out)


@dataclass(frozen=True)
class SimulatedMeters:
    """The meters of a show on air. Made by `play_all`."""

    voices: Mapping[str, PlayedVoice]
    planted: tuple[Planted, ...] = ()

    def needle(self, voice: str, state: RunState, now: datetime) -> float | None:
        """Above its mark as the meter stands; None for nothing, as of whoever is closed or gone."""
        row = self.voices.get(voice)
        if row is None or not self._comes(voice, state, now) or not row.needle:
            return None
        at = int((now.timestamp() + crc32(voice.encode()) % 997) / STEP_S) % len(row.needle)
        return row.needle[at] + self._louder(voice, state, now)

    def reading(self, voice: str, state: RunState, now: datetime) -> float | None:
        """What the meter shows of the last `READING_S`; None for nothing."""
        row = self.voices.get(voice)
        if row is None or not self._comes(voice, state, now) or not row.readings:
            return None
        at = int(now.timestamp() / READING_S) % len(row.readings)
        return row.readings[at] + self._louder(voice, state, now)

    def _comes(self, voice: str, state: RunState, now: datetime) -> bool:
        on = voice in state.open or voice in state.playing
        for row in self.planted:
            began = state.began.get(row.segment)
            if row.voice == voice and row.segment and row.segment == state.segment and began is not None:
                since = (now - began).total_seconds()
                if row.after_s <= since < row.after_s + row.for_s:
                    on = row.what == "runs-on"
        return on

    def _louder(self, voice: str, state: RunState, now: datetime) -> float:
        warm = any(row.what == "warms-up" and row.voice == voice for row in self.planted)
        since = state.show_s(now)
        if not warm or since is None:
            return 0.0
        return WARM_UP_DB * min(1.0, max(0.0, since) / WARM_UP_S)

    def turned(self, analysis: Report) -> SimulatedMeters:
        """The same after gains were turned: what is read moves along by as much."""
        steps = {row.voice: row for row in steps_of(analysis)}
        voices = {}
        for name, row in self.voices.items():
            step = steps.get(name)
            if step is None:
                continue
            by = (step.point.speech_db - step.expected.wanted_db) - (row.level_db - row.step.expected.wanted_db)
            if by or step is not row.step:
                moved = [tuple(value + by for value in rows) for rows in (row.needle, row.readings)]
                row = PlayedVoice(step, moved[0], moved[1], step.point.speech_db)
            voices[name] = row
        return SimulatedMeters(voices, self.planted)


def play_all(analysis: Report, seed: int = 1) -> SimulatedMeters:
    """Every voice that can be lined up, played through the rig. Who was lined up is as loud as the show has them by now; who was not
    has a surprise.

    Raises:
        Stopped: it is no longer wanted; see `stopping`.
    """
    known = last_readings(analysis)
    voices = {}
    for step in steps_of(analysis):
        check_wanted()
        rig = SimulatedRig(seed=seed, true_to_plan=step.voice in known)
        sound = rig.play(analysis, step.voice, step.point.node, seconds=SECONDS)
        full = FULL_SCALE[step.point.unit]
        chunk = round(READING_S * rig.sample_rate_hz)
        readings, needle = [], []
        for start in range(0, len(sound) - chunk + 1, chunk):
            try:
                trace = read_meter(step.expected, sound[start : start + chunk], rig.sample_rate_hz, full)
            except ValueError:
                continue  # a pause: nothing is read of it
            readings.append(step.expected.level(trace.shown) - step.expected.wanted_db)
            per = step.expected.meter.per_db
            needle += [(value - step.expected.shows.value) / per for value in trace.values]
        voices[step.voice] = PlayedVoice(step, tuple(needle), tuple(readings), step.point.speech_db)
    return SimulatedMeters(voices, planted(analysis.show, seed))


def talks(show: Show, voice: str) -> bool:
    """Whether a voice is one that is followed against its line-up: crowds, effects and players are a matter of taste."""
    return any(row.id == voice and row.kind not in NO_SPEECH for row in show.parties)
