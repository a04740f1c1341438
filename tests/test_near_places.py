"""Near places, runs, triangles, splines: never by all pairs, right for any crowd, any shape, any number."""

from __future__ import annotations

import time
import tracemalloc

import numpy as np
import pytest
from conftest import CAGES
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline
from scipy.spatial import cKDTree
from scipy.spatial.distance import pdist

from levelloop.core.arrays import chain_runs, chains, tridiagonal
from levelloop.core.edit.join.weld import weld
from levelloop.core.edit.move.fit_points import even_out, straighten
from levelloop.core.edit.move.slide import slide
from levelloop.core.edit.repeat.copies import array
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import Path
from levelloop.core.forms.primitives import box, plane, quad_sphere
from levelloop.core.geometry.boxes import BoxTree
from levelloop.core.geometry.closest import LARGEST, Triangles, _on_triangles, closest_places
from levelloop.core.geometry.near import in_boxes, near_any, near_groups, near_pairs
from levelloop.core.mesh.faces import face_areas, over_corners, triangles, triangles_of
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import Selection, select_all, select_between
from levelloop.core.mesh.topology import Topology
from levelloop.core.review import review, reviews
from levelloop.core.review.subject import Subject

CROWDS = ("grid", "line", "cloud", "doubled", "one place", "dense", "far away")


