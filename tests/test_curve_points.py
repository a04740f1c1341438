"""Curves edited: points put on, taken out, joined, parted and spaced; corners; lengths and radii."""

from __future__ import annotations

import itertools
import json
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from driving import LEFT, NONE, Hands, needs_screen
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from scipy.integrate import quad
from scipy.interpolate import CubicSpline
from scipy.spatial import cKDTree

from levelloop.app.tools.curve_tools import RadiusCircle
from levelloop.core.edit.build.curve_points import (
    add_on_curve,
    join_ends,
    offset_curve,
    part_curve,
    space_curve,
    take_out_of_wires,
)
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.divide.split import split_ring
from levelloop.core.errors import EditError, LevelLoopError
from levelloop.core.forms.curves import add_curve, order_along, path_of
from levelloop.core.forms.hugging import hugging
from levelloop.core.forms.primitives import quad_sphere
from levelloop.core.geometry.closest import closest_places
from levelloop.core.mesh.mesh import CurveKind, Mesh
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.document.session import Session

HOSE = [(0, 0, 0), (20, 0, 0), (30, 15, 5), (25, 35, 10), (0, 40, 0), (-15, 20, -5)]
POINTS = st.lists(st.tuples(*[st.integers(-30, 30)] * 3), min_size=4, max_size=9, unique=True)


def some_of(kind: str, *indices: int) -> Selection:
    return Selection(kind, np.array(indices, dtype=np.int64))  # type: ignore[arg-type]


def fine(mesh: Mesh) -> np.ndarray:
    path = path_of(mesh)
    return path.at(np.linspace(0, path.spans, 40 * path.spans + 1))


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("kind", ["straight", "smooth"])
def test_points_lie_on_the_curve_and_in_order(kind: Any, closed: bool) -> None:
    """A point on a straight curve changes nothing of it; on a smooth one it is a place that the curve passed."""
    mesh = add_curve(HOSE, kind, closed, [1.0, 2.0, 3.0, 2.0, 1.0, 4.0])
    before = fine(mesh)
    for a, b in mesh.topology.wires.tolist():
        edit = add_on_curve(mesh, NOTHING, (a, b), 0.3)
        place = edit.mesh.points[edit.selection.indices[0]]
        assert np.linalg.norm(before - place, axis=1).min() < 0.35
        if kind == "straight":
            assert np.allclose(place, 0.7 * mesh.points[a] + 0.3 * mesh.points[b])
            assert path_of(edit.mesh).length() == pytest.approx(path_of(mesh).length(), abs=1e-9)
        assert edit.mesh.radius is not None and mesh.radius is not None
        wanted = 0.7 * mesh.radius[a] + 0.3 * mesh.radius[b]
        assert edit.mesh.radius[edit.selection.indices[0]] == pytest.approx(wanted)
        order = order_along(edit.mesh)[0].tolist()
        new = int(edit.selection.indices[0])
        around = {order[order.index(new) - 1], order[(order.index(new) + 1) % len(order)]}
        assert around == {a, b} and path_of(edit.mesh).closed == closed
        # The same place named from the other end.
        other = add_on_curve(mesh, NOTHING, (b, a), 0.7)
        assert np.allclose(other.mesh.points[new], place)
    every = split_ring(mesh, some_of("edges", *range(mesh.n_edges)), 3)
    assert every.mesh.n_points == mesh.n_points + 3 * mesh.n_edges and path_of(every.mesh).closed == closed


@some(40)
@given(POINTS, st.booleans(), st.lists(st.integers(0, 8), min_size=1, max_size=4))
def test_what_is_taken_out_leaves_one_run(points: list[tuple[int, int, int]], closed: bool, picks: list[int]) -> None:
    try:
        mesh = add_curve(points, "straight", closed)
        path_of(mesh)
    except EditError:
        return
    gone = np.unique([pick % len(points) for pick in picks])
    left = [point for number, point in enumerate(points) if number not in gone]
    try:
        made = take_out_of_wires(mesh, gone).mesh
    except EditError as error:
        assert "no wire" in str(error) and len(left) < 3
        return
    assert sorted(map(tuple, made.points.tolist())) == sorted(map(tuple, np.array(left, float).tolist()))
    # A ring of two is a wire; all else keeps its kind.
    assert len(made.topology.wires) == len(left) - (0 if closed and len(left) > 2 else 1)
    assert take_out(mesh, Selection("points", gone)).mesh.n_points == len(left)


