"""Walking, growing and converting selections; conditions; how selections and tags follow edits."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import CAGES
from examples import some
from hypothesis import HealthCheck, given
from hypothesis import strategies as st

from levelloop.core.arrays import mask_of, ranges, sum_by
from levelloop.core.edit.build.extrude import extrude
from levelloop.core.edit.clean.simple import delete
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane
from levelloop.core.geometry.offset import meet_planes
from levelloop.core.geometry.planes import as_direction, as_plane, axis_turn
from levelloop.core.mesh.faces import (
    edge_folds,
    face_areas,
    flatness,
    signed_volume,
    triangles,
)
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.origins import mapped
from levelloop.core.mesh.selection import (
    NOTHING,
    Kind,
    Selection,
    combine,
    convert,
    describe_runs,
    grow,
    invert,
    outline,
    select,
    select_all,
    select_boundary,
    select_connected,
    select_loop,
    select_ring,
    shrink,
)
from levelloop.core.select.where import select_where

GRID = plane((6, 6), (6, 6))


def names(selection: Selection) -> list[int]:
    return sorted(selection.indices.tolist())


# Walking


def test_a_loop_goes_on_through_regular_points_only() -> None:
    cube = box((4, 4, 4), (4, 4, 4))
    middle = next(
        i for i, edge in enumerate(cube.topology.edges) if np.allclose(cube.points[edge][:, 2], 0)
        and np.allclose(cube.points[edge][:, 1], -2)
    )  # fmt: skip
    around = select_loop(cube.topology, Selection("edges", np.array([middle])))
    assert len(around) == 16 and describe_runs(cube, around) == "1 closed loop"
    rim = cube.topology.find_edges([[int(np.argmin(cube.points @ [1, 1, 1])), 1]])
    along_rim = select_loop(cube.topology, Selection("edges", rim))
    # Two of its ends are the cube's corners: 3-poles, where no loop goes on.
    assert len(along_rim) == 4 and describe_runs(cube, along_rim) == "1 open run"


def test_a_ring_crosses_quads_only() -> None:
    drum = cylinder(4, 4, 8, 3, "triangles")
    upright = drum.topology.find_edges([[0, 8]])
    assert len(select_ring(drum.topology, Selection("edges", upright))) == 8
    level = drum.topology.find_edges([[8, 9]])
    assert len(select_ring(drum.topology, Selection("edges", level))) == 4
    spoke = select_ring(drum.topology, select(drum.topology, "edges", [[0, drum.n_points - 1]]))
    assert len(spoke) == 1


def test_loops_and_rings_refuse_what_gives_no_direction() -> None:
    with pytest.raises(EditError, match="starts from an edge"):
        select_ring(GRID.topology, select(GRID.topology, "points", [3]))
    with pytest.raises(EditError, match="two neighbouring faces"):
        select_loop(GRID.topology, select(GRID.topology, "faces", [3, 20]))
    with pytest.raises(EditError, match="Nothing is selected"):
        grow(GRID.topology, NOTHING)
    with pytest.raises(EditError, match="it has no boundary"):
        select_boundary(box().topology, NOTHING)


def test_growing_and_shrinking_undo_each_other_inside() -> None:
    for kind, first in (("points", [24]), ("faces", [14, 15]), ("edges", [30])):
        start = Selection(kind, np.array(first))  # type: ignore[arg-type]
        bigger = grow(GRID.topology, start)
        assert len(bigger) > len(start)
        assert set(names(start)) <= set(names(shrink(GRID.topology, bigger)))
    assert len(grow(GRID.topology, select(GRID.topology, "faces", [14]))) == 9
    assert len(grow(GRID.topology, select(GRID.topology, "points", [24]))) == 5


def test_connected_boundary_outline_invert() -> None:
    both = CAGES["two shells"]
    one = select_connected(both.topology, select(both.topology, "faces", [0]))
    assert names(one) == list(range(6))
    assert len(invert(both.topology, one)) == both.n_faces - 6
    block = select(GRID.topology, "faces", [14, 15, 20, 21])
    assert len(outline(GRID.topology, block)) == 8
    holed = delete(GRID, block).mesh
    hole = int(np.flatnonzero(holed.topology.open_points & (np.abs(holed.points).max(axis=1) < 2))[0])
    assert len(select_boundary(holed.topology, Selection("points", np.array([hole])))) == 8
    assert len(select_boundary(holed.topology, NOTHING)) == 8 + 24


def test_converting_between_kinds() -> None:
    face = select(GRID.topology, "faces", [14])
    assert len(convert(GRID.topology, face, "points")) == len(convert(GRID.topology, face, "edges")) == 4
    back = convert(GRID.topology, convert(GRID.topology, face, "points"), "faces")
    assert names(back) == [14]
    assert convert(GRID.topology, face, "faces") is face


def test_adding_and_removing() -> None:
    first, second = select(GRID.topology, "faces", [3, 1]), select(GRID.topology, "faces", [1, 7])
    assert combine(first, second, add=True).indices.tolist() == [3, 1, 7]
    assert combine(first, second, remove=True).indices.tolist() == [3]
    assert combine(first, second).indices.tolist() == [1, 7]
    points = select(GRID.topology, "points", [0])
    assert combine(first, points, add=True) is points and combine(first, points, remove=True) is first
    with pytest.raises(EditError, match="not both"):
        combine(first, second, add=True, remove=True)


def test_edges_keep_the_direction_they_were_picked_in() -> None:
    picked = select(GRID.topology, "edges", [[1, 0], [0, 7]])
    assert picked.backwards is not None and picked.backwards.tolist() == [True, False]
    more = combine(picked, select(GRID.topology, "edges", [[9, 8]]), add=True)
    assert more.backwards is not None and more.backwards.tolist() == [True, False, True]
    less = combine(more, select(GRID.topology, "edges", [[0, 1]]), remove=True)
    assert less.backwards is not None and less.backwards.tolist() == [False, True]


# Conditions


@pytest.mark.parametrize(
    ("kind", "conditions", "count"),
    [
        ("faces", {"sides": 4}, 36), ("faces", {"sides": ">4"}, 0), ("faces", {"open": True}, 20),
        ("faces", {"open": False}, 16), ("points", {"open": True}, 24), ("points", {"valence": "<4"}, 24),
        ("points", {"valence": 2}, 4), ("edges", {"open": True}, 24), ("edges", {"along": "x"}, 42),
        ("edges", {"along": (1, 1, 0)}, 0), ("edges", {"along": (1, 0.01, 0), "within": 2}, 42),
        ("edges", {"plane": "x"}, 6), ("points", {"plane": ((0, 0, 0), (0, 1, 0))}, 7),
        ("points", {"plane": "y", "within_distance": 1.0}, 21), ("faces", {"normal": "z"}, 36),
        ("faces", {"normal": "-z"}, 0), ("faces", {"box": ((-3, -3, -1), (0, 0, 1))}, 9),
        ("edges", {"angle_over": 1}, 0), ("faces", {"flatness_over": 0.001}, 0), ("edges", {"crease_over": 0}, 0),
        ("faces", {"material": "brass"}, 0), ("points", {"normal": "z", "open": True}, 24),
    ],
)  # fmt: skip
def test_conditions_on_a_grid(kind: Kind, conditions: dict[str, object], count: int) -> None:
    assert len(select_where(GRID, kind, **conditions)) == count


@pytest.mark.parametrize(
    ("kind", "conditions", "sentence"),
    [
        ("faces", {"valence": 3}, "Faces have no property"), ("corners", {"sides": 3}, 'no "corners"'),
        ("faces", {"sides": "many"}, "comparison"), ("faces", {"sides": 3.5}, "whole number"),
        ("faces", {"normal": "up"}, "no axis"), ("points", {"plane": 3}, "plane is"),
        ("points", {"box": 3}, "no value"),
        ("faces", {"normal": (0, 0, 0)}, "length other than zero"), ("edges", {"crease_over": "x"}, "no value"),
        ("points", {"plane": ((0, 0), "z")}, "three numbers"),
    ],
)  # fmt: skip
def test_conditions_that_do_not_fit(kind: Kind, conditions: dict[str, object], sentence: str) -> None:
    with pytest.raises(EditError, match=sentence):
        select_where(GRID, kind, **conditions)


def test_axes_and_planes() -> None:
    assert as_direction("-y").tolist() == [0, -1, 0] or np.allclose(as_direction("-y"), [0, -1, 0])
    assert as_direction((3, 0, 4)) == pytest.approx([0.6, 0, 0.8])
    assert as_plane("z")[1].tolist() == [0, 0, 1]
    for axis in ("x", "y", "z", "-x", (1, 2, 3)):
        turn = axis_turn(axis, 37)
        assert np.allclose(turn @ turn.T, np.eye(3)) and np.linalg.det(turn) == pytest.approx(1)
        assert turn[:, 2] == pytest.approx(as_direction(axis))


# Following edits


def test_selections_follow_their_elements_through_an_edit() -> None:
    cube = box((2, 2, 2))
    chosen = select(cube.topology, "faces", [5, 1])
    edit = extrude(cube, select(cube.topology, "faces", [1]), 1)
    followed = mapped(chosen, edit.origin)
    assert followed.indices.tolist()[:1] == [5] and 1 in followed.indices
    loops = run_loop(cube, select(cube.topology, "edges", [[0, 1]]), count=2)
    edge = mapped(select(cube.topology, "edges", [[1, 0]]), loops.origin)
    assert len(edge) == 3 and edge.backwards is not None and edge.backwards.all()


@some(40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    planes=st.lists(
        st.tuples(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda n: np.linalg.norm(n) > 0.3), st.floats(-2, 2)),
        min_size=1, max_size=3,
    )
)  # fmt: skip
def test_planes_meet_where_they_can(planes: list[tuple[tuple[float, float, float], float]]) -> None:
    normals = np.array([n for n, _ in planes])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    wanted = np.array([d for _, d in planes])
    if np.linalg.svd(normals)[1].min() < 0.35:
        return  # nearly parallel: there the exact answer runs away and is cut
    move = meet_planes(normals, wanted, np.zeros(len(planes), dtype=np.int64), 1)[0]
    assert normals @ move == pytest.approx(wanted, abs=1e-9)
    # The shortest such move lies in the span of the normals.
    span = np.linalg.lstsq(normals.T, move, rcond=None)[0]
    assert normals.T @ span == pytest.approx(move, abs=1e-9)


# Measures


def test_concave_faces_are_cut_inside_themselves() -> None:
    shape = [[0, 0, 0], [4, 0, 0], [4, 4, 0], [2, 1, 0], [0, 4, 0]]
    arrow = mesh_of_faces(shape, [[0, 1, 2, 3, 4]])
    corner, face = triangles(arrow.topology, arrow.points)
    sizes = face_areas(*_as_mesh(arrow, corner))
    assert sizes.sum() == pytest.approx(face_areas(arrow.topology, arrow.points)[0])
    assert face.tolist() == [0, 0, 0]
    dart = mesh_of_faces([[0, 0, 0], [2, 2, 0], [0, 1, 0], [-2, 2, 0]], [[0, 1, 2, 3]])
    corner, _ = triangles(dart.topology, dart.points)
    assert face_areas(*_as_mesh(dart, corner)).sum() == pytest.approx(2)
    turned = dart.with_points(dart.points[:, [1, 2, 0]])
    corner, _ = triangles(turned.topology, turned.points)
    assert face_areas(*_as_mesh(turned, corner)).sum() == pytest.approx(2)


def _as_mesh(mesh: Mesh, corner: np.ndarray) -> tuple[object, np.ndarray]:
    return mesh_of_faces(mesh.points, corner.tolist()).topology, mesh.points


def test_quads_split_along_their_shorter_diagonal() -> None:
    kite = mesh_of_faces([[0, -3, 0], [1, 0, 0], [0, 3, 0], [-1, 0, 0]], [[0, 1, 2, 3]])
    corner, _ = triangles(kite.topology, kite.points)
    assert all({1, 3} <= set(triangle) for triangle in corner.tolist())


def test_volume_far_from_the_origin_keeps_its_digits() -> None:
    cube = box((2, 2, 2))
    assert signed_volume(cube.with_points(cube.points + 1e6)) == pytest.approx(8, rel=1e-9)


def test_folds_and_flatness() -> None:
    cube = box((2, 2, 2))
    assert edge_folds(cube.topology, cube.points) == pytest.approx([90] * 12)
    twisted = mesh_of_faces([[0, 0, 0], [2, 0, 0], [2, 2, 1], [0, 2, 0]], [[0, 1, 2, 3]])
    assert flatness(twisted.topology, twisted.points)[0] > 0.4
    assert flatness(cube.topology, cube.points) == pytest.approx([0] * 6, abs=1e-12)


def test_array_helpers() -> None:
    assert ranges(np.array([5, 0, 9]), np.array([2, 0, 1])).tolist() == [5, 6, 9]
    assert mask_of(np.array([1]), 3).tolist() == [False, True, False]
    assert sum_by(np.array([0, 1, 0]), np.array([[1.0, 2], [3, 4], [5, 6]]), 3).tolist() == [[6, 8], [3, 4], [0, 0]]
    assert select_all(GRID.topology, "points").mask(GRID.topology).all()
