"""Rules about talk keys: where they let somebody's words get that must not hear them, and keys that stay down."""

from __future__ import annotations

from collections.abc import Iterator

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived
from kymaphon.core.figures import number
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.talk import Circuit
from kymaphon.core.rules.record import rule
from kymaphon.core.talk.circuits import talk_of
from kymaphon.core.talk.cures import end_name, with_member
from kymaphon.core.talk.dead import exchange_remedies
from kymaphon.core.talk.keys import can_be_momentary, key_action, key_ref, key_words
from kymaphon.core.talk.leaks import key_for, overheard, private_again, quieter_through_air, shut
from kymaphon.core.talk.proofs import ON_AIR, Leak, air_proofs
from kymaphon.core.talk.through_air import ThroughAir, through_air, under_words
from kymaphon.core.words import counted


@rule("talk-on-air", "talk-can-reach-air", stage="Talk", reads=("feeds", "programme"))
def talk_on_air(analysis: Computed) -> Iterator[Finding]:
    """Talkback that gets to air, a recorder or a room's loudspeakers: with the keys as they stand, or with others down too."""
    model = analysis.once(talk_of)
    by_end: dict[tuple[str, str], list[tuple[Circuit, Leak]]] = {}
    for proof in analysis.once(air_proofs):
        for leak in proof.now:
            by_end.setdefault((proof.speaker, leak.target), []).append((model.circuit(proof.circuit), leak))
    for (speaker, target), rows in by_end.items():
        name, where = analysis.party_name(speaker), end_name(analysis, target)
        names = " and ".join(circuit.called for circuit, _ in rows)
        circuit, leak = rows[0]
        yield Finding(
            "talk-on-air",
            "stop",
            "Talk",
            (speaker, target, *(row.id for row, _ in rows)),
            f"{name} on {circuit.called} is heard at {where}",
            f"While {name} talks on {names} it goes by {_by(analysis, leak)} to {where}.",
            remedies=_closing(analysis, circuit, speaker, leak, "talk-on-air"),
        )
    for proof in analysis.once(air_proofs):
        circuit = model.circuit(proof.circuit)
        name = analysis.party_name(proof.speaker)
        later = [row for row in proof.leaks if row.target not in {leak.target for leak in proof.now}]
        for leak in later:
            keys = " and ".join(_position(analysis, ref.device, ref.key, down) for ref, down in leak.needs)
            where = end_name(analysis, leak.target)
            yield Finding(
                "talk-can-reach-air",
                "fix",
                "Talk",
                (proof.speaker, proof.circuit, leak.target),
                f"{name} on {circuit.called} can get to {where}",
                f"With {keys} what {name} says on {circuit.called} goes by {_by(analysis, leak)} to {where}. "
                f"Of {proof.keys} other keys every position was tried.",
                (Derived("keys tried in every position", proof.keys, ""),),
                remedies=_closing(analysis, circuit, proof.speaker, leak, "talk-can-reach-air"),
            )
        if proof.problem:
            yield Finding(
                "talk-can-reach-air",
                "note",
                "Talk",
                (proof.speaker, proof.circuit),
                f"Not proven: whether {name} on {circuit.called} can get to air",
                f"There are too many positions of {proof.keys} keys to try them all ({proof.problem}).",
            )


def _closing(analysis: Computed, circuit: Circuit, speaker: str, leak: Leak, code: str) -> Later | tuple[Remedy, ...]:
    def look() -> Iterator[Remedy]:
        yield from exchange_remedies(analysis)
        yield from shut(analysis, circuit, speaker, leak)
        yield from key_for(analysis, circuit, speaker)

    return Later(look, (code, circuit.id, speaker, leak.target)) if analysis.remedies else ()


def _position(analysis: Computed, device: str, key: str, down: bool) -> str:
    return f"{key_words(analysis, f'{device}.{key}')} {'down' if down else 'up'}"


def _by(analysis: Computed, leak: Leak) -> str:
    """The devices of a way, in its order."""
    graph = analysis.graph
    owners = [graph.nodes[graph.edges[i].target].owner for i in leak.edges]
    ids = {row.id for row in analysis.show.devices}
    names = [analysis.device_name(name) for name in dict.fromkeys(owners) if name in ids and name != leak.target]
    return ", ".join(names[-4:]) or "the air"


@rule("talk-through-air", stage="Talk", reads=("feeds", "programme"))
def talk_through_air(analysis: Computed) -> Iterator[Finding]:
    """Talkback out of a loudspeaker, or an ear that leaks, in a microphone that is on air; of a private circuit, to whom else it comes."""
    wired = {(proof.speaker, leak.target) for proof in analysis.once(air_proofs) for leak in proof.now}
    groups: dict[tuple[str, str, str], list[ThroughAir]] = {}
    for row in analysis.once(through_air):
        if row.heard and (row.speaker, row.target) not in wired:
            groups.setdefault((row.target, row.source, row.into), []).append(row)
    model = analysis.once(talk_of)
    for (target, source, into), rows in groups.items():
        worst = min(rows, key=lambda row: row.under_db)
        circuit = model.circuit(worst.circuit)
        name, where = analysis.party_name(worst.speaker), end_name(analysis, target)
        more = len({row.speaker for row in rows}) - 1
        others = (
            f" {counted(more, 'other')} of talkback {'comes' if more == 1 else 'come'} by the same way." if more else ""
        )
        on_air = analysis.show.party(target).kind in ON_AIR
        figure_ = Derived("under what is on air", worst.under_db, "dB", source="solved over all paths, the key down")
        ends = dict.fromkeys(name for name in (worst.speaker, target, source, into, *(row.circuit for row in rows)))

        def look(worst: ThroughAir = worst) -> Iterator[Remedy]:
            yield from quieter_through_air(analysis, worst)

        yield Finding(
            "talk-through-air",
            "note" if not on_air else "stop" if worst.under_db < number("air-leak-stop") else "fix",
            "Talk",
            tuple(ends),
            f"{name} on {circuit.called} comes through the air to {where}",
            f"While {name} talks on {circuit.called} it comes to {where} {under_words(analysis, worst)}. Turn the talkback down or away there, "
            f"give it to a closed headphone, or shut the microphone while it talks.{others}",
            (figure_,),
            figure_,
            Later(look, ("talk-through-air", target, source, into)) if analysis.remedies else (),
        )


