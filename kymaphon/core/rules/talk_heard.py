"""Rules about talkback as it comes to people: cues that nobody hears, nobody to answer, drowned, late, howling."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import partial

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import data_table, figure, number
from kymaphon.core.mixes.turned_down import turning_remedies
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.show import Party
from kymaphon.core.model.talk import Circuit, CircuitMember
from kymaphon.core.rules.record import rule
from kymaphon.core.talk.circuits import KeyState
from kymaphon.core.talk.cures import changed, follow, keeps_all, lamp_for, let_hear, opened_for, pack_for, relay_for
from kymaphon.core.talk.dead import DeadEnds, dead_ends, ends_at, exchange_remedies, lead_remedies
from kymaphon.core.talk.hearing import Hearing, TalkHearing, hearing_of
from kymaphon.core.talk.intelligible import limit
from kymaphon.core.talk.keys import Refs, key_ref, key_words
from kymaphon.core.talk.reach import beside


def _people(analysis: Computed) -> dict[str, Party]:
    return {row.id: row for row in analysis.show.parties}


@rule("cue-not-heard", "camera-video-only", stage="Talk", reads=("feeds", "programme"))
def cue_not_heard(analysis: Computed) -> Iterator[Finding]:
    """Somebody who must act on a cue and to whom nobody's words come: a camera fed pictures only, a key or lead that is missing."""
    hearing = analysis.once(hearing_of)
    people = _people(analysis)
    for circuit in analysis.show.circuits:
        for member in circuit.members:
            party = people.get(member.party)
            if party is None or not member.acts or member.cue_light or _served(hearing, circuit, member):
                continue
            speakers = [row for row in circuit.members if row.speaks and row.party in people and row is not member]
            if not speakers:
                continue
            yield _unheard(analysis, hearing, circuit, party)


def _served(hearing: TalkHearing, circuit: Circuit, member: CircuitMember) -> bool:
    best = hearing.best_to(circuit.id, member.party) if member.hears else None
    return best is not None and best.usable


def _unheard(analysis: Computed, hearing: TalkHearing, circuit: Circuit, party: Party) -> Finding:
    best = hearing.best_to(circuit.id, party.id)
    camera = next(
        (row for row in analysis.show.devices if row.party == party.id and analysis.catalogue[row.kind].is_camera), None
    )
    plain = camera is not None and not analysis.catalogue[camera.kind].outputs
    if plain and camera is not None:
        code, title = "camera-video-only", f"{party.name} has pictures only and hears no cue"
        text = (
            f"{analysis.device_name(camera.id)} carries no sound in its cable, and nothing else brings {circuit.called} to {party.name}, "
            "who acts on cues: feed headphones apart, and name somebody who answers."
        )
    else:
        code, title = "cue-not-heard", f"{party.name} does not hear {circuit.called}"
        text = f"{party.name} acts on cues of {circuit.called}, and nobody's words come to them so that they could be followed."
    figures: tuple[Derived, ...] = ()
    why = None
    told = hearing.explain(best) if best is not None else None
    if best is not None and told is not None and told.index is not None:
        who = analysis.party_name(best.way.speaker)
        how = "across the place alone" if best.by_air else "at its best"
        text += (
            f" {who} comes {how}: {show_number(told.level.value, 'dB SPL')} at the ear, index {told.index.value:.2f}."
        )
        figures, why = (told.level, told.index), told.index

    def look() -> Iterator[Remedy]:
        yield from exchange_remedies(analysis)
        let = let_hear(analysis, circuit, party)
        if let is not None:
            yield let
        yield from opened_for(analysis, circuit, party)
        pack = pack_for(analysis, circuit, party)
        if pack is not None:
            yield pack
        yield lamp_for(analysis, circuit, party)

    remedies = Later(look, (code, circuit.id, party.id)) if analysis.remedies else ()
    return Finding(code, "stop", "Talk", (party.id, circuit.id), title, text, figures, why, remedies)


@rule("circuit-dead", stage="Talk", reads=("feeds", "programme"))
def circuit_dead(analysis: Computed) -> Iterator[Finding]:
    """Who is on a circuit to hear it and to whom nobody on it comes, and who speaks on it and gets to nobody: a lead that is out, a key that
    leads nowhere. Those who act on cues are told of apart.
    """
    hearing = analysis.once(hearing_of)
    people = _people(analysis)
    for circuit in analysis.show.circuits:
        dead = dead_ends(hearing, circuit)
        acts = {row.party for row in circuit.members if row.acts and not row.cue_light}
        deaf = [name for name in dead.deaf if name not in acts]
        if not (deaf or dead.mute):
            continue
        told = []
        if deaf:
            told.append(f"nobody's words come to {_and([people[name].name for name in deaf])}")
        for name in dead.mute:
            end = ends_at(analysis, hearing, circuit, name)
            where = f": they get as far as {end.name}, where nothing is plugged in" if end is not None else ""
            told.append(f"{people[name].name}'s words come to nobody{where}")
        text = "; ".join(told)

        def look(circuit: Circuit = circuit, dead: DeadEnds = dead) -> Iterator[Remedy]:
            yield from exchange_remedies(analysis)
            yield from lead_remedies(analysis, hearing, circuit)
            for name in dead.deaf:
                yield from opened_for(analysis, circuit, people[name])

        names = dict.fromkeys((*deaf, *dead.mute))
        yield Finding(
            "circuit-dead",
            "fix",
            "Talk",
            (circuit.id, *names),
            f"No path on {circuit.called}: {_and([people[name].name for name in names])}",
            f"On {circuit.called} {text}. A lead, a key or a crosspoint is missing.",
            remedies=Later(look, ("circuit-dead", circuit.id)) if analysis.remedies else (),
        )


