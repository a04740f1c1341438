"""A recipe's steps run one after the other on a cage; what only moves points is not built again."""

from __future__ import annotations

import logging
from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from operator import is_

import numpy as np

from levelloop.core.arrays import Floats, frozen
from levelloop.core.errors import LevelLoopError
from levelloop.core.lazy import lazy
from levelloop.core.limits import BYTES_IN_RECIPE, check_fits
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import KINDS
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import CancelledError, pieces
from levelloop.core.recipe.images import Seen, Surroundings
from levelloop.core.recipe.trace import Trace, after_edit, after_smoothing, untouched
from levelloop.core.surface.surface import SmoothSurface, faces_at
from levelloop.core.values import dataclass


@dataclass(frozen=True, eq=False)
class Link:
    """One step with its numbers.

    run: what it makes of a mesh; inputs: the meshes of other parts that it takes; key: two links of one key and
    with the same inputs do the same to the same mesh; place: which of the recipe's steps it is; growth: how many times
    as many faces there are after it, about. follow: (mesh before, its edit, the same mesh with other points) → the
    edit's points for those, or None where it has to run again; None: it always has to. places: all steps that it is,
    where it is several; lacking: those of them that find nothing to act on in a mesh, and why; the others run.
    """

    key: Hashable
    run: Callable[[Mesh], Edit]
    place: int = 0
    inputs: tuple[Mesh | None, ...] = ()
    growth: float = 1.0
    follow: Callable[[Mesh, Edit, Mesh], Floats | None] | None = None
    places: tuple[int, ...] = ()
    lacking: Callable[[Mesh], Sequence[Trouble]] | None = None


@dataclass(frozen=True)
class Smoothing:
    """Smoothing to a level.

    limit: its points are put on the limit surface; creases: whether they hold; seen: what a later step joins to the
    mesh, so that no fold is left where it does.
    """

    level: int
    limit: bool = False
    creases: bool = True
    place: int = 0
    seen: Seen | None = None


@dataclass(frozen=True)
class Trouble:
    """Why a step could not run; what comes before it goes on to the next step as it is."""

    place: int
    reason: str


def trouble_of(place: int, error: Exception) -> Trouble:
    """What to say about a step that went wrong; a defect of the program goes into the log."""
    if isinstance(error, LevelLoopError):
        return Trouble(place, str(error))
    if isinstance(error, MemoryError):
        return Trouble(place, "it needs more memory than there is.")
    # A recipe is run again with every picture: the same defect is written down once.
    logging.getLogger("levelloop").error("a defect of a step", exc_info=error, extra={"once": repr(error)})
    return Trouble(place, f"it went wrong inside the program ({type(error).__name__}); the details are in the log.")


class Stop:
    """What one link made of the mesh before it.

    points: (n', 3). raw: a smoothing's points before they are put on the limit surface. surface: a smoothing's; around:
    among what it was smoothed.
    """

    def __init__(
        self,
        link: Link | Smoothing,
        before: Mesh,
        points: Floats,
        route: Route,
        edit: Edit | None = None,
        surface: SmoothSurface | None = None,
        raw: Floats | None = None,
        around: Surroundings | None = None,
    ) -> None:
        self.link, self.before, self.points, self.route = link, before, points, route
        self.edit, self.surface, self.around = edit, surface, around
        self.raw = points if raw is None else raw

    @lazy
    def mesh(self) -> Mesh:
        """What it made as a mesh; faces left out by smoothing are holes of it."""
        if self.edit is not None:
            return self.edit.mesh
        assert self.surface is not None
        return self.surface.whole(self.points, self.before)

    @property
    def places(self) -> tuple[int, ...]:
        """The steps of the recipe that it comes from."""
        several = self.link.places if isinstance(self.link, Link) else ()
        return several or (self.link.place,)

    @property
    def topology(self) -> Topology:
        """The connectivity of what it made."""
        return self.surface.topology if self.surface is not None else self.mesh.topology


class Route:
    """The way of a connectivity through the links so far; followed when somebody asks for the trace."""

    def __init__(self, follow: Callable[[], Trace]) -> None:
        self._follow = follow

    @lazy
    def trace(self) -> Trace:
        """Where everything comes from."""
        return self._follow()


@dataclass(frozen=True, eq=False)
class Built:
    """A cage with every link run on it. troubles: the steps that could not run."""

    cage: Mesh
    start: Route
    stops: tuple[Stop, ...]
    troubles: tuple[Trouble, ...]

    @property
    def mesh(self) -> Mesh:
        """The result; faces that are no part of it are holes."""
        return self.stops[-1].mesh if self.stops else self.cage

    @property
    def points(self) -> Floats:
        """The result's points: (n, 3)."""
        return self.stops[-1].points if self.stops else self.cage.points

    @property
    def topology(self) -> Topology:
        """The result's connectivity."""
        return self.stops[-1].topology if self.stops else self.cage.topology

    @property
    def trace(self) -> Trace:
        """Where the result's elements come from."""
        return (self.stops[-1].route if self.stops else self.start).trace


