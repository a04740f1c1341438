"""Rows taken out and poles moved: all quads, closed as before, outlines and creases in their place."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import face_normals, signed_volume
from levelloop.document.session import Session


def poles(session: Session) -> dict[int, int]:
    topology = session.part.mesh.topology
    inner = ~topology.open_points & (topology.point_face_count > 0)
    values, counts = np.unique(topology.valence[inner & (topology.valence != 4)], return_counts=True)
    return dict(zip(values.tolist(), counts.tolist(), strict=True))


@given(st.integers(3, 9), st.integers(3, 9), st.data())
def test_a_row_of_a_sheet_goes_and_its_outline_stays(across: int, along: int, data: st.DataObject) -> None:
    session = Session.new()
    session.do("add_plane", size=(30, 20), cells=(across, along))
    mesh = session.part.mesh
    edge = data.draw(st.integers(0, mesh.n_edges - 1))
    a, b = mesh.points[mesh.topology.edges[edge]]
    runs_along_x = abs(b[0] - a[0]) > abs(b[1] - a[1])
    session.select(edges=[mesh.topology.edges[edge].tolist()])
    session.do("take_out_row")
    left = session.part.mesh
    wanted = (across - 1) * along if runs_along_x else across * (along - 1)
    assert left.n_faces == wanted and (left.topology.face_sizes == 4).all() and poles(session) == {}
    assert left.points.min(axis=0) == pytest.approx([-15, -10, 0]) and left.points.max(axis=0) == pytest.approx(
        [15, 10, 0]
    )
    assert session.selection.kind == "edges" and len(session.selection) == (along if runs_along_x else across)
    assert (face_normals(left.topology, left.points)[:, 2] > 0.99).all()


@given(st.sampled_from([6, 8, 12]), st.integers(2, 6), st.booleans())
def test_a_row_of_a_closed_form_goes_whichever_way_it_is_said(sides: int, cells: int, by_faces: bool) -> None:
    session = Session.new()
    session.do("add_cylinder", diameter=20, height=30, sides=sides, cells=cells, caps="quads")
    mesh = session.part.mesh
    euler = mesh.topology.euler_number()
    upright = np.flatnonzero(np.abs(np.diff(mesh.points[mesh.topology.edges][:, :, 2], axis=1)[:, 0]) > 1e-6)
    if by_faces:
        session.select(faces=mesh.topology.edge_faces[upright[0]].tolist())
    else:
        session.select(edges=[mesh.topology.edges[upright[0]].tolist()])
    session.do("take_out_row")
    left = session.part.mesh
    assert left.n_faces == mesh.n_faces - sides and left.topology.euler_number() == euler
    assert not left.topology.open_edges.any() and (left.topology.face_sizes == 4).all()
    # A rim folds more than the line beside it, and stays.
    assert np.ptp(left.points[:, 2]) == pytest.approx(30) if cells > 1 else True
    assert signed_volume(left) > 0


def test_a_crease_stays_and_is_kept() -> None:
    session = Session.new()
    session.do("add_plane", size=(40, 10), cells=(4, 1))
    session.select_where("edges", plane=((-10, 0, 0), "x"))
    session.do("crease", weight=10)
    session.select(edges=[session.part.mesh.topology.edges[0].tolist()])
    beside = session.part.mesh.topology
    at = session.part.mesh.points[beside.edges].mean(axis=1)
    edge = int(np.argmin(np.linalg.norm(at - [-5, 5, 0], axis=1)))
    session.select(edges=[beside.edges[edge].tolist()])
    session.do("take_out_row")
    left = session.part.mesh
    creased = left.topology.edges[left.creases == 10]
    assert len(creased) == 1 and left.points[creased][0, :, 0] == pytest.approx([-10, -10])


def test_what_is_no_row_is_said() -> None:
    session = Session.new()
    session.do("add_plane", cells=(1, 3))
    session.select(faces=[0])
    with pytest.raises(EditError, match="two neighbouring quads"):
        session.do("take_out_row")
    mesh = session.part.mesh
    across = int(np.flatnonzero(np.ptp(mesh.points[mesh.topology.edges][:, :, 0], axis=1) > 0)[0])
    session.select(edges=[mesh.topology.edges[across].tolist()])
    with pytest.raises(EditError, match="Nothing would be left"):
        session.do("take_out_row")
    session.do("add_geodesic")
    session.select(edges=[session.part.mesh.topology.edges[0].tolist()])
    with pytest.raises(EditError, match="no quad beside it"):
        session.do("take_out_row")
    session.do("add_quad_sphere", cells=2)
    session.select_all("edges")
    with pytest.raises(EditError, match="crosses itself"):
        session.do("take_out_row")


@given(st.integers(4, 8), st.integers(0, 2), st.integers(0, 7), st.floats(0.5, 3.0))
def test_a_pole_goes_to_its_neighbour_and_the_ball_stays_round(cells: int, way: int, corner: int, size: float) -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20 * size, cells=cells)
    mesh = session.part.mesh
    topology = mesh.topology
    pole = int(np.flatnonzero(topology.valence == 3)[corner])
    beside = topology.edges[(topology.edges == pole).any(axis=1)]
    onto = int(beside[beside != pole][way])
    session.select(points=[pole, onto])
    session.do("move_pole")
    moved = session.part.mesh
    assert moved.topology is topology and moved.points[pole] == pytest.approx(mesh.points[onto])
    assert session.selection.indices.tolist() == [pole]
    # All stay on the ball, up to what half a cell's own arc is off it.
    off = np.linalg.norm(moved.points, axis=1) / (10 * size) - 1
    assert np.abs(off).max() < 0.35 * (np.pi / 4 / cells) ** 2
    before, after = face_normals(topology, mesh.points), face_normals(topology, moved.points)
    assert (np.einsum("ij,ij->i", before, after) > 0.5).all()
    # And back again.
    session.undo()
    assert np.array_equal(session.part.mesh.points, mesh.points)


def test_a_pole_alone_goes_where_the_surface_turns_least() -> None:
    session = Session.new()
    session.do("add_plane", size=(80, 80), cells=(8, 8))
    session.select_where("points", near=(10, 0, 0), count=1)
    session.do("bevel", width=3)
    topology = session.part.mesh.topology
    pole = int(np.flatnonzero((topology.valence != 4) & ~topology.open_points)[0])
    session.select(points=[pole])
    before = session.part.mesh.points.copy()
    session.do("move_pole")
    moved = session.part.mesh
    edges = topology.edges[(topology.edges == pole).any(axis=1)]
    assert any(np.allclose(moved.points[pole], before[point]) for point in edges[edges != pole])
    # What is flat stays flat.
    assert moved.points[:, 2] == pytest.approx(np.zeros(moved.n_points), abs=1e-9)


def test_what_cannot_be_moved_is_said() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(4, 4, 4))
    topology = session.part.mesh.topology
    pole = int(np.flatnonzero(topology.valence == 3)[0])
    beside = topology.edges[(topology.edges == pole).any(axis=1)]
    session.select(points=[pole, int(beside[beside != pole][0])])
    with pytest.raises(EditError, match="sharply folded"):
        session.do("move_pole")
    flat = np.flatnonzero(topology.valence == 4)
    session.select(points=flat[:2].tolist())
    with pytest.raises(EditError, match="Neither of the points is a pole"):
        session.do("move_pole")
    session.select(points=flat[:1].tolist())
    with pytest.raises(EditError, match="no pole"):
        session.do("move_pole")
    session.select(points=[pole, int(flat[-1])])
    with pytest.raises(EditError, match="no neighbours"):
        session.do("move_pole")
    session.select(points=flat[:3].tolist())
    with pytest.raises(EditError, match="select it and a neighbouring point"):
        session.do("move_pole")
