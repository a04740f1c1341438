"""The studio that materials are shown in: how bright it is in every direction, as smooth and as rough surfaces see it.

It is the studio of the still picture, seen from its middle. What a rough surface mirrors is its mean over the lobe of
that roughness, worked out once by `tools/studio_light.py` and shipped as `studio.npz`.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np

from levelloop.core.arrays import Booleans, Floats
from levelloop.still.lights import AROUND, GROUND, PANELS, Light

HEIGHT, WIDTH = 48, 96  # directions from up to down, and around
ROUGHNESS = (0.0, 0.18, 0.32, 0.48, 0.68, 1.0)  # of the levels that are mirrored; the last level after them is diffuse
FILE = Path(__file__).with_name("studio.npz")
FINER = 4  # directions looked at across each one: the rims of lights are smooth


@cache
def studio_levels() -> Floats:
    """The shipped levels: (levels, HEIGHT, WIDTH, 3), linear red, green and blue; the last one for diffuse surfaces."""
    with np.load(FILE) as kept:
        return np.asarray(kept["levels"], dtype=np.float64)


def made_levels(light: Light = "studio") -> Floats:
    """The levels of a set of lights: (levels, HEIGHT, WIDTH, 3).

    The lobe of a roughness is that of Trowbridge & Reitz 1975 (GGX) seen along the normal, as Karis 2013 does.
    """
    fine = directions(FINER * HEIGHT, FINER * WIDTH)
    bright = brightness(fine.reshape(-1, 3), light).reshape(HEIGHT, FINER, WIDTH, FINER, 3)
    size = np.sin((np.arange(FINER * HEIGHT) + 0.5) * np.pi / (FINER * HEIGHT))
    weight = np.broadcast_to(size.reshape(HEIGHT, FINER, 1, 1, 1), bright.shape)
    sharp = (bright * weight).sum(axis=(1, 3)) / weight.sum(axis=(1, 3))
    return np.stack([seen_by(sharp, roughness) for roughness in ROUGHNESS] + [seen_by(sharp, None)])


def directions(height: int, width: int) -> Floats:
    """The direction in the middle of each cell, rows from up to down, around from +x towards +y: (h, w, 3)."""
    down = (np.arange(height) + 0.5) * np.pi / height
    around = (np.arange(width) + 0.5) * 2.0 * np.pi / width
    across = np.sin(down)[:, None]
    return np.stack(
        np.broadcast_arrays(across * np.cos(around), across * np.sin(around), np.cos(down)[:, None]), axis=2
    )


def brightness(ways: Floats, light: Light) -> Floats:
    """How bright it is in directions (n, 3) from the middle of the scene: (n, 3).

    Below the horizon lies the ground, as bright as what it gets makes it.
    """
    sky = directions(FINER * HEIGHT, FINER * WIDTH)[: FINER * HEIGHT // 2].reshape(-1, 3)
    # Cells around the zenith are small: by the sine of their way down.
    weight = sky[:, 2] * np.sqrt(1.0 - sky[:, 2] ** 2)
    falls = weight @ _above(sky, light) / weight.sum()
    return np.where(ways[:, 2:] < 0, np.array(GROUND) * falls, _above(ways, light))


def seen_by(levels: Floats, roughness: float | None) -> Floats:
    """What a surface of some roughness mirrors of (h, w, 3), None: what a diffuse one sends back, in each direction."""
    if roughness is not None and roughness <= 0:
        return levels
    height, width = levels.shape[:2]
    ways = directions(height, width).reshape(-1, 3)
    size = np.sin((np.arange(height) + 0.5) * np.pi / height).repeat(width)
    flat, result = levels.reshape(-1, 3), np.empty((height * width, 3))
    for row in range(height):
        # One row after the other: all at once would take gigabytes.
        rows = slice(row * width, (row + 1) * width)
        cosine = np.maximum(ways[rows] @ ways.T, 0.0)
        lobe = cosine * size if roughness is None else _lobe(cosine, roughness) * cosine * size
        result[rows] = lobe @ flat / lobe.sum(axis=1, keepdims=True)
    return result.reshape(levels.shape)


# Helpers


def _above(ways: Floats, light: Light) -> Floats:
    """The room and its panels: (n, 3)."""
    result = np.full((len(ways), 3), AROUND[light])
    for panel in PANELS[light]:
        result[_on_panel(ways, np.array(panel.place), panel.size)] = panel.strength * np.array(panel.tint)
    return result


def _on_panel(ways: Floats, place: Floats, size: float) -> Booleans:
    """Which directions meet a square that faces the middle."""
    far = float(np.linalg.norm(place))
    towards = place / far
    side = np.cross((0.0, 0.0, 1.0), towards)
    side /= np.linalg.norm(side)
    upward = np.cross(towards, side)
    ahead = ways @ towards
    with np.errstate(divide="ignore", invalid="ignore"):
        across, up = far * (ways @ side) / ahead, far * (ways @ upward) / ahead
        return np.asarray((ahead > 0) & (np.abs(across) <= size / 2) & (np.abs(up) <= size / 2))


def _lobe(cosine: Floats, roughness: float) -> Floats:
    """How much of what comes at an angle to the mirrored direction a surface mirrors."""
    # Half way between the two, from the normal: cos² of half the angle.
    half = 0.5 * (1.0 + cosine)
    alpha = roughness**2
    return np.asarray(alpha**2 / (half * (alpha**2 - 1.0) + 1.0) ** 2)