@some(25)
@given(POINTS, st.booleans(), st.data())
def test_parted_anywhere_each_edge_goes_on_where_it_was(points: list[Any], closed: bool, data: Any) -> None:
    mesh = replace(add_curve(points, "straight", closed), radius=np.arange(1.0, len(points) + 1))
    inner = range(len(points)) if closed else range(1, len(points) - 1)
    chosen = data.draw(st.lists(st.sampled_from(list(inner)), min_size=1, unique=True))
    made = part_curve(mesh, some_of("points", *chosen)).mesh
    assert made.n_points == len(points) + len(chosen) and len(made.topology.wires) == len(mesh.topology.wires)
    assert made.topology.valence.max() == (2 if len(chosen) < len(inner) else 1)
    before, after = (
        sorted(
            sorted((*one.points[point], one.radius[point]) for point in wire) for wire in one.topology.wires.tolist()
        )
        for one in (mesh, made)
    )
    assert before == after


def test_points_at_one_place_are_told_apart() -> None:
    """A run that crosses itself at two points which lie at one place."""
    crossing = [(0, 0, 0), (10, 0, 0), (10, 10, 0), (0, 0, 0), (-10, 0, 0), (-10, -10, 0)]
    for kind in ("straight", "smooth"):
        mesh = add_curve(crossing, kind)
        assert order_along(mesh)[0].tolist() == list(range(6))
        aside = offset_curve(mesh, NOTHING, 1.0).mesh.points - mesh.points
        assert (np.linalg.norm(aside, axis=1) > 0.5).all()
        made = split_ring(mesh, some_of("edges", *mesh.topology.find_edges(np.array([[2, 3], [3, 4]])).tolist())).mesh
        assert path_of(made).spans == 7


def test_ends_are_joined_and_a_curve_is_parted() -> None:
    mesh = add_curve(HOSE, "smooth")
    closed = join_ends(mesh, np.array([0, 5])).mesh
    assert path_of(closed).closed and closed.n_points == 6
    parted = part_curve(closed, some_of("points", 2))
    assert parted.mesh.n_points == 7 and not path_of(parted.mesh).closed and len(parted.selection) == 2
    pieces = part_curve(parted.mesh, some_of("points", 4)).mesh
    assert len(pieces.topology.wires) == 6 and pieces.n_points == 8
    with pytest.raises(EditError, match="has 2"):
        path_of(pieces)
    for points, words in (((0, 2), "one end"), ((0, 1), "one end|joined already"), ((0,), "Two ends")):
        with pytest.raises(EditError, match=words):
            join_ends(mesh, np.array(points))
    with pytest.raises(EditError, match="between two of its edges"):
        part_curve(mesh, some_of("points", 0))


@some(25)
@given(POINTS, st.integers(4, 30))
def test_spacing_is_even_along_the_arc(points: list[tuple[int, int, int]], count: int) -> None:
    """Against arc lengths by quadrature of SciPy's spline through the same knots (natural, centripetal)."""
    try:
        mesh = add_curve(points, "smooth")
        made = space_curve(mesh, NOTHING, count).mesh
    except EditError:
        return
    given_points = np.array(points, dtype=float)
    knots = np.concatenate(([0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(given_points, axis=0), axis=1)))))
    spline = CubicSpline(knots, given_points, bc_type="natural")
    whole = sum(quad(lambda t: float(np.linalg.norm(spline(t, 1))), a, b)[0] for a, b in itertools.pairwise(knots))
    assert made.n_points == count and path_of(mesh).length() == pytest.approx(whole, rel=2e-3)
    dense = spline(np.linspace(0, knots[-1], 40_000))
    run = np.concatenate(([0.0], np.cumsum(np.linalg.norm(np.diff(dense, axis=0), axis=1))))
    at = [run[np.linalg.norm(dense - point, axis=1).argmin()] for point in made.points[order_along(made)[0]]]
    assert np.allclose(np.diff(at) / (whole / (count - 1)), 1.0, atol=0.03 + 2e-3 * count)


def test_a_spacing_is_kept_and_wrong_numbers_are_refused() -> None:
    mesh = add_curve([(0, 0, 0), (100, 0, 0)])
    made = space_curve(mesh, NOTHING, spacing=30.0).mesh
    assert made.n_points == 5 and np.allclose(np.diff(np.sort(made.points[:, 0])), 25.0)
    for values, words in (
        ({"count": 3, "spacing": 1.0}, "not by both"),
        ({"spacing": 0.0}, "above 0"),
        ({"count": 1}, "at least 2"),
    ):
        with pytest.raises(EditError, match=words):
            space_curve(mesh, NOTHING, **values)  # type: ignore[arg-type]


