"""Building with repetition and along ways: sweeps, copies, walls, cuts, bridges."""

from __future__ import annotations

from typing import Any

from levelloop.core.arrays import Floats, Integers
from levelloop.core.edit.build.bridge import bridge
from levelloop.core.edit.build.groove import groove
from levelloop.core.edit.build.lay_strip import lay_strip, strip_across
from levelloop.core.edit.build.sweeping import extrude_along, helix, revolve, sweep
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.edit.build.weave import weave
from levelloop.core.edit.clean.flats import swing_edge, take_out_flats
from levelloop.core.edit.divide.cut import cut, mirrored_path
from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.edit.divide.split import split_ring, subdivide
from levelloop.core.edit.repeat.copies import array, mirror_across
from levelloop.core.geometry.planes import as_direction
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.tolerance import AUTOMATIC
from levelloop.document.operations.common import ANY
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Curve,
    CutPath,
    Length,
    Lengths,
    Parameter,
    PlaneOf,
    Points,
    Ratio,
    SurfaceOf,
    Toggle,
    Vector,
    Within,
)
from levelloop.document.registry import Operation
from levelloop.document.shared_parameters import (
    ALONG_CURVE,
    AROUND,
    AXES,
    PULLED_ALONG,
    ROW,
    RUN_OUT,
    SCALE_OF_COPIES,
    SIDES_OF_WALL,
    TURN,
    WALL,
    WELD,
    WELD_COPIES,
    WINDING,
)

_CURVE = Curve("curve", None, "The part that is the curve", optional=True)


def _plane(hint: str) -> Parameter:
    return PlaneOf("plane", "x", hint)


def _mirrored_cut(mesh: Mesh, values: dict[str, Any], twin: Integers, across: Floats) -> dict[str, Any]:
    toward = values["toward"] and tuple((as_direction(values["toward"]) @ across[:3, :3]).tolist())
    return {**values, "path": mirrored_path(mesh, values["path"], twin, across), "toward": toward}


def _mirrored_strip(mesh: Mesh, values: dict[str, Any], twin: Integers, across: Floats) -> dict[str, Any] | None:
    path = strip_across(values["path"], across)
    return None if path is None else {**values, "path": path}


