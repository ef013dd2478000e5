"""Answers to three questions -> a show that is on its marks."""

from __future__ import annotations

from dataclasses import dataclass, field

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.compose import in_computer, on_desk
from kymaphon.core.compose.finish import mended, on_its_marks, wrong
from kymaphon.core.compose.local import another_microphone, microphones, put_in_rooms
from kymaphon.core.compose.rig import Rig
from kymaphon.core.compose.settle import Remark, Settled, settle
from kymaphon.core.model.answers import Answers, VoiceAnswer
from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show

MOST_ROUNDS = 16
"""So often something else is tried before what is left wrong is told as it is."""


YIELDS = ("effect", "crowd", "instrument", "player", "remote", "person")


@dataclass(frozen=True)
class Composed:
    """A show as it was composed.

    Attributes:
        show: with the answers in it.
        report: what is found in it.
        remarks: what could not be done as it was answered.
        to_get: kind -> how many that nobody said are there.
    """

    show: Show
    report: Report
    remarks: tuple[Remark, ...]
    to_get: dict[str, int]


@dataclass
class Choices:
    """What has been decided beyond the answers.

    Attributes:
        tries: id of a voice -> how many of the proposed microphones did not do.
        told: id of a voice -> why its own microphone is not taken.
        left_out: id of a voice -> why it is not in the show.
    """

    tries: dict[str, int] = field(default_factory=dict)
    told: dict[str, str] = field(default_factory=dict)
    left_out: dict[str, str] = field(default_factory=dict)


def plugged(answers: Answers, catalogue: Catalogue | None = None, choices: Choices | None = None) -> tuple[Show, Settled]:
    """The show with everybody placed and everything plugged, as delivered: what a picture needs, in a moment."""
    kinds = catalogue or shipped_catalogue()
    choices = choices or Choices()
    settled = settle(answers, kinds)
    for voice in settled.voices:
        if voice.id in choices.left_out:
            settled.drop(voice, choices.left_out[voice.id])
        elif voice.id in choices.told:
            settled.say("heard", voice.id, choices.told[voice.id])
    centre = on_desk if on_desk.wanted(settled) else in_computer
    centre.trim(settled)
    rig = Rig(kinds, Show(title=answers.title.strip() or "New show"))
    parties = put_in_rooms(rig, settled)
    sources = microphones(rig, settled, parties, choices.tries)
    centre.build(rig, settled, parties, sources)
    return rig.show, settled


def compose(answers: Answers, catalogue: Catalogue | None = None) -> Composed:
    """A whole show: everybody placed, plugged, on the mark and with a mix of their own.

    It comes out of the rules with nothing to stop for and nothing to fix. What nothing mends is tried with another microphone of those
    proposed; what is wrong even then is left out, and told with the reason.
    """
    kinds = catalogue or shipped_catalogue()
    choices = Choices()
    for _ in range(MOST_ROUNDS):
        show, settled = plugged(answers, kinds, choices)
        rows = wrong_on_the_plan(show, kinds)
        if rows and _otherwise(settled, choices, show, rows):
            continue
        report = mended(on_its_marks(show, kinds), kinds)
        rows = wrong(report)
        if not rows or not _otherwise(settled, choices, report.show, rows):
            break
    made = report.show.model_copy(update={"answers": answers})
    return Composed(made, report, tuple(settled.remarks), dict(settled.stock.added))


def wrong_on_the_plan(show: Show, catalogue: Catalogue) -> list[Finding]:
    """What is wrong with where people and microphones stand, before anything is lined up; what a remedy mends is no matter."""
    bare = show.model_copy(update={"cables": (), "wants": ()})
    rows = [row for row in wrong(analyse(bare, catalogue)) if row.stage == "Cast"]
    return [row for row in rows if not row.remedies]


def _otherwise(settled: Settled, choices: Choices, show: Show, rows: list[Finding]) -> bool:
    """Another microphone for each voice that something is wrong about; where there is none left, the first of them is left out. Whether
    anything was changed.
    """
    about: dict[str, tuple[VoiceAnswer, Finding]] = {}
    for row in rows:
        voice = _voice_of(settled, show, row)
        if voice is not None:
            about.setdefault(voice.id, (voice, row))
    changed = False
    for voice, row in about.values():
        tried = choices.tries.get(voice.id, 0)
        if voice.sort not in ("remote", "player") and another_microphone(settled, voice, tried):
            choices.tries[voice.id] = tried + 1
            changed = True
            if voice.microphone is not None:
                choices.told[voice.id] = f"{row.message} Another microphone is proposed."
    if not changed and about:
        voice, row = next(iter(about.values()))
        choices.left_out[voice.id] = f"{voice.name} is left out: {row.message}"
        changed = True
    return changed


def _voice_of(settled: Settled, show: Show, row: Finding) -> VoiceAnswer | None:
    voices = {voice.id: voice for voice in settled.voices}
    owners = {device.id: device.party for device in show.devices}
    names = [*row.subjects, *(voice for _, voice in row.pairs)]
    found = [voices.get(name) or voices.get(owners.get(name.split(".")[0]) or "") for name in names]
    about = [voice for voice in found if voice is not None]
    # What is loud gives way to who speaks.
    return min(about, key=lambda voice: YIELDS.index(voice.sort), default=None)
