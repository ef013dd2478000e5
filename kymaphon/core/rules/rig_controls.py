"""Rules about knobs and switches: what changes what others hear, what must be up, what works twice, what takes hold
only after a restart.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.riders import has_own_app
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import goes_astray
from kymaphon.core.levels.down import Down, downs
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.catalogue.parts import Processor
from kymaphon.core.model.edits import AddRow, SetValue
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.show import Device, Setting
from kymaphon.core.model.talk import Task
from kymaphon.core.rules.record import rule
from kymaphon.core.wiring.controls import ON_AIR, is_on, path_label, reaches

MUSIC = ("instrument", "player", "effect", "crowd")
TWICE = {
    "reverb": "the voice is washed out",
    "gate": "the second eats what the first lets through at its edges",
    "noise-suppressor": "the second takes the first one's leftovers for noise and eats into the voice",
    "echo-canceller": "each fights what the other leaves",
    "level-rider": "they pump against each other",
    "compressor": "the noise comes up twice",
    "ducker": "the music falls twice as far",
}
"""What goes wrong when two processors do the same in one path; two low cuts or two limiters do no harm."""
SPEECH_ONLY = ("noise-suppressor", "echo-canceller", "level-rider")
SAYS = {
    "monitor": "what is heard here",
    "record": "the recording",
    "input": "one input",
    "main": "everything",
    "music": "the music",
}


def noted(analysis: Computed, task_id: str) -> bool:
    """Whether something is on the list of tasks already."""
    return any(task.id == task_id for task in analysis.show.tasks)


@rule("control-down", stage="Rig", reads=("feeds",))
def controls_down(analysis: Computed) -> Iterator[Finding]:
    """Controls and faders that must be up and are down: those that say so themselves, and those that keep a wanted voice from a
    listener.
    """
    told: set[SettingRef] = set()
    silencing = downs(analysis)
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        for control in kind.controls:
            value = device.settings.get(control.id, Setting()).gain_db
            now = control.default_gain_db if value is None else value
            if not control.must_be_up or now > control.gain_db[0] + 1:
                continue
            reach = next(row for row in reaches(analysis, device) if row.control is control)
            name = f"{analysis.device_name(device.id)}, {control.name}"
            text = (
                f"{name} is down at {show_number(now, 'dB', sign=True)}: what goes through it is "
                f"silent for {', '.join(reach.who) or 'whatever follows'}. It must be up, whatever is printed beside it."
            )
            ref = SettingRef(device.id, control.id, "gain_db")
            told.add(ref)
            up = show_number(control.default_gain_db, "dB", sign=True)
            yield Finding(
                "control-down",
                "stop" if reach.who else "fix",
                "Rig",
                (device.id, f"{device.id}.{control.id}"),
                f"{name} is down",
                text,
                (Derived("stands at", now, "dB"),),
                None,
                (
                    Remedy(
                        "up", f"Bring it up to {up}", "Signal passes again.", (SetValue(ref, control.default_gain_db),)
                    ),
                ),
            )
    ends = {party.id for party in analysis.listeners if party.kind in ("audience", "recorder", "remote")}
    for ref, row in silencing.items():
        if ref not in told:
            yield _down(analysis, row, on_air=any(listener in ends for listener, _ in row.pairs))


def _down(analysis: Computed, row: Down, *, on_air: bool) -> Finding:
    """A control or fader at its bottom that keeps wanted voices from listeners."""
    device = analysis.show.device(row.ref.device)
    control = next((one for one in analysis.catalogue[device.kind].controls if one.id == row.ref.key), None)
    usual = control.default_gain_db if control is not None else row.up
    up = usual if usual > row.now + 1 else row.up
    voices = ", ".join(dict.fromkeys(analysis.party_name(voice) for _, voice in row.pairs))
    listeners = ", ".join(dict.fromkeys(analysis.party_name(listener) for listener, _ in row.pairs))
    stands = show_number(row.now, "dB", sign=True)
    text = f"{row.label} is down at {stands}: {listeners} should hear {voices}, and nothing passes there."
    told = show_number(up, "dB", sign=True)
    return Finding(
        "control-down",
        "stop" if on_air else "fix",
        "Rig",
        (device.id, f"{device.id}.{row.ref.key}"),
        f"{row.label} is down",
        text,
        (Derived("stands at", row.now, "dB"),),
        None,
        (
            Remedy(
                "up",
                f"Bring {row.label} up to {told}",
                f"{voices} gets through there; set the level at Level.",
                (SetValue(row.ref, up),),
            ),
        ),
        row.pairs,
    )


@dataclass(frozen=True, slots=True)
class Working:
    """A processor that works in somebody's path."""

    device: Device
    processor: Processor

    @property
    def ref(self) -> SettingRef:
        return SettingRef(self.device.id, self.processor.id, "on")


