"""Camera: where the view looks from; plain numbers, drivable without events."""

from __future__ import annotations

from dataclasses import field, replace
from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.values import dataclass
from levelloop.document.cameras import NamedCamera, view_axes

# Turn about z and tilt, degrees, of each named direction.
DIRECTIONS: dict[str, tuple[float, float]] = {
    "front": (0.0, 0.0),
    "back": (180.0, 0.0),
    "right": (90.0, 0.0),
    "left": (-90.0, 0.0),
    "top": (0.0, 90.0),
    "bottom": (0.0, -90.0),
}


FIELD_OF_VIEW = 32.0  # degrees from bottom to top, where no named camera says otherwise


@dataclass
class Camera:
    """Looks at a target from a distance. turn, tilt: degrees; at 0, 0 it looks along +y from the front.

    shift: how far the picture is moved right and up, as shares of its height, without turning. lent: perspective was
    given up for a straight direction; turning brings it back.
    """

    target: Floats = field(default_factory=lambda: np.zeros(3))
    distance: float = 120.0
    turn: float = 32.0
    tilt: float = 24.0
    perspective: bool = True
    field_of_view: float = FIELD_OF_VIEW
    shift: tuple[float, float] = (0.0, 0.0)
    lent: bool = False

    @property
    def axes(self) -> Floats:
        """Right, up and backward of the view, in the world: rows of (3, 3)."""
        return view_axes(self.turn, self.tilt)

    @property
    def eye(self) -> Floats:
        """Where the camera stands."""
        return np.asarray(self.target + self.axes[2] * self.distance)

    def view(self) -> Floats:
        """World to view, for column vectors: (4, 4)."""
        matrix = np.eye(4)
        matrix[:3, :3] = self.axes
        matrix[:3, 3] = -self.axes @ self.eye
        return matrix

    def projection(self, width: float, height: float) -> Floats:
        """View to clip space: (4, 4)."""
        aspect = width / max(height, 1.0)
        near, far = self.distance / 200.0, self.distance * 40.0
        half = np.tan(np.radians(self.field_of_view) / 2.0)
        matrix = np.zeros((4, 4))
        if self.perspective:
            matrix[0, 0], matrix[1, 1] = 1.0 / (half * aspect), 1.0 / half
            matrix[2, 2], matrix[2, 3] = -(far + near) / (far - near), -2.0 * far * near / (far - near)
            matrix[3, 2] = -1.0
        else:
            top = half * self.distance
            near = -far
            matrix[0, 0], matrix[1, 1] = 1.0 / (top * aspect), 1.0 / top
            matrix[2, 2], matrix[2, 3] = -2.0 / (far - near), -(far + near) / (far - near)
            matrix[3, 3] = 1.0
        # Shifting moves what was projected: by 2 for a whole width or height of clip space.
        moved = np.eye(4)
        moved[0, 3], moved[1, 3] = 2.0 * self.shift[0] / aspect, 2.0 * self.shift[1]
        return np.asarray(moved @ matrix)

    def project(self, points: Floats, width: float, height: float) -> Floats:
        """Screen x, y in pixels from the top left and depth 0…1: (n, 3); depth is above 1 behind the camera."""
        matrix = self.projection(width, height) @ self.view()
        clip = points @ matrix[:, :3].T + matrix[:, 3]
        w = clip[:, 3]
        safe = np.where(np.abs(w) > 1e-12, w, 1e-12)
        ndc = clip[:, :3] / safe[:, None]
        screen = np.empty((len(points), 3))
        screen[:, 0] = (ndc[:, 0] + 1.0) * 0.5 * width
        screen[:, 1] = (1.0 - ndc[:, 1]) * 0.5 * height
        screen[:, 2] = np.where(w > 0, 0.5 * (ndc[:, 2] + 1.0), 2.0)
        return screen

    def ray(self, x: float, y: float, width: float, height: float) -> tuple[Floats, Floats]:
        """A point and unit direction of the line of sight through a pixel."""
        half = np.tan(np.radians(self.field_of_view) / 2.0)
        across = (2.0 * x / width - 1.0) * half * width / max(height, 1.0) - 2.0 * half * self.shift[0]
        up = (1.0 - 2.0 * y / height - 2.0 * self.shift[1]) * half
        right, upward, backward = self.axes
        if self.perspective:
            direction = right * across + upward * up - backward
            return self.eye, direction / np.linalg.norm(direction)
        start = self.eye + (right * across + upward * up) * self.distance
        return start, -backward

    def millimetres_per_pixel(self, height: float, at: Floats | None = None) -> float:
        """How much one pixel is at a place, or at the target."""
        depth = self.distance
        if self.perspective and at is not None:
            depth = max(float((self.eye - at) @ self.axes[2]), 1e-6)
        return 2.0 * depth * float(np.tan(np.radians(self.field_of_view) / 2.0)) / max(height, 1.0)

    def orbit(self, across: float, down: float) -> None:
        """Turns around the target by pixels dragged."""
        self._back_to_perspective()
        self.turn = (self.turn - 0.4 * across + 180.0) % 360.0 - 180.0
        self.tilt = float(np.clip(self.tilt + 0.4 * down, -90.0, 90.0))

    def pan(self, across: float, down: float, height: float) -> None:
        """Slides the view by pixels dragged."""
        scale = self.millimetres_per_pixel(height)
        right, upward, _ = self.axes
        self.target = self.target - right * across * scale + upward * down * scale

    def zoom(self, factor: float, x: float, y: float, width: float, height: float) -> None:
        """Comes nearer by a factor, keeping what is under the pixel in its place."""
        factor = float(np.clip(factor, 0.2, 5.0))
        new_distance = float(np.clip(self.distance / factor, 1e-5, 1e9))
        scale = self.millimetres_per_pixel(height) * (1.0 - new_distance / self.distance)
        right, upward, _ = self.axes
        self.target = self.target + (right * (x - width / 2) - upward * (y - height / 2)) * scale
        self.distance = new_distance

    def look(self, direction: str) -> None:
        """Looks from one of the six named directions, without perspective."""
        self.turn, self.tilt = DIRECTIONS[direction]
        self.shift, self.field_of_view = (0.0, 0.0), FIELD_OF_VIEW
        self._straighten()

    def step(self, towards: Literal["left", "right", "up", "down"]) -> None:
        """Looks from the next straight direction on a side: front, right, back, left around; top and bottom above."""
        if towards in ("left", "right"):
            by = 1.0 if towards == "right" else -1.0
            self.turn = _next_quarter(self.turn, by)
            self.tilt = 0.0
        else:
            by = 1.0 if towards == "up" else -1.0
            self.tilt = float(np.clip(_next_quarter(self.tilt, by), -90.0, 90.0))
            self.turn = round(self.turn / 90.0) * 90.0
        self.turn = (self.turn + 180.0) % 360.0 - 180.0
        self._straighten()

    def between(self, other: Camera, share: float) -> Camera:
        """The camera so far on the way to another; it turns the shorter way."""
        way = (other.turn - self.turn + 180.0) % 360.0 - 180.0
        return replace(
            other,
            target=self.target + (other.target - self.target) * share,
            distance=self.distance * (other.distance / self.distance) ** share,
            turn=self.turn + way * share,
            tilt=self.tilt + (other.tilt - self.tilt) * share,
        )

    def _straighten(self) -> None:
        if self.perspective:
            self.perspective, self.lent = False, True

    def _back_to_perspective(self) -> None:
        if self.lent:
            self.perspective, self.lent = True, False

    def look_through(self, camera: NamedCamera) -> None:
        """Looks from where a named camera stands, as it does."""
        self.target, self.distance = np.array(camera.target), camera.distance
        self.turn, self.tilt, self.perspective = camera.turn, camera.tilt, camera.perspective
        self.field_of_view, self.shift = camera.field_of_view, camera.shift

    def is_at(self, camera: NamedCamera) -> bool:
        """Whether this is the view of a named camera."""
        mine = (*self.target, self.distance, self.turn, self.tilt, self.field_of_view, *self.shift, self.perspective)
        its = (
            *camera.target,
            camera.distance,
            camera.turn,
            camera.tilt,
            camera.field_of_view,
            *camera.shift,
            camera.perspective,
        )
        return bool(np.allclose(mine, its, rtol=1e-9, atol=1e-9))

    def kept(self) -> dict[str, object]:
        """This view as the parameters of a named camera."""
        return {
            "target": tuple(float(value) for value in self.target),
            "distance": self.distance,
            "turn": self.turn,
            "tilt": self.tilt,
            "perspective": self.perspective,
            "field_of_view": self.field_of_view,
            "shift": self.shift,
        }

    def frame(self, points: Floats, width: float, height: float) -> None:
        """Puts points in the middle of the view, so that they fill most of it."""
        if len(points) == 0:
            return
        axes = self.axes
        # A row for each direction of the view: three long runs are read many times faster than rows of three.
        in_view = axes @ points.T
        low, high = in_view.min(axis=1), in_view.max(axis=1)
        middle = 0.5 * (low + high)
        self.target = middle @ axes
        right, up, towards = in_view - middle[:, None]
        half = np.tan(np.radians(self.field_of_view) / 2.0)
        # Each point must lie inside the sides of the view at its own depth.
        depth = towards if self.perspective else 0.0
        reach = max(
            float((np.abs(right) / (half * width / max(height, 1.0)) + depth).max()),
            float((np.abs(up) / half + depth).max()),
        )
        # One point has no size of its own.
        self.distance = 1.18 * reach if float((high - low).max()) > 0 else 2.0


def _next_quarter(angle: float, by: float) -> float:
    """The next multiple of 90° beyond an angle."""
    quarters = angle / 90.0
    return 90.0 * float(np.floor(quarters + 1e-6) + 1.0 if by > 0 else np.ceil(quarters - 1e-6) - 1.0)
