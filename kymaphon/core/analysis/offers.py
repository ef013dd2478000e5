"""The one gate before anything is offered: a change is tried on the show, and what it would cost is told.

Nothing that was good may be lost for a remedy, a plan or a line-up: no wanted voice goes missing or falls off its mark, no loop
comes within `loop-margin` of howling, nobody's hearing is put at risk, and nothing that stops a show is new. The changed show is
analysed anew, with nothing taken over from before.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

from kymaphon.core.analysis.analyse import analyse
from kymaphon.core.analysis.outcome import PLUGS, Cost, outcome_of, worse
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import show_number
from kymaphon.core.graph.routing import Delivery, is_for_far_end
from kymaphon.core.levels.lineup.model import FaderStrategy
from kymaphon.core.levels.turning import turn
from kymaphon.core.model.edits import (
    AddLog,
    AddRow,
    AttachTake,
    DetachTake,
    Edit,
    SetField,
    SetValue,
    SetWant,
    apply_all,
)
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.stages import Severity
from kymaphon.core.words import counted

if TYPE_CHECKING:
    from kymaphon.core.levels.lineup.plan import LineUpPlan

OPENS = frozenset(("control-down", "phantom-missing", "wanted-not-heard", "loop-howls"))
"""Findings whose cure lets through what was not there before: what is wrong further on shows only then, and is no cost of it."""
SILENCES = frozenset(("control-down", "end-silent", "not-on-air", "wanted-not-heard", "phantom-missing"))
"""What still keeps somebody silent: of two causes in a row the first is cured first."""


@dataclass(frozen=True, slots=True)
class Offers:
    """What can be offered for a finding.

    Attributes:
        remedies: in the order to try them; one that leaves something else to fix says so in its first words.
        refused: what would mend it and costs more than it mends, with the reason.
    """

    remedies: tuple[Remedy, ...]
    refused: tuple[tuple[Remedy, str], ...] = ()

    def why_not(self) -> tuple[str, ...]:
        """What is not offered, and why, in sentences."""
        rows = [f"Not offered: {remedy.label}. {words}." for remedy, words in self.refused[:MOST_REFUSED]]
        more = len(self.refused) - MOST_REFUSED
        return (*rows, f"Nor {more} more, for the like reasons.") if more > 0 else tuple(rows)


def offers_of(analysis: Report, finding: Finding) -> Offers:
    """The remedies of a finding that can be followed blindly, each tried on the show; kept with the analysis."""
    known: dict[Hashable, tuple[Finding, Offers]] = analysis.tried
    key = _key(finding)
    held = known.get(key)
    if held is None or held[0] != finding:
        held = known[key] = finding, _offers(analysis, finding)
    return held[1]


def first_offer(analysis: Report, finding: Finding) -> Remedy | None:
    """The first remedy that costs nothing, of those that the rule itself proposes: for lists, where nothing more is shown."""
    held = analysis.tried.get(_key(finding))
    if held is not None:
        return next(iter(held[1].remedies), None)
    sorted_ = _Sorted(analysis, finding)
    for remedy in finding.remedies[:MOST_OFFERED]:
        sorted_.take(remedy)
        if sorted_.free:
            return remedy
    return None


_Key = tuple[str, tuple[str, ...], str, Hashable]


def _key(finding: Finding) -> _Key:
    rows = finding.remedies
    return (
        *finding.key,
        finding.message,
        rows.key if isinstance(rows, Later) else tuple(row.label for row in rows),
    )


def with_offers(analysis: Report, finding: Finding) -> Finding:
    """The finding with just the remedies that are offered, and why others are not."""
    offers = offers_of(analysis, finding)
    return replace(finding, remedies=offers.remedies, refused=offers.why_not())


def are_known(analysis: Report, findings: Iterable[Finding]) -> bool:
    """Whether what can be offered for these has been tried already: then `offers_of` computes nothing."""
    known: dict[Hashable, tuple[Finding, Offers]] = analysis.tried
    return all(
        not _asks_for_work(row) or ((held := known.get(_key(row))) is not None and held[0] == row) for row in findings
    )


def _asks_for_work(finding: Finding) -> bool:
    """Whether there is anything to try for a finding: by its rule, or by the line-up or the feed plan."""
    return finding.may_have_remedies or finding.code in LEVELS or finding.code in FEEDS


LEVELS = ("off-mark", "clips", "little-headroom", "several-clip")
"""Findings that gains alone can cure."""
FEEDS = (
    "own-voice-back",
    "not-on-air",
    "end-silent",
    "arrives-twice",
    "heard-unwanted",
    "wanted-not-heard",
    "loop-echoes",
    "loop-rings",
    "loop-howls",
)
"""Findings that a mix of one's own can cure."""
MOST_OFFERED = 3
MOST_KEPT = 8
"""So many changed shows are kept with the analysis that they were tried for."""
MOST_REFUSED = 2


