"""Draws the pictures of the README from the demo: `make screenshots`."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from time import sleep

from PySide6.QtCore import QPoint, QSettings
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from levelloop.app.commands.files.picturing import AS_SEEN
from levelloop.app.commands.files.picturing import SIZES as SIZES_OF_STILLS
from levelloop.app.main import application
from levelloop.app.preferences import Preferences
from levelloop.app.view.picking.picking import Hit
from levelloop.app.window import Window
from levelloop.core.measure.gauge import loop_gauge
from levelloop.demo.build import demo_document
from levelloop.document.review.remedies import begin
from levelloop.document.session import Session


def main_view(window: Window) -> None:
    """The jar's cage beside the smooth bracket."""
    window.session.select(edges=[[16, 17]])
    window.session.do("select_loop")


def smooth(window: Window) -> None:
    """All parts smooth, with flow lines."""
    for part in window.session.document.parts:
        window.stage.show_smooth([part], True)
    window.view.frame(everything=True)


def review(window: Window) -> None:
    """The review at uneven turns of the faulty bracket, with what each remedy comes to."""
    window.session.set_active("hive bracket")
    reviewed(window)
    row = next(i for i, (_, finding) in enumerate(window.review.rows) if finding.check == "unequal_turn")
    window.review.show_row(row, 1)
    while "…" in window.review.remedies.effects:
        window.stage.wait()
        QTest.qWait(50)


def loops(window: Window) -> None:
    """A mirrored pair of support loops, its distance being typed."""
    window.session.set_active("hive bracket")
    window.stage.show_until("part2", None, True)
    window.session.select(edges=[[25, 26]])
    window.start("run_loop")
    window.session.change_last(distance=3.0, mirrored=True)
    window.sentence.focus_first()
    window.view.camera.turn, window.view.camera.tilt = -28.0, 34.0
    window.view.frame_points(window.stage.extent("part2"))


def views(window: Window) -> None:
    """Four views: the bee's drawings behind the front and the right, hollows shaded from above."""
    window.panes.show_views(4)
    QTest.qWait(300)
    window.stage.show_until("part1", None, True)
    window.stage.wait()
    window.panes.frame(True)
    for view in window.panes.views[2:]:
        view.camera.distance *= 1.1
    window.panes.views[1].look_of.shading = "valleys"
    window.panes.refresh()


def hold(window: Window) -> None:
    """A ring's rims held with a radius, shown smooth; its supports selected, the number open."""
    only(window)
    window.session.do("add_tube", outer=60, inner=40, height=50, sides=16, cells=2, name="napkin ring")
    window.session.select_where("edges", angle_over=80)
    window.start("hold")
    window.sentence.change(radius=1.5)
    window.stage.show_until(window.session.part.id, None, True)
    window.view.camera.tilt = 32.0
    window.view.frame(everything=True)


def stripes(window: Window) -> None:
    """What lit strips look like in a good jar and a lumpy one, and what is found at it."""
    only(window, "good jar", "lumpy jar")
    for name in ("good jar", "lumpy jar"):
        window.stage.show_stop(window.session.document.by_name(name), 4)
    window.session.set_active("lumpy jar")
    window.on_view.set_look(shading="stripes", stripes=32)
    window.view.camera.turn, window.view.camera.tilt = -6.0, 14.0
    window.view.frame(everything=True)
    reviewed(window)


def curvature(window: Window) -> None:
    """Curvature as colours with their legend, read under the pointer."""
    for part in window.session.document.parts:
        window.stage.show_smooth([part], True)
    window.on_view.set_look(shading="curvature")
    window.view.camera.turn, window.view.camera.tilt = -18.0, 20.0
    window.view.frame()
    window.stage.wait()
    QTest.mouseMove(window.view, QPoint(300, 200))
    QTest.qWait(200)
    QTest.mouseMove(window.view, QPoint(500, 228))


def compare(window: Window) -> None:
    """The bracket before and after its supports were balanced, either side of a line, with distances."""
    window.session.set_active("hive bracket")
    window.stage.show_smooth(window.session.document.parts, True)
    for check in ("unequal_turn", "flipped"):
        finding = next(one for one in window.session.review() if one.check == check)
        assert finding.remedy is not None
        begin(window.session, window.session.part.id, finding, finding.remedy)
        job = window.session.prepare(finding.remedy.key, **finding.remedy.parameters)
        window.session.commit(job, job.run())
    window.session.select_none()
    window.stage.wait()
    window.view.frame()
    window.comparing.with_version(0)
    assert window.view.wipe is not None
    window.view.move_wipe(0.36)
    window.view.compare_card.toggle_map()
    while window.view.wipe.apart is None:
        window.stage.wait()
        QTest.qWait(100)


def still(window: Window) -> None:
    """What the parts are made of, and a still of the bench by the light of a window, in its card."""
    window.stage.show_smooth(window.session.document.parts, True)
    window.on_view.set_look(materials=True, wire=False)
    window.on_view.look_through(window.session.document.cameras[0])
    values = {"what": AS_SEEN, "size": SIZES_OF_STILLS[0], "samples": 48, "light": "window", "sharp": None}
    with TemporaryDirectory() as folder:
        window.picturing.make({**values, "ground": True}, Path(folder) / "bench.png")


