"""Starting forms."""

from __future__ import annotations

from typing import Any

from levelloop.core.forms.primitives import box, cylinder, disc, placed, plane, quad_sphere
from levelloop.core.mesh import Mesh
from levelloop.document.operations.common import AXES
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Length,
    Parameter,
    Plain,
    Text,
    Vector,
)
from levelloop.document.registry import Operation

_WHERE: tuple[Parameter, ...] = (
    Vector("at", (0.0, 0.0, 0.0), "Where its centre is"),
    Vector("axis", "z", "Where its own z points", is_length=False, words=AXES),
    Angle("turn", 0.0, "Turned about its axis"),
    Text("name", "", "The part's name"),
    Plain("into", None, optional=True),
)


def _form(make: Any) -> Any:
    """A form's function that also takes at, axis and turn."""

    def run(at: Any, axis: Any, turn: float, **sizes: Any) -> Mesh:
        return placed(make(**sizes), at, axis, turn)

    return run


FORMS: tuple[Operation, ...] = (
    Operation(
        "add_plane",
        "Plane",
        "Add",
        _form(plane),
        "Add a plane {size}, {cells} cells, at {at}",
        "A flat grid of quads",
        "form",
        (
            Vector("size", (20.0, 20.0), "Width and depth", size=2),
            Vector("cells", (1, 1), "Quads each way", size=2, is_length=False, whole=True),
            *_WHERE,
        ),
        icon="plane",
        group="Shape",
    ),
    Operation(
        "add_box",
        "Box",
        "Add",
        _form(box),
        "Add a box {size}, {cells} cells, at {at}",
        "A closed box of quads",
        "form",
        (
            Vector("size", (20.0, 20.0, 20.0), "Width, depth and height"),
            Vector("cells", (1, 1, 1), "Quads each way", is_length=False, whole=True),
            *_WHERE,
        ),
        icon="box",
        group="Shape",
    ),
    Operation(
        "add_cylinder",
        "Cylinder",
        "Add",
        _form(cylinder),
        "Add a cylinder {diameter} across, {height} high, {sides} sides, {cells} cells, caps {caps}, at {at}",
        "Sixteen sides are enough where it will be smoothed; 24 where details must not pinch",
        "form",
        (
            Length("diameter", 20.0, "Of the circle its points lie on", low=0, above_low=True),
            Length("height", 20.0, "Along its axis", low=0, above_low=True),
            Count("sides", 16, "Around", low=3, high=512),
            Count("cells", 1, "Rows of quads along it", high=512),
            Choice("caps", "face", "What closes its ends", words=("face", "quads", "triangles", "open")),
            *_WHERE,
        ),
        icon="cylinder",
        group="Shape",
    ),
    Operation(
        "add_disc",
        "Disc",
        "Add",
        _form(disc),
        "Add a disc {diameter} across, {sides} sides, filled with {fill}, at {at}",
        "A flat disc",
        "form",
        (
            Length("diameter", 20.0, "Of the circle its points lie on", low=0, above_low=True),
            Count("sides", 16, "Around", low=3, high=512),
            Choice("fill", "quads", "What fills it", words=("quads", "face", "triangles", "open")),
            *_WHERE,
        ),
        icon="disc",
        group="Shape",
    ),
    Operation(
        "add_quad_sphere",
        "Quad sphere",
        "Add",
        _form(quad_sphere),
        "Add a quad sphere {diameter} across, {cells} cells along each patch, at {at}",
        "Six patches of quads; it smooths evenly but for its eight 3-poles",
        "form",
        (
            Length("diameter", 20.0, "Of the sphere its points lie on", low=0, above_low=True),
            Count("cells", 4, "Quads along each patch's edge", high=256),
            *_WHERE,
        ),
        icon="quad_sphere",
        group="Shape",
    ),
)
