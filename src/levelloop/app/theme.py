"""The themes "Bench" and "Dusk": colours by role, the shipped font, the style of every widget."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from levelloop.core.values import dataclass


@dataclass(frozen=True)
class Theme:
    """Colours by what they are for."""

    name: str = "Bench"
    field: str = "#FFFFFF"
    under: str = "#EFEBE2"  # a row under the pointer
    chosen: str = "#E0E6F7"  # a row or tool that is chosen
    faint: str = "#9A9A94"  # what cannot be used now
    link: str = "#2457E6"
    wire: str = "#22262B"
    paper: str = "#F4F1EB"
    panel: str = "#FBFAF7"
    line: str = "#D9D3C7"
    ink: str = "#22262B"
    quiet: str = "#5F656D"
    sky: str = "#E9E6DF"
    ground: str = "#D2CEC5"
    shadow: str = "#2A2620"
    inside: str = "#A98F97"
    selection: str = "#2457E6"
    hover: str = "#0C9A9A"
    seam: str = "#7A3DB0"
    stop: str = "#B3122E"
    warn: str = "#8F5A00"
    note: str = "#4A6076"
    axis_x: str = "#B8352B"
    axis_y: str = "#3B7F2D"
    axis_z: str = "#2A5CC0"

    def severity(self, name: str) -> str:
        """The colour of a severity."""
        return {"stop": self.stop, "warn": self.warn, "note": self.note}[name]


BENCH = Theme()
DUSK = Theme(
    name="Dusk",
    field="#1B1E22",
    under="#363A41",
    chosen="#33426B",
    faint="#7C7F84",
    link="#8FA9FF",
    wire="#101214",
    paper="#22252A",
    panel="#2B2F35",
    line="#454A52",
    ink="#ECE8DF",
    quiet="#AEB3BA",
    sky="#4B4E53",
    ground="#34373B",
    shadow="#0B0C0E",
    inside="#8C727B",
    selection="#83A0FF",
    hover="#3CC3C3",
    seam="#C08CF0",
    stop="#FF7A8C",
    warn="#E3A94C",
    note="#9DB4CC",
    axis_x="#F0867C",
    axis_y="#8CCB7E",
    axis_z="#86A9F5",
)
THEMES = {theme.name: theme for theme in (BENCH, DUSK)}
MARKS = {"stop": "■", "warn": "▲", "note": "●"}
FAMILY = "Instrument Sans"
_text_scale = 1.0  # of all words; set before a window is built


def load_fonts() -> None:
    """Makes the shipped font known to Qt."""
    for entry in files("levelloop.app").joinpath("fonts").iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def set_text_scale(scale: float) -> None:
    """Lets all words that are set from now on be so many times as large as designed."""
    global _text_scale
    _text_scale = scale


def scaled(pixels: float) -> int:
    """A height that words stand in, at the size that they have."""
    return round(pixels * max(_text_scale, 1.0))


def text_font(size: float = 9.5, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The text font with tabular figures, the caller's own to change. size: points."""
    return QFont(_font(size * _text_scale, weight))


@cache
def _font(size: float, weight: QFont.Weight) -> QFont:
    # Looking a font up anew is slow, and every word of every panel asks for one.
    font = QFont(FAMILY)
    font.setPointSizeF(size)
    font.setWeight(weight)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


def colour(name: str, alpha: float = 1.0) -> QColor:
    """A colour with an opacity."""
    result = QColor(name)
    result.setAlphaF(alpha)
    return result


def rgba(name: str, alpha: float = 1.0) -> tuple[float, float, float, float]:
    """A colour with an opacity, as the renderer takes it: 0 … 1."""
    shown = QColor(name)
    return (shown.redF(), shown.greenF(), shown.blueF(), alpha)