SWEEPING: tuple[Operation, ...] = (
    Operation(
        "extrude_along",
        "Extrude along",
        "Build/Along and around",
        extrude_along,
        "Extrude {selection} along {curve}, steps {steps}, end scale {end_scale}, twist {twist}, {even}",
        "Pulls faces along a curve; they turn with it",
        "cage",
        (
            _CURVE,
            *PULLED_ALONG,
        ),
        ("faces", "edges"),
        at_middle="making",
        waits=True,
    ),
    Operation(
        "revolve",
        "Revolve",
        "Build/Along and around",
        revolve,
        "Revolve {selection} by {angle} in {steps} step(s) about {axis}, pivot {pivot}[, weld {weld}]",
        "Turns a profile about an axis",
        "cage",
        (*TURN, *AROUND, WELD),
        ANY,
        in_turn=True,
        icon="revolve",
        at_middle="making",
        on_line={"faces": 150},
    ),
    Operation(
        "helix",
        "Helix",
        "Build/Along and around",
        helix,
        "Wind {selection}[ with pitch {pitch}][ rising {rise}], {turns} turn(s) in {steps} step(s) each, about {axis},"
        " pivot {pivot}, run-out {run_out}[, weld {weld}]",
        "Winds a profile about an axis: threads, springs",
        "cage",
        (*WINDING, *AROUND, RUN_OUT, WELD_COPIES),
        ("edges", "faces"),
        in_turn=True,
        at_middle="making",
        begins_with={"turns": 2.0},
    ),
    Operation(
        "sweep",
        "Sweep",
        "Build/Along and around",
        sweep,
        "Sweep {selection} along {curve}, {steps} step(s) between points, {sides} side(s), caps {caps}, {even}",
        "A profile along a curve; with nothing selected a round one by the curve's radii",
        "cage",
        (
            _CURVE,
            *ALONG_CURVE,
        ),
        ("edges",),
        or_all=True,
        at_middle="making",
    ),
    Operation(
        "array",
        "Array",
        "Build",
        array,
        "Repeat {selection}: {count} in all, moved {move}, turned {rotate} about {axis}, pivot {pivot}, scaled {scale}"
        "[, weld {weld}]",
        "Rows and rings; 20 slices of 18° close",
        "cage",
        (*ROW, *AROUND, SCALE_OF_COPIES, WELD_COPIES),
        ("faces", "edges"),
        or_all=True,
        icon="array",
        at_middle="making",
        begins_with={"move": (20.0, 0.0, 0.0)},
        on_line={"faces": 160},
        also="repeat copies pattern",
    ),
    Operation(
        "mirror_across",
        "Mirror across",
        "Build",
        mirror_across,
        "Mirror {selection} across {plane}[, keep {keep}], weld {weld}",
        "Adds the other side, or replaces it by the one that is kept",
        "cage",
        (
            _plane("The plane between both sides"),
            Choice("keep", None, "The side that is kept; none adds a copy", optional=True, words=("+", "-", "−")),
            Within("weld", AUTOMATIC, "Points nearer to the plane lie on it", low=0, step=0.01),
        ),
        ("faces", "edges"),
        or_all=True,
        icon="mirror",
        on_line={"faces": 170},
        also="symmetry reflect",
    ),
    Operation(
        "thicken",
        "Thicken",
        "Build",
        thicken,
        "Thicken {selection} by {outward} outward, {inward} inward, {even_wall}, {rim_steps} rim step(s)"
        "[, profile {profile}], {reversed}",
        "Gives a surface a wall and a rim",
        "cage",
        (*WALL, Curve("profile", None, "A curve the rim follows", optional=True), SIDES_OF_WALL),
        ("faces",),
        or_all=True,
        icon="thicken",
        at_middle="local",
        on_line={"faces": 80},
        also="shell wall solid",
    ),
    Operation(
        "groove",
        "Groove",
        "Divide",
        groove,
        "Groove {selection}, {width} wide, {height} high",
        "A sunk or raised line along edges",
        "cage",
        (
            Length("width", 1.0, "Over both sides", low=0, above_low=True, step=0.1),
            Length("height", -0.5, "Negative in, positive out", step=0.1),
        ),
        ("edges",),
        at_middle="local",
        on_line={"edges": 160},
        also="channel panel line",
    ),
    Operation(
        "split_ring",
        "Split ring",
        "Divide",
        split_ring,
        "Split {selection} in {count}",
        "Connects the middles of selected edges of a ring",
        "cage",
        (Count("count", 1, "New edges across each face", high=200),),
        ("edges",),
        shortcut="D",
        icon="split_ring",
        on_line={"edges": 110},
        also="subdivide connect",
    ),
    Operation(
        "cut",
        "Cut",
        "Divide",
        cut,
        "Cut along a path[ at ratio {ratio}], {closed}[, seen along {toward}, {through}]",
        "Draws edges through faces, from point to point",
        "cage",
        (
            CutPath("path", ()),
            Toggle("closed", False, "Whether it comes back", on="closed", off="open"),
            Ratio("ratio", None, "Where all edges are crossed", optional=True, low=0, high=1),
            Vector(
                "toward",
                None,
                "The direction places in space are seen along",
                optional=True,
                is_length=False,
                words=AXES,
            ),
            Toggle("through", False, "Whether what lies behind is cut too", on="all through", off="in front only"),
        ),
        shortcut="C",
        icon="cut",
        drawn="path",
        mirrored=_mirrored_cut,
        at_middle="drawn",
        tool="knife",
        on_line={"nothing": 120},
        also="knife split draw",
    ),
    Operation(
        "lay_strip",
        "Lay a strip",
        "Build",
        lay_strip,
        "Lay a strip {width} wide, {count} quad(s)[, onto {onto}][, ends welded within {weld}]",
        "Quads along a line over another part's smooth surface; it closes where it ends at its start",
        "cage",
        (
            Points("path", ()),
            Length("width", 5.0, "Across", low=0, above_low=True),
            Count("count", 8, "Quads along it", high=4096),
            SurfaceOf("onto", None, "The part on whose surface it lies", optional=True),
            Length("weld", None, "How near its ends meet points that are there", optional=True, low=0),
        ),
        drawn="path",
        mirrored=_mirrored_strip,
        at_middle="making",
        tool="strip",
        on_line={"nothing": 140},
    ),
    Operation(
        "slice",
        "Slice",
        "Divide",
        slice_planes,
        "Slice {selection} by {plane} at {offsets}, keep {keep}, {fill}",
        "Cuts through by planes",
        "cage",
        (
            _plane("The plane that cuts"),
            Lengths("offsets", (0.0,), "Along its normal, one cut each"),
            Choice("keep", "both", "What stays", words=("both", "front", "back")),
            Toggle("fill", False, "What is left open", on="filled", off="left open"),
        ),
        ANY,
        or_all=True,
        icon="slice",
        at_middle="local",
        tool="plane seen on edge",
        on_line={"faces": 90},
        also="plane section cut",
    ),
    Operation(
        "subdivide",
        "Subdivide",
        "Divide",
        subdivide,
        "Subdivide {selection} {times} time(s), smooth {smooth}",
        "Splits faces into quads",
        "cage",
        (
            Count("times", 1, "How often", high=6),
            Ratio("smooth", 0.0, "0 flat, 1 as the smooth surface", low=0, high=1),
        ),
        ("faces",),
        or_all=True,
        at_middle="local",
        on_line={"faces": 130},
        also="split finer",
    ),
    Operation(
        "take_out_flats",
        "Take out flats",
        "Mend",
        take_out_flats,
        "Take out flats of {selection} within {angle}",
        "Joins faces that lie flat beside each other",
        "cage",
        (Angle("angle", 1.0, "A larger fold stays", low=0, high=180, step=1.0),),
        ("faces",),
        or_all=True,
        at_middle="spanning",
        also="merge flat faces reduce",
    ),
    Operation(
        "weave",
        "Weave",
        "Build",
        weave,
        "Weave {selection}, turn {turn}, blend {blend}",
        "Closes a boundary with a grid of quads",
        "cage",
        (
            Count("turn", 0, "Moves the corners on by so many edges", low=-1000, high=1000),
            Ratio("blend", 1.0, "1 follows the surface around, 0 spans it straight", low=0, high=1),
        ),
        ("edges",),
        2,
        in_turn=True,
        icon="weave",
        at_middle="closing",
        on_line={"edges": 150},
        also="grid patch close hole",
    ),
    Operation(
        "bridge",
        "Bridge",
        "Build",
        bridge,
        "Bridge {selection}, {steps} step(s), twist {twist}, bulge {bulge}",
        "Joins two groups of faces or two runs of edges",
        "cage",
        (
            Count("steps", 1, "Rows of quads", high=512),
            Count("twist", 0, "So many edges further on", low=-1000, high=1000),
            Ratio("bulge", 0.0, "How far the middle stands out", low=-4, high=4),
        ),
        ("faces", "edges"),
        in_turn=True,
        icon="bridge",
        at_middle="closing",
        on_line={"edges": 60, "faces": 60},
        also="connect join holes",
    ),
    Operation(
        "swing_edge",
        "Swing edge",
        "Divide",
        swing_edge,
        "Swing {selection} {times} time(s)",
        "Turns an edge to the next corners of its two faces",
        "cage",
        (Count("times", 1, "Negative the other way", low=-64, high=64),),
        ("edges",),
        also="spin turn edge",
    ),
)
