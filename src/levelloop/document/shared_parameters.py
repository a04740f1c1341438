"""Rows of parameters that operations and the steps of a recipe share."""

from __future__ import annotations

from levelloop.core.tolerance import AUTOMATIC
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Length,
    Number,
    Parameter,
    Ratio,
    Sizes,
    Toggle,
    Vector,
    Within,
)

AXES = ("x", "y", "z", "-x", "-y", "-z")

AXIS = Vector("axis", "z", "The axis it goes around", is_length=False, words=AXES)
PIVOT = Vector("pivot", "origin", "A place on the axis", words=("origin", "middle", "anchor"))
AROUND: tuple[Parameter, ...] = (AXIS, PIVOT)
WELD = Within(
    "weld",
    AUTOMATIC,
    "New points nearer than that become one; none where empty",
    optional=True,
    low=0,
    step=0.01,
)
WELD_COPIES = Within("weld", None, "Points nearer than that become one", optional=True, low=0, step=0.01)
UV_OF_COPIES = Choice(
    "uv",
    "stack",
    "Copies share their UV, or each has it a picture farther right",
    words=("stack", "side by side"),
    closed_at="stack",
)
TURN: tuple[Parameter, ...] = (
    Angle("angle", 360.0, "A full turn closes", low=-360, high=360, turns=True),
    Count("steps", 16, "Rows of faces", high=4096),
)
WINDING: tuple[Parameter, ...] = (
    Length("pitch", None, "Per turn; the profile's own length along the axis where empty", optional=True),
    Length("rise", None, "In all, instead of the pitch", optional=True),
    Number("turns", 1.0, "Also fractions; negative ones wind the other way", low=-1000, high=1000, step=0.25),
    Count("steps", 16, "Rows per turn", low=3, high=1024),
)
RUN_OUT = Number("run_out", 0.0, "Turns over which the profile fades at both ends", low=0, high=100, step=0.25)
ROW: tuple[Parameter, ...] = (
    Count("count", 3, "With the original", high=10_000),
    Vector("move", (0.0, 0.0, 0.0), "Each copy once more"),
    Angle("rotate", 0.0, "Each copy once more", turns=True),
)
SCALE_OF_COPIES = Ratio("scale", 1.0, "Each copy once more", low=0, above_low=True)
WALL: tuple[Parameter, ...] = (
    Length("inward", 0.0, "From the faces inward", low=0, step=0.5),
    Length("outward", 1.0, "From the faces outward", low=0, step=0.5),
    Toggle("even_wall", True, "At corners", on="walls exact", off="along mean normals"),
    Count("rim_steps", 1, "Rows of the rim", high=64),
)
SPACED = Toggle("even", True, "How rows are spaced", on="evenly spaced", off="as the curve's points")
ALONG_CURVE: tuple[Parameter, ...] = (
    Count("steps", 4, "Between two points of the curve", high=512),
    Count("sides", 8, "Of a round sweep", low=3, high=256),
    Choice("caps", "open", "What closes its ends", words=("open", "face", "quads", "round")),
    SPACED,
)
PULLED_ALONG: tuple[Parameter, ...] = (
    Count("steps", 8, "Rows of quads", high=4096),
    Ratio("end_scale", 1.0, "Size of the end", low=0),
    Angle("twist", 0.0, "Over the whole way", turns=True),
    SPACED,
)
SIDES_OF_WALL = Toggle("reversed", False, "Which side is which", on="sides exchanged", off="as they face")


def held_radius(unless: str = "") -> Length:
    """The radius that edges are held with; unless: the parameter that stands for it where it is set."""
    return Length("radius", 1.0, "At the tip of the turn", low=0, above_low=True, step=0.1, unless=unless)


HELD_SIDES = Choice(
    "sides",
    "both",
    "Of the edges, as they were picked",
    words=("both", "left", "right"),
    sided=("left", "right"),
)
FILL = Choice("fill", "tip", "Tightest at its tip, or a true arc that moves the edge in", words=("tip", "arc"))
TRUE_SIZES = (
    Length("diameter", None, "Mean of the smooth ring", optional=True, low=0, above_low=True),
    Sizes("size", None, "Of the box around the smooth surface; - leaves one in proportion", optional=True),
    Choice("through", None, "What the surface passes through", optional=True, words=("points",)),
)
BAKE = (
    Count("level", None, "0 to 6; the part's own where empty", optional=True, low=0, high=6),
    Toggle("take_out_flats", False, "Faces that lie flat beside each other", on="flats taken out", off="flats kept"),
)
