"""Smoothing against published masks, B-spline values and definitions."""

from __future__ import annotations

import itertools
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from conftest import CAGES, CLOSED, richly_tagged
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from levelloop.core.arrays import connected_labels
from levelloop.core.edit.build.extrude import inset
from levelloop.core.edit.clean.simple import delete
from levelloop.core.edit.join.weld import weld
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, placed, plane, quad_sphere
from levelloop.core.forms.solids import torus
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import face_normals, signed_volume
from levelloop.core.mesh.mesh import (
    CREASE_RULES,
    TRIANGLE_RULES,
    UV_RULES,
    Boundary,
    CreaseRule,
    Mesh,
    Scheme,
    TriangleRule,
    UVRule,
    mesh_of_faces,
)
from levelloop.core.mesh.selection import Selection, select_all
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.live import live_piece
from levelloop.core.surface.samples import bends_of
from levelloop.core.surface.surface import SmoothSurface, faces_at, smooth

sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))
from reference import build, run


def test_cube_at_level_one() -> None:
    # Catmull & Clark 1978 worked by hand for the cube of side 2: face points at 1, edge points at 3/4, corners at 5/9.
    points = smooth(box((2, 2, 2)), 1).points
    places = {tuple(p) for p in np.sort(np.abs(points), axis=1).round(12).tolist()}
    assert places == {(0, 0, 1), (0, 0.75, 0.75), (round(5 / 9, 12),) * 3}


@pytest.mark.parametrize(
    ("sides", "at_points", "between"),
    [(4, 0.66667, 0.64818), (6, 0.83333, 0.82994), (8, 0.90237, 0.90133), (16, 0.97463, 0.97456)],
)
def test_a_regular_ring_lands_where_cubic_b_splines_say(sides: int, at_points: float, between: float) -> None:
    # Uniform cubic B-spline through N points on a circle: R(2 + cos(2π/N))/3 at the points,
    # R(46 cos(π/N) + 2 cos(3π/N))/48 between them.
    pipe = cylinder(2, 20, sides, 10, "open")
    surface = SmoothSurface(pipe, 1)
    limit = surface.limit(surface.points(pipe.points))
    middle = np.abs(limit[:, 2]) < 5
    radius = np.hypot(limit[:, 0], limit[:, 1])
    is_cage_point = np.arange(len(limit)) < pipe.n_points
    assert radius[middle & is_cage_point] == pytest.approx(at_points, abs=1e-5)
    assert radius[middle].min() == pytest.approx(between, abs=1e-5)
    assert radius[middle & is_cage_point] == pytest.approx((2 + np.cos(2 * np.pi / sides)) / 3, abs=1e-12)


def test_limit_mask_of_a_pole() -> None:
    # Halstead, Kass & DeRose 1993: (n²v + 4Σe + Σf) / (n(n + 5)), here with n = 3 at a corner of the cube at level 1.
    surface = SmoothSurface(box((2, 2, 2)), 1)
    points = surface.points(surface.cage.points)
    topology = surface.topology
    corner = 0
    edges = topology.edges[(topology.edges == corner).any(axis=1)]
    neighbours = points[edges[edges != corner]].sum(axis=0)
    faces = topology.faces_of_points(np.array([corner]))
    opposite = sum(points[np.roll(topology.face(f), -np.flatnonzero(topology.face(f) == corner)[0])[2]] for f in faces)
    expected = (9 * points[corner] + 4 * neighbours + opposite) / 24
    assert surface.limit(points)[corner] == pytest.approx(expected, abs=1e-12)


def test_the_limit_does_not_depend_on_the_level() -> None:
    cage = CAGES["quad caps"]
    first, second = SmoothSurface(cage, 1), SmoothSurface(cage, 3)
    low = first.limit(first.points(cage.points))[: cage.n_points]
    high = second.limit(second.points(cage.points))[: cage.n_points]
    assert np.abs(low - high).max() < 1e-12


