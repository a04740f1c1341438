"""View state: all that decides what a view shows, beside the document; scenes are made of it without a widget."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import Any, Literal

from levelloop.app.theme import BENCH, Theme
from levelloop.app.tools.handle import Mode
from levelloop.app.view.camera import Camera
from levelloop.app.view.look import Look
from levelloop.app.view.picking.picking import Hit
from levelloop.app.view.render.picture import Picture
from levelloop.app.view.wipe import Wipe
from levelloop.core.arrays import Floats
from levelloop.core.measure.gauge import LoopGauge
from levelloop.core.mesh.selection import Kind
from levelloop.core.select.soft_range import Soft
from levelloop.core.values import dataclass
from levelloop.document.running.running import State


@dataclass(frozen=True, eq=False)
class ViewState:
    """What one view shows just now.

    ratio: device pixels in a logical one; shown: the pictures of visible parts, in the document's order; pictures: by
    part, those of the cages that are there now; is_hurried: whether something is dragged; kind: what is selected;
    mode: the transform tool that is on; hover: what is under the pointer, None while a gesture runs; soft: the
    parameters of the soft range that transforms begin with; gauge: a loop that is lit, and its part; focus: the
    place of a finding (3,) that was stepped to.
    """

    theme: Theme = BENCH
    camera: Camera = field(default_factory=Camera)
    look: Look = field(default_factory=Look)
    ratio: float = 1.0
    shown: Sequence[Picture] = ()
    pictures: Mapping[str, Picture] = field(default_factory=dict)
    is_hurried: bool = False
    kind: Kind | Literal["parts"] = "faces"
    mode: Mode | None = None
    hover: Hit | None = None
    soft: Mapping[str, Any] = field(default_factory=dict)
    gauge: tuple[LoopGauge, str] | None = None
    wipe: Wipe | None = None
    focus: Floats | None = None

    def running_soft(self, state: State) -> Soft | None:
        """The soft range of the running transform, or of those to come; None where there is none."""
        values: Mapping[str, Any] = state.parameters if self.mode is not None and state.key == self.mode else self.soft
        if self.mode is None or not values.get("soft_range"):
            return None
        return Soft(
            float(values["soft_range"]),
            values.get("soft_shape", "bell"),
            bool(values.get("along_surface")),
            values.get("soft_centre"),
            values.get("soft_radii"),
        )
