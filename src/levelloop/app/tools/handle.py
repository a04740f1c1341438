"""The handle: three axes on screen by which a selection is moved, rotated or scaled; plain numbers."""

from __future__ import annotations

from dataclasses import field
from typing import Literal

import numpy as np

from levelloop.app.view.camera import Camera
from levelloop.core.arrays import Floats
from levelloop.core.values import dataclass

Mode = Literal["move", "rotate", "scale"]
LENGTH = 84.0  # pixels
REACH = 9.0
_SQUARE = ((0.28, 0.28), (0.5, 0.28), (0.5, 0.5), (0.28, 0.5))  # shares of an arm


@dataclass
class Handle:
    """A handle at a place, for one of the three transforms.

    frame: its axes in the world, rows of (3, 3); told: what to say of it and of the pivot to the operation. An axis is
    named by 0, 1, 2; the middle by 3; the plane without x, y or z by 4, 5, 6.
    """

    mode: Mode
    centre: Floats
    frame: Floats = field(default_factory=lambda: np.eye(3))
    told: dict[str, object] = field(default_factory=dict)

    def arms(self, camera: Camera, width: float, height: float) -> Floats:
        """The ends of the three axes on screen and the centre first: (4, 3)."""
        size = LENGTH * camera.millimetres_per_pixel(height, self.centre)
        return camera.project(np.vstack((self.centre, self.centre + size * self.frame)), width, height)

    def rings(self, camera: Camera, width: float, height: float) -> Floats:
        """The circles about the three axes on screen: (3, 65, 3)."""
        size = LENGTH * 0.9 * camera.millimetres_per_pixel(height, self.centre)
        angle = np.linspace(0.0, 2.0 * np.pi, 65)
        circles = []
        for axis in range(3):
            circle = np.zeros((65, 3))
            circle[:, (axis + 1) % 3], circle[:, (axis + 2) % 3] = np.cos(angle), np.sin(angle)
            circles.append(camera.project(self.centre + size * circle @ self.frame, width, height))
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
            planes = self.planes(camera, width, height)[..., :2]
            inside = [plane for plane in range(3) if _is_inside(place, planes[plane])]
            if inside:
                return 4 + inside[0]
        axis = int(distances.argmin())
        return axis if distances[axis] <= REACH else None

    def planes(self, camera: Camera, width: float, height: float) -> Floats:
        """The small squares by which two axes are dragged at once, on screen: (3, 4, 3), the one without x first."""
        size = LENGTH * camera.millimetres_per_pixel(height, self.centre)
        squares = []
        for axis in range(3):
            one, two = self.frame[(axis + 1) % 3], self.frame[(axis + 2) % 3]
            corners = [self.centre + size * (a * one + b * two) for a, b in _SQUARE]
            squares.append(camera.project(np.stack(corners), width, height))
        return np.stack(squares)

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
            angle = self._angle(axis, start, now, camera, width, height)
            return {"angle": angle, "axis": "xyz"[axis % 3], **self.told}
        return {**self._amounts(axis, start, now, camera, width, height), **self.told}

    def _amounts(
        self,
        axis: int,
        start: tuple[float, float],
        now: tuple[float, float],
        camera: Camera,
        width: float,
        height: float,
    ) -> dict[str, object]:
        arms = self.arms(camera, width, height)
        delta = np.array(now) - np.array(start)
        scale = camera.millimetres_per_pixel(height, self.centre)
        if axis == 3:
            if self.mode == "move":
                right, upward, _ = camera.axes
                by = self.frame @ ((right * delta[0] - upward * delta[1]) * scale)
                return {"by": tuple(float(v) for v in by)}
            return {"factors": float(max(1.0 + (delta[0] - delta[1]) / LENGTH, 0.0))}
        if axis > 3:
            return self._in_plane(axis - 4, arms, delta, scale)
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

    def _in_plane(self, axis: int, arms: Floats, delta: Floats, scale: float) -> dict[str, object]:
        """The parameters of a drag along two axes at once."""
        others = [(axis + 1) % 3, (axis + 2) % 3]
        both = (arms[[1 + other for other in others], :2] - arms[0, :2]).T
        if abs(np.linalg.det(both)) < 36.0:
            return {"by": (0.0, 0.0, 0.0)} if self.mode == "move" else {"factors": (1.0, 1.0, 1.0)}
        shares = np.linalg.solve(both, delta)
        if self.mode == "move":
            by = np.zeros(3)
            by[others] = shares * LENGTH * scale
            return {"by": tuple(float(value) for value in by)}
        factors = np.ones(3)
        factors[others] = max(1.0 + float(shares.mean()), 0.0)
        return {"factors": tuple(float(value) for value in factors)}

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
        towards = float(camera.axes[2] @ self.frame[axis % 3])
        return float(np.degrees(-turn) * (1.0 if towards >= 0 else -1.0))


def _is_inside(place: Floats, corners: Floats) -> bool:
    """Whether a place lies in a convex polygon; one seen edge on has no inside."""
    to = corners - place
    turns = to[:, 0] * np.roll(to[:, 1], -1) - to[:, 1] * np.roll(to[:, 0], -1)
    return bool((turns > 0).all() or (turns < 0).all())


def _to_line(place: Floats, line: Floats) -> Floats:
    """Distances from a place to each piece of a polyline: (n − 1,)."""
    start, along = line[:-1], line[1:] - line[:-1]
    length = np.maximum((along**2).sum(axis=1), 1e-12)
    ratio = np.clip(((place - start) * along).sum(axis=1) / length, 0.0, 1.0)
    return np.asarray(np.linalg.norm(start + ratio[:, None] * along - place, axis=1))
