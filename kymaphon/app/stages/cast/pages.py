"""The tables under Cast's plan: microphones, the bleed matrix, and the two rankings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Signal

from kymaphon.app.document import Document
from kymaphon.app.stages.cast import view
from kymaphon.app.stages.cast.adviser import Adviser, Subject
from kymaphon.app.stages.cast.rank import Ranked, ranked, rows_of, why_ranked
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.cast_table import Key, RowTable
from kymaphon.app.widgets.views import three_rows
from kymaphon.app.widgets.why import WhyContent
from kymaphon.core.acoustics.cast import PlaceSound
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.catalogue import Kind
from kymaphon.core.model.show import Show
from kymaphon.core.placement.before_howl import BeforeHowl
from kymaphon.core.placement.placing import MicrophoneChoice
from kymaphon.core.placement.plan import Thing


@dataclass(frozen=True)
class Drawn:
    """What is on the plan, and what is selected there.

    Attributes:
        show: as it is drawn, under the pointer while something is dragged.
        held: whether something is dragged; what takes long then stays as it was.
    """

    analysis: Report
    show: Show
    sound: PlaceSound
    things: tuple[Thing, ...]
    key: Key
    subject: Subject
    held: bool


class CastPage(StagePage):
    """One table under the plan.

    Signals:
        picked: the thing that the user went to, for the plan to select.
        opened: the thing whose details are wanted.
        removed: the thing that is to go.
        looked: another row of a ranking, for the plan to show.
    """

    picked = Signal(str, str)
    opened = Signal(str, str)
    removed = Signal(str, str)
    looked = Signal()

    def __init__(self, document: Document, theme: Theme, name: str, tip: str, *, cells: bool = False) -> None:
        super().__init__(document, theme, scrolls=False)
        self.table = RowTable(theme, name, tip, cells=cells)
        self.drawn: Drawn | None = None
        self.column.addWidget(self.table)

    def draw(self, drawn: Drawn | None) -> None:
        """Follows the plan; None where there is no place."""
        self.drawn = drawn
        if drawn is None:
            self.table.set_rows((), (), ())
        else:
            self.fill(drawn)

    def fill(self, drawn: Drawn) -> None:
        """The rows, and the one that is chosen."""

    def begin(self) -> None:
        """Another place, thing or view: from the first row."""

    def choice(self) -> MicrophoneChoice | None:
        """The kind of microphone that the plan shows at its spot."""
        return None

    def set_scale(self, scale: float) -> None:
        self.table.verticalHeader().setDefaultSectionSize(round(26 * scale))
        self.table.setMinimumHeight(three_rows(scale))

    def first(self) -> RowTable:
        return self.table

    def fitting_height(self) -> int:
        """As high as its rows are."""
        return max(self.table.fitting_height(), 110)


class MicrophonesPage(CastPage):
    """Each microphone with its party; at Elsewhere, everybody without a place."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(
            document,
            theme,
            "Microphones and their parties",
            "One row for each microphone. The plan and the Why panel follow the row; Enter opens its details.",
        )
        self.table.spare = (6, 3, 4)
        self.table.chosen.connect(lambda row, _column: self._tell(self.picked.emit, row))
        self.table.opened.connect(lambda row: self._tell(self.opened.emit, row))
        self.table.removed.connect(lambda row: self._tell(self.removed.emit, row))

    def _tell(self, say: Callable[[str, str], object], row: int) -> None:
        rows = self.table.words.rows
        if row < len(rows):
            say(*rows[row].key)

    def draw_elsewhere(self, analysis: Report, show: Show, key: Key) -> None:
        """Everybody without a place on a plan."""
        self.drawn = None
        rows = view.elsewhere_rows(analysis, show)
        self.table.set_rows(view.ELSEWHERE_HEADINGS, view.ELSEWHERE_HELP, rows)
        self.table.choose(next((i for i, row in enumerate(rows) if row.key == key), -1))

    def fill(self, drawn: Drawn) -> None:
        sound, mic = drawn.sound, drawn.subject.mic
        rows = view.microphone_rows(drawn.analysis, drawn.show, sound)
        self.table.set_rows(view.MIC_HEADINGS, view.MIC_HELP, rows)
        chosen = next((i for i, row in enumerate(rows) if row.key == drawn.key), -1)
        if chosen < 0 and mic is not None:
            chosen = next((i for i, row in enumerate(rows) if row.key[1] == sound.mics[mic].device.id), -1)
        self.table.choose(chosen)

    def why(self) -> WhyContent:
        drawn = self.drawn
        if drawn is None:
            return WhyContent("")
        thing = next((row for row in drawn.things if row.key == drawn.key), None)
        return view.why_thing(drawn.analysis, drawn.show, drawn.sound, thing, drawn.subject.mic)


