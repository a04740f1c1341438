"""Smoothing and looks."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from levelloop.core.edit.clean.simple import (
    crease,
    seam,
    set_scheme,
    shade,
    sharpen_points,
)
from levelloop.core.mesh.mesh import BOUNDARIES, CREASE_RULES, TRIANGLE_RULES, UV_RULES
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Number,
    Toggle,
)
from levelloop.document.part import Part
from levelloop.document.registry import Operation


def _set_level(part: Part, level: Any) -> Part:
    return (
        replace(part, level=max(part.level, 1), limit=True)
        if level == "limit"
        else replace(part, level=int(level), limit=False)
    )


SMOOTHING: tuple[Operation, ...] = (
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
        on_line={"edges": 70, "faces": 110},
        also="sharp hard edge weight",
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
        on_line={"points": 80},
        also="corner crease",
    ),
    Operation(
        "seam",
        "Seam",
        "Smooth",
        seam,
        "Make {selection} {on}",
        "Edges where UV islands end",
        "cage",
        (Toggle("on", True, "Whether they are seams", on="seams", off="no seams"),),
        ("edges",),
        on_line={"edges": 170},
        also="uv cut",
    ),
    Operation(
        "shade",
        "Shade",
        "Smooth",
        shade,
        "Shade {selection} {kind}, {angle}",
        "Hard or soft, where a part is shown without smoothing",
        "cage",
        (
            Choice("kind", "angle", "Hard, soft, or soft up to an angle", words=("hard", "soft", "angle")),
            Angle("angle", 20.0, "A larger fold is hard; 10 to 30 for faceted forms", low=0, high=180),
        ),
        ("edges", "faces"),
        or_all=True,
    ),
    Operation(
        "set_level",
        "Smoothing level",
        "Smooth",
        _set_level,
        "Smooth {selection} to level {level}",
        "One level for view and output",
        "part",
        (Count("level", 2, "0 to 6, or limit", low=0, high=6, words=("limit",)),),
    ),
    Operation(
        "set_scheme",
        "Smoothing rules",
        "Smooth",
        set_scheme,
        "Smooth the boundary by {boundary}, triangles by {triangles}, UV by {uv}, creases by {creases}",
        "How the whole cage is smoothed, in OpenUSD's words",
        "cage",
        (
            Choice("boundary", "edgeAndCorner", "edgeOnly rounds corners; none leaves the rim out", words=BOUNDARIES),
            Choice("triangles", "catmullClark", "smooth has rounder weights", words=TRIANGLE_RULES),
            Choice("uv", "cornersPlus1", "Where UV stays straight along the rims of islands", words=UV_RULES),
            Choice("creases", "uniform", "chaikin evens out different weights along a crease", words=CREASE_RULES),
        ),
    ),
)
