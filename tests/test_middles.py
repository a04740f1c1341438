"""A mirrored cage at its planes: every edit that is the same on all sides behaves as on the whole."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from hypothesis.strategies import DataObject
from scipy.spatial import cKDTree

from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, quad_sphere
from levelloop.core.mesh.faces import face_centres, signed_volume
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import NOTHING, Selection, points_of, select_mask
from levelloop.core.mesh.topology import Topology
from levelloop.core.recipe.mirror import mirror
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
    "run_loop": ("edges", {"ratio": 0.3}),
    "run_loop following": ("edges", {"count": 2, "follow": 1.0}),
    "subdivide": ("faces", {"smooth": 1.0}),
    "hold": ("edges", {"radius": 0.05}),
    "collapse": ("edges", {}),
    "collapse faces": ("faces", {}),
    "weld": ("points", {"distance": "middle"}),
    "scale": ("faces", {"factors": 1.2}),
    "flatten": ("faces", {}),
    "take_out points": ("points", {}),
}
# What is left of these where they don't meet a plane is about what is selected alone, not about its twins too.
ONLY_WHERE_THEY_MEET = {"weld", "scale", "flatten"}


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
    """The faces across a plane split along it; what lies in it, and its image on the same place, are walls and go."""
    for plane in planes:
        try:
            mesh = slice_planes(mesh, NOTHING, plane).mesh
        except EditError:
            continue
    return drop_faces(mesh, walls_of(mesh, planes), keep_unattached=False)[0]


def walls_of(mesh: Mesh, planes: str) -> Any:
    """Faces that lie in one of the planes: (m,)."""
    flat = np.abs(mesh.points[:, ["xyz".index(plane) for plane in planes]]) < 1e-9
    topology = mesh.topology
    return np.logical_and.reduceat(flat[topology.corners], topology.face_offsets[:-1]).any(axis=1)


@given(st.data(), st.sampled_from(sorted(EDITS)), st.sampled_from(["x", "z", "xy", "xyz"]))
def test_an_edit_at_the_planes_is_that_of_the_whole(data: DataObject, name: str, planes: str) -> None:
    kind, values = EDITS[name]
    key = name.split()[0]
    part = cage(planes)
    whole = mirror(part, planes)
    count = {"faces": part.n_faces, "edges": part.n_edges, "points": part.n_points}[kind]
    if name == "weld":
        # Points far apart made one leave faces folded onto themselves, on the half and the whole.
        picked = part.topology.edges[data.draw(st.integers(0, part.n_edges - 1))].tolist()
    else:
        # More than two faces of an eighth may be a ring around it, which collapses into its own middle.
        most = {"take_out points": 1, "collapse faces": 2}.get(name, 5)
        picked = data.draw(st.lists(st.integers(0, count - 1), min_size=1, max_size=most, unique=True))
    if name in ONLY_WHERE_THEY_MEET:
        chosen = points_of(part.topology, Selection(kind, np.array(picked)))  # type: ignore[arg-type]
        on = np.abs(part.points[chosen][:, ["xyz".index(plane) for plane in planes]]) < 1e-9
        # Faces all around a corner of three planes have no plane of their own.
        assume(on.any(axis=0).all() and (name != "flatten" or len(planes) == 1))
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
    assert key == "scale" or "on the mirror's plane" in told
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


def block(x: float) -> Mesh:
    """A box of 4 mm around a place beside the plane."""
    form = box((4, 4, 4))
    return form.with_points(form.points + np.array([x, 0.0, 0.0]))


def pierced(planes: str) -> Mesh:
    """A ball with a hole at +z, through the planes' middle where z is not one of them."""
    ball = cage(planes)
    middle = np.array([0.0, 0.0, 10.0])
    near = np.linalg.norm(face_centres(ball.topology, ball.points) - middle, axis=1) < 6
    return drop_faces(ball, near, keep_unattached=False)[0]


