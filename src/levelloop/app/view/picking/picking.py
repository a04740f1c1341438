"""What is under the pointer or inside a box: cage elements as they are shown, on screen."""

from __future__ import annotations

from dataclasses import field
from typing import Literal

import numpy as np

from levelloop.app.view.camera import Camera
from levelloop.app.view.render.picture import Picture
from levelloop.app.view.render.what_is_where import WhatIsWhere, numbered, triangle_at
from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.mesh.faces import face_normals, unit
from levelloop.core.mesh.selection import Kind
from levelloop.core.values import dataclass

Reach = Literal["visible", "facing", "through"]
BoxRule = Literal["inside", "touched"]
REACHES: tuple[Reach, ...] = ("visible", "facing", "through")
POINT_REACH = 12.0  # pixels
EDGE_REACH = 9.0


@dataclass(frozen=True, eq=False)
class Sight:
    """One frame as picking needs it: the camera, the size in pixels, what was drawn where."""

    camera: Camera
    width: int
    height: int
    pictures: list[Picture]
    what: WhatIsWhere
    _screens: dict[tuple[int, str], Floats] = field(default_factory=dict)

    def screen(self, picture: Picture, of: Literal["points", "chains", "result"]) -> Floats:
        """What is on screen of a picture, projected once for the frame.

        Cage points (n, 3), the points along all cage edges (e, c, 3), or all points of the result (n', 3).
        """
        key = (id(picture), of)
        if key not in self._screens:
            if of != "chains":
                places = picture.cage_places if of == "points" else picture.places
                self._screens[key] = self.camera.project(places, self.width, self.height)
            else:
                chains = picture.cage.chains()
                screen = self.camera.project(chains.reshape(-1, 3), self.width, self.height)
                self._screens[key] = screen.reshape(chains.shape)
        return self._screens[key]


@dataclass(frozen=True, eq=False)
class Hit:
    """A cage element under the pointer."""

    picture: Picture
    kind: Kind
    index: int

    def same_as(self, other: Hit | None) -> bool:
        """Whether both name the same element."""
        return other is not None and (self.picture.part.id, self.kind, self.index) == (
            other.picture.part.id,
            other.kind,
            other.index,
        )


def pick(sight: Sight, kind: Kind, x: float, y: float, reach: Reach = "visible", active: str = "") -> Hit | None:
    """The nearest element of a kind at a pixel; the active part is preferred where parts tie."""
    if kind == "faces":
        column, row = int(x), int(y)
        if not (0 <= column < sight.width and 0 <= row < sight.height):
            return None
        found = numbered(sight.pictures, int(sight.what.numbers[row, column]))
        if found is None:
            return _source_of_copy(sight, column, row)
        if reach == "facing" and not facing(sight, found[0], kind)[found[1]]:
            return None
        return Hit(found[0], "faces", found[1])
    best: tuple[float, Hit] | None = None
    for picture in sight.pictures:
        nearest = _nearest_point if kind == "points" else _nearest_edge
        found_here = nearest(sight, picture, x, y, reach)
        if found_here is None:
            continue
        distance, index = found_here
        distance -= 0.5 if picture.part.id == active else 0.0
        if best is None or distance < best[0]:
            best = (distance, Hit(picture, kind, index))
    return _element_of_copy(sight, kind, x, y, reach) if best is None else best[1]


