"""Where bevelled strips end or keep apart: what becomes of the old point there."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct
from levelloop.core.edit.bevel.parts import Fans
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.values import dataclass

EXACT = 1e-9  # of 1 mm: what lies nearer to a plane lies on it


@dataclass(frozen=True, eq=False)
class Ends:
    """What becomes of the old point of each fan: in the middle of the strip's end, the corner of a face, or gone.

    runs_in: the strip's rows all end in it, since faces beyond have no other point there; gap: the sector in which it
    stays between strips that do not meet there, −1 for none.
    """

    in_strip: Booleans
    runs_in: Booleans
    in_face: Booleans
    gap: Integers


def parted(
    fans: Fans, in_fan: Integers, is_inner: Booleans, holds_old: Booleans, off: Floats, sector_in_fan: Integers
) -> Booleans:
    """Positions of sectors that no one point serves exactly, where the strips keep apart and the old point stays.

    A face can have the old point once only: one such sector in a fan, and none beside an end that holds it. In a sector
    of two faces both would leave it along the same edge.
    """
    sector = fans.fan * (int(in_fan.max(initial=0)) + 1) + sector_in_fan
    wrong = is_inner & (off > EXACT) & (np.bincount(sector)[sector] > 2)
    key = distinct(sector[wrong])
    of_fan = key // (int(in_fan.max(initial=0)) + 1)
    once = np.bincount(of_fan, minlength=len(in_fan)) == 1
    once &= fans.closed
    return np.asarray(wrong & once[fans.fan])


def ends_of(
    mesh: Mesh,
    fans: Fans,
    in_fan: Integers,
    out_bevel: Booleans,
    moves: Floats,
    holds_old: Booleans,
    gap: Integers,
    steps: int,
    middle_loop: bool,
) -> Ends:
    """Where a strip ends and the old point stays, it closes no face without area, and cuts no corner off."""
    topology, points = mesh.topology, mesh.points
    in_face = np.zeros(len(fans.size), dtype=np.bool_)
    in_face[fans.fan[holds_old]] = True
    # A strip that ends at a point of three edges is closed by the third face itself.
    in_face &= ~(fans.closed & (fans.size == 3) & (in_fan == 1))
    # At a boundary that turns there the old point is its corner.
    first, last = fans.corner[fans.start], fans.corner[fans.start + fans.size - 1]
    here = points[fans.point]
    one = points[topology.corner_end[first]] - here
    other = points[topology.corners[topology.previous_corner[last]]] - here
    at_corner = ~fans.closed & (in_fan > 0) & ~_straight(one, other)
    slots = np.flatnonzero(out_bevel)
    single = slots[in_fan[fans.fan[slots]] == 1]
    fan = fans.fan[single]
    straight = np.zeros(len(fans.size), dtype=np.bool_)
    straight[fan] = _straight(moves[fans.before[single]], moves[single])
    alone = (in_fan == 1) & ~(fans.closed & middle_loop & (fans.size >= 4))
    in_strip = alone & ((in_face & straight) | (at_corner & ~in_face & (steps % 2 == 0)))
    return Ends(in_strip, in_strip & in_face, (in_face | at_corner) & ~in_strip, gap)


# Helpers


def _straight(one: Floats, other: Floats) -> Booleans:
    """Whether two ways lead in opposite directions: (f,)."""
    a, b = unit(one), unit(other)
    return np.asarray((np.linalg.norm(np.cross(a, b), axis=1) <= EXACT) & (np.einsum("ij,ij->i", a, b) < 0))
