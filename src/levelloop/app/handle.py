"""The handle: three axes on screen by which a selection is moved, rotated or scaled; plain numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from levelloop.app.camera import Camera
from levelloop.core.arrays import Floats

Mode = Literal["move", "rotate", "scale"]
LENGTH = 84.0  # pixels
REACH = 9.0


@dataclass
class Handle:
    """A handle at a place, for one of the three transforms."""

    mode: Mode
    centre: Floats

    def arms(self, camera: Camera, width: float, height: float) -> Floats:
        """The ends of the three axes on screen and the centre first: (4, 3)."""
        size = LENGTH * camera.millimetres_per_pixel(height, self.centre)
        return camera.project(np.vstack((self.centre, self.centre + size * np.eye(3))), width, height)

    def rings(self, camera: Camera, width: float, height: float) -> Floats:
        """The circles about the three axes on screen: (3, 65, 3)."""
        size = LENGTH * 0.9 * camera.millimetres_per_pixel(height, self.centre)
        angle = np.linspace(0.0, 2.0 * np.pi, 65)
        circles = []
        for axis in range(3):
            circle = np.zeros((65, 3))
            circle[:, (axis + 1) % 3], circle[:, (axis + 2) % 3] = np.cos(angle), np.sin(angle)
            circles.append(camera.project(self.centre + size * circle, width, height))
        return np.stack(circles)

    def axis_at(self, x: float, y: float, camera: Camera, width: float, height: float) -> int | None:
        """Which axis is under a pixel: 0, 1, 2, or 3 for the middle; None for none."""
        place = np.array([x, y])
        arms = self.arms(camera, width, height)
        if self.mode == "rotate":
            rings = self.rings(camera, width, height)[..., :2]
            distances = np.array([_to_line(place, ring).min() for ring in rings])
        else:
            if np.hypot(*(place - arms[0, :2])) <= REACH + 2:
                return 3
            # The end with its cap reaches a little further than the line.
            distances = np.array([_to_line(place, np.stack((arms[0, :2], arm[:2]))).min() for arm in arms[1:]])
        axis = int(distances.argmin())
        return axis if distances[axis] <= REACH else None

    def dragged(
        self,
        axis: int,
        start: tuple[float, float],
        now: tuple[float, float],
        camera: Camera,
        width: float,
        height: float,
    ) -> dict[str, object]:
        """The parameters of the transform for a drag from one pixel to another."""
        if self.mode == "rotate":
            return {"angle": self._angle(axis, start, now, camera, width, height), "axis": "xyz"[axis % 3]}
        arms = self.arms(camera, width, height)
        delta = np.array(now) - np.array(start)
        scale = camera.millimetres_per_pixel(height, self.centre)
        if axis == 3:
            if self.mode == "move":
                right, upward, _ = camera.axes
                by = (right * delta[0] - upward * delta[1]) * scale
                return {"by": tuple(float(v) for v in by)}
            return {"factors": float(max(1.0 + (delta[0] - delta[1]) / LENGTH, 0.0))}
        arm = arms[1 + axis, :2] - arms[0, :2]
        length = float(np.hypot(*arm))
        # In arm lengths; an arm seen end on says nothing about how far.
        amount = 0.0 if length < 6.0 else float(delta @ arm) / length**2
        if self.mode == "move":
            by = [0.0, 0.0, 0.0]
            by[axis] = amount * LENGTH * scale
            return {"by": tuple(by)}
        factors = [1.0, 1.0, 1.0]
        factors[axis] = 1.0 + amount
        return {"factors": tuple(factors)}

    def _angle(
        self,
        axis: int,
        start: tuple[float, float],
        now: tuple[float, float],
        camera: Camera,
        width: float,
        height: float,
    ) -> float:
        centre = self.arms(camera, width, height)[0, :2]
        before, after = np.array(start) - centre, np.array(now) - centre
        turn = np.arctan2(before[0] * after[1] - before[1] * after[0], before @ after)
        # On screen y runs down; seen from behind the axis turns the other way.
        towards = float(camera.axes[2, axis % 3])
        return float(np.degrees(-turn) * (1.0 if towards >= 0 else -1.0))


def _to_line(place: Floats, line: Floats) -> Floats:
    """Distances from a place to each piece of a polyline: (n − 1,)."""
    start, along = line[:-1], line[1:] - line[:-1]
    length = np.maximum((along**2).sum(axis=1), 1e-12)
    ratio = np.clip(((place - start) * along).sum(axis=1) / length, 0.0, 1.0)
    return np.asarray(np.linalg.norm(start + ratio[:, None] * along - place, axis=1))
