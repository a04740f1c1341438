"""The wipe: a line across a view, what stands left of it and right of it, and how far the two are apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field, replace

import numpy as np

from levelloop.app.view.render.picture import Picture
from levelloop.core.arrays import Floats, unique_rows
from levelloop.core.values import dataclass
from levelloop.document.review.comparing import Change, apart

REACH = 9  # pixels to the line within which it is taken
LEAST, MOST = 0.02, 0.98  # shares of the view's width between which the line stays
MOST_PLACES = 300_000  # of which the distance is worked out


@dataclass(frozen=True, eq=False)
class Apart:
    """How far what stands right is from what stands left.

    largest, mean: mm; where: (3,) the place of the largest; mapped: pictures of the right side that know the distance
    at each vertex, by the part's id.
    """

    largest: float
    mean: float
    where: Floats
    mapped: dict[str, Picture] = field(default_factory=dict)


@dataclass
class Wipe:
    """What a view compares.

    left, right: the words of its sides; pictures: what stands left; chosen: the ids of the parts that stand right,
    None for all; share: where the line is, of the view's width; maps: whether distances are shown as colours; changes:
    how the findings of the two differ.
    """

    left: str
    right: str
    pictures: list[Picture]
    chosen: frozenset[str] | None = None
    share: float = 0.5
    maps: bool = False
    apart: Apart | None = None
    changes: list[Change] | None = None

    def right_pictures(self, shown: Sequence[Picture]) -> list[Picture]:
        """What stands right, of what is shown now: with distances where these are there and wanted."""
        pictures = [one for one in shown if self.chosen is None or one.part.id in self.chosen]
        if not self.maps or self.apart is None:
            return pictures
        return [self._with_distances(one) for one in pictures]

    def _with_distances(self, picture: Picture) -> Picture:
        assert self.apart is not None
        known = self.apart.mapped.get(picture.part.id)
        # A distance belongs to the very vertices that it was worked out for.
        return known if known is not None and known.vertices is picture.vertices else picture


def held_apart(left: list[Picture], right: list[Picture], by_part: bool) -> Apart | None:
    """How far pictures are apart, both ways: each part from itself, or all from all; None where one side is empty."""
    mapped, distances, places = {}, [np.zeros(0)], [np.zeros((0, 3))]
    for picture in right:
        others = [one for one in left if not by_part or one.part.id == picture.part.id]
        corners = _corners(others)
        if len(corners) == 0 or len(picture.vertices) == 0 or len(picture.vertices) > MOST_PLACES:
            continue
        here = picture.vertices[:, :3].astype(np.float64) + picture.middle
        found = apart(here, corners)
        mapped[picture.part.id] = replace(
            picture, bends=np.ascontiguousarray(np.stack((found, np.zeros_like(found)), axis=1), dtype=np.float32)
        )
        there = _corners([picture]) if by_part else _corners(right)
        back = unique_rows(corners.reshape(-1, 3))[0]
        distances += [found, apart(back, there)]
        places += [here, back]
    far, where = np.concatenate(distances), np.concatenate(places)
    if len(far) == 0:
        return None
    worst = int(far.argmax())
    return Apart(float(far[worst]), float(far.mean()), where[worst], mapped)


def _corners(pictures: list[Picture]) -> Floats:
    """The triangles of pictures, in the world: (t, 3, 3)."""
    found = [one.vertices[one.indices, :3].astype(np.float64) + one.middle for one in pictures if len(one.indices)]
    return np.concatenate(found) if found else np.zeros((0, 3, 3))
