"""The renderer: with what is kept and uploaded the only place that calls OpenGL.

It draws scenes, and reads back what is where.
Lines and points are quads made on the GPU from one instance each, so that widths are in pixels and edges smooth.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import moderngl
import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.camera import Camera
from levelloop.app.view.look import BENDS, SHADINGS, Section
from levelloop.app.view.render.kept import (
    BEND_LAYOUT,
    FLAT_LAYOUT,
    LINE_LAYOUT,
    PICK_LAYOUT,
    POINT_LAYOUT,
    SURFACE_LAYOUT,
    UV_LAYOUT,
    Kept,
    Layout,
)
from levelloop.app.view.render.light.ground_shadow import GroundShadow
from levelloop.app.view.render.light.hollows import Hollows
from levelloop.app.view.render.light.studio import studio_levels
from levelloop.app.view.render.picture import Picture
from levelloop.app.view.render.scene import (
    CLAY,
    Colour,
    Patch,
    Projected,
    Scene,
    Seeing,
    Skin,
    Solid,
    Standing,
    arrays_of,
)
from levelloop.app.view.render.uploads import Uploaded, Uploads
from levelloop.app.view.render.what_is_where import WhatIsWhere, faces_at
from levelloop.core.arrays import Floats

# Opacity of the window itself stays whole: only colours blend.
OVER = (moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE)
SAMPLES = 4  # in each pixel, for smooth outlines
HOLE = 0.2  # of the shorter side of the view: how far around a place what lies before it is see-through
SLOPE = 0.35  # of the cone that is seen into: flatter than one looks onto a table


class _Fine(NamedTuple):
    """What a view is drawn into with several samples in each pixel: all of it, and its colours alone."""

    size: tuple[int, int]
    whole: Any
    colours: Any
    tint: Any
    depth: Any

    def release(self) -> None:
        """Frees it."""
        for thing in self[1:]:
            thing.release()


class Renderer:
    """Draws scenes into whatever framebuffer is bound; keeps what it uploaded until it changes."""

    def __init__(self, uploads: Uploads | None = None) -> None:
        self._context = moderngl.create_context(require=330)
        self._uploads = uploads or Uploads()
        self._kept = Kept(self._context, self._uploads)
        self._sky, self._image = self._kept.square("sky"), self._kept.square("image")
        self._fine: _Fine | None = None
        self._shadow = GroundShadow(self._context, self._kept.programs, self._kept.corners, self._cast_from)
        self._hollows = Hollows(self._context, self._kept.programs, self._kept.corners)
        self._pick_target: tuple[tuple[int, int], Any, Any, Any] | None = None
        self._studio: Any = None
        # The part of the view that is drawn just now, where a wipe divides it.
        self._cut: tuple[int, int, int, int] | None = None

    def draw(
        self,
        target: int,
        scene: Scene,
        camera: Camera,
        width: int,
        height: int,
        fine: bool = True,
        left: tuple[Scene, float] | None = None,
    ) -> None:
        """Draws a scene into a framebuffer by its OpenGL number.

        fine: with smooth outlines; without them it takes half the time where a processor does the drawing. left:
        another scene, and the share of the width that it has on the left.
        """
        context = self._context
        window = context.detect_framebuffer(target)
        scenes = [scene] if left is None else [left[0], scene]
        self._uploads.begin(self, (array for one in scenes for array in one.arrays()))
        if scene.shadow is not None and fine:
            # While something moves it stays as it was.
            self._shadow.follow([solid.picture for solid in scene.solids if len(solid.picture.indices)])
        screen = self._fine_target(width, height) if fine else window
        screen.use()
        context.viewport = (0, 0, width, height)
        context.enable_only(moderngl.BLEND)
        context.blend_func = OVER  # type: ignore[assignment]
        screen.clear(depth=1.0)
        self._kept.tell("sky", top=scene.sky[0], bottom=scene.sky[1])
        screen.depth_mask = False
        self._sky.render(moderngl.TRIANGLE_STRIP)
        if left is None:
            self._draw_scene(screen, scene, camera, width, height)
        else:
            cut = round(left[1] * width)
            screen.scissor = self._cut = (0, 0, cut, height)
            self._draw_scene(screen, left[0], camera, width, height)
            screen.scissor = self._cut = (cut, 0, width - cut, height)
            self._draw_scene(screen, scene, camera, width, height)
            screen.scissor = self._cut = None
        if fine:
            context.copy_framebuffer(window, screen)
            window.use()
        self._kept.forget({id(pixels) for one in scenes for pixels in one.pixels()})

    def finish(self) -> None:
        """Waits until what was asked for is drawn."""
        self._context.finish()

    def rest(self) -> None:
        """Shows nothing for now: what only this view needed is free for others."""
        self._uploads.leave(self)

    def _draw_scene(self, screen: Any, scene: Scene, camera: Camera, width: int, height: int) -> None:
        """Draws what stands in a scene into a framebuffer that is in use."""
        context = self._context
        screen.depth_mask = True
        context.enable(moderngl.DEPTH_TEST)
        context.depth_func = "<="
        to_clip, to_view = camera.projection(width, height) @ camera.view(), camera.view()
        matrix = {"world_to_clip": to_clip}
        self._look_into(scene, to_clip, camera, width, height)
        # Behind everything, unless they stand among the parts or are drawn over them.
        self._images(scene, matrix, lambda image: not image.through and not image.standing, False)
        self._images(scene, matrix, lambda image: not image.through and image.standing, True)
        if scene.shadow is not None and camera.axes[2][2] > 0.0:
            screen.depth_mask = False
            self._shadow.draw(to_clip, scene.shadow)
            screen.depth_mask = True
        self._see(scene.seeing)
        self._kept.tell("surface", in_studio=scene.in_studio, studio=3, view_to_world=to_view[:3, :3].T)
        if scene.in_studio:
            self._light().use(3)
        # What one looks through comes after what stands behind it.
        for solid in sorted(scene.solids, key=lambda one: one.is_clear):
            if len(solid.picture.indices) == 0:
                # Curves have no surface, and OpenGL no empty buffers: what stands for one would be drawn.
                continue
            is_laid_on = solid.is_laid_on
            array = self._laid_on(solid.picture) if is_laid_on else self._surface(solid)
            middle = solid.picture.middle
            self._kept.tell(
                "surface",
                world_to_clip=_from(to_clip, middle),
                world_to_view=_from(to_view, middle),
                front=solid.colour,
                back=solid.inside,
                perspective=float(camera.perspective),
                section=_section(scene.section, middle),
                shading=SHADINGS.index(scene.shading),
                hide_inside=scene.hide_inside,
                # Turns over a twentieth of the view's distance are plain to see.
                hollow=camera.distance / 20.0,
                has_bends=solid.picture.bends is not None and not is_laid_on,
            )
            self._project(solid.projected, middle)
            self._kept.tell("surface", roughness=CLAY, metalness=0.0, mirrors=Skin.mirrors, glow=0.0)
            self._lay(solid.pixels if is_laid_on else None)
            for skin in solid.skins:
                self._kept.tell("surface", front=skin.colour, roughness=skin.roughness, metalness=skin.metalness)
                self._kept.tell("surface", mirrors=skin.mirrors, glow=skin.glow)
                self._lay((solid.pixels if skin.pixels is None else skin.pixels) if is_laid_on else None)
                array.render(vertices=3 * skin.count, first=3 * skin.first)
            if not solid.skins:
                array.render()
        if scene.in_studio and self._fine is not None and screen is self._fine.whole:
            self._hollows.draw(self._fine.colours, self._fine.depth, camera, width, height, self._cut)
            screen.use()
            context.viewport = (0, 0, width, height)
            context.blend_func = OVER  # type: ignore[assignment]
        size = (float(width), float(height))
        slack = 1e-4 * camera.distance
        screen.depth_mask = False
        for patch in scene.patches:
            if len(patch.places):
                self._flat(patch, to_clip)
        for lines in scene.lines:
            if len(lines.segments):
                array = self._kept.array("line", (lines.segments, LINE_LAYOUT), instances=True, changes=lines.changes)
                self._from_middle("line", to_clip, lines.middle, scene.section, slack)
                self._kept.tell("line", size=size, width=lines.width, lift=lines.lift)
                self._twice("line", array, lines.colour, lines.through, len(lines.segments))
        for dots in scene.dots:
            if len(dots.places):
                array = self._kept.array("point", (dots.places, POINT_LAYOUT), instances=True)
                self._from_middle("point", to_clip, dots.middle, scene.section, slack)
                self._kept.tell("point", size=size, width=dots.width, lift=dots.lift, rim=dots.rim)
                self._twice("point", array, dots.colour, dots.through, len(dots.places))
        screen.depth_mask = True
        context.depth_func = "<="
        self._images(scene, matrix, lambda image: image.through, False)

    def read(
        self,
        pictures: list[Picture],
        camera: Camera,
        width: int,
        height: int,
        section: Section | None = None,
    ) -> WhatIsWhere:
        """Which face is at each pixel, numbered over all pictures in turn, and how deep."""
        context = self._context
        if self._pick_target is None or self._pick_target[0] != (width, height):
            if self._pick_target is not None:
                for thing in self._pick_target[1:]:
                    thing.release()
            colour, depth = context.texture((width, height), 4), context.depth_texture((width, height))
            self._pick_target = ((width, height), context.framebuffer([colour], depth), colour, depth)
        _, target, colour, depth = self._pick_target
        target.use()
        context.viewport = (0, 0, width, height)
        context.enable_only(moderngl.DEPTH_TEST)
        target.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        to_clip = camera.projection(width, height) @ camera.view()
        first = 1
        for picture in pictures:
            if len(picture.indices):
                self._from_middle("pick", to_clip, picture.middle, section)
                self._kept.tell("pick", first=first)
                vertices, indices, _ = arrays_of(picture)
                self._kept.array("pick", (vertices, PICK_LAYOUT), indices=indices, changes=picture.changes).render()
            first += len(picture.indices)
        triangles = np.frombuffer(colour.read(), dtype=np.uint32).reshape(height, width)
        numbers = faces_at(pictures, triangles.astype(np.int64))
        depths = np.frombuffer(depth.read(), dtype=np.float32).reshape(height, width)
        return WhatIsWhere(numbers[::-1], depths[::-1], triangles[::-1])

    def release(self) -> None:
        """Frees everything on the GPU."""
        self._uploads.leave(self)
        self._kept.release()
        self._shadow.release()
        self._hollows.release()
        if self._fine is not None:
            self._fine.release()
        if self._studio is not None:
            self._studio.release()
        if not self._uploads.is_used:
            self._uploads.release()
        self._context.release()

    # Helpers

    def _fine_target(self, width: int, height: int) -> Any:
        """A framebuffer of that size with several samples in each pixel."""
        if self._fine is None or self._fine.size != (width, height):
            if self._fine is not None:
                self._fine.release()
            samples = min(SAMPLES, self._context.max_samples)
            tint = self._context.renderbuffer((width, height), 4, samples=samples)
            depth = self._context.depth_texture((width, height), samples=samples)
            whole, colours = self._context.framebuffer([tint], depth), self._context.framebuffer([tint])
            self._fine = _Fine((width, height), whole, colours, tint, depth)
        return self._fine.whole

    def _twice(self, program: str, array: Any, colour: Colour, through: float, instances: int = 0) -> None:
        """Draws what is in front and, fainter, what is hidden; instances: of strips of two triangles."""
        passes = ((">", (*colour[:3], colour[3] * through)), ("<=", colour))
        for function, tint in passes if through > 0 else passes[1:]:
            self._context.depth_func = function
            self._kept.tell(program, tint=tint)
            if instances:
                array.render(moderngl.TRIANGLE_STRIP, instances=instances)
            else:
                array.render()

    def _images(self, scene: Scene, matrix: dict[str, Floats], chosen: Callable[[Standing], bool], deep: bool) -> None:
        """Draws some of the scene's images; deep: parts in front of them hide them."""
        for image in scene.images:
            if not chosen(image):
                continue
            if deep:
                self._context.enable(moderngl.DEPTH_TEST)
            else:
                self._context.disable(moderngl.DEPTH_TEST)
            self._kept.texture(image.pixels).use(0)
            self._kept.tell(
                "image",
                **matrix,
                origin=tuple(image.origin),
                across=tuple(image.across),
                upward=tuple(image.upward),
                part=image.part,
                opacity=image.opacity,
                flip=image.flip,
            )
            self._image.render(moderngl.TRIANGLE_STRIP)
        self._context.enable(moderngl.DEPTH_TEST)

    def _from_middle(
        self, program: str, to_clip: Floats, middle: Floats, section: Section | None, slack: float = 0.0
    ) -> None:
        """Says to a program what its places are relative to."""
        self._kept.tell(program, world_to_clip=_from(to_clip, middle), section=_section(section, middle, slack))

    def _look_into(self, scene: Scene, to_clip: Floats, camera: Camera, width: int, height: int) -> None:
        """Says to all programs where one looks through what lies before a place."""
        focus, cone = (0.0, 0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
        if scene.focus is not None:
            x, y, z, w = to_clip @ np.append(scene.focus, 1.0)
            if w > 0:
                focus = ((x / w + 1) * width / 2, (y / w + 1) * height / 2, (z / w + 1) / 2, w)
                per_mm = float(np.linalg.norm(to_clip[1, :3])) * height / 2 / w
                depth = 0.0 if camera.perspective else 2.0 / float(np.linalg.norm(to_clip[2, :3]))
                cone = (SLOPE * per_mm, HOLE * min(width, height), depth)
        for program in ("surface", "line", "point"):
            self._kept.tell(program, focus=focus, cone=cone)

    def _see(self, seeing: Seeing) -> None:
        """Says to the surface's program what surfaces are judged by."""
        self._kept.tell("surface", ramp=1, image=0)
        if seeing.ramp is not None:
            self._kept.texture(seeing.ramp).use(1)
        self._kept.tell(
            "surface",
            stripes=seeing.stripes,
            stripe_axis=seeing.axis,
            rake=seeing.light,
            which_bend=BENDS.index(seeing.bend),
            gain=seeing.gain,
        )

    def _project(self, image: Projected | None, middle: Floats) -> None:
        """Says to the surface's program what is projected onto the next solid, whose places are from a middle."""
        if image is None:
            self._kept.tell("surface", projects=False)
            return
        self._kept.texture(image.pixels).use(0)
        to_image = _from(image.matrix, middle)
        rows = {f"to_image_{name}": tuple(to_image[row]) for row, name in enumerate("uvw")}
        self._kept.tell(
            "surface",
            projects=True,
            **rows,
            shines=tuple(image.towards),
            part=image.part,
            opacity=image.opacity,
            flip=image.flip,
        )

    def _light(self) -> Any:
        """The studio's light on the GPU, one level below the other."""
        if self._studio is None:
            levels = studio_levels()
            size = (levels.shape[2], levels.shape[0] * levels.shape[1])
            self._studio = self._context.texture(size, 3, levels.astype(np.float16).tobytes(), dtype="f2")
            self._studio.repeat_x, self._studio.repeat_y = True, False
            self._studio.filter = moderngl.LINEAR, moderngl.LINEAR
        return self._studio

    def _flat(self, patch: Patch, to_clip: Floats) -> None:
        array = self._kept.array("flat", (patch.places, FLAT_LAYOUT))
        self._kept.tell("flat", world_to_clip=_from(to_clip, patch.middle), lift=1e-5)
        self._twice("flat", array, patch.colour, patch.through)

    def _surface(self, solid: Solid) -> Any:
        """The vertices of a solid's picture, with how it bends where that is known."""
        picture = solid.picture
        vertices, indices, bends = arrays_of(picture)
        indices = indices if solid.indices is None else solid.indices
        parts: list[tuple[Uploaded, Layout]] = [(vertices, SURFACE_LAYOUT)]
        if bends is not None:
            parts.append((bends, BEND_LAYOUT))
        return self._kept.array("surface", *parts, indices=indices, changes=picture.changes)

    def _cast_from(self, picture: Picture) -> Any:
        """The vertices of a picture as the program of the shadow draws them."""
        return self._kept.array(
            "cast", (picture.vertices, PICK_LAYOUT), indices=picture.indices, changes=picture.changes
        )

    def _laid_on(self, picture: Picture) -> Any:
        """The vertices of a picture's triangles one by one, with their UV."""
        assert picture.uv is not None
        return self._kept.array("surface", (picture.unrolled, SURFACE_LAYOUT), (picture.uv, UV_LAYOUT))

    def _lay(self, pixels: NDArray[np.uint8] | None) -> None:
        """Says to the surface's program which image is laid on what comes next, by its UV."""
        self._kept.tell("surface", laid_on=pixels is not None, skin=2)
        if pixels is not None:
            self._kept.texture(pixels).use(2)


def _from(matrix: Floats, middle: Floats) -> Floats:
    """A matrix (r, 4) for places that are relative to a middle: the large numbers meet in double precision."""
    result = matrix.copy()
    result[:, 3] += matrix[:, :3] @ middle
    return result


def _section(section: Section | None, middle: Floats, slack: float = 0.0) -> Colour:
    """The plane beyond which nothing is drawn, as a normal and a distance from a middle."""
    if section is None:
        return (0.0, 0.0, 0.0, 1.0)
    normal = [0.0, 0.0, 0.0]
    axis, at, side = section
    normal[axis] = side
    return (normal[0], normal[1], normal[2], side * (at - float(middle[axis])) + slack)
