"""The two rankings of Cast: kinds of microphone by voice over room, and by how far from howling they would be."""

from __future__ import annotations

from dataclasses import dataclass

from kymaphon.app.stages.cast.adviser import Adviser, Subject
from kymaphon.app.widgets.cast_table import DASH, Row, known
from kymaphon.app.widgets.why import Action, WhyContent
from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.analysis.report import Report
from kymaphon.core.derive import in_sentence, show_number
from kymaphon.core.figures import number
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.placement.advice import Advice
from kymaphon.core.placement.before_howl import BeforeHowl
from kymaphon.core.placement.howl import spares
from kymaphon.core.placement.placing import MicrophoneChoice

BEST_HEADINGS = ("", "Microphone", "Distance", "Over room", "Over all", "Headroom", "Why there")
HOWL_HEADINGS = ("", "Microphone", "Distance", "Before it howls", "Over room", "Headroom", "Why there")
HOWL_HELP = (
    "Rank",
    "Kind of microphone",
    "From the mouth, at the spot that lets most through",
    f"How far from howling, with the voice as loud as it is now; {number('loop-margin'):.0f} dB are to be kept",
    "Direct voice over the noise of the place",
    "From the highest peaks to its maximum level",
    "Where, and what it gives against now",
)
BEST_HELP = (
    "Rank",
    "Kind of microphone",
    "From the mouth, at its best allowed spot",
    "Direct voice over the noise of the place",
    "Voice over the place, the microphone's own noise and all other voices in it",
    "From the highest peaks to its maximum level",
    "What limits it, and what it lacks against the best",
)


@dataclass(frozen=True)
class Ranked:
    """What a view ranks for the selected party: nothing in the other views, or where nobody is selected."""

    view: str
    advice: Advice | None = None
    howl: BeforeHowl | None = None
    choices: tuple[MicrophoneChoice, ...] = ()

    def at(self, row: int) -> MicrophoneChoice | None:
        return self.choices[row] if 0 <= row < len(self.choices) else None


def ranked(
    adviser: Adviser,
    view: str,
    analysis: Report,
    sound: PlaceSound,
    subject: Subject,
    kinds: tuple[Kind, ...],
    *,
    held: bool,
) -> Ranked:
    """The ranking of a view; `held` as during a drag, when the last answer stays."""
    if view == "howl":
        found, choices = adviser.before_howl(analysis, sound, subject, kinds)
        return Ranked(view, howl=found, choices=choices)
    advice = adviser.advice(sound, subject, kinds, held=held) if view == "best" else None
    return Ranked(view, advice, choices=advice.choices if advice is not None else ())


def rows_of(now: Ranked, own: str) -> tuple[tuple[str, ...], tuple[str, ...], tuple[Row, ...]]:
    """Headings, their explanations and the rows of a ranking, the party's own kind (its id, or empty) marked in words."""
    if now.view == "howl":
        rows, headings, help_ = howl_rows(now.choices, own), HOWL_HEADINGS, HOWL_HELP
    else:
        rows = best_rows(now.advice) if now.advice is not None else ()
        headings, help_ = BEST_HEADINGS, BEST_HELP
    return (headings if rows else (), help_ if rows else (), rows)


def why_ranked(analysis: Report, sound: PlaceSound, subject: Subject, now: Ranked, row: int) -> WhyContent:
    """The Why panel of a ranking."""
    if now.view == "howl":
        if now.howl is None or subject.voice is None:
            hint = "Select somebody whose microphone goes to a loudspeaker in the same room."
            return WhyContent("Before it howls", "nothing here comes back to that microphone", hint=hint)
        return why_howl(analysis, sound.sources[subject.voice].id, now.howl, now.choices, row)
    if now.advice is None or subject.voice is None:
        return WhyContent("Best places", hint="Select somebody who is heard, or a microphone that is theirs.")
    return why_best(now.advice, sound.sources[subject.voice].name, row, mine=subject.mic is not None)


def best_rows(advice: Advice) -> tuple[Row, ...]:
    """The ranking, the party's own kind marked in words."""
    rows = []
    for rank, row in enumerate(advice.choices, start=1):
        mine = ", as now" if row.kind.id == advice.kind.id and advice.now_db is not None else ""
        enough = "tick" if row.usable and row.over_room_db >= advice.wanted_db else "fix"
        cells = (
            str(rank),
            f"{row.kind.name}{mine}",
            show_number(row.metres, "m"),
            show_number(row.over_room_db, "dB"),
            show_number(row.over_all_db, "dB"),
            show_number(row.headroom_db, "dB") if known(row.headroom_db) else DASH,
            "; ".join(reversed(row.reason.split("; ")[1:])),
        )
        rows.append(Row(("kind", row.kind.id), cells, -1, ((3, enough),)))
    return tuple(rows)


