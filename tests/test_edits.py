"""Edits against volumes, Euler numbers and what modelers expect of each."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from conftest import CAGES, fin
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from levelloop.core.edit.build.extrude import extrude, inset
from levelloop.core.edit.build.fill import fill
from levelloop.core.edit.clean.simple import crease, delete, face_outward, flip, set_material, sharpen_points
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.clean.to_quads import to_quads
from levelloop.core.edit.divide.join_points import join_points
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.edit.join.weld import collapse, weld, weld_onto
from levelloop.core.edit.move.transform import move, move_along_normals, rotate, scale
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, disc, placed, plane, quad_sphere
from levelloop.core.mesh.faces import concave_faces, edge_lengths, face_areas, face_normals, signed_volume
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import (
    NOTHING,
    Selection,
    select,
    select_all,
    select_boundary,
    select_loop,
    select_ring,
)
from levelloop.core.select.where import select_where
from levelloop.document.session import Session

CUBE = box((2, 2, 2))


def top_of(mesh: Mesh) -> Selection:
    return select_where(mesh, "faces", normal="z")


# Forms: volumes are those of the solids.


def test_form_volumes() -> None:
    assert signed_volume(box((2, 3, 4), (2, 1, 3))) == pytest.approx(24)
    for caps in ("face", "quads", "triangles"):
        # A prism over a regular n-gon: n/2 · r² · sin(2π/n) · h.
        drum = cylinder(2, 3, 16, 2, caps)  # type: ignore[arg-type]
        assert signed_volume(drum) == pytest.approx(8 * np.sin(np.pi / 8) * 3)
        assert drum.topology.euler_number() == 2
    assert len(np.unique(cylinder(2, 3, 16, 1, "quads").topology.face_sizes)) == 1


def test_a_circle_starts_on_x_and_an_axis_turns_the_form() -> None:
    assert cylinder(10, 4, 16).points[0] == pytest.approx([5, 0, -2])
    lying = placed(cylinder(2, 8, 8), axis="x")
    assert np.ptp(lying.points, axis=0) == pytest.approx([8, 2, 2])
    assert signed_volume(lying) > 0


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda: cylinder(0, 1), "above 0"),
        (lambda: box((1, 2)), "3 lengths"),
        (lambda: box(cells=(0, 1, 1)), "at least 1"),
        (lambda: cylinder(2, 2, 7, caps="quads"), "even number"),
    ],
)
def test_impossible_forms_say_so(make: object, sentence: str) -> None:
    with pytest.raises(EditError, match=sentence):
        make()  # type: ignore[operator]


# Extrude and inset


def test_extruding_a_face_adds_a_prism() -> None:
    edit = extrude(CUBE, top_of(CUBE), 3)
    assert signed_volume(edit.mesh) == pytest.approx(8 + 4 * 3)
    assert edit.mesh.topology.euler_number() == 2
    assert edit.mesh.n_faces == 10
    assert face_normals(edit.mesh.topology, edit.mesh.points)[edit.selection.indices] == pytest.approx(
        np.array([[0, 0, 1]])
    )


def test_extruding_two_faces_moves_each_by_the_typed_distance() -> None:
    corner = (
        select_where(CUBE, "faces", normal="z").indices.tolist()
        + select_where(CUBE, "faces", normal="x").indices.tolist()
    )
    edit = extrude(CUBE, Selection("faces", np.array(corner)), 1)
    assert edit.mesh.points[:, 2].max() == pytest.approx(2)
    assert edit.mesh.points[:, 0].max() == pytest.approx(2)
    # The block grows to 3 × 2 × 3.
    assert signed_volume(edit.mesh) == pytest.approx(18)
    assert not edit.mesh.topology.open_edges.any()


def test_extrude_steps_scale_each_and_rims() -> None:
    stepped = extrude(CUBE, top_of(CUBE), 3, steps=3)
    assert sorted(np.unique(stepped.mesh.points[:, 2])) == pytest.approx([-1, 1, 2, 3, 4])
    tapered = extrude(CUBE, top_of(CUBE), 3, end_scale=0.5)
    # A frustum: h/3 (A + a + √(Aa)).
    assert signed_volume(tapered.mesh) == pytest.approx(8 + 3 / 3 * (4 + 1 + 2))
    grid = plane((4, 4), (2, 2))
    apart = extrude(grid, select_all(grid.topology, "faces"), 1, each=True)
    assert apart.mesh.n_faces == 4 + 16
    rim = extrude(CUBE, top_of(CUBE), rims=[(1, 0), (0, 0.25), (-0.5, 0)])
    assert signed_volume(rim.mesh) == pytest.approx(8 + 4 - 1.5 * 1.5 * 0.5)


def test_extrude_along_a_direction() -> None:
    edit = extrude(CUBE, top_of(CUBE), 2, direction=(1, 0, 0))
    assert edit.mesh.points[edit.mesh.topology.face(int(edit.selection.indices[0]))][:, 0].max() == pytest.approx(3)


def test_extruding_everything_closed_has_no_rim() -> None:
    with pytest.raises(EditError, match="close on themselves"):
        extrude(CUBE, select_all(CUBE.topology, "faces"), 1)


def test_inset_is_square_to_the_rim() -> None:
    edit = inset(CUBE, top_of(CUBE), 0.25, -0.5)
    assert face_areas(edit.mesh.topology, edit.mesh.points)[edit.selection.indices] == pytest.approx([1.5 * 1.5])
    # The hollow is a frustum between squares of side 2 and 1.5.
    assert signed_volume(edit.mesh) == pytest.approx(8 - 0.5 / 3 * (4 + 2.25 + 3))


def test_inset_of_a_region_follows_its_outer_rim_only() -> None:
    grid = plane((6, 6), (3, 3))
    edit = inset(grid, select(grid.topology, "faces", [4, 5]), 0.5)
    inner = edit.mesh.points[edit.mesh.topology.corners[edit.mesh.topology.corners_of_faces(edit.selection.indices)]]
    assert np.ptp(inner, axis=0) == pytest.approx([3, 1, 0])
    assert face_areas(edit.mesh.topology, edit.mesh.points).sum() == pytest.approx(36)


def test_edits_of_faces_need_faces() -> None:
    for operation in (lambda: extrude(CUBE, NOTHING, 1), lambda: inset(CUBE, select(CUBE.topology, "points", [0]), 1)):
        with pytest.raises(EditError, match=r"at least one face"):
            operation()


# Loops


def test_a_loop_at_an_exact_distance_from_the_picked_end() -> None:
    bar = box((2, 10, 2))
    edge = next(edge for edge in bar.topology.edges.tolist() if abs(np.diff(bar.points[edge][:, 1])[0]) > 1)
    low, high = edge if bar.points[edge[0], 1] < 0 else edge[::-1]
    edit = run_loop(bar, select(bar.topology, "edges", [[low, high]]), distance=1.5)
    assert edit.mesh.points[8:, 1] == pytest.approx([-3.5] * 4)
    other = run_loop(bar, select(bar.topology, "edges", [[high, low]]), distance=1.5)
    assert other.mesh.points[8:, 1] == pytest.approx([3.5] * 4)
    pair = run_loop(bar, select(bar.topology, "edges", [[low, high]]), distance=1.5, mirrored=True)
    assert sorted(np.unique(pair.mesh.points[8:, 1])) == pytest.approx([-3.5, 3.5])
    assert signed_volume(pair.mesh) == pytest.approx(40)
    assert len(pair.selection) == 8
    assert pair.mesh.topology.euler_number() == 2


def test_loops_evenly_and_by_ratio() -> None:
    grid = plane((4, 4), (1, 1))
    even = run_loop(grid, select(grid.topology, "edges", [[0, 1]]), count=3)
    assert sorted(np.unique(even.mesh.points[:, 0])) == pytest.approx([-2, -1, 0, 1, 2])
    quarter = run_loop(grid, select(grid.topology, "edges", [[0, 1]]), ratio=0.25)
    assert sorted(np.unique(quarter.mesh.points[:, 0])) == pytest.approx([-2, -1, 2])


def test_loops_crossing_in_both_directions_make_a_grid() -> None:
    grid = plane((10, 10), (3, 3))
    edit = run_loop(grid, select(grid.topology, "edges", [[5, 6], [5, 9]]), count=2)
    assert (edit.mesh.n_points, edit.mesh.n_faces) == (36, 25)
    assert face_areas(edit.mesh.topology, edit.mesh.points).sum() == pytest.approx(100)
    assert (face_normals(edit.mesh.topology, edit.mesh.points)[:, 2] > 0.99).all()


def test_a_loop_stops_at_an_n_gon_and_says_so() -> None:
    drum = cylinder(4, 6, 7, 1, "face")
    edit = run_loop(drum, select(drum.topology, "edges", [[0, 1]]))
    assert "stopped at 2 faces" in edit.message
    assert sorted(edit.mesh.topology.face_sizes.tolist())[-2:] == [8, 8]
    assert signed_volume(edit.mesh) == pytest.approx(signed_volume(drum))


def test_a_loop_that_does_not_fit_says_how_long_the_edge_is() -> None:
    with pytest.raises(EditError, match="shortest edge of the ring is 2 mm"):
        run_loop(CUBE, select(CUBE.topology, "edges", [[0, 1]]), distance=2.5)
    with pytest.raises(EditError, match="above 0 and below 1"):
        run_loop(CUBE, select(CUBE.topology, "edges", [[0, 1]]), ratio=1.0)


def test_a_twisted_ring_takes_mirrored_loops_only() -> None:
    strip = CAGES["moebius"]
    across = select(strip.topology, "edges", [[0, 1]])
    with pytest.raises(EditError, match="sides exchanged"):
        run_loop(strip, across, ratio=0.25)
    assert run_loop(strip, across).mesh.n_faces == 20
    assert run_loop(strip, across, ratio=0.25, mirrored=True).mesh.n_faces == 30


def test_rings_and_loops_of_a_grid() -> None:
    grid = plane((6, 6), (3, 3))
    assert len(select_ring(grid.topology, select(grid.topology, "edges", [[5, 6]]))) == 4
    assert len(select_loop(grid.topology, select(grid.topology, "edges", [[5, 6]]))) == 3
    assert len(select_loop(grid.topology, select(grid.topology, "edges", [[0, 1]]))) == 12
    assert len(select_loop(grid.topology, select(grid.topology, "faces", [3, 4]))) == 3
    assert len(select_boundary(grid.topology, NOTHING)) == 12


# Joining, welding, taking out, filling


def test_joining_two_points_splits_their_face() -> None:
    square = CAGES["single face"]
    edit = join_points(square, select(square.topology, "points", [0, 2]))
    assert sorted(edit.mesh.topology.face_sizes.tolist()) == [3, 3]
    assert len(edit.selection) == 1


def test_joining_several_points_of_a_polygon() -> None:
    drum = cylinder(2, 3, 8, 1, "face")
    edit = join_points(drum, select(drum.topology, "points", [8, 10, 12, 14]))
    assert np.bincount(edit.mesh.topology.face_sizes)[3:9].tolist() == [4, 9, 0, 0, 0, 1]
    assert signed_volume(edit.mesh) == pytest.approx(signed_volume(drum))
    assert (face_normals(edit.mesh.topology, edit.mesh.points)[8:] @ [0, 0, 1] > -1.01).all()


def test_points_that_cannot_be_joined_say_why() -> None:
    with pytest.raises(EditError, match="neighbours already"):
        join_points(CUBE, select(CUBE.topology, "points", [0, 1]))
    far = [0, int(np.argmax(np.linalg.norm(CUBE.points - CUBE.points[0], axis=1)))]
    with pytest.raises(EditError, match="share no face"):
        join_points(CUBE, select(CUBE.topology, "points", far))


def test_welding_is_inclusive_and_counts() -> None:
    seam = mesh_of_faces(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [1.01, 0, 0], [2, 0, 0], [2, 1, 0], [1.01, 1, 0]],
        [[0, 1, 2, 3], [4, 5, 6, 7]],
    )
    apart = weld(seam, select_all(seam.topology, "points"), 0.0099)
    assert apart.mesh is seam and "nothing was welded" in apart.message
    welded = weld(seam, select_all(seam.topology, "points"), 0.01)
    assert welded.mesh.n_points == 6
    assert welded.message == "4 points became 2; none left within 0.01 mm."
    assert welded.mesh.points[welded.selection.indices][:, 0] == pytest.approx([1.005, 1.005])


def test_welding_at_the_middle_drops_flat_faces() -> None:
    edge = select(CUBE.topology, "points", [0, 1])
    edit = weld(CUBE, edge, "middle")
    assert edit.mesh.n_points == 7
    assert sorted(edit.mesh.topology.face_sizes.tolist()) == [3, 3, 4, 4, 4, 4]
    assert edit.mesh.topology.euler_number() == 2


def test_taking_a_loop_out_undoes_running_it() -> None:
    edit = run_loop(CUBE, select(CUBE.topology, "edges", [[0, 1]]), count=2)
    back = take_out(edit.mesh, edit.selection)
    assert (back.mesh.n_points, back.mesh.n_edges, back.mesh.n_faces) == (8, 12, 6)
    assert signed_volume(back.mesh) == pytest.approx(8)


def test_taking_a_point_out_joins_the_faces_around_it() -> None:
    grid = plane((4, 4), (2, 2))
    edit = take_out(grid, select(grid.topology, "points", [4]))
    assert edit.mesh.n_faces == 1
    assert face_areas(edit.mesh.topology, edit.mesh.points) == pytest.approx([16])


def test_taking_out_a_ring_of_faces_would_leave_a_hole() -> None:
    grid = plane((6, 6), (3, 3))
    around = Selection("faces", np.array([0, 1, 2, 3, 5, 6, 7, 8]))
    with pytest.raises(EditError, match="hole"):
        take_out(grid, around)


def test_filling_a_hole_closes_it_facing_out() -> None:
    open_box = delete(CUBE, top_of(CUBE)).mesh
    edit = fill(open_box, select_boundary(open_box.topology, NOTHING))
    assert signed_volume(edit.mesh) == pytest.approx(8)
    assert not edit.mesh.topology.open_edges.any()
    by_points = fill(open_box, select(open_box.topology, "points", np.flatnonzero(open_box.topology.open_points)))
    assert signed_volume(by_points.mesh) == pytest.approx(8)
    assert fill(open_box, select_boundary(open_box.topology, NOTHING), "triangles").mesh.n_faces == 7


def test_filling_an_open_run_is_refused() -> None:
    grid = plane((4, 4), (2, 2))
    with pytest.raises(EditError, match="two ends"):
        fill(grid, select(grid.topology, "edges", [[0, 1], [1, 2], [2, 5]]))


# Delete, flip, transforms


def test_deleting_takes_loose_points_along_unless_told() -> None:
    grid = plane((4, 4), (2, 2))
    assert delete(grid, select(grid.topology, "faces", [0])).mesh.n_points == 8
    assert delete(grid, select(grid.topology, "faces", [0]), keep_unattached=True).mesh.n_points == 9
    assert delete(grid, select(grid.topology, "points", [4])).mesh.n_faces == 0
    assert delete(grid, select(grid.topology, "edges", [[3, 4]])).mesh.n_faces == 2


def test_flipping_turns_the_volume() -> None:
    edit = flip(CUBE, NOTHING)
    assert signed_volume(edit.mesh) == pytest.approx(-8)
    again = flip(edit.mesh, NOTHING).mesh
    assert np.array_equal(again.topology.corners, CUBE.topology.corners)


def test_transforms_of_the_selection() -> None:
    lifted = move(CUBE, top_of(CUBE), (0, 0, 3)).mesh
    assert signed_volume(lifted) == pytest.approx(20)
    assert lifted.topology is CUBE.topology
    turned = rotate(CUBE, NOTHING, 90, "z", "origin").mesh
    assert turned.points == pytest.approx(CUBE.points[:, [1, 0, 2]] * [-1, 1, 1])
    flat = scale(CUBE, NOTHING, (1, 1, 0)).mesh
    assert np.ptp(flat.points[:, 2]) == 0
    swollen = move_along_normals(CUBE, NOTHING, 1, keep_wall=True).mesh
    assert signed_volume(swollen) == pytest.approx(64)


def test_rotation_agrees_with_scipy() -> None:
    from scipy.spatial.transform import Rotation

    axis = np.array([1.0, 2.0, -0.5]) / np.linalg.norm([1, 2, -0.5])
    expected = Rotation.from_rotvec(np.radians(37) * axis).apply(CUBE.points.copy())
    assert rotate(CUBE, NOTHING, 37, (1, 2, -0.5), "origin").mesh.points == pytest.approx(expected, abs=1e-12)


def test_a_mirroring_scale_keeps_faces_outward() -> None:
    edit = scale(CUBE, NOTHING, (-1, 1, 1))
    assert signed_volume(edit.mesh) == pytest.approx(8)
    assert edit.message == "6 mirrored faces were turned outward again."


def test_each_piece_turns_about_its_own_middle() -> None:
    both = CAGES["two shells"]
    turned = rotate(both, NOTHING, 180, "z", "each").mesh
    assert turned.points[:, 0].min() == pytest.approx(both.points[:, 0].min())
    assert turned.points[:, 0].max() == pytest.approx(both.points[:, 0].max())


# Tags follow


def test_creases_survive_every_edit_beside_them() -> None:
    top_edges = np.flatnonzero((CUBE.points[CUBE.topology.edges][:, :, 2] > 0).all(axis=1))
    creased = crease(CUBE, Selection("edges", top_edges), 4).mesh
    for edit in (
        extrude(creased, select_where(creased, "faces", normal="-z"), 1),
        inset(creased, select_where(creased, "faces", normal="x"), 0.2),
        flip(creased, NOTHING),
        delete(creased, select_where(creased, "faces", normal="-z")),
        move(creased, top_of(creased), (0, 0, 1)),
    ):
        mesh = edit.mesh
        top = mesh.points[:, 2].max() - 1e-9
        on_top = (mesh.points[mesh.topology.edges][:, :, 2] >= top).all(axis=1)
        assert (mesh.creases[on_top] == 4).all() and on_top.sum() == 4


def test_a_cut_crease_stays_a_crease_on_both_halves() -> None:
    creased = crease(CUBE, select(CUBE.topology, "edges", [[0, 1]]), 7).mesh
    edit = run_loop(creased, select(creased.topology, "edges", [[0, 1]]), count=2)
    assert (edit.mesh.creases == 7).sum() == 3
    assert edge_lengths(edit.mesh.topology, edit.mesh.points)[edit.mesh.creases == 7].sum() == pytest.approx(2)


def test_welding_keeps_the_sharper_of_two() -> None:
    grid = plane((4, 2), (2, 1))
    creased = crease(grid, select(grid.topology, "edges", [[1, 4]]), 5).mesh
    sharpened = sharpen_points(creased, select(creased.topology, "points", [1]), 3).mesh
    welded = weld(sharpened, select(sharpened.topology, "points", [0, 1]), "middle").mesh
    assert welded.creases.max() == 5 and welded.corner_sharpness.max() == 3


def test_materials_follow_faces() -> None:
    brass = set_material(CUBE, top_of(CUBE), "brass").mesh
    walls = extrude(brass, top_of(brass), 1).mesh
    assert (walls.material == 0).sum() == 5
    assert set_material(walls, NOTHING, "").mesh.material.max() == -1


@pytest.mark.parametrize("key", ["sweep", "revolve", "extrude"])
def test_what_is_made_of_wires_is_of_the_material_that_they_were_given(key: str, tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_line", points=[(5, 0, 0), (6, 0, 4), (5, 0, 9)])
    session.do("set_material", material="rubber")
    session = Session.open(session.save(tmp_path / "line.usda"))
    session.select_all("edges")
    numbers: dict[str, object] = {"distance": 3.0, "direction": (0, 1, 0)} if key == "extrude" else {}
    session.perform(key, **numbers)
    mesh = session.part.mesh
    assert mesh.n_faces and [mesh.materials[index] for index in set(mesh.material.tolist())] == ["rubber"]
    session.select_none()
    session.do("set_material", material="")
    assert set(session.part.mesh.material.tolist()) == {-1}


def test_non_manifold_edges_can_be_edited() -> None:
    mesh = fin()
    assert extrude(mesh, select(mesh.topology, "faces", [0]), 1).mesh.n_faces == 7
    assert run_loop(mesh, select(mesh.topology, "edges", [[0, 1]])).mesh.n_faces == 6


# Discs and quad spheres; more ways to join


def test_a_quad_sphere_lies_on_its_sphere() -> None:
    sphere = quad_sphere(20, 8)
    assert np.linalg.norm(sphere.points, axis=1) == pytest.approx(10)
    assert (sphere.topology.face_sizes == 4).all() and (sphere.topology.valence == 3).sum() == 8
    # A polyhedron inside the ball of 4/3 π r³, 1.6 % short of it with 8 quads along an edge.
    assert 0.98 < signed_volume(sphere) / (4 / 3 * np.pi * 1000) < 1
    areas = face_areas(sphere.topology, sphere.points)
    assert areas.max() / areas.min() < 1.5


@pytest.mark.parametrize("fill_kind", ["quads", "face", "triangles"])
def test_a_disc_has_the_area_of_its_polygon(fill_kind: str) -> None:
    flat = disc(20, 12, fill_kind)  # type: ignore[arg-type]
    # n/2 · r² · sin(2π/n)
    assert face_areas(flat.topology, flat.points).sum() == pytest.approx(6 * 100 * np.sin(np.pi / 6))
    assert (face_normals(flat.topology, flat.points)[:, 2] > 0.999).all()
    assert disc(20, 12, "open").n_faces == 0


def test_triangles_pair_to_the_squarest_quads() -> None:
    from levelloop.core.mesh.faces import triangles

    cube = box((4, 4, 4), (3, 3, 3))
    loose = mesh_of_faces(cube.points, triangles(cube.topology, cube.points)[0].tolist())
    edit = to_quads(loose, NOTHING)
    assert edit.message == "108 triangles became 54 quads."
    assert (edit.mesh.topology.face_sizes == 4).all() and signed_volume(edit.mesh) == pytest.approx(64)
    creased = loose.with_creases(np.full(loose.n_edges, 1.0))
    with pytest.raises(EditError, match="No two"):
        to_quads(creased, NOTHING)


def test_collapsing_each_connected_group() -> None:
    grid = plane((4, 4), (4, 4))
    edit = collapse(grid, select(grid.topology, "edges", [[0, 1], [23, 24]]))
    assert edit.message == "4 points became 2." and edit.mesh.n_points == 23
    assert edit.mesh.points[edit.selection.indices].tolist() == [[-1.5, -2, 0], [1.5, 2, 0]]
    with pytest.raises(EditError, match="no two of the selected points are neighbours"):
        collapse(grid, select(grid.topology, "points", [0, 24]))


def test_welding_onto_the_last_picked_point() -> None:
    edit = weld_onto(CUBE, select(CUBE.topology, "points", [1, 0]))
    assert edit.mesh.n_points == 7
    assert edit.mesh.points[edit.selection.indices[0]] == pytest.approx(CUBE.points[0])
    named = weld_onto(CUBE, select(CUBE.topology, "points", [1]), target=3)
    assert named.mesh.points[named.selection.indices[0]] == pytest.approx(CUBE.points[3])


def test_facing_outward_turns_only_what_is_wrong() -> None:
    wrong = flip(CUBE, select(CUBE.topology, "faces", [3, 4])).mesh
    edit = face_outward(wrong, NOTHING)
    assert edit.message == "2 faces were turned outward."
    assert signed_volume(edit.mesh) == pytest.approx(8)
    assert face_outward(edit.mesh, NOTHING).mesh is edit.mesh


def test_open_edges_extrude_outwards_in_their_faces_plane() -> None:
    grid = plane((4, 4), (2, 2))
    rim = select_boundary(grid.topology, NOTHING)
    edit = extrude(grid, rim, 1.0)
    # A frame of 1 mm around 4 × 4, its corners square: the sheet is 6 × 6 now.
    assert face_areas(edit.mesh.topology, edit.mesh.points).sum() == pytest.approx(36)
    assert (face_normals(edit.mesh.topology, edit.mesh.points)[:, 2] > 0.999).all()
    assert edit.mesh.topology.euler_number() == 1 and len(edit.selection) == 8
    # Pull, and pull again: a strip.
    one = select(grid.topology, "edges", [[0, 1]])
    strip = extrude(grid, one, 2.0, steps=2)
    again = extrude(strip.mesh, strip.selection, 1.0, direction="z")
    assert again.mesh.n_faces == 4 + 2 + 1
    assert again.mesh.points[:, 1].min() == pytest.approx(-4) and again.mesh.points[:, 2].max() == pytest.approx(1)
    assert not again.mesh.topology.orientation[0].any()


def test_inner_edges_extrude_to_a_fin_along_the_normal() -> None:
    grid = plane((4, 4), (2, 2))
    edit = extrude(grid, select(grid.topology, "edges", [[3, 4]]), 3.0, end_scale=0.5)
    assert edit.mesh.points[:, 2].max() == pytest.approx(3)
    assert edit.mesh.topology.edge_face_count.max() == 3
    assert edge_lengths(edit.mesh.topology, edit.mesh.points)[edit.selection.indices] == pytest.approx([1])


def test_a_crease_cut_by_a_loop_is_whole_again_when_the_loop_is_taken_out() -> None:
    creased = crease(CUBE, select(CUBE.topology, "edges", [[0, 1]]), 7).mesh
    edit = run_loop(creased, select(creased.topology, "edges", [[0, 1]]), count=3)
    back = take_out(edit.mesh, edit.selection)
    edge = back.mesh.topology.find_edges([[0, 1]])[0]
    assert back.mesh.n_edges == 12 and back.mesh.creases[edge] == 7 and (back.mesh.creases > 0).sum() == 1


def test_every_crease_of_a_cage_survives_a_loop_run_and_taken_out() -> None:
    cage = box((4, 4, 4), (2, 2, 2))
    weights = np.arange(1, cage.n_edges + 1) / 10
    creased = cage.with_creases(weights)
    middle = cage.topology.find_edges([[0, 1]])
    loops = run_loop(creased, Selection("edges", middle), count=2)
    back = take_out(loops.mesh, loops.selection).mesh
    again = back.topology.find_edges(cage.topology.edges)
    assert np.array_equal(back.points, cage.points) and back.creases[again] == pytest.approx(weights)


def test_taking_out_all_but_an_edge_of_a_box_is_refused() -> None:
    with pytest.raises(EditError, match="fewer than three corners"):
        take_out(CUBE, select(CUBE.topology, "points", [0, 1, 2, 5, 6]), two_edge_points=False)


@pytest.mark.parametrize("each", [True, False])
def test_an_inset_is_held_back_before_its_rim_crosses_itself(each: bool) -> None:
    mesh = box((20, 10, 6))
    edit = inset(mesh, Selection("faces", np.array([1])), 30.0, each=each)
    assert "held at 4.9 mm" in edit.message
    normals = face_normals(edit.mesh.topology, edit.mesh.points)
    assert np.allclose(normals[1], (0, 0, 1)) and np.allclose(normals[6:], (0, 0, 1))
    assert inset(mesh, Selection("faces", np.array([1])), 4.0, each=each).message == ""
    # Outwards there is room without end.
    assert inset(mesh, Selection("faces", np.array([1])), -30.0, each=each).message == ""


@some(20)
@given(st.integers(4, 20), st.floats(0.02, 0.9), st.floats(0.4, 1.0), st.integers(0, 10**6))
def test_what_lies_inside_a_flat_is_drawn_in_where_an_inset_would_run_over_it(
    half: int, share: float, flat: float, seed: int
) -> None:
    """A grid in a disc, an oval, any tilt: the border has its width, nothing overlaps, the area stays."""
    form = disc(60, 2 * half, "quads")
    turn = Rotation.random(random_state=seed).as_matrix()
    form = form.with_points((form.points * (1.0, flat, 1.0)) @ turn.T)
    width = share * 30.0 * flat**2 * np.cos(np.pi / (2 * half))
    edit = inset(form, select_all(form.topology, "faces"), width)
    topology, points = edit.mesh.topology, edit.mesh.points
    if "held" in edit.message:
        return
    assert face_areas(topology, points).sum() == pytest.approx(face_areas(form.topology, form.points).sum())
    assert (face_normals(topology, points) @ face_normals(form.topology, form.points)[0] > 0.999).all()
    was_convex = ~concave_faces(form.topology, form.points)
    assert not concave_faces(topology, points)[edit.selection.indices][was_convex[edit.selection.indices]].any()
