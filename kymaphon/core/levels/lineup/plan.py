"""What the solver found, told: every turn with its reason, every voice with what binds it, and what it gains."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import islice
from typing import Any

from kymaphon.core.computing.compute import without_rules
from kymaphon.core.computing.computed import Computed
from kymaphon.core.derive import Derived, show_number, total
from kymaphon.core.figures import number
from kymaphon.core.graph.cuts import candidate_switches
from kymaphon.core.graph.routing import Delivery, goes_astray
from kymaphon.core.graph.signal import EdgeKind
from kymaphon.core.levels.down import bring_up, down_before, is_silenced
from kymaphon.core.levels.lineup.model import (
    Adjustment,
    FaderStrategy,
    Floats,
    LineUpModel,
    VoiceModel,
    edits_to,
    model_of,
    peak_growth,
)
from kymaphon.core.levels.lineup.reasons import SMALL_DB, forbids, why_not_further, without
from kymaphon.core.levels.lineup.solver import GAP_DB, Solved, recipe, solve
from kymaphon.core.model.base import NO_SPEECH
from kymaphon.core.model.edits import SetValue, apply_all

MOST_SWITCHES = 6
"""So many switches are tried for a voice that comes to its end only astray."""


@dataclass(frozen=True, slots=True)
class Move:
    """One thing to turn.

    Attributes:
        limit: why not further up; gain early is quiet until something forbids it.
        without: what would be if this one were left as it is and all others turned.
    """

    turn: Adjustment
    after: float
    limit: str
    without: str
    edits: tuple[SetValue, ...]

    @property
    def words(self) -> str:
        if self.turn.sort == "pad":
            return f"{self.turn.label} {'in' if self.after < 0 else 'out'}"
        return f"{self.turn.label} to {show_number(self.after, 'dB', sign=True)}"

    def line(self) -> Derived:
        """Where it goes, from where it stands."""
        terms = (
            Derived("stands at", self.turn.now, "dB", source="setting"),
            Derived("turned by", self.after - self.turn.now, "dB", source="line-up solver"),
        )
        return total(self.turn.label, "dB", terms)


@dataclass(frozen=True, slots=True)
class VoiceResult:
    """One voice before and after.

    Attributes:
        tolerance_db: so far from the mark is still on it.
        off_before_db, off_db: above the mark (below is negative); None where no mark is read on the way.
        spare: from the peaks, with what the talker gains on warming up, to the nearest ceiling; None without one.
        over_noise_before_db, over_noise_db: voice over all noise at the end, as the analysis has it.
        recipe_off_db, recipe_spare_db, recipe_noise_db: the same of the simple recipe; the last is how much less noise
        of its own chain the solver's answer has.
        forbids: what keeps it from the mark, in words; empty when it is on it.
    """

    voice: str
    end: str
    wanted: float | None
    wanted_by: str
    tolerance_db: float
    unit: str
    point: str
    off_before_db: float | None
    off_db: float | None
    spare: Derived | None
    over_noise_before_db: float | None
    over_noise_db: float | None
    recipe_off_db: float
    recipe_spare_db: float | None
    recipe_noise_db: float
    forbids: str

    @property
    def spare_db(self) -> float | None:
        return None if self.spare is None else self.spare.value

    @property
    def spare_at(self) -> str:
        """The point of the nearest ceiling."""
        return "" if self.spare is None else self.spare.name.partition(" at ")[2]

    @property
    def on_mark(self) -> bool | None:
        return None if self.off_db is None else abs(self.off_db) <= self.tolerance_db + SMALL_DB

    def to_json(self) -> dict[str, Any]:
        def told(value: float | None) -> float | None:
            return None if value is None else round(value, 3)

        return {
            "voice": self.voice,
            "to": self.end,
            "on_mark": self.on_mark,
            "off_before_db": told(self.off_before_db),
            "off_db": told(self.off_db),
            "spare_db": told(self.spare_db),
            "spare_at": self.spare_at or None,
            "voice_over_noise_before_db": told(self.over_noise_before_db),
            "voice_over_noise_db": told(self.over_noise_db),
            "recipe_off_db": told(self.recipe_off_db),
            "recipe_spare_db": told(self.recipe_spare_db),
            "quieter_than_recipe_db": told(self.recipe_noise_db),
            "forbids": self.forbids or None,
        }


@dataclass(frozen=True)
class LineUpPlan:
    """A line-up, ready to be done. `after` is the show with it, computed: what is told of it comes from there.

    Attributes:
        unproven: why it cannot be said that nothing better exists within what may be turned; empty where it is proven.
        held: what stays as it is because it moves others too.
        waits: voices that are left out, with what has to come first.
        opened: what was off on the way of a voice that is wanted, in words, and what switches it on.
    """

    strategy: FaderStrategy
    moves: tuple[Move, ...]
    voices: tuple[VoiceResult, ...]
    after: Computed
    gap_db: float
    unproven: str
    rounds: int
    held: tuple[str, ...] = ()
    waits: tuple[str, ...] = ()
    opened: tuple[tuple[str, SetValue], ...] = ()

    @property
    def proven(self) -> bool:
        return not self.unproven

    @property
    def edits(self) -> tuple[SetValue, ...]:
        return (*(edit for _, edit in self.opened), *(edit for move in self.moves for edit in move.edits))

    def lines(self, row: VoiceResult) -> tuple[Derived, ...]:
        """A voice after the line-up, as the changed show has it: off its mark, below its ceiling, over its noise."""
        ladder = self.after.ladder(row.voice, row.end)
        out = []
        if ladder is not None and row.off_db is not None and row.wanted is not None:
            there = next((rung for rung in ladder.rungs if rung.label == row.point), None)
            speech = there.speech if there is not None else Derived("speech, then", row.wanted + row.off_db, row.unit)
            wanted = Derived(f"less the mark ({row.wanted_by})", -row.wanted, "dB", source=row.wanted_by)
            out.append(total("off the mark, then", "dB", (speech, wanted)))
        if row.spare is not None:
            out.append(row.spare)
        if ladder is not None and ladder.last.noise_db:
            noise = ladder.last.explain_noise()
            less = Derived("less all noise there", -noise.value, "dB", noise.formula, noise.terms, noise.source)
            out.append(total("voice over noise, then", "dB", (ladder.last.speech, ladder.last.weighting, less)))
        return tuple(out)

    def sentence(self) -> str:
        """The outcome in one or two sentences."""
        first = f"Switched on first: {'; '.join(words for words, _ in self.opened)}. " if self.opened else ""
        return first + self._outcome()

    def _outcome(self) -> str:
        judged = [row for row in self.voices if row.on_mark is not None]
        on = sum(bool(row.on_mark) for row in judged)
        if not self.voices:
            return " ".join(self.waits) or "No voice reaches an end yet."
        if not judged:
            return " ".join(("No mark is read on the way of any of these voices.", *self.waits))
        changed = f"{len(self.moves)} to turn" if self.moves else "nothing to turn"
        text = f"{on} of {len(judged)} on the mark, {changed}."
        furthest = max((row for row in judged if row.on_mark), key=lambda row: abs(row.off_db or 0.0), default=None)
        if furthest is not None and abs(furthest.off_db or 0.0) > number("mark-near") + SMALL_DB:
            side = "over" if (furthest.off_db or 0.0) > 0 else "under"
            text = (
                f"{on} of {len(judged)} within what the mark lets pass, {self.after.party_name(furthest.voice)} "
                f"{abs(furthest.off_db or 0.0):.1f} dB {side} its middle; {changed}."
            )
        worst = min(
            (row for row in judged if row.spare_db is not None),
            key=lambda row: row.spare_db or 0.0,
            default=None,
        )
        if worst is not None and worst.spare_db is not None:
            name = self.after.party_name(worst.voice)
            text += f" Least to spare: {name}, {show_number(worst.spare_db, 'dB')} at {worst.spare_at}."
        return " ".join((text, *self.waits))

    def against_recipe(self) -> str:
        """What it gains over turning each first gain to the mark, in words."""
        off = [
            row
            for row in self.voices
            if row.on_mark is not None and abs(row.recipe_off_db) > row.tolerance_db and row.on_mark
        ]
        clips = [
            row
            for row in self.voices
            if row.recipe_spare_db is not None
            and row.recipe_spare_db < -SMALL_DB
            and (row.spare_db or 0.0) >= -SMALL_DB
        ]
        quieter = [row for row in self.voices if row.recipe_noise_db > SMALL_DB]
        parts = []
        if off:
            parts.append(
                f"leaves {', '.join(self.after.party_name(row.voice) for row in off)} off the mark (by "
                f"up to {max(abs(row.recipe_off_db) for row in off):.1f} dB)"
            )
        if clips:
            parts.append(
                f"brings {', '.join(self.after.party_name(row.voice) for row in clips)} over a ceiling "
                f"once they warm up (by up to {max(-(row.recipe_spare_db or 0.0) for row in clips):.1f} dB)"
            )
        if quieter:
            best = max(quieter, key=lambda row: row.recipe_noise_db)
            parts.append(f"is up to {best.recipe_noise_db:.1f} dB noisier ({self.after.party_name(best.voice)})")
        if not self.voices:
            return ""
        if not parts:
            return "The simple recipe, each first gain turned to the mark, comes out as well here."
        return f"The simple recipe, each first gain turned to the mark, {'; '.join(parts)}."

    def to_json(self) -> dict[str, Any]:
        return {
            "faders": self.strategy,
            "switched_on": [words for words, _ in self.opened],
            "moves": [
                {
                    "set": f"{row.turn.ref.device}.settings.{row.turn.ref.key}.{row.turn.ref.field}",
                    "label": row.turn.label,
                    "before_db": round(row.turn.now, 3),
                    "after_db": round(row.after, 3),
                    "not_further": row.limit or None,
                    "without": row.without or None,
                }
                for row in self.moves
            ],
            "voices": [row.to_json() for row in self.voices],
            "held": list(self.held),
            "waits": list(self.waits),
            "gap_db": round(self.gap_db, 5),
            "proven": self.proven,
            "unproven": self.unproven or None,
            "summary": self.sentence(),
            "recipe": self.against_recipe(),
        }


def line_up(
    analysis: Computed,
    voices: tuple[str, ...] | None = None,
    *,
    strategy: FaderStrategy | None = None,
    reasons: bool = True,
) -> LineUpPlan:
    """Lines up some voices, or all, each to the first end that it reaches by a way with a mark.

    Args:
        voices: None for the whole show. Of a choice, only what moves no other voice is turned.
        strategy: what faders do; None as the show's practice has it.
        reasons: whether to find out of every turn why it goes no further, and what would be without it: most of the time.

    Raises:
        KeyError: a voice that is not heard.
        ValueError: the solver gave no answer.
    """
    known = {row.id for row in analysis.voices}
    for voice in voices or ():
        if voice not in known:
            raise KeyError(voice)
    if strategy is None:
        strategy = "unity" if analysis.mark.practice.unity else "stay"
    ends = {voice: ladder.target for voice, ladder in analysis.main_ladders.items()}
    opened, analysis = _switched_on(analysis, known if voices is None else set(voices))
    ends = {voice: ladder.target for voice, ladder in analysis.main_ladders.items()}
    waits = _waiting(analysis, ends)
    chosen = [row for row in (known if voices is None else voices) if row not in waits]
    pairs = [(voice, end) for voice, end in ends.items() if voice in chosen]
    for (voice, end), ladder in analysis.ladders.items():
        # An end with a mark of its own counts beside the first.
        own = ladder.last.set_here and analysis.show.party(voice).kind not in NO_SPEECH
        if voice in chosen and own and (voice, end) not in pairs:
            pairs.append((voice, end))
    model = model_of(analysis, pairs, strategy=strategy, alone=voices is not None)
    solved = solve(model)
    moves = _moves(analysis, model, solved, reasons=reasons)
    after = without_rules(
        apply_all(analysis.show, tuple(edit for move in moves for edit in move.edits)), analysis.catalogue
    )
    simple = recipe(model)
    rows = tuple(_result(after, model, voice, solved.x, simple) for voice in model.voices)
    held = tuple(f"{turn.label}: {turn.held_by}" for turn in model.turns if turn.held_by.startswith("also moves"))
    return LineUpPlan(
        strategy,
        moves,
        rows,
        after,
        solved.gap_db,
        _unproven(model, solved, after),
        solved.rounds,
        held,
        tuple(dict.fromkeys(text for voice, text in waits.items() if voices is None or voice in voices)),
        opened,
    )


def _switched_on(analysis: Computed, voices: set[str]) -> tuple[tuple[tuple[str, SetValue], ...], Computed]:
    """What is off on the own way of voices that are wanted on air or on a track and come there only astray, switched on: one crosspoint or
    mute each, by which nobody loses anything; and the show with it. What bleeds by others' ways is no way to a mark.
    """
    out: list[tuple[str, SetValue]] = []
    ends = {party.id for party in analysis.listeners if party.kind in ("audience", "recorder")}
    for end, voice in [key for key in analysis.feeds if key[0] in ends and key[1] in voices]:
        feed = analysis.feeds[end, voice]
        if feed.want != "hear" or feed.verdict != "missing" or is_silenced(analysis, end, voice):
            continue
        graph = analysis.graph
        mouth = graph.mouths[voice][0]
        own = [edge.target for edge in graph.edges if edge.source == mouth and edge.kind is EdgeKind.SPEAKS] or [mouth]
        for switch in islice(candidate_switches(graph, own[0], graph.ears[end]), MOST_SWITCHES):
            edit = SetValue(switch.ref, not switch.now)
            after = without_rules(apply_all(analysis.show, (edit,)), analysis.catalogue)
            if after.feeds[end, voice].verdict != "missing" and _none_worse(analysis, after):
                out.append((f"{switch.label} ({analysis.party_name(voice)})", edit))
                analysis = after
                break
    return tuple(out), analysis


def _only_astray(feed: Delivery) -> bool:
    """Whether a voice that is wanted comes by nothing but other people's microphones, or by nothing."""
    return feed.want == "hear" and feed.verdict == "missing" and (feed.path is None or goes_astray(feed.path))


