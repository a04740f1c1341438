"""What is swept: volumes by Pappus, exact pitches and radii, closures of 360/n, a bolt's thread by ISO 68-1."""

from __future__ import annotations

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.edit.build.sweeping import extrude_along, helix, revolve, sweep
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.edit.repeat.copies import array, keep_slice, mirror_across
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import add_curve, add_line, frames_along
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.mesh.faces import face_areas, signed_volume
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING, Selection, points_of, select_all
from levelloop.document.session import Session


def edges_of(mesh: Mesh) -> Selection:
    return select_all(mesh.topology, "edges")


@pytest.mark.parametrize("steps", [3, 16, 47])
def test_a_turned_profile_has_the_volume_of_pappus(steps: int) -> None:
    """n steps: exactly Pappus × sin a / a, a = 2π/n (derived from the triangles of a regular polygon)."""
    profile = add_curve([(5, 0, 0), (8, 0, 1), (7, 0, 4), (5, 0, 3)], closed=True)
    x, z = profile.points[:, 0], profile.points[:, 2]
    cross = x * np.roll(z, -1) - np.roll(x, -1) * z
    area, centre = 0.5 * cross.sum(), ((x + np.roll(x, -1)) * cross).sum() / (3 * cross.sum())
    edit = revolve(profile, edges_of(profile), steps=steps)
    turn = 2 * np.pi / steps
    assert signed_volume(edit.mesh) == pytest.approx(abs(area) * 2 * np.pi * centre * np.sin(turn) / turn, rel=1e-12)
    assert edit.mesh.topology.euler_number() == 0 and not edit.mesh.topology.open_edges.any()
    assert len(edit.selection) == 4 * steps


def test_points_on_the_axis_are_welded_and_faces_look_outward() -> None:
    vase = add_line([(0, 0, 0), (5, 0, 0), (6, 0, 5), (3, 0, 9), (0, 0, 10)])
    for angle in (360, -360):
        mesh = revolve(vase, edges_of(vase), angle=angle, steps=8).mesh
        assert signed_volume(mesh) > 0 and not mesh.topology.open_edges.any() and mesh.topology.euler_number() == 2
    quarter = revolve(vase, edges_of(vase), angle=90, steps=4)
    assert len(quarter.selection) == 4 and quarter.selection.kind == "edges"
    assert np.allclose(quarter.mesh.points[points_of(quarter.mesh.topology, quarter.selection)][:, 0], 0, atol=1e-9)
    loose = revolve(vase, edges_of(vase), steps=8, weld=None).mesh
    assert loose.n_points == 5 * 8


def test_faces_and_points_are_turned_too() -> None:
    sheet = plane((4, 4), (2, 2))
    sheet = sheet.with_points(sheet.points[:, [0, 2, 1]] + np.array([10, 0, 0]))
    closed = revolve(sheet, select_all(sheet.topology, "faces"), steps=12).mesh
    assert signed_volume(closed) == pytest.approx(16 * 2 * np.pi * 10 * np.sin(np.pi / 6) / (np.pi / 6))
    point = add_line([(3, 0, 0), (4, 0, 0)])
    ring = revolve(point, Selection("points", np.array([1])), steps=10).mesh
    assert len(ring.topology.wires) == 11 and np.isclose(np.hypot(*ring.points[:, :2].T), 4).sum() == 10


def test_a_helix_has_its_exact_pitch_radius_and_turns() -> None:
    profile = add_line([(10, 0, 0), (12, 0, 1), (10, 0, 2)])
    edit = helix(profile, edges_of(profile), pitch=3.0, turns=2.25, steps=16)
    crest = edit.mesh.points[np.isclose(np.hypot(edit.mesh.points[:, 0], edit.mesh.points[:, 1]), 12)]
    assert len(crest) == 37
    order = np.argsort(crest[:, 2])
    angle = np.unwrap(np.arctan2(crest[order, 1], crest[order, 0]))
    assert np.allclose(crest[order, 2] - 1, 3.0 * angle / (2 * np.pi))
    assert angle[-1] == pytest.approx(2 * np.pi * 2.25)
    end = edit.mesh.points[points_of(edit.mesh.topology, edit.selection)]
    assert np.allclose(end[:, 2].min(), 3.0 * 2.25)
    assert np.allclose(helix(profile, edges_of(profile), rise=6.75, turns=2.25).mesh.points, edit.mesh.points)


