"""Placing, shaping and soft moves, against definitions, libraries and exact places."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from conftest import fin
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

import levelloop as ll
from levelloop.core.edit.clean.simple import hide
from levelloop.core.edit.move.fit_points import even_out, flatten, make_round, match_loop, relax, straighten
from levelloop.core.edit.move.slide import nudge, slide
from levelloop.core.edit.move.transform import move, place, resize, rotate, scale, slant
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.measure.between import face_card, measure_between, selection_size
from levelloop.core.measure.gauge import loop_gauge, tip_radii
from levelloop.core.mesh.faces import face_centres, face_normals
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.mesh.selection import (
    Selection,
    inside,
    select,
    select_all,
    select_between,
    select_loop,
    without_hidden,
)
from levelloop.core.select.soft_range import Soft, distances_along_surface, falloff, soft_weights
from levelloop.core.select.symmetry import twins_by_flow, twins_by_place
from levelloop.document.session import Session


def some(kind: str, *indices: int) -> Selection:
    return Selection(kind, np.array(indices, dtype=np.int64))  # type: ignore[arg-type]


NOTHING = some("faces")


@pytest.mark.parametrize("seed", range(4))
def test_rotation_agrees_with_scipy(seed: int) -> None:
    # scipy.spatial.transform.Rotation.
    random = np.random.default_rng(seed)
    axis, pivot, angle = random.normal(size=3), random.normal(size=3), random.uniform(-400, 400)
    cage = box((2, 3, 4))
    turned = rotate(cage, NOTHING, angle, tuple(axis), tuple(pivot)).mesh.points
    theirs = Rotation.from_rotvec(np.radians(angle) * axis / np.linalg.norm(axis)).apply(cage.points - pivot) + pivot
    assert turned == pytest.approx(theirs, abs=1e-12)


def dented_rim() -> tuple[Mesh, Selection]:
    tube = cylinder(20, 30, 14, 3, "open")
    random = np.random.default_rng(5)
    tube = tube.with_points(tube.points + random.normal(0, 0.4, tube.points.shape))
    rim = select_loop(tube.topology, Selection("edges", np.flatnonzero(tube.topology.open_edges)[:1]))
    return tube, rim


def test_a_rim_is_made_round_on_the_best_circle() -> None:
    # The circle by general least squares (scipy.optimize) in the rim's own plane.
    tube, rim = dented_rim()
    chosen = np.unique(tube.topology.edges[rim.indices])
    mesh = make_round(tube, rim).mesh
    places = mesh.points[chosen]
    middle = places.mean(axis=0)
    radius = np.linalg.norm(places - middle, axis=1)
    assert radius == pytest.approx(radius.mean(), rel=1e-9)
    before = tube.points[chosen]
    normal = np.linalg.svd(before - before.mean(axis=0))[2][2]

    def misses(guess: np.ndarray) -> np.ndarray:
        offset = before - guess[:3]
        flat = offset - np.outer(offset @ normal, normal)
        return np.append(np.linalg.norm(flat, axis=1) - guess[3], (guess[:3] - before.mean(axis=0)) @ normal)

    fitted = least_squares(misses, np.append(before.mean(axis=0), 10.0)).x
    assert radius.mean() == pytest.approx(abs(fitted[3]), rel=5e-3)
    apart = np.linalg.norm(
        np.roll(places[np.argsort(np.arctan2(*(places - middle)[:, :2].T))], 1, axis=0)
        - places[np.argsort(np.arctan2(*(places - middle)[:, :2].T))],
        axis=1,
    )
    assert apart == pytest.approx(2 * radius.mean() * np.sin(np.pi / 14), rel=1e-6)


def test_an_exact_diameter_and_kept_angles() -> None:
    tube, rim = dented_rim()
    chosen = np.unique(tube.topology.edges[rim.indices])
    exact = make_round(tube, rim, 24.0).mesh.points[chosen]
    assert np.linalg.norm(exact - exact.mean(axis=0), axis=1) == pytest.approx(12.0, rel=1e-6)
    kept = make_round(tube, rim, 24.0, False).mesh.points[chosen]
    angles = [np.arctan2(p[:, 1] - p[:, 1].mean(), p[:, 0] - p[:, 0].mean()) for p in (kept, tube.points[chosen])]
    assert np.abs(np.angle(np.exp(1j * (angles[0] - angles[1])))).max() < 0.08
    with pytest.raises(EditError, match="on one line"):
        make_round(plane((4, 4), (4, 4)), some("points", 0, 1, 2))


def test_flat_straight_and_even() -> None:
    tube, rim = dented_rim()
    chosen = np.unique(tube.topology.edges[rim.indices])
    flat = flatten(tube, rim).mesh.points[chosen]
    assert np.linalg.svd(flat - flat.mean(axis=0))[1][2] == pytest.approx(0, abs=1e-9)
    level = flatten(tube, rim, "z").mesh.points[chosen]
    assert np.ptp(level[:, 2]) == pytest.approx(0, abs=1e-12)
    assert level[:, :2] == pytest.approx(tube.points[chosen][:, :2])
    even = even_out(make_round(tube, rim, equal_spacing=False).mesh, rim).mesh
    lengths = np.linalg.norm(np.diff(even.points[even.topology.edges[rim.indices]], axis=1)[:, 0], axis=1)
    assert np.ptp(lengths) < 0.02 * lengths.mean()
    sheet = plane((4, 4), (4, 4))
    bent = sheet.with_points(sheet.points + np.array([0, 0, 1.0]) * np.sin(sheet.points[:, :1] * 2))
    row = np.flatnonzero(np.isclose(sheet.points[sheet.topology.edges][:, :, 1], 0).all(axis=1))
    straight = straighten(bent, Selection("edges", row), even=True).mesh.points
    line = straight[np.isclose(sheet.points[:, 1], 0)]
    assert np.diff(line, n=2, axis=0) == pytest.approx(0, abs=1e-12)
    with pytest.raises(EditError, match="no ends"):
        straighten(tube, rim)


def test_relaxing_keeps_the_outline_and_evens_the_rest() -> None:
    sheet = plane((4, 4), (4, 4))
    rough = sheet.with_points(sheet.points + np.random.default_rng(0).normal(0, 0.2, sheet.points.shape))
    smooth = relax(rough, NOTHING, 200, 0.5).mesh
    rim = sheet.topology.open_points
    assert np.array_equal(smooth.points[rim], rough.points[rim])
    # Each inner point has come to the mean of its neighbours (discrete harmonic).
    ends = sheet.topology.edges
    for point in np.flatnonzero(~rim):
        around = np.concatenate((ends[ends[:, 0] == point, 1], ends[ends[:, 1] == point, 0]))
        assert smooth.points[point] == pytest.approx(smooth.points[around].mean(axis=0), abs=1e-9)


def test_a_loop_is_put_onto_another() -> None:
    tube = cylinder(20, 30, 12, 3, "open")
    rim = select_loop(tube.topology, Selection("edges", np.flatnonzero(tube.topology.open_edges)[:1]))
    chosen = np.unique(tube.topology.edges[rim.indices])
    angle = np.linspace(0.3, 0.3 + 2 * np.pi, 97)[:-1]
    target = np.stack((15 * np.cos(angle), 15 * np.sin(angle), np.full(96, -40.0)), axis=1)
    for line in (target, target[::-1]):
        mesh = match_loop(tube, rim, line, True).mesh
        assert np.hypot(*mesh.points[chosen][:, :2].T) == pytest.approx(15, rel=1e-3)
        turned = np.angle(
            np.exp(1j * np.subtract(*(np.arctan2(*p[chosen][:, 1::-1].T) for p in (mesh.points, tube.points))))
        )
        assert np.abs(turned).max() < 0.05
    with pytest.raises(EditError, match="closed loop matches a closed loop"):
        match_loop(tube, rim, target, False)


def test_a_slide_goes_left_of_the_direction_picked() -> None:
    sheet = plane((6, 6), (6, 6))
    middle = np.flatnonzero(np.isclose(sheet.points[sheet.topology.edges][:, :, 0], 0).all(axis=1))
    ends = sheet.topology.edges[middle]
    upwards = sheet.points[ends[:, 1], 1] > sheet.points[ends[:, 0], 1]
    column = np.isclose(sheet.points[:, 0], 0)
    loop = Selection("edges", middle, ~upwards)  # picked along +y: left is −x
    assert slide(sheet, loop, ratio=0.25).mesh.points[column, 0] == pytest.approx(-0.25)
    assert slide(sheet, loop, distance=-0.4).mesh.points[column, 0] == pytest.approx(0.4)
    turned = Selection("edges", middle, upwards)
    assert slide(sheet, turned, ratio=0.25).mesh.points[column, 0] == pytest.approx(0.25)
    assert slide(sheet, loop, distance=99).mesh.points[column, 0] == pytest.approx(-1)
    with pytest.raises(EditError, match="one of the two"):
        slide(sheet, loop)


def test_the_soft_range_follows_its_shape_and_leaves_what_is_hidden() -> None:
    sheet = plane((10, 10), (10, 10))
    middle = int(np.argmin(np.linalg.norm(sheet.points, axis=1)))
    far = np.linalg.norm(sheet.points, axis=1)
    for shape, expected in (
        ("bell", (1 - (far / 4) ** 2) ** 2),
        ("dome", np.sqrt(np.maximum(1 - (far / 4) ** 2, 0))),
        ("cone", 1 - far / 4),
    ):
        moved = move(sheet, some("points", middle), (0, 0, 2), soft_range=4.0, soft_shape=shape).mesh.points[:, 2]
        assert moved == pytest.approx(np.where(far < 4, 2 * expected, 0), abs=1e-12)
    hidden = hide(sheet, Selection("faces", np.flatnonzero(sheet.points[sheet.topology.corners[::4], 0] > 0.5))).mesh
    moved = move(hidden, some("points", middle), (0, 0, 2), soft_range=4.0).mesh.points[:, 2]
    assert not moved[hidden.hidden_points].any() and moved[middle] == 2
    flat = move(sheet, some("points", middle), (0, 0, 2), soft_radii=(3.0, 0.0, 0.0)).mesh.points[:, 2]
    assert flat[np.isclose(sheet.points[:, 0], 1)] == pytest.approx(2 * falloff(np.array([1 / 3]), "bell")[0])
    around = soft_weights(sheet, np.array([middle]), Soft(2.0, centre=(3.0, 0.0, 0.0)))
    assert around[np.isclose(far, 3) & (sheet.points[:, 0] > 2.9)] == pytest.approx(1)
    assert around[middle] == 0


def test_distances_along_a_sphere_are_great_circles() -> None:
    # On a sphere of radius r the way is r·angle; fast marching is of first order in the cells.
    ball = quad_sphere(20, 12)
    found = distances_along_surface(ball, np.array([0]), 12.0)
    angle = np.arccos(np.clip(ball.points @ ball.points[0] / 100, -1, 1))
    near = np.isfinite(found) & (found > 0)
    assert near.sum() > 200 and np.isinf(found[angle > 1.3]).all()
    assert np.abs(found[near] - 10 * angle[near]).max() < 0.4
    assert np.median(np.abs(found[near] / (10 * angle[near]) - 1)) < 0.03


def test_distances_along_a_bent_strip_are_those_of_the_flat_one() -> None:
    # A strip bent without stretching keeps its distances (developable surfaces); around a corner too.
    sheet = plane((8, 2), (8, 2))
    bent = sheet.points.copy()
    over = bent[:, 0] > 0
    bent[over, 2], bent[over, 0] = -bent[over, 0], 0.0
    flat = distances_along_surface(sheet, np.array([0]), 20.0)
    assert distances_along_surface(sheet.with_points(bent), np.array([0]), 20.0) == pytest.approx(flat)
    assert flat == pytest.approx(np.linalg.norm(sheet.points - sheet.points[0], axis=1), rel=0.05)


def test_broken_surfaces_are_crossed_along_their_edges() -> None:
    # Three faces at an edge; and points that lie on each other, with faces of no area between them.
    assert distances_along_surface(fin(), np.array([2]), 9.0)[[3, 0]] == pytest.approx([1, 1])
    sheet = plane((4, 4), (4, 4))
    points = sheet.points.copy()
    points[6] = points[7] = points[11] = points[12]
    found = distances_along_surface(sheet.with_points(points), np.array([0]), 9.0)
    straight = np.linalg.norm(points - points[0], axis=1)
    assert np.isfinite(found).all() and (found >= straight * 0.95).all() and (found <= straight * 3 + 1e-9).all()


def test_exact_places_and_sizes() -> None:
    cage = box((2, 4, 6))
    placed = place(cage, NOTHING, x=10, z=0, by="bottom").mesh.points
    assert placed.min(axis=0) == pytest.approx([9, -2, 0])
    assert resize(cage, NOTHING, (4, None, None)).mesh.points.max(axis=0) == pytest.approx([2, 4, 6])
    assert resize(cage, NOTHING, (1, 1, 1)).mesh.points.max(axis=0) == pytest.approx([0.5] * 3)
    leaning = slant(cage, NOTHING, (3, 0, 0), "z").mesh.points
    assert leaning[cage.points[:, 2] > 0, 0] - cage.points[cage.points[:, 2] > 0, 0] == pytest.approx(1.5)
    there = move(cage, NOTHING, from_point=(1, 2, 3), to_point=(0, 0, 0)).mesh.points
    assert there.max(axis=0) == pytest.approx([0, 0, 0])


def test_a_scale_of_zero_flattens_and_one_below_mirrors() -> None:
    cage = box((2, 2, 2))
    assert np.ptp(scale(cage, NOTHING, (1, 1, 0)).mesh.points[:, 2]) == 0
    edit = scale(cage, NOTHING, (-1, 1, 1))
    assert "turned outward again" in edit.message


def test_the_brush_pushes_smooths_and_swells() -> None:
    sheet = plane((10, 10), (10, 10))
    pushed = nudge(sheet, NOTHING, [(0, 0, 0), (0, 0, 2)], "push", 3.0, 1.0).mesh.points
    assert pushed[:, 2].max() == pytest.approx(2) and not pushed[np.linalg.norm(sheet.points, axis=1) >= 3, 2].any()
    back = nudge(sheet.with_points(pushed), NOTHING, [(0, 0, 1)] * 9, "smooth", 6.0, 1.0).mesh.points
    assert back[:, 2].max() < 0.7 * pushed[:, 2].max()
    swollen = nudge(sheet, NOTHING, [(0, 0, 0)], "swell", 2.0, 1.0).mesh.points
    assert swollen[:, 2].max() == pytest.approx(0.2)
    with pytest.raises(EditError, match="two to push"):
        nudge(sheet, NOTHING, [(0, 0, 0)])


def test_symmetric_moves_by_place_and_by_flow() -> None:
    session = Session.new()
    session.do("add_box", size=(4, 4, 4), cells=(2, 2, 2))
    mesh = session.part.mesh
    assert (twins_by_place(mesh.points, 0, 1e-6) >= 0).all()
    corner = int(np.argmax(mesh.points.sum(axis=1)))
    other = int(twins_by_place(mesh.points, 0, 1e-6)[corner])
    session.do("set_symmetry", axis="x")
    session.select(points=[corner])
    session.do("move", by=(1, 2, 3))
    points = session.part.mesh.points
    assert points[other] == pytest.approx(points[corner] * [-1, 1, 1])
    # What stands on the plane stays on it.
    middle = int(np.flatnonzero((mesh.points[:, 0] == 0) & (mesh.points[:, 1] == 2) & (mesh.points[:, 2] == 2))[0])
    session.select(points=[middle])
    session.do("move", by=(1, 0, 1))
    assert session.part.mesh.points[middle].tolist() == [0, 2, 3]
    session.undo()
    # Posed, nothing has a twin by place any more; by flow all still have.
    session.do("set_symmetry", axis="off")
    session.select_none()
    session.do("slant", by=(3, 1, 0), along="y")
    posed = session.part.mesh
    assert (twins_by_place(posed.points, 0, 1e-3) < 0).any()
    ends = posed.topology.edges
    on_middle = np.flatnonzero((mesh.points[ends][:, :, 0] == 0).all(axis=1))
    assert np.array_equal(twins_by_flow(posed, int(on_middle[0])), twins_by_place(mesh.points, 0, 1e-6))


def test_points_without_a_twin_are_told() -> None:
    session = Session.new()
    session.do("add_box", size=(4, 4, 4), at=(1, 0, 0))
    assert session.do("set_symmetry", axis="x").endswith("8 points have no twin.")
    session.select(points=[0])
    assert "no twin" in session.do("move", by=(0, 0, 1))


def test_the_stretch_between_two_picks() -> None:
    sheet = plane((6, 6), (6, 6))
    row = np.flatnonzero(np.isclose(sheet.points[sheet.topology.edges][:, :, 1], 0).all(axis=1))
    order = row[np.argsort(sheet.points[sheet.topology.edges[row]].mean(axis=1)[:, 0])]
    found = select_between(sheet.topology, some("edges", int(order[1]), int(order[4])))
    assert sorted(found.indices.tolist()) == sorted(order[1:5].tolist())
    assert len(select_between(sheet.topology, some("points", 0, 48))) == 13
    assert len(select_between(sheet.topology, some("faces", 0, 35))) == 11


def test_the_inside_is_the_smaller_side() -> None:
    tube = cylinder(20, 30, 12, 4, "quads")
    heights = tube.points[tube.topology.edges][:, :, 2]
    loop = Selection("edges", np.flatnonzero(np.isclose(heights, 7.5).all(axis=1)))
    found = inside(tube.topology, loop)
    above = np.logical_and.reduceat(
        tube.points[tube.topology.corners, 2] >= 7.5 - 1e-9, tube.topology.face_offsets[:-1]
    )
    assert sorted(found.indices.tolist()) == np.flatnonzero(above).tolist()
    with pytest.raises(EditError, match="do not close"):
        inside(tube.topology, Selection("edges", loop.indices[:-1]))


def test_hidden_elements_are_never_selected() -> None:
    session = Session.new()
    session.do("add_plane", size=(4, 4), cells=(4, 4))
    session.select(faces=[0, 1, 2, 3])
    session.do("hide")
    session.select_all("faces")
    assert len(session.selection) == 12
    session.do("select_loop") if session.selection.kind == "edges" else session.select_all("points")
    assert len(session.selection) == 20
    assert len(without_hidden(session.part.mesh, some("edges", *range(40)))) < 40
    session.select(faces=[8])
    session.do("hide", rest=True)
    session.select_all("faces")
    assert session.selection.indices.tolist() == [8]
    session.do("show_all")
    session.select_all("faces")
    assert len(session.selection) == 16


def parts_of(session: Session) -> dict[str, int]:
    return {part.name: part.mesh.n_faces for part in session.document.parts}


def test_parts_are_combined_detached_duplicated() -> None:
    session = Session.new()
    session.do("add_box", size=(2, 2, 2), name="left")
    session.do("add_box", size=(2, 2, 2), at=(2, 0, 0), name="right")
    session.do("combine", parts=["left", "right"], weld=0.001, name="both")
    assert parts_of(session) == {"both": 12} and session.part.mesh.n_points == 12
    session.do("duplicate", name="copy")
    assert parts_of(session) == {"both": 12, "copy": 12} and session.part.name == "copy"
    session.select(faces=[0, 1])
    session.do("detach", name="cut")
    assert parts_of(session) == {"both": 12, "copy": 10, "cut": 2}
    session.undo()
    session.undo()
    session.undo()
    session.do("combine", name="loose")
    session.do("detach", by="connected", name="piece")
    assert parts_of(session) == {"loose": 6, "piece": 6}
    with pytest.raises(EditError, match="one connected piece"):
        session.do("detach", by="connected")


def test_instances_share_their_cage_and_keep_their_place() -> None:
    session = Session.new()
    session.do("add_box", size=(2, 2, 2), name="slat")
    session.do("instance", name="slat 2")
    session.do("move", by=(10, 0, 0))
    first, second = session.document.parts
    assert second.mesh is first.mesh
    assert second.to_world(second.mesh).points.mean(axis=0) == pytest.approx([10, 0, 0])
    assert first.to_world(first.mesh).points.mean(axis=0) == pytest.approx([0, 0, 0])
    session.set_active("slat")
    session.select(faces=[0])
    session.do("extrude", distance=1.0)
    first, second = session.document.parts
    assert second.mesh is first.mesh and second.mesh.n_faces == 10
    with pytest.raises(EditError, match="shares its cage"):
        session.do("reset_transform")


def test_an_attached_part_moves_along() -> None:
    session = Session.new()
    session.do("add_box", name="jar")
    session.do("add_box", at=(0, 0, 30), name="lid")
    session.do("attach", to="jar")
    session.set_active("jar")
    session.do("rotate", angle=90, axis="x", pivot="origin")
    lid = session.document.by_name("lid")
    assert lid.to_world(lid.mesh).points.mean(axis=0) == pytest.approx([0, -30, 0], abs=1e-9)
    with pytest.raises(EditError, match="other way round"):
        session.do("attach", to="lid")
    session.set_active("lid")
    session.do("attach", to=None)
    session.set_active("jar")
    session.do("move", by=(5, 0, 0))
    again = session.document.by_name("lid")
    assert np.array_equal(again.transform, lid.transform)


def test_align_anchor_and_match_from_a_script() -> None:
    session = Session.new()
    session.do("add_box", size=(4, 4, 4), at=(10, 20, 30), name="there")
    session.do("add_box", size=(2, 2, 2), name="here")
    session.do("align", to="there", axes="xz", side="low")
    assert session.part.mesh.points.min(axis=0) == pytest.approx([8, -1, 28])
    with pytest.raises(EditError, match="no anchor"):
        session.do("rotate", angle=90, pivot="anchor")
    session.do("set_anchor", at=(8, 0, 0))
    session.do("rotate", angle=180, pivot="anchor")
    assert session.part.mesh.points[:, 0].max() == pytest.approx(8)
    with pytest.raises(EditError, match="no part “nowhere”"):
        session.do("align", to="nowhere")


def test_what_parts_are_comes_back_from_a_file(tmp_path: object) -> None:
    session = Session.new()
    session.do("add_box", name="a")
    session.do("group_part", group="jar / lid")
    session.do("instance", name="b")
    session.do("attach", to="a")
    session.do("set_anchor", at=(1, 2, 3))
    session.do("set_symmetry", axis="y", tolerance=0.5)
    session.edit_part("a", "Fade", opacity=0.5)
    again = ll.Session.open(session.save(f"{tmp_path}/parts.usda")).document
    assert again.anchor == (1, 2, 3) and again.symmetry == session.document.symmetry
    for before, after in zip(session.document.parts, again.parts, strict=True):
        assert (before.group, before.shared, before.attached) == (after.group, after.shared, after.attached)
        assert before.opacity == after.opacity
    assert again.by_name("a").group == "jar/lid"


def test_a_set_transform_goes_into_the_cage_or_is_forgotten() -> None:
    session = Session.new()
    session.do("add_box", name="a")
    part = session.part
    session.apply(session.document.with_part(replace(part, transform=np.diag([2.0, 1, 1, 1]))), "Stretch")
    session.do("reset_transform")
    assert session.part.in_place and session.part.mesh.points[:, 0].max() == 20
    session.undo()
    session.do("clear_transform")
    assert session.part.in_place and session.part.mesh.points[:, 0].max() == 10


def test_what_lies_between_two_picks() -> None:
    # By hand on a box of 2 × 4 × 6.
    cage = box((2, 4, 6))
    across = measure_between(cage, some("points", 0, int(np.argmax(cage.points.sum(axis=1)))))
    assert across is not None and across.distance == pytest.approx(np.sqrt(4 + 16 + 36)) and across.angle is None
    faces = [int(np.flatnonzero(face_normals(cage.topology, cage.points)[:, axis] > 0.5)[0]) for axis in (0, 2)]
    right = measure_between(cage, some("faces", *faces))
    assert right is not None and right.angle == pytest.approx(90) and right.parts == pytest.approx([-1, 0, 3])
    assert measure_between(cage, some("faces", 0)) is None
    card = face_card(cage, faces[1])
    assert (card.sides, card.area, card.proportion) == (4, pytest.approx(8), pytest.approx(2))
    assert selection_size(cage, some("faces", faces[1])).tolist() == [2, 4, 0]


def test_the_gauge_tells_why_a_loop_ends() -> None:
    sheet = plane((6, 6), (6, 6))
    row = np.flatnonzero(np.isclose(sheet.points[sheet.topology.edges][:, :, 1], 0).all(axis=1))
    gauge = loop_gauge(sheet, int(row[2]))
    assert sorted(gauge.edges.tolist()) == row.tolist() and not gauge.closed
    assert gauge.length == pytest.approx(6) and gauge.ends == ("at the boundary",) * 2
    assert gauge.supports == ((1.0, 1.0), (1.0, 1.0)) and gauge.radius is None
    cube = box((4, 4, 4), (2, 2, 2))
    edge = next(e for e in range(cube.n_edges) if 3 in cube.topology.valence[cube.topology.edges[e]])
    ended = loop_gauge(cube, edge)
    assert ended.ends == ("at a 3-pole",) * 2 and len(ended.edges) == 2


def test_the_gauge_tells_the_radius_that_supports_give() -> None:
    # 90° and equal distances d: r = d sin³(θ/2) / sin θ, so d = 2.83 r (uniform cubic B-spline, tip of the turn).
    assert tip_radii(np.array([[2.83, 0, 0]]), np.array([[0, 2.83, 0]])) == pytest.approx(1.0, rel=1e-3)
    tube = cylinder(20, 30, 12, 4, "quads")
    ring = np.flatnonzero(np.isclose(tube.points[tube.topology.edges][:, :, 2], 0).all(axis=1))
    gauge = loop_gauge(tube, int(ring[0]))
    assert gauge.closed and sorted(gauge.edges.tolist()) == ring.tolist()
    assert gauge.length == pytest.approx(12 * 20 * np.sin(np.pi / 12)) and gauge.radius is None
    upright = int(np.flatnonzero(np.ptp(tube.points[tube.topology.edges][:, :, 2], axis=1) > 1)[0])
    # Open, so that the loop goes over no rim; there the tightest place counts.
    pipe = cylinder(20, 30, 12, 4, "open")
    column = int(np.flatnonzero(np.ptp(pipe.points[pipe.topology.edges][:, :, 2], axis=1) > 1)[0])
    around = loop_gauge(pipe, column).radius
    over_rims = loop_gauge(tube, upright)
    assert over_rims.radius is not None and over_rims.tip is not None and over_rims.radius[0] < 0.5 * over_rims.tip[1]
    side = 20 * np.sin(np.pi / 12)
    turn = np.radians(150)
    assert around is not None and around[0] == pytest.approx(side * np.sin(turn / 2) ** 3 / np.sin(turn))


def test_both_sides_are_selected() -> None:
    session = Session.new()
    session.do("add_box", size=(4, 4, 4), cells=(4, 2, 2))
    for kind in ("points", "edges", "faces"):
        mesh = session.part.mesh
        places = {
            "points": mesh.points,
            "edges": mesh.points[mesh.topology.edges].mean(axis=1),
            "faces": face_centres(mesh.topology, mesh.points),
        }[kind]
        right = np.flatnonzero(places[:, 0] > 0.9)
        session.set_selection(some(kind, *right.tolist()))
        session.do("select_twins")
        expected = np.flatnonzero(np.abs(places[:, 0]) > 0.9)
        assert sorted(session.selection.indices.tolist()) == expected.tolist()


def test_an_instance_that_is_relaxed_changes_its_cage_and_keeps_its_place() -> None:
    session = Session.new()
    session.do("add_plane", size=(4, 4), cells=(4, 4), name="cloth")
    session.select(points=[12])
    session.do("move", by=(0, 0, 2))
    session.select_none()
    session.do("instance", name="cloth 2")
    session.do("move", by=(10, 0, 0))
    place = session.part.transform
    session.do("relax", times=5)
    assert np.array_equal(session.part.transform, place)
    assert session.part.mesh.points[12, 2] < 1
    assert all(part.mesh is session.part.mesh for part in session.document.parts)


def test_a_flat_instance_is_moved_and_turned_by_its_transform() -> None:
    session = Session.new()
    session.do("add_plane", size=(4, 4), name="label")
    session.do("instance", name="label 2")
    session.do("move", by=(0, 0, 5))
    session.do("rotate", angle=90, axis="x", pivot="origin")
    first, second = session.document.parts
    assert second.mesh is first.mesh and np.linalg.det(second.transform) == pytest.approx(1)
    normal = face_normals(second.mesh.topology, second.to_world(second.mesh).points)[0]
    assert normal == pytest.approx([0, -1, 0], abs=1e-9)
    assert second.to_world(second.mesh).points.mean(axis=0) == pytest.approx([0, -5, 0], abs=1e-9)


@pytest.mark.parametrize("seed", range(4))
def test_moves_turns_and_scales_along_other_axes(seed: int) -> None:
    """Checked against turning into the axes, doing it there, and turning back, with scipy's Rotation."""
    random = np.random.default_rng(seed)
    turn = Rotation.random(rng=random)
    frame = tuple(tuple(axis) for axis in turn.as_matrix().T.tolist())  # the axes in the world, as rows
    mesh = box((20, 10, 6), (2, 2, 2))
    everything = select_all(mesh.topology, "points")
    local = turn.inv().apply(mesh.points.copy())
    by = random.normal(size=3)
    moved = move(mesh, everything, by, frame=frame).mesh.points
    assert np.allclose(moved, turn.apply(local + by))
    angle = float(random.uniform(-180, 180))
    turned = rotate(mesh, everything, angle, "y", (0, 0, 0), frame=frame).mesh.points
    assert np.allclose(turned, turn.apply(Rotation.from_euler("y", angle, degrees=True).apply(local)))
    factors = random.uniform(0.2, 2.0, 3)
    scaled = scale(mesh, everything, factors, (0, 0, 0), frame=frame).mesh.points
    assert np.allclose(scaled, turn.apply(local * factors))


