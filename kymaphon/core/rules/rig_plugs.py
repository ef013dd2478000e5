"""Rules about single cables: plugs and contacts, levels, impedances, long unbalanced runs, sockets at their limit."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

from kymaphon.core.computing.build import input_ohm, loading
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import figure, number
from kymaphon.core.graph.flow import NOTHING
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.graph.signal import Knob, SignalGraph
from kymaphon.core.levels.turning import turn
from kymaphon.core.model.catalogue import Port
from kymaphon.core.model.connectors import balanced, connectors
from kymaphon.core.model.edits import AddRow, Edit, SetCable, SetField, SetValue, Unplug, apply_all
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.naming import fresh_id
from kymaphon.core.model.show import Cable, Device, Show
from kymaphon.core.model.wants import asked_at
from kymaphon.core.model.weights import headroom_wanted
from kymaphon.core.rules.record import rule
from kymaphon.core.wiring.cable_fit import cable_corner_hz, cable_fit
from kymaphon.core.wiring.fit import Fault, Fit, gain_range, pad_for
from kymaphon.core.wiring.open_ends import best_input, level_at, levels_out, plug_edits
from kymaphon.core.wiring.plugging import (
    SAFETY_LEAD,
    better_input,
    free_inputs,
    from_elsewhere,
    inserted,
    moved,
    plug,
    settings_along,
)
from kymaphon.core.wiring.routes import length_of


def other_side(show: Show, cable: Cable) -> Cable | None:
    """The cable from the other side of the same output to the same device; None for one that is no side of a pair."""
    source = PortId.of(cable.source)
    if not source.side:
        return None
    twin = str(source._replace(side="r" if source.side == "l" else "l"))
    owner = cable.target_device
    return next((row for row in show.cables if row.source == twin and row.target_device == owner), None)


@rule(
    "consumer-into-professional",
    "contacts-mismatch",
    "line-into-mic",
    "mic-into-line",
    "plug-mismatch",
    "stereo-into-balanced",
    stage="Rig",
    reads=("feeds",),
)
def plugs(analysis: Computed) -> Iterator[Finding]:
    """What speaks against each cable as it is plugged; the two sides of a pair are told once."""
    told: set[tuple[tuple[str, str], str]] = set()
    for cable in analysis.show.cables:
        fit = cable_fit(analysis, cable)
        twin = other_side(analysis.show, cable)
        for fault in fit.faults:
            if (cable.ends, fault.code) in told:
                continue
            if fault.code == "consumer-into-professional" and _made_good(analysis, cable):
                continue
            if twin is not None:
                told.add((twin.ends, fault.code))
            subjects = (*cable.ends, fit.source.device.id, fit.target.device.id)
            remedies = Later(partial(_of_pair, analysis, cable, fit, fault, twin)) if analysis.remedies else ()
            yield Finding(
                fault.code,
                fault.severity,
                "Rig",
                subjects,
                _title(fit, fault),
                fault.text,
                fault.figures,
                fault.why,
                remedies,
            )


def _made_good(analysis: Computed, cable: Cable) -> bool:
    """Whether all that goes through a cable is on its mark at the end and well over its noise: then it comes no longer too quiet."""
    output = cable.source_socket
    through = [
        row
        for row in analysis.main_ladders.values()
        if any(node == output or node.startswith(f"{output}.") for node in row.path.node_ids)
    ]
    return bool(through) and all(_on_mark(analysis, row) for row in through)


def _on_mark(analysis: Computed, ladder: Ladder) -> bool:
    point = next((rung for rung in reversed(ladder.rungs) if rung.mark is not None), None)
    asked = asked_at(analysis.show, ladder, point) if point is not None else None
    if point is None or point.mark is None or asked is None:
        return False  # whatever has no mark is set by ear
    last = ladder.last
    return not point.off_mark_db(asked) and (not last.noise_db or last.voice_over_noise_db >= number("wanted-snr"))


def _of_pair(analysis: Computed, cable: Cable, fit: Fit, fault: Fault, twin: Cable | None) -> Iterator[Remedy]:
    remedies = _remedies(analysis, cable, fit, fault)
    return remedies if twin is None else _for_both(analysis, tuple(remedies), twin, fault)


def _for_both(analysis: Computed, remedies: tuple[Remedy, ...], twin: Cable, fault: Fault) -> Iterator[Remedy]:
    """The remedies of one side with the same for the other side in them, where that has the same fault."""
    for remedy in remedies:
        show = remedy.apply(analysis.show)
        if not any(row.ends == twin.ends for row in show.cables):
            yield remedy
            continue
        # The graph is the same, and so is its flow.
        changed = replace(analysis, show=show, kept={"flow": analysis.flow})
        fit = cable_fit(changed, twin)
        same = next((row for row in fit.faults if row.code == fault.code), None)
        mates = _remedies(changed, twin, fit, same) if same is not None else iter(())
        mate = next((row for row in mates if row.id == remedy.id), None)
        if mate is None:
            yield remedy
        else:
            yield replace(remedy, label=f"{remedy.label}, both sides", edits=(*remedy.edits, *mate.edits))


def _title(fit: Fit, fault: Fault) -> str:
    return f"{fit.source.name} to {fit.target.name}: {fault.title}"


def _remedies(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    if fit.adapter is not None and fault.code in (
        "plug-mismatch",
        "contacts-mismatch",
        "stereo-into-balanced",
    ):
        edits: tuple[Edit, ...] = (SetCable(*cable.ends, "adapter", fit.adapter.id),)
        effect = "The two ends fit; it is on the pull list."
        yield Remedy("adapter", f"Use: {fit.adapter.name}", effect, edits)
        return
    find = _FOR_CODE.get(fault.code)
    if find is not None:
        yield from find(analysis, cable, fit, fault)
    elif fault.code in ("plug-impossible", "speaker-into-input"):
        yield from _right_plug(analysis, cable, fit, fault)
        yield Remedy(
            "unplug",
            f"Take the cable out of {fit.target.name}",
            "Nothing is joined that must not be.",
            (Unplug(*cable.ends),),
        )


def _other_socket(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    better = better_input(analysis.show, analysis.catalogue, cable, fault.code, level_at(analysis, fit.source))
    if better is not None:
        edits = (
            *moved(analysis.show, analysis.catalogue, cable, better.target.ref),
            *settings_along(fit.target, better.target),
        )
        yield Remedy("socket", f"Plug it into {better.target.name}", "That socket is made for this level.", edits)


def _box(analysis: Computed, cable: Cable, kind: str, name: str, effect: str) -> Remedy:
    edits = inserted(analysis.show, analysis.catalogue, [cable], kind, name)
    return Remedy("insert", f"Put {analysis.catalogue[kind].name} between", effect, edits)


def _line_into_mic(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    need = fault.figures[0].value if fault.figures else 0.0
    strip, setting = fit.target.port.strip, fit.target.setting
    if strip is not None and strip.pad_db and not setting.pad and strip.pad_db >= need:
        ref = SettingRef(fit.target.device.id, fit.target.port.id, "pad")
        yield Remedy(
            "pad",
            f"Switch the pad in: {fit.target.name}",
            f"Its {strip.pad_db:.0f} dB bring the peaks {strip.pad_db - need:.1f} dB under what it bears; line up again.",
            (SetValue(ref, True),),
        )
    yield from _other_socket(analysis, cable, fit, fault)
    size = pad_for(need, least=20)
    yield _box(
        analysis,
        cable,
        f"pad-{size}",
        "Pad",
        f"{size} dB less: the peaks stay {size - need:.1f} dB under what {fit.target.name} bears; line up again.",
    )


def _right_plug(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    """The socket that an output belongs into, on whatever device leads on to somebody: the cure of a wrong plug is the right one."""
    show = apply_all(analysis.show, (Unplug(*cable.ends),))
    end = end_of(show, analysis.catalogue, cable.source)
    best = best_input(analysis, end, levels_out(analysis), show=show)
    if best is None or best.target.ref == cable.target or best.target.device.id == fit.target.device.id:
        return
    if any(row.code == fault.code for row in best.faults):
        return
    edits: tuple[Edit, ...] = (Unplug(*cable.ends), *plug_edits(show, analysis, best))
    strip, comes = best.target.port.strip, level_at(analysis, fit.source)
    effect = "It is made for what comes there, and leads on. Line it up at Level."
    if strip is not None and strip.gain_db is not None and comes is not None:
        low, high = strip.gain_db
        gain = float(min(max(round(number("desk-working") - comes.average_dbu), low), high))
        edits = (*edits, SetValue(SettingRef(best.target.device.id, best.target.port.id, "gain_db"), gain))
        effect = f"It is made for what comes there, and leads on. Its gain goes to {show_number(gain, 'dB', sign=True)}; line it up at Level."
    yield Remedy("right", f"Plug it into {best.target.name}", effect, edits, leads=True)


def _mic_into_line(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    yield from _other_socket(analysis, cable, fit, fault)
    yield from _right_plug(analysis, cable, fit, fault)
    yield _box(
        analysis,
        cable,
        "preamp-1",
        "Preamplifier",
        "The microphone reaches line level, with noise that is a preamplifier's.",
    )


def _professional(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    yield _box(analysis, cable, "pad-10", "Pad", "It comes about as strong as the input is made for; line up again.")


def _consumer(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    low, high = gain_range(fit.target)
    need = abs(fault.figures[0].value)
    value = min(max(float(round(need)), low), high)
    if low != high and abs(value - need) <= number("line-step"):
        ref = SettingRef(fit.target.device.id, fit.target.port.id, "gain_db")
        yield Remedy(
            "gain",
            f"Gain to {show_number(value, 'dB', sign=True)}: {fit.target.name}",
            f"It makes up for the {need:.1f} dB between the two; line up again.",
            (SetValue(ref, value),),
        )
    yield _box(analysis, cable, "line-matcher", "Line matcher", f"{need:.1f} dB up and balanced, with earths apart.")


def _headphones(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    if fit.source.level in ("mic", "instrument"):
        yield from _right_plug(analysis, cable, fit, fault)
        return
    kind = fit.source.kind
    spot = next((port for port in kind.outputs if port.level == "headphone"), None)
    yield _box(
        analysis,
        cable,
        "headphone-amp",
        "Headphone amplifier",
        "The line sees 20 kohm, the headphones get what they need, and each pair has its knob.",
    )
    if spot is not None:
        edits = from_elsewhere(analysis.show, analysis.catalogue, cable, f"{fit.source.device.id}.{spot.id}")
        yield Remedy(
            "socket",
            f"Plug them into {fit.source.device.name or kind.name}, {spot.name}",
            "That socket has the amplifier; it may carry another mix.",
            edits,
        )


def _loaded(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    strip, end = fit.target.port.strip, fit.target
    if strip is not None and strip.hi_z_ohm is not None and not end.setting.hi_z:
        ref = SettingRef(end.device.id, end.port.id, "hi_z")
        yield Remedy(
            "hi-z",
            f"Switch {end.name} for instruments",
            f"It then has {strip.hi_z_ohm / 1e6:g} Mohm and takes next to nothing off.",
            (SetValue(ref, True),),
        )
    yield from _other_socket(analysis, cable, fit, fault)
    if fit.source.level == "instrument":
        yield _box(
            analysis,
            cable,
            "di-active",
            "DI box",
            "The instrument sees 1 Mohm, and a balanced microphone level goes on.",
        )


def _no_amplifier(analysis: Computed, cable: Cable, fit: Fit, fault: Fault) -> Iterator[Remedy]:
    edits = (
        SetField("devices", fit.target.device.id, "kind", "loudspeaker"),
        *moved_after_kind(analysis, cable, "loudspeaker", fit.target.device.id),
    )
    yield Remedy("powered", "Use a powered loudspeaker instead", "It has its amplifier inside and takes a line.", edits)


def moved_after_kind(analysis: Computed, cable: Cable, kind_id: str, device_id: str) -> tuple[Edit, ...]:
    """The same cable looked at anew once a device is of another kind: the adapter that it then takes."""
    kind = analysis.catalogue[kind_id]
    port = next((row for row in kind.inputs if row.domain == "analog"), None)
    if port is None:
        return ()
    show = analysis.show
    devices = tuple(row.with_(kind=kind_id) if row.id == device_id else row for row in show.devices)
    changed = show.model_copy(update={"devices": devices})
    return moved(changed, analysis.catalogue, cable, f"{device_id}.{port.id}")


_FOR_CODE: dict[str, Callable[[Computed, Cable, Fit, Fault], Iterator[Remedy]]] = {
    "line-into-mic": _line_into_mic,
    "mic-into-line": _mic_into_line,
    "professional-into-consumer": _professional,
    "consumer-into-professional": _consumer,
    "headphones-from-line": _headphones,
    "loaded-down": _loaded,
    "no-amplifier": _no_amplifier,
}


@rule("plug-not-known", stage="Rig", reads=("layout", "wiring"))
def plugs_not_known(analysis: Computed) -> Iterator[Finding]:
    """Sockets in use whose plug their kind does not state: whether a cable fits cannot be told."""
    show = analysis.show
    own = {kind.id for kind in show.kinds}
    for cable in show.cables:
        ends = [end_of(show, analysis.catalogue, end) for end in cable.ends]
        bare = [end for end in ends if end.port.connector is None]
        if not bare:
            continue
        other = next((end for end in ends if end.port.connector is not None), None)
        names = " and ".join(end.name for end in bare)
        text = f"{names}: its kind does not say which plug it has, so whether the cable fits cannot be told."
        remedies: tuple[Remedy, ...] = ()
        if other is not None and bare[0].kind.id in own:
            plug_name = connectors()[other.port.connector or ""].name
            remedies = (
                Remedy(
                    "same",
                    f"It has the plug of the other end: {plug_name}",
                    "Its kind in this show says so from now on.",
                    (_with_plug(bare[0], other),),
                ),
            )
        yield Finding(
            "plug-not-known",
            "note",
            "Rig",
            (*cable.ends, bare[0].device.id),
            f"{names}: which plug?",
            text,
            (),
            None,
            remedies,
        )


@rule("socket-shared", stage="Rig", reads=("layout", "wiring", "switches", "gains"))
def shared_sockets(analysis: Computed) -> Iterator[Finding]:
    """One microphone or headphone output on several inputs by a Y lead: what that costs, and what to split with."""
    show, catalogue = analysis.show, analysis.catalogue
    groups: dict[str, list[Cable]] = {}
    for cable in show.cables:
        source = end_of(show, catalogue, cable.source)
        if source.port.domain == "analog" and source.level in ("mic", "headphone"):
            groups.setdefault(cable.source, []).append(cable)
    for reference, cables in groups.items():
        if len(cables) < 2 or any(cable.label == SAFETY_LEAD for cable in cables):
            continue
        source = end_of(show, catalogue, reference)
        loads = [ohms for cable in cables if (ohms := input_ohm(*_socket(analysis, cable.target)))]
        ohms = source.port.impedance_ohm
        if not ohms or len(loads) < 2:
            continue
        alone, together = loading(ohms, loads[:1]), loading(ohms, loads)
        cost = Derived(
            "the others cost",
            together.value - alone.value,
            "dB",
            "sum of the lines",
            (together, Derived(f"less: {alone.name}", -alone.value, "dB", alone.formula, source=alone.source)),
            "",
            True,
        )
        mic = source.level == "mic"
        text = (
            f"{source.name} feeds {len(cables)} inputs by a Y lead: each gets {abs(cost.value):.1f} dB less than alone"
        )
        giving = [row for cable in cables if (row := end_of(show, catalogue, cable.target)) and _gives_phantom(row)]
        one_gives = mic and len(giving) == 1 and abs(cost.value) < number("y-lead-loss")
        if one_gives:
            text += f", and their earths are joined. Phantom power comes from {giving[0].name} alone, as it should: leave it off at the others."
        elif mic:
            text += ", their earths are joined, and each may push phantom power into the other."
        else:
            text += ", and one knob is for all of them."
        remedies = tuple(_split(analysis, source, cables))
        subjects = (reference, source.device.id, *(cable.target for cable in cables))
        yield Finding(
            "socket-shared",
            "fix" if mic and not one_gives else "note",
            "Rig",
            subjects,
            f"{source.name}: {len(cables)} plugs on one socket",
            text,
            (cost,),
            cost,
            remedies,
        )


def _gives_phantom(end: End) -> bool:
    """Whether an input gives phantom power as it is switched."""
    strip = end.port.strip
    return (
        strip is not None
        and strip.phantom
        and (strip.phantom_on if end.setting.phantom is None else end.setting.phantom)
    )


@rule("long-unbalanced", "length-not-known", stage="Rig", reads=("layout", "wiring", "switches", "gains"))
def long_unbalanced(analysis: Computed) -> Iterator[Finding]:
    """Unbalanced runs that lose treble, or that are simply long."""
    show = analysis.show
    limit, most = number("rolloff-limit"), figure("unbalanced-limit")
    for cable in show.cables:
        source, target = (end_of(show, analysis.catalogue, end) for end in cable.ends)
        if source.port.domain != "analog" or target.port.domain != "analog":
            continue
        if {source.level, target.level} & {"headphone", "speaker"} and target.level != "line":
            continue
        if balanced(source.port) and balanced(target.port):
            continue
        length = length_of(show, cable)
        if not source.port.impedance_ohm:
            continue
        if length is None:
            yield _length_not_known(cable, source, target)
            continue
        corner = cable_corner_hz(source.port.impedance_ohm, input_ohm(target.device, target.port), length.value)
        dull = corner.value < limit
        if not dull and length.value <= most.value:
            continue
        twin = other_side(show, cable)
        twin = twin if twin is not None and length_of(show, twin) == length else None
        if twin is not None and PortId.of(cable.source).side == "r":
            continue  # told with its left side
        both = f"Both sides of {source.name.rsplit(', ', 1)[0]}" if twin is not None else source.name
        verb = "are" if twin is not None else "is"
        text = f"{both} to {target.name} {verb} unbalanced over {show_number(length.value, 'm')}: "
        if dull:
            text += f"its capacitance takes 3 dB off at {corner.value / 1000:.1f} kHz and more above."
        else:
            text += (
                f"treble is safe (3 dB down at {corner.value / 1000:.0f} kHz), but what is picked "
                f"up on the way stays; keep such leads under {most.value:.0f} m."
            )
        yield Finding(
            "long-unbalanced",
            "fix" if dull or length.value > number("unbalanced-far") else "note",
            "Rig",
            (*cable.ends, *(twin.ends if twin is not None else ()), source.device.id, target.device.id),
            f"{source.name} to {target.name}: {show_number(length.value, 'm')} unbalanced",
            text,
            (corner,),
            corner,
            tuple(_shorter_both(analysis, cable, twin, length, corner)),
        )


def _length_not_known(cable: Cable, source: End, target: End) -> Finding:
    """An unbalanced run of which nothing can be told."""
    most = figure("unbalanced-limit").value
    text = f"{source.name} to {target.name} is unbalanced and its length is not known: whether it loses treble or picks up hum cannot be told."
    remedy = Remedy(
        "short",
        f"It is at most {most:.0f} m long",
        f"It is counted with {most:.0f} m; put in the real length when you know it.",
        (SetCable(*cable.ends, "length_m", most),),
    )
    return Finding(
        "length-not-known",
        "note",
        "Rig",
        (*cable.ends, source.device.id, target.device.id),
        f"{source.name} to {target.name}: how long?",
        text,
        (),
        None,
        (remedy,),
    )


def _with_plug(bare: End, other: End) -> Edit:
    """The kind of a show with the connector of one socket stated."""
    side = "outputs" if bare.port in bare.kind.outputs else "inputs"
    rows = tuple(
        port.with_(connector=other.port.connector) if port.id == bare.port.id else port
        for port in getattr(bare.kind, side)
    )
    return SetField("kinds", bare.kind.id, side, rows)


def _shorter_both(
    analysis: Computed, cable: Cable, twin: Cable | None, length: Derived, corner: Derived
) -> Iterator[Remedy]:
    """What cures a long unbalanced lead, for both sides of a pair at once: each alone would part them."""
    source, target = (end_of(analysis.show, analysis.catalogue, end) for end in cable.ends)
    for remedy in _shorter(analysis, cable, source, target, length, corner):
        if twin is None:
            yield remedy
            continue
        # The graph is the same, and so is its flow.
        one = replace(analysis, show=remedy.apply(analysis.show), kept={"flow": analysis.flow})
        near, far = (end_of(one.show, one.catalogue, end) for end in twin.ends)
        mate = next((row for row in _shorter(one, twin, near, far, length, corner) if row.id == remedy.id), None)
        if mate is not None:
            label = f"{remedy.label}, both sides" if remedy.id == "shorten" else _two_boxes(remedy.label, mate.label)
            yield replace(remedy, label=label, edits=(*remedy.edits, *mate.edits))


def _two_boxes(one: str, other: str) -> str:
    """The labels of two remedies as one: the same box twice, the second's socket behind the first's."""
    where, _, second = other.rpartition(" and go into ")
    return f"{one} and {second.rsplit(', ', 1)[-1]}, a box for each side" if where else f"{one}, a box for each side"


def _shorter(
    analysis: Computed, cable: Cable, source: End, target: End, length: Derived, corner: Derived
) -> Iterator[Remedy]:
    most = min(number("unbalanced-limit"), length.value * corner.value / number("rolloff-limit"))
    metres = math.floor(most * 10) / 10
    kind = "di-active" if source.level == "instrument" else "di-passive"
    into = cable.target
    if target.level != "mic":
        free = [
            end
            for end in free_inputs(analysis.show, analysis.catalogue, target.device)
            if end.level == "mic" and not end.port.socket
        ]
        into = free[0].ref if free else ""
    if into:
        edits = list(inserted(analysis.show, analysis.catalogue, [cable], kind, "DI box", into=into))
        edits += _lengths_swapped(edits, min(metres, 1.0), length.value)
        if into != cable.target:
            edits += _taken_along(analysis, target, free[0], kind)
        where = "" if into == cable.target else f" and go into {free[0].name}"
        yield Remedy(
            "insert",
            f"Put {analysis.catalogue[kind].name} at {source.device.name or source.kind.name}{where}",
            "A short lead into it, and the long way is balanced.",
            tuple(edits),
        )
    if metres >= number("shortest-lead"):
        edits_ = (SetCable(*cable.ends, "length_m", metres),)
        yield Remedy(
            "shorten",
            f"No more than {show_number(metres, 'm')} of lead",
            "Move the two nearer to each other: treble stays, and less is picked up.",
            edits_,
        )


def _taken_along(analysis: Computed, target: End, into: End, box: str) -> Iterator[Edit]:
    """What goes along to the microphone channel behind a DI box: the old channel's settings, and its gain with what the box takes off."""
    yield from settings_along(target, into)
    strip = into.port.strip
    if strip is None or strip.gain_db is None:
        return
    off = sum(
        path.gain_db if isinstance(path.gain_db, float | int) else path.default_gain_db or 0.0
        for path in analysis.catalogue[box].paths[:1]
    )
    old = target.port.strip
    now = (
        target.setting.gain_db
        if target.setting.gain_db is not None
        else old.gain_default_db
        if old is not None
        else 0.0
    )
    low, high = strip.gain_db
    yield SetValue(SettingRef(into.device.id, into.port.id, "gain_db"), float(min(max(round(now - off), low), high)))


