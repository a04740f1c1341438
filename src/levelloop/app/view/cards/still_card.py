"""The card of a still: the picture as it grows clearer, how long it still takes, and what was made of it."""

from __future__ import annotations

from time import monotonic
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout

from levelloop.app.theme import plain_label, quiet_button, text_font
from levelloop.app.view.cards.card import card_column

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

EDGE = 10  # pixels from the corner of the view
SHARE = 0.42  # of the view's sides at most
TELLS_AFTER = 0.04  # of the work: from then on it says how long the rest takes


class StillCard(QFrame):
    """Shown at the lower left of a view while a still is rendered, and until it is closed."""

    def __init__(self, view: Viewport) -> None:
        super().__init__(view)
        self.view = view
        column = card_column(self, 4)
        self.picture = plain_label("", self)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName("Still picture")
        column.addWidget(self.picture)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.told = plain_label("", self)
        self.told.setFont(text_font(9))
        self.end = quiet_button("Close", "Puts the picture away; its file stays", self)
        self.end.clicked.connect(self.hide)
        line.addWidget(self.told, 1)
        line.addWidget(self.end)
        column.addLayout(line)
        self._began = 0.0
        self._is_growing = False
        self.hide()

    def begin(self, width: int, height: int) -> None:
        """A still of so many pixels begins."""
        self._began, self._is_growing = monotonic(), True
        most = self.view.width() * SHARE, self.view.height() * SHARE
        scale = min(most[0] / width, most[1] / height, 1.0)
        self.picture.setPixmap(QPixmap())
        self.picture.setFixedSize(max(round(width * scale), 1), max(round(height * scale), 1))
        self.told.setText("The first rays …")
        self.end.hide()
        self._place()
        self.show()

    def grow(self, image: QImage, share: float) -> None:
        """Shows how far it is: the picture so far, and the share of the work that is done; nothing once it is over."""
        if self._is_growing:
            self._show(image)
            self.told.setText(f"{share:.0%} · {self._rest(share)}Esc stops it")
            self._place()

    def finish(self, words: str, image: QImage | None = None) -> None:
        """Says what became of it, and shows the picture where there is one."""
        self._is_growing = False
        if image is not None and not image.isNull():
            self._show(image)
        if self.picture.pixmap().isNull():
            # Stopped before anything was to be seen.
            self.hide()
            return
        self.told.setText(words)
        self.end.show()
        self._place()

    # Helpers

    def _show(self, image: QImage) -> None:
        ratio = self.devicePixelRatioF()
        size = self.picture.size() * ratio
        smooth = Qt.TransformationMode.SmoothTransformation
        pixmap = QPixmap.fromImage(image).scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, smooth)
        pixmap.setDevicePixelRatio(ratio)
        self.picture.setPixmap(pixmap)

    def _rest(self, share: float) -> str:
        if share < TELLS_AFTER:
            return ""
        left = (monotonic() - self._began) * (1.0 - share) / share
        return f"{left / 60:.0f} min left · " if left >= 90 else f"{max(left, 1):.0f} s left · "

    def _place(self) -> None:
        self.adjustSize()
        self.move(EDGE, self.view.height() - self.height() - EDGE)
