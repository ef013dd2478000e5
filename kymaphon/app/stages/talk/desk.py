"""Talk, desk: which source on which channel and group, what is spare, what to mix before the desk."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QSpinBox, QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.desk_strips import DeskStrips, StripFace
from kymaphon.app.widgets.picker import Picker
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.derive import Derived
from kymaphon.core.figures import data_table
from kymaphon.core.model.edits import SetField
from kymaphon.core.report.work import allot_words, channel_rows
from kymaphon.core.work.allotment import Allotment, Strip, reach_cost, weight
from kymaphon.core.work.desk import allot_edits, desks_of

HEADINGS = ("Channel", "Now", "Label", "What", "Group", "Note")
HELP = (
    "The desk's channel",
    "What is plugged in there now",
    "For the strip: twelve letters",
    "The source that is allotted to it",
    "The group that it goes to",
    "Spare, mono of a stereo source, mixed before the desk",
)


HOLD = (
    "Enter holds what is plugged into a channel now, or lets it go again; the Why panel says what speaks for a channel."
)


class DeskPage(StagePage):
    """One row for each channel."""

    def __init__(self, bench: TalkBench, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench = bench
        head = self.picker = Picker("Desk", "Which desk is allotted.")
        head.picked.connect(self._choose)
        head.addWidget(label("Spares", wrap=False))
        self.spares = QSpinBox()
        self.spares.setRange(0, 64)
        self.spares.setValue(int(weight("spares")))
        self.spares.setAccessibleName("Channels to leave free")
        self.spares.setToolTip("Channels to leave free, for what breaks and for what comes on the day.")
        self.spares.valueChanged.connect(self._other_spares)
        head.addWidget(self.spares)
        self.apply = QPushButton("Apply")
        self.apply.setProperty("role", "primary")
        self.apply.setToolTip("Leads, gains, sends and groups go along with their sources.")
        self.apply.clicked.connect(lambda: self.act("apply-desk"))
        head.addWidget(self.apply)
        head.addStretch(1)
        self.column.addLayout(head)
        inside = self.card(1)
        self.strips = DeskStrips(theme)
        self.strips.chosen.connect(self._go_to)
        inside.addWidget(self.strips)
        self.table = RowTable(theme, "Channels of the desk", HOLD)
        self.table.opened.connect(lambda _row: self.act("hold"))
        self.table.spare = (1,)
        self.table.chosen.connect(self._went)
        inside.addWidget(self.table)
        bench.changed.connect(self._follow)

    def set_scale(self, scale: float) -> None:
        self.strips.set_scale(scale)
        self.table.verticalHeader().setDefaultSectionSize(round(24 * scale))
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table if self.bench.allotment is not None else self.picker.box

    def _go_to(self, place: int) -> None:
        self.table.choose(place)
        self.table.setFocus()
        self._went(place, 0)

    def _went(self, row: int, _column: int) -> None:
        self.strips.select(row)
        self.why_changed.emit()

    def _draw(self, found: Allotment) -> None:
        """The strips, each family in a hue of its own."""
        hues = {name: n for n, name in enumerate(data_table("work")["families"])}
        held = self.document.show.fixed_channels
        digits = {row.channel: "".join(c for c in row.name if c.isdigit()) or row.channel for row in found.strips}
        groups = {name: "".join(c for c in words if c.isdigit()) or words for name, words in found.desk.groups}
        faces = tuple(
            StripFace(
                digits[row.channel],
                row.label,
                hues.get(row.family, -1),
                f"g{groups[row.group]}" if row.sources and row.group else "",
                len(row.sources) > 1,
                f"{found.desk.id}.{row.channel}" in held,
            )
            for row in found.strips
        )
        self.strips.show_desk(faces, "; ".join(f"{row.number}: {row.label}" for row in faces if row.label))
        self.strips.select(self.table.currentIndex().row())

    def _choose(self) -> None:
        self.bench.desk = self.picker.value or ""
        self.bench.want_allotment()

    def _other_spares(self, count: int) -> None:
        self.bench.spares = count
        self.bench.want_allotment()

    def refresh(self, voice: str, end: str) -> None:
        rows = desks_of(self.document.analysis)
        self.picker.offer([(row.id, self.document.analysis.device_name(row.id)) for row in rows])
        self.picker.show_value(self.bench.desk)
        self.bench.want_allotment()
        self._follow()

    def _follow(self) -> None:
        found = self.bench.allotment
        if found is None:
            some = bool(desks_of(self.document.analysis))
            self.table.set_rows(HEADINGS, HELP, ())
            self.strips.show_desk((), "")
            self.apply.setEnabled(False)
            self.title.emit(
                "Desk allotment", "allotting\u2026" if some else "There is no desk in this show: add one in Rig first."
            )
            self.why_changed.emit()
            return
        now = {name: row.name for row in found.sources for name in (row.at, row.right_at) if name}
        rows = []
        for strip, (name, label_, what, group, note) in zip(found.strips, channel_rows(found), strict=True):
            held = f"{found.desk.id}.{strip.channel}" in self.document.show.fixed_channels
            words = f"{now.get(strip.channel, '')}, held" if held else now.get(strip.channel, "")
            rows.append(Row(("strip", strip.channel), (name, words, label_, what, group, note)))
        chosen = self.table.currentIndex().row()
        first = next((n for n, row in enumerate(found.strips) if row.sources), 0)
        self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.table.choose(chosen if 0 <= chosen < len(rows) else first)
        self._draw(found)
        self.apply.setEnabled(not found.submixes and not found.left and bool(found.sources))
        self.title.emit("Desk allotment", allot_words(found))
        self.why_changed.emit()

    def act(self, action: str) -> None:
        found = self.bench.allotment
        if action == "hold":
            self._hold()
            return
        if action != "apply-desk":
            return
        if found is None:
            self.say.emit("There is no allotment yet.")
            return
        try:
            edits = allot_edits(self.document.analysis, found)
        except ValueError as problem:
            self.say.emit(f"Not applied: {problem}. Mix it before the desk first, or leave fewer spares.")
            return
        self.document.apply(edits, f"{found.desk.name} allotted")
        self.say.emit(f"{found.desk.name} is allotted: leads, gains, sends and groups went along. Undo puts it back.")

    def _hold(self) -> None:
        """What is plugged into the channel that is chosen stays there, or may go again."""
        found, strip = self.bench.allotment, self.strip
        if found is None or strip is None:
            return
        channel, held = f"{found.desk.id}.{strip.channel}", self.document.show.fixed_channels
        now = {name: row.name for row in found.sources for name in (row.at, row.right_at) if name}
        if channel in held:
            rows, words = tuple(row for row in held if row != channel), "may go elsewhere"
        elif strip.channel in now:
            rows, words = (*held, channel), "stays"
        else:
            self.say.emit(f"Nothing is plugged into {strip.name} now: there is nothing to hold.")
            return
        text = f"{now.get(strip.channel, 'what was there')} {words} on {strip.name}"
        self.document.apply((SetField("", None, "fixed_channels", rows),), text)
        self.say.emit(f"{text}.")

    @property
    def strip(self) -> Strip | None:
        found = self.bench.allotment
        place = self.table.currentIndex().row()
        return found.strips[place] if found is not None and 0 <= place < len(found.strips) else None

    def why(self) -> WhyContent:
        found, strip = self.bench.allotment, self.strip
        if found is None or strip is None:
            return WhyContent("Desk allotment", hint="Sources come from Cast and Rig; a desk from Rig.")
        names = {row.id: row.name for row in found.sources}
        notes = [row.loses for row in found.submixes]
        notes += list(found.problems)
        if found.left:
            notes.append(f"Nothing is left for {', '.join(names[name] for name in found.left)}.")
        lines: tuple[Derived, ...] = ()
        if strip.sources:
            family = data_table("work")["families"][strip.family]
            place = next(n for n, row in enumerate(found.strips) if row is strip)
            reach = Derived(
                "reach of this strip",
                reach_cost(place, len(found.strips), strip.family),
                "",
                "riding \u00d7 strips from the middle",
                (Derived(f"riding of {family['name'].lower()}", float(family["ride"]), "", source=family["source"]),),
            )
            source = "integer programme, one aim after the other, with its bound"
            aims = tuple(
                Derived(
                    row.name,
                    row.cost,
                    "",
                    "" if row.proven else "not proven",
                    () if row.proven else (Derived("none is less than", row.bound, ""),),
                    source,
                )
                for row in found.aims
            )
            lines = (reach, *aims)
        title = ", ".join(names[name] for name in strip.sources) or "Spare"
        lead = (
            (Action("apply-desk", "Apply the allotment", "Leads, gains, sends and groups go along."),)
            if self.apply.isEnabled()
            else ()
        )
        return WhyContent(title, strip.name, lines=lines, lead=lead, notes=tuple(notes))
