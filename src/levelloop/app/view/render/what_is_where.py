"""What is where: a frame read back as the cage face at each pixel, and how deep it lies."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.render.picture import Picture
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class WhatIsWhere:
    """The frame read back: numbers (h, w) of face + 1 counted over all pictures, 0 nothing; depth (h, w) 0…1.

    triangles: (h, w) the same of triangles, those that only a recipe made too; None where nobody asks for them.
    """

    numbers: NDArray[np.int32]
    depth: NDArray[np.float32]
    triangles: NDArray[np.uint32] | None = None


def faces_at(pictures: Sequence[Picture], triangles: NDArray[np.int64]) -> NDArray[np.int32]:
    """The faces of triangles, both numbered from 1 over all pictures in turn; 0 where there is none.

    triangles: any shape. What only the recipe made hides what lies behind it, and is nothing to pick.
    """
    known = [np.zeros(1, dtype=np.int32)]
    first = 1
    for picture in pictures:
        owner = picture.triangle_face
        known.append(np.where(owner < 0, 0, owner + first).astype(np.int32))
        first += picture.part.mesh.n_faces
    return np.concatenate(known)[triangles]


def numbered(pictures: Sequence[Picture], number: int) -> tuple[Picture, int] | None:
    """The picture and cage face that a number read back stands for."""
    return _owner(pictures, [picture.part.mesh.n_faces for picture in pictures], number)


def triangle_at(pictures: Sequence[Picture], what: WhatIsWhere, column: int, row: int) -> tuple[Picture, int] | None:
    """The picture and its triangle that is drawn at a pixel."""
    if what.triangles is None:
        return None
    return _owner(pictures, [len(picture.indices) for picture in pictures], int(what.triangles[row, column]))


def _owner(pictures: Sequence[Picture], counts: Sequence[int], number: int) -> tuple[Picture, int] | None:
    rest = number - 1
    for picture, count in zip(pictures, counts, strict=True):
        if rest < count:
            return (picture, rest) if rest >= 0 else None
        rest -= count
    return None
