"""All operations, declared; the one table that menus, search, sentences, history and scripts read."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from levelloop.core import selection as selecting
from levelloop.core.edit.extrude import extrude, inset
from levelloop.core.edit.fill import fill
from levelloop.core.edit.join import join_points
from levelloop.core.edit.loops import run_loop
from levelloop.core.edit.simple import crease, delete, face_outward, flip, set_material, set_scheme, sharpen_points
from levelloop.core.edit.take_out import take_out
from levelloop.core.edit.to_quads import to_quads
from levelloop.core.edit.transform import move, move_along_normals, rotate, scale
from levelloop.core.edit.weld import collapse, weld, weld_onto
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, disc, placed, plane, quad_sphere
from levelloop.core.mesh import BOUNDARIES, TRIANGLE_RULES, Mesh
from levelloop.core.selection import Kind, Selection
from levelloop.document.document import Document, Part
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Length,
    Number,
    Parameter,
    Plain,
    PointNumber,
    Ratio,
    Rims,
    Text,
    Toggle,
    Vector,
)
from levelloop.document.registry import Operation, Registry
from levelloop.document.units import parse_length

ANY: tuple[Kind, ...] = ("points", "edges", "faces")
AXES = ("x", "y", "z", "-x", "-y", "-z")

_WHERE: tuple[Parameter, ...] = (
    Vector("at", (0.0, 0.0, 0.0), "Where its centre is"),
    Vector("axis", "z", "Where its own z points", is_length=False, words=AXES),
    Angle("turn", 0.0, "Turned about its axis"),
    Text("name", "", "The part's name"),
    Plain("into", None, optional=True),
)
_PIVOT = Vector("pivot", "middle", "What stays in place", words=("middle", "each", "origin"))


def _form(make: Any) -> Any:
    """A form's function that also takes at, axis and turn."""

    def run(at: Any, axis: Any, turn: float, **sizes: Any) -> Mesh:
        return placed(make(**sizes), at, axis, turn)

    return run


def _select(walk: Any) -> Any:
    return lambda mesh, selection, **parameters: walk(mesh.topology, selection, **parameters)


def _convert(mesh: Mesh, selection: Selection, kind: Kind) -> Selection:
    return selecting.convert(mesh.topology, selection, kind)


def _set_level(part: Part, level: Any) -> Part:
    return (
        replace(part, level=max(part.level, 1), limit=True)
        if level == "limit"
        else replace(part, level=int(level), limit=False)
    )


def _rename(part: Part, name: str) -> Part:
    if not name:
        raise EditError("A part needs a name.")
    return replace(part, name=name)


def _set_value(document: Document, name: str, value: Any) -> Document:
    if not name.isidentifier() or name in ("mm", "cm", "m", "in", "ft", "last"):
        raise EditError(f'"{name}" cannot be a name; use letters, digits and _, and no unit.')
    reading = document.reading
    text = str(value)
    number = parse_length(text, document.unit, reading.values)
    return replace(document, values={**document.values, name: (text, number)})


