"""Scenery: what one view shows just now, as lists of solids, lines, dots and images for the renderer."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from levelloop.app.theme import Theme, rgba
from levelloop.app.view.camera import Camera
from levelloop.app.view.colour_maps import BILBAO, VIK, ramp
from levelloop.app.view.ground import ground
from levelloop.app.view.look import Bend, fitting_scale
from levelloop.app.view.picking.guide_places import frame_of, is_there, looks_at, projection_of, seen_guides
from levelloop.app.view.render.checker import checker
from levelloop.app.view.render.images import Images
from levelloop.app.view.render.picture import Changes, Picture, Singles, dashed
from levelloop.app.view.render.scene import (
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
from levelloop.app.view.view_state import ViewState
from levelloop.app.view.wipe import Wipe
from levelloop.core.arrays import Floats, Integers, distinct, mask_of
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind, Selection, points_of
from levelloop.core.select.soft_range import Soft, soft_weights
from levelloop.document.document import Document, Symmetry
from levelloop.document.guides import guide_plane
from levelloop.document.materials import material_named
from levelloop.document.part import Part
from levelloop.document.running.editing import twins
from levelloop.document.running.running import State

THROUGH = 0.28  # how strongly lines are seen through parts that are seen through
SHADED = ("clay", "checker")  # looks in which parts stand on the ground
SOFT_STEPS = 8  # shades in which the soft range fades out
CROPS = {"left": (0.0, 0.5), "right": (0.5, 1.0)}  # which part of a guide's width is shown


class Scenery:
    """Makes the scenes of a view from a state of the history and a view state; keeps what has not changed."""

    def __init__(self, theme: Theme) -> None:
        self.images = Images(theme)
        self._lone: tuple[Mesh, Symmetry, Integers] | None = None
        self._lines: dict[str, tuple[Any, Any]] = {}
        self._lit: dict[str, tuple[Picture, Selection, tuple[Singles, ...]]] = {}
        self._softly: tuple[Part, Selection, Soft, Floats] | None = None
        self._scale: tuple[Picture, Bend, float] | None = None

    def forget_others(self, here: set[str]) -> None:
        """Forgets the lines of all parts but some."""
        self._lines = {key: value for key, value in self._lines.items() if key in here}
        self._lit = {key: value for key, value in self._lit.items() if key in here}

    def left_scene(self, state: State, view: ViewState, wipe: Wipe) -> Scene:
        """What stands left of a wipe: plain parts, nothing selected."""
        look, ratio = view.look, view.ratio
        scene = self._empty_scene(state, view)
        if scene.shading == "distance":
            scene.shading = "clay"
        for picture in wipe.pictures:
            scene.solids.append(self._solid(picture, state, view))
            if look.wire and scene.shading != "silhouette":
                scene.lines.append(Lines(picture.wire, picture.middle, rgba(view.theme.wire, 0.3), 1.25 * ratio))
        return scene

    def scene(self, state: State, view: ViewState) -> Scene:
        """What the view shows just now."""
        theme = view.theme
        look = view.look
        flat = look.shading == "silhouette"
        scene = self._empty_scene(state, view)
        # Where the surface is judged the wires only say where on it one is.
        wires = 1.0 if look.shading in ("clay", "valleys") else 0.45
        active = state.document.active
        chosen = {part.id for part in state.parts_chosen}
        through = THROUGH if view.look.x_ray else 0.0
        ratio = view.ratio
        wipe = view.wipe
        shown = view.shown
        for picture in shown if wipe is None else wipe.right_pictures(shown):
            part = picture.part
            scene.solids.append(self._solid(picture, state, view))
            if flat:
                continue
            is_active, middle = part.id == active, picture.middle
            kept = self._kept_lines(picture)
            if view.look.wire:
                strength = wires * ((0.55 if picture.is_flat else 0.42) if is_active else 0.26)
                scene.lines.append(
                    Lines(
                        kept["wire"],
                        middle,
                        rgba(theme.wire, strength),
                        1.25 * ratio,
                        through=through,
                        changes=kept["changes"],
                    )
                )
                if len(kept["copied"]):
                    faint = rgba(theme.wire, 0.45 * strength)
                    scene.lines.append(Lines(kept["copied"], middle, faint, 1.0 * ratio, through=through))
            for weight, segments in kept["creases"]:
                width = (1.6 + 2.6 * weight / 10.0) * ratio * wires
                scene.lines.append(Lines(segments, middle, rgba(theme.wire, 0.92 * wires), width, 2.5e-5, through))
            if len(kept["seams"]):
                scene.lines.append(Lines(kept["seams"], middle, rgba(theme.seam), 2.4 * ratio, 2.7e-5, through))
            if is_active and view.kind == "points":
                scene.dots.append(
                    Dots(kept["points"], middle, rgba(theme.wire), rgba("#FBFAF7"), 6.0 * ratio, through=through)
                )
            if len(picture.curve_lines):
                scene.lines.append(
                    Lines(picture.curve_lines, middle, rgba(theme.ink, 0.95), 2.2 * ratio, 2.6e-5, through)
                )
            if look.normals and is_active:
                scene.lines.append(Lines(picture.normal_lines, middle, rgba(theme.hover, 0.9), 1.4 * ratio))
            if view.kind == "parts" and part.id in chosen:
                strength = 0.75 if is_active else 0.45
                scene.lines.append(Lines(kept["wire"], middle, rgba(theme.selection, strength), 1.8 * ratio, 3.5e-5))
        self._add_guides(scene, state, view)
        self._add_lone(scene, state, view)
        self._add_soft(scene, state, view)
        self._add_selections(scene, state, view)
        self._add_gauged(scene, state, view)
        self._add_hover(scene, state, view)
        return scene

    def bend_scale(self, state: State, view: ViewState) -> float:
        """The curvature, 1/mm, at which colours are full: the view's own, or what fits the active part."""
        look = view.look
        if look.bend_scale > 0:
            return look.bend_scale
        active = state.document.active
        shown = [picture for picture in view.shown if picture.bends is not None]
        picture = next((one for one in shown if one.part.id == active), shown[0] if shown else None)
        if picture is None or picture.bends is None:
            return self._scale[2] if self._scale is not None else 1.0
        known = self._scale
        # While something is dragged colours keep their meaning.
        if known is None or known[1] != look.bend or (known[0] is not picture and not view.is_hurried):
            known = self._scale = (picture, look.bend, fitting_scale(picture.bends.astype(np.float64), look.bend))
        return known[2]

    def _seeing(self, state: State, view: ViewState) -> Seeing:
        """What surfaces are judged by in this view."""
        look = view.look
        axis = look.stripe_axis(view.camera.axes)
        seeing = Seeing(look.stripes, (float(axis[0]), float(axis[1]), float(axis[2])), look.light, look.bend)
        wipe = view.wipe
        if wipe is not None and wipe.maps and wipe.apart is not None:
            seeing.gain = 1.0 / max(wipe.apart.largest, 1e-300)
            seeing.ramp = _ramp("bilbao")
        elif look.shading == "curvature":
            scale = self.bend_scale(state, view)
            seeing.gain = 1.0 / (scale**2 if look.bend == "Gaussian" else scale)
            seeing.ramp = _ramp("vik")
        return seeing

    def _empty_scene(self, state: State, view: ViewState) -> Scene:
        """The view's sky, ground and look, with nothing in it."""
        look, theme = view.look, view.theme
        flat = look.shading == "silhouette"
        sky = (rgba(theme.panel), rgba(theme.panel)) if flat else (rgba(theme.sky), rgba(theme.ground))
        wipe = view.wipe
        maps = wipe is not None and wipe.maps and wipe.apart is not None
        shading = "distance" if maps else look.shading
        scene = Scene(sky=sky, shading=shading, hide_inside=look.inside == "hidden", section=look.section)
        scene.seeing = self._seeing(state, view)
        scene.in_studio = look.materials and shading == "clay"
        scene.focus = view.focus
        if look.shadow and shading in SHADED:
            scene.shadow = rgba(theme.shadow, 0.34)
        if look.ground and not flat:
            scene.lines += ground(view.theme, view.camera, view.ratio, state.document.unit)
        return scene

    def _solid(self, picture: Picture, state: State, view: ViewState) -> Solid:
        """A picture as it is drawn in this view."""
        look, theme, part = view.look, view.theme, picture.part
        flat = look.shading == "silhouette"
        alpha = (0.55 if look.x_ray else 1.0) * part.opacity
        front = rgba(theme.ink if flat else part.colour, alpha)
        inside = front if flat or look.inside == "plain" else rgba(theme.inside, alpha)
        if flat:
            return Solid(picture, front, inside)
        groups = picture.groups if look.materials else ()
        if look.shading == "checker":
            return Solid(picture, front, inside, pixels=checker())
        skins = [self._skin(picture, *group, front, state.document) for group in groups]
        return Solid(picture, front, inside, self._projected(part, state.document, view.camera), skins)

    def _skin(self, picture: Picture, number: int, first: int, count: int, plain: Colour, document: Document) -> Skin:
        """What the triangles of one material are drawn with."""
        if number < 0:
            return Skin(first, count, plain, CLAY, 0.0)
        made_of = material_named(document.materials, picture.part.mesh.materials[number])
        tint = rgba(made_of.colour, plain[3] * made_of.opacity)
        pixels = self.images.of_file(made_of.image) if made_of.image else None
        # What is mirrored head-on, by Fresnel's formula.
        mirrors = ((made_of.refraction - 1.0) / (made_of.refraction + 1.0)) ** 2
        return Skin(first, count, tint, made_of.roughness, made_of.metalness, mirrors, made_of.glow, pixels)

    def _kept_lines(self, picture: Any) -> dict[str, Any]:
        found = self._lines.get(picture.part.id)
        if found is not None and found[0] is picture:
            kept: dict[str, Any] = found[1]
            return kept
        wire, changes = self._wire(picture, found)
        creases = picture.part.mesh.creases
        groups = [
            (float(weight), picture.segments(np.flatnonzero(creases == weight)))
            for weight in distinct(creases)
            if weight > 0
        ]
        kept = {
            "wire": wire,
            "changes": changes,
            # What follows a drag is smoothed only: steps have copied nothing.
            "copied": picture.copied_lines if picture.live is None else np.zeros((0, 2, 3), dtype=np.float32),
            "creases": groups,
            "seams": dashed(picture.segments(np.flatnonzero(picture.part.mesh.seams)), 4 if picture.is_flat else 1),
            "points": picture.drawn(picture.cage_places[~picture.part.mesh.hidden_points]),
        }
        self._lines[picture.part.id] = (picture, kept)
        return kept

    def _wire(self, picture: Picture, found: tuple[Picture, dict[str, Any]] | None) -> tuple[Any, Changes | None]:
        """The lines along the cage's edges; of a picture that follows a drag only those that follow are new."""
        shown = ~picture.part.mesh.hidden_edges
        piece = picture.live
        if piece is None or found is None or found[0].live is not piece:
            return picture.wire, Changes(0, np.zeros(0, dtype=np.int64)) if piece else None
        wire, known = found[1]["wire"], found[1]["changes"]
        edges = piece.edges[shown[piece.edges]]
        steps = picture.cage.steps
        rows = ((np.cumsum(shown) - 1)[edges][:, None] * steps + np.arange(steps)).ravel()
        wire[rows] = picture.segments(edges)
        return wire, Changes(known.number + 1, rows)

    def _add_selections(self, scene: Scene, state: State, view: ViewState) -> None:
        blue, ratio = view.theme.selection, view.ratio
        through = THROUGH if view.look.x_ray else 0.0
        for part_id, selection in state.shown_selections.items():
            # While the picture is still one of an older cage nothing of it is lit.
            picture = view.pictures.get(part_id)
            if picture is None:
                continue
            if len(selection) == 0 or int(selection.indices.max()) >= _count(picture, selection.kind):
                continue
            lit = self._kept_lit(part_id, picture, selection)
            if selection.kind == "faces":
                triangles, segments = lit
                scene.patches.append(Patch(triangles, picture.middle, rgba(blue, 0.42), 0.25))
                scene.lines.append(Lines(segments, picture.middle, rgba(blue, 0.9), 1.6 * ratio, 3e-5, through))
            elif selection.kind == "edges":
                (segments,) = lit
                scene.lines.append(Lines(segments, picture.middle, rgba(blue), 3.2 * ratio, 3.5e-5, max(through, 0.25)))
            else:
                (places,) = lit
                scene.dots.append(
                    Dots(places, picture.middle, rgba(blue), rgba("#FFFFFF"), 9.0 * ratio, 5e-5, max(through, 0.3))
                )

    def _kept_lit(self, part_id: str, picture: Picture, selection: Selection) -> tuple[Singles, ...]:
        """What lights a selection up: triangles and segments of faces, segments of edges, places of points."""
        known = self._lit.get(part_id)
        if known is None or known[0] is not picture or known[1] is not selection:
            known = self._lit[part_id] = (picture, selection, _lit(picture, selection))
        return known[2]

    def _add_guides(self, scene: Scene, state: State, view: ViewState) -> None:
        """The guides of the direction or camera this view looks from, and those that stand in space."""
        document = state.document
        for guide in seen_guides(state.document, view.camera):
            faces = looks_at(view.camera, document, guide)
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

    def _projected(self, part: Part, document: Document, camera: Camera) -> Projected | None:
        """The image that is projected onto a part, the last one where there are several."""
        for guide in reversed(document.guides):
            if guide.onto == part.id and guide.shown and is_there(document, guide):
                pixels = self.images.pixels(guide)
                matrix = projection_of(document, guide, pixels.shape)
                _, right, up = guide_plane(document, guide)
                towards = camera.axes @ np.cross(right, up)
                part_shown = CROPS.get(guide.crop, (0.0, 1.0))
                return Projected(pixels, matrix, towards, part_shown, guide.opacity, guide.flip)
        return None

    def _add_lone(self, scene: Scene, state: State, view: ViewState) -> None:
        """Rings at points of the active part that symmetric editing finds no twin for."""
        symmetry, ratio = state.document.symmetry, view.ratio
        picture = view.pictures.get(state.document.active)
        if symmetry is None or picture is None or view.is_hurried:
            return
        if self._lone is None or self._lone[0] is not picture.part.mesh or self._lone[1] != symmetry:
            try:
                lone = np.flatnonzero(twins(picture.part.mesh, symmetry) < 0)
            except LevelLoopError:
                lone = np.arange(picture.part.mesh.n_points)
            self._lone = (picture.part.mesh, symmetry, lone)
        places = picture.drawn(picture.cage_places[self._lone[2]])
        if len(places):
            warn = rgba(view.theme.warn)
            scene.dots.append(Dots(places, picture.middle, rgba(view.theme.panel), warn, 11.0 * ratio, 4.2e-5, 0.4))

    def _add_soft(self, scene: Scene, state: State, view: ViewState) -> None:
        """The points that would follow the selection, fainter the less they do."""
        soft, ratio = view.running_soft(state), view.ratio
        if soft is None or not state.document.parts or not len(state.selection(state.document.active)):
            return
        picture = view.pictures.get(state.document.active)
        if picture is None:
            return
        weights = self.soft_weights(picture, state.selection(state.document.active), soft)
        blue = view.theme.selection
        steps = np.ceil(weights * SOFT_STEPS).astype(np.int64)
        for step in range(1, SOFT_STEPS + 1):
            places = picture.cage_places[(steps == step) & (weights < 1)]
            if len(places):
                share = step / SOFT_STEPS
                tint = rgba(blue, 0.25 + 0.6 * share)
                scene.dots.append(
                    Dots(
                        picture.drawn(places),
                        picture.middle,
                        tint,
                        rgba("#FFFFFF", 0.4),
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

    def _add_gauged(self, scene: Scene, state: State, view: ViewState) -> None:
        """The loop whose gauge is shown, lit up."""
        if view.gauge is None:
            return
        (gauge, part_id), ratio = view.gauge, view.ratio
        picture = view.pictures.get(part_id)
        if picture is not None and int(gauge.edges.max()) < picture.part.mesh.n_edges:
            lit = picture.segments(gauge.edges)
            teal = rgba(view.theme.hover, 0.85)
            scene.lines.append(Lines(lit, picture.middle, teal, 2.4 * ratio, 3.8e-5, 0.3))

    def _add_hover(self, scene: Scene, state: State, view: ViewState) -> None:
        hit, ratio = view.hover, view.ratio
        if hit is None:
            return
        picture = view.pictures.get(hit.picture.part.id)
        if picture is not hit.picture:
            return
        teal = view.theme.hover
        if view.kind == "parts":
            scene.lines.append(
                Lines(self._kept_lines(picture)["wire"], picture.middle, rgba(teal, 0.9), 1.8 * ratio, 4e-5)
            )
        elif hit.kind == "faces":
            scene.patches.append(Patch(picture.face_vertices(np.array([hit.index])), picture.middle, rgba(teal, 0.30)))
        elif hit.kind == "edges":
            segments = picture.segments(np.array([hit.index]))
            scene.lines.append(Lines(segments, picture.middle, rgba(teal), 3.6 * ratio, 4e-5))
        else:
            place = picture.drawn(picture.cage_places[[hit.index]])
            scene.dots.append(Dots(place, picture.middle, rgba(teal), rgba("#FFFFFF"), 11.0 * ratio, 6e-5))


@cache
def _ramp(name: str) -> NDArray[np.uint8]:
    """A colour map's pixels, made once."""
    return ramp({"vik": VIK, "bilbao": BILBAO}[name])


def _lit(picture: Picture, selection: Selection) -> tuple[Singles, ...]:
    if selection.kind == "faces":
        topology = picture.part.mesh.topology
        around = topology.corner_edge[topology.corners_of_faces(selection.indices)]
        edges = np.flatnonzero(mask_of(around, topology.n_edges))
        return picture.face_vertices(selection.indices), picture.segments(edges)
    if selection.kind == "edges":
        return (picture.segments(selection.indices),)
    return (picture.drawn(picture.cage_places[selection.indices]),)


def _count(picture: Any, kind: Kind) -> int:
    mesh = picture.part.mesh
    return int({"points": mesh.n_points, "edges": mesh.n_edges, "faces": mesh.n_faces}[kind])
