"""Ways by which talkback gets where it must not, and what shuts them without costing anybody a circuit or the programme a voice."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import islice

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.cuts import switch_words
from kymaphon.core.graph.signal import EdgeKind, Switch
from kymaphon.core.levels.turning import turn
from kymaphon.core.mixes.turned_down import turning_remedies
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.show import Device
from kymaphon.core.model.talk import Circuit
from kymaphon.core.talk.circuits import TalkModel
from kymaphon.core.talk.cures import MOST, changed, end_name, keeps_all, lost, opened_between, with_member
from kymaphon.core.talk.hearing import hearing_of
from kymaphon.core.talk.keys import key_ref
from kymaphon.core.talk.proofs import Leak, air_proof
from kymaphon.core.talk.through_air import ThroughAir, through_air


def shut(analysis: Computed, circuit: Circuit, speaker: str, leak: Leak) -> Iterator[Remedy]:
    """Ways to shut a leak that cost nobody their talkback: keys that were left down first, then crosspoints and mutes, each tried."""
    count = 0

    def still_shut(after: Computed) -> bool:
        return not _leaks_still(after, circuit.id, speaker, leak)

    for switch in _on_the_way(analysis, circuit, speaker, leak.edges):
        if count == MOST:
            return
        edits: tuple[Edit, ...] = (SetValue(switch.ref, not switch.now),)
        after, label = changed(analysis, edits), _shutting(switch)
        if not still_shut(after):
            continue
        if lost(analysis, after):
            given = _given_back(analysis, edits) if switch.key else ()
            edits, label = (*edits, *(edit for row in given for edit in row.edits)), _and_then(label, given)
            after = changed(analysis, edits)
            if not given or lost(analysis, after) or not still_shut(after):
                continue
        if not _keeps_programme(analysis, after):
            continue
        count += 1
        yield Remedy(
            f"shut-{switch.ref.device}-{switch.ref.key}",
            label,
            f"What {analysis.party_name(speaker)} says on {circuit.called} then comes no more to "
            f"{end_name(analysis, leak.target)}.",
            edits,
        )


@reading("feeds")
def _known(_: Computed) -> dict[tuple[Edit, ...], tuple[Remedy, ...]]:
    """What was found by `_given_back` for this show already: the same key is behind several findings."""
    return {}


def _given_back(before: Computed, shut_edits: tuple[Edit, ...]) -> tuple[Remedy, ...]:
    """What opens another way for who lost somebody on a circuit by what was shut, one after the other, and keeps it from ringing; none where
    that cannot be.
    """
    known = before.once(_known)
    if shut_edits not in known:
        known[shut_edits] = _look_for_ways(before, shut_edits)
    return known[shut_edits]


def _look_for_ways(before: Computed, shut_edits: tuple[Edit, ...]) -> tuple[Remedy, ...]:
    out: list[Remedy] = []
    closed = {edit.ref for edit in shut_edits if isinstance(edit, SetValue)}
    now = changed(before, shut_edits)
    while gone := lost(before, now):
        circuit_id, speaker, listener = gone[0]
        circuit, party = before.once(hearing_of).model.circuit(circuit_id), before.show.party(listener)
        found = next(opened_between(now, circuit, speaker, party, closed), None) if len(out) < MOST else None
        if found is None:
            return ()
        out.append(found)
        now = changed(now, found.edits)
    return (*out, *_kept_from_ringing(before, now)) if out else ()


def _kept_from_ringing(before: Computed, now: Computed) -> tuple[Remedy, ...]:
    """The least turn of one knob that keeps every key as far from howling as it has to be, or was; none where none is needed."""
    was, models = before.once(hearing_of).model, now.once(hearing_of).model
    nearer = [
        state
        for key, state in models.states.items()
        if models.stability(state).margin_db < min(number("loop-margin"), was.stability(was.states[key]).margin_db)
    ]
    if not nearer:
        return ()
    worst = min(nearer, key=lambda state: models.stability(state).margin_db)
    rows = islice(turning_remedies(models.transfer(worst), ""), MOST)
    return tuple(islice((row for row in rows if not lost(before, changed(now, row.edits))), 1))


def _and_then(label: str, rows: tuple[Remedy, ...]) -> str:
    return "; ".join((label, *(row.label[:1].lower() + row.label[1:] for row in rows)))


def quieter_through_air(analysis: Computed, row: ThroughAir) -> Iterator[Remedy]:
    """What ends a way through the air: keys left down, crosspoints and mutes on it, each tried; then less at what it comes out of."""
    circuit = analysis.once(hearing_of).model.circuit(row.circuit)
    where = end_name(analysis, row.target)

    def silent(after: Computed) -> bool:
        return not any(one.heard and (one.speaker, one.circuit, one.target) == key for one in after.once(through_air))

    def ends_it(edits: tuple[Edit, ...]) -> bool:
        after = changed(analysis, edits)
        return silent(after) and keeps_all(analysis, after) and _keeps_programme(analysis, after)

    key, count = (row.speaker, row.circuit, row.target), 0
    effect = f"What {analysis.party_name(row.speaker)} says on {circuit.called} is then not heard at {where}."
    for switch in _on_the_way(analysis, circuit, row.speaker, row.edges):
        edits: tuple[Edit, ...] = (SetValue(switch.ref, not switch.now),)
        given = _given_back(analysis, edits) if switch.key and count < MOST else ()
        edits = (*edits, *(edit for one in given for edit in one.edits))
        if count < MOST and ends_it(edits):
            count += 1
            label = _and_then(_shutting(switch), given)
            yield Remedy(f"shut-{switch.ref.device}-{switch.ref.key}", label, effect, edits)
    need = number("air-leak-heard") - row.under_db
    for i in reversed(row.edges):
        for knob in analysis.graph.edges[i].knobs:
            edit = turn(knob, -math.ceil(need + 0.1))
            if edit is not None and knob.ref.device == row.source and ends_it((edit,)):
                label = f"{knob.label} to {show_number(float(str(edit.value)), 'dB', sign=True)}"
                yield Remedy(f"down-{knob.ref.device}-{knob.ref.key}", label, effect, (edit,))


def private_again(analysis: Computed, circuit: Circuit, speaker: str) -> Remedy | None:
    """What shuts every way by which others hear somebody on a private circuit, one switch after the other, keys left down first; None
    where that would cost somebody their talkback or the programme a voice.
    """
    done: list[Switch] = []
    now = analysis
    for _ in range(2 * MOST):
        rows = overheard(now.once(hearing_of).model, circuit.id, speaker)
        if not rows:
            break
        target = next(iter(rows))
        switch = _to_shut(now, circuit, speaker, rows[target])
        if switch is None:
            return None
        done.append(switch)
        edits = tuple(SetValue(row.ref, not row.now) for row in done)
        now = changed(analysis, edits)
    else:
        return None
    shut_: tuple[Edit, ...] = tuple(SetValue(row.ref, not row.now) for row in done)
    given = _given_back(analysis, shut_)
    all_of_it = (*shut_, *(edit for row in given for edit in row.edits))
    if given and overheard(changed(analysis, all_of_it).once(hearing_of).model, circuit.id, speaker):
        given, all_of_it = (), shut_
    return Remedy(
        f"private-{circuit.id}-{speaker}",
        _and_then("; ".join(_shutting(row) for row in done), given),
        f"Nobody but those on {circuit.called} then hears {analysis.party_name(speaker)} on it.",
        all_of_it,
    )


def _to_shut(analysis: Computed, circuit: Circuit, speaker: str, way: tuple[int, ...]) -> Switch | None:
    """A switch on a way that can be shut without anybody losing a circuit or the programme a voice: a key that was left down first."""
    for switch in _on_the_way(analysis, circuit, speaker, way):
        after = changed(analysis, (SetValue(switch.ref, not switch.now),))
        if keeps_all(analysis, after) and _keeps_programme(analysis, after):
            return switch
    return None


def _on_the_way(analysis: Computed, circuit: Circuit, speaker: str, way: tuple[int, ...]) -> list[Switch]:
    """Switches that let something pass on a way, but for the speaker's own key: keys that were left down first, mutes last."""
    member = circuit.member(speaker)
    mine = key_ref(analysis, member.key if member is not None else None)
    rows = {row.ref: row for i in way for row in analysis.graph.edges[i].switches if row.ref != mine and row.passes}
    return sorted(rows.values(), key=lambda row: (not row.key, row.ref.field == "mute"))


