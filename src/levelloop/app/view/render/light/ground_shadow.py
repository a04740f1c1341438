"""The soft shadow on the ground under what stands on it, or a little above: it says where parts touch it.

What is shown is seen from below into a small picture, darker the nearer to the ground it is, softened, and laid on the
ground. It stays while nothing but the camera moves.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import moderngl
import numpy as np

from levelloop.app.view.render.picture import Picture
from levelloop.app.view.render.scene import Colour
from levelloop.app.view.render.uniforms import tell
from levelloop.core.arrays import Floats

SIDE = 256  # pixels of the picture
MARGIN = 0.08  # of its width around what is seen
REACH = 0.06  # of its width: so far above the ground a shadow is a third as dark
SOFT = 1.6  # pixels between two samples of the softening


class GroundShadow:
    """The shadow of one view.

    programs: the renderer's, by name; corners: of a square; array: the vertices of a picture as "cast" draws them.
    """

    def __init__(
        self,
        context: moderngl.Context,
        programs: Mapping[str, moderngl.Program],
        corners: Any,
        array: Callable[[Picture], Any],
    ) -> None:
        self._context, self._array = context, array
        self._cast, self._soften, self._lay = (programs[name] for name in ("cast", "soften", "lay"))
        self._pictures = [context.texture((SIDE, SIDE), 1) for _ in range(2)]
        for picture in self._pictures:
            picture.repeat_x = picture.repeat_y = False
        self._targets = [context.framebuffer([picture]) for picture in self._pictures]
        self._strip = context.vertex_array(self._soften, [(corners, "2f", "corner")])
        self._ground = context.vertex_array(self._lay, [(corners, "2f", "corner")])
        self._cast_by: list[tuple[Any, int]] = []
        self._low, self._width = np.zeros(2), 0.0

    def follow(self, pictures: Sequence[Picture]) -> None:
        """Works the shadow out anew where other pictures throw it; leaves another framebuffer in use."""
        now = [(one.vertices, one.changes.number if one.changes is not None else 0) for one in pictures]
        known = self._cast_by
        if len(now) == len(known) and all(a is b and n == m for (a, n), (b, m) in zip(now, known, strict=True)):
            return
        self._cast_by = now
        boxes = [(one.vertices[:, :3].min(axis=0), one.vertices[:, :3].max(axis=0)) for one in pictures]
        if not boxes:
            self._width = 0.0
            return
        low = np.min([box[0] + one.middle for box, one in zip(boxes, pictures, strict=True)], axis=0)
        high = np.max([box[1] + one.middle for box, one in zip(boxes, pictures, strict=True)], axis=0)
        width = float((high - low)[:2].max()) * (1.0 + 2.0 * MARGIN)
        self._low, self._width = (low + high)[:2] / 2.0 - width / 2.0, width
        if width > 0.0:
            self._throw(pictures)

    def draw(self, to_clip: Floats, tint: Colour) -> None:
        """Lays it on the ground of the picture that is drawn."""
        if self._width <= 0.0:
            return
        tell(self._lay, world_to_clip=to_clip, low=tuple(self._low), width=self._width, tint=tint)
        self._pictures[0].use(0)
        self._ground.render(moderngl.TRIANGLE_STRIP)

    def release(self) -> None:
        """Frees what it holds on the GPU."""
        held: list[Any] = [*self._targets, *self._pictures, self._strip, self._ground]
        for thing in held:
            thing.release()

    # Helpers

    def _throw(self, pictures: Sequence[Picture]) -> None:
        context = self._context
        context.viewport = (0, 0, SIDE, SIDE)
        self._targets[0].use()
        self._targets[0].clear()
        context.enable_only(moderngl.BLEND)
        context.blend_equation = moderngl.MAX  # type: ignore[assignment]
        for picture in pictures:
            middle = self._low + self._width / 2.0 - picture.middle[:2]
            tell(
                self._cast,
                scale=2.0 / self._width,
                height=float(picture.middle[2]),
                reach=REACH * self._width,
                **{"from": tuple(middle)},
            )
            self._array(picture).render()
        context.blend_equation = moderngl.FUNC_ADD  # type: ignore[assignment]
        context.disable(moderngl.BLEND)
        for source, target, along in ((0, 1, (SOFT / SIDE, 0.0)), (1, 0, (0.0, SOFT / SIDE))):
            self._targets[target].use()
            tell(self._soften, along=along)
            self._pictures[source].use(0)
            self._strip.render(moderngl.TRIANGLE_STRIP)
