"""Flow: caps that let loops come back, bends that keep their pivot, open pieces with an outside, wires as parts."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.edit.clean.simple import delete
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import cylinder, disc, plane, quad_sphere
from levelloop.core.mesh.faces import face_areas, face_centres, face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.recipe.shaping import bend
from levelloop.document.document import new_part
from levelloop.document.session import Session


def longest_face_loop(mesh: Mesh, first: int, sides: int) -> int:
    """The most faces that a face loop over an edge of a ring of points goes over before it comes back."""
    labels = mesh.topology.ring_label
    both = np.minimum(labels[0::2], labels[1::2])
    around = first + np.arange(sides)
    edges = mesh.topology.find_edges(np.stack((around, np.roll(around, -1)), axis=1))
    return int(np.bincount(both)[both[edges]].max())


CAPPED = {
    "cylinder": lambda session, n, turn: session.do("add_cylinder", sides=n, caps="quads", turn=turn),
    "cone": lambda session, n, turn: session.do("add_cone", sides=n, caps="quads", bottom=20, top=3, turn=turn),
    "two fills": lambda session, n, turn: [
        session.do("add_cylinder", sides=n, caps="open", turn=turn),
        session.do("select_boundary"),
        session.do("fill", kind="quads"),
    ],
    "one fill after the other": lambda session, n, turn: [
        session.do("add_cone", sides=n, caps="open", bottom=4, top=20, turn=turn),
        session.select(edges=[(0, 1)]),
        session.do("select_boundary"),
        session.do("fill", kind="quads", turn=turn // 10),
        session.select_where("edges", open=True),
        session.do("fill", kind="quads"),
    ],
}


@pytest.mark.parametrize("kind", list(CAPPED))
@pytest.mark.parametrize("sides", [4, 6, 8, 10, 12, 14, 16, 18, 22, 24, 28, 30])
def test_loops_over_both_caps_come_back_after_the_fewest_faces(kind: str, sides: int) -> None:
    for turn in (0, 17):
        session = Session.new()
        CAPPED[kind](session, sides, turn)
        mesh = session.part.mesh
        # Over one cap, down the wall, over the other and up: each cap is across at most half of its sides less one.
        wider = sides // 2 - sides // 4
        assert longest_face_loop(mesh, 0, sides) == 2 * wider + 2, (kind, sides, turn)
        assert not mesh.topology.open_edges.any() and (mesh.topology.face_sizes == 4).all()


@pytest.mark.parametrize("sides", [4, 6, 8, 16, 22])
def test_swept_pipes_have_caps_that_match(sides: int) -> None:
    session = Session.new()
    session.do("add_curve", points=((0, 0, 0), (20, 0, 5), (30, 20, 9)), radii=(2.0, 1.0, 3.0), kind="smooth")
    session.do("sweep", sides=sides, steps=3, caps="quads")
    # Over both caps and twice along the pipe, which has six rows.
    wider = sides // 2 - sides // 4
    assert longest_face_loop(session.part.mesh, 3, sides) == 2 * wider + 2 * 6


def test_a_loop_over_a_sixteen_sided_cap_adds_ten_faces() -> None:
    mesh = cylinder(20, 20, 16, 1, "quads")
    edge = mesh.topology.find_edges([[0, 1]])
    assert (mesh.n_faces, run_loop(mesh, Selection("edges", edge)).mesh.n_faces) == (48, 58)


# Bends


@some(80)
@given(
    st.floats(-360, 360),
    st.sampled_from("xyz"),
    st.sampled_from("xyz"),
    st.tuples(st.floats(-40, 40), st.floats(0.5, 60)),
    st.tuples(st.floats(-30, 30), st.floats(-30, 30), st.floats(-30, 30)),
)
def test_what_lies_at_the_pivot_of_a_bend_stays(
    angle: float, along: str, around: str, span: tuple[float, float], pivot: tuple[float, float, float]
) -> None:
    if along == around or abs(angle) < 1e-3:
        return
    low, high = span[0], span[0] + span[1]
    step = np.eye(3)["xyz".index(along)] * 1e-4
    grid = plane((4, 4), (3, 3)).points
    points = np.concatenate((grid, [pivot, np.add(pivot, step)]))
    mesh = Mesh(cylinder(1, 1, len(points) - 0, 1, "open").topology, np.tile(points, (2, 1)))
    edit = bend(mesh, angle, along, around, pivot, (low, high))
    number = len(grid)
    # A straight piece stays as it is; inside the limits the pivot's own place is the only one that must.
    assert np.allclose(edit.mesh.points[number], pivot, atol=1e-7)
    if not low - 1e-3 < 0 < high:
        assert np.allclose(edit.mesh.points[number + 1], np.add(pivot, step), atol=1e-7)


def test_bends_with_limits_keep_lengths_and_the_far_side_goes_on_straight() -> None:
    line = Mesh(cylinder(1, 1, 16, 1, "open").topology, np.column_stack((np.linspace(-10, 21, 32), np.zeros((32, 2)))))
    edit = bend(line, 90, "x", "z", (0, 0, 0), (10.0, 20.0))
    assert np.allclose(edit.mesh.points[line.points[:, 0] <= 10], line.points[line.points[:, 0] <= 10])
    assert np.allclose(edit.mesh.points[-1], [10 + 20 / np.pi, 20 / np.pi + 1, 0], atol=1e-9)


# Facing


OPEN = {
    "tube": lambda: cylinder(20, 20, 16, 2, "open"),
    "short tube": lambda: cylinder(20, 4, 16, 1, "open"),
    "bowl": lambda: half(quad_sphere(20, 4)),
}


def half(mesh: Mesh) -> Mesh:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20, cells=4)
    session.do("slice", plane="z", keep="front")
    return session.part.mesh


@pytest.mark.parametrize("name", list(OPEN))
@pytest.mark.parametrize("far", [0.0, 1e4])
def test_open_pieces_that_enclose_something_face_outward(name: str, far: float) -> None:
    session = Session.new()
    mesh = OPEN[name]()
    document = session.document.with_part(new_part(session.document, mesh, "piece"))
    session.apply(document, "Open piece")
    session.do("move", by=(far, far, 0))
    assert "already" in session.do("face_outward")
    session.do("flip")
    found = [finding for finding in session.review() if finding.check == "flipped"]
    assert found and found[0].count == mesh.n_faces
    told = session.do("face_outward")
    assert f"{mesh.n_faces} faces were turned" in told
    points, topology = session.part.mesh.points - (far, far, 0), session.part.mesh.topology
    away = points[topology.corners[topology.face_offsets[:-1]]] * ((1, 1, 0) if name != "bowl" else (1, 1, 1))
    assert (np.einsum("ij,ij->i", face_normals(topology, points), away) > 0).all()
    assert not [finding for finding in session.review() if finding.check == "flipped"]


def test_a_sheet_has_no_outside_and_that_is_said() -> None:
    session = Session.new()
    session.do("add_plane", cells=(3, 3))
    session.do("flip")
    assert "no outside" in session.do("face_outward")
    assert not [finding for finding in session.review() if finding.check == "flipped"]
    session.select(faces=[4])
    session.do("flip")
    assert [finding.count for finding in session.review() if finding.check == "flipped"] == [1]
    session.select_none()
    assert "1 face was turned" in session.do("face_outward")


# Wires


def ring(at: tuple[float, float, float] = (10, 0, 0), axis: str = "y") -> Session:
    session = Session.new()
    session.do("add_disc", diameter=4, sides=8, fill="open", at=at, axis=axis)
    return session


def test_an_open_disc_is_a_closed_wire() -> None:
    mesh = disc(20, 12, "open")
    assert (mesh.n_points, mesh.n_edges, mesh.n_faces) == (12, 12, 0)
    assert (mesh.topology.valence == 2).all()


WIRES: dict[str, tuple[Any, ...]] = {
    "extrude": ("edges", {"distance": 3}, lambda mesh: mesh.n_faces == 8),
    "revolve": ("edges", {"steps": 12}, lambda mesh: mesh.n_faces == 96 and mesh.topology.euler_number() == 0),
    "helix": ("edges", {"pitch": 5, "turns": 2, "steps": 12}, lambda mesh: mesh.n_faces == 8 * 24),
    "sweep": ("edges", {"curve": "way"}, lambda mesh: mesh.n_faces > 8),
    "array": (
        "edges",
        {"count": 4, "rotate": 90},
        lambda mesh: (mesh.n_points, mesh.n_edges, mesh.n_faces) == (32, 32, 0),
    ),
    "mirror_across": ("edges", {"plane": "x"}, lambda mesh: (mesh.n_points, mesh.n_edges) == (16, 16)),
    "slice": ("all", {"plane": ((0, 0, 0.3), "z")}, lambda mesh: mesh.n_points == 10),
    "weld": ("points", {"distance": 0.001}, lambda mesh: mesh.n_edges == 8),
    "bevel": (None, {}, None),
}


@pytest.mark.parametrize("key", [key for key in WIRES if key != "bevel"])
def test_wires_can_be(key: str) -> None:
    kind, parameters, holds = WIRES[key]
    session = ring()
    if key == "sweep":
        session.do("add_curve", points=((10, 0, 0), (10, 20, 0), (20, 40, 0)), name="way")
        session.set_active("disc")
    if kind in ("edges", "points"):
        session.select_all(kind)
    session.do(key, **parameters)
    assert holds(session.part.mesh)
    if key in ("array", "mirror_across"):
        again = ring()
        again.do(key, **parameters)
        assert holds(again.part.mesh)
        assert (again.part.mesh.topology.valence == 2).all()


def test_arrays_and_mirrors_of_wires_weld_and_are_steps_too() -> None:
    session = Session.new()
    session.do("add_line", points=((0, 0, 0), (0, 5, 0), (5, 5, 0)))
    session.add_step("mirror", planes="x")
    assert (session.part.stepped.n_points, session.part.stepped.n_edges) == (4, 3)
    session.add_step("array", count=3, move=(0, 0, 4))
    assert session.part.stepped.n_edges == 9
    session.do("bake_steps")
    session.select_all("edges")
    session.do("extrude", distance=1, direction=(0, 0, 1))
    assert session.part.mesh.n_faces == 9
    line = Session.new()
    line.do("add_line", points=((0, 0, 0), (4, 0, 0)))
    line.do("array", count=3, move=(4, 0, 0), weld=0.001)
    assert (line.part.mesh.n_points, line.part.mesh.n_edges) == (4, 3)
    cut = Session.new()
    cut.do("add_line", points=((-3, 0, 0), (5, 0, 0)))
    cut.do("slice", plane="x", offsets=(0, 1, 2), keep="front")
    assert sorted(cut.part.mesh.points[:, 0].tolist()) == [2, 5]
    both = Session.new()
    both.do("add_line", points=((1, 0, 0), (2, 0, 0)), name="a")
    both.do("add_line", points=((2, 0, 0), (3, 0, 0)), name="b")
    both.do("combine", weld=0.001)
    assert (both.part.mesh.n_points, both.part.mesh.n_edges) == (3, 2)


def test_slices_may_follow_each_other() -> None:
    session = Session.new()
    session.do("add_box", size=(10, 10, 10))
    for axis in "xyz":
        session.do("slice", plane=axis)
        assert session.selection.kind == "edges" and len(session.selection)
    assert session.part.mesh.n_faces == 24


def test_selections_of_another_kind_serve_where_that_is_plain() -> None:
    session = Session.new()
    session.do("add_box", size=(10, 10, 10), cells=(2, 2, 2))
    session.select_all("points")
    assert "24 faces" in session.do("array", count=2, move=(30, 0, 0))
    session.select_where("points", plane=((0, 0, 5), "z"))
    told = session.do("inset", width=1)
    assert "8 faces of the selected points" in told
    session.select(edges=[(0, 1)])
    with pytest.raises(EditError, match="no whole face"):
        session.do("inset", width=1)
    session.select_where("faces", normal="z")
    session.do("weld", distance=0.001)


def test_extrusions_by_rims_say_rims() -> None:
    session = Session.new()
    session.do("add_box")
    session.select_where("faces", normal="z")
    told = session.do("extrude", distance=5, rims=((1, -1), (2, 0)))
    assert "rims" in told and "5 mm" not in told and "steps" not in told


def test_the_gauge_says_nothing_it_does_not_know() -> None:
    from levelloop.core.measure.gauge import loop_gauge

    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(4, 4, 4))
    mesh = session.part.mesh
    ends = mesh.points[mesh.topology.edges]
    corner = np.flatnonzero(
        (np.abs(ends[:, :, 0] - 10) < 1e-9).all(axis=1) & (np.abs(ends[:, :, 2] - 10) < 1e-9).all(axis=1)
    )
    assert loop_gauge(mesh, int(corner[0])).radius is not None
    session.select(edges=mesh.topology.edges[corner].tolist())
    session.do("crease", weight=3)
    gauge = loop_gauge(session.part.mesh, int(corner[0]))
    assert gauge.radius is None and gauge.crease == (3.0, 3.0)


def test_taking_out_says_what_is_left() -> None:
    session = Session.new()
    session.do("add_plane", cells=(4, 4))
    mesh = session.part.mesh
    inner = np.flatnonzero(~mesh.topology.open_edges)[:1]
    session.select(edges=mesh.topology.edges[inner].tolist())
    assert "6 sides" in session.do("take_out", two_edge_points=False) or "n-gon" in session.state.message


def test_flattened_faces_lie_flat_each_group_on_its_own() -> None:
    chance = np.random.default_rng(0)
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(4, 4, 4))
    mesh = session.part.mesh
    moved = mesh.with_points(mesh.points + chance.normal(size=mesh.points.shape) * 0.3)
    from levelloop.core.edit.move.fit_points import flatten
    from levelloop.core.mesh.faces import flatness

    top = np.flatnonzero(face_normals(mesh.topology, mesh.points)[:, 2] > 0.9)[:2]
    side = np.flatnonzero(face_normals(mesh.topology, mesh.points)[:, 0] > 0.9)[-3:-1]
    edit = flatten(moved, Selection("faces", np.concatenate((top, side))))
    assert flatness(mesh.topology, edit.mesh.points)[np.concatenate((top, side))].max() < 1e-9
    assert (
        abs(
            face_normals(mesh.topology, edit.mesh.points)[top[0]]
            @ face_normals(mesh.topology, edit.mesh.points)[side[0]]
        )
        < 0.3
    )
    assert face_areas(mesh.topology, edit.mesh.points).min() > 1


def test_a_symmetric_slice_beside_the_plane_cuts_both_sides() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20))
    session.do("set_symmetry", axis="x")
    session.select_where("faces", normal="z")
    session.do("slice", plane=((3, 0, 0), "x"))
    x = np.unique(np.round(session.part.mesh.points[:, 0], 9))
    assert x.tolist() == [-10, -3, 3, 10]


def test_nothing_is_selected_is_all() -> None:
    assert len(NOTHING) == 0


def test_a_following_loop_keeps_its_curvature_beside_a_hole() -> None:
    ball = quad_sphere(20, 8)
    middle = int(np.argmax(face_centres(ball.topology, ball.points)[:, 2]))
    torn = delete(ball, Selection("faces", np.array([middle]))).mesh
    rim = np.flatnonzero(torn.topology.open_edges)
    for edge in rim.tolist():
        one = Selection("edges", np.array([edge]))
        off = [
            np.abs(np.linalg.norm(run_loop(torn, one, follow=share).mesh.points, axis=1) - 10) for share in (0.0, 1.0)
        ]
        # Straight, middles of edges lie inside the ball; following, on it; at the rim one side only tells the turn.
        assert off[1].max() < 0.5 * off[0].max()


def test_a_mirror_step_says_what_stands_off_its_plane() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(2, 2, 2))
    session.do("slice", plane="x", keep="back")
    session.select_where("points", near=(0, 10, 10))
    session.do("move", by=(-0.4, 0, 0))
    session.select_none()
    said = session.add_step("mirror")
    assert "1 point at the rim stands off the plane, by up to 0.4 mm" in said
    session.select_where("points", plane="x", within_distance=0.5)
    session.do("to_plane", axis="x", within=0.5)
    assert not session.part.stepped.topology.open_edges.any()
