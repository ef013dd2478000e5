"""What hangs on a mixer and needs a mix: each cable that leaves it, who hears by it, and what they should hear."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

from kymaphon.core.acoustics.cast import is_loudspeaker
from kymaphon.core.figures import number
from kymaphon.core.graph.paths import strongest_path
from kymaphon.core.graph.signal import ACOUSTIC, UNINTENDED, EdgeKind, SignalGraph, reachable
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.mixes.mixer import Mixer, mixer_of, mixers_of
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.ids import NodeId, PortId
from kymaphon.core.model.show import Cable, Party, Show, same_socket
from kymaphon.core.model.wants import Wanted, wants_of

_PAST = ACOUSTIC - {EdgeKind.THROUGH_AIR}
"""Ways of the air that are no way of feeding anybody."""


@dataclass(frozen=True)
class MixRequirement:
    """One place that takes a mix from a mixer.

    Attributes:
        targets: the sockets it goes into; two where a stereo mix goes into two sockets.
        cables: those that are there now; none where it has still to be plugged.
        listeners: who hears by it, with the delay from the mixer's socket to each.
        level: what its sockets are made for: `line`, `headphone`, `digital` and so on.
        here: the mixer's own output that somebody listens on; None where a cable leads to them.
        last: nothing mixes after it, so that what is on it is what they hear.
        stereo: it can take both sides.
        hear: voices that must be on it, with their level against the mark.
        local: voices of those who should hear themselves at once.
        keep_off: voices that must not be on it.
    """

    targets: tuple[str, ...]
    cables: tuple[Cable, ...]
    listeners: dict[str, float]
    last: bool
    stereo: bool
    domain: str
    hear: dict[str, float]
    local: frozenset[str]
    keep_off: frozenset[str]
    kinds: frozenset[str] = field(default_factory=frozenset)
    level: str = "line"
    here: str | None = None

    @property
    def key(self) -> tuple[str, ...]:
        return self.targets

    @property
    def socket(self) -> tuple[str, str] | None:
        """The mixer's output that feeds it now, and the side where only one does; None where nothing does."""
        if self.here is not None:
            return self.here, ""
        ends = {PortId.of(row.source)[1:] for row in self.cables}
        if not ends:
            return None
        ports = {end[0] for end in ends}
        sides = {end[1] if len(end) > 1 else "" for end in ends}
        return ports.pop(), next(iter(sides)) if len(sides) == 1 else ""


