"""What mends a circuit: edits that are tried on the show before they are offered."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.graph.signal import Knob
from kymaphon.core.model.edits import AddRow, Edit, Plug, SetField, SetValue, apply_all
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Cable, Device, Party
from kymaphon.core.model.talk import Circuit, CircuitMember
from kymaphon.core.talk.hearing import Explained, Hearing, hearing_of
from kymaphon.core.talk.intelligible import index_of, limit, verdict_of
from kymaphon.core.talk.proofs import ON_AIR
from kymaphon.core.talk.reach import beside
from kymaphon.core.wiring.exchanged import meant_before

MOST = 3
MOST_OPENED = 8
"""So many switches are tried to give somebody back what they lost."""


def changed(analysis: Computed, edits: tuple[Edit, ...]) -> Computed:
    """The figures of the show once it is edited. Raises what the edits raise."""
    return without_rules(apply_all(analysis.show, edits), analysis.catalogue)


def with_member(circuit: Circuit, party: str, **changes: object) -> SetField:
    """An edit of one member's place on a circuit; who is not on it yet is added."""
    rows = [row.with_(**changes) if row.party == party else row for row in circuit.members]
    if circuit.member(party) is None:
        rows.append(CircuitMember.model_validate({"party": party, **changes}))
    return SetField("circuits", circuit.id, "members", tuple(rows))


def keeps_all(before: Computed, after: Computed) -> bool:
    """Whether nobody loses a circuit: who could follow somebody on it still can, and who was followed by somebody still is."""
    heard, kept = (_usable(rows, "listener") for rows in (before, after))
    spoke, left = (_usable(rows, "speaker") for rows in (before, after))
    return heard <= kept and spoke <= left


def lost(before: Computed, after: Computed) -> list[tuple[str, str, str]]:
    """(circuit, speaker, listener) of who could follow whom and no longer can, or only poorly."""
    kept = after.once(hearing_of).rows
    return [
        key
        for key, row in before.once(hearing_of).rows.items()
        if row.usable and ((now := kept.get(key)) is None or not now.usable or (now.verdict == "poor" != row.verdict))
    ]


def opened_between(
    analysis: Computed, circuit: Circuit, speaker: str, party: Party, but: Collection[SettingRef] = ()
) -> Iterator[Remedy]:
    """Crosspoints that are off between one who speaks on a circuit and one who should hear them on it, each tried, what is followed best
    first: none that costs anybody, nor one that leads on to air.
    """
    from kymaphon.core.graph.cuts import switch_words

    model = analysis.once(hearing_of).model
    state, nodes = model.states.get((circuit.id, speaker)), model.nodes_of(party.id, circuit.member(party.id))
    if state is None or not nodes:
        return
    graph = model.transfer(state).graph
    air = [node for row in analysis.listeners if row.kind in ON_AIR for node in graph.ears.get(row.id, ())]
    reach, leads = model.intended(state), meant_before(graph, nodes) - meant_before(graph, air)
    keys = {
        row.ref: row
        for edge in graph.edges
        if edge.source in reach and edge.target in leads
        for row in edge.switches
        if row.key and not row.passes
    }
    rows = [row for row in keys.values() if row.ref not in but]
    found: list[tuple[float, Remedy]] = []
    for switch in rows[:MOST_OPENED]:
        edits = (SetValue(switch.ref, not switch.now),)
        after = changed(analysis, edits)
        row = after.once(hearing_of).rows.get((circuit.id, speaker, party.id))
        if row is not None and row.usable and not lost(analysis, after):
            effect = f"{party.name} then hears {analysis.party_name(speaker)} on {circuit.called}."
            name = f"open-{switch.ref.device}-{switch.ref.key}"
            found.append((row.index or 0.0, Remedy(name, switch_words(switch), effect, edits)))
    yield from (remedy for _, remedy in sorted(found, key=lambda pair: -pair[0]))


def _usable(analysis: Computed, who: str) -> set[tuple[str, str]]:
    return {(row.way.circuit, getattr(row.way, who)) for row in analysis.once(hearing_of).rows.values() if row.usable}


# for who hears nothing


def let_hear(analysis: Computed, circuit: Circuit, party: Party) -> Remedy | None:
    """Somebody who may not hear a circuit and could: put down as hearing it. None where nothing would come even then."""
    member = circuit.member(party.id)
    if member is None or member.hears:
        return None
    edits = (with_member(circuit, party.id, hears=True),)
    best = changed(analysis, edits).once(hearing_of).best_to(circuit.id, party.id)
    if best is None or not best.usable:
        return None
    return Remedy(
        f"hears-{party.id}",
        f"{party.name} hears {circuit.called}",
        "It comes to them already; nothing has to be plugged.",
        edits,
    )


