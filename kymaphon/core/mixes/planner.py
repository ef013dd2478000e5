"""The feeds of a show, planned: every mixer in the order of the signal, each need on a bus of it, written as edits and proven."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from kymaphon.core.computing.build import build_graph
from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.computing.riders import is_ridden
from kymaphon.core.figures import number
from kymaphon.core.graph.routing import Delivery, is_for_far_end
from kymaphon.core.graph.signal import UNINTENDED, reachable
from kymaphon.core.mixes.assign import fits, required_inputs
from kymaphon.core.mixes.far_desk import far_desks, was_asked
from kymaphon.core.mixes.loops import loop_trouble, opening
from kymaphon.core.mixes.mixer import Mixer, mixer_of
from kymaphon.core.mixes.mixing import Missing, Mix, mix_on
from kymaphon.core.mixes.requirements import Around, fed_by, requirements_of, unplugged
from kymaphon.core.mixes.unrouted import UnroutedSource, unrouted_sources
from kymaphon.core.model.catalogue import Catalogue
from kymaphon.core.model.edits import Edit, SetValue, SetWant, apply_all
from kymaphon.core.model.ids import SettingRef
from kymaphon.core.model.show import Setting, Show
from kymaphon.core.model.wants import unsaid, wants_by_role

PASSES = 3
"""Where mixers feed each other in turn, each is planned again with what came of the others, so often at most."""
ROUNDS = 2
"""So often the levels that a plan opens are looked at and corrected."""


@dataclass(frozen=True)
class FeedPlan:
    """A plan, the show with it in, and what it changes of who hears whom.

    Attributes:
        edits: everything, to be applied together and undone together.
        wants: those among them that say what a role should hear, where nobody had.
        missing: mixes that cannot be made on what is there.
        before, after: the show computed without and with the plan, with no findings.
        strays: voices that came to no mixer, with the inputs that the plan plugs them into.
    """

    edits: tuple[Edit, ...]
    wants: tuple[SetWant, ...]
    mixes: tuple[Mix, ...]
    missing: tuple[Missing, ...]
    before: Computed
    after: Computed
    mixers: tuple[Mixer, ...] = field(default=())
    unrouted_sources: tuple[UnroutedSource, ...] = field(default=())

    @property
    def made(self) -> bool:
        """Whether every mix can be made, and every voice gets into a mixer."""
        return not self.missing and all(row.into is not None for row in self.unrouted_sources)

    def is_mix_minus(self, mix: Mix) -> bool:
        """Whether those who get a mix can be heard on its mixer, and are not on it (common practice: also clean feed, n-1)."""
        mixer = next(row for row in self.mixers if row.device.id == mix.device)
        on = {voice for name in mix.inputs for voice in mixer.voices[name]}
        there = {voice for voices in mixer.voices.values() for voice in voices}
        return bool(on) and set(mix.listeners) <= there - on

    @property
    def whole(self) -> bool:
        """Whether it is all that could be asked of a plan: every mix is made, and what is not as wanted then is late, or a matter of level."""
        return self.made and all(row.verdict == "late" for row in self.unmet)

    @property
    def unmet(self) -> tuple[Delivery, ...]:
        """Pairs that somebody asked for, by the show or by a role, and own voices back, that are not as wanted with the plan; what is
        only a matter of level is left to Level.
        """
        return tuple(
            row
            for row in self.after.feeds.values()
            if not row.well and _off_level(row) is None and (row.want != "any" or row.verdict == "back")
        )

    @property
    def off_level(self) -> dict[tuple[str, str], tuple[str, ...]]:
        """(voice, `loud`, `quiet` or `faint`) -> the listeners for whom it is that with the plan, as it is left to the line-up. What is
        faint comes as it should, and too weak to be heard.
        """
        rows: dict[tuple[str, str], tuple[str, ...]] = {}
        for row in self.after.feeds.values():
            how = _off_level(row)
            if how is not None:
                key = (row.voice, how)
                rows[key] = (*rows.get(key, ()), row.listener)
        return rows

    @property
    def howls(self) -> bool:
        """Whether something goes round with the plan that can build up."""
        return _howls(self.after)

    @property
    def changed(self) -> tuple[tuple[Delivery, Delivery], ...]:
        """Pairs whose verdict the plan changes, before and after."""
        pairs = ((row, self.after.feeds.get(key)) for key, row in self.before.feeds.items())
        return tuple((a, b) for a, b in pairs if b is not None and a.verdict != b.verdict)


def plan_feeds(show: Show, catalogue: Catalogue) -> FeedPlan:
    """Plans every feed of a show on the mixers that are there.

    Mixers are taken in the order of the signal, each as the plan has left those before it. Gains, faders and mutes of the line-up
    are left alone; what is switched on gets the wanted level.

    Raises:
        ShowProblem: a reference in the show leads nowhere.
        ValueError: the solver gave up on a mixer.
    """
    plan = _plan(show, catalogue)
    if any(row.edits for row in plan.unrouted_sources) and _harmed(plan):
        plan = _plan(show, catalogue, bring=False)
    if _lengthens(plan) and not any(was_asked(show, row.id) for row in far_desks(plan.before).values()):
        # Somebody else's desk sends it back whatever is done here: that has to be asked for first.
        kinds = catalogue.with_kinds(*show.kinds)
        after = without_rules(apply_all(show, plan.wants), kinds)
        plan = replace(plan, edits=plan.wants, mixes=(), after=after, unrouted_sources=())
    return _as_it_is(plan) if _idle(plan) else plan


def _idle(plan: FeedPlan) -> bool:
    """Whether a plan moves something, yet nobody hears anything else by it and no loop is opened: then what is there is right."""
    return plan.edits != plan.wants and not plan.changed and loop_trouble(plan.before) is None


def _as_it_is(plan: FeedPlan) -> FeedPlan:
    """The plan that leaves the rig alone; what it could not plug in is still told."""
    unrouted_sources = tuple(row for row in plan.unrouted_sources if row.into is None)
    return replace(plan, edits=plan.wants, mixes=(), after=plan.before, unrouted_sources=unrouted_sources)


def _lengthens(plan: FeedPlan) -> bool:
    """Whether somebody who has themselves back by a desk would have themselves back later still."""
    return any(
        row.listener == row.voice
        and row.verdict == "back"
        and not is_for_far_end(row)
        and plan.before.feeds[key].verdict == "back"
        and (row.delay_ms or 0.0) > (plan.before.feeds[key].delay_ms or 0.0) + number("delay-blurred")
        for key, row in plan.after.feeds.items()
    )


def _harmed(plan: FeedPlan) -> bool:
    """Whether something goes round with the plan that did not, or somebody lacks a voice or has themselves back who did not."""
    worse = any(
        after.verdict in ("back", "missing") and plan.before.feeds[key].verdict != after.verdict
        for key, after in plan.after.feeds.items()
    )
    return worse or (plan.howls and not _howls(plan.before))


def _plan(show: Show, catalogue: Catalogue, *, bring: bool = True) -> FeedPlan:
    """The plan, with voices that come to no mixer plugged in or left where they are."""
    catalogue = catalogue.with_kinds(*show.kinds)
    wants = tuple(want for party in unsaid(show) for want in wants_by_role(show, party.id))
    given, show = show, apply_all(show, wants)
    before = without_rules(show, catalogue)
    edits: list[Edit] = []
    mixes: list[Mix] = []
    missing: list[Missing] = []
    made: list[Mixer] = []
    opened: list[SettingRef] = []
    found = unrouted_sources(before)
    if not bring:
        found = tuple(replace(row, into=None, edits=(), harms=row.into is not None) for row in found)
    brought = tuple(edit for row in found for edit in row.edits)
    edits += brought
    now = apply_all(show, brought)
    graph = build_graph(now, catalogue) if brought else before.graph
    around = Around(now, catalogue, graph)
    order, circular = _in_order(around)
    served = _served_by(around, before, order)
    for _ in range(PASSES if circular else 1):
        mixes, missing, made = [], [], []
        settled = True
        for device_id in order:
            mixer = mixer_of(catalogue, graph, now.device(device_id))
            needs = requirements_of(around, mixer)
            fed = fed_by(around, mixer)
            waiting = [row for row, by in served.items() if by == device_id and row not in fed]
            rest = unplugged(around, mixer, set(before.graph.ears) - set(waiting))
            done = mix_on(now, catalogue, mixer, [*needs, *rest])
            made.append(mixer)
            mixes += done.mixes
            missing += done.missing
            opened += done.opened
            if done.edits:
                settled = False
                edits += done.edits
                now = apply_all(now, tuple(done.edits))
                graph = build_graph(now, catalogue)
                around = Around(now, catalogue, graph)
        if settled:
            break
    mixes = [replace(mix, moved=_moved(show, now, mix)) for mix in mixes]
    after = without_rules(now, catalogue) if edits else before
    for _ in range(ROUNDS if opened else 0):
        turns = tuple(_corrections(after, opened))
        if not turns:
            break
        edits += turns
        after = without_rules(apply_all(show, tuple(edits)), catalogue)
    opening = _circles_opened(before, after)
    if opening:
        edits += opening
        after = without_rules(apply_all(show, tuple(edits)), catalogue)
    return FeedPlan(
        (*wants, *_plain(given, edits)),
        wants,
        tuple(mixes),
        tuple(missing),
        before,
        after,
        tuple(made),
        found,
    )


def _moved(before: Show, after: Show, mix: Mix) -> tuple[tuple[str, str], ...]:
    """Cables of a mix that were not there, as from and to."""
    had = {cable.ends for cable in before.cables}
    targets = {target for need in mix.needs for target in need.targets}
    return tuple(cable.ends for cable in after.cables if cable.target in targets and cable.ends not in had)


def _plain(show: Show, edits: Iterable[Edit]) -> tuple[Edit, ...]:
    """The last value that is given to each setting, in the order of the first; what changes nothing is left out."""
    values: dict[SettingRef, SetValue] = {}
    others: list[Edit] = []
    for edit in edits:
        if isinstance(edit, SetValue):
            values[edit.ref] = edit
        else:
            others.append(edit)
    devices = {row.id: row for row in show.devices}

    def changes(edit: SetValue) -> bool:
        setting = devices[edit.ref.device].settings.get(edit.ref.key, Setting())
        return bool(getattr(setting, edit.ref.field) != edit.value)

    return (*others, *(row for row in values.values() if changes(row)))


def _in_order(around: Around) -> tuple[list[str], bool]:
    """The mixers in the order in which signal flows, and whether some feed each other in turn; those stay in the show's order."""
    ids = [device.id for device in around.mixers]
    feeds: dict[str, set[str]] = {}
    for device in around.mixers:
        outs = [i for i, node in enumerate(around.graph.nodes) if node.owner == device.id]
        owners = {around.graph.nodes[node].owner for node in reachable(around.onward.graph, outs)}
        feeds[device.id] = owners.intersection(ids) - {device.id}
    out: list[str] = []
    while ids:
        # What nothing else feeds, unless it feeds that in turn.
        first = next((a for a in ids if not any(a in feeds[b] and b not in feeds[a] for b in ids if b != a)), ids[0])
        out.append(first)
        ids.remove(first)
    return out, any(b in feeds[a] and a in feeds[b] for a in out for b in out if a != b)