class Around:
    """The rig around its mixers: where each output leads, with every switch and fader taken as open."""

    def __init__(self, show: Show, catalogue: Catalogue, graph: SignalGraph) -> None:
        self.show, self.catalogue, self.graph = show, catalogue, graph
        self.mixers = mixers_of(show, catalogue)
        ids = {device.id for device in self.mixers}
        listening = {party.hears_device for party in show.parties if party.listens}
        owner = [node.owner for node in graph.nodes]
        parties = {party.id for party in show.parties}
        on_phones = {party.id for party in show.parties if party.hears_on}
        passable = []
        for i, edge in enumerate(graph.edges):
            start, end = owner[edge.source], owner[edge.target]
            if edge.kind in _PAST:
                continue
            if edge.kind is EdgeKind.THROUGH_AIR and end in on_phones:
                continue  # what else is in the room is no feed of theirs
            # Past what somebody listens on nothing is fed: a telephone's leak is no feed.
            if start in listening and end != start and end not in parties:
                continue
            passable.append(i)
        whole = tuple(passable)
        self.onward = Transfer(graph.only(whole))
        outside = tuple(i for i in whole if owner[graph.edges[i].source] not in ids)
        self.last = Transfer(graph.only(outside))
        self._mixing = ids
        self._past: dict[str, Transfer] = {}
        self.wants = wants_of(show)

    def past(self, device_id: str) -> Transfer:
        """Everything passable but the inside of one mixer; kept once it was asked for."""
        if device_id not in self._past:
            self._past[device_id] = self._without(device_id)
        return self._past[device_id]

    def _without(self, device_id: str) -> Transfer:
        live = tuple(
            i for i in self.onward.graph.live if self.graph.nodes[self.graph.edges[i].source].owner != device_id
        )
        return Transfer(self.graph.only(live))

    def brought(self, device_id: str, targets: tuple[str, ...]) -> frozenset[str]:
        """Voices that come to every mixer to which some sockets lead on by its own inputs: from here they would come twice, or back."""
        starts = [node for target in targets for node in self.nodes(target)]
        found: list[frozenset[str]] = []
        for device in self.mixers:
            if device.id == device_id:
                continue
            ports = [port.id for port in self.catalogue[device.kind].inputs if port.domain != "acoustic"]
            entered = {
                port
                for port in ports
                for node in self.nodes(f"{device.id}.{port}")
                if any(self.last.best_gain_to(node)[start] > -math.inf for start in starts)
            }
            # An input that brings nothing new is kept off everything there: what comes by it does no harm.
            if entered and not entered <= mixer_of(self.catalogue, self.graph, device).needless:
                nodes = [node for port in ports for node in self.nodes(f"{device.id}.{port}")]
                gains = [self._outside.best_gain_to(node) for node in nodes]
                mouths = {voice: mouth for voice, (mouth, _) in self.graph.mouths.items()}
                own = (voice for voice, mouth in mouths.items() if any(gain[mouth] > -math.inf for gain in gains))
                found.append(frozenset(own))
        return frozenset.intersection(*found) if found else frozenset()

    @cached_property
    def _outside(self) -> Transfer:
        """From mouths by their own microphones, through everything but the inside of mixers, as switches and faders stand there."""
        nodes, edges = self.graph.nodes, self.graph.edges
        live = (
            i
            for i in self.graph.live
            if edges[i].label not in UNINTENDED and nodes[edges[i].source].owner not in self._mixing
        )
        return Transfer(self.graph.only(tuple(live)))

    def nodes(self, reference: str) -> tuple[int, ...]:
        """The nodes of a socket, or of one side of it."""
        found = [self.graph.index.get(f"{reference}{side}") for side in ("", ".l", ".r")]
        return tuple(row for row in found if row is not None)

    def heads(self, party: Party) -> tuple[str, ...]:
        """Unplugged sockets from which a listener would hear: where the way back from the ear ends."""
        graph, ears = self.onward.graph, self.graph.ears[party.id]
        leading = reachable(graph, ears, backward=True).difference(ears)
        ends = [node for node in leading if not graph.steps_in[node]]
        devices = {device.id: self.catalogue[device.kind] for device in self.show.devices}
        out = []
        for node in ends:
            device_id, port_id, *_ = NodeId.of(self.graph.nodes[node].id)
            kind = devices.get(device_id)
            if kind is None or device_id in self._mixing or kind.is_player:
                continue  # a mouth is no socket, what mixes is fed by its own plan, and a player plays from its own disk
            if any(row.id == port_id and row.domain != "acoustic" for row in kind.inputs):
                out.append(f"{device_id}.{port_id}")
        order = {
            f"{device.id}.{port.id}": n
            for device in self.show.devices
            for n, port in enumerate(self.catalogue[device.kind].inputs)
        }
        # A device's first input is the one for talk; shared sound and the like come after it.
        return tuple(sorted(dict.fromkeys(out), key=order.__getitem__))


def requirements_of(around: Around, mixer: Mixer) -> list[MixRequirement]:
    """What takes a mix from a mixer now, in the order of its sockets."""
    show = around.show
    past = around.past(mixer.device.id)
    groups: dict[tuple[object, ...], list[Cable]] = {}
    for cable in show.cables:
        if cable.source_device != mixer.device.id:
            continue
        socket = PortId.of(cable.source).port
        heard = frozenset(_heard(past, around, cable.target))
        # Both sides of one output to the same listeners are one mix.
        sided = bool(PortId.of(cable.source).side)
        groups.setdefault((socket, heard, sided or cable.target), []).append(cable)
    out = []
    for rows in groups.values():
        targets = tuple(row.target for row in rows)
        need = requirement_at(around, mixer, targets, tuple(rows), past)
        if need is not None:
            out.append(need)
    return [*out, *_listened_on(around, mixer)]


