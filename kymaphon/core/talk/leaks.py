"""Ways by which talkback gets where it must not, and what shuts them without costing anybody a circuit or the programme a voice."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.graph.cuts import switch_words
from kymaphon.core.graph.signal import EdgeKind, Switch
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.show import Device
from kymaphon.core.model.talk import Circuit
from kymaphon.core.talk.circuits import TalkModel
from kymaphon.core.talk.cures import MOST, changed, end_name, keeps_all, with_member
from kymaphon.core.talk.hearing import hearing_of
from kymaphon.core.talk.keys import key_ref
from kymaphon.core.talk.proofs import Leak, air_proof


def shut(analysis: Computed, circuit: Circuit, speaker: str, leak: Leak) -> Iterator[Remedy]:
    """Ways to shut a leak that cost nobody their talkback: keys that were left down first, then crosspoints and mutes, each tried."""
    count = 0
    for switch in _on_the_way(analysis, circuit, speaker, leak.edges):
        if count == MOST:
            return
        edits = (SetValue(switch.ref, not switch.now),)
        after = changed(analysis, edits)
        if _leaks_still(after, circuit.id, speaker, leak) or not keeps_all(analysis, after):
            continue
        if not _keeps_programme(analysis, after):
            continue
        count += 1
        yield Remedy(
            f"shut-{switch.ref.device}-{switch.ref.key}",
            _shutting(switch),
            f"What {analysis.party_name(speaker)} says on {circuit.called} then comes no more to "
            f"{end_name(analysis, leak.target)}.",
            edits,
        )


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
    edits = tuple(SetValue(row.ref, not row.now) for row in done)
    return Remedy(
        f"private-{circuit.id}-{speaker}",
        "; ".join(_shutting(row) for row in done),
        f"Nobody but those on {circuit.called} then hears {analysis.party_name(speaker)} on it.",
        edits,
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
