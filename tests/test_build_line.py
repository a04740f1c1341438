"""The build line driven by hand: stations clicked, switched, dragged, and what the view shows and picks then."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from driving import CONTROL, LEFT, NONE, SHIFT, Hands, box_in
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QMenu

from levelloop.app.panels.build_line.stations import Station, laid_out
from levelloop.app.panels.readout import far_side
from levelloop.app.view.markers import marker_places
from levelloop.app.view.picking.picking import facing
from levelloop.core.forms.primitives import plane
from levelloop.document.document import new_part
from levelloop.document.session import Session


@pytest.fixture
def bar(empty: Hands) -> Hands:
    """Half a bar with a mirror, smoothed and then bent."""
    session = empty.session
    session.do("add_box", size=(20, 10, 4), cells=(4, 1, 1), at=(10, 0, 0), name="bar")
    session.select_where("faces", normal=(-1, 0, 0))
    session.do("delete")
    session.select_none()
    session.add_step("mirror", planes="x")
    session.add_step("smooth")
    session.add_step("bend", angle=60, along="x", around="y")
    empty.window.sentence.close_fields()
    empty.view.frame(everything=True)
    empty.settle()
    return empty


def station(hands: Hands, step: int) -> Station:
    return next(one for one in hands.window.line.stations() if one.step == step)


def at(x: float) -> QPoint:
    return QPoint(round(x), 27)


def click_station(hands: Hands, step: int) -> None:
    hands.qtbot.mouseClick(hands.window.line, LEFT, NONE, at(station(hands, step).middle + 8))
    hands.settle()


def shown(hands: Hands) -> tuple[int, int | None, int]:
    """Faces, steps and level that are shown of the active part."""
    picture = hands.window.stage.picture(hands.session.document.active)
    assert picture is not None
    return picture.n_shown_faces, picture.until, picture.level


def menus() -> list[QMenu]:
    return [one for one in QApplication.topLevelWidgets() if isinstance(one, QMenu) and one.isVisible()]


def choose_from_menu(hands: Hands, words: str) -> None:
    menu = menus()[-1]
    action = next(action for action in menu.actions() if action.text() == words)
    action.trigger()
    menu.close()
    hands.settle()


def test_one_look_tells_how_a_part_is_made(bar: Hands) -> None:
    line = bar.window.line
    assert [one.words for one in line.stations()] == ["mirror x", "smooth", "bend 60°"]
    order = [line.places()[0].x, *(one.middle for one in line.stations()[:2])]
    order += [*(place.x for place in line.places()[1:]), line.stations()[2].middle, line.layout_now().add]
    assert order == sorted(order) and line.places()[0].stop == "cage"
    assert order[-1] < line.width() - 100
    # Everything unsmoothed first: nobody has asked for smoothness yet.
    assert line.stop == 0 and shown(bar) == (34, None, 0)


def test_a_click_on_a_station_shows_the_part_as_it_is_there(bar: Hands) -> None:
    line, session = bar.window.line, bar.session
    click_station(bar, 0)
    assert shown(bar) == (34, 1, 0) and line.stop is None
    flat = bar.window.stage.picture("part1")
    assert flat is not None and np.ptp(flat.places[:, 0]) == pytest.approx(40)
    bar.qtbot.mouseClick(line, LEFT, NONE, at(line.places()[0].x))
    assert shown(bar) == (17, 0, 0) and line.stop == "cage"
    click_station(bar, 2)
    assert shown(bar) == (34 * 16, None, 2) and line.stop == 2
    bent = bar.window.stage.picture("part1")
    assert bent is not None and np.ptp(bent.places[:, 0]) < 39
    for place in line.places():
        if place.stop in (0, 3):
            bar.qtbot.mouseClick(line, LEFT, NONE, at(place.x))
            bar.settle()
            level = int(place.stop)
            assert shown(bar) == (34 * 4**level, None, level)
    # Looking is not editing.
    assert session.part.level == 2


def test_a_stations_numbers_are_typed_in_the_sentence(bar: Hands) -> None:
    click_station(bar, 2)
    window, before = bar.window, bar.session.here
    assert window.sentence.is_open and window.sentence.is_waiting and bar.session.here == before
    bar.type("90")
    assert bar.session.part.steps[2].parameters["angle"] == 90 and len(bar.session.part.steps) == 3
    window.sentence.focus("angle")
    bar.key(Qt.Key.Key_Up)
    assert bar.session.part.steps[2].parameters["angle"] == 95 and bar.session.here == before + 1
    bar.key(Qt.Key.Key_Escape)
    assert bar.session.part.steps[2].parameters["angle"] == 60 and not window.sentence.is_typing
    bar.type("70")
    bar.qtbot.mouseClick(bar.view, LEFT, NONE, QPoint(5, 5))
    assert bar.session.part.steps[2].parameters["angle"] == 70 and not window.sentence.is_typing
    bar.key(Qt.Key.Key_Escape)
    assert bar.session.part.steps[2].parameters["angle"] == 60 and bar.session.here == before
    assert window.line.stations()[2].words == "bend 60°"


def test_the_switch_turns_a_step_off_and_on(bar: Hands) -> None:
    for on in (False, True):
        bar.qtbot.mouseClick(bar.window.line, LEFT, NONE, station(bar, 2).switch.toPoint())
        bar.settle()
        assert bar.session.part.steps[2].enabled is on
        picture = bar.window.stage.picture("part1")
        assert picture is not None and bool(np.ptp(picture.places[:, 2]) > 4.1) is on
    bar.key(Qt.Key.Key_Z, CONTROL)
    assert not bar.session.part.steps[2].enabled


def drag_before(hands: Hands, step: int, other: int) -> None:
    """Drags a step's station to the left of another's."""
    line, start, end = hands.window.line, station(hands, step).middle, station(hands, other).left
    hands.qtbot.mousePress(line, LEFT, NONE, at(start + 8))
    for share in (0.3, 0.8, 1.0):
        hands.qtbot.mouseMove(line, at(start + share * (end - 4 - start)))
    line.grab()
    hands.qtbot.mouseRelease(line, LEFT, NONE, at(end - 4))
    hands.settle()


def test_steps_are_dragged_into_another_order(bar: Hands) -> None:
    line = bar.window.line
    drag_before(bar, 2, 0)
    assert [step.key for step in bar.session.part.steps] == ["bend", "mirror", "smooth"]
    # A short slip of the hand is a click.
    here = station(bar, 1).middle + 8
    bar.qtbot.mousePress(line, LEFT, NONE, at(here))
    bar.qtbot.mouseMove(line, at(here + 3))
    bar.qtbot.mouseRelease(line, LEFT, NONE, at(here + 3))
    assert [step.key for step in bar.session.part.steps] == ["bend", "mirror", "smooth"]
    assert bar.window.sentence.is_open


def test_menus_add_move_make_plain_and_remove_steps(empty: Hands) -> None:
    box_in(empty)
    line, session = empty.window.line, empty.session
    empty.qtbot.mouseClick(line, LEFT, NONE, at(line.layout_now().add))
    choose_from_menu(empty, "Array")
    assert [step.key for step in session.part.steps] == ["array"] and "count" in empty.window.sentence.fields
    # Its first number is ready to be typed over, at once.
    empty.type("4")
    assert session.part.steps[0].parameters["count"] == 4 and line.stations()[0].words == "array 4"
    empty.key(Qt.Key.Key_Return)
    empty.window.start("step_taper")
    empty.key(Qt.Key.Key_Return)

    def menu_of(step: int) -> None:
        place = at(station(empty, step).middle)
        QApplication.sendEvent(line, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, line.mapToGlobal(place)))

    menu_of(0)
    choose_from_menu(empty, "Later")
    assert [step.key for step in session.part.steps] == ["taper", "array"]
    menu_of(1)
    choose_from_menu(empty, "Earlier")
    menu_of(1)
    choose_from_menu(empty, "Switch off")
    assert not session.part.steps[1].enabled
    menu_of(0)
    choose_from_menu(empty, "Make plain up to here")
    assert session.part.mesh.n_faces == 24 and [step.key for step in session.part.steps] == ["taper"]
    assert "will no longer update" in empty.window.message
    menu_of(0)
    choose_from_menu(empty, "Remove")
    assert session.part.steps == () and line.stop == 0
    for key in ("remove_step", "enable_step", "move_step"):
        empty.window.start(key)
        assert "no recipe yet" in empty.window.message


def test_a_click_on_a_copy_picks_the_face_it_came_from(empty: Hands) -> None:
    """Two sheets, one over the other: the recipe's lies on top of the cage's."""
    session = empty.session
    session.do("add_plane", size=(40, 40), name="sheet")
    session.add_step("array", count=2, move=(0, 0, 10))
    empty.window.sentence.close_fields()
    empty.view.look("top")
    empty.view.frame(everything=True)
    empty.settle()
    empty.window.set_kind("faces")
    empty.click("faces", 0)
    assert session.selection.indices.tolist() == [0]
    session.select_none()
    empty.qtbot.mouseClick(empty.window.line, LEFT, NONE, at(empty.window.line.places()[0].x))
    empty.settle()
    empty.click("faces", 0)
    assert session.selection.indices.tolist() == [0]
    # Seen with its copy again, the copy's edges are drawn too.
    empty.window.stage.show_until("part1", None, False)
    picture = empty.window.stage.picture("part1")
    assert picture is not None and len(picture.copied_lines) == 4 and picture.edge_middles[:, 2].max() == 0


def test_space_peeks_between_the_whole_recipe_and_its_smooth_result(bar: Hands) -> None:
    bar.view.setFocus()
    bar.qtbot.mouseClick(bar.window.line, LEFT, NONE, at(bar.window.line.places()[0].x))
    bar.window.stage.peek(True)
    bar.settle()
    assert shown(bar)[1:] == (None, 2)
    bar.window.stage.peek(False)
    assert shown(bar) == (17, 0, 0)
    bar.window.levels.toggle()
    bar.settle()
    assert shown(bar)[1:] == (None, 2)
    bar.window.levels.toggle()
    assert shown(bar) == (34, None, 0)


def test_dragging_the_cage_moves_the_whole_recipe(bar: Hands) -> None:
    window, session = bar.window, bar.session
    window.levels.toggle()
    bar.settle()
    before = window.stage.picture("part1")
    session.select_where("points", normal=(1, 0, 0), within=80)
    session.do("move", by=(0, 3, 0))
    bar.settle()
    after = window.stage.picture("part1")
    assert before is not None and after is not None and after.level == 2
    assert after.built.stops[1].surface is before.built.stops[1].surface
    assert not np.allclose(after.places, before.places)


def test_findings_of_the_result_lead_to_the_cage(bar: Hands) -> None:
    window = bar.window
    window.reviewing.run()
    bar.settle()
    row = next(i for i, (_, finding) in enumerate(window.review.rows) if finding.check == "poles")
    finding = window.review.rows[row][1]
    assert finding.mesh == "result" and finding.count == 8
    for step in range(finding.count):
        window.review.show_row(row, step)
        bar.settle()
        assert bar.session.selection.kind == "points" and len(bar.session.selection) == 1
    # What a bend makes has no place of its own among the smooth surface's points: it is marked where it was found.
    window.panes.hands.finding = finding
    assert np.allclose(marker_places(window.panes.active, finding)[0], finding.at[0], atol=40)


def test_a_stuck_step_is_told_and_marked(empty: Hands, tmp_path: Path) -> None:
    document = empty.session.document
    session = Session(document.with_part(new_part(document, plane((10, 10)), "sheet")))
    session.add_step("mirror")
    session.select_all("points")
    empty.window.adopt(session)
    session.do("scale", factors=(0, 1, 1), pivot="origin")
    empty.settle()
    assert "step 1 (mirror), was left out" in empty.window.message
    empty.window.line.grab()
    empty.window.reviewing.run()
    row = next(i for i, (_, finding) in enumerate(empty.window.review.rows) if finding.check == "recipe")
    empty.window.review.show_row(row, 0)
    assert empty.window.review.place.text() == ""
    # What cannot be made is not written either.
    assert not empty.window.on_files.export_path(tmp_path / "sheet.obj") and not list(tmp_path.iterdir())
    assert "step 1 (mirror)" in empty.window.message


def test_a_large_recipe_is_made_off_the_windows_thread(empty: Hands) -> None:
    empty.session.do("add_plane", size=(40, 40), cells=(20, 20), name="sheet")
    empty.session.add_step("array", count=40, move=(0, 0, 2))
    empty.window.sentence.close_fields()
    empty.settle()
    assert shown(empty) == (16_000, None, 0)
    empty.window.line.grab()
    assert empty.window.line._counts(empty.session.part).faces == (16_000,)
    empty.window.levels.show(1)
    empty.settle()
    assert shown(empty) == (64_000, None, 1)
    # What follows the rail is counted as the picture has it, and for other levels in proportion.
    empty.session.add_step("smooth")
    empty.session.add_step("array", count=2, move=(50, 0, 0))
    empty.settle()
    counts = empty.window.line._counts(empty.session.part)
    assert counts.rail == 1 and [counts.after(2, level) for level in (0, 1, 2)] == [32_000, 128_000, 512_000]
    empty.session.undo()
    empty.session.undo()
    # More than fits is not even begun.
    empty.window.levels.show(5)
    empty.settle()
    assert "more than fits" in empty.window.message and shown(empty) == (16_000, None, 0)


def test_long_recipes_fit_the_line(empty: Hands) -> None:
    box_in(empty)
    for _ in range(12):
        empty.session.add_step("taper", factor=0.99)
    empty.settle()
    line = empty.window.line
    chips = line.stations()
    assert all(a.left + a.width <= b.left for a, b in pairwise(chips))
    line.grab()


def test_what_faces_the_view_is_what_is_seen_of_the_bent_part(empty: Hands) -> None:
    """Bent by half a turn, a sheet's far end looks the other way."""
    session = empty.session
    session.do("add_plane", size=(60, 10), cells=(6, 1), name="sheet")
    session.add_step("bend", angle=180, along="x", around="y", pivot=(-30, 0, 0))
    empty.window.sentence.close_fields()
    empty.view.look("top")
    empty.view.frame(everything=True)
    empty.settle()
    session.select_all("faces")
    empty.settle()
    picture = empty.window.stage.picture("part1")
    assert picture is not None
    away = far_side(session.selection, picture, empty.view.camera)
    assert away.tolist() == [False, False, False, True, True, True]
    assert np.array_equal(facing(empty.view.sight(), picture, "faces"), ~away)
    upward = picture.normal_lines[:, 1, 2] > picture.normal_lines[:, 0, 2]
    assert np.array_equal(upward, ~away)


