"""Operations on curves: what they are, and their points put on, parted, spaced and moved aside."""

from __future__ import annotations

from levelloop.core.edit.build.curve_points import add_on_curve, offset_curve, part_curve, space_curve
from levelloop.core.forms.curves import curve_to_edges, set_curve
from levelloop.document.parameters import (
    Choice,
    Count,
    Length,
    PointPair,
    Ratio,
    Toggle,
    Vector,
)
from levelloop.document.registry import Operation
from levelloop.document.shared_parameters import (
    AXES,
)

CURVES: tuple[Operation, ...] = (
    Operation(
        "set_curve",
        "Curve settings",
        "Part/Curves",
        set_curve,
        "Let the curve run {kind}[, radius {radius}]",
        "How it runs through its points, and the radii of what is swept along it",
        "cage",
        (
            Choice("kind", "smooth", "How it runs through its points", words=("straight", "smooth")),
            Length("radius", None, "Of the selected points, or all", optional=True, low=0, step=0.5),
        ),
    ),
    Operation(
        "curve_to_edges",
        "Curve to edges",
        "Part/Curves",
        curve_to_edges,
        "Make {steps} edge(s) along the curve, {even}",
        "Edges instead of the curve, to be extruded or filled",
        "cage",
        (
            Count("steps", 8, "Edges in all", high=4096),
            Toggle("even", True, "How they are spaced", on="evenly spaced", off="as the curve's points"),
        ),
    ),
    Operation(
        "add_on_curve",
        "Add a point to a curve",
        "Part/Curves",
        add_on_curve,
        "Put a point onto the curve[ between {edge}] at {ratio}",
        "Click on the curve where the point is to be",
        "cage",
        (
            PointPair("edge", None, "The points that it comes between", optional=True, offered=False),
            Ratio("ratio", 0.5, "From the first of them", low=0, high=1, above_low=True),
        ),
        tool="a place on a curve",
        drawn="edge",
        also="insert vertex",
    ),
    Operation(
        "part_curve",
        "Part a curve",
        "Part/Curves",
        part_curve,
        "Part the curve at {selection}",
        "Each edge goes on with an end of its own",
        "cage",
        (),
        ("points",),
        also="split cut break",
    ),
    Operation(
        "space_curve",
        "Space a curve evenly",
        "Part/Curves",
        space_curve,
        "Space the points of the curve evenly[, {count} in all][, {spacing} apart at most]",
        "It keeps its way, its radii and its kind",
        "cage",
        (
            Count("count", None, "Points in all", low=2, high=4096, optional=True),
            Length("spacing", None, "Between them at most", optional=True, low=0, above_low=True),
        ),
        also="respace resample even",
    ),
    Operation(
        "offset_curve",
        "Move a curve aside",
        "Part/Curves",
        offset_curve,
        "Move the curve {distance} to its left, seen against {axis}",
        "Square to itself: duplicate it first for two that run beside each other",
        "cage",
        (
            Length("distance", 1.0, "Negative: to its right"),
            Vector("axis", "z", "What it stays level to", is_length=False, words=AXES),
        ),
        also="offset parallel",
    ),
)