def style_sheet(theme: Theme) -> str:
    """The style of all widgets."""
    return f"""
    QWidget {{ color: {theme.ink}; }}
    QMainWindow, #window {{ background: {theme.paper}; }}
    QMenuBar {{ background: {theme.paper}; padding: 2px 6px; }}
    QMenuBar::item {{ padding: 5px 8px; border-radius: 4px; background: transparent; }}
    QMenuBar::item:selected {{ background: {theme.line}; }}
    QMenu {{ background: {theme.panel}; border: 1px solid {theme.line}; padding: 6px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {theme.selection}; color: white; }}
    QMenu::item:disabled {{ color: {theme.faint}; }}
    QMenu::separator {{ height: 1px; background: {theme.line}; margin: 5px 8px; }}
    QToolTip {{ background: {theme.ink}; color: {theme.paper}; border: none; padding: 4px 6px; }}
    QPushButton {{ background: {theme.panel}; border: 1px solid {theme.line}; border-radius: 5px;
        padding: 4px 12px; }}
    QPushButton:hover {{ border-color: {theme.quiet}; }}
    QPushButton:pressed {{ background: {theme.line}; }}
    QPushButton:disabled {{ color: {theme.faint}; }}
    QPushButton[lit="true"] {{ background: {theme.selection}; color: #FFFFFF; border-color: {theme.selection}; }}
    QPushButton#primary {{ background: {theme.ink}; color: {theme.panel}; border-color: {theme.ink}; }}
    QPushButton#link {{ border: none; background: transparent; color: {theme.link}; padding: 2px 4px;
        text-align: left; }}
    QPushButton#link:hover {{ text-decoration: underline; }}
    QLineEdit {{ background: {theme.field}; border: 1px solid {theme.line}; border-radius: 4px; padding: 3px 6px;
        selection-background-color: {theme.selection}; selection-color: white; }}
    QLineEdit:focus {{ border: 2px solid {theme.selection}; padding: 2px 5px; }}
    QLineEdit#name {{ background: transparent; border: none; padding: 1px; }}
    QLineEdit#wrong {{ border: 1px solid {theme.stop}; }}
    QListWidget, QTreeWidget {{ background: transparent; border: none; outline: none; }}
    QListWidget::item, QTreeWidget::item {{ padding: 4px 4px; border-radius: 4px; }}
    QListWidget::item:hover, QTreeWidget::item:hover {{ background: {theme.under}; }}
    QListWidget::item:selected, QTreeWidget::item:selected {{ background: {theme.chosen}; color: {theme.ink}; }}
    QScrollBar:vertical {{ width: 9px; background: transparent; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {theme.line}; border-radius: 4px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ height: 0; }}
    #sentence {{ background: {theme.panel}; border-top: 2px solid {theme.panel};
        border-bottom: 1px solid {theme.line}; }}
    #sentence[face="open"] {{ border-top: 2px solid {theme.selection}; }}
    #sentence[face="kept"] QLabel {{ color: {theme.quiet}; }}
    #sentence[face="kept"] QLineEdit {{ background: transparent; border: 1px solid transparent;
        border-bottom: 1px dotted {theme.quiet}; border-radius: 0; color: {theme.quiet}; }}
    #sentence[face="kept"] QLineEdit:hover {{ color: {theme.ink}; border-bottom: 1px solid {theme.hover}; }}
    QPushButton[quiet="true"] {{ border: none; background: transparent; padding: 2px 6px; }}
    QPushButton[quiet="true"]:hover {{ background: {theme.under}; }}
    QPushButton[quiet="true"]:checked {{ border-bottom: 2px solid {theme.selection}; border-radius: 0; }}
    QPushButton:focus {{ border: 2px solid {theme.selection}; padding: 3px 11px; }}
    QListWidget:focus {{ border: 2px solid {theme.selection}; border-radius: 4px; }}
    #side {{ background: {theme.panel}; border-left: 1px solid {theme.line}; }}
    #tools {{ background: {theme.paper}; border-top: 1px solid {theme.line}; }}
    #strip {{ background: {theme.paper}; border-top: 1px solid {theme.line}; }}
    #popover {{ background: {theme.panel}; border: 1px solid {theme.line}; }}
    QSplitter#middle::handle, QSplitter#side::handle {{ background: {theme.line}; }}
    #heading {{ color: {theme.ink}; }}
    #findings, #detail {{ background: {theme.panel}; }}
    #finding {{ background: transparent; border-radius: 4px; }}
    #finding:hover {{ background: {theme.under}; }}
    #finding[chosen="true"] {{ background: {theme.chosen}; }}
    #answers {{ background: {theme.panel}; border: 1px solid {theme.line}; padding: 4px; }}
    QDialog {{ background: {theme.paper}; }}
    QTableWidget {{ background: {theme.panel}; border: 1px solid {theme.line}; gridline-color: {theme.under};
        selection-background-color: {theme.chosen}; selection-color: {theme.ink}; }}
    QHeaderView::section {{ background: {theme.paper}; color: {theme.quiet}; border: none;
        border-bottom: 1px solid {theme.line}; padding: 4px 6px; }}
    QTabWidget::pane {{ border: none; border-top: 1px solid {theme.line}; background: {theme.paper}; }}
    QTabBar::tab {{ background: transparent; color: {theme.quiet}; padding: 6px 12px;
        border-bottom: 2px solid transparent; }}
    QTabBar::tab:selected {{ color: {theme.ink}; border-bottom: 2px solid {theme.selection}; }}
    QTabBar::tab:focus {{ border: 2px solid {theme.selection}; }}
    QComboBox {{ background: {theme.field}; border: 1px solid {theme.line}; border-radius: 4px; padding: 3px 8px; }}
    QComboBox:focus, QKeySequenceEdit:focus {{ border: 2px solid {theme.selection}; }}
    QComboBox QAbstractItemView {{ background: {theme.panel}; selection-background-color: {theme.chosen};
        selection-color: {theme.ink}; }}
    QTextBrowser {{ background: {theme.panel}; border: 1px solid {theme.line}; }}
    #card {{ background: {theme.panel}; border: 1px solid {theme.line}; border-radius: 8px; }}
    #lesson {{ background: {theme.chosen}; border-bottom: 1px solid {theme.line}; }}
    #quiet {{ color: {theme.quiet}; }}
    QToolButton {{ border: none; border-radius: 5px; padding: 3px 4px; background: transparent; }}
    QToolButton:hover {{ background: {theme.under}; }}
    QToolButton:pressed {{ background: {theme.line}; }}
    QToolButton:checked {{ background: {theme.chosen}; }}
    QToolButton:disabled {{ color: {theme.faint}; }}
    """


def quiet_button(words: str, hint: str, parent: QWidget) -> QPushButton:
    """A button of a card: words without a frame, its hint for pointers and readers."""
    button = QPushButton(words, parent)
    button.setProperty("quiet", True)
    button.setFont(text_font(9))
    button.setToolTip(hint)
    button.setAccessibleName(hint)
    return button


def plain_label(text: str, parent: QWidget | None) -> QLabel:
    """A label that shows its text as it is: what a document calls its parts is never read as markup."""
    label = QLabel(parent)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setText(text)
    return label
