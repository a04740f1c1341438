"""Bevels: widths, volumes and counts that can be worked out by hand."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import CAGES, CLOSED
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.strategies import DataObject

from levelloop.core.arrays import Floats
from levelloop.core.edit.bevel.bevel import bevel
from levelloop.core.edit.build.extrude import extrude
from levelloop.core.edit.divide.join_points import join_points
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.mesh.faces import edge_folds, face_areas, face_normals, signed_volume
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import Selection, select, select_all, select_loop
from levelloop.core.review import review


def top_edges(mesh: Mesh) -> Selection:
    high = mesh.points[:, 2] == mesh.points[:, 2].max()
    return Selection("edges", np.flatnonzero(high[mesh.topology.edges].all(axis=1)))


def test_one_flat_step_cuts_off_a_prism() -> None:
    cube = box((2, 2, 2))
    edit = bevel(cube, select(cube.topology, "edges", [cube.topology.edges[0]]), 0.5)
    # The prism has legs of the width and the edge's length.
    assert signed_volume(edit.mesh) == pytest.approx(8 - 0.5 * 0.5**2 * 2)
    assert edit.mesh.topology.face_sizes.tolist().count(5) == 2
    assert len(edit.selection) == 1
    assert face_areas(edit.mesh.topology, edit.mesh.points)[edit.selection.indices[0]] == pytest.approx(2 * 0.5**0.5)


def test_the_width_is_measured_in_the_face_square_to_the_edge() -> None:
    prism = cylinder(20, 10, 6)  # its walls meet at 120°, its caps at 90°
    rim = top_edges(prism)
    mesh = bevel(prism, rim, 1.5).mesh
    high = mesh.points[np.isclose(mesh.points[:, 2], 5)]
    # The cap's rim moved in by the width: an inscribed circle of 10 cos 30° less 1.5.
    assert np.hypot(high[:, 0], high[:, 1]) == pytest.approx((10 * np.cos(np.pi / 6) - 1.5) / np.cos(np.pi / 6))
    assert np.isclose(mesh.points[:, 2], 5 - 1.5).sum() == 6


def test_many_steps_round_a_cube_to_cylinders_and_spheres() -> None:
    cube = box((2, 2, 2))
    mesh = bevel(cube, select_all(cube.topology, "edges"), 0.5, 6).mesh
    inner = np.clip(np.abs(mesh.points), 0, 0.5)
    assert np.linalg.norm(np.abs(mesh.points) - inner, axis=1) == pytest.approx(0.5, abs=1e-12)
    # Steiner's formula for a cube of side 1 grown by r: 1 + 6r + 3πr² + 4πr³/3 (Steiner 1840).
    fine = bevel(cube, select_all(cube.topology, "edges"), 0.5, 40).mesh
    assert signed_volume(fine) == pytest.approx(1 + 3 + 3 * np.pi / 4 + np.pi / 6, rel=2e-4)


@pytest.mark.parametrize("steps", [2, 3, 4, 5, 8])
def test_corners_of_three_edges_are_quads(steps: int) -> None:
    cube = box((2, 2, 2))
    sizes = bevel(cube, select_all(cube.topology, "edges"), 0.4, steps).mesh.topology.face_sizes
    # An outline of 3 × an odd number has an odd number of sides: one triangle in its middle is the least.
    assert (sizes == 3).sum() == (8 if steps % 2 else 0)
    assert set(sizes.tolist()) <= {3, 4}


@pytest.mark.parametrize("roundness", [-1.0, 0.0, 0.5, 1.0])
def test_roundness_moves_between_hollow_and_arc(roundness: float) -> None:
    block = box((2, 2, 2))
    edge = select(block.topology, "edges", [block.topology.edges[0]])
    mesh = bevel(block, edge, 1.0, 2, roundness).mesh
    flat = 8 - 0.5 * 2
    # The chord's middle rises by the arc's sagitta, 1 − 1/√2 off the chord's end … so the two triangles' area.
    sagitta = 1 - np.sqrt(0.5)
    assert signed_volume(mesh) == pytest.approx(flat + roundness * 0.5 * np.sqrt(2) * sagitta * 2)


def test_a_loop_bevelled_on_a_closed_form_stays_quads() -> None:
    form = cylinder(20, 30, 12, 4, "quads")
    middle = select_loop(form.topology, Selection("edges", _edge_at(form, 0.0)))
    edit = bevel(form, middle, 1.0, 3)
    assert edit.mesh.n_faces == form.n_faces + 3 * 12
    assert (edit.mesh.topology.face_sizes == 4).all() and not edit.mesh.topology.open_edges.any()
    assert edit.mesh.topology.euler_number() == 2


def _edge_at(mesh: Mesh, height: float) -> np.ndarray:
    return np.flatnonzero(np.isclose(mesh.points[mesh.topology.edges][:, :, 2], height).all(axis=1))[:1]


def test_a_width_that_would_pass_the_next_loop_is_held_back() -> None:
    cube = box((2, 2, 2))
    edit = bevel(cube, select_all(cube.topology, "edges"), 5.0)
    assert edit.message == "The width was held at 0.99 mm, where new edges would meet."
    assert not review(edit.mesh, "print").findings or all(f.check != "zero_area" for f in review(edit.mesh).findings)
    assert signed_volume(edit.mesh) > 0


def test_a_middle_loop_runs_on_where_the_bevel_ends() -> None:
    sheet = plane((8, 8), (8, 8))
    inner = Selection("edges", np.flatnonzero(np.abs(sheet.points[sheet.topology.edges]).max(axis=(1, 2)) < 1.5)[:1])
    plain, with_loop = bevel(sheet, inner, 0.2), bevel(sheet, inner, 0.2, middle_loop=True)
    # Without the loop the strip's two ends hold the old points; nothing without area closes them.
    assert sorted(plain.mesh.topology.face_sizes)[-1] == 6 and (plain.mesh.topology.face_sizes != 3).all()
    assert face_areas(plain.mesh.topology, plain.mesh.points).min() > 0.1
    assert (with_loop.mesh.topology.face_sizes >= 4).all()
    ends = sheet.topology.edges[inner.indices[0]]
    assert with_loop.mesh.topology.valence[ends].tolist() == [4, 4]


@pytest.mark.parametrize("name", CLOSED)
@pytest.mark.parametrize("steps", [1, 2, 3])
def test_bevelled_points_are_cut_off_and_the_form_stays_closed(name: str, steps: int) -> None:
    cage = CAGES[name]
    edit = bevel(cage, select_all(cage.topology, "points"), 0.1, steps)
    assert not edit.mesh.topology.open_edges.any()
    assert edit.mesh.topology.euler_number() == cage.topology.euler_number()


def test_a_cube_with_its_points_cut_off() -> None:
    cube = box((2, 2, 2))
    mesh = bevel(cube, select_all(cube.topology, "points"), 0.5).mesh
    assert signed_volume(mesh) == pytest.approx(8 - 8 * 0.5**3 / 6)
    assert sorted(mesh.topology.face_sizes.tolist()) == [3] * 8 + [8] * 6


def test_creases_of_the_edge_go_and_others_stay() -> None:
    cube = box((2, 2, 2)).with_creases(np.full(12, 3.0))
    mesh = bevel(cube, select(cube.topology, "edges", [cube.topology.edges[0]]), 0.3).mesh
    # Eleven edges were left; the two rails and the two ends of the strip are smooth.
    assert (mesh.creases == 3).sum() == 11 and (mesh.creases == 0).sum() == 4


@pytest.mark.parametrize(
    ("kind", "indices", "width", "sentence"),
    [
        ("faces", [0], 1.0, "select edges or points"),
        ("edges", [], 1.0, "select edges or points"),
        ("edges", [0], 0.0, "width above 0"),
    ],
)
def test_what_cannot_be_bevelled_is_said(kind: str, indices: list[int], width: float, sentence: str) -> None:
    with pytest.raises(EditError, match=sentence):
        bevel(box(), Selection(kind, np.array(indices, dtype=np.int64)), width)  # type: ignore[arg-type]


def test_open_edges_are_left_and_said() -> None:
    sheet = plane((4, 4), (2, 2))
    edit = bevel(sheet, select_all(sheet.topology, "edges"), 0.2)
    assert edit.message == "8 of the edges have no face on both sides and stayed."
    with pytest.raises(EditError, match="a face on both sides"):
        bevel(sheet, Selection("edges", np.flatnonzero(sheet.topology.open_edges)), 0.2)


# Exact on planar input

PLANAR = {
    "box": lambda: box((40, 40, 20), (2, 2, 1)),
    "cells": lambda: box((12, 9, 6), (4, 3, 2)),
    "sheet": lambda: plane((10, 10), (4, 4)),
    "L": lambda: extrude(box((20, 20, 10), (2, 2, 1)), Selection("faces", np.array([7])), 8.0).mesh,
}


def on_old_planes(cage: Mesh, edit: Edit) -> Floats:
    """How far each point of the result lies off the nearest plane of an old face: (n,)."""
    normals = face_normals(cage.topology, cage.points)
    first = cage.points[cage.topology.corners[cage.topology.face_offsets[:-1]]]
    return np.abs(edit.mesh.points @ normals.T - np.einsum("ij,ij->i", first, normals)).min(axis=1)


@given(st.data(), st.sampled_from(sorted(PLANAR)), st.sampled_from([1, 2, 3, 4]))
def test_rails_lie_on_the_old_faces_and_nothing_is_without_area(data: DataObject, form: str, steps: int) -> None:
    cage = PLANAR[form]()
    inner = np.flatnonzero(cage.topology.edge_face_count == 2)
    picked = data.draw(st.lists(st.sampled_from(inner.tolist()), min_size=1, max_size=4, unique=True))
    edit = bevel(cage, Selection("edges", np.array(sorted(picked))), 0.4, steps, roundness=0.0)
    topology = edit.mesh.topology
    assert np.array_equal(topology.open_edges.any(), cage.topology.open_edges.any())
    assert topology.euler_number() == cage.topology.euler_number()
    if "lie off them" not in edit.message:
        low, high = cage.points.min(axis=0), cage.points.max(axis=0)
        assert (edit.mesh.points >= low - 1e-9).all() and (edit.mesh.points <= high + 1e-9).all()
    if form == "sheet":
        assert face_areas(topology, edit.mesh.points).sum() == pytest.approx(100.0, abs=1e-9)
    if steps == 1:
        old = on_old_planes(cage, edit)
        assert "lie off them" in edit.message or old.max() < 1e-9
    found = {finding.check for finding in review(edit.mesh, "print").findings}
    assert "zero_area" not in found, edit.message


def test_a_diagonal_of_a_sheet_keeps_its_corners() -> None:
    sheet = plane((100, 100))
    joined = join_points(sheet, Selection("points", np.array([0, 3]))).mesh
    inner = np.flatnonzero(joined.topology.edge_face_count == 2)
    for steps in (1, 2, 3, 4):
        edit = bevel(joined, Selection("edges", inner), 3.0, steps)
        assert face_areas(edit.mesh.topology, edit.mesh.points).sum() == pytest.approx(10_000, abs=1e-6)
        assert np.abs(edit.mesh.points[:, :2]).max() == 50.0


def test_one_edge_left_out_keeps_a_box_its_size() -> None:
    block = box((40, 40, 20), (2, 2, 1))
    edges = np.flatnonzero((np.abs(block.points[block.topology.edges][:, :, 2] + 10) < 1e-9).all(axis=1))
    sharp = edges[edge_folds(block.topology, block.points)[edges] > 60]
    for left_out in range(len(sharp)):
        edit = bevel(block, Selection("edges", np.delete(sharp, left_out)), 3.0)
        assert np.abs(edit.mesh.points).max() <= 20.0 + 1e-9
        assert not edit.mesh.topology.open_edges.any()


def test_each_chain_has_its_own_limit() -> None:
    # Two strips far apart, one in a narrow place.
    sheet = plane((100, 10), (20, 1))
    points = sheet.points.copy()
    points[np.isclose(points[:, 0], -35.0), 0] = -39.9
    sheet = sheet.with_points(points)
    middle = sheet.points[sheet.topology.edges].mean(axis=1)[:, 0]
    upright = np.ptp(sheet.points[sheet.topology.edges][:, :, 0], axis=1) == 0
    pick = [int(np.flatnonzero(upright & np.isclose(middle, x))[0]) for x in (-40.0, 30.0)]
    edit = bevel(sheet, Selection("edges", np.array(pick)), 2.0)
    assert "The width was held at 2 points at 0.099 mm" in edit.message
    rails = np.unique(np.round(edit.mesh.points[:, 0], 9))
    assert {28.0, 32.0} <= set(rails.tolist())


@given(st.data(), st.sampled_from(["ball", "tube"]), st.integers(1, 4))
def test_any_edges_of_a_round_form_leave_it_closed(data: DataObject, form: str, steps: int) -> None:
    cage = quad_sphere(20, 3) if form == "ball" else cylinder(10, 10, 8, 2, "quads")
    picked = data.draw(st.lists(st.integers(0, cage.n_edges - 1), min_size=1, max_size=12, unique=True))
    edit = bevel(cage, Selection("edges", np.array(sorted(picked))), 0.3, steps)
    assert not edit.mesh.topology.open_edges.any() and edit.mesh.topology.euler_number() == 2
    assert (edit.mesh.topology.edge_face_count == 2).all()