def crowd(kind: str, number: int, seed: int) -> np.ndarray:
    chance = np.random.default_rng(seed)
    if kind == "grid":
        side = max(1, round(number ** (1 / 3)))
        return np.stack(np.meshgrid(*[np.arange(side)] * 3), axis=-1).reshape(-1, 3) * 0.9
    if kind == "line":
        return np.stack((np.arange(number) * 0.9, np.zeros(number), np.zeros(number)), axis=1)
    if kind == "doubled":
        half = chance.random((max(1, number // 2), 3)) * 10
        return np.concatenate((half, half))
    if kind == "one place":
        return np.tile(chance.random(3), (number, 1))
    size = {"cloud": 5.0, "dense": 0.8, "far away": 5.0}[kind]
    return chance.random((number, 3)) * size + (1e6 if kind == "far away" else 0.0)


@some(60)
@given(st.sampled_from(CROWDS), st.integers(1, 150), st.floats(0, 2.5), st.integers(0, 99))
def test_groups_are_never_wider_than_asked_for(kind: str, number: int, reach: float, seed: int) -> None:
    places = crowd(kind, number, seed)
    count, label = near_groups(places, reach)
    assert set(label.tolist()) == set(range(count))
    for one in range(count):
        if (label == one).sum() > 1:
            assert pdist(places[label == one]).max() <= reach * (1 + 1e-9)
    pairs = near_pairs(places, reach)
    tree = cKDTree(places)
    # Places that are equal are paired in a chain; all others as a tree finds them.
    near = np.array(sorted(tree.query_pairs(reach)), dtype=np.int64).reshape(-1, 2)
    different = (places[near[:, 0]] != places[near[:, 1]]).any(axis=1)
    assert len(near_pairs(np.unique(places, axis=0), reach)) == len(
        cKDTree(np.unique(places, axis=0)).query_pairs(reach)
    )
    assert (np.linalg.norm(places[pairs[:, 0]] - places[pairs[:, 1]], axis=1) <= reach * (1 + 1e-9)).all()
    has_near = np.zeros(len(places), dtype=bool)
    has_near[near.ravel()] = True
    if not (different.any() and kind == "dense"):
        assert np.array_equal(np.isfinite(near_any(places, reach)), has_near)
    if kind in ("doubled", "one place"):
        same = near_groups(places, 0.0)[0]
        assert same == len(np.unique(places, axis=0))


@some(40)
@given(st.integers(0, 40), st.integers(0, 40), st.integers(0, 999))
def test_places_in_boxes_are_all_of_them(n_places: int, n_boxes: int, seed: int) -> None:
    chance = np.random.default_rng(seed)
    places, low = chance.normal(size=(n_places, 3)), chance.normal(size=(n_boxes, 3))
    high = low + chance.random((n_boxes, 3)) * np.where(chance.random((n_boxes, 1)) < 0.2, 20, 0.5)
    inside = (places[:, None] >= low) & (places[:, None] <= high)
    expected = set(map(tuple, np.argwhere(inside.all(axis=2)).tolist()))
    assert set(map(tuple, in_boxes(places, low, high).tolist())) == expected


def test_welds_say_what_is_left_and_eat_no_chain() -> None:
    line = Mesh(Topology([0], [], 1001), crowd("line", 1001, 0) * 1e-3)
    once = weld(line, select_all(line.topology, "points"), 0.001)
    assert 400 < once.mesh.n_points < 700 and np.ptp(once.mesh.points[:, 0]) > 0.898
    ring = np.array([[np.cos(a), np.sin(a), 0] for a in np.arange(12) * np.pi / 6] + [[0, 0, 0]])
    round_ = Mesh(Topology([0], [], 13), ring)
    told = weld(round_, select_all(round_.topology, "points"), 1.0)
    left = np.isfinite(near_any(told.mesh.points, 1.0)).sum()
    assert ("none left" in told.message) == (left == 0)
    # Copies are welded with each other, the tile itself is not.
    tile = plane((4, 4), (4, 4))
    row = array(tile, Selection("faces", np.zeros(0, np.int64)), 3, (4, 0, 0), weld=1.0)
    assert row.mesh.n_faces == 48 and row.mesh.n_points == 13 * 5


def test_twenty_thousand_coincident_points_cost_little() -> None:
    sheet = plane((1, 1), (141, 141))
    flat = sheet.with_points(np.zeros_like(sheet.points))
    tracemalloc.start()
    start = time.perf_counter()
    # Of the cage alone: a smooth surface takes a kilobyte a sample, however its points lie.
    found = reviews(Subject(flat, is_smoothed=False))["smooth"]
    spent, peak = time.perf_counter() - start, tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert any(finding.check == "doubles" and finding.count == sheet.n_points for finding in found.findings)
    # Bounds that what grows with the square of the number misses, by far.
    assert spent < 10 and peak < 200e6
    one = weld(flat, select_all(flat.topology, "points"), 0.001)
    assert one.mesh.n_points == 0 or one.mesh.n_points == 1


def test_rims_are_welded_onto_each_other() -> None:
    count = 2000
    a = plane((count, 1), (count, 1))
    b = plane((count, 1), (count - 1, 1))
    from levelloop.core.mesh.combine import combined

    both = combined([a, b.with_points(np.add(b.points, (0, 1, 0)))])
    rim = np.flatnonzero(np.abs(both.points[:, 1] - 0.5) < 1e-9)
    start = time.perf_counter()
    edit = weld(both, Selection("points", rim), 0.001, onto_edges=True)
    assert time.perf_counter() - start < 10
    middle = np.abs(edit.mesh.points[edit.mesh.topology.edges][:, :, 1] - 0.5).max(axis=1) < 1e-9
    assert not edit.mesh.topology.open_edges[middle].any()


# Runs


def slow_chains(pairs: np.ndarray, count: int) -> set[tuple[tuple[int, ...], bool]]:
    """Runs walked element by element, each in a form that does not tell where or which way it starts."""
    degree = np.bincount(pairs.ravel(), minlength=count)
    left = [tuple(pair) for pair in pairs.tolist()]
    found = set()
    while left:
        run = list(left.pop(0))
        for end in (0, -1):
            while degree[run[end]] == 2 and (run[0] != run[-1] or len(run) < 3):
                onwards = next((pair for pair in left if run[end] in pair), None)
                if onwards is None:
                    break
                left.remove(onwards)
                new = onwards[1] if onwards[0] == run[end] else onwards[0]
                run = [new, *run] if end == 0 else [*run, new]
        closed = run[0] == run[-1]
        found.add(canonical(run[:-1] if closed else run, closed))
    return found


def canonical(run: list[int], closed: bool) -> tuple[tuple[int, ...], bool]:
    if not closed:
        return tuple(min(run, run[::-1])), False
    turns = [run[i:] + run[:i] for i in range(len(run))] + [run[::-1][i:] + run[::-1][:i] for i in range(len(run))]
    return tuple(min(turns)), True


@some(80)
@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 12)), max_size=18))
def test_runs_are_those_that_a_walk_finds(drawn: list[tuple[int, int]]) -> None:
    pairs = np.array(sorted({(min(p), max(p)) for p in drawn if p[0] != p[1]}), dtype=np.int64).reshape(-1, 2)
    found = {canonical(members.tolist(), closed) for members, closed in chains(pairs, 13)}
    assert found == slow_chains(pairs, 13)
    members, offsets, closed, darts = chain_runs(pairs, 13)
    assert sorted((darts // 2).tolist()) == list(range(len(pairs)))
    ends = pairs.ravel()
    sizes = np.diff(offsets) - ~closed
    assert np.array_equal(
        ends[darts],
        np.concatenate([members[a:b] for a, b in zip(offsets[:-1], offsets[:-1] + sizes, strict=True)] or [[]]),
    )


def test_all_edges_of_twenty_thousand_faces_are_no_trouble() -> None:
    sheet = plane((100, 100), (141, 141))
    everything = select_all(sheet.topology, "edges")
    start = time.perf_counter()
    slide(sheet, everything, ratio=0.1)
    even_out(sheet, everything)
    straighten(sheet, everything)
    assert time.perf_counter() - start < 10


@pytest.mark.parametrize("name", [name for name in CAGES if name != "empty"])
def test_the_stretch_between_two_edges_is_the_shortest(name: str) -> None:
    from scipy.sparse.csgraph import shortest_path

    topology = CAGES[name].topology
    share = (topology.edges[:, None, :, None] == topology.edges[None, :, None, :]).any(axis=(2, 3))
    steps = shortest_path(share, unweighted=True)
    chance = np.random.default_rng(1)
    for a, b in chance.integers(0, topology.n_edges, (12, 2)).tolist():
        if a == b or not np.isfinite(steps[a, b]) or topology.loop_label[a] == topology.loop_label[b]:
            continue
        way = select_between(topology, Selection("edges", np.array([a, b])))
        assert len(way) == steps[a, b] + 1


# Triangles


@some(60)
@given(st.integers(5, 60), st.integers(0, 9999), st.booleans(), st.sampled_from([1e-3, 1.0, 1e4]))
def test_concave_polygons_fall_into_triangles_of_the_same_area(n: int, seed: int, straight: bool, size: float) -> None:
    chance = np.random.default_rng(seed)
    angle = np.sort(chance.random(n) * 2 * np.pi) if seed % 2 else np.arange(n) * 2 * np.pi / n
    places = (0.4 + chance.random(n))[:, None] * np.stack((np.cos(angle), np.sin(angle)), axis=1)
    if straight:
        places = np.stack((places, 0.5 * (places + np.roll(places, -1, axis=0))), axis=1).reshape(-1, 2)
    tilt = np.linalg.qr(chance.normal(size=(3, 3)))[0]
    mesh = mesh_of_faces(
        size * (np.column_stack((places, np.zeros(len(places)))) @ tilt + 5), [list(range(len(places)))]
    )
    flat, _ = triangles(mesh.topology, mesh.points)
    assert len(flat) == len(places) - 2 and set(flat.ravel().tolist()) == set(range(len(places)))
    p = mesh.points[flat]
    areas = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    gaps = np.diff(np.append(angle, angle[0] + 2 * np.pi))
    if gaps.max() < np.pi and gaps.min() > 1e-3:
        assert areas.sum() == pytest.approx(face_areas(mesh.topology, mesh.points)[0], rel=1e-6)


def test_a_polygon_of_two_thousand_sides_takes_no_time() -> None:
    angle = np.arange(2000) * np.pi / 1000
    radius = np.where(np.arange(2000) % 2, 1.0, 0.7)
    star = mesh_of_faces(
        np.stack((radius * np.cos(angle), radius * np.sin(angle), 0 * angle), axis=1), [list(range(2000))]
    )
    start = time.perf_counter()
    assert len(triangles(star.topology, star.points)[0]) == 1998
    assert time.perf_counter() - start < 2


# Nearest places


@some(25)
@given(st.integers(0, 999), st.integers(1, 40))
def test_nearest_places_are_the_nearest(seed: int, number: int) -> None:
    from levelloop.core.mesh.combine import combined

    chance = np.random.default_rng(seed)
    # A large face beside a dense patch, and a sphere: what is near is not what has its middle near.
    dense = plane((10, 10), (40, 40))
    large = plane((200, 200))
    ball = quad_sphere(30, 8)
    whole = combined(
        [dense.with_points(np.add(dense.points, (0, 0, 5))), large, ball.with_points(np.add(ball.points, (40, 0, 20)))]
    )
    places = chance.normal(size=(number, 3)) * (60, 60, 15)
    found, normals = closest_places(whole, places)
    flat, _ = triangles(whole.topology, whole.points)
    corners = whole.points[flat]
    for place, near in zip(places, found, strict=True):
        all_of_them = _on_triangles(place[None], corners[:, 0], corners[:, 1], corners[:, 2])
        least = np.linalg.norm(all_of_them - place, axis=1).min()
        assert np.linalg.norm(near - place) == pytest.approx(least, rel=1e-9, abs=1e-12)
    assert np.allclose(np.linalg.norm(normals, axis=1), 1)


@some(60)
@given(st.integers(0, 30), st.integers(1, 20), st.integers(0, 999), st.sampled_from([1.0, 1e-9, 1e6, 1e40]))
def test_what_is_no_number_is_searched_for_without_harm(count: int, wanted: int, seed: int, size: float) -> None:
    """The library that searches takes whatever it is given for numbers, and ends the program where there is nothing."""
    chance = np.random.default_rng(seed)
    points = chance.normal(size=(12, 3)) * size
    points[chance.random(12) < 0.2] = chance.choice([np.nan, np.inf, -np.inf, 1e200])
    corners = chance.integers(0, 12, (count, 3))
    places = chance.normal(size=(wanted, 3)) * size
    places[chance.random(wanted) < 0.2] = chance.choice([np.nan, np.inf, 1e300])
    usable = (np.abs(points) < LARGEST).all(axis=1)[corners].all(axis=1)
    search = Triangles(points, corners)
    if not usable.any():
        with pytest.raises(EditError, match="no surface"):
            search.nearest(places)
        return
    triangle, found = search.nearest(places)
    assert usable[triangle].all() and np.isfinite(found).all()
    own = points[corners[usable]]
    for place, near in zip(places, found, strict=True):
        if np.abs(place).max() < LARGEST:
            on = _on_triangles(np.broadcast_to(place, own[:, 0].shape), *own.swapaxes(0, 1))
            least = np.linalg.norm(on - place, axis=1)
            assert np.linalg.norm(near - place) <= least.min() * (1 + 1e-6) + 1e-9 * size
    assert len(search.nearest(places[:0])[0]) == 0


# Splines


@some(40)
@given(st.integers(3, 60), st.booleans(), st.integers(0, 999))
def test_smooth_curves_are_the_library_s_splines(number: int, closed: bool, seed: int) -> None:
    points = np.random.default_rng(seed).normal(size=(number, 3))
    path = Path(points, closed, np.ones(number), True)
    ring = np.concatenate((points, points[:1])) if closed else points
    knots = np.concatenate(([0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(ring, axis=0), axis=1)))))
    spline = CubicSpline(knots, ring, bc_type="periodic" if closed else "natural")
    places = np.linspace(0, path.spans, 5 * number)
    assert np.allclose(path.at(places), spline(np.interp(places, np.arange(len(ring)), knots)), atol=1e-9)


