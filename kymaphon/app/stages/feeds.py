"""Feeds: who hears whom. The table of listeners by voices, the arrivals of the chosen pair, and the
crosspoints.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.surface import StageSurface
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.arrivals import ArrivalPicture, Stem, own_voice_zones
from kymaphon.app.widgets.choice import Choice
from kymaphon.app.widgets.crosspoints import CrosspointGrid
from kymaphon.app.widgets.matrix import WANT_WORDS, FeedMatrix
from kymaphon.app.widgets.why import WhyContent, label
from kymaphon.core.catalogue import Path
from kymaphon.core.derive import show_number
from kymaphon.core.edits import SetValue, SetWant
from kymaphon.core.findings import Finding
from kymaphon.core.graph import SettingRef
from kymaphon.core.model import WantKind
from kymaphon.core.routing import Feed
from kymaphon.core.rules.cures import switches_of_feed, way_words
from kymaphon.core.sheet import VERDICT_WORDS

ORDER: tuple[WantKind, ...] = ("hear", "never", "any")
OWN_ORDER: tuple[WantKind, ...] = ("local", "never", "any")


class FeedsStage(StageSurface):
    """The table above, the chosen pair's arrivals below; or the crosspoints of a device."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, theme, parent)
        self.title.setText("Who hears whom")
        self.badge = label("", "badge", wrap=False)
        self.badge.hide()
        self.head.addWidget(self.badge, 0, Qt.AlignmentFlag.AlignVCenter)
        self.devices = Choice()
        self.devices.setAccessibleName("Device whose crosspoints are shown")
        self.devices.activated.connect(lambda _index: self._fill_crosspoints())
        self.devices.hide()
        self.head.addWidget(self.devices)
        self.toggle = QPushButton("Crosspoints")
        self.toggle.setCheckable(True)
        self.toggle.setToolTip("Shows the switches of a device as a grid, instead of who hears whom.")
        self.toggle.setStatusTip("Shows the switches of a device as a grid, instead of who hears whom.")
        self.toggle.toggled.connect(self._show_crosspoints)
        self.head.addWidget(self.toggle)
        self.pages = QStackedWidget()
        self.column.addWidget(self.pages, 1)
        self.pages.addWidget(self._hearing_page())
        self.crosspoints = CrosspointGrid()
        self.crosspoints.flipped.connect(self._flip)
        self.pages.addWidget(_card(self.crosspoints))
        self.refresh()
        self._choose_worst()

    def _hearing_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.matrix = FeedMatrix(self.theme)
        self.matrix.cell_chosen.connect(lambda _feed: self._cell_changed())
        self.matrix.next_want.connect(self._next_want)
        self.matrix.activated.connect(lambda _index: self.go_to_why.emit())
        column.addWidget(_card(self.matrix), 3)
        below = QWidget()
        below.setObjectName("card")
        inside = QVBoxLayout(below)
        inside.setContentsMargins(16, 10, 16, 8)
        inside.setSpacing(2)
        self.pair, self.sentence = label("", "heading"), label("", "muted")
        self.arrivals = ArrivalPicture(self.theme)
        inside.addWidget(self.pair)
        inside.addWidget(self.sentence)
        inside.addWidget(self.arrivals, 1)
        column.addWidget(below, 2)
        return page

    def set_scale(self, scale: float) -> None:
        for part in (self.arrivals, self.matrix.delegate, self.matrix.voices):
            part.scale = scale
        self.matrix.fit_rows()

    def first(self) -> QWidget:
        return self.crosspoints if self.toggle.isChecked() else self.matrix

    # what is shown

    def refresh(self) -> None:
        """Follows the document's analysis."""
        analysis = self.document.analysis
        self.matrix.feeds.set_analysis(analysis)
        if self.matrix.current_feed() is None:
            self._choose_worst()
        broken = sum(not feed.well for feed in analysis.feeds.values())
        back = sum(feed.verdict == "back" for feed in analysis.feeds.values())
        howls = sum(row.code == "circle-howls" for row in analysis.findings)
        words = f"{len(analysis.listeners)} listeners, {len(analysis.voices)} voices. "
        words += f"{broken} not as wanted" if broken else "All as wanted"
        words += f", {back} own voice back late" if back else ""
        words += ", a circle howls." if howls else "."
        self.subtitle.setText(
            words
            if analysis.feeds
            else "Add parties that speak and listen, and cables between their devices."
        )
        self.badge.setText("Preview")
        self.badge.setVisible(bool(self.document.previewing))
        self._fill_devices()
        self._fill_crosspoints()
        self._cell_changed()

    def _choose_worst(self) -> None:
        feeds = self.matrix.feeds
        analysis = feeds.analysis
        if analysis is None or not feeds.voices or not feeds.listeners:
            return
        rank = ("back", "missing", "unwanted", "twice", "late", "loud", "quiet")
        bad = sorted(
            (feed for feed in analysis.feeds.values() if feed.verdict in rank),
            key=lambda feed: rank.index(feed.verdict),
        )
        key = bad[0].key if bad else (feeds.listeners[0], feeds.voices[0])
        self.choose(*key)

    def show_finding(self, finding: Finding) -> None:
        if finding.pairs:
            self.choose(*finding.pairs[0])

    def choose(self, listener: str, voice: str) -> None:
        """Selects a cell."""
        feeds = self.matrix.feeds
        if listener in feeds.listeners and voice in feeds.voices:
            self.matrix.setCurrentIndex(
                feeds.index(feeds.listeners.index(listener), feeds.voices.index(voice))
            )

    def _cell_changed(self) -> None:
        feed = self.matrix.current_feed()
        analysis = self.document.analysis
        if feed is None:
            self.pair.setText("No pair chosen")
            self.sentence.setText("")
            self.arrivals.set_stems((), self.theme.color("voice"), ())
            self.why_changed.emit()
            return
        listener, voice = (analysis.party_name(row) for row in feed.key)
        own = feed.listener == feed.voice
        self.pair.setText(
            f"{listener}'s own voice, arriving at {listener}" if own else f"{voice}, arriving at {listener}"
        )
        arrivals = analysis.arrivals(*feed.key)
        stems: tuple[Stem, ...] = ()
        if feed.path is not None and feed.level_db is not None and feed.gain_db is not None:
            source = analysis.graph.mouths[feed.voice][1].value
            offset = source - (feed.level_db - feed.gain_db)
            ways = [row.paths[0] for row in arrivals]
            stems = tuple(
                Stem(row.delay_ms, row.gain_db + offset, way_words(analysis, row.paths[0], ways))
                for row in arrivals
            )
            stems = tuple(stem for stem in stems if stem.gain_db > stems[0].gain_db - 40)
        near = f"{len(stems)} arrivals within 40 dB" if len(stems) != 1 else "one arrival"
        self.sentence.setText(
            f"{near}; level against {listener}'s mark, time from the mouth"
            if stems
            else "No way leads there."
        )
        self.arrivals.set_stems(
            stems, self.theme.party(self.matrix.currentIndex().column()), own_voice_zones() if own else ()
        )
        self.why_changed.emit()

    def why(self) -> WhyContent:
        """What the Why panel shows for the chosen cell."""
        analysis = self.document.analysis
        feed = self.matrix.current_feed()
        if feed is None:
            return WhyContent("Nothing chosen", "", findings=_stage_findings(analysis.findings))
        listener, voice = (analysis.party_name(row) for row in feed.key)
        title = f"{listener} hears {voice}"
        subtitle = f"{WANT_WORDS[feed.want]}; {_verdict_words(feed)}"
        explained = analysis.explain_feed(feed)
        lines = tuple(row for row in explained[1:] if row.terms) if explained else ()
        more = explained[:1] if explained else ()
        about = tuple(row for row in analysis.findings if row.stage == "Feeds" and _concerns(row, feed))
        switches = tuple(switches_of_feed(analysis, feed)) if explained else ()
        return WhyContent(title, subtitle, not feed.well, lines, about, more, switches)

    def _fill_devices(self) -> None:
        analysis = self.document.analysis
        rows = [
            (device.name or analysis.catalogue[device.kind].name, device.id)
            for device in analysis.show.devices
            if any(path.switch for path in analysis.catalogue[device.kind].paths)
        ]
        if [self.devices.itemData(i) for i in range(self.devices.count())] != [row[1] for row in rows]:
            held = self.devices.currentData()
            self.devices.clear()
            for name, device in rows:
                self.devices.addItem(name, device)
            place = self.devices.findData(held)
            self.devices.setCurrentIndex(max(place, 0) if rows else -1)

    def _fill_crosspoints(self) -> None:
        analysis = self.document.analysis
        device_id = self.devices.currentData()
        device = next((row for row in analysis.show.devices if row.id == device_id), None)
        self.crosspoints.points.set_device(device, analysis.catalogue[device.kind] if device else None)

    def _show_crosspoints(self, on: bool) -> None:
        self.pages.setCurrentIndex(1 if on else 0)
        self.devices.setVisible(on)
        self.title.setText("Crosspoints" if on else "Who hears whom")
        (self.crosspoints if on else self.matrix).setFocus()

    # what the user does

    def _next_want(self, feed: Feed) -> None:
        order = OWN_ORDER if feed.listener == feed.voice else ORDER
        want = order[(order.index(feed.want) + 1) % len(order)] if feed.want in order else order[0]
        names = (self.document.analysis.party_name(row) for row in feed.key)
        text = f"{' and '.join(names)}: {WANT_WORDS[want]}"
        self.document.apply((SetWant(feed.listener, feed.voice, want, feed.wanted_gain_db),), text)

    def _flip(self, path: Path, on: bool) -> None:
        device_id = self.devices.currentData()
        names = self.crosspoints.points.names()
        text = f"{self.devices.currentText()}, {names[path.source]} to {names[path.target]} {'on' if on else 'off'}"
        self.document.apply((SetValue(SettingRef(device_id, path.key, "on"), on),), text)


def _card(widget: QWidget) -> QWidget:
    card = QWidget()
    card.setObjectName("card")
    inside = QVBoxLayout(card)
    inside.setContentsMargins(8, 8, 8, 8)
    inside.addWidget(widget)
    return card


def _concerns(finding: Finding, feed: Feed) -> bool:
    return feed.key in finding.pairs or not finding.pairs


def _stage_findings(findings: tuple[Finding, ...]) -> tuple[Finding, ...]:
    return tuple(row for row in findings if row.stage == "Feeds")


def _verdict_words(feed: Feed) -> str:
    if feed.verdict == "back":
        return f"does, {show_number(feed.delay_ms or 0.0, 'ms')} late"
    if feed.verdict == "twice":
        return "arrives twice"
    if feed.verdict == "silent":
        return "does not"
    if feed.verdict == "missing":
        return "does not"
    if feed.verdict in ("heard", "free"):
        return "does"
    return VERDICT_WORDS[feed.verdict]