def test_the_run_out_fades_the_profile_into_the_rim() -> None:
    profile = add_line([(10, 0, 0), (12, 0, 1), (10, 0, 2)])
    edit = helix(profile, edges_of(profile), pitch=3.0, turns=3.0, steps=12, run_out=0.5)
    points = edit.mesh.points
    angle = (points[:, 2] - np.array([0, 1, 2])[np.arange(len(points)) % 3]) / 3.0
    radius = np.hypot(points[:, 0], points[:, 1])
    crest = np.arange(len(points)) % 3 == 1
    assert np.allclose(radius[crest], 10 + 2 * np.clip(np.minimum(angle, 3 - angle)[crest] / 0.5, 0, 1))
    assert np.allclose(radius[~crest], 10)
    with pytest.raises(EditError, match="run-out"):
        helix(profile, edges_of(profile), turns=1.0, run_out=0.6)


def test_a_bolt_thread_has_the_proportions_of_iso_68() -> None:
    """ISO 68-1 basic profile: H = √3/2 P; crest P/8, root P/4, thread depth 5/8 H, read off along the axis."""
    pitch, major = 1.25, 8.0  # M8
    height = np.sqrt(3) / 2 * pitch
    root = 0.5 * major - 0.625 * height
    flank = 0.625 * height / np.tan(np.radians(60))
    up = np.cumsum([0.0, flank, pitch / 8, flank])
    profile = add_line([(root, 0, up[0]), (major / 2, 0, up[1]), (major / 2, 0, up[2]), (root, 0, up[3])])
    mesh = helix(profile, edges_of(profile), pitch=pitch, turns=4, steps=24).mesh
    radius = np.hypot(mesh.points[:, 0], mesh.points[:, 1])
    assert 2 * radius.max() == pytest.approx(8.0) and 2 * radius.min() == pytest.approx(8.0 - 1.0825 * pitch, abs=1e-3)
    at_zero = mesh.points[np.isclose(np.arctan2(mesh.points[:, 1], mesh.points[:, 0]), 0, atol=1e-9)]
    crest = np.sort(at_zero[np.isclose(at_zero[:, 0], 4), 2])
    assert np.allclose(np.diff(crest)[::2], pitch / 8) and np.allclose(crest[2:] - crest[:-2], pitch)
    # Root: what is left of the pitch between one turn's end and the next one's start is P/4.
    foot = np.sort(at_zero[np.isclose(at_zero[:, 0], root), 2])
    assert np.allclose(np.diff(foot)[1::2], pitch / 4)


def test_twenty_slices_of_18_degrees_close() -> None:
    """n slices around an axis: rotate by 360/n, weld (common practice, no source)."""
    whole = cylinder(20, 10, 20)
    slice_ = keep_slice(whole, NOTHING, 20)
    assert slice_.mesh.n_faces == 3
    again = array(slice_.mesh, NOTHING, 20, rotate=18, weld=0.001).mesh
    assert not again.topology.open_edges.any() and again.topology.euler_number() == 2
    assert signed_volume(again) == pytest.approx(signed_volume(whole))
    for count in (2, 3, 5):
        part = keep_slice(quad_sphere(20, 6), NOTHING, count).mesh
        area = face_areas(part.topology, part.points).sum() * count
        full = quad_sphere(20, 6)
        assert area == pytest.approx(face_areas(full.topology, full.points).sum(), rel=2e-3)


def test_arrays_move_turn_and_scale_step_by_step() -> None:
    cube = box((2, 2, 2))
    mesh = array(cube, NOTHING, 4, (5, 0, 0), 0.0, scale=0.5, pivot="middle").mesh
    assert mesh.n_faces == 24 and signed_volume(mesh) == pytest.approx(8 * (1 + 1 / 8 + 1 / 64 + 1 / 512))
    row = array(cube, NOTHING, 3, (2, 0, 0), weld=0.001).mesh
    assert row.n_points == 16
    spiral = array(cube, NOTHING, 3, (0, 0, 3), 90, pivot=(5, 0, 0)).mesh
    assert np.allclose(spiral.points[16:].mean(axis=0), (10, 0, 6))


@pytest.mark.parametrize("keep", [None, "+", "-", "−"])
def test_a_mirror_is_exact_and_welded_in_the_middle(keep: str | None) -> None:
    mesh = quad_sphere(20, 6)
    mesh = mesh.with_points(mesh.points + np.array([3.0 if keep else 10.0001, 0.2, 0.1]))
    edit = mirror_across(mesh, NOTHING, "x", keep, weld=0.01)
    points = edit.mesh.points
    across = points * (-1, 1, 1)
    order, other = np.lexsort(points.T), np.lexsort(across.T)
    assert np.array_equal(points[order], across[other])
    assert signed_volume(edit.mesh) > 0 and len(edit.selection) * 2 == edit.mesh.n_faces
    if keep:
        assert not edit.mesh.topology.open_edges.any() and edit.mesh.topology.euler_number() == 2


