"""Tags through edits and smoothing: UV, seams, sets, holes, diagonals; and wires."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from levelloop.core.edit.bevel.bevel import bevel
from levelloop.core.edit.build.extrude import extrude, inset
from levelloop.core.edit.build.fill import fill
from levelloop.core.edit.clean.simple import delete, flip, shade, turn_diagonal
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.clean.to_quads import to_quads
from levelloop.core.edit.divide.join_points import join_points
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.edit.join.weld import weld_onto
from levelloop.core.errors import EditError, MeshError
from levelloop.core.forms.primitives import box, disc, plane
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import corner_normals, face_normals, triangles
from levelloop.core.mesh.mesh import Mesh, NamedSet, Scheme, mesh_of_faces
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection, select, select_all, select_loop
from levelloop.core.mesh.topology import Topology
from levelloop.core.review import review
from levelloop.core.surface.surface import SmoothSurface, smooth
from levelloop.document.session import Session


def uv_of(points: np.ndarray) -> np.ndarray:
    """An affine map from the plane to UV."""
    return np.stack((0.1 * points[:, 0] + 0.03 * points[:, 1] + 0.5, 0.07 * points[:, 1] - 0.02 * points[:, 0]), axis=1)


def with_uv(mesh: Mesh) -> Mesh:
    return replace(mesh, uv=uv_of(mesh.points[mesh.topology.corners]))


SHEET = with_uv(plane((6, 6), (4, 4)))
FAN = with_uv(disc(6, 9, "triangles"))
INNER = [i for i in range(25) if np.abs(SHEET.points[i]).max() < 2.9]


def some(kind: str, *indices: int) -> Selection:
    return Selection(kind, np.array(indices, dtype=np.int64))  # type: ignore[arg-type]


IN_PLANE: dict[str, Callable[[], Edit]] = {
    "run a loop": lambda: run_loop(SHEET, some("edges", 7), ratio=0.3),
    "run loops both ways": lambda: run_loop(SHEET, some("edges", 7, 8), count=2),
    "inset": lambda: inset(SHEET, some("faces", 5, 6, 9), 0.2),
    "inset each": lambda: inset(SHEET, some("faces", 5, 6, 9), 0.2, each=True),
    "join": lambda: join_points(SHEET, some("points", 6, 12, 18)),
    "take out edges": lambda: take_out(SHEET, some("edges", 12, 14)),
    "take out points": lambda: take_out(SHEET, some("points", 12)),
    "flip": lambda: flip(SHEET, some("faces", 3, 4)),
    "delete": lambda: delete(SHEET, some("faces", 3, 4)),
    "bevel edges": lambda: bevel(SHEET, some("edges", 12, 20, 21), 0.2, 1),
    "bevel points": lambda: bevel(SHEET, some("points", *INNER), 0.2, 3, 0.0),
    "to quads": lambda: to_quads(FAN, some("faces")),
}


@pytest.mark.parametrize("name", list(IN_PLANE))
def test_uv_stays_where_it_lies_under_edits_in_the_plane(name: str) -> None:
    # UV that is an affine map of the plane must still be that map after anything that happens in the plane.
    mesh = IN_PLANE[name]().mesh
    assert mesh.uv is not None
    assert mesh.uv == pytest.approx(uv_of(mesh.points[mesh.topology.corners]), abs=1e-9)


def test_uv_of_a_filled_hole_is_that_of_its_points() -> None:
    holed = delete(SHEET, some("faces", 5)).mesh
    hole = np.flatnonzero(holed.topology.open_edges)
    hole = hole[np.abs(holed.points[holed.topology.edges[hole]]).max(axis=(1, 2)) < 2.9]
    mesh = fill(holed, Selection("edges", hole)).mesh
    assert mesh.uv == pytest.approx(uv_of(mesh.points[mesh.topology.corners]))


def test_uv_follows_the_points_of_an_extrusion() -> None:
    edit = extrude(SHEET, some("faces", 5), 1.0)
    assert edit.mesh.uv == pytest.approx(uv_of(edit.mesh.points[edit.mesh.topology.corners]))


def test_uv_smooths_as_the_points_do_where_it_has_no_cuts() -> None:
    for level in (1, 2):
        mesh = smooth(SHEET, level)
        assert mesh.uv == pytest.approx(uv_of(mesh.points[mesh.topology.corners]))


def test_uv_keeps_to_its_side_of_a_seam() -> None:
    # Two squares side by side whose UV lie apart: no corner's UV may come from the other island.
    sheet = plane((2, 1), (2, 1))
    uv = uv_of(sheet.points[sheet.topology.corners])
    uv[4:] += 10
    cut = replace(sheet, uv=uv)
    for mesh in (run_loop(cut, some("edges", 0)).mesh, smooth(cut, 2), flip(cut, some("faces")).mesh):
        assert mesh.uv is not None
        island = mesh.uv[:, 0] > 5
        per_face = np.logical_and.reduceat(island, mesh.topology.face_offsets[:-1])
        assert per_face.any() and np.array_equal(np.repeat(per_face, mesh.topology.face_sizes), island)


def test_a_hole_is_left_out_of_the_surface_and_stays_in_the_cage() -> None:
    cube = replace(box((2, 2, 2)), hole=np.arange(6) == 2)
    assert smooth(cube, 0).n_faces == 5 and smooth(cube, 2).n_faces == 5 * 16
    # The surface beside it is as if the face were there (OpenUSD, holeIndices).
    whole, holed = smooth(box((2, 2, 2)), 2).points, smooth(cube, 2).points
    assert {tuple(p) for p in holed.round(9).tolist()} <= {tuple(p) for p in whole.round(9).tolist()}


def test_seams_and_sets_follow_onto_the_surface() -> None:
    cube = box((2, 2, 2))
    sets = (
        NamedSet("top", "faces", np.array([1])),
        NamedSet("rim", "edges", np.array([0, 5])),
        NamedSet("tips", "points", np.array([3, 1, 3])),
    )
    mesh = smooth(replace(cube, seam=np.arange(12) < 2, sets=sets), 2)
    assert mesh.seams.sum() == 2 * 4
    found = {named.name: named for named in mesh.sets}
    assert len(found["top"].indices) == 16 and len(found["rim"].indices) == 8
    assert found["tips"].indices.tolist() == [1, 3]


def test_sets_of_combined_parts_become_one() -> None:
    cube = replace(box((2, 2, 2)), sets=(NamedSet("top", "faces", np.array([1])),))
    both = combined((cube, box(), cube))
    assert [named.indices.tolist() for named in both.sets] == [[1, 13]]


def test_a_turned_diagonal_is_the_one_that_is_used() -> None:
    bent = mesh_of_faces([[0, 0, 0], [1, 0, 0.5], [1, 1, 0], [0, 1, 0.5]], [[0, 1, 2, 3]])
    turned = turn_diagonal(bent, some("faces", 0)).mesh
    back = turn_diagonal(turned, some("faces", 0)).mesh
    diagonals = [
        {tuple(sorted(p)) for p in _inner_edges(triangles(m.topology, m.points, m.diagonal)[0])}
        for m in (bent, turned, back)
    ]
    assert diagonals[0] == diagonals[2] and diagonals[0].isdisjoint(diagonals[1])
    flipped = flip(turned, some("faces")).mesh
    assert {
        tuple(sorted(p)) for p in _inner_edges(triangles(flipped.topology, flipped.points, flipped.diagonal)[0])
    } == (diagonals[1])
    with pytest.raises(EditError, match="select quads"):
        turn_diagonal(FAN, some("faces", 0))


def _inner_edges(corners: np.ndarray) -> np.ndarray:
    pairs = np.sort(np.concatenate([corners[:, [i, (i + 1) % 3]] for i in range(3)]), axis=1)
    unique, count = np.unique(pairs, axis=0, return_counts=True)
    return unique[count == 2]


def test_points_are_pulled_out_to_wires_and_wires_to_strips() -> None:
    cube = box((2, 2, 2))
    wired = extrude(cube, some("points", 0, 1), 1.0, steps=2)
    topology = wired.mesh.topology
    assert wired.mesh.n_points == 12 and len(topology.wires) == 4 and topology.n_faces == 6
    assert topology.wire_edges.sum() == 4 and not topology.open_edges.any()
    moved = wired.mesh.points[wired.selection.indices] - cube.points[[0, 1]]
    assert np.linalg.norm(moved, axis=1) == pytest.approx(1.0)
    strip = extrude(wired.mesh, Selection("edges", np.flatnonzero(topology.wire_edges)), 1.0, direction="z").mesh
    assert strip.n_faces == 10 and len(strip.topology.wires) == 0


def test_wires_drawn_from_a_lone_point_close_to_a_face() -> None:
    mesh = Mesh(Topology([0], [], 1), np.zeros((1, 3)))
    selection = some("points", 0)
    for direction in ("x", "y", "-x"):
        edit = extrude(mesh, selection, 2.0, direction=direction)
        mesh, selection = edit.mesh, edit.selection
    mesh = weld_onto(extrude(mesh, selection, 2.0, direction="-y").mesh, some("points", 4, 0)).mesh
    loop = select_loop(mesh.topology, some("edges", 0))
    assert len(loop) == 4
    closed = fill(mesh, loop).mesh
    assert closed.n_faces == 1 and len(closed.topology.wires) == 0


def test_wires_are_no_part_of_the_surface_and_are_found_by_the_review() -> None:
    cube = box((2, 2, 2))
    wired = extrude(cube, some("points", 7), 1.0).mesh
    assert np.allclose(smooth(wired, 2).points[:8], smooth(cube, 2).points[:8])
    surface = SmoothSurface(wired, 2)
    chain = surface.edge_chains[np.flatnonzero(wired.topology.wire_edges)[0]]
    assert set(chain.tolist()) == {7, 8}
    assert any(finding.check == "wires" for finding in review(wired).findings)
    assert delete(wired, Selection("edges", np.flatnonzero(wired.topology.wire_edges))).mesh.n_points == 8


def test_wires_that_are_no_wires_are_refused_or_left_out() -> None:
    with pytest.raises(MeshError, match="A wire joins two"):
        Topology([0, 3], [0, 1, 2], 3, [[0, 3]])
    topology = Topology([0, 3], [0, 1, 2], 4, [[0, 1], [3, 0], [0, 3]])
    assert topology.wires.tolist() == [[0, 3]]


@pytest.mark.parametrize("distance", [0.0, 1.0])
def test_edges_continue_along_wires(distance: float) -> None:
    mesh = Mesh(Topology([0], [], 4, [[0, 1], [1, 2], [2, 3]]), np.arange(12.0).reshape(4, 3) + distance)
    assert len(select_loop(mesh.topology, some("edges", 1))) == 3
    assert select(mesh.topology, "edges", [[2, 1]]).indices.tolist() == [1]


def test_uneven_creases_even_out_along_their_run() -> None:
    # DeRose, Kass & Truong 1998, section 4.2: sharpness 3, 1 and 1 along a run; after a step 3/4 of its own and 1/4 of
    # the other's less one at each end.
    sheet = plane((4, 2), (4, 2))
    middle = np.flatnonzero(np.isclose(sheet.points[sheet.topology.edges][:, :, 1], 0).all(axis=1))
    creases = np.zeros(sheet.n_edges)
    creases[middle] = [3, 1, 1, 2]
    for rule, expected in (("uniform", [2.0]), ("chaikin", [2.0, 1.5])):
        cage = replace(sheet.with_creases(creases), scheme=Scheme(creases=rule))  # type: ignore[arg-type]
        left = SmoothSurface(cage, 1).creases
        assert sorted(set(left[left > 0].tolist()), reverse=True)[: len(expected)] == expected


def test_all_faces_selected_make_a_set_that_survives_undoing_nothing() -> None:
    mesh = replace(box(), sets=(NamedSet("all", "faces", select_all(box().topology, "faces").indices),))
    assert len(extrude(mesh, some("faces", 0), 1.0).mesh.sets[0].indices) == 10


def test_shading_joins_faces_over_soft_edges() -> None:
    session = Session.new()
    session.do("add_cylinder", diameter=20, height=10, sides=12)
    mesh = session.part.mesh
    topology = mesh.topology
    hard = corner_normals(topology, mesh.points, mesh.soft_edges)
    assert np.allclose(hard, face_normals(topology, mesh.points)[topology.corner_face])
    # Sides meet at 30°, caps at 90°: up to an angle between them only the sides are round.
    assert "12 of 36 edges are soft" in session.do("shade", angle=40)
    soft = corner_normals(topology, session.part.mesh.points, session.part.mesh.soft_edges)
    side = np.abs(face_normals(topology, mesh.points)[topology.corner_face][:, 2]) < 0.5
    away = mesh.points[topology.corners[side]] * (1, 1, 0)
    assert np.allclose(soft[side], away / np.linalg.norm(away, axis=1)[:, None])
    assert np.allclose(np.abs(soft[~side][:, 2]), 1.0)
    session.select(edges=[[0, 12]])
    session.do("shade", kind="hard")
    assert session.part.mesh.soft_edges.sum() == 11
    session.select(points=[0])
    with pytest.raises(EditError, match="select edges or faces"):
        shade(session.part.mesh, session.selection)
