"""Polygons cut into quads: nothing lost, nothing concave, nothing silent, and alike where the polygon is."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.arrays import Floats
from levelloop.core.edit.clean.quadding import CLEAR, LARGEST, corner_quality, quads_of
from levelloop.core.edit.clean.to_quads import to_quads
from levelloop.core.geometry.plane_figures import area
from levelloop.core.mesh.faces import face_areas
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import NOTHING


def polygon(radii: list[float], squeeze: float = 1.0) -> Floats:
    """A star-shaped polygon: a corner in each of even directions."""
    angle = 2.0 * np.pi * np.arange(len(radii)) / len(radii)
    return np.asarray(np.array(radii)[:, None] * np.stack((np.cos(angle), squeeze * np.sin(angle)), axis=1))


def as_mesh(places: Floats) -> Mesh:
    return mesh_of_faces(np.column_stack((places, np.zeros(len(places)))), [list(range(len(places)))])


radii = st.integers(5, 24).flatmap(lambda count: st.lists(st.floats(1, 6), min_size=count, max_size=count))


@given(radii)
def test_nothing_is_lost_and_what_is_cut_off_is_convex(radii: list[float]) -> None:
    places = polygon(radii)
    pieces = quads_of(places)
    assert sum(area(places[piece]) for piece in pieces) == pytest.approx(area(places))
    assert sum(len(piece) - 2 for piece in pieces) == len(places) - 2
    for piece in pieces:
        assert area(places[piece]) > 0
        if len(piece) == 4 and len(pieces) > 1:
            assert corner_quality(places[[piece]])[0] > CLEAR


@given(st.integers(5, 60), st.floats(0.4, 1.0))
def test_convex_polygons_become_quads_and_odd_ones_leave_a_triangle(count: int, squeeze: float) -> None:
    sizes = sorted(len(piece) for piece in quads_of(polygon([10.0] * count, squeeze)))
    if count <= LARGEST and squeeze > 0.6:
        assert set(sizes) <= {3, 4} and sizes.count(3) == count % 2
    assert sum(size - 2 for size in sizes) == count - 2


@given(
    st.integers(2, 9).flatmap(lambda half: st.lists(st.floats(2, 5), min_size=half + 1, max_size=half + 1)),
    st.booleans(),
    st.integers(0, 17),
)
def test_what_is_alike_on_both_sides_is_cut_alike(half: list[float], through_corner: bool, turn: int) -> None:
    radii = [*half, *half[-2:0:-1]] if through_corner else [*half, *half[::-1]]
    if len(radii) < 5:
        return
    count = len(radii)
    places = polygon(radii)
    if not through_corner:
        # The line lies between two corners.
        angle = 2.0 * np.pi * (np.arange(count) + 0.5) / count
        places = np.array(radii)[:, None] * np.stack((np.cos(angle), np.sin(angle)), axis=1)
    # An uneven way is taken only where no even one is as good: convex polygons always have one.
    assert is_cut_alike(np.roll(places, turn, axis=0)) or not is_convex(places)


def is_cut_alike(places: Floats) -> bool:
    """Whether the pieces are their own image in one of the lines that the polygon is its own image in."""
    count = len(places)
    pieces = {tuple(sorted(piece.tolist())) for piece in quads_of(places)}
    far = np.linalg.norm(places[:, None] - places, axis=2)
    ways = [(axis - np.arange(count)) % count for axis in range(count)]
    twins = [twin for twin in ways if np.allclose(far[twin][:, twin], far)]
    assert twins
    return any({tuple(sorted(twin[list(piece)].tolist())) for piece in pieces} == pieces for twin in twins)


def is_convex(places: Floats) -> bool:
    """Whether it turns the same way at each corner, and clearly: what is nearly straight makes no corner of a quad."""
    ahead, behind = np.roll(places, -1, axis=0) - places, places - np.roll(places, 1, axis=0)
    turn = behind[:, 0] * ahead[:, 1] - behind[:, 1] * ahead[:, 0]
    return bool((np.arctan2(turn, (ahead * behind).sum(axis=1)) > 2 * CLEAR * np.pi / 2).all())


@pytest.mark.parametrize("through_corner", [True, False])
@pytest.mark.parametrize("half", [3, 5, 8, 10])
def test_convex_polygons_that_are_alike_on_both_sides_are_cut_alike(half: int, through_corner: bool) -> None:
    radii = [10.0 + 0.5 * n / half for n in range(half + 1)]
    angle = 2.0 * np.pi * (np.arange(len(radii) * 2 - 2 * through_corner) + 0.5 * (not through_corner))
    angle /= len(angle)
    radii += radii[-2:0:-1] if through_corner else radii[::-1]
    places = np.array(radii)[:, None] * np.stack((np.cos(angle), np.sin(angle)), axis=1)
    assert is_convex(places)
    for turn in range(len(places)):
        assert is_cut_alike(np.roll(places, turn, axis=0))


def test_points_on_straight_sides_make_no_slivers() -> None:
    # A box's top with points of its neighbours along two of its sides.
    places = np.array([(0, 0), (3, 0), (7, 0), (10, 0), (10, 6), (6, 6), (4, 6), (0, 6)], dtype=float)
    pieces = quads_of(places)
    assert all(area(places[piece]) > 1 for piece in pieces)
    assert [len(piece) for piece in pieces] == [4, 4, 4]


def test_what_is_left_is_counted_and_selected() -> None:
    # Three reflex corners in a row need three diagonals; three quads have two.
    places = [(0, 0), (14, 0), (14, 14), (4.2, 14), (4.2, 12.9), (3.0, 11.0), (1.1, 9.8), (0, 9.8)]
    edit = to_quads(as_mesh(np.array(places, dtype=float)), NOTHING)
    sizes = edit.mesh.topology.face_sizes
    left = np.flatnonzero(sizes != 4)
    assert len(left) and edit.selection.indices.tolist() == left.tolist()
    assert f"Left, and selected: {len(left)} triangles." in edit.message
    assert face_areas(edit.mesh.topology, edit.mesh.points).min() > 1e-3