def _offers(analysis: Report, finding: Finding) -> Offers:
    sorted_ = _Sorted(analysis, finding)
    for remedy in finding.remedies:
        if len(sorted_.free) == MOST_OFFERED or (sorted_.free and remedy.id.startswith("edge-")):
            break
        sorted_.take(remedy)
    if finding.code in LEVELS and not sorted_.free:
        for remedy in _lined_up(analysis, finding):
            sorted_.take(remedy)
            if sorted_.cured:
                break
        # What cures it comes before what only eases it; and what only wants noting is not worth easing.
        eased = [] if finding.severity == "note" else [row for row in sorted_.free if row not in sorted_.cured]
        sorted_.free = [*sorted_.cured, *eased]
    if finding.code in FEEDS and not sorted_.free and not _by_the_air(analysis, finding):
        for remedy in _planned(analysis, finding):
            sorted_.take(remedy)
            if sorted_.free:
                break
    dear = sorted(sorted_.dear, key=lambda row: row[0])
    rows = sorted((*sorted_.free, *(remedy for _, remedy in dear)), key=lambda row: not row.leads)
    return Offers(tuple(rows[:MOST_OFFERED]), tuple(sorted_.refused))


def _by_the_air(analysis: Report, finding: Finding) -> bool:
    """Whether it is about voices that come back from a far end's loudspeaker: no mix here is without them."""
    return bool(finding.pairs) and all(
        (feed := analysis.feeds.get(pair)) is not None and is_for_far_end(feed) for pair in finding.pairs
    )


class _Sorted:
    """Remedies of one finding, each tried and put with those that cost nothing, something, or too much."""

    def __init__(self, analysis: Report, finding: Finding) -> None:
        self.analysis, self.finding = analysis, finding
        self.free: list[Remedy] = []
        self.cured: list[Remedy] = []
        self.dear: list[tuple[int, Remedy]] = []
        self.refused: list[tuple[Remedy, str]] = []

    def take(self, remedy: Remedy) -> None:
        after = _tried_once(self.analysis, remedy)
        if after is None:
            self.free.append(remedy)
            return
        if _as_before(_bare(self.analysis), self.finding, after):
            return
        costs = costs_of(self.analysis, after, self.finding)
        if any(row.sort == "pair" for row in costs):
            level = _levelled(remedy, _bare(self.analysis), after)
            if level is not None and (again := _tried_once(self.analysis, level)) is not None:
                less = costs_of(self.analysis, again, self.finding)
                if len(less) < len(costs):
                    remedy, after, costs = level, again, less
        if not costs:
            self.free.append(remedy)
            if all(row.key != self.finding.key for row in after.findings):
                self.cured.append(remedy)
        elif self.finding.severity == "note" or any(row.hard(remedy.edits) for row in costs):
            # What only wants noting is worth nothing that has to be mended after it.
            hard = [row for row in costs if row.hard(remedy.edits)]
            if not remedy.id.startswith("exchange-"):  # a guess that did not hold is nothing to tell
                self.refused.append((remedy, told(hard or costs)))
        else:
            self.dear.append((len(costs), replace(remedy, label=f"{told(costs)}. {remedy.label}")))


