"""Points on surfaces of other parts: against planes, spheres and exact rays."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.errors import EditError
from levelloop.core.geometry.skin import Skin
from levelloop.document.session import Session


def on_ball(radius: float = 50.0, cells: int = 8) -> tuple[Session, float]:
    """A ball and the radius of its limit surface, with what is to be laid on it active."""
    session = Session.new()
    session.do("add_quad_sphere", diameter=2 * radius, cells=cells, name="ball")
    limit = np.linalg.norm(session.part.result(3, True).points, axis=1)
    session.do("add_box", size=(20, 10, 4), cells=(8, 4, 1), at=(0, 0, 2), name="plate")
    return session, float(np.median(limit))


@some(25)
@given(
    st.tuples(*[st.floats(-20, 20)] * 2),
    st.floats(-180, 180),
    st.floats(0.2, 3.0),
    st.floats(-5, 5),
)
def test_what_is_laid_on_a_plane_keeps_its_heights_and_sizes(
    at: tuple[float, float], turn: float, size: float, lift: float
) -> None:
    session = Session.new()
    session.do("add_plane", size=(200, 200), cells=(4, 4), name="table")
    session.do("set_level", level=0)
    session.do("add_box", size=(20, 10, 4), cells=(2, 2, 1), at=(0, 0, 2), name="plate")
    before = session.part.mesh.points
    session.add_step("lay_on", target="table", at=(*at, 30.0), turn=turn, size=size, lift=lift, onto="cage")
    points = session.part.result(0).points
    assert points[:, 2] == pytest.approx(size * before[:, 2] + lift, abs=1e-6)
    angle = np.radians(turn)
    turned = size * before[:, :2] @ np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    assert points[:, :2] == pytest.approx(turned + at, abs=1e-6)


@pytest.mark.thorough
@pytest.mark.parametrize("at", [(0, 0, 80), (80, 0, 0), (0, -70, 0), (40, 40, 40), (-30, 50, 10)])
def test_what_is_laid_on_a_ball_keeps_its_heights_over_the_limit(at: tuple[float, float, float]) -> None:
    session, _ = on_ball(cells=16)
    session.add_step("lay_on", target="ball", at=at)
    plate = session.part
    points = plate.result(0).points
    heights = plate.mesh.points[:, 2]
    ball = session.document.by_name("ball").result(4, True).points
    radius = np.linalg.norm(ball, axis=1)
    # The limit of a quad sphere is round within this; heights are over the place below.
    spread = float(np.ptp(radius))
    above = np.linalg.norm(points, axis=1) - np.median(radius)
    assert above == pytest.approx(heights, abs=1e-3 + spread)
    # Its middle lies where it was asked for, its long side keeps its length.
    middle = points.mean(axis=0)
    assert middle / np.linalg.norm(middle) == pytest.approx(np.array(at) / np.linalg.norm(at), abs=0.02)
    foot = points[np.abs(heights) < 1e-9]
    angles = np.arccos(np.clip(foot @ foot.T / np.outer(*[np.linalg.norm(foot, axis=1)] * 2), -1, 1))
    assert angles.max() * np.median(radius) == pytest.approx(np.hypot(20, 10), rel=0.01)


def test_a_wide_ornament_keeps_its_ways_from_the_middle_around_a_ball() -> None:
    session, radius = on_ball(20.0)
    session.do("add_disc", diameter=2 * 20 * 1.2, sides=32, fill="quads", name="cap")
    session.add_step("lay_on", target="ball", at=(0, 0, 50))
    cap = session.part
    ways = np.linalg.norm(cap.mesh.points[:, :2], axis=1)
    points = cap.result(0).points
    angle = np.arccos(np.clip(points[:, 2] / np.linalg.norm(points, axis=1), -1, 1))
    assert angle * radius == pytest.approx(ways, abs=0.25)


def test_it_follows_when_the_target_moves_or_turns_and_stays_when_it_is_gone(tmp_path: Path) -> None:
    session, radius = on_ball()
    session.add_step("lay_on", target="ball", at=(0, 0, 80))
    session.set_active("ball")
    session.select_none()
    session.do("move", by=(100, 0, 0))
    session.set_active("plate")
    session.set_step(0, at=(100, 0, 80))
    points = session.part.result(0).points - [100, 0, 0]
    assert np.linalg.norm(points, axis=1).min() == pytest.approx(radius, abs=0.1)
    again = Session.open(session.save(tmp_path / "laid.usda"))
    again.set_active("plate")
    assert np.array_equal(again.part.result(0).points, session.part.result(0).points)
    session.do("remove_part", part="ball")
    session.set_active("plate")
    assert session.part.plain.troubles
    session.undo()
    session.set_active("plate")
    assert not session.part.plain.troubles


@some(25)
@given(st.floats(5, 40), st.floats(-3, 3), st.booleans())
def test_points_are_put_onto_the_nearest_place_with_an_offset(high: float, offset: float, smooth: bool) -> None:
    session, radius = on_ball()
    session.do("add_plane", size=(30, 30), cells=(6, 6), at=(0, 0, 50 + high), name="sheet")
    session.add_step("conform", target="ball", offset=offset, onto="smooth" if smooth else "cage")
    far = np.linalg.norm(session.part.result(0).points, axis=1)
    # A flat face of the cage lies up to its sagitta inside the ball: 8 cells over a quarter turn, both ways.
    slack = 0.35 if smooth else 2 * 50.0 * (1 - np.cos(np.pi / 4 / 8))
    assert far == pytest.approx(np.full(len(far), (radius if smooth else 50.0) + offset), abs=slack)


def test_points_go_along_a_direction_and_what_meets_nothing_stays() -> None:
    session = Session.new()
    session.do("add_plane", size=(20, 20), cells=(2, 2), name="table")
    session.do("add_plane", size=(40, 40), cells=(4, 4), at=(0, 0, 10), name="cloth")
    told = session.add_step("conform", target="table", direction=(0, 0, -1), both=False, onto="cage", offset=0.5)
    points = session.part.result(0).points
    inside = (np.abs(points[:, :2]) <= 10).all(axis=1)
    assert points[inside, 2] == pytest.approx(np.full(inside.sum(), 0.5)) and (points[~inside, 2] == 10).all()
    assert f"{(~inside).sum()} points meet nothing and stay" in told
    with pytest.raises(EditError, match="meets the part"):
        session.set_step(0, direction=(0, 0, 1))
    session.set_step(0, direction=(0, 0, 1), both=True)
    assert session.part.result(0).points[inside, 2] == pytest.approx(np.full(inside.sum(), 0.5))


@some(25)
@given(st.integers(0, 10_000))
def test_rays_meet_what_exact_arithmetic_meets(seed: int) -> None:
    random = np.random.default_rng(seed)
    session = Session.new()
    session.do("add_geodesic", diameter=20, splits=2)
    mesh = session.part.mesh
    skin = Skin(mesh)
    places = random.uniform(-12, 12, (20, 3))
    direction = random.normal(size=3)
    direction /= np.linalg.norm(direction)
    found, _, hit = skin.along(places, direction, True)
    for place, on, meets in zip(places, found, hit, strict=True):
        ways = []
        for face in range(mesh.n_faces):
            a, b, c = mesh.points[mesh.topology.face(face)]
            matrix = np.stack((b - a, c - a, -direction), axis=1)
            v, w, t = np.linalg.solve(matrix, place - a)
            if v >= -1e-9 and w >= -1e-9 and v + w <= 1 + 1e-9:
                ways.append(t)
        assert meets == bool(ways)
        if ways:
            best = min(ways, key=abs)
            assert np.linalg.norm(on - place) == pytest.approx(abs(best), abs=1e-6)


def test_what_cannot_be_laid_on_is_refused_in_words() -> None:
    session = Session.new()
    session.do("add_line", points=[(0, 0, 0), (10, 0, 0)], name="wire")
    session.do("add_box", name="plate")
    with pytest.raises(EditError, match="no faces"):
        session.add_step("lay_on", target="wire")
    with pytest.raises(EditError, match="name it"):
        session.add_step("conform")


def test_a_strip_lies_on_the_smooth_surface_and_closes_at_its_start() -> None:
    session, radius = on_ball(cells=8)
    session.do("add_point", name="belt")
    angle = np.linspace(0, 2 * np.pi, 13)
    path = [tuple(60.0 * np.array([np.cos(a) * 0.8, np.sin(a) * 0.8, 0.6])) for a in angle]
    told = session.do("lay_strip", path=path, width=6.0, count=24, onto="ball")
    assert "it closes" in told
    mesh = session.part.mesh
    assert mesh.n_faces == 24 and (mesh.topology.face_sizes == 4).all()
    assert mesh.topology.euler_number() == 0  # A ring.
    belt = mesh.points[mesh.topology.point_face_count > 0]
    ball = session.document.by_name("ball").result(4, True).points
    near = np.linalg.norm(belt[:, None] - ball, axis=2).min(axis=1)
    # On the limit, not on the cage, which lies up to 0.3 mm outside it.
    assert np.abs(np.linalg.norm(belt, axis=1) - radius).max() < 0.12 and near.max() < 1.0
    lengths = np.linalg.norm(np.diff(mesh.points[mesh.topology.edges], axis=1)[:, 0], axis=1)
    assert lengths.max() < 2.2 * lengths.min()
    session.undo()
    open_path = path[:7]
    assert "it closes" not in session.do("lay_strip", path=open_path, width=6.0, count=12, onto="ball")
