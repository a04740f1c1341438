"""One rule for keys: a field in use owns the keyboard, letters are commands else, Esc does one thing a press."""

from __future__ import annotations

import string
from pathlib import Path

import numpy as np
import pytest
from driving import CONTROL, LEFT, NONE, SHIFT, Hands, box_in, sheet_in
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenuBar

from levelloop.app.commands.shell.finder import matches
from levelloop.app.keyboard import first_focus
from levelloop.app.main import application
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.faces import signed_volume
from levelloop.document.operations import REGISTRY

pytestmark = pytest.mark.skipif(
    application().platformName() != "xcb", reason="the window's tests need X with OpenGL: run make test"
)
Key = Qt.Key


def top_of_box(hands: Hands) -> None:
    box_in(hands)
    hands.key(Key.Key_F)
    hands.click("faces", hands.face(normal="z"))


def test_letters_change_the_tool_and_type_nothing(empty: Hands) -> None:
    top_of_box(empty)
    sentence = empty.window.sentence
    for key, handle in ((Key.Key_M, "move"), (Key.Key_T, "rotate"), (Key.Key_S, "scale")):
        empty.key(key)
        assert empty.view.mode == handle and sentence.running.key == handle and not sentence.is_typing
    assert len(empty.session.history) == 2
    empty.key(Key.Key_E)
    assert empty.view.kind == "edges" and sentence.is_open


def test_what_has_no_number_is_never_taken_back_by_escape(empty: Hands) -> None:
    top_of_box(empty)
    empty.key(Key.Key_Delete)
    empty.key(Key.Key_E)
    assert empty.view.kind == "edges" and empty.session.part.mesh.n_faces == 5
    for _ in range(4):
        empty.key(Key.Key_Escape)
    empty.key(Key.Key_Z, CONTROL | SHIFT)
    assert empty.session.part.mesh.n_faces == 5


def test_escape_does_one_thing_a_press(empty: Hands) -> None:
    top_of_box(empty)
    empty.key(Key.Key_U)
    empty.type("7")
    faces = empty.session.part.mesh.n_faces
    empty.key(Key.Key_Escape)  # leaves the field: the old value
    assert empty.session.state.parameters["distance"] == 5 and empty.session.part.mesh.n_faces == faces
    empty.key(Key.Key_Escape)  # takes the open sentence back, onto the redo stack
    assert empty.session.part.mesh.n_faces == 6 and empty.session.can_redo and len(empty.session.selection) == 1
    empty.key(Key.Key_Escape)  # clears the selection
    assert len(empty.session.selection) == 0
    empty.key(Key.Key_L)
    assert empty.window.panes.hands.tool is not None
    empty.key(Key.Key_Escape)  # puts the tool away
    assert empty.window.panes.hands.tool is None


def test_an_unfinished_drawing_goes_before_the_tool(empty: Hands) -> None:
    sheet_in(empty)
    empty.key(Key.Key_C)
    tool = empty.window.panes.hands.tool
    for x in (100, 200):
        empty.qtbot.mouseClick(empty.view, LEFT, NONE, QPoint(x + 300, 300))
    assert tool is not None and tool.path  # type: ignore[attr-defined]
    empty.key(Key.Key_Escape)
    assert not tool.path and empty.window.panes.hands.tool is tool  # type: ignore[attr-defined]
    empty.key(Key.Key_Escape)
    assert empty.window.panes.hands.tool is None and not empty.window.sentence.is_open


def test_axes_are_letters_and_arrows_while_no_field_is_in_use(empty: Hands) -> None:
    top_of_box(empty)
    empty.key(Key.Key_M)
    empty.type("4")
    empty.qtbot.mouseClick(empty.view, LEFT, NONE, QPoint(4, 4))
    assert empty.session.state.parameters["by"] == (0.0, 0.0, 4.0)
    for key, by in (
        (Key.Key_X, (4, 0, 0)),
        (Key.Key_Y, (0, 4, 0)),
        (Key.Key_Right, (0, 0, 4)),
        (Key.Key_Left, (0, 4, 0)),
    ):
        empty.key(key)
        assert empty.session.state.parameters["by"] == by and not empty.window.sentence.is_typing
    empty.key(Key.Key_Return)
    assert not empty.window.sentence.is_open
    empty.click("faces", empty.face(normal="z"))
    empty.key(Key.Key_T)
    empty.key(Key.Key_X)
    empty.type("30")
    empty.key(Key.Key_Return)
    assert empty.session.state.parameters["axis"] == "x" and empty.session.state.parameters["angle"] == 30
    # A bare number goes along the axis that was used last.
    empty.key(Key.Key_M)
    empty.type("2")
    empty.key(Key.Key_Return)
    assert empty.session.state.parameters["by"] == (2.0, 0.0, 0.0)


