"""Bridges, weaves, fills, welds onto edges, strips laid over surfaces, and booleans checked from outside."""

from __future__ import annotations

import re

import numpy as np
import pytest
import trimesh
from conftest import CAGES, CLOSED
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from levelloop.core.edit.build.bridge import bridge, bridge_counts
from levelloop.core.edit.build.fill import fill
from levelloop.core.edit.build.lay_strip import lay_strip
from levelloop.core.edit.build.weave import weave
from levelloop.core.edit.clean.simple import delete, flip
from levelloop.core.edit.join.boolean import boolean
from levelloop.core.edit.join.weld import weld
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.geometry.closest import closest_places
from levelloop.core.geometry.crossings import crossed_faces
from levelloop.core.geometry.planes import axis_turn
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import face_areas, face_centres, signed_volume, triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING, Selection, select_all, select_boundary
from levelloop.core.surface.surface import smooth
from levelloop.document.session import Session


def moved(mesh: Mesh, *by: float) -> Mesh:
    return mesh.with_points(mesh.points + np.array(by))


def frame_with_a_hole() -> tuple[Mesh, Selection, np.ndarray]:
    """A sheet of 12 by 8 with a hole of 8 by 4, its open edges, and the places of their ends."""
    frame = plane((12, 8), (6, 4))
    middle = face_centres(frame.topology, frame.points)
    hole = np.flatnonzero((np.abs(middle[:, 0]) < 4) & (np.abs(middle[:, 1]) < 2))
    open_ = delete(frame, Selection("faces", hole)).mesh
    rim = select_boundary(open_.topology, NOTHING)
    return open_, rim, open_.points[open_.topology.edges[rim.indices]]


def inner_rims(mesh: Mesh, low: float, high: float) -> Selection:
    rim = select_boundary(mesh.topology, NOTHING)
    middle = mesh.points[mesh.topology.edges[rim.indices]].mean(axis=1)[:, 2]
    return Selection("edges", rim.indices[(middle > low) & (middle < high)])


@pytest.mark.parametrize("count", [12, 8, 16, 13])
def test_open_pipes_are_bridged_with_as_few_triangles_as_can_be(count: int) -> None:
    pipes = combined([cylinder(10, 10, 12, caps="open"), moved(cylinder(8, 10, count, caps="open"), 0, 0, 20)])
    rims = inner_rims(pipes, 4, 16)
    assert bridge_counts(pipes, rims) == (12, count)
    edit = bridge(pipes, rims, steps=3)
    sizes = np.bincount(edit.mesh.topology.face_sizes[edit.selection.indices], minlength=5)
    assert sizes[3] == abs(12 - count) and sizes[4] == 2 * max(12, count) + min(12, count)
    assert edit.mesh.topology.euler_number() == 0 and edit.mesh.topology.n_shells == 1
    # Orientation agrees all along: no edge is run twice the same way.
    assert (edit.mesh.topology.twin[~edit.mesh.topology.open_edges[edit.mesh.topology.corner_edge]] >= 0).all()


def test_groups_of_faces_are_bridged_to_a_closed_form() -> None:
    cubes = combined([box((20, 20, 20), (2, 2, 2)), moved(box((20, 20, 20), (2, 2, 2)), 40, 0, 0)])
    middle = face_centres(cubes.topology, cubes.points)[:, 0]
    edit = bridge(cubes, Selection("faces", np.flatnonzero((middle == 10) | (middle == 30))), steps=2)
    assert signed_volume(edit.mesh) == pytest.approx(3 * 8000) and not edit.mesh.topology.open_edges.any()
    assert edit.mesh.topology.euler_number() == 2 and (edit.mesh.topology.face_sizes == 4).all()
    bulged = bridge(cubes, Selection("faces", np.flatnonzero((middle == 10) | (middle == 30))), 2, 0, 0.5)
    assert np.abs(bulged.mesh.points[:, 1:]).max() > 15
    handle = box((20, 20, 20), (3, 1, 1))
    tops = np.flatnonzero(face_centres(handle.topology, handle.points)[:, 2] > 9)
    ring = bridge(handle, Selection("faces", tops[[0, 2]]), steps=4, bulge=1.0)
    assert ring.mesh.topology.euler_number() == 0 and not ring.mesh.topology.open_edges.any()
    # The handle keeps its thickness all the way: no face of it is squeezed to nothing.
    areas = face_areas(ring.mesh.topology, ring.mesh.points)[ring.selection.indices]
    assert areas.min() > 0.2 * areas.mean() and ring.mesh.points[:, 2].max() > 15


def test_a_twist_turns_the_partners_on() -> None:
    pipes = combined([cylinder(10, 10, 12, caps="open"), moved(cylinder(10, 10, 12, caps="open"), 0, 0, 20)])
    straight, turned = (bridge(pipes, inner_rims(pipes, 4, 16), 1, twist).mesh for twist in (0, 3))
    assert signed_volume(straight) != pytest.approx(signed_volume(turned))
    assert turned.topology.euler_number() == 0