@rule("private-leaks", stage="Talk", reads=("feeds", "programme"))
def private_leaks(analysis: Computed) -> Iterator[Finding]:
    """A private circuit that others hear too."""
    model = analysis.once(talk_of)
    for circuit in analysis.show.circuits:
        if not circuit.private:
            continue
        for member in circuit.members:
            if not member.key or (circuit.id, member.party) not in model.states:
                continue
            rows = overheard(model, circuit.id, member.party)
            if not rows:
                continue
            who = [end_name(analysis, name) for name in rows]
            leak = Leak(next(reversed(rows)), rows[next(reversed(rows))], ())

            def look(circuit: Circuit = circuit, speaker: str = member.party) -> Iterator[Remedy]:
                yield from exchange_remedies(analysis)
                found = private_again(analysis, circuit, speaker)
                if found is not None:
                    yield found

            name = analysis.party_name(member.party)
            yield Finding(
                "private-leaks",
                "fix",
                "Talk",
                (member.party, circuit.id, *rows),
                f"{circuit.called} is private, and {len(who)} more hear {name} on it",
                f"What {name} says on {circuit.called} goes by {_by(analysis, leak)} to {', '.join(who)} too.",
                remedies=Later(look, ("private-leaks", circuit.id, member.party)) if analysis.remedies else (),
            )


@rule("talk-key-down", stage="Talk", reads=("feeds", "programme"))
def key_left_down(analysis: Computed) -> Iterator[Finding]:
    """A talk key that stands down while nobody talks: everything that its microphone hears goes out on the circuit."""
    for circuit in analysis.show.circuits:
        for member in circuit.members:
            ref = key_ref(analysis, member.key)
            if ref is None or member.key is None:
                continue
            switch = next(
                (
                    row
                    for i in analysis.graph.moved.get(ref, ())
                    for row in analysis.graph.edges[i].switches
                    if row.ref == ref
                ),
                None,
            )
            if switch is None or not switch.now:
                continue
            name = analysis.party_name(member.party)
            words = key_words(analysis, member.key)
            yield Finding(
                "talk-key-down",
                "fix",
                "Talk",
                (member.party, circuit.id),
                f"{name}'s talk key of {circuit.called} stands down",
                f"{words} is down: all that is said near {name} is on {circuit.called} the whole time.",
                remedies=(
                    Remedy(
                        "release",
                        f"Release {words}",
                        f"{name} then talks on it by the key only.",
                        (SetValue(ref, False),),
                    ),
                ),
            )


@rule("latching-to-air", stage="Talk", reads=("feeds", "programme"))
def latching_to_air(analysis: Computed) -> Iterator[Finding]:
    """A key that stays down by itself towards somebody who is on air: forgotten, it leaves the van in their ears, and leaks on air."""
    model = analysis.once(talk_of)
    on_air = _on_air(analysis)
    for circuit in analysis.show.circuits:
        for member in circuit.members:
            if not member.speaks or member.party in on_air or key_action(analysis, member) != "latching":
                continue
            heard = [
                row.party
                for row in circuit.members
                if row.party in on_air and row.hears and model.way(circuit, member.party, row.party).state == "heard"
            ]
            if not heard or key_ref(analysis, member.key) is None or member.key is None:
                continue
            name, words = analysis.party_name(member.party), key_words(analysis, member.key)
            good = can_be_momentary(analysis, member)
            remedies = (
                (
                    Remedy(
                        "momentary",
                        f"{name} holds {words}",
                        "It springs back when it is let go.",
                        (with_member(circuit, member.party, action="momentary"),),
                    ),
                )
                if good
                else ()
            )
            yield Finding(
                "latching-to-air",
                "fix",
                "Talk",
                (member.party, circuit.id),
                f"{name}'s key to air's side stays down by itself",
                f"{words} latches, and {', '.join(end_name(analysis, row) for row in heard)} with an open microphone hears it: forgotten, "
                f"the van is in their ears and leaks on air.{'' if good else ' It cannot spring back: use another key.'}",
                remedies=remedies,
            )


def _on_air(analysis: Computed) -> frozenset[str]:
    """Who is heard by an audience or recorder as the rig stands, by their own microphone."""
    return frozenset(
        feed.voice
        for feed in analysis.feeds.values()
        if feed.path is not None
        and feed.want != "never"
        and analysis.show.party(feed.listener).kind in ("audience", "recorder")
        and analysis.show.party(feed.voice).kind != "crew"
        and feed.verdict not in ("silent", "missing")
    )