def test_direct_and_stencil_points_agree(cage: Mesh) -> None:
    for level in (1, 2, 3):
        surface = SmoothSurface(cage, level)
        direct = surface.points(cage.points)
        assert np.allclose(direct, surface.fast_points(cage.points), atol=1e-12)
        assert np.allclose(direct, surface.stencils @ cage.points, atol=1e-12)


def test_every_stencil_sums_to_one(cage: Mesh) -> None:
    sums = np.asarray(SmoothSurface(cage, 2).stencils.sum(axis=1)).ravel()
    assert np.allclose(sums, 1.0, atol=1e-12)


def test_derived_connectivity_is_what_sorting_would_give(cage: Mesh) -> None:
    topology = SmoothSurface(cage, 2).topology
    fresh = Topology(topology.face_offsets, topology.corners, topology.n_points)
    assert topology.n_edges == fresh.n_edges
    place = topology.find_edges(fresh.edges)
    assert (place >= 0).all()
    assert np.array_equal(topology.edge_face_count[place], fresh.edge_face_count)
    assert np.array_equal(np.sort(topology.edge_faces[place], axis=1), np.sort(fresh.edge_faces, axis=1))
    assert np.array_equal(place[fresh.corner_edge], topology.corner_edge)


def test_counts_are_known_before(cage: Mesh) -> None:
    topology = SmoothSurface(cage, 2).topology
    assert faces_at(cage.topology, 2) == topology.n_faces


@pytest.mark.parametrize("name", CLOSED)
def test_closed_stays_closed_and_keeps_its_euler_number(name: str) -> None:
    cage = CAGES[name]
    result = smooth(cage, 2)
    assert not result.topology.open_edges.any()
    assert result.topology.euler_number() == cage.topology.euler_number()
    assert (result.topology.face_sizes == 4).all()


def test_an_open_strip_keeps_its_corners_and_lies_flat() -> None:
    # USD's edgeAndCorner: corners of one face stay, boundaries follow a cubic curve of their own.
    strip = plane((8, 2), (4, 1))
    result = smooth(strip, 3)
    corners = np.array([[x, y, 0] for x in (-4, 4) for y in (-1, 1)])
    for corner in corners:
        assert np.linalg.norm(result.points - corner, axis=1).min() < 1e-12
    assert np.abs(result.points[:, 2]).max() == 0


def test_a_full_crease_around_a_cap_keeps_it_flat() -> None:
    drum = cylinder(4, 4, 8, 1, "face")
    top = (drum.points[drum.topology.edges][:, :, 2] > 1.9).all(axis=1)
    result = smooth(drum.with_creases(np.where(top, 10.0, 0.0)), 3)
    assert result.points[:, 2].max() == pytest.approx(2.0, abs=1e-12)
    # The crease itself is a cubic curve through the ring: radius R(2 + cos 45°)/3 at its points in the limit.
    surface = SmoothSurface(drum.with_creases(np.where(top, 10.0, 0.0)), 1)
    limit = surface.limit(surface.points(drum.points))
    ring = limit[: drum.n_points][drum.points[:, 2] > 1.9]
    assert np.hypot(ring[:, 0], ring[:, 1]) == pytest.approx(2 * (2 + np.cos(np.pi / 4)) / 3, abs=1e-12)


def test_a_fractional_crease_lies_between_smooth_and_sharp() -> None:
    # DeRose, Kass & Truong 1998: for 0 < s < 1 the edge point is s·sharp + (1 − s)·smooth.
    cube = box((2, 2, 2))
    edge = cube.topology.find_edges([[0, 1]])[0]

    def edge_point(weight: float) -> np.ndarray:
        creases = np.zeros(12)
        creases[edge] = weight
        return smooth(cube.with_creases(creases), 1).points[8 + edge]

    smooth_place, sharp = edge_point(0), edge_point(1)
    assert sharp == pytest.approx(cube.points[[0, 1]].mean(axis=0))
    assert edge_point(0.3) == pytest.approx(0.3 * sharp + 0.7 * smooth_place)


