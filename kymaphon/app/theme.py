"""One palette and one style sheet, built from the colour roles; the shipped typeface; both themes."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication, QWidget

FAMILY = "Atkinson Hyperlegible Next"
BASE_POINTS = 10.0
SPACE = 4


@dataclass(frozen=True, slots=True)
class Theme:
    """Colours by role."""

    name: str
    ground: str
    panel: str
    raised: str
    line: str
    text: str
    muted: str
    lantern: str
    on_lantern: str
    voice: str
    room: str
    microphone: str
    preamp: str
    converter: str
    others: str
    stop: str
    fix: str
    note: str
    parties: tuple[str, ...]

    def color(self, role: str) -> QColor:
        """The colour of a role."""
        return QColor(getattr(self, role))

    def party(self, index: int) -> QColor:
        """A party's own hue; the hues come round again after the last."""
        return QColor(self.parties[index % len(self.parties)])


DARK = Theme(
    "dark",
    "#0D1A21",
    "#13252E",
    "#1B333E",
    "#2F4D5A",
    "#EAF1F2",
    "#A3B8C0",
    "#F2C14E",
    "#142B33",
    "#8FE0C8",
    "#8E86D6",
    "#6F93D8",
    "#C48BC9",
    "#7A8F99",
    "#B0996B",
    "#FF7A66",
    "#FFB25C",
    "#9CC7E8",
    ("#8FE0C8", "#F3A6B8", "#7DB4F0", "#CBD86A", "#E3AE78", "#BBA2F0", "#D5DADC", "#5FD0E0"),
)
LIGHT = Theme(
    "light",
    "#F6F2E9",
    "#FFFDF7",
    "#ECE5D6",
    "#C9BFAB",
    "#142B33",
    "#50656D",
    "#8A5A00",
    "#FFFDF7",
    "#0F7A66",
    "#5B50B5",
    "#2C5CA8",
    "#8A3F91",
    "#596A72",
    "#7A5F2A",
    "#B42318",
    "#A15200",
    "#1F5F8B",
    ("#0F7A66", "#B0355A", "#2567B0", "#66720F", "#9A5518", "#6D49B8", "#4A5A62", "#0B7285"),
)
THEMES = {theme.name: theme for theme in (DARK, LIGHT)}


def living(theme: Theme) -> Theme:
    """A theme of one window's own, to be handed to everything that paints: `become` changes its colours where they are."""
    return replace(theme)


def become(living: Theme, theme: Theme) -> None:
    """Gives a window's own theme the colours of another."""
    for row in fields(Theme):
        object.__setattr__(living, row.name, getattr(theme, row.name))


def load_fonts() -> None:
    """Makes the shipped typeface known to Qt."""
    folder = Path(__file__).parent.parent / "fonts"
    for entry in folder.iterdir():
        if entry.name.endswith(".ttf") and "Mono" not in entry.name:
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def font(points: float = BASE_POINTS, weight: QFont.Weight = QFont.Weight.Normal, scale: float = 1.0) -> QFont:
    """The typeface with tabular figures."""
    row = QFont(FAMILY)
    row.setPointSizeF(points * scale)
    row.setWeight(weight)
    row.setFeature(QFont.Tag("tnum"), 1)
    return row


def apply_theme(app: QApplication, window: QWidget, theme: Theme, scale: float = 1.0) -> None:
    """Sets palette and font for the application, and the style sheet for a window and its dialogs."""
    wanted = font(scale=scale)
    if app.font() != wanted:
        app.setFont(wanted)  # every widget is polished anew: only where it has to be
    palette = QPalette()
    pairs = {
        QPalette.ColorRole.Window: theme.ground,
        QPalette.ColorRole.WindowText: theme.text,
        QPalette.ColorRole.Base: theme.panel,
        QPalette.ColorRole.AlternateBase: theme.raised,
        QPalette.ColorRole.Text: theme.text,
        QPalette.ColorRole.Button: theme.raised,
        QPalette.ColorRole.ButtonText: theme.text,
        QPalette.ColorRole.Highlight: theme.lantern,
        QPalette.ColorRole.HighlightedText: theme.on_lantern,
        QPalette.ColorRole.ToolTipBase: theme.raised,
        QPalette.ColorRole.ToolTipText: theme.text,
        QPalette.ColorRole.PlaceholderText: theme.muted,
        QPalette.ColorRole.Link: theme.lantern,
    }
    for role, value in pairs.items():
        palette.setColor(role, QColor(value))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.WindowText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(theme.muted))
    app.setPalette(palette)
    window.setStyleSheet(style_sheet(theme, scale))


