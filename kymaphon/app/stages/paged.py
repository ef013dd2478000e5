"""A stage with several views: buttons in its head, each view made when it is first wanted."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.views import mark_view, view_buttons
from kymaphon.app.widgets.why import WhyContent


class PagedStage(StageSurface):
    """The scaffolding; `refresh_page` fills the view on screen.

    Args:
        make: gives a view by its name, when it is first wanted.

    Signals:
        say: one line for the status line.
    """

    say = Signal(str)

    def __init__(
        self,
        document: Document,
        theme: Theme,
        views: Iterable[tuple[str, str, str]],
        first: str,
        make: Callable[[str], StagePage],
    ) -> None:
        super().__init__(document, theme)
        self._scale = 1.0
        self.view = first
        self._make = make
        rows = tuple(views)
        self._views = view_buttons(self, self.head, rows, self.choose_view, keys=True)
        self.offer_views(self._views, self.choose_view)
        self.stack = QStackedWidget()
        self._pages: dict[str, StagePage] = {}

    def refresh_page(self) -> None:
        """Fills the view on screen."""
        self.page.refresh("", "")

    @property
    def page(self) -> StagePage:
        """The view on screen."""
        return self._pages[self.view]

    def choose_view(self, view: str) -> None:
        """Another view."""
        self.document.end_preview()
        self.show_view(view)
        self.refresh()
        first = self.first()
        if first is not None:
            first.setFocus()

    def show_view(self, view: str) -> None:
        """Puts a view on screen; it is filled by the next `refresh`."""
        self.view = view
        mark_view(self._views, view)
        self.stack.setCurrentWidget(self.page_of(view))

    def page_of(self, view: str) -> StagePage:
        """A view, made when it is first wanted."""
        if view not in self._pages:
            page = self._make(view)
            page.set_scale(self._scale)
            page.why_changed.connect(lambda: self._page_changed(view))
            page.title.connect(lambda title, words: self._page_title(view, title, words))
            page.say.connect(self.say)
            self._page_made(page)
            self._pages[view] = page
            self.stack.addWidget(page)
        return self._pages[view]

    def _page_made(self, page: StagePage) -> None:
        """What else a stage has to do with a view of its own."""

    def _page_changed(self, view: str) -> None:
        if self._pages.get(view) is self.page:
            self.why_changed.emit()

    def _page_title(self, view: str, title: str, words: str) -> None:
        if self._pages.get(view) is self.page:
            self.title.setText(title)
            self.subtitle.setText(words)

    def why(self) -> WhyContent:
        return self.page.why()

    def act(self, action: str) -> None:
        self.page.act(action)

    def zoom(self, steps: int) -> None:
        zoom = getattr(self.page, "zoom", None)
        if zoom is not None:
            zoom(steps)

    def set_scale(self, scale: float) -> None:
        self._scale = scale
        for page in self._pages.values():
            page.set_scale(scale)

    def first(self) -> QWidget | None:
        return self.page.first()
