"""Faces with poles by matrices of their own, against the rules, the limit's masks and the rings around points."""

from __future__ import annotations

import numpy as np
import pytest

from levelloop.core.forms.primitives import box, cylinder, quad_sphere
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.surface.fans import HIGHEST_VALENCE, fan_points, fan_weights, regular_points
from levelloop.core.surface.refine import sharp_of
from levelloop.core.surface.samples import _bends, _bends_by_rings
from levelloop.core.surface.surface import SmoothSurface, smooth


def with_poles(valence: int, seed: int = 0) -> Mesh:
    """A closed cage of quads with two poles of a valence, and poles of 3 where a prism has its corners; uneven."""
    prism = smooth(cylinder(40, 40, valence, 2, "face"), 3)
    return prism.with_points(prism.points + np.random.default_rng(seed).normal(0, 0.1, prism.points.shape))


def fans_of(surface: SmoothSurface) -> int:
    patched = surface.patched
    return 0 if patched is None or patched[1].fans is None else len(patched[1].fans.faces)


@pytest.mark.parametrize("level", [2, 3, 4])
@pytest.mark.parametrize("valence", [3, 4, 5, 6, 7, 9, HIGHEST_VALENCE, HIGHEST_VALENCE + 1])
def test_poles_of_each_valence_are_what_rules_and_rings_make_of_them(valence: int, level: int) -> None:
    cage = with_poles(valence, level)
    surface = SmoothSurface(cage, level)
    assert fans_of(surface) > 0
    raw = cage.points
    for step in surface.steps:
        raw = step.points(raw)
    assert np.allclose(surface.points(cage.points), raw, rtol=0, atol=1e-10)
    assert np.allclose(surface.normals(raw, cage.points), surface.normals(raw), rtol=0, atol=1e-9)
    one, beside = _bends(surface, cage.points, 2, True)
    other, also = _bends_by_rings(surface, raw, 2, True)
    assert np.abs(one.numbers[:8] - other.numbers[:8]).max() < 1e-8
    assert np.allclose(one.places, surface.limit(raw), rtol=0, atol=1e-10)
    assert np.allclose(beside, also, rtol=0, atol=1e-9)
    # At a pole curvature is that of a place beside it, and how far is said.
    poles = np.flatnonzero(cage.topology.valence != 4)
    assert (beside[poles] > 0).all() and np.count_nonzero(beside) == len(poles)


@pytest.mark.parametrize("valence", range(3, HIGHEST_VALENCE + 1))
def test_weights_keep_what_moves_as_one_and_tilts_as_one(valence: int) -> None:
    """Places are means: weights sum to one; what does not change has no derivatives."""
    for levels in (1, 2):
        weights = fan_weights(valence, levels)
        assert len(weights.corners) == (2**levels + 1) ** 2 and weights.places.shape[1] == 2 * valence + 8
        assert np.allclose(weights.places.sum(axis=1), 1.0, atol=1e-12)
        assert np.allclose(weights.jets.sum(axis=2), np.array([0, 0, 0, 0, 0, 1.0])[:, None], atol=1e-12)
        # The pole's mask: (n²·v + 4Σe + Σf) / (n(n + 5)) (Halstead, Kass & DeRose 1993).
        assert weights.jets[5, 0, 0] == pytest.approx(valence / (valence + 5), abs=1e-12)
        assert np.allclose(weights.jets[5, 0, 1 : 2 * valence + 1 : 2], 4 / (valence * (valence + 5)), atol=1e-12)


def test_a_point_that_two_fans_share_is_no_pole() -> None:
    """Two boxes that touch in a point: six edges and six faces there, and no fan of six."""
    first, second = box((2, 2, 2), (3, 3, 3)), box((2, 2, 2), (3, 3, 3))
    both = combined((first, second.with_points(second.points + 2.0)))
    points = both.points
    _, number = np.unique(np.round(points, 6), axis=0, return_inverse=True)
    joined = Topology(both.topology.face_offsets, number[both.topology.corners], int(number.max()) + 1)
    places = np.zeros((joined.n_points, 3))
    places[number] = points
    cage = Mesh(joined, places)
    sharp = sharp_of(joined, cage.creases, cage.corner_sharpness)
    shared = np.flatnonzero(joined.point_face_count == 6)
    assert len(shared) == 1 and joined.valence[shared[0]] == 6
    fans = fan_points(joined, sharp)
    assert not fans[shared[0]] and fans.sum() == joined.n_points - 1
    assert regular_points(joined, sharp).sum() == (joined.valence == 4).sum()


def test_poles_beside_creases_are_left_to_the_rules() -> None:
    cage = quad_sphere(40, 6)
    poles = np.flatnonzero(cage.topology.valence == 3)
    creased = np.zeros(cage.n_edges)
    creased[(cage.topology.edges == poles[0]).any(axis=1)] = 1.5
    crowded = Mesh(cage.topology, cage.points, creased)
    surface, smooth_one = SmoothSurface(crowded, 3), SmoothSurface(cage, 3)
    assert 0 < fans_of(surface) < fans_of(smooth_one)
    raw = surface.points(crowded.points)
    one, _ = _bends(surface, crowded.points, 2, False)
    other, _ = _bends_by_rings(surface, raw, 2, False)
    assert np.abs(one.numbers - other.numbers).max() < 1e-8
