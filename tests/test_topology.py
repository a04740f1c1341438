"""Who touches whom, against definitions taken one element at a time."""

from __future__ import annotations

from collections import Counter

import numpy as np
import pytest
from conftest import CAGES, fin, moebius
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from levelloop.core.arrays import Integers, chains, cycles, difference, distinct, union, unique_rows
from levelloop.core.errors import MeshError
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.topology import Topology, topology_of_faces


def directed(mesh: Mesh) -> list[tuple[int, int, int]]:
    """(face, from, to) of every half-edge, one at a time."""
    found = []
    for face in range(mesh.n_faces):
        outline = mesh.topology.face(face).tolist()
        found += [(face, a, b) for a, b in zip(outline, outline[1:] + outline[:1], strict=True)]
    return found


def test_edges_are_each_pair_of_neighbours_once(cage: Mesh) -> None:
    expected = {tuple(sorted((a, b))) for _, a, b in directed(cage)}
    assert {tuple(edge) for edge in cage.topology.edges.tolist()} == expected
    assert len(expected) == cage.n_edges


def test_edge_faces_count_faces(cage: Mesh) -> None:
    counts = Counter(tuple(sorted((a, b))) for _, a, b in directed(cage))
    for edge, count in zip(cage.topology.edges.tolist(), cage.topology.edge_face_count.tolist(), strict=True):
        assert counts[tuple(edge)] == count


def test_twins_run_the_other_way(cage: Mesh) -> None:
    topology = cage.topology
    for corner, twin in enumerate(topology.twin.tolist()):
        if twin >= 0:
            assert topology.twin[twin] == corner
            assert topology.corners[corner] == topology.corner_end[twin]
            assert topology.corner_edge[corner] == topology.corner_edge[twin]
            assert topology.edge_face_count[topology.corner_edge[corner]] == 2


def test_next_wraps_around_the_face(cage: Mesh) -> None:
    topology = cage.topology
    assert np.array_equal(topology.previous_corner[topology.next_corner], np.arange(topology.n_corners))
    assert np.array_equal(topology.corner_face[topology.next_corner], topology.corner_face)


def test_valence_counts_edges(cage: Mesh) -> None:
    counts = Counter(cage.topology.edges.ravel().tolist())
    assert cage.topology.valence.tolist() == [counts[i] for i in range(cage.n_points)]


def test_euler_number_of_closed_cages(closed_cage: Mesh) -> None:
    # Euler's formula for polyhedra (Euler 1758): V − E + F = 2 for each shell.
    assert closed_cage.topology.euler_number() == 2 * closed_cage.topology.n_shells


def test_euler_numbers_of_open_surfaces() -> None:
    assert CAGES["grid"].topology.euler_number() == 1
    assert moebius().topology.euler_number() == 0


def test_orientation_finds_the_one_turned_face() -> None:
    mesh = CAGES["box"]
    faces = [mesh.topology.face(i).tolist() for i in range(6)]
    faces[3].reverse()
    flip, one_sided = mesh_of_faces(mesh.points, faces).topology.orientation
    assert flip.tolist() == [False, False, False, True, False, False]
    assert not one_sided.any()


def test_a_moebius_strip_has_one_side() -> None:
    assert moebius().topology.orientation[1].tolist() == [True]


def test_an_edge_with_three_faces_is_no_twin() -> None:
    topology = fin().topology
    assert topology.edge_face_count.max() == 3
    edge = topology.find_edges([[0, 1]])[0]
    assert (topology.twin[topology.corner_edge == edge] == -1).all()


def test_a_face_naming_a_missing_point_says_which() -> None:
    with pytest.raises(MeshError, match="Face 1 names point 9, but there are only 4 points"):
        Topology([0, 3, 6], [0, 1, 2, 0, 9, 3], 4)
    with pytest.raises(MeshError, match="Face 0 has 2 corners"):
        Topology([0, 2], [0, 1], 4)
    with pytest.raises(MeshError, match="not a finite number"):
        mesh_of_faces([[0, 0, float("nan")], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]])


def test_find_edges_both_ways_and_missing() -> None:
    topology = CAGES["grid"].topology
    found = topology.find_edges([[0, 1], [1, 0], [0, 15], [-1, 99]])
    assert found[0] == found[1] >= 0
    assert found[2] == found[3] == -1


@given(st.permutations(range(40)))
def test_cycles_follow_the_permutation(permutation: list[int]) -> None:
    successor = np.array(permutation)
    members, offsets = cycles(successor)
    assert sorted(members.tolist()) == list(range(40))
    for start, end in zip(offsets[:-1].tolist(), offsets[1:].tolist(), strict=True):
        cycle = members[start:end].tolist()
        assert cycle[0] == min(cycle)
        assert [int(successor[member]) for member in cycle] == cycle[1:] + cycle[:1]


def test_chains_join_a_run_and_a_loop() -> None:
    runs = chains(np.array([[0, 1], [2, 1], [5, 6], [6, 7], [7, 5]]), 8)
    as_sets = [(set(members.tolist()), closed) for members, closed in runs]
    assert ({0, 1, 2}, False) in as_sets
    assert ({5, 6, 7}, True) in as_sets


@pytest.mark.parametrize(
    "names", [("box", "grid"), ("moebius", "box", "n-gon caps"), ("empty", "single face"), ("box",)]
)
def test_topologies_side_by_side_know_what_they_would_find(names: tuple[str, ...]) -> None:
    parts = [CAGES[name].topology for name in names]
    put = Topology.side_by_side(parts)
    found = Topology(put.face_offsets, put.corners, put.n_points)
    for name in ("edges", "corner_edge", "edge_offsets", "edge_corners", "edge_face_count", "twin"):
        assert np.array_equal(getattr(put, name), getattr(found, name)), name
    wired = Topology.side_by_side([parts[0], topology_of_faces([], 3).with_wires(np.array([[0, 2]]))])
    assert len(wired.wires) == 1 and wired.n_edges == parts[0].n_edges + 1


WHOLE = arrays(np.int64, st.integers(0, 30), elements=st.integers(-3, 40))


@given(WHOLE, WHOLE)
def test_sets_of_whole_numbers_are_what_numpy_makes_of_them(one: Integers, other: Integers) -> None:
    assert distinct(one).tolist() == np.unique(one).tolist()
    assert union(one, other).tolist() == np.union1d(one, other).tolist()
    assert difference(one, other).tolist() == np.setdiff1d(one, other).tolist()
    pairs = np.stack((one[: len(other)], other[: len(one)]), axis=1)
    rows, which = unique_rows(pairs)
    assert rows.tolist() == np.unique(pairs, axis=0).tolist()
    assert rows[which].tolist() == pairs.tolist()
