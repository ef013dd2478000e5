"""Talkback that gets to air through the air: out of a loudspeaker, or from an ear that leaks, into a microphone that is open; with a level.

By wire a way can be shut for certain (`proofs`). Sound in a room always comes a little, so that here it is a figure: how far under what is
on air. With the keys as they stand and the speaker's own down.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed, reading
from kymaphon.core.figures import number
from kymaphon.core.graph.signal import ACOUSTIC, EdgeKind
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.talk.circuits import TalkModel
from kymaphon.core.talk.hearing import hearing_of
from kymaphon.core.talk.proofs import ON_AIR

_AIR = frozenset(ACOUSTIC - {EdgeKind.SPEAKS})


@dataclass(frozen=True, slots=True)
class ThroughAir:
    """What of somebody's talk on a circuit gets to air by sound in a room.

    Attributes:
        target: id of the audience or recorder; of a private circuit of whoever else hears it.
        under_db: so far under the loudest voice that is wanted there, or under the mark where none comes; below 0 over it.
        under: id of that voice; empty for the mark.
        source, into: ids of what it comes out of and of the microphone that it gets into.
        edges: the strongest way, as positions in the graph.
    """

    circuit: str
    speaker: str
    target: str
    under_db: float
    under: str
    source: str
    into: str
    edges: tuple[int, ...]

    @property
    def heard(self) -> bool:
        """Whether somebody who listens hears it."""
        return self.under_db < number("air-leak-heard")


@reading("feeds")
def through_air(analysis: Computed) -> tuple[ThroughAir, ...]:
    """Every such way that comes to `air-leak-told` under what is on air or louder; ask by `Computed.once`."""
    model = analysis.once(hearing_of).model
    out = []
    for party in analysis.listeners:
        nodes, on_air = analysis.graph.ears.get(party.id, ()), party.kind in ON_AIR
        if not nodes:
            continue
        level, under = _loudest(analysis, party.id) if on_air else (0.0, "")
        for circuit, speaker in model.states:
            asked = model.circuit(circuit)
            if asked.member(party.id) is None and (on_air or asked.private) and party.id != speaker:
                found = _to(model, circuit, speaker, party.id, nodes, level, under)
                if found is not None and found.under_db < number("air-leak-told"):
                    out.append(found)
    return tuple(out)


def _loudest(analysis: Computed, listener: str) -> tuple[float, str]:
    """The loudest voice that is wanted somewhere, against the mark there, and its id; the mark itself where none comes."""
    rows = [
        (feed.gain_db, feed.voice)
        for feed in analysis.feeds.values()
        if feed.listener == listener and feed.want == "hear" and feed.gain_db is not None
        if analysis.show.party(feed.voice).kind not in (*NO_SPEECH, "instrument")
    ]
    return max(rows, default=(0.0, ""))


def _to(
    model: TalkModel, circuit: str, speaker: str, target: str, nodes: tuple[int, ...], level: float, under: str
) -> ThroughAir | None:
    analysis, state = model.analysis, model.states[circuit, speaker]
    graph = analysis.graph
    mouth, said = graph.mouths[speaker]
    powers = model.powers(state, [mouth], list(nodes))
    if powers is None or not powers.max(initial=0.0) > 0:
        return None
    best = max(range(len(nodes)), key=lambda n: float(powers[n, 0]))
    steps, _ = model.strongest(state, mouth, nodes[best])
    rows = [graph.edges[i] for i in steps]
    air = next((n for n, edge in enumerate(rows) if edge.kind in _AIR), None)
    # What the room brings into open microphones without any key is bleed, which Feeds and Cast tell of.
    if air is None or not any(switch.key for edge in rows[:air] for switch in edge.switches):
        return None
    mark = model.mark(target, graph.nodes[nodes[best]].unit)
    gain = said.value + 10 * math.log10(float(powers[best, 0])) - mark
    ends = graph.nodes[rows[air].source].owner, graph.nodes[rows[air].target].owner
    return ThroughAir(circuit, speaker, target, level - gain, under, *ends, tuple(steps))


def under_words(analysis: Computed, row: ThroughAir) -> str:
    """How it comes, in words: `through Loudspeaker and Microphone, 10.7 dB under Ann`."""
    ids = {device.id for device in analysis.show.devices}
    ways = [analysis.device_name(name) for name in dict.fromkeys((row.source, row.into)) if name in ids]
    what = analysis.party_name(row.under) if row.under else "the mark"
    over = "under" if row.under_db >= 0 else "over"
    return f"through the air by {' and '.join(ways) or 'the room'}, {abs(row.under_db):.1f} dB {over} {what}"
