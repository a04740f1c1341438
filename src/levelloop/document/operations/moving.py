"""Placing and moving."""

from __future__ import annotations

from levelloop.core.edit.transform import move, move_along_normals, rotate, scale
from levelloop.document.operations.common import ANY, AXES
from levelloop.document.parameters import (
    Angle,
    Length,
    Toggle,
    Vector,
)
from levelloop.document.registry import Operation

_PIVOT = Vector("pivot", "middle", "What stays in place", words=("middle", "each", "origin"))


MOVING: tuple[Operation, ...] = (
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
)