def test_steps_are_copied_to_other_parts_and_linked_ones_lead_to_their_target(empty: Hands) -> None:
    from levelloop.app.panels.parts.part_rows import links_told

    session, window = empty.session, empty.window
    session.do("add_curve", points=[(0, 0, 0), (40, 0, 0), (60, 0, 30)], kind="smooth", name="run")
    session.do("add_box", size=(4, 4, 4), name="link")
    session.add_step("array_along", curve="run", count=5)
    session.add_step("mirror", planes="y")
    window.on_recipe.copy([0, 1])
    assert "2 steps copied" in window.message
    session.do("add_box", size=(3, 3, 3), at=(0, 20, 0), name="other")
    window.on_recipe.paste()
    assert [step.key for step in session.part.steps] == ["array_along", "mirror"]
    assert session.part.shown_values(session.part.steps[0])["curve"] == "run"
    (target,) = window.on_recipe._targets(0)
    assert target.name == "run" and window.on_recipe._targets(1) == []
    parts = {part.name: part for part in session.document.parts}
    assert links_told(session.document, parts["other"]) == "Made with run."
    assert links_told(session.document, parts["run"]) == "Part of what makes link, other."


def long_recipe(session: Session, count: int) -> None:
    for number in range(count):
        session.add_step(*(("bend", "twist", "taper")[number % 3],))


