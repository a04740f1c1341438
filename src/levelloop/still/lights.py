"""The sets of lights a picture is lit by: what stands around the scene, and how bright the room is."""

from __future__ import annotations

from typing import Literal, NamedTuple

Light = Literal["studio", "window", "evening", "even"]


class Panel(NamedTuple):
    """A square that sends out light towards the middle: where it is and how wide, in radii of the scene; its colour."""

    place: tuple[float, float, float]
    size: float
    strength: float
    tint: tuple[float, float, float]


PANELS: dict[Light, tuple[Panel, ...]] = {
    "studio": (
        Panel((-3.2, -3.4, 4.2), 2.4, 9.0, (1.0, 0.98, 0.95)),
        Panel((4.2, -2.4, 1.6), 1.8, 3.2, (0.94, 0.97, 1.0)),
        Panel((1.4, 4.4, 3.4), 1.3, 8.0, (1.0, 1.0, 1.0)),
    ),
    "window": (
        Panel((-4.6, -1.2, 2.6), 3.0, 9.0, (0.97, 0.99, 1.0)),
        Panel((2.5, 4.0, 4.0), 1.0, 2.0, (1.0, 0.9, 0.75)),
    ),
    "evening": (
        Panel((-4.0, -2.0, 1.3), 1.3, 18.0, (1.0, 0.66, 0.36)),
        Panel((3.6, 3.2, 3.0), 2.2, 2.4, (0.55, 0.68, 1.0)),
    ),
    "even": (),
}
AROUND: dict[Light, float] = {"studio": 0.38, "window": 0.30, "evening": 0.12, "even": 1.0}
GROUND = (0.52, 0.50, 0.47)  # what the ground reflects
LIGHTS: tuple[Light, ...] = tuple(PANELS)
