"""Placing and moving."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.arrays import mask_of
from levelloop.core.edit.move.fit_points import even_out, flatten, make_round, match_loop, relax, straighten
from levelloop.core.edit.move.slide import NUDGE_MODES, nudge, slide
from levelloop.core.edit.move.transform import align, move, move_along_normals, place, resize, rotate, scale, slant
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection, points_of, select
from levelloop.core.select.runs import runs_of_selection
from levelloop.core.select.soft_range import SOFT_SHAPES
from levelloop.core.select.symmetry import twins_by_flow, twins_by_place
from levelloop.core.tolerance import Automatic, settled
from levelloop.document.document import TWINS_WITHIN, Document, Symmetry
from levelloop.document.operations.common import ANY
from levelloop.document.parameters import (
    Angle,
    Axes,
    Choice,
    Count,
    Length,
    Parameter,
    PartName,
    PointPairs,
    Points,
    Ratio,
    Sizes,
    Text,
    Toggle,
    Vector,
    Within,
)
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import Change
from levelloop.document.shared_parameters import AXES

_PIVOT = Vector("pivot", "middle", "What stays in place", words=("middle", "each", "origin", "anchor", "last"))
_AXES = Axes("frame", "world", "The axes that the numbers count along", closed_at="world")
_ALONG = "[ in the axes of {frame}]"
_SOFT: tuple[Parameter, ...] = (
    Length("soft_range", 0.0, "How far around points follow; 0 not at all", closed_at=0.0, low=0),
    Choice("soft_shape", "bell", "How they follow less and less", words=SOFT_SHAPES),
    Toggle("along_surface", False, "How the range is measured", on="along the surface", off="straight"),
    Vector("soft_centre", None, "Measured from there instead", optional=True),
    Vector("soft_radii", None, "A range for each axis; 0 ignores it", optional=True),
)
_SOFTLY = "[, soft range {soft_range} {soft_shape} {along_surface}][ around {soft_centre}][ with radii {soft_radii}]"


def _match_loop(mesh: Mesh, selection: Selection, target: Any, of: Mesh | None) -> Edit:
    source = mesh if of is None else of
    edges = select(source.topology, "edges", target if target is not None else [])
    runs = runs_of_selection(source, edges)
    if len(runs) != 1:
        raise EditError(f"The loop to match must be one run or loop of edges; these are {len(runs)}.")
    return match_loop(mesh, selection, source.points[runs[0].points], runs[0].closed)


def _set_symmetry(
    document: Document, selections: Mapping[str, Selection], axis: str, tolerance: float, by: str
) -> Change:
    if axis == "off":
        return Change(replace(document, symmetry=None), selections)
    part = document.part
    mesh = part.mesh
    middle = None
    if by == "by flow":
        selection = selections.get(part.id)
        if selection is None or selection.kind != "edges" or len(selection) != 1:
            raise EditError("Symmetry by flow starts from one selected edge in the middle.")
        a, b = part.mesh.topology.edges[selection.indices[0]].tolist()
        middle = (a, b)
        twin = twins_by_flow(part.mesh, int(selection.indices[0]))
    else:
        within = settled(tolerance, mesh.points, mesh.topology.edges)
        twin = twins_by_place(mesh.points, "xyz".index(axis), within)
    lone = int((twin < 0).sum())
    told = f"{lone} {'point has' if lone == 1 else 'points have'} no twin." if lone else "Every point has its twin."
    return Change(replace(document, symmetry=Symmetry(axis, tolerance, middle)), selections, told)  # type: ignore[arg-type]


def _to_plane(mesh: Mesh, selection: Selection, axis: str, within: float) -> Edit:
    chosen = points_of(mesh.topology, selection) if len(selection) else np.arange(mesh.n_points)
    concerned = mesh.topology.edges[mask_of(chosen, mesh.n_points)[mesh.topology.edges].any(axis=1)]
    near = chosen[np.abs(mesh.points[chosen, "xyz".index(axis)]) <= settled(within, mesh.points, concerned)]
    points = mesh.points.copy()
    points[near, "xyz".index(axis)] = 0.0
    told = f"{len(near)} {'point was' if len(near) == 1 else 'points were'} pulled onto the plane."
    return Edit(mesh.with_points(points), selection, identity(mesh), told)


MOVING: tuple[Operation, ...] = (
    Operation(
        "move",
        "Move",
        "Transform",
        move,
        "Move {selection} by {by}[ from {from_point}][ to {to_point}]" + _ALONG + _SOFTLY,
        "Moves what is selected",
        "cage",
        (
            Vector("by", (0.0, 0.0, 0.0), "Along x, y and z"),
            Vector("from_point", None, "What is here", optional=True),
            Vector("to_point", None, "comes here", optional=True),
            _AXES,
            *_SOFT,
        ),
        ANY,
        or_all=True,
        moves_only=True,
        shortcut="M",
        icon="move",
        handle="move",
        on_line={"points": 10, "edges": 10, "faces": 10, "parts": 10},
        also="translate shift place",
    ),
    Operation(
        "rotate",
        "Rotate",
        "Transform",
        rotate,
        "Rotate {selection} by {angle} about {axis}, pivot {pivot}" + _ALONG + _SOFTLY,
        "Turns what is selected",
        "cage",
        (
            Angle("angle", 0.0, "Counter-clockwise, seen against the axis"),
            Vector("axis", "z", "The axis it turns about", is_length=False, words=AXES),
            _PIVOT,
            _AXES,
            *_SOFT,
        ),
        ANY,
        or_all=True,
        moves_only=True,
        shortcut="T",
        icon="rotate",
        handle="rotate",
        on_line={"points": 20, "edges": 20, "faces": 20, "parts": 20},
        also="turn spin",
    ),
    Operation(
        "scale",
        "Scale",
        "Transform",
        scale,
        "Scale {selection} by {factors}, pivot {pivot}" + _ALONG + _SOFTLY,
        "Makes what is selected larger or smaller; 0 flattens",
        "cage",
        (
            Vector("factors", 1.0, "One factor, or one each for x, y and z", is_length=False, single=True, step=0.05),
            _PIVOT,
            _AXES,
            *_SOFT,
        ),
        ANY,
        or_all=True,
        moves_only=True,
        shortcut="S",
        icon="scale",
        at_middle="spanning",
        handle="scale",
        on_line={"points": 30, "edges": 30, "faces": 30, "parts": 30},
        also="size stretch",
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
        moves_only=True,
        at_middle="local",
    ),
    Operation(
        "place",
        "Place",
        "Transform",
        place,
        "Place {selection} by its {by}[ at x {x}][ at y {y}][ at z {z}]",
        "Puts the middle, bottom or top, or a point, at exact coordinates",
        "cage",
        (
            Length("x", None, "Where along x", optional=True),
            Length("y", None, "Where along y", optional=True),
            Length("z", None, "Where along z", optional=True),
            Vector("by", "middle", "What comes there", words=("middle", "bottom", "top")),
        ),
        ANY,
        or_all=True,
        moves_only=True,
    ),
    Operation(
        "resize",
        "Resize",
        "Transform",
        resize,
        "Resize {selection} to {size}",
        "Gives the box around it a size; an axis left open goes in proportion",
        "cage",
        (Sizes("size", (None, None, None), "Width, depth and height; - leaves one open"),),
        ANY,
        or_all=True,
        moves_only=True,
        also="dimensions size",
    ),
    Operation(
        "align",
        "Align",
        "Transform",
        align,
        "Align {selection} with {to} along {axes}, {side} to {side}",
        "Brings it level with another part",
        "cage",
        (
            PartName("to", None, "The other part", optional=True),
            Text("axes", "xyz", "Along which axes"),
            Choice("side", "middle", "Which sides meet", words=("middle", "low", "high")),
        ),
        ANY,
        or_all=True,
        moves_only=True,
        on_line={"parts": 130},
        also="line up",
    ),
    Operation(
        "slant",
        "Slant",
        "Transform",
        slant,
        "Slant {selection} by {by} along {along}, pivot {pivot}",
        "Moves the far end and leaves the near one",
        "cage",
        (
            Vector("by", (0.0, 0.0, 0.0), "How far over the whole extent"),
            Vector("along", "z", "The direction that is slanted", is_length=False, words=AXES),
            _PIVOT,
        ),
        ANY,
        or_all=True,
        moves_only=True,
    ),
    Operation(
        "slide",
        "Slide",
        "Transform",
        slide,
        "Slide {selection}[ by ratio {ratio}][ by {distance}], {keep_shape}",
        "Slides edges along those beside them; positive to the left",
        "cage",
        (
            Ratio("ratio", 0.0, "Of the edges beside, -1 to 1", optional=True, low=-1, high=1, instead_of="distance"),
            Length("distance", None, "The same, exact", optional=True, instead_of="ratio"),
            Toggle("keep_shape", False, "Whether all go equally far", on="keeping its shape", off="each in proportion"),
        ),
        ("edges",),
        moves_only=True,
        on_line={"edges": 100},
        also="edge along",
    ),
    Operation(
        "nudge",
        "Nudge",
        "Transform",
        nudge,
        "Nudge by {mode}, radius {radius}, strength {strength}",
        "Moves points under a brush",
        "cage",
        (
            Points("path", ()),
            Choice("mode", "push", "What the brush does", words=NUDGE_MODES),
            Length("radius", 10.0, "Of the brush", low=0, above_low=True),
            Ratio("strength", 0.5, "0 to 1", low=0, high=1),
        ),
        moves_only=True,
        drawn="path",
        shortcut="Shift+N",
        tool="brush",
        on_line={"nothing": 130},
        also="brush push sculpt",
    ),
    Operation(
        "make_round",
        "Make round",
        "Transform/Fit",
        make_round,
        "Make {selection} round[, diameter {diameter}], {equal_spacing}",
        "Puts points on a circle",
        "cage",
        (
            Length("diameter", None, "Exact; as it is keeps the mean", optional=True, low=0, above_low=True),
            Toggle("equal_spacing", True, "Whether points stand equally apart", on="equally spaced", off="as spaced"),
        ),
        ANY,
        3,
        moves_only=True,
        at_middle="local",
        on_line={"points": 110},
        also="circle",
    ),
    Operation(
        "flatten",
        "Flatten",
        "Transform/Fit",
        flatten,
        "Flatten {selection}, normal {normal}",
        "Puts points on one plane",
        "cage",
        (Vector("normal", "fitted", "Square to that", is_length=False, words=("fitted", *AXES)),),
        ANY,
        moves_only=True,
        at_middle="spanning",
        on_line={"points": 90, "edges": 180, "faces": 180},
        also="planar level",
    ),
    Operation(
        "straighten",
        "Straighten",
        "Transform/Fit",
        straighten,
        "Straighten {selection}, {even}",
        "Puts runs on the line between their ends",
        "cage",
        (Toggle("even", False, "Whether distances become equal", on="equally spaced", off="as spaced"),),
        ANY,
        moves_only=True,
        at_middle="spanning",
        also="line align",
    ),
    Operation(
        "even_out",
        "Even out",
        "Transform/Fit",
        even_out,
        "Even out {selection}",
        "Spaces points equally along their run",
        "cage",
        (),
        ANY,
        moves_only=True,
        at_middle="local",
        also="spacing distribute",
    ),
    Operation(
        "relax",
        "Relax",
        "Transform/Fit",
        relax,
        "Relax {selection} {times} time(s) by {strength}, {keep_outline}",
        "Moves points towards the mean of their neighbours",
        "cage",
        (
            Count("times", 3, "How often", high=500),
            Ratio("strength", 0.3, "How far each time", low=0, high=1),
            Toggle("keep_outline", True, "What open edges do", on="open edges stay", off="open edges too"),
        ),
        ANY,
        or_all=True,
        moves_only=True,
        at_middle="local",
        on_line={"points": 100},
        also="smooth even soften",
    ),
    Operation(
        "match_loop",
        "Match a loop",
        "Transform/Fit",
        _match_loop,
        "Match {selection} to a loop[ of {of}]",
        "Puts a loop onto another",
        "cage",
        (
            PointPairs("target", None, "The edges of the other loop", optional=True),
            PartName("of", None, "The part the other loop is in", optional=True),
        ),
        ("edges", "points"),
        moves_only=True,
        also="align loop",
    ),
    Operation(
        "set_anchor",
        "Anchor",
        "Transform",
        lambda document, at: replace(document, anchor=at),
        "Set the anchor at {at}",
        "A point that pivots and typed values may use",
        "document",
        (Vector("at", (0.0, 0.0, 0.0), "Where"),),
    ),
    Operation(
        "set_symmetry",
        "Symmetric editing",
        "Transform",
        _set_symmetry,
        "Edit symmetrically across {axis} within {tolerance}, twins {by}",
        "Moves are made on both sides; off ends it",
        "parts",
        (
            Choice("axis", "x", "The plane's axis", words=("off", "x", "y", "z")),
            Within("tolerance", TWINS_WITHIN, "Within which places are twins", low=0),
            Choice("by", "by place", "By place, or by flow from the selected edge", words=("by place", "by flow")),
        ),
        also="mirror symmetric",
    ),
    Operation(
        "to_plane",
        "Pull onto the plane",
        "Transform/Fit",
        _to_plane,
        "Pull points of {selection} within {within} onto the plane across {axis}",
        "Closes the middle of what is symmetric",
        "cage",
        (
            Choice("axis", "x", "The plane's axis", words=("x", "y", "z")),
            Within("within", Automatic(0.1), "Points nearer than that", low=0),
        ),
        ANY,
        or_all=True,
        moves_only=True,
    ),
)
