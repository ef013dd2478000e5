"""Rules about how feeds are set up: wants that nobody said, mixes offered beside their inputs, ears on loudspeakers, talkback."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from kymaphon.core.acoustics.cast import is_loudspeaker
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.cuts import PairConstraint, lost, switch_words
from kymaphon.core.graph.paths import SignalPath
from kymaphon.core.graph.routing import Arrival, Delivery, goes_astray
from kymaphon.core.graph.signal import EdgeKind, Switch
from kymaphon.core.mixes.cures import wanted_pairs
from kymaphon.core.model.edits import AddRow, Edit, SetField, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.model.ids import NodeId, PortId
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Device, Party
from kymaphon.core.rules.record import rule
from kymaphon.core.rules.rig_controls import Working, working_in
from kymaphon.core.units import uncorrelated_sum_db
from kymaphon.core.wiring.plugging import plug


def mix_beside_inputs(analysis: Computed, one: SignalPath, other: SignalPath) -> tuple[str, str, str] | None:
    """Whether two ways leave one device by different outputs and come into one mixer or program by different inputs.

    Returns:
        Who gives, who takes, and what the output is called by which the longer way goes; None where it is not so.
    """
    joints = [_joints(analysis, path) for path in (one, other)]
    for (giver, taker), (out, into) in joints[0].items():
        row = joints[1].get((giver, taker))
        if row is None or row[0] == out or row[1] == into:
            continue
        longer = out if one.delay_ms > other.delay_ms else row[0]
        port = analysis.catalogue[analysis.show.device(giver).kind].port(longer)
        name = port.name if port is not None else longer
        return analysis.device_name(giver), analysis.device_name(taker), name
    return None


def _joints(analysis: Computed, path: SignalPath) -> dict[tuple[str, str], tuple[str, str]]:
    """(from device, to device) -> output and input by which a way goes from the one to the other."""
    out = {}
    for step in path.steps():
        if step.kind is EdgeKind.CABLE:
            giver, taker = (NodeId.of(analysis.graph.nodes[node].id) for node in (step.source, step.target))
            out[giver.owner, taker.owner] = (giver.port, taker.port)
    return out


@rule("mix-offered-twice", stage="Feeds", reads=("feeds",))
def mix_offered_twice(analysis: Computed) -> Iterator[Finding]:
    """A monitor mix or loopback taken beside the inputs themselves, too weak to count as a second arrival, yet there."""
    suspects = _mixes_beside(analysis)
    whole = _in_step(analysis, suspects) if suspects else {}
    for (giver, taker, _), rows in whole.items():
        yield _whole_mix(analysis, giver, taker, rows)
    seen: set[tuple[str, str, str]] = set()
    for feed in analysis.feeds.values() if suspects else ():
        if feed.path is None or feed.twice or feed.unstable or feed.verdict in ("missing", "silent", "back"):
            continue
        joined = suspects & set(_joints(analysis, feed.path))
        if not joined or any(key[:2] in joined for key in whole):
            continue  # a mix that brings every voice a second time is the one to take out, not what bleeds into single tracks
        first, *others = analysis.arrivals(*feed.key)
        for second in others:
            if goes_astray(second.paths[0]):
                continue
            row = mix_beside_inputs(analysis, first.paths[0], second.paths[0])
            if row is not None and row not in seen and first.gain_db - second.gain_db < number("comes-by"):
                seen.add(row)
                yield _offered(analysis, feed, row, first, second)
                break


def _mixes_beside(analysis: Computed) -> set[tuple[str, str]]:
    """Pairs of devices of which the one gives the other a mix and, by another cable, inputs themselves."""
    rows: dict[tuple[str, str], set[bool]] = {}
    for cable in analysis.show.cables:
        giver, port, _ = PortId.of(cable.source)
        rows.setdefault((giver, cable.target_device), set()).add(_is_mix(analysis, giver, port))
    return {pair for pair, sorts in rows.items() if len(sorts) == 2}


_Twice = tuple[Delivery, SignalPath, SignalPath]


def _in_step(analysis: Computed, suspects: set[tuple[str, str]]) -> dict[tuple[str, str, str], list[_Twice]]:
    """(giver, taker, output of a mix) -> voices that come by it and by an input of their own at once, nothing between them to tell them
    apart: feed, way by the mix, own way.
    """
    out: dict[tuple[str, str, str], list[_Twice]] = {}
    for feed in analysis.feeds.values():
        if feed.path is None or feed.twice or feed.unstable or not suspects & set(_joints(analysis, feed.path)):
            continue
        first = analysis.arrivals(*feed.key)[0]
        ways = [path for path in first.paths if not goes_astray(path)]
        for pair in suspects:
            ports = {joints[pair][0]: path for path in ways if pair in (joints := _joints(analysis, path))}
            mixed = {port: path for port, path in ports.items() if _is_mix(analysis, pair[0], port)}
            own = next((path for port, path in ports.items() if port not in mixed), None)
            if own is None:
                continue
            for port, path in mixed.items():
                out.setdefault((*pair, port), []).append((feed, path, own))
    return out


def _is_mix(analysis: Computed, device: str, port: str) -> bool:
    kind = analysis.catalogue[analysis.show.device(device).kind]
    buses = {bus.id for bus in kind.buses}
    return any(path.target == port and path.source in buses for path in kind.paths)


def _whole_mix(analysis: Computed, giver: str, taker: str, rows: list[_Twice]) -> Finding:
    """A mix taken beside its inputs, each voice of it a second time at the same moment: louder, and hollow once either is delayed."""
    feed, path, own = rows[0]
    joint = _joints(analysis, path)[giver, taker]
    into = end_of(analysis.show, analysis.catalogue, f"{taker}.{joint[1].split('.')[0]}")
    label = next(
        (
            port.name
            for port in analysis.catalogue[analysis.show.device(giver).kind].outputs
            if port.id == joint[0].split(".")[0]
        ),
        joint[0],
    )
    names = list(dict.fromkeys(analysis.party_name(row[0].voice) for row in rows))
    who = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    by = 20 * math.log10(1 + 10 ** ((path.gain_db - own.gain_db) / 20))
    text = (
        f"{analysis.device_name(taker)} takes {analysis.device_name(giver)}'s {label} at {into.port.name} beside the inputs themselves: "
        f"{who} {'comes' if len(names) == 1 else 'come'} twice at the same moment, {by:.1f} dB louder for it, and hollow once one of the two "
        "is delayed or treated. Take one of them."
    )
    kept = wanted_pairs(analysis)
    doors = [
        switch for switch in _switches(path) if switch not in _switches(own) and not _loses(analysis, switch, kept)
    ]
    remedies = [
        Remedy(
            f"off-{n}",
            switch_words(door),
            "Each voice comes by its own input only.",
            (SetValue(door.ref, not door.now),),
        )
        for n, door in enumerate(doors[::-1][:2], start=1)
    ]
    figure_ = Derived(
        "louder by the second", by, "dB", "20 lg (1 + second / first), in step", source="gains of the two ways"
    )
    return Finding(
        "mix-offered-twice",
        "fix" if by >= number("doubled-in-step") else "note",
        "Feeds",
        (feed.listener, *dict.fromkeys(row[0].voice for row in rows), taker),
        f"{analysis.device_name(taker)} takes a mix beside its inputs",
        text,
        (figure_,),
        figure_,
        tuple(remedies),
        tuple(row[0].key for row in rows),
    )


def _offered(analysis: Computed, feed: Delivery, row: tuple[str, str, str], first: Arrival, second: Arrival) -> Finding:
    giver, taker, label = row
    under = first.gain_db - second.gain_db
    text = (
        f"{taker} takes {giver}'s {label} beside the inputs themselves: {analysis.party_name(feed.voice)} comes twice, "
        f"{show_number(abs(second.delay_ms - first.delay_ms), 'ms')} apart, now {under:.1f} dB weaker. Turn that mix up and it sounds hollow."
    )
    own = [switch for switch in _switches(second.paths[0]) if switch not in _switches(first.paths[0])]
    kept = wanted_pairs(analysis)
    remedies = tuple(
        Remedy(
            f"off-{n}",
            switch_words(switch),
            "Each voice comes by its own input only.",
            (SetValue(switch.ref, not switch.now),),
        )
        for n, switch in enumerate(own[::-1][:2], start=1)
        if not _loses(analysis, switch, kept)
    )
    figures = (Derived("weaker", under, "dB"), Derived("apart", abs(second.delay_ms - first.delay_ms), "ms"))
    return Finding(
        "mix-offered-twice",
        "note",
        "Feeds",
        (feed.listener, feed.voice),
        f"{taker} takes a mix beside its inputs",
        text,
        figures,
        None,
        remedies,
        (feed.key,),
    )


def _loses(analysis: Computed, switch: Switch, kept: list[PairConstraint]) -> bool:
    """Whether somebody who is wanted comes by that mix alone, and would be gone with it."""
    refs = frozenset((switch.ref,))
    return any(lost(analysis.transfer, analysis.transfer.without(refs), refs, kept))


def _switches(path: SignalPath) -> list[Switch]:
    return [switch for step in path.steps() for switch in step.switches]


@rule("remote-on-loudspeaker", stage="Feeds", reads=("feeds",))
def remote_on_loudspeakers(analysis: Computed) -> Iterator[Finding]:
    """Somebody far away who listens on loudspeakers: the programme goes from them into the microphone and comes back."""
    for party in analysis.listeners:
        if party.kind != "remote" or party.place is None or not party.speaks:
            continue
        speakers = _loudspeakers_heard(analysis, party)
        if not speakers:
            continue
        leak = _leak(analysis, party, speakers)
        if leak is not None:
            yield _leaks(analysis, party, speakers, *leak)


def _loudspeakers_heard(analysis: Computed, party: Party) -> list[Device]:
    """Loudspeakers in a listener's place by which somebody else reaches it."""
    rows: dict[str, Device] = {}
    for (listener, voice), feed in analysis.feeds.items():
        if listener != party.id or voice == party.id or feed.path is None:
            continue
        for node in feed.path.nodes:
            owner = analysis.graph.nodes[node].owner
            device = next((row for row in analysis.show.devices if row.id == owner), None)
            if device is not None and device.place == party.place and is_loudspeaker(analysis.catalogue[device.kind]):
                rows[owner] = device
    return list(rows.values())