def _lengths_swapped(edits: list[Edit], near: float, far: float) -> list[Edit]:
    """The lengths of the two leads of an inserted box: short before it, long after it."""
    from kymaphon.core.model.edits import Plug

    plugs = [edit for edit in edits if isinstance(edit, Plug)]
    return [
        SetCable(plugs[0].cable.source, plugs[0].cable.target, "length_m", near),
        SetCable(plugs[1].cable.source, plugs[1].cable.target, "length_m", far),
    ]


@rule("socket-overloaded", stage="Rig", reads=("feeds",))
def overloaded_sockets(analysis: Computed) -> Iterator[Finding]:
    """Sockets whose ceiling a voice's peaks pass, growth on warming up included, wherever in the rig they are.

    What lies on a voice's way to the programme is told at Level, with the gains to turn; this is about the sockets off it.
    """
    growth = headroom_wanted("presenter")
    told = {
        rung.node.removesuffix(".l").removesuffix(".r") for ladder in analysis.ladders.values() for rung in ladder.rungs
    }
    flow, graph = analysis.flow, analysis.graph
    for cable in analysis.show.cables:
        end = end_of(analysis.show, analysis.catalogue, cable.target)
        base = f"{end.device.id}.{end.port.id}"
        twin = other_side(analysis.show, cable)
        if {base, twin.target if twin is not None else base} & told or end.port.domain != "analog":
            continue
        for side in ("", ".l", ".r"):
            node = f"{base}{side}"
            if node not in graph.index:
                continue
            ceiling = graph.nodes[graph.index[node]].ceiling
            peak = float(flow.peak_db[graph.index[node]])
            if ceiling is None or peak <= NOTHING or peak + growth.value <= ceiling.value:
                continue
            rise: tuple[Derived, ...] = (Derived("peaks here", peak, "dBu", source="computed"), growth)
            source = end_of(analysis.show, analysis.catalogue, cable.source)
            most = source.most_dbu
            if most is not None and most < peak + growth.value:
                # What clips before does not come any stronger.
                rise = (
                    Derived(f"{source.name} gives at most", most, "dBu", source=f"device data: {source.kind.name}"),
                )
            strongest = sum(row.value for row in rise)
            over = strongest - ceiling.value
            if over < 0.05:
                continue
            why = Derived(
                "too strong by",
                over,
                "dB",
                "sum of the lines",
                (*rise, Derived(f"less: {ceiling.name}", -ceiling.value, "dB", source=ceiling.source)),
                "",
                True,
            )
            text = (
                f"{end.name} gets peaks of {show_number(strongest, 'dBu', sign=True)} as people "
                "warm "
                f"up: {over:.1f} dB more than it bears ({show_number(ceiling.value, 'dBu', sign=True)})."
            )
            yield Finding(
                "socket-overloaded",
                "fix",
                "Rig",
                (*cable.ends, end.device.id),
                f"{end.name} is overloaded",
                text,
                (Derived("over", over, "dB"),),
                why,
                tuple(_less(analysis, cable, end, node, over, peak + growth.value - ceiling.value)),
            )
            break


