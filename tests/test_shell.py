"""The shell around the work: start card, lesson, rescue, import and export, versions, dropped files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from driving import CONTROL, Hands, box_in, needs_screen, opened
from PySide6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton

from levelloop.app.commands.files.documents import next_version
from levelloop.app.commands.files.recent import recent_files
from levelloop.app.commands.shell.keys import entries, keys_of
from levelloop.app.commands.shell.lesson import STEPS
from levelloop.app.main import application
from levelloop.app.panels.help import HelpWindow
from levelloop.app.preferences import Preferences
from levelloop.app.theme import set_text_scale
from levelloop.app.tools.dragging import pixel_step
from levelloop.app.view.ground import ground_step
from levelloop.app.window import Window
from levelloop.core.errors import EditError
from levelloop.document.document import Document
from levelloop.document.importing import imported
from levelloop.document.session import Session
from levelloop.files import read_document
from levelloop.files.journal import Journal, rescued

Key = Qt.Key


def button(parent: object, words: str) -> QPushButton:
    return next(one for one in parent.findChildren(QPushButton) if one.text() == words)  # type: ignore[attr-defined]


@needs_screen
def test_an_empty_document_offers_a_start(empty: Hands) -> None:
    card = empty.window.starting.card
    assert card.isVisible()
    button(card, "Quad sphere").click()
    empty.settle()
    assert empty.session.part.mesh.n_faces and not card.isVisible()
    empty.key(Key.Key_Escape)
    assert card.isVisible()


@needs_screen
def test_a_first_part_in_six_steps(empty: Hands) -> None:
    starting = empty.window.starting
    button(starting.card, "A first part in six steps").click()
    lesson = starting.lesson
    assert lesson.isVisible() and lesson.at == 0
    empty.window.tools.buttons["add_box"].click()
    empty.settle()
    empty.key(Key.Key_Return)
    empty.settle()
    assert lesson.at == 1
    empty.key(Key.Key_F)
    empty.click("faces", empty.face(normal="z"))
    assert lesson.at == 2
    for key, number, at in ((Key.Key_U, "10", 3), (Key.Key_N, "2", 4)):
        empty.key(key)
        empty.type(number)
        empty.key(Key.Key_Return)
        assert lesson.at == at
    empty.key(Key.Key_Space)
    empty.qtbot.waitUntil(lambda: lesson.at == 5)
    empty.review()
    empty.key(Key.Key_R)
    empty.qtbot.waitUntil(lambda: lesson.at == len(STEPS))
    assert "Ctrl+S" in lesson.sentence.text()
    button(lesson, "Leave the lesson").click()
    assert not lesson.isVisible()


@needs_screen
def test_work_of_a_window_that_died_is_offered_and_taken_up(qtbot: object, tmp_path: Path) -> None:
    died = Journal()
    session = Session.new()
    session.do("add_box", name="lantern")
    died.note(session.document, None, None)
    assert died.flush()
    died.close()
    died._lock.close()  # type: ignore[union-attr]
    application()
    window = Window(Session.new(), Journal())
    window.setProperty("unattended", True)
    window.show()
    qtbot.waitUntil(window.view.sight_ready)  # type: ignore[attr-defined]
    button(window.starting.card, "Go on with it").click()
    assert window.session.part.name == "lantern" and not window.session.is_saved
    window.starting.journal.flush()  # type: ignore[union-attr]
    assert rescued() == [] and window.starting.journal.folder is not None  # type: ignore[union-attr]
    # What is done is kept safe; what is saved needs no keeping.
    window.session.do("move", by=(1, 2, 3))
    window.starting.journal.flush()  # type: ignore[union-attr]
    folder = window.starting.journal.folder  # type: ignore[union-attr]
    assert folder is not None
    kept = read_document(folder / "work.usdc").part
    assert kept.to_world(kept.mesh).points.max(axis=0).tolist() == [11, 12, 13]
    assert window.on_files.save_path(tmp_path / "lantern.usda") and not folder.exists()
    window.close()
    window.deleteLater()
    assert rescued() == []


@needs_screen
def test_files_are_imported_copied_numbered_and_gone_back_to(
    empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, files = empty.window, empty.window.on_files
    box_in(empty)
    assert files.save_path(tmp_path / "crate.usda")
    assert recent_files()[0].name == "crate.usda"
    assert files.save_version() and window.session.path == tmp_path / "crate 2.usda"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "copy.usda"), ""))
    assert files.save_copy() and window.session.path == tmp_path / "crate 2.usda"
    files.revert()
    assert "Nothing has changed" in window.message
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "copy.usda"), ""))
    files.ask_import()
    assert [part.name for part in window.session.document.parts] == ["box", "box 2"]
    empty.session.undo()
    empty.session.redo()
    window.setProperty("unattended", False)
    answers = [QMessageBox.StandardButton.Discard, QMessageBox.StandardButton.Cancel]
    monkeypatch.setattr(QMessageBox, "exec", lambda _: answers.pop())
    files.revert()
    assert len(window.session.document.parts) == 2
    files.revert()
    assert len(window.session.document.parts) == 1 and window.session.is_saved
    window.setProperty("unattended", True)


@needs_screen
def test_dropped_files_are_taken_up_by_what_they_are(empty: Hands, tmp_path: Path, image: Path) -> None:
    box_in(empty)
    empty.window.on_files.save_path(tmp_path / "crate.usda")
    (tmp_path / "tri.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    (tmp_path / "poem.txt").write_text("no mesh")

    def drop(*names: str) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(tmp_path / name)) for name in names])
        at, copy, left = QPointF(300, 300), Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
        enter = QDragEnterEvent(at.toPoint(), copy, data, left, Qt.KeyboardModifier.NoModifier)
        empty.window.dragEnterEvent(enter)
        assert enter.isAccepted()
        empty.window.dropEvent(QDropEvent(at, copy, data, left, Qt.KeyboardModifier.NoModifier))
        empty.settle()

    drop("tri.obj", image.name)
    assert len(empty.session.document.parts) == 2 and len(empty.session.document.guides) == 1
    drop("poem.txt")
    assert "cannot be opened" in empty.window.message and len(empty.session.document.parts) == 2
    empty.window.on_files.new_document()
    drop("crate.usda")
    assert empty.session.path == tmp_path / "crate.usda"


@needs_screen
def test_exports_say_what_which_level_and_what_they_count(empty: Hands, tmp_path: Path) -> None:
    box_in(empty)
    empty.session.do("add_box", at=(50, 0, 0), name="other/one")
    empty.window.sentence.close_fields()
    exporting, values = empty.window.exporting, dict(empty.window.exporting._last)
    empty.key(Key.Key_E, CONTROL)
    sentence = empty.window.sentence
    assert set(sentence.fields) == {"what", "level", "unit", "format", "files"} and sentence.note.isVisible()
    sentence.change(level="as cages", unit="cm", format=".obj", what="the chosen parts")
    values = dict(sentence.running.waiting[1])  # type: ignore[index]
    entries = len(empty.session.history)
    empty.key(Key.Key_Escape)
    assert not sentence.is_open and len(empty.session.history) == entries
    assert exporting.write(values, tmp_path / "one.obj")
    part = read_document(tmp_path / "one.obj").part
    assert part.mesh.n_faces == 6 and np.ptp(part.mesh.points[:, 0]) == pytest.approx(2.0)
    both = {**values, "what": "all that is shown", "files": "a file each", "unit": "mm", "level": "at level 1"}
    assert exporting.write(both, tmp_path / "set.obj")
    assert {path.name for path in tmp_path.glob("set*.obj")} == {"set box.obj", "set other_one.obj"}
    assert read_document(tmp_path / "set box.obj").part.mesh.n_faces == 24
    assert not exporting.write({**values, "format": ".3mf"}, tmp_path / "one.3mf")
    assert "its own unit" in empty.window.message and not (tmp_path / "one.3mf").exists()


def test_next_versions_are_free(tmp_path: Path) -> None:
    jar = tmp_path / "jar.usda"
    assert next_version(jar).name == "jar 2.usda"
    (tmp_path / "jar 2.usda").touch()
    (tmp_path / "jar 3.usda").touch()
    assert next_version(jar).name == next_version(tmp_path / "jar 2.usda").name == "jar 4.usda"


def test_links_among_imported_parts_stay_among_them() -> None:
    other = Session.new()
    other.do("add_box", name="body")
    other.do("add_box", name="drill", size=(5, 5, 40))
    other.do("attach", to="body")
    other.set_active("body")
    other.add_step("boolean", kind="subtract", other="drill")
    here = Session.new()
    here.do("add_box", name="body")
    document = imported(here.document, other.document)
    assert [part.name for part in document.parts] == ["body", "body 2", "drill"]
    came, drill = document.by_name("body 2"), document.by_name("drill")
    assert drill.attached == came.id and came.steps[0].parameters["other"] == drill.id
    assert came.result(0).n_faces == other.part.result(0).n_faces > 6
    with pytest.raises(EditError, match="no parts"):
        imported(here.document, Document())


@needs_screen
def test_settings_hold_at_once_and_at_the_next_start(empty: Hands) -> None:
    settings = empty.window.shell.show_settings()
    for name, value in (("theme", "Dusk"), ("orbit", "middle"), ("speed", 2.0), ("grid", 5.0), ("level", 3)):
        box = settings.boxes[name]
        index = next(row for row in range(box.count()) if box.itemData(row) == value)
        box.setCurrentIndex(index)
        box.activated.emit(index)
    hands = empty.window.panes.hands
    assert empty.window.theme.name == "Dusk" and hands.grid == 5.0
    turn = empty.view.camera.turn
    empty.drag(QPoint(300, 300), QPoint(340, 300), Qt.MouseButton.MiddleButton)
    assert abs(empty.view.camera.turn - turn) == pytest.approx(32, abs=2)
    settings.close()
    # What is open stays; parts of a new document begin at the level.
    assert empty.session.document.start_level == 2
    empty.window.on_files.new_document()
    empty.session.do("add_box")
    assert empty.session.part.level == 3
    empty.session.do("set_start_level", level=0)
    empty.session.do("add_box")
    assert [part.level for part in empty.session.document.parts] == [3, 0]
    assert Preferences.load() == Preferences(theme="Dusk", orbit="middle", speed=2.0, grid=5.0, level=3)
    empty.window.set_theme("Bench")
    QSettings("Level Loop", "Level Loop").setValue("speed", "no number")
    QSettings("Level Loop", "Level Loop").setValue("grid", -4)
    assert Preferences.load() == Preferences(orbit="middle", level=3)


@needs_screen
def test_keys_are_found_given_told_when_taken_and_reset(empty: Hands) -> None:
    box_in(empty)
    settings = empty.window.shell.show_settings()
    page = settings.keys
    page.words.setText("bevel")
    assert page.shown()[0] == "Bevel" and len(page.shown()) < 4
    page.words.clear()
    page.pressed.setKeySequence("U")
    assert page.shown() == ["Extrude"]
    page.pressed.clear()
    assert len(page.shown()) > 150
    page.choose("Bevel")
    page.given.setKeySequence("U")
    page.give.click()
    assert "is the key of “Extrude”" in page.told.text()
    page.given.setKeySequence("Ctrl+Shift+B")
    page.give.click()
    assert "has the key Ctrl+Shift+B" in page.told.text()
    settings.close()
    empty.session.select(edges=[[0, 1]])
    empty.window.activateWindow()
    empty.view.setFocus()
    empty.key(Key.Key_B)
    assert not empty.window.sentence.is_open
    empty.key(Key.Key_B, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert empty.window.sentence.running.key == "bevel"
    again = empty.window.shell.show_settings()
    again.keys.choose("Bevel")
    again.keys.reset.click()
    assert keys_of(next(entry for entry in entries() if entry.title == "Bevel")) == ("B",)
    again.close()


@needs_screen
@pytest.mark.parametrize("scale", [0.8, 1.5, 2.0])
def test_words_may_be_of_any_size(qtbot: object, scale: float) -> None:
    Preferences(text=scale).keep()
    try:
        for hands in opened(Session.new(), qtbot):  # type: ignore[arg-type]
            box_in(hands)
            word = hands.window.tools.buttons["add_box"]
            assert word.height() >= word.fontMetrics().height()
            field = hands.window.sentence.fields["size"]
            assert field.height() >= field.fontMetrics().height()
            assert hands.window.width() <= 1280
    finally:
        set_text_scale(1.0)


@needs_screen
def test_guides_have_a_list_of_their_own(empty: Hands, image: Path) -> None:
    panel = empty.window.guides
    assert not panel.isVisible()
    empty.session.do("add_guide", path=str(image), view="front", width=40)
    (row,) = panel.rows
    assert panel.isVisible()
    row.eye.click()
    assert not empty.session.document.guides[0].shown
    panel.rows[0].lock.click()
    assert empty.session.document.guides[0].locked
    panel.rows[0].lock.click()
    entries = len(empty.session.history)
    slider = panel.rows[0].strength
    slider.setFocus()
    empty.qtbot.keyClick(slider, Key.Key_Left)
    assert empty.session.document.guides[0].opacity == 0.59 and len(empty.session.history) == entries + 1
    empty.session.do("remove_guide")
    assert not panel.isVisible() and panel.rows == []


@needs_screen
def test_help_is_found_by_any_word_and_tells_numbers_and_keys(empty: Hands) -> None:
    empty.key(Key.Key_F1)
    shown = next(one for one in empty.window.findChildren(HelpWindow) if one.isVisible())
    assert len(shown.articles) > 150
    for word, title in (("merge", "Weld"), ("lasso", "Keys and gestures of the views"), ("fillet", "Hold")):
        assert title in shown.search(word), word
    shown.search("bevel")
    text = shown.page.toPlainText()
    assert text.startswith("Bevel") and "Its key is B" in text and "width" in text and "roundness" in text
    assert shown.search("no such thing anywhere") == []
    shown.close()


@needs_screen
def test_a_cut_is_moved_by_its_handle_and_hides_what_is_nearer(empty: Hands) -> None:
    box_in(empty)
    empty.view.look("front")
    empty.view.frame(everything=True)
    empty.settle()
    whole = empty.view.grab().toImage()
    empty.window.on_view.cut_view()
    assert empty.view.look_of.section == (1, 0.0, -1.0)
    assert empty.view.grab().toImage() != whole
    empty.view.camera.orbit(-60, 20)
    empty.view.look_changed()
    x, y, _ = empty.view.on_screen(empty.view.overlay.section_place()[None])[0]
    start = QPoint(round(x), round(y))
    assert empty.view.overlay.section_at(start)
    ends = empty.view.on_screen(np.array([[0.0, 0, 0], [0, 5, 0]]))[:, :2]
    way = ends[1] - ends[0]
    empty.drag(start, start + QPoint(round(way[0]), round(way[1])))
    section = empty.view.look_of.section
    assert section is not None and section[0] == 1 and section[1] == pytest.approx(5, abs=0.4)
    assert not empty.session.state.shown_selections
    empty.window.on_view.cut_view()
    assert not empty.view.overlay.section_at(start)


@needs_screen
def test_drags_are_as_exact_as_a_pixel_and_tell_what_they_come_to(empty: Hands) -> None:
    box_in(empty)
    empty.session.select(faces=[empty.face(normal="z")])
    empty.key(Key.Key_M)
    handle = empty.view.handle()
    assert handle is not None
    tip = handle.arms(empty.view.camera, empty.view.width(), empty.view.height())[3, :2]
    start = QPoint(round(tip[0]), round(tip[1]))
    empty.qtbot.mousePress(empty.view, Qt.MouseButton.LeftButton, pos=start)
    for step in (10, 20, 37):
        empty.move(start - QPoint(0, step), Qt.MouseButton.LeftButton)
        empty.view.overlay.grab()
    empty.qtbot.mouseRelease(empty.view, Qt.MouseButton.LeftButton, pos=start - QPoint(0, 37))
    by = empty.session.state.parameters["by"]
    pixel = empty.view.camera.millimetres_per_pixel(empty.view.height(), np.zeros(3))
    assert by[2] > 1 and by[0] == by[1] == 0
    assert by[2] / pixel_step(pixel) == pytest.approx(round(by[2] / pixel_step(pixel)))
    assert [pixel_step(pixel) for pixel in (0.23, 1.0, 0.099, 45)] == pytest.approx([0.1, 1, 0.01, 10])


@needs_screen
def test_the_corner_of_a_view_opens_what_it_may_show(empty: Hands) -> None:
    box_in(empty)
    empty.view.overlay.grab()
    empty.qtbot.mouseClick(empty.view, Qt.MouseButton.LeftButton, pos=empty.view.overlay.label.center().toPoint())
    menu = QApplication.activePopupWidget()
    assert [action.text() for action in menu.actions()] == ["Look from", "Looks", "Guides", "Cameras"]  # type: ignore[union-attr]
    top = next(one for one in menu.actions()[0].menu().actions() if one.text() == "Top")  # type: ignore[union-attr]
    top.trigger()
    menu.close()  # type: ignore[union-attr]
    assert empty.view.camera.tilt == 90
    empty.window.panes.show_views(4)
    empty.settle()
    assert sum(view.isVisible() for view in empty.window.panes.views) == 4
    assert [view.is_active for view in empty.window.panes.views] == [True, False, False, False]
    assert ground_step(120) == 10 and ground_step(30) == 1 and ground_step(5000) == 1000
    assert ground_step(5000, "in") == pytest.approx(254) and ground_step(5000, "m") == 1000


@needs_screen
def test_a_brush_is_sized_by_the_wheel(empty: Hands) -> None:
    box_in(empty)
    distance = empty.view.camera.distance
    empty.qtbot.keyPress(empty.view, Key.Key_Q)
    place = QPointF(300, 300)
    wheel = QWheelEvent(
        place, empty.view.mapToGlobal(place), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(empty.view, wheel)
    empty.qtbot.keyRelease(empty.view, Key.Key_Q)
    assert empty.window.panes.hands.brush > 30 and empty.view.camera.distance == distance
