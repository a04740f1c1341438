"""What is drawn while points are dragged: pictures written in place, buffers by what has changed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from conftest import CAGES
from driving import LEFT, Hands
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt

from levelloop.app.theme import BENCH
from levelloop.app.view.camera import Camera
from levelloop.app.view.render.live import Shown, followed
from levelloop.app.view.render.picture import Changes, Picture, make_picture
from levelloop.app.view.render.uploads import KEPT_IDLE, Uploads, changed
from levelloop.app.view.scenery import Scenery
from levelloop.app.view.view_state import ViewState
from levelloop.core.forms.primitives import plane, quad_sphere
from levelloop.document.document import Document, new_part
from levelloop.document.part import Part
from levelloop.document.session import Session

TURNED = np.array([[0.0, -2.0, 0.0, 0.0], [1.0, 0.0, 0.0, 0.0], [0.0, 0.0, 1.0, 0.0], [5.0, 1.0, -3.0, 1.0]])


class Memory:
    """A buffer as a graphics card has it."""

    names = iter(range(1, 10_000))

    def __init__(self, content: bytes) -> None:
        self.content, self.glo, self.size = bytearray(content), next(self.names), len(content)
        self.is_gone = False

    def write(self, content: bytes, offset: int = 0) -> None:
        self.content[offset : offset + len(content)] = content

    def release(self) -> None:
        self.is_gone = True


class Card:
    """What makes buffers."""

    def buffer(self, content: bytes) -> Memory:
        return Memory(content)


def part_of(mesh: object, level: int, transform: np.ndarray | None = None) -> Part:
    part = new_part(Document(), mesh, "body")  # type: ignore[arg-type]
    return replace(part, level=level, **({} if transform is None else {"transform": transform}))


def moved(part: Part, points: np.ndarray, by: np.ndarray) -> Part:
    places = part.mesh.points.copy()
    places[points] += by
    return replace(part, mesh=part.mesh.with_points(places))


def same(one: Picture, other: Picture) -> None:
    # By NumPy: pytest's approx goes through large arrays number by number.
    assert np.allclose(one.places, other.places, atol=1e-9) and np.allclose(one.vertices, other.vertices, atol=2e-5)
    assert np.array_equal(one.indices, other.indices) and one.part is other.part
    assert np.allclose(one.cage_places, other.cage_places, atol=1e-9)
    assert (one.bends is None) == (other.bends is None)
    if one.bends is not None and other.bends is not None:
        assert np.allclose(one.bends, other.bends, rtol=1e-4, atol=1e-4)


@pytest.mark.parametrize("on_limit", [False, True])
@pytest.mark.parametrize("transform", [None, TURNED], ids=["in place", "turned"])
@some(10)
@given(st.integers(0, 10_000))
def test_a_followed_picture_is_the_one_made_anew(on_limit: bool, transform: np.ndarray | None, seed: int) -> None:
    random = np.random.default_rng(seed)
    part = part_of(quad_sphere(40, 12), 2, transform)
    old = make_picture(part, True, None, 2, None, False, on_limit, True)
    before = old.vertices.copy()
    points = random.integers(0, part.mesh.n_points, 2)
    now = old
    for _ in range(3):
        part = moved(part, points, random.normal(size=3))
        picture = followed(now, part, Shown(2, None, on_limit, True))
        assert picture is not None
        # The diagonals stay while something is dragged.
        same(picture, make_picture(part, True, now, 2, None, True, on_limit, True))
        now = picture
    assert np.array_equal(old.vertices, before) and now.changes is not None and now.changes.number == 2
    # Another point: another piece, whose first picture copies again.
    other = followed(
        now, moved(part, np.array([(points[0] + 90) % part.mesh.n_points]), np.ones(3)), Shown(2, None, on_limit, True)
    )
    assert other is None or (other.changes is not None and (other.changes.number in (0, 3)))


def test_what_is_more_than_a_few_points_that_moved_is_made_anew() -> None:
    part = part_of(plane((40, 40), (20, 20)), 2)
    old = make_picture(part, True)
    near = moved(part, np.array([220]), np.ones(3))
    shown = Shown(2, None, False, False)
    assert followed(old, near, shown) is not None
    assert followed(None, near, shown) is None and followed(old, part, shown) is None
    assert followed(old, moved(part, np.arange(441), np.ones(3)), shown) is None
    assert (
        followed(old, near, replace(shown, level=1)) is None and followed(old, near, replace(shown, bends=True)) is None
    )
    assert (
        followed(old, near, replace(shown, on_limit=True)) is None
        and followed(old, near, replace(shown, until=0)) is None
    )
    assert followed(old, replace(near, transform=TURNED), shown) is None
    creased = replace(near, mesh=replace(near.mesh, crease_sharpness=np.ones(near.mesh.n_edges)))
    assert followed(old, creased, shown) is None
    session = Session(Document().with_part(part))
    session.add_step("mirror", planes="x")
    stepped = session.part
    assert followed(make_picture(stepped, True), moved(stepped, np.array([220]), np.ones(3)), shown) is None


@given(st.lists(st.tuples(st.integers(0, 399), st.integers(1, 60), st.booleans()), max_size=12))
def test_a_buffer_holds_what_its_array_holds(writes: list[tuple[int, int, bool]]) -> None:
    uploads, card = Uploads(), Card()
    array = np.random.default_rng(1).normal(size=(400, 6)).astype(np.float32)
    held = uploads.upload(card, array, Changes(0, np.arange(0)))  # type: ignore[arg-type]
    for number, (first, many, is_seen) in enumerate(writes, 1):
        rows = np.unique(np.minimum(first + np.arange(many) * 3, 399))
        array[rows] += 1.0
        if is_seen:
            # Frames may be left out: then all of it is written.
            assert uploads.upload(card, array, Changes(number, rows)) is held  # type: ignore[arg-type]
            assert bytes(held.buffer.content) == array.tobytes()


def test_new_arrays_take_over_buffers_that_are_free_and_idle_ones_go() -> None:
    uploads, card, view, other = Uploads(), Card(), object(), object()
    first, second = np.arange(3000.0), np.arange(3000.0)
    second[7] = -1.0
    uploads.begin(view, [first])
    held = uploads.upload(card, first)  # type: ignore[arg-type]
    assert uploads.written == 24_000
    uploads.begin(other, [first])
    uploads.begin(view, [second])
    # Another view still shows the old one.
    assert uploads.upload(card, second).number != held.number  # type: ignore[arg-type]
    third = second + 0.0
    third[9] = 5.0
    uploads.begin(other, [second])
    uploads.begin(view, [third])
    written = uploads.written
    assert uploads.upload(card, third).number == held.number and uploads.written == written + 24  # type: ignore[arg-type]
    assert bytes(held.buffer.content) == third.tobytes()
    uploads.leave(other)
    uploads.begin(view, [third])
    for _ in range(KEPT_IDLE + 1):
        uploads.drop_unused()
    assert uploads.holds([held.number]) and not uploads.holds([held.number + 1])
    uploads.release()
    assert held.buffer.is_gone and not uploads.is_used


def test_what_was_written_in_place_and_not_seen_is_in_the_buffer_that_is_taken_over() -> None:
    uploads, card, view = Uploads(), Card(), object()
    live = np.zeros(300, dtype=np.float32)
    uploads.begin(view, [live])
    held = uploads.upload(card, live, Changes(0, np.arange(0)))  # type: ignore[arg-type]
    live[7] = 5.0
    # The drag ends before that was drawn; what is shown at rest is the same.
    rest = live.copy()
    uploads.begin(view, [rest])
    assert uploads.upload(card, rest).number == held.number  # type: ignore[arg-type]
    assert bytes(held.buffer.content) == rest.tobytes()


def test_what_differs_is_found() -> None:
    one = np.zeros((5, 2))
    other = one.copy()
    assert changed(one, other) == (0, 0)
    other[1, 1] = other[3, 0] = 1.0
    assert changed(one, other) == (3, 7)


@pytest.mark.parametrize("name", ["quad caps", "grid", "mixed polygons", "empty"])
def test_a_scene_is_made_without_a_window(name: str) -> None:
    document = Document().with_part(part_of(CAGES[name], 1))
    state = Session(document).state
    picture = make_picture(document.part, True)
    view = ViewState(camera=Camera(), shown=[picture], pictures={document.part.id: picture})
    scene = Scenery(BENCH).scene(state, view)
    assert [solid.picture for solid in scene.solids] == [picture] and scene.lines
    assert all(array.dtype.kind in "fu" for array in scene.arrays())
    quiet = Scenery(BENCH).scene(state, replace(view, look=replace(view.look, wire=False, ground=False)))
    assert not quiet.lines


def test_a_drag_at_the_whole_level_writes_in_place(empty: Hands) -> None:
    empty.session.do("add_quad_sphere", diameter=80, cells=24)
    empty.session.do("set_level", level=2)
    empty.window.stage.show_smooth([empty.session.part], True)
    empty.settle()
    empty.key(Qt.Key.Key_P)
    empty.window.start("move")
    view, stage = empty.view, empty.window.stage
    picture = stage.picture(empty.session.part.id)
    assert picture is not None and picture.level == 2
    seen = view.camera.axes[2] @ picture.cage_places.T
    place = empty.place("points", int(seen.argmax()))
    view.choosing.forget_clicks()
    empty.move(place)
    empty.qtbot.mousePress(view, LEFT, Qt.KeyboardModifier.NoModifier, place)
    shown = []
    for step in range(1, 6):
        stage.keeps_up = True
        empty.move(place + QPoint(6 * step, 0), LEFT)
        shown.append(stage.picture(empty.session.part.id))
        view.repaint()
    live = [one for one in shown if one is not None and one.live is not None]
    assert len(live) >= 3 and live[-1].vertices is live[-2].vertices and live[-1].level == 2
    frame = view.grabFramebuffer()
    empty.qtbot.mouseRelease(view, LEFT, Qt.KeyboardModifier.NoModifier, place + QPoint(30, 0))
    empty.settle()
    rest = stage.picture(empty.session.part.id)
    assert rest is not None and rest.live is None
    same(live[-1], replace(rest, indices=live[-1].indices, part=live[-1].part))
    assert frame.size() == view.grabFramebuffer().size()


def test_other_parts_stay_as_they_are_while_frames_keep_up(empty: Hands) -> None:
    empty.session.do("add_quad_sphere", diameter=80, cells=24, name="other")
    empty.session.do("add_box", size=(20, 20, 20), at=(80, 0, 0), cells=(4, 4, 4), name="dragged")
    stage = empty.window.stage
    stage.show_smooth(empty.session.document.parts, True)
    empty.settle()
    other = empty.session.document.by_name("other")
    before = stage.picture(other.id)
    empty.session.select(points=[0])
    stage.keeps_up = True
    stage.hurry(True)
    empty.session.do("move", by=(0, 0, 1))
    assert stage.picture(other.id) is before and before is not None and before.level == 2
    stage.keeps_up = False
    empty.session.do("move", by=(0, 0, 1))
    shown = stage.picture(other.id)
    assert shown is not None and shown.level < 2
    stage.hurry(False)
    empty.settle()
    assert stage.picture(other.id).level == 2  # type: ignore[union-attr]


@pytest.mark.parametrize("wires", [True, False])
def test_a_picture_is_of_the_material_its_part_was_given_last(wires: bool) -> None:
    session = Session.new()
    if wires:
        session.do("add_curve", points=[(0, 0, 0), (20, 0, 0), (40, 10, 0)])
        session.add_step("sweep", sides=6)
    else:
        session.do("add_box")
    picture, groups = None, []
    for material in ("", "rubber", "brass", ""):
        if material or picture is not None:
            session.do("set_material", material=material)
        picture = make_picture(session.part, True, picture, 1)
        groups.append([session.part.mesh.materials[number] for number, _, count in picture.groups if count])
    assert groups == [[], ["rubber"], ["brass"], []]
