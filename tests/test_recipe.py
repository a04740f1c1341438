"""The recipe: what its steps do to a cage, how they follow it, and that nothing is lost on the way."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from click.testing import CliRunner
from conftest import CAGES, richly_tagged
from examples import some
from hypothesis import HealthCheck, given
from hypothesis import strategies as st
from test_properties import NUMBERS, check_origins, check_valid

import levelloop as ll
from levelloop.cli import cli
from levelloop.core.errors import LevelLoopError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.mesh.faces import face_areas, signed_volume
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.mesh.topology import Topology
from levelloop.core.recipe.chain import Built, Smoothing, build
from levelloop.core.recipe.mirror import PLANES, mirror
from levelloop.core.recipe.shaping import bend, taper, twist
from levelloop.core.review import review
from levelloop.core.surface.surface import smooth
from levelloop.document.document import Document, new_part
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Reading
from levelloop.document.part import Part
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step, growth, label, links_of, rail_place
from levelloop.files import read_document

AXES = st.sampled_from("xyz")
VECTORS = st.tuples(NUMBERS, NUMBERS, NUMBERS)
NUMBERS_OF: dict[str, dict[str, st.SearchStrategy[Any]]] = {
    # Named sets come in test_hold; here the station stays and says that its set is not there.
    "hold": {"set": st.just("rims"), "radius": st.floats(0.05, 2)},
    "true_size": {"size": st.tuples(st.none() | st.floats(1, 50), st.floats(1, 50), st.none())},
    "mirror": {"planes": st.sampled_from(PLANES), "weld": st.floats(0, 0.3)},
    "array": {
        "count": st.integers(1, 4),
        "move": VECTORS,
        "rotate": NUMBERS.map(lambda x: 60 * x),
        "weld": st.one_of(st.none(), st.floats(0, 0.5)),
    },
    "smooth": {"level": st.one_of(st.just("rail"), st.integers(0, 2)), "creases": st.booleans()},
    "bend": {
        "angle": NUMBERS.map(lambda x: 120 * x),
        "along": st.sampled_from("xyz"),
        "around": st.sampled_from("xyz"),
    },
    "twist": {"angle": NUMBERS.map(lambda x: 120 * x), "axis": AXES},
    "taper": {"factor": st.floats(0.01, 2), "axis": AXES},
    "slant": {"by": VECTORS, "along": AXES},
    "thicken": {"inward": st.floats(0, 1), "outward": st.floats(0.1, 1), "rim_steps": st.integers(1, 2)},
    "revolve": {"angle": st.sampled_from([90.0, 360.0]), "steps": st.integers(3, 5)},
    "helix": {"pitch": st.floats(0.5, 4), "turns": st.sampled_from([0.5, 1.0]), "steps": st.integers(3, 5)},
    "weld": {"distance": st.floats(0, 1)},
}


def step(key: str, on: bool = True, **given_: Any) -> Step:
    values = REGISTRY[f"step_{key}"].read(given_, Reading())
    return Step(key, {one.name: values[one.name] for one in STEPS[key].parameters}, on)


def session_of(mesh: Mesh, *steps: tuple[str, dict[str, Any]]) -> ll.Session:
    document = Document()
    session = ll.Session(document.with_part(new_part(document, mesh, "thing")))
    for key, numbers in steps:
        session.add_step(key, **numbers)
    return session


# What the steps do


def test_a_strip_bent_by_360_degrees_closes_into_a_ring_of_its_length() -> None:
    """A strip of length L bent by 360° has the radius L/2π (common practice, no source)."""
    strip = plane((100, 10), (20, 2))
    ring = bend(strip, 360, "x", "y").mesh
    # Around +y by the right hand: what lies on +x comes down.
    centre = np.array([0.0, 0.0, -100 / (2 * np.pi)])
    assert np.allclose(np.hypot(ring.points[:, 0], ring.points[:, 2] - centre[2]), 100 / (2 * np.pi))
    session = session_of(strip, ("bend", {"angle": 360, "along": "x", "around": "y"}), ("weld", {"distance": 0.001}))
    closed = session.part.stepped.topology
    assert closed.euler_number() == 0 and closed.open_edges.sum() == 2 * 20


def test_length_is_kept_at_the_pivots_height_and_limits_leave_the_rest_straight() -> None:
    bar = box((80, 4, 4), (40, 1, 2))
    middle = np.isclose(bar.points[:, 2], 0) & np.isclose(bar.points[:, 1], 2)
    bent = bend(bar, 90, "x", "y", limits=(-20.0, 20.0)).mesh.points
    order = np.argsort(bar.points[middle][:, 0])
    way = bent[middle][order]
    # On an arc of radius 40 / (π/2), 2 mm of it between two points.
    chord = 2 * 40 / (np.pi / 2) * np.sin(np.radians(90 / 20) / 2)
    lengths = np.linalg.norm(np.diff(way, axis=0), axis=1)
    assert np.allclose(lengths[10:30], chord) and np.allclose(lengths[:10], 2) and np.allclose(lengths[30:], 2)
    straight = way[30:] - way[30]
    assert np.linalg.matrix_rank(straight, tol=1e-9) == 1
    assert np.allclose(bend(bar, 0).mesh.points, bar.points)
    # The pivot stays, and turning back makes it straight again.
    assert np.allclose(bend(bar, 30, "x", "z", pivot=(-40, 0, 0)).mesh.points.min(axis=0)[0], -40, atol=0.6)


def test_a_twist_turns_the_far_end_only_and_a_taper_makes_a_frustum() -> None:
    bar = box((2, 2, 10), (1, 1, 5))
    turned = twist(bar, 90, "z").mesh.points
    top, low = np.isclose(bar.points[:, 2], 5), np.isclose(bar.points[:, 2], -5)
    assert np.allclose(turned[low], bar.points[low])
    assert np.allclose(turned[top][:, :2], bar.points[top][:, :2] @ np.array([[0, 1], [-1, 0]]))
    # Volume of a frustum: h/3 (A + B + √(A B)).
    frustum = taper(box((2, 2, 10)), 0.5, "z").mesh
    assert signed_volume(frustum) == pytest.approx(10 / 3 * (4 + 1 + 2))


@pytest.mark.parametrize("planes", PLANES)
def test_mirrors_make_the_whole_of_a_piece(planes: str) -> None:
    """An eighth of a ball, a quarter or a half is cut off and made whole again: the same area and closed."""
    ball = quad_sphere(20, 4)
    piece = ball
    for plane_ in planes:
        from levelloop.core.edit.divide.slicing import slice_planes

        piece = slice_planes(piece, NOTHING, plane_, (0.0,), "front").mesh
    whole = mirror(piece, planes).mesh
    assert whole.n_faces == piece.n_faces * 2 ** len(planes)
    assert not whole.topology.open_edges.any() and whole.topology.euler_number() == 2
    assert signed_volume(whole) == pytest.approx(signed_volume(ball))


def test_one_slice_of_many_keeps_following() -> None:
    """n slices around an axis: rotate by 360/n, n − 1 copies, then weld (common practice, no source)."""
    session = ll.Session.new()
    session.do("add_cylinder", diameter=20, height=10, sides=20, at=(3, 4, 5))
    whole = session.part.result(0)
    said = session.do("keep_slice", count=20, pivot=(3, 4, 5))
    assert "an array step repeats them" in said
    assert [(one.key, one.parameters["rotate"]) for one in session.part.steps] == [("array", 18.0)]
    again = session.part.result(0)
    assert session.part.mesh.n_faces == 3 and not again.topology.open_edges.any()
    assert signed_volume(again) == pytest.approx(signed_volume(whole))
    # What is done to the slice is done twenty times.
    session.select_where("faces", normal=(0, 0, 1))
    session.do("extrude", distance=1.0)
    top = face_areas(whole.topology, whole.points).max()
    assert signed_volume(session.part.result(0)) == pytest.approx(signed_volume(whole) + top)
    session.undo()
    session.undo()
    assert session.part.steps == () and session.part.mesh.n_faces == whole.n_faces


def test_a_slice_of_a_part_that_stands_elsewhere_repeats_in_its_own_space() -> None:
    session = session_of(cylinder(10, 20, 12))
    session.do("instance")  # from now on it moves by its transform
    session.do("rotate", angle=90, axis="x", pivot="origin")
    session.do("move", by=(50, 0, 7))
    session.do("keep_slice", count=6, axis="y", pivot=(50, 0, 7))
    result = session.part.to_world(session.part.result(0))
    assert not result.topology.open_edges.any()
    assert signed_volume(result) == pytest.approx(signed_volume(cylinder(10, 20, 12)))
    assert np.allclose(result.points.mean(axis=0), (50, 0, 7))


def test_smooth_first_and_bend_afterwards_keeps_detail_even() -> None:
    """Smooth first, bend afterwards: the section stays the same all around (common practice, no source)."""
    bar = box((60, 6, 6), (8, 1, 1))
    session = session_of(bar, ("smooth", {}), ("bend", {"angle": 180, "along": "x", "around": "y"}))
    session.do("set_level", level=2)
    straight = smooth(bar, 2)
    assert session.part.result().n_faces == straight.n_faces
    assert np.allclose(session.part.result().points, bend(straight, 180, "x", "y").mesh.points)
    assert np.allclose(session.part.result(3).points, bend(smooth(bar, 3), 180, "x", "y").mesh.points)


def test_the_rail_drives_the_last_smooth_step_of_its_own() -> None:
    cage = box()
    faces = {level: 6 * 4**level for level in range(5)}

    def count(*steps: Step, level: int = 2) -> int:
        return build(cage, links_of(steps, level)).mesh.n_faces

    assert count() == faces[2] and count(step("mirror", on=False)) == faces[2]
    assert count(step("smooth")) == faces[2] and count(step("smooth"), step("smooth")) == faces[2]
    # A level of its own is no part of the rail's.
    assert count(step("smooth", level=1)) == faces[3] and count(step("smooth", level=1), level=0) == faces[1]
    assert count(step("smooth"), step("smooth", level=1)) == faces[3]
    assert count(step("smooth", on=False)) == faces[2]
    assert rail_place([step("smooth"), step("bend"), step("smooth", level=2)]) == 0
    assert rail_place([step("bend")]) == 1
    # The rail's limit counts for what it drives only.
    on_limit = build(cage, links_of([step("smooth", level=1)], 1, True)).points
    assert np.allclose(np.sort(on_limit, axis=0), np.sort(smooth(smooth(cage, 1), 1, True).points, axis=0))


def test_smoothing_without_creases_lets_them_go() -> None:
    creased = box().with_creases(np.full(12, 10.0))
    held = build(creased, links_of([step("smooth", level=2)], 0)).mesh
    loose = build(creased, links_of([step("smooth", level=2, creases=False)], 0)).mesh
    assert np.allclose(np.abs(held.points).max(), np.abs(creased.points).max())
    assert np.allclose(loose.points, smooth(box(), 2).points)


# How it follows the cage


@pytest.mark.parametrize("key", sorted(NUMBERS_OF))
@some(25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_any_step_on_any_cage(key: str, data: st.DataObject) -> None:
    name = data.draw(st.sampled_from(list(CAGES)))
    cage = CAGES[name] if data.draw(st.booleans()) else richly_tagged(CAGES[name], data.draw(st.integers(0, 20)))
    numbers = {n: data.draw(s) for n, s in NUMBERS_OF[key].items()}
    before = cage.points.copy()
    built = build(cage, links_of([step(key, **numbers)], data.draw(st.integers(0, 1))))
    for trouble in built.troubles:
        assert trouble.place == 0 and trouble.reason.endswith((".", "?")) and trouble.reason[0].isupper()
    for stop in built.stops:
        check_valid(stop.mesh)
        if stop.edit is not None:
            check_origins(stop.before, stop.edit)
    check_trace(built)
    review(built.mesh)
    assert np.array_equal(cage.points, before)


def check_trace(built: Built) -> None:
    """Own elements come from the cage's, each chain runs from its edge's start to its end."""
    trace, cage, result = built.trace, built.cage, built.topology
    for kind, count in (("points", cage.n_points), ("edges", cage.n_edges), ("faces", cage.n_faces)):
        origins = trace.source.of(kind)  # type: ignore[arg-type]
        assert origins.max(initial=-1) < count and origins.min(initial=0) >= -1
    assert len(trace.own_faces) == result.n_faces and len(trace.own_edges) == result.n_edges
    assert (trace.source.faces[trace.own_faces] >= 0).all()
    assert trace.points.shape == (cage.n_points,) and trace.points.max(initial=-1) < result.n_points
    there = trace.points >= 0
    assert (trace.source.points[trace.points[there]] == np.flatnonzero(there)).all()
    ends = trace.points[cage.topology.edges]
    assert np.array_equal(trace.chains[:, 0], ends[:, 0])
    kept = (trace.chains >= 0).all(axis=1)
    assert np.array_equal(trace.chains[kept, -1], ends[kept, 1])


@some(40)
@given(data=st.data())
def test_what_is_built_again_is_what_is_built_anew(data: st.DataObject) -> None:
    """Moved points, other numbers, other tags: with the former one at hand the same comes out as from nothing."""
    cage = data.draw(
        st.sampled_from([CAGES["box with cells"], CAGES["grid"], CAGES["n-gon caps"], CAGES["mixed polygons"]])
    )
    keys = data.draw(st.lists(st.sampled_from(["mirror", "array", "smooth", "bend", "weld", "taper"]), max_size=4))

    def drawn() -> list[Step]:
        return [step(key, **{n: data.draw(s) for n, s in NUMBERS_OF[key].items()}) for key in keys]

    steps = drawn()
    first = build(cage, links_of(steps, 1))
    if data.draw(st.booleans()):
        steps = drawn()
    moved = cage.with_points(cage.points * data.draw(st.floats(0.5, 2)) + data.draw(VECTORS))
    if data.draw(st.booleans()):
        moved = richly_tagged(moved, data.draw(st.integers(0, 5)))
    again, anew = build(moved, links_of(steps, 1), first), build(moved, links_of(steps, 1))
    assert np.array_equal(again.points, anew.points)
    for a, b in ((again.mesh, anew.mesh),):
        assert np.array_equal(a.topology.corners, b.topology.corners) and a.materials == b.materials
        assert np.array_equal(a.creases, b.creases) and np.array_equal(a.material, b.material)
        assert [(s.name, s.indices.tolist()) for s in a.sets] == [(s.name, s.indices.tolist()) for s in b.sets]
    for name in ("points", "chains", "middles", "own_edges", "own_faces"):
        assert np.array_equal(getattr(again.trace, name), getattr(anew.trace, name)), name


REPEATED: dict[str, dict[str, Any]] = {
    "row": {"count": 5, "move": (10.0, 0.0, 0.0), "weld": 0.01},
    "row, automatic": {"count": 3, "move": (10.0, 0.0, 0.0)},
    "ring": {"count": 6, "rotate": 60.0, "pivot": (-8.66025403784, 0.0, 0.0), "weld": 0.05},
    "about the middle": {"count": 4, "rotate": 90.0, "pivot": "middle", "weld": 0.01},
    "apart": {"count": 3, "move": (11.0, 0.0, 1.0), "weld": None},
    "smaller and smaller": {"count": 3, "move": (10.0, 0.0, 0.0), "scale": 0.5, "weld": 0.01},
}


@pytest.mark.parametrize("case", REPEATED)
@some(30)
@given(data=st.data())
def test_an_array_that_follows_is_the_one_that_is_made_anew(case: str, data: st.DataObject) -> None:
    cage = plane((10, 10), (4, 4))
    links = links_of([step("array", **REPEATED[case])], 0)
    built = build(cage, links)
    for _ in range(3):
        moved = built.cage.points.copy()
        chosen = data.draw(st.lists(st.integers(0, cage.n_points - 1), max_size=6))
        reach = data.draw(st.sampled_from([0.004, 0.5, 10.0]))
        moved[chosen] += np.array(data.draw(VECTORS)) * reach / 10.0
        built, anew = build(cage.with_points(moved), links, built), build(cage.with_points(moved), links)
        assert np.array_equal(built.points, anew.points)
        assert np.array_equal(built.topology.corners, anew.topology.corners)


def test_an_array_follows_where_seams_hold_and_is_made_anew_where_they_open_or_close() -> None:
    cage = plane((10, 10), (4, 4))
    links = links_of([step("array", **REPEATED["row"])], 0)
    first = build(cage, links)
    inside = cage.points.copy()
    inside[12] += (0.3, 0.2, 4.0)
    second = build(cage.with_points(inside), links, first)
    assert second.stops[0].route is first.stops[0].route
    right = np.flatnonzero(cage.points[:, 0] == 5)
    opened = inside.copy()
    opened[right[2]] += (0.0, 0.0, 3.0)
    third = build(cage.with_points(opened), links, second)
    assert third.stops[0].points.shape[0] == second.stops[0].points.shape[0] + 4
    # A point pulled onto the next copy's is welded with it.
    left = np.flatnonzero(cage.points[:, 0] == -5)
    closed = inside.copy()
    closed[right] += (2.0, 0.0, 0.0)
    fourth = build(cage.with_points(closed), links, third)
    closed[right[2]] = cage.points[left[2]] + (10.0, 0.0, 0.0)
    fifth = build(cage.with_points(closed), links, fourth)
    assert len(fifth.points) == len(fourth.points) - 4


@pytest.mark.parametrize("caps", ["open", "face", "quads", "round"])
@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("is_named", [False, True])
def test_a_sweep_that_follows_its_curve_is_the_one_that_is_made_anew(caps: str, closed: bool, is_named: bool) -> None:
    session = ll.Session.new()
    points = [(0, 0, 0), (20, 0, 0), (25, 20, 4), (0, 24, 9), (-6, 12, 7)]
    session.do("add_curve", points=points, kind="smooth", closed=closed, radii=[2, 3, 2, 1, 1], name="way")
    if is_named:
        session.do("add_point", name="hose")
        session.add_step("sweep", curve="way", sides=8, caps=caps)
    else:
        session.add_step("sweep", sides=8, caps=caps)
    name = session.part.name
    before = session.part.plain
    session.set_active("way")
    session.select(points=[2])
    for by in ((1.0, 2.0, 3.0), (-4.0, 0.5, 0.0)):
        session.do("move", by=by)
        part = session.document.by_name(name)
        again = build(part.mesh, part.links(0), before)
        assert again.stops[0].route is before.stops[0].route
        assert np.array_equal(again.points, build(part.mesh, part.links(0)).points)
        before = again


def test_connectivity_is_not_built_again_while_only_points_move() -> None:
    cage = plane((10, 10), (4, 4))
    steps = [step("array", count=3, move=(10, 0, 0), weld=0.01), step("mirror", planes="y"), step("bend", along="x")]
    first = build(cage, links_of(steps, 2))
    moved = cage.points.copy()
    moved[6] += (0.1, 0.2, 3.0)
    second = build(cage.with_points(moved), links_of(steps, 2), first)
    assert [a.topology is b.topology for a, b in zip(first.stops, second.stops, strict=True)] == [True] * 4
    assert second.stops[-1].surface is first.stops[-1].surface and second.trace is first.trace
    # A point of the seam that leaves its partner opens it: what is welded no longer fits.
    moved[np.flatnonzero(cage.points[:, 0] == 5)[2]] += (2.0, 0, 0)
    third = build(cage.with_points(moved), links_of(steps, 2), second)
    assert third.stops[0].topology is not second.stops[0].topology
    # Known by its place in the recipe too: that is what the build line counts by.
    off = [step("taper", on=False), *steps]
    places = [stop.link.place for stop in build(third.cage, links_of(off, 2), third).stops]
    assert places == [1, 2, 3, 4]
    # The same once more is not even run.
    assert all(a is b for a, b in zip(build(third.cage, links_of(steps, 2), third).stops, third.stops, strict=True))


def test_a_face_that_meets_itself_is_smoothed_and_repeated() -> None:
    """Of a face that runs along one edge twice the smooth surface has that edge's middle joined to the face twice."""
    pinched = mesh_of_faces([[0, 0, 0], [2, 0, 0], [2, 2, 0], [3, 1, 0], [0, 2, 0]], [[0, 1, 2, 3, 2, 4]])
    pinched = pinched.with_creases(np.full(pinched.n_edges, 3.0))
    built = build(pinched, links_of([step("smooth", level=1), step("array", count=3, move=(5, 0, 0))], 0))
    assert not built.troubles and built.mesh.n_faces == 18
    check_valid(built.mesh)


