"""Steps along a curve: copies that ride on it, what follows it, a profile swept along it."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.edit.repeat.copies import with_copies
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import Path, frames_along, path_of
from levelloop.core.limits import check_fits
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.progress import pieces

FINE = 64  # places between two points of a curve at which its frames are known
MOST_COPIES = 10_000
SHARPEST = 4.0  # times as wide at most a profile gets across a corner, so that a spike stays small


def array_along(
    mesh: Mesh, curve: Mesh, count: int | None = 5, spacing: float | None = None, turning: bool = True
) -> Edit:
    """Copies of everything along a curve, the origin of each riding on it.

    count: in all, evenly by length, both ends included; or spacing: mm from one to the next along the curve, from its
    start. turning: x follows the curve and z stays as near the world's z as frames without twist allow; else all stand
    as the part does. Nothing is selected after.
    """
    path = Along(path_of(curve))
    at = _rides(path, count, spacing)
    check_fits(len(at) * max(mesh.n_faces, 1))
    places, frames = path.places(at), path.frames(at)
    if not turning:
        frames = np.broadcast_to(np.eye(3), frames.shape)
    turned = [mesh.points @ frame + place for frame, place in zip(frames, places, strict=True)]
    first = mesh.with_points(turned[0])
    return with_copies(first, [first.with_points(points) for points in pieces(turned[1:])], identity(mesh))


def follow(mesh: Mesh, curve: Mesh, stretch: bool = False, among: Mesh | None = None) -> Edit:
    """Lays what lies along x along a curve, from its start: y and z stay square to it, in frames without twist.

    stretch: over the whole curve; else at its true length, what is longer goes on straight beyond an open end and
    around again on a closed one. among: what the mesh is laid together with, itself included: where that begins and
    how long it is counts. Raises EditError where there is no extent along x to stretch.
    """
    path = Along(path_of(curve))
    reach, whole = mesh.points[:, 0], (mesh if among is None else among).points[:, 0]
    low, extent = float(whole.min()), float(np.ptp(whole))
    if stretch and extent <= 0:
        raise EditError("What has no length along x cannot be stretched along a curve.")
    at = (reach - low) * (path.length / extent if stretch else 1.0)
    if path.closed:
        held = np.where(np.isclose(at, path.length) & stretch, path.length, np.mod(at, path.length))
    else:
        held = np.clip(at, 0.0, path.length)
    frames = path.frames(held)
    beyond = np.zeros(len(at)) if path.closed else at - held
    local = np.stack((beyond, mesh.points[:, 1], mesh.points[:, 2]), axis=1)
    places = path.places(held) + np.einsum("nk,nkj->nj", local, frames)
    return Edit(mesh.with_points(places), NOTHING, identity(mesh))


def sweep_profile(mesh: Mesh, path: Path, places: Floats, profile: Path, caps: str) -> Edit:
    """The mesh with a profile swept along a path, square to it; at corners it is mitred, so that it keeps its width.

    profile: as it lies about the middle of its box in the two directions it is largest in. caps: "open" or "face"
    of a closed profile. Selected after: the new faces. Raises EditError for caps other than open or face.
    """
    if caps not in ("open", "face"):
        raise EditError("The ends of a swept profile are open or a face each.")
    flat = _flat(profile.points)
    on = path.at(places)
    frames = frames_along(on, path.closed, path.smooth)
    check_fits(mesh.n_faces + len(places) * len(flat))
    rings = on[:, None] + mitred(on, frames, np.einsum("sk,rkj->rsj", flat, frames[:, :2]), path.closed, path.smooth)
    if path.closed:
        rings = rings[:-1]
    builder = MeshBuilder(mesh)
    number = builder.points(rings.reshape(-1, 3)).reshape(len(rings), len(flat))
    low, high = (number, np.roll(number, -1, axis=0)) if path.closed else (number[:-1], number[1:])
    following = np.roll(np.arange(len(flat)), -1)
    kept = slice(None) if profile.closed else slice(None, -1)
    quads = np.stack((low, low[:, following], high[:, following], high), axis=2)[:, kept].reshape(-1, 4)
    # Outward is where a profile drawn counter-clockwise has its outside.
    outward = _winding(flat) > 0 or not profile.closed
    builder.faces(quads if outward else quads[:, ::-1])
    if caps == "face" and profile.closed and not path.closed:
        ends = (number[0][::-1], number[-1]) if outward else (number[0], number[-1][::-1])
        for ring in ends:
            builder.faces(ring[None])
    return builder.edit()


def mitred(on: Floats, frames: Floats, rings: Floats, closed: bool, smooth: bool) -> Floats:
    """Rings (r, s, 3) about places, widened across corners of a straight path so that the sides keep their distance."""
    if smooth or len(on) < 3:
        return rings
    steps = unit(np.diff(on, axis=0))
    before = np.concatenate((steps[-1:] if closed else steps[:1], steps))
    after = np.concatenate((steps, steps[:1] if closed else steps[-1:]))
    bend = after - before
    turns = np.linalg.norm(bend, axis=1) > 1e-9
    across = unit(bend)
    # Half the angle between both ways: the cut through a corner is longer by 1 / cos of it.
    half = np.clip(np.linalg.norm(before + after, axis=1) / 2.0, 1.0 / SHARPEST, 1.0)
    more = np.where(turns, 1.0 / half - 1.0, 0.0)
    along = np.einsum("rsj,rj->rs", rings, across)
    return np.asarray(rings + (along * more[:, None])[..., None] * across[:, None])


class Along:
    """A path by its length: places and frames so many millimetres from its start."""

    def __init__(self, path: Path) -> None:
        self.path, self.closed = path, path.closed
        self._fine = np.linspace(0.0, path.spans, path.spans * FINE + 1)
        self._on = path.at(self._fine)
        steps = np.linalg.norm(np.diff(self._on, axis=0), axis=1)
        self._run = np.concatenate(([0.0], np.cumsum(steps)))
        self.length = float(self._run[-1])
        if self.length <= 0:
            raise EditError("The curve has no length.")
        self._frames = _upright(frames_along(self._on, path.closed, True))

    def places(self, at: Floats) -> Floats:
        """Where the path is so far from its start: (n, 3)."""
        return self.path.at(np.interp(at, self._run, self._fine))

    def frames(self, at: Floats) -> Floats:
        """Frames there, rows x along the path, y, z: (n, 3, 3)."""
        row = np.clip(np.searchsorted(self._run, at, side="right") - 1, 0, len(self._run) - 2)
        share = (at - self._run[row]) / np.maximum(self._run[row + 1] - self._run[row], 1e-300)
        mixed = self._frames[row] + share[:, None, None] * (self._frames[row + 1] - self._frames[row])
        x = unit(mixed[:, 0])
        z = unit(mixed[:, 2] - x * np.einsum("ij,ij->i", mixed[:, 2], x)[:, None])
        return np.stack((x, np.cross(z, x), z), axis=1)


# Helpers


def _rides(path: Along, count: int | None, spacing: float | None) -> Floats:
    """How far from its start copies ride."""
    if spacing is not None:
        if not spacing > 0:
            raise EditError("The spacing of copies along a curve is above 0 mm.")
        number = int(np.floor(min(path.length / spacing, 1e15) + 1e-9)) + 1
        if path.closed and abs((number - 1) * spacing - path.length) < 1e-9 * path.length:
            number -= 1
        _check_copies(number)
        return np.asarray(spacing * np.arange(number, dtype=np.float64))
    if count is None or count < 1:
        raise EditError("Say how many copies there are along the curve, or how far they are from each other.")
    _check_copies(count)
    if path.closed:
        return np.linspace(0.0, path.length, count, endpoint=False)
    return np.linspace(0.0, path.length, count) if count > 1 else np.zeros(1)


def _check_copies(count: int) -> None:
    if count > MOST_COPIES:
        raise EditError(f"That would be {count:,} copies along the curve; {MOST_COPIES:,} is the most.")


def _upright(frames: Floats) -> Floats:
    """Frames (across, across, along) turned as one so that one of them is as near the world's z as it can be.

    Returns rows x along, y, z. Where the way goes straight up, z is as near the world's y.
    """
    for axis in (2, 1):
        up = frames[:, :2, axis].sum(axis=0)
        if np.hypot(*up) > 1e-6 * len(frames):
            break
    angle = float(np.arctan2(up[1], up[0]))
    z = np.cos(angle) * frames[:, 0] + np.sin(angle) * frames[:, 1]
    x = frames[:, 2]
    return np.stack((x, np.cross(z, x), z), axis=1)


def _flat(points: Floats) -> Floats:
    """A profile about the middle of its box, in the two directions in which it is largest: (s, 2)."""
    low, high = points.min(axis=0), points.max(axis=0)
    size = high - low
    if np.sort(size)[1] <= 0:
        raise EditError("A profile is not a straight line along one axis.")
    axes = np.sort(np.argsort(-size, kind="stable")[:2])
    return np.asarray((points - 0.5 * (low + high))[:, axes])


def _winding(flat: Floats) -> float:
    """Twice the signed area of a profile."""
    x, y = flat[:, 0], flat[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