def _leak(analysis: Computed, party: Party, speakers: list[Device]) -> tuple[Delivery, SignalPath] | None:
    """The strongest way by which somebody else's voice comes back to them from those loudspeakers."""
    ids = {row.id for row in speakers}
    best: tuple[Delivery, SignalPath] | None = None
    for (listener, voice), feed in analysis.feeds.items():
        if listener != voice or voice == party.id:
            continue
        for arrival in analysis.arrivals(listener, voice):
            for path in arrival.paths:
                by_air = any(
                    step.kind is EdgeKind.LOUDSPEAKER and analysis.graph.nodes[step.source].owner in ids
                    for step in path.steps()
                )
                if by_air and (best is None or path.gain_db > best[1].gain_db):
                    best = (feed, path)
    return best


def _leaks(analysis: Computed, party: Party, speakers: list[Device], feed: Delivery, path: SignalPath) -> Finding:
    names = ", ".join(analysis.device_name(row.id) for row in speakers)
    voice = analysis.party_name(feed.voice)
    on, off = echo_cancellers(analysis, path), echo_cancellers(analysis, path, off=True)
    text = (
        f"{party.name} listens on {names}: {voice} comes back from it {show_number(path.delay_ms, 'ms')} "
        f"late, {show_number(path.gain_db, 'dB', sign=True)} on the way round."
    )
    remedies = []
    if on:
        text += f" Echo control is on in {analysis.device_name(on[0].device.id)}: leave it on while the loudspeaker is."
    elif off:
        row = off[0]
        text += f" Echo control is off in {analysis.device_name(row.device.id)}."
        remedies.append(
            Remedy(
                "echo-on",
                f"Switch on: {row.processor.name}",
                "The return is taken away while only one end talks.",
                (SetValue(row.ref, True),),
            )
        )
    else:
        text += " Nothing on the way takes it out: headphones do."
    remedies.append(_headphones(analysis, party, speakers))
    gain = total("once round", "dB", path.gain_parts(), source="gains add along the way")
    return Finding(
        "remote-on-loudspeaker",
        "note" if on else "fix",
        "Feeds",
        (party.id,),
        f"{party.name} listens on a loudspeaker",
        text,
        (Derived("gain round", path.gain_db, "dB"), Derived("delay round", path.delay_ms, "ms")),
        gain,
        tuple(remedies),
        ((feed.listener, feed.voice),),
    )