def outline_of_hole(mesh: Mesh) -> Selection:
    """The open edges on no plane."""
    ends = np.abs(mesh.points[mesh.topology.edges]) < 1e-9
    return select_mask("edges", mesh.topology.open_edges & ~ends.all(axis=1).any(axis=1))


@pytest.mark.parametrize("planes", ["x", "xy"])
@pytest.mark.parametrize(
    ("key", "values"),
    [("fill", {"kind": "face"}), ("fill", {"kind": "quads"}), ("fill", {"kind": "triangles"}), ("weave", {})],
)
def test_a_hole_across_the_middle_is_closed_as_that_of_the_whole(planes: str, key: str, values: dict[str, Any]) -> None:
    part = pierced(planes)
    half, full = session_of(part, planes), session_of(mirror(part, planes).mesh)
    half.set_selection(outline_of_hole(part))
    full.set_selection(select_mask("edges", full.part.mesh.topology.open_edges))
    for session in (half, full):
        session.do(key, **values)
    made, meant = half.part.stepped, apart(full.part.mesh, planes)
    assert not made.topology.open_edges.any()
    if values == {"kind": "triangles"}:
        # Where an outline begins decides between triangles that are equally good.
        return
    assert (made.n_points, made.n_faces) == (meant.n_points, meant.n_faces)
    assert cKDTree(made.points).query(meant.points)[0].max() < 1e-9


def test_edges_on_the_planes_are_no_boundary_to_close_and_cannot_be_taken_out() -> None:
    part = pierced("x")
    session = session_of(part, "x")
    # The whole boundary, as a loop along it gives it: with the edges in the middle.
    session.set_selection(select_mask("edges", part.topology.open_edges))
    told = session.do("fill")
    assert "left out" in told and not session.part.stepped.topology.open_edges.any()
    session = session_of(cage("x"), "x")
    rim = np.abs(session.part.mesh.points[:, 0]) < 1e-9
    session.set_selection(Selection("edges", np.flatnonzero(rim[session.part.mesh.topology.edges].all(axis=1))))
    before = session.part.mesh
    with pytest.raises(EditError, match="mirror's plane"):
        session.do("take_out")
    assert session.part.mesh is before


@pytest.mark.parametrize("planes", ["x", "xy", "xyz"])
def test_flats_taken_out_end_at_the_planes(planes: str) -> None:
    part = box((20, 20, 20), (6, 4, 4))
    for plane in planes:
        part = slice_planes(part, NOTHING, plane, (0.0,), "front").mesh
    session = session_of(part, planes)
    session.do("take_out_flats")
    assert session.part.mesh.n_faces == 6 - len(planes)
    assert not session.part.stepped.topology.open_edges.any()


@given(st.data(), st.sampled_from(["x", "xy"]))
def test_taking_out_edges_leaves_the_middle_closed(data: DataObject, planes: str) -> None:
    part = cage(planes)
    flat = np.abs(part.points[part.topology.edges]) < 1e-9
    inner = np.flatnonzero(~flat.all(axis=1).any(axis=1))
    picked = data.draw(st.lists(st.sampled_from(inner.tolist()), min_size=1, max_size=4, unique=True))
    whole = mirror(part, planes)
    half, full = session_of(part, planes), session_of(whole.mesh)
    half.set_selection(Selection("edges", np.array(picked)))
    full.set_selection(select_mask("edges", np.isin(whole.origin.edges, picked)))
    for session in (half, full):
        session.do("take_out")
    made, meant = half.part.stepped, apart(full.part.mesh, planes)
    assert not made.topology.open_edges.any()
    assert (made.n_points, made.n_faces) == (meant.n_points, meant.n_faces)


def test_a_bridge_from_a_group_to_its_image_goes_through_the_plane() -> None:
    session = session_of(block(5.0), "x")
    session.select_where("faces", normal=(-1, 0, 0))
    session.do("bridge")
    part, made = session.part.mesh, session.part.stepped
    assert part.points[:, 0].min() == 0.0 and not made.topology.open_edges.any()
    assert made.topology.euler_number() == 2 and made.n_faces == 18
    # Nothing to span without a mirror: refused as ever.
    alone = session_of(cage(""))
    alone.set_selection(Selection("faces", np.array([0])))
    with pytest.raises(EditError):
        alone.do("bridge")