def _listened_on(around: Around, mixer: Mixer) -> list[MixRequirement]:
    """Outputs of the mixer itself that somebody listens on, without a cable."""
    rows: dict[str, list[Party]] = {}
    for party in around.show.parties:
        device_id, port_id, _ = PortId.of(party.hears_on or "")
        if party.listens and device_id == mixer.device.id:
            own = port_id or next(row.id for row in mixer.kind.outputs if row.ear)
            rows.setdefault(own, []).append(party)
    out = []
    for port_id, parties in rows.items():
        port = next(row for row in mixer.kind.outputs if row.id == port_id)
        delays = {party.id: 0.0 for party in parties}
        hear, local, keep_off = _asked(around, mixer, parties, delays, frozenset(), last=True)
        kinds = frozenset(party.kind for party in parties)
        target = (f"{mixer.device.id}.{port_id}",)
        out.append(
            MixRequirement(
                target, (), delays, True, port.stereo, port.domain, hear, local, keep_off, kinds, here=port_id
            )
        )
    return out


def fed_by(around: Around, mixer: Mixer) -> set[str]:
    """Listeners that the cables of a mixer lead to."""
    past = around.past(mixer.device.id)
    rows = (row for row in around.show.cables if row.source_device == mixer.device.id)
    by_cable = {party for row in rows for party in _heard(past, around, row.target)}
    return by_cable | {party for need in _listened_on(around, mixer) for party in need.listeners}


def requirement_at(
    around: Around, mixer: Mixer, targets: tuple[str, ...], cables: tuple[Cable, ...], past: Transfer
) -> MixRequirement | None:
    """What a mix into some sockets has to hold; None where nobody hears by them."""
    show = around.show
    delays: dict[str, float] = {}
    for target in targets:
        for party, delay in _heard(past, around, target).items():
            delays[party] = min(delay, delays.get(party, delay))
    if not delays:
        return None
    direct = {party for target in targets for party in _heard(around.last, around, target)}
    last = set(delays) <= direct
    parties = [show.party(row) for row in delays]
    loud = frozenset(place for target in targets for place in _loud_places(past, around, target))
    hear, local, keep_off = _asked(around, mixer, parties, delays, loud, last=last)
    if direct.isdisjoint(delays):
        there = around.brought(mixer.device.id, targets)
        hear = {voice: level for voice, level in hear.items() if voice not in there}
        keep_off, local = keep_off | there, local - there
    kind = around.catalogue[show.device(PortId.of(targets[0]).device).kind]
    port = kind.port(PortId.of(targets[0]).port)
    stereo = len(targets) > 1 or (port is not None and port.stereo and not PortId.of(targets[0]).side)
    domain, level = (port.domain, port.level) if port is not None else ("analog", "line")
    kinds = frozenset(party.kind for party in parties)
    return MixRequirement(targets, cables, delays, last, stereo, domain, hear, local, keep_off, kinds, level)


def _heard(through: Transfer, around: Around, target: str) -> dict[str, float]:
    """Listeners that a socket leads to, with the delay on the way."""
    starts = around.nodes(target)
    found: dict[str, float] = {}
    for party, ears in around.graph.ears.items():
        for ear in ears:
            for start in starts:
                path = strongest_path(through, start, ear)
                if path is not None:
                    found[party] = min(path.delay_ms, found.get(party, path.delay_ms))
    return found


def _loud_places(through: Transfer, around: Around, target: str) -> set[str]:
    """Places in which a socket is heard from loudspeakers."""
    starts = around.nodes(target)
    out: set[str] = set()
    for device in around.show.devices:
        if device.place is None or not is_loudspeaker(around.catalogue[device.kind]):
            continue
        for port in around.catalogue[device.kind].outputs:
            node = around.graph.index.get(f"{device.id}.{port.id}")
            if node is not None and any(through.best_gain_to(node)[start] > -math.inf for start in starts):
                out.add(device.place)
    return out


