"""The review of parts: with their recipes, what was accepted, and each alike instance once."""

from __future__ import annotations

import hashlib
from dataclasses import replace

import numpy as np

from levelloop.core.progress import pieces
from levelloop.core.review import Report, review
from levelloop.core.review.findings import Finding, Purpose
from levelloop.document.document import Document, Part

SAME_PLACE = 1e-5  # of the part's size: places that differ by less are the same ones


def reviewed_parts(document: Document, purpose: Purpose = "smooth") -> list[tuple[Part, Report]]:
    """The review of every part that is given out, with its recipe: a mirror plane is no boundary.

    Of instances that are alike but for where they stand the first is reviewed for all.
    """
    first: dict[object, Part] = {}
    for part in document.given_out:
        first.setdefault(_alike(part), part)
    return [(part, _reviewed(part, purpose)) for part in pieces(list(first.values()))]


def mark_of(part: Part, finding: Finding) -> str:
    """What a finding is known by when it was accepted: its check, its elements, and how they lie in the part.

    Moving, turning or scaling the part as a whole changes nothing; moving what was found does.
    """
    points = part.to_world(part.mesh).points
    middle = points.mean(axis=0) if len(points) else np.zeros(3)
    size = max(float(np.linalg.norm(points - middle, axis=1).max(initial=0.0)), 1e-300)
    far = np.round(np.linalg.norm(finding.at - middle, axis=1) / (SAME_PLACE * size)).astype(np.int64)
    known = np.sort(finding.indices).astype(np.int64).tobytes() + np.sort(far).tobytes()
    return f"{finding.check}:{hashlib.sha256(known).hexdigest()[:16]}"


# Helpers


def _alike(part: Part) -> object:
    """What is the same for instances whose reviews are the same: one cage and recipe, turned and moved only."""
    if not part.shared:
        return part.id
    linear = part.transform[:3, :3]
    sizes = np.linalg.svd(linear, compute_uv=False)
    return part.shared, tuple(np.round(sizes, 9).tolist()), bool(np.linalg.det(linear) < 0)


def _reviewed(part: Part, purpose: Purpose) -> Report:
    report = review(part.to_world(part.stepped), purpose)
    findings = list(report.findings)
    if part.steps:
        findings = [replace(finding, mesh="result") for finding in findings]
    for trouble in part.plain.troubles:
        said = f"{part.step_name(trouble.place).capitalize()} cannot run: {trouble.reason}"
        nowhere = np.zeros((0, 3))
        stuck = Finding("recipe", "stop", "faces", np.zeros(0, dtype=np.int64), nowhere, said, 0.0, mesh="result")
        findings.insert(0, stuck)
    if part.accepted:
        findings = [replace(finding, accepted=part.accepted.get(mark_of(part, finding), "")) for finding in findings]
    return replace(report, findings=tuple(findings))
