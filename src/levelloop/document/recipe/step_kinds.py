"""The kinds of step that a recipe may have, each declared once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field
from typing import Any

from levelloop.core.arrays import Floats
from levelloop.core.edit.build.sweeping import extrude_along, helix, revolve
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.edit.hold.true_size import true_size
from levelloop.core.edit.join.weld import weld
from levelloop.core.edit.move.transform import slant
from levelloop.core.edit.repeat.copies import array, follow_array
from levelloop.core.mesh.origins import Edit
from levelloop.core.recipe.along import array_along, follow
from levelloop.core.recipe.mirror import PLANES, follow_mirror, mirror
from levelloop.core.recipe.onto import conform, lay_on
from levelloop.core.recipe.shaping import bend, taper, twist
from levelloop.core.surface.surface import HIGHEST_LEVEL
from levelloop.core.tolerance import AUTOMATIC
from levelloop.core.values import dataclass
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Length,
    Parameter,
    PartName,
    Ratio,
    Text,
    Toggle,
    Vector,
    Within,
)
from levelloop.document.recipe.step_runs import (
    cut_by,
    follow_swept,
    hold_set,
    on_all,
    on_every,
    on_profile,
    rounds,
    swept,
)
from levelloop.document.registry import Line
from levelloop.document.shared_parameters import (
    ALONG_CURVE,
    AXES,
    AXIS,
    FILL,
    HELD_SIDES,
    PULLED_ALONG,
    ROW,
    RUN_OUT,
    SCALE_OF_COPIES,
    SIDES_OF_WALL,
    TRUE_SIZES,
    TURN,
    UV_OF_COPIES,
    WALL,
    WELD,
    WELD_COPIES,
    WINDING,
    held_radius,
)


@dataclass(frozen=True)
class StepKind:
    """One kind of step as data.

    run: (mesh, **parameters) → Edit, in the part's own space; None for smoothing. sentence: as an operation's; label:
    what its station is called. growth: how many times as many faces there are after it, about. follow: (mesh before,
    its edit, the mesh with other points, **parameters) → where the edit's points go then, or None. begins_with,
    on_line: as an operation's. onto: the parameter whose part's limit surface is taken where "onto" says so. in_groups:
    whether a group's recipe may have it; reaches: how far all of the group reaches counts then: run takes it, among.
    """

    key: str
    title: str
    run: Callable[..., Edit] | None
    sentence: str
    label: str
    hint: str
    parameters: tuple[Parameter, ...]
    growth: Callable[[Mapping[str, Any]], float] = lambda _: 1.0
    follow: Callable[..., Floats | None] | None = None
    begins_with: Mapping[str, Any] = field(default_factory=dict)
    on_line: Mapping[Line, int] = field(default_factory=dict)
    onto: str = ""
    in_groups: bool = True
    reaches: bool = False

    @property
    def names_parts(self) -> tuple[str, ...]:
        """The parameters that name other parts: kept by id, run with what these have come to."""
        return tuple(parameter.name for parameter in self.parameters if isinstance(parameter, PartName))

    @property
    def needs_parts(self) -> bool:
        """Whether it is nothing without another part."""
        return any(isinstance(parameter, PartName) and not parameter.optional for parameter in self.parameters)


# In the part's own space there is no anchor.
_PIVOT = Vector("pivot", "origin", "In the part's own space", words=("origin", "middle"))
_MIDDLE = Vector("pivot", "middle", "In the part's own space", words=("middle", "origin"))
_AROUND = (AXIS, _PIVOT)


def _direction(name: str, default: str, hint: str) -> Parameter:
    return Vector(name, default, hint, is_length=False, words=AXES)


_ONTO = Choice("onto", "smooth", "Its limit surface, or what its recipe makes of its cage", words=("smooth", "cage"))

_KINDS: tuple[StepKind, ...] = (
    StepKind(
        "mirror",
        "Mirror",
        mirror,
        "Let the recipe mirror across {planes}, weld {weld}[, UV {uv}]",
        "mirror {planes}",
        "The other side follows; both sides are one in the middle",
        (
            Choice("planes", "x", "Through the part's origin", words=PLANES),
            Within("weld", AUTOMATIC, "Points nearer to a plane lie on it", low=0, step=0.01),
            UV_OF_COPIES,
        ),
        lambda given: 2.0 ** len(given["planes"]),
        follow_mirror,
        on_line={"parts": 60},
    ),
    StepKind(
        "array",
        "Array",
        on_all(array),
        "Let the recipe repeat it: {count} in all, moved {move}, turned {rotate} about {axis}, pivot {pivot},"
        " scaled {scale}[, weld {weld}][, UV {uv}]",
        "array {count}",
        "Rows and rings that follow; 20 slices of 18° close",
        (*ROW, *_AROUND, SCALE_OF_COPIES, WELD_COPIES, UV_OF_COPIES),
        lambda given: float(given["count"]),
        follow_array,
        begins_with={"move": (20.0, 0.0, 0.0)},
        on_line={"parts": 70},
    ),
    StepKind(
        "smooth",
        "Smooth",
        None,
        "Let the recipe smooth to {level}, {creases}",
        "smooth {level}",
        "Smoothing before what follows: bent afterwards, detail stays even",
        (
            Count("level", "rail", "A level of its own, or the rail's", low=0, high=HIGHEST_LEVEL, words=("rail",)),
            Toggle("creases", True, "Whether creases hold", on="creases hold", off="without creases"),
        ),
        lambda given: 1.0 if given["level"] == "rail" else 4.0 ** given["level"],
    ),
    StepKind(
        "hold",
        "Hold",
        hold_set,
        "Let the recipe hold {set} with radius {radius}, {sides}, {fill}",
        "hold {set} {radius}",
        "Supports made when it is built: the cage stays low, the radius can be changed at any time",
        (Text("set", "", "A named set of edges"), held_radius(), HELD_SIDES, FILL),
        lambda _: 2.0,
        on_line={"parts": 90},
        in_groups=False,
    ),
    StepKind(
        "true_size",
        "True size",
        on_all(true_size),
        "Let the recipe's smooth surface[ be {diameter} across][ be {size} large][ pass through the {through}]",
        "true size",
        "The cage shrinks when it is smoothed; this gives the smooth surface the typed size",
        TRUE_SIZES,
        in_groups=False,
    ),
    StepKind(
        "bend",
        "Bend",
        bend,
        "Let the recipe bend by {angle} along {along} around {around}, pivot {pivot}[, from and to {limits}]",
        "bend {angle}",
        "What lies along one direction is bent around another; 360° closes a ring",
        (
            Angle("angle", 90.0, "Over the whole length, or between the limits", low=-36_000, high=36_000),
            _direction("along", "x", "What lies that way is bent"),
            _direction("around", "z", "The axis it is bent around, by the right hand"),
            _MIDDLE,
            Vector("limits", None, "From the pivot, lower one first; beyond them it goes on straight", True, size=2),
        ),
        on_line={"parts": 80},
        reaches=True,
    ),
    StepKind(
        "twist",
        "Twist",
        twist,
        "Let the recipe twist by {angle} about {axis}, pivot {pivot}",
        "twist {angle}",
        "Turns more and more along an axis",
        (Angle("angle", 90.0, "At the far end", low=-36_000, high=36_000), AXIS, _MIDDLE),
        reaches=True,
    ),
    StepKind(
        "taper",
        "Taper",
        taper,
        "Let the recipe taper to {factor} along {axis}, pivot {pivot}",
        "taper {factor}",
        "Narrower or wider towards one end; a tip is better at 0.01 to 0.2 than at 0",
        (Ratio("factor", 0.5, "Size at the far end", low=-100, high=100), AXIS, _MIDDLE),
        reaches=True,
    ),
    StepKind(
        "slant",
        "Slant",
        on_every("points", slant),
        "Let the recipe slant by {by} along {along}, pivot {pivot}",
        "slant",
        "Shifts by a pitch, more the farther along",
        (Vector("by", (5.0, 0.0, 0.0), "Over the whole length"), _direction("along", "z", "What shifts"), _MIDDLE),
        reaches=True,
    ),
    StepKind(
        "thicken",
        "Thicken",
        on_all(thicken),
        "Let the recipe thicken by {outward} outward, {inward} inward, {even_wall}, {rim_steps} rim step(s)"
        "[, profile {profile}], {reversed}",
        "thicken",
        "Gives an open surface a wall and a rim",
        (*WALL, PartName("profile", None, "The part that the rim follows", optional=True), SIDES_OF_WALL),
        lambda _: 2.5,
        on_line={"parts": 100},
    ),
    StepKind(
        "revolve",
        "Revolve",
        on_profile(revolve),
        "Let the recipe revolve it by {angle} in {steps} step(s) about {axis}, pivot {pivot}[, weld {weld}]",
        "revolve {angle}",
        "Turns a profile about an axis",
        (*TURN, *_AROUND, WELD),
        rounds,
        in_groups=False,
    ),
    StepKind(
        "helix",
        "Helix",
        on_profile(helix),
        "Let the recipe wind it[ with pitch {pitch}][ rising {rise}], {turns} turn(s) in {steps} step(s) each,"
        " about {axis}, pivot {pivot}, run-out {run_out}[, weld {weld}]",
        "helix {turns}",
        "Winds a profile about an axis: threads, springs",
        (*WINDING, *_AROUND, RUN_OUT, WELD_COPIES),
        rounds,
        begins_with={"turns": 2.0},
        in_groups=False,
    ),
    StepKind(
        "boolean",
        "Boolean",
        cut_by,
        "Let the recipe {kind} it with {other}",
        "{kind} {other}",
        "With another part, as that part is now; it may go on changing",
        (
            Choice("kind", "union", "", words=("union", "subtract", "intersect")),
            PartName("other", None, "The other part"),
        ),
    ),
    StepKind(
        "sweep",
        "Sweep",
        swept,
        "Let the recipe sweep[ {profile}][ along {curve}], {steps} step(s) between points, {sides} side(s),"
        " caps {caps}, {even}",
        "sweep {curve}",
        "A profile part along a curve, or a circle by its radii; along the part's own wires where none is named",
        (
            PartName("curve", None, "The part that is the curve", optional=True),
            PartName("profile", None, "The part whose outline is swept, its x level where it begins", optional=True),
            *ALONG_CURVE,
        ),
        lambda given: 1.0 + float(given["steps"]) * float(given["sides"]),
        follow_swept,
        in_groups=False,
    ),
    StepKind(
        "extrude_along",
        "Extrude along",
        on_every("faces", extrude_along),
        "Let the recipe pull the faces along {curve} in {steps} step(s), end scale {end_scale}, twist {twist}, {even}",
        "along {curve}",
        "The part's faces pulled along a curve, turning with it",
        (
            PartName("curve", None, "The part that is the curve"),
            *PULLED_ALONG,
        ),
        lambda given: 1.0 + float(given["steps"]),
        in_groups=False,
    ),
    StepKind(
        "array_along",
        "Array along",
        array_along,
        "Let the recipe repeat it along {curve}[: {count} in all][, {spacing} apart], {turning}",
        "along {curve}",
        "Copies that ride on a curve, both ends included",
        (
            PartName("curve", None, "The part that is the curve"),
            Count("count", 5, "In all, evenly", optional=True, instead_of="spacing", high=10_000),
            Length("spacing", None, "From one to the next", optional=True, instead_of="count", low=0, above_low=True),
            Toggle("turning", True, "How they stand", on="turning with it", off="standing as they are"),
        ),
        lambda given: float(given["count"] or 20),
    ),
    StepKind(
        "follow",
        "Follow a curve",
        follow,
        "Let the recipe lay it along {curve}, {stretch}",
        "follow {curve}",
        "What lies along x lies along a curve",
        (
            PartName("curve", None, "The part that is the curve"),
            Toggle("stretch", False, "How long it is then", on="stretched over all of it", off="at its true length"),
        ),
        reaches=True,
    ),
    StepKind(
        "conform",
        "Conform",
        conform,
        "Let the recipe put its points onto {target}, {direction}, {both}, {offset} off, {onto}",
        "onto {target}",
        "All points onto the surface of another part",
        (
            PartName("target", None, "The part whose surface it is"),
            Vector("direction", "nearest", "Where points go", is_length=False, words=("nearest", *AXES)),
            Toggle("both", True, "Along a direction", on="both ways", off="one way"),
            Length("offset", 0.0, "Off the surface, outward", step=0.1),
            _ONTO,
        ),
        onto="target",
    ),
    StepKind(
        "lay_on",
        "Lay on",
        lay_on,
        "Let the recipe lay it on {target} at {at}, turned {turn}, size {size}, lifted {lift}, {onto}",
        "on {target}",
        "What stands on the ground stands on another part's surface, its heights along the normals",
        (
            PartName("target", None, "The part whose surface it is"),
            Vector("at", (0.0, 0.0, 0.0), "Its origin comes to the place nearest to that"),
            Angle("turn", 0.0, "About the normal there"),
            Ratio("size", 1.0, "How large it is then", low=0, above_low=True),
            Length("lift", 0.0, "Along the normals", step=0.1),
            _ONTO,
        ),
        onto="target",
    ),
    StepKind(
        "weld",
        "Weld",
        on_every("points", weld),
        "Let the recipe weld within {distance}",
        "weld {distance}",
        "Points that lie together become one, as where a bend has closed",
        (Within("distance", AUTOMATIC, "Points nearer than that become one", low=0, step=0.01),),
    ),
)
STEPS: Mapping[str, StepKind] = {kind.key: kind for kind in _KINDS}