def test_strips_of_unequal_counts_are_bridged() -> None:
    sheets = combined([plane((10, 10), (3, 3)), moved(plane((10, 10), (5, 3)), 0, 20, 0)])
    height = sheets.points[sheets.topology.edges].mean(axis=1)[:, 1]
    facing = ((height == 5) | (height == 15)) & sheets.topology.open_edges
    edit = bridge(sheets, Selection("edges", np.flatnonzero(facing)), 2)
    assert float(face_areas(edit.mesh.topology, edit.mesh.points).sum()) == pytest.approx(300)


@pytest.mark.parametrize(
    "chosen",
    [
        Selection("faces", np.array([0])),
        Selection("faces", np.array([0, 1])),
        Selection("edges", np.array([0, 1])),
        NOTHING,
    ],
)
def test_impossible_bridges_are_sentences(chosen: Selection) -> None:
    with pytest.raises(EditError, match=r"\.$"):
        bridge(box((20, 20, 20), (2, 2, 2)), chosen)


def test_a_weave_follows_the_surface_around() -> None:
    ball = quad_sphere(20, 8)
    hole = np.flatnonzero(face_centres(ball.topology, ball.points)[:, 2] > 7)
    open_ = delete(ball, Selection("faces", hole)).mesh
    rim = select_boundary(open_.topology, NOTHING)
    flat, bent = (weave(open_, rim, 0, blend).mesh for blend in (0.0, 1.0))
    for mesh in (flat, bent):
        assert (mesh.topology.face_sizes == 4).all() and mesh.topology.euler_number() == 2
        assert not mesh.topology.open_edges.any()
    off = [np.abs(np.linalg.norm(mesh.points[open_.n_points :], axis=1) - 10).max() for mesh in (flat, bent)]
    assert off[1] < 0.2 * off[0]


def test_opposite_chains_say_where_the_grid_lies() -> None:
    open_, rim, ends = frame_with_a_hole()
    long_sides = (np.abs(ends[:, :, 1]) == 2).all(axis=1) & (np.abs(ends[:, :, 0]) <= 4).all(axis=1)
    edit = weave(open_, Selection("edges", rim.indices[long_sides]))
    assert edit.mesh.n_faces == 24 and np.allclose(face_areas(edit.mesh.topology, edit.mesh.points), 4)
    with pytest.raises(EditError, match="even number"):
        open_top = cylinder(10, 10, 9, caps="open")
        weave(open_top, inner_rims(open_top, 4, 6))


def test_fills_with_quads_are_flat_grids() -> None:
    open_, rim, ends = frame_with_a_hole()
    inner = (np.abs(ends[:, :, 0]) <= 4).all(axis=1) & (np.abs(ends[:, :, 1]) <= 2).all(axis=1)
    mesh = fill(open_, Selection("edges", rim.indices[inner]), "quads").mesh
    assert (mesh.topology.face_sizes == 4).all()
    assert float(face_areas(mesh.topology, mesh.points).sum()) == pytest.approx(96)


def test_points_are_welded_onto_edges() -> None:
    sheets = combined([plane((10, 10), (1, 1)), moved(plane((10, 10), (2, 1)), 0, 10, 0)])
    edit = weld(sheets, select_all(sheets.topology, "points"), 0.01, onto_edges=True)
    assert edit.mesh.topology.n_shells == 1 and edit.mesh.n_points == 8 and "onto edges" in edit.message
    assert np.bincount(edit.mesh.topology.face_sizes)[5] == 1
    plain = weld(sheets, select_all(sheets.topology, "points"), 0.01)
    assert plain.mesh.topology.open_edges.sum() > edit.mesh.topology.open_edges.sum()


def test_nearest_places_agree_with_trimesh() -> None:
    mesh = quad_sphere(20, 12)
    flat, _ = triangles(mesh.topology, mesh.points)
    places = np.random.default_rng(3).normal(size=(60, 3)) * 9
    theirs = trimesh.proximity.closest_point_naive(trimesh.Trimesh(mesh.points, flat, process=False), places)[0]
    ours, normals = closest_places(mesh, places)
    assert np.allclose(np.linalg.norm(ours - places, axis=1), np.linalg.norm(theirs - places, axis=1), atol=1e-6)
    assert np.allclose(np.linalg.norm(normals, axis=1), 1)