def _levelled(remedy: Remedy, before: Report, after: Report) -> Remedy | None:
    """A remedy that plugs somebody's ears anew, with the knob next to those ears turned by as much as they have too much; None where
    there is none, or nothing is plugged.
    """
    if not any(isinstance(edit, PLUGS) for edit in remedy.edits):
        return None
    over: dict[str, list[Delivery]] = {}
    for key, feed in after.feeds.items():
        was = before.feeds.get(key)
        if feed.verdict == "loud" and was is not None and was.verdict != "loud":
            over.setdefault(feed.listener, []).append(feed)
    turned: list[SetValue] = []
    words = ""
    for rows in over.values():
        loudest = max(rows, key=lambda feed: (feed.gain_db or 0.0) - feed.wanted_gain_db)
        assert loudest.path is not None
        knobs = [knob for step in reversed(list(loudest.path.steps())) for knob in step.knobs]
        edit = turn(knobs[0], loudest.wanted_gain_db - (loudest.gain_db or 0.0)) if knobs else None
        if edit is not None:
            turned.append(edit)
            words += (
                f" {knobs[0].label} goes to {show_number(float(str(edit.value)), 'dB', sign=True)}, towards the mark."
            )
    return replace(remedy, edits=(*remedy.edits, *turned), effect=remedy.effect + words) if turned else None


def _planned(analysis: Report, finding: Finding) -> Iterator[Remedy]:
    """A mix of their own for all who need one, by the feed planner: mix-minus instead of taking somebody off the air."""
    from kymaphon.core.mixes.planner import plan_feeds
    from kymaphon.core.mixes.ways_out import ways_out

    try:
        plan = plan_feeds(analysis.show, analysis.catalogue)
    except ValueError:
        # The planner's solver gave no answer: then there is nothing to offer by this way.
        return
    edits = tuple(edit for edit in plan.edits if not isinstance(edit, SetWant))
    if edits:
        count = f"{counted(len(edits), 'setting')} and cables" if len(edits) > 1 else "one setting"
        text = "The feed plan puts everybody who must not have themselves back on a mix without themselves; see Plan for every step."
        yield Remedy("plan", f"Mixes of their own (mix-minus), by the plan: {count}", text, edits)
    for n, way in enumerate(ways_out(analysis.show, analysis.catalogue, plan)):
        edits = tuple(edit for edit in way.edits if not isinstance(edit, SetWant))
        if edits:
            yield Remedy(
                f"way-{n + 1}",
                f"Beyond the plan: {way.text}",
                "What is there does not do it; this does, and can be undone.",
                edits,
            )


def _lined_up(analysis: Report, finding: Finding) -> Iterator[Remedy]:
    """The line-up solver instead of one knob: this voice by what moves no other, then all of them together."""
    from kymaphon.core.levels.lineup.plan import line_up

    one = (finding.subjects[0],)
    tries: tuple[tuple[str, tuple[str, ...] | None, FaderStrategy | None], ...] = (
        ("line-up-alone", one, None),
        ("line-up", None, None),
        ("line-up-faders", None, "free"),
    )
    for remedy_id, voices, strategy in tries:
        # Of all voices together it is the same for each finding; one voice's own is not kept.
        key = ("lined up", strategy)
        plan: LineUpPlan | None
        if voices is None and key in analysis.tried:
            plan = analysis.tried[key]
        else:
            try:
                plan = line_up(analysis, voices, strategy=strategy, reasons=False)
            except (KeyError, ValueError):
                plan = None  # no such voice, or no answer: then there is nothing to offer by this way
        if voices is None:
            analysis.tried[key] = plan
        if plan is None or not plan.moves:
            continue
        what = "; ".join(move.words for move in plan.moves)
        who = analysis.party_name(finding.subjects[0]) if voices else "all voices"
        count = f"{len(plan.moves)} to turn" if len(plan.moves) > 2 else what
        edits = tuple(edit for move in plan.moves for edit in move.edits)
        yield Remedy(remedy_id, f"Line up {who}: {count}", f"{what}. {plan.sentence()}", edits)


def _small(text: str) -> str:
    """A title inside a sentence; names keep their capitals."""
    return text[:1].lower() + text[1:] if text.startswith(("A ", "An ", "The ")) else text


def told(costs: Iterable[Cost], most: int = 2) -> str:
    """What it costs, the first few of it, as a sentence begins."""
    rows = list(dict.fromkeys(row.words for row in costs))
    more = f" and {len(rows) - most} more" if len(rows) > most else ""
    return f"Then {'; '.join(rows[:most])}{more}"


SILENT = (AddLog, AttachTake, DetachTake, SetWant)
"""Edits that change no signal: what is noted, measured and wanted."""


