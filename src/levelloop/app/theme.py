"""The theme "Bench": colours by role, the shipped font, the style of every widget."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PySide6.QtGui import QColor, QFont, QFontDatabase


@dataclass(frozen=True)
class Theme:
    """Colours by what they are for."""

    paper: str = "#F4F1EB"
    panel: str = "#FBFAF7"
    line: str = "#D9D3C7"
    ink: str = "#22262B"
    quiet: str = "#5F656D"
    sky: str = "#E9E6DF"
    ground: str = "#D2CEC5"
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
MARKS = {"stop": "■", "warn": "▲", "note": "●"}
FAMILY = "Instrument Sans"


def load_fonts() -> None:
    """Makes the shipped font known to Qt."""
    for entry in files("levelloop.app").joinpath("fonts").iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def text_font(size: float = 9.5, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The text font with tabular figures. size: points."""
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


def style_sheet(theme: Theme) -> str:
    """The style of all widgets."""
    return f"""
    QWidget {{ color: {theme.ink}; }}
    QMainWindow, #window {{ background: {theme.paper}; }}
    QMenuBar {{ background: {theme.paper}; padding: 2px 6px; }}
    QMenuBar::item {{ padding: 5px 10px; border-radius: 4px; background: transparent; }}
    QMenuBar::item:selected {{ background: {theme.line}; }}
    QMenu {{ background: {theme.panel}; border: 1px solid {theme.line}; padding: 6px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {theme.selection}; color: white; }}
    QMenu::item:disabled {{ color: #9a9a94; }}
    QMenu::separator {{ height: 1px; background: {theme.line}; margin: 5px 8px; }}
    QToolTip {{ background: {theme.ink}; color: {theme.paper}; border: none; padding: 4px 6px; }}
    QPushButton {{ background: {theme.panel}; border: 1px solid {theme.line}; border-radius: 5px;
        padding: 4px 12px; }}
    QPushButton:hover {{ border-color: {theme.quiet}; }}
    QPushButton:pressed {{ background: {theme.line}; }}
    QPushButton:disabled {{ color: #9a9a94; }}
    QPushButton#primary {{ background: {theme.ink}; color: {theme.panel}; border-color: {theme.ink}; }}
    QPushButton#link {{ border: none; background: transparent; color: {theme.selection}; padding: 2px 4px;
        text-align: left; }}
    QPushButton#link:hover {{ text-decoration: underline; }}
    QLineEdit {{ background: white; border: 1px solid {theme.line}; border-radius: 4px; padding: 3px 6px;
        selection-background-color: {theme.selection}; selection-color: white; }}
    QLineEdit:focus {{ border: 1px solid {theme.selection}; }}
    QLineEdit#wrong {{ border: 1px solid {theme.stop}; }}
    QListWidget, QTreeWidget {{ background: transparent; border: none; outline: none; }}
    QListWidget::item, QTreeWidget::item {{ padding: 4px 4px; border-radius: 4px; }}
    QListWidget::item:hover, QTreeWidget::item:hover {{ background: #EFEBE2; }}
    QListWidget::item:selected, QTreeWidget::item:selected {{ background: #E0E6F7; color: {theme.ink}; }}
    QScrollBar:vertical {{ width: 9px; background: transparent; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {theme.line}; border-radius: 4px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ height: 0; }}
    #sentence {{ background: {theme.panel}; border-top: 1px solid {theme.line};
        border-bottom: 1px solid {theme.line}; }}
    #side {{ background: {theme.panel}; border-left: 1px solid {theme.line}; }}
    #rack {{ background: {theme.panel}; border-right: 1px solid {theme.line}; }}
    #heading {{ color: {theme.quiet}; }}
    #quiet {{ color: {theme.quiet}; }}
    #foot {{ background: {theme.paper}; border-top: 1px solid {theme.line}; }}
    QToolButton {{ border: none; border-radius: 5px; padding: 3px 4px; background: transparent; }}
    QToolButton:hover {{ background: #EFEBE2; }}
    QToolButton:pressed {{ background: {theme.line}; }}
    QToolButton:checked {{ background: #E0E6F7; }}
    QToolButton:disabled {{ color: #A5A39C; }}
    """