@pytest.mark.parametrize("kind", ["straight", "smooth"])
def test_a_square_moved_aside_is_a_larger_square(kind: Any) -> None:
    square = add_curve([(0, 0, 0), (10, 0, 0), (10, 10, 0), (0, 10, 0)], kind, True)
    # Counter-clockwise: its left is inside.
    assert np.allclose(offset_curve(square, NOTHING, -2.0).mesh.points[:, :2], [(-2, -2), (12, -2), (12, 12), (-2, 12)])
    back = offset_curve(offset_curve(square, NOTHING, 3.0).mesh, NOTHING, -3.0).mesh
    assert np.allclose(back.points, square.points)
    with pytest.raises(EditError, match="along that axis"):
        offset_curve(add_curve([(0, 0, 0), (0, 0, 9)]), NOTHING, 1.0)


def test_corners_are_sharp_and_the_rest_is_smooth() -> None:
    """A sharp point: straight pieces stay straight, as ends are; elsewhere it runs as before without it."""
    corner = [(0, 0, 0), (10, 0, 0), (20, 0, 0), (20, 10, 0), (20, 20, 0)]
    session = Session.new()
    session.do("add_curve", points=corner, kind="smooth")
    rounded = fine(session.part.mesh)
    assert rounded[:, 0].max() > 20.05
    session.select(points=[2])
    session.do("sharpen_points", weight=10)
    sharp = fine(session.part.mesh)
    assert np.minimum(np.abs(sharp[:, 1]), np.abs(sharp[:, 0] - 20)).max() < 1e-9
    assert session.measure().smallest_radius is None and session.measure().length == pytest.approx(40.0)
    # On a closed one too, wherever it begins.
    for first in range(4):
        ring = np.roll(np.array([(10, 0, 0), (0, 10, 0), (-10, 0, 0), (0, -10, 0)]), first, axis=0)
        session.do("add_curve", points=ring.tolist(), kind="smooth", closed=True, name=f"ring {first}")
        at = int(np.flatnonzero((ring == (10, 0, 0)).all(axis=1))[0])
        session.select(points=[at])
        session.do("sharpen_points", weight=10)
        places = path_of(session.part.mesh).at(np.linspace(0, 4, 400, endpoint=False))
        if first == 0:
            expected = np.sort(places, axis=0)
        assert np.allclose(np.sort(places, axis=0), expected, atol=1e-9)