def pack_for(analysis: Computed, circuit: Circuit, party: Party) -> Remedy | None:
    """A pack and a headset on a free socket of a station or matrix to which the circuit comes already."""
    for device, out, back in _free_sockets(analysis, circuit):
        edits = _pack_edits(analysis, circuit, party, device, out, back)
        after = changed(analysis, edits)
        best = after.once(hearing_of).best_to(circuit.id, party.id)
        if best is None or not best.usable or not keeps_all(analysis, after):
            continue
        where = f"{analysis.device_name(device.id)}, {_port_name(analysis, device, out)}"
        answered = any(row.usable for row in after.once(hearing_of).from_(circuit.id, party.id))
        answers = " and answers by its key" if back and answered else ", and cannot answer on it"
        return Remedy(
            f"pack-{party.id}-{circuit.id}",
            f"A pack and a headset for {party.name} on {where}",
            f"{party.name} then hears {circuit.called}{answers}.",
            edits,
        )
    return None


def _free_sockets(analysis: Computed, circuit: Circuit) -> Iterator[tuple[Device, str, str]]:
    """Talkback boxes with an unused line output to which some speaker of the circuit comes, and the input that answers go back by."""
    model = analysis.once(hearing_of).model
    used = {row.source_socket for row in analysis.show.cables} | {row.target_socket for row in analysis.show.cables}
    reached = [model.reach(state) for (name, _), state in model.states.items() if name == circuit.id]
    for device in analysis.show.devices:
        kind = analysis.catalogue[device.kind]
        if not kind.is_talkback:
            continue
        for port in kind.outputs:
            node = analysis.graph.index.get(f"{device.id}.{port.id}")
            if port.level != "line" or port.domain != "analog" or f"{device.id}.{port.id}" in used or node is None:
                continue
            if any(node in rows for rows in reached):
                back = port.id.replace("out", "in")
                good = kind.port(back) in kind.inputs and f"{device.id}.{back}" not in used
                yield device, port.id, back if good else ""


def _pack_edits(
    analysis: Computed, circuit: Circuit, party: Party, device: Device, out: str, back: str
) -> tuple[Edit, ...]:
    show = analysis.show
    pack = fresh_id(show, f"pack-{party.id}")
    worn = fresh_id(show, f"set-{party.id}")
    rows: list[Edit] = [
        AddRow("devices", Device(id=pack, kind="beltpack", name=f"{party.name}'s pack", place=party.place)),
        AddRow(
            "devices",
            Device(id=worn, kind="talk-headset", name=f"{party.name}'s headset", place=party.place, party=party.id),
        ),
        Plug(Cable(source=f"{device.id}.{out}", target=f"{pack}.line-in")),
        Plug(Cable(source=f"{pack}.phones", target=f"{worn}.in")),
        Plug(Cable(source=f"{worn}.mic", target=f"{pack}.headset-mic")),
    ]
    if back:
        rows.append(Plug(Cable(source=f"{pack}.line-out", target=f"{device.id}.{back}")))
    member: dict[str, object] = {"hears": True, "by": "headphones", "key": f"{pack}.talk" if back else None}
    if back:
        member |= {"speaks": True, "spoken_for_by": None}
    if party.hears_on is None:
        rows.append(SetField("parties", party.id, "hears_on", worn))
    else:
        member["hears_on"] = worn
    if not party.listens:
        rows.append(SetField("parties", party.id, "listens", True))
    if back and not party.speaks:
        rows.append(SetField("parties", party.id, "speaks", True))
    return (*rows, with_member(circuit, party.id, **member))


def lamp_for(analysis: Computed, circuit: Circuit, party: Party) -> Remedy:
    """A lamp that tells somebody to stand by and to go."""
    lamp = fresh_id(analysis.show, f"lamp-{party.id}")
    row = Device(id=lamp, kind="cue-light", name=f"{party.name}'s cue lamp", place=party.place)
    return Remedy(
        f"lamp-{party.id}",
        f"A cue lamp for {party.name}",
        f"{party.name} then sees when to stand by and when to go; words still do not come.",
        (AddRow("devices", row), with_member(circuit, party.id, cue_light=lamp)),
    )


def opened_for(analysis: Computed, circuit: Circuit, party: Party) -> Iterator[Remedy]:
    """Switches that are off between who speaks on a circuit and who should hear it, each tried."""
    from kymaphon.core.graph.cuts import candidate_switches, switch_words

    model = analysis.once(hearing_of).model
    nodes = model.nodes_of(party.id, circuit.member(party.id))
    for (name, speaker), state in model.states.items():
        if name != circuit.id or not nodes or speaker == party.id:
            continue
        graph = model.transfer(state).graph
        for switch in candidate_switches(graph, graph.mouths[speaker][0], nodes):
            edits = (SetValue(switch.ref, not switch.now),)
            after = changed(analysis, edits)
            found = after.once(hearing_of).best_to(circuit.id, party.id)
            if found is not None and found.usable and keeps_all(analysis, after):
                yield Remedy(
                    f"open-{switch.ref.device}-{switch.ref.key}",
                    switch_words(switch),
                    f"{party.name} then hears {circuit.called}.",
                    edits,
                )


