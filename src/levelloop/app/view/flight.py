"""Flight: a camera going in a moment from one place to another, so that the eye can follow."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractAnimation, QEasingCurve, QVariantAnimation

from levelloop.app.view.camera import Camera

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

FLIGHT = 150  # milliseconds


class Flight(QVariantAnimation):
    """The flights of one view's camera."""

    def __init__(self, view: Viewport) -> None:
        super().__init__(view)
        self._view = view
        self._start = self._end = view.camera
        self.setDuration(FLIGHT)
        self.setStartValue(0.0)
        self.setEndValue(1.0)
        self.setEasingCurve(QEasingCurve.Type.OutCubic)
        self.valueChanged.connect(self._pass_by)
        self.finished.connect(lambda: view.frames.come_to_rest())

    @property
    def is_going(self) -> bool:
        """Whether the camera is on its way."""
        return self.state() == QAbstractAnimation.State.Running

    def go(self, start: Camera, end: Camera) -> None:
        """Goes from one camera to another, which the view has at the end."""
        self._start, self._end = start, end
        self._pass_by(0.0)
        self.start()

    def _pass_by(self, share: float) -> None:
        self._view.camera = self._start.between(self._end, share) if share < 1.0 else self._end
        self._view.moved()