def test_where_a_crease_ends_the_point_is_between_both_rules() -> None:
    # A loop of sharpness 0.5 through a point: half crease rule, half smooth rule on the same ring.
    grid = plane((4, 4), (4, 4)).with_points(
        [[x, y, 0.1 * x * x + 0.05 * y] for y in range(-2, 3) for x in range(-2, 3)]
    )
    line = np.flatnonzero((grid.points[grid.topology.edges][:, :, 0] == 0).all(axis=1))

    def middle(weight: float) -> np.ndarray:
        creases = np.zeros(grid.n_edges)
        creases[line] = weight
        return smooth(grid.with_creases(creases), 1).points[12]

    assert middle(0.5) == pytest.approx(0.5 * middle(0) + 0.5 * middle(1))
    assert middle(1) == pytest.approx(middle(10))


def test_a_crease_fades_by_one_each_level() -> None:
    cube = box((2, 2, 2))
    creases = np.full(12, 2.0)
    surface = SmoothSurface(cube.with_creases(creases), 2)
    assert surface.steps[0].sharp.edge_sharpness.max() == 1.0
    assert surface.creases.max() == 0.0


def test_a_sharp_point_stays() -> None:
    cube = box((2, 2, 2))
    sharp = Mesh(cube.topology, cube.points, corner_sharpness=np.where(np.arange(8) == 5, 10.0, 0.0))
    assert smooth(sharp, 3).points[5] == pytest.approx(cube.points[5])


def test_limit_normals_point_outwards_and_fit_the_fine_surface() -> None:
    cage = CAGES["quad caps"]
    surface = SmoothSurface(cage, 3)
    points = surface.points(cage.points)
    normals = surface.normals(points)
    fine = surface.mesh(surface.limit(points))
    facing = face_normals(fine.topology, fine.points)
    agreement = (normals[surface.sectors.of_corner] * facing[fine.topology.corner_face]).sum(axis=1)
    assert agreement.min() > 0.97


def test_limit_normals_of_a_sphere_like_box_are_symmetric() -> None:
    surface = SmoothSurface(box((2, 2, 2)), 2)
    points = surface.points(surface.cage.points)
    normals = surface.normals(points)[np.argsort(surface.sectors.point)]
    corner = normals[0]
    assert np.abs(corner) == pytest.approx(1 / np.sqrt(3), abs=1e-12)


def test_face_origins_and_edge_chains() -> None:
    cage = CAGES["mixed polygons"]
    surface = SmoothSurface(cage, 2)
    points = surface.points(cage.points)
    assert set(surface.face_origin.tolist()) == set(range(cage.n_faces))
    assert np.array_equal(surface.edge_chains[:, [0, -1]], cage.topology.edges)
    steps = np.linalg.norm(np.diff(points[surface.edge_chains], axis=1), axis=2)
    assert steps.max() < 1.5
    pairs = np.stack((surface.edge_chains[:, :-1], surface.edge_chains[:, 1:]), axis=2).reshape(-1, 2)
    assert (surface.topology.find_edges(pairs) >= 0).all()


SHARP = np.array([0, 0, 0, 0.4, 1, 1.7, 2.5, 10])


def tagged(name: str, seed: int) -> Mesh:
    """A cage of the family, dented, with random sharpness on edges and points."""
    cage, random = CAGES[name], np.random.default_rng(seed)
    dented = cage.points + random.normal(0, 0.05, cage.points.shape)
    corners = random.choice([0, 0, 0, 0.6, 2.3], cage.n_points)
    return Mesh(cage.topology, dented, random.choice(SHARP, cage.n_edges), corners)


MANIFOLD = [name for name in CAGES if name not in ("empty", "non-manifold edge")]
# The reference reads consistently oriented faces only.
ORIENTED = [name for name in MANIFOLD if name != "moebius"]


