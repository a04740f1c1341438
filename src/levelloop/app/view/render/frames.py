"""The frames of one view: drawn as finely as follows the hand, read back where something is picked."""

from __future__ import annotations

from time import perf_counter
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from levelloop.app.view.picking.picking import Sight
from levelloop.app.view.render.lighter import lighter
from levelloop.app.view.render.pace import FAST, Grade, Pace
from levelloop.app.view.render.renderer import Renderer
from levelloop.app.view.render.uploads import Uploads

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

RESTS = 200  # milliseconds after the wheel was turned that the view is drawn finely again


class Frames:
    """What a view draws with, from its first picture to the last; uploads: what it shares with the views beside it."""

    def __init__(self, view: Viewport, uploads: Uploads) -> None:
        self._view, self._uploads = view, uploads
        self._renderer: Renderer | None = None
        self._is_first = True
        self.pace = Pace()
        self._wheeling = QTimer(view)
        self._wheeling.setSingleShot(True)
        self._wheeling.setInterval(RESTS)
        self._wheeling.timeout.connect(self.come_to_rest)

    @property
    def is_ready(self) -> bool:
        """Whether anything can be drawn and read back."""
        return self._renderer is not None

    @property
    def uploaded(self) -> int:
        """How many bytes the view and those beside it have sent to the GPU so far."""
        return self._uploads.written

    def begin(self) -> None:
        """The view has a context to draw in."""
        self._renderer = Renderer(self._uploads)

    def draw(self) -> None:
        """Draws what the view shows just now."""
        view = self._view
        # A new size is painted once before the view is seen, too early for anybody.
        if self._renderer is None or not view.isVisible():
            return
        left = None
        if view.wipe is not None:
            left = (view.scenery.left_scene(view.session.state, view.state(), view.wipe), view.wipe.share)
        scene, began = view.scene(), perf_counter()
        load, turns = scene.load, view.turns or self._wheeling.isActive()
        # Where more is on its way there will be another picture at once.
        passes = (view.stage.is_filling or self._is_first) and not turns
        grade: Grade = "plain" if view.stage.is_hurried or passes else self.pace.grade(turns, load)
        if grade == "light":
            scene = lighter(scene)
        target = view.defaultFramebufferObject()
        self._renderer.draw(target, scene, view.camera, *view.pixels, grade == "fine", left)
        if passes or turns or self.pace.tells(grade, load):
            self._renderer.finish()
            self.pace.took(grade, load, perf_counter() - began)
        if self._is_first:
            # Something to see as soon as can be, finely right after.
            self._is_first = False
            QTimer.singleShot(0, view, view.refresh)
        if grade == "fine":
            view.stage.keeps_up = perf_counter() - began < FAST

    def read(self) -> Sight:
        """What is where in the view as it is."""
        view = self._view
        assert self._renderer is not None
        width, height = view.pixels
        pictures = view.stage.shown()
        view.makeCurrent()
        what = self._renderer.read(pictures, view.camera, width, height, view.look_of.section)
        view.doneCurrent()
        return Sight(view.camera, width, height, pictures, what)

    def wheel(self) -> None:
        """The wheel has been turned: the view comes to rest once it stands for a moment."""
        self._wheeling.start()

    def come_to_rest(self) -> None:
        """Draws everything again, now that the camera stands still."""
        self.pace.rest()
        self._view.refresh()

    def leave(self) -> None:
        """The view is hidden: what only it needed is free for others."""
        if self._renderer is not None:
            self._renderer.rest()

    def release(self) -> None:
        """Frees what is on the GPU; nothing is drawn any more after that."""
        self._wheeling.stop()
        if self._renderer is not None:
            self._view.makeCurrent()
            self._renderer.release()
            self._renderer = None
            self._view.doneCurrent()
