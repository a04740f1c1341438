"""Bevels: widths, volumes and counts that can be worked out by hand."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import CAGES, CLOSED

from levelloop.core.edit.bevel import bevel
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane
from levelloop.core.measure.faces import face_areas, signed_volume
from levelloop.core.mesh import Mesh
from levelloop.core.review import review
from levelloop.core.selection import Selection, select, select_all, select_loop


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
    assert (plain.mesh.topology.face_sizes == 3).sum() == 2
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
