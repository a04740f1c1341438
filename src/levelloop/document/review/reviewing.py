"""The review of parts: with their recipes, what was accepted, and each alike instance once."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.lazy import kept
from levelloop.core.progress import pieces
from levelloop.core.review import Report, reviews
from levelloop.core.review.between import Body, meetings
from levelloop.core.review.findings import PURPOSES, SEVERITIES, Finding, Purpose, Severity
from levelloop.core.review.subject import Known, Subject
from levelloop.core.surface.surface import SmoothSurface
from levelloop.document.document import Document
from levelloop.document.part import Part

BETWEEN = 2  # the highest level at which parts are held against each other
SAME_PLACE = 1e-5  # of the part's size: places that differ by less are the same ones

BETWEEN_PARTS: dict[str, tuple[Severity, str]] = {
    "crossing": ("warn", "Move one of the two, or make one of them by a boolean."),
    "clearance": ("warn", "Move them apart, or make one of them smaller."),
    "flush": ("note", "Let one stand out or back, or part them by a groove, where they shall read as two."),
}


def reviewed_parts(
    document: Document,
    purpose: Purpose = "smooth",
    clearance: float | None = None,
    known: dict[str, Known] | None = None,
) -> list[tuple[Part, Report]]:
    """The review of every part that is given out, with its recipe: a mirror plane is no boundary.

    Of instances that are alike but for where they stand the first is reviewed for all. clearance: mm, nearer than that
    parts may not come to each other. known: see reviewed_for_all. Raises EditError for a purpose other than smooth,
    render or print.
    """
    if purpose not in PURPOSES:
        raise EditError(f'A review is for smooth, render or print, not for "{purpose}".')
    return reviewed_for_all(document, clearance, known)[purpose]


def reviewed_for_all(
    document: Document, clearance: float | None = None, known: dict[str, Known] | None = None
) -> dict[Purpose, list[tuple[Part, Report]]]:
    """The reviews for all purposes, every check run once.

    known: by part what was seen of it at the last review, renewed here: of a part that was edited only what has changed
    is looked at again.
    """
    if clearance is not None and not clearance > 0:
        raise EditError("A clearance is above 0 mm.")
    first: dict[object, Part] = {}
    for part in document.given_out:
        first.setdefault(_alike(part), part)
    parts = list(first.values())
    met = _meetings(document, clearance)
    known = {} if known is None else known
    for gone in known.keys() - {part.id for part in parts}:
        known.pop(gone)
    found = [_with(part, reviewed_alone(part, known), met.get(part.id, [])) for part in pieces(parts)]
    return {
        purpose: [(part, reports[purpose]) for part, reports in zip(parts, found, strict=True)] for purpose in PURPOSES
    }


def reviewed_alone(part: Part, known: dict[str, Known] | None = None) -> dict[Purpose, Report]:
    """The reviews of one part for all purposes, beside no other; kept with the part. known: see reviewed_for_all."""
    return kept(part, "_reviewed", lambda: _reviewed(part, {} if known is None else known))


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
    if not part.shared or part.group_recipes:
        # What a group makes of an instance hangs on where that stands.
        return part.id
    linear = part.transform[:3, :3]
    sizes = np.linalg.svd(linear, compute_uv=False)
    return part.shared, tuple(np.round(sizes, 9).tolist()), bool(np.linalg.det(linear) < 0)


def _reviewed(part: Part, known: dict[str, Known]) -> dict[Purpose, Report]:
    result = {}
    subject = Subject(part.to_world(part.stepped), part.level > 0 or part.limit, known.get(part.id))
    for purpose, report in reviews(subject).items():
        findings = _in_order(report.findings)
        if part.recipe:
            findings = [replace(finding, mesh="result") for finding in findings]
        for trouble in part.plain.troubles:
            said = f"{part.step_name(trouble.place).capitalize()} cannot run: {trouble.reason}"
            nowhere = np.zeros((0, 3))
            stuck = Finding("recipe", "stop", "faces", np.zeros(0, dtype=np.int64), nowhere, said, 0.0, mesh="result")
            findings.insert(0, stuck)
        result[purpose] = replace(report, findings=tuple(_accepted(part, findings)))
    known[part.id] = subject.known
    return result


def _with(part: Part, reports: dict[Purpose, Report], met: list[Finding]) -> dict[Purpose, Report]:
    """A part's reviews with what is found between it and others."""
    if not met:
        return reports
    if part.recipe:
        met = [replace(finding, mesh="result") for finding in met]
    met = _accepted(part, met)
    return {
        purpose: replace(report, findings=tuple(_in_order([*met, *report.findings])))
        for purpose, report in reports.items()
    }


def _in_order(findings: Iterable[Finding]) -> list[Finding]:
    """The gravest first."""
    return sorted(findings, key=lambda finding: SEVERITIES.index(finding.severity))


def _accepted(part: Part, findings: list[Finding]) -> list[Finding]:
    """Findings with the reasons that they were accepted for."""
    known = part.accepted
    return [replace(one, accepted=known.get(mark_of(part, one), "")) for one in findings] if known else findings


def _body(part: Part) -> Body:
    """A part's surface as others may meet it, kept with the part."""

    def made() -> Body:
        stepped = part.to_world(part.stepped)
        surface = SmoothSurface(stepped, min(max(part.level, 1), BETWEEN) if part.level or part.limit else 0)
        points = surface.points(stepped.points)
        mesh = surface.whole(surface.limit(points) if surface.level else points, stepped)
        return Body(part.name, mesh, surface.face_origin)

    return kept(part, "_body", made)


def _meetings(document: Document, clearance: float | None) -> dict[str, list[Finding]]:
    """What is found between parts, by the part whose faces it names."""
    parts = [part for part in document.given_out if part.stepped.n_faces]
    if len(parts) < 2:
        return {}
    found: dict[str, list[Finding]] = {}
    for meeting in meetings([_body(part) for part in parts], clearance):
        severity, advice = BETWEEN_PARTS[meeting.check]
        part = parts[meeting.first]
        found.setdefault(part.id, []).append(
            Finding(
                meeting.check,
                severity,
                "faces",
                meeting.faces,
                meeting.at,
                meeting.message,
                meeting.value,
                "mm",
                advice=advice,
            )
        )
    return found