def test_a_step_that_cannot_run_is_left_out_and_said() -> None:
    session = session_of(plane((4, 4)), ("mirror", {}), ("bend", {}))
    # Everything goes into the mirror's plane: nothing is left to mirror.
    session.select_all("points")
    session.do("scale", factors=(0, 1, 1), pivot="origin")
    part = session.part
    assert [trouble.place for trouble in part.plain.troubles] == [0]
    with pytest.raises(LevelLoopError, match=r"“thing”, step 1 \(mirror\): "):
        part.result()
    stuck = [finding for finding in session.review() if finding.check == "recipe"]
    assert len(stuck) == 1 and stuck[0].severity == "stop"


# In the document


def test_steps_are_added_changed_moved_switched_and_removed_with_exact_undo() -> None:
    session = session_of(box((10, 4, 4), (5, 1, 1)))
    start = session.document
    assert session.add_step("mirror", planes="x").startswith("Let the recipe mirror across x")
    session.add_step("bend", angle="180/2", along="x", around="z")
    session.set_step(1, angle=45)
    assert session.part.steps[1].parameters["angle"] == 45 and session.part.steps[1].parameters["along"] == "x"
    session.change_last(angle=30)
    assert session.part.steps[1].parameters["angle"] == 30 and len(session.part.steps) == 2
    session.move_step(1, 0)
    assert [one.key for one in session.part.steps] == ["bend", "mirror"]
    session.enable_step(0, False)
    assert np.allclose(session.part.result(0).points, mirror(box((10, 4, 4), (5, 1, 1)), "x").mesh.points)
    session.remove_step(0)
    assert [label(one) for one in session.part.steps] == ["mirror x"]
    while session.can_undo:
        session.undo()
    assert session.document is start
    while session.can_redo:
        session.redo()
    assert [one.key for one in session.part.steps] == ["mirror"]


