"""One's own voice in one's own ears: straight through the desk or interface, or round through the computer."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number
from kymaphon.core.figures import number
from kymaphon.core.graph.paths import SignalPath, best_paths
from kymaphon.core.graph.routing import echo_class
from kymaphon.core.model.show import Party

MOST_WAYS = 12


@dataclass(frozen=True)
class OwnEars:
    """How a talker hears itself.

    Attributes:
        direct, computer: the strongest way of each sort; None where there is none. A way over a line to elsewhere and
        back is neither: what comes back late is a matter of feeds. Nor is what comes too weak to be noticed.
        below_db: how much weaker the later of the two is than the other; None with one of them.
    """

    party: str
    direct: SignalPath | None
    computer: SignalPath | None
    below_db: float | None

    def lines(self) -> tuple[Derived, ...]:
        """Both delays, line by line."""
        out = []
        for path, name in (
            (self.direct, "own voice, direct"),
            (self.computer, "own voice, through the computer"),
        ):
            if path is not None:
                delay = Derived(
                    name,
                    path.delay_ms,
                    "ms",
                    "sum of the lines",
                    path.delay_parts(),
                    "delays add along the way",
                    True,
                )
                out.append(delay)
        return tuple(out)

    def words(self) -> str:
        """What that means, in a sentence or two."""
        if self.direct is None and self.computer is None:
            return "Does not hear itself in the desk, the interface or the computer."
        if self.computer is None and self.direct is not None:
            return f"Hears itself direct, {show_number(self.direct.delay_ms, 'ms')} late: nothing to notice."
        if self.computer is None:
            return ""
        late = show_number(self.computer.delay_ms, "ms")
        kind = echo_class(self.computer.delay_ms)
        if self.direct is None:
            return (
                f"Hears itself only through the computer, {late} late: {kind}. Direct monitoring would take that away."
            )
        apart = self.computer.delay_ms - self.direct.delay_ms
        if self.below_db is not None and self.below_db >= number("double-difference"):
            return (
                f"Hears itself direct; what comes back through the computer {show_number(apart, 'ms')} "
                f"later is {show_number(self.below_db, 'dB')} weaker and does no harm."
            )
        return (
            f"Hears itself twice, direct and {show_number(apart, 'ms')} later through the computer: {kind}. "
            "Take its own voice out of what the computer returns, or switch direct monitoring off."
        )


def through_computer(path: SignalPath) -> bool:
    """Whether a way waits for a computer's audio buffer."""
    return any("buffer" in part.name for part in path.delay_parts())


def _leaves(analysis: Computed, party: Party, path: SignalPath) -> bool:
    """Whether a way runs through a device in another place than the talker's."""
    owners = {analysis.graph.nodes[node].owner for node in path.nodes}
    places = {row.place for row in analysis.show.devices if row.id in owners}
    return party.place is not None and bool(places - {None, party.place})


def own_ears(analysis: Computed, party_id: str) -> OwnEars | None:
    """How a party that speaks and listens hears itself; None for one that does not do both.

    Raises:
        KeyError: an unknown party.
    """
    party = analysis.show.party(party_id)
    if not party.speaks or party_id not in analysis.graph.mouths or party_id not in analysis.graph.ears:
        return None
    mouth, source = analysis.graph.mouths[party_id]
    feed = analysis.feeds.get((party_id, party_id))
    if feed is None or feed.level_db is None or feed.gain_db is None:
        return OwnEars(party_id, None, None, None)
    weakest = number("own-voice-floor") + (feed.level_db - feed.gain_db) - source.value
    direct: SignalPath | None = None
    computer: SignalPath | None = None
    for ear in analysis.graph.ears[party_id]:
        for path in best_paths(analysis.transfer, mouth, ear, most=MOST_WAYS, floor_db=weakest).paths:
            if len(path.edges) < 3 or _leaves(analysis, party, path):
                # Through the air of the room alone, or from elsewhere: nobody monitors that.
                continue
            if through_computer(path):
                computer = path if computer is None or path.gain_db > computer.gain_db else computer
            elif path.delay_ms <= number("delay-hollow"):
                direct = path if direct is None or path.gain_db > direct.gain_db else direct
    below = direct.gain_db - computer.gain_db if direct is not None and computer is not None else None
    return OwnEars(party_id, direct, computer, below)
