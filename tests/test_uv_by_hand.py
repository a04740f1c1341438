"""UV by hand: moved, turned, joined; what UV is like, in numbers and as findings."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from test_uv import FORMS

from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, plane
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.core.review import reviews
from levelloop.core.review.subject import Subject
from levelloop.core.uv.flatten import unwrap
from levelloop.core.uv.islands import uv_cuts, uv_islands
from levelloop.core.uv.measure import filled, near_islands, overlapping_faces, stretch_of_faces
from levelloop.core.uv.moving import island_labels, join_uv, move_uv, select_island, uv_places
from levelloop.core.uv.seams import suggest_seams
from levelloop.document.session import Session


def unwrapped(key: str, values: dict[str, object]) -> Mesh:
    session = Session.new()
    session.perform(key, **values)
    seamed = suggest_seams(session.part.mesh, NOTHING).mesh
    return unwrap(seamed, NOTHING).mesh


MESHES = [unwrapped(key, values) for key, values in FORMS[:5]]


@some(40)
@given(
    st.integers(0, len(MESHES) - 1),
    st.sampled_from(["points", "edges", "faces"]),
    st.lists(st.integers(0, 10**6), max_size=5),
    st.tuples(*[st.floats(-2, 2)] * 2),
    st.floats(-720, 720),
    st.floats(-3, 3).filter(lambda scale: abs(scale) > 0.01),
    st.sampled_from(["middle", "each"]),
)
def test_what_is_moved_keeps_its_shape_and_the_rest_its_place(
    form: int, kind: str, picks: list[int], by: tuple[float, float], angle: float, scale: float, pivot: str
) -> None:
    mesh = MESHES[form]
    count = mesh.count(kind)  # type: ignore[arg-type]
    selection = Selection(kind, np.unique([pick % count for pick in picks]).astype(np.int64))  # type: ignore[arg-type]
    moved = move_uv(mesh, selection, *by, angle, scale, pivot).mesh  # type: ignore[arg-type]
    assert mesh.uv is not None and moved.uv is not None
    place = uv_places(mesh)
    # What was at one place of an island still is.
    assert len(np.unique(np.column_stack((place, moved.uv)), axis=0)) == len(np.unique(place))
    gone = np.zeros(len(place), dtype=bool)
    gone[np.flatnonzero(np.isin(place, place[corners_of(mesh, selection)]))] = True
    assert np.array_equal(moved.uv[~gone], mesh.uv[~gone])
    # Each island's share is a similarity of what it was: distances all grow by the scale.
    label = island_labels(mesh)[mesh.topology.corner_face]
    for island in np.unique(label[gone]):
        own = np.flatnonzero(gone & (label == island))
        before, after = (uv[own] - uv[own[0]] for uv in (mesh.uv, moved.uv))
        assert np.allclose(np.linalg.norm(after, axis=1), abs(scale) * np.linalg.norm(before, axis=1), atol=1e-9)


def corners_of(mesh: Mesh, selection: Selection) -> np.ndarray:
    """By the definition, element by element."""
    topology = mesh.topology
    if not len(selection):
        return np.arange(topology.n_corners)
    chosen = set(selection.indices.tolist())
    found = []
    for corner in range(topology.n_corners):
        edge, before = topology.corner_edge[corner], topology.corner_edge[topology.previous_corner[corner]]
        fits = {
            "points": topology.corners[corner] in chosen,
            "edges": edge in chosen or before in chosen,
            "faces": topology.corner_face[corner] in chosen,
        }
        if fits[selection.kind]:
            found.append(corner)
    return np.array(found, dtype=np.int64)


def test_the_net_of_a_box_is_put_together_edge_by_edge() -> None:
    """Six islands become one by five edges around one face; nothing is stretched, nothing overlaps."""
    mesh = unwrapped("add_box", {"size": (20, 30, 10)})
    assert len(uv_islands(mesh, np.arange(6))) == 6
    topology = mesh.topology
    ring = topology.corner_edge[topology.corners_of_faces(np.array([0]))]
    joined = join_uv(mesh, Selection("edges", ring))
    assert "5 islands" in joined.message or "4 islands" in joined.message
    opposite = next(edge for edge in range(12) if 0 not in topology.edge_faces[edge] and uv_cuts(joined.mesh)[edge])
    for edge in np.flatnonzero(uv_cuts(joined.mesh)).tolist():
        label = island_labels(joined.mesh)[topology.edge_faces[edge]]
        if label[0] != label[1]:
            opposite = edge
    whole = join_uv(joined.mesh, Selection("edges", np.array([opposite]))).mesh
    assert len(np.unique(island_labels(whole))) == 1 and len(uv_islands(whole, np.arange(6))) == 1
    assert int(uv_cuts(whole).sum()) == 7  # a box has 12 edges, and a tree of 6 faces joins 5
    stretch = stretch_of_faces(whole, whole.points)
    assert stretch.angle == pytest.approx(1.0, abs=1e-9) and stretch.area == pytest.approx(1.0, abs=1e-9)
    assert len(overlapping_faces(whole)[0]) == 0
    with pytest.raises(EditError, match="parts two islands"):
        join_uv(whole, Selection("edges", np.flatnonzero(uv_cuts(whole))))


def test_a_mark_cuts_and_an_island_is_picked_whole() -> None:
    """What is marked as a seam is moved apart; islands are what hangs together between seams."""
    sheet = plane((10, 10), (4, 4))
    sheet = replace(sheet, uv=sheet.points[sheet.topology.corners][:, :2] / 20 + 0.5)
    assert len(select_island(sheet, Selection("faces", np.array([0])))) == 16
    ends = sheet.points[sheet.topology.edges]
    seam = (np.abs(ends[:, :, 0]) < 1e-9).all(axis=1)
    cut = replace(sheet, seam=seam)
    half = select_island(cut, Selection("faces", np.array([0])))
    assert len(half) == 8
    points = select_island(cut, Selection("points", np.array([0])))
    assert points.kind == "points" and len(points) == 15
    apart = move_uv(cut, half, right=-0.1).mesh
    assert np.array_equal(uv_cuts(apart), seam)
    for words, mesh in (("unwrap first", plane((10, 10), (2, 2))),):
        with pytest.raises(EditError, match=words):
            move_uv(mesh, NOTHING, right=1.0)
        with pytest.raises(EditError, match=words):
            select_island(mesh, Selection("faces", np.array([0])))
    with pytest.raises(EditError, match="not 0"):
        move_uv(sheet, NOTHING, scale=0.0)


@some(30)
@given(st.tuples(*[st.floats(-2, 2)] * 4))
def test_stretch_is_that_of_the_linear_map(numbers: tuple[float, float, float, float]) -> None:
    """Against the singular values of the map itself (NumPy); one map is even everywhere."""
    matrix = np.array(numbers).reshape(2, 2)
    singular = np.linalg.svd(matrix, compute_uv=False)
    if singular[1] < 1e-3:
        return
    sheet = plane((10, 8), (3, 2))
    sheet = replace(sheet, uv=sheet.points[sheet.topology.corners][:, :2] @ matrix.T)
    stretch = stretch_of_faces(sheet, sheet.points)
    assert stretch.angle == pytest.approx(singular[0] / singular[1], rel=1e-9)
    assert stretch.area == pytest.approx(1.0, rel=1e-9)
    assert stretch.flipped.all() == (np.linalg.det(matrix) < 0)
    # A face twice as wide as the others and as tall is four times as large.
    uv = sheet.uv.copy()
    uv[:4] = 2.0 * uv[:4]
    other = stretch_of_faces(replace(sheet, uv=uv), sheet.points).area
    assert other[0] / other[1] == pytest.approx(4.0, rel=1e-9)
    assert filled(sheet) == pytest.approx(80 * abs(np.linalg.det(matrix)), rel=1e-9)


@some(30)
@given(st.integers(1, 5), st.integers(2, 5), st.randoms(use_true_random=False))
def test_pieces_of_a_sheet_are_joined_to_the_sheet(rows: int, columns: int, chance: Any) -> None:
    """Each face an island of its own, moved, turned and scaled: joined in any order they are one even sheet."""
    sheet = plane((columns, rows), (columns, rows))
    flat = sheet.points[sheet.topology.corners][:, :2] @ (1.0, 1.0j)
    own = [
        (
            complex(chance.uniform(-3, 3), chance.uniform(-3, 3)),
            np.exp(1j * chance.uniform(0, 6)) * chance.uniform(0.2, 2),
        )
        for _ in range(sheet.n_faces)
    ]
    moved = np.concatenate([move + turn * flat[4 * face : 4 * face + 4] for face, (move, turn) in enumerate(own)])
    uv = np.stack((moved.real, moved.imag), axis=1)
    mesh = replace(sheet, uv=uv, seam=np.ones(sheet.n_edges, dtype=bool))
    edges = list(range(sheet.n_edges))
    chance.shuffle(edges)
    made = join_uv(mesh, Selection("edges", np.array(edges))).mesh
    stretch = stretch_of_faces(made, made.points)
    assert stretch.angle == pytest.approx(1.0, rel=1e-6) and stretch.area == pytest.approx(1.0, rel=1e-6)
    inner = ~made.topology.open_edges
    assert not (uv_cuts(made) | made.seams)[inner].any() and island_labels(made).max() == 0
    assert not stretch.flipped.any()


def thousandths(low: int, high: int) -> st.SearchStrategy[float]:
    """Numbers that are the same or tell apart: what differs by less than a billionth counts as a copy."""
    return st.integers(low, high).map(lambda number: number / 1000)


@some(40)
@given(st.lists(st.tuples(*[thousandths(0, 900)] * 2, *[thousandths(20, 300)] * 2), min_size=2, max_size=7))
def test_faces_that_overlap_are_those_whose_rectangles_do(rectangles: list[tuple[float, ...]]) -> None:
    """Rectangles that share more, or lie farther apart, than the grid can tell."""
    tile = plane((1, 1), (1, 1))
    mesh = combined([tile] * len(rectangles))
    boxes = np.array([(x, y, x + w, y + h) for x, y, w, h in rectangles])
    uv = np.concatenate([[(x, y), (X, y), (X, Y), (x, Y)] for x, y, X, Y in boxes])
    mesh = replace(mesh, uv=uv)
    low, high = np.maximum(boxes[:, None, :2], boxes[None, :, :2]), np.minimum(boxes[:, None, 2:], boxes[None, :, 2:])
    share = (high - low).min(axis=2)
    np.fill_diagonal(share, -1.0)
    # What lies exactly on another one is a copy.
    if (np.abs(share) < 0.006).any() or len({*rectangles}) < len(rectangles):
        return
    over, same = overlapping_faces(mesh)
    assert over.tolist() == np.flatnonzero((share > 0).any(axis=1)).tolist() and len(same) == 0
    apart = (share < 0).all()
    if apart:
        gap = -share[~np.eye(len(boxes), dtype=bool)].max()
        assert (len(near_islands(mesh)) == 0) or gap < 0.006


def test_what_a_texture_would_show_is_found() -> None:
    form = unwrap(suggest_seams(box((20, 20, 20)), NOTHING).mesh, NOTHING).mesh

    def said(mesh: Mesh) -> dict[str, str]:
        found = reviews(Subject(mesh))["render"].findings
        return {one.check: one.severity for one in found if one.check.startswith("uv")}

    assert said(form) == {} and said(box((20, 20, 20))) == {}
    face = Selection("faces", np.array([2]))
    assert form.uv is not None
    right, up = form.uv[12:16].mean(axis=0) - form.uv[8:12].mean(axis=0) + 0.02
    assert said(move_uv(form, face, right=float(right), up=float(up)).mesh)["uv_overlap"] == "warn"
    flat = form.uv.copy()
    flat[8:12] = flat[8]
    assert said(replace(form, uv=flat))["uv_missing"] == "warn"
    twin = form.uv.copy()
    twin[4:8] = twin[:4]
    assert said(replace(form, uv=twin)) == {"uv_shared": "note"}
    # Each island drawn a hair from its neighbour.
    near = form.uv.copy()
    for face_number in range(6):
        x, y = face_number % 3, face_number // 3
        square = np.array([(0, 0), (1, 0), (1, 1), (0, 1)]) * 0.3
        near[4 * face_number : 4 * face_number + 4] = square + 0.3005 * np.array([x, y])
    assert said(replace(form, uv=near)) == {"uv_near": "note"}


@pytest.mark.parametrize("scale", [1e-300, 1.0, 1e3, 1e8, 1e300])
def test_uv_of_any_size_is_looked_at_in_bounded_room(scale: float) -> None:
    """Noise over many squares: no more places are looked at than those of one, and nothing overflows."""
    form = unwrapped("add_box", {"cells": (4, 4, 4)})
    noise = np.random.default_rng(3).uniform(-scale, scale, (form.topology.n_corners, 2))
    found = reviews(Subject(replace(form, uv=noise)))["render"].findings
    assert any(one.check == "uv_overlap" for one in found) == (scale in (1.0, 1e3))