def test_history_keeps_cages_not_what_recipes_made_of_them() -> None:
    session = session_of(box(), ("smooth", {"level": 3}))
    for _ in range(3):
        session.do("set_material", material="felt")
        assert session.part.stepped.n_faces == 6 * 4**3
    made = ["plain" in state.document.part.__dict__ for state in session.history]
    assert made == [False] * (len(made) - 1) + [True]
    session.undo()
    assert session.part.stepped.n_faces == 6 * 4**3


def test_making_it_plain_keeps_the_surface_and_says_what_stops() -> None:
    session = session_of(box((10, 4, 4)), ("mirror", {"planes": "x"}), ("array", {"count": 2, "move": (0, 9, 0)}))
    session.do("move", by=(30, 0, 0))
    assert session.part.transform[3, 0] == 30 and session.part.mesh.points.max() == 5
    whole = session.part.to_world(session.part.result())
    said = session.bake_steps(0)
    assert "mirror will no longer update" in said and [one.key for one in session.part.steps] == ["array"]
    assert np.allclose(session.part.to_world(session.part.result()).points, whole.points)
    session.bake_steps()
    assert session.part.steps == () and np.allclose(session.part.to_world(session.part.result()).points, whole.points)
    with pytest.raises(LevelLoopError, match="no steps to make plain"):
        session.bake_steps()


