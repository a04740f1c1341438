"""The skin: materials; seams suggested, islands laid flat, projected, straightened and packed."""

from __future__ import annotations

from levelloop.core.edit.clean.simple import set_material
from levelloop.core.uv.flatten import unwrap
from levelloop.core.uv.moving import join_uv, move_uv, select_island
from levelloop.core.uv.packing import pack
from levelloop.core.uv.project import project_uv
from levelloop.core.uv.seams import suggest_seams
from levelloop.core.uv.straighten import straighten_uv
from levelloop.document.materials import with_material, without_material
from levelloop.document.operations.common import ANY
from levelloop.document.parameters import (
    Angle,
    Choice,
    Colour,
    Count,
    Length,
    Number,
    Parameter,
    Ratio,
    Text,
    Toggle,
    Vector,
    WhereSmoothed,
)
from levelloop.document.registry import Operation
from levelloop.document.shared_parameters import AXES

PICTURE: tuple[Parameter, ...] = (
    Count("margin", 4, "Pixels between islands", low=0, high=256),
    Count("size", 2048, "Pixels to a side of the picture", low=16, high=65536),
)


SKIN: tuple[Operation, ...] = (
    Operation(
        "material",
        "Make a material",
        "Skin",
        with_material,
        "Make the material {name}[, {colour}][, rough {roughness}][, metal {metalness}][, opaque {opacity}]"
        "[, refracting {refraction}][, glowing {glow}][, with the image {image}][, called {rename}]",
        "Makes or changes a material of the document; it begins as the shipped one of its name",
        "document",
        (
            Text("name", "", "Its name: clay, brass, glass, wood … or one of your own"),
            Colour("colour", None, "Its colour", optional=True),
            Ratio("roughness", None, "0 mirrors, 1 is matt", optional=True, low=0, high=1),
            Ratio("metalness", None, "0 is no metal, 1 is one", optional=True, low=0, high=1),
            Ratio("opacity", None, "0 is clear, 1 is solid", optional=True, low=0, high=1),
            Number("refraction", None, "The index of refraction", optional=True, low=1, high=10, step=0.01),
            Number("glow", None, "How many times its colour it sends out", optional=True, low=0, high=1000),
            Text("image", None, "The path of a picture of its colour", optional=True, longest=4096),
            Text("rename", None, "Its new name", optional=True),
        ),
        waits=True,
        also="shader colour texture paint",
    ),
    Operation(
        "remove_material",
        "Remove a material",
        "Skin",
        without_material,
        "Take the material {name} away",
        "Faces that have it are plain again",
        "document",
        (Text("name", "", "Its name"),),
        waits=True,
        also="delete",
    ),
    Operation(
        "set_material",
        "Material",
        "Skin",
        set_material,
        "Give {selection} the material {material}",
        "A material by its name: clay, brass, glass, wood …; I, A shows them",
        "cage",
        (Text("material", "", "Its name; empty takes it away"),),
        ("faces",),
        or_all=True,
        waits=True,
        also="paint assign",
    ),
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
        unwrap,
        "Unwrap {selection} with {method}, {pack}[, margin {margin}, picture {size}][, {smooth}]",
        "Lays islands flat between their seams; points of the set “pinned” keep their UV",
        "cage",
        (
            Choice("method", "low stretch", "What is kept", words=("low stretch", "angles")),
            Toggle("pack", True, "Whether islands are packed too", on="packed", off="not packed"),
            *PICTURE,
            WhereSmoothed("smooth", True, "What is laid flat", on="the smooth surface", off="the cage"),
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
    Operation(
        "move_uv",
        "Move UV",
        "Skin",
        move_uv,
        "Move the UV of {selection} {right} to the right and {up} up[, turned {angle}][, scaled {scale}], {pivot}",
        "Islands, faces, edges or points of the UV view; the unit square is 1 wide",
        "cage",
        (
            Number("right", 0.0, "In sides of the unit square", step=0.05),
            Number("up", 0.0, "In sides of the unit square", step=0.05),
            Angle("angle", 0.0, "Counter-clockwise", closed_at=0.0),
            Number("scale", 1.0, "A negative one turns it half around", step=0.1, closed_at=1.0),
            Choice("pivot", "middle", "What stays in place", words=("middle", "each")),
        ),
        ANY,
        or_all=True,
        also="uv island place turn rotate scale",
    ),
    Operation(
        "join_uv",
        "Join UV",
        "Skin",
        join_uv,
        "Join islands along {selection}",
        "The smaller island comes to the larger one, and the edges are seams no more",
        "cage",
        (),
        ("edges",),
        also="uv sew stitch weld island",
    ),
    Operation(
        "select_island",
        "Select UV island",
        "Skin",
        select_island,
        "Select the UV islands of {selection}",
        "All that hangs together in UV, between seams",
        "selection",
        (),
        ANY,
        also="uv shell piece",
    ),
)
