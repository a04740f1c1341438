"""Checks of what holds turns: supports missing on one side, unequal on both, or so near that a turn is a crack."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers
from levelloop.core.edit.hold.turns import sides_of
from levelloop.core.errors import EditError
from levelloop.core.lazy import lazy
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.findings import Finding, Remedy, Severity
from levelloop.core.review.subject import Subject, folds
from levelloop.core.values import dataclass
from levelloop.core.words import counted

UNEQUAL = 1.25  # times the other side's distance
UNLIKE = 3.0  # times: what is farther than that was not put there to hold this turn
LEAST_FOLD = 35.0  # degrees of a fold that is meant as a turn
MOST_FOLD = 10.0  # degrees of a loop that holds
SUPPORT = 0.4  # of the way to the next loop: nearer than that, on one side, a loop is there to hold the turn
PLAIN = 0.28  # of the way: so near that one side alone says that the turn is meant to be held
MOSTLY = 0.4  # of the folds that are alike: where so many are held, the others are meant to be
ROUND = 70.0  # degrees: lesser folds one after the other are a round form
LIKE_FOLD = 15.0  # degrees between folds that are alike
CRACK = 2e-3  # of the part's diagonal: supports nearer than that make a line of the turn


@dataclass(frozen=True, eq=False)
class Folds:
    """Edges without crease that fold between quads, with the loops beside them.

    edges: (f,); angle: (f,) degrees; own: (f, 4) mm of the supports at the ends of both half-edges, as smoothing along
    the run leaves them; flat, gentle: (f, 2) whether the loop on each side folds not at all, or less than a turn;
    share: (f, 2) of the way from there to the loop after it, at the farther end; nearest: (f,) the least of it, at any
    end; is_round: (f,) whether they are of a form that turns in many small folds.
    """

    edges: Integers
    angle: Floats
    own: Floats
    flat: Booleans
    gentle: Booleans
    share: Floats
    nearest: Floats
    is_round: Booleans

    @lazy
    def held(self) -> Booleans:
        """Whether a loop is there to hold the turn, on each side: (f, 2)."""
        plainly = self.flat & (self.share <= SUPPORT)
        # What is as near as a loop that plainly holds, holds too, whatever follows it.
        far = self.own.reshape(-1, 2, 2).max(axis=2)
        near_enough: Booleans = self.gentle & (far <= UNEQUAL * far[plainly].max(initial=0.0))
        return plainly | near_enough


def folds_of(subject: Subject) -> Folds | None:
    """The folds of a part that are meant as turns; None where there are none, or it is not shown smooth."""
    mesh = subject.mesh
    topology = mesh.topology
    if not subject.is_smoothed or mesh.n_faces == 0:
        return None
    plain = (topology.edge_face_count == 2) & (mesh.creases == 0)
    pair = topology.edge_pair
    plain &= (pair >= 0).all(axis=1)
    plain[plain] &= topology.twin[pair[plain, 0]] == pair[plain, 1]
    quads = topology.face_sizes[topology.corner_face[np.maximum(pair, 0)]] == 4
    fold = folds(subject)
    edges = np.flatnonzero(plain & quads.all(axis=1) & (fold >= LEAST_FOLD))
    if len(edges) == 0:
        return None
    try:
        sides = sides_of(mesh, edges)
    except EditError:
        return None
    angle = fold[edges]
    there = sides.support.reshape(-1, 2, 2)
    beyond = np.where(there >= 0, fold[np.maximum(there, 0)], 0.0)
    # Loops that hold are flat themselves, so that what turns turns at the edge.
    flat = np.asarray(((there >= 0) & (beyond < MOST_FOLD)).all(axis=2))
    gentle = np.asarray(((there >= 0) & (beyond < LEAST_FOLD)).all(axis=2))
    share = (sides.distance / np.maximum(sides.behind, 1e-300)).reshape(-1, 2, 2)
    alike = (np.abs(beyond - angle[:, None, None]) < LIKE_FOLD).all(axis=(1, 2))
    own, is_round = sides.reach.reshape(-1, 4), alike & (angle < ROUND)
    return Folds(edges, angle, own, flat, gentle, share.max(axis=2), share.min(axis=(1, 2)), is_round)


def check_holding(subject: Subject) -> list[Finding]:
    """Turns that are rounder on one side, held on one side or not at all, or so tight that they read as a crack."""
    found = folds_of(subject)
    if found is None:
        return []
    mesh = subject.mesh
    return [*_unequal(mesh, found), *_missing(mesh, found), *_too_tight(mesh, found)]


# Helpers


def _unequal(mesh: Mesh, folds: Folds) -> list[Finding]:
    # Both ends of a half-edge say how far its side's loop is; an edge is uneven where both its ends are.
    one, other = folds.own[:, :2], folds.own[:, 3:1:-1]
    ratio = np.maximum(one, other) / np.maximum(np.minimum(one, other), 1e-300)
    held = folds.flat.all(axis=1) & (folds.nearest <= PLAIN)
    found = _worst(held & (ratio.min(axis=1) > UNEQUAL) & (ratio.max(axis=1) < UNLIKE), ratio.min(axis=1))
    if len(found) == 0:
        return []
    near, far = float(folds.own[found[0]].min()), float(folds.own[found[0]].max())
    message = f"{counted(len(found), 'edge turns', 'edges turn')} rounder on one side: {near:.3g} and {far:.3g} mm."
    advice = "Equal supports on both sides give equal roundness."
    worst = float(ratio[found[0]].min())
    remedy = Remedy("balance", "Balance", {"to": "smaller"})
    return [_finding(mesh, "unequal_turn", "warn", folds.edges[found], message, worst, "×", remedy, advice)]


def _missing(mesh: Mesh, folds: Folds) -> list[Finding]:
    whole = folds.held.all(axis=1)
    loose = ~whole & ~folds.is_round
    if not loose.any():
        return []
    one_sided = folds.held.any(axis=1) & (folds.flat & (folds.share <= PLAIN)).any(axis=1)
    meant = whole | one_sided
    # What folds like those that are held is meant to be held too, where most of these are.
    order = np.sort(folds.angle)
    meant_order = np.sort(folds.angle[meant])

    def near(angles: Floats) -> Integers:
        ends = (np.searchsorted(angles, folds.angle + side * LIKE_FOLD) for side in (1.0, -1.0))
        return np.subtract(*ends)

    kept = near(meant_order) / np.maximum(near(order), 1)
    found = _worst(loose & (kept >= MOSTLY), folds.share.max(axis=1))
    if len(found) == 0 and not meant.any():
        edges, value = folds.edges[loose], float(folds.angle[loose].max())
        them = "it" if len(edges) == 1 else "them"
        message = f"Nothing holds {counted(len(edges), 'fold')}: the surface rounds {them} off."
        advice = "Hold them with a radius where they are meant to be crisp."
        return [_finding(mesh, "missing_support", "note", edges, message, value, "°", None, advice)]
    if len(found) == 0:
        return []
    one_side = int(folds.held[found].any(axis=1).sum())
    where = "on one side" if one_side == len(found) else "on one side or on both"
    message = f"{counted(len(found), 'fold has', 'folds have')} no support {where}; others like that are held."
    advice = "Hold them like the others, or run a loop beside them."
    value, remedy = float(folds.angle[found[0]]), Remedy("hold", "Hold")
    return [_finding(mesh, "missing_support", "warn", folds.edges[found], message, value, "°", remedy, advice)]


def _too_tight(mesh: Mesh, folds: Folds) -> list[Finding]:
    diagonal = float(np.linalg.norm(np.ptp(mesh.points, axis=0)))
    nearest = folds.own.max(axis=1)
    found = _worst(folds.held.all(axis=1) & (nearest < CRACK * diagonal), -nearest)
    if len(found) == 0:
        return []
    value = float(nearest[found[0]])
    message = (
        f"{counted(len(found), 'turn is', 'turns are')} so tight that {'it reads' if len(found) == 1 else 'they read'} "
        f"as a line: supports {value:.3g} mm away."
    )
    advice = "Hold with a larger radius, or crease the edge."
    return [_finding(mesh, "too_tight", "warn", folds.edges[found], message, value, "mm", None, advice)]


def _worst(found: Booleans, value: Floats) -> Integers:
    chosen = np.flatnonzero(found)
    return chosen[np.argsort(-value[chosen], kind="stable")]


def _finding(
    mesh: Mesh,
    check: str,
    severity: Severity,
    edges: Integers,
    message: str,
    value: float,
    unit: str,
    remedy: Remedy | None,
    advice: str,
) -> Finding:
    middles = mesh.points[mesh.topology.edges[edges]].mean(axis=1)
    return Finding(check, severity, "edges", edges, middles, message, value, unit, remedy, advice)