def test_a_smooth_step_made_plain_is_a_cage_like_any_other() -> None:
    session = session_of(richly_tagged(CAGES["box with cells"], 3), ("smooth", {"level": 1}))
    smoothed = session.part.stepped
    session.bake_steps()
    cage = session.part.mesh
    assert type(cage.topology) is Topology and np.array_equal(cage.points, smoothed.points)
    assert np.array_equal(cage.creases, smoothed.creases[smoothed.topology.find_edges(cage.topology.edges)])
    session.select(faces=[0])
    session.do("inset", width=0.1)
    session.do(
        "cut",
        path=[{"point": int(cage.topology.face(5)[0])}, {"edge": cage.topology.face(5)[1:3].tolist(), "ratio": 0.5}],
    )


def test_parts_take_their_recipes_with_them() -> None:
    session = session_of(box((4, 4, 4)), ("array", {"count": 3, "move": (0, 0, 9)}))
    session.do("duplicate", name="twin")
    assert len(session.part.steps) == 1
    session.do("instance", name="shadow")
    session.add_step("mirror")
    assert [len(session.document.by_name(name).steps) for name in ("thing", "twin", "shadow")] == [1, 2, 2]
    session.set_active("shadow")
    session.do("copy_recipe", to="thing")
    assert session.document.by_name("thing").steps == session.part.steps and session.part.name == "shadow"
    with pytest.raises(LevelLoopError, match="its own"):
        session.do("copy_recipe", to="shadow")
    said = session.do("combine", parts=["thing", "twin"])
    assert "was made plain" in said and session.part.steps == ()
    session.set_active("shadow")
    session.do("move", by=(1, 0, 0))
    session.do("duplicate", name="own")
    with pytest.raises(LevelLoopError, match="make it plain first"):
        session.do("reset_transform")