def _shutting(switch: Switch) -> str:
    return f"Release {switch.label}" if switch.key else switch_words(switch)


def _leaks_still(after: Computed, circuit: str, speaker: str, leak: Leak) -> bool:
    model = after.once(hearing_of).model
    proof = air_proof(after, model.circuit(circuit), speaker)
    return any(row.target == leak.target for row in proof.now) or leak.target in overheard(model, circuit, speaker)


def _keeps_programme(before: Computed, after: Computed) -> bool:
    """Whether everything that was wanted and came still comes."""
    return all(
        feed.want != "hear" or feed.verdict == "missing" or after.feeds[key].verdict != "missing"
        for key, feed in before.feeds.items()
        if key in after.feeds
    )


def _own_boxes(analysis: Computed, circuit: Circuit, speaker: str) -> Iterator[Device]:
    """Devices that somebody's own microphone is plugged into or is: those by which they come to any circuit or to air first."""
    graph, show = analysis.graph, analysis.show
    mouth = graph.mouths[speaker][0]
    mics = {
        graph.nodes[edge.target].owner for edge in graph.edges if edge.source == mouth and edge.kind is EdgeKind.SPEAKS
    }
    boxes = mics | {row.target_device for row in show.cables if row.source_device in mics}
    own = {row.id for row in show.devices if row.party == speaker} | {
        key.device for row in show.circuits if (found := row.member(speaker)) and (key := key_ref(analysis, found.key))
    }
    for device in show.devices:
        if device.id in boxes | own and device.party in (None, speaker):
            yield device


