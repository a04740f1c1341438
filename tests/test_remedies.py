"""Remedies that prove themselves: what is foretold is what comes when they are run."""

from __future__ import annotations

import numpy as np
import pytest
from driving import LEFT, NONE, Hands, needs_screen
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint

from levelloop.core.review import CHECKS
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.review.why import WHY
from levelloop.document.operations import REGISTRY
from levelloop.document.review.remedies import ALSO, MOST, begin, deviation, remedies_of, tried
from levelloop.document.review.reviewing import reviewed_alone
from levelloop.document.session import Session


def found(session: Session, check: str) -> Finding:
    return next(one for one in session.review() if one.check == check)


def flipped_box(count: int) -> Session:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(3, 3, 3))
    session.select(faces=list(range(0, 2 * count, 2)))
    session.do("flip")
    session.select_none()
    return session


@given(st.integers(1, 6))
def test_what_is_foretold_of_flipped_faces_comes(count: int) -> None:
    session = flipped_box(count)
    finding = found(session, "flipped")
    before = session.document
    effects = [tried(session.document, session.part.id, finding, one, "smooth") for one in remedies_of(finding)]
    assert session.document is before  # Trying changes nothing.
    for effect in effects:
        assert effect.runs and effect.better
        assert effect.words.startswith("gone" if count == 1 else f"all {count} gone")
        assert "surface stays" in effect.words
    begin(session, session.part.id, finding, effects[0].remedy)
    session.do(effects[0].remedy.key, **effects[0].remedy.parameters)
    assert not [one for one in session.review() if one.check == "flipped"]


@given(st.integers(1, 5))
def test_here_only_mends_one_of_several(count: int) -> None:
    session = flipped_box(count + 1)
    finding = found(session, "flipped")
    flip = remedies_of(finding)[0]
    effect = tried(session.document, session.part.id, finding, flip, "smooth", 0)
    assert f"{count + 1} → {count}" in effect.words
    begin(session, session.part.id, finding, flip, 0)
    assert session.selection.indices.tolist() == finding.indices[:1].tolist()


def test_a_remedy_foretells_how_far_the_surface_moves() -> None:
    session = Session.new()
    session.do("add_box", size=(40, 40, 40), cells=(1, 1, 1))
    session.do("set_level", level=2)
    # Supports at 4 mm on one side of four edges and at 9 on the other.
    for a, b, distance in (((-20, -20, -20), (20, -20, -20), 4.0), ((-20, -20, -20), (-20, 20, -20), 4.0)):
        session.select_where("edges", near=tuple(np.mean((a, b), axis=0)), count=1)
        session.do("run_loop", distance=distance)
    session.select_none()
    finding = next((one for one in session.review() if one.check == "missing_support"), None)
    assert finding is not None
    effects = [tried(session.document, session.part.id, finding, one, "smooth") for one in remedies_of(finding)]
    assert any(effect.runs and "surface moves" in effect.words for effect in effects)
    begin(session, session.part.id, finding, effects[0].remedy)
    before = session.part
    if effects[0].runs:
        session.do(effects[0].remedy.key, **effects[0].remedy.parameters)
        assert f"{deviation(before, session.part):.2g} mm" in effects[0].words


def test_what_cannot_run_says_why() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(4, 4, 4))
    finding = found(session, "poles")
    (move,) = remedies_of(finding)
    effect = tried(session.document, session.part.id, finding, move, "smooth", 0)
    assert not effect.runs and not effect.better and "sharply folded" in effect.words


@given(st.floats(0.1, 5.0), st.sampled_from([0, 2]))
def test_the_deviation_is_how_far_the_surface_went(by: float, level: int) -> None:
    session = Session.new()
    session.do("add_plane", size=(40, 40), cells=(8, 8))
    session.do("set_level", level=level)
    before = session.part
    session.select_where("points", near=(0, 0, 0), count=1)
    session.do("move", by=(0, 0, by))
    # On the limit a point among quads keeps 16/36 of its own lift (Halstead, Kass & DeRose 1993).
    assert deviation(before, session.part) == pytest.approx(by * (1.0 if level == 0 else 16 / 36), rel=1e-6)
    assert deviation(before, before) == 0.0


