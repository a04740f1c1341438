"""Why each check matters, in one plain sentence."""

from __future__ import annotations

WHY: dict[str, str] = {
    "non_manifold": "Where more than two faces meet there is no one surface to smooth or print.",
    "doubles": "Points on one place that are not one open a seam once the surface is smoothed.",
    "pieces": "Pieces that share only a point come apart when they are smoothed.",
    "zero_area": "Faces without area have no direction: they shade as dark specks.",
    "flipped": "Faces that look inwards are dark patches, and turn a print inside out.",
    "one_sided": "A surface with one side only has no inside: it can be neither shaded nor printed right.",
    "open_edges": "An open end stays crisp when smoothed; for a print it is a hole.",
    "unattached": "Loose points show nothing and are in the way of every selection.",
    "wires": "Edges without faces are not part of the surface: nothing is drawn or exported of them.",
    "triangles": "Three-sided faces split unevenly: on a curved area they show as lumps.",
    "ngons": "Faces of many sides split unevenly: on a curved area they show as lumps.",
    "poles": "Where other than four edges meet the surface turns unevenly; on a curve that pinches.",
    "not_flat": "A twisted face is halved by a diagonal: shading shows a streak along it.",
    "on_edge": "A point that lies on a foreign edge leaves a slit once the surface is smoothed.",
    "concave": "A face that folds inward splits into quads that lie over each other.",
    "inside": "What lies inside is never seen, and makes a print slice wrongly.",
    "pinch": "The surface turns far tighter there than around: a moving light shows a dent.",
    "jump": "Curvature leaps there: reflections break along a line.",
    "flat_spot": "The surface stops bending there: reflections stretch into a dull patch.",
    "ripple": "Curvature goes up and down from face to face: reflections wobble.",
    "streak": "The surface lies askew there: a moving light shows a streak.",
    "unequal_turn": "Unequal supports round one side more than the other: the highlight leans.",
    "missing_support": "Without a support the turn is as soft as its faces are wide.",
    "too_tight": "The turn is so narrow that it reads as a line, and catches no light.",
    "fold_under": "The surface runs back under itself: dark patches, and walls that cross in a print.",
    "uv_missing": "What has no area in UV shows one smeared colour of a texture.",
    "uv_overlap": "What lies over each other in UV shows the same piece of a texture twice.",
    "uv_shared": "Copies that share their UV are painted at once; that is often meant.",
    "uv_near": "Islands that nearly touch bleed into each other where a texture is seen small.",
    "crossing": "Parts that cross show a seam, and fuse in a print.",
    "clearance": "Parts that come too near will not fit, or fuse in a print.",
    "flush": "Parts that lie flush read as one.",
    "recipe": "What a step would make is missing from the result.",
}

# What lies behind findings, in the order in which one mends it: what is found together is mended together.
CAUSES: tuple[tuple[str, tuple[str, ...]], ...] = (
    (
        "not whole",
        (
            *("non_manifold", "doubles", "pieces", "zero_area", "flipped", "one_sided", "open_edges", "unattached"),
            *("wires", "on_edge", "inside"),
        ),
    ),
    ("between parts", ("crossing", "clearance", "flush")),
    ("faces", ("triangles", "ngons", "not_flat", "concave")),
    ("supports", ("missing_support", "too_tight", "unequal_turn")),
    ("flow", ("poles", "pinch", "jump", "flat_spot", "ripple", "streak", "fold_under")),
    ("recipe", ("recipe",)),
    ("skin", ("uv_missing", "uv_overlap", "uv_shared", "uv_near")),
)


def cause_of(check: str) -> int:
    """The place among the causes of what a check finds."""
    return next(place for place, (_, checks) in enumerate(CAUSES) if check in checks)