@pytest.mark.parametrize("name", MANIFOLD)
def test_the_true_limit_is_the_same_from_every_level(name: str) -> None:
    # Also at semi-sharp points, darts, inner 2-valent points, boundaries and corners, where the masks hold only once
    # sharpness is used up and all faces are quads.
    for seed in range(3):
        cage = tagged(name, seed)
        places, normals = [], []
        for level in (0, 1, 2, 4):
            surface = SmoothSurface(cage, level)
            points = surface.points(cage.points)
            places.append(surface.limit(points)[: cage.n_points])
            sectors = surface.sectors
            count = np.bincount(sectors.point, minlength=surface.topology.n_points)
            single = (sectors.point < cage.n_points) & (count[sectors.point] == 1)
            at_points = np.zeros((cage.n_points, 3))
            at_points[sectors.point[single]] = surface.normals(points)[single]
            normals.append(at_points)
        for place, normal in zip(places[1:], normals[1:], strict=True):
            assert np.abs(place - places[0]).max() < 1e-12
            assert np.abs(normal - normals[0]).max() < 1e-9


def test_the_limit_is_what_refining_on_and_on_comes_to() -> None:
    cage = tagged("box with cells", 1)
    low = SmoothSurface(cage, 1)
    limit = low.limit(low.points(cage.points))[: cage.n_points]
    far = SmoothSurface(cage, 6).points(cage.points)[: cage.n_points]
    assert np.abs(limit - far).max() < 2e-3
    farther = SmoothSurface(cage, 5).points(cage.points)[: cage.n_points]
    assert np.abs(limit - far).max() < 0.6 * np.abs(limit - farther).max() + 1e-12


def test_a_two_valent_point_inside_has_a_limit_and_a_normal() -> None:
    # Two quads that share two edges and the point between them: closed like a pillow's corner.
    points = [[0, 0, 1], [1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0]]
    pillow = mesh_of_faces(points, [[0, 1, 3, 2], [0, 2, 4, 1]])
    assert pillow.topology.valence[0] == 2
    for level in (1, 2, 3):
        surface = SmoothSurface(pillow, level)
        at = surface.points(pillow.points)
        sector = int(np.flatnonzero(surface.sectors.point == 0)[0])
        assert surface.normals(at)[sector] == pytest.approx([0, 0, 1], abs=1e-12)
        # (n²v + 4Σe + Σf) / (n(n + 5)) holds for n = 2 as well.
        assert surface.limit(at)[0] == pytest.approx(
            SmoothSurface(pillow, 5).limit(SmoothSurface(pillow, 5).points(pillow.points))[0], abs=1e-12
        )


@pytest.mark.parametrize("name", [name for name in CAGES if CAGES[name].n_faces])
@given(st.integers(0, 10_000), st.integers(1, 3), st.integers(1, 3))
def test_what_follows_a_few_points_is_what_all_of_it_comes_to(name: str, seed: int, level: int, many: int) -> None:
    random = np.random.default_rng(seed)
    cage = richly_tagged(CAGES[name], seed)
    surface = SmoothSurface(cage, level)
    changed = np.zeros(cage.n_points, dtype=np.bool_)
    changed[random.integers(0, cage.n_points, many)] = True
    piece = live_piece(surface, changed, worth=0)
    assert piece is not None
    moved = cage.points + changed[:, None] * random.normal(size=(cage.n_points, 3))
    before, after = surface.points(cage.points), surface.points(moved)
    raw, limit, normals = piece.moved(moved, True)
    assert np.allclose(raw, after[piece.points], atol=1e-9)
    assert np.allclose(limit, surface.limit(after)[piece.points], atol=1e-9)
    assert np.allclose(normals, surface.normals(after, moved)[piece.sectors], atol=1e-6)
    rest = np.setdiff1d(np.arange(len(after)), piece.points)
    assert np.allclose(after[rest], before[rest], atol=1e-12)
    assert np.allclose(surface.limit(after)[rest], surface.limit(before)[rest], atol=1e-12)


def sprinkled(random: np.random.Generator) -> Mesh:
    """A mostly regular cage with some poles, holes and creases here and there."""
    forms = (
        lambda: plane((20, 20), (14, 14)),
        lambda: box((20, 20, 20), (9, 8, 7)),
        lambda: quad_sphere(20, 8),
        lambda: torus(30, 10, 24, 12),
    )
    mesh = forms[random.integers(len(forms))]()
    for _ in range(random.integers(3)):
        mesh = inset(mesh, Selection("faces", random.integers(0, mesh.n_faces, 1)), 0.3).mesh
    if random.random() < 0.3:
        mesh = delete(mesh, Selection("faces", random.integers(0, mesh.n_faces, 1))).mesh
    sharpness = np.where(random.random(mesh.n_edges) < 0.01, random.choice([0.6, 1.5, 10.0]), 0.0)
    return mesh.with_creases(sharpness)


