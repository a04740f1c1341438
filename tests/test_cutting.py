"""Cuts, slices, splits, grooves: what they leave is plain polygons, and nothing is lost."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.edit.build.groove import groove
from levelloop.core.edit.clean.flats import swing_edge, take_out_flats
from levelloop.core.edit.clean.to_quads import to_quads
from levelloop.core.edit.divide.cut import cut
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.edit.divide.split import split_ring, subdivide
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.forms.solids import tube
from levelloop.core.geometry.plane_figures import cells, inside
from levelloop.core.mesh.faces import face_areas, signed_volume
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import NOTHING, Selection, select, select_ring
from levelloop.core.surface.surface import smooth
from levelloop.document.session import Session


def area(mesh: Mesh) -> float:
    return float(face_areas(mesh.topology, mesh.points).sum())


def is_plain(mesh: Mesh) -> bool:
    """No face visits a point twice, and no two faces are the same."""
    rings = [tuple(sorted(mesh.topology.face(face).tolist())) for face in range(mesh.n_faces)]
    return all(len(set(ring)) == len(ring) for ring in rings) and len(set(rings)) == len(rings)


TOP = 1  # the top face of a box; corners at ±10


def test_a_cut_goes_from_edge_to_edge() -> None:
    mesh = box((20, 20, 20))
    a, b, c, d = mesh.topology.face(TOP).tolist()
    edit = cut(mesh, NOTHING, [{"edge": [a, b], "ratio": 0.25}, {"edge": [c, d], "ratio": 0.75}])
    assert edit.mesh.n_faces == 7 and len(edit.selection) == 1 and signed_volume(edit.mesh) == pytest.approx(8000)
    ends = edit.mesh.points[edit.mesh.topology.edges[edit.selection.indices[0]]]
    assert np.allclose(np.abs(ends[:, 0]), 5.0) and np.ptp(ends[:, 1]) == pytest.approx(20)
    assert np.isin(edit.origin.faces, np.arange(6)).all() and is_plain(edit.mesh)
    typed = cut(mesh, NOTHING, [{"edge": [a, b]}, {"edge": [d, c]}], ratio=0.1)
    assert np.allclose(typed.mesh.points[-2:, 0], -8.0) or np.allclose(np.abs(typed.mesh.points[-2:, 0]), 8.0)


@pytest.mark.parametrize("closed", [True, False])
def test_cuts_inside_one_face_leave_plain_faces(closed: bool) -> None:
    mesh = box((20, 20, 20))
    square = [(-4, -4, 10), (4, -4, 10), (4, 4, 10), (-4, 4, 10)]
    edit = cut(mesh, NOTHING, [{"face": TOP, "at": place} for place in square], closed)
    assert is_plain(edit.mesh) and area(edit.mesh) == pytest.approx(2400)
    assert edit.mesh.topology.euler_number() == 2 and not edit.mesh.topology.open_edges.any()
    if closed:
        inner = [face for face in range(edit.mesh.n_faces) if len(edit.mesh.topology.face(face)) == 4]
        assert np.isclose(face_areas(edit.mesh.topology, edit.mesh.points)[inner], 64).sum() == 1


@given(data=st.data())
def test_any_path_over_a_face_keeps_its_area_or_is_refused(data: Any) -> None:
    mesh = cylinder(20, 10, 7)
    face = int(np.argmax(mesh.topology.face_sizes == 7))
    ring = mesh.topology.face(face)
    height = mesh.points[ring[0], 2]
    place = st.one_of(
        st.integers(0, 6).map(lambda i: {"point": int(ring[i])}),
        st.tuples(st.integers(0, 6), st.floats(0.1, 0.9)).map(
            lambda t: {"edge": [int(ring[t[0]]), int(ring[(t[0] + 1) % 7])], "ratio": round(t[1], 2)}
        ),
        st.tuples(st.floats(-5, 5), st.floats(-5, 5)).map(
            lambda t: {"face": face, "at": (round(t[0], 1), round(t[1], 1), float(height))}
        ),
    )
    path = data.draw(st.lists(place, min_size=2, max_size=5))
    try:
        edit = cut(mesh, NOTHING, path, data.draw(st.booleans()))
    except EditError as error:
        assert str(error).endswith(".")
        return
    assert is_plain(edit.mesh) and area(edit.mesh) == pytest.approx(area(mesh))
    assert edit.mesh.topology.euler_number() == 2 and not edit.mesh.topology.open_edges.any()


def test_cuts_that_cannot_be_are_sentences() -> None:
    mesh = box((20, 20, 20))
    for path in (
        [],
        [{"point": 0}],
        [{"point": 0}, {"point": 999}],
        [{"point": 0}, {"point": 7}],
        [{"point": 0}, {"edge": [0, 7]}],
        [{"point": 0}, {"edge": [0, 1], "ratio": 3}],
        [{"point": 0}, {"point": 1}],
        [{"corner": 0}, {"point": 1}],
        [{"face": 1, "at": (0, 0)}, {"point": 4}],
        "nonsense",
    ):
        with pytest.raises(EditError, match=r"\.$"):
            cut(mesh, NOTHING, path)  # type: ignore[arg-type]


def test_a_symmetric_cut_is_made_on_both_sides() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(2, 1, 1))
    session.do("set_symmetry", axis="x")
    mesh = session.part.mesh
    right = int(np.argmax(mesh.points[mesh.topology.corners.reshape(-1, 4)].mean(axis=1) @ (1, 0, 10)))
    a, b, c, d = mesh.topology.face(right).tolist()
    session.do("cut", path=[{"edge": [a, b], "ratio": 0.3}, {"face": right, "at": (4, 2, 10)}, {"edge": [c, d]}])
    points = session.part.mesh.points
    rounded = {tuple(np.round(point, 6) + 0.0) for point in points}
    assert all((round(-x, 6) + 0.0, y, z) in rounded for x, y, z in rounded) and len(points) == 12 + 6


@pytest.mark.parametrize("mesh", [box((20, 20, 20), (3, 3, 3)), quad_sphere(20, 6), tube(20, 12, 20, 16, 2)])
@pytest.mark.parametrize("normal", [(1, 0, 0), (1.0, 0.3, 0.2), (0, 0, 1)])
def test_a_slice_keeps_the_volume_and_its_two_halves_add_up(mesh: Mesh, normal: tuple[float, ...]) -> None:
    plane_ = ((0.5, 0.2, 0.1), normal)
    whole = slice_planes(mesh, NOTHING, plane_)
    # Faces that are not flat bulge otherwise once they are cut.
    rough = 1e-9 if (mesh.topology.face_sizes == 4).all() and mesh.n_faces < 200 else 1e-3
    assert signed_volume(whole.mesh) == pytest.approx(signed_volume(mesh), rel=rough) and is_plain(whole.mesh)
    assert whole.mesh.topology.euler_number() == mesh.topology.euler_number()
    halves = [slice_planes(mesh, NOTHING, plane_, (0.0,), keep, True).mesh for keep in ("front", "back")]
    assert all(not half.topology.open_edges.any() and is_plain(half) for half in halves)
    assert sum(signed_volume(half) for half in halves) == pytest.approx(signed_volume(mesh), rel=rough)
    on = whole.mesh.points[np.unique(whole.mesh.topology.edges[whole.selection.indices])]
    assert np.abs((on - plane_[0]) @ normal).max() < 1e-9


def test_slices_at_several_offsets_and_of_some_faces() -> None:
    mesh = box((20, 20, 20))
    edit = slice_planes(mesh, NOTHING, "x", (-5, 0, 5))
    assert edit.mesh.n_faces == 18 and len(edit.selection) == 12
    assert sorted(set(np.round(edit.mesh.points[8:, 0]))) == [-5, 0, 5]
    top = slice_planes(mesh, Selection("faces", np.array([TOP])), "x")
    assert top.mesh.n_faces == 7 and len(top.selection) == 1
    with pytest.raises(EditError, match="No plane"):
        slice_planes(mesh, NOTHING, "x", (50,))


def test_a_slice_through_a_concave_face_leaves_its_notch_open() -> None:
    comb = mesh_of_faces(
        [[0, 0, 0], [5, 0, 0], [5, 4, 0], [4, 4, 0], [4, 1, 0], [3, 1, 0], [3, 4, 0], [0, 4, 0]],
        [[0, 1, 2, 3, 4, 5, 6, 7]],
    )
    edit = slice_planes(comb, NOTHING, "y", (2.0,))
    assert edit.mesh.n_faces == 3 and len(edit.selection) == 2 and area(edit.mesh) == pytest.approx(area(comb))


def test_plane_figures_have_the_cells_one_expects() -> None:
    places = np.array([[0, 0], [2, 0], [2, 2], [0, 2], [1, 1]], dtype=float)
    sides = np.array([[0, 1], [1, 2], [2, 3], [3, 0], [0, 4], [4, 2]])
    found = cells(places, sides)
    assert sorted(len(ring) for ring in found) == [4, 4]
    assert inside(places[:4], np.array([0.5, 1.5])) and not inside(places[:4], np.array([2.5, 1.0]))


def test_splitting_a_ring_cuts_only_what_is_selected() -> None:
    sheet = plane((10, 10), (4, 4))
    ring = select_ring(sheet.topology, select(sheet.topology, "edges", [[0, 1]]))
    edit = split_ring(sheet, ring)
    assert edit.mesh.n_faces == 20 and len(edit.selection) == 4
    part = split_ring(sheet, Selection("edges", ring.indices[:3]), 2)
    assert part.mesh.n_faces == 20 and len(part.selection) == 4
    corner = split_ring(sheet, select(sheet.topology, "edges", [[0, 1], [0, 5]]))
    assert sorted(np.bincount(corner.mesh.topology.face_sizes)[3:]) == [1, 1, 15]
    with pytest.raises(EditError, match="share a face"):
        split_ring(sheet, select(sheet.topology, "edges", [[0, 1], [23, 24]]))


def test_loops_stay_within_the_selection_and_follow_the_curve() -> None:
    sheet = plane((10, 10), (5, 5))
    ring = select_ring(sheet.topology, select(sheet.topology, "edges", [[0, 1]]))
    some = Selection("edges", ring.indices[1:4])
    edit = run_loop(sheet, some, within_selection=True)
    assert len(edit.selection) == 2 and "end of the selection" in edit.message
    ball = quad_sphere(20, 6)
    off = [
        np.abs(
            np.linalg.norm(run_loop(ball, Selection("edges", np.array([40])), follow=f).mesh.points, axis=1) - 10
        ).max()
        for f in (0.0, 1.0)
    ]
    assert off[1] < 0.05 * off[0]


@pytest.mark.parametrize("smooth_by", [0.0, 1.0])
def test_subdividing_all_is_a_level_of_the_surface(smooth_by: float) -> None:
    mesh = cylinder(10, 10, 6)
    edit = subdivide(mesh, NOTHING, 1, smooth_by)
    level = smooth(mesh, 1)
    assert edit.mesh.n_faces == level.n_faces
    if smooth_by:
        ours, theirs = (np.sort(np.round(m.points, 9), axis=0) for m in (edit.mesh, level))
        assert np.allclose(ours, theirs)
    else:
        assert signed_volume(edit.mesh) == pytest.approx(signed_volume(mesh))
    some = subdivide(mesh, Selection("faces", np.array([0])), 2)
    assert not some.mesh.topology.open_edges.any() and len(some.selection) == 16


def test_grooves_run_out_at_boundaries_and_close_inside() -> None:
    sheet = plane((10, 10), (5, 5))
    across = [[12 + i, 13 + i] for i in range(5)]
    out = groove(sheet, select(sheet.topology, "edges", across), 1.0, -0.5)
    assert (out.mesh.topology.face_sizes == 4).all() and len(out.selection) == 5
    middle = out.mesh.points[np.unique(out.mesh.topology.edges[out.selection.indices])]
    assert np.allclose(middle[:, 2], -0.5)
    rails = out.mesh.points[sheet.n_points :]
    assert np.allclose(np.abs(rails[:, 1] - middle[0, 1]), 0.5) and np.allclose(rails[:, 2], 0)
    closed = groove(sheet, select(sheet.topology, "edges", across[1:4]), 1.0, 0.5)
    assert np.bincount(closed.mesh.topology.face_sizes, minlength=6)[3:].tolist()[::2] == [4, 0]
    assert "held back" in groove(sheet, select(sheet.topology, "edges", across), 9.0).message
    ring = groove(
        box((20, 20, 20)), select(box((20, 20, 20)).topology, "edges", [[4, 5], [5, 7], [7, 6], [6, 4]]), 2, -1
    )
    assert not ring.mesh.topology.open_edges.any() and ring.mesh.topology.euler_number() == 2


def test_flats_become_one_face_and_holes_keep_two_ways() -> None:
    cube = take_out_flats(box((20, 20, 20), (4, 4, 4)), NOTHING)
    assert cube.mesh.n_faces == 6 and cube.mesh.n_points == 8 and signed_volume(cube.mesh) == pytest.approx(8000)
    pipe = take_out_flats(tube(20, 10, 10, 8, 3), NOTHING).mesh
    assert pipe.topology.euler_number() == 0 and is_plain(pipe) and pipe.n_faces == 20
    marked = box((20, 20, 20), (2, 1, 1))
    creased = marked.with_creases(np.where(np.arange(marked.n_edges) == 0, 2.0, 0.0))
    assert take_out_flats(creased, NOTHING).mesh.n_faces >= 6
    assert "No faces" in take_out_flats(quad_sphere(20, 3), NOTHING).message


def test_an_edge_swings_around_its_two_faces_and_back() -> None:
    sheet = plane((10, 10), (2, 2))
    edge = select(sheet.topology, "edges", [[1, 4]])
    once = swing_edge(sheet, edge)
    assert area(once.mesh) == pytest.approx(100) and is_plain(once.mesh)
    back = swing_edge(once.mesh, once.selection, -1)
    assert {tuple(sorted(face)) for face in back.mesh.topology.corners.reshape(-1, 4).tolist()} == {
        tuple(sorted(face)) for face in sheet.topology.corners.reshape(-1, 4).tolist()
    }
    around = swing_edge(sheet, edge, 3)
    assert np.array_equal(np.sort(around.mesh.topology.edges.ravel()), np.sort(sheet.topology.edges.ravel()))
    with pytest.raises(EditError, match="between two faces"):
        swing_edge(sheet, select(sheet.topology, "edges", [[0, 1]]))


@pytest.mark.parametrize(("sides", "triangles"), [(5, 1), (6, 0), (7, 1), (8, 0), (12, 0)])
def test_n_gons_become_quads(sides: int, triangles: int) -> None:
    mesh = cylinder(10, 10, sides)
    edit = to_quads(mesh, NOTHING)
    sizes = np.bincount(edit.mesh.topology.face_sizes, minlength=5)
    assert sizes[3] == 2 * triangles and sizes[5:].sum() == 0 and area(edit.mesh) == pytest.approx(area(mesh))


@pytest.mark.parametrize("times", [1, -1])
def test_edges_swung_together_never_lie_on_each_other(times: int) -> None:
    cube = box((20, 20, 20))
    refused = 0
    for one, other in itertools.combinations(range(cube.n_edges), 2):
        try:
            edit = swing_edge(cube, Selection("edges", np.array([one, other])), times)
        except EditError:
            refused += 1
            continue
        assert edit.mesh.topology.euler_number() == 2 and is_plain(edit.mesh)
        assert not edit.mesh.topology.open_edges.any()
    assert 0 < refused < 66