def _asked(
    around: Around,
    mixer: Mixer,
    listeners: Iterable[Party],
    delays: dict[str, float],
    loud: frozenset[str],
    *,
    last: bool,
) -> tuple[dict[str, float], frozenset[str], frozenset[str]]:
    """Voices to put on a mix, own voices to give at once, and voices to keep off it.

    Args:
        loud: places where it comes from loudspeakers: who speaks there is heard without them, and would go round.
    """
    rows: dict[str, list[Wanted]] = {}
    local: set[str] = set()
    off: set[str] = set()
    loud_off: set[str] = set()
    at_once = number("delay-direct")
    for listener in listeners:
        for voice in (party for party in around.show.parties if party.speaks):
            wanted = around.wants[listener.id, voice.id]
            if voice.place in loud and not (wanted.asked and wanted.want in ("hear", "local")):
                loud_off.add(voice.id)
                continue
            rows.setdefault(voice.id, []).append(wanted)
            if listener.id == voice.id and wanted.want in ("local", "hear", "any"):
                came = [(name, row[voice.id]) for name, row in mixer.voices.items() if voice.id in row]
                soonest = min((row.delay_ms - row.air_ms + mixer.through_ms(name) for name, row in came), default=0.0)
                # From a wedge the air is no delay of the rig.
                late = voice.place not in loud and soonest + delays[listener.id] > at_once
                if late:
                    off.add(voice.id)
                elif wanted.want in ("local", "hear"):
                    local.add(voice.id)
                rows[voice.id].pop()
    hear = {
        name: max(row.gain_db for row in asked if row.want == "hear")
        for name, asked in rows.items()
        if any(row.want == "hear" for row in asked)
    }
    # What one of them asked to hear from the loudspeakers is for all who hear these: a singer's voice in the house.
    off |= loud_off - set(hear) - local
    for name, asked in rows.items():
        unwanted = any(row.want == "never" for row in asked)
        # Before another mixer a voice may be on the way to somebody else; there it is kept off later.
        if unwanted and (last or name not in hear):
            off.add(name)
    if not last:
        off -= set(hear)
    return hear, frozenset(local - off), frozenset(off)


def _has_own_mixer(around: Around, head: str) -> bool:
    """Whether a socket is inside a computer in which a mixer program runs."""
    end = end_of(around.show, around.catalogue, head)
    if end.port.connector != "inside":
        return False
    host = end.device.id if end.kind.is_computer else end.device.host
    return host is not None and any(
        row.host == host and around.catalogue[row.kind].is_mixing_software for row in around.mixers
    )


def _from_outside(around: Around, reference: str) -> bool:
    """Whether a socket is a computer's own, for what is plugged in from outside."""
    device_id, port_id, _ = PortId.of(reference)
    kind = around.catalogue[around.show.device(device_id).kind]
    port = kind.port(port_id)
    return kind.is_computer and port is not None and port.connector != "inside"


def unplugged(around: Around, mixer: Mixer, met: set[str]) -> list[MixRequirement]:
    """Listeners that nothing feeds yet, with the sockets that a mix for them would go into.

    Args:
        met: listeners that some mixer feeds already.
    """
    out = []
    past = around.past(mixer.device.id)
    for party in around.show.parties:
        if party.id not in around.graph.ears or party.id in met:
            continue
        for head in around.heads(party):
            mixes = end_of(around.show, around.catalogue, head).port.mixes
            there = [row for row in around.show.cables if same_socket(row.target, head)]
            if any(not mixes or row.source_device == mixer.device.id for row in there):
                continue
            if mixer.kind.is_mixing_software and _from_outside(around, head):
                continue
            if not mixer.kind.is_mixing_software and _has_own_mixer(around, head):
                continue  # what runs in a computer is fed by the mixer program there
            need = requirement_at(around, mixer, (head,), (), past)
            if need is not None:
                out.append(need)
                break
    return out
