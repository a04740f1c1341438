"""Named cameras: kept, changed, looked through, saved as OpenUSD has them; guides on them, and their projection."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from driving import Hands, needs_screen
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor

from levelloop.app.view.camera import Camera
from levelloop.app.view.picking.guide_places import plane_place, projection_of, seen_guides
from levelloop.core.errors import EditError
from levelloop.document.cameras import NamedCamera
from levelloop.document.session import Session


def photo(session: Session, **changes: Any) -> NamedCamera:
    values = {"name": "photo", "target": (1, 2, 3), "distance": 90, "turn": 30, "tilt": 20, **changes}
    session.do("keep_camera", **values)
    return session.document.cameras[-1]


def test_cameras_are_kept_replaced_changed_and_removed() -> None:
    session = Session.new()
    with pytest.raises(EditError, match="no camera yet"):
        session.do("set_camera", field_of_view=40)
    with pytest.raises(EditError, match="needs a name"):
        session.do("keep_camera")
    photo(session)
    photo(session, distance=100)
    assert len(session.document.cameras) == 1 and session.document.cameras[0].distance == 100
    session.do("set_camera", name="photo", field_of_view=60, shift=(0.1, -0.2))
    camera = session.document.cameras[0]
    # What is at the target is as large as before: distance x tan(half the field) stays.
    assert camera.distance * np.tan(np.radians(30)) == pytest.approx(100 * np.tan(np.radians(16)))
    assert camera.shift == (0.1, -0.2)
    with pytest.raises(EditError, match="no camera “film”"):
        session.do("remove_camera", name="film")
    session.do("remove_camera", name="photo")
    assert session.document.cameras == ()


@pytest.mark.parametrize("perspective", [True, False])
def test_rays_and_projection_agree_with_a_shifted_picture(perspective: bool) -> None:
    camera = Camera(np.array([3.0, -2.0, 5.0]), 80.0, 40.0, 25.0, perspective, 38.0, (0.15, -0.1))
    for x, y in ((100.0, 200.0), (640.0, 30.0), (1200.0, 790.0)):
        start, direction = camera.ray(x, y, 1280, 800)
        screen = camera.project((start + 60.0 * direction)[None], 1280, 800)
        assert screen[0, :2] == pytest.approx((x, y), abs=1e-6)
    # The target is moved right by 0.15 and down by 0.1 of the height.
    middle = camera.project(camera.target[None], 1280, 800)
    assert middle[0, :2] == pytest.approx((640 + 0.15 * 800, 400 + 0.1 * 800))


def test_cameras_come_back_from_a_file(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    camera = photo(session, shift=(0.2, 0.1), field_of_view=50, perspective=False)
    assert Session.open(session.save(tmp_path / "kept.usda")).document.cameras == (camera,)


@pytest.mark.parametrize("perspective", [True, False])
def test_other_readers_see_the_same_camera(tmp_path: Path, perspective: bool) -> None:
    """OpenUSD's own frustum of the camera we write puts points where our view does."""
    from pxr import Usd, UsdGeom

    session = Session.new()
    session.do("add_box")
    camera = photo(session, shift=(0.2, 0.1), field_of_view=50, perspective=perspective)
    stage = Usd.Stage.Open(str(session.save(tmp_path / "kept.usda")))
    prim = UsdGeom.Camera(stage.GetPrimAtPath("/Model/Cameras/camera1"))
    frustum = prim.GetCamera().frustum
    matrix = np.array(frustum.ComputeViewMatrix() * frustum.ComputeProjectionMatrix())
    ours = Camera()
    ours.look_through(camera)
    for place in ((0.0, 0.0, 0.0), (10.0, -5.0, 8.0), (1.0, 2.0, 3.0)):
        clip = np.array([*place, 1.0]) @ matrix
        screen = ours.project(np.array([place]), 1200, 800)[0]  # the film is 3 : 2
        assert (clip[0] / clip[3] + 1) * 600 == pytest.approx(screen[0], abs=1e-2)
        assert (1 - clip[1] / clip[3]) * 400 == pytest.approx(screen[1], abs=1e-2)


def test_cameras_of_a_foreign_stage_are_read(tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    session = Session.new()
    session.do("add_box")
    camera = photo(session, shift=(0.2, 0.1), field_of_view=50)
    path = session.save(tmp_path / "kept.usda")
    stage = Usd.Stage.Open(str(path))
    stage.GetDefaultPrim().RemoveProperty("levelloop:settings")
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)  # as if it had been made in centimetres
    stage.Export(str(tmp_path / "foreign.usda"))
    found = Session.open(tmp_path / "foreign.usda").document.cameras[0]
    assert found.name == "photo" and found.distance == pytest.approx(900)
    assert (found.turn, found.tilt) == pytest.approx((camera.turn, camera.tilt), abs=1e-4)
    assert found.field_of_view == pytest.approx(50, abs=1e-3) and found.shift == pytest.approx((0.2, 0.1), abs=1e-5)
    assert found.target == pytest.approx((10, 20, 30), abs=1e-3)


def test_a_guide_goes_with_its_camera(image: Path) -> None:
    session = Session.new()
    photo(session)
    session.do("add_guide", path=str(image), view="photo", width=60)
    with pytest.raises(EditError, match="no view “film”"):
        session.do("add_guide", path=str(image), view="film")
    session.do("remove_camera", name="photo")
    assert session.document.guides == ()


