"""Starting forms."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from levelloop.core.forms.curves import add_curve, add_line, add_point
from levelloop.core.forms.hugging import hugging
from levelloop.core.forms.primitives import box, cylinder, disc, placed, plane, quad_sphere
from levelloop.core.forms.solids import cone, geodesic, roundness_advice, sphere, torus, tube
from levelloop.core.mesh.mesh import Mesh
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Length,
    Lengths,
    Parameter,
    PartName,
    Points,
    SurfaceOf,
    Text,
    Toggle,
    Vector,
)
from levelloop.document.registry import Operation
from levelloop.document.shared_parameters import AXES

_WHERE: tuple[Parameter, ...] = (
    Vector("at", (0.0, 0.0, 0.0), "Where its centre is"),
    Vector("axis", "z", "Where its own z points", is_length=False, words=AXES),
    Angle("turn", 0.0, "Turned about its axis"),
    Text("name", "", "The part's name"),
    PartName("into", None, "The part it becomes a piece of", optional=True, offered=False),
)


def _form(make: Any) -> Any:
    """A form's function that also takes at, axis and turn."""

    def run(at: Any, axis: Any, turn: float, **sizes: Any) -> Mesh:
        return placed(make(**sizes), at, axis, turn)

    return run


def _advice(values: Mapping[str, Any]) -> str:
    return roundness_advice(values["sides"])


def _curve(points: Any, kind: Any, closed: bool, radii: Any, onto: Mesh | None, **where: Any) -> Mesh:
    curve = placed(add_curve(points, kind, closed, radii[0] if len(radii) == 1 else radii), **where)
    return curve if onto is None else hugging(curve, onto)


_SIDES = Count("sides", 16, "Around; 16 where it will be smoothed, 24 where details must not pinch", low=3, high=512)
_CELLS = Count("cells", 1, "Rows of quads along it", high=512)
_CAPS = Choice("caps", "face", "What closes its ends", words=("face", "quads", "triangles", "open"))
_HEIGHT = Length("height", 20.0, "Along its axis", low=0, above_low=True)