def echo_cancellers(analysis: Computed, path: SignalPath, *, off: bool = False) -> list[Working]:
    """The echo cancellers of a way that goes from a loudspeaker into a microphone: those after that microphone; with `off` those switched
    off.
    """
    place = next(
        (n for n, step in enumerate(path.steps()) if step.kind in (EdgeKind.LOUDSPEAKER, EdgeKind.LEAK)),
        None,
    )
    if place is None:
        return []
    after = SignalPath(path.graph, path.edges[place:], path.gain_db, path.delay_ms)
    return [row for row in working_in(analysis, after, off=off) if row.processor.does == "echo-canceller"]


def headphones_instead(analysis: Computed, path: SignalPath) -> tuple[Remedy, ...]:
    """Headphones for whoever far away listens on a loudspeaker by which a way comes back."""
    aloud = {analysis.graph.nodes[step.source].owner for step in path.steps() if step.kind is EdgeKind.LOUDSPEAKER}
    far = [row for row in analysis.listeners if row.kind == "remote" and row.place is not None]
    heard = ((party, _loudspeakers_heard(analysis, party)) for party in far)
    return tuple(_headphones(analysis, party, rows) for party, rows in heard if any(row.id in aloud for row in rows))


def _headphones(analysis: Computed, party: Party, speakers: Iterable[Device] = ()) -> Remedy:
    """Headphones for somebody, in the headphone socket that feeds one of the loudspeakers; where none does, they are to be plugged."""
    name = fresh_id(analysis.show, f"phones-{party.id}")
    device = Device(id=name, kind="headphones", name=f"{party.name}'s headphones", place=party.place)
    edits: list[Edit] = [AddRow("devices", device), SetField("parties", party.id, "hears_on", name)]
    socket = next(filter(None, (_headphone_socket(analysis, row.id) for row in speakers)), None)
    if socket is None:
        effect = "Plug them in Rig, or let the feed plan do it."
    else:
        there = [row for row in analysis.show.cables if row.source_socket == socket]
        edits += [Unplug(*row.ends) for row in there]
        into = next(port for port in analysis.catalogue["headphones"].inputs if port.domain != "acoustic")
        edits.append(plug(apply_all(analysis.show, tuple(edits)), analysis.catalogue, socket, f"{name}.{into.id}"))
        effect = (
            f"They take the headphone socket of {analysis.device_name(socket.partition('.')[0])}, "
            "and the loudspeaker is off it: nothing comes back by the air."
        )
    return Remedy("headphones", f"Headphones for {party.name}", effect, tuple(edits))