def test_looking_leaves_a_sentence_open_and_edits_nothing(empty: Hands) -> None:
    top_of_box(empty)
    empty.key(Key.Key_U)
    before = len(empty.session.history)
    document = empty.session.document
    empty.key(Key.Key_Space)
    empty.qtbot.waitUntil(lambda: not empty.window.stage.peeking)
    assert empty.window.stage.is_smooth(empty.session.part)
    empty.key(Key.Key_PageUp)
    assert empty.window.line.stop == 3
    empty.key(Key.Key_I)
    assert empty.view.lists_looks
    empty.view.overlay.grab()
    empty.key(Key.Key_X)
    assert empty.view.look_of.x_ray and not empty.view.lists_looks
    empty.key(Key.Key_I)
    empty.key(Key.Key_V)
    assert empty.view.look_of.shading == "valleys"
    empty.key(Key.Key_Right, CONTROL)
    empty.key(Key.Key_Home)
    assert empty.window.sentence.is_open and len(empty.session.history) == before
    assert empty.session.document is document


def test_keep_and_shift_space(empty: Hands) -> None:
    box_in(empty)
    empty.session.do("add_box", at=(40, 0, 0))
    empty.window.sentence.close_fields()
    empty.view.setFocus()
    for smooth in (True, False):
        empty.qtbot.keyClick(empty.view, Key.Key_Space, SHIFT)
        empty.qtbot.waitUntil(lambda: not empty.window.stage.peeking)
        assert all(empty.window.stage.is_smooth(part) is smooth for part in empty.session.document.parts)
    empty.key(Key.Key_Return)
    assert len(empty.session.history) == 3


def test_tab_goes_round_the_fields_and_f6_round_the_window(empty: Hands) -> None:
    top_of_box(empty)
    empty.key(Key.Key_U)
    sentence = empty.window.sentence
    names = list(sentence.fields)
    empty.key(Key.Key_Tab)
    for name in (*names, names[0]):
        assert sentence.fields[name].hasFocus()
        empty.key(Key.Key_Tab)
    empty.key(Key.Key_Backtab, SHIFT)
    assert sentence.fields[names[0]].hasFocus()
    empty.qtbot.mouseClick(empty.view, LEFT, NONE, QPoint(4, 4))
    seen = []
    for _ in range(7):
        empty.key(Key.Key_F6)
        focused = QApplication.focusWidget()
        window = empty.window
        places = (window.tools, window.sentence, window.panes, window.line, window.strip, window.parts, window.review)
        seen.append(next(place for place in places if place is focused or place.isAncestorOf(focused)))
    assert len(set(seen)) == 7
    assert first_focus(empty.window.tools) is not None


def test_every_letter_is_text_in_every_kind_of_field(empty: Hands) -> None:
    box_in(empty)
    window, session = empty.window, empty.session

    def types_only(field: object) -> None:
        kind, mode, entries = empty.view.kind, empty.view.mode, len(session.history)
        for letter in string.ascii_lowercase + " ?;":
            QTest.keyClicks(field, letter)
        QApplication.processEvents()
        assert (empty.view.kind, empty.view.mode) == (kind, mode) and QApplication.focusWidget() is field
        assert len(session.history) == entries and not window.stage.is_smooth(session.part)

    empty.click("faces", empty.face(normal="z"))
    empty.key(Key.Key_U)
    for name in ("distance", "each"):
        window.sentence.focus(name)
        types_only(window.sentence.fields[name])
    window.sentence.take_back()
    window.start("keep_set")
    types_only(window.sentence.fields["name"])
    window.sentence.take_back()
    window.finder.open()
    types_only(window.finder)
    window.finder.close_list()
    row = window.parts.list.itemWidget(window.parts.list.item(0))
    row.name.begin()
    types_only(row.name)
    empty.key(Key.Key_Escape)
    # The editor is left by Esc: the next letter is a command.
    empty.key(Key.Key_A)
    assert empty.view.kind == "parts" and session.part.name == "box"