def _none_worse(before: Computed, after: Computed) -> bool:
    """Whether nobody who was heard is gone, nobody gets themselves back who did not, and nothing howls."""
    worse = ("missing", "back", "unwanted")
    return not after.transfer.howls and not any(
        row.verdict in worse and before.feeds[key].verdict != row.verdict for key, row in after.feeds.items()
    )


def _waiting(analysis: Computed, ends: dict[str, str]) -> dict[str, str]:
    """Voices behind something that is down, with what comes first: gain before it would clip once it is up, and no place of
    music there is one to keep."""
    out: dict[str, list[str]] = {}
    for voice, end in ends.items():
        labels = down_before(analysis, voice, analysis.ladder(voice, end))
        feed = analysis.feeds.get((end, voice))
        if not labels and feed is not None and _only_astray(feed):
            where = analysis.party_name(end)
            out.setdefault(f"nothing but what goes astray comes to {where}: see Feeds", []).append(voice)
        if labels:
            out.setdefault(bring_up(labels), []).append(voice)
    return {
        voice: f"{', '.join(map(analysis.party_name, voices))}: {words}, then line up."
        for words, voices in out.items()
        for voice in voices
    }


def _unproven(model: LineUpModel, solved: Solved, after: Computed) -> str:
    """Why the bounds of the solver prove nothing for the show itself; empty where they do."""
    if not model.convex:
        return "an EIN curve of this rig is bent the wrong way"
    if solved.gap_db > GAP_DB:
        return f"the bounds are still {solved.gap_db:.2f} dB apart"
    for voice in model.voices:
        then = after.ladder(voice.voice, voice.ladder.target)
        name = after.party_name(voice.voice)
        point = voice.point.node if voice.point is not None else voice.ladder.last.node
        there = next((row for row in then.rungs if row.node == point), None) if then is not None else None
        expected = voice.speech[0] + float(voice.speech[1] @ solved.x)
        if voice.wanted is not None and (there is None or abs(there.speech_db - expected) > SMALL_DB):
            return f"after it {name} comes by another path than the one that was lined up"
    return ""


