"""How near is the same place: distances that follow the size of what they are used on, unless somebody typed them."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers

# A default distance is at most this share of the shortest edge it is used on, so that it eats no detail.
SHARE_OF_EDGE = 1e-3
# Results of a few operations on coordinates are good to so many units of their last place.
UNITS_OF_LAST_PLACE = 4.0


class Automatic(float):
    """A distance in mm that nobody typed: used where it eats no detail, and less where it would."""


AUTOMATIC = Automatic(0.001)  # mm; a thousandth joins seams and eats no detail (common practice, no source)


def last_place(points: Floats) -> float:
    """What coordinates of that size are good to: mm. Nearer than that are equal places."""
    return UNITS_OF_LAST_PLACE * float(np.spacing(np.abs(points).max(initial=0.0)))


def settled(distance: float, points: Floats, edges: Integers) -> float:
    """A distance as it is used: a typed one as it is, an automatic one by the shortest edge concerned.

    points: (n, 3); edges: (e, 2) those concerned. Edges of no length say nothing.
    """
    if not isinstance(distance, Automatic):
        return float(distance)
    least = last_place(points)
    ends = points[edges]
    lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    real = lengths[lengths > least]
    return max(min(float(distance), SHARE_OF_EDGE * float(real.min(initial=np.inf))), least)
