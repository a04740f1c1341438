"""The review: every check on a cage, what it found, and whether the cage is ready for a purpose."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field, replace

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.progress import pieces
from levelloop.core.review.cage import check_concave, check_inside, check_on_edge
from levelloop.core.review.facing import check_flatness, check_flipped
from levelloop.core.review.findings import PURPOSES, SEVERITIES, Finding, Purpose, Severity
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
from levelloop.core.review.skin import check_uv_missing, check_uv_overlap, check_uv_places
from levelloop.core.review.subject import Subject
from levelloop.core.review.surface.curved import check_fold_under, check_pinch
from levelloop.core.review.surface.flow import check_flow
from levelloop.core.review.surface.holding import check_holding
from levelloop.core.review.surface.streak import check_streaks
from levelloop.core.values import dataclass


@dataclass(frozen=True)
class Check:
    """One check, declared once. run: what it finds; otherwise: the severity for a purpose where that is another."""

    key: str
    run: Callable[[Subject], list[Finding]]
    otherwise: Mapping[Purpose, Severity] = field(default_factory=dict)


CHECKS: tuple[Check, ...] = (
    Check("non_manifold", check_non_manifold),
    Check("doubles", check_doubles),
    Check("zero_area", check_zero_area),
    Check("flipped", check_flipped),
    Check("open_edges", check_open_edges, {"print": "stop"}),
    Check("unattached", check_unattached),
    Check("wires", check_wires),
    Check("sides", check_sides),
    Check("poles", check_poles),
    Check("flatness", check_flatness),
    Check("on_edge", check_on_edge, {"print": "stop"}),
    Check("concave", check_concave, {"print": "note"}),
    Check("inside", check_inside, {"print": "stop"}),
    Check("pinch", check_pinch, {"print": "note"}),
    Check("flow", check_flow, {"print": "note"}),
    Check("holding", check_holding, {"print": "note"}),
    Check("streak", check_streaks, {"print": "note"}),
    Check("fold_under", check_fold_under),
    Check("uv_missing", check_uv_missing, {"render": "warn"}),
    Check("uv_overlap", check_uv_overlap, {"render": "warn"}),
    Check("uv_places", check_uv_places),
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


def reviews(subject: Subject) -> dict[Purpose, Report]:
    """Runs every check once; the report for each purpose."""
    found = [(check, finding) for check in pieces(CHECKS) for finding in check.run(subject)]
    counts = count(subject.mesh)
    return {purpose: report_of(purpose, counts, found) for purpose in PURPOSES}


def review(mesh: Mesh, purpose: Purpose = "smooth") -> Report:
    """Runs every check on a cage. Raises EditError for a purpose other than smooth, render or print."""
    if purpose not in PURPOSES:
        raise EditError(f'A review is for smooth, render or print, not for "{purpose}".')
    return reviews(Subject(mesh))[purpose]


def report_of(purpose: Purpose, counts: Counts, found: Sequence[tuple[Check, Finding]]) -> Report:
    """What checks found, as severe as it is for a purpose, worst first."""
    findings = [
        replace(finding, severity=check.otherwise.get(purpose, finding.severity)) if check.otherwise else finding
        for check, finding in found
    ]
    findings.sort(key=lambda finding: SEVERITIES.index(finding.severity))
    return Report(purpose, counts, tuple(findings))
