"""Smoothing before a step that joins: the same surface as smoothing after it, and no fold at the seam."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.forms.primitives import box, cylinder, quad_sphere
from levelloop.core.mesh.faces import edge_folds
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.recipe.chain import build
from levelloop.document.document import Document
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step, links_of
from levelloop.document.session import Session


def step(key: str, **given: Any) -> Step:
    kind = STEPS[key]
    return Step(key, {**{parameter.name: parameter.default for parameter in kind.parameters}, **given})


def result(cage: Mesh, *steps: Step) -> Mesh:
    built = build(cage, links_of(steps, 0))
    assert not built.troubles
    return built.mesh


def differ(one: Mesh, other: Mesh) -> float:
    assert one.n_points == other.n_points and one.n_faces == other.n_faces
    return float(
        max(cKDTree(one.points).query(other.points)[0].max(), cKDTree(other.points).query(one.points)[0].max())
    )


FORMS = {
    "sphere": lambda: quad_sphere(20, 4),
    "box": lambda: box((20, 12, 16), (4, 2, 4)),
    "cylinder": lambda: cylinder(20, 20, 16, 2, "quads"),
}


@pytest.mark.parametrize("planes", ["x", "y", "z", "xy", "xz", "xyz"])
@pytest.mark.parametrize("form", sorted(FORMS))
@pytest.mark.parametrize("level", [1, 2])
def test_a_mirrored_part_smooths_alike_before_and_after(form: str, planes: str, level: int) -> None:
    part = FORMS[form]()
    random = np.random.default_rng(len(form))
    part = part.with_creases(np.where(random.random(part.n_edges) < 0.3, 1.5, 0.0))
    for plane in planes:
        part = slice_planes(part, NOTHING, plane, (0.0,), "front").mesh
    mirror = step("mirror", planes=planes)
    before = result(part, step("smooth", level=level), mirror)
    after = result(part, mirror, step("smooth", level=level))
    assert not before.topology.open_edges.any()
    assert differ(before, after) < 1e-9


@pytest.mark.parametrize("count", [2, 3, 5, 8])
def test_slices_of_a_full_turn_smooth_alike_before_and_after(count: int) -> None:
    session = Session(Document())
    session.do("add_tube", outer=20, inner=14, height=10, sides=3 * count if count > 3 else 12, cells=2)
    session.do("keep_slice", count=count)
    array = session.part.steps[0]
    before = result(session.part.mesh, step("smooth", level=2), array)
    after = result(session.part.mesh, array, step("smooth", level=2))
    assert not before.topology.open_edges.any() and differ(before, after) < 1e-9


def tile(block: tuple[int, int], cells: int = 6, rows: int = 4) -> Mesh:
    """A strip with a block standing on some of its cells, also on its very end."""
    session = Session(Document())
    session.do("add_plane", size=(12, 8), cells=(cells, rows))
    middle = [row * cells + column for row in (1, 2) for column in range(*block)]
    session.select(faces=middle)
    session.do("extrude", distance=2)
    return session.part.mesh


@given(st.integers(0, 5), st.integers(1, 3), st.sampled_from([3, 6, 12]), st.integers(1, 2))
def test_a_ring_bent_shut_has_no_fold_at_its_seam(first: int, long: int, count: int, level: int) -> None:
    cage = tile((first, min(first + long, 6)))
    row = step("array", count=count, move=(12.0, 0, 0), weld=0.001)
    # The pivot below, so that the ring has room inside.
    bend = step("bend", angle=360.0, along="x", around="y", pivot=(6.0 * (count - 1), 0.0, 0.0))
    steps = (row, step("smooth", level=level), bend, step("weld", distance=0.001))
    ring = result(cage, *steps)
    open_rim = ring.points[ring.topology.edges[ring.topology.open_edges]]
    assert np.allclose(np.abs(open_rim[..., 1]), 4.0, atol=0.6)  # only its sides are open
    # Every tile's folds are those of every other: none is larger at the seam.
    folds = np.sort(edge_folds(ring.topology, ring.points))[::-1]
    assert len(folds) % count == 0
    assert np.allclose(folds[0::count], folds[count - 1 :: count], atol=0.05)


def test_open_copies_and_other_steps_between_see_nothing() -> None:
    cage = tile((2, 4))
    plain = result(cage, step("smooth", level=1))
    for steps in (
        (step("array", count=3, move=(12.0, 0, 0), weld=None),),
        (step("twist", angle=30.0, axis="x"), step("bend", angle=360.0, along="x", around="y")),
        (step("bend", angle=180.0, along="x", around="y"),),
    ):
        links = links_of((step("smooth", level=1), *steps), 0)
        built = build(cage, links)
        assert np.array_equal(built.stops[0].points, plain.points)


def test_moving_points_keeps_the_surroundings_and_agrees_with_building_anew() -> None:
    half = slice_planes(quad_sphere(20, 4), NOTHING, "x", (0.0,), "front").mesh
    steps = (step("smooth", level=2), step("mirror"))
    old = build(half, links_of(steps, 0))
    moved = half.with_points(half.points * (1.0, 1.2, 0.9))
    again, anew = build(moved, links_of(steps, 0), like=old), build(moved, links_of(steps, 0))
    assert np.array_equal(again.points, anew.points)
    assert again.stops[0].topology is old.stops[0].topology