def _element_of_copy(sight: Sight, kind: Literal["points", "edges"], x: float, y: float, reach: Reach) -> Hit | None:
    """The cage point or edge whose copy, made by a recipe, is nearest to a pixel; None where none is near."""
    best: tuple[float, Hit] | None = None
    for picture in sight.pictures:
        copies, sources = picture.copied_points if kind == "points" else picture.copied_edges
        if len(copies) == 0:
            continue
        screen = sight.screen(picture, "result")
        if kind == "points":
            foot = screen[copies]
        else:
            start, end = screen[copies[:, 0]], screen[copies[:, 1]]
            along = end[:, :2] - start[:, :2]
            to = np.array([x, y]) - start[:, :2]
            ratio = np.clip((along * to).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-12), 0.0, 1.0)
            foot = start + ratio[:, None] * (end - start)
            foot[(start[:, 2] > 1.0) | (end[:, 2] > 1.0), 2] = np.inf
        distance = np.hypot(foot[:, 0] - x, foot[:, 1] - y)
        near = np.flatnonzero((distance <= (POINT_REACH if kind == "points" else EDGE_REACH)) & (foot[:, 2] <= 1.0))
        if reach != "through":
            near = near[visible(sight, foot[near])]
        if len(near):
            first = near[np.lexsort((foot[near, 2], np.round(distance[near])))[0]]
            if best is None or distance[first] < best[0]:
                best = float(distance[first]), Hit(picture, kind, int(sources[first]))
    return None if best is None else best[1]


def _source_of_copy(sight: Sight, column: int, row: int) -> Hit | None:
    """The cage face that a recipe's copy at a pixel was made of; None where it is nothing's copy."""
    found = triangle_at(sight.pictures, sight.what, column, row)
    if found is None:
        return None
    picture, triangle = found
    source = picture.built.trace.source.faces
    if len(picture.faces) != len(picture.indices) or source[picture.faces[triangle]] < 0:
        return None
    return Hit(picture, "faces", int(source[picture.faces[triangle]]))


def picked_in_box(
    sight: Sight,
    picture: Picture,
    kind: Kind,
    low: tuple[float, float],
    high: tuple[float, float],
    reach: Reach,
    rule: BoxRule = "inside",
) -> Integers:
    """The elements that lie in a box on screen, or are touched by it: sorted indices."""
    corners = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
    return picked_in_lasso(sight, picture, kind, corners, reach, rule)


def picked_in_lasso(
    sight: Sight, picture: Picture, kind: Kind, outline: Floats, reach: Reach, rule: BoxRule = "inside"
) -> Integers:
    """The elements all of whose points lie inside an outline on screen, (n, 2) pixels, or any: sorted indices.

    Touched is also what has its middle inside. Crossings of a ray with the outline are counted (Shimrat 1962).
    """
    middles = sight.camera.project(element_places(picture, kind), sight.width, sight.height)
    topology = picture.part.mesh.topology
    if kind == "points":
        return _reached(sight, picture, kind, middles, _within(middles, outline), reach)
    ends = _within(sight.camera.project(picture.cage_places, sight.width, sight.height), outline)
    combine = np.logical_and if rule == "inside" else np.logical_or
    if kind == "edges":
        inside = combine.reduce(ends[topology.edges], axis=1)
    else:
        inside = combine.reduceat(ends[topology.corners], topology.face_offsets[:-1]) if topology.n_faces else ends[:0]
    if rule == "touched":
        inside = inside | _within(middles, outline)
    return _reached(sight, picture, kind, middles, inside, reach)


def picked_under_brush(
    sight: Sight, picture: Picture, kind: Kind, x: float, y: float, radius: float, reach: Reach
) -> Integers:
    """The elements whose middle lies within a radius of a pixel: sorted indices."""
    screen = sight.camera.project(element_places(picture, kind), sight.width, sight.height)
    return _reached(sight, picture, kind, screen, np.hypot(screen[:, 0] - x, screen[:, 1] - y) <= radius, reach)


def element_places(picture: Picture, kind: Kind) -> Floats:
    """Where the elements of a kind are shown, by their middle."""
    if kind == "points":
        return picture.cage_places
    return picture.edge_middles if kind == "edges" else picture.face_middles