def test_walls_are_exactly_as_thick_as_typed() -> None:
    # Plane walls: every face moves by exactly the distance; of a pipe its flats.
    assert signed_volume(thicken(plane((10, 8), (3, 2)), NOTHING, 0.5, 1.5).mesh) == pytest.approx(160)
    assert signed_volume(thicken(box((20, 16, 12)), NOTHING, 2, 0).mesh) == pytest.approx(20 * 16 * 12 - 16 * 12 * 8)
    pipe = thicken(cylinder(20, 10, 16, caps="open"), NOTHING, 0, 2).mesh
    flats = np.hypot(pipe.points[:, 0], pipe.points[:, 1]) * np.cos(np.pi / 16)
    assert np.allclose(np.unique(np.round(flats, 9)), [10 * np.cos(np.pi / 16), 10 * np.cos(np.pi / 16) + 2])
    area = 16 * np.tan(np.pi / 16)
    inner = 10 * np.cos(np.pi / 16)
    assert signed_volume(pipe) == pytest.approx(10 * area * ((inner + 2) ** 2 - inner**2))
    assert pipe.topology.euler_number() == 0 and not pipe.topology.open_edges.any()
    assert "fold under" in thicken(cylinder(20, 10, 16, caps="open"), NOTHING, 12, 0).message


def test_rims_have_steps_and_profiles() -> None:
    sheet = plane((10, 10))
    edit = thicken(sheet, NOTHING, 1, 1, rim_steps=4)
    assert len(edit.selection) == 16 and signed_volume(edit.mesh) == pytest.approx(200)
    bulged = thicken(sheet, NOTHING, 1, 1, profile=add_curve([(0, 0, 0), (1, 1, 0), (2, 0, 0)])).mesh
    assert np.abs(bulged.points[:, :2]).max() == pytest.approx(6) and signed_volume(bulged) > 200
    plate = thicken(box((20, 20, 20), (2, 2, 2)), Selection("faces", np.array([0, 1])), 0, 1)
    assert plate.mesh.topology.n_shells == 2
    with pytest.raises(EditError, match="thickness"):
        thicken(sheet, NOTHING, 0, 0)


def test_faces_follow_a_curve_and_turn_with_it() -> None:
    cube = box((4, 4, 4))
    top = Selection("faces", np.array([1]))
    straight = extrude_along(cube, top, [(0, 0, 2), (0, 0, 12)], steps=5).mesh
    assert signed_volume(straight) == pytest.approx(64 + 160) and straight.n_faces == 6 + 20
    # A quarter circle of radius 10: a square tube in steps, by Pappus.
    angle = np.linspace(0, np.pi / 2, 91)
    arc = [(10 - 10 * np.cos(a), 0.0, 2 + 10 * np.sin(a)) for a in angle]
    bent = extrude_along(cube, top, add_curve(arc, "smooth"), steps=45)
    assert signed_volume(bent.mesh) == pytest.approx(64 + 16 * 10 * np.pi / 2, rel=2e-3)
    end = bent.mesh.points[points_of(bent.mesh.topology, bent.selection)]
    assert np.allclose(end[:, 0], 10, atol=0.02) and np.ptp(end[:, 2]) == pytest.approx(4, abs=1e-3)
    twisted = extrude_along(cube, top, [(0, 0, 2), (0, 0, 12)], steps=9, twist=90, end_scale=0.5)
    end = twisted.mesh.points[points_of(twisted.mesh.topology, twisted.selection)]
    assert np.allclose(np.ptp(end, axis=0), (2, 2, 0))


@pytest.mark.parametrize(("caps", "is_open"), [("open", True), ("face", False), ("quads", False), ("round", False)])
def test_round_sweeps_take_the_curves_radii(caps: str, is_open: bool) -> None:
    curve = add_curve([(0, 0, 0), (0, 0, 10), (0, 0, 20)], "straight", radii=[3, 1, 2])
    edit = sweep(curve, NOTHING, steps=1, sides=8, caps=caps)
    mesh = edit.mesh
    assert mesh.topology.open_edges.any() == is_open and len(edit.selection) == mesh.n_faces
    for height, radius in ((0, 3), (10, 1), (20, 2)):
        ring = mesh.points[np.isclose(mesh.points[:, 2], height)]
        assert np.hypot(ring[:, 0], ring[:, 1]).max() == pytest.approx(radius)
    if not is_open:
        assert signed_volume(mesh) > 0