class BleedPage(CastPage):
    """Every source in every microphone, against the microphone's own voice."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(
            document,
            theme,
            "Bleed: sources by microphones",
            "How far each source lies under the microphone's own voice. The Why panel follows the cell.",
            cells=True,
        )
        self.cell = (0, 1)
        self.table.chosen.connect(self._cell_chosen)

    def _cell_chosen(self, row: int, column: int) -> None:
        self.cell = (row, max(column, 1))
        self.why_changed.emit()

    def fill(self, drawn: Drawn) -> None:
        headings, help_, cells = view.bleed_rows(drawn.analysis, drawn.sound)
        self.table.set_rows(headings, help_, cells)
        if cells and len(headings) > 1:
            self.cell = (min(self.cell[0], len(cells) - 1), min(max(self.cell[1], 1), len(headings) - 1))
            self.table.choose(*self.cell)

    def why(self) -> WhyContent:
        drawn = self.drawn
        return view.why_bleed(drawn.analysis, drawn.show, drawn.sound, *self.cell) if drawn else WhyContent("")


class RankPage(CastPage):
    """Kinds of microphone for the selected party: by voice over room, or by how far from howling they would be.

    Args:
        kinds: gives the microphones that can be had.
    """

    def __init__(
        self, document: Document, theme: Theme, ranking: str, adviser: Adviser, kinds: Callable[[], tuple[Kind, ...]]
    ) -> None:
        if ranking == "best":
            name = "Microphones ranked for the selected party"
            tip = "Each kind at its best allowed spot. The map follows the row; the Why panel has the arithmetic and a button to use it."
        else:
            name = "Microphones ranked by how far from howling they would be"
            tip = "Each kind at the spot that lets most through. The map follows the row; the Why panel has a button to use it."
        super().__init__(document, theme, name, tip)
        self.ranking, self.adviser, self.kinds = ranking, adviser, kinds
        self.row = 0
        self.now = Ranked(ranking)
        self.table.spare = (5, 2)
        self.table.chosen.connect(self._row_chosen)

    @property
    def howl(self) -> BeforeHowl | None:
        """What the plan's bands show in place of voice over room."""
        return self.now.howl

    def _row_chosen(self, row: int, _column: int) -> None:
        self.row = row
        self.looked.emit()

    def begin(self) -> None:
        self.row = 0

    def fill(self, drawn: Drawn) -> None:
        sound, subject = drawn.sound, drawn.subject
        self.now = ranked(self.adviser, self.ranking, drawn.analysis, sound, subject, self.kinds(), held=drawn.held)
        own = sound.mics[subject.mic].kind.id if subject.mic is not None else ""
        self.table.set_rows(*rows_of(self.now, own))
        self.table.choose(self.row)

    def choice(self) -> MicrophoneChoice | None:
        return self.now.at(self.row)

    def why(self) -> WhyContent:
        drawn = self.drawn
        if drawn is None:
            return WhyContent("")
        return why_ranked(drawn.analysis, drawn.sound, drawn.subject, self.now, self.row)