def _is_silent(edit: Edit) -> bool:
    if isinstance(edit, AddRow):
        return edit.table in ("tasks", "log", "takes", "tracks")
    return isinstance(edit, SILENT) or (
        isinstance(edit, SetField) and edit.row is None and edit.field in ("tasks", "log", "takes")
    )


def tried(analysis: Report, edits: tuple[Edit, ...]) -> Report | None:
    """The show with a change in it, analysed without looking for remedies; None for one that changes no signal."""
    if all(_is_silent(edit) for edit in edits):
        return None
    return analyse(apply_all(analysis.show, edits), analysis.catalogue, before=_bare(analysis), remedies=False)


def _tried_once(analysis: Report, remedy: Remedy) -> Report | None:
    """As `tried`, with the last few kept: where a mix is too loud, one knob is proposed for each voice in it."""
    kept: dict[tuple[Edit, ...], Report | None] = analysis.tried.get("tried", {})
    try:
        if remedy.edits in kept:
            return kept[remedy.edits]
    except TypeError:
        return tried(analysis, remedy.edits)  # a row that is added has lists in it, and no hash
    after = tried(analysis, remedy.edits)
    # Made anew, not changed: two may try at the same time.
    analysis.tried["tried"] = dict([*kept.items(), (remedy.edits, after)][-MOST_KEPT:])
    return after


def _as_before(before: Report, finding: Finding, after: Report) -> bool:
    """Whether the very same is found again, with the same figures: then the remedy does nothing."""
    said = {row.message for row in before.findings if row.key == finding.key}
    return any(row.key == finding.key and row.message in said for row in after.findings)


def costs_of(analysis: Report, after: Report, finding: Finding | None = None) -> tuple[Cost, ...]:
    """What was good before and is not after: by what people then hear, then by what is found and by what each stage counts as settled.

    Args:
        finding: what the change is for: its own code on its own subjects is no news.
    """
    before = _bare(analysis)
    return (
        *worse(before.once(outcome_of), after.once(outcome_of)),
        *_new(before, after, "stop", finding),
        *_new(before, after, "fix", finding),
        *(() if finding is not None and finding.code in OPENS else _unsettled(before, after)),
    )


def _unsettled(before: Report, after: Report) -> Iterator[Cost]:
    """Stages that count less as settled. What was proven by hand goes stale with whatever its way touches: that is no loss of the rig."""
    for stage, was in before.stages.items():
        now = after.stages[stage]
        if stage != "Prove" and now.settled < was.settled:
            yield Cost("settled", f"{stage} has {was.settled - now.settled} less settled")


def cost_words(analysis: Report, edits: tuple[Edit, ...]) -> str:
    """What a plan or a line-up would spoil, as its first words; empty where nothing is lost by it."""
    after = tried(analysis, edits)
    costs = costs_of(analysis, after) if after is not None else ()
    return told(costs, most=3) if costs else ""


def _bare(analysis: Report) -> Report:
    """The same show, found by the same rules without remedies: so that both sides are grouped alike."""
    if not analysis.remedies:
        return analysis
    if "without remedies" not in analysis.tried:
        analysis.tried["without remedies"] = analyse(analysis.show, analysis.catalogue, before=analysis, remedies=False)
    known: Report = analysis.tried["without remedies"]
    return known


def _held(analysis: Report, severities: tuple[Severity, ...]) -> dict[tuple[str, str], Finding]:
    """(code, subject) -> a finding of such weight."""
    return {
        (row.code, subject): row
        for row in analysis.findings
        if row.severity in severities
        for subject in (row.subjects or ("",))
    }


def _new(before: Report, after: Report, severity: Literal["stop", "fix"], finding: Finding | None) -> Iterator[Cost]:
    known = _held(before, ("stop",) if severity == "stop" else ("stop", "fix"))
    own = {finding.code} if finding is not None else set()
    seen: set[str] = set()
    for row in after.findings:
        if row.severity != severity or row.title in seen:
            continue
        subjects = row.subjects or ("",)
        if any((row.code, subject) in known for subject in subjects):
            continue
        if row.code in SILENCES or (OPENS & own and severity == "fix"):
            continue  # who was heard and is not any more is told by name
        if severity == "fix" and row.code in own and finding is not None and finding.severity != "note":
            continue
        seen.add(row.title)
        yield Cost(severity, _small(row.title))