def test_a_guide_is_calibrated_by_two_clicks_and_a_number(empty: Hands, image: Path) -> None:
    box_in(empty)
    empty.session.do("add_guide", path=str(image), view="front", width=40)
    empty.view.look("front")
    empty.view.frame(everything=True)
    empty.settle()
    empty.window.start("calibrate_guide")
    for x in (-12.0, 12.0):
        place = empty.view.on_screen(np.array([[x, 0.0, 0.0]]))[0]
        empty.qtbot.mouseClick(empty.view, LEFT, NONE, QPoint(round(place[0]), round(place[1])))
    empty.type("120")
    empty.key(Key.Key_Return)
    assert empty.session.document.guides[0].width == pytest.approx(200, rel=0.02)
    assert not empty.window.sentence.is_open


NUMBERED = [
    operation.key
    for operation in REGISTRY.all()
    if operation.acts_on == "cage" and operation.has_numbers and not operation.tool and not operation.drawn
]


def test_digits_open_the_first_field_after_any_operation(empty: Hands) -> None:
    box_in(empty)
    tried = 0
    for key in NUMBERED:
        operation = REGISTRY[key]
        for kind in operation.needs or ("faces",):
            empty.session.select_all(kind)
            empty.view.setFocus()
            entries = len(empty.session.history)
            empty.window.start(key)
            sentence = empty.window.sentence
            if sentence.is_open and not sentence.is_waiting and sentence._first_number() is not None:
                empty.type("3")
                field = sentence.fields[sentence._first_number() or ""]
                assert field.hasFocus() and field.text().startswith("3"), key
                tried += 1
                sentence.finish(False)
            sentence.close_fields()
            while len(empty.session.history) > entries and empty.session.can_undo:
                empty.session.revert_last(forget=True)
            empty.view.mode = None
            break
    assert tried > 20


def test_older_numbers_are_changed_and_what_followed_runs_again(empty: Hands) -> None:
    top_of_box(empty)
    session = empty.session
    session.do("extrude", distance=5)
    session.do("inset", width=2)
    session.select_none()
    session.do("move", by=(100, 0, 0))
    entries = len(session.history)
    empty.window.shell.show_history()
    empty.window.history.list.setCurrentRow(2)
    empty.window.history.change.click()
    assert session.here == 2 and empty.window.sentence.is_open
    empty.key(Key.Key_Up)
    empty.window.sentence.change(distance=15.0)
    assert len(session.history) == entries and session.here == 2
    while session.can_redo:
        session.redo()
    assert signed_volume(session.part.mesh) == pytest.approx(400 * 35) and session.part.mesh.n_faces == 14
    # What no longer fits is said and left out.
    session.go_to(1)
    told = session.change_last(cells=(2, 2, 2))
    assert "was left out" in told and len(session.history) < entries
    with pytest.raises(LevelLoopError):
        session.change_last(size=(0, 1, 1))


