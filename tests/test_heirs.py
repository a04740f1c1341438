"""Who inherits a named set, or a seam, when what it names is replaced."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.arrays import mask_of
from levelloop.core.edit.bevel.bevel import bevel
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.mesh.mesh import Mesh, NamedSet
from levelloop.core.mesh.selection import NOTHING, Selection
from levelloop.document.session import Session

FORMS = {
    "box": box((40, 40, 20), (2, 3, 1)),
    "cylinder": cylinder(30, 20, 12),
    "sheet": plane((50, 50), (4, 4)),
    "ball": quad_sphere(30, 3),
}


def named(mesh: Mesh, kind: str, indices: np.ndarray) -> Mesh:
    """The form with a set of its elements that are seams as well where they are edges."""
    seam = mask_of(indices, mesh.n_edges) if kind == "edges" else mesh.seams
    return replace(mesh, sets=(NamedSet("kept", kind, indices),), seam=seam)  # type: ignore[arg-type]


@pytest.mark.parametrize("name", FORMS)
@some(12)
@given(st.integers(0, 10**6), st.sampled_from([(1, True), (2, False), (4, False)]))
def test_the_middle_of_a_bevel_inherits_sets_and_seams(name: str, seed: int, how: tuple[int, bool]) -> None:
    """One edge for each, and half of the strip's rows on either side of it."""
    form, (steps, middle_loop) = FORMS[name], how
    inner = np.flatnonzero(~form.topology.open_edges)
    random = np.random.default_rng(seed)
    chosen = np.sort(random.choice(inner, random.integers(1, min(len(inner), 12)), replace=False))
    edit = bevel(named(form, "edges", chosen), Selection("edges", chosen), 0.4, steps, middle_loop=middle_loop)
    heirs = edit.mesh.sets[0].indices
    assert sorted(edit.origin.edges[heirs].tolist()) == chosen.tolist()
    assert np.flatnonzero(edit.mesh.seams).tolist() == heirs.tolist()
    # Both faces beside a middle edge are new, so that it is none of the strip's rims.
    new = mask_of(edit.selection.indices, edit.mesh.n_faces)
    pairs = edit.mesh.topology.edge_faces[heirs]
    assert new[pairs].all()


@pytest.mark.parametrize("steps", [1, 3])
def test_a_bevel_without_a_middle_says_which_sets_are_empty(steps: int) -> None:
    session = Session.new()
    session.do("add_box")
    session.select_where("edges", along=(0, 0, 1))
    session.do("keep_set", name="posts")
    session.do("step_hold", set="posts", radius=1.0)
    session.select_where("edges", along=(0, 0, 1))
    assert "“posts” has no edges any more" in session.do("bevel", width=1.0, steps=steps)
    assert len(session.part.mesh.sets[0].indices) == 0
    # The station stands, off, and what is shown is the part without it.
    assert session.part.steps[0].key == "hold" and session.part.stepped.n_faces == session.part.mesh.n_faces
    session.undo()
    assert session.part.stepped.n_faces > session.part.mesh.n_faces


@pytest.mark.parametrize("name", ["sheet", "cylinder", "ball"])
@pytest.mark.parametrize("kind", ["points", "edges", "faces"])
@pytest.mark.parametrize("wall", [(0.0, 2.0), (1.0, 0.0), (1.0, 1.0)])
def test_the_outer_skin_of_a_wall_inherits_sets(name: str, kind: str, wall: tuple[float, float]) -> None:
    """As many elements as before, each where the old one was, moved outward."""
    form = FORMS[name]
    chosen = np.arange(0, form.count(kind), 3)  # type: ignore[arg-type]
    inward, outward = wall
    walled = thicken(named(form, kind, chosen), NOTHING, inward, outward).mesh
    heirs = walled.sets[0].indices
    assert len(heirs) == len(chosen)
    assert np.allclose(middles(walled, kind, heirs), middles(form, kind, chosen), atol=max(outward, 0.01) * 2.0)
    plain = thicken(form, NOTHING, inward, outward).mesh
    outer = plain.points[: form.n_points]
    places = walled.points[points_of(walled, kind, heirs)]
    assert all(np.linalg.norm(outer - place, axis=1).min() < 1e-9 for place in places)


def points_of(mesh: Mesh, kind: str, indices: np.ndarray) -> np.ndarray:
    if kind == "points":
        return indices
    if kind == "edges":
        return mesh.topology.edges[indices].ravel()
    return mesh.topology.corners[mesh.topology.corners_of_faces(indices)]


def middles(mesh: Mesh, kind: str, indices: np.ndarray) -> np.ndarray:
    groups = [points_of(mesh, kind, indices[i : i + 1]) for i in range(len(indices))]
    return np.array([mesh.points[group].mean(axis=0) for group in groups])