def test_a_projection_shows_the_image_where_the_camera_sees_it(image: Path) -> None:
    """The same pixel of the view must show the same place of the image, on its plane or on any part before it."""
    session = Session.new()
    for perspective in (True, False):
        camera = photo(session, perspective=perspective)
        session.do("add_guide", path=str(image), view="photo", width=60, name=f"g{perspective}")
        guide = session.document.guides[-1]
        matrix = projection_of(session.document, guide, (40, 80, 4))
        view = Camera()
        view.look_through(camera)
        start, direction = view.ray(500, 300, 1280, 800)
        seen = []
        for depth in (60.0, 90.0, 130.0):
            u, v, w = matrix @ np.append(start + depth * direction, 1.0)
            seen.append((u / w, v / w))
        assert np.allclose(seen, seen[0])
        # The middle of the image is at the target.
        u, v, w = matrix @ np.append(camera.target, 1.0)
        assert (u / w, v / w) == pytest.approx((0.5, 0.5))


@pytest.fixture
def guided(empty: Hands, image: Path) -> Iterator[Hands]:
    empty.session.do("add_box", size=(20, 20, 20))
    empty.session.do("add_guide", path=str(image), width=80)
    empty.view.look("front")
    empty.view.camera.perspective = False
    empty.view.frame(everything=True)
    empty.view.camera.distance *= 2.5
    empty.view.refresh()
    empty.settle()
    yield empty


def on_view(hands: Hands, x: float, z: float) -> QPoint:
    screen = hands.view.on_screen(np.array([[x, 0.0, z]]))[0]
    return QPoint(round(screen[0]), round(screen[1]))


@needs_screen
def test_a_view_is_kept_and_looked_through(empty: Hands) -> None:
    empty.session.do("add_box")
    empty.view.camera.turn, empty.view.camera.tilt = 50.0, 10.0
    empty.window.start("keep_camera")
    assert empty.session.document.cameras[0].turn == 50.0 and empty.window.sentence.is_open
    empty.key(Qt.Key.Key_Return)
    empty.view.look("front")
    empty.window.on_view.look_through(empty.session.document.cameras[0])
    assert empty.view.camera.turn == 50.0
    # What is changed of the camera is seen at once by a view that looks through it.
    empty.session.do("set_camera", field_of_view=70, shift=(0.2, 0.0))
    assert empty.view.camera.field_of_view == 70 and empty.view.camera.shift == (0.2, 0.0)
    empty.view.look("front")
    empty.session.do("set_camera", field_of_view=20)
    assert empty.view.camera.field_of_view == 32 and empty.view.camera.shift == (0.0, 0.0)


@needs_screen
def test_a_guide_is_dragged_and_sized_by_its_corner(guided: Hands) -> None:
    guided.window.on_view.move_guide()
    assert len(seen_guides(guided.session.document, guided.view.camera)) == 1
    guided.drag(on_view(guided, 30, 10), on_view(guided, 45, 20))
    guide = guided.session.document.guides[0]
    assert guide.at == pytest.approx((15, 10), abs=0.5) and guide.width == 80
    corner = on_view(guided, 15 + 40, 10 + 20)
    guided.drag(corner, on_view(guided, 15 + 80, 10 + 40))
    guide = guided.session.document.guides[0]
    assert guide.width == pytest.approx(160, abs=2) and guide.at == pytest.approx((15, 10), abs=0.5)
    guided.session.undo()
    assert guided.session.document.guides[0].width == 80
    guided.session.do("set_guide", locked=True)
    guided.drag(on_view(guided, 30, 10), on_view(guided, 45, 20))
    assert "locked" in guided.window.message or "no guide" in guided.window.message
    guided.view.setFocus()
    guided.key(Qt.Key.Key_Escape)
    assert guided.window.panes.hands.tool is None


@needs_screen
def test_two_clicks_and_a_typed_length_calibrate(guided: Hands) -> None:
    guided.window.start("calibrate_guide")
    for x in (-25.0, 25.0):
        guided.qtbot.mouseClick(
            guided.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, on_view(guided, x, 5)
        )
    guided.settle()
    assert "length" in guided.window.sentence.fields
    guided.type("100")
    guided.key(Qt.Key.Key_Return)
    # What measured 50 is 100 now.
    assert guided.session.document.guides[0].width == pytest.approx(160, rel=0.03)


@needs_screen
def test_a_guide_is_projected_onto_a_part_and_stays_put_under_cuts(guided: Hands) -> None:
    session = guided.session
    session.do("set_guide", width=20, opacity=1.0, onto=session.part.name, shown=True)
    session.select_all("edges")

    def colour_at(x: float, z: float) -> QColor:
        guided.settle()
        place = on_view(guided, x, z)
        return guided.view.grabFramebuffer().pixelColor(place * guided.view.devicePixelRatioF())

    session.select_none()
    left, right = colour_at(-3, 2), colour_at(3, 2)
    assert left.red() > 120 > left.blue() and right.blue() > 120 > right.red()
    session.select(edges=[session.part.mesh.topology.edges[0].tolist()])
    session.do("run_loop", count=3)
    session.select_none()
    assert colour_at(-3, 2) == left and colour_at(3, 2) == right
    guided.window.on_view.project_guide(session.document.guides[0])
    assert session.document.guides[0].onto == ""
    plain = colour_at(-3, 2)
    assert abs(plain.red() - plain.blue()) < 80


@needs_screen
def test_drags_are_caught_by_guides(guided: Hands) -> None:
    guided.window.set_kind("points")
    guided.window.on_view.toggle_snap("guide")
    guided.window.start("move")
    index = int(np.argmax(guided.session.part.mesh.points @ np.array([1.0, -1.0, 1.0])))
    place = guided.place("points", index)
    corner = on_view(guided, 40, 20)
    guided.drag(place, corner + QPoint(3, 2))
    moved = guided.session.part.mesh.points[index]
    assert (moved[0], moved[2]) == pytest.approx((40, 20), abs=1e-6)
    assert plane_place(guided.view, guided.session.document.guides[0], corner) == pytest.approx((40, 20), abs=0.5)
