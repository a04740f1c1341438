"""Look: how one view shows the parts; what it shows of a surface's curvature, and in which colours."""

from __future__ import annotations

from typing import Literal

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.values import dataclass

Shading = Literal["clay", "silhouette", "valleys", "stripes", "curvature", "raking light", "distance", "checker"]
# In the order in which the surface's program numbers them.
SHADINGS: tuple[Shading, ...] = (
    "clay",
    "silhouette",
    "valleys",
    "stripes",
    "curvature",
    "raking light",
    "distance",
    "checker",
)
Inside = Literal["tinted", "plain", "hidden"]
Bend = Literal["mean", "largest", "smallest", "Gaussian"]
Rake = Literal["pointer", "sweeps", "stands"]
BENDS: tuple[Bend, ...] = ("mean", "largest", "smallest", "Gaussian")
# An axis, where along it in mm, and which side of that is cut away: 1 what lies beyond, −1 what lies before.
Section = tuple[int, float, float]
# What stripes go around: an axis, or slanted to all three, so that straight tubes show them whichever way they lie.
STRIPE_AXES = np.vstack((np.eye(3), np.array([0.64, 0.6, 0.48])))
STRIPE_WORDS = ("around x", "around y", "around z", "slanted")
FEWEST_STRIPES, MOST_STRIPES = 4, 96
RAKING = np.radians(14.0)  # how far raking light stands above the plane of the picture
FULL_AT = 0.95  # the share of a surface whose curvature the colours tell apart


@dataclass
class Look:
    """How one view shows the parts.

    shading: clay; silhouette: flat, to judge the contour; valleys: hollows darker; stripes: what mirrors lit strips;
    curvature: as colours; raking light: from far aside; checker: numbered squares laid on by UV. inside: how back faces
    are shown; section: what is cut away. stripes: how many of them; stripes_along: which axis they go around;
    stripes_stand: in the world, else they turn with the view. bend: which curvature; bend_scale: 1/mm at which its
    colours are full, 0 as the part asks for. rake: degrees of the light about the view's axis; rakes: what it follows.
    """

    shading: Shading = "clay"
    inside: Inside = "tinted"
    x_ray: bool = False
    wire: bool = True
    ground: bool = True
    shadow: bool = True
    materials: bool = False
    normals: bool = False
    section: Section | None = None
    stripes: int = 24
    stripes_along: int = 3
    stripes_stand: bool = False
    bend: Bend = "mean"
    bend_scale: float = 0.0
    rake: float = 135.0
    rakes: Rake = "pointer"

    def stripe_axis(self, axes: Floats) -> Floats:
        """The axis that stripes go around, in the view's space; axes: (3, 3) right, up and back in the world."""
        axis = STRIPE_AXES[self.stripes_along]
        return np.asarray(axes @ axis) if self.stripes_stand else axis

    @property
    def light(self) -> tuple[float, float, float]:
        """Where raking light comes from, in the view's space."""
        angle = np.radians(self.rake)
        flat = float(np.cos(RAKING))
        return flat * float(np.cos(angle)), flat * float(np.sin(angle)), float(np.sin(RAKING))


def bend_values(bends: Floats, bend: Bend) -> Floats:
    """One curvature of largest and smallest ones (n, 2): 1/mm, the Gaussian one 1/mm²."""
    if bend == "mean":
        return np.asarray(bends.mean(axis=1))
    if bend == "Gaussian":
        return np.asarray(bends[:, 0] * bends[:, 1])
    return np.asarray(bends[:, 0 if bend == "largest" else 1])


def fitting_scale(bends: Floats, bend: Bend) -> float:
    """The curvature, 1/mm, at which colours are best full: nearly all of a surface is told apart; a round number."""
    values = np.abs(bend_values(bends, bend))
    if bend == "Gaussian":
        values = np.sqrt(values)
    most = float(np.quantile(values, FULL_AT)) if len(values) else 0.0
    return round_up(most) if most > 0 else 1.0


def round_up(value: float) -> float:
    """The next of 1, 2, 5, 10 … that is not below a value above 0."""
    power = 10.0 ** np.floor(np.log10(value))
    return float(next(step * power for step in (1.0, 2.0, 5.0, 10.0) if step * power >= value * (1 - 1e-9)))
