"""The review: every check on a cage, what it found, and whether the cage is ready for a purpose."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.review.facing import check_flatness, check_flipped
from levelloop.core.review.findings import PURPOSES, SEVERITIES, Finding, Purpose
from levelloop.core.review.holes import (
    check_doubles,
    check_non_manifold,
    check_open_edges,
    check_unattached,
    check_wires,
    check_zero_area,
)
from levelloop.core.review.poles import boundary_poles, check_poles, inner_poles
from levelloop.core.review.sides import check_sides

CHECKS: tuple[Callable[[Mesh, Purpose], list[Finding]], ...] = (
    lambda mesh, _: check_non_manifold(mesh),
    lambda mesh, _: check_doubles(mesh),
    lambda mesh, _: check_zero_area(mesh),
    lambda mesh, _: check_flipped(mesh),
    check_open_edges,
    lambda mesh, _: check_unattached(mesh),
    lambda mesh, _: check_wires(mesh),
    lambda mesh, _: check_sides(mesh),
    lambda mesh, _: check_poles(mesh),
    lambda mesh, _: check_flatness(mesh),
)


@dataclass(frozen=True)
class Counts:
    """What a cage is made of."""

    points: int
    edges: int
    faces: int
    triangles: int
    quads: int
    ngons: int
    poles: dict[int, int]
    boundary_poles: dict[int, int]
    open_edges: int
    shells: int
    euler: int


@dataclass(frozen=True)
class Report:
    """The findings of one part for one purpose, worst first."""

    purpose: Purpose
    counts: Counts
    findings: tuple[Finding, ...]

    @property
    def ready(self) -> bool:
        """Whether nothing stops the purpose."""
        return not any(finding.severity == "stop" and not finding.accepted for finding in self.findings)


def count(mesh: Mesh) -> Counts:
    """The counts of a cage."""
    topology = mesh.topology
    sizes = topology.face_sizes

    def by_valence(mask: np.ndarray) -> dict[int, int]:
        values, numbers = np.unique(topology.valence[mask], return_counts=True)
        return dict(zip(values.tolist(), numbers.tolist(), strict=True))

    return Counts(
        mesh.n_points,
        mesh.n_edges,
        mesh.n_faces,
        int((sizes == 3).sum()),
        int((sizes == 4).sum()),
        int((sizes > 4).sum()),
        by_valence(inner_poles(topology)),
        by_valence(boundary_poles(topology)),
        int(topology.open_edges.sum()),
        topology.n_shells,
        topology.euler_number(),
    )


def review(mesh: Mesh, purpose: Purpose = "smooth") -> Report:
    """Runs every check on a cage. Raises EditError for a purpose other than smooth, render or print."""
    if purpose not in PURPOSES:
        raise EditError(f'A review is for smooth, render or print, not for "{purpose}".')
    findings = [finding for check in CHECKS for finding in check(mesh, purpose)]
    findings.sort(key=lambda finding: SEVERITIES.index(finding.severity))
    return Report(purpose, count(mesh), tuple(findings))