def path_keys(analysis: Computed, path: SignalPath) -> Iterator[tuple[str, str]]:
    """(device id, key of its internal path) for each step inside a device, in the order of the way."""
    for step in path.steps():
        source, target = analysis.graph.nodes[step.source], analysis.graph.nodes[step.target]
        if source.owner == target.owner:
            first, last = (NodeId.of(node.id).port for node in (source, target))
            if first != last:
                yield source.owner, f"{first}>{last}"


def working_in(analysis: Computed, path: SignalPath, *, off: bool = False) -> list[Working]:
    """The processors that work in a way, in its order; with `off` those in it that are switched off."""
    devices = {device.id: device for device in analysis.show.devices}
    out: list[Working] = []
    for owner, key in path_keys(analysis, path):
        device = devices.get(owner)
        if device is None:
            continue
        for processor in analysis.catalogue[device.kind].processors:
            if processor.far and has_own_app(analysis.show, analysis.catalogue, device, processor):
                continue
            if key in processor.sits and is_on(device, processor) != off:
                row = Working(device, processor)
                if row not in out:
                    out.append(row)
    return out


def _ways(analysis: Computed) -> Iterator[tuple[str, str, SignalPath]]:
    """(listener, voice, strongest way) of everybody that is heard by somebody else."""
    for (listener, voice), feed in analysis.feeds.items():
        if feed.path is not None and listener != voice and feed.verdict != "silent":
            yield listener, voice, feed.path


def _switch_off(rows: list[Working], effect: str) -> Iterator[Remedy]:
    for n, row in enumerate((row for row in rows if not row.processor.fixed), start=1):
        name = row.device.name or row.device.id
        yield Remedy(f"off-{n}", f"Switch off: {name}, {row.processor.name}", effect, (SetValue(row.ref, False),))


@rule("two-of-a-kind", stage="Rig", reads=("feeds",))
def two_of_a_kind(analysis: Computed) -> Iterator[Finding]:
    """Two processors that do the same in one path."""
    seen: set[tuple[SettingRef, SettingRef]] = set()
    if not any(kind.processors for kind in _kinds_used(analysis)):
        return
    for listener, voice, path in _ways(analysis):
        if goes_astray(path):
            continue
        rows = working_in(analysis, path)
        for job, harm in TWICE.items():
            same = [row for row in rows if row.processor.does == job]
            # A voice that goes from one call into another is ridden by both, as each is by its own.
            if all(analysis.catalogue[row.device.kind].is_app for row in same):
                continue
            if len(same) < 2 or (same[0].ref, same[1].ref) in seen:
                continue
            seen.add((same[0].ref, same[1].ref))
            names = " and ".join(f"{analysis.device_name(row.device.id)} ({row.processor.name})" for row in same)
            text = f"{analysis.party_name(voice)} reaches {analysis.party_name(listener)} through {names}: {harm}. Keep one."
            subjects = (voice, *(row.device.id for row in same))
            yield Finding(
                "two-of-a-kind",
                "fix",
                "Rig",
                subjects,
                f"Twice {same[0].processor.name}",
                text,
                (Derived("of a kind", len(same), ""),),
                None,
                tuple(_switch_off(same[::-1], "One is left to do it.")),
            )


def _kinds_used(analysis: Computed) -> list[Kind]:
    return [analysis.catalogue[name] for name in {device.kind for device in analysis.show.devices}]


@rule("processing-against-music", "echo-control-off", stage="Rig", reads=("feeds",))
def processing_against_content(analysis: Computed) -> Iterator[Finding]:
    """Voice processing over music, and echo control that is missing where speech comes over loudspeakers."""
    if not any(kind.processors for kind in _kinds_used(analysis)):
        return
    music: dict[str, tuple[list[Working], str, str]] = {}
    speech_off: dict[SettingRef, tuple[Working, str]] = {}
    kept: set[SettingRef] = set()
    for listener, voice, path in _ways(analysis):
        if goes_astray(path):
            continue  # what leaks out of headphones is no music that goes out
        if analysis.show.party(voice).kind in MUSIC:
            rows = [row for row in working_in(analysis, path) if row.processor.does in SPEECH_ONLY]
            kept |= {row.ref for row in working_in(analysis, path, off=True)}
            if rows and voice not in music:
                music[voice] = (rows, listener, voice)
        else:
            for row in working_in(analysis, path, off=True):
                if row.processor.does == "echo-canceller":
                    speech_off.setdefault(row.ref, (row, voice))
    for rows, listener, voice in music.values():
        names = ", ".join(row.processor.name for row in rows)
        device = analysis.device_name(rows[0].device.id)
        text = (
            f"{analysis.party_name(voice)} reaches {analysis.party_name(listener)} through {device} "
            f"with {names} on: it takes music for noise or echo and tears holes in it. For music all of it off, and computer sound shared as music."
        )
        free = [row for row in rows if not row.processor.fixed]
        edits = tuple(SetValue(row.ref, False) for row in free)
        remedies = (
            (
                Remedy(
                    "unprocessed",
                    f"Switch off: {', '.join(row.processor.name for row in free)}",
                    "The music goes out as it is; talkers on loudspeakers then hear themselves back.",
                    edits,
                ),
            )
            if free
            else ()
        )
        yield Finding(
            "processing-against-music",
            "fix",
            "Rig",
            (voice, *dict.fromkeys(row.device.id for row in rows)),
            f"{device} works against {analysis.party_name(voice)}",
            text,
            (),
            None,
            remedies,
        )
    loud = {
        device.place
        for device in analysis.show.devices
        if analysis.catalogue[device.kind].is_loudspeaker and _fed(analysis, device)
    }
    for ref, (row, voice) in speech_off.items():
        place = analysis.show.party(voice).place
        if ref in kept or place is None or place not in loud:
            continue
        text = (
            f"{analysis.party_name(voice)} speaks beside a loudspeaker, and {analysis.device_name(ref.device)} "
            f"has {row.processor.name} off: the far end hears itself back."
        )
        yield Finding(
            "echo-control-off",
            "fix",
            "Rig",
            (voice, ref.device),
            f"{row.processor.name.capitalize()} is off beside a loudspeaker",
            text,
            (),
            None,
            (
                Remedy(
                    "on",
                    f"Switch on: {row.processor.name}",
                    "The far end no longer hears itself from the loudspeaker.",
                    (SetValue(ref, True),),
                ),
            ),
        )