def test_a_strip_lies_on_the_surface_and_meets_what_is_there() -> None:
    ball = quad_sphere(20, 16)
    path = [(10 * np.cos(a), 10 * np.sin(a), 2.0) for a in np.linspace(0, 2, 9)]
    first = lay_strip(box((1, 1, 1)), NOTHING, path, 3.0, 10, ball, weld=0.0)
    laid = first.mesh.points[8:]
    assert len(first.selection) == 10 and np.abs(np.linalg.norm(laid, axis=1) - 10).max() < 0.2
    on = [(10 * np.cos(a), 10 * np.sin(a), 2.0) for a in np.linspace(2, 3, 5)]
    second = lay_strip(first.mesh, NOTHING, on, 3.0, 5, ball)
    assert "2 of 4" in second.message and second.mesh.topology.n_shells == 2
    with pytest.raises(EditError, match="two places"):
        lay_strip(ball, NOTHING, [(0, 0, 0)])


SOLIDS = {
    "cubes": (box((20, 20, 20)), moved(box((20, 20, 20)), 10, 10, 10)),
    "a hole": (box((20, 20, 20), (4, 4, 4)), cylinder(8, 40, 12)),
    "balls": (quad_sphere(20, 8), moved(quad_sphere(16, 6), 5, 3, 2)),
    "within": (box((20, 20, 20)), box((5, 5, 5))),
}


@pytest.mark.parametrize("name", list(SOLIDS))
def test_booleans_obey_inclusion_and_exclusion(name: str) -> None:
    """|A ∪ B| = |A| + |B| − |A ∩ B|, |A \\ B| = |A| − |A ∩ B|; results are watertight by trimesh's own count."""
    one, other = SOLIDS[name]
    both = {kind: boolean(one, other, kind) for kind in ("union", "subtract", "intersect")}  # type: ignore[arg-type]
    volume = {kind: signed_volume(edit.mesh) for kind, edit in both.items()}
    a, b = signed_volume(one), signed_volume(other)
    # Cut faces that are not flat are no longer the two triangles they were.
    rough = 1e-3 if name == "balls" else 1e-9
    assert volume["union"] == pytest.approx(a + b - volume["intersect"], rel=rough)
    assert volume["subtract"] == pytest.approx(a - volume["intersect"], rel=rough)
    for kind, edit in both.items():
        flat, _ = triangles(edit.mesh.topology, edit.mesh.points)
        outside = trimesh.Trimesh(edit.mesh.points, flat, process=False)
        assert outside.is_watertight and outside.is_winding_consistent
        assert outside.volume == pytest.approx(volume[kind])
        assert not edit.mesh.topology.open_edges.any()


def test_faces_that_were_not_cut_stay_polygons() -> None:
    one, other = SOLIDS["a hole"]
    edit = boolean(one, other, "subtract")
    # 96 faces less the eight that the hole meets stay as they were.
    whole = edit.origin.faces >= 0
    same = [
        face
        for face in np.flatnonzero(whole).tolist()
        if edit.mesh.topology.face_sizes[face] == 4
        and np.allclose(
            edit.mesh.points[edit.mesh.topology.face(face)].mean(axis=0),
            one.points[one.topology.face(int(edit.origin.faces[face]))].mean(axis=0),
        )
    ]
    assert len(same) == 88 and edit.selection.kind == "edges" and len(edit.selection) == 24
    named = next(kept for kept in edit.mesh.sets if kept.name == "n-gons")
    assert (edit.mesh.topology.face_sizes[named.indices] > 4).all() and "n-gons are left" in edit.message


def test_broken_solids_are_sentences_and_never_empty_results() -> None:
    cube = box((20, 20, 20))
    inside_out = moved(box((5, 5, 5)), 0, 0, 0)
    inside_out = inside_out.with_points(inside_out.points * (-1, 1, 1))
    for other, words in (
        (cylinder(8, 40, 12, caps="open"), "is open along"),
        (inside_out, "inside out"),
        (moved(cube, 100, 0, 0), "share nothing"),
        (plane((2, 2)), "is open along"),
    ):
        with pytest.raises(EditError, match=words):
            boolean(cube, other, "intersect")
    with pytest.raises(EditError, match="covers all"):
        boolean(box((5, 5, 5)), cube, "subtract")


def test_near_points_are_told_and_the_other_part_is_used_up() -> None:
    assert "within 0.01 mm" in boolean(box((20, 20, 20)), moved(box((20, 20, 20)), 20.0, 0.005, 0), "union").message
    session = Session.new()
    session.do("add_box", name="block")
    session.do("set_material", material="oak")
    session.do("add_cylinder", diameter=8, height=40, sides=12, name="drill")
    session.do("set_material", material="steel")
    session.set_active("block")
    told = session.do("boolean", kind="subtract", other="drill")
    assert [part.name for part in session.document.parts] == ["block"] and "n-gons" in told
    mesh = session.part.mesh
    assert set(mesh.materials) == {"oak", "steel"}
    assert {mesh.materials[i] for i in mesh.material.tolist()} == {"oak", "steel"}
    session.change_last(keep_other=True)
    assert len(session.document.parts) == 2
    with pytest.raises(EditError, match="another part"):
        session.do("boolean", other="block")
    with pytest.raises(EditError, match="no part"):
        session.do("boolean", other="nobody")