def _less(
    analysis: Computed, cable: Cable, end: End, node: str, over: float, before_clipping: float
) -> Iterator[Remedy]:
    """Less before a socket: at the fader of the mix that goes into it, by its own pad, by a pad in the lead.

    Args:
        over: by how much too strong it is there, in dB.
        before_clipping: the same where what drives it did not clip: so much a fader has to take off.
    """
    graph = analysis.graph
    for knob in _knobs_before(graph, graph.index[node]):
        edit = turn(knob, -float(math.ceil(before_clipping)))
        if edit is not None and isinstance(edit.value, float) and knob.value - edit.value >= before_clipping:
            down = knob.value - edit.value
            text = f"{knob.label} goes to {show_number(edit.value, 'dB', sign=True)}; what else it goes to is as much lower."
            yield Remedy("fader", f"Take {down:.0f} dB off: {knob.label}", text, (edit,))
            break
    strip = end.port.strip
    if strip is not None and strip.pad_db and not end.setting.pad and strip.pad_db >= over:
        ref = SettingRef(end.device.id, end.port.id, "pad")
        yield Remedy("pad", f"Switch the pad in: {end.name}", f"{strip.pad_db:.0f} dB less.", (SetValue(ref, True),))
    size = pad_for(over)
    yield _box(analysis, cable, f"pad-{size}", "Pad", f"{size} dB less before the socket.")