def _and(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


@rule("cannot-answer", stage="Talk", reads=("feeds", "programme"))
def cannot_answer(analysis: Computed) -> Iterator[Finding]:
    """Somebody who hears a circuit and acts on it, cannot answer, and has nobody beside them who answers for them."""
    hearing = analysis.once(hearing_of)
    people = _people(analysis)
    for circuit in analysis.show.circuits:
        for member in circuit.members:
            party = people.get(member.party)
            if party is None or not member.acts or not member.hears:
                continue
            if any(row.usable for row in hearing.from_(circuit.id, member.party)):
                continue
            if len([row for row in circuit.members if row.party != member.party and row.hears]) == 0:
                continue
            reason = _no_relay(analysis, hearing, circuit, party, member)
            if not reason:
                continue

            def look(circuit: Circuit = circuit, party: Party = party) -> Iterator[Remedy]:
                for found in (relay_for(analysis, circuit, party), pack_for(analysis, circuit, party)):
                    if found is not None:
                        yield found

            yield Finding(
                "cannot-answer",
                "fix",
                "Talk",
                (party.id, circuit.id),
                f"{party.name} cannot answer on {circuit.called}",
                f"{party.name} acts on {circuit.called} and has no way to say that something is wrong{reason}",
                remedies=Later(look, ("cannot-answer", circuit.id, party.id)) if analysis.remedies else (),
            )


def _no_relay(analysis: Computed, hearing: TalkHearing, circuit: Circuit, party: Party, member: CircuitMember) -> str:
    """Why nobody answers for them; empty where somebody does."""
    if member.spoken_for_by is None:
        return "; nobody is named who answers for them."
    other = next((row for row in analysis.show.parties if row.id == member.spoken_for_by), None)
    if other is None:
        return f"; {member.spoken_for_by}, who should, is not in the show."
    if not any(row.usable for row in hearing.from_(circuit.id, other.id)):
        return f"; {other.name}, who should, cannot be heard on it either."
    if party.at_m is not None and other.at_m is not None and not beside(party, other):
        away = "in another place" if party.place != other.place else f"more than {limit('beside_m'):.0f} m away"
        return f"; {other.name}, who should, is {away}."
    return ""


@rule("talk-under-noise", stage="Talk", reads=("feeds", "programme"))
def talk_under_noise(analysis: Computed) -> Iterator[Finding]:
    """Talkback that comes and is not followed: over the programme in the ear and the noise of the place too little of it is left."""
    hearing = analysis.once(hearing_of)
    table = data_table("talk")["sii"]
    for circuit in analysis.show.circuits:
        for member in circuit.members:
            rows = [
                row
                for row in hearing.to(circuit.id, member.party)
                if row.usable and not row.by_air and row.verdict == "poor"
            ]
            if not rows:
                continue
            worst = min(rows, key=lambda row: row.index if row.index is not None else 1.0)
            told = hearing.explain(worst)
            if told is None or told.index is None:
                continue
            listener, speaker = (analysis.party_name(name) for name in (worst.way.listener, worst.way.speaker))
            loudest = told.maskers[0] if told.maskers else None
            under = f" under {loudest.name} at {loudest.level.text()}" if loudest is not None else ""
            more = f", and {len(rows) - 1} more like it" if len(rows) > 1 else ""

            def look(circuit: Circuit = circuit, worst: Hearing = worst) -> Iterator[Remedy]:
                yield from follow(analysis, circuit, worst)

            yield Finding(
                "talk-under-noise",
                "fix",
                "Talk",
                (member.party, circuit.id),
                f"{listener} cannot follow {circuit.called}",
                f"{speaker} comes to {listener}'s ear at {told.level.text()}{under}: index {told.index.value:.2f}, and below "
                f"{table['poor']:.2f} words are lost{more}.",
                (told.level, told.index),
                told.index,
                Later(look, ("talk-under-noise", circuit.id, member.party)) if analysis.remedies else (),
            )


@rule("talk-returns-late", stage="Talk", reads=("feeds", "programme"))
def returns_late(analysis: Computed) -> Iterator[Finding]:
    """A circuit that gives somebody's own voice back to them, late."""
    hearing = analysis.once(hearing_of)
    model = hearing.model
    late, weak = limit("return_ms"), limit("return_db")
    for way in model.returns:
        circuit_id, speaker = way.circuit, way.speaker
        circuit = model.circuit(circuit_id)
        state = model.states.get((circuit_id, speaker))
        if state is None or way.state != "heard" or way.gain_db is None or way.gain_db < weak:
            continue
        steps, after_ms = model.steps(way)
        if after_ms <= late or {row.edge for row in state.opened}.isdisjoint(steps):
            continue
        name = analysis.party_name(speaker)
        delay = Derived("own voice back after", after_ms, "ms", source="sum of the steps of that path")
        source = f"{name} with the key down, over all paths"
        level = Derived("own voice back", way.level_db or 0.0, way.unit, source=source)
        mark = analysis.mark_for(speaker, way.unit)
        against = total("against the mark", "dB", (level, Derived("less the mark", -mark.value, "dB", terms=(mark,))))
        yield Finding(
            "talk-returns-late",
            "fix",
            "Talk",
            (speaker, circuit_id),
            f"{name} hears themselves late on {circuit.called}",
            f"With the key down {name}'s own voice comes back after {delay.text()}, {show_number(way.gain_db, 'dB', sign=True)} "
            "against the mark: people stop in the middle of a word. Give them the circuit without themselves.",
            (delay, against),
            against,
            Later(partial(_cut_return, analysis, circuit, speaker), ("late", circuit_id, speaker))
            if analysis.remedies
            else (),
        )


def _cut_return(analysis: Computed, circuit: Circuit, speaker: str) -> Iterator[Remedy]:
    from kymaphon.core.graph.cuts import switch_words
    from kymaphon.core.model.edits import SetValue

    before = analysis.once(hearing_of)
    way = before.model.way(circuit, speaker, speaker)
    member = circuit.member(speaker)
    mine = key_ref(analysis, member.key if member is not None else None)
    for i in reversed(before.model.steps(way)[0]):
        for switch in analysis.graph.edges[i].switches:
            if switch.ref == mine or not switch.passes:
                continue
            edits = (SetValue(switch.ref, not switch.now),)
            after = changed(analysis, edits)
            model = after.once(hearing_of).model
            left = model.way(model.circuit(circuit.id), speaker, speaker)
            gone = (
                left.gain_db is None or left.gain_db < limit("return_db") or model.steps(left)[1] <= limit("return_ms")
            )
            if gone and keeps_all(analysis, after):
                yield Remedy(
                    f"off-{switch.ref.device}-{switch.ref.key}",
                    switch_words(switch),
                    f"{analysis.party_name(speaker)} then no longer gets themselves back.",
                    edits,
                )


@rule("talk-howls", "talk-rings", stage="Talk", reads=("feeds", "programme"))
def howls(analysis: Computed) -> Iterator[Finding]:
    """A key that closes a loop which howls, or comes nearer to it than the margin that loops shall keep (Davis and Patronis)."""
    model = analysis.once(hearing_of).model
    margin = figure("loop-margin")
    seen: set[Refs] = set()
    for (circuit_id, speaker), state in model.states.items():
        if not model.closes(state) or state.down in seen:
            continue
        stability = model.stability(state)
        rest_db = analysis.transfer.stability.margin_db
        if stability.margin_db >= margin.value or stability.margin_db > rest_db - 0.05:
            continue
        seen.add(state.down)
        circuit = model.circuit(circuit_id)
        keys = " and ".join(sorted(key_words(analysis, f"{ref.device}.{ref.key}") for ref in state.down))
        name = analysis.party_name(speaker)
        source = "of all loops together with the keys down, (I \u2212 |A|)\u207b\u00b9"
        left = Derived("gain margin", stability.margin_db, "dB", source=source)
        loud = "Ears are near: turn down before the key is tried."
        known = math.isfinite(left.value)
        told = show_number(left.value, "dB") if known else ""
        text = f"With {keys} down, what {name} says loops from a loudspeaker back into the microphone"
        if not stability.howls:
            text += f"; the gain margin is {told}. Keep {margin.value:.0f} dB, or it rings. {loud}"
        elif known and left.value > 0:
            tolerance = number("loop-tolerance")
            text += f". That is {told} from howling, and gains are known no better than to {tolerance:.0f} dB: take it as howling. {loud}"
        else:
            text += f" with more than it began with: it builds up and howls. {loud}"
        what = "howls" if stability.howls else f"is {told} from howling"
        yield Finding(
            "talk-howls" if stability.howls else "talk-rings",
            "stop" if stability.howls else "fix",
            "Talk",
            (speaker, circuit_id),
            f"{name}'s key on {circuit.called} {what}",
            text,
            (left,) if known else (),
            Derived("gain margin", left.value, "dB", terms=(left, margin), source=margin.source) if known else None,
            Later(partial(_turned, analysis, circuit, state), ("talk-howls", circuit_id, speaker))
            if analysis.remedies
            else (),
        )


def _turned(analysis: Computed, circuit: Circuit, state: KeyState) -> Iterator[Remedy]:
    """What is turned down until the loop of a key keeps its margin; nobody loses a circuit by it."""
    model = analysis.once(hearing_of).model
    effect = f"Then {analysis.party_name(state.speaker)} talks on {circuit.called} with {number('loop-margin'):.0f} dB to howling."
    for remedy in turning_remedies(model.transfer(state), effect):
        if keeps_all(analysis, changed(analysis, remedy.edits)):
            yield remedy
