"""Loops that howl, ring or echo, and the switches that open them."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.core.computing.computed import Computed
from kymaphon.core.figures import number
from kymaphon.core.graph.cuts import Cut, PairConstraint
from kymaphon.core.graph.paths import SignalPath, simple_cycles
from kymaphon.core.graph.transfer import Transfer
from kymaphon.core.mixes.cures import cuts_of, wanted_pairs
from kymaphon.core.mixes.far_desk import far_end
from kymaphon.core.mixes.returns import one_of_a_pair, together
from kymaphon.core.model.edits import Edit


@dataclass(frozen=True, slots=True)
class LoopTrouble:
    """Loops that are not left as they are.

    Attributes:
        listed: the loops of the rig, one of each stereo pair, strongest first.
        heard: those of them that are too near to howling, or heard as an echo.
        ways: what is told of: the heard ones, else the strongest of those that come to too much together.
        howls: it builds up, or comes so near to it that no gain is known so well.
        steep: nearer to howling than the margin; else it is an echo.
    """

    listed: tuple[SignalPath, ...]
    heard: tuple[SignalPath, ...]
    ways: tuple[SignalPath, ...]
    howls: bool
    steep: bool

    @property
    def worst(self) -> SignalPath:
        return self.ways[0]


def heard_round(path: SignalPath) -> bool:
    """Whether a loop is too near to howling (Davis and Patronis: keep 6 dB), or is long enough and strong enough to be heard as an
    echo (Haas 1951).
    """
    long = path.delay_ms > number("delay-blurred")
    return path.gain_db > (number("loop-echo") if long else -number("loop-margin"))


def loop_trouble(analysis: Computed) -> LoopTrouble | None:
    """What is wrong with the loops of a rig; None where nothing is."""
    margin = number("loop-margin")
    listed = tuple(one_of_a_pair(analysis.circles.paths))
    heard = tuple(path for path in listed if heard_round(path))
    howls = analysis.transfer.howls
    if not heard and not howls:
        several = together(analysis)
        if several is None or several.value <= -margin:
            return None
    ways = heard or listed[:3]
    if not ways:
        return None
    return LoopTrouble(listed, heard, ways, howls, howls or not heard or ways[0].gain_db > -margin)


def loop_cuts(analysis: Computed, trouble: LoopTrouble, kept: list[PairConstraint]) -> list[Cut]:
    """The smallest sets of switches that leave no such loop."""

    def bad(transfer: Transfer) -> list[list[SignalPath]]:
        lowest = min(-number("loop-margin"), number("loop-echo"))
        found = simple_cycles(transfer, floor_db=lowest, most=4 if trouble.steep else 16)
        near = [[path] for path in found.paths if heard_round(path)]
        if near or not transfer.howls:
            return near
        return [list(simple_cycles(transfer, most=4).paths)]

    return cuts_of(analysis, bad, kept, steady=True)


def opening(analysis: Computed) -> tuple[Edit, ...]:
    """What opens the loops of a rig and loses nobody what is wanted; where no switch does and a far end's desk has a part in it, the
    task to ask there; nothing where neither helps or none is bad.
    """
    trouble = loop_trouble(analysis)
    if trouble is None:
        return ()
    cuts = loop_cuts(analysis, trouble, wanted_pairs(analysis))
    whole = next((cut for cut in cuts if not cut.breaks), None)
    if whole is not None:
        return whole.edits
    asking = () if trouble.steep else far_end(analysis, (trouble.worst,))[2]
    return asking[0].edits if asking else ()
