"""What fits: what an operation would make is refused before it is there, and the history keeps little of each state."""

from __future__ import annotations

import resource
import time
from typing import Any

import numpy as np
import pytest

from levelloop.core.errors import EditError
from levelloop.core.limits import BYTES_IN_RECIPE, MOST_BYTES, MOST_FACES, check_fits
from levelloop.core.mesh.topology import Topology
from levelloop.document.session import Session


def sheet(cells: int = 140) -> Session:
    session = Session.new()
    session.do("add_plane", cells=(cells, cells))
    return session


def test_a_refusal_says_faces_and_memory() -> None:
    check_fits(MOST_FACES)
    with pytest.raises(EditError, match=r"about 6,000,000 faces and 6 GB of memory; 4 GB is the most"):
        check_fits(6_000_000)
    with pytest.raises(EditError, match="far more"):
        check_fits(1e30)
    with pytest.raises(EditError):
        check_fits(MOST_BYTES / BYTES_IN_RECIPE + 1, BYTES_IN_RECIPE)


TOO_MUCH: dict[str, tuple[str, str, dict[str, Any]]] = {
    "box": ("", "add_box", {"cells": (1000, 1000, 1000)}),
    "plane": ("", "add_plane", {"cells": (3000, 3000)}),
    "bevelled edges": ("edges", "bevel", {"width": 0.01, "steps": 64}),
    "bevelled points": ("points", "bevel", {"width": 0.01, "steps": 64}),
    "rings": ("edges", "split_ring", {"count": 200}),
    "loops": ("edges", "run_loop", {"count": 200}),
    "rows": ("faces", "extrude", {"distance": 1, "steps": 200, "each": True}),
    "strips": ("edges", "extrude", {"distance": 1, "steps": 200}),
    "a turn": ("edges", "revolve", {"steps": 4096, "pivot": (90, 0, 0)}),
    "a helix": ("edges", "helix", {"turns": 19, "steps": 1024, "pitch": 9}),
    "copies": ("faces", "array", {"count": 10_000, "move": (30, 0, 0)}),
    "quarters": ("faces", "subdivide", {"times": 6}),
}


@pytest.mark.parametrize("case", sorted(TOO_MUCH))
def test_what_does_not_fit_is_refused_before_it_is_made(case: str) -> None:
    kind, key, values = TOO_MUCH[case]
    session = sheet()
    if kind:
        session.select_all(kind)  # type: ignore[arg-type]
    before, mesh = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, session.part.mesh
    began = time.perf_counter()
    with pytest.raises(EditError, match="faces"):
        session.do(key, **values)
    assert session.part.mesh is mesh and len(session.history) == 2
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 400_000  # kB
    assert time.perf_counter() - began < 20


def test_recipes_and_levels_are_reckoned() -> None:
    session = sheet(44)
    with pytest.raises(EditError, match=r"7\.93 GB"):
        session.part.result(6)
    with pytest.raises(EditError, match="GB"):
        session.add_step("array", count=10_000, move=(30, 0, 0))
    with pytest.raises(EditError, match="GB"):
        for _ in range(12):
            session.add_step("thicken", outward=0.1)
    assert session.part.stepped.n_faces < MOST_FACES


def test_slices_count_what_they_cross() -> None:
    session = sheet()
    session.do("slice", plane="x", offsets=[0.01, 0.02])
    assert session.part.mesh.n_faces == 140 * 142


def kept_bytes(session: Session) -> int:
    """The memory of all arrays that the history holds, each counted once."""
    arrays: dict[int, int] = {}

    def add(value: Any) -> None:
        if isinstance(value, np.ndarray):
            owner = value if value.base is None else value.base
            arrays[id(owner)] = owner.nbytes if isinstance(owner, np.ndarray) else value.nbytes
        elif isinstance(value, tuple):
            for one in value:
                add(one)

    for state in session.history:
        for part in state.document.parts:
            for value in (*vars(part.mesh).values(), *vars(part.mesh.topology).values()):
                add(value)
            assert "plain" not in vars(part) or part in session.document.parts
    return sum(arrays.values())


def test_a_state_of_the_history_keeps_little_and_gives_everything_back() -> None:
    session = sheet()
    rng = np.random.default_rng(1)
    edges, before = [], 0
    for turn in range(24):
        before = kept_bytes(session) if turn == 4 else before
        session.select(faces=[int(rng.integers(session.part.mesh.n_faces))])
        if turn % 2:
            session.do("move", by=(0.1, 0, 0.1))
        elif turn % 4:
            session.do("inset", width=0.01)
        else:
            session.do("extrude", distance=0.5)
        edges.append(session.part.mesh.topology.edges)
        assert session.part.mesh.topology.n_shells == 1 and len(session.part.mesh.topology.point_rings) == 3
    # 20,000 faces, 1,200 operations: at most 1 GB.
    assert (kept_bytes(session) - before) / 20 < 1e9 / 1200
    for turn in range(23, -1, -1):
        state = session.history[turn + 2]
        topology = state.document.part.mesh.topology
        again = Topology(topology.face_offsets, topology.corners, topology.n_points)
        assert np.array_equal(topology.edges, edges[turn]) and np.array_equal(again.edges, edges[turn])
        session.undo()
    assert session.part.mesh.n_faces == 140 * 140