def test_selections_that_no_longer_fit_are_dropped() -> None:
    session = session_of(box((4, 4, 4), (2, 2, 2)), ("mirror", {}))
    session.do("instance", name="shadow")
    session.select(faces=[23])
    session.set_active("thing", keep_others=True)
    session.select(faces=[22])
    session.do("keep_slice", count=4)
    assert {key: len(chosen) for key, chosen in session.state.selections.items()} == {
        "part1": session.part.mesh.n_faces
    }
    session.bake_steps()
    assert not session.state.selections


def test_others_meet_a_part_with_its_recipe() -> None:
    """A boolean takes away what the recipe made, not the cage alone."""
    session = session_of(box((20, 20, 4)))
    session.do("add_cylinder", diameter=2, height=10, sides=8, at=(5, 5, 0), name="pin")
    session.add_step("mirror", planes="xy")
    session.set_active("thing")
    session.do("boolean", kind="subtract", other="pin", clean=False)
    pin = 8 / 2 * np.sin(2 * np.pi / 8)
    assert signed_volume(session.part.mesh) == pytest.approx(20 * 20 * 4 - 4 * pin * 4)


def test_the_review_looks_at_what_the_recipe_makes() -> None:
    """A mirror plane is no boundary, and poles are counted on the result."""
    half = box((2, 4, 4), (1, 2, 2))
    session = session_of(half)
    session.select_where("faces", normal=(-1, 0, 0))
    session.do("delete")
    session.do("move", by=(1, 0, 0))
    assert {"open_edges"} <= {finding.check for finding in session.review("print")}
    session.add_step("mirror", planes="x")
    findings = session.review("print")
    poles = next(finding for finding in findings if finding.check == "poles")
    assert "open_edges" not in {finding.check for finding in findings}
    assert poles.mesh == "result" and poles.count == 8
    # Four corners of the cage make eight: each is meant once.
    assert len(session.part.in_cage("points", poles.indices)) == 4


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
def test_recipes_are_saved_and_any_reader_sees_the_result(tmp_path: Path, ending: str) -> None:
    from pxr import Usd, UsdGeom

    session = session_of(box((6, 4, 4)), ("array", {"count": 3, "move": (9, 0, 0), "weld": 0.001}), ("smooth", {}))
    session.add_step("bend", angle=90, along="x", around="z", limits=(-5, 5))
    session.enable_step(0, False)
    session.do("set_material", material="felt")
    session.edit_part(session.part.id, "Helper", helper=False)
    path = session.save(tmp_path / f"recipe{ending}")
    again = read_document(path).part
    assert [(one.key, one.enabled, dict(one.parameters)) for one in again.steps] == [
        (one.key, one.enabled, dict(one.parameters)) for one in session.part.steps
    ]
    assert not again.helper and np.array_equal(again.result().points, session.part.result().points)
    stage = Usd.Stage.Open(str(path))
    meshes = {p.GetName(): UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)}
    assert {name: str(mesh.ComputePurpose()) for name, mesh in meshes.items()} == {
        "part1": "guide",
        "part1_result": "default",
    }
    shown = meshes["part1_result"]
    assert np.allclose(np.array(shown.GetPointsAttr().Get()), session.part.result().points, atol=1e-5)
    assert str(shown.GetSubdivisionSchemeAttr().Get()) == "none"


