"""What each listener should hear, by its role, where nobody has said."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from kymaphon.core.figures import number
from kymaphon.core.model.base import WantKind
from kymaphon.core.model.edits import SetWant
from kymaphon.core.model.ids import PortId
from kymaphon.core.model.show import Party, Show

if TYPE_CHECKING:
    from kymaphon.core.graph.ladder import Ladder, Rung

EARS = ("presenter", "guest")
BACKGROUND = ("crowd", "effect")
ROLE_WORDS = {
    "remote": "everyone on the programme but itself",
    "presenter": "the programme and everyone far away, itself direct",
    "guest": "the programme and everyone far away, itself direct",
    "instrument": "the programme, itself direct",
    "audience": "the programme",
    "recorder": "the programme, to be kept",
    "crew": "the talkback",
}
"""What a role hears, in words; a role that is not named here hears nothing unless it is asked for."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """What one listener should get of one voice, and who says so.

    Attributes:
        gain_db: level against the listener's mark.
        asked: the show says so; else it goes by the role.
    """

    want: WantKind
    gain_db: float
    asked: bool


def role_want(listener: Party, voice: Party) -> Wanted:
    """What goes by the roles (common practice): a remote party gets all but itself, ears in the studio the programme and those far
    away with themselves at once, an audience and a recorder the programme, the crew its talkback.
    """
    if (
        listener.hears_on is None
        and listener.kind != "remote"
        and listener.place is not None
        and listener.place == voice.place
    ):
        # Who listens to the room hears who speaks in it.
        return Wanted("any", 0.0, False)
    if listener.id == voice.id:
        return Wanted("never" if listener.kind == "remote" else "local", 0.0, False)
    if voice.kind == "crew":
        return Wanted("hear" if listener.kind == "crew" else "never" if _on_air(listener) else "any", 0.0, False)
    if listener.kind == "crew" or listener.kind not in ROLE_WORDS:
        return Wanted("any", 0.0, False)
    if voice.kind in BACKGROUND:
        # Crowd and effects belong to the programme; in an ear they are in the way of what is said.
        gain = number("want-background")
        return Wanted("hear", gain, False) if _on_air(listener) else Wanted("any", gain, False)
    under = number("want-player-in-ear") if voice.kind == "player" and listener.kind == "remote" else 0.0
    return Wanted("hear", under, False)


def _on_air(listener: Party) -> bool:
    return listener.kind in ("audience", "recorder")


def tracks_of(show: Show) -> frozenset[str]:
    """Parties that are single tracks of one recorder, beside others of it: each is for one voice, and which is not told by its role."""
    rows: dict[str, list[str]] = {}
    for party in show.parties:
        device, port, _ = PortId.of(party.hears_on or "")
        if party.listens and party.kind == "recorder" and port:
            rows.setdefault(device, []).append(party.id)
    return frozenset(party for same in rows.values() if len(same) > 1 for party in same)


def wants_of(show: Show) -> dict[tuple[str, str], Wanted]:
    """(listener, voice) -> what the show asks for; by the role where it asks nothing for a listener to hear at all."""
    said = {(row.listener, row.voice): row for row in show.wants}
    hears = {row.listener for row in show.wants if row.want == "hear"} | tracks_of(show)
    on_circuits = {row.party for circuit in show.circuits for row in circuit.members}
    out: dict[tuple[str, str], Wanted] = {}
    for listener in (party for party in show.parties if party.listens):
        for voice in (party for party in show.parties if party.speaks):
            row = said.get((listener.id, voice.id))
            if row is not None:
                out[listener.id, voice.id] = Wanted(row.want, row.gain_db, True)
            elif listener.kind == voice.kind == "crew" and listener.id in on_circuits:
                # What the crew says to each other its circuits say.
                out[listener.id, voice.id] = Wanted("any", 0.0, False)
            elif listener.id == voice.id or listener.id not in hears:
                out[listener.id, voice.id] = role_want(listener, voice)
            else:
                out[listener.id, voice.id] = Wanted("any", 0.0, False)
    return out


def wants_by_role(show: Show, listener: str | None = None) -> tuple[SetWant, ...]:
    """The wants that roles give and that nobody has said yet: for one listener, or for all."""
    said = {(row.listener, row.voice) for row in show.wants}
    tracks = tracks_of(show)
    out = []
    for hearer in show.parties:
        if not hearer.listens or hearer.id in tracks or (listener is not None and hearer.id != listener):
            continue
        for voice in show.parties:
            if not voice.speaks or (hearer.id, voice.id) in said:
                continue
            row = role_want(hearer, voice)
            if row.want != "any":
                out.append(SetWant(hearer.id, voice.id, row.want, row.gain_db))
    return tuple(out)


def asked_db(show: Show, listener: str, voice: str) -> float | None:
    """Level against the mark at which somebody asked to hear a voice; None where it was asked for as `never` or `any`; 0 where
    nobody said.
    """
    row = next((row for row in show.wants if (row.listener, row.voice) == (listener, voice)), None)
    if row is None or row.want == "local":
        return 0.0
    return row.gain_db if row.want == "hear" else None


def asked_at(show: Show, ladder: Ladder, rung: Rung) -> float | None:
    """The same at a point of a chain. In a room what was asked for is a level at the ears; the desk before the loudspeakers has
    a mark of its own.
    """
    asked = asked_db(show, ladder.target, ladder.voice)
    before_ears = ladder.last.unit == "dB SPL" and rung is not ladder.last
    return 0.0 if before_ears and asked is not None else asked


def unsaid(show: Show) -> tuple[Party, ...]:
    """Listeners of whom nobody has said what they should hear, though their role says it."""
    heard = {row.listener for row in show.wants if row.want == "hear"} | tracks_of(show)
    # What the crew hears is said by its circuits.
    heard |= {row.party for circuit in show.circuits for row in circuit.members if row.hears}
    return tuple(
        party
        for party in show.parties
        if party.listens
        and party.id not in heard
        and any(role_want(party, voice).want == "hear" for voice in show.parties if voice.speaks)
    )