def test_several_parts_are_chosen_moved_hidden_and_removed(empty: Hands) -> None:
    session = empty.session
    for x in (0, 40, 80):
        session.do("add_box", at=(x, 0, 0), name=f"b{x}")
    empty.window.sentence.close_fields()
    empty.view.frame(everything=True)
    empty.settle()
    empty.view.setFocus()
    empty.key(Key.Key_A)
    session.set_active("b0")
    empty.click("faces", empty.face(normal="z"))
    session.set_active("b80")
    place = empty.place("faces", empty.face(normal="z"))
    session.set_active("b0")
    empty.qtbot.mouseClick(empty.view, LEFT, SHIFT, place)
    assert [part.name for part in session.state.parts_chosen] == ["b0", "b80"]
    assert [empty.window.parts.list.item(row).isSelected() for row in range(3)] == [True, False, True]
    assert empty.window.tools.subject.text() == "2 parts"
    empty.key(Key.Key_M)
    empty.type("5 z")
    empty.key(Key.Key_Return)
    heights = [float(part.to_world(part.mesh).points[:, 2].max()) for part in session.document.parts]
    assert heights == [15, 10, 15] and "2 parts" in session.state.sentence
    row = empty.window.parts.list.itemWidget(empty.window.parts.list.item(2))
    row.lock.click()
    assert [part.locked for part in session.document.parts] == [True, False, True]
    session.undo()
    empty.view.setFocus()
    empty.key(Key.Key_V)
    assert [part.visible for part in session.document.parts] == [False, True, False]
    empty.key(Key.Key_Z, CONTROL)
    empty.key(Key.Key_Delete)
    assert [part.name for part in session.document.parts] == ["b40"]


def test_the_tool_line_keeps_its_places_and_says_why(empty: Hands) -> None:
    box_in(empty)
    tools = empty.window.tools
    empty.session.select(edges=[[0, 1]])
    places = {key: word.x() for key, word in tools.buttons.items() if word.isVisible()}
    assert tools.buttons["balance"].reason == "" and list(places)[:4] == ["move", "rotate", "scale", "bevel"]
    empty.session.select_all("edges")
    assert {key: word.x() for key, word in tools.buttons.items() if word.isVisible()} == places
    empty.session.select(points=[0])
    assert tools.buttons["join_points"].reason
    tools.buttons["join_points"].click()
    assert "at least 2" in empty.window.message
    empty.session.select_none()
    assert "add_box" in tools.buttons and tools.buttons["cut"].reason == ""
    empty.window.resize(1024, 700)
    empty.settle()
    assert tools.more.isVisible() and tools._folded
    # In a fixed order: what has no room is the end of the line.
    assert list(tools.buttons)[-len(tools._folded) :] == tools._folded


def test_every_sign_of_the_strip_opens_its_list(empty: Hands) -> None:
    sheet_in(empty)
    strip, hands, session = empty.window.strip, empty.window.panes.hands, empty.session

    def choose(name: str, words: str) -> None:
        menu = strip.open(name)
        next(action for action in menu.actions() if action.text() == words).trigger()
        menu.close()

    choose("symmetry", "across x")
    assert session.document.symmetry is not None and strip.signs["symmetry"].text() == "symmetric x"
    assert strip.signs["symmetry"].is_lit
    choose("symmetry", "off")
    choose("soft", "on")
    choose("soft", "cone")
    assert hands.soft["soft_shape"] == "cone" and strip.signs["soft"].text().startswith("soft ")
    choose("axes", "of the normal")
    choose("pivot", "each piece")
    choose("snap", "to grid")
    choose("snap", "grid of 5 mm")
    choose("reach", "through all")
    choose("reach", "touched by a box")
    assert (hands.axes, hands.pivot, hands.grid, hands.reach, hands.box_rule) == (
        "normal",
        "each",
        5.0,
        "through",
        "touched",
    )
    assert strip.signs["snap"].text() == "snap grid 5 · ground 10"
    choose("unit", "cm")
    assert session.document.unit == "cm"
    session.select(faces=[0])
    session.do("hide")
    assert strip.signs["hidden"].text() == "1 hidden"
    choose("hidden", "show all")
    assert not strip.signs["hidden"].isVisible()
    empty.window.tell("Something was said.")
    choose("messages", "show all messages")
    log = next(one for one in QApplication.topLevelWidgets() if one.isVisible() and one.objectName() == "popover")
    assert "Something was said." in log.list.item(0).text()  # type: ignore[attr-defined]
    log.close()
    for kind in ("points", "edges", "faces", "parts"):
        strip.kinds[kind].click()
        assert empty.view.kind == kind and strip.kinds[kind].is_lit


