"""Seeing the surface: stripes, curvature colours with their numbers, raking light; all by keys and by pointer."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from driving import LEFT, Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent
from PySide6.QtWidgets import QApplication, QPushButton

from levelloop.app.view.cards.gauge_card import flattened, graph_top
from levelloop.app.view.cards.look_card import curvature_words
from levelloop.app.view.colour_maps import BILBAO, VIK, ramp
from levelloop.app.view.look import BENDS, Look, bend_values, fitting_scale, round_up
from levelloop.app.view.render.picture import make_picture
from levelloop.core.recipe.surfaces import samples_of
from levelloop.document.session import Session

Key = Qt.Key


def tube_in(hands: Hands, diameter: float = 40.0) -> float:
    """A smooth tube without caps that fills the view; the radius its limit surface bends with at its points."""
    hands.session.do("add_cylinder", diameter=diameter, height=60, sides=16, cells=6, caps="open")
    hands.session.do("set_level", level=3)
    hands.window.stage.show_smooth([hands.session.part], True)
    hands.view.look("front")
    hands.view.frame(everything=True)
    hands.settle()
    # Exactly, from uniform cubic B-splines: 2/(R(1 + cos(2π/N))) at the points of a ring of N.
    return diameter / 2 * (1 + np.cos(2 * np.pi / 16)) / 2


def look(hands: Hands, letter: Key) -> None:
    hands.key(Key.Key_I)
    hands.key(letter)


def drawn(hands: Hands) -> QImage:
    return hands.view.grabFramebuffer()


def button(hands: Hands, hint: str) -> QPushButton:
    return next(one for one in hands.view.look_card.findChildren(QPushButton) if one.toolTip() == hint)


@needs_screen
def test_each_look_is_a_letter_away_and_the_same_letter_takes_it_back(empty: Hands) -> None:
    tube_in(empty)
    clay = drawn(empty)
    for letter, shading in ((Key.Key_S, "stripes"), (Key.Key_C, "curvature"), (Key.Key_L, "raking light")):
        look(empty, letter)
        assert empty.view.look_of.shading == shading and empty.view.look_card.isVisible()
        assert drawn(empty) != clay
        look(empty, letter)
        assert empty.view.look_of.shading == "clay" and not empty.view.look_card.isVisible()
        assert drawn(empty) == clay
    assert empty.session.is_saved or len(empty.session.history) == 3  # Looking is not editing.


@needs_screen
def test_the_curvature_under_the_pointer_is_that_of_the_ring(empty: Hands) -> None:
    radius = tube_in(empty)
    look(empty, Key.Key_C)
    view, card = empty.view, empty.view.look_card
    button(empty, "Mean, largest, smallest or Gaussian").click()
    assert view.look_of.bend == "largest"
    empty.settle()
    empty.move(view.rect().center() + QPoint(3, 2))
    empty.qtbot.waitUntil(lambda: card.reading.startswith("Here"))
    told = float(card.reading.split("radius ")[1].split()[0])
    # Between its points a ring of 16 bends up to 1.02 as much.
    assert told == pytest.approx(radius, rel=0.025)
    # The colours are full at a round number that tells this surface apart.
    assert view.bend_scale() == round_up(float(np.quantile(1 / told, 0.95)))
    before = view.bend_scale()
    button(empty, "Tells tighter curves apart").click()
    assert view.bend_scale() > before
    button(empty, "Colours that fit the active part").click()
    assert view.bend_scale() == before
    button(empty, "Mean, largest, smallest or Gaussian").click()
    empty.move(view.rect().center() + QPoint(-4, 3))
    empty.qtbot.waitUntil(lambda: card.reading == "Here flat")
    empty.window.stage.show_smooth([empty.session.part], False)
    empty.settle()
    empty.move(view.rect().center() + QPoint(5, 3))
    empty.qtbot.waitUntil(lambda: card.reading == "A cage has no curvature: Space smooths it.")


@needs_screen
def test_the_colour_drawn_is_the_one_the_legend_has_for_it(empty: Hands) -> None:
    tube_in(empty)
    look(empty, Key.Key_C)
    empty.view.look_of.bend, empty.view.look_of.bend_scale, empty.view.look_of.wire = "largest", 0.1, False
    empty.view.look_changed()
    empty.settle()
    seen = QColor(drawn(empty).pixel(empty.view.rect().center() + QPoint(11, 40)))  # Beside the line of the ground.
    wanted = ramp(VIK)[0, round((0.5 + 0.5 * (1 / 19.24) / 0.1) * 255)]
    # The surface is lit a little: hue tells the value.
    hue = QColor(int(wanted[0]), int(wanted[1]), int(wanted[2])).hue()
    assert seen.hue() == pytest.approx(hue, abs=6)


@needs_screen
def test_colours_follow_a_drag_and_copies_of_the_recipe_have_them_too(empty: Hands) -> None:
    tube_in(empty)
    empty.session.add_step("mirror", planes="x")
    look(empty, Key.Key_C)
    empty.settle()
    (picture,) = empty.window.stage.shown()
    assert picture.bends is not None and len(picture.bends) == len(picture.vertices)
    before = picture.bends.copy()
    empty.session.select(points=[3])
    empty.session.do("move", by=(0, 0, 4))
    empty.settle()
    after = empty.window.stage.shown()[0].bends
    assert after is not None and not np.array_equal(before, after)


@needs_screen
def test_stripes_have_a_count_an_axis_and_may_stand(empty: Hands) -> None:
    tube_in(empty)
    look(empty, Key.Key_S)
    pictures = [drawn(empty)]
    for hint in ("More stripes", "The axis that they go around"):
        empty.qtbot.mouseClick(button(empty, hint), LEFT)
        empty.settle()
        pictures.append(drawn(empty))
    assert all(one != other for one, other in itertools.pairwise(pictures))
    assert empty.view.look_of.stripes == 36 and empty.view.look_of.stripes_along == 0
    for _ in range(20):
        button(empty, "Fewer stripes").click()
    assert empty.view.look_of.stripes == 4
    empty.qtbot.mouseClick(button(empty, "Whether they stay where they are while the view turns"), LEFT)
    assert empty.view.look_of.stripes_stand


@needs_screen
def test_raking_light_follows_the_pointer_or_sweeps(empty: Hands) -> None:
    tube_in(empty)
    look(empty, Key.Key_L)
    view = empty.view
    empty.move(view.rect().center() + QPoint(100, 0))
    empty.qtbot.waitUntil(lambda: abs(view.look_of.rake) < 2)
    from_right = drawn(empty)
    empty.move(view.rect().center() + QPoint(0, -100))
    empty.qtbot.waitUntil(lambda: abs(view.look_of.rake - 90) < 2)
    assert drawn(empty) != from_right
    sweeps = button(empty, "Under the pointer, going round by itself, or standing")
    sweeps.click()
    before = view.look_of.rake
    empty.qtbot.waitUntil(lambda: view.look_of.rake != before)
    sweeps.click()
    stood = view.look_of.rake
    empty.qtbot.wait(150)
    assert view.look_of.rake == stood


@needs_screen
def test_what_a_card_offers_is_found_by_its_words_too(empty: Hands) -> None:
    tube_in(empty)
    empty.window.finder.open()
    assert next(one for one in empty.window.commands if one.title == "More stripes").why_not() == "Show stripes first."
    empty.key(Key.Key_Escape)
    look(empty, Key.Key_S)
    next(one for one in empty.window.commands if one.title == "More stripes").run()
    assert empty.view.look_of.stripes == 36


@given(st.sampled_from(["add_quad_sphere", "add_torus", "add_box", "add_geodesic"]), st.integers(1, 2))
def test_a_picture_bends_as_its_surface_does(form: str, level: int) -> None:
    session = Session.new()
    session.do(form)
    session.do("set_level", level=level)
    part = session.part
    picture = make_picture(part, True, level=level, bends=True)
    surface = part.surface(level)
    assert picture.bends is not None
    last = picture.built.stops[-1].surface
    assert last is not None
    assert picture.bends == pytest.approx(np.stack((surface.k1, surface.k2), axis=1)[last.sectors.point], abs=1e-6)
    assert make_picture(part, False, level=0, bends=True).bends is None
    assert samples_of(make_picture(part, False, level=0).built, part.placed) is None


@given(st.floats(1e-9, 1e9))
def test_scales_are_round_and_hold_the_value(value: float) -> None:
    found = round_up(value)
    assert value <= found * (1 + 1e-6) and found <= 2.5 * value * (1 + 1e-6)
    assert f"{found:.3e}"[0] in "125"


@given(st.floats(-2, 2), st.floats(-2, 2))
def test_each_curvature_is_what_its_name_says(a: float, b: float) -> None:
    k1, k2 = max(a, b), min(a, b)
    mean, largest, smallest, gaussian = (float(bend_values(np.array([[k1, k2]]), bend)[0]) for bend in BENDS)
    assert mean == pytest.approx((k1 + k2) / 2) and (largest, smallest) == (k1, k2)
    assert gaussian == pytest.approx(k1 * k2)


def test_words_and_maps() -> None:
    assert curvature_words(0.125, False, "mm") == "Here 0.125 /mm, radius 8 mm"
    assert curvature_words(-0.5, False, "cm") == "Here hollow, 0.5 /mm, radius 0.2 cm"
    assert curvature_words(0.0, False, "mm") == "Here flat"
    assert curvature_words(0.02, True, "mm") == "Here 0.02 /mm²"
    assert fitting_scale(np.zeros((5, 2)), "mean") == 1.0
    # Light falls evenly along a map from nought up, and to both sides of one around it.
    for name, halves in ((BILBAO, (slice(None, None, -1),)), (VIK, (slice(0, 129), slice(255, 127, -1)))):
        light = ramp(name)[0, :, :3] @ np.array([0.2126, 0.7152, 0.0722])
        for half in halves:
            assert (np.diff(light[half]) > -1.0).all() and np.ptp(light[half]) > 120
    for along in range(4):
        assert np.linalg.norm(Look(stripes_along=along).stripe_axis(np.eye(3))) == pytest.approx(1.0)
    turned = Look(stripes_along=1, stripes_stand=True).stripe_axis(np.array([[0, 1.0, 0], [-1, 0, 0], [0, 0, 1]]))
    assert turned.tolist() == [1, 0, 0]


def rest_on(hands: Hands, edge: int) -> None:
    """Lets the pointer rest on an edge until its loop is gauged."""
    hands.move(hands.place("edges", edge) + QPoint(60, 40))
    hands.move(hands.place("edges", edge))
    hands.qtbot.waitUntil(lambda: hands.view.gauge_card.shown is not None)


@needs_screen
def test_a_rest_on_an_edge_shows_its_loop_and_the_card_can_be_reached(empty: Hands) -> None:
    tube_in(empty)
    empty.key(Key.Key_E)
    mesh = empty.session.part.mesh
    front = np.flatnonzero(
        (np.abs(mesh.points[mesh.topology.edges].mean(axis=1)[:, 2]) < 1)
        & (np.ptp(mesh.points[mesh.topology.edges][:, :, 2], axis=1) < 1e-6)
    )
    edge = int(min(front, key=lambda one: mesh.points[mesh.topology.edges[one]].mean(axis=0)[1]))
    rest_on(empty, edge)
    card = empty.view.gauge_card
    assert card.isVisible() and card.lines[0].startswith("Closed loop of 16 edges")
    # It stays for a moment after the pointer has left, so that it can be reached; then it goes.
    empty.move(QPoint(5, 300))
    assert card.isVisible()
    empty.qtbot.waitUntil(lambda: not card.isVisible())
    assert empty.view.gauge_card.shown is None
    rest_on(empty, edge)
    empty.key(Key.Key_I, Qt.KeyboardModifier.ShiftModifier)
    empty.move(QPoint(5, 300))
    empty.qtbot.wait(500)
    assert card.isVisible() and card.is_pinned
    # Pinned, it follows what is done to its loop.
    empty.session.select(points=mesh.topology.edges[edge].tolist())
    empty.session.do("move", by=(0, -3, 0))
    empty.settle()
    assert card.isVisible() and card.gauge is not None and card.gauge.length > 120
    card.pin.click()
    assert not card.isVisible()


@needs_screen
def test_hold_and_balance_start_from_the_card_and_its_graph_shows_the_place(empty: Hands) -> None:
    empty.session.do("add_tube", outer=40, inner=20, height=40, sides=16, cells=3)
    empty.view.frame(everything=True)
    empty.settle()
    mesh = empty.session.part.mesh
    empty.key(Key.Key_E)
    empty.session.select_where("edges", angle_over=80)
    rim = [int(one) for one in empty.session.selection.indices if mesh.points[mesh.topology.edges[one]][:, 2].min() > 0]
    empty.session.select_none()
    edge = min(rim, key=lambda one: float(mesh.points[mesh.topology.edges[one]].mean(axis=0)[1]))
    rest_on(empty, edge)
    card = empty.view.gauge_card
    points, radii = card.gauge.radii if card.gauge else ([], [])
    assert len(points) == 16 and np.isfinite(radii).all()
    spot = QPointF(card.graph.width() / 2, 10)
    none = Qt.MouseButton.NoButton
    here = card.graph.mapToGlobal(spot)
    moved = QMouseEvent(QEvent.Type.MouseMove, spot, here, none, none, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(card.graph, moved)
    assert card.graph.at in (7, 8)
    shown = card.place_shown()
    assert shown is not None and shown == pytest.approx(mesh.points[points[card.graph.at]])
    empty.qtbot.mouseClick(card.hold, LEFT)
    empty.settle()
    assert empty.session.state.key == "hold" and empty.window.sentence.is_open
    assert empty.session.part.mesh.n_faces > mesh.n_faces


@given(st.floats(0.5, 20), st.floats(0.5, 20), st.floats(20, 160))
def test_a_section_is_laid_flat_without_changing_its_form(one: float, other: float, angle: float) -> None:
    """Distances stay, its ends are level, its tip is up."""
    half = np.radians(angle) / 2
    turn = np.linalg.qr(np.random.default_rng(7).normal(size=(3, 3)))[0]
    flat = np.array(
        [[-one * np.sin(half), 0, -one * np.cos(half)], [0, 0, 0], [other * np.sin(half), 0, -other * np.cos(half)]]
    )
    section, arc = flattened(flat @ turn, flat[:0])
    assert len(arc) == 0
    assert np.linalg.norm(np.diff(section, axis=0), axis=1) == pytest.approx([one, other])
    assert section[0, 1] == pytest.approx(section[-1, 1], abs=1e-9) and section[1, 1] > section[0, 1] - 1e-9
    assert graph_top(np.array([1.0, 1.0, 100.0, np.inf])) == pytest.approx(4.2) and graph_top(np.array([np.inf])) == 1.0


def dragged_place(hands: Hands, index: int, by: QPoint) -> tuple[QPoint, QPoint]:
    """Drags a point of what is shown, with the move tool; where it should be then and where it is, in pixels."""
    hands.key(Key.Key_P)
    hands.window.start("move")
    start = hands.place("points", index)
    hands.view.choosing.forget_clicks()
    hands.drag(start, start + by)
    hands.settle()
    return start + by, hands.place("points", index)


@needs_screen
@pytest.mark.parametrize("form", ["add_box", "add_quad_sphere", "add_torus"])
def test_a_point_of_the_smooth_surface_stays_under_the_pointer(empty: Hands, form: str) -> None:
    empty.session.do(form)
    empty.session.do("set_level", level=2)
    empty.window.stage.show_smooth([empty.session.part], True)
    empty.view.frame(everything=True)
    empty.settle()
    mesh = empty.session.part.mesh
    towards = mesh.points @ empty.view.camera.axes[2]
    index = int(np.argmax(towards))
    empty.session.set_active(empty.session.part.name)
    wanted, there = dragged_place(empty, index, QPoint(24, -15))
    # Within what the rounding of the move is worth.
    assert (there - wanted).manhattanLength() <= 3
    moved = empty.session.part.mesh.points[index] - mesh.points[index]
    shown = 24 * empty.view.camera.millimetres_per_pixel(empty.view.height(), mesh.points[index])
    assert np.linalg.norm(moved) > 1.2 * shown  # The cage goes further than its surface.


@needs_screen
def test_a_point_of_a_bent_part_moves_under_the_pointer(empty: Hands) -> None:
    empty.session.do("add_box", size=(60, 10, 4), cells=(6, 1, 1))
    empty.session.do("set_level", level=0)
    empty.session.add_step("bend", angle=120, along="x", around="y")
    empty.session.select_none()
    empty.view.look("front")
    empty.view.frame(everything=True)
    empty.settle()
    mesh = empty.session.part.mesh
    front = np.flatnonzero((mesh.points[:, 1] < 0) & (mesh.points[:, 0] > 25))
    index = int(front[np.argmax(mesh.points[front, 2])])
    wanted, there = dragged_place(empty, index, QPoint(-6, -20))
    assert (there - wanted).manhattanLength() <= 4
    by = empty.session.part.mesh.points[index] - mesh.points[index]
    # Turned by half the bend there: along the strip's own up, not the picture's.
    assert abs(by[0]) > 1e-3 or abs(by[2]) > 1e-3


@needs_screen
@pytest.mark.parametrize("direction", ["front", "perspective"])
def test_what_lies_before_a_place_that_is_stepped_to_is_seen_through(empty: Hands, direction: str) -> None:
    """A red wall before a blue ball with a flipped face: a hole shows the ball, and closes when the finding is left."""
    session, view = empty.session, empty.view
    session.do("add_box", size=(120, 4, 120), at=(0, -60, 0), name="wall")
    session.do("set_part", colour="#C02020")
    session.do("add_quad_sphere", diameter=40, cells=3, name="ball")
    session.do("set_part", colour="#2030C0")
    session.select_where("faces", near=(0, -20, 0))
    session.do("flip")
    session.select_none()
    empty.review()

    def look_from_the_front() -> None:
        view.look("front")
        if direction == "perspective":
            view.toggle_perspective()
        view.frame(everything=True)
        view.look_of.wire = False
        empty.settle()

    look_from_the_front()
    whole = drawn(empty)
    stop = next(row for row in range(20) if "inwards" in empty.window.review.words(row))
    empty.window.review.show_row(stop, 0)
    look_from_the_front()
    hole = drawn(empty)
    at = np.round(view.on_screen(np.array([[0.0, -20.0, 0.0]]))[0, :2] * view.devicePixelRatioF()).astype(int)
    near = [(x, y) for x in range(at[0] + 14, at[0] + 26) for y in range(at[1] + 14, at[1] + 26)]
    blue = sum(QColor(hole.pixel(x, y)).blue() > QColor(hole.pixel(x, y)).red() for x, y in near)
    assert not any(QColor(whole.pixel(x, y)).blue() > QColor(whole.pixel(x, y)).red() for x, y in near)
    assert blue > 0.7 * len(near)
    # Beside the hole the wall is whole, and it closes with the finding.
    edge = QPoint(at[0] + round(0.3 * view.height()), at[1])
    assert hole.pixel(edge) == whole.pixel(edge)
    empty.window.reviewing.choose(session.part.id, None, 0)
    empty.settle()
    closed = drawn(empty)
    assert not any(QColor(closed.pixel(x, y)).blue() > QColor(closed.pixel(x, y)).red() for x, y in near)