def _knobs_before(graph: SignalGraph, at: int) -> Iterator[Knob]:
    """Knobs on the only way to a point, the nearest first, up to where several ways meet."""
    while len(into := graph.incoming[at]) == 1:
        edge = graph.edges[graph.live[into[0]]]
        yield from reversed(edge.knobs)
        at = edge.source


def _socket(analysis: Computed, reference: str) -> tuple[Device, Port]:
    end = end_of(analysis.show, analysis.catalogue, reference)
    return end.device, end.port


def _split(analysis: Computed, source: End, cables: list[Cable]) -> Iterator[Remedy]:
    """A splitter or a headphone amplifier between one output and its inputs, where it has outlets enough."""
    kind_id, name = ("splitter-3", "Splitter") if source.level == "mic" else ("headphone-amp", "Headphone amplifier")
    kind = analysis.catalogue[kind_id]
    if len(cables) > len(kind.outputs):
        return
    show = analysis.show
    box = Device(id=fresh_id(show, kind_id), kind=kind_id, name=name, place=source.device.place)
    grown = show.model_copy(update={"devices": (*show.devices, box)})
    edits: list[Edit] = [AddRow("devices", box), *(Unplug(*cable.ends) for cable in cables)]
    edits.append(plug(grown, analysis.catalogue, source.ref, f"{box.id}.{kind.inputs[0].id}", length_m=1.0))
    for cable, outlet in zip(cables, kind.outputs, strict=False):
        edits.append(
            plug(
                grown,
                analysis.catalogue,
                f"{box.id}.{outlet.id}",
                cable.target,
                length_m=cable.length_m,
                label=cable.label,
            )
        )
    effect = (
        "Each input has its own winding; phantom power comes back by the direct way only."
        if source.level == "mic"
        else "Each pair has its own amplifier and knob; set them low first."
    )
    yield Remedy("split", f"Put {kind.name} between", effect, tuple(edits))