def _served_by(around: Around, before: Computed, order: list[str]) -> dict[str, str]:
    """Listeners that nothing feeds yet -> the mixer with most of what they want to hear."""
    show = around.show
    mixers = [mixer_of(around.catalogue, around.graph, show.device(row)) for row in order]
    fed = {row for mixer in mixers for row in fed_by(around, mixer)}
    best: dict[str, tuple[int, str]] = {}
    for mixer in mixers if fed != set(before.graph.ears) else ():
        for need in unplugged(around, mixer, fed):
            if not any(fits(need, mixer, bus) for bus in mixer.buses):
                continue
            count = len(required_inputs(mixer, need).groups)
            for party in need.listeners:
                # Of two with as many, the one further on: more has come together there.
                if count >= best.get(party, (1, ""))[0]:
                    best[party] = (count, mixer.device.id)
    return {party: device for party, (_, device) in best.items()}


def _off_level(feed: Delivery) -> str | None:
    """How a pair is wrong by nothing but its level; None for one that is right, or wrong otherwise."""
    if feed.verdict in ("loud", "quiet"):
        return feed.verdict
    comes = feed.path is not None and not any(step.kind in UNINTENDED for step in feed.path.steps())
    return "faint" if feed.verdict == "missing" and comes else None


def _howls(analysis: Computed) -> bool:
    return analysis.transfer.howls


