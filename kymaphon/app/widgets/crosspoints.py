"""The switches of one device as a grid: what comes in down, where it goes across; a cell switches it."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from kymaphon.app.widgets.tips import plain_tip
from kymaphon.core.model.catalogue import Kind, Path
from kymaphon.core.model.show import Device, Setting

Index = QModelIndex | QPersistentModelIndex


class CrosspointModel(QAbstractTableModel):
    """Switchable paths of a device."""

    def __init__(self) -> None:
        super().__init__()
        self.device: Device | None = None
        self.kind: Kind | None = None
        self.sources: tuple[str, ...] = ()
        self.targets: tuple[str, ...] = ()

    def set_device(self, device: Device | None, kind: Kind | None) -> None:
        """Another device, or the same with other settings."""
        paths = [path for path in kind.paths if path.switch] if kind else []
        sources, targets = (tuple(dict.fromkeys(getattr(path, end) for path in paths)) for end in ("source", "target"))
        same = (sources, targets) == (self.sources, self.targets) and device is not None and self.device is not None
        if same:
            self.device, self.kind = device, kind
            self.dataChanged.emit(self.index(0, 0), self.index(len(sources) - 1, len(targets) - 1))
            return
        self.beginResetModel()
        self.device, self.kind, self.sources, self.targets = device, kind, sources, targets
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.sources)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.targets)

    def path(self, index: Index) -> Path | None:
        """The path of a cell; None where the device has none or no switch in it."""
        if self.kind is None or not index.isValid():
            return None
        path = self.kind.path(f"{self.sources[index.row()]}>{self.targets[index.column()]}")
        return path if path and path.switch else None

    def is_on(self, path: Path) -> bool:
        """Whether the crosspoint is closed."""
        setting = self.device.settings.get(path.key, Setting()) if self.device else Setting()
        return path.on if setting.on is None else setting.on

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        path = self.path(index)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignCenter)
        if path is None or self.kind is None:
            return "\u00b7" if role == Qt.ItemDataRole.DisplayRole else None
        on = self.is_on(path)
        if role == Qt.ItemDataRole.DisplayRole:
            setting = self.device.settings.get(path.key, Setting()) if self.device else Setting()
            tap = setting.tap or (path.tap[0] if path.tap else "")
            gain = setting.gain_db if setting.gain_db is not None else path.default_gain_db
            words = [
                f"{gain:+.0f} dB".replace("-", "\u2212") if gain else "",
                tap if "send" in path.target else "",
            ]
            return "  ".join(["\u25cf on" if on else "\u25cb off", *(word for word in words if word and on)])
        if role in (
            Qt.ItemDataRole.ToolTipRole,
            Qt.ItemDataRole.StatusTipRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            names = self.names()
            told = f"{names[path.source]} to {names[path.target]} is {'on' if on else 'off'}. Space switches it; it can be undone."
            return plain_tip(told) if role == Qt.ItemDataRole.ToolTipRole else told
        return None

    def names(self) -> dict[str, str]:
        """Port and bus names by id."""
        if self.kind is None:
            return {}
        return {row.id: row.name for rows in (self.kind.inputs, self.kind.outputs, self.kind.buses) for row in rows}

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        rows = self.targets if orientation == Qt.Orientation.Horizontal else self.sources
        name = self.names().get(rows[section], rows[section])
        return name[:1].upper() + name[1:]


class CrosspointGrid(QTableView):
    """The grid. Space, Enter or a double click switches a cell."""

    flipped = Signal(object, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabKeyNavigation(False)  # Tab goes on; the arrows go about in it
        self.points = CrosspointModel()
        self.setModel(self.points)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAccessibleName("Crosspoints: what comes in down, where it goes across")
        self.setMouseTracking(True)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.horizontalHeader().setMinimumSectionSize(100)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setDefaultSectionSize(34)
        self.doubleClicked.connect(self._flip)
        self.setStatusTip(
            "Space or a double click switches a crosspoint. Who hears whom follows at once; it can be undone."
        )

    def _flip(self, index: Index) -> None:
        path = self.points.path(index)
        if path is not None:
            self.flipped.emit(path, not self.points.is_on(path))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._flip(self.currentIndex())
            return
        super().keyPressEvent(event)