def test_a_curve_of_ten_thousand_points_takes_no_time() -> None:
    points = np.cumsum(np.random.default_rng(0).normal(size=(10_000, 3)), axis=0)
    path = Path(points, True, np.ones(10_000), True)
    start = time.perf_counter()
    assert np.allclose(path.at(np.arange(10_000.0)), points)
    assert time.perf_counter() - start < 1


@some(40)
@given(st.integers(1, 70), st.integers(0, 999))
def test_tridiagonal_systems_are_solved(number: int, seed: int) -> None:
    chance = np.random.default_rng(seed)
    a, c = chance.normal(size=(2, number))
    b = np.abs(a) + np.abs(c) + 0.5
    right = chance.normal(size=(number, 2))
    matrix = np.diag(b) + np.diag(a[1:], -1) + np.diag(c[:-1], 1)
    assert np.allclose(tridiagonal(a, b, c, right), np.linalg.solve(matrix, right))


def test_no_box_is_lost(  # the demo's own form of the fault: a box scaled to nothing
) -> None:
    flat = box((1, 1, 1), (20, 20, 20))
    flat = flat.with_points(flat.points * 0)
    assert any(finding.check == "zero_area" for finding in review(flat).findings)


@given(st.integers(0, 10_000), st.integers(0, 150), st.integers(0, 150), st.sampled_from([0.0, 0.1]))
def test_boxes_that_meet_are_those_of_all_pairs(seed: int, count: int, others: int, reach: float) -> None:
    """Against every pair, boxes that only touch among them."""
    random_ = np.random.default_rng(seed)
    low, its_low = (np.round(random_.random((n, 3)), 1) for n in (count, others))
    high, its_high = low + np.round(0.3 * random_.random((count, 3)), 1), its_low + 0.1
    mine, its = BoxTree(low, high).meeting(BoxTree(its_low, its_high), reach)
    meets = (low[:, None] <= its_high[None] + reach) & (high[:, None] >= its_low[None] - reach)
    expected = np.argwhere(meets.all(axis=2))
    assert sorted(zip(mine.tolist(), its.tolist(), strict=True)) == [tuple(pair) for pair in expected.tolist()]


def test_triangles_of_some_faces_are_theirs_among_all(cage: Mesh) -> None:
    faces = np.random.default_rng(cage.n_faces).permutation(cage.n_faces)[: max(1, cage.n_faces // 2)]
    every, of = triangles(cage.topology, cage.points, cage.diagonal)
    some, face = triangles_of(cage.topology, cage.points, faces, cage.diagonal)
    expected = [triangle for one in faces for triangle in every[of == one].tolist()]
    assert some.tolist() == expected and face.tolist() == [one for one in faces for _ in range((of == one).sum())]


def test_what_corners_come_to_is_the_least_and_the_most_of_each_face(cage: Mesh) -> None:
    values = np.random.default_rng(1).random(cage.n_points)
    outlines = [cage.topology.face(face) for face in range(cage.n_faces)]
    assert over_corners(np.minimum, cage.topology, values).tolist() == [values[one].min() for one in outlines]
    assert over_corners(np.maximum, cage.topology, values).tolist() == [values[one].max() for one in outlines]