def _circles_opened(before: Computed, after: Computed) -> tuple[Edit, ...]:
    """The switches that open loops which the plan has closed, or has brought to howl: where wants themselves lead round, no mix
    alone can avoid it.
    """
    if _howls(before) or (loop_trouble(before) is not None and not _howls(after)):
        return ()
    return opening(after)


def _corrections(analysis: Computed, opened: list[SettingRef]) -> Iterable[SetValue]:
    """Levels of what the plan switched on that miss the wanted level by more than is let pass, put right as far as the knob goes.

    What a voice is off on air as well is the line-up's to put right, not the send's.
    """
    wanted = set(opened)
    tolerance = number("level-tolerance")
    on_air = _off_on_air(analysis)
    turns: dict[SettingRef, list[float]] = {}
    knobs = {}
    for feed in analysis.feeds.values():
        if feed.want != "hear" or feed.path is None or feed.gain_db is None:
            continue
        off = feed.gain_db - feed.wanted_gain_db - on_air.get(feed.voice, 0.0)
        steps = list(feed.path.steps())
        # Before an automatic level no send sets the level: what comes after it counts.
        ridden = max((i for i, step in enumerate(steps) if is_ridden(step)), default=-1)
        for step in steps[ridden + 1 :]:
            for knob in step.knobs:
                if knob.ref in wanted:
                    knobs[knob.ref] = knob
                    turns.setdefault(knob.ref, []).append(off)
    for ref, rows in turns.items():
        knob = knobs[ref]
        off = sum(rows) / len(rows)
        value = float(round(min(max(knob.value - off, knob.lowest), knob.highest)))
        if abs(off) > tolerance and value != knob.value:
            yield SetValue(ref, value)


def _off_on_air(analysis: Computed) -> dict[str, float]:
    """Voice -> how far it is from its wanted level where the programme goes."""
    ends = {party.id for party in analysis.listeners if party.kind in ("audience", "recorder")}
    rows: dict[str, list[float]] = {}
    for feed in analysis.feeds.values():
        if feed.listener in ends and feed.gain_db is not None and feed.want == "hear":
            rows.setdefault(feed.voice, []).append(feed.gain_db - feed.wanted_gain_db)
    return {voice: sum(row) / len(row) for voice, row in rows.items()}
