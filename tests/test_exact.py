"""Exactness: walls, grooves, bevels, quads and booleans do what they say, or say by how much they do not."""

from __future__ import annotations

import re

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.edit.build.groove import groove
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.forms.primitives import box, plane, quad_sphere
from levelloop.core.mesh.faces import face_areas, face_normals, point_normals, signed_volume
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import NOTHING, Selection


def fan(sides: int, seed: int, size: float, rise: float) -> Mesh:
    """Quads around a point, with random heights."""
    chance = np.random.default_rng(seed)
    angle = np.arange(2 * sides) * np.pi / sides
    radius = np.where(np.arange(2 * sides) % 2, 1.3, 1.0)
    rim = np.column_stack((radius * np.cos(angle), radius * np.sin(angle), rise * chance.normal(size=2 * sides)))
    faces = [[0, 1 + 2 * n, 2 + 2 * n, 1 + (2 * n + 2) % (2 * sides)] for n in range(sides)]
    return mesh_of_faces(size * np.concatenate(([[0, 0, 0]], rim)), faces)


@some(80)
@given(st.integers(3, 7), st.integers(0, 9999), st.sampled_from([0.01, 1.0, 100.0]), st.floats(0, 0.4))
def test_walls_are_exact_or_their_error_is_said_and_no_point_strays(
    n: int, seed: int, size: float, rise: float
) -> None:
    mesh = fan(n, seed, size, rise)
    wall = 0.4 * size
    edit = thicken(mesh, NOTHING, outward=0.0, inward=wall)
    normals = face_normals(mesh.topology, mesh.points)
    inner = edit.mesh.points[np.flatnonzero(edit.origin.points == 0)]
    moved = inner[np.argmax(np.linalg.norm(inner - mesh.points[0], axis=1))] - mesh.points[0]
    off = float(np.abs(normals @ moved + wall).max())
    least = float((normals @ (normals.mean(axis=0) / np.linalg.norm(normals.mean(axis=0)))).min())
    if least > 0.1:
        assert np.linalg.norm(moved) <= 1.3 * wall / least
    said = re.search(r"off by up to ([\d.e+-]+) mm", edit.message)
    if off > 1e-5 * wall:
        assert said and float(said.group(1)) >= 0.99 * off
    elif said:
        assert float(said.group(1)) > 0


def test_mean_normals_are_mean_normals() -> None:
    mesh = fan(6, 3, 1.0, 0.3)
    edit = thicken(mesh, NOTHING, outward=0.0, inward=0.5, even_wall=False)
    expected = mesh.points - 0.5 * point_normals(mesh.topology, mesh.points)
    found = edit.mesh.points
    assert all(np.linalg.norm(found - place, axis=1).min() < 1e-12 for place in expected)


def test_walls_of_boxes_and_tubes_are_exact() -> None:
    for mesh, inner in ((box((20, 30, 40)), (16, 26, 36)), (box((20, 30, 40), (3, 2, 1)), (16, 26, 36))):
        edit = thicken(mesh, NOTHING, outward=0, inward=2)
        assert signed_volume(edit.mesh) == pytest.approx(20 * 30 * 40 - np.prod(inner), rel=1e-12)
        assert "off" not in edit.message


# Grooves


def convex_and_simple(mesh: Mesh) -> bool:
    """Whether no face of a flat mesh turns over anywhere."""
    topology = mesh.topology
    p = mesh.points
    ahead = p[topology.corner_end] - p[topology.corners]
    behind = p[topology.corners] - p[topology.corners[topology.previous_corner]]
    turn = np.cross(behind, ahead)[:, 2]
    return bool((turn > -1e-9).all()) and bool((face_areas(topology, p) > 0).all())


@some(80)
@given(st.integers(0, 9999), st.floats(0.05, 60), st.integers(1, 4))
def test_grooves_make_no_bow_ties_and_keep_the_area(seed: int, width: float, number: int) -> None:
    chance = np.random.default_rng(seed)
    sheet = plane((40, 40), (4, 4))
    inner = ~sheet.topology.open_points
    points = sheet.points.copy()
    points[inner, :2] += chance.uniform(-4, 4, (int(inner.sum()), 2))
    sheet = sheet.with_points(points)
    if not convex_and_simple(sheet):
        return
    rows = np.flatnonzero(~sheet.topology.open_edges)
    chosen = chance.choice(rows, number, replace=False)
    edit = groove(sheet, Selection("edges", chosen), width, 0.0)
    areas = face_areas(edit.mesh.topology, edit.mesh.points)
    normals = face_normals(edit.mesh.topology, edit.mesh.points)
    assert areas.sum() == pytest.approx(1600, rel=1e-9)
    assert (normals[:, 2] > 0.99).all()


def test_one_narrow_face_holds_only_its_own_groove_back() -> None:
    sheet = plane((40, 10), (8, 1))
    x = sheet.points[:, 0].copy()
    points = sheet.points.copy()
    points[np.abs(x + 15) < 1e-9, 0] = -10.5
    sheet = sheet.with_points(points)
    ends = sheet.points[sheet.topology.edges]
    upright = np.flatnonzero((np.abs(ends[:, 0, 0] - ends[:, 1, 0]) < 1e-9) & ~sheet.topology.open_edges)
    at = ends[upright, 0, 0]
    chosen = upright[np.isin(np.round(at, 6), [-10.0, 10.0])]
    edit = groove(sheet, Selection("edges", chosen), 2.0, 0.0)
    x = np.unique(np.round(edit.mesh.points[:, 0], 6))
    assert {9.0, 11.0} <= set(x.tolist()) and "held back" in edit.message
    assert x[x < -10][-1] > -10.5


def test_spheres_are_grooved_as_before() -> None:
    ball = quad_sphere(40, 4)
    ring = np.flatnonzero((np.abs(ball.points[ball.topology.edges][:, :, 2]) < 1e-9).all(axis=1))
    edit = groove(ball, Selection("edges", ring), 1.0, -0.5)
    assert edit.message == "" and (edit.mesh.topology.edge_face_count == 2).all()
