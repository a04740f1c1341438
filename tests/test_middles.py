"""A mirrored cage at its planes: every edit that is the same on all sides behaves as on the whole."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.strategies import DataObject
from scipy.spatial import cKDTree

from levelloop.core.edit.slicing import slice_planes
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import quad_sphere
from levelloop.core.mesh import Mesh
from levelloop.core.selection import NOTHING, Selection, select_mask
from levelloop.core.steps.mirror import mirror
from levelloop.document.document import Document, new_part
from levelloop.document.session import Session

EDITS: dict[str, tuple[str, dict[str, Any]]] = {
    "extrude": ("faces", {"distance": 1.5}),
    "extrude inwards": ("faces", {"distance": -1.5}),
    "inset": ("faces", {"width": 0.6}),
    "move_along_normals": ("faces", {"distance": 0.8}),
    "relax": ("points", {"times": 4}),
    "bevel": ("edges", {"width": 0.4}),
    "bevel in two": ("edges", {"width": 0.4, "steps": 2}),
    "groove": ("edges", {"width": 0.5, "height": -0.3}),
    "even_out": ("points", {}),
}


def session_of(mesh: Mesh, planes: str = "") -> Session:
    document = Document()
    session = Session(document.with_part(new_part(document, mesh, "ball")))
    if planes:
        session.add_step("mirror", planes=planes)
    return session


def cage(planes: str) -> Mesh:
    ball = quad_sphere(20, 4)
    for plane in planes:
        ball = slice_planes(ball, NOTHING, plane, (0.0,), "front").mesh
    return ball


def apart(mesh: Mesh, planes: str) -> Mesh:
    """The faces across a plane split along it."""
    for plane in planes:
        try:
            mesh = slice_planes(mesh, NOTHING, plane).mesh
        except EditError:
            continue
    return mesh


@given(st.data(), st.sampled_from(sorted(EDITS)), st.sampled_from(["x", "z", "xy", "xyz"]))
def test_an_edit_at_the_planes_is_that_of_the_whole(data: DataObject, name: str, planes: str) -> None:
    kind, values = EDITS[name]
    key = name.split()[0]
    part = cage(planes)
    whole = mirror(part, planes)
    count = {"faces": part.n_faces, "edges": part.n_edges, "points": part.n_points}[kind]
    picked = data.draw(st.lists(st.integers(0, count - 1), min_size=1, max_size=5, unique=True))
    half, full = session_of(part, planes), session_of(whole.mesh)
    half.set_selection(Selection(kind, np.array(sorted(picked))))  # type: ignore[arg-type]
    full.set_selection(select_mask(kind, np.isin(getattr(whole.origin, kind), picked)))  # type: ignore[arg-type]
    outcomes = []
    for session in (half, full):
        try:
            session.do(key, **values)
            outcomes.append("done")
        except EditError as error:
            outcomes.append(str(error))
    # What the whole cannot take the half refuses too.
    assert (outcomes[0] == "done") == (outcomes[1] == "done"), outcomes
    if outcomes[0] != "done":
        return
    made, meant = half.part.stepped, apart(full.part.mesh, planes)
    made = apart(made, planes)
    assert not made.topology.open_edges.any()
    assert made.n_points == meant.n_points and made.n_faces == meant.n_faces
    assert cKDTree(made.points).query(meant.points)[0].max() < 1e-9
    # Nothing is built on the planes and nothing crosses them.
    own = half.part.mesh
    for plane in planes:
        axis = "xyz".index(plane)
        assert own.points[:, axis].min() >= 0.0
        flat = np.abs(own.points[:, axis]) == 0
        walls = np.logical_and.reduceat(flat[own.topology.corners], own.topology.face_offsets[:-1])
        assert not walls.any()


def test_a_half_dome_gets_a_wall_and_no_wall_in_the_middle() -> None:
    part = slice_planes(cage("x"), NOTHING, "z", (0.0,), "front").mesh
    session = session_of(part, "x")
    session.do("thicken", outward=1.0)
    made = session.part.stepped
    assert not made.topology.open_edges.any() and made.topology.euler_number() == 2
    assert (made.topology.edge_face_count == 2).all()


def test_half_a_loop_is_made_round_as_the_whole_one() -> None:
    part = cage("x")
    rim = np.flatnonzero(np.abs(part.points[:, 2]) < 1e-9)
    session = session_of(part, "x")
    session.set_selection(Selection("edges", np.flatnonzero(np.isin(part.topology.edges, rim).all(axis=1))))
    session.do("make_round")
    radius = np.linalg.norm(session.part.mesh.points[rim, :2], axis=1)
    assert np.ptp(radius) < 1e-9
    assert not session.part.stepped.topology.open_edges.any()


@pytest.mark.parametrize("before", ["bend", "array"])
def test_behind_other_steps_the_middle_is_a_boundary(before: str) -> None:
    session = session_of(cage("x"))
    session.add_step(before)
    session.add_step("mirror", planes="x")
    alone = session_of(cage("x"))
    for one in (session, alone):
        one.select_where("faces", box=[(-0.1, -20, -20), (6, 20, 20)])
        one.do("inset", width=0.4)
    assert np.array_equal(session.part.mesh.points, alone.part.mesh.points)


@pytest.mark.parametrize(
    ("key", "values"),
    [
        ("move", {"by": (1.5, 0.5, 0.2)}),
        ("rotate", {"angle": 20, "axis": "z", "pivot": "middle"}),
        ("scale", {"factors": 1.3, "pivot": "middle"}),
    ],
)
def test_what_pulls_at_points_on_the_planes_leaves_them_there(key: str, values: dict[str, Any]) -> None:
    session = session_of(cage("xy"), "xy")
    before = session.part.mesh.points
    rim = [np.abs(before[:, axis]) < 1e-12 for axis in (0, 1)]
    session.select_where("faces", near=(1, 1, 10), count=3)
    told = session.do(key, **values)
    for axis in (0, 1):
        assert not session.part.mesh.points[rim[axis], axis].any()
    assert "on the mirror's plane" in told
    assert not session.part.stepped.topology.open_edges.any()
    session.do("to_plane", axis="x")  # not in the way of what puts points on planes


@pytest.mark.parametrize("key", ["inset", "extrude", "bevel", "relax"])
def test_parts_that_stand_elsewhere_are_guarded_alike(key: str) -> None:
    made = []
    for elsewhere in (False, True):
        session = session_of(cage("xy"), "xy")
        if elsewhere:
            session.do("rotate", angle=33, axis="z", pivot="origin")
            session.do("move", by=(1e5, -2e4, 7e4))
        kind = "edges" if key == "bevel" else "faces"
        session.set_selection(Selection(kind, np.arange(6)))  # type: ignore[arg-type]
        session.do(key, **({} if key == "relax" else {"distance": 1.0} if key == "extrude" else {"width": 0.5}))
        made.append(session.part.stepped)
    assert np.array_equal(made[0].topology.corners, made[1].topology.corners)
    assert np.abs(made[0].points - made[1].points).max() < 1e-9
    assert not made[1].topology.open_edges.any()
