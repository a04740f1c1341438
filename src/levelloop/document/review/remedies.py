"""Remedies that prove themselves: what would mend a finding, and what each comes to, tried on a copy."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from levelloop.core.arrays import Floats, unique_rows
from levelloop.core.errors import EditError, LevelLoopError
from levelloop.core.geometry.closest import closest_triangles
from levelloop.core.lazy import kept
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Selection, convert
from levelloop.core.review import Report
from levelloop.core.review.findings import Finding, Purpose, Remedy
from levelloop.core.review.subject import Known
from levelloop.core.values import dataclass
from levelloop.core.words import counted
from levelloop.document.document import Document
from levelloop.document.part import Part
from levelloop.document.review.reviewing import reviewed_alone
from levelloop.document.session import Session

MOST = 3  # remedies for one finding
# The level at which surfaces before and after are held against each other, and one for cages of many faces.
SEEN_AT, MANY_SEEN_AT = 2, 1
MANY = 2_000
FEW = 1_000_000  # pairs of places that are all looked at
# What can help against what, beside the remedy that a finding names itself; the likeliest first.
ALSO: dict[str, tuple[Remedy, ...]] = {
    "triangles": (Remedy("to_quads", "Join to quads"), Remedy("collapse", "Collapse")),
    "ngons": (Remedy("to_quads", "Split to quads"), Remedy("subdivide", "Subdivide")),
    "poles": (Remedy("move_pole", "Move to a flatter place"),),
    "pinch": (
        Remedy("move_pole", "Move to a flatter place"),
        Remedy("relax", "Relax"),
        Remedy("take_out", "Take out the point"),
    ),
    "jump": (Remedy("relax", "Relax"), Remedy("take_out", "Take out the points")),
    "ripple": (Remedy("relax", "Relax"), Remedy("relax", "Relax more", {"times": 20})),
    "flat_spot": (Remedy("relax", "Relax"), Remedy("take_out", "Take out the points")),
    "streak": (Remedy("to_quads", "Make it quads"), Remedy("relax", "Relax its points", {}, "points")),
    "unequal_turn": (Remedy("balance", "To the larger", {"to": "larger"}), Remedy("balance", "Midway", {"to": "mean"})),
    "missing_support": (Remedy("hold", "Hold"), Remedy("hold", "Hold by a crease", {"by": "crease"})),
    "too_tight": (Remedy("balance", "To the larger", {"to": "larger"}), Remedy("take_out", "Take out the edges")),
    "not_flat": (Remedy("flatten", "Flatten"), Remedy("turn_diagonal", "Turn its diagonal")),
    "concave": (Remedy("to_quads", "Split to quads"),),
    "flipped": (Remedy("face_outward", "Face all outward"),),
    "open_edges": (Remedy("fill", "Fill with quads", {"kind": "quads"}), Remedy("weave", "Weave a grid")),
    "doubles": (),
    "zero_area": (Remedy("collapse", "Collapse"),),
    "fold_under": (Remedy("relax", "Relax its points", {}, "points"),),
    "unattached": (),
}
# These act on one place at a time.
ONE_BY_ONE = ("move_pole",)


@dataclass(frozen=True)
class Effect:
    """What a remedy comes to: in words, and whether it can run at all; better: more is gone than is new."""

    remedy: Remedy
    words: str
    runs: bool
    better: bool = False


def remedies_of(finding: Finding) -> tuple[Remedy, ...]:
    """Up to three operations that may mend a finding, its own one first."""
    own = (finding.remedy,) if finding.remedy is not None else ()
    others = [remedy for remedy in ALSO.get(finding.check, ()) if all(remedy != one for one in own)]
    return (*own, *others)[:MOST]


def place_of(remedy: Remedy, step: int) -> int | None:
    """The place that a remedy acts on while one is shown: that one, or None for all."""
    return step if remedy.key in ONE_BY_ONE else None


def begin(session: Session, part_id: str, finding: Finding, remedy: Remedy, place: int | None = None) -> None:
    """Makes a part active and selects what a remedy acts on: all that was found, or one place of it."""
    session.activate(part_id)
    part = session.part
    found = finding.indices if place is None else finding.indices[place : place + 1]
    chosen = part.in_cage(finding.kind, found) if finding.mesh == "result" else found
    selection = Selection(finding.kind, np.asarray(chosen, dtype=np.int64))
    if remedy.kind is not None and remedy.kind != finding.kind:
        selection = convert(part.mesh.topology, selection, remedy.kind)
    if len(selection) == 0:
        raise EditError("What was found was made by the recipe; mend its steps.")
    session.set_selection(selection)


def tried(
    document: Document,
    part_id: str,
    finding: Finding,
    remedy: Remedy,
    purpose: Purpose,
    place: int | None = None,
    known: Mapping[str, Known] | None = None,
) -> Effect:
    """What a remedy does to a part and its review, on a copy of the document.

    The surfaces before and after are held against each other on the limit where the part is smoothed. known: by part
    what was seen of it at its last review.
    """
    session = Session(document)
    try:
        begin(session, part_id, finding, remedy, place)
        # Not made an entry of its history: that would let go of what is known of the document as it is.
        made = session.prepare(remedy.key, **remedy.parameters).run().document
    except LevelLoopError as error:
        return Effect(remedy, str(error), False)
    before, after = document.by_id(part_id), made.by_id(part_id)
    reports = [reviewed_alone(part, dict(known or {}))[purpose] for part in (before, after)]
    words = _counted_change(finding, *reports)
    words += _new_ones(finding, *reports)
    apart = deviation(before, after)
    words.append(f"surface moves {apart:.2g} mm" if apart > 0 else "surface stays")
    found, left = (_size(report, finding) for report in reports)
    is_better = left < found and not any("new" in one for one in words[1:])
    return Effect(remedy, ", ".join(words), True, is_better)


def deviation(before: Part, after: Part) -> float:
    """The largest distance between two states of a part's surface, mm: both ways, where they differ."""
    one, other = _seen(before), _seen(after)
    if one.n_faces == 0 or other.n_faces == 0:
        return 0.0
    return max(_farthest(one, other), _farthest(other, one))