def test_the_axes_of_a_selection_and_of_a_part() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20))
    session.do("rotate", angle=30, axis="y")
    session.select_where("faces", normal=(np.sin(np.radians(30)), 0, np.cos(np.radians(30))), within=0.1)
    middle = session.part.mesh.points[session.part.mesh.topology.face(int(session.selection.indices[0]))].mean(axis=0)
    session.do("move", by=(0, 0, 5), frame="normal")
    after = session.part.mesh.points[session.part.mesh.topology.face(int(session.selection.indices[0]))].mean(axis=0)
    assert np.allclose(after - middle, 5 * np.array([np.sin(np.radians(30)), 0, np.cos(np.radians(30))]))
    session.select_none()
    session.do("instance", name="other")
    session.do("rotate", angle=90, axis="z")
    assert np.allclose(session.part.axes[0], (0, 1, 0))
    before = session.part.to_world(session.part.mesh).points
    session.do("move", by=(3, 0, 0), frame="part")
    assert np.allclose(session.part.to_world(session.part.mesh).points - before, (0, 3, 0))
    for wrong in ("sideways", ((1, 0, 0), (1, 0, 0), (0, 0, 1)), ((1, 0, 0),), 5):
        with pytest.raises(EditError, match="xes"):
            session.do("move", by=(1, 0, 0), frame=wrong)


