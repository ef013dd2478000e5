"""In-line boosters: what one buys, taken out or put in, and the verdict in plain words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kymaphon.core.derive import show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.own_noise import own_ein
from kymaphon.core.levels.budget import (
    Budget,
    Buy,
    half_distance,
    microphone_of,
    move_made,
    shares,
    shares_of_own,
    turned_back,
)
from kymaphon.core.levels.lineup.model import NoiseTerm
from kymaphon.core.model.edits import Edit, SetValue
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.show import Device
from kymaphon.core.model.weights import white_a_db
from kymaphon.core.noise import ein_at_gain_dbu
from kymaphon.core.wiring.plugging import inserted, taken_out


def booster_on(budget: Budget) -> tuple[Device, float, int, int] | None:
    """The booster on the way: device, its gain, and the numbers of its first and last rung; None without one."""
    analysis, rungs = budget.analysis, budget.ladder.rungs
    for device in analysis.show.devices:
        if not analysis.catalogue[device.kind].is_booster:
            continue
        mine = [i for i, rung in enumerate(rungs) if rung.owner == device.id]
        if mine:
            return device, rungs[mine[-1]].speech_db - rungs[mine[0]].speech_db, mine[0], mine[-1]
    return None


def booster_worth_db(budget: Budget) -> float | None:
    """What the booster on the way buys its own channel, against none and the gain made up after it; None without one."""
    if booster_on(budget) is None:
        return None
    return budget.alone_db - _alone_without_booster(budget)


def _alone_without_booster(budget: Budget) -> float:
    """Voice over its own channel's noise, the booster taken out and its gain made up after it."""
    found = booster_on(budget)
    if found is None:
        return budget.alone_db
    _, gain, first, last = found
    noises = tuple(
        # Without it, what comes in after it stands against speech that much weaker.
        replace(row, level=row.level + gain) if row.place > last else row
        for row in budget.voice.noises
        if not first <= row.place <= last
    )
    return budget.alone(noises, -gain)


def booster_move(budget: Budget) -> Buy | None:
    """Taking the booster out, or putting one in; None where neither makes sense."""
    found = booster_on(budget)
    if found is not None:
        worth = booster_worth_db(budget) or 0.0
        device = found[0]
        label = f"Take {device.name or budget.analysis.catalogue[device.kind].name} out"
        text = f"It is worth {show_number(worth, 'dB')} here. {made_up_without(budget)}"
        return move_made(budget, "booster", label, _alone_without_booster(budget), text, _without_booster(budget))
    return _with_booster(budget)


def _missing_without(budget: Budget, gain: float) -> float:
    """How far the gains after a booster of `gain` dB end short of making it up, in dB."""
    made = float((budget.voice.speech[1] * (budget.restored(-gain) - budget.x)).sum())
    return max(gain - made, 0.0)


def made_up_without(budget: Budget) -> str:
    """Where the gain of the booster on the way would be made up without it, and where a range ends; empty without one."""
    found = booster_on(budget)
    if found is None:
        return ""
    gain, near = found[1], number("mark-near")
    text = f"Without it {show_number(gain, 'dB')} would have to be made up"
    left, told = gain, []
    for turn, value in zip(budget.model.turns, budget.restored(-gain), strict=True):
        up = float(value) - turn.now
        if up < turn.step / 2:
            continue
        left -= up
        where = (
            f"at {turn.label}: {show_number(turn.now, 'dB', sign=True)} to {show_number(float(value), 'dB', sign=True)}"
        )
        if left > near:
            where += f", where its range ends {show_number(left, 'dB')} short"
        if turn.ref in budget.shared:
            where += ", and others come through there too"
        told.append(where)
    return f"{text} {'; then '.join(told)}." if told else f"{text}, and no gain after it has any left."