def _moves(analysis: Computed, model: LineUpModel, solved: Solved, *, reasons: bool) -> tuple[Move, ...]:
    out = []
    for i, turn in enumerate(model.turns):
        if abs(solved.x[i] - turn.now) < 1e-6:
            continue
        out.append(
            Move(
                turn,
                float(solved.x[i]),
                why_not_further(model, solved.x, i) if reasons else "",
                without(analysis, model, solved.x, i) if reasons else "",
                edits_to(analysis, turn, float(solved.x[i])),
            )
        )
    return tuple(out)


def _spare(voice: VoiceModel, x: Floats) -> Derived | None:
    """From the loudest peaks to the ceiling that they come nearest to, line by line; None without a ceiling."""
    if not voice.limits:
        return None
    limit = min(voice.limits, key=lambda row: row.most - row.level - float(row.slopes @ x))
    peak = limit.level + float(limit.slopes @ x)
    crest = voice.ladder.last.crest
    grows = peak_growth(voice)
    terms = [
        Derived("clips at", limit.most, limit.unit, source="device data"),
        Derived(
            "less the speech there, then",
            -(peak - crest.value - grows.value),
            "dB",
            source="the changed show",
        ),
        Derived(f"less: {crest.name}", -crest.value, "dB", source=crest.source),
    ]
    if grows.value:
        terms.append(Derived(f"less: {grows.name}", -grows.value, "dB", source=grows.source))
    return total(f"peaks below clipping at {limit.label}", "dB", tuple(terms))


