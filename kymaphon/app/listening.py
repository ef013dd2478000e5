"""The takes of a voice as a show has them, listened to; and the gate on screen, judged as it is moved. Draws nothing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from kymaphon.core.analysis.report import Report
from kymaphon.core.dynamics.design import PREFERENCES, Design, Preference, design, preference_of
from kymaphon.core.dynamics.key import Key, key_of
from kymaphon.core.dynamics.speech import NoTalkError
from kymaphon.core.dynamics.study import Stopped, Study, loudest_channel, study
from kymaphon.core.model.processing import Gate, LowCut
from kymaphon.core.model.show import Show, Take
from kymaphon.core.takes.measure import NotANumberError
from kymaphon.files.errors import FileProblem
from kymaphon.files.take_places import take_path
from kymaphon.files.takes import FileTake, take_file

STOPPED = "listening was stopped"


@dataclass(frozen=True)
class Takes:
    """The takes that a voice's gate is set from, the newest of each sort; None where there is none. `speakers` is music as
    this voice's microphone hears it, `music` as its player gives it.
    """

    talk: Take | None
    room: Take | None
    music: Take | None
    speakers: Take | None = None


@dataclass(frozen=True)
class HeardTakes:
    """What was heard of a voice.

    Attributes:
        designs: a gate for each preference.
        music, speakers: keys of the music's takes.
        problem: why there is nothing; then all the rest is empty.
    """

    voice: str
    takes: Takes
    source: FileTake | None = None
    study: Study | None = None
    designs: dict[Preference, Design] = field(default_factory=dict)
    music: Key | None = None
    speakers: Key | None = None
    problem: str = ""


def takes_of(show: Show, voice: str) -> Takes:
    """The takes of a voice, and the music that is played."""
    found: dict[str, Take] = {take.what: take for take in show.takes if take.voice == voice}
    players = {party.id for party in show.parties if party.kind == "player"}
    music = [take for take in show.takes if take.what == "music" and (take.voice is None or take.voice in players)]
    speakers = found.get("music") if voice not in players else None
    return Takes(found.get("voice"), found.get("room-tone"), music[-1] if music else None, speakers)


def listen(
    show: Show,
    voice: str,
    folder: Path | None,
    *,
    low_cut: LowCut | None = None,
    like: Gate | None = None,
    progress: Callable[[float], bool] | None = None,
) -> HeardTakes:
    """Listens to a voice's takes and finds a gate for each preference. What is wrong with a take is told, not raised."""
    takes = takes_of(show, voice)
    if takes.talk is None:
        return HeardTakes(voice, takes)
    try:
        source = take_file(take_path(takes.talk, folder))
        room = take_file(take_path(takes.room, folder)) if takes.room is not None else None
        found = study(
            source,
            room,
            channel=takes.talk.channel,
            low_cut=low_cut,
            gate=like,
            room_spans=takes.talk.room_s or None,
            talk_spans=takes.talk.talk_s or None,
            progress=progress,
        )
        balanced = design(found.talk, "balanced", like=like)
        # The detector that does best is that of all three.
        like = like or Gate(detector=balanced.gate.detector, detector_ms=balanced.gate.detector_ms)
        designs = {row: balanced if row == "balanced" else design(found.talk, row, like=like) for row in PREFERENCES}
        music, speakers = _key(takes.music, folder), _key(takes.speakers, folder)
    except (NoTalkError, FileProblem, ValueError) as problem:
        return HeardTakes(voice, takes, problem=str(problem))
    except NotANumberError as problem:
        return HeardTakes(
            voice,
            takes,
            problem=f"{takes.talk.file} holds a sample that is no number, at {problem.at_s:.3f} s",
        )
    except Stopped:
        return HeardTakes(voice, takes, problem=STOPPED)
    return HeardTakes(voice, takes, source, found, designs, music, speakers)


def _key(take: Take | None, folder: Path | None) -> Key | None:
    """The key of a take's loudest channel. Raises FileProblem."""
    if take is None:
        return None
    file = take_file(take_path(take, folder))
    channel = take.channel - 1 if take.channel is not None else loudest_channel(file)
    return key_of((block[:, min(channel, file.channels - 1)] for block in file.blocks()), file.sample_rate_hz)


def preference_name(preference: Preference) -> str:
    """As buttons and tables say it."""
    return str(preference_of(preference)["name"])


def gate_in_show(analysis: Report, voice: str) -> tuple[str, Gate] | None:
    """The first gate that is on, on a voice's way: the node of its strip, and how it is set there."""
    for node in analysis.gates(voice):
        for row in analysis.chain_at(node):
            if isinstance(row, Gate) and row.on:
                return node, row
    return None