def test_the_last_picked_element_can_be_the_pivot() -> None:
    mesh = plane((20, 20), (2, 2))
    chosen = Selection("points", np.array([0, 4, 8]))
    turned = rotate(mesh, chosen, 180.0, "z", "last").mesh.points
    assert np.allclose(turned[8], mesh.points[8]) and np.allclose(turned[0], 2 * mesh.points[8] - mesh.points[0])
    edges = select(mesh.topology, "edges", [[0, 1], [7, 8]])
    grown = scale(mesh, edges, 2.0, "last").mesh.points
    assert np.allclose(grown[[7, 8]].mean(axis=0), mesh.points[[7, 8]].mean(axis=0))


def test_distances_along_a_tube_that_compas_ships_are_its_shortest_paths() -> None:
    """Against potpourri3d's edge-flip geodesics (Sharp & Crane 2020), another method, on compas's tubemesh.obj."""
    import compas
    import potpourri3d
    from compas.datastructures import Mesh as OtherMesh

    other = OtherMesh.from_obj(compas.get("tubemesh.obj"))
    points, faces = other.to_vertices_and_faces(triangulated=True)
    mesh = mesh_of_faces(points, [list(face) for face in faces])
    solver = potpourri3d.EdgeFlipGeodesicSolver(mesh.points, np.array(faces))
    ours = distances_along_surface(mesh, np.array([0]), np.inf)
    ratios = []
    for target in range(1, mesh.n_points, 13):
        path = solver.find_geodesic_path(0, target)
        ratios.append(ours[target] / np.linalg.norm(np.diff(path, axis=0), axis=1).sum())
    # Fast marching never cuts short; on slivers as coarse as these single places are up to a seventh too far.
    assert min(ratios) > 0.999 and np.median(ratios) < 1.04 and max(ratios) < 1.15