def dusk(window: Window) -> None:
    """The dark theme, the jar's shoulder creased."""
    window.set_theme("Dusk", remember=False)
    window.session.select(edges=[[16, 17]])
    window.session.do("select_loop")
    window.start("crease")


def measure(window: Window) -> None:
    """The distance between two points of the jar; its rim's loop gauged."""
    window.on_view.toggle_measure()
    window.set_kind("edges")
    window.session.select(points=[0, 8])
    part = window.session.part
    edge = int(part.mesh.topology.find_edges([[16, 17]])[0])
    window.view.kind = "edges"
    picture = window.stage.picture(part.id)
    assert picture is not None
    window.view.hover = Hit(picture, "edges", edge)
    window.view.gauge_card.show_gauge(loop_gauge(part.to_world(part.mesh), edge), part.id)
    window.view.refresh()


def guides(window: Window) -> None:
    """Looking through a named camera; the bee's drawing projected onto a block, another one being moved."""
    only(window)
    window.session.do("add_box", size=(60, 40, 80), at=(-85, 0, 42), name="bee block", cells=(3, 2, 4))
    window.session.do("set_guide", name="bee, front", onto="bee block", opacity=0.9)
    window.view.look("front")
    window.view.camera.turn, window.view.camera.tilt = -24.0, 12.0
    window.view.frame(everything=True)
    window.view.camera.distance *= 1.5
    window.session.do("set_guide", name="bee, side", standing=True)
    window.start("keep_camera")
    window.on_view.move_guide()


def uv(window: Window) -> None:
    """The jar's islands beside it, one being turned; numbered squares laid on it by them."""
    only(window, "good jar")
    window.stage.show_stop(window.session.part, 3)
    for key in ("suggest_seams", "unwrap"):
        window.session.select_none()
        window.session.perform(key)
    window.on_view.set_look(shading="checker")
    window.uv.toggle()
    window.uv.show_ground("stretch")
    window.session.select_where("faces", near=(0, 0, 0))
    window.session.do("select_island")
    QTest.qWait(300)
    window.operating.begin_with("move_uv", {"right": 0.03, "angle": 12.0})
    window.view.frame(everything=True)


def curve(window: Window) -> None:
    """A hose swept along a curve of another part; one of the curve's points with the circle of its radius."""
    only(window)
    points = [(-60, 0, 20), (-25, -20, 20), (10, 10, 45), (45, 0, 20), (70, 30, 20)]
    window.session.do("add_curve", points=points, kind="smooth", radii=[8, 6, 5, 6, 9], name="way")
    window.session.do("add_point", name="hose along it")
    window.session.do("step_sweep", curve="way", steps=4, sides=10)
    window.stage.show_until(window.session.part.id, None, True)
    window.session.set_active("way")
    window.set_kind("points")
    window.session.select(points=[2])
    window.view.camera.turn, window.view.camera.tilt = -28.0, 30.0
    window.view.frame(everything=True)


def only(window: Window, *names: str) -> None:
    """Hides all parts but some, and makes the first of those the active one; none: hides all."""
    for part in window.session.document.parts:
        window.session.edit_part(part.id, "Show", visible=part.name in names)
    if names:
        window.session.set_active(names[0])


def recipe(window: Window) -> None:
    """Cells repeated and laid on the jar, which their recipe names; the numbers of that step open."""
    only(window, "honeycomb", "good jar")
    for part in window.session.document.parts:
        window.stage.show_until(part.id, None, True)
    window.on_recipe.choose(2)
    window.view.camera.turn, window.view.camera.tilt = -12.0, 14.0
    window.view.frame(everything=True)


VIEWS: dict[str, Callable[[Window], None]] = {
    "main": main_view,
    "smooth": smooth,
    "review": review,
    "loops": loops,
    "views": views,
    "uv": uv,
    "curve": curve,
    "measure": measure,
    "guides": guides,
    "recipe": recipe,
    "stripes": stripes,
    "curvature": curvature,
    "compare": compare,
    "hold": hold,
    "dusk": dusk,
    "small": loops,
    "still": still,
    "large": review,
    "text": hold,
}
# Those that are drawn at another size, or with larger words.
SIZES = {"small": (1024, 700), "large": (2560, 1440)}
WORDS = {"text": 1.5}


def reviewed(window: Window) -> None:
    """Waits until what the review shows is that of the document."""
    while window.reviewing.is_waiting:
        window.stage.wait()
        QApplication.processEvents()
        sleep(0.05)


def draw(folder: Path, names: list[str]) -> None:
    """Draws the named views, or all; what the person prefers stays as it is."""
    with TemporaryDirectory() as settings:
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, settings)
        _draw(folder, names)


def _draw(folder: Path, names: list[str]) -> None:
    application()
    for name in names or list(VIEWS):
        Preferences(text=WORDS.get(name, 1.0)).keep()
        window = Window(Session(demo_document()))
        window.setProperty("unattended", True)
        window.resize(*SIZES.get(name, (1280, 800)))
        window.show()
        QTest.qWaitForWindowExposed(window)
        QTest.qWait(500)
        VIEWS[name](window)
        window.stage.wait()
        reviewed(window)
        QTest.qWait(500)
        window.grab().save(str(folder / f"{name}.png"))
        window.set_theme("Bench", remember=False)
        window.close()


if __name__ == "__main__":
    draw(Path(sys.argv[1]), sys.argv[2:])