def _with_booster(budget: Budget) -> Buy | None:
    found = microphone_of(budget)
    if found is None:
        return None
    device, kind = found
    out = kind.port("out")
    rungs = budget.ladder.rungs
    place = next((i for i, rung in enumerate(rungs) if rung.node == f"{device.id}.out"), None)
    if (
        out is None
        or place is None
        or place + 1 >= len(rungs)
        or out.domain != "analog"
        or out.phantom_ma is not None
        or out.connector != "xlr"
    ):
        return None
    booster = budget.analysis.catalogue["booster-inline"]
    strip = booster.inputs[0].strip
    if strip is None or strip.gain_db is None:
        return None
    gain = strip.gain_db[0]
    hiss = NoiseTerm(
        "booster",
        "preamp",
        ein_at_gain_dbu(own_ein(strip), gain) + white_a_db() - rungs[place + 1].weighted_speech_db,
        np.zeros(len(budget.x)),
        place=place,
    )
    noises = (
        *(replace(row, level=row.level - gain) if row.place > place else row for row in budget.voice.noises),
        hiss,
    )
    after = budget.alone(noises, gain)
    text = (
        f"{gain:.0f} dB with an equivalent input noise of {show_number(strip.ein_dbu[0][1], 'dBu')} "
        "before the first preamplifier; it lifts voice and room alike."
    )
    edits = _booster_edits(budget, device, gain)
    return move_made(budget, "booster", "An in-line booster", after, text, edits)


def _booster_edits(budget: Budget, device: Device, gain: float) -> tuple[Edit, ...]:
    show = budget.analysis.show
    cable = next((row for row in show.cables if row.source == f"{device.id}.out"), None)
    if cable is None:
        return ()
    target, port_id, _ = PortId.of(cable.target)
    port = budget.analysis.catalogue[show.device(target).kind].port(port_id)
    edits = inserted(show, budget.analysis.catalogue, (cable,), "booster-inline", "Booster")
    back = turned_back(budget, gain)
    if port is None or port.strip is None or not port.strip.phantom or back is None:
        # Nothing would feed it, or its gain could only be taken back where others come through too.
        return ()
    return (*edits, SetValue(SettingRef(target, port_id, "phantom"), True), *back)


def _without_booster(budget: Budget) -> tuple[Edit, ...]:
    found = booster_on(budget)
    if found is None:
        return ()
    device, gain, _, _ = found
    show = budget.analysis.show
    out = taken_out(show, budget.analysis.catalogue, device)
    lead = next((row for row in show.cables if row.source_device == device.id), None)
    if out is None or lead is None:
        return ()
    if _missing_without(budget, gain) > number("mark-near"):
        return ()
    edits: list[Edit] = list(out)
    target, port_id, _ = PortId.of(lead.target)
    setting = show.device(target).settings.get(port_id)
    mic = microphone_of(budget)
    if setting is not None and setting.phantom and mic is not None and not any(p.phantom_ma for p in mic[1].outputs):
        edits.append(SetValue(SettingRef(target, port_id, "phantom"), False))
    back = turned_back(budget, -gain)
    return () if back is None else (*edits, *back)


def booster_verdict(budget: Budget) -> str:
    """What the booster on the way is worth, in plain words; empty without one."""
    worth = booster_worth_db(budget)
    if worth is None:
        return ""
    little, much = number("worth-little"), number("worth-much")
    word = "not worth it" if worth < little else "worth a little" if worth < much else "worth it"
    ranked = shares(budget.ladder.last)
    rows = {row.kind: row for row in shares_of_own(budget)}
    text = f"The booster is worth {show_number(worth, 'dB')} here: {word}."
    if worth < much and "room" in rows:
        without = _preamp_without_booster(budget)
        if without is not None and rows["room"].level_db - without > 0:
            text += (
                f" The room is {rows['room'].level_db - without:.0f} dB louder than the preamplifier "
                "would be without it; gain lifts voice and room alike."
            )
    half = half_distance(budget)
    if worth < little and half is not None and half.alone_db > worth:
        text += f" Half the distance buys {show_number(half.alone_db, 'dB')}."
    elif worth < little and ranked and ranked[0].kind == "others":
        text += " What is loudest here comes from the other channels."
    return text


def _preamp_without_booster(budget: Budget) -> float | None:
    """The next preamplifier's noise against speech if the booster were not there; None without one."""
    found = booster_on(budget)
    if found is None:
        return None
    rows = [row for row in budget.voice.noises if row.ein and row.place >= found[3]]
    if not rows:
        return None
    first = min(rows, key=lambda row: row.place)
    return replace(first, level=first.level + found[1]).at(budget.restored(-found[1]))
