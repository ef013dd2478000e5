"""Rules about players: one that goes on into the next piece under an open microphone, and how far ducking takes music down."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import Delivery, comes_through
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import NodeId, SettingRef
from kymaphon.core.model.references import SINGLE
from kymaphon.core.model.show import Device, Party
from kymaphon.core.rules.record import rule
from kymaphon.core.rules.rig_controls import working_in
from kymaphon.core.wiring.controls import runs_on

ENDS = ("audience", "recorder")


def _heard(analysis: Computed, listener: str) -> dict[str, Delivery]:
    """Voices that a listener hears by their own way."""
    return {voice: feed for (name, voice), feed in analysis.feeds.items() if name == listener and comes_through(feed)}


def _device_of(analysis: Computed, party: Party) -> Device | None:
    """The device that a party plays on."""
    owner = party.plays_device
    return next((row for row in analysis.show.devices if row.id == owner), None)


@rule("player-runs-on", stage="Feeds", reads=("feeds",))
def running_on(analysis: Computed) -> Iterator[Finding]:
    """Players that go on by themselves, up in the same programme as an open microphone (common practice of studios: single-track play
    armed, faders down as soon as the music starts to talk over).
    """
    rows: dict[str, tuple[Device, Party, set[str]]] = {}
    for end in analysis.ends:
        if end.kind not in ENDS:
            continue
        heard = _heard(analysis, end.id)
        talkers = {
            voice
            for voice in heard
            if analysis.show.party(voice).kind not in NO_SPEECH and not analysis.show.party(voice).plays_on
        }
        for voice in heard:
            party = analysis.show.party(voice)
            device = _device_of(analysis, party)
            if talkers and party.kind == "player" and device is not None and runs_on(analysis, device):
                rows.setdefault(device.id, (device, party, set()))[2].update(talkers)
    if not rows:
        return
    muted = _unheard(analysis, {voice for _, _, talkers in rows.values() for voice in talkers})
    names = ", ".join(analysis.device_name(device.id) for device, _, _ in rows.values())
    talk = ", ".join(
        dict.fromkeys(analysis.party_name(voice) for _, _, voices in rows.values() for voice in sorted(voices))
    )
    goes = "goes" if len(rows) == 1 else "go"
    text = (
        f"{names} {goes} on into the next piece by itself while the microphones of {talk} are in "
        "the same programme: the next one starts under the talk."
    )
    if len(rows) > 1:
        text = text.replace("by itself", "by themselves")
    if muted:
        text += (
            f" In {muted} the loudspeakers are muted by the open microphone: nobody there hears it but in headphones."
        )
    edits = tuple(SetValue(SettingRef(device.id, SINGLE, "on"), True) for device, _, _ in rows.values())
    remedy = Remedy(
        "single",
        f"Arm for a single piece: {names}",
        "It stops at the end of each piece. Fader down as soon as the talk begins; tried before each show.",
        edits,
    )
    yield Finding(
        "player-runs-on",
        "fix" if muted else "note",
        "Feeds",
        (*rows, *(party.id for _, party, _ in rows.values())),
        f"{names} may run on under the talk",
        text,
        (),
        None,
        (remedy,),
    )


def _unheard(analysis: Computed, talkers: set[str]) -> str:
    """Names of places where talkers sit and an open microphone mutes the loudspeakers."""
    places = {analysis.show.party(voice).place for voice in talkers}
    return ", ".join(place.name for place in analysis.show.places if place.speakers_mute and place.id in places)


@dataclass(frozen=True, slots=True)
class Dip:
    """A ducker that works on music: how far it takes it down, None where that is not stated, and its switch or strip."""

    name: str
    depth_db: float | None
    device: str


def dips_in(analysis: Computed, path: SignalPath) -> list[Dip]:
    """The duckers that work in a way: processors of devices, and those set in strips."""
    out = [
        Dip(
            f"{analysis.device_name(row.device.id)}, {row.processor.name}",
            row.processor.depth_db,
            row.device.id,
        )
        for row in working_in(analysis, path)
        if row.processor.does == "ducker"
    ]
    passed = {NodeId.of(name).socket for name in path.node_ids}
    for device in analysis.show.devices:
        for key, setting in device.settings.items():
            for step in setting.chain or ():
                if step.sort == "ducker" and step.on and f"{device.id}.{key}" in passed:
                    out.append(Dip(f"{analysis.device_name(device.id)}, {key}, ducker", step.depth_db, device.id))
    return out


@rule("ducking-reaches", stage="Quiet", reads=("feeds",))
def ducking(analysis: Computed) -> Iterator[Finding]:
    """How far music lies under the talk once it is ducked, and which music goes round the ducker."""
    wanted = figure("music-under-voice")
    for end in analysis.ends:
        if end.kind not in ENDS:
            continue
        heard = _heard(analysis, end.id)
        talk = [
            feed.level_db or 0.0
            for voice, feed in heard.items()
            if analysis.show.party(voice).kind not in NO_SPEECH and not analysis.show.party(voice).plays_on
        ]
        music = {voice: feed for voice, feed in heard.items() if analysis.show.party(voice).kind == "player"}
        dips = {voice: dips_in(analysis, feed.path) for voice, feed in music.items() if feed.path is not None}
        if not talk or not any(dips.values()):
            continue
        told, figures, short = [], [], []
        for voice, rows in dips.items():
            name = analysis.party_name(voice)
            under = max(talk) - (music[voice].level_db or 0.0)
            if not rows:
                told.append(f"{name} goes round it and stays {_under(under)}")
                short.append(voice)
                continue
            if any(row.depth_db is None for row in rows):
                told.append(f"{name} goes down, by how much is not stated for {rows[0].name}")
                continue
            depth = sum(row.depth_db or 0.0 for row in rows)
            figures.append(
                Derived(
                    f"{name} under the talk, ducked",
                    under + depth,
                    "dB",
                    "voice \u2212 music + depth",
                    (
                        Derived(
                            "voice over music",
                            under,
                            "dB",
                            source="computed: the loudest talker less the music there",
                        ),
                        Derived("depth", depth, "dB", source=f"device data or setting: {rows[0].name}"),
                    ),
                )
            )
            told.append(f"{name} dips by {show_number(depth, 'dB')}, to {_under(under + depth)}")
            if under + depth < wanted.value - number("meter-shows"):
                short.append(voice)
        if not short:
            continue
        name = next(row.name for rows in dips.values() for row in rows)
        text = (
            f"{name}: while somebody talks, {'; '.join(told)}, at {analysis.party_name(end.id)}; "
            f"{show_number(wanted.value, 'dB')} under it are wanted. What goes round it has to come down by hand, at its player."
        )
        yield Finding(
            "ducking-reaches",
            "note",
            "Quiet",
            (end.id, *short),
            f"Ducking does not do for {', '.join(analysis.party_name(voice) for voice in short)}",
            text,
            tuple(figures),
            figures[0] if figures else None,
        )
        return


def _under(db: float) -> str:
    return f"{show_number(abs(db), 'dB')} {'under' if db >= 0 else 'over'} the talk"