def test_profiles_are_swept_along_closed_curves() -> None:
    square = add_curve([(19, 0, -1), (21, 0, -1), (21, 0, 1), (19, 0, 1)], closed=True)
    angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    ring = add_curve(np.stack((20 * np.cos(angle), 20 * np.sin(angle), np.zeros(24)), axis=1), closed=True)
    mesh = sweep(square, edges_of(square), ring, steps=1).mesh
    assert not mesh.topology.open_edges.any() and mesh.topology.euler_number() == 0
    assert abs(signed_volume(mesh)) == pytest.approx(4 * 2 * np.pi * 20, rel=0.02)


def test_impossible_sweeps_are_sentences() -> None:
    line = add_line([(1, 0, 0), (2, 0, 0)])
    for run in (
        lambda: revolve(line, edges_of(line), angle=0),
        lambda: revolve(line, edges_of(line), angle=500),
        lambda: revolve(line, NOTHING),
        lambda: revolve(box(), select_all(box().topology, "faces")),
        lambda: helix(line, edges_of(line), pitch=1, rise=2),
        lambda: helix(line, Selection("points", np.array([0]))),
        lambda: helix(line, edges_of(line), turns=1e5, steps=16),
        lambda: sweep(box(), NOTHING),
        lambda: extrude_along(box(), Selection("faces", np.array([0])), None),
        lambda: extrude_along(box(), Selection("faces", np.array([0])), [(0, 0, 0), (0, 0, 0)]),
        lambda: array(line, Selection("points", np.array([0]))),
        lambda: mirror_across(line, Selection("points", np.array([0]))),
        lambda: keep_slice(plane((2, 2)), NOTHING, 1),
        lambda: revolve(line, edges_of(line), pivot="elsewhere"),
    ):
        with pytest.raises(EditError, match=r"\.$"):
            run()


@pytest.mark.parametrize("steps", [1, 2, 3, 7])
@pytest.mark.parametrize("key", ["extrude_along", "sweep"])
def test_a_way_that_comes_back_is_refused_or_followed(steps: int, key: str) -> None:
    """An open curve there and back again: with one step it has no direction at all."""
    session = Session.new()
    session.do("add_box", size=(2, 2, 2))
    session.select(faces=[0]) if key == "extrude_along" else session.select(edges=[(0, 1)])
    curve = [(0, 0, 0), (0, 5, 0), (0, 0, 0)]
    try:
        session.do(key, curve=curve, steps=steps)
    except EditError as error:
        assert "more of them" in str(error) and steps == 1
        return
    assert np.isfinite(session.part.mesh.points).all()


@some(30)
@given(st.sampled_from(["x", "y", "z"]), st.integers(0, 99), st.floats(1e-14, 1e-5), st.booleans())
def test_what_is_swept_does_not_turn_over_for_a_hair(axis: str, seed: int, noise: float, closed: bool) -> None:
    """Along an axis two others are equally square to it: rounding must not decide between them."""
    chance = np.random.default_rng(seed)
    angles = np.linspace(0, 2 * np.pi, 9)[:-1]
    ring = np.stack((np.cos(angles), np.sin(angles), np.zeros(8)), axis=1) * 20
    points = np.roll(ring, "xyz".index(axis), axis=1)[: 8 if closed else 5]
    moved = points + chance.uniform(-noise, noise, points.shape)
    places = [frames_along(one, closed, True) for one in (points, moved)]
    assert np.abs(places[0] - places[1]).max() < 1e3 * noise + 1e-9


@given(st.floats(0, 2 * np.pi), st.floats(-1.1, 1.1), st.integers(3, 9))
def test_what_is_swept_begins_level(turn: float, rise: float, count: int) -> None:
    way = np.array([np.cos(turn), np.sin(turn), np.tan(rise)])
    first = frames_along(np.outer(np.arange(count), way) + np.arange(count)[:, None] ** 2 * [0.0, 0.0, 1e-3])[0]
    steep = abs(first[2, 2]) >= 0.9
    assert steep or abs(first[0, 2]) < 1e-12
    # Right-handed and square, steep or not.
    assert first @ first.T == pytest.approx(np.eye(3), abs=1e-9) and np.linalg.det(first) == pytest.approx(1)