@given(st.integers(0, 10_000), st.integers(2, 3), st.booleans())
def test_what_follows_where_most_is_regular_is_what_all_of_it_comes_to(seed: int, level: int, limit: bool) -> None:
    random = np.random.default_rng(seed)
    cage = sprinkled(random)
    surface = SmoothSurface(cage, level)
    changed = np.zeros(cage.n_points, dtype=np.bool_)
    first = random.integers(cage.n_points)
    changed[np.argsort(np.linalg.norm(cage.points - cage.points[first], axis=1))[: random.integers(1, 6)]] = True
    moved = cage.points + changed[:, None] * random.normal(size=(cage.n_points, 3))
    after = surface.points(moved)
    expected, _ = bends_of(surface, moved, len(after))
    for asks_bends in (False, True):
        piece = live_piece(surface, changed, asks_bends, worth=0)
        assert piece is not None
        raw, there, normals = piece.moved(moved, limit)
        assert np.allclose(raw, after[piece.points], atol=1e-9)
        assert np.allclose(there, (surface.limit(after) if limit else after)[piece.points], atol=1e-9)
        assert np.allclose(normals, surface.normals(after, moved)[piece.sectors], atol=1e-6)
        if asks_bends:
            again = piece.moved_and_bent(moved, limit)
            for one, other in zip(again, (raw, there, normals, piece.bends(moved)), strict=True):
                assert np.allclose(one, other, atol=1e-6)
            own = surface.sectors.point[piece.sectors]
            wanted = np.stack((expected.k1, expected.k2), axis=1)[own]
            assert np.allclose(again[3], wanted, rtol=1e-6, atol=1e-6 * np.abs(wanted).max())


def test_a_dragged_point_asks_for_a_small_piece_only() -> None:
    surface = SmoothSurface(plane((20, 20), (20, 20)), 3)
    changed = np.arange(surface.cage.n_points) == 220
    piece = live_piece(surface, changed)
    assert piece is not None and len(piece.faces) == 16 and len(piece.edges) == 40
    assert piece.covers(changed) and not piece.covers(~changed)
    assert live_piece(surface, np.ones_like(changed)) is None


def test_other_tags_use_the_same_connectivity() -> None:
    cage = CAGES["quad caps"]
    first = SmoothSurface(cage, 2)
    creased = cage.with_creases(np.full(cage.n_edges, 1.5))
    second = SmoothSurface(creased, 2, like=first)
    assert second.topology is first.topology
    assert np.allclose(second.points(cage.points), SmoothSurface(creased, 2).points(cage.points))


def overshoots(surface: SmoothSurface) -> bool:
    """Whether an edge sharper than 1 has a half that is smooth already.

    The reference weighs its crease by more than 1 there, against its own comment ("clamped to 1"); ours is clamped.
    """
    for before, after in itertools.pairwise(surface.steps):
        edges = before.sharp.edges[(before.sharp.edge_sharpness > 1) & np.isfinite(before.sharp.edge_sharpness)]
        if not np.isin(np.concatenate((2 * edges, 2 * edges + 1)), after.sharp.edges).all():
            return True
    return False


needs_reference = pytest.mark.skipif(
    build() is None, reason="needs a compiler and the C++ reference library (Debian: libosd-dev)"
)


