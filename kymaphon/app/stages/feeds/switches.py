"""Feeds, switches: the crosspoints of one device as a grid."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from kymaphon.app.document import Document
from kymaphon.app.stages.page import StagePage
from kymaphon.app.theme import Theme
from kymaphon.app.widgets.choice import ChoiceBox
from kymaphon.app.widgets.crosspoints import CrosspointGrid
from kymaphon.app.widgets.why import WhyContent, findings_about, label
from kymaphon.core.model.catalogue import Path
from kymaphon.core.model.edits import SetValue
from kymaphon.core.model.ids import SettingRef


class SwitchesPage(StagePage):
    """A list of devices, and the grid of the chosen one."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document, theme)
        self.devices = ChoiceBox()
        self.devices.setAccessibleName("Device whose crosspoints are shown")
        self.devices.setToolTip("Which device.")
        self.devices.setStatusTip("Devices that have switches on the way.")
        self.devices.activated.connect(lambda _index: self._fill())
        row = QHBoxLayout()
        row.addWidget(label("What comes in down, where it goes across.", "muted"), 1)
        row.addWidget(self.devices)
        self.column.addLayout(row)
        self.crosspoints = CrosspointGrid()
        self.crosspoints.flipped.connect(self._flip)
        inside = self.card(1)
        inside.addWidget(self.crosspoints)

    def set_scale(self, scale: float) -> None:
        self.crosspoints.setMinimumHeight(round(220 * scale))

    def first(self) -> QWidget | None:
        return self.crosspoints

    def refresh(self, voice: str, end: str) -> None:
        analysis = self.document.analysis
        rows = [
            (analysis.device_name(device.id), device.id)
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
        self._fill()

    def _fill(self) -> None:
        analysis = self.document.analysis
        device_id = self.devices.currentData()
        device = next((row for row in analysis.show.devices if row.id == device_id), None)
        self.crosspoints.points.set_device(device, analysis.catalogue[device.kind] if device else None)
        self.title.emit("Switches", f"of {self.devices.currentText()}" if device else "No device here has any.")
        self.why_changed.emit()

    def why(self) -> WhyContent:
        analysis = self.document.analysis
        device_id = self.devices.currentData()
        if device_id is None:
            return WhyContent("Switches", "No device here has any.")
        rows = findings_about(analysis.findings, device_id)
        about = tuple(row for row in rows if row.stage == "Feeds")
        circling = tuple(
            row for row in analysis.findings if row.stage == "Feeds" and row not in about and row.severity == "stop"
        )
        return WhyContent(
            self.devices.currentText(), "its switches, one by one", bool(about), findings=(*about, *circling)
        )

    def _flip(self, path: Path, on: bool) -> None:
        device_id = self.devices.currentData()
        names = self.crosspoints.points.names()
        text = f"{self.devices.currentText()}, {names[path.source]} to {names[path.target]} {'on' if on else 'off'}"
        self.document.apply((SetValue(SettingRef(device_id, path.key, "on"), on),), text)
