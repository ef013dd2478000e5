"""Who should hear a circuit and has no path to it, who speaks on it and gets to nobody, and what joins them: leads that are missing or
exchanged.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.edits import Plug
from kymaphon.core.model.ends import End, ends_of
from kymaphon.core.model.findings import Remedy
from kymaphon.core.model.show import Cable
from kymaphon.core.model.talk import Circuit
from kymaphon.core.talk.circuits import KeyState
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.talk.reach import beside
from kymaphon.core.wiring.exchanged import Miss, exchanges, meant_after, meant_before, miss_of
from kymaphon.core.wiring.fit import fit_of

MOST_TRIED = 24
"""So many leads from open outputs to free inputs are looked at."""


@dataclass(frozen=True, slots=True)
class DeadEnds:
    """Of one circuit: ids of parties to whom nobody on it comes, and of those who get to nobody."""

    deaf: tuple[str, ...]
    mute: tuple[str, ...]

    def concerns(self, speaker: str, listener: str) -> bool:
        """Whether a way that does not come is one of these."""
        return listener in self.deaf or speaker in self.mute


def dead_ends(hearing: TalkHearing, circuit: Circuit) -> DeadEnds:
    """Whose words come to nobody on a circuit, and to whom nobody's come, of those who are on it to hear or to speak."""
    names = {row.id for row in hearing.model.analysis.show.parties}
    rows = [row for row in circuit.members if row.party in names]
    hear = [row.party for row in rows if row.hears and any(one.speaks for one in rows if one is not row)]
    speak = [row.party for row in rows if row.speaks and any(one.hears for one in rows if one is not row)]
    deaf = (name for name in hear if not any(_comes(hearing, row) for row in hearing.to(circuit.id, name)))
    mute = (name for name in speak if not any(_comes(hearing, row) for row in hearing.from_(circuit.id, name)))
    return DeadEnds(tuple(deaf), tuple(mute))


def _comes(hearing: TalkHearing, row: Hearing) -> bool:
    """Whether somebody comes to somebody: over the rig, by telephone, or because they stand beside each other; not across a place alone."""
    if not row.way.heard or not row.by_air:
        return row.way.heard
    show = hearing.model.analysis.show
    return beside(show.party(row.way.speaker), show.party(row.way.listener))


def misses_of(hearing: TalkHearing, circuit: Circuit) -> Iterator[Miss]:
    """What is missing on a circuit between each who speaks and each who should hear, where that is a dead end."""
    model = hearing.model
    dead = dead_ends(hearing, circuit)
    for (name, speaker, listener), row in hearing.rows.items():
        state = model.states.get((circuit.id, speaker))
        if name != circuit.id or _comes(hearing, row) or state is None or not dead.concerns(speaker, listener):
            continue
        nodes = model.nodes_of(listener, circuit.member(listener))
        if nodes:
            yield Miss(model.intended(state), meant_before(model.transfer(state).graph, nodes))


def exchange_remedies(analysis: Computed) -> Iterator[Remedy]:
    """Two leads in each other's sockets, by everything that is missing anywhere: of the programme and of every circuit."""
    rows = [
        miss_of(analysis, feed.voice, feed.listener) for feed in analysis.feeds.values() if feed.verdict == "missing"
    ]
    hearing = analysis.once(hearing_of)
    misses = [row for row in rows if row is not None]
    for circuit in analysis.show.circuits:
        misses += misses_of(hearing, circuit)
    yield from exchanges(analysis, misses)


def ends_at(analysis: Computed, hearing: TalkHearing, circuit: Circuit, speaker: str) -> End | None:
    """Where a voice ends on its way to a circuit: an output that it comes to with the key down, and that nothing is plugged into."""
    state = hearing.model.states.get((circuit.id, speaker))
    rows = _open_outputs(analysis, hearing, state) if state is not None else []
    return rows[0] if rows else None


def _open_outputs(analysis: Computed, hearing: TalkHearing, state: KeyState) -> list[End]:
    """Outputs that are reached with the keys down and not without, on a talkback box, with nothing in them; the furthest first."""
    model, graph = hearing.model, analysis.graph
    used = {row.source_socket for row in analysis.show.cables}
    opened = frozenset(graph.edges[row.edge].target for row in state.opened)
    reach = model.intended(state)
    onward = meant_after(graph, opened) if opened else reach
    out = []
    for end in ends_of(analysis.show, analysis.catalogue, "output"):
        node = graph.index.get(end.ref)
        if end.side or end.port.domain != "analog" or end.ref in used or node is None or end.port.ear:
            continue
        if end.kind.is_talkback and end.level == "line" and node in reach and node in onward:
            out.append(end)
    return out


def lead_remedies(analysis: Computed, hearing: TalkHearing, circuit: Circuit) -> Iterator[Remedy]:
    """One lead from where a voice ends to a free input that leads to who should hear it; the other direction of a lead that is there first."""
    rows: list[tuple[bool, End, End, str, str]] = []
    dead = dead_ends(hearing, circuit)
    model, taken = hearing.model, {row.target_socket for row in analysis.show.cables}
    back = {(row.target_device, row.source_device) for row in analysis.show.cables}
    free = [
        end
        for end in ends_of(analysis.show, analysis.catalogue, "input")
        if end.kind.is_talkback and not end.side and end.level == "line" and end.ref not in taken
    ]
    for (name, speaker), state in model.states.items():
        outs = _open_outputs(analysis, hearing, state) if name == circuit.id else []
        for member in circuit.members if outs else ():
            if member.party == speaker or not member.hears or not dead.concerns(speaker, member.party):
                continue
            leads = meant_before(model.transfer(state).graph, model.nodes_of(member.party, member))
            rows += [
                ((out.device.id, end.device.id) not in back, out, end, speaker, member.party)
                for out in outs
                for end in free
                if analysis.graph.index.get(end.ref) in leads
                and end.device.id != out.device.id
                and fit_of(out, end).works
            ]
    for _, out, end, speaker, listener in sorted(rows, key=lambda row: row[0])[:MOST_TRIED]:
        yield Remedy(
            f"lead-{out.ref}-{end.ref}",
            f"Plug {out.name} into {end.name}",
            f"{analysis.party_name(listener)} then hears {analysis.party_name(speaker)} on {circuit.called}.",
            (Plug(Cable(source=out.ref, target=end.ref)),),
        )
