"""Stages that are still to come: one honest sentence each, and what to use until then."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.why import WhyContent, label

SENTENCES = {
    "Book": "Here the log and past shows will be kept; nothing is written to it yet.",
}


class ComingStage(StageSurface):
    """A stage without its work surface yet."""

    def __init__(self, stage: str, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, theme, parent)
        self.stage = stage
        self.title.setText(stage)
        text = label(SENTENCES[stage])
        text.setMaximumWidth(620)
        text.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.column.addWidget(text)
        self.column.addStretch(1)

    def why(self) -> WhyContent:
        analysis = self.document.analysis
        rows = tuple(row for row in analysis.findings if row.stage == self.stage)
        hint = "" if rows or analysis.unsearched else "Nothing found at this stage, as far as it is computed today."
        return WhyContent(self.stage, SENTENCES[self.stage].split(";")[0] + ".", findings=rows, hint=hint)