def test_triangles_on_both_sides_of_the_middle_are_paired_on_their_own_side() -> None:
    ball = cage("x")
    four = Mesh(*_cut_in_triangles(ball))
    session = session_of(four, "x")
    session.do("to_quads")
    made = session.part.stepped
    assert (made.topology.face_sizes == 4).all() and not made.topology.open_edges.any()


def _cut_in_triangles(mesh: Mesh) -> tuple[Topology, Any]:
    ring = mesh.topology.corners.reshape(-1, 4)
    corners = np.stack((ring[:, [0, 1, 2]], ring[:, [0, 2, 3]]), axis=1).reshape(-1)
    return Topology(np.arange(0, len(corners) + 1, 3), corners, mesh.n_points), mesh.points


@pytest.mark.parametrize("there", [(-3.0, 0.3, 12.0), (0.0, 0.3, 12.0)])
def test_a_cut_ends_at_the_plane(there: tuple[float, float, float]) -> None:
    session = session_of(cage("x"), "x")
    before = session.part.mesh.n_points
    session.do("cut", path=[(4, 0.3, 12), there], toward=(0, 0, -1))
    part = session.part.mesh
    new = part.points[before:]
    assert len(new) >= 2 and new[:, 0].min() == 0.0 and part.points[:, 0].min() == 0.0
    assert not session.part.stepped.topology.open_edges.any()


def test_points_welded_onto_another_stay_on_the_planes_they_were_on() -> None:
    part = cage("x")
    rim = np.flatnonzero(np.abs(part.points[:, 0]) < 1e-9)
    edge = part.topology.edges
    one = edge[np.isin(edge, rim).sum(axis=1) == 1][0]
    on, off = (int(one[0]), int(one[1])) if one[0] in rim else (int(one[1]), int(one[0]))
    session = session_of(part, "x")
    session.set_selection(Selection("points", np.array([on])))
    session.do("weld_onto", target=off)
    chosen = session.part.mesh.points[session.selection.indices]
    assert chosen[0, 0] == 0.0 and np.allclose(chosen[0, 1:], part.points[off, 1:])
    assert not session.part.stepped.topology.open_edges.any()


def test_what_is_made_leaves_no_wall_on_the_plane_and_says_what_lies_beyond() -> None:
    session = session_of(block(4.0), "x")
    session.select_where("faces", normal=(-1, 0, 0))
    told = session.do("array", count=2, move=(-2, 0, 0))
    assert "beyond" not in told
    # The copy of the side lies on the plane: it would be a wall in the middle.
    walls = np.abs(session.part.mesh.points[:, 0]) < 1e-9
    topology = session.part.mesh.topology
    assert not np.logical_and.reduceat(walls[topology.corners], topology.face_offsets[:-1]).any() if walls.any() else 1
    told = session.do("array", count=2, move=(-5, 0, 0))
    assert "beyond the mirror's plane" in told and "clip" in told
    session.do("clip")
    assert session.part.mesh.points[:, 0].min() >= 0.0
    with pytest.raises(EditError, match="Nothing"):
        session.do("clip")


def test_a_direction_across_the_plane_is_lost_to_points_on_it() -> None:
    session = session_of(cage("x"), "x")
    part = session.part.mesh
    rim = np.abs(part.points[:, 0]) < 1e-9
    beside = np.flatnonzero(np.logical_or.reduceat(rim[part.topology.corners], part.topology.face_offsets[:-1]))
    session.set_selection(Selection("faces", beside[:2]))
    session.do("extrude", distance=2.0, direction=(0.6, 0, 0.8))
    made = session.part.stepped
    assert session.part.mesh.points[:, 0].min() == 0.0
    assert not made.topology.open_edges.any() and (made.topology.edge_face_count == 2).all()


