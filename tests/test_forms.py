"""Starting forms and curves: counts, closedness, volumes by formulas of their polyhedra, how round they smooth."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from levelloop.core.errors import EditError
from levelloop.core.forms.curves import add_curve, add_line, curve_to_edges, frames_along, path_of, set_curve
from levelloop.core.forms.primitives import cylinder
from levelloop.core.forms.solids import (
    cone,
    geodesic,
    roundness_advice,
    sides_for,
    smooth_ring,
    sphere,
    torus,
    tube,
)
from levelloop.core.mesh.faces import signed_volume
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.surface.surface import SmoothSurface
from levelloop.document.session import Session


def polygon_area(diameter: float, sides: int) -> float:
    """Of a regular polygon in a circle: n r² sin(2π/n) / 2."""
    return 0.5 * sides * (0.5 * diameter) ** 2 * np.sin(2 * np.pi / sides)


CASES: tuple[tuple[Mesh, int, float], ...] = (
    # Frustums of pyramids: h (A + √(A B) + B) / 3.
    (cone(20, 10, 30, 12), 2, 30 * (polygon_area(20, 12) + polygon_area(10, 12) + polygon_area(np.sqrt(200), 12)) / 3),
    (cone(20, 0, 30, 16, 3), 2, 30 * polygon_area(20, 16) / 3),
    (cone(0, 20, 30, 9, 2, "triangles"), 2, 30 * polygon_area(20, 9) / 3),
    (tube(20, 12, 15, 16, 2), 0, 15 * (polygon_area(20, 16) - polygon_area(12, 16))),
    # Pappus's theorem for a polygon turned in n steps: times sin a / a with a = 2π/n.
    (torus(30, 8, 20, 10), 0, polygon_area(8, 10) * np.pi * 30 * np.sin(np.pi / 10) / (np.pi / 10)),
)


@pytest.mark.parametrize(("mesh", "euler", "volume"), CASES)
def test_round_forms_are_closed_and_have_their_volume(mesh: Mesh, euler: int, volume: float) -> None:
    assert mesh.topology.euler_number() == euler and not mesh.topology.open_edges.any()
    assert signed_volume(mesh) == pytest.approx(volume, rel=1e-12)


@pytest.mark.parametrize("mesh", [sphere(20, 12, 6), geodesic(20, 2), geodesic(20, 0)])
def test_spheres_have_every_point_on_them(mesh: Mesh) -> None:
    assert np.allclose(np.linalg.norm(mesh.points, axis=1), 10)
    assert mesh.topology.euler_number() == 2 and not mesh.topology.open_edges.any() and signed_volume(mesh) > 0


def test_counts_and_first_points() -> None:
    assert geodesic(20, 3).n_faces == 20 * 4**3
    assert sphere(20, 16, 8).n_faces == 16 * 8 and np.bincount(sphere(20, 16, 8).topology.face_sizes)[3] == 32
    # An icosahedron: every edge alike.
    ico = geodesic(2, 0)
    ends = ico.points[ico.topology.edges]
    assert np.ptp(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1)) < 1e-12
    for mesh in (cone(), tube(), torus(), sphere(), geodesic()):
        assert mesh.points[0, 0] > 0 and mesh.points[0, 1] == 0


@pytest.mark.parametrize("sides", [4, 6, 8, 16])
def test_a_ring_smooths_to_the_radius_that_is_told(sides: int) -> None:
    """The advice against the limit surface itself."""
    mesh = cylinder(2, 40, sides, 40, "open")
    surface = SmoothSurface(mesh, 1)
    points = surface.limit(surface.points(mesh.points))
    middle = np.abs(points[:, 2]) < 0.01
    radius = np.linalg.norm(points[middle, :2], axis=1)
    at_points, between = smooth_ring(sides)
    assert radius.max() == pytest.approx(at_points, abs=1e-9) and radius.min() == pytest.approx(between, abs=1e-9)


def test_advice_on_sides_is_given_with_the_form() -> None:
    # Known values: a four-sided pipe stays 2.8 % out of round, eight sides 0.12 %.
    assert "2.8 %" in roundness_advice(4) and "0.12 %" in roundness_advice(8)
    assert sides_for(0.002) == 8 and sides_for(0.03) == 4
    session = Session.new()
    assert "0.9018 of the diameter" in session.do("add_cylinder", sides=8)
    session.change_last(sides=16)
    assert "0.9746" in session.state.message


@pytest.mark.parametrize(
    ("key", "values"),
    [
        ("add_cone", {"bottom": 0, "top": 0}),
        ("add_tube", {"outer": 10, "inner": 12}),
        ("add_torus", {"diameter": 10, "thickness": 12}),
        ("add_sphere", {"rows": 1}),
        ("add_geodesic", {"splits": 20}),
        ("add_curve", {"points": [(0, 0, 0)]}),
        ("add_curve", {"points": "0 0 0; 1 0 0", "radii": [1, 2, 3]}),
        ("add_line", {"points": 5}),
    ],
)
def test_impossible_forms_are_sentences(key: str, values: dict[str, Any]) -> None:
    session = Session.new()
    with pytest.raises(EditError, match=r"\.$"):
        session.do(key, **values)
    assert not session.document.parts


def test_smooth_curves_run_through_their_points_and_are_spaced_evenly() -> None:
    angle = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    circle = np.stack((10 * np.cos(angle), 10 * np.sin(angle), np.zeros(12)), axis=1)
    path = path_of(add_curve(circle, "smooth", True, 2.0))
    assert np.allclose(path.at(np.arange(13.0)), np.concatenate((circle, circle[:1])))
    places = path.at(path.places(40, even=True))
    assert np.allclose(np.linalg.norm(places, axis=1), 10, atol=0.01)
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert np.ptp(steps) < 0.01 * steps.mean()
    assert steps.sum() == pytest.approx(2 * np.pi * 10, rel=2e-3)


def test_frames_turn_as_little_as_they_can() -> None:
    # Along a plane curve the across direction square to its plane never turns.
    angle = np.linspace(0, np.pi, 30)
    arc = np.stack((np.cos(angle), np.sin(angle), np.zeros(30)), axis=1)
    frames = frames_along(arc)
    assert np.allclose(frames @ frames.transpose(0, 2, 1), np.eye(3), atol=1e-12)
    assert np.allclose(np.abs(frames[:, :2] @ (0, 0, 1)).max(axis=1), 1)
    ring = np.concatenate((arc, -arc[1:]))
    closed = frames_along(ring, True)
    assert np.allclose(closed[0], closed[-1], atol=1e-9)


def test_curves_keep_their_kind_and_radii_and_become_edges(tmp_path: Any) -> None:
    session = Session.new()
    session.do("add_curve", points="0 0 0; 10 0 0; 10 10 0", kind="smooth", radii="1 mm; 2 mm; 3 mm")
    again = Session.open(session.save(tmp_path / "curve.usda")).part.mesh
    assert again.curve == "smooth" and again.radius is not None and again.radius.tolist() == [1, 2, 3]
    session.select(points=[1])
    session.do("set_curve", kind="straight", radius=5)
    assert session.part.mesh.radius is not None and session.part.mesh.radius.tolist() == [1, 5, 3]
    session.do("curve_to_edges", steps=10)
    mesh = session.part.mesh
    assert mesh.n_edges == 10 and np.allclose(np.linalg.norm(np.diff(mesh.points, axis=0), axis=1), 2)
    with pytest.raises(EditError, match="one run"):
        path_of(cylinder(caps="open"))
    box = Session.new()
    box.do("add_box")
    with pytest.raises(EditError):
        box.do("set_curve")
    assert set_curve(add_line([(0, 0, 0), (1, 0, 0)]), NOTHING).mesh.curve == "smooth"
    assert curve_to_edges(add_curve([(0, 0, 0), (4, 0, 0), (0, 4, 0)], closed=True), NOTHING, 9).mesh.n_edges == 9


def test_an_edge_run_becomes_a_curve() -> None:
    session = Session.new()
    session.do("add_cylinder", sides=12, cells=2)
    session.select(edges=[[12, 13]])
    session.do("select_loop")
    session.do("curve_from_edges", name="rim")
    assert session.part.name == "rim" and path_of(session.part.mesh).closed and session.part.mesh.n_points == 12


@pytest.mark.parametrize("closed", [True, False])
def test_smooth_curves_are_the_splines_of_scipy(closed: bool) -> None:
    from scipy.interpolate import CubicSpline

    points = np.random.default_rng(5).normal(size=(9, 3)) * 10
    path = path_of(add_curve(points, "smooth", closed))
    ring = np.concatenate((points, points[:1])) if closed else points
    knots = np.concatenate(([0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(ring, axis=0), axis=1)))))
    theirs = CubicSpline(knots, ring, bc_type="periodic" if closed else "natural")
    places = np.linspace(0, path.spans, 200)
    assert np.allclose(path.at(places), theirs(np.interp(places, np.arange(len(ring)), knots)), atol=1e-9)
