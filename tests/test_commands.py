"""Commands from menus and keys on parts, files and guides, as a person gives them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from driving import CONTROL, SHIFT, Hands, box_in
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QMessageBox

from levelloop.app.view.render.picture import make_picture
from levelloop.core.forms.primitives import box, plane
from levelloop.document.part import Part
from levelloop.document.recipe.steps import Step

ALT = Qt.KeyboardModifier.AltModifier


def pick(open_menu: Callable[[], None], *words: str) -> None:
    """Opens a menu that waits, and chooses an entry, through submenus where several words are given."""

    def choose() -> None:
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        level = menu
        for word in words[:-1]:
            level = next(action.menu() for action in level.actions() if action.text() == word)
        next(action for action in level.actions() if action.text() == words[-1]).trigger()
        menu.close()

    QTimer.singleShot(0, choose)
    open_menu()


def part_menu(hands: Hands, *words: str) -> None:
    pick(lambda: hands.window.on_parts.menu(hands.window.mapToGlobal(QPoint(300, 300))), *words)
    hands.settle()


def two_boxes_in(hands: Hands) -> None:
    box_in(hands)
    hands.session.do("add_box", at=(40, 0, 0), name="second")
    hands.window.sentence.close_fields()
    hands.view.frame(everything=True)
    hands.settle()
    hands.view.setFocus()


def test_faces_and_parts_are_hidden_and_shown_by_key(empty: Hands) -> None:
    two_boxes_in(empty)
    session = empty.session
    empty.window.set_kind("faces")
    session.select(faces=[0, 1])
    empty.key(Qt.Key.Key_V)
    assert session.part.mesh.hidden.tolist() == [True, True, False, False, False, False]
    session.select(faces=[2])
    empty.key(Qt.Key.Key_V, SHIFT)
    assert np.flatnonzero(~session.part.mesh.hidden).tolist() == [2]
    session.select_none()
    empty.key(Qt.Key.Key_V)
    assert not session.part.mesh.hidden.any()
    empty.key(Qt.Key.Key_V, SHIFT)
    assert [part.visible for part in session.document.parts] == [False, True]
    empty.window.set_kind("parts")
    empty.key(Qt.Key.Key_V)
    assert not any(part.visible for part in session.document.parts)
    here = session.here
    empty.key(Qt.Key.Key_V)
    assert all(part.visible for part in session.document.parts)
    # Where nothing is hidden there is nothing to undo.
    empty.window.set_kind("faces")
    empty.key(Qt.Key.Key_V)
    assert session.here == here + 1
    empty.window.on_parts.toggle_part()
    empty.window.on_parts.show_all_parts()
    assert all(part.visible for part in session.document.parts)


def test_faces_are_copied_into_parts_and_whole_parts_with_their_recipes(empty: Hands) -> None:
    two_boxes_in(empty)
    session, window = empty.session, empty.window
    window.on_parts.paste(True)
    assert "copy something first" in window.message
    session.add_step("mirror")
    window.sentence.close_fields()
    session.select(faces=[0, 3])
    empty.view.setFocus()
    empty.key(Qt.Key.Key_C, CONTROL)
    assert window.message == "Copied 2 faces."
    session.set_active("box")
    empty.key(Qt.Key.Key_V, CONTROL)
    # Of a part with a recipe the cage's own faces are taken.
    assert session.part.mesh.n_faces == 8 and sorted(session.selection.indices.tolist()) == [6, 7]
    session.set_active("second")
    session.select_none()
    empty.key(Qt.Key.Key_C, CONTROL)
    empty.key(Qt.Key.Key_V, CONTROL | SHIFT)
    assert session.part.name == "second 2" and [step.key for step in session.part.steps] == ["mirror"]


def test_the_menu_of_a_part_changes_its_looks_and_place(empty: Hands) -> None:
    two_boxes_in(empty)
    session, window = empty.session, empty.window
    part_menu(empty, "Lock")
    assert session.part.locked and session.state.sentence == "Let the part be locked"
    part_menu(empty, "Unlock")
    part_menu(empty, "Make a helper")
    part_menu(empty, "No helper any more")
    part_menu(empty, "Opacity", "60%")
    part_menu(empty, "Colour", "#B9BFCB")
    part_menu(empty, "Further up")
    assert [part.name for part in session.document.parts] == ["second", "box"]
    part_menu(empty, "Further up")
    assert [part.name for part in session.document.parts] == ["second", "box"]
    part = session.part
    assert (part.locked, part.helper, part.opacity, part.colour) == (False, False, 0.6, "#B9BFCB")
    part_menu(empty, "Frame")
    part_menu(empty, "Show or hide")
    assert not session.part.visible
    part_menu(empty, "Group")
    assert window.sentence.is_waiting
    part_menu(empty, "Rename")
    part_menu(empty, "Remove")
    assert [part.name for part in session.document.parts] == ["box"]


def test_files_are_asked_for_and_remembered(empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    box_in(empty)
    window, files = empty.window, empty.window.on_files
    answers: list[tuple[str, str]] = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: answers.pop())
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: answers.pop())
    answers.append(("", ""))
    assert not files.save()
    # Without an ending the chosen kind's is taken.
    answers.append((str(tmp_path / "crate"), "OpenUSD, text (*.usda)"))
    assert files.save() and (tmp_path / "crate.usda").exists() and window.windowTitle().startswith("crate.usda ")
    empty.session.do("move", by=(1, 0, 0))
    assert window.windowTitle().startswith("crate.usda •") and files.save() and empty.session.is_saved
    answers.append((str(tmp_path / "crate.stl"), "STL (*.stl)"))
    empty.key(Qt.Key.Key_E, CONTROL)
    assert window.sentence.is_open and "ready to print" in window.sentence.note.text()
    empty.key(Qt.Key.Key_Return)
    assert window.message == "Wrote crate.stl: 1 part, 96 faces."
    answers.append((str(tmp_path / "crate.stl"), ""))
    files.ask_open()
    # Read again it is triangles, which the window offers to join.
    assert "all triangles" in window.message and window.session.part.mesh.n_faces == 192


def test_unsaved_work_is_asked_about(empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    window, files = empty.window, empty.window.on_files
    box_in(empty)
    window.setProperty("unattended", False)
    buttons = QMessageBox.StandardButton
    answers = [buttons.Cancel]
    monkeypatch.setattr(QMessageBox, "exec", lambda _: answers.pop())
    files.new_document()
    assert window.session.document.parts
    answers.append(buttons.Save)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "kept.usda"), ""))
    files.new_document()
    assert (tmp_path / "kept.usda").exists() and not window.session.document.parts
    box_in(empty)
    answers.append(buttons.Discard)
    files.open_demo()
    assert len(window.session.document.parts) > 5
    window.setProperty("unattended", True)


def test_guides_are_changed_from_their_menu(demo: Hands) -> None:
    window, session = demo.window, demo.session
    guide = session.document.guides[0]

    def choose(words: str) -> None:
        view_menu = next(
            menu for menu in window.menuWidget().findChildren(QMenu) if menu.title() == "Change a guide here"
        )
        view_menu.aboutToShow.emit()
        entry = next(action.menu() for action in view_menu.actions() if action.text().startswith(guide.name))
        next(action for action in entry.actions() if action.text() == words).trigger()
        demo.settle()

    for words, name, value in (
        ("Hide", "shown", False),
        ("Show", "shown", True),
        ("Lock", "locked", True),
        ("Unlock", "locked", False),
        ("Draw over the parts", "through", True),
        ("Standing in space", "standing", True),
        ("Mirror left to right", "flip", True),
        ("Left half", "crop", "left"),
        ("Fainter", "opacity", 0.4),
        ("Project it onto the active part", "onto", "part1"),
        ("No longer project it", "onto", ""),
    ):
        choose(words)
        assert getattr(session.document.guides[0], name) == value, words
    choose("Remove")
    assert guide.name not in [other.name for other in session.document.guides]


def test_what_a_step_welds_away_stays_where_the_cage_has_it() -> None:
    sheet = plane((4, 4), (2, 2))
    part = Part("a", "a", sheet, steps=(Step("weld", {"distance": 2.5}),))
    picture = make_picture(part, False)
    gone = picture.built.trace.points < 0
    assert gone.any() and np.allclose(picture.cage_places[gone], sheet.points[gone])
    assert np.isfinite(picture.segments()).all() and len(picture.segments()) == sheet.n_edges


def test_elements_of_the_result_are_marked_where_they_are_shown() -> None:
    steps = (Step("mirror", {"planes": "x", "weld": 0.001}),)
    part = Part("a", "a", box((2, 2, 2)), level=2, steps=steps)
    for smooth in (False, True):
        picture = make_picture(part, smooth)
        for kind, count in (("points", 16), ("edges", 24), ("faces", 12)):
            places = picture.stepped_places(kind)  # type: ignore[arg-type]
            assert places is not None and places.shape == (count, 3)
            assert np.abs(places).max() <= 1 + 1e-9
    twisted = (Step("smooth", {"level": "rail", "creases": True}), Step("twist", {"angle": 9.0}))
    bent = Part("b", "b", box(), level=1, steps=twisted)
    assert make_picture(bent, True).stepped_places("points") is None