# for who cannot answer


def relay_for(analysis: Computed, circuit: Circuit, party: Party) -> Remedy | None:
    """Somebody of the circuit who stands beside them and can answer."""
    hearing = analysis.once(hearing_of)
    for row in circuit.members:
        other = next((who for who in analysis.show.parties if who.id == row.party), None)
        if other is None or other.id == party.id or not row.speaks or not beside(party, other):
            continue
        if any(found.usable for found in hearing.from_(circuit.id, other.id)):
            return Remedy(
                f"relay-{party.id}",
                f"{other.name} answers for {party.name}",
                f"{other.name} stands beside {party.name}, hears {circuit.called} and can answer on it.",
                (with_member(circuit, party.id, spoken_for_by=other.id),),
            )
    return None


# for who cannot follow it


def follow(analysis: Computed, circuit: Circuit, row: Hearing) -> Iterator[Remedy]:
    """What makes talkback followed in an ear: its knob, or the programme taken further down while it is talked."""
    listener = analysis.show.party(row.way.listener)
    hearing = analysis.once(hearing_of)
    told = hearing.explain(row)
    need = _rise_db(told, narrow=row.narrow) if told is not None else None
    for knob in _own_knobs(analysis, row):
        if need is None or row.way.level_db is None:
            break
        to = knob.snap(knob.value + need)
        if to < knob.value + need:
            to = knob.snap(min(to + knob.step, knob.highest))
        if to + 0.5 < knob.value + need:
            continue
        edits = (SetValue(knob.ref, to),)
        after = changed(analysis, edits).once(hearing_of).of(circuit.id, row.way.speaker, listener.id)
        if after is not None and after.verdict in ("good", "fair"):
            yield Remedy(
                f"louder-{knob.ref.device}-{knob.ref.key}",
                f"{knob.label} to {show_number(to, 'dB')}",
                f"Talkback is then {row.way.level_db + to - knob.value:.0f} dB SPL in {listener.name}'s ear, "
                f"and its index {after.index or 0.0:.2f}.",
                edits,
            )
            break
    yield from _dimmed_further(analysis, circuit, row, listener)


def _dimmed_further(analysis: Computed, circuit: Circuit, row: Hearing, listener: Party) -> Iterator[Remedy]:
    if listener.hears_on is None:
        return
    usual, most = limit("dim_db"), limit("deepest_dim_db")
    for depth in (usual, usual + 10, most):
        if depth <= row.dimmed_db:
            continue
        edits = (SetField("circuits", circuit.id, "dim_db", depth),)
        after = changed(analysis, edits).once(hearing_of).of(circuit.id, row.way.speaker, listener.id)
        if after is not None and after.verdict in ("good", "fair"):
            yield Remedy(
                f"dim-{circuit.id}",
                f"{circuit.called} dims what else is in these ears by {depth:.0f} dB",
                f"Its index is then {after.index or 0.0:.2f} in {listener.name}'s ear.",
                edits,
            )
            return


def _rise_db(told: Explained, *, narrow: bool) -> float | None:
    """So many decibels more and it is followed well, or as well as can be; None where no level that ears bear does it."""
    best: float | None = None
    for more in range(1, 61):
        level = Derived("talkback", told.level.value + more, told.level.unit)
        verdict = verdict_of(index_of(level, told.maskers, narrow=narrow).value)
        if level.value > limit("loudest_db"):
            break
        if verdict == "good":
            return float(more)
        if verdict == "fair" and best is None:
            best = float(more)
    return best


def _own_knobs(analysis: Computed, row: Hearing) -> Iterator[Knob]:
    """Knobs on the way that are the listener's alone, nearest to the ear first: on the box that they listen on, or the one before it."""
    steps, _ = analysis.once(hearing_of).model.steps(row.way)
    edges = [analysis.graph.edges[i] for i in steps]
    ids = {device.id for device in analysis.show.devices}
    owners = [analysis.graph.nodes[edge.source].owner for edge in reversed(edges)]
    near = [name for name in dict.fromkeys(owners) if name in ids][:2]
    for edge in reversed(edges):
        if analysis.graph.nodes[edge.source].owner in near:
            yield from (knob for knob in edge.knobs if knob.highest > knob.lowest and not knob.own)


def end_name(analysis: Computed, target: str) -> str:
    """A listener or a loudspeaker by its name."""
    party = next((row for row in analysis.show.parties if row.id == target), None)
    return party.name if party is not None else analysis.device_name(target)


def _port_name(analysis: Computed, device: Device, port_id: str) -> str:
    port = analysis.catalogue[device.kind].port(port_id)
    return port.name if port is not None else port_id