def test_a_shell_inside_out_is_refused_and_a_hollow_is_not() -> None:
    def at(mesh: Mesh, x: float) -> Mesh:
        return mesh.with_points(mesh.points + np.array([x, 0.0, 0.0]))

    drill = cylinder(2, 60, 12)
    block, small = box((20, 20, 20)), box((10, 10, 10))
    hollow = combined([block, flip(small, NOTHING).mesh])
    done = boolean(hollow, drill, "subtract")
    assert signed_volume(done.mesh) < 8000 - 1000
    turned = flip(small, NOTHING).mesh
    for beside in (combined([block, at(turned, 30.0)]), combined([at(turned, -30.0), block])):
        with pytest.raises(EditError, match="1 shell inside out"):
            boolean(beside, drill, "subtract")
        with pytest.raises(EditError, match="1 shell inside out"):
            boolean(drill, beside, "union")


@given(
    st.lists(st.integers(1, 6), min_size=12, max_size=12),
    st.sampled_from(["union", "subtract", "intersect"]),
    st.integers(1, 3),
    st.sets(st.integers(0, 2)),
)
def test_flush_boxes_keep_only_crossings_of_real_edges(
    numbers: list[int], kind: str, cells: int, alike: set[int]
) -> None:
    """Boxes on whole millimetres lie flush often: no coordinate comes from a diagonal, and all is exact.

    alike: axes along which both reach from the same place to the same place.
    """
    for axis in alike:
        numbers[axis], numbers[axis + 3] = numbers[axis + 6], numbers[axis + 9]
    boxes = []
    for size, at in ((numbers[:3], numbers[3:6]), (numbers[6:9], numbers[9:])):
        form = box(tuple(2.0 * n for n in size), (cells, 1, 1))
        boxes.append(form.with_points(form.points + np.array(at, dtype=np.float64)))
    try:
        edit = boolean(boxes[0], boxes[1], kind)  # type: ignore[arg-type]
    except EditError as error:
        assert re.search("share nothing|covers all|only touch", str(error)), error
        return
    low = [form.points.min(axis=0) for form in boxes]
    high = [form.points.max(axis=0) for form in boxes]
    shared = float(np.prod(np.maximum(np.minimum(*high) - np.maximum(*low), 0.0)))
    volumes = [signed_volume(form) for form in boxes]
    meant = {"union": sum(volumes) - shared, "subtract": volumes[0] - shared, "intersect": shared}[kind]
    assert signed_volume(edit.mesh) == pytest.approx(meant, rel=1e-9, abs=1e-9)
    assert not edit.mesh.topology.open_edges.any()
    for axis in range(3):
        real = np.unique(np.concatenate([form.points[:, axis] for form in boxes]))
        assert np.abs(edit.mesh.points[:, axis, None] - real).min(axis=1).max() < 1e-9


def test_two_crossed_bars_are_quads_and_symmetric() -> None:
    for cells in (1, 3):
        edit = boolean(box((80, 20, 10), (cells, 1, 1)), box((20, 80, 10), (1, cells, 1)))
        assert (edit.mesh.topology.face_sizes == 4).all()
        for mirrored in (edit.mesh.points * (-1, 1, 1), edit.mesh.points[:, [1, 0, 2]], edit.mesh.points * (1, 1, -1)):
            assert cKDTree(edit.mesh.points).query(mirrored)[0].max() < 1e-9
        centres = face_centres(edit.mesh.topology, edit.mesh.points)
        assert cKDTree(centres).query(centres[:, [1, 0, 2]])[0].max() < 1e-9


@given(st.floats(-9.5, 9.5), st.floats(-40, 40), st.sampled_from([1e-3, 1.0, 1e3]))
def test_a_cage_that_goes_through_itself_is_refused(by: float, turn: float, size: float) -> None:
    one = box((20, 20, 20), (2, 2, 2))
    moved = one.with_points(one.points @ axis_turn((1, 2, 3), turn).T + np.array([by, 0.3, 0.2]))
    crossing = combined([one, moved])
    if not len(crossed_faces(crossing)):
        # Only where one lies on the other all over.
        assert abs(turn) < 1e-3 and abs(by) < 1e-3
        return
    crossing = crossing.with_points(crossing.points * size)
    with pytest.raises(EditError, match="goes through itself"):
        boolean(crossing, cylinder(2 * size, 60 * size, 12))


@pytest.mark.parametrize("name", CLOSED)
def test_cages_that_do_not_cross_are_not_said_to(name: str) -> None:
    assert len(crossed_faces(CAGES[name])) == 0
    assert len(crossed_faces(smooth(CAGES[name], 2))) == 0
