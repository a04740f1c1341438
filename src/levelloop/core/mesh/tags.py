"""The tags of a mesh as a table: what is said of points, edges and faces beside where they are.

All that carries, merges, combines, smooths, writes and reads them goes through this table: one more tag is one more
row, and a field of Mesh.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np

from levelloop.core.arrays import AnyArray, frozen
from levelloop.core.values import dataclass

SHARPNESS_NEVER_FADES = 10.0  # OpenUSD's infinite sharpness


@dataclass(frozen=True)
class Tag:
    """One kind of tag.

    name: its field in a Mesh; on: what it is said of; default: what is true where nobody said anything; least, most:
    its range. optional: None in a Mesh where nobody said anything, so that edges need not be derived for it.
    pieces: the smooth surface's pieces have it from what they are pieces of. own: what it is called in a file among
    our own attributes, where OpenUSD has no word for it.
    Where elements become one the largest value stays; a face has it from the face it comes from.
    """

    name: str
    on: Literal["points", "edges", "faces"]
    type: type
    default: float
    least: float
    most: float
    optional: bool = False
    pieces: bool = False
    own: str = ""

    def all_alike(self, count: int) -> AnyArray:
        """The default so many times, (count,), in the room of one: what nobody has tagged takes no memory."""
        return _all_alike(self.type, self.default, count)

    def taken(self, values: AnyArray, origin: AnyArray) -> AnyArray:
        """The values of where new elements come from, (n,), the default where that is −1."""
        if len(values) == 0:
            return np.full(len(origin), self.default, dtype=self.type)
        return np.where(origin >= 0, values[origin], self.default).astype(self.type)

    def merged(self, values: AnyArray, to: AnyArray, count: int) -> AnyArray:
        """Each new element's value where old ones became it: the largest; values and to are (n,)."""
        result: AnyArray = np.zeros(count, dtype=self.type)
        np.maximum.at(result, to, values)
        return result


# A file of a hundred thousand objects asks five times for each of them.
@lru_cache(maxsize=256)
def _all_alike(kind: type, value: float, count: int) -> AnyArray:
    return frozen(np.broadcast_to(np.array(value, dtype=kind), (count,)))


NEVER = SHARPNESS_NEVER_FADES
CREASE = Tag("crease_sharpness", "edges", np.float64, 0.0, 0.0, NEVER, optional=True)
CORNER = Tag("corner_sharpness", "points", np.float64, 0.0, 0.0, NEVER)
MATERIAL = Tag("material", "faces", np.int64, -1, -1, np.inf, pieces=True)
SEAM = Tag("seam", "edges", np.bool_, False, 0, 1, optional=True, pieces=True, own="seams")
HOLE = Tag("hole", "faces", np.bool_, False, 0, 1)
DIAGONAL = Tag("diagonal", "faces", np.int64, 0, 0, 2, own="diagonals")
HIDDEN = Tag("hidden", "faces", np.bool_, False, 0, 1, pieces=True, own="hidden")
SOFT = Tag("soft", "edges", np.bool_, False, 0, 1, optional=True, own="softEdges")
RADIUS = Tag("radius", "points", np.float64, 1.0, 0.0, np.inf, optional=True, own="radii")

TAGS = (CREASE, CORNER, MATERIAL, SEAM, HOLE, DIAGONAL, HIDDEN, SOFT, RADIUS)