@pytest.mark.parametrize("kind", ["union", "subtract", "intersect"])
@pytest.mark.parametrize("x", [0.0, 1.0, 6.0])
def test_a_boolean_of_a_half_is_that_of_the_whole(kind: str, x: float) -> None:
    made = []
    for planes in ("x", ""):
        session = session_of(cage("x") if planes else mirror(cage("x"), "x").mesh, planes)
        session.do("add_box", size=(5, 5, 30), at=(x, 0, 0), name="cutter")
        if not planes and x:
            session.do("add_box", size=(5, 5, 30), at=(-x, 0, 0), name="image")
            if x < 2.5:
                session.do("boolean", kind="union", other="cutter")
            else:
                session.do("combine", parts=["image", "cutter"])
        cutter = session.part.name
        session.set_active("ball")
        session.do("boolean", kind=kind, other=cutter)
        made.append(session.part.stepped)
    assert not made[0].topology.open_edges.any()
    sizes = [signed_volume(mesh) for mesh in made]
    # Bent polygons have the volume of the triangles that they are cut into, and the plane cuts them otherwise.
    assert sizes[0] == pytest.approx(sizes[1], rel=1e-3)


def test_symmetry_across_another_plane_guards_the_middle_too() -> None:
    session = session_of(cage("x"), "x")
    session.do("set_symmetry", axis="y")
    part = session.part.mesh
    centres = face_centres(part.topology, part.points)
    beside = np.logical_or.reduceat(
        np.abs(part.points[part.topology.corners, 0]) < 1e-9, part.topology.face_offsets[:-1]
    )
    session.set_selection(Selection("faces", np.flatnonzero(beside & (centres[:, 1] > 3))[:1]))
    session.do("inset", width=0.6)
    made = session.part.stepped
    assert not made.topology.open_edges.any()
    assert cKDTree(made.points).query(made.points * (1, -1, 1))[0].max() < 1e-9
    flat = np.abs(session.part.mesh.points[:, 0]) == 0
    topology = session.part.mesh.topology
    assert not np.logical_and.reduceat(flat[topology.corners], topology.face_offsets[:-1]).any()


@pytest.mark.parametrize("planes", ["x", "y", "xy"])
@pytest.mark.parametrize("chosen", ["nothing", "its middle loop"])
@pytest.mark.parametrize("values", [{"diameter": 40.0}, {"size": (40.0, 40.0, 60.0)}, {"through": "points"}])
def test_a_mirrored_part_has_its_true_size_as_a_whole(planes: str, chosen: str, values: dict[str, Any]) -> None:
    session = Session.new()
    session.do("add_cylinder", diameter=38, height=60, sides=16, cells=6, caps="open")
    for axis in planes:
        corners = np.array([[-100.0] * 3, [100.0] * 3])
        corners[1, "xyz".index(axis)] = 1e-6
        session.select_where("faces", box=tuple(map(tuple, corners.tolist())))
        session.do("delete")
    session.add_step("mirror", planes=planes)
    session.select_none()
    if chosen != "nothing":
        session.select_where("edges", plane="z")
    before = session.part.mesh
    session.do("true_size", **values)
    after = session.part.mesh
    assert after.n_points == before.n_points and after.n_faces == before.n_faces
    on = [np.abs(before.points[:, "xyz".index(axis)]) < 1e-6 for axis in planes]
    assert all(np.abs(after.points[one, "xyz".index(axis)]).max() < 1e-9 for one, axis in zip(on, planes, strict=True))
    smooth = session.part.result(4, True).points
    across = 2 * np.hypot(*smooth[np.abs(smooth[:, 2]) < 1e-6, :2].T)
    wanted = 38.0 if "through" in values else 40.0
    assert across.mean() == pytest.approx(wanted, rel=2e-3) and np.ptp(across) < 0.02 * wanted
