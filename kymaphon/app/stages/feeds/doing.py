"""Feeds, the doing list: steps at the desk, the interface and the software, ticked as they are done."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QWidget

from kymaphon.app.stages.feeds.model import FeedsModel
from kymaphon.app.stages.feeds.words import HURTS
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Row, RowTable
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.core.mixes.doing import PREFIX, Instruction, from_nothing, steps_between, tick
from kymaphon.core.model.edits import RemoveRow, apply_all
from kymaphon.core.model.talk import Task

SORTS = (
    (
        "list",
        "Still to do at the desk",
        "What was applied and waits for your hands; ticked as it is done.",
    ),
    (
        "opened",
        "Changed since it was opened",
        "Every setting and cable that differs from the show as it was opened, whatever changed it.",
    ),
    ("now", "What the plan would change", "From the rig as the show has it, to the plan."),
    (
        "all",
        "Everything, from nothing set",
        "For a desk that comes out of its case: every setting and cable of the show.",
    ),
)
HEADINGS = ("No.", "Step", "What sort")
HELP = (
    "Ticked or not",
    "What to do, with its value",
    "Mute first, then off, pan, plug, set, on; opened last",
)
ACT_WORDS = {
    "start": "set up",
    "mute": "mute first",
    "off": "switch off",
    "unplug": "take out",
    "pan": "pan",
    "plug": "plug",
    "set": "set",
    "on": "switch on",
    "open": "open last",
}


class DoingPage(StagePage):
    """One list at a time. Enter or Space ticks."""

    def __init__(self, model: FeedsModel, theme: Theme) -> None:
        super().__init__(model.document, theme)
        self.model = model
        self.sort = ChoiceBox()
        self.sort.setAccessibleName("Which steps")
        for name, words, tip in SORTS:
            self.sort.addItem(words, name)
            self.sort.setItemData(self.sort.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.sort.setToolTip(SORTS[0][2])
        self.sort.setStatusTip("The list to be ticked, what the plan would change, or everything from nothing set.")
        self.sort.activated.connect(lambda _index: self._chosen())
        row = QHBoxLayout()
        self.count = label("", "muted")
        row.addWidget(self.count, 1)
        row.addWidget(self.sort)
        self.column.addLayout(row)
        self.table = RowTable(theme, "Steps in a safe order", "Enter ticks a step, or takes the tick away.")
        self.table.let_grow(1)
        self.table.opened.connect(self._tick)
        self.table.chosen.connect(lambda _row, _column: self.why_changed.emit())
        inside = self.card(1)
        inside.addWidget(self.table)
        model.planned.connect(self._fill)

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setMinimumSectionSize(round(30 * scale))
        self.table.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.table

    def refresh(self, voice: str, end: str) -> None:
        if self.sort.currentData() == "now":
            self.model.want()
        self._fill()

    def choose_sort(self, name: str) -> None:
        """Another list: `list`, `now` or `all`."""
        self.sort.setCurrentIndex(self.sort.findData(name))
        self._chosen()

    def _chosen(self) -> None:
        self.sort.setToolTip(SORTS[self.sort.currentIndex()][2])
        self.refresh("", "")

    @property
    def tasks(self) -> list[Task]:
        """The steps on the list."""
        return [task for task in self.document.show.tasks if task.id.startswith(PREFIX)]

    def _steps(self) -> tuple[Instruction, ...]:
        show, catalogue = self.document.show, self.document.analysis.catalogue
        if self.sort.currentData() == "all":
            return steps_between(from_nothing(show), show, catalogue)
        if self.sort.currentData() == "opened":
            return steps_between(self.document.opened, show, catalogue)
        plan = self.model.plan if self.model.fresh else None
        return steps_between(show, apply_all(show, plan.edits), catalogue) if plan is not None else ()

    def _fill(self) -> None:
        if self.sort.currentData() == "list":
            tasks = self.tasks
            rows = [
                Row(
                    ("task", task.id),
                    ("done" if task.done else "", task.text),
                    marks=((0, "tick"),) if task.done else (),
                )
                for task in tasks
            ]
            done = sum(task.done for task in tasks)
            words = (
                f"{done} of {len(tasks)} done" if tasks else "Nothing waits. Apply a plan, and its steps stand here."
            )
        else:
            steps = self._steps()
            rows = [Row(("step", str(n)), (f"{n + 1}", step.text, ACT_WORDS[step.act])) for n, step in enumerate(steps)]
            words = f"{len(steps)} {'step' if len(steps) == 1 else 'steps'}" if steps else "Nothing differs."
            if self.sort.currentData() == "now" and not self.model.fresh:
                words = "Planning \u2026"
        if self.sort.currentData() == "list":
            self.table.set_rows(("Done", "Step"), HELP[:2], tuple(rows))
        else:
            self.table.set_rows(HEADINGS, HELP, tuple(rows))
        self.count.setText(words)
        self.title.emit("Doing list", "At the desk, the interface and the software, in a safe order.")
        self.why_changed.emit()

    def _tick(self, row: int) -> None:
        sort, name = self.table.words.rows[row].key
        task = next((task for task in self.tasks if task.id == name), None)
        if sort == "task" and task is not None:
            self.document.apply((tick(task),), f"{'Not done' if task.done else 'Done'}: {task.text}")
            if not task.done and row + 1 < len(self.tasks):
                self.table.choose(row + 1, 0)
            self.why_changed.emit()

    def why(self) -> WhyContent:
        row = self.table.currentIndex().row()
        rows = self.table.words.rows
        text = rows[row].cells[1] if 0 <= row < len(rows) else ""
        actions: list[Action] = []
        tasks = self.tasks
        if self.sort.currentData() == "list" and tasks:
            if text:
                done = tasks[row].done if row < len(tasks) else False
                actions.append(
                    Action(
                        "tick",
                        "Not done after all" if done else "Done",
                        "Ticks the step, or takes the tick away. Enter does it too.",
                    )
                )
            if any(task.done for task in tasks):
                actions.append(Action("clear", "Take ticked steps off the list", "They can be brought back with undo."))
        return WhyContent(
            "Doing list",
            self.count.text(),
            extra=(text,) if text else (),
            lead=tuple(actions[:1]) if text else (),
            actions=tuple(actions[1:] if text else actions),
            notes=(HURTS,),
            hint="It is printed with the rig sheet: Show, Rig sheet.",
        )

    def act(self, action: str) -> None:
        if action == "tick" and self.table.currentIndex().row() >= 0:
            self._tick(self.table.currentIndex().row())
        elif action == "clear":
            edits = tuple(RemoveRow("tasks", task.id) for task in self.tasks if task.done)
            self.document.apply(edits, "Ticked steps off the list")
