"""Pace: how finely a view is drawn while it turns, so that it follows the hand.

What one frame took says what the next will take, in proportion to what is drawn. At rest everything is drawn finely.
"""

from __future__ import annotations

from typing import Literal

# With smooth outlines; without them; and with fewer triangles and no wires where there are very many.
Grade = Literal["fine", "plain", "light"]

FAST = 0.033  # seconds for a frame that follows the hand
ANOTHER = 1.25  # times as much to draw, or less: another scene
OUTLINES = 0.35  # of the time that a fine frame takes, until it is known what one without smooth outlines does
FORGETS = 0.8  # of the time a frame took, each time the view rests: what was slow once is tried again


class Pace:
    """How long a view's frames take, by how finely it was drawn."""

    def __init__(self) -> None:
        self._took: dict[Grade, tuple[float, int]] = {}

    def grade(self, turns: bool, load: int) -> Grade:
        """How finely to draw a scene; load: how many triangles and lines it has."""
        if not turns:
            return "fine"
        return next((grade for grade in ("fine", "plain") if self._expected(grade, load) <= FAST), "light")

    def tells(self, grade: Grade, load: int) -> bool:
        """Whether it is worth waiting for a frame to end, to know how long it took."""
        known = self._took.get(grade)
        return known is None or not known[1] / ANOTHER <= load <= known[1] * ANOTHER

    def took(self, grade: Grade, load: int, seconds: float) -> None:
        """Says how long a frame took."""
        self._took[grade] = (seconds, max(load, 1))

    def rest(self) -> None:
        """The view has come to rest."""
        for grade, (seconds, load) in self._took.items():
            if grade != "fine":
                self._took[grade] = (FORGETS * seconds, load)

    def _expected(self, grade: Grade, load: int) -> float:
        if grade not in self._took and grade == "plain":
            return OUTLINES * self._expected("fine", load)
        seconds, known = self._took.get(grade, (0.0, 1))
        return seconds * load / known