def visible(sight: Sight, screen: Floats) -> Booleans:
    """Which projected places (n, 3) are not behind a face; a pixel of leeway, since points lie on outlines."""
    column, row = screen[:, 0].astype(np.int64), screen[:, 1].astype(np.int64)
    inside = (column >= 0) & (column < sight.width) & (row >= 0) & (row < sight.height)
    deepest = np.zeros(len(screen))
    for across in (-1, 0, 1):
        for down in (-1, 0, 1):
            c = np.clip(column + across, 0, sight.width - 1)
            r = np.clip(row + down, 0, sight.height - 1)
            deepest = np.maximum(deepest, sight.what.depth[r, c])
    return np.asarray(inside & (screen[:, 2] <= deepest + _leeway(sight, screen[:, 2])))


def surface_place(sight: Sight, x: float, y: float) -> tuple[Floats, Picture] | None:
    """The place in the world on the face under a pixel, from the depth that was drawn there, and its picture."""
    place = place_under(sight, x, y)
    if place is None:
        return None
    found = numbered(sight.pictures, int(sight.what.numbers[int(y), int(x)]))
    return None if found is None else (place, found[0])


def place_under(sight: Sight, x: float, y: float) -> Floats | None:
    """The place in the world of what is drawn at a pixel, made by a recipe or not."""
    column, row = int(x), int(y)
    if not (0 <= column < sight.width and 0 <= row < sight.height) or sight.what.depth[row, column] >= 1.0:
        return None
    camera = sight.camera
    clip = np.array(
        [
            2.0 * (column + 0.5) / sight.width - 1.0,
            1.0 - 2.0 * (row + 0.5) / sight.height,
            2.0 * float(sight.what.depth[row, column]) - 1.0,
            1.0,
        ]
    )
    world = np.linalg.solve(camera.projection(sight.width, sight.height) @ camera.view(), clip)
    return np.asarray(world[:3] / world[3])


# Helpers


def _within(screen: Floats, outline: Floats) -> Booleans:
    """Which places on screen lie inside an outline."""
    inside = np.zeros(len(screen), dtype=np.bool_)
    x, y = screen[:, 0], screen[:, 1]
    for (ax, ay), (bx, by) in zip(outline.tolist(), np.roll(outline, -1, axis=0).tolist(), strict=True):
        if ay != by:
            crosses = (ay > y) != (by > y)
            inside ^= crosses & (x < ax + (y - ay) * (bx - ax) / (by - ay))
    return inside


def _reached(sight: Sight, picture: Picture, kind: Kind, screen: Floats, inside: Booleans, reach: Reach) -> Integers:
    """Of elements inside something those that the reach allows."""
    mesh = picture.part.mesh
    hidden = {"points": mesh.hidden_points, "edges": mesh.hidden_edges, "faces": mesh.hidden}[kind]
    inside = inside & (screen[:, 2] <= 1.0) & ~hidden
    if reach == "visible":
        inside[inside] = visible(sight, screen[inside])
    elif reach == "facing":
        inside &= facing(sight, picture, kind)
    return np.flatnonzero(inside)


def facing(sight: Sight, picture: Picture, kind: Kind) -> Booleans:
    """Elements with a face that looks towards the camera: one entry for each of the kind."""
    mesh = picture.part.mesh
    topology = mesh.topology
    camera = sight.camera
    if mesh.n_faces == 0:
        return np.ones(len(element_places(picture, kind)), dtype=np.bool_)
    towards = camera.eye - picture.face_middles if camera.perspective else camera.axes[2][None]
    cosine = (face_normals(topology, picture.cage_places) * unit(towards)).sum(axis=1)
    faces = np.asarray(cosine > 1e-6)  # edge on is not facing
    if kind == "faces":
        return faces
    corners = faces[topology.corner_face]
    if kind == "points":
        return np.asarray(np.bincount(topology.corners[corners], minlength=mesh.n_points) > 0)
    return np.asarray(np.bincount(topology.corner_edge[corners], minlength=mesh.n_edges) > 0)