def howl_rows(choices: tuple[MicrophoneChoice, ...], own: str) -> tuple[Row, ...]:
    """The ranking by how far from howling it would be, the party's own kind marked in words."""
    rows, margin = [], number("loop-margin")
    for rank, row in enumerate(choices, start=1):
        hand = row.before_howl_db or 0.0
        enough = "stop" if hand <= 0 else "fix" if hand < margin or not row.usable else "tick"
        cells = (
            str(rank),
            f"{row.kind.name}{', as now' if row.kind.id == own else ''}",
            show_number(row.metres, "m"),
            show_number(hand, "dB"),
            show_number(row.over_room_db, "dB"),
            show_number(row.headroom_db, "dB") if known(row.headroom_db) else DASH,
            row.reason.partition("; ")[2],
        )
        rows.append(Row(("kind", row.kind.id), cells, -1, ((3, enough),)))
    return tuple(rows)


def why_best(advice: Advice, name: str, row: int, *, mine: bool) -> WhyContent:
    """The adviser's answer and the arithmetic of the chosen kind."""
    if not advice.choices:
        return WhyContent(f"Best places for {name}", "no kind has an allowed spot")
    choice = advice.choices[min(row, len(advice.choices) - 1)]
    now = f"now {show_number(advice.now_db, 'dB')} over the room" if advice.now_db is not None else "no microphone yet"
    extra = (advice.sentence(name), f"{choice.kind.name}: {choice.reason}.")
    use = _use(choice, name, mine=mine, now=advice.kind.id if mine else "")
    return WhyContent(
        f"Best places for {name}", now, extra=extra, lines=(choice.explain(),), hint=choice.kind.about, actions=use
    )


def _use(choice: MicrophoneChoice, name: str, *, mine: bool, now: str) -> tuple[Action, ...]:
    """What to do with a choice; of the kind that is in use now only its place is left to change, and of one that is worn nothing."""
    if choice.kind.id == now and choice.at is None:
        return ()
    kind = f"the {in_sentence(choice.kind.name)}"
    where = "Wear it" if choice.at is None else f"Put it at {choice.at[0]:.2f}, {choice.at[1]:.2f} m"
    if choice.kind.id == now:
        return (
            Action(
                "use",
                f"Move {kind} there",
                f"{where}, aimed at the mouth. Can be undone. Check the gain afterwards.",
            ),
        )
    return (
        Action(
            "use",
            f"Use {kind}" if mine else f"Give {name} {kind}",
            f"{where}, aimed at the mouth. Can be undone. Check phantom power and gain afterwards.",
        ),
    )


def _in_use(analysis: Report, party: str) -> str:
    """The kind of a party's own microphone; empty where it has none."""
    rows = (row for row in analysis.show.devices if row.party == party)
    return next((row.kind for row in rows if analysis.catalogue[row.kind].microphone is not None), "")


def why_howl(
    analysis: Report, party: str, howl: BeforeHowl, choices: tuple[MicrophoneChoice, ...], row: int
) -> WhyContent:
    """How far a voice is from howling, where it rings first, and what the chosen kind would give."""
    name = analysis.party_name(party)
    found = next((spare for spare in spares(analysis) if spare.voice == party), None)
    now = (found.words(),) if found is not None else ()
    if not choices:
        return WhyContent(f"{name} before it howls", "no kind has an allowed spot", extra=now)
    choice = choices[min(row, len(choices) - 1)]
    extra = (*now, f"{choice.kind.name}: {choice.reason}.")
    hint = "At one loudness of the voice: what a spot takes more of it is taken back at the gain. Bands on the plan: dB before it howls."
    title = f"{show_number(choice.before_howl_db or 0.0, 'dB')} before it howls with {in_sentence(choice.kind.name)}"
    return WhyContent(
        f"{name} before it howls",
        title,
        extra=extra,
        lines=(howl.explain(choice),),
        hint=hint,
        actions=_use(choice, name, mine=True, now=_in_use(analysis, party)),
    )
