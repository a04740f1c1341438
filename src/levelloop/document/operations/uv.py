"""UV: seams suggested, islands laid flat, projected, straightened and packed."""

from __future__ import annotations

from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection
from levelloop.core.uv.flatten import Method, limit_of
from levelloop.core.uv.flatten import unwrap as laid_flat
from levelloop.core.uv.packing import pack
from levelloop.core.uv.project import project_uv
from levelloop.core.uv.seams import suggest_seams
from levelloop.core.uv.straighten import straighten_uv
from levelloop.document.parameters import Angle, Choice, Count, Length, Parameter, Toggle, Vector
from levelloop.document.registry import Operation
from levelloop.document.shared_parameters import AXES

PICTURE: tuple[Parameter, ...] = (
    Count("margin", 4, "Pixels between islands", low=0, high=256),
    Count("size", 2048, "Pixels to a side of the picture", low=16, high=65536),
)


def _unwrap(
    mesh: Mesh,
    selection: Selection,
    method: Method = "low stretch",
    pack: bool = True,
    margin: int = 4,
    size: int = 2048,
) -> Edit:
    """Laid flat by where the points lie on the smooth surface: that is what is textured."""
    return laid_flat(mesh, selection, method, pack, margin, size, limit_of(mesh) if mesh.n_faces else None)


UV: tuple[Operation, ...] = (
    Operation(
        "suggest_seams",
        "Suggest seams",
        "Skin",
        suggest_seams,
        "Suggest seams for {selection} over folds of {fold}, {hidden_first}",
        "Sharp folds first, then the shortest cuts that let everything lie flat",
        "cage",
        (
            Angle("fold", 40.0, "A larger fold becomes a seam", low=0, high=180),
            Toggle("hidden_first", True, "Which cuts come first", on="hidden sides first", off="the shortest first"),
        ),
        ("faces",),
        or_all=True,
        also="uv cut unwrap",
    ),
    Operation(
        "unwrap",
        "Unwrap",
        "Skin",
        _unwrap,
        "Unwrap {selection} with {method}, {pack}[, margin {margin}, picture {size}]",
        "Lays islands flat between their seams; points of the set “pinned” keep their UV",
        "cage",
        (
            Choice("method", "low stretch", "What is kept", words=("low stretch", "angles")),
            Toggle("pack", True, "Whether islands are packed too", on="packed", off="not packed"),
            *PICTURE,
        ),
        ("faces",),
        or_all=True,
        also="uv flatten islands texture",
    ),
    Operation(
        "project_uv",
        "Project UV",
        "Skin",
        project_uv,
        "Project UV onto {selection} by a {by} along {axis}[, {size} wide]",
        "From a plane, the six sides of a box, around a cylinder or a sphere, or along the view",
        "cage",
        (
            Choice("by", "box", "How it is projected", words=("plane", "box", "cylinder", "sphere", "view")),
            Vector("axis", "z", "What it is projected along, or around", is_length=False, words=AXES),
            Length("size", None, "What becomes 1 of UV; fitted where empty", optional=True, low=0, above_low=True),
        ),
        ("faces",),
        or_all=True,
        also="uv planar cubic mapping texture",
    ),
    Operation(
        "straighten_uv",
        "Straighten UV",
        "Skin",
        straighten_uv,
        "Straighten the UV of {selection}",
        "Islands that are grids of quads become rectangles",
        "cage",
        (),
        ("faces",),
        or_all=True,
        also="uv rectangle grid",
    ),
    Operation(
        "pack",
        "Pack UV",
        "Skin",
        pack,
        "Pack the UV of {selection}, margin {margin}, picture {size}[, {turn}, {equal_density}]",
        "Puts islands beside each other into the unit square",
        "cage",
        (
            *PICTURE,
            Toggle("turn", True, "Whether islands are turned", on="turned", off="as they lie"),
            Toggle("equal_density", True, "Their sizes", on="all at one density", off="sizes as they are"),
        ),
        ("faces",),
        or_all=True,
        also="uv islands layout texture",
    ),
)
