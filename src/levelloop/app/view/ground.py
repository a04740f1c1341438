"""The ground: lines a step apart around what a camera looks at, fainter the farther they are."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from levelloop.app.theme import Theme, rgba
from levelloop.app.view.camera import Camera
from levelloop.app.view.render.scene import Lines
from levelloop.document.scripting.units import MILLIMETRES

GROUND_STEPS = 8  # lines to each side between two shades of the ground
SHARES = (1.0, 0.6, 0.3, 0.12)  # how strongly the rings around the middle are drawn


def ground(theme: Theme, camera: Camera, ratio: float, unit: str) -> list[Lines]:
    """The lines of the ground; ratio: device pixels in a logical one; unit: the document's, which they count."""
    step = ground_step(camera.distance, unit)
    middle = np.round(camera.target / step) * step
    middle[2] = 0.0
    faint = 0.32 if theme.name == "Bench" else 0.5
    return [
        Lines(_ground_ring(step, ring), middle, rgba(theme.quiet, faint * share), 1.0 * ratio, -2e-5)
        for ring, share in enumerate(SHARES)
    ]


def ground_step(distance: float, unit: str = "mm") -> float:
    """The step of the ground's lines for a camera so far away, mm: 1, 10, 100 … of the unit."""
    one = MILLIMETRES[unit]
    return float(one * 10.0 ** np.floor(np.log10(max(distance, 1e-3) / 4.0 / one)))


@cache
def _ground_ring(step: float, ring: int) -> NDArray[np.float32]:
    """The lines of the ground between two squares around its middle: (s, 2, 3)."""
    inner, outer = GROUND_STEPS * ring, GROUND_STEPS * (ring + 1)
    segments = []
    for at in range(-outer, outer + 1):
        spans = [(-outer, outer)] if abs(at) > inner else [(-outer, -inner), (inner, outer)]
        for low, high in spans:
            if low < high:
                segments += [((at, low, 0), (at, high, 0)), ((low, at, 0), (high, at, 0))]
    return np.array(segments, dtype=np.float32) * np.float32(step)