@pytest.mark.thorough
@needs_reference
@pytest.mark.parametrize("name", ORIENTED)
@pytest.mark.parametrize("triangles", TRIANGLE_RULES)
@pytest.mark.parametrize("boundary", ["edgeAndCorner", "edgeOnly"])
@pytest.mark.parametrize("creases", CREASE_RULES)
def test_positions_agree_with_the_reference_library(
    name: str, boundary: Boundary, triangles: TriangleRule, creases: CreaseRule
) -> None:
    program = build()
    assert program is not None
    for seed in range(2 if creases == "uniform" else 4):
        cage = replace(tagged(name, seed), scheme=Scheme(boundary, triangles, creases=creases))
        size = float(np.ptp(cage.points, axis=0).max())
        for level in (1, 2, 3):
            surface = SmoothSurface(cage, level)
            if creases == "chaikin" and overshoots(surface):
                break
            points = surface.points(cage.points)
            _, theirs = run(program, cage, level)
            assert len(theirs) == len(points)
            # Its weights are single precision.
            assert cKDTree(theirs).query(points)[0].max() < 1e-6 * size


def with_cut_uv(cage: Mesh, seed: int) -> Mesh:
    """The cage with UV of no meaning, cut apart along some of its edges."""
    random = np.random.default_rng(seed)
    topology = cage.topology
    cut = random.random(topology.n_edges) < 0.3
    linked = np.flatnonzero((topology.around >= 0) & ~cut[topology.corner_edge[topology.previous_corner]])
    count, group = connected_labels(np.stack((linked, topology.around[linked]), axis=1), topology.n_corners)
    return replace(cage, uv=random.random((count, 2))[group])


@pytest.mark.thorough
@needs_reference
@pytest.mark.parametrize("name", ORIENTED)
@pytest.mark.parametrize("rule", UV_RULES)
@pytest.mark.parametrize("boundary", ["edgeAndCorner", "edgeOnly"])
def test_uv_agrees_with_the_reference_library(name: str, rule: UVRule, boundary: Boundary) -> None:
    program = build()
    assert program is not None
    for seed in range(4):
        cage = with_cut_uv(tagged(name, seed) if seed % 2 else CAGES[name], seed)
        cage = replace(cage, scheme=Scheme(boundary, uv=rule))
        for level in (1, 2):
            ours = smooth(cage, level)
            assert ours.uv is not None
            rows = np.concatenate((ours.points[ours.topology.corners], ours.uv), axis=1)
            _, theirs = run(program, cage, level)
            assert theirs.shape == rows.shape
            assert cKDTree(theirs).query(rows)[0].max() < 2e-6 * float(np.ptp(cage.points, axis=0).max())


@needs_reference
@pytest.mark.parametrize("name", [name for name in ORIENTED if CAGES[name].topology.open_edges.any()])
def test_what_a_loose_boundary_leaves_out_agrees_with_the_reference_library(name: str) -> None:
    """Of boundaries whose creases never fade the faces stay; corners and weaker creases keep none."""
    program = build()
    assert program is not None
    for seed in range(6):
        random = np.random.default_rng(seed)
        cage = CAGES[name]
        topology = cage.topology
        creases = np.where(
            random.random(topology.n_edges) < (0.3, 0.9)[seed % 2], random.choice([2.0, 10.0, 10.0]), 0.0
        )
        creases *= topology.open_edges | (random.random(topology.n_edges) < 0.2)
        corners = np.where(random.random(cage.n_points) < 0.3, 10.0, 0.0)
        uv = np.zeros((topology.n_corners, 2))
        cage = replace(cage, crease_sharpness=creases, corner_sharpness=corners, uv=uv, scheme=Scheme("none"))
        for level in (1, 2):
            ours = smooth(cage, level)
            rows = ours.points[ours.topology.corners]
            _, theirs = run(program, cage, level)
            assert len(theirs) == len(rows)
            if len(rows):
                size = float(np.ptp(cage.points, axis=0).max())
                assert cKDTree(theirs[:, :3]).query(rows)[0].max() < 2e-6 * size
                assert cKDTree(rows).query(theirs[:, :3])[0].max() < 2e-6 * size


def test_levels_out_of_range_are_refused() -> None:
    with pytest.raises(EditError, match="0 to 6"):
        SmoothSurface(box(), 7)


def test_volume_shrinks_towards_the_limit() -> None:
    cube = box((2, 2, 2))
    volumes = [signed_volume(smooth(cube, level)) for level in range(5)]
    assert all(a > b > 0 for a, b in itertools.pairwise(volumes))


