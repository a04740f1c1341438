"""What modelers know by eye, told by numbers: each fact is common practice, no source."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from levelloop.core.measure.gauge import loop_gauge
from levelloop.document.session import Session


def found(session: Session) -> dict[str, float]:
    """The warnings and stops of a review for smooth, by check, with their largest value."""
    worst: dict[str, float] = {}
    for finding in session.review("smooth"):
        if finding.severity != "note":
            worst[finding.check] = max(finding.value, worst.get(finding.check, 0.0))
    return worst


@pytest.mark.parametrize("diameter", [0.4, 40.0, 4000.0])
def test_a_sphere_of_quads_beats_one_with_poles(diameter: float) -> None:
    quads, poles = Session.new(), Session.new()
    quads.do("add_quad_sphere", diameter=diameter, cells=4)
    poles.do("add_sphere", diameter=diameter)
    for session in (quads, poles):
        session.do("set_level", level=2)
    assert not found(quads)
    worst = found(poles)
    assert worst["pinch"] > 1.5 and worst["streak"] > 5.0 and "triangles" in worst


@pytest.mark.parametrize("size", [4.0, 40.0, 400.0])
def test_the_nearer_the_support_the_tighter_the_turn(size: float) -> None:
    """And in proportion: at half the distance the radius is half as large."""
    radii, supports = [], []
    for radius in (0.02 * size, 0.04 * size, 0.08 * size):
        session = Session.new()
        session.do("add_box", size=(size, size, size), cells=(1, 1, 8))
        session.select_where("edges", along="z")
        session.do("hold", radius=radius)
        mesh = session.part.mesh
        corner = np.isclose(mesh.points[:, :2], size / 2).all(axis=1)
        gauge = loop_gauge(mesh, int(np.flatnonzero(corner[mesh.topology.edges].all(axis=1))[0]))
        assert gauge.radius is not None
        # Away from the ends, where the unheld rims of the box pull.
        radii.append(float(np.median(gauge.radii[1])))
        supports.append(np.concatenate([np.ravel(side) for side in gauge.supports]))
    assert radii[0] < radii[1] < radii[2]
    assert radii[1] / radii[0] == pytest.approx(2.0, rel=0.03) and radii[2] / radii[1] == pytest.approx(2.0, rel=0.03)
    assert supports[1].mean() / supports[0].mean() == pytest.approx(2.0, rel=0.03)


@pytest.mark.parametrize("width", [2.0, 3.0, 4.0])
def test_a_bevel_of_one_step_with_a_loop_through_its_middle_beats_one_of_two_steps(width: float) -> None:
    """Where it ends in a flat it turns less tightly: the loop runs on, the second step does not."""
    tightest: dict[str, float] = {}
    ways: dict[str, dict[str, Any]] = {"one step": {"middle_loop": True}, "two steps": {"steps": 2}}
    for name, way in ways.items():
        session = Session.new()
        session.do("add_box", size=(40, 40, 40), cells=(4, 4, 4))
        session.select_where("edges", along="z", angle_over=60)
        session.do("bevel", width=width, **way)
        session.do("set_level", level=2)
        tightest[name] = session.measure().smallest_radius
    assert tightest["one step"] > 1.1 * tightest["two steps"]


def test_smoothed_before_it_is_bent_beats_bent_before_it_is_smoothed() -> None:
    """A strip of few faces bent to a half circle: smoothed first it keeps its radius, smoothed last it shrinks off it.

    By what a ring of so many points loses: (2 + cos 30°) / 3, uniform cubic B-splines.
    """
    neutral = 80.0 / np.pi
    outside: dict[tuple[str, ...], float] = {}
    for order in (("smooth",), ("smooth", "bend"), ("bend", "smooth")):
        session = Session.new()
        session.do("add_box", size=(80, 12, 4), cells=(6, 1, 1))
        session.do("set_level", level=0)
        for step in order:
            given = {"level": 3} if step == "smooth" else {"angle": 180.0, "along": "x", "around": "y"}
            session.add_step(step, **given)
        points = session.part.result(0).points
        points = points[np.abs(points[:, 1]) < 1e-6][:, [0, 2]]
        if len(order) == 1:
            outside[order] = float(points[:, 1].max())
            continue
        out = points - np.array([0.0, -neutral])
        middle = np.abs(np.degrees(np.arctan2(out[:, 0], out[:, 1]))) < 10
        outside[order] = float(np.linalg.norm(out[middle], axis=1).max())
    wanted = neutral + outside[("smooth",)]
    assert outside["smooth", "bend"] == pytest.approx(wanted, rel=1e-3)
    lost = 1.0 - (2.0 + np.cos(np.radians(30))) / 3.0
    assert outside["bend", "smooth"] == pytest.approx(wanted * (1.0 - lost), rel=0.01)
