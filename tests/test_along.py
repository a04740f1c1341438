"""Steps along curves: against arcs, Pappus' theorem, quadrature and exact frames."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.interpolate import CubicSpline

from levelloop.core.errors import EditError
from levelloop.core.forms.curves import path_of
from levelloop.core.mesh.faces import signed_volume
from levelloop.core.recipe.along import Along
from levelloop.document.session import Session


def ring(radius: float = 50.0, points: int = 24, plane: str = "xy") -> list[tuple[float, ...]]:
    """A circle's points, counter-clockwise about the plane's normal."""
    angles = 2 * np.pi * np.arange(points) / points
    flat = radius * np.stack((np.cos(angles), np.sin(angles), np.zeros(points)), axis=1)
    order = {"xy": [0, 1, 2], "yz": [2, 0, 1], "zx": [1, 2, 0]}[plane]
    return [tuple(point) for point in flat[:, order].tolist()]


def with_curve(points: list[tuple[float, ...]], kind: str = "smooth", closed: bool = False, **more: Any) -> Session:
    session = Session.new()
    session.do("add_curve", points=points, kind=kind, closed=closed, name="way", **more)
    return session


def test_a_round_sweep_follows_its_curve_and_has_the_volume_of_a_torus() -> None:
    session = with_curve(ring(), closed=True, radii=5.0)
    session.do("add_box", size=(1, 1, 1), at=(0, 0, 500), name="hose")
    session.add_step("sweep", curve="way", steps=8, sides=64)
    result = session.part.result(0)
    volume = signed_volume(result) - 1.0
    # Pappus: the area of the ring's polygon times the way of its middle, for a polygon of 64 sides and 192 steps.
    area = 0.5 * 64 * 25 * np.sin(2 * np.pi / 64)
    assert volume == pytest.approx(area * 2 * np.pi * 50, rel=2e-3)
    # It follows the curve when that changes.
    session.set_active("way")
    session.do("scale", factors=2.0, pivot="origin")
    session.set_active("hose")
    assert signed_volume(session.part.result(0)) - 1.0 == pytest.approx(area * 2 * np.pi * 100, rel=2e-3)


def test_a_parts_own_wires_are_swept_and_a_profile_keeps_its_width_at_corners() -> None:
    square = [(-30.0, -20.0, 0.0), (30.0, -20.0, 0.0), (30.0, 20.0, 0.0), (-30.0, 20.0, 0.0)]
    session = with_curve(square, "straight", True)
    session.do(
        "add_curve", points=[(-2, -1, 0), (2, -1, 0), (2, 1, 0), (-2, 1, 0)], kind="straight", closed=True, name="rail"
    )
    session.set_active("way")
    session.add_step("sweep", profile="rail", steps=1)
    frame = session.part.result(0)
    assert frame.n_faces == 16
    size = np.ptp(frame.points, axis=0)
    # The frame stands out by half its profile's size on every side, corners too: exactly mitred.
    assert sorted(size) == pytest.approx(sorted((64.0, 44.0, 2.0))) or sorted(size) == pytest.approx(
        sorted((62.0, 42.0, 4.0))
    )
    volume = abs(signed_volume(frame))
    assert volume == pytest.approx(8.0 * (2 * 60 + 2 * 40))
    session.set_active("rail")
    session.do("scale", factors=0.5)
    session.set_active("way")
    assert abs(signed_volume(session.part.result(0))) == pytest.approx(2.0 * 200)


def test_ends_of_a_swept_profile_are_closed_outward() -> None:
    session = with_curve([(0, 0, 0), (0, 0, 40)], "straight")
    session.do("add_disc", diameter=10, sides=12, fill="open", name="rail")
    session.set_active("way")
    session.add_step("sweep", profile="rail", steps=2, caps="face")
    rod = session.part.result(0)
    area = 0.5 * 12 * 25 * np.sin(2 * np.pi / 12)
    assert signed_volume(rod) == pytest.approx(area * 40) and not rod.topology.open_edges.any()
    with pytest.raises(EditError, match="open or a face"):
        session.set_step(0, caps="round")


def test_faces_are_pulled_along_a_curve() -> None:
    session = with_curve([(0, 0, 0), (0, 0, 60)], "straight")
    session.do("add_plane", size=(10, 10), name="strap")
    session.add_step("extrude_along", curve="way", steps=6, end_scale=0.5)
    bar = session.part.result(0)
    assert bar.n_faces == 6 * 4 + 1 and bar.points[:, 2].max() == pytest.approx(60)
    end = bar.points[bar.points[:, 2] > 59.9]
    assert np.ptp(end, axis=0)[:2] == pytest.approx([5, 5])


def test_copies_ride_on_the_curve_at_equal_ways() -> None:
    points = [(0.0, 0.0, 0.0), (30.0, 10.0, 0.0), (50.0, -5.0, 10.0), (90.0, 0.0, 0.0)]
    session = with_curve(points)
    path = path_of(session.part.mesh)
    # The same spline by SciPy over the same knots, and its length by quadrature.
    chord = np.sqrt(np.linalg.norm(np.diff(path.points, axis=0), axis=1))
    knots = np.concatenate(([0.0], np.cumsum(chord)))
    spline = CubicSpline(knots, path.points, bc_type="natural")

    def way(end: float) -> float:
        return float(quad(lambda t: np.linalg.norm(spline(t, 1)), 0.0, end, limit=200)[0])

    length = way(knots[-1])
    session.do("add_box", size=(1, 1, 1), name="bead")
    session.add_step("array_along", curve="way", count=7)
    beads = session.part.result(0).points.reshape(7, 8, 3).mean(axis=1)
    assert beads[0] == pytest.approx(points[0], abs=1e-9) and beads[-1] == pytest.approx(points[-1], abs=1e-9)
    for number, place in enumerate(beads):
        ends = np.linspace(0, knots[-1], 20001)
        nearest = ends[int(np.argmin(np.linalg.norm(spline(ends) - place, axis=1)))]
        assert way(nearest) == pytest.approx(length * number / 6, abs=0.02)
    session.set_step(0, count=None, spacing=20.0)
    spaced = session.part.result(0).points.reshape(-1, 8, 3).mean(axis=1)
    assert len(spaced) == int(length // 20.0) + 1
    for bad in ({"count": None, "spacing": None}, {"count": 0}, {"spacing": -1.0, "count": None}):
        with pytest.raises(EditError):
            session.set_step(0, **bad)


def test_copies_turn_with_a_flat_curve_without_twist() -> None:
    session = with_curve(ring(), closed=True)
    session.do("add_box", size=(4, 2, 1), name="tooth")
    session.add_step("array_along", curve="way", count=12)
    teeth = session.part.result(0).points.reshape(12, 8, 3)
    middles = teeth.mean(axis=1)
    assert np.hypot(middles[:, 0], middles[:, 1]) == pytest.approx(np.full(12, 50.0), abs=1e-2)
    # z stays the world's: all stand 1 high, and the long side runs along the circle.
    assert np.ptp(teeth[:, :, 2], axis=1) == pytest.approx(np.ones(12))
    radial = np.linalg.norm(teeth - middles[:, None], axis=2)
    assert radial == pytest.approx(np.full((12, 8), np.sqrt(4 + 1 + 0.25)))
    along = np.cross([0.0, 0.0, 1.0], middles) / 50.0
    assert np.einsum("tpj,tj->tp", teeth - middles[:, None], along).max(axis=1) == pytest.approx(
        np.full(12, 2.0), abs=1e-2
    )
    session.set_step(0, turning=False)
    still = session.part.result(0).points.reshape(12, 8, 3)
    assert np.ptp(still, axis=1) == pytest.approx(np.tile([4.0, 2.0, 1.0], (12, 1)))


@given(st.sampled_from(["xy", "yz", "zx"]), st.floats(10, 200))
def test_frames_along_a_closed_flat_curve_do_not_twist(plane: str, radius: float) -> None:
    session = with_curve(ring(radius, 16, plane), closed=True)
    along = Along(path_of(session.part.mesh))
    frames = along.frames(np.linspace(0.0, along.length, 200))
    normal = np.eye(3)[{"xy": 2, "yz": 0, "zx": 1}[plane]]
    heights = np.abs(np.einsum("nkj,j->nk", frames, normal))
    # One of y and z stays square to the plane all the way, or both keep their angle to it.
    assert np.ptp(heights[:, 1]) < 1e-3 and np.ptp(heights[:, 2]) < 1e-3
    assert np.abs(np.einsum("nij,nkj->nik", frames, frames) - np.eye(3)).max() < 1e-9
    assert np.linalg.det(frames) == pytest.approx(np.ones(200))
    assert along.length == pytest.approx(2 * np.pi * radius, rel=1e-3)


def test_a_strap_follows_a_curve_at_its_true_length_or_stretched() -> None:
    session = with_curve(ring(50 / np.pi, 48)[:25])
    half = Along(path_of(session.part.mesh)).length
    assert half == pytest.approx(50.0, rel=1e-3)
    session.do("add_box", size=(40, 4, 2), cells=(20, 1, 1), name="strap")
    session.add_step("follow", curve="way")
    strap = session.part.result(0)
    radii = np.hypot(strap.points[:, 0], strap.points[:, 1])
    inner = radii < 50 / np.pi
    assert radii[inner] == pytest.approx(np.full(inner.sum(), 50 / np.pi - 2), abs=0.02)
    assert radii[~inner] == pytest.approx(np.full((~inner).sum(), 50 / np.pi + 2), abs=0.02)
    ends = np.degrees(np.arctan2(strap.points[:, 1], strap.points[:, 0]))
    assert ends.min() == pytest.approx(0, abs=0.4) and ends.max() == pytest.approx(180 * 40 / 50, abs=0.3)
    session.set_step(0, stretch=True)
    ends = np.degrees(np.arctan2(session.part.result(0).points[:, 1], session.part.result(0).points[:, 0]))
    assert ends.max() == pytest.approx(180, abs=0.3) or ends.min() == pytest.approx(-180, abs=0.3)


def test_what_goes_beyond_an_open_end_goes_on_straight() -> None:
    session = with_curve([(0, 0, 0), (10, 0, 0)], "straight")
    session.do("add_box", size=(30, 2, 2), cells=(3, 1, 1), name="bar")
    session.add_step("follow", curve="way")
    assert session.part.result(0).points[:, 0].min() == pytest.approx(0)
    assert session.part.result(0).points[:, 0].max() == pytest.approx(30)


def test_bad_curves_are_refused_and_the_step_stands_until_its_curve_returns() -> None:
    session = with_curve([(0, 0, 0), (10, 0, 0)], "straight")
    session.do("add_box", name="block")
    with pytest.raises(EditError, match=r"run of edges|wires|curve"):
        session.set_active("way")
        session.add_step("array_along", curve="block")
        raise EditError(session.part.plain.troubles[0].reason)
    session.set_active("block")
    session.add_step("array_along", curve="way", count=3)
    made = session.part.result(0).n_faces
    session.do("remove_part", part="way")
    session.set_active("block")
    assert session.part.plain.troubles and session.part.plain.mesh.n_faces == 6
    session.undo()
    session.set_active("block")
    assert not session.part.plain.troubles and session.part.result(0).n_faces == made


def test_a_swept_curve_is_no_fault_and_stray_wires_are() -> None:
    session = Session.new()
    session.do("add_curve", points=((0, 0, 0), (20, 0, 0), (30, 10, 5)), kind="smooth", radii=(2,))
    session.add_step("sweep", sides=8, caps="quads")
    assert session.part.stepped.n_faces and "wires" not in {finding.check for finding in session.review()}
    session.do("add_box")
    session.do("add_line", points=((20, 0, 0), (30, 0, 0)), into=session.part.name)
    assert "wires" in {finding.check for finding in session.review()}