@pytest.mark.parametrize("width", [1024, 1280, 2560])
@pytest.mark.parametrize("count", [0, 1, 5, 14, 30])
def test_nothing_on_the_line_overlaps_however_long_it_is(qapp: QApplication, width: int, count: int) -> None:
    session = Session.new()
    session.do("add_box", size=(60, 12, 6), cells=(12, 2, 1))
    long_recipe(session, count)
    layout = laid_out(session.part, width)
    spans = sorted([(one.left, one.left + one.width) for one in layout.stations])
    assert all(before[1] < after[0] for before, after in pairwise(spans))
    stops = [place.x for place in layout.places]
    assert all(after - before > 24 for before, after in pairwise(stops))
    assert not any(low < x < high for low, high in spans for x in (*stops, layout.add))
    assert layout.length > layout.end and layout.scrolled(30).end == pytest.approx(layout.end - 30)


def test_a_line_that_is_too_long_scrolls_to_what_is_shown(empty: Hands) -> None:
    empty.session.do("add_box", size=(60, 12, 6), cells=(12, 2, 1))
    long_recipe(empty.session, 18)
    line, stage = empty.window.line, empty.window.stage
    empty.settle()
    stage.show_until(empty.session.part.id, 0, False)
    empty.settle()
    line.repaint()
    assert line.hides == (False, True) and line.places()[0].x > 0
    stage.show_until(empty.session.part.id, 16, False)
    empty.settle()
    line.repaint()
    assert line.hides[0] and 0 < station(empty, 15).middle < line.room
    # The arrow at the left leads back; what is out of sight is not clicked.
    for _ in range(4):
        empty.qtbot.mouseClick(line, LEFT, NONE, at(5))
    assert line.hides == (False, True)
    beyond = next(one for one in line.stations() if one.left > line.room)
    empty.qtbot.mouseClick(line, LEFT, NONE, at(beyond.middle if beyond.middle < line.width() else line.width() - 5))
    assert stage.until(empty.session.part) == 16
    empty.qtbot.mouseClick(line, LEFT, NONE, at(line.room - 5))
    assert line.hides[0]
    wheel = QWheelEvent(
        QPointF(300, 20), QPointF(300, 20), QPoint(), QPoint(0, 4000), Qt.MouseButton.NoButton, SHIFT,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(line, wheel)
    assert line.hides == (False, True) and stage.until(empty.session.part) == 16


@pytest.fixture
def pair(bar: Hands) -> Hands:
    """The bar and a box in a group that is repeated."""
    session = bar.session
    session.do("set_part", group="pair")
    session.do("add_box", size=(6, 6, 6), at=(0, 30, 0), name="box")
    session.do("set_part", group="pair")
    session.add_step("array", count=2, move=(0.0, 60.0, 0.0), group="pair")
    session.set_active("bar")
    bar.window.sentence.close_fields()
    bar.settle()
    return bar


def test_a_groups_steps_stand_on_the_line_of_each_of_its_parts(pair: Hands) -> None:
    words = [one.words for one in pair.window.line.stations()]
    assert words == ["mirror x", "smooth", "bend 60°", "pair: array 2"]
    click_station(pair, 2)
    faces, until, level = shown(pair)
    assert until == 3 and 2 * faces == pair.session.part.result(level).n_faces
    pair.session.set_active("box")
    pair.settle()
    assert [one.words for one in pair.window.line.stations()] == ["pair: array 2"]


def test_a_groups_step_is_changed_switched_moved_and_removed_on_the_line(pair: Hands) -> None:
    session, window = pair.session, pair.window
    click_station(pair, 3)
    assert "group" in window.sentence.fields and pair.view.hands.open_step() is not None
    window.sentence.focus("count")
    pair.type("3")
    pair.key(Qt.Key.Key_Return)
    assert session.document.group_recipes["pair"][0].parameters["count"] == 3 and len(session.part.steps) == 3
    pair.qtbot.mouseClick(window.line, LEFT, NONE, station(pair, 3).switch.toPoint())
    pair.settle()
    assert not session.document.group_recipes["pair"][0].enabled
    session.add_step("mirror", planes="z", group="pair")
    pair.settle()
    # A group's step stays among the group's: dragged to the front it becomes the first of those.
    drag_before(pair, 4, 0)
    assert [one.key for one in session.document.group_recipes["pair"]] == ["mirror", "array"]
    assert [one.key for one in session.part.steps] == ["mirror", "smooth", "bend"]
    window.on_recipe.remove(3)
    assert [one.key for one in session.document.group_recipes["pair"]] == ["array"]


def test_steps_are_added_to_a_group_from_the_line_and_from_the_list(pair: Hands) -> None:
    session, window = pair.session, pair.window
    pair.qtbot.mouseClick(window.line, LEFT, NONE, at(window.line.layout_now().add))
    inner = next(action.menu() for action in menus()[-1].actions() if action.text() == "To the group “pair”")
    assert "Hold" not in [action.text() for action in inner.actions()]
    next(action for action in inner.actions() if action.text() == "Twist").trigger()
    menus()[-1].close()
    pair.settle()
    assert [one.key for one in session.document.group_recipes["pair"]] == ["array", "twist"]
    window.sentence.close_fields()
    row = next(number for number, one in enumerate(window.parts.rows) if one.part is None)
    place = window.parts.list.visualItemRect(window.parts.list.item(row)).center()
    assert window.parts.group_at(window.parts.list.mapToGlobal(place)) == "pair"
    menu = QMenu()
    window.on_recipe.offer_to_group(menu, "pair")
    (kinds,) = [action.menu() for action in menu.actions()]
    next(action for action in kinds.actions() if action.text() == "Mirror").trigger()
    pair.settle()
    assert [one.key for one in session.document.group_recipes["pair"]] == ["array", "twist", "mirror"]
    menu.deleteLater()


def test_what_a_groups_bend_turns_about_is_dragged_in_the_view(pair: Hands) -> None:
    session = pair.session
    session.set_active("box")
    session.add_step("bend", angle=30.0, along="y", around="x", group="pair")
    pair.settle()
    click_station(pair, 1)
    marks = pair.view.hands.open_step()
    grip = pair.view.on_screen(marks.part.placed(marks.grips()["pivot"][None]))[0, :2]
    start = QPoint(round(grip[0]), round(grip[1]))
    pair.drag(start, start + QPoint(40, 0))
    pivot = session.document.group_recipes["pair"][1].parameters["pivot"]
    assert not isinstance(pivot, str) and len(pivot) == 3


def test_a_step_is_given_to_the_group_from_the_sentence(pair: Hands) -> None:
    session, window = pair.session, pair.window
    session.set_active("box")
    window.start("step_twist")
    pair.settle()
    assert [one.key for one in session.part.steps] == ["twist"]
    window.sentence._give("group")
    pair.settle()
    # One step in all, the group's; the field is open for another name.
    assert not session.part.steps and [one.key for one in session.document.group_recipes["pair"]] == ["array", "twist"]
    pair.key(Qt.Key.Key_Return)
    session.do("add_box", name="alone")
    window.start("step_twist")
    window.sentence._give("group")
    assert [one.key for one in session.part.steps] == ["twist"]


def test_a_step_of_an_inner_group_stands_before_those_of_outer_ones(pair: Hands) -> None:
    session = pair.session
    session.do("set_part", part="box", group="pair/inner")
    session.set_active("box")
    assert session.part.first_of("pair/inner") == 0 and session.part.first_of("pair") == 0
    session.add_step("twist", group="pair/inner")
    assert session.part.first_of("pair") == 1 and [one.key for one in session.part.recipe] == ["twist", "array"]