OPERATIONS: tuple[Operation, ...] = (
    # Forms
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
    # Placing and moving
    Operation(
        "move",
        "Move",
        "Transform",
        move,
        "Move {selection} by {by}",
        "Moves what is selected",
        "cage",
        (Vector("by", (0.0, 0.0, 0.0), "Along x, y and z"),),
        ANY,
        or_all=True,
        shortcut="M",
        icon="move",
        group="Shape",
    ),
    Operation(
        "rotate",
        "Rotate",
        "Transform",
        rotate,
        "Rotate {selection} by {angle} about {axis}, pivot {pivot}",
        "Turns what is selected",
        "cage",
        (
            Angle("angle", 0.0, "Counter-clockwise, seen against the axis"),
            Vector("axis", "z", "The axis it turns about", is_length=False, words=AXES),
            _PIVOT,
        ),
        ANY,
        or_all=True,
        shortcut="T",
        icon="rotate",
        group="Shape",
    ),
    Operation(
        "scale",
        "Scale",
        "Transform",
        scale,
        "Scale {selection} by {factors}, pivot {pivot}",
        "Makes what is selected larger or smaller; 0 flattens",
        "cage",
        (
            Vector("factors", 1.0, "One factor, or one each for x, y and z", is_length=False, single=True, step=0.05),
            _PIVOT,
        ),
        ANY,
        or_all=True,
        shortcut="S",
        icon="scale",
        group="Shape",
    ),
    Operation(
        "move_along_normals",
        "Swell",
        "Transform",
        move_along_normals,
        "Swell {selection} by {distance}, {keep_wall}",
        "Moves what is selected along its normals",
        "cage",
        (
            Length("distance", 1.0, "Positive swells, negative thins"),
            Toggle("keep_wall", False, "Whether faces keep their exact distance", on="walls exact", off="walls free"),
        ),
        ANY,
        or_all=True,
    ),
    # Building
    Operation(
        "extrude",
        "Extrude",
        "Build",
        extrude,
        "Extrude {selection} by {distance} along {direction}, steps {steps}, end scale {end_scale}, {each}"
        "[, rims {rims}]",
        "Pulls faces out and closes their sides, or edges to strips",
        "cage",
        (
            Length("distance", 0.0, "How far"),
            Vector("direction", "normal", "Along the normals or a direction", is_length=False, words=("normal", *AXES)),
            Count("steps", 1, "Rows of quads", high=200),
            Ratio("end_scale", 1.0, "Size of the moved end", low=0),
            Toggle("each", False, "Whether every face goes by itself", on="each face", off="together"),
            Rims("rims", None, "Pairs of along, across", optional=True),
        ),
        ("faces", "edges"),
        shortcut="X",
        icon="extrude",
        group="Build",
    ),
    Operation(
        "inset",
        "Inset",
        "Build",
        inset,
        "Inset {selection} by {width}, raised {depth}, {each}",
        "Draws the rim of faces in and leaves a border of quads",
        "cage",
        (
            Length("width", 1.0, "How far in, square to the rim"),
            Length("depth", 0.0, "Positive raised, negative sunk"),
            Toggle("each", False, "Whether every face goes by itself", on="each face", off="together"),
        ),
        ("faces",),
        shortcut="N",
        icon="inset",
        group="Build",
    ),
    Operation(
        "run_loop",
        "Run a loop",
        "Build",
        run_loop,
        "Run a loop through {selection}[ at ratio {ratio}][ at {distance}], count {count}, {mirrored}",
        "Inserts edge loops around a ring",
        "cage",
        (
            Ratio("ratio", None, "Along each edge, 0 to 1", optional=True, low=0, high=1),
            Length("distance", None, "From the end of each edge", optional=True, low=0, above_low=True, step=0.5),
            Count("count", 1, "How many, evenly", high=200),
            Toggle(
                "mirrored", False, "Whether each gets a twin at the other end", on="as a mirrored pair", off="single"
            ),
        ),
        ("edges",),
        shortcut="L",
        icon="run_loop",
        group="Cut",
    ),
    Operation(
        "join_points",
        "Join points",
        "Build",
        join_points,
        "Join {selection}",
        "Splits faces with edges between selected points",
        "cage",
        (),
        ("points",),
        2,
        shortcut="Y",
        icon="join",
        group="Join",
    ),
    Operation(
        "weld",
        "Weld",
        "Build",
        weld,
        "Weld {selection} within {distance}",
        "Makes points that lie together one",
        "cage",
        (Length("distance", 0.001, "Inclusive; or middle", low=0, step=0.01, words=("middle",)),),
        ANY,
        shortcut="W",
        icon="weld",
        group="Join",
    ),
    Operation(
        "take_out",
        "Take out",
        "Build",
        take_out,
        "Take out {selection}, {two_edge_points}",
        "Takes edges out and joins the faces beside them",
        "cage",
        (
            Toggle(
                "two_edge_points",
                True,
                "What happens to points left with two edges",
                on="with points left on two edges",
                off="leaving all points",
            ),
        ),
        ANY,
        shortcut="O",
        icon="take_out",
        group="Cut",
    ),
    Operation(
        "fill",
        "Fill",
        "Build",
        fill,
        "Fill {selection} with {kind}",
        "Closes a hole, or makes a face from points",
        "cage",
        (Choice("kind", "face", "What it is filled with", words=("face", "triangles")),),
        ("edges", "points"),
        3,
        icon="fill",
        group="Join",
    ),
    Operation(
        "delete",
        "Delete",
        "Edit",
        delete,
        "Delete {selection}, {keep_unattached}",
        "Removes what is selected",
        "cage",
        (
            Toggle(
                "keep_unattached",
                False,
                "Points that no face needs any more",
                on="keeping loose points",
                off="with loose points",
            ),
        ),
        ANY,
        shortcut="Delete",
        icon="delete",
        group="Cut",
    ),
    Operation(
        "flip",
        "Flip",
        "Build",
        flip,
        "Flip {selection}",
        "Turns faces to face the other way",
        "cage",
        (),
        ("faces",),
        or_all=True,
        icon="flip",
        group="Join",
    ),
    Operation(
        "weld_onto",
        "Weld onto",
        "Build",
        weld_onto,
        "Weld {selection} onto {target}",
        "Pulls points onto the one picked last and makes them one",
        "cage",
        (PointNumber("target", None, "The point that stays; the last one picked", optional=True),),
        ("points",),
    ),
    Operation(
        "collapse",
        "Collapse",
        "Build",
        collapse,
        "Collapse {selection}",
        "Makes each connected group one point, at its middle",
        "cage",
        (),
        ANY,
    ),
    Operation(
        "to_quads",
        "To quads",
        "Build",
        to_quads,
        "Join {selection} to quads over folds up to {over}",
        "Joins triangles in pairs, the squarest first",
        "cage",
        (Angle("over", 30.0, "A larger fold stays an edge", low=0, high=180),),
        ("faces",),
        or_all=True,
    ),
    Operation(
        "face_outward",
        "Face outward",
        "Build",
        face_outward,
        "Face {selection} outward",
        "Turns faces that look inwards",
        "cage",
        (),
        ("faces",),
        or_all=True,
    ),
    # Smoothing and looks
    Operation(
        "crease",
        "Crease",
        "Smooth",
        crease,
        "Crease {selection} at {weight}",
        "Holds edges sharp; 10 never fades",
        "cage",
        (Number("weight", 10.0, "0 smooth to 10, which never fades", low=0, high=10),),
        ("edges", "faces"),
        shortcut="K",
        icon="crease",
        group="Smooth",
    ),
    Operation(
        "sharpen_points",
        "Sharpen",
        "Smooth",
        sharpen_points,
        "Sharpen {selection} at {weight}",
        "Holds points sharp; 10 never fades",
        "cage",
        (Number("weight", 10.0, "0 smooth to 10, which never fades", low=0, high=10),),
        ("points",),
        icon="sharpen",
        group="Smooth",
    ),
    Operation(
        "set_level",
        "Smoothing level",
        "Smooth",
        _set_level,
        "Smooth the part to level {level}",
        "One level for view and output",
        "part",
        (Count("level", 2, "0 to 6, or limit", low=0, high=6, words=("limit",)),),
    ),
    Operation(
        "set_material",
        "Material",
        "Smooth",
        set_material,
        "Give {selection} the material {material}",
        "A material by its name",
        "cage",
        (Text("material", "", "Its name; empty takes it away"),),
        ("faces",),
        or_all=True,
    ),
    Operation(
        "set_scheme",
        "Boundary and triangles",
        "Smooth",
        set_scheme,
        "Smooth the boundary by {boundary}, triangles by {triangles}",
        "How the whole cage is smoothed at its boundary and across triangles, in OpenUSD's words",
        "cage",
        (
            Choice("boundary", "edgeAndCorner", "edgeOnly rounds corners; none leaves the rim out", words=BOUNDARIES),
            Choice("triangles", "catmullClark", "smooth has rounder weights", words=TRIANGLE_RULES),
        ),
    ),
    # Selecting
    Operation(
        "select_loop",
        "Select loop",
        "Select",
        _select(selecting.select_loop),
        "Select the loop of {selection}",
        "The edge loop, or the face loop of two neighbouring faces",
        "selection",
        (),
        ("edges", "faces"),
    ),
    Operation(
        "select_ring",
        "Select ring",
        "Select",
        _select(selecting.select_ring),
        "Select the ring of {selection}",
        "Edges across from each other in quads",
        "selection",
        (),
        ("edges",),
    ),
    Operation(
        "select_boundary",
        "Select boundary",
        "Select",
        _select(selecting.select_boundary),
        "Select the boundary",
        "All open edges, of what is selected or of the whole cage",
        "selection",
    ),
    Operation(
        "grow",
        "Grow",
        "Select",
        _select(selecting.grow),
        "Grow the selection",
        "Adds what touches the selection",
        "selection",
        (),
        ANY,
        shortcut="+",
    ),
    Operation(
        "shrink",
        "Shrink",
        "Select",
        _select(selecting.shrink),
        "Shrink the selection",
        "Takes away its rim",
        "selection",
        (),
        ANY,
        shortcut="-",
    ),
    Operation(
        "select_connected",
        "Select connected",
        "Select",
        _select(selecting.select_connected),
        "Select what is connected",
        "Everything joined to the selection by edges",
        "selection",
        (),
        ANY,
    ),
    Operation(
        "outline",
        "Select outline",
        "Select",
        _select(selecting.outline),
        "Select the outline of {selection}",
        "Edges between selected faces and the rest",
        "selection",
        (),
        ANY,
    ),
    Operation(
        "invert",
        "Invert",
        "Select",
        _select(selecting.invert),
        "Invert the selection",
        "What is not selected",
        "selection",
        (),
    ),
    Operation(
        "convert",
        "Convert",
        "Select",
        _convert,
        "Convert the selection to {kind}",
        "The same place as another kind",
        "selection",
        (Choice("kind", "points", "To what", words=ANY),),
        ANY,
    ),
    # Parts and document
    Operation(
        "rename_part",
        "Rename part",
        "Part",
        _rename,
        "Call the part {name}",
        "Gives the active part a name",
        "part",
        (Text("name", "", "Its new name"),),
    ),
    Operation(
        "set_value",
        "Named value",
        "Edit",
        _set_value,
        "Let {name} be {value}",
        "A length that typed numbers may use",
        "document",
        (Text("name", "", "Its name"), Plain("value", "0 mm")),
    ),
)


def build_registry() -> Registry:
    """The registry with every operation. Raises ValueError where two clash."""
    registry = Registry()
    for operation in OPERATIONS:
        registry.add(operation)
    return registry


REGISTRY = build_registry()