# Helpers


def _seen(part: Part) -> Mesh:
    """A part's surface as it is held against another; kept with the part, for all that is tried on it."""
    return kept(part, "_seen", lambda: _refined(part))


def _refined(part: Part) -> Mesh:
    if part.level == 0 and not part.limit:
        return part.output(0, False, normals=False)
    level = SEEN_AT if part.stepped.n_faces <= MANY else MANY_SEEN_AT
    return part.output(level, True, normals=False)


def _farthest(one: Mesh, other: Mesh) -> float:
    """The largest distance from points of one that are not points of the other to its surface."""
    _, number = unique_rows(np.concatenate((one.points, other.points)))
    stays = np.isin(number[: one.n_points], number[one.n_points :])
    moved = np.flatnonzero(~stays & (one.topology.point_face_count > 0))
    if len(moved) == 0:
        return 0.0
    places: Floats = one.points[moved]
    corners = other.points[triangles(other.topology, other.points, other.diagonal)[0]]
    came = other.points[~np.isin(number[one.n_points :], number[: one.n_points])]
    if 0 < len(moved) * len(came) <= FEW:
        # What took their place lies no farther than that: only triangles so near can be the nearest.
        reach = np.sqrt(((places[:, None] - came[None]) ** 2).sum(axis=2).min(axis=1).max())
        low, high = places.min(axis=0) - reach, places.max(axis=0) + reach
        first, second, third = corners.transpose(1, 0, 2)
        largest = np.maximum(np.maximum(first, second), third)
        smallest = np.minimum(np.minimum(first, second), third)
        corners = corners[((largest >= low) & (smallest <= high)).all(axis=1)]
    _, found = closest_triangles(corners, places)
    far = float(np.linalg.norm(found - places, axis=1).max())
    size = float(np.abs(one.points).max())
    return far if far > 1e-9 * max(size, 1e-300) else 0.0


def _same(finding: Finding, other: Finding) -> bool:
    return other.check == finding.check and (finding.check != "poles" or other.valence == finding.valence)


def _size(report: Report, finding: Finding) -> tuple[int, float]:
    found = [one for one in report.findings if _same(finding, one)]
    return sum(one.count for one in found), max((one.value for one in found), default=0.0)


def _counted_change(finding: Finding, before: Report, after: Report) -> list[str]:
    """What is gone of what was found, and how large the worst is that stays."""
    (count, worst), (left, still) = _size(before, finding), _size(after, finding)
    if left == 0:
        return [f"all {count} gone" if count > 1 else "gone"]
    words = [f"{count} → {left}"] if left != count else [f"{counted(left, 'place')} as before"]
    if finding.unit and abs(still - worst) > 5e-3 * max(abs(worst), 1e-12):
        words = [f"worst {worst:.3g} → {still:.3g} {finding.unit}", *([f"{count} → {left}"] if left != count else [])]
    return words


def _new_ones(finding: Finding, before: Report, after: Report) -> list[str]:
    """Stops and warnings of other kinds that come with it, or go."""

    def sums(report: Report) -> dict[str, int]:
        result: dict[str, int] = {}
        for one in report.findings:
            if one.severity != "note" and not _same(finding, one):
                result[one.check] = result.get(one.check, 0) + one.count
        return result

    old, new = sums(before), sums(after)
    words = []
    for check in sorted(old.keys() | new.keys()):
        change = new.get(check, 0) - old.get(check, 0)
        if change:
            name = check.replace("_", " ")
            words.append(f"{change} new: {name}" if change > 0 else f"{-change} {name} gone too")
    return words[:2]
