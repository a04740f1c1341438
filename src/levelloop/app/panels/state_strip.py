"""The state strip: permanent, clickable signs of everything that changes what the next click means."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QLabel, QMenu, QSizePolicy, QWidget

from levelloop.app.theme import BENCH, Theme, scaled, text_font
from levelloop.document.session import Session

HEIGHT = 30
KINDS = ("points", "edges", "faces", "parts")


@dataclass(frozen=True)
class Pick:
    """One line of a sign's list. is_on: whether it is what holds now; None where it is a thing to do."""

    title: str
    run: Callable[[], object]
    is_on: bool | None = None


@dataclass(frozen=True)
class Sign:
    """One sign of the strip: its words, whether it is lit, and the list that a click opens upwards.

    words: empty where there is nothing to say; then it is not shown.
    """

    name: str
    hint: str
    words: Callable[[], str]
    is_lit: Callable[[], bool]
    picks: Callable[[], Sequence[Pick | None]]


class SignWord(QAbstractButton):
    """A word of the strip, in ink and underlined while it is lit. glyph: of a kind of element, empty for none."""

    def __init__(self, text: str, hint: str, parent: QWidget, glyph: str = "") -> None:
        super().__init__(parent)
        self.setText(text)
        self.setAccessibleName(hint or text)
        self.setToolTip(hint)
        self.setFont(text_font(9))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.glyph, self.is_lit, self.theme = glyph, False, BENCH

    def sizeHint(self) -> QSize:
        return QSize(
            self.fontMetrics().horizontalAdvance(self.text()) + 14 + (14 if self.glyph else 0), scaled(HEIGHT) - 6
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, painter = self.theme, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.under))
            painter.drawRoundedRect(self.rect(), 4, 4)
        tone = QColor(theme.ink if self.is_lit else theme.quiet)
        x = 7
        if self.glyph:
            _draw_glyph(painter, self.glyph, QRectF(x, self.height() / 2 - 4.5, 9, 9), tone)
            x += 14
        painter.setPen(tone)
        painter.drawText(self.rect().adjusted(x, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, self.text())
        if self.is_lit:
            painter.fillRect(7, self.height() - 2, self.width() - 14, 2, QColor(theme.selection))
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.selection), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 4, 4)
        painter.end()


class StateStrip(QWidget):
    """The strip. kind_chosen: one of points, edges, faces, parts. kind: which is selected for."""

    kind_chosen = Signal(str)

    def __init__(self, kind: Callable[[], str], signs: Sequence[Sign], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._kind, self.theme = kind, BENCH
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(scaled(HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(1)
        self.kinds: dict[str, SignWord] = {}
        for name in KINDS:
            word = SignWord(name, f"Select {name} ({_KEYS[name]}); again converts the selection", self, name)
            word.clicked.connect(lambda _=False, name=name: self.kind_chosen.emit(name))
            self.kinds[name] = word
            row.addWidget(word)
        row.addSpacing(8)
        self.readout = QLabel(self)
        self.readout.setFont(text_font(9.5))
        self.readout.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.readout.setTextInteractionFlags(Qt.TextInteractionFlag.LinksAccessibleByMouse)
        row.addWidget(self.readout, 1)
        self.signs: dict[str, SignWord] = {}
        self._table = {sign.name: sign for sign in signs}
        for sign in signs:
            word = SignWord("", sign.hint, self)
            word.clicked.connect(lambda _=False, sign=sign: self.open(sign.name))
            self.signs[sign.name] = word
            row.addWidget(word)

    def follow(self, session: Session) -> None:
        """Shows another session from now on: what the signs tell is asked for anew."""
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draws the signs in another theme's colours."""
        self.theme = theme
        for word in (*self.kinds.values(), *self.signs.values()):
            word.theme = theme
            word.update()

    def refresh(self) -> None:
        """Brings the signs up to date."""
        kind = self._kind()
        for name, word in self.kinds.items():
            word.is_lit = name == kind
            word.update()
        for name, word in self.signs.items():
            sign = self._table[name]
            words = sign.words()
            if words != word.text():
                word.setText(words)
                word.updateGeometry()
            word.setVisible(bool(words))
            word.is_lit = sign.is_lit()
            word.update()

    def open(self, name: str) -> QMenu:
        """Opens a sign's list upwards; returns it."""
        word = self.signs[name]
        menu = QMenu(self)
        for pick in self._table[name].picks():
            if pick is None:
                menu.addSeparator()
                continue
            action = menu.addAction(pick.title)
            action.setCheckable(pick.is_on is not None)
            action.setChecked(bool(pick.is_on))
            action.triggered.connect(lambda _=False, pick=pick: self._take(pick))
        menu.popup(word.mapToGlobal(QPoint(0, -menu.sizeHint().height() - 2)))
        menu.aboutToHide.connect(menu.deleteLater)
        return menu

    def _take(self, pick: Pick) -> None:
        pick.run()
        self.refresh()


_KEYS = {"points": "P", "edges": "E", "faces": "F", "parts": "A"}


def _draw_glyph(painter: QPainter, kind: str, box: QRectF, tone: QColor) -> None:
    """A dot, a stroke, a filled square, a ring with a dot: points, edges, faces, parts."""
    painter.setPen(QPen(tone, 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if kind == "points":
        painter.setBrush(tone)
        painter.drawEllipse(box.center(), 2.2, 2.2)
    elif kind == "edges":
        painter.drawLine(box.bottomLeft(), box.topRight())
    elif kind == "faces":
        painter.setBrush(tone)
        painter.drawPolygon([box.center() + offset for offset in _LOZENGE])
    else:
        painter.drawEllipse(box.center(), 4.0, 4.0)
        painter.drawEllipse(box.center(), 1.0, 1.0)


_LOZENGE = (QPointF(0, -4), QPointF(5, 0), QPointF(0, 4), QPointF(-5, 0))
