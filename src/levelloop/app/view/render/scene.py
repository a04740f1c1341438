"""Scene: all that one frame shows, as plain values for the renderer."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.look import Bend, Section, Shading
from levelloop.app.view.render.picture import Changes, Picture, Singles
from levelloop.core.arrays import Floats
from levelloop.core.values import dataclass

CLAY = 0.8  # how rough what has no material is
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
    changes: Changes | None = None  # which segments were written in place


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
    """What some triangles of a picture are made of: the first of them and their count; roughness, metalness: 0…1.

    mirrors: how much of what is before it it mirrors; glow: how many times its colour it sends out; pixels: an image of
    its colour, laid on by UV.
    """

    first: int
    count: int
    colour: Colour
    roughness: float
    metalness: float
    mirrors: float = 0.04
    glow: float = 0.0
    pixels: NDArray[np.uint8] | None = None


@dataclass
class Solid:
    """A picture to draw as a solid; skins: of its triangles where they have materials, else all are of the colour.

    pixels: an image that is laid on all of it by UV; indices: fewer triangles (t, 3) that stand for the picture's.
    """

    picture: Picture
    colour: Colour
    inside: Colour
    projected: Projected | None = None
    skins: list[Skin] = field(default_factory=list)
    pixels: NDArray[np.uint8] | None = None
    indices: NDArray[np.uint32] | None = None

    @property
    def is_laid_on(self) -> bool:
        """Whether an image is laid on it, for which it has UV."""
        images = (self.pixels, *(skin.pixels for skin in self.skins))
        return any(pixels is not None for pixels in images) and self.picture.uv is not None

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
    """All that one frame shows. focus: the place (3,) that is looked at, what lies before it being see-through.

    whole: the scene that a lighter one stands for a while; shadow: the colour of the shadow on the ground; in_studio:
    solids are lit as in the studio of a still.
    """

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
    focus: Floats | None = None
    whole: Scene | None = None
    shadow: Colour | None = None
    in_studio: bool = False

    @property
    def load(self) -> int:
        """How many triangles and lines it has: what it takes to draw it."""
        triangles = sum(len(solid.picture.indices if solid.indices is None else solid.indices) for solid in self.solids)
        return triangles + 2 * sum(len(lines.segments) for lines in self.lines)

    def arrays(self) -> Iterator[NDArray[np.generic]]:
        """Every array that is drawn from, soon again too."""
        if self.whole is not None:
            yield from self.whole.arrays()
        for solid in self.solids:
            yield from (array for array in arrays_of(solid.picture) if array is not None)
            if solid.indices is not None:
                yield solid.indices
            if solid.is_laid_on:
                yield solid.picture.unrolled
                if solid.picture.uv is not None:
                    yield solid.picture.uv
        yield from (patch.places for patch in self.patches)
        yield from (lines.segments for lines in self.lines)
        yield from (dots.places for dots in self.dots)

    def pixels(self) -> Iterator[NDArray[np.uint8]]:
        """Every image that is drawn from."""
        yield from (image.pixels for image in self.images)
        yield from (solid.projected.pixels for solid in self.solids if solid.projected is not None)
        for solid in self.solids:
            laid = (solid.pixels, *(skin.pixels for skin in solid.skins))
            yield from (pixels for pixels in laid if pixels is not None)
        if self.seeing.ramp is not None:
            yield self.seeing.ramp


def arrays_of(picture: Picture) -> tuple[Singles, NDArray[np.uint32], Singles | None]:
    """What a picture is drawn from: vertices, indices, and how it bends there."""
    return picture.vertices, picture.indices, picture.bends
