"""Comparing: a line across the view, distances as colours, what the reviews of both sides find."""

from __future__ import annotations

import numpy as np
import pytest
from driving import Hands, box_in, needs_screen
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt

from levelloop.app.view.render.picture import make_picture
from levelloop.app.view.wipe import held_apart
from levelloop.core.forms.primitives import quad_sphere
from levelloop.document.review.comparing import apart, changes
from levelloop.document.review.reviewing import reviewed_parts
from levelloop.document.session import Session

Key = Qt.Key


def compare(hands: Hands, letter: Key) -> None:
    hands.key(Key.Key_I)
    hands.key(letter)
    wipe = hands.view.wipe
    if wipe is not None:
        hands.qtbot.waitUntil(lambda: wipe.apart is not None, timeout=20_000)
    hands.settle()


@needs_screen
def test_cage_and_smooth_stand_either_side_of_a_line_that_is_dragged(empty: Hands) -> None:
    box_in(empty)
    compare(empty, Key.Key_D)
    view = empty.view
    wipe = view.wipe
    assert wipe is not None and (wipe.left, wipe.right) == ("cage", "smooth")
    assert wipe.pictures[0].is_flat and not empty.window.stage.shown()[0].is_flat
    assert wipe.apart is not None and wipe.apart.largest > 1.0
    half = view.grabFramebuffer()
    empty.drag(QPoint(view.width() // 2, 200), QPoint(view.width() // 4, 210))
    assert wipe.share == pytest.approx(0.25, abs=0.01)
    assert view.grabFramebuffer() != half and len(empty.session.selection) == 0
    empty.drag(QPoint(round(wipe.share * view.width()), 200), QPoint(-50, 200))
    assert wipe.share == pytest.approx(0.02)
    before = empty.session.document
    empty.key(Key.Key_I)
    empty.key(Key.Key_D)
    assert view.wipe is None and not view.compare_card.isVisible() and empty.session.document is before


@needs_screen
def test_a_version_is_compared_with_now_and_the_map_tells_where(empty: Hands) -> None:
    empty.session.do("add_plane", size=(40, 40), cells=(8, 8))
    empty.session.select_where("points", near=(0, 0, 0), count=1)
    empty.session.do("move", by=(0, 0, 3))
    empty.session.select_none()
    empty.view.frame(everything=True)
    compare(empty, Key.Key_E)
    view, card = empty.view, empty.view.compare_card
    assert view.wipe is not None and view.wipe.apart is not None
    assert view.wipe.apart.largest == pytest.approx(3.0) and view.wipe.apart.where == pytest.approx([0, 0, 3])
    assert card.isVisible() and "At most 3 mm apart" in card.told.text()
    plain = view.grabFramebuffer()
    card.map.click()
    empty.settle()
    assert card.scale.isVisible() and view.grabFramebuffer() != plain
    (solid,) = view.scene().solids
    distances = solid.picture.bends
    assert distances is not None and distances[:, 0].max() == pytest.approx(3.0)
    assert view.scene().shading == "distance"
    # What is done goes on being compared.
    empty.session.select_where("points", near=(5, 5, 0), count=1)
    empty.session.do("move", by=(0, 0, 7))
    empty.qtbot.waitUntil(lambda: view.wipe is not None and view.wipe.apart is not None and view.wipe.apart.largest > 6)
    card.go.click()
    assert np.linalg.norm(view.camera.target - [5, 5, 7]) < 0.5
    card.end.click()
    assert view.wipe is None


@needs_screen
def test_versions_come_from_the_history_and_findings_are_held_beside_each_other(empty: Hands) -> None:
    box_in(empty)
    empty.session.select(faces=[0])
    empty.session.do("flip")
    empty.session.select_none()
    history = empty.window.history
    empty.window.shell.show_history()
    history.list.setCurrentRow(1)
    history.compare.click()
    wipe = empty.view.wipe
    assert wipe is not None
    empty.qtbot.waitUntil(lambda: wipe.changes is not None, timeout=20_000)
    assert "flipped: 1 new" in empty.view.compare_card.changes.text()
    empty.view.compare(None)
    empty.window.comparing.with_version(empty.session.here)
    assert empty.view.wipe is None and "no other version" in empty.window.message
    empty.window.comparing.two_parts()
    assert "Choose two parts" in empty.window.message


@needs_screen
def test_two_parts_stand_either_side(empty: Hands) -> None:
    for diameter, name in ((40, "one"), (44, "other")):
        empty.session.do("add_quad_sphere", diameter=diameter, name=name)
    empty.session.choose_parts([part.id for part in empty.session.document.parts])
    empty.settle()
    empty.window.comparing.two_parts()
    wipe = empty.view.wipe
    assert wipe is not None
    empty.qtbot.waitUntil(lambda: wipe.apart is not None, timeout=20_000)
    assert wipe.apart is not None and wipe.apart.largest == pytest.approx(2.0, abs=0.35)
    assert [one.part.name for one in wipe.right_pictures(empty.window.stage.shown())] != [wipe.left]


@given(st.floats(5, 50), st.floats(0.1, 4))
def test_concentric_balls_are_apart_by_the_difference_of_their_radii(radius: float, more: float) -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=2 * radius, cells=8, name="ball")
    left = [make_picture(session.part, False)]
    session.select_all("points")
    session.do("scale", factors=(radius + more) / radius, pivot=(0, 0, 0))
    right = [make_picture(session.part, False)]
    found = held_apart(left, right, True)
    # Facets lie inside the ball by their sagitta, an eighth of a quarter turn wide.
    slack = (radius + more) * (1 - np.cos(np.sqrt(2) * np.pi / 4 / 8)) * 2
    assert found is not None and found.largest == pytest.approx(more, abs=slack)
    assert found.mean <= found.largest
    assert held_apart([], right, True) is None
    assert held_apart(left, left, True).largest == 0.0  # type: ignore[union-attr]


@given(st.integers(0, 1000))
def test_places_are_as_far_as_the_nearest_triangle(seed: int) -> None:
    random = np.random.default_rng(seed)
    mesh = quad_sphere(10.0, 3)
    corners = mesh.points[mesh.topology.corners.reshape(-1, 4)[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)]
    places = random.normal(size=(20, 3)) * 12
    found = apart(places, corners)
    # By brute force: many places on each triangle.
    weights = np.array([(a, b, 12 - a - b) for a in range(13) for b in range(13 - a)]) / 12
    samples = np.einsum("wc,tcj->twj", weights, corners).reshape(-1, 3)
    nearest = np.linalg.norm(places[:, None] - samples, axis=2).min(axis=1)
    assert (found <= nearest + 1e-9).all() and (found >= nearest - 0.3).all()


def test_changes_are_told_by_kind_the_gravest_first() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(3, 3, 3))
    before = reviewed_parts(session.document)
    session.select(faces=[0, 2])
    session.do("flip")
    flipped = reviewed_parts(session.document)
    session.select(faces=[0])
    session.do("flip")
    half = reviewed_parts(session.document)
    assert next((one.check, one.kind) for one in changes(before, flipped)) == ("flipped", "new")
    first = changes(flipped, half)[0]
    assert (first.kind, first.words) == ("better", "flipped: better, 2 → 1")
    assert changes(half, flipped)[0].kind == "worse"
    assert changes(flipped, before)[0].words == "flipped: 2 gone" and changes(before, before) == []