def test_damaged_recipes_are_one_sentence(tmp_path: Path) -> None:
    path = session_of(box(), ("bend", {})).save(tmp_path / "recipe.usda")
    text = path.read_text(encoding="utf-8")
    for old, new in (('"bend"', '"bnd"'), ("90.0", '"ninety"'), ('"step":', '"stop":')):
        assert old in text
        path.write_text(text.replace(old, new), encoding="utf-8")
        with pytest.raises(LevelLoopError, match="step"):
            read_document(path)


def test_scripts_and_the_command_line_run_recipes(tmp_path: Path) -> None:
    script = [
        {"do": "add_plane", "size": ["10 cm", 10], "cells": [20, 2], "name": "strip"},
        {"value": "turn", "is": "90 mm"},
        {"step": "smooth", "level": 1},
        {"step": "bend", "angle": 360, "along": "x", "around": "y"},
        {"step": "weld", "distance": 0.001},
        {"do": "enable_step", "step": 2, "on": False},
        {"do": "enable_step", "step": 2, "on": True},
        {"level": 1},
    ]
    source, target = tmp_path / "script.json", tmp_path / "ring.usda"
    source.write_text(json.dumps(script), encoding="utf-8")
    run = CliRunner().invoke(cli, ["run", str(source), "-o", str(target)])
    assert run.exit_code == 0, run.output
    baked = tmp_path / "ring.obj"
    assert CliRunner().invoke(cli, ["smooth", str(target), "-o", str(baked), "--level", "0"]).exit_code == 0
    ring = read_document(baked).part.mesh
    assert ring.n_faces == 40 * 4 and ring.topology.euler_number() == 0
    found = CliRunner().invoke(cli, ["review", str(target), "--json", "--for", "print"])
    told = json.loads(found.output)["parts"][0]
    assert told["cage"]["faces"] == 40 and told["cage"]["open_edges"] == 44
    open_edges = next(finding for finding in told["findings"] if finding["check"] == "open_edges")
    assert open_edges["where"]["mesh"] == "result" and open_edges["count"] == 2 * 40