def test_choices_open_a_list_and_many_optional_numbers_fold(empty: Hands) -> None:
    empty.window.start("add_cylinder")
    sentence = empty.window.sentence
    field = sentence.fields["caps"]
    assert field.has_list and not sentence.fields["sides"].has_list
    empty.qtbot.mouseClick(field, LEFT, NONE, QPoint(field.width() - 6, field.height() // 2))
    menu = QApplication.activePopupWidget()
    assert menu is not None
    actions = {action.text(): action for action in menu.actions()}
    assert "quads" in actions and sum(action.isChecked() for action in actions.values()) == 1
    actions["quads"].trigger()
    menu.close()
    assert empty.session.state.parameters["caps"] == "quads"
    empty.key(Key.Key_Return)
    assert sentence.property("face") == "kept"
    # What was kept is open again by a click into it.
    empty.qtbot.mouseClick(sentence.fields["sides"], LEFT, NONE, QPoint(5, 5))
    empty.settle()
    assert sentence.is_open and sentence.property("face") == "open"
    empty.type("6")
    empty.key(Key.Key_Return)
    assert empty.session.state.parameters["sides"] > 3


def test_views_step_to_straight_directions_and_fly_there(empty: Hands) -> None:
    box_in(empty)
    camera = empty.view.camera
    for key, turn, tilt in (
        (Key.Key_Right, 90, 0),
        (Key.Key_Right, 180, 0),
        (Key.Key_Left, 90, 0),
        (Key.Key_Up, 90, 90),
        (Key.Key_Down, 90, 0),
        (Key.Key_Down, 90, -90),
    ):
        empty.key(key, CONTROL)
        assert (camera.turn % 360, camera.tilt, camera.perspective) == (turn % 360, tilt, False)
    camera.orbit(10, 5)
    assert camera.perspective
    empty.key(Key.Key_Home, CONTROL)
    assert not camera.perspective
    empty.view.hands.flies = True
    turn = empty.view.camera.turn
    empty.view.fly(lambda: empty.view.camera.orbit(100, 0))
    seen = set()
    for _ in range(100):
        QTest.qWait(5)
        seen.add(round(empty.view.camera.turn, 2))
        if empty.view.camera.turn == pytest.approx((turn - 40.0 + 180) % 360 - 180):
            break
    assert len(seen) > 1 and empty.view.camera.turn == pytest.approx((turn - 40.0 + 180) % 360 - 180)


def test_messages_fade_and_stay_in_the_log(empty: Hands) -> None:
    messages = empty.window.sentence.messages
    empty.window.tell("A sentence " * 40)
    assert messages.text().endswith("…") and empty.window.message.startswith("A sentence")
    messages.fade()
    assert messages.text() == "" and empty.window.message.startswith("A sentence") and messages.log


def test_menus_are_short_by_task_and_everything_is_found_by_other_words_too(empty: Hands) -> None:
    bar = empty.window.menuWidget().findChild(QMenuBar)
    letters = []
    for action in bar.actions():
        letters.append(action.text()[action.text().index("&") + 1].lower())
        menus = [action.menu()]
        while menus:
            menu = menus.pop()
            shown = [one for one in menu.actions() if not one.isSeparator()]
            assert len(shown) <= 18, menu.title()
            menus += [one.menu() for one in shown if one.menu() is not None]
    assert len(letters) == len(set(letters))
    for word, title in (
        ("merge", "Weld"),
        ("units", "Unit"),
        ("fillet", "Hold"),
        ("repeat", "Array"),
        ("hole", "Boolean"),
    ):
        assert title in [command.title for command in matches(word, empty.window.commands)], word
    # What stands in no menu is still done by its key.
    empty.key(Key.Key_E)
    assert empty.view.kind == "edges"


def test_what_is_selected_ends_in_an_ellipsis_where_there_is_no_room_for_all_of_it(empty: Hands) -> None:
    strip = empty.window.strip

    def inked(columns: int) -> int:
        """Dark pixels in the last columns of the words, in the upper half: an ellipsis has none there."""
        image = strip.readout.grab().toImage()
        rows, last = range(4, image.height() // 2), range(image.width() - columns, image.width())
        return sum(image.pixelColor(x, y).lightness() < 140 for x in last for y in rows)

    strip.readout.setText("W" * 200)
    assert strip.readout.is_cut and inked(8) == 0 and inked(60) > 0
    strip.readout.setText("12 edges")
    assert not strip.readout.is_cut
