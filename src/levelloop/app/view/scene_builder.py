"""Scenery: what one view shows just now, as lists of solids, lines, dots and images for the renderer."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from levelloop.app.theme import colour
from levelloop.app.view.colour_maps import BILBAO, VIK, ramp
from levelloop.app.view.guide_places import frame_of, is_there, looks_at, projection_of, seen_guides
from levelloop.app.view.look import Bend, fitting_scale
from levelloop.app.view.render.images import Images
from levelloop.app.view.render.picture import Picture, dashed
from levelloop.app.view.render.renderer import (
    CLAY,
    Colour,
    Dots,
    Lines,
    Patch,
    Projected,
    Scene,
    Seeing,
    Skin,
    Solid,
    Standing,
)
from levelloop.core.arrays import Floats, Integers, distinct, mask_of
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind, Selection, points_of
from levelloop.core.select.soft_range import Soft, soft_weights
from levelloop.document.document import Part, Symmetry
from levelloop.document.editing import twins
from levelloop.document.guides import guide_plane
from levelloop.document.materials import material_named

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

SOFT_STEPS = 8  # shades in which the soft range fades out
CROPS = {"left": (0.0, 0.5), "right": (0.5, 1.0)}  # which part of a guide's width is shown


GROUND_STEPS = 8  # lines to each side between two shades of the ground


class Scenery:
    """Makes the scenes of a view, and keeps the lines of pictures that have not changed."""

    def __init__(self, view: Viewport) -> None:
        self.view = view
        self.images = Images(view.theme)
        self._lone: tuple[Mesh, Symmetry, Integers] | None = None
        self._lines: dict[str, tuple[Any, Any]] = {}
        self._softly: tuple[Part, Selection, Soft, Floats] | None = None
        self._scale: tuple[Picture, Bend, float] | None = None

    def forget_others(self, here: set[str]) -> None:
        """Forgets the lines of all parts but some."""
        self._lines = {key: value for key, value in self._lines.items() if key in here}

    def left_scene(self) -> Scene | None:
        """What stands left of the wipe: plain parts, nothing selected; None where the view compares nothing."""
        wipe = self.view.wipe
        if wipe is None:
            return None
        look, ratio = self.view.look_of, self.view.devicePixelRatioF()
        scene = self._empty_scene()
        if scene.shading == "distance":
            scene.shading = "clay"
        for picture in wipe.pictures:
            scene.solids.append(self._solid(picture))
            if look.wire and scene.shading != "silhouette":
                wire = picture.segments(np.flatnonzero(~picture.part.mesh.hidden_edges))
                scene.lines.append(Lines(wire, picture.middle, _rgba(self.view.theme.wire, 0.3), 1.25 * ratio))
        return scene

    def scene(self) -> Scene:
        """What the view shows just now."""
        theme = self.view.theme
        look = self.view.look_of
        flat = look.shading == "silhouette"
        scene = self._empty_scene()
        # Where the surface is judged the wires only say where on it one is.
        wires = 1.0 if look.shading in ("clay", "valleys") else 0.45
        active = self.view.session.document.active
        chosen = {part.id for part in self.view.session.state.parts_chosen}
        through = 0.28 if self.view.look_of.x_ray else 0.0
        ratio = self.view.devicePixelRatioF()
        wipe = self.view.wipe
        shown = self.view.stage.shown()
        for picture in shown if wipe is None else wipe.right_pictures(shown):
            part = picture.part
            scene.solids.append(self._solid(picture))
            if flat:
                continue
            is_active, middle = part.id == active, picture.middle
            kept = self._kept_lines(picture)
            if self.view.look_of.wire:
                strength = wires * ((0.55 if picture.is_flat else 0.42) if is_active else 0.26)
                scene.lines.append(
                    Lines(kept["wire"], middle, _rgba(theme.wire, strength), 1.25 * ratio, through=through)
                )
                if len(kept["copied"]):
                    faint = _rgba(theme.wire, 0.45 * strength)
                    scene.lines.append(Lines(kept["copied"], middle, faint, 1.0 * ratio, through=through))
            for weight, segments in kept["creases"]:
                width = (1.6 + 2.6 * weight / 10.0) * ratio * wires
                scene.lines.append(Lines(segments, middle, _rgba(theme.wire, 0.92 * wires), width, 2.5e-5, through))
            if len(kept["seams"]):
                scene.lines.append(Lines(kept["seams"], middle, _rgba(theme.seam), 2.4 * ratio, 2.7e-5, through))
            if is_active and self.view.kind == "points":
                scene.dots.append(
                    Dots(kept["points"], middle, _rgba(theme.wire), _rgba("#FBFAF7"), 6.0 * ratio, through=through)
                )
            if len(picture.curve_lines):
                scene.lines.append(
                    Lines(picture.curve_lines, middle, _rgba(theme.ink, 0.95), 2.2 * ratio, 2.6e-5, through)
                )
            if look.normals and is_active:
                scene.lines.append(Lines(picture.normal_lines, middle, _rgba(theme.hover, 0.9), 1.4 * ratio))
            if self.view.kind == "parts" and part.id in chosen:
                strength = 0.75 if is_active else 0.45
                scene.lines.append(Lines(kept["wire"], middle, _rgba(theme.selection, strength), 1.8 * ratio, 3.5e-5))
        self._add_guides(scene)
        self._add_lone(scene, ratio)
        self._add_soft(scene, ratio)
        self._add_selections(scene, through, ratio)
        self._add_gauged(scene, ratio)
        self._add_hover(scene, ratio)
        return scene

    def bend_scale(self) -> float:
        """The curvature, 1/mm, at which colours are full: the view's own, or what fits the active part."""
        look = self.view.look_of
        if look.bend_scale > 0:
            return look.bend_scale
        stage, active = self.view.stage, self.view.session.document.active
        shown = [picture for picture in stage.shown() if picture.bends is not None]
        picture = next((one for one in shown if one.part.id == active), shown[0] if shown else None)
        if picture is None or picture.bends is None:
            return self._scale[2] if self._scale is not None else 1.0
        known = self._scale
        # While something is dragged colours keep their meaning.
        if known is None or known[1] != look.bend or (known[0] is not picture and not stage.is_hurried):
            known = self._scale = (picture, look.bend, fitting_scale(picture.bends.astype(np.float64), look.bend))
        return known[2]

    def _seeing(self) -> Seeing:
        """What surfaces are judged by in this view."""
        look = self.view.look_of
        axis = look.stripe_axis(self.view.camera.axes)
        seeing = Seeing(look.stripes, (float(axis[0]), float(axis[1]), float(axis[2])), look.light, look.bend)
        wipe = self.view.wipe
        if wipe is not None and wipe.maps and wipe.apart is not None:
            seeing.gain = 1.0 / max(wipe.apart.largest, 1e-300)
            seeing.ramp = _ramp("bilbao")
        elif look.shading == "curvature":
            scale = self.bend_scale()
            seeing.gain = 1.0 / (scale**2 if look.bend == "Gaussian" else scale)
            seeing.ramp = _ramp("vik")
        return seeing

    def _empty_scene(self) -> Scene:
        """The view's sky, ground and look, with nothing in it."""
        look, theme = self.view.look_of, self.view.theme
        flat = look.shading == "silhouette"
        sky = (_rgba(theme.panel), _rgba(theme.panel)) if flat else (_rgba(theme.sky), _rgba(theme.ground))
        wipe = self.view.wipe
        maps = wipe is not None and wipe.maps and wipe.apart is not None
        shading = "distance" if maps else look.shading
        scene = Scene(sky=sky, shading=shading, hide_inside=look.inside == "hidden", section=look.section)
        scene.seeing = self._seeing()
        if look.ground and not flat:
            self._add_ground(scene, self.view.devicePixelRatioF())
        return scene

    def _solid(self, picture: Picture) -> Solid:
        """A picture as it is drawn in this view."""
        look, theme, part = self.view.look_of, self.view.theme, picture.part
        flat = look.shading == "silhouette"
        alpha = (0.55 if look.x_ray else 1.0) * part.opacity
        front = _rgba(theme.ink if flat else part.colour, alpha)
        inside = front if flat or look.inside == "plain" else _rgba(theme.inside, alpha)
        skins = [] if flat or not look.materials else [self._skin(picture, *group, front) for group in picture.groups]
        return Solid(picture, front, inside, None if flat else self._projected(part), skins)

    def _skin(self, picture: Picture, number: int, first: int, count: int, plain: Colour) -> Skin:
        """What the triangles of one material are drawn with."""
        if number < 0:
            return Skin(first, count, plain, CLAY, 0.0)
        document = self.view.session.document
        made_of = material_named(document.materials, picture.part.mesh.materials[number])
        tint = _rgba(made_of.colour, plain[3] * made_of.opacity)
        if made_of.glow > 0:
            bright = [min(1.0, channel * (1.0 + made_of.glow)) for channel in tint[:3]]
            tint = (bright[0], bright[1], bright[2], tint[3])
        return Skin(first, count, tint, made_of.roughness, made_of.metalness)

    def _add_ground(self, scene: Scene, ratio: float) -> None:
        """The ground: lines a step apart around what is looked at, fainter the farther they are."""
        camera = self.view.camera
        step = ground_step(camera.distance)
        middle = np.round(camera.target / step) * step
        middle[2] = 0.0
        faint = 0.32 if self.view.theme.name == "Bench" else 0.5
        for ring, share in enumerate((1.0, 0.6, 0.3, 0.12)):
            lines = _ground_ring(step, ring)
            tint = _rgba(self.view.theme.quiet, faint * share)
            scene.lines.append(Lines(lines, middle, tint, 1.0 * ratio, -2e-5))

    def _kept_lines(self, picture: Any) -> dict[str, Any]:
        found = self._lines.get(picture.part.id)
        if found is not None and found[0] is picture:
            kept: dict[str, Any] = found[1]
            return kept
        creases = picture.part.mesh.creases
        groups = [
            (float(weight), picture.segments(np.flatnonzero(creases == weight)))
            for weight in distinct(creases)
            if weight > 0
        ]
        kept = {
            "wire": picture.segments(np.flatnonzero(~picture.part.mesh.hidden_edges)),
            "copied": picture.copied_lines,
            "creases": groups,
            "seams": dashed(picture.segments(np.flatnonzero(picture.part.mesh.seams)), 4 if picture.is_flat else 1),
            "points": picture.drawn(picture.cage_places[~picture.part.mesh.hidden_points]),
        }
        self._lines[picture.part.id] = (picture, kept)
        return kept

    def _add_selections(self, scene: Scene, through: float, ratio: float) -> None:
        blue = self.view.theme.selection
        for part_id, selection in self.view.session.state.shown_selections.items():
            # While the picture is still one of an older cage nothing of it is lit.
            picture = self.view.stage.picture(part_id)
            if picture is None:
                continue
            if len(selection) == 0 or int(selection.indices.max()) >= _count(picture, selection.kind):
                continue
            if selection.kind == "faces":
                scene.patches.append(
                    Patch(picture.face_vertices(selection.indices), picture.middle, _rgba(blue, 0.42), 0.25)
                )
                topology = picture.part.mesh.topology
                around = topology.corner_edge[topology.corners_of_faces(selection.indices)]
                edges = np.flatnonzero(mask_of(around, topology.n_edges))
                scene.lines.append(
                    Lines(picture.segments(edges), picture.middle, _rgba(blue, 0.9), 1.6 * ratio, 3e-5, through)
                )
            elif selection.kind == "edges":
                segments = picture.segments(selection.indices)
                scene.lines.append(
                    Lines(segments, picture.middle, _rgba(blue), 3.2 * ratio, 3.5e-5, max(through, 0.25))
                )
            else:
                places = picture.drawn(picture.cage_places[selection.indices])
                scene.dots.append(
                    Dots(places, picture.middle, _rgba(blue), _rgba("#FFFFFF"), 9.0 * ratio, 5e-5, max(through, 0.3))
                )

    def _add_guides(self, scene: Scene) -> None:
        """The guides of the direction or camera this view looks from, and those that stand in space."""
        document = self.view.session.document
        for guide in seen_guides(self.view):
            faces = looks_at(self.view.camera, document, guide)
            pixels = self.images.pixels(guide)
            corner, across, upward = frame_of(document, guide, pixels.shape)
            scene.images.append(
                Standing(
                    pixels,
                    corner,
                    across,
                    upward,
                    CROPS.get(guide.crop, (0.0, 1.0)),
                    guide.opacity,
                    guide.flip,
                    guide.through,
                    guide.standing and not faces,
                )
            )

    def _projected(self, part: Part) -> Projected | None:
        """The image that is projected onto a part, the last one where there are several."""
        document = self.view.session.document
        for guide in reversed(document.guides):
            if guide.onto == part.id and guide.shown and is_there(document, guide):
                pixels = self.images.pixels(guide)
                matrix = projection_of(document, guide, pixels.shape)
                _, right, up = guide_plane(document, guide)
                towards = self.view.camera.axes @ np.cross(right, up)
                part_shown = CROPS.get(guide.crop, (0.0, 1.0))
                return Projected(pixels, matrix, towards, part_shown, guide.opacity, guide.flip)
        return None

    def _add_lone(self, scene: Scene, ratio: float) -> None:
        """Rings at points of the active part that symmetric editing finds no twin for."""
        symmetry = self.view.session.document.symmetry
        picture = self.view.stage.picture(self.view.session.document.active)
        if symmetry is None or picture is None or self.view.stage.is_hurried:
            return
        if self._lone is None or self._lone[0] is not picture.part.mesh or self._lone[1] != symmetry:
            try:
                lone = np.flatnonzero(twins(picture.part.mesh, symmetry) < 0)
            except LevelLoopError:
                lone = np.arange(picture.part.mesh.n_points)
            self._lone = (picture.part.mesh, symmetry, lone)
        places = picture.drawn(picture.cage_places[self._lone[2]])
        if len(places):
            warn = _rgba(self.view.theme.warn)
            scene.dots.append(
                Dots(places, picture.middle, _rgba(self.view.theme.panel), warn, 11.0 * ratio, 4.2e-5, 0.4)
            )

    def _add_soft(self, scene: Scene, ratio: float) -> None:
        """The points that would follow the selection, fainter the less they do."""
        soft = self.running_soft()
        if soft is None or not self.view.session.document.parts or not len(self.view.session.selection):
            return
        picture = self.view.stage.picture(self.view.session.document.active)
        if picture is None:
            return
        weights = self.soft_weights(picture, self.view.session.selection, soft)
        blue = self.view.theme.selection
        steps = np.ceil(weights * SOFT_STEPS).astype(np.int64)
        for step in range(1, SOFT_STEPS + 1):
            places = picture.cage_places[(steps == step) & (weights < 1)]
            if len(places):
                share = step / SOFT_STEPS
                tint = _rgba(blue, 0.25 + 0.6 * share)
                scene.dots.append(
                    Dots(
                        picture.drawn(places),
                        picture.middle,
                        tint,
                        _rgba("#FFFFFF", 0.4),
                        (4 + 4 * share) * ratio,
                        4.5e-5,
                    )
                )

    def soft_weights(self, picture: Picture, selection: Selection, soft: Soft) -> Floats:
        """How much each point follows; worked out once for as long as nothing of it changes."""
        if self._softly is not None:
            part, chosen, known, weights = self._softly
            if part is picture.part and chosen is selection and known == soft:
                return weights
        mesh = picture.part.to_world(picture.part.mesh)
        try:
            weights = soft_weights(mesh, points_of(mesh.topology, selection), soft)
        except LevelLoopError:
            weights = np.zeros(mesh.n_points)
        self._softly = (picture.part, selection, soft, weights)
        return weights

    def running_soft(self) -> Soft | None:
        """The soft range of the running transform, or of those to come; None where there is none."""
        state, mode = self.view.session.state, self.view.mode
        values: Any = state.parameters if mode is not None and state.key == mode else self.view.hands.soft
        if self.view.mode is None or not values.get("soft_range"):
            return None
        return Soft(
            float(values["soft_range"]),
            values.get("soft_shape", "bell"),
            bool(values.get("along_surface")),
            values.get("soft_centre"),
            values.get("soft_radii"),
        )

    def _add_gauged(self, scene: Scene, ratio: float) -> None:
        """The loop whose gauge is shown, lit up."""
        if self.view.gauge is None:
            return
        gauge, part_id = self.view.gauge
        picture = self.view.stage.picture(part_id)
        if picture is not None and int(gauge.edges.max()) < picture.part.mesh.n_edges:
            lit = picture.segments(gauge.edges)
            teal = _rgba(self.view.theme.hover, 0.85)
            scene.lines.append(Lines(lit, picture.middle, teal, 2.4 * ratio, 3.8e-5, 0.3))

    def _add_hover(self, scene: Scene, ratio: float) -> None:
        hit = self.view.hover
        if hit is None or self.view.drag not in ("none",):
            return
        picture = self.view.stage.picture(hit.picture.part.id)
        if picture is not hit.picture:
            return
        teal = self.view.theme.hover
        if self.view.kind == "parts":
            scene.lines.append(
                Lines(self._kept_lines(picture)["wire"], picture.middle, _rgba(teal, 0.9), 1.8 * ratio, 4e-5)
            )
        elif hit.kind == "faces":
            scene.patches.append(Patch(picture.face_vertices(np.array([hit.index])), picture.middle, _rgba(teal, 0.30)))
        elif hit.kind == "edges":
            segments = picture.segments(np.array([hit.index]))
            scene.lines.append(Lines(segments, picture.middle, _rgba(teal), 3.6 * ratio, 4e-5))
        else:
            place = picture.drawn(picture.cage_places[[hit.index]])
            scene.dots.append(Dots(place, picture.middle, _rgba(teal), _rgba("#FFFFFF"), 11.0 * ratio, 6e-5))


def ground_step(distance: float) -> float:
    """The step of the ground's lines for a camera so far away, mm: 1, 10, 100 …"""
    return float(10.0 ** np.floor(np.log10(max(distance, 1e-3) / 4.0)))


@cache
def _ramp(name: str) -> NDArray[np.uint8]:
    """A colour map's pixels, made once."""
    return ramp({"vik": VIK, "bilbao": BILBAO}[name])


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


def _count(picture: Any, kind: Kind) -> int:
    mesh = picture.part.mesh
    return int({"points": mesh.n_points, "edges": mesh.n_edges, "faces": mesh.n_faces}[kind])


def _rgba(name: str, alpha: float = 1.0) -> Colour:
    shown = colour(name)
    return (shown.redF(), shown.greenF(), shown.blueF(), alpha)