def build(cage: Mesh, links: Sequence[Link | Smoothing], like: Built | None = None) -> Built:
    """Runs links on a cage, one after the other.

    like: what was built before; whatever of it still fits is used again, so that moving points of the cage rebuilds no
    connectivity.
    """
    start = Route(lambda: untouched(cage))
    if like is not None and like.cage.topology is cage.topology:
        start = like.start
    route = start
    stops: list[Stop] = []
    troubles: list[Trouble] = []
    olds = list(like.stops) if like is not None else []
    for link in pieces(links):
        old = olds[len(stops)] if len(stops) < len(olds) else None
        mesh = stops[-1].mesh if stops else cage
        try:
            if isinstance(link, Smoothing):
                stops.append(_smoothed(link, mesh, route, old))
            else:
                lacking = link.lacking(mesh) if link.lacking is not None else ()
                troubles += lacking
                if not lacking or len(lacking) < len(link.places):
                    stops.append(_edited(link, mesh, route, old))
        except CancelledError:
            raise
        # Whatever goes wrong in a step is that step's trouble: the rest of the part is there.
        except Exception as error:
            troubles.append(trouble_of(link.place, error))
            continue
        route = stops[-1].route if stops else start
    return Built(cage, start, tuple(stops), tuple(troubles))


# Helpers


def _edited(link: Link, mesh: Mesh, route: Route, old: Stop | None) -> Stop:
    known = old.link if old is not None and old.before is mesh else None
    if old is not None and isinstance(known, Link) and _is_same(known, link):
        return old
    followed = _followed(link, mesh, old)
    if followed is not None:
        return followed
    check_fits(mesh.n_faces * link.growth, BYTES_IN_RECIPE)
    edit = link.run(mesh)
    _check_origin(edit, mesh)
    topology = edit.mesh.topology
    if topology is mesh.topology:
        return Stop(link, mesh, edit.mesh.points, route, edit)
    if old is not None and old.before.topology is mesh.topology and old.edit is not None and _alike(edit, old.edit):
        # The same faces again: under the old connectivity nothing that hangs on it is built anew.
        edit = replace(edit, mesh=replace(edit.mesh, topology=old.edit.mesh.topology))
        return Stop(link, mesh, edit.mesh.points, old.route, edit)
    origin = edit.origin
    return Stop(link, mesh, edit.mesh.points, Route(lambda: after_edit(route.trace, origin)), edit)


def _check_origin(edit: Edit, mesh: Mesh) -> None:
    """Raises IndexError where a step says that something comes from elements that were not there before it."""
    for kind in KINDS:
        origins = edit.origin.of(kind)
        if len(origins) != edit.mesh.count(kind) or int(origins.max(initial=-1)) >= mesh.count(kind):
            raise IndexError(f"the {kind} of what was made come from others than there were")


def _followed(link: Link, mesh: Mesh, old: Stop | None) -> Stop | None:
    """What a link made before with its points moved, where nothing but points has changed and it knows how."""
    if link.follow is None or old is None or not isinstance(old.link, Link):
        return None
    if old.edit is None or old.link.key != link.key or not old.before.same_but_points(mesh):
        return None
    if len(old.link.inputs) != len(link.inputs) or not all(map(_alike_input, old.link.inputs, link.inputs)):
        return None
    points = link.follow(old.before, old.edit, mesh)
    if points is None:
        return None
    points = frozen(points)
    return Stop(link, mesh, points, old.route, replace(old.edit, mesh=old.edit.mesh.with_points(points)))


def _is_same(one: Link, other: Link) -> bool:
    """Whether two links are the same step that does the same."""
    if (one.key, one.place, len(one.inputs)) != (other.key, other.place, len(other.inputs)):
        return False
    return all(map(is_, one.inputs, other.inputs))


def _alike_input(one: Mesh | None, other: Mesh | None) -> bool:
    """Whether two meshes that a link takes differ in where their points are only."""
    return one is other or (one is not None and other is not None and one.same_but_points(other))


def _smoothed(link: Smoothing, mesh: Mesh, route: Route, old: Stop | None) -> Stop:
    if not link.creases:
        mesh = replace(mesh, crease_sharpness=np.zeros(mesh.n_edges), corner_sharpness=np.zeros(mesh.n_points))
    if old is not None and old.before is mesh and old.link == link:
        return old
    surface = old.surface if old is not None else None
    if surface is None or surface.level != link.level or not surface.fits(mesh):
        check_fits(faces_at(mesh.topology, link.level))
        surface = made = SmoothSurface(mesh, link.level, like=surface)
        follow = Route(lambda: after_smoothing(route.trace, made))
    else:
        assert old is not None
        follow = old.route
    images = link.seen.images(mesh) if link.seen is not None else []
    if images:
        around = Surroundings(mesh, surface, images, old.around if old is not None else None)
        raw, points = around.points(link.limit)
        return Stop(link, mesh, points, follow, None, surface, raw, around)
    # Nobody else has them: frozen they are shared with the mesh that is made of them, not copied.
    raw = frozen(surface.points(mesh.points))
    points = frozen(surface.limit(raw)) if link.limit else raw
    return Stop(link, mesh, points, follow, None, surface, raw)


def _alike(edit: Edit, old: Edit) -> bool:
    """Whether two edits made the same faces of the same elements."""
    a, b = edit.mesh.topology, old.mesh.topology
    return (
        np.array_equal(a.face_offsets, b.face_offsets)
        and np.array_equal(a.corners, b.corners)
        and a.n_points == b.n_points
        and np.array_equal(a.wires, b.wires)
        and np.array_equal(edit.origin.points, old.origin.points)
        and np.array_equal(edit.origin.faces, old.origin.faces)
    )