def test_unattached_points_stay_where_they_are() -> None:
    mesh = mesh_of_faces([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [9, 9, 9]], [[0, 1, 2, 3]])
    assert smooth(mesh, 2).points[4].tolist() == [9, 9, 9]


def test_boundary_rules_of_a_sheet() -> None:
    # OpenUSD's interpolateBoundary: edgeAndCorner keeps the corner, edgeOnly rounds it, none drops the rim's faces.
    sheet = plane((6, 6), (3, 3))
    kept = smooth(sheet, 2)
    rounded = smooth(replace(sheet, scheme=Scheme("edgeOnly")), 2)
    inner = smooth(replace(sheet, scheme=Scheme("none")), 2)
    assert np.abs(kept.points).max() == 3
    assert np.linalg.norm(rounded.points[:, :2], axis=1).max() < np.linalg.norm([3, 3]) - 0.3
    assert inner.n_faces == 16 and np.abs(inner.points).max() == pytest.approx(1)


def test_smooth_triangles_are_rounder_weights_only() -> None:
    # A quad cage has no triangles to treat otherwise; a tetrahedron has.
    assert np.allclose(smooth(replace(box(), scheme=Scheme(triangles="smooth")), 2).points, smooth(box(), 2).points)
    solid = mesh_of_faces(
        [[1, 1, 1], [1, -1, -1], [-1, 1, -1], [-1, -1, 1]], [[0, 1, 2], [0, 3, 1], [0, 2, 3], [1, 3, 2]]
    )
    plain, round_ = smooth(solid, 1), smooth(replace(solid, scheme=Scheme(triangles="smooth")), 1)
    assert np.linalg.norm(round_.points[4:10] - plain.points[4:10], axis=1).min() > 0.01
    assert np.allclose(round_.points[:4], plain.points[:4])


@pytest.mark.parametrize("level", [2, 3, 4])
@pytest.mark.parametrize("kind", ["box", "creased sheet", "capped cylinder", "with wires and loose points"])
def test_patches_give_the_points_that_the_steps_give(kind: str, level: int) -> None:
    cages = {
        "box": box((2, 2, 2), (12, 12, 12)),
        "creased sheet": plane((4, 4), (14, 14)),
        "capped cylinder": cylinder(4, 8, 40, 30, "quads"),
        "with wires and loose points": box((2, 2, 2), (12, 12, 12)),
    }
    cage = cages[kind]
    random = np.random.default_rng(level)
    cage = cage.with_points(cage.points + random.normal(0, 0.05, cage.points.shape))
    if kind == "creased sheet":
        cage = cage.with_creases(np.where(np.arange(cage.n_edges) == 200, 1.7, 0.0))
    if kind == "with wires and loose points":
        points = np.concatenate((cage.points, [[5, 5, 5], [6, 6, 6], [7, 7, 7]]))
        topology = Topology(cage.topology.face_offsets, cage.topology.corners, len(points), [[0, len(points) - 1]])
        cage = Mesh(topology, points)
    surface = SmoothSurface(cage, level)
    assert surface._patches[1] is not None
    stepwise = cage.points
    for step in surface.steps:
        stepwise = step.points(stepwise)
    assert np.allclose(surface.points(cage.points), stepwise, atol=1e-12)
    out = np.empty((3, len(stepwise)))
    assert np.allclose(surface.fast_points(cage.points, out), stepwise, atol=1e-12)
    assert np.allclose(out.T, stepwise, atol=1e-12)


def test_boxes_that_share_one_edge_have_normals_everywhere() -> None:
    """Four faces at an edge whose ends are sharp nowhere else: no fan around it closes."""
    both = combined((box((2, 2, 2)), placed(box((2, 2, 2)), (2, 2, 0))))
    both = weld(both, select_all(both.topology, "points"), 0.001).mesh
    assert (both.topology.edge_face_count == 4).sum() == 1
    for level in (1, 2):
        surface = SmoothSurface(both, level)
        normals = surface.normals(surface.points(both.points))
        assert np.allclose(np.linalg.norm(normals, axis=1), 1.0)
