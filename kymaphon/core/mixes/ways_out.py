"""When there are not buses enough: what would help, the cheapest first, each tried by planning it."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import islice
from typing import Literal

from pydantic import ValidationError

from kymaphon.core.mixes.by_lead import by_lead
from kymaphon.core.mixes.in_computer import InComputer, in_computer
from kymaphon.core.mixes.mixer import MixBus, buses_of
from kymaphon.core.mixes.mixing import Missing
from kymaphon.core.mixes.other_desk import exchange
from kymaphon.core.mixes.planner import FeedPlan, plan_feeds
from kymaphon.core.model.catalogue import Catalogue, Kind
from kymaphon.core.model.edits import Edit, SetWant, apply_all
from kymaphon.core.model.ends import end_of
from kymaphon.core.model.references import ShowProblem
from kymaphon.core.model.show import Device, Show

MOST_TRIED = 4
"""So many other desks are planned with at most."""
Sort = Literal["lead", "share", "computer", "desk"]


@dataclass(frozen=True)
class WayOut:
    """Something that would make up for missing mixes.

    Attributes:
        sort: a lead into the computer, two share one mix, the computer makes mixes, another desk.
        text: what to do, and what it costs.
        edits: the plan that it gives, to be applied together; empty where it takes more than settings and plugs.
        lost: (listener, voice) pairs that are given up.
    """

    sort: Sort
    text: str
    edits: tuple[Edit, ...] = ()
    lost: tuple[tuple[str, str], ...] = ()


def ways_out(show: Show, catalogue: Catalogue, plan: FeedPlan) -> tuple[WayOut, ...]:
    """What would help a plan with missing mixes, or with voices that no input takes; nothing where none is missing."""
    if plan.whole:
        return ()
    catalogue = catalogue.with_kinds(*show.kinds)
    rows = [
        _by_lead(show, catalogue, plan),
        _sharing(show, catalogue, plan),
        _in_the_computer(show, catalogue, plan),
        _other_desk(show, catalogue, plan),
    ]
    return tuple(row for row in rows if row is not None)


def _names(show: Show, ids: tuple[str, ...] | list[str]) -> str:
    return _listed([show.party(row).name for row in dict.fromkeys(ids)])


def _listed(rows: list[str]) -> str:
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"


def _by_lead(show: Show, catalogue: Catalogue, plan: FeedPlan) -> WayOut | None:
    """A free analogue mix, led into a free input of the computer."""
    found = by_lead(apply_all(show, plan.wants), catalogue, plan)
    if found is None:
        return None
    texts = []
    for lead in found.leads:
        who = _names(show, list(lead.missing.need.listeners))
        target = end_of(show, catalogue, lead.missing.need.targets[0])
        pad = f", with a {lead.pad} dB pad between" if lead.pad else ", with its pad in" if lead.own_pad else ""
        texts.append(
            f"A lead from {lead.source.name} into {lead.into.name}{pad}; in the computer {target.name} takes "
            f"{lead.through.name} instead. {who} then has a mix without themselves."
        )
    text = f"{' '.join(texts)} Nobody loses anything; line it up anew."
    return WayOut("lead", text, (*plan.wants, *found.edits))


def _sharing(show: Show, catalogue: Catalogue, plan: FeedPlan) -> WayOut | None:
    """Each need without a mix shares that of another, without both their voices: they do not hear each other."""
    given: list[SetWant] = []
    texts = []
    now = apply_all(show, plan.wants)
    for row in [row for row in plan.missing if row.bus is None]:
        best = _partner(now, plan, row)
        if best is None:
            return None
        wants, others = best
        given += wants
        now = apply_all(now, tuple(wants))
        mine = tuple(row.need.listeners)
        texts.append(f"{_names(show, [*mine, *others])} share one mix without themselves")
    if not given:
        return None
    shared = plan_feeds(now, catalogue)
    if shared.missing:
        return None
    lost = tuple((row.listener, row.voice) for row in given)
    pairs = ", ".join(f"{show.party(a).name} not {show.party(b).name}" for a, b in lost)
    text = f"{'; '.join(texts)}. It costs {len(lost)} want{'s' * (len(lost) > 1)}: {pairs}."
    return WayOut("share", text, (*plan.wants, *given, *shared.edits), lost)


def _partner(show: Show, plan: FeedPlan, row: Missing) -> tuple[list[SetWant], tuple[str, ...]] | None:
    """Whose mix costs fewest wants when a need without one takes it as well; as wants that are given up."""
    wants = {(want.listener, want.voice): want for want in show.wants}
    best: tuple[int, list[SetWant], tuple[str, ...]] | None = None
    for mix in plan.mixes:
        if mix.device != row.device or mix.bus.side or len(mix.needs) != 1 or mix.needs[0].stereo != row.need.stereo:
            continue
        other = mix.needs[0]
        given = [
            SetWant(listener, voice, "any")
            for mine, theirs in ((row.need, other), (other, row.need))
            for listener in mine.listeners
            for voice in sorted(theirs.keep_off)
            if (want := wants.get((listener, voice))) is not None and want.want == "hear"
        ]
        if best is None or len(given) < best[0]:
            best = (len(given), given, tuple(other.listeners))
    return None if best is None else best[1:]


def _in_the_computer(show: Show, catalogue: Catalogue, plan: FeedPlan) -> WayOut | None:
    """Everybody through a software mixer, planned; else the mixes that one has left, told, as it takes the calls into the computer."""
    found = in_computer(apply_all(show, plan.wants), catalogue, plan)
    if found is not None:
        return _wired(show, catalogue, plan, found)
    wanting = [row for row in plan.missing if row.bus is None]
    used = {(mix.device, mix.bus.id) for mix in plan.mixes}
    for device in show.devices:
        kind = catalogue[device.kind]
        if not kind.is_mixing_software:
            continue
        free = [
            bus for bus in buses_of(device, kind) if not bus.side and bus.gained and (device.id, bus.id) not in used
        ]
        if len(free) >= len(wanting) > 0:
            who = _names(show, [party for row in wanting for party in row.need.listeners])
            name = device.name or kind.name
            text = (
                f"Take {who} into the computer instead of the desk: {name} has {len(free)} free mixes "
                f"({', '.join(bus.name for bus in free)}), each everything but its caller. It costs the computer's buffers in delay."
            )
            return WayOut("computer", text)
    return None


def _wired(show: Show, catalogue: Catalogue, plan: FeedPlan, found: InComputer) -> WayOut:
    name, host = found.device.name or "the software mixer", found.host.name or "the computer"
    kind = catalogue[found.device.kind].name
    begin = f"Put a software mixer into {host} ({kind})" if found.fresh else f"Lead everything in {host} through {name}"
    short = [party for row in plan.missing for party in row.need.listeners]
    short += [voice for row in plan.unrouted_sources if row.into is None for voice in row.voices]
    short = short or [row.listener for row in plan.unmet if row.verdict != "late"]
    takes = f"it takes {_listed(list(found.sources))}" if found.sources else "it has everybody already"
    text = (
        f"{begin}: {takes}, and gives everybody a mix without themselves, {_names(show, short)} too. "
        "No plug outside the computer is touched. It costs the computer's buffers in delay."
    )
    return WayOut("computer", text, (*plan.wants, *found.edits))


def _other_desk(show: Show, catalogue: Catalogue, plan: FeedPlan) -> WayOut | None:
    """The smallest desk of the catalogue on which nothing is missing, as planned; one with sends for all before one whose main mix
    has to be parted by the pan pots.
    """
    short = {row.device for row in plan.missing}
    if len(short) != 1:
        return None
    device = show.device(short.pop())
    own = catalogue[device.kind]
    rows = sorted(
        (
            kind
            for kind in catalogue
            if kind.group == own.group and len(_sends(device, kind)) > len(_sends(device, own))
        ),
        key=lambda kind: (len(_sends(device, kind)), len(kind.inputs)),
    )
    found = ((kind, change) for kind in rows if (change := exchange(show, catalogue, device, kind)) is not None)
    best: WayOut | None = None
    for kind, change in islice(found, MOST_TRIED):
        try:
            other = plan_feeds(apply_all(show, change.edits), catalogue)
        except (ShowProblem, ValidationError):
            # Settings of the old desk that the new one cannot have: it is no drop-in.
            continue
        if not other.made:
            continue
        sends = len(_sends(device, kind))
        leads = (
            f"{change.moved} lead{' goes' if change.moved == 1 else 's go'} into other sockets; "
            if change.moved
            else ""
        )
        parted = any(mix.bus.side for mix in other.mixes if mix.device == device.id)
        how = ", one of them a side of the main mix" if parted else ""
        text = (
            f"{kind.name} instead of {device.name or own.name}: {leads}with {sends} mix{'es' * (sends != 1)} "
            f"beside the main one nothing is missing{how}."
        )
        way = WayOut("desk", text, (*change.edits, *other.edits))
        if not parted:
            return way
        best = best or way
    return best


def _sends(device: Device, kind: Kind) -> list[MixBus]:
    return [bus for bus in buses_of(device, kind) if bus.gained and not bus.side]
