"""What each microphone's strip begins with: a low cut that is on, and a gate in its place, set and off until a take says more."""

from __future__ import annotations

from kymaphon.core.compose.settle import settings
from kymaphon.core.computing.computed import Computed
from kymaphon.core.dynamics.places import StripPlace, strip_at
from kymaphon.core.graph.ladder import Rung
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.processing import Gate, LowCut, Processing


def prepared(figures: Computed) -> tuple[SetValue, ...]:
    """A chain for each talker at a microphone, in the first strip of their own that has a low cut.

    The gate's thresholds lie between the peaks of the room's noise and a quiet word, both as computed there; where nothing lies between
    them no gate is put in.
    """
    out = []
    for party in figures.voices:
        if party.kind not in ("presenter", "guest") or party.plays_on:
            continue
        found = _first_strip(figures, party.id)
        if found is None:
            continue
        strip, rung = found
        chain: list[Processing] = [LowCut(corner_hz=settings()["low_cut_hz"])]
        gate = _gate(rung, strip)
        if gate is not None:
            chain.append(gate)
        out.append(SetValue(strip.ref, tuple(chain)))
    return tuple(out)


def _first_strip(figures: Computed, voice: str) -> tuple[StripPlace, Rung] | None:
    """The first strip with a low cut on any way of a voice, before it is mixed with others; and the point where its chain begins."""
    for listener in (party.id for party in figures.show.parties if party.listens and party.id != voice):
        ladder = figures.ladder(voice, listener)
        for rung in ladder.rungs if ladder is not None else ():
            node = PortId.of(rung.node.split(":")[0])
            device = figures.show.find_device(node.device)
            if device is not None and any(bus.id == node.port for bus in figures.catalogue[device.kind].buses):
                break
            strip = strip_at(figures, rung, figures.passing, voice)
            if strip is not None and strip.has("low-cut") and not strip.shared:
                return strip, rung
    return None


def _gate(rung: Rung, strip: StripPlace) -> Gate | None:
    data = settings()["gate"]
    lowest = rung.noise_flat_db + data["over_room_db"]
    highest = rung.speech_db - data["under_voice_db"]
    if not strip.has("gate") or lowest + data["between_db"] > highest:
        return None
    opens = round(max(highest, lowest + data["between_db"]), 1)
    return Gate(
        on=False,
        open_db=opens,
        close_db=round(opens - data["between_db"], 1),
        range_db=data["range_db"],
        set_at_gain_db=strip.gain_db,
    )
