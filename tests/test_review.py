"""The review: what each check finds and what it leaves alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from conftest import CAGES, fin, moebius

from levelloop.core.edit.clean.simple import delete, flip
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, placed, plane
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import NOTHING, select
from levelloop.core.review import count, review
from levelloop.core.review.findings import Finding
from levelloop.document.session import Session


def found(mesh: Mesh, check: str, purpose: str = "smooth") -> list[Finding]:
    return [finding for finding in review(mesh, purpose).findings if finding.check == check]  # type: ignore[arg-type]


def test_a_clean_box_has_only_its_eight_three_poles() -> None:
    report = review(box())
    assert report.ready
    # That nothing holds its folds is no more than a note either.
    told = [(f.check, f.count, f.value) for f in report.findings]
    assert told == [("poles", 8, 3.0), ("missing_support", 12, 90.0)]


def test_counts_of_a_box() -> None:
    counts = count(box())
    assert (counts.points, counts.edges, counts.faces, counts.quads, counts.euler) == (8, 12, 6, 6, 2)
    assert counts.poles == {3: 8} and counts.boundary_poles == {} and counts.shells == 1


def test_corners_of_a_sheet_are_no_poles() -> None:
    # A point of one face alone has two edges and is none; on a boundary three edges are regular.
    assert found(plane((4, 4), (3, 3)), "poles") == []
    pie = cylinder(2, 2, 6, 1, "open")
    assert found(pie, "poles") == []


def test_poles_by_valence() -> None:
    drum = cylinder(2, 2, 6, 1, "triangles")
    assert [(f.value, f.count, f.severity) for f in found(drum, "poles")] == [(6.0, 2, "warn")]
    assert count(drum).poles == {6: 2}


def test_sides_are_told_apart_by_flat_and_curved() -> None:
    drum = cylinder(4, 4, 8, 1, "face")
    ngons = found(drum, "ngons")
    assert [(f.count, f.severity, f.value) for f in ngons] == [(2, "warn", 8.0)]
    flat = mesh_of_faces([[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0]], [[0, 1, 2], [0, 2, 3]])
    assert [(f.count, f.severity) for f in found(flat, "triangles")] == [(2, "note")]


def test_flipped_faces_of_closed_and_open_cages() -> None:
    one = flip(box(), select(box().topology, "faces", [2])).mesh
    assert found(one, "flipped")[0].indices.tolist() == [2]
    assert found(one, "flipped")[0].message == "1 face faces inwards."
    assert not review(one).ready
    assert found(flip(box(), NOTHING).mesh, "flipped")[0].count == 6
    sheet = plane((4, 4), (2, 2))
    turned = flip(sheet, select(sheet.topology, "faces", [1])).mesh
    assert found(turned, "flipped")[0].indices.tolist() == [1]
    assert found(sheet, "flipped") == []


def test_an_inside_out_shell_beside_a_right_one() -> None:
    both = combined((box((2, 2, 2)), flip(placed(box((1, 1, 1)), (5, 0, 0)), NOTHING).mesh))
    assert found(both, "flipped")[0].indices.tolist() == list(range(6, 12))


def test_one_sided_strips_and_fins() -> None:
    assert found(moebius(), "one_sided")[0].severity == "stop"
    assert found(fin(), "non_manifold")[0].value == 3.0


def test_pieces_that_touch_in_a_point() -> None:
    points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 1, 0], [2, 2, 0], [1, 2, 0]]
    bow = mesh_of_faces(points, [[0, 1, 2, 3], [2, 4, 5, 6]])
    assert found(bow, "non_manifold")[0].indices.tolist() == [2]


def test_open_edges_stop_a_print_only() -> None:
    lidless = delete(box(), select(box().topology, "faces", [1])).mesh
    assert found(lidless, "open_edges")[0].severity == "note"
    stopped = found(lidless, "open_edges", "print")[0]
    assert (stopped.severity, stopped.count, stopped.value) == ("stop", 4, 80.0)
    assert review(lidless).ready and not review(lidless, "print").ready


def test_doubles_unattached_and_zero_area() -> None:
    seam = combined((plane((2, 2)), placed(plane((2, 2)), (2, 0, 0))))
    assert found(seam, "doubles")[0].count == 4
    loose = mesh_of_faces([[0, 0, 0], [1, 0, 0], [0, 1, 0], [5, 5, 5]], [[0, 1, 2]])
    assert found(loose, "unattached")[0].indices.tolist() == [3]
    thin = mesh_of_faces([[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0]], [[0, 1, 2], [0, 1, 4, 3]])
    assert found(thin, "zero_area")[0].indices.tolist() == [0]


def test_faces_that_are_not_flat_worst_first() -> None:
    grid = plane((4, 2), (2, 1))
    lifted = grid.with_points(
        grid.points + np.array([[0, 0, 0], [0, 0, 0], [0, 0, 0.2], [0, 0, 0], [0, 0, 0], [0, 0, 1]])
    )
    finding = found(lifted, "not_flat")[0]
    assert finding.indices[0] == 1 and finding.value > 0.2


def test_an_empty_cage_and_an_unknown_purpose() -> None:
    assert review(CAGES["empty"]).findings == ()
    with pytest.raises(EditError, match="smooth, render or print"):
        review(box(), "sale")  # type: ignore[arg-type]


def test_a_curve_is_meant_to_have_no_faces_and_a_stray_edge_is_not() -> None:
    session = Session.new()
    session.do("add_curve", points=[(0, 0, 0), (10, 0, 0), (10, 10, 0)], kind="smooth")
    assert session.review() == []
    session.do("add_line", points=[(0, 0, 0), (10, 0, 0)])
    assert [finding.check for finding in session.review()] == ["wires"]


@pytest.mark.parametrize("kind", ["straight", "smooth"])
@pytest.mark.parametrize("caps", ["open", "face", "quads", "round"])
def test_a_curves_ends_may_lie_on_the_caps_of_what_is_swept_along_it(kind: str, caps: str) -> None:
    session = Session.new()
    session.do("add_curve", points=[(0, 0, 0), (20, 0, 0), (40, 10, 0)], kind=kind)
    session.add_step("sweep", sides=8, caps=caps)
    assert not [finding for finding in session.review() if finding.check == "doubles"]
    # Two tubes that end at the same place do lie on each other.
    tube = mesh_of_faces([*CORNERS, *CORNERS], [[0, 1, 2, 3], [4, 7, 6, 5]])
    assert found(replace(tube, curve="smooth"), "doubles")[0].indices.tolist() == list(range(8))


CORNERS = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]
