"""Puts into the Why panel just those remedies that may be offered, each tried on the show before."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject, QTimer

from kymaphon.app.document import Document
from kymaphon.app.widgets.why import WhyContent, WhyPanel
from kymaphon.app.worker import Worker
from kymaphon.core.analysis.report import Report
from kymaphon.core.model.findings import Finding, Later, Remedy
from kymaphon.core.model.show import Show

PAUSE_MS = 120
"""Keys that are held, and a pointer that runs over rows, ask for nothing."""


class Offering(QObject):
    """Has remedies tried by a worker, the newest that are on screen only; the panel says so until they have been.

    Args:
        again: asks for the panel to be shown anew, once the remedies have been tried.
    """

    def __init__(self, parent: QObject, document: Document, again: Callable[[], None]) -> None:
        super().__init__(parent)
        self._document, self._again = document, again
        self._worker = Worker(self, self._tried, self._failed)
        self._wanted: tuple[Report, tuple[Finding, ...]] | None = None
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(PAUSE_MS)
        self._pause.timeout.connect(self._begin)

    @property
    def busy(self) -> bool:
        """Whether remedies are being tried, or are about to be."""
        return self._worker.busy or self._pause.isActive()

    def close(self) -> None:
        """The window goes: what is being tried ends with the finding that it is at, and answers to nobody."""
        self._wanted = None
        self._pause.stop()

    def show(self, panel: WhyPanel, content: WhyContent) -> None:
        """Shows content with the remedies of its findings that may be offered."""
        if self._document.analysis.standing:
            # Of another state of the show: its own findings are on their way.
            self._wanted = None
            self._pause.stop()
            panel.show_content(content, trying=True)
            return
        from kymaphon.core.analysis.offers import are_known, with_offers

        # What is done is done to the show as it is, also while a preview is on screen.
        analysis, findings = self._document.settled, self._doable(content.findings)
        if not are_known(analysis, findings):
            panel.show_content(replace(content, findings=findings), trying=True)
            self._wanted = analysis, findings
            self._pause.start()
            return
        self._wanted = None
        self._pause.stop()
        offered = tuple(with_offers(analysis, row) for row in findings)
        panel.show_content(replace(content, findings=offered))

    def _begin(self) -> None:
        wanted = self._wanted
        if wanted is None:
            return
        from kymaphon.core.analysis.offers import with_offers

        analysis, findings = wanted

        def work() -> None:
            for row in findings:
                if self._wanted is not wanted:
                    return  # something else is on screen by now
                with_offers(analysis, row)

        self._worker.ask(work, analysis)

    def _doable(self, findings: tuple[Finding, ...]) -> tuple[Finding, ...]:
        """While a preview is on screen its findings may name what is not in the show: those remedies are left out."""
        if not self._document.previewing:
            return findings
        show = self._document.show
        return tuple(replace(row, remedies=_fitting(row, show)) for row in findings)

    def _tried(self, about: object, _result: object) -> None:
        if about is self._document.settled:
            self._again()

    def _failed(self, error: Exception) -> None:
        """A remedy that cannot even be tried is a fault of the program, not of the show."""
        raise error


def _fitting(finding: Finding, show: Show) -> Later:
    """Those of its remedies that can be applied to a show."""

    def fits(remedy: Remedy) -> bool:
        try:
            remedy.apply(show)
        except (KeyError, ValueError):
            return False
        return True

    held = finding.remedies
    known = held.key if isinstance(held, Later) else tuple(row.label for row in held)
    return Later(lambda: filter(fits, held), ("fitting", known, id(show)))