def test_every_remedy_can_be_run_and_every_check_says_why_it_matters() -> None:
    for remedies in ALSO.values():
        assert len(remedies) <= MOST
        for remedy in remedies:
            operation = REGISTRY[remedy.key]
            assert set(remedy.parameters) <= {parameter.name for parameter in operation.parameters}
    assert set(ALSO) <= set(WHY)
    missing = {check.key for check in CHECKS} - set(WHY) - {"sides", "flatness", "flow", "holding", "uv_places"}
    assert not missing


def test_a_remedy_of_its_own_comes_first_and_is_not_listed_twice() -> None:
    own = Remedy("hold", "Hold")
    nowhere = np.zeros((0, 3))
    finding = Finding("missing_support", "warn", "edges", np.zeros(0), nowhere, "", 0.0, remedy=own)
    listed = remedies_of(finding)
    assert listed[0] is own and [one.label for one in listed] == ["Hold", "Hold by a crease"]


@needs_screen
def test_the_panel_lists_remedies_with_what_they_come_to(demo: Hands) -> None:
    window, session = demo.window, demo.session
    session.set_active("hive bracket")
    demo.review()
    row = next(i for i, (_, finding) in enumerate(window.review.rows) if finding.check == "unequal_turn")
    window.review.show_row(row, 0)
    remedies = window.review.remedies
    demo.qtbot.waitUntil(lambda: remedies.effects[:1] != ["…"])
    demo.settle()
    assert len(remedies.buttons) == 3 and all("gone" in words for words in remedies.effects)
    assert [button.objectName() for button in remedies.buttons].count("primary") == 1
    before, here = len(session.history), session.document.active
    remedies.buttons[0].click()
    demo.settle()
    # A normal operation: in the history, its numbers open, undone like any other.
    assert session.state.key == "balance" and len(session.history) == before + 1
    demo.review()
    assert (here, "unequal_turn") not in [(part, one.check) for part, one in window.review.rows]
    session.undo()
    demo.review()
    assert (here, "unequal_turn") in [(part, one.check) for part, one in window.review.rows]


def test_a_trial_lets_go_of_nothing_that_is_known_of_the_document() -> None:
    """What the window has of a part is still there after remedies were tried on a copy beside it."""
    session = Session.new()
    session.do("add_quad_sphere", diameter=40, cells=6)
    session.select(points=[5])
    session.do("move_along_normals", distance=1.5)
    part = session.part
    known, topology = reviewed_alone(part), part.mesh.topology
    edges = topology.edges
    finding = next(one for one in known["smooth"].findings if remedies_of(one))
    effects = [tried(session.document, part.id, finding, remedy, "smooth", 0) for remedy in remedies_of(finding)]
    assert any(effect.runs for effect in effects)
    assert reviewed_alone(part) is known and topology.edges is edges and session.part is part


@needs_screen
def test_what_is_found_is_counted_while_a_point_is_dragged(empty: Hands) -> None:
    """A face pulled out of its plane is told before the pointer lets go; its row is there afterwards."""
    empty.session.do("add_plane", size=(40, 40), cells=(4, 4))
    empty.review()
    review = empty.window.review
    assert review.place.text() == ""
    rows = list(review.rows)
    empty.window.set_kind("points")
    empty.session.select(points=[12])
    empty.window.start("move")
    empty.settle()
    at = empty.place("points", 12)
    empty.qtbot.mousePress(empty.view, LEFT, NONE, at)
    for pixels in range(4, 60, 4):
        empty.move(at + QPoint(0, -pixels), LEFT)
        empty.qtbot.wait(10)
    empty.qtbot.waitUntil(lambda: review.place.text().endswith("found"), timeout=5000)
    found = int(review.place.text().split()[0])
    assert found > len(rows) and review.rows == rows
    empty.qtbot.mouseRelease(empty.view, LEFT, NONE, at + QPoint(0, -60))
    empty.qtbot.waitUntil(lambda: not empty.window.reviewing.is_waiting and len(review.rows) >= found, timeout=5000)
    assert review.place.text() == ""