def _fed(analysis: Computed, device: Device) -> bool:
    return any(cable.target_device == device.id for cable in analysis.show.cables)


@rule("control-on-air", stage="Rig", reads=("levels", "programme"), notes_only=True)
def controls_on_air(analysis: Computed) -> Iterator[Finding]:
    """Controls that say one thing and change what the audience, a recording or the far end gets."""
    ends = {party.name for party in analysis.listeners if party.kind in ON_AIR}
    for device in analysis.show.devices:
        rows = reaches(analysis, device) if analysis.catalogue[device.kind].controls else ()
        for row in rows:
            task_id = f"hands-off-{device.id}-{row.control.id}"[:64]
            # Who stands at that very device turns their own ears with it.
            own = {
                party.name
                for party in analysis.listeners
                if party.kind == "remote" and party.place == device.place and device.place
            }
            touched = [name for name in row.who if name in ends and name not in own]
            if row.control.says != "monitor" or not touched or noted(analysis, task_id):
                continue
            moves = "; ".join(f"{label}: {', '.join(who) or 'nobody'}" for label, who in row.paths)
            safe = [other.control.name for other in rows if not set(other.who) & ends]
            instead = f" Turn {' or '.join(safe)} instead: nobody on air hears it." if safe else ""
            name = f"{analysis.device_name(device.id)}, {row.control.name}"
            text = (
                f"{name} looks like {SAYS['monitor']} and also turns what {', '.join(touched)} gets ({moves}).{instead}"
            )
            edits = (AddRow("tasks", Task(id=task_id, text=f"Hands off on air: {name} turns {', '.join(touched)}.")),)
            yield Finding(
                "control-on-air",
                "note",
                "Rig",
                (device.id, f"{device.id}.{row.control.id}"),
                f"{name} changes what goes out",
                text,
                (),
                None,
                (
                    Remedy(
                        "task",
                        "Put it on the list: hands off on air",
                        "It is printed on the rig sheet; mark the knob.",
                        edits,
                    ),
                ),
            )


@rule("restart-needed", stage="Rig", reads=("layout", "switches", "gains", "programme"), notes_only=True)
def restart_needed(analysis: Computed) -> Iterator[Finding]:
    """Settings that were changed from delivery and take hold only after a restart."""
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        changed = [key for key in kind.restart if _changed(kind, device, key)]
        task_id = f"restart-{device.id}"[:64]
        if not changed or noted(analysis, task_id):
            continue
        name = analysis.device_name(device.id)
        what = ", ".join(_setting_name(kind, key) for key in changed)
        text = f"{what} of {name} takes hold only after a restart: stop the stream, start {name} again, and check before going live."
        edits = (
            AddRow(
                "tasks",
                Task(id=task_id, text=f"Restart {name}, then check: {what}."),
            ),
        )
        yield Finding(
            "restart-needed",
            "note",
            "Rig",
            (device.id,),
            f"{name} needs a restart",
            text,
            (),
            None,
            (
                Remedy(
                    "task",
                    "Put it on the list: restart and check",
                    "It is printed on the rig sheet until it is done.",
                    edits,
                ),
            ),
        )


def _changed(kind: Kind, device: Device, key: str) -> bool:
    setting = device.settings.get(key)
    if setting is None:
        return False
    path = kind.path(key)
    processor = next((row for row in kind.processors if row.id == key), None)
    default = path.on if path is not None else processor.on if processor is not None else None
    given = {name: value for name, value in setting if value is not None}
    return bool(given) and given != {"on": default}


def _setting_name(kind: Kind, key: str) -> str:
    processor = next((row for row in kind.processors if row.id == key), None)
    return processor.name if processor is not None else path_label(kind, key)