FORMS: tuple[Operation, ...] = (
    Operation(
        "add_plane",
        "Plane",
        "Add",
        _form(plane),
        "Add a plane {size}, {cells} cell(s), at {at}",
        "A flat grid of quads",
        "form",
        (
            Vector("size", (20.0, 20.0), "Width and depth", size=2),
            Vector("cells", (1, 1), "Quads each way", size=2, is_length=False, whole=True),
            *_WHERE,
        ),
        icon="plane",
        on_line={"nothing": 50},
    ),
    Operation(
        "add_box",
        "Box",
        "Add",
        _form(box),
        "Add a box {size}, {cells} cell(s), at {at}",
        "A closed box of quads",
        "form",
        (
            Vector("size", (20.0, 20.0, 20.0), "Width, depth and height"),
            Vector("cells", (1, 1, 1), "Quads each way", is_length=False, whole=True),
            *_WHERE,
        ),
        icon="box",
        on_line={"nothing": 10},
    ),
    Operation(
        "add_cylinder",
        "Cylinder",
        "Add",
        _form(cylinder),
        "Add a cylinder {diameter} across, {height} high, {sides} side(s), {cells} cell(s), caps {caps}, at {at}",
        "Sixteen sides are enough where it will be smoothed; 24 where details must not pinch",
        "form",
        (
            Length("diameter", 20.0, "Of the circle its points lie on", low=0, above_low=True),
            _HEIGHT,
            _SIDES,
            _CELLS,
            _CAPS,
            *_WHERE,
        ),
        icon="cylinder",
        advice=_advice,
        on_line={"nothing": 20},
    ),
    Operation(
        "add_disc",
        "Disc",
        "Add",
        _form(disc),
        "Add a disc {diameter} across, {sides} side(s), filled with {fill}, at {at}",
        "A flat disc",
        "form",
        (
            Length("diameter", 20.0, "Of the circle its points lie on", low=0, above_low=True),
            _SIDES,
            Choice("fill", "quads", "What fills it", words=("quads", "face", "triangles", "open")),
            *_WHERE,
        ),
        icon="disc",
        advice=_advice,
        on_line={"nothing": 40},
    ),
    Operation(
        "add_quad_sphere",
        "Quad sphere",
        "Add",
        _form(quad_sphere),
        "Add a quad sphere {diameter} across, {cells} cell(s) along each patch, at {at}",
        "Six patches of quads; it smooths evenly but for its eight 3-poles",
        "form",
        (
            Length("diameter", 20.0, "Of the sphere its points lie on", low=0, above_low=True),
            Count("cells", 4, "Quads along each patch's edge", high=256),
            *_WHERE,
        ),
        icon="quad_sphere",
        on_line={"nothing": 30},
    ),
    Operation(
        "add_cone",
        "Cone",
        "Add",
        _form(cone),
        "Add a cone {bottom} to {top} across, {height} high, {sides} side(s), {cells} cell(s), caps {caps}, at {at}",
        "A tapered tip is better at 1 to 20 % of the bottom than at 0, which makes a fan of triangles",
        "form",
        (
            Length("bottom", 20.0, "Its lower diameter; 0 for a tip", low=0),
            Length("top", 4.0, "Its upper diameter; 0 for a tip", low=0),
            _HEIGHT,
            _SIDES,
            _CELLS,
            _CAPS,
            *_WHERE,
        ),
        advice=_advice,
        on_line={"nothing": 80},
    ),
    Operation(
        "add_tube",
        "Tube",
        "Add",
        _form(tube),
        "Add a tube {outer} outside, {inner} inside, {height} high, {sides} side(s), {cells} cell(s), at {at}",
        "A pipe with a wall",
        "form",
        (
            Length("outer", 20.0, "Its outer diameter", low=0, above_low=True),
            Length("inner", 14.0, "Its inner diameter", low=0, above_low=True),
            _HEIGHT,
            _SIDES,
            _CELLS,
            *_WHERE,
        ),
        advice=_advice,
        on_line={"nothing": 60},
    ),
    Operation(
        "add_torus",
        "Torus",
        "Add",
        _form(torus),
        "Add a torus {diameter} across its centre line, {thickness} thick, {sides} side(s), {around} around, at {at}",
        "A ring; 8 around are enough for a thin one",
        "form",
        (
            Length("diameter", 20.0, "Of the centre line", low=0, above_low=True),
            Length("thickness", 6.0, "Of the pipe", low=0, above_low=True),
            _SIDES,
            Count("around", 8, "Around the pipe", low=3, high=512),
            *_WHERE,
        ),
        advice=_advice,
        on_line={"nothing": 70},
    ),
    Operation(
        "add_sphere",
        "Sphere",
        "Add",
        _form(sphere),
        "Add a sphere {diameter} across, {sides} side(s), {rows} row(s), at {at}",
        "A sphere with poles pinches there; a quad sphere does not",
        "form",
        (
            Length("diameter", 20.0, "Of the sphere its points lie on", low=0, above_low=True),
            _SIDES,
            Count("rows", 8, "Bands of faces from pole to pole", low=2, high=512),
            *_WHERE,
        ),
        advice=_advice,
        on_line={"nothing": 90},
    ),
    Operation(
        "add_geodesic",
        "Geodesic sphere",
        "Add",
        _form(geodesic),
        "Add a geodesic sphere {diameter} across, split {splits} time(s), at {at}",
        "Triangles of nearly one size",
        "form",
        (
            Length("diameter", 20.0, "Of the sphere its points lie on", low=0, above_low=True),
            Count("splits", 3, "How often each of twenty triangles is quartered", low=0, high=8),
            *_WHERE,
        ),
    ),
    Operation(
        "add_point",
        "Point",
        "Add",
        _form(add_point),
        "Add a point at {at}",
        "To be extruded to edges",
        "form",
        _WHERE,
    ),
    Operation(
        "add_line",
        "Line",
        "Add",
        _form(add_line),
        "Add a line through {points}, at {at}",
        "Edges to be extruded, revolved or filled",
        "form",
        (Points("points", ((0.0, 0.0, 0.0), (20.0, 0.0, 0.0)), "Its points, with ; between"), *_WHERE),
        on_line={"nothing": 100},
    ),
    Operation(
        "add_curve",
        "Curve",
        "Add",
        _curve,
        "Add a {kind} curve through {points}, {closed}, radii {radii}, at {at}[, along the surface of {onto}]",
        "To sweep or extrude along",
        "form",
        (
            Points("points", ((0.0, 0.0, 0.0), (20.0, 0.0, 10.0), (40.0, 0.0, 0.0)), "Its points, with ; between"),
            Choice("kind", "straight", "How it runs through its points", words=("straight", "smooth")),
            Toggle("closed", False, "Whether it comes back", on="closed", off="open"),
            Lengths("radii", (1.0,), "Of what is swept along it: one, or one for each point"),
            SurfaceOf("onto", None, "The part that it lies on between its points too", optional=True),
            *_WHERE,
        ),
        tool="places",
    ),
)
