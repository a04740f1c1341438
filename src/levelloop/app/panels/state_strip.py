"""The state strip: permanent, clickable signs of everything that changes what the next click means."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QLabel, QMenu, QSizePolicy, QWidget

from levelloop.app.theme import BENCH, MARKS, Theme, scaled, text_font
from levelloop.core.values import dataclass
from levelloop.document.session import Session

HEIGHT = 30
READOUT = 300  # pixels that are left to what is selected
_FOLDED_FIRST = ("progress", "messages", "lock", "hidden", "pivot", "axes", "unit", "reach", "snap", "soft", "symmetry")
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
        is_stop = self.text().startswith(MARKS["stop"])
        tone = QColor(theme.stop if is_stop else theme.ink if self.is_lit else theme.quiet)
        x = 7
        if self.glyph:
            _draw_glyph(painter, self.glyph, QRectF(x, self.height() / 2 - 4.5, 9, 9), tone)
            x += 14
        painter.setPen(tone)
        painter.drawText(self.rect().adjusted(x, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, self.text())
        if self.is_lit:
            painter.fillRect(7, self.height() - 2, self.width() - 14, 2, tone if is_stop else QColor(theme.selection))
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.selection), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 4, 4)
        painter.end()


class Readout(QLabel):
    """What is selected, in words and links; where there is room for a part of it only, it ends in an ellipsis."""

    theme = BENCH

    @property
    def is_cut(self) -> bool:
        """Whether it says more than there is room for."""
        return self.sizeHint().width() > self.width()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.is_cut:
            wide = self.fontMetrics().horizontalAdvance("…") + 3
            end = self.rect().adjusted(self.width() - wide, 2, 0, -2)
            painter = QPainter(self)
            painter.fillRect(end, QColor(self.theme.paper))
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(end, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "…")
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
        self.readout = Readout(self)
        self.readout.setFont(text_font(9.5))
        self.readout.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.readout.setTextInteractionFlags(Qt.TextInteractionFlag.LinksAccessibleByMouse)
        row.addWidget(self.readout, 1)
        self.rest = SignWord("…", "What else the next click depends on", self)
        self.rest.clicked.connect(self._open_rest)
        self._folded: list[str] = []
        self.signs: dict[str, SignWord] = {}
        self._table = {sign.name: sign for sign in signs}
        for sign in signs:
            word = SignWord("", sign.hint, self)
            word.clicked.connect(lambda _=False, sign=sign: self.open(sign.name))
            self.signs[sign.name] = word
            row.addWidget(word)
        row.addWidget(self.rest)

    def follow(self, session: Session) -> None:
        """Shows another session from now on: what the signs tell is asked for anew."""
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draws the signs in another theme's colours."""
        self.theme = self.readout.theme = theme
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
            word.is_lit = sign.is_lit()
            word.update()
        self._arrange()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange()

    def open(self, name: str) -> QMenu:
        """Opens a sign's list upwards; returns it."""
        word = self.signs[name] if self.signs[name].isVisible() else self.rest
        menu = QMenu(self)
        self._fill(menu, name)
        return self._popup(menu, word)

    # Helpers

    def _arrange(self) -> None:
        """Where there is no room for all, signs that are not lit go to "…", the least telling first."""
        said = [name for name, word in self.signs.items() if word.text()]
        room = self.width() - sum(word.sizeHint().width() + 1 for word in self.kinds.values()) - scaled(READOUT) - 24
        self._folded = []
        kept = list(said)
        while sum(self.signs[name].sizeHint().width() + 1 for name in kept) > room:
            unlit = [name for name in kept if not self.signs[name].is_lit]
            if not unlit:
                break
            self._folded.append(min(unlit, key=_FOLDED_FIRST.index))
            kept.remove(self._folded[-1])
        for name, word in self.signs.items():
            word.setVisible(name in kept)
        self.rest.setVisible(bool(self._folded))

    def _open_rest(self) -> None:
        menu = QMenu(self)
        for name in self.signs:
            if name in self._folded:
                self._fill(menu.addMenu(self.signs[name].text()), name)
        self._popup(menu, self.rest)

    def _popup(self, menu: QMenu, word: SignWord) -> QMenu:
        menu.popup(word.mapToGlobal(QPoint(0, -menu.sizeHint().height() - 2)))
        menu.aboutToHide.connect(menu.deleteLater)
        return menu

    def _fill(self, menu: QMenu, name: str) -> None:
        for pick in self._table[name].picks():
            if pick is None:
                menu.addSeparator()
                continue
            action = menu.addAction(pick.title)
            action.setCheckable(pick.is_on is not None)
            action.setChecked(bool(pick.is_on))
            action.triggered.connect(lambda _=False, pick=pick: self._take(pick))

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