def _leeway(sight: Sight, depth: Floats) -> Floats:
    """How much deeper than the surface still counts as on it: a two-hundredth of the viewing distance."""
    camera = sight.camera
    projection = camera.projection(sight.width, sight.height)
    slack = camera.distance / 200.0
    if not camera.perspective:
        return np.full(len(depth), abs(projection[2, 2]) * slack * 0.5)
    # Window depth d = (A + B / z) / 2 + 1/2; its slope at the distance z that a depth stands for.
    b = -projection[2, 3] / 2.0
    a = -projection[2, 2] / 2.0 + 0.5
    z = b / np.maximum(a - depth, 1e-9)
    return np.asarray(np.abs(b) * slack / np.maximum(z, 1e-6) ** 2)


def _nearest_point(sight: Sight, picture: Picture, x: float, y: float, reach: Reach) -> tuple[float, int] | None:
    screen = sight.screen(picture, "points")
    # A square first: most points are nowhere near.
    near = np.flatnonzero((np.abs(screen[:, 0] - x) <= POINT_REACH) & (np.abs(screen[:, 1] - y) <= POINT_REACH))
    distance = np.hypot(screen[near, 0] - x, screen[near, 1] - y)
    keep = (distance <= POINT_REACH) & (screen[near, 2] <= 1.0) & ~picture.part.mesh.hidden_points[near]
    near, distance = near[keep], distance[keep]
    return _first_seen(sight, picture, "points", near, distance, screen[near], reach)


def _nearest_edge(sight: Sight, picture: Picture, x: float, y: float, reach: Reach) -> tuple[float, int] | None:
    if picture.part.mesh.n_edges == 0:
        return None
    # Edges whose box on screen is near enough; the few that are get measured.
    close = ~picture.part.mesh.hidden_edges
    flat, ends = picture.is_flat, picture.part.mesh.topology.edges
    whole = sight.screen(picture, "points" if flat else "chains")
    for axis, here in ((0, x), (1, y)):
        # Of a cage many edges share a point: each point is projected once, and read for one axis at a time.
        column = np.ascontiguousarray(whole[..., axis])
        places = [column[ends[:, end]] for end in (0, 1)] if flat else list(column.T)
        low = high = places[0]
        for place in places[1:]:
            low, high = np.minimum(low, place), np.maximum(high, place)
        close = close & (low <= here + EDGE_REACH) & (high >= here - EDGE_REACH)
    edges = np.flatnonzero(close)
    if len(edges) == 0:
        return None
    chain = whole[ends[edges]] if flat else whole[edges]
    start, end = chain[:, :-1], chain[:, 1:]
    along = end[..., :2] - start[..., :2]
    to = np.array([x, y]) - start[..., :2]
    length = np.maximum((along**2).sum(axis=-1), 1e-12)
    ratio = np.clip((along * to).sum(axis=-1) / length, 0.0, 1.0)
    foot = start + ratio[..., None] * (end - start)
    distance = np.hypot(foot[..., 0] - x, foot[..., 1] - y)
    distance[(start[..., 2] > 1.0) | (end[..., 2] > 1.0)] = np.inf
    part = distance.argmin(axis=1)
    rows = np.arange(len(distance))
    distance, foot = distance[rows, part], foot[rows, part]
    near = np.flatnonzero(distance <= EDGE_REACH)
    return _first_seen(sight, picture, "edges", edges[near], distance[near], foot[near], reach)


def _first_seen(
    sight: Sight, picture: Picture, kind: Kind, near: Integers, distance: Floats, screen: Floats, reach: Reach
) -> tuple[float, int] | None:
    if reach == "visible" and len(near):
        seen = visible(sight, screen)
        near, distance, screen = near[seen], distance[seen], screen[seen]
    elif reach == "facing" and len(near):
        faced = facing(sight, picture, kind)[near]
        near, distance, screen = near[faced], distance[faced], screen[faced]
    if len(near) == 0:
        return None
    # Of elements equally near on screen the one in front.
    best = np.lexsort((screen[:, 2], np.round(distance)))[0]
    return float(distance[best]), int(near[best])
