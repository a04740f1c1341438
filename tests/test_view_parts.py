"""Camera, handle, picking, pictures and the readout, driven without events."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import CAGES
from hypothesis import given
from hypothesis import strategies as st

from levelloop.app.commands.shell.finder import Command, matches
from levelloop.app.panels.build_line.line import STOPS
from levelloop.app.panels.readout import far_side, readout, without
from levelloop.app.tools.handle import LENGTH, Handle
from levelloop.app.view.camera import DIRECTIONS, Camera
from levelloop.app.view.markers import NEAR, grouped
from levelloop.app.view.picking.picking import Sight, pick, picked_in_box, visible
from levelloop.app.view.render.picture import Picture, make_picture, shown_level
from levelloop.app.view.render.what_is_where import WhatIsWhere, numbered
from levelloop.core.forms.primitives import box
from levelloop.core.mesh.faces import face_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind, Selection, select_all
from levelloop.document.document import Document, new_part
from levelloop.document.part import Part
from levelloop.document.session import Session

WIDTH, HEIGHT = 800, 600


def part_of(mesh: Mesh, **looks: object) -> Part:
    return Part("part1", "thing", mesh, **looks)  # type: ignore[arg-type]


def picture_of(mesh: Mesh, smooth: bool = False, **looks: object) -> Picture:
    return make_picture(part_of(mesh, **looks), smooth)


def framed(direction: str = "front", perspective: bool = True) -> Camera:
    camera = Camera()
    camera.look(direction)
    camera.perspective = perspective
    camera.frame(box((2, 2, 2)).points, WIDTH, HEIGHT)
    return camera


def sight_of(picture: Picture, camera: Camera) -> Sight:
    """What a renderer would read back, by ray casting one pixel at a time over a coarse frame."""
    width, height = 80, 60
    numbers = np.zeros((height, width), dtype=np.int32)
    depth = np.ones((height, width), dtype=np.float32)
    triangle = picture.vertices[picture.indices, :3].astype(np.float64)
    for row in range(height):
        for column in range(width):
            start, direction = camera.ray(column + 0.5, row + 0.5, width, height)
            edge, other = triangle[:, 1] - triangle[:, 0], triangle[:, 2] - triangle[:, 0]
            cross = np.cross(direction, other)
            det = np.einsum("ij,ij->i", edge, cross)
            with np.errstate(all="ignore"):
                to = start - triangle[:, 0]
                u = np.einsum("ij,ij->i", to, cross) / det
                q = np.cross(to, edge)
                v = (q @ direction) / det
                t = np.einsum("ij,ij->i", other, q) / det
                hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (np.abs(det) > 1e-12)
            if hit.any():
                nearest = np.flatnonzero(hit)[np.argmin(t[hit])]
                numbers[row, column] = picture.triangle_face[nearest] + 1
                place = start + t[nearest] * direction
                depth[row, column] = camera.project(place[None], width, height)[0, 2]
    return Sight(camera, width, height, [picture], WhatIsWhere(numbers, depth))


# Camera


@pytest.mark.parametrize("perspective", [True, False])
def test_a_ray_goes_through_the_pixel_its_points_project_to(perspective: bool) -> None:
    camera = framed(perspective=perspective)
    camera.turn, camera.tilt = 31.0, 17.0
    start, direction = camera.ray(500, 200, WIDTH, HEIGHT)
    for distance in (1.0, 3.0, 8.0):
        x, y, depth = camera.project((start + direction * distance)[None], WIDTH, HEIGHT)[0]
        assert (x, y) == pytest.approx((500, 200), abs=1e-6)
        assert 0 < depth < 1 or not perspective


@pytest.mark.parametrize("name", list(DIRECTIONS))
def test_each_direction_looks_along_its_axis(name: str) -> None:
    camera = framed(name)
    along = {"front": [0, -1, 0], "back": [0, 1, 0], "right": [1, 0, 0], "left": [-1, 0, 0]}
    along |= {"top": [0, 0, 1], "bottom": [0, 0, -1]}
    assert camera.axes[2] == pytest.approx(np.array(along[name], dtype=float), abs=1e-12)
    assert np.allclose(camera.axes @ camera.axes.T, np.eye(3))
    assert np.linalg.det(camera.axes) == pytest.approx(1)


@pytest.mark.parametrize("perspective", [True, False])
def test_framing_fills_the_view_and_no_more(perspective: bool) -> None:
    camera = framed("front", perspective)
    camera.orbit(60, 20)
    points = box((5, 1, 3)).points + np.array([100.0, 50.0, -20.0])
    camera.frame(points, WIDTH, HEIGHT)
    screen = camera.project(points, WIDTH, HEIGHT)
    assert screen[:, 0].min() > 0 and screen[:, 0].max() < WIDTH
    assert screen[:, 1].min() > 0 and screen[:, 1].max() < HEIGHT
    assert max(np.ptp(screen[:, 0]) / WIDTH, np.ptp(screen[:, 1]) / HEIGHT) > 0.6


@pytest.mark.parametrize("perspective", [True, False])
def test_zoom_keeps_what_is_under_the_pointer(perspective: bool) -> None:
    camera = framed(perspective=perspective)
    right, upward, _ = camera.axes
    scale = camera.millimetres_per_pixel(HEIGHT)
    place = camera.target + (right * 150 - upward * 80) * scale
    before = camera.project(place[None], WIDTH, HEIGHT)[0, :2]
    camera.zoom(1.7, before[0], before[1], WIDTH, HEIGHT)
    assert camera.project(place[None], WIDTH, HEIGHT)[0, :2] == pytest.approx(before, abs=1e-6)


def test_panning_follows_the_pointer() -> None:
    camera = framed()
    before = camera.project(camera.target[None], WIDTH, HEIGHT)[0]
    place = camera.target.copy()
    camera.pan(40, -25, HEIGHT)
    after = camera.project(place[None], WIDTH, HEIGHT)[0]
    assert after[:2] - before[:2] == pytest.approx([40, -25], abs=1e-6)


def test_tilt_stops_at_the_poles() -> None:
    camera = framed()
    camera.orbit(0, 10_000)
    assert camera.tilt == 90
    camera.orbit(0, -10_000)
    assert camera.tilt == -90


# Pictures


def test_levels_are_shown_as_the_part_says() -> None:
    assert shown_level(part_of(box()), False) == 0
    assert shown_level(part_of(box(), level=4), True) == 4
    assert shown_level(part_of(box(), level=1, limit=True), True) == 3


def test_cage_pictures_are_faceted_and_smooth_ones_are_not() -> None:
    cage = CAGES["n-gon caps"]
    flat = picture_of(cage)
    facing = face_normals(cage.topology, cage.points)
    assert np.allclose(flat.vertices[flat.indices[:, 0], 3:], facing[flat.triangle_face], atol=1e-6)
    smooth = picture_of(cage, True, level=2)
    assert len(smooth.indices) == 2 * smooth.n_shown_faces
    # Neighbouring triangles share their vertices: no facets.
    assert len(smooth.vertices) == smooth.built.topology.n_points


def test_the_limit_is_drawn_on_the_limit_surface() -> None:
    smooth, limit = picture_of(box(), True, level=3), picture_of(box(), True, level=3, limit=True)
    assert np.abs(limit.places).max() < np.abs(smooth.places).max()


def test_elements_stay_where_they_are_shown() -> None:
    cage = CAGES["grid"]
    for smooth in (False, True):
        picture = picture_of(cage, smooth)
        assert picture.cage_places == pytest.approx(picture.places[: cage.n_points])
        assert picture.edge_middles.shape == (cage.n_edges, 3)
        assert picture.face_middles == pytest.approx(picture_of(cage).face_middles, abs=0.3)
        segments = picture.segments()
        assert len(segments) == cage.n_edges * (1 if not smooth else 4)
        assert len(picture.face_vertices(np.array([4]))) == (6 if not smooth else 6 * 16)


def test_a_surface_is_used_again_while_only_points_move() -> None:
    first = picture_of(box(), True)
    moved = part_of(first.part.mesh.with_points(first.part.mesh.points * 2))
    second = make_picture(moved, True, first)
    assert second.built.stops[-1].surface is first.built.stops[-1].surface
    assert np.allclose(second.places, 2 * first.places)


def test_a_placed_part_is_drawn_in_the_world() -> None:
    shift = np.eye(4)
    shift[3, :3] = [10, 0, 0]
    for smooth in (False, True):
        picture = picture_of(box((2, 2, 2)), smooth, transform=shift)
        assert picture.places[:, 0].mean() == pytest.approx(10)
        assert picture.vertices[:, 0].mean() == pytest.approx(10, abs=0.01)


# Picking


def test_picking_finds_what_is_in_front() -> None:
    cube = box((2, 2, 2))
    camera = framed()
    sight = sight_of(picture_of(cube), camera)
    front = int(np.argmin(face_normals(cube.topology, cube.points)[:, 1]))
    hit = pick(sight, "faces", 40, 30)
    assert hit is not None and hit.index == front
    assert pick(sight, "faces", 1, 1) is None and pick(sight, "faces", -5, 900) is None
    screen = camera.project(cube.points, 80, 60)
    for point in range(8):
        hit = pick(sight, "points", screen[point, 0], screen[point, 1])
        assert hit is not None and (cube.points[hit.index, 1] == -1)
    behind = int(np.flatnonzero((cube.points == [1, 1, 1]).all(axis=1))[0])
    hit = pick(sight, "points", screen[behind, 0], screen[behind, 1], "through")
    assert hit is not None
    middle = cube.points[cube.topology.edges].mean(axis=1)
    top = int(np.flatnonzero((middle == [0, -1, 1]).all(axis=1))[0])
    x, y, _ = camera.project(middle[[top]], 80, 60)[0]
    hit = pick(sight, "edges", x, y + 1)
    assert hit is not None and hit.index == top


def test_boxes_catch_what_is_visible_or_everything() -> None:
    cube = box((2, 2, 2))
    picture = picture_of(cube)
    sight = sight_of(picture, framed())
    whole = ((0.0, 0.0), (80.0, 60.0))
    assert len(picked_in_box(sight, picture, "points", *whole, "visible")) == 4
    assert len(picked_in_box(sight, picture, "points", *whole, "through")) == 8
    assert picked_in_box(sight, picture, "faces", *whole, "visible").tolist() == [2]
    assert len(picked_in_box(sight, picture, "edges", (0.0, 0.0), (80.0, 20.0), "through")) >= 1
    assert len(picked_in_box(sight, picture, "points", (0.0, 0.0), (2.0, 2.0), "through")) == 0


def test_what_lies_beside_the_view_is_not_visible() -> None:
    sight = sight_of(picture_of(box((2, 2, 2))), framed())
    outside = np.array([[-5.0, 10.0, 0.1], [40.0, 900.0, 0.1]])
    assert not visible(sight, outside).any()


def test_numbers_count_over_all_pictures() -> None:
    first, second = picture_of(box()), picture_of(CAGES["grid"])
    assert numbered([first, second], 0) is None
    assert numbered([first, second], 6) == (first, 5)
    assert numbered([first, second], 7) == (second, 0)
    assert numbered([first, second], 99) is None


# Handle


def test_an_arm_is_picked_along_its_length() -> None:
    camera = framed()
    handle = Handle("move", np.zeros(3))
    arms = handle.arms(camera, WIDTH, HEIGHT)
    assert np.hypot(*(arms[1, :2] - arms[0, :2])) == pytest.approx(LENGTH, rel=0.02)
    x, y = 0.5 * (arms[0, :2] + arms[1, :2])
    assert handle.axis_at(x, y, camera, WIDTH, HEIGHT) == 0
    assert handle.axis_at(arms[0, 0], arms[0, 1], camera, WIDTH, HEIGHT) == 3
    assert handle.axis_at(x, y + 40, camera, WIDTH, HEIGHT) is None


def test_dragging_an_arm_moves_along_it_only() -> None:
    camera = framed(perspective=False)
    handle = Handle("move", np.zeros(3))
    arms = handle.arms(camera, WIDTH, HEIGHT)
    start, end = tuple(arms[0, :2]), tuple(arms[1, :2])
    moved = handle.dragged(0, start, end, camera, WIDTH, HEIGHT)["by"]
    assert moved == pytest.approx((LENGTH * camera.millimetres_per_pixel(HEIGHT), 0, 0))
    sideways = handle.dragged(0, start, (start[0], start[1] + 50), camera, WIDTH, HEIGHT)["by"]
    assert sideways == pytest.approx((0, 0, 0), abs=1e-9)
    free = handle.dragged(3, start, (start[0] + 10, start[1] - 20), camera, WIDTH, HEIGHT)["by"]
    scale = camera.millimetres_per_pixel(HEIGHT)
    assert free == pytest.approx((10 * scale, 0, 20 * scale), abs=1e-9)


def test_turning_follows_the_pointer_around_the_axis() -> None:
    camera = framed("top", perspective=False)
    handle = Handle("rotate", np.zeros(3))
    centre = handle.arms(camera, WIDTH, HEIGHT)[0, :2]
    quarter = handle.dragged(2, (centre[0] + 50, centre[1]), (centre[0], centre[1] - 50), camera, WIDTH, HEIGHT)
    # Seen from above, up on screen is +y: a quarter turn counter-clockwise.
    assert quarter == {"angle": pytest.approx(90), "axis": "z"}
    below = framed("bottom", perspective=False)
    turned = handle.dragged(2, (centre[0] + 50, centre[1]), (centre[0], centre[1] - 50), below, WIDTH, HEIGHT)
    assert turned["angle"] == pytest.approx(-90)
    ring = handle.rings(camera, WIDTH, HEIGHT)[2, 5]
    assert handle.axis_at(ring[0], ring[1], camera, WIDTH, HEIGHT) == 2


def test_scaling_by_an_arm_and_by_the_middle() -> None:
    camera = framed(perspective=False)
    handle = Handle("scale", np.zeros(3))
    arms = handle.arms(camera, WIDTH, HEIGHT)
    start, end = tuple(arms[1, :2]), tuple(2 * arms[1, :2] - arms[0, :2])
    assert handle.dragged(0, start, end, camera, WIDTH, HEIGHT)["factors"] == pytest.approx((2, 1, 1))
    whole = handle.dragged(3, (0.0, 0.0), (LENGTH, 0.0), camera, WIDTH, HEIGHT)
    assert whole["factors"] == pytest.approx(2)
    assert handle.dragged(3, (0.0, 0.0), (-900.0, 0.0), camera, WIDTH, HEIGHT)["factors"] == 0


# Readout


def session_with(mesh: Mesh) -> Session:
    return Session(Document().with_part(new_part(Document(), mesh, "thing")))


def test_the_readout_says_what_is_selected() -> None:
    session = session_with(box((2, 3, 4)))
    camera = framed()
    picture = make_picture(session.part, False)
    assert "click" in readout(session.state, picture, "faces", camera)
    session.select(points=[0])
    assert "1 point" in readout(session.state, picture, "points", camera)
    assert "at -1, -1.5, -2 mm" in readout(session.state, picture, "points", camera)
    session.select(edges=[[0, 1], [1, 3]])
    text = readout(session.state, picture, "edges", camera)
    assert "2 edges" in text and "1 open run" in text and "5 mm long" in text
    session.select(faces=[0])
    assert "6 mm²" in readout(session.state, picture, "faces", camera)
    assert readout(Session.new().state, None, "faces", camera) == "Nothing here yet"


def test_what_faces_away_is_counted_and_dropped() -> None:
    cube = box((2, 2, 2))
    picture, camera = picture_of(cube), framed(perspective=False)
    everything = select_all(cube.topology, "faces")
    away = far_side(everything, picture, camera)
    assert away.sum() == 1
    assert len(without(everything, away)) == 5
    camera.orbit(70, 40)
    for kind in ("points", "edges"):
        selection = select_all(cube.topology, kind)  # type: ignore[arg-type]
        assert 0 < far_side(selection, picture, camera).sum() < len(selection)


def test_pieces_are_counted() -> None:
    session = session_with(CAGES["two shells"])
    session.select_all("faces")
    assert "6 on another piece" in readout(session.state, make_picture(session.part, False), "faces", framed())


@pytest.mark.parametrize(("kind", "size"), [("edges", " long"), ("faces", "mm²")])
def test_strays_come_before_sizes_which_may_be_cut_off(kind: Kind, size: str) -> None:
    session = session_with(CAGES["two shells"])
    session.select_all(kind)
    text = readout(session.state, make_picture(session.part, False), kind, framed(perspective=False))
    for stray in ("drop:far", "drop:other"):
        assert 0 < text.index(stray) < text.index(size)


# Finding commands


def test_commands_are_found_by_the_beginnings_of_words() -> None:
    commands = [
        Command("Run a loop", "Build", lambda: None), Command("Select loop", "Select", lambda: None),
        Command("Inset", "Build", lambda: None, hint="a border of quads"),
    ]  # fmt: skip
    assert [command.title for command in matches("loop", commands)] == ["Run a loop", "Select loop"]
    assert [command.title for command in matches("sel lo", commands)] == ["Select loop"]
    assert [command.title for command in matches("border", commands)] == ["Inset"]
    assert matches("zebra", commands) == [] and len(matches("", commands)) == 3


def test_the_rail_has_every_level_and_the_limit() -> None:
    assert STOPS == (0, 1, 2, 3, 4, 5, 6, "limit")


def test_selections_keep_order_and_each_once() -> None:
    selection = Selection("points", np.array([5, 2, 5, 9, 2]))
    assert selection.indices.tolist() == [5, 2, 9]


def test_soft_edges_change_the_picture_of_a_cage_only() -> None:
    session = Session.new()
    session.do("add_cylinder", diameter=20, height=10, sides=12)
    plain = make_picture(session.part, False)
    session.do("shade", kind="soft")
    round_ = make_picture(session.part, False)
    assert np.array_equal(plain.vertices[:, :3], round_.vertices[:, :3])
    assert not np.allclose(plain.vertices[:, 3:], round_.vertices[:, 3:])


@given(st.integers(0, 400), st.integers(0, 10_000), st.integers(-1, 5))
def test_markers_that_lie_close_together_are_one_with_their_number(many: int, seed: int, current: int) -> None:
    random = np.random.default_rng(seed)
    screen = random.uniform(-15, 600, (many, 2))
    there, seen = random.random(many) < 0.9, random.random(many) < 0.5
    markers = grouped(screen, there, seen, current)
    assert sum(marker.count for marker in markers) == int(there.sum())
    steps = [marker for marker in markers if marker.is_current]
    if 0 <= current < many and there[current]:
        assert steps == markers[-1:] and steps[0].place == pytest.approx(tuple(screen[current])) and steps[0].count == 1
    else:
        assert not steps
    for shown in (False, True):
        places = np.array([marker.place for marker in markers if marker.is_seen == shown and not marker.is_current])
        rest = screen[there & (seen == shown) & (np.arange(many) != current)]
        # Every place lies within a square's diagonal of a marker, and no square has two.
        if len(rest):
            apart = np.linalg.norm(rest[:, None] - places[None], axis=2).min(axis=1)
            assert apart.max() <= NEAR * np.sqrt(2)
        assert len(places) <= len(np.unique(np.floor((rest + 20.0) / NEAR), axis=0)) if len(rest) else not len(places)
