"""Puts into the Why panel just those remedies that may be offered, each tried on the show before."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject

from kymaphon.app.document import Document
from kymaphon.app.widgets.why import WhyContent, WhyPanel
from kymaphon.app.worker import Worker
from kymaphon.core.findings import Finding, Remedy
from kymaphon.core.offers import are_known, with_offers


class Offering(QObject):
    """Tries remedies at once where the show is computed in a blink; else a worker does, and the panel says so until then.

    Args:
        again: asks for the panel to be shown anew, once the remedies have been tried.
    """

    def __init__(self, parent: QObject, document: Document, again: Callable[[], None]) -> None:
        super().__init__(parent)
        self._document, self._again = document, again
        self._worker = Worker(self, self._tried, self._failed)

    @property
    def busy(self) -> bool:
        """Whether remedies are being tried by the worker."""
        return self._worker.busy

    def show(self, panel: WhyPanel, content: WhyContent) -> None:
        """Shows content with the remedies of its findings that may be offered."""
        # What is done is done to the show as it is, also while a preview is on screen.
        analysis, findings = self._document.settled, self._doable(content.findings)
        if self._document.slow and not are_known(analysis, findings):
            panel.show_content(replace(content, findings=findings), trying=True)
            self._worker.ask(lambda: [with_offers(analysis, row) for row in findings], analysis)
            return
        offered = tuple(with_offers(analysis, row) for row in findings)
        panel.show_content(replace(content, findings=offered))

    def _doable(self, findings: tuple[Finding, ...]) -> tuple[Finding, ...]:
        """While a preview is on screen its findings may name what is not in the show: those remedies are left out."""
        if not self._document.previewing:
            return findings
        return tuple(
            replace(row, remedies=tuple(remedy for remedy in row.remedies if self._applies(remedy)))
            for row in findings
        )

    def _applies(self, remedy: Remedy) -> bool:
        try:
            remedy.apply(self._document.show)
        except (KeyError, ValueError):
            return False
        return True

    def _tried(self, about: object, _result: object) -> None:
        if about is self._document.settled:
            self._again()

    def _failed(self, error: Exception) -> None:
        """A remedy that cannot even be tried is a fault of the program, not of the show."""
        raise error
