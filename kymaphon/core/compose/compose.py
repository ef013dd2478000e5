"""Answers to three questions -> a show that is on its marks."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from itertools import count

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.report import Report
from kymaphon.core.compose import in_computer, on_desk
from kymaphon.core.compose.finish import mended, on_its_marks, wrong
from kymaphon.core.compose.local import another_microphone, microphones, put_in_rooms
from kymaphon.core.compose.rig import Rig
from kymaphon.core.compose.seats import echoes_by_loudspeakers
from kymaphon.core.compose.settle import Remark, Settled, own_kinds, settle
from kymaphon.core.mixes.doing import PREFIX, Instruction, from_nothing, steps_between
from kymaphon.core.model.answers import Answers, VoiceAnswer
from kymaphon.core.model.catalogue import Catalogue, shipped_catalogue
from kymaphon.core.model.edits import SetWant, apply_all
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.show import Show
from kymaphon.core.model.talk import Task
from kymaphon.core.model.wants import wants_by_role

PATIENCE = 16
"""So often something else is tried for one voice at a time; then all that something is wrong about are left out at once."""
LOUD = "loudspeakers"
BY_AIR = ("own-voice-back", "loop-howls", "loop-rings", "loop-echoes")
YIELDS = ("effect", "crowd", "instrument", "player", "remote", "person")


@dataclass(frozen=True)
class Composed:
    """A show as it was composed.

    Attributes:
        show: with the answers in it.
        report: what is found in it.
        remarks: what could not be done as it was answered.
        to_get: kind -> how many that nobody said are there.
        steps: what hands have to do, in a safe order: mute, plug, set, open last; they are the show's doing list too.
    """

    show: Show
    report: Report
    remarks: tuple[Remark, ...]
    to_get: dict[str, int]
    steps: tuple[Instruction, ...]


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


def plugged(
    answers: Answers, catalogue: Catalogue | None = None, choices: Choices | None = None
) -> tuple[Show, Settled]:
    """The show with everybody placed and everything plugged, as delivered: what a picture needs, in a moment."""
    kinds = catalogue or shipped_catalogue()
    choices = choices or Choices()
    settled = settle(answers, kinds)
    for voice in settled.voices:
        if voice.id in choices.left_out:
            settled.drop(voice, choices.left_out[voice.id])
        elif voice.id in choices.told:
            settled.say("heard", voice.id, choices.told[voice.id])
    if LOUD not in choices.left_out and echoes_by_loudspeakers(settled):
        choices.left_out[LOUD] = (
            "No loudspeakers: they would be in the open microphones beside them, and everybody far away would get their own voice back. "
            "Headphones instead; or a studio, whose loudspeakers are mute while a microphone is open."
        )
    if LOUD in choices.left_out:
        settled.quiet = True
        settled.say("hears", LOUD, choices.left_out[LOUD], left_out=True)
    settled.desk = on_desk.wanted(settled)
    centre = on_desk if settled.desk else in_computer
    centre.trim(settled)
    rig = Rig(kinds, Show(title=answers.title.strip() or "New show"))
    parties = put_in_rooms(rig, settled)
    settled.parties |= parties
    sources = microphones(rig, settled, parties, choices.tries)
    centre.build(rig, settled, parties, sources)
    return apply_all(rig.show, played_together(rig.show)), settled


def played_together(show: Show) -> tuple[SetWant, ...]:
    """What each should hear, with what is played at once so far under the mark that all of it together is on it: n as loud add up to
    10 lg n more.
    """
    played = {party.id for party in show.parties if party.kind == "instrument"}
    if len(played) < 2:
        return ()
    under = -float(math.ceil(10 * math.log10(len(played))))
    kinds = {party.id: party.kind for party in show.parties}
    return tuple(
        replace(row, gain_db=row.gain_db + under) if row.voice in played and row.want == "hear" else row
        for row in wants_by_role(show)
        if kinds[row.listener] in ("audience", "recorder", "remote")
    )


def compose(answers: Answers, catalogue: Catalogue | None = None) -> Composed:
    """A whole show: everybody placed, plugged, on the mark and with a mix of their own.

    It comes out of the rules with nothing to stop for and nothing to fix. What nothing mends is tried with another microphone of those
    proposed; what is wrong even then is left out, and told with the reason. What is wrong about nobody is told as it is.
    """
    kinds = catalogue or shipped_catalogue()
    choices = Choices()
    for n in count():
        show, settled = plugged(answers, kinds, choices)
        rows = wrong_on_the_plan(show, kinds)
        if rows and _otherwise(settled, choices, show, rows, hurry=n >= PATIENCE):
            continue
        report = mended(on_its_marks(show, kinds), kinds)
        rows = wrong(report)
        if not rows or not _otherwise(settled, choices, report.show, rows, hurry=n >= PATIENCE):
            break
    for row in rows:
        settled.say("heard", "", row.message)
    steps = steps_between(from_nothing(report.show), report.show, kinds)
    tasks = tuple(Task(id=f"{PREFIX}{n}", text=step.text) for n, step in enumerate(steps, 1))
    used = {device.kind for device in report.show.devices}
    own = tuple(kind for name, kind in own_kinds(kinds).items() if name in used)
    made = report.show.model_copy(update={"answers": answers, "tasks": tasks, "kinds": own})
    return Composed(made, report, tuple(settled.remarks), dict(settled.stock.added), steps)


def wrong_on_the_plan(show: Show, catalogue: Catalogue) -> list[Finding]:
    """What is wrong with where people and microphones stand, before anything is lined up; what a remedy mends is no matter."""
    bare = show.model_copy(update={"cables": (), "wants": ()})
    rows = [row for row in wrong(analyse(bare, catalogue)) if row.stage == "Cast"]
    return [row for row in rows if not row.remedies]


def _otherwise(settled: Settled, choices: Choices, show: Show, rows: list[Finding], *, hurry: bool) -> bool:
    """Another microphone for each voice that something is wrong about; where there is none left, the first of them is left out, or all
    of them in a hurry. Whether anything was changed: each time there is a microphone less to try, or a voice.
    """
    about: dict[str, tuple[VoiceAnswer, Finding]] = {}
    for row in rows:
        voice = _voice_of(settled, show, row)
        if voice is not None:
            about.setdefault(voice.id, (voice, row))
    changed = False
    for voice, row in about.values():
        tried = choices.tries.get(voice.id, 0)
        if not hurry and voice.sort not in ("remote", "player") and another_microphone(settled, voice, tried):
            choices.tries[voice.id] = tried + 1
            changed = True
            if voice.microphone is not None:
                choices.told[voice.id] = f"{row.message} Another microphone is proposed."
    if not changed and LOUD not in choices.left_out and settled.hearer("loudspeakers") is not None:
        about_loud = next((row for row in rows if _by_loudspeakers(show, row)), None)
        if about_loud is not None:
            choices.left_out[LOUD] = (
                f"No loudspeakers: {about_loud.message} Headphones instead; or a studio, whose loudspeakers are mute while a microphone is open."
            )
            return True
    if not changed:
        for voice, row in list(about.values())[: None if hurry else 1]:
            choices.left_out[voice.id] = f"{voice.name} is left out: {row.message}"
            changed = True
    return changed


def _by_loudspeakers(show: Show, row: Finding) -> bool:
    """Whether something goes wrong by what a loudspeaker plays: it is named, or somebody hears themselves back, or it goes round."""
    boxes = {device.id for device in show.devices if device.id.startswith("loudspeaker")}
    return row.code in BY_AIR or bool(boxes & {name.split(".")[0] for name in row.subjects})


def _voice_of(settled: Settled, show: Show, row: Finding) -> VoiceAnswer | None:
    voices = {settled.parties.get(voice.id, voice.id): voice for voice in settled.voices}
    owners = {device.id: device.party for device in show.devices}
    names = [*row.subjects, *(voice for _, voice in row.pairs)]
    found = [voices.get(name) or voices.get(owners.get(name.split(".")[0]) or "") for name in names]
    about = [voice for voice in found if voice is not None]
    # What is loud gives way to who speaks.
    return min(about, key=lambda voice: YIELDS.index(voice.sort), default=None)