def key_for(analysis: Computed, circuit: Circuit, speaker: str) -> Iterator[Remedy]:
    """Another key of a box that is the speaker's own, that takes them off air while it is down; tried. Nobody is sent to somebody else's box."""
    member = circuit.member(speaker)
    if member is None or (circuit.id, speaker) not in analysis.once(hearing_of).model.states:
        return
    for device in _own_boxes(analysis, circuit, speaker):
        for key in analysis.catalogue[device.kind].keys:
            name = f"{device.id}.{key.id}"
            if not (key.closes and key.opens) or name == member.key:
                continue
            edits = (with_member(circuit, speaker, key=name),)
            after = changed(analysis, edits)
            now = after.once(hearing_of).model.circuit(circuit.id)
            if air_proof(after, now, speaker).proven and keeps_all(analysis, after):
                yield Remedy(
                    f"key-{device.id}-{key.id}",
                    f"{analysis.party_name(speaker)} talks by {analysis.device_name(device.id)}, {key.name}",
                    "It takes the microphone off air while it is down, in every position of the other keys.",
                    edits,
                )


def overheard(model: TalkModel, circuit_id: str, speaker: str) -> dict[str, tuple[int, ...]]:
    """Who else gets by wire what somebody says on a circuit while their key is down, with the steps of it; nobody who is on it."""
    analysis = model.analysis
    circuit = model.circuit(circuit_id)
    state = model.states.get((circuit_id, speaker))
    if state is None:
        return {}
    reached = model.wired(state)
    out = {}
    for party in analysis.listeners:
        if party.id == speaker or circuit.member(party.id) is not None:
            continue
        nodes = [node for node in analysis.graph.ears[party.id] if node in reached]
        if nodes:
            edges, _ = model.strongest(state, analysis.graph.mouths[speaker][0], nodes[0])
            out[party.id] = edges
    return out