def _headphone_socket(analysis: Computed, device_id: str) -> str | None:
    """The headphone socket that a loudspeaker is fed from, by whatever lies between, as `device.port`; None where it is another."""
    seen: set[str] = set()
    while device_id not in seen:
        seen.add(device_id)
        cable = next((row for row in analysis.show.cables if row.target_device == device_id), None)
        if cable is None:
            return None
        source = end_of(analysis.show, analysis.catalogue, cable.source)
        if source.port.level == "headphone":
            return f"{source.device.id}.{source.port.id}"
        device_id = source.device.id
    return None


@rule("speakers-muted", stage="Feeds", reads=("levels",))
def muted_loudspeakers(analysis: Computed) -> Iterator[Finding]:
    """A place whose loudspeakers are muted by an open microphone, and somebody there without headphones (common practice of studios)."""
    for place in analysis.show.places:
        if not place.speakers_mute:
            continue
        open_here = [
            device
            for device in analysis.show.devices
            if device.place == place.id and device.id in analysis.open_microphones
        ]
        if not open_here:
            continue
        deaf = [party for party in analysis.listeners if party.place == place.id and _by_loudspeaker(analysis, party)]
        if not deaf:
            continue
        names = ", ".join(party.name for party in deaf)
        microphone = analysis.device_name(open_here[0].id)
        text = (
            f"In {place.name} an open microphone mutes the loudspeakers, and {names} "
            f"{'has' if len(deaf) == 1 else 'have'} no headphones: with {microphone} open they hear "
            "nothing. A record that runs on would go out unheard in the room."
        )
        yield Finding(
            "speakers-muted",
            "fix",
            "Feeds",
            (place.id, *(party.id for party in deaf)),
            f"{names} hears nothing while a microphone is open",
            text,
            (Derived("open microphones", len(open_here), ""),),
            None,
            tuple(_headphones(analysis, party) for party in deaf),
        )


