"""Holding edges and true sizes: what makes the smooth surface as tight and as large as was typed."""

from __future__ import annotations

from levelloop.core.edit.hold.balance import balance
from levelloop.core.edit.hold.hold import hold
from levelloop.core.edit.hold.true_size import true_size
from levelloop.document.parameters import Choice, Length
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import bake
from levelloop.document.shared_parameters import BAKE, FILL, HELD_SIDES, TRUE_SIZES, held_radius

HOLDING: tuple[Operation, ...] = (
    Operation(
        "hold",
        "Hold",
        "Smooth",
        hold,
        "Hold {selection}[ with radius {radius}][ by supports {distance} away], {sides}, by {by}, {fill}",
        "Support loops beside edges, so that the smooth surface turns there with a given radius",
        "cage",
        (
            held_radius("distance"),
            Length("distance", None, "Of the supports from the edge instead", optional=True, low=0, above_low=True),
            HELD_SIDES,
            Choice("by", "loops", "Support loops, or the crease weight for that radius", words=("loops", "crease")),
            FILL,
        ),
        ("edges",),
        shortcut="H",
        icon="hold",
        at_middle="local",
        on_line={"edges": 80},
        also="support loop radius fillet tight",
    ),
    Operation(
        "balance",
        "Balance",
        "Smooth",
        balance,
        "Balance both sides of {selection} to the {to}",
        "Slides the loops beside edges until both sides are equal: the turn is as round on the way in and out",
        "cage",
        (Choice("to", "mean", "Of both distances", words=("smaller", "larger", "mean")),),
        ("edges",),
        moves_only=True,
        at_middle="local",
        on_line={"edges": 130},
        also="equal supports slide",
    ),
    Operation(
        "true_size",
        "True size",
        "Smooth",
        true_size,
        "Let the smooth surface of {selection}[ be {diameter} across][ be {size} large][ pass through the {through}]",
        "The cage shrinks when it is smoothed; this gives the smooth surface the typed size",
        "cage",
        TRUE_SIZES,
        ("points", "edges", "faces"),
        or_all=True,
        at_middle="local",
        also="diameter exact",
    ),
    Operation(
        "bake",
        "Bake",
        "Smooth",
        bake,
        "Make the smooth surface[ at level {level}] the cage, {take_out_flats}",
        "The part becomes what it is smoothed to; creases and recipe will no longer update it",
        "parts",
        BAKE,
        on_line={"parts": 140},
        also="apply make real",
    ),
)
