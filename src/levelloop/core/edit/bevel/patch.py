"""Rounded corners: a patch of quads inside a closed outline of equally divided sides."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats, Integers


def corner_patches(
    sides: Integers, places: Floats, middles: Floats, towards: Floats, first_new: int
) -> tuple[Integers, Integers, Integers, Floats]:
    """Fills outlines of b ≥ 3 sides of n ≥ 2 segments with quads; where n is odd, one b-sided face is in the middle.

    sides: (q, b, n + 1) point numbers, each side from its corner to the next one's; places: (q, b, n + 1, 3) where
    they are; middles: (q, b, 3) half-way along each side; towards: (q, 3) unit, the way the patch bulges; first_new:
    the number of the first new point. Returns quads (f, 4), the outline each belongs to (f,), middle faces (q, b) or
    (0, b), and new points (p, 3).
    The new points lie on the sphere that the sides suggest, where they suggest one.
    """
    count, b, n = sides.shape[0], sides.shape[1], sides.shape[2] - 1
    half = n // 2
    even = n % 2 == 0
    # Around each corner a grid of (half + 1)²: u along the corner's own side, w back along the side before it.
    step = np.arange(half + 1)
    grid = np.full((count, b, half + 1, half + 1), -1, dtype=np.int64)
    grid[:, :, :, 0] = sides[:, :, : half + 1]
    grid[:, :, 0, :] = np.roll(sides, 1, axis=1)[:, :, n - step]
    fresh = first_new
    if even:
        inner = np.arange(count * b * (half - 1) ** 2).reshape(count, b, half - 1, half - 1) + fresh
        grid[:, :, 1:half, 1:half] = inner
        fresh += inner.size
        lines = np.arange(count * b * (half - 1)).reshape(count, b, half - 1) + fresh
        fresh += lines.size
        grid[:, :, half, 1:half] = lines
        grid[:, :, 1:half, half] = np.roll(lines, 1, axis=1)
        grid[:, :, half, half] = fresh + np.arange(count)[:, None]
        fresh += count
    else:
        grid[:, :, 1:, 1:] = np.arange(count * b * half * half).reshape(count, b, half, half) + fresh
        fresh += count * b * half * half
    points = np.zeros((fresh - first_new, 3))
    ratio = 2.0 * step / n
    position = _dome(places, middles, towards, ratio)
    is_new = grid >= first_new
    points[grid[is_new] - first_new] = position[is_new]
    cells = np.stack((grid[:, :, :-1, :-1], grid[:, :, 1:, :-1], grid[:, :, 1:, 1:], grid[:, :, :-1, 1:]), axis=4)
    outline = np.arange(count)
    quads, owner = cells.reshape(-1, 4), np.repeat(outline, b * half * half)
    if even:
        return quads, owner, np.zeros((0, b), dtype=np.int64), points
    following = np.roll(grid, -1, axis=1)
    low, high = grid[:, :, half, :], following[:, :, :, half]
    strip = np.stack((low[:, :, :-1], high[:, :, :-1], high[:, :, 1:], low[:, :, 1:]), axis=3).reshape(-1, 4)
    owner = np.concatenate((owner, np.repeat(outline, b * half)))
    return np.concatenate((quads, strip)), owner, grid[:, :, half, half], points


# Helpers


def _dome(places: Floats, middles: Floats, towards: Floats, ratio: Floats) -> Floats:
    """Where the corner grids' points lie: (q, b, h, h, 3); Coons patches (Coons 1967), pushed out to a sphere."""
    n = places.shape[2] - 1
    corners = places[:, :, 0]
    centre = corners.mean(axis=1)
    chord = 0.5 * (corners + np.roll(corners, -1, axis=1))
    height = np.einsum("qbd,qd->q", middles - chord, towards) / corners.shape[1]
    # The sphere whose arcs over the sides' chords rise as the sides do on average.
    half_chord = 0.5 * np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2).mean(axis=1)
    rise = np.linalg.norm(middles - chord, axis=2).mean(axis=1)
    is_round = rise > 1e-9 * np.maximum(half_chord, 1e-300)
    radius = np.where(is_round, (half_chord**2 + rise**2) / np.where(is_round, 2.0 * rise, 1.0), 0.0)
    reach = np.linalg.norm(corners - centre[:, None], axis=2).mean(axis=1)
    sign = np.where(height >= 0, 1.0, -1.0)
    top = np.where(radius > reach, radius - np.sqrt(np.maximum(radius**2 - reach**2, 0.0)), np.minimum(radius, reach))
    summit = centre + (sign * np.where(is_round, top, 0.0))[:, None] * towards
    origin = summit - (sign * radius)[:, None] * towards

    before = np.roll(middles, 1, axis=1)
    along = places[:, :, : len(ratio)]
    back = np.roll(places, 1, axis=1)[:, :, n - np.arange(len(ratio))]
    flat = _coons(along, back, corners, middles, before, summit, ratio)
    if not is_round.any():
        return flat

    def far(values: Floats) -> Floats:
        """Distances from the spheres' middles, with a last axis of one."""
        shape = (len(origin), *([1] * (values.ndim - 2)), 3)
        return np.asarray(np.linalg.norm(values - origin.reshape(shape), axis=-1, keepdims=True))

    wanted = _coons(far(along), far(back), far(corners), far(middles), far(before), far(summit[:, None])[:, 0], ratio)
    spoke = flat - origin[:, None, None, None]
    length = np.linalg.norm(spoke, axis=-1, keepdims=True)
    pushed = origin[:, None, None, None] + spoke * (wanted / np.maximum(length, 1e-300))
    return np.where(is_round[:, None, None, None, None], pushed, flat)


def _coons(
    along: Floats, back: Floats, corner: Floats, middle: Floats, before: Floats, summit: Floats, ratio: Floats
) -> Floats:
    """The patch between a side's half, the half before it, and the straight lines from their middles to the summit."""
    u, w = ratio[:, None, None], ratio[None, :, None]
    corner, middle, before = (values[:, :, None, None] for values in (corner, middle, before))
    top = summit[:, None, None, None]
    bilinear = (1 - u) * (1 - w) * corner + u * (1 - w) * middle + (1 - u) * w * before + u * w * top
    return np.asarray(
        (1 - w) * along[:, :, :, None]
        + w * ((1 - u) * before + u * top)
        + (1 - u) * back[:, :, None, :]
        + u * ((1 - w) * middle + w * top)
        - bilinear
    )
