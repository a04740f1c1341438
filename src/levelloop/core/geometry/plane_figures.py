"""Plane figures: the cells that segments divide a plane into, what sees what, and what is added so that cells close."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, cycles, distinct


def flat_axes(normal: Floats) -> Floats:
    """Two directions square to a normal and to each other, so that the normal is seen from its front: (2, 3)."""
    first = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    first = first / np.linalg.norm(first)
    return np.stack((first, np.cross(normal, first)))


def cells(places: Floats, segments: Integers) -> list[Integers]:
    """The bounded cells of a plane figure whose segments meet only at their ends, counter-clockwise.

    places: (n, 2); segments: (m, 2). Each cell is left of its sides: from a side's end the walk turns to the next one
    clockwise.
    """
    ends = np.concatenate((segments, segments[:, ::-1]))
    count = len(segments)
    away = places[ends[:, 1]] - places[ends[:, 0]]
    order = np.lexsort((np.arctan2(away[:, 1], away[:, 0]), ends[:, 0]))
    rank = np.empty(len(order), dtype=np.int64)
    rank[order] = np.arange(len(order))
    first = np.searchsorted(ends[order, 0], np.arange(len(places)))
    degree = np.bincount(ends[:, 0], minlength=len(places))
    twin = np.concatenate((np.arange(count, 2 * count), np.arange(count)))
    # Arrived along a side, the next one clockwise from the way back.
    here = ends[twin, 0]
    follower = order[first[here] + (rank[twin] - first[here] - 1) % degree[here]]
    members, offsets = cycles(follower)
    found = []
    for start, end in zip(offsets[:-1].tolist(), offsets[1:].tolist(), strict=True):
        ring = ends[members[start:end], 0]
        if area(places[ring]) > 0:
            found.append(ring)
    return found


def area(polygon: Floats) -> float:
    """The signed area of a polygon (n, 2), positive counter-clockwise."""
    x, y = (polygon - polygon[0]).T
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def turn_of(u: Floats, v: Floats, w: Floats) -> Floats:
    """Twice the signed area of the triangles u, v, w: (n,)."""
    return np.asarray(
        (v[..., 0] - u[..., 0]) * (w[..., 1] - u[..., 1]) - (v[..., 1] - u[..., 1]) * (w[..., 0] - u[..., 0])
    )


def inside(polygon: Floats, place: Floats) -> bool:
    """Whether a place lies in a polygon (n, 2); crossings of a ray are counted (Shimrat 1962)."""
    x, y = polygon.T
    x2, y2 = np.roll(x, -1), np.roll(y, -1)
    crosses = (y > place[1]) != (y2 > place[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        at = x + (place[1] - y) * (x2 - x) / (y2 - y)
    return bool(np.count_nonzero(crosses & (place[0] < at)) % 2)


def crossings(places: Floats, segments: Integers, a: int, b: int) -> Booleans:
    """Which segments cross the one from a to b; those that share an end with it do not: (m,)."""
    p, q = places[a], places[b]
    r, s = places[segments[:, 0]], places[segments[:, 1]]
    shares = (segments == a).any(axis=1) | (segments == b).any(axis=1)
    one, two = turn_of(p, q, r), turn_of(p, q, s)
    three, four = turn_of(r, s, p), turn_of(r, s, q)
    return np.asarray((one * two < 0) & (three * four < 0) & ~shares)


def connected(places: Floats, segments: Integers, outline: Floats) -> Integers | None:
    """The segments with others added, so that all hang together and no end is loose; None where there is no way.

    places: (n, 2), all of them used; outline: (k, 2) inside which the added ones must lie. Loose ends are tied to the
    nearest place they see, pieces that hang free by two segments to the rest.
    """
    while True:
        degree = np.bincount(segments.ravel(), minlength=len(places))
        loose = np.flatnonzero(degree == 1)
        _, piece = connected_labels(segments, len(places))
        if len(loose):
            added = nearest_seen(places, segments, outline, loose[:1], np.ones(len(places), dtype=np.bool_))
        elif len(distinct(piece)) > 1:
            # All but the one that reaches out the furthest hang free.
            outermost = piece[int(np.argmax(places[:, 0]))]
            free = np.flatnonzero(piece == next(p for p in distinct(piece) if p != outermost))
            rest = ~np.isin(np.arange(len(places)), free)
            added = nearest_seen(places, segments, outline, free, rest)
            if added is not None:
                segments = np.concatenate((segments, [added]))
                others = free[free != added[0]]
                rest[added[1]] = False
                added = nearest_seen(places, segments, outline, others, rest)
        else:
            return segments
        if added is None:
            return None
        segments = np.concatenate((segments, [added]))


def nearest_seen(
    places: Floats, segments: Integers, outline: Floats, starts: Integers, allowed: Booleans
) -> tuple[int, int] | None:
    """The shortest new segment from one of the starts to an allowed place that crosses nothing."""
    apart = np.linalg.norm(places[starts][:, None] - places[None], axis=2)
    apart[:, ~allowed] = np.inf
    apart[np.arange(len(starts)), starts] = np.inf
    known = {(int(a), int(b)) for a, b in segments} | {(int(b), int(a)) for a, b in segments}
    for flat in np.argsort(apart, axis=None).tolist():
        row, other = divmod(flat, len(places))
        if not np.isfinite(apart[row, other]):
            return None
        start = int(starts[row])
        if (start, other) in known or crossings(places, segments, start, other).any():
            continue
        if _runs_along(places, segments, start, other) or not inside(outline, 0.5 * (places[start] + places[other])):
            continue
        return start, other
    return None


# Helpers


def _runs_along(places: Floats, segments: Integers, a: int, b: int) -> bool:
    """Whether a segment would lie on another one that begins where it does, or on a place."""
    way = places[b] - places[a]
    length = float(np.linalg.norm(way))
    to = places - places[a]
    beside = np.abs(to[:, 0] * way[1] - to[:, 1] * way[0]) <= 1e-9 * length * length
    along = to @ way / max(length * length, 1e-300)
    beside &= (along > 1e-9) & (along < 1 - 1e-9)
    if beside.any():
        return True
    for end in (a, b):
        here = segments[(segments == end).any(axis=1)]
        others = np.where(here[:, 0] == end, here[:, 1], here[:, 0])
        out = places[others] - places[end]
        mine = way if end == a else -way
        turn = np.abs(out[:, 0] * mine[1] - out[:, 1] * mine[0])
        ahead = out @ mine > 0
        if (ahead & (turn <= 1e-9 * length * np.linalg.norm(out, axis=1))).any():
            return True
    return False
