"""Walking through the findings of one sort: a list over the page, each finding shown where it stands.

Nothing of the core may be imported here at the top: the frame of the window is painted before that is read.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from kymaphon.app.widgets.marks import SEVERITY_NAMES

if TYPE_CHECKING:
    from kymaphon.app.widgets.finding_list import FindingList
    from kymaphon.app.window import Window
    from kymaphon.core.model.findings import Finding


class FindingWalk:
    """Opens the list, goes to what is chosen in it, and leaves it.

    Attributes:
        walking: a finding is being shown: the keyboard stays in the list.
    """

    def __init__(self, window: Window) -> None:
        self._window = window
        self.list: FindingList | None = None
        self.walking = False

    @property
    def chosen(self) -> Finding | None:
        """The finding that is chosen in the list; None while that is shut."""
        return self.list.chosen if self.list is not None and self.list.isVisible() else None

    def jump(self, severity: str) -> None:
        """The list of a kind of finding, at the first of them; asked for again, at the next, and round."""
        window = self._window
        if self.list is not None and self.list.isVisible() and self.list.severity == severity:
            self.list.next()
            return
        rows = [row for row in window.document.analysis.findings if row.severity == severity]
        if not rows:
            window.say(f"No finding of this kind: {SEVERITY_NAMES.get(severity, severity)}.")
            return
        if self.list is None:
            from kymaphon.app.widgets.finding_list import FindingList

            self.list = FindingList(window.theme, window.whole)
            self.list.walked.connect(self._show)
            self.list.closed.connect(self._leave)
        self.list.open(severity, rows)

    def follow(self) -> None:
        """The list after an edit: what was mended is gone from it, and the next stands there."""
        if self.list is None or not self.list.isVisible() or self.walking:
            return
        analysis = self._window.document.analysis
        if analysis.standing or analysis.unsearched:
            return
        rows = [row for row in analysis.findings if row.severity == self.list.severity]
        if rows:
            self.list.follow(rows)
        else:
            self.end()
            self._window.say(
                f"Nothing of this kind is left: {SEVERITY_NAMES.get(self.list.severity, self.list.severity)}."
            )

    def hide(self) -> None:
        """The list goes, unless it is what leads to the stage."""
        if self.list is not None and not self.walking:
            self.list.hide()

    def end(self) -> bool:
        """Closes the list; whether it was open."""
        if self.list is None or not self.list.isVisible():
            return False
        self.list.hide()
        self._leave(on=False)
        return True

    def _show(self, found: Finding) -> None:
        """Goes to where a finding stands."""
        window = self._window
        rows = self.list.rows if self.list is not None else (found,)
        self.walking = True
        window.go(found.stage)
        window.page(found.stage).show_finding(found)
        self.walking = False
        more = f" ({rows.index(found) + 1} of {len(rows)})" if len(rows) > 1 and found in rows else ""
        window.say(f"{found.message}{more}")

    def _leave(self, on: bool) -> None:
        """Back to the page, or on to what can be done about it."""
        window = self._window
        if on:
            window.focus_why()
            return
        first = window.page(window.stage).first()
        if first is not None:
            first.setFocus()
