"""Talk, work: the order of work as bars against the clock, ticked as it is done and planned anew."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QWidget

from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.talk.bench import TalkBench
from kymaphon.app.stages.talk.forms import TalkForms
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import DASH, Row, RowTable
from kymaphon.app.widgets.why import Action, WhyContent, label
from kymaphon.app.widgets.work_bars import Bar, WorkBars
from kymaphon.core.derive import Derived
from kymaphon.core.model.edits import AddRow, Edit, RemoveRow, SetField
from kymaphon.core.model.findings import Finding
from kymaphon.core.model.talk import Task
from kymaphon.core.report.work import clock, drop_words, hand_names, plan_words, time_words
from kymaphon.core.words import counted
from kymaphon.core.work.plan import WorkPlan, usual_minutes
from kymaphon.core.work.tasks import missing_work

HEADINGS = ("", "What", "From", "To", "Who", "Slack")
HELP = (
    "Done, under way or to do",
    "The task",
    "When it begins, as it is planned now",
    "When it ends",
    "Whose hands",
    "So much longer it may take without all being later; what decides has none",
)
CLOCK_MS = 20_000


class TaskTable(RowTable):
    """The tasks; Space begins one and then ticks it."""

    def __init__(self, theme: Theme, tick: Callable[[], None]) -> None:
        super().__init__(
            theme, "Tasks", "Space begins a task, Space again ticks it as done; Enter opens it, Delete takes it out."
        )
        self._tick = tick

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and self.currentIndex().isValid():
            self._tick()
        else:
            super().keyPressEvent(event)


class WorkPage(StagePage):
    """Bars above, the same tasks as a table below."""

    def __init__(self, bench: TalkBench, forms: TalkForms, theme: Theme) -> None:
        super().__init__(bench.document, theme)
        self.bench, self.forms = bench, forms
        inside = self.card(3)
        self.bars = WorkBars(theme)
        self.bars.chosen.connect(self._go_to)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidget(self.bars)
        inside.addWidget(self.area)
        self.told = label("", "muted")
        self.column.addWidget(self.told)
        row = QHBoxLayout()
        self.fill = QPushButton("Fill from the show")
        self.fill.setToolTip("Adds the tasks that the show tells and that are not on the list.")
        self.fill.clicked.connect(lambda: self.act("fill"))
        self.new = QPushButton("New task\u2026")
        self.new.setToolTip("Something to do before air.")
        self.new.clicked.connect(lambda: self.act("new-task"))
        self.crew = QPushButton("Somebody for the crew\u2026")
        self.crew.setToolTip("A pair of hands, what they can be given, from when.")
        self.crew.clicked.connect(lambda: self.act("crew"))
        for button in (self.fill, self.new, self.crew):
            row.addWidget(button)
        row.addStretch(1)
        self.column.addLayout(row)
        self.table = TaskTable(theme, lambda: self.act("tick"))
        self.table.wide = (1,)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.chosen.connect(self._chosen)
        self.table.opened.connect(lambda _row: self.act("open"))
        self.table.removed.connect(lambda _row: self.act("remove"))
        self.column.addWidget(self.table, 2)
        self.tasks: tuple[Task, ...] = ()
        self._at = ""
        """Id of the task that is chosen: the plan may put it elsewhere, and a key is meant for it wherever it is."""
        bench.changed.connect(self._follow)
        self._timer = QTimer(self)
        self._timer.setInterval(CLOCK_MS)
        self._timer.timeout.connect(self._tick)
        self._timer.start()

    def set_scale(self, scale: float) -> None:
        self.bars.set_scale(scale)
        self.area.setMinimumHeight(round(190 * scale))
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(round(130 * scale))

    def first(self) -> QWidget | None:
        return self.table if self.tasks else self.fill

    def refresh(self, voice: str, end: str) -> None:
        self.bench.want_plan()
        self._follow()

    def _tick(self) -> None:
        if self.isVisible():
            self.bench.want_plan()

    @property
    def plan(self) -> WorkPlan | None:
        return self.bench.plan

    def _follow(self) -> None:
        plan, report = self.plan, self.document.analysis
        if plan is None:
            self.title.emit("Order of work", "planning\u2026")
            return
        own = {row.id for row in report.show.tasks}
        # What was ticked or taken out since the plan was asked for is shown at once; the plan follows.
        self.tasks = tuple(row for row in self._in_order(plan) if plan.told or row.id in own)
        now = {row.id: row for row in report.show.tasks}
        rows = tuple(self._row(plan, now.get(row.id, row)) for row in self.tasks)
        self.table.set_rows(HEADINGS, HELP, rows)
        self._choose(self._at)
        self._draw(plan)
        missing = len(missing_work(report))
        self.fill.setEnabled(missing > 0)
        self.fill.setText(f"Fill from the show ({missing})" if missing else "Fill from the show")
        self.told.setText(
            "These tasks are told from the show; filling the list makes them its own, to be ticked."
            if plan.told and rows
            else ""
        )
        self.told.setVisible(bool(self.told.text()))
        self.title.emit("Order of work", plan_words(report, plan))
        self.why_changed.emit()

    def _choose(self, task: str) -> None:
        """Goes to a task wherever it stands now; to the first where it is gone."""
        place = next((n for n, row in enumerate(self.tasks) if row.id == task), 0)
        self.table.choose(place if self.tasks else -1)
        self._at = self.tasks[place].id if self.tasks else ""

    def _in_order(self, plan: WorkPlan) -> list[Task]:
        """Done ones first, then as they are planned, then what nobody can do."""
        rows = {row.id: row for row in plan.tasks}
        done = [row for row in plan.tasks if row.done]
        planned = [rows[row.job] for row in plan.schedule.rows if not rows[row.job].done]
        seen = {row.id for row in (*done, *planned)}
        return [*done, *planned, *(row for row in plan.tasks if row.id not in seen)]

    def _row(self, plan: WorkPlan, task: Task) -> Row:
        at = plan.schedule.of(task.id)
        state = "done" if task.done else "under way" if task.started_at is not None else ""
        marks = ((0, "settled"),) if task.done else ()
        if at is None or task.done:
            when = time_words(self.document.show, task.done_at) if task.done_at is not None else DASH
            why = "" if task.done else plan.schedule.unplaced.get(task.id, DASH)
            return Row(("task", task.id), (state, task.text, DASH, when, why or DASH, DASH), marks=marks)
        slack = "decides" if task.id in plan.schedule.critical else f"{plan.schedule.slack.get(task.id, 0):.0f} min"
        who = hand_names(self.document.analysis, at.hands)
        return Row(
            ("task", task.id), (state, task.text, clock(plan, at.start), clock(plan, at.end), who, slack), marks=marks
        )

    def _draw(self, plan: WorkPlan) -> None:
        report = self.document.analysis
        bars = tuple(
            Bar(
                row.job,
                plan.task(row.job).text,
                row.start,
                row.end,
                plan.schedule.slack.get(row.job, 0.0),
                row.job in plan.schedule.critical,
                hand_names(report, row.hands),
            )
            for row in plan.schedule.rows
        )
        begins = plan.begins.hour * 60.0 + plan.begins.minute if plan.begins is not None else -1.0
        self.bars.show_plan(
            bars,
            begins,
            deadline=self._from_start(plan, plan.deadline),
            air=self._from_start(plan, report.show.air_at),
            now=self._from_start(plan, self.bench.now()),
            words=plan_words(report, plan),
        )
        task = self.task
        self.bars.select(task.id if task is not None else "")

    @staticmethod
    def _from_start(plan: WorkPlan, at: datetime | None) -> float | None:
        if at is None or plan.begins is None:
            return None
        return (at - plan.begins).total_seconds() / 60

    def _go_to(self, task: str) -> None:
        place = next((n for n, row in enumerate(self.tasks) if row.id == task), -1)
        if place >= 0:
            self.table.choose(place)
            self.table.setFocus()
            self._chosen(place, 0)

    def _chosen(self, row: int, _column: int) -> None:
        self._at = self.tasks[row].id if 0 <= row < len(self.tasks) else ""
        self.bars.select(self._at)
        self.why_changed.emit()

    @property
    def task(self) -> Task | None:
        """The one that is chosen, as it stands in the show now."""
        place = self.table.currentIndex().row()
        if not 0 <= place < len(self.tasks):
            return None
        task = self.tasks[place]
        return next((row for row in self.document.show.tasks if row.id == task.id), task)

    @property
    def _is_own(self) -> bool:
        task = self.task
        return task is not None and any(row.id == task.id for row in self.document.show.tasks)

    def act(self, action: str) -> None:
        show, task = self.document.show, self.task
        if action == "fill":
            rows = missing_work(self.document.analysis)
            if rows:
                edits: tuple[Edit, ...] = tuple(AddRow("tasks", row) for row in rows)
                self.document.apply(edits, f"{counted(len(rows), 'task')} from the show")
                self.say.emit(f"{counted(len(rows), 'task')} on the list now. Space begins one, and then ticks it.")
            else:
                self.say.emit("Everything that the show tells is on the list already.")
        elif action == "new-task":
            self.forms.task(None)
        elif action == "crew":
            self.forms.hand(None)
        elif action.startswith("crew "):
            hand = next((row for row in show.crew if row.id == action[5:]), None)
            if hand is not None:
                self.forms.hand(hand)
        elif action.startswith("drop "):
            gone = action[5:].split(" ")
            self.document.apply(
                tuple(RemoveRow("tasks", name) for name in gone if any(row.id == name for row in show.tasks)),
                "left out",
            )
        elif task is None:
            self.say.emit("There is no task yet: fill the list from the show, or make one.")
        elif not self._is_own:
            self.say.emit("This is told from the show: fill the list first, then it can be ticked and changed.")
        elif action == "tick":
            self._tick_task(task)
        elif action == "open":
            self.forms.task(task)
        elif action == "remove":
            self.document.apply((RemoveRow("tasks", task.id),), f"taken out: {task.text[:40]}")
        elif action == "undo-tick":
            self._set(task, {"done": False, "started_at": None, "done_at": None}, "not done")

    def _tick_task(self, task: Task) -> None:
        now = self.bench.now().replace(microsecond=0)
        if task.done:
            self._set(task, {"done": False, "started_at": None, "done_at": None}, "not done")
        elif task.started_at is None:
            self._set(task, {"started_at": now}, "begun")
        else:
            self._set(task, {"done": True, "done_at": now}, "done")

    def _set(self, task: Task, values: dict[str, object], words: str) -> None:
        edits = tuple(SetField("tasks", task.id, field, value) for field, value in values.items())
        self.document.apply(edits, f"{words}: {task.text[:40]}")
        self.say.emit(f"{task.text[:60]}: {words}.")

    def show_finding(self, finding: Finding) -> None:
        found = next((row.id for row in self.tasks if row.id in finding.subjects), None)
        if found is not None:
            self._choose(found)
            self.why_changed.emit()

    def why(self) -> WhyContent:
        plan, task, report = self.plan, self.task, self.document.analysis
        crew = tuple(
            Action(f"crew {row.id}", f"{row.name}\u2026", "What they can be given, from when.")
            for row in report.show.crew
        )
        if plan is None or task is None:
            return WhyContent("Order of work", hint="Fill the list from the show, or make a task.", actions=crew)
        notes = [*plan.problems]
        actions: list[Action] = []
        for row in (plan.schedule.rows and self.bench.late) or ():
            notes.append(drop_words(plan, row))
            if not plan.told and row.in_time:
                names = " and ".join(plan.task(name).text[:24] for name in row.tasks)
                actions.append(
                    Action(
                        f"drop {' '.join(row.tasks)}", f"Leave out: {names}", "Taken off the list; undo puts it back."
                    )
                )
        begun = task.started_at is not None
        word = "It is not done" if task.done else "Done" if begun else "Begin"
        lead = (Action("tick", word, "Space."), Action("open", "This task\u2026", "Enter.")) if self._is_own else ()
        at = plan.schedule.of(task.id)
        subtitle = "done" if task.done else "not planned"
        if at is not None and not task.done:
            subtitle = f"{clock(plan, at.start)} to {clock(plan, at.end)}, {hand_names(report, at.hands)}"
        first = [one.text for one in plan.tasks if one.id in task.after]
        if first:
            notes.insert(0, f"After: {'; '.join(first)}.")
        if task.loses:
            notes.insert(0, f"Left out, it costs: {task.loses}.")
        return WhyContent(
            task.text, subtitle, lines=self._lines(plan, task), lead=lead, actions=(*actions, *crew), notes=tuple(notes)
        )

    def _lines(self, plan: WorkPlan, task: Task) -> tuple[Derived, ...]:
        out = []
        source = "as written on the task" if task.minutes else "core/data/work.json"
        usual = Derived("figure", usual_minutes(task), "min", source=source)
        learnt = plan.learnt.get(task.sort)
        if task.id in plan.minutes:
            terms: tuple[Derived, ...] = (usual,)
            if learnt is not None:
                taught = "ticks: a mean in which the figure counts as two"
                terms = (
                    usual,
                    Derived(f"as {learnt.count} of this sort took", 100 * learnt.factor, "%", source=taught),
                )
            formula = "figure \u00d7 what ticks have taught"
            out.append(Derived("minutes planned", plan.minutes[task.id], "min", formula, terms))
        schedule = plan.schedule
        if schedule.end:
            source = "critical path, hands' own work, Jackson 1955"
            if schedule.proven:
                source = "the bound is reached: no plan is shorter"
            bound = Derived("no plan is shorter than", schedule.bound, "min", source=source)
            out.append(Derived("all done after", schedule.end, "min", terms=(bound,)))
        return tuple(out)
