"""How far points may go before the faces they belong to turn over: each chain of them has its own limit."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, distinct, offsets_from_sizes

MOST_TRIES = 40
GIVES_WAY = 0.85  # of the distance at each try


def room_of_faces(sizes: Integers, places: Floats, moves: Floats) -> Floats:
    """How far the corners of faces may follow their moves before a side has no length left: (f,) mm, infinite for ever.

    sizes: (f,) corners of each; places, moves: (k, 3) of the corners, for 1 mm.
    """
    starts = offsets_from_sizes(sizes)
    following = np.arange(1, len(places) + 1)
    following[starts[1:] - 1] = starts[:-1]
    side, change = places[following] - places, moves[following] - moves
    closing = -np.einsum("ij,ij->i", side, change)
    square = np.einsum("ij,ij->i", side, side)
    lasts = np.divide(square, closing, out=np.full(len(side), np.inf), where=closing > 1e-12 * square)
    return np.asarray(np.minimum.reduceat(lasts, starts[:-1])) if len(sizes) else np.zeros(0)


def held_by_chain(
    wanted: float,
    rooms: Floats,
    room_owner: Integers,
    pairs: Integers,
    count: int,
    in_trouble: Callable[[Floats], Integers],
) -> Floats:
    """What of a distance each of so many elements may go: as far as the narrowest place of its chain allows: (count,).

    rooms: (r,) with room_owner: (r,) an element each; pairs: (p, 2) elements of one chain; in_trouble: (distances) →
    elements at faces that would still turn over somewhere, whose chains give way until they do not.
    """
    chains, label = connected_labels(pairs, count)
    most = np.full(chains, wanted)
    np.minimum.at(most, label[room_owner], rooms)
    for _ in range(MOST_TRIES):
        wrong = distinct(label[in_trouble(most[label])])
        if len(wrong) == 0:
            break
        most[wrong] *= GIVES_WAY
    return np.asarray(most[label])


def turned_corners(sizes: Integers, places: Floats, normals: Floats, before: Floats) -> Booleans:
    """Corners of faces that turn the other way round than they did, by their faces' normals: (k,).

    sizes: (f,); places, before: (k, 3) now and as they were; normals: (f, 3).
    """
    starts = offsets_from_sizes(sizes)
    ahead = np.arange(1, len(places) + 1)
    ahead[starts[1:] - 1] = starts[:-1]
    behind = np.empty_like(ahead)
    behind[ahead] = np.arange(len(ahead))
    normal = np.repeat(normals, sizes, axis=0)

    def turns(at: Floats) -> tuple[Floats, Floats]:
        one, other = at - at[behind], at[ahead] - at
        size = np.linalg.norm(one, axis=1) * np.linalg.norm(other, axis=1)
        return np.einsum("ij,ij->i", np.cross(one, other), normal), size

    (now, size), (was, _) = turns(places), turns(before)
    return np.asarray((now < -1e-9 * size) & (was >= 0))
