"""A mix that is free comes out analogue and is needed inside a computer: a lead into an input of that computer brings it there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kymaphon.core.mixes.mixing import Missing
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, SetValue, apply_all
from kymaphon.core.model.ends import End, end_of
from kymaphon.core.model.ids import PortId, SettingRef
from kymaphon.core.model.show import Show
from kymaphon.core.wiring.fit import Fit, fit_of, pad_for
from kymaphon.core.wiring.plugging import free_inputs, from_elsewhere, inserted, plug


@dataclass(frozen=True)
class Lead:
    """One lead of the way out.

    Attributes:
        source, into: the output of the mix, and the free input that takes it.
        through: the output inside the computer that gives on what comes in there.
        pad: what has to stand between, dB; 0 where nothing has to, or the input's own pad does it.
        own_pad: whether the input's own pad is switched in.
    """

    missing: Missing
    source: End
    into: End
    through: End
    pad: int
    own_pad: bool


@dataclass(frozen=True)
class ByLead:
    """The leads, and everything that is planned with them, to be applied together."""

    leads: tuple[Lead, ...]
    edits: tuple[Edit, ...]


def by_lead(show: Show, catalogue: Catalogue, plan: FeedPlan) -> ByLead | None:
    """A lead for each missing mix, from a free mix of the same mixer into a free input at the computer where it is needed.

    None where one has no free mix or input, or where the plan with the leads is not whole, costs somebody a voice or howls.

    Args:
        show: with the wants of the plan in it.
    """
    if not plan.missing or any(row.bus is not None for row in plan.missing):
        return None
    now = show
    edits: tuple[Edit, ...] = ()
    leads: list[Lead] = []
    used: set[str] = set()
    for row in plan.missing:
        found = next(_leads(now, catalogue, row, used), None)
        if found is None:
            return None
        used.add(found.source.ref)
        leads.append(found)
        plugs = _edits(now, catalogue, found)
        edits += plugs
        now = apply_all(now, plugs)
    done = plan_feeds(now, catalogue)
    if not done.whole or done.howls:
        return None
    return ByLead(tuple(leads), (*edits, *done.edits))


def _leads(show: Show, catalogue: Catalogue, row: Missing, used: set[str]) -> Iterator[Lead]:
    """Ways to lead a free mix to where one is missing, the best fitting first."""
    host = show.device(PortId.of(row.need.targets[0]).device).host
    if host is None or len(row.need.targets) > 1:
        return
    sources = [
        end_of(show, catalogue, f"{row.device}.{socket}")
        for bus in row.unfit
        for socket, side in bus.sockets
        if not side
    ]
    rows: list[tuple[float, int, Lead]] = []
    for source in sources:
        if source.ref in used or any(cable.source.startswith(source.ref) for cable in show.cables):
            continue
        for into, through in _inputs(show, catalogue, host):
            fit = fit_of(source, into)
            if not fit.works or into.port.stereo != source.port.stereo:
                continue
            pad, own = _pad(fit)
            lead = Lead(row, source, into, through, pad, own)
            rows.append((fit.cost, len(rows), lead))
    yield from (lead for _, _, lead in sorted(rows, key=lambda found: found[:2]))


def _inputs(show: Show, catalogue: Catalogue, host: str) -> Iterator[tuple[End, End]]:
    """Free analogue inputs at a computer, each with the digital output by which it comes alone."""
    for device in show.devices:
        if device.id != host and device.host != host:
            continue
        kind = catalogue[device.kind]
        for into in free_inputs(show, catalogue, device):
            if into.port.domain != "analog":
                continue
            for port in kind.outputs:
                fixed = [path for path in kind.paths if path.target == port.id]
                alone = [path.source for path in fixed] == [into.port.id] and not fixed[0].switch
                if port.domain == "digital" and alone and port.stereo == into.port.stereo:
                    yield into, End(device, kind, port)
                    break


def _pad(fit: Fit) -> tuple[int, bool]:
    """The pad that a line into a microphone input takes, and whether the input has it."""
    fault = next((row for row in fit.faults if row.code == "line-into-mic" and row.severity == "fix"), None)
    if fault is None:
        return 0, False
    need = fault.figures[0].value
    strip = fit.target.port.strip
    if strip is not None and strip.pad_db and not fit.target.setting.pad and strip.pad_db >= need:
        return 0, True
    return pad_for(need, least=20), False


def _edits(show: Show, catalogue: Catalogue, lead: Lead) -> tuple[Edit, ...]:
    first = plug(show, catalogue, lead.source.ref, lead.into.ref)
    edits: tuple[Edit, ...] = (first,)
    if lead.own_pad:
        edits += (SetValue(SettingRef(lead.into.device.id, lead.into.port.id, "pad"), True),)
    if lead.pad:
        now = apply_all(show, edits)
        edits += inserted(now, catalogue, (first.cable,), f"pad-{lead.pad}", "Pad")
    target, source = lead.missing.need.targets[0], lead.through.ref
    mixes = end_of(show, catalogue, target).port.mixes
    there = next((cable for cable in show.cables if cable.target == target and not mixes), None)
    now = apply_all(show, edits)
    edits += (
        from_elsewhere(now, catalogue, there, source) if there is not None else (plug(now, catalogue, source, target),)
    )
    return edits
