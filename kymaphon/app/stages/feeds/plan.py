"""Feeds, the plan: every mix on a bus, what is missing and what would help, and what changes of who hears whom."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from kymaphon.app.stages.feeds.model import FeedsModel
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import WhyContent, label
from kymaphon.core.mixes.doing import doing_edits, steps_between
from kymaphon.core.mixes.mixing import Mix
from kymaphon.core.mixes.planner import FeedPlan
from kymaphon.core.model.edits import SetValue, apply_all
from kymaphon.core.model.findings import Finding, Remedy
from kymaphon.core.report.mixes import (
    bus_words,
    input_words,
    level_words,
    missing_words,
    party_words,
    stray_words,
)
from kymaphon.core.report.sheet import VERDICT_WORDS
from kymaphon.core.words import counted

HEADINGS = ("For", "From", "On it", "How")
HELP = (
    "Who takes this mix",
    "The bus or output that makes it",
    "Whose voices are on it, and what is kept off for somebody's sake",
    "What is special about it",
)
CHANGE_HEADINGS = ("Listener", "Voice", "Now", "With the plan")
CHANGE_HELP = ("Who hears", "Who is heard", "As it is set", "As planned")


class PlanPage(StagePage):
    """Mixes above, changed pairs below; the Why panel applies the plan."""

    def __init__(self, model: FeedsModel, theme: Theme) -> None:
        super().__init__(model.document, theme)
        self.model = model
        self.mixes = RowTable(
            theme,
            "Mixes of the plan",
            "Each needed mix and the bus that makes it. The Why panel applies the plan.",
        )
        self.mixes.let_grow(0, 1, 2, 3)
        self.mixes.chosen.connect(lambda _row, _column: self.why_changed.emit())
        self.column.addWidget(_carded(self.mixes), 3)
        self.heading = label("", "heading")
        self.changes = RowTable(theme, "Pairs that the plan changes", "Who hears whom, before and after.")
        card = _carded(self.changes, self.heading)
        self.column.addWidget(card, 2)
        model.planned.connect(self._fill)

    def set_scale(self, scale: float) -> None:
        self.mixes.verticalHeader().setMinimumSectionSize(round(30 * scale))
        self.changes.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.mixes.setMinimumHeight(round(150 * scale))
        self.changes.setMinimumHeight(round(90 * scale))

    def first(self) -> QWidget | None:
        return self.mixes

    def refresh(self, voice: str, end: str) -> None:
        self.model.want()
        self._fill()

    def _fill(self) -> None:
        plan = self.model.plan
        if plan is None:
            words = self.model.problem or ("Planning \u2026" if self.model.busy else "")
            self.title.emit("The feeds, planned", words)
            self.mixes.set_rows(HEADINGS, HELP, ())
            self.changes.set_rows(CHANGE_HEADINGS, CHANGE_HELP, ())
            self.heading.setText("")
            self.why_changed.emit()
            return
        self.mixes.set_rows(HEADINGS, HELP, tuple(self._mix_rows(plan)))
        rows = [
            Row(
                (a.listener, a.voice),
                (
                    plan.after.party_name(a.listener),
                    plan.after.party_name(a.voice),
                    THEN_WORDS[a.verdict],
                    THEN_WORDS[b.verdict],
                ),
                marks=() if b.well else ((3, "note" if b.verdict in ("quiet", "loud") else "fix"),),
            )
            for a, b in plan.changed
        ]
        self.changes.set_rows(CHANGE_HEADINGS, CHANGE_HELP, tuple(rows))
        self.heading.setText(
            f"What it changes: {len(rows)} {'pair' if len(rows) == 1 else 'pairs'}"
            if rows
            else "It changes nothing of who hears whom"
        )
        self.title.emit("The feeds, planned", self._headline(plan))
        self.why_changed.emit()

    def _headline(self, plan: FeedPlan) -> str:
        if not self.model.fresh:
            return "The show has changed; planning again \u2026"
        if plan.howls:
            return "A loop howls with it: open that first, in Loops."
        if plan.missing:
            count = len(plan.missing)
            return f"{count} {'mix cannot' if count == 1 else 'mixes cannot'} be made on what is there."
        lost = tuple(voice for row in plan.unrouted_sources if row.into is None for voice in row.voices)
        if lost:
            return f"No free input takes {party_words(plan.after.show, lost)}."
        if not plan.mixes:
            return "Nothing here mixes for anybody: add a desk, an interface or a software mixer in Rig."
        if not plan.edits:
            return f"{counted(len(plan.mixes), 'mix', 'mixes')}, all set as they should be."
        left = len(plan.unmet)
        return f"{counted(len(plan.mixes), 'mix', 'mixes')}. " + (
            f"{left} pairs are still not as wanted then."
            if left
            else "With it nobody hears themselves late, nothing is missing."
        )

    def _mix_rows(self, plan: FeedPlan) -> list[Row]:
        show, catalogue = plan.after.show, plan.after.catalogue
        rows = []
        for n, stray in enumerate(plan.unrouted_sources):
            into = stray.into.name if stray.into is not None else "no free input"
            rows.append(
                Row(
                    ("stray", str(n)),
                    (
                        f"everybody who wants {party_words(show, stray.voices)}",
                        into,
                        party_words(show, stray.voices),
                        f"plugged in from {stray.end.name}" if stray.into is not None else f"ends at {stray.end.name}",
                    ),
                    marks=((1, "note" if stray.into is not None else "fix"),),
                )
            )
        for n, row in enumerate(plan.missing):
            who = party_words(show, tuple(row.need.listeners))
            bus = bus_words(show, catalogue, row.device, row.bus) if row.bus is not None else "no bus left"
            rows.append(
                Row(
                    ("missing", str(n)),
                    (who, bus, DASH, f"lacks {party_words(show, (*row.voices, *row.back))}"),
                    marks=((0, "fix"),),
                )
            )
        order = sorted(
            range(len(plan.mixes)),
            key=lambda n: (not changes_of(plan, plan.mixes[n]), not plan.mixes[n].last, n),
        )
        for n in order:
            mix = plan.mixes[n]
            off = ", ".join(on_input(plan, mix, row) for row in mix.left_out)
            on = carried_words(plan, mix) + (f"; {off} off" if off else "")
            turns = changes_of(plan, mix)
            how = [f"{turns} {'setting changes' if turns == 1 else 'settings change'}"] if turns else []
            words = "; ".join([*how, *mix.how]) or DASH
            cells = (
                party_words(show, mix.listeners),
                bus_words(show, catalogue, mix.device, mix.bus),
                on,
                words,
            )
            rows.append(Row(("mix", str(n)), cells, marks=((1, "note"),) if turns else ()))
        return rows

    def why(self) -> WhyContent:
        plan = self.model.plan
        if plan is None:
            return WhyContent("The plan", self.model.problem or "Being made \u2026")
        show, catalogue = plan.after.show, plan.after.catalogue
        findings = tuple(self._offers(plan))
        missing = (
            *(stray_words(show, row) for row in plan.unrouted_sources),
            *(missing_words(show, catalogue, row) for row in plan.missing),
        )
        notes: tuple[str, ...] = ()
        unmet = [
            f"{plan.after.party_name(row.listener)} and {plan.after.party_name(row.voice)}: {VERDICT_WORDS[row.verdict]}."
            for row in plan.unmet[:6]
        ]
        if unmet and plan.made:
            notes = ("Still not as wanted then:", *unmet)
        chosen = self._chosen_words(plan)
        return WhyContent(
            "The plan",
            chosen or self._headline(plan),
            not plan.whole or plan.howls,
            (),
            findings,
            notes=notes,
            extra=missing,
        )

    def _chosen_words(self, plan: FeedPlan) -> str:
        row = self.mixes.currentIndex().row()
        if not 0 <= row < len(self.mixes.words.rows):
            return ""
        sort, number = self.mixes.words.rows[row].key
        if sort != "mix" or int(number) >= len(plan.mixes):
            return ""
        mix = plan.mixes[int(number)]
        show = plan.after.show
        listeners = party_words(show, mix.listeners)
        hear = party_words(show, tuple(dict.fromkeys(voice for need in mix.needs for voice in need.hear))) or "nobody"
        never = party_words(show, tuple(dict.fromkeys(voice for need in mix.needs for voice in sorted(need.keep_off))))
        return f"{listeners} should hear {hear}" + (f", and never {never}." if never else ".")

    def _offers(self, plan: FeedPlan) -> list[Finding]:
        """The plan and its ways out, as something that can be previewed and done."""
        if not self.model.fresh:
            return []
        show, catalogue = self.document.show, plan.after.catalogue
        out = []
        if plan.edits:
            steps = len(steps_between(show, apply_all(show, plan.edits), catalogue))
            effect = f"{counted(len(plan.edits), 'edit')} in one step of undo; {counted(steps, 'step')} for your hands onto the doing list."
            edits = doing_edits(show, plan.edits, catalogue)
            remedy = Remedy(
                "plan", f"{self.model.costs}. Apply the plan" if self.model.costs else "Apply the plan", effect, edits
            )
            text = "Line-up, faders and mutes of the channels stay as they are."
            if levels := level_words(plan):
                text += f" Left to them: {levels}."
            out.append(Finding("feed-plan", "note", "Feeds", (), "What is planned", text, remedies=(remedy,)))
        if self.model.ways:
            text = "The cheapest first."
            remedies = []
            for n, way in enumerate(self.model.ways):
                if way.edits:
                    label_ = {
                        "lead": "One more lead",
                        "share": "Share a mix",
                        "desk": "Another desk",
                        "computer": "Mix in the computer",
                    }[way.sort]
                    remedies.append(Remedy(f"way-{n}", label_, way.text, doing_edits(show, way.edits, catalogue)))
                else:
                    text += f" {way.text}"
            out.append(
                Finding(
                    "feed-plan-short",
                    "fix",
                    "Feeds",
                    (),
                    "What would make up for it",
                    text,
                    remedies=tuple(remedies),
                )
            )
        return out


THEN_WORDS = {**VERDICT_WORDS, "silent": "not heard, rightly", "free": "heard, nobody asked"}


def changes_of(plan: FeedPlan, mix: Mix) -> int:
    """How many settings of a mix, and cables of it, the plan changes."""
    settings = sum(
        isinstance(edit, SetValue) and edit.ref.device == mix.device and mix.bus.base in edit.ref.key.split(">")[-1:]
        for edit in plan.edits
    )
    return settings + len(mix.moved)


def on_input(plan: FeedPlan, mix: Mix, input_id: str) -> str:
    """An input of a mix with whom it brings: `channel 5 (Ferry)`."""
    mixer = next(row for row in plan.mixers if row.device.id == mix.device)
    name = input_words(plan.after.show, plan.after.catalogue, mix.device, input_id)
    return f"{name} ({party_words(plan.after.show, tuple(mixer.voices[input_id]))})"


def carried_words(plan: FeedPlan, mix: Mix) -> str:
    """Who is on a mix, the shorter way round; a mix-minus, where none of those who get it is on it, is called so."""
    mixer = next(row for row in plan.mixers if row.device.id == mix.device)
    there = dict.fromkeys(voice for row in mix.inputs for voice in mixer.voices[row])
    every = dict.fromkeys(voice for row in mixer.voices.values() for voice in row)
    without = tuple(voice for voice in every if voice not in there)
    show = plan.after.show
    if not there:
        return DASH
    if not without:
        return "everyone" if len(there) > 2 else party_words(show, tuple(there))
    called = "mix-minus: " if plan.is_mix_minus(mix) else ""
    if len(without) < len(there) and len(without) <= 2:
        return f"{called}everyone but {party_words(show, without)}"
    return f"{called}{party_words(show, tuple(there))}"


def _carded(widget: QWidget, heading: QWidget | None = None) -> QWidget:
    card = QWidget()
    card.setObjectName("card")
    inside = QVBoxLayout(card)
    inside.setContentsMargins(8, 8, 8, 8)
    if heading is not None:
        inside.addWidget(heading)
    inside.addWidget(widget, 1)
    return card
