"""Symmetric editing of what changes faces: both sides at once or in turn, by place and by flow."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import face_centres, face_normals
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.core.select.symmetry import twins_by_place, twins_of
from levelloop.document.session import Session


def block(**symmetry: Any) -> Session:
    session = Session.new()
    session.do("add_box", size=(20, 16, 12), cells=(4, 3, 3))
    session.do("set_symmetry", **symmetry)
    return session


def lone(session: Session, axis: int = 0) -> int:
    """How many points and faces have nothing across the plane, whatever lies on what."""
    mesh = session.part.mesh
    missing = 0
    for places in (mesh.points, face_centres(mesh.topology, mesh.points)):
        across = places * np.where(np.arange(3) == axis, -1.0, 1.0)
        missing += int((cKDTree(places).query(across)[0] > 1e-6).sum())
    return missing


EDITS = (
    ("faces", "extrude", {"distance": 3.0}),
    ("faces", "extrude", {"distance": 3.0, "direction": (1.0, 0.5, 0.2)}),
    ("faces", "inset", {"width": 0.5}),
    ("edges", "bevel", {"width": 0.4}),
    ("edges", "run_loop", {"ratio": 0.3}),
    ("points", "weld", {"distance": "middle"}),
    ("faces", "collapse", {}),
    ("edges", "take_out", {}),
    ("faces", "delete", {}),
    ("edges", "crease", {"weight": 3.0}),
)


@pytest.mark.parametrize(("kind", "key", "parameters"), EDITS)
@given(data=st.data())
def test_an_edit_on_one_side_is_made_on_the_other(kind: str, key: str, parameters: dict[str, Any], data: Any) -> None:
    session = block()
    mesh = session.part.mesh
    one_side = {
        "points": np.flatnonzero(mesh.points[:, 0] > 1),
        "edges": np.flatnonzero((mesh.points[mesh.topology.edges][:, :, 0] > 1).all(axis=1)),
        "faces": np.flatnonzero(face_centres(mesh.topology, mesh.points)[:, 0] > 6),
    }[kind]
    chosen = data.draw(st.lists(st.sampled_from(one_side.tolist()), min_size=1, max_size=3, unique=True))
    session.set_selection(Selection(kind, np.array(chosen)))  # type: ignore[arg-type]
    try:
        session.do(key, **parameters)
    except EditError:
        return
    assert lone(session) == 0
    if key == "crease":
        assert np.count_nonzero(session.part.mesh.creases) == 2 * len(chosen)


def test_a_direction_is_mirrored_with_the_side() -> None:
    session = block()
    session.select_where("faces", normal="x")
    session.do("extrude", distance=5.0, direction=(1.0, 0.0, 0.0))
    points = session.part.mesh.points
    assert points[:, 0].min() == pytest.approx(-15) and points[:, 0].max() == pytest.approx(15)
    # Both ends are selected after it.
    assert len(session.selection) == 18


def test_what_lies_on_the_plane_is_edited_once() -> None:
    session = block()
    session.select_where("edges", plane="x")
    count = len(session.selection)
    session.do("bevel", width=0.5)
    assert lone(session) == 0 and session.part.mesh.topology.euler_number() == 2
    assert count == 12


def test_posed_meshes_are_edited_by_flow() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 16, 12), cells=(4, 3, 3))
    session.select_where("edges", plane="x")
    session.set_selection(Selection("edges", session.selection.indices[:1]))
    session.do("set_symmetry", by="by flow")
    session.do("set_symmetry", axis="off")
    session.select_where("points", plane=((10, 0, 0), "x"))
    session.do("move", by=(3, 5, 1))  # posed: places are no twins any more
    session.set_selection(Selection("edges", session.part.mesh.topology.find_edges(_middle_edge(session))))
    session.do("set_symmetry", by="by flow")
    session.select_where("faces", normal="x")
    assert len(session.selection)
    faces = session.part.mesh.n_faces
    chosen = len(session.selection)
    session.do("inset", width=0.4, each=True)
    assert session.part.mesh.n_faces == faces + 2 * 4 * chosen


def test_twins_of_faces_and_edges_are_across() -> None:
    session = block()
    mesh = session.part.mesh
    twin = twins_by_place(mesh.points, 0, 1e-6)
    middles = face_centres(mesh.topology, mesh.points)
    across = twins_of(mesh.topology, Selection("faces", np.arange(mesh.n_faces)), twin)
    assert np.allclose(middles[across.indices], middles * (-1, 1, 1))
    edges = Selection("edges", np.arange(mesh.n_edges), np.arange(mesh.n_edges) % 2 == 0)
    other = twins_of(mesh.topology, edges, twin)
    first = np.where(edges.backwards, mesh.topology.edges[:, 1], mesh.topology.edges[:, 0])
    start = np.where(other.backwards, mesh.topology.edges[other.indices, 1], mesh.topology.edges[other.indices, 0])
    assert np.array_equal(twin[first], start)


def _middle_edge(session: Session) -> np.ndarray:
    mesh = session.part.mesh
    on_plane = (np.abs(mesh.points[mesh.topology.edges][:, :, 0]) < 1e-9).all(axis=1)
    return mesh.topology.edges[np.flatnonzero(on_plane)[:1]]


def test_planes_and_whole_parts_go_with_symmetry() -> None:
    session = block()
    session.do("slice", plane=((2.0, 0.0, 0.0), "x"))
    assert session.part.mesh.topology.euler_number() == 2
    session.select_where("faces", normal="x")
    session.do("slice", plane=((0.0, 3.0, 0.0), "y"))
    mesh = session.part.mesh
    ends = mesh.points[np.unique(mesh.topology.edges[session.selection.indices])]
    assert np.allclose(ends[:, 1], 3) and set(np.round(ends[:, 0])) == {-10.0, 10.0}


def test_a_cut_across_the_plane_is_made_once_and_said() -> None:
    session = Session.new()
    session.do("add_plane", size=(20, 10), cells=(2, 1))
    session.do("set_symmetry")
    # Points 0 1 2 below, 3 4 5 above: from the lower left over the middle to the upper right.
    path = [{"edge": [0, 1]}, {"edge": [1, 4]}, {"edge": [4, 5]}]
    assert "made once" in session.do("cut", path=path) and session.part.mesh.n_faces == 4
    session.undo()
    assert "made once" not in session.do("cut", path=[{"edge": [0, 1]}, {"edge": [3, 4]}])
    assert session.part.mesh.n_faces == 4 and lone(session) == 0


def placed_elsewhere(session: Session) -> None:
    """From now on the part stands 30 to the right and turned, by its transform."""
    session.select_none()
    session.do("instance", name="other")
    session.do("rotate", angle=90, axis="z", pivot="origin")
    session.do("move", by=(30, 0, 0))


def test_strips_are_laid_on_both_sides_of_the_parts_own_plane() -> None:
    session = Session.new()
    session.do("add_plane", size=(60, 20), name="floor")
    session.do("add_point", at=(0, 0, 0), name="strips")
    for elsewhere in (False, True):
        if elsewhere:
            placed_elsewhere(session)
        session.do("set_symmetry")
        before = session.part.mesh.n_faces
        # In its own space 4 … 8 to the right of the plane.
        path = [(30.0, 4.0, 0.0), (30.0, 8.0, 0.0)] if elsewhere else [(4.0, 0.0, 0.0), (8.0, 0.0, 0.0)]
        said = session.do("lay_strip", path=path, width=2.0, count=2, onto="floor", weld=0.0)
        assert "made once" not in said and session.part.mesh.n_faces == before + 4
        new = session.part.mesh.points[points_of(session.part.mesh.topology, session.selection)]
        assert np.allclose(np.sort(new[:, 0]), np.sort(-new[:, 0])) and np.abs(new[:, 0]).max() == pytest.approx(8)
        world = session.part.to_world(session.part.mesh)
        normals = face_normals(world.topology, world.points)[session.selection.indices]
        assert np.allclose(np.abs(normals[:, 2]), 1)
    session.undo()
    across = [(30.0, -6.0, 0.0), (30.0, 6.0, 0.0)]
    assert "made once" in session.do("lay_strip", path=across, width=2.0, count=2, onto="floor", weld=0.0)


def test_a_figure_inside_a_face_is_cut_across_the_plane_wherever_the_part_stands() -> None:
    session = Session.new()
    session.do("add_plane", size=(20, 10), cells=(2, 1))
    placed_elsewhere(session)
    session.do("set_symmetry")
    world = session.part.to_world(session.part.mesh)
    face = int(
        np.argmax(session.part.mesh.points[session.part.mesh.topology.corners.reshape(-1, 4)].mean(axis=1)[:, 0])
    )
    middle = world.points[world.topology.face(face)].mean(axis=0)
    path = [{"face": face, "at": tuple(middle + offset)} for offset in ((1, 1, 0), (-1, 1, 0), (0, -2, 0))]
    assert "made once" not in session.do("cut", path=path, closed=True)
    points = session.part.mesh.points
    assert np.allclose(np.sort(points[:, 0]), np.sort(-points[:, 0])) and len(points) == 6 + 6
