"""Rule about several talkers at once: what they come to at every ceiling that they share, and what the mix then needs."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np
from numpy.typing import NDArray

from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.graph.ladder import Ladder
from kymaphon.core.graph.signal import Knob
from kymaphon.core.levels.turning import turn
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.weights import crest_together
from kymaphon.core.rules.record import rule
from kymaphon.core.units import uncorrelated_sum_db
from kymaphon.core.wiring.linked_controls import turned_together, twins_along


@rule("several-clip", stage="Level", reads=("feeds",))
def several_at_once(analysis: Computed) -> Iterator[Finding]:
    """The loudest talkers of each shared point, all speaking at once: powers add, and peaks by a stated chance."""
    flow, graph = analysis.flow, analysis.graph
    talkers = [i for i, voice in enumerate(flow.voices) if analysis.show.party(voice).kind not in NO_SPEECH]
    if len(talkers) < 2:
        return
    levels = np.array([graph.mouths[voice][1].value for voice in flow.voices])
    most = round(number("talk-at-once"))
    worst: tuple[float, int, list[int]] | None = None
    clipping: set[int] = set()
    heard = analysis.leading_to([ear for ears in graph.ears.values() for ear in ears])
    for node in _near_clipping(analysis, talkers, levels, most):
        point = graph.nodes[node]
        if point.ceiling is None or node in analysis.transfer.unstable or node not in heard:
            continue
        power = flow.power[node]
        here = [i for i in talkers if 0 < power[i] < np.inf]
        at = {i: float(levels[i] + 10 * np.log10(power[i])) for i in here}
        loudest = sorted(here, key=lambda i: -at[i])[:most]
        chosen = [i for i in loudest if at[i] > at[loudest[0]] - number("comes-together")]
        if len(chosen) < 2:
            continue
        alone = max(at[i] for i in chosen) + number("crest-highest")
        over = uncorrelated_sum_db(at[i] for i in chosen) + crest_together(len(chosen))[1].value - point.ceiling.value
        if over <= 0.05:
            continue
        clipping.add(node)
        # One alone that clips there is told by itself.
        if alone <= point.ceiling.value and (worst is None or over > worst[0] + 0.05):
            worst = over, node, chosen
    if worst is not None:
        yield _told(analysis, *worst, frozenset(clipping))


def _near_clipping(analysis: Computed, talkers: list[int], levels: NDArray[np.float64], most: int) -> list[int]:
    """Nodes whose ceiling all talkers together would pass: few of those that the loudest of them may."""
    ceilings = [point.ceiling.value if point.ceiling is not None else np.inf for point in analysis.graph.nodes]
    together = analysis.flow.power[:, talkers] @ 10 ** (levels[talkers] / 10)
    crest = max(crest_together(count)[1].value for count in range(2, max(most, 2) + 1))
    with np.errstate(divide="ignore"):
        under = 10 * np.log10(together) + crest <= np.array(ceilings)
    return [int(node) for node in np.flatnonzero(~under)]


def _told(analysis: Computed, over: float, node: int, chosen: list[int], clipping: frozenset[int]) -> Finding:
    flow, point = analysis.flow, analysis.graph.nodes[node]
    names = [analysis.party_name(flow.voices[i]) for i in chosen]
    terms = tuple(
        Derived(
            f"{name} there",
            float(analysis.graph.mouths[flow.voices[i]][1].value + 10 * np.log10(flow.power[node, i])),
            point.unit,
            source="solve over all open paths",
        )
        for name, i in zip(names, chosen, strict=True)
    )
    both = Derived(
        "all of them at once",
        uncorrelated_sum_db(row.value for row in terms),
        point.unit,
        "10 lg Σ 10^(L/10)",
        terms,
        "uncorrelated sum",
    )
    middle, seldom = crest_together(len(chosen))
    ceiling = point.ceiling.value if point.ceiling is not None else 0.0
    why = total(
        "peaks over the ceiling",
        "dB",
        (both, seldom, Derived(f"less the ceiling of {point.label}", -ceiling, "dB", source="device data")),
    )
    often = both.value + middle.value > ceiling
    who = f"{', '.join(names[:-1])} and {names[-1]}"
    text = (
        f"{who} at once come to {show_number(both.value, point.unit)} at {point.label}, and their peaks pass its ceiling by {over:.1f} dB in one "
        f"half minute of {'two or more' if often else 'ten'}. The mix needs {over:.1f} dB less there, or a limiter before it."
    )
    voices = tuple(flow.voices[i] for i in sorted(chosen))
    return Finding(
        "several-clip",
        "fix" if often else "note",
        "Level",
        (*voices, point.id),
        f"{len(chosen)} at once clip at {point.label}",
        text,
        (
            Derived("over", over, "dB"),
            Derived("together", both.value, point.unit),
            Derived("mix needs less by", over, "dB"),
        ),
        why,
        Later(partial(_shared, analysis, voices, point.id, over, clipping)),
    )


def _shared(
    analysis: Computed, voices: tuple[str, ...], node: str, over: float, clipping: frozenset[int]
) -> Iterator[Remedy]:
    """A gain or fader that all of them pass before the point, and nobody else's channel; and the nearest such before the point with one
    behind it that puts back what is taken off, so that the marks further on stay.

    Args:
        clipping: every point that all of them at once clip, this one among them: where one of those lies behind what would put it back,
            that only moved the clipping on.
    """
    off = float(np.ceil(over))
    ladders = [analysis.ladder_to_node(voice, node) for voice in voices]
    before = _common([ladder for ladder in ladders if ladder is not None])
    down = [(knob, edit) for knob in before if (edit := turn(knob, -off)) is not None and -_moved(knob, edit) >= over]
    for knob, edit in down[:1]:
        text = f"{_goes(knob, edit)}; the whole mix is {-_moved(knob, edit):.0f} dB lower from there on."
        yield Remedy("shared", f"Take {-_moved(knob, edit):.0f} dB off: {knob.label}", text, (edit,))
    through = next(
        (row for (voice, _), row in analysis.ladders.items() if voice in voices and node in _nodes(row)), None
    )
    if through is None or not down:
        return
    label = analysis.graph.nodes[analysis.graph.index[node]].label
    knob, edit = down[-1]
    by = -_moved(knob, edit)
    for other in _behind(through, node, clipping):
        back = turn(other, by)
        if back is None or abs(_moved(other, back) - by) > max(other.step, knob.step) / 2 + 1e-6:
            continue
        twins = twins_along(analysis, through)
        edits = (
            *turned_together(analysis, twins, edit, knob.value),
            *turned_together(analysis, twins, back, other.value),
        )
        yield Remedy(
            "shared-behind",
            f"Take {by:.0f} dB off: {knob.label}; add it behind: {other.label}",
            f"{_goes(knob, edit)} and {_goes(other, back)}: less at {label}, and as much as before from there on.",
            edits,
        )
        return


def _behind(ladder: Ladder, node: str, clipping: frozenset[int]) -> list[Knob]:
    """Knobs of a way from a point on, behind which nothing clips."""
    out: list[Knob] = []
    for step in reversed(list(ladder.path.steps())):
        if step.target in clipping:
            break
        out = [*step.knobs, *out]
        if ladder.path.graph.nodes[step.source].id == node:
            break
    return out


def _goes(knob: Knob, edit: SetValue) -> str:
    value = edit.value if isinstance(edit.value, float) else 0.0
    return f"{knob.label} goes to {show_number(value, 'dB', sign=True)}"


def _moved(knob: Knob, edit: SetValue) -> float:
    return (edit.value if isinstance(edit.value, float) else knob.value) - knob.value


def _nodes(ladder: Ladder) -> tuple[str, ...]:
    return tuple(rung.node for rung in ladder.rungs)


def _common(ladders: list[Ladder]) -> list[Knob]:
    """Knobs that all of them pass, in the order of the first."""
    shared = [{knob.ref for knob in _knobs(row)} for row in ladders]
    return [knob for knob in (_knobs(ladders[0]) if ladders else ()) if all(knob.ref in refs for refs in shared)]


def _knobs(ladder: Ladder) -> Iterator[Knob]:
    for step in ladder.path.steps():
        yield from step.knobs
