"""Circuits tried by voice, each way: what came of it, and whether that still holds.

A check is of the way that somebody's voice took when it was tried. It goes stale when that way, its level or its keys change.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import datetime

from kymaphon.core.computing.computed import Computed
from kymaphon.core.model.show import CircuitCheck
from kymaphon.core.talk.circuits import TalkModel, TalkWay
from kymaphon.core.talk.dead import dead_ends
from kymaphon.core.talk.hearing import hearing_of


@dataclass(frozen=True, slots=True)
class CheckState:
    """One way of one circuit, and how far it was tried.

    Attributes:
        check: what stands in the log about it, the newest; None for nothing.
        at: when; None for nothing.
        stale: something on its way has changed since.
    """

    way: TalkWay
    usable: bool
    check: CircuitCheck | None
    at: datetime | None
    stale: bool

    @property
    def holds(self) -> bool:
        """Tried, good, and nothing has changed since."""
        return self.check is not None and self.check.result == "good" and not self.stale


def check_states(analysis: Computed) -> tuple[CheckState, ...]:
    """Every way of every circuit that comes, or that should and is dead, in the order of the show; those by telephone last."""
    newest: dict[tuple[str, str, str], tuple[CircuitCheck, datetime]] = {}
    for entry in analysis.show.log:
        row = entry.circuit_check
        if row is not None:
            newest[row.circuit, row.speaker, row.listener] = (row, entry.at)
    hearing = analysis.once(hearing_of)
    dead = {row.id: dead_ends(hearing, row) for row in analysis.show.circuits}
    out = []
    for key, found in hearing.rows.items():
        if not found.way.heard and not dead[key[0]].concerns(key[1], key[2]):
            continue
        check, at = newest.get(key, (None, None))
        stale = check is not None and check.way != way_digest(hearing.model, found.way)
        out.append(CheckState(found.way, found.usable, check, at, stale))
    return tuple(sorted(out, key=lambda row: row.way.state == "outside"))


def way_digest(model: TalkModel, way: TalkWay) -> str:
    """What a check is of, in sixteen letters: the steps of the way with its speaker's key down, and the level that comes, to a decibel."""
    if way.state == "outside":
        return "by telephone"
    graph = model.analysis.graph
    steps, delay = model.steps(way)
    rows = [f"{graph.nodes[graph.edges[i].source].id}>{graph.nodes[graph.edges[i].target].id}" for i in steps]
    state = model.states[way.circuit, way.speaker]
    keys = sorted(f"{ref.device}.{ref.key}" for ref in state.down)
    level = "none" if way.level_db is None else f"{way.level_db:.0f}"
    return hashlib.sha256("\n".join([*rows, *keys, level, f"{delay:.0f}"]).encode()).hexdigest()[:16]


def check_of(
    analysis: Computed, circuit: str, speaker: str, listener: str, result: str, *, by: str = "", note: str = ""
) -> CircuitCheck:
    """What goes into the log for one way that was tried.

    Raises:
        KeyError: there is no such circuit, or no such way on it.
    """
    hearing = analysis.once(hearing_of)
    found = hearing.rows[circuit, speaker, listener]
    return CircuitCheck.model_validate(
        {
            "circuit": circuit,
            "speaker": speaker,
            "listener": listener,
            "result": result,
            "by": by,
            "note": note,
            "way": way_digest(hearing.model, found.way),
        }
    )