def _result(after: Computed, model: LineUpModel, voice: VoiceModel, x: Floats, simple: Floats) -> VoiceResult:
    old = voice.ladder.last
    ladder = after.ladder(voice.voice, voice.ladder.target)
    new = ladder.last if ladder is not None else None
    node = voice.point.node if voice.point is not None else ""
    there = next((row for row in ladder.rungs if row.node == node), None) if ladder is not None else None
    off = None
    if voice.wanted is not None:
        # Where the strongest way now leads past that point, the model still knows.
        off = voice.off(x) if there is None else there.speech_db - voice.wanted
    spare = _spare(voice, x)
    noise = voice.noise(simple)[0] - voice.noise(x)[0] if voice.noises else 0.0
    mark = voice.point.wanted if voice.point is not None else None
    tolerance = mark.tolerance_db if mark is not None else number("mark-near")
    far = off is not None and abs(off) > number("mark-near") + SMALL_DB
    return VoiceResult(
        voice.voice,
        voice.ladder.target,
        voice.wanted,
        voice.wanted_by,
        tolerance,
        old.unit if voice.point is None else voice.point.unit,
        voice.point.label if voice.point else "",
        None if voice.wanted is None else voice.off(model.now),
        off,
        spare,
        old.voice_over_noise_db if old.noise_db else None,
        new.voice_over_noise_db if new is not None and new.noise_db else None,
        voice.off(simple),
        None if spare is None else -voice.over(simple),
        noise,
        forbids(model, voice, x, off or 0.0) if far else "",
    )


def strategy_words(strategy: FaderStrategy) -> str:
    return {"stay": "Faders stay as they are", "unity": "Faders at 0", "free": "Faders may move too"}[strategy]
