"""The renderer: the one module that makes OpenGL calls. Draws pictures, lines, points, and reads back what is where.

Lines and points are quads made on the GPU from one instance each, so that widths are in pixels and edges smooth.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.camera import Camera
from levelloop.app.view.look import BENDS, SHADINGS, Bend, Section, Shading
from levelloop.app.view.render.picture import Picture, Singles
from levelloop.app.view.render.shaders import FLAT, IMAGE, LINE, PICK, POINT, SKY, SURFACE
from levelloop.core.arrays import Floats

CLAY = 0.8  # how rough what has no material is
SAMPLES = 4  # in each pixel, for smooth outlines
Colour = tuple[float, float, float, float]


@dataclass
class Lines:
    """Lines to draw: segments (s, 2, 3) from a middle (3,), one colour, width in pixels."""

    segments: Singles
    middle: Floats
    colour: Colour
    width: float = 1.25
    lift: float = 2e-5
    through: float = 0.0  # opacity where hidden, as a share


@dataclass
class Dots:
    """Points to draw: places (n, 3) from a middle (3,), one colour, size in pixels."""

    places: Singles
    middle: Floats
    colour: Colour
    rim: Colour
    width: float = 6.0
    lift: float = 4e-5
    through: float = 0.0


@dataclass
class Patch:
    """Triangles tinted over a surface: places (3t, 3) from a middle (3,)."""

    places: Singles
    middle: Floats
    colour: Colour
    through: float = 0.0


@dataclass
class Projected:
    """An image projected onto a solid: from the world to u, v (3, 4), against which direction of the view it shines."""

    pixels: NDArray[np.uint8]
    matrix: Floats
    towards: Floats
    part: tuple[float, float] = (0.0, 1.0)
    opacity: float = 1.0
    flip: bool = False


@dataclass
class Skin:
    """What some triangles of a picture are made of: the first of them and their count; roughness, metalness: 0…1."""

    first: int
    count: int
    colour: Colour
    roughness: float
    metalness: float


@dataclass
class Solid:
    """A picture to draw as a solid; skins: of its triangles where they have materials, else all are of the colour."""

    picture: Picture
    colour: Colour
    inside: Colour
    projected: Projected | None = None
    skins: list[Skin] = field(default_factory=list)

    @property
    def is_clear(self) -> bool:
        """Whether one looks through some of it."""
        return self.colour[3] < 1.0 or any(skin.colour[3] < 1.0 for skin in self.skins)


@dataclass
class Standing:
    """An image in space: its lower left corner, its sides, which part of its width is shown, its pixels."""

    pixels: NDArray[np.uint8]
    origin: Floats
    across: Floats
    upward: Floats
    part: tuple[float, float] = (0.0, 1.0)
    opacity: float = 1.0
    flip: bool = False
    through: bool = False
    standing: bool = False


@dataclass
class Seeing:
    """What a surface is judged by: strips it mirrors, light from aside, colours of a value.

    stripes: their count; axis, light: (3,) in the view's space; ramp: (1, n, 4) colours, of which gain times a value
    chooses one.
    """

    stripes: float = 24.0
    axis: tuple[float, float, float] = (0.0, 1.0, 0.0)
    light: tuple[float, float, float] = (0.0, 0.0, 1.0)
    bend: Bend = "mean"
    gain: float = 1.0
    ramp: NDArray[np.uint8] | None = None


@dataclass
class Scene:
    """All that one frame shows."""

    solids: list[Solid] = field(default_factory=list)
    patches: list[Patch] = field(default_factory=list)
    lines: list[Lines] = field(default_factory=list)
    dots: list[Dots] = field(default_factory=list)
    sky: tuple[Colour, Colour] = ((1, 1, 1, 1), (1, 1, 1, 1))
    images: list[Standing] = field(default_factory=list)
    shading: Shading = "clay"
    hide_inside: bool = False
    section: Section | None = None
    seeing: Seeing = field(default_factory=Seeing)


@dataclass(frozen=True, eq=False)
class WhatIsWhere:
    """The frame read back: numbers (h, w) of face + 1 counted over all pictures, 0 nothing; depth (h, w) 0…1."""

    numbers: NDArray[np.int32]
    depth: NDArray[np.float32]


class Renderer:
    """Draws scenes into whatever framebuffer is bound; keeps what it uploaded until it changes."""

    def __init__(self) -> None:
        self._context = moderngl.create_context(require=330)
        made = {}
        for name, (vertex, fragment) in {
            "surface": SURFACE,
            "line": LINE,
            "point": POINT,
            "flat": FLAT,
            "sky": SKY,
            "pick": PICK,
            "image": IMAGE,
        }.items():
            made[name] = self._context.program(vertex_shader=vertex, fragment_shader=fragment)
        self._programs = made
        self._corners = self._context.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], dtype="f4").tobytes())
        self._sky = self._context.vertex_array(made["sky"], [(self._corners, "2f", "corner")])
        self._kept: dict[int, tuple[Any, list[Any]]] = {}
        self._fine: tuple[tuple[int, int], Any, Any, Any] | None = None
        self._pick_target: tuple[tuple[int, int], Any, Any, Any] | None = None

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
        screen = self._fine_target(width, height) if fine else window
        screen.use()
        context.viewport = (0, 0, width, height)
        context.enable_only(moderngl.BLEND)
        # Opacity of the window itself stays whole: only colours blend.
        context.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE  # type: ignore[assignment]
        screen.clear(depth=1.0)
        self._set("sky", top=scene.sky[0], bottom=scene.sky[1])
        screen.depth_mask = False
        self._sky.render(moderngl.TRIANGLE_STRIP)
        used: set[int] = set()
        if left is None:
            self._draw_scene(screen, scene, camera, width, height, used)
        else:
            cut = round(left[1] * width)
            screen.scissor = (0, 0, cut, height)
            self._draw_scene(screen, left[0], camera, width, height, used)
            screen.scissor = (cut, 0, width - cut, height)
            self._draw_scene(screen, scene, camera, width, height, used)
            screen.scissor = None
        if fine:
            context.copy_framebuffer(window, screen)
            window.use()
        self._forget_unused(used)

    def _draw_scene(self, screen: Any, scene: Scene, camera: Camera, width: int, height: int, used: set[int]) -> None:
        """Draws what stands in a scene into a framebuffer that is in use; used: takes up what was uploaded for it."""
        context = self._context
        screen.depth_mask = True
        context.enable(moderngl.DEPTH_TEST)
        context.depth_func = "<="
        to_clip, to_view = camera.projection(width, height) @ camera.view(), camera.view()
        matrix = {"world_to_clip": to_clip}
        # Behind everything, unless they stand among the parts or are drawn over them.
        self._images(scene, matrix, used, lambda image: not image.through and not image.standing, False)
        self._images(scene, matrix, used, lambda image: not image.through and image.standing, True)
        self._see(scene.seeing, used)
        # What one looks through comes after what stands behind it.
        for solid in sorted(scene.solids, key=lambda one: one.is_clear):
            arrays = self._uploaded(solid.picture.vertices, solid.picture, used)
            middle = solid.picture.middle
            self._set(
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
                has_bends=solid.picture.bends is not None,
            )
            self._project(solid.projected, middle, used)
            self._set("surface", roughness=CLAY, metalness=0.0)
            for skin in solid.skins:
                self._set("surface", front=skin.colour, roughness=skin.roughness, metalness=skin.metalness)
                arrays[0].render(vertices=3 * skin.count, first=3 * skin.first)
            if not solid.skins:
                arrays[0].render()
        size = (float(width), float(height))
        slack = 1e-4 * camera.distance
        screen.depth_mask = False
        for patch in scene.patches:
            if len(patch.places):
                self._flat(patch, to_clip, used)
        for lines in scene.lines:
            if len(lines.segments):
                array = self._instances("line", lines.segments, "3f 3f/i", ("a", "b"), used)
                self._from_middle("line", to_clip, lines.middle, scene.section, slack)
                self._set("line", size=size, width=lines.width, lift=lines.lift)
                self._twice("line", array, lines.colour, lines.through, len(lines.segments))
        for dots in scene.dots:
            if len(dots.places):
                array = self._instances("point", dots.places, "3f/i", ("a",), used)
                self._from_middle("point", to_clip, dots.middle, scene.section, slack)
                self._set("point", size=size, width=dots.width, lift=dots.lift, rim=dots.rim)
                self._twice("point", array, dots.colour, dots.through, len(dots.places))
        screen.depth_mask = True
        context.depth_func = "<="
        self._images(scene, matrix, used, lambda image: image.through, False)

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
            places = np.ascontiguousarray(picture.vertices[picture.indices.ravel(), :3])
            # What only the recipe made hides what lies behind it, and is nothing to pick.
            owner = picture.triangle_face
            numbers = np.repeat(np.where(owner < 0, 0, owner + first), 3).astype(np.int32)
            if len(places):
                self._from_middle("pick", to_clip, picture.middle, section)
                buffers = [context.buffer(places.tobytes()), context.buffer(numbers.tobytes())]
                array = context.vertex_array(
                    self._programs["pick"], [(buffers[0], "3f", "place"), (buffers[1], "1i", "number")]
                )
                array.render()
                array.release()
                for buffer in buffers:
                    buffer.release()
            first += picture.part.mesh.n_faces
        raw = np.frombuffer(colour.read(), dtype=np.uint8).reshape(height, width, 4).astype(np.int32)
        numbers = raw[..., 0] | raw[..., 1] << 8 | raw[..., 2] << 16
        depths = np.frombuffer(depth.read(), dtype=np.float32).reshape(height, width)
        return WhatIsWhere(numbers[::-1], depths[::-1])

    def release(self) -> None:
        """Frees everything on the GPU."""
        self._forget_unused(set())
        self._context.release()

    # Helpers

    def _fine_target(self, width: int, height: int) -> Any:
        """A framebuffer of that size with several samples in each pixel."""
        if self._fine is None or self._fine[0] != (width, height):
            if self._fine is not None:
                for thing in self._fine[1:]:
                    thing.release()
            samples = min(SAMPLES, self._context.max_samples)
            colour = self._context.renderbuffer((width, height), 4, samples=samples)
            depth = self._context.depth_renderbuffer((width, height), samples=samples)
            self._fine = ((width, height), self._context.framebuffer([colour], depth), colour, depth)
        return self._fine[1]

    def _twice(self, program: str, array: Any, colour: Colour, through: float, instances: int = 0) -> None:
        """Draws what is in front and, fainter, what is hidden; instances: of strips of two triangles."""
        passes = ((">", (*colour[:3], colour[3] * through)), ("<=", colour))
        for function, tint in passes if through > 0 else passes[1:]:
            self._context.depth_func = function
            self._set(program, tint=tint)
            if instances:
                array.render(moderngl.TRIANGLE_STRIP, instances=instances)
            else:
                array.render()

    def _images(
        self, scene: Scene, matrix: dict[str, Floats], used: set[int], chosen: Callable[[Standing], bool], deep: bool
    ) -> None:
        """Draws some of the scene's images; deep: parts in front of them hide them."""
        for image in scene.images:
            if not chosen(image):
                continue
            if deep:
                self._context.enable(moderngl.DEPTH_TEST)
            else:
                self._context.disable(moderngl.DEPTH_TEST)
            texture, array = self._texture(image.pixels, used)
            texture.use(0)
            self._set(
                "image",
                **matrix,
                origin=tuple(image.origin),
                across=tuple(image.across),
                upward=tuple(image.upward),
                part=image.part,
                opacity=image.opacity,
                flip=image.flip,
            )
            array.render(moderngl.TRIANGLE_STRIP)
        self._context.enable(moderngl.DEPTH_TEST)

    def _from_middle(
        self, program: str, to_clip: Floats, middle: Floats, section: Section | None, slack: float = 0.0
    ) -> None:
        """Says to a program what its places are relative to."""
        self._set(program, world_to_clip=_from(to_clip, middle), section=_section(section, middle, slack))

    def _see(self, seeing: Seeing, used: set[int]) -> None:
        """Says to the surface's program what surfaces are judged by."""
        self._set("surface", ramp=1, image=0)
        if seeing.ramp is not None:
            self._texture(seeing.ramp, used)[0].use(1)
        self._set(
            "surface",
            stripes=seeing.stripes,
            stripe_axis=seeing.axis,
            rake=seeing.light,
            which_bend=BENDS.index(seeing.bend),
            gain=seeing.gain,
        )

    def _project(self, image: Projected | None, middle: Floats, used: set[int]) -> None:
        """Says to the surface's program what is projected onto the next solid, whose places are from a middle."""
        if image is None:
            self._set("surface", projects=False)
            return
        self._texture(image.pixels, used)[0].use(0)
        to_image = _from(image.matrix, middle)
        rows = {f"to_image_{name}": tuple(to_image[row]) for row, name in enumerate("uvw")}
        self._set(
            "surface",
            projects=True,
            **rows,
            shines=tuple(image.towards),
            part=image.part,
            opacity=image.opacity,
            flip=image.flip,
        )

    def _texture(self, pixels: NDArray[np.uint8], used: set[int]) -> tuple[Any, Any]:
        def make() -> list[Any]:
            height, width = pixels.shape[:2]
            texture = self._context.texture((width, height), 4, pixels.tobytes())
            texture.build_mipmaps()
            array = self._context.vertex_array(self._programs["image"], [(self._corners, "2f", "corner")])
            return [texture, array]

        kept = self._keep(pixels, make, used)
        return kept[0], kept[1]

    def _flat(self, patch: Patch, to_clip: Floats, used: set[int]) -> None:
        array = self._array("flat", patch.places, "3f", ("place",), used)
        self._set("flat", world_to_clip=_from(to_clip, patch.middle), lift=1e-5)
        self._twice("flat", array, patch.colour, patch.through)

    def _uploaded(self, key: Singles, picture: Picture, used: set[int]) -> list[Any]:
        def make() -> list[Any]:
            vertices = self._context.buffer(picture.vertices.tobytes() or b"\0" * 24)
            indices = self._context.buffer(picture.indices.tobytes() or b"\0" * 12)
            content: list[tuple[Any, ...]] = [(vertices, "3f 3f", "place", "normal")]
            if picture.bends is None:
                return [self._context.vertex_array(self._programs["surface"], content, indices), vertices, indices]
            bends = self._context.buffer(picture.bends.tobytes() or b"\0" * 8)
            content.append((bends, "2f", "bend"))
            return [self._context.vertex_array(self._programs["surface"], content, indices), vertices, indices, bends]

        return self._keep(key, make, used)

    def _array(self, program: str, data: Singles, layout: str, names: tuple[str, ...], used: set[int]) -> Any:
        def make() -> list[Any]:
            buffer = self._context.buffer(np.ascontiguousarray(data).tobytes())
            return [self._context.vertex_array(self._programs[program], [(buffer, layout, *names)]), buffer]

        return self._keep(data, make, used)[0]

    def _instances(self, program: str, data: Singles, layout: str, names: tuple[str, ...], used: set[int]) -> Any:
        def make() -> list[Any]:
            buffer = self._context.buffer(np.ascontiguousarray(data).tobytes())
            content = [(self._corners, "2f", "corner"), (buffer, layout, *names)]
            return [self._context.vertex_array(self._programs[program], content), buffer]

        return self._keep(data, make, used)[0]

    def _keep(self, key: NDArray[Any], make: Any, used: set[int]) -> list[Any]:
        """What was uploaded for an array, kept by its identity while frames use it."""
        used.add(id(key))
        found = self._kept.get(id(key))
        if found is None or found[0] is not key:
            self._kept[id(key)] = (key, make())
        return self._kept[id(key)][1]

    def _forget_unused(self, used: set[int]) -> None:
        for key in [key for key in self._kept if key not in used]:
            for thing in self._kept.pop(key)[1]:
                thing.release()

    def _set(self, program: str, **uniforms: Any) -> None:
        for name, value in uniforms.items():
            uniform = self._programs[program][name]
            assert isinstance(uniform, moderngl.Uniform)
            if isinstance(value, np.ndarray):
                uniform.write(np.ascontiguousarray(value.T, dtype="f4").tobytes())
            else:
                uniform.value = value


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


def numbered(pictures: list[Picture], number: int) -> tuple[Picture, int] | None:
    """The picture and cage face that a number read back stands for."""
    rest = number - 1
    for picture in pictures:
        if rest < picture.part.mesh.n_faces:
            return (picture, rest) if rest >= 0 else None
        rest -= picture.part.mesh.n_faces
    return None
