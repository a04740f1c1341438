"""The limit surface as a value, checked against formulas, true forms, repeated subdivision and B-spline functions."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import CAGES
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import BSpline

from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.forms.solids import torus
from levelloop.core.mesh.faces import face_areas
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.surface.limit_matrix import limit_matrix
from levelloop.core.surface.samples import SurfaceSamples, _bends, _bends_by_rings, sampled, sampled_mesh
from levelloop.core.surface.surface import SmoothSurface, smooth
from levelloop.document.session import Session


def samples(mesh: Mesh, level: int = 2) -> SurfaceSamples:
    return sampled(SmoothSurface(mesh, level), mesh.points)


@pytest.mark.parametrize("sides", [3, 4, 5, 6, 8, 16, 37])
@pytest.mark.parametrize("level", [0, 1, 3])
def test_rings_bend_as_the_formula_says(sides: int, level: int) -> None:
    """2/(R(1 + cos(2π/N))) around and 0 along, from uniform cubic B-splines."""
    tube = cylinder(20, 60, sides, 12, "open")
    surface = samples(tube, level)
    inner = np.flatnonzero(np.abs(tube.points[:, 2]) < 20)
    assert np.allclose(surface.k1[inner], 2 / (10 * (1 + np.cos(2 * np.pi / sides))), rtol=0, atol=1e-6)
    assert np.abs(surface.k2[inner]).max() < 1e-9
    # The direction of the larger one runs around, of the other along; normals point outwards.
    assert np.abs(surface.d1[inner, 2]).max() < 1e-9 and np.abs(surface.d2[inner, 2]) == pytest.approx(1)
    assert (np.einsum("ij,ij->i", surface.normals[inner, :2], tube.points[inner, :2]) > 0).all()


def test_a_torus_and_a_ball_bend_as_true_ones_do() -> None:
    surface = samples(torus(100, 30, 48, 48))
    across = np.hypot(surface.points[:, 0], surface.points[:, 1])
    cosine = (across - 50) / np.hypot(across - 50, surface.points[:, 2])
    assert np.abs(surface.k1 * 15 - 1).max() < 0.02
    assert np.abs(surface.k2 - cosine / (50 + 15 * cosine)).max() < 0.02 / 35
    ball = samples(quad_sphere(20, 16))
    mean = 10 * 0.5 * (ball.k1 + ball.k2)
    assert np.median(mean) == pytest.approx(1, abs=0.02)
    assert np.percentile(mean, 2.5) > 0.97 and np.percentile(mean, 97.5) < 1.03
    # Hollow instead: the other way around.
    hollow = samples(Mesh(quad_sphere(20, 8).topology, -quad_sphere(20, 8).points))
    assert hollow.k1.max() < 0


@given(st.integers(0, 10_000))
def test_a_bicubic_patch_is_that_of_its_basis_functions(seed: int) -> None:
    """An open sheet inside: places and derivatives of uniform cubic B-splines, as SciPy has them."""
    random_ = np.random.default_rng(seed)
    sheet = plane((4.0, 4.0), (4, 4))
    sheet = sheet.with_points(sheet.points + random_.normal(scale=0.3, size=sheet.points.shape))
    surface = samples(sheet, 2)
    grid = np.lexsort(
        (np.round(plane((4.0, 4.0), (4, 4)).points[:, 0], 6), np.round(plane((4.0, 4.0), (4, 4)).points[:, 1], 6))
    )
    control = sheet.points[grid].reshape(5, 5, 3)
    basis = [BSpline.basis_element(np.arange(-2.0, 3.0) + shift) for shift in (-1, 0, 1)]

    def weights(order: int) -> np.ndarray:
        return np.array([float(one.derivative(order)(0.0)) if order else float(one(0.0)) for one in basis])

    def value(row: int, column: int) -> np.ndarray:
        return np.asarray(np.einsum("i,j,ijk->k", weights(row), weights(column), control[1:4, 1:4]))

    middle = int(grid.reshape(5, 5)[2, 2])
    assert surface.points[middle] == pytest.approx(value(0, 0), abs=1e-12)
    su, sv = value(0, 1), value(1, 0)
    normal = np.cross(su, sv) / np.linalg.norm(np.cross(su, sv))
    assert surface.normals[middle] == pytest.approx(normal, abs=1e-12)
    first = np.array([[su @ su, su @ sv], [su @ sv, sv @ sv]])
    second = -np.array([[value(0, 2) @ normal, value(1, 1) @ normal], [value(1, 1) @ normal, value(2, 0) @ normal]])
    meant = np.sort(np.linalg.eigvals(np.linalg.solve(first, second)).real)
    assert [surface.k2[middle], surface.k1[middle]] == pytest.approx(meant, abs=1e-9)


CLOSED = {
    "box": lambda: box(),
    "cells": lambda: box((20, 30, 10), (3, 2, 2)),
    "torus": lambda: torus(100, 30, 16, 8),
    "ball": lambda: quad_sphere(20, 4),
    "caps": lambda: cylinder(20, 30, 16, 2, "quads"),
    "n-gons": lambda: cylinder(20, 30, 7, 2, "face"),
    "fans": lambda: cylinder(20, 30, 8, 2, "triangles"),
}


@pytest.mark.parametrize("name", sorted(CLOSED))
def test_all_bending_of_a_closed_form_is_its_euler_number(name: str) -> None:
    """Gauss and Bonnet: the integral of k1·k2 is 2π times the Euler number."""
    mesh = CLOSED[name]()
    surface = samples(mesh, 4)
    topology = surface.mesh.topology
    bend = (surface.k1 * surface.k2)[topology.corners].reshape(-1, 4).mean(axis=1)
    whole = float((bend * face_areas(topology, surface.points)).sum())
    assert abs(whole - 2 * np.pi * mesh.topology.euler_number()) <= 0.13


@pytest.mark.thorough
@pytest.mark.parametrize("name", sorted(CAGES))
def test_samples_are_the_points_of_their_level_on_the_limit(name: str) -> None:
    mesh = CAGES[name]
    if mesh.n_faces == 0:
        return
    for level in (0, 1, 2, 3):
        surface = sampled(SmoothSurface(mesh, level), mesh.points)
        used = surface.cage_face >= 0
        finer = smooth(mesh, max(level, 1), limit=True) if not mesh.hole.any() else None
        for values in (surface.points, surface.normals, surface.k1, surface.k2, surface.d1, surface.d2, surface.beside):
            assert np.isfinite(values).all()
        assert (surface.k1 >= surface.k2).all() and (surface.beside >= 0).all()
        assert np.allclose(np.linalg.norm(surface.normals[used], axis=1), 1, rtol=0, atol=1e-9)
        assert len(surface.points) == surface.mesh.n_points
        if finer is not None and level and finer.n_points == surface.mesh.n_points:
            assert np.allclose(surface.points, finer.points, rtol=0, atol=1e-9)
        # What is a sample at one level is the same one at the next.
        deeper = sampled(SmoothSurface(mesh, level + 1), mesh.points)
        count = len(surface.points)
        assert np.allclose(deeper.points[:count], surface.points, rtol=0, atol=1e-9)
        for face, point in zip(
            surface.mesh.topology.corner_face.tolist(), surface.mesh.topology.corners.tolist(), strict=True
        ):
            assert surface.cage_face[point] <= SmoothSurface(mesh, level).face_origin[face]


@given(st.floats(0.1, 9.5), st.integers(0, 3))
def test_fading_creases_bend_as_their_weight_says(weight: float, level: int) -> None:
    """A straight fold between loops that give r₀: r₀ / (2^⌊w⌋ (1 + w − ⌊w⌋)), derived from the crease rule."""
    from levelloop.core.edit.hold.radius import crease_weight, creased_radius

    # A trough whose cross-section folds by 90° in the middle, far from its ends.
    fold = plane((8.0, 40.0), (2, 8))
    fold = fold.with_points(np.column_stack((fold.points[:, 0], fold.points[:, 1], -np.abs(fold.points[:, 0]))))
    ends = fold.points[fold.topology.edges]
    crest = np.abs(ends[:, :, 0]).max(axis=1) < 1e-9
    free = samples(fold, level)
    middle = int(np.flatnonzero((np.abs(fold.points[:, 0]) < 1e-9) & (np.abs(fold.points[:, 1]) < 1e-9))[0])
    creased = Mesh(fold.topology, fold.points, np.where(crest, weight, 0.0))
    radius = 1.0 / samples(creased, level).k1[middle]
    loose = 1.0 / free.k1[middle]
    assert radius == pytest.approx(float(creased_radius(np.array(loose), weight)), rel=1e-6)
    assert float(crease_weight(np.array(loose), radius)) == pytest.approx(weight, rel=1e-6)


def test_poles_take_their_bend_beside_them_and_say_how_far() -> None:
    ball = quad_sphere(20, 4)
    surface = samples(ball, 3)
    poles = np.flatnonzero(ball.topology.valence == 3)
    assert (np.flatnonzero(surface.beside) == poles).all()
    size = np.linalg.norm(np.diff(ball.points[ball.topology.edges], axis=1)[:, 0], axis=1)
    # About a quarter of the cage edges there.
    assert 0.15 * size.min() < surface.beside[poles].min() <= surface.beside.max() < 0.4 * size.max()


def test_the_limit_matrix_is_the_limit() -> None:
    random_ = np.random.default_rng(3)
    for mesh in (box((20, 20, 20), (2, 2, 2)), cylinder(20, 30, 7, 2, "face"), plane((4, 4), (3, 3))):
        creases = np.where(random_.random(mesh.n_edges) < 0.2, random_.choice([0.5, 2.0, 10.0], mesh.n_edges), 0.0)
        tagged = Mesh(mesh.topology, mesh.points, creases)
        surface = SmoothSurface(tagged, 1)
        meant = surface.limit(surface.points(mesh.points))[: mesh.n_points]
        assert limit_matrix(tagged) @ mesh.points == pytest.approx(meant, abs=1e-9)


def test_parts_have_surfaces_after_their_recipe_and_where_they_stand() -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20, cells=4)
    session.do("slice", plane="x", keep="back")
    session.add_step("mirror", planes="x")
    whole = session.part.surface(2)
    assert len(whole.points) == len(session.part.result(2).points) and whole.cage_face.max() < session.part.mesh.n_faces
    session.do("duplicate")
    session.do("scale", factors=2.0, pivot="origin")
    assert np.allclose(np.sort(session.part.surface(2, in_world=True).k1), np.sort(whole.k1) / 2, rtol=1e-6)
    session.do("add_curve", points=[(0, 0, 0), (1, 0, 0)])
    with pytest.raises(EditError, match="no faces"):
        session.part.surface()
    # Bent after it was smoothed: a tube of 5 mm radius, its outer side of the ring's radius on top.
    session.do("add_cylinder", diameter=10, height=100, sides=16, cells=20, caps="open", axis="x")
    session.add_step("smooth")
    session.add_step("bend", angle=180, along="x", around="z")
    bent = session.part.surface(3)
    inner = np.abs(bent.k1) > 0
    assert np.median(bent.k1[inner]) == pytest.approx(1 / 4.873, rel=0.02)


def test_moving_turning_and_scaling_change_nothing_but_millimetres() -> None:
    mesh = cylinder(20, 30, 12, 2, "quads")
    base = samples(mesh)
    turn = np.linalg.qr(np.random.default_rng(1).normal(size=(3, 3)))[0]
    turn *= np.sign(np.linalg.det(turn))
    for factor in (1e-4, 1e4):
        moved = samples(mesh.with_points(factor * mesh.points @ turn + 17.0 * factor))
        assert np.allclose(moved.k1 * factor, base.k1, rtol=0, atol=1e-6)
        assert np.allclose(moved.normals, base.normals @ turn, rtol=0, atol=1e-6)


def crowded(seed: int) -> Mesh:
    """A cage that is regular for the most part, with creases, sharp points, poles and a rim here and there."""
    random_ = np.random.default_rng(seed)
    form = [quad_sphere(100, 12), plane((100, 100), (16, 18)), torus(100, 40, 24, 16)][seed % 3]
    creases, corners = np.zeros(form.n_edges), np.zeros(form.n_points)
    creases[random_.integers(0, form.n_edges, 6)] = random_.choice([0.4, 1.5, 3.0, 10.0], 6)
    corners[random_.integers(0, form.n_points, 3)] = random_.choice([0.7, 2.0, 10.0], 3)
    moved = form.points + random_.normal(0, 0.4, form.points.shape)
    return Mesh(form.topology, moved, creases, corners)


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("level", [2, 3, 4])
def test_patches_give_what_rings_give(seed: int, level: int) -> None:
    """Two ways to one surface: products of B-spline weights where the cage is regular, the points around elsewhere."""
    cage = crowded(seed)
    surface = SmoothSurface(cage, level)
    assert surface.patched is not None and surface.patched[2] is not None
    raw = surface.points(cage.points)
    one, beside = _bends(surface, cage.points, 2, True)
    other, also = _bends_by_rings(surface, raw, 2, True)
    for name in ("places", "normals", "k1", "k2"):
        scale = max(np.abs(getattr(other, name)).max(), 1.0)
        assert np.abs(getattr(one, name) - getattr(other, name)).max() < 1e-9 * scale, name
    assert np.allclose(beside, also, rtol=0, atol=1e-9)
    # Directions where there are two of them.
    apart = other.k1 - other.k2 > 1e-3 * np.abs(other.k1).max()
    assert np.allclose(np.abs(np.einsum("ij,ij->i", one.d1, other.d1)[apart]), 1.0, rtol=0, atol=1e-9)
    assert np.abs(np.einsum("ij,ij->i", one.d1, one.d2)).max() < 1e-9
    assert np.allclose(surface.normals(raw, cage.points), surface.normals(raw), rtol=0, atol=1e-9)


@pytest.mark.parametrize("size", [1e-160, 1e-12, 1e12])
def test_what_is_too_small_for_a_number_is_flat_and_no_complaint(size: float) -> None:
    surface = samples(quad_sphere(20, 4).with_points(size * quad_sphere(20, 4).points))
    for values in (surface.normals, surface.k1, surface.k2, surface.d1, surface.d2):
        assert np.isfinite(values).all()


@pytest.mark.parametrize("level", [0, 2, 3])
def test_a_curve_has_samples_that_bend_nowhere(level: int) -> None:
    """Parts without faces are shown beside others whose curvature is looked at; with steps that shape them too."""
    session = Session.new()
    session.do("add_curve")
    curve = session.part.mesh
    for found in (samples(curve, level), sampled_mesh(curve, np.zeros(0, dtype=np.int64))):
        assert len(found.points) == curve.n_points and (found.points == curve.points).all()
        for values in (found.k1, found.k2, found.normals, found.d1, found.d2, found.beside):
            assert len(values) == curve.n_points and not values.any()
        assert (found.cage_face == -1).all()