def test_lengths_and_radii_are_those_of_a_circle(tmp_path: Path) -> None:
    angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    session = Session.new()
    session.do(
        "add_curve",
        points=(25 * np.stack((np.cos(angle), np.sin(angle), 0 * angle), 1)).tolist(),
        kind="smooth",
        closed=True,
    )
    measures = session.measure()
    assert measures.length == pytest.approx(50 * np.pi, rel=1e-3) and measures.area == 0.0
    assert measures.smallest_radius == pytest.approx(25.0, rel=0.01)
    session.save(tmp_path / "ring.usda")
    told = subprocess.run(
        [sys.executable, "-m", "levelloop", "measure", str(tmp_path / "ring.usda"), "--json"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert json.loads(told.stdout)["parts"][0]["length"] == pytest.approx(50 * np.pi, rel=1e-3)


def curve_in(hands: Hands) -> None:
    hands.session.do("add_curve", points=[(-30, 0, 0), (0, 0, 10), (30, 0, 0)], kind="smooth", radii=4.0)
    hands.view.look("front")
    hands.view.frame(everything=True)
    hands.window.set_kind("points")
    hands.settle()


def on_screen(hands: Hands, place: np.ndarray) -> QPoint:
    return QPoint(*np.rint(hands.view.on_screen(np.asarray(place, float)[None])[0, :2]).astype(int).tolist())


@needs_screen
def test_a_click_on_the_curve_puts_a_point_there(empty: Hands) -> None:
    curve_in(empty)
    session, window = empty.session, empty.window
    assert "Curve of" in window.strip.readout.text() and "at its tightest" in window.strip.readout.text()
    window.start("add_on_curve")
    wanted = path_of(session.part.mesh).at(np.array([1.4]))[0]
    empty.qtbot.mouseClick(empty.view, LEFT, NONE, on_screen(empty, wanted))
    empty.settle()
    assert session.part.mesh.n_points == 4
    assert np.linalg.norm(session.part.mesh.points[3] - wanted) < 0.8
    # The tool stays: another one, then beside the curve, then away.
    empty.qtbot.mouseClick(empty.view, LEFT, NONE, on_screen(empty, path_of(session.part.mesh).at(np.array([0.5]))[0]))
    assert session.part.mesh.n_points == 5
    empty.qtbot.mouseClick(empty.view, LEFT, NONE, QPoint(5, 60))
    assert session.part.mesh.n_points == 5 and "curve" in window.message
    empty.key(Qt.Key.Key_Escape)
    empty.key(Qt.Key.Key_Escape)
    assert empty.window.panes.hands.tool is None


@needs_screen
def test_a_circle_around_a_point_sets_its_radius(empty: Hands) -> None:
    curve_in(empty)
    session, view = empty.session, empty.view
    session.select(points=[1])
    view.look("right")
    empty.settle()
    circle = RadiusCircle.of(view)
    assert circle is not None and circle.radius == 4.0
    start = QPoint(*np.rint(circle.grip(view)).astype(int).tolist())
    centre = on_screen(empty, session.part.mesh.points[1])
    assert abs(start.x() - centre.x()) > 8
    empty.drag(start, centre + (start - centre) * 2)
    radius = session.part.mesh.radius
    assert radius is not None and radius[1] == pytest.approx(8.0, rel=0.06) and radius[0] == 4.0
    assert session.state.key == "set_curve"
    session.undo()
    assert session.part.mesh.radius is not None and session.part.mesh.radius[1] == 4.0
    # With other kinds, or several points, there is none.
    session.select(points=[0, 1])
    assert RadiusCircle.of(view) is None


# On a surface


@some(30)
@given(
    st.integers(2, 7), st.integers(0, 99), st.booleans(), st.sampled_from(["smooth", "straight"]), st.floats(0.05, 500)
)
def test_a_curve_on_a_surface_stays_there_between_its_points(
    count: int, seed: int, closed: bool, kind: CurveKind, size: float
) -> None:
    chance = np.random.default_rng(seed)
    ball = quad_sphere(size, 12)
    # Neighbours that do not lie across the ball from each other: there is no way over it between such.
    angles = np.sort(chance.uniform(0, 2 * np.pi, count)) * 0.4
    heights = chance.uniform(-0.6, 0.6, count)
    points = np.stack((np.cos(angles), np.sin(angles), heights), axis=1) * size / 2
    if np.linalg.norm(np.diff(points, axis=0), axis=1).min() < 0.02 * size:
        return
    drawn = add_curve(points, kind, closed and count > 2, np.arange(1.0, count + 1))
    found = hugging(drawn, ball)
    path = path_of(found)
    places = np.linspace(0, path.spans, 40 * path.spans + 1)
    on = path.at(places)
    off = np.linalg.norm(on - closest_places(ball, on)[0], axis=1)
    assert off.max() <= 3e-3 * path.length()
    assert path.closed == (closed and count > 2) and path.smooth == (kind == "smooth")
    # It still passes where it was drawn, with the radii that it had there.
    there = closest_places(ball, points)[0]
    apart, which = cKDTree(found.points).query(there)
    assert apart.max() < 1e-9 * size
    assert found.radius is not None and np.allclose(found.radius[which], np.arange(1, count + 1))


def test_a_curve_is_laid_on_a_part_by_its_name() -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=40, cells=6, name="form")
    session.do("add_curve", points=((25, 0, 0), (0, 25, 0), (0, 0, 25)), kind="smooth", onto="form")
    smooth = session.document.by_name("form").limit_shape
    path = path_of(session.part.mesh)
    on = path.at(path.fine())
    assert np.linalg.norm(on - closest_places(smooth, on)[0], axis=1).max() < 2e-3 * path.length()
    assert "along the surface of “form”" in session.state.sentence
    session.change_last(onto=None)
    assert session.part.mesh.n_points == 3
    with pytest.raises(LevelLoopError, match="no part"):
        session.do("add_curve", onto="nowhere")
    session.do("add_line", points=((0, 0, 0), (1, 0, 0)), name="wire")
    with pytest.raises(EditError, match="no surface"):
        session.do("add_curve", onto="wire")
