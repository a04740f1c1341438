"""Points where other than four edges meet."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, distinct
from levelloop.core.mesh.topology import Topology
from levelloop.core.review.findings import Finding, Severity
from levelloop.core.review.subject import Subject, point_turn
from levelloop.core.words import counted

LEAST_TURN = 2.0  # degrees within one face: less does not show


def inner_poles(topology: Topology) -> Booleans:
    """Points inside where other than four edges meet: (n,)."""
    used = topology.point_face_count > 0
    return np.asarray(used & ~topology.open_points & (topology.valence != 4))


def boundary_poles(topology: Topology) -> Booleans:
    """Points on a boundary where other than three edges meet; the corner of one face alone is none: (n,)."""
    lone_corner = (topology.valence == 2) & (topology.point_face_count == 1)
    return np.asarray(topology.open_points & (topology.valence != 3) & ~lone_corner)


def check_poles(subject: Subject) -> list[Finding]:
    """Poles, one finding for each valence; those of many edges are warnings only where the surface bends."""
    mesh = subject.mesh
    topology = mesh.topology
    findings = []
    masks = ((inner_poles(topology), ""), (boundary_poles(topology), " on a boundary"))
    if not any(mask.any() for mask, _ in masks):
        return []
    # Where the part is not shown smooth a cage has no curvature, and what is not known to be flat is not.
    turn = point_turn(subject) if subject.is_smoothed else np.full(mesh.n_points, np.inf)
    for mask, place in masks:
        for valence in distinct(topology.valence[mask]).tolist():
            indices = np.flatnonzero(mask & (topology.valence == valence))
            bends = bool(turn[indices].max() > LEAST_TURN)
            severity: Severity = "warn" if bends and (valence >= 6 or valence < 3) else "note"
            advice = "Harmless on a flat; on a curve it pinches."
            if valence >= 6 and bends:
                advice = "Spread its edges over several 5-poles, or move it onto a flat."
            findings.append(
                Finding(
                    "poles",
                    severity,
                    "points",
                    indices,
                    mesh.points[indices],
                    f"{counted(len(indices), f'{valence}-pole')}{place}.",
                    float(valence),
                    "edges",
                    advice=advice,
                    valence=valence,
                )
            )
    return findings