def style_sheet(theme: Theme, scale: float = 1.0) -> str:
    """The style sheet of a theme."""
    t = theme

    def points(value: float) -> str:
        return f"{value * scale:.1f}pt"

    return f"""
    QMainWindow, QDialog {{ background: {t.ground}; }}
    QWidget {{ color: {t.text}; }}
    QToolTip {{ background: {t.raised}; color: {t.text}; border: 1px solid {t.line}; padding: 4px; }}
    QMenuBar, QMenu, QToolTip {{ font-family: "{FAMILY}"; font-size: {points(BASE_POINTS)}; }}
    QMenuBar {{ background: {t.panel}; padding: 0 8px; }}
    QMenuBar::item {{ padding: 4px 8px; background: transparent; border-radius: 4px; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.raised}; color: {t.text}; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 16px; border-radius: 4px; }}
    QMenu::item:disabled {{ color: {t.muted}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    #showbar, #why, #rail {{ background: {t.panel}; }}
    #why {{ border: none; }}
    #whyBody {{ background: {t.panel}; }}
    #status {{ background: {t.raised}; color: {t.muted}; padding: 6px 20px; }}
    #card {{ background: {t.panel}; border-radius: 6px; }}
    QLabel[role="title"] {{ font-size: {points(14)}; font-weight: 600; }}
    QLabel[role="heading"] {{ font-size: {points(11)}; font-weight: 600; }}
    QLabel[role="muted"] {{ color: {t.muted}; }}
    QLabel[role="figure"] {{ font-weight: 600; }}
    #rule {{ background: {t.line}; }}
    QLabel[role="clock"] {{ font-size: {points(14)}; font-weight: 600; }}
    QLabel[role="big"] {{ font-size: {points(40)}; font-weight: 700; }}
    QLabel[role="late"] {{ font-size: {points(40)}; font-weight: 700; color: {t.fix}; }}
    QLabel[role="next"] {{ font-size: {points(15)}; font-weight: 600; }}
    QLabel[role="bad"] {{ color: {t.stop}; font-weight: 600; }}
    QLabel[role="badge"] {{ background: {t.lantern}; color: {t.on_lantern}; border-radius: 4px; padding: 2px 8px; font-weight: 600; }}
    QPushButton {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px; padding: 6px 12px; font-weight: 500; }}
    QPushButton:hover {{ border-color: {t.muted}; }}
    QPushButton:focus {{ border: 2px solid {t.lantern}; padding: 5px 11px; }}
    QPushButton:checked {{ border: 2px solid {t.lantern}; padding: 5px 11px; }}
    QPushButton:disabled {{ color: {t.muted}; }}
    QPushButton[role="primary"] {{ background: {t.lantern}; color: {t.on_lantern}; border-color: {t.lantern}; font-weight: 600; }}
    QPushButton[role="primary"]:focus {{ border: 2px solid {t.text}; }}
    QPushButton[role="chip"] {{ border-radius: 14px; min-height: 18px; padding: 4px 12px; background: {t.panel}; }}
    QPushButton[role="chip"]:checked, QPushButton[role="chip"]:focus {{ border: 2px solid {t.lantern}; padding: 3px 11px; }}
    QPushButton[role="answer"] {{ border-radius: 14px; min-height: 18px; padding: 4px 12px; text-align: left; }}
    QPushButton[role="answer"]:focus {{ border: 2px solid {t.lantern}; padding: 3px 11px; }}
    QPushButton[role="start"] {{ text-align: left; background: {t.panel}; padding: 8px 12px; }}
    QPushButton[role="start"]:focus {{ border: 2px solid {t.lantern}; padding: 7px 11px; }}
    QLabel[role="number"] {{ font-size: {points(14)}; font-weight: 700; color: {t.lantern}; padding-right: 4px; }}
    QPushButton[role="flat"] {{ background: transparent; border: 1px solid transparent; color: {t.muted}; padding: 4px 8px; text-align: right; }}
    QPushButton[role="flat"]:hover {{ color: {t.text}; }}
    QPushButton[role="flat"]:focus {{ border: 2px solid {t.lantern}; padding: 3px 7px; }}
    QPushButton[role="name"] {{ background: transparent; border: 1px solid transparent; color: {t.text}; padding: 2px 6px;
        font-size: {points(14)}; font-weight: 600; text-align: left; }}
    QPushButton[role="name"]:hover {{ border: 1px solid {t.line}; }}
    QPushButton[role="name"]:focus {{ border: 2px solid {t.lantern}; padding: 1px 5px; }}
    QPushButton[role="switch"] {{ text-align: left; font-weight: 400; }}
    QTableView, QListView, QTreeView {{ background: {t.panel}; border: none; gridline-color: {t.line};
        selection-background-color: {t.raised}; selection-color: {t.text}; outline: none; }}
    QListView:focus, QTableWidget:focus {{ border: 1px solid {t.lantern}; border-radius: 4px; }}
    QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 3px; padding: 0; }}
    QToolButton:focus {{ border: 1px solid {t.lantern}; }}
    QHeaderView {{ background: {t.panel}; border: none; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.muted}; border: none; padding: 4px 3px; }}
    QHeaderView::section:vertical {{ color: {t.text}; font-weight: 600; padding-left: 8px; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QTableCornerButton::section {{ background: {t.panel}; border: none; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 5px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 5px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QComboBox, QLineEdit {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px; padding: 5px 10px;
        selection-background-color: {t.lantern}; selection-color: {t.on_lantern}; }}
    QComboBox:focus, QLineEdit:focus {{ border: 2px solid {t.lantern}; padding: 4px 9px; }}
    QComboBox QAbstractItemView {{ background: {t.panel}; selection-background-color: {t.raised}; selection-color: {t.text};
        border: 1px solid {t.line}; }}
    QPlainTextEdit {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px; }}
    QPlainTextEdit:focus {{ border: 2px solid {t.lantern}; }}
    QCheckBox::indicator {{ width: 16px; height: 16px; border: 1px solid {t.muted}; border-radius: 4px; background: {t.raised}; }}
    QCheckBox::indicator:checked {{ background: {t.lantern}; border-color: {t.lantern}; }}
    QCheckBox:focus::indicator {{ border: 2px solid {t.text}; }}
    QListWidget::item {{ padding: 4px; }}
    #sheet {{ background: {t.panel}; border: 1px solid {t.muted}; border-radius: 8px; }}
    #sheet QLineEdit, #sheet QComboBox, #sheet QPlainTextEdit {{ background: {t.ground}; }}
    #sheetBody {{ background: {t.panel}; }}
    QLabel[role="unit"] {{ color: {t.muted}; background: transparent; }}
    QLabel[role="effect"] {{ background: {t.raised}; border-radius: 6px; padding: 8px 12px; }}
    QPushButton[role="more"] {{ background: transparent; border: 1px solid transparent; color: {t.muted}; text-align: left; padding: 4px 2px; }}
    QPushButton[role="more"]:focus {{ border: 2px solid {t.lantern}; padding: 3px 1px; }}
    QProgressBar {{ background: {t.raised}; border: none; border-radius: 4px; text-align: center; }}
    QProgressBar::chunk {{ background: {t.lantern}; border-radius: 4px; }}
    QSplitter::handle {{ background: transparent; }}
    """


def luminance(color: QColor) -> float:
    """Relative luminance (WCAG 2.2)."""

    def linear(part: float) -> float:
        return part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4

    return 0.2126 * linear(color.redF()) + 0.7152 * linear(color.greenF()) + 0.0722 * linear(color.blueF())


def contrast(first: QColor, second: QColor) -> float:
    """Contrast ratio of two colours, 1 to 21 (WCAG 2.2)."""
    high, low = sorted((luminance(first), luminance(second)), reverse=True)
    return (high + 0.05) / (low + 0.05)