@pytest.mark.parametrize(
    ("run", "said"),
    [
        (lambda s: s.add_step("bnd"), 'There is no step "bnd"'),
        (lambda s: s.add_step("bend", along="z", around="z"), "same direction"),
        (lambda s: s.add_step("bend", limits=(3, 1)), "lower one first"),
        (lambda s: s.add_step("bend", size=3), 'Bend has no "size"'),
        (lambda s: s.add_step("mirror", planes="w"), "Planes is"),
        (lambda s: s.set_step(3, angle=1), "there is no step 4"),
        (lambda s: s.move_step(0, 9), "there is no step 10"),
        (lambda s: s.remove_step(-1), "at least 0|between"),
        (lambda s: s.do("step_bend", step=0), "is mirror, not bend"),
        (lambda s: s.do("step_bend", step=[1]), "must be a finite number"),
        (lambda s: s.do("remove_step", step="first"), "first"),
        (lambda s: s.do("keep_slice", count=1), "between 2"),
        (lambda s: s.do("keep_slice", pivot="anchor"), "no anchor yet"),
        (lambda s: s.do("copy_recipe"), "Name the part"),
        (lambda s: s.add_step("array", count=9999, move=(1, 0, 0)), "the most|more than"),
    ],
)
def test_what_cannot_be_is_one_sentence_and_changes_nothing(run: Any, said: str) -> None:
    session = session_of(quad_sphere(10, 12), ("mirror", {}))
    before = session.document
    with pytest.raises(LevelLoopError, match=said) as found:
        run(session)
    assert str(found.value).endswith(".") and session.document is before


def test_locked_parts_keep_their_recipes() -> None:
    session = session_of(box(), ("mirror", {}))
    session.edit_part(session.part.id, "Lock", locked=True)
    for run in (lambda: session.add_step("bend"), lambda: session.remove_step(0), session.bake_steps):
        with pytest.raises(LevelLoopError, match="is locked"):
            run()


def test_every_kind_of_step_is_declared_once() -> None:
    # Those that are nothing without other parts come in test_links, test_along and test_onto.
    assert set(NUMBERS_OF) | {"sweep"} == {kind.key for kind in STEPS.values() if not kind.needs_parts}
    for kind in STEPS.values():
        one = step(kind.key)
        assert label(one) and growth([one]) >= 1.0
        assert REGISTRY[f"step_{kind.key}"].menu.startswith("Recipe/Add a step")


def test_a_result_is_a_surface_like_any_other() -> None:
    part = Part("a", "a", box((2, 2, 2)), steps=(step("mirror"),))
    assert part.result(0).n_faces == 12 and part.result(1, True).n_faces == 48
    assert build(part.mesh, [Smoothing(1)]).mesh.n_faces == 24