def _by_loudspeaker(analysis: Computed, party: Party) -> bool:
    """Whether somebody listens to loudspeakers, or to the room."""
    if not party.hears_on:
        return True
    device = analysis.show.device(party.hears_device)
    return is_loudspeaker(analysis.catalogue[device.kind])


@rule("talkback-under", stage="Feeds", reads=("feeds",))
def talkback_under_programme(analysis: Computed) -> Iterator[Finding]:
    """Ears that get talkback and programme together, with the talkback not far enough on top even when the programme is dimmed."""
    crew = {party.id for party in analysis.voices if party.kind == "crew"}
    needed = figure("talkback-over")
    for party in analysis.listeners if crew else ():
        rows = [
            feed
            for (listener, voice), feed in analysis.feeds.items()
            if listener == party.id and voice != party.id and feed.gain_db is not None
        ]
        talk = [
            feed.gain_db for feed in rows if feed.voice in crew and feed.want == "hear" and feed.gain_db is not None
        ]
        programme = [
            feed.gain_db
            for feed in rows
            if feed.voice not in crew and feed.verdict != "silent" and feed.gain_db is not None
        ]
        if not talk or not programme:
            continue
        under = uncorrelated_sum_db(programme)
        dim = party.dim_db or 0.0
        over = max(talk) - (under - dim)
        if over >= needed.value:
            continue
        wish = float(max(math.ceil(dim + needed.value - over), number("dim-usual")))
        why = Derived(
            "talkback over programme",
            over,
            "dB",
            "talkback \u2212 (programme \u2212 dim)",
            (
                Derived("talkback, against the mark", max(talk), "dB"),
                Derived("programme, all voices", under, "dB", "10 lg \u03a3 10^(L/10)"),
                Derived("dim", dim, "dB", source="show: parties"),
            ),
            needed.source,
        )
        text = (
            f"In {party.name}'s ears talkback is {show_number(over, 'dB', sign=True)} against the programme; it is followed "
            f"from {needed.value:.0f} dB over it on. Dim the programme by {wish:.0f} dB while the crew talks."
        )
        remedy = Remedy(
            "dim",
            f"Dim by {wish:.0f} dB under talkback",
            f"Talkback is then {show_number(over + wish - dim, 'dB')} over the programme.",
            (SetField("parties", party.id, "dim_db", wish),),
        )
        yield Finding(
            "talkback-under",
            "fix",
            "Feeds",
            (party.id,),
            f"{party.name} cannot follow the talkback",
            text,
            (Derived("over", over, "dB"),),
            why,
            (remedy,),
        )


@rule("not-all-listed", stage="Feeds", reads=("feeds",), notes_only=True)
def not_all_listed(analysis: Computed) -> Iterator[Finding]:
    """What was not followed to its end, in a rig with more ways and loops than can be listed one by one."""
    pairs = [feed for feed in analysis.feeds.values() if not feed.whole]
    told = []
    if pairs:
        told.append(
            f"For {len(pairs)} of {len(analysis.feeds)} pairs of listener and voice the paths after the strongest were "
            "followed only so far: a second arrival near the first may not be told. Levels are whole: one solve over all paths."
        )
    if not analysis.circles.complete:
        told.append(
            f"Of the loops the {len(analysis.circles.paths)} strongest that were found are listed. Whether it howls, and the margin, "
            "are computed of all."
        )
    if told:
        figures = (Derived("pairs not followed to the end", len(pairs), ""),)
        yield Finding("not-all-listed", "note", "Feeds", (), "More paths than are listed", " ".join(told), figures)
