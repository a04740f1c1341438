"""What an operation changes is what is shown as selected, whatever was done before it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from driving import CONTROL, SHIFT, Hands
from examples import some
from hypothesis import HealthCheck, given
from hypothesis import strategies as st
from PySide6.QtCore import Qt

from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import KINDS
from levelloop.document.document import Document
from levelloop.document.session import Session

BEFORE: dict[str, Any] = {
    "select some": lambda session, n: session.select_where("faces", normal=("x", "y", "z")[n % 3]),
    "add some": lambda session, n: session.select_where("faces", add=True, normal=("x", "y", "z")[n % 3]),
    "select all": lambda session, n: session.select_all(KINDS[n % 3]),
    "nothing": lambda session, n: session.select_none(),
    "duplicate": lambda session, n: session.do("duplicate"),
    "duplicate within": lambda session, n: session.do("duplicate", new_part=False),
    "instance": lambda session, n: session.do("instance"),
    "detach": lambda session, n: session.do("detach"),
    "hide the part": lambda session, n: session.do("set_part", visible=False),
    "show the part": lambda session, n: session.do("set_part", visible=True),
    "another part": lambda session, n: session.activate(session.document.parts[n % len(session.document.parts)].id),
    "with another part": lambda session, n: session.activate(
        session.document.parts[n % len(session.document.parts)].id, keep_others=True
    ),
    "undo": lambda session, n: session.undo(),
    "redo": lambda session, n: session.redo(),
    "grow": lambda session, n: session.do("grow"),
}
EDITS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("move", {"by": (1, 2, 3)}),
    ("move_along_normals", {"distance": 1.0}),
    ("thicken", {"outward": 1.0}),
    ("extrude", {"distance": 2.0}),
    ("delete", {}),
    ("crease", {"weight": 2.0}),
    ("set_material", {"material": "wax"}),
    ("flip", {}),
)


def geometry(document: Document) -> dict[str, tuple[Any, ...]]:
    """What an edit can change of each part: faces and points in the world, creases, materials, in canonical form."""
    result = {}
    for part in document.parts:
        mesh = part.to_world(part.mesh)
        names = [mesh.materials[n] if n >= 0 else "" for n in mesh.material.tolist()]
        result[part.id] = (mesh.points.tobytes(), mesh.topology.corners.tobytes(), mesh.creases.tobytes(), tuple(names))
    return result


@some(80, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.tuples(st.sampled_from(sorted(BEFORE)), st.integers(0, 5)), max_size=7), st.sampled_from(EDITS))
def test_only_parts_whose_selection_is_shown_are_changed(before: list[tuple[str, int]], edit: tuple[str, Any]) -> None:
    session = Session.new()
    session.do("add_box", size=(10, 10, 10), cells=(2, 2, 2), name="body")
    session.do("add_box", size=(4, 4, 4), at=(20, 0, 0), name="lid")
    for name, number in before:
        try:
            BEFORE[name](session, number)
        except LevelLoopError:
            continue
        if not session.document.parts:
            return
    old, shown = session.state, session.state.shown_selections
    try:
        session.do(edit[0], **edit[1])
    except LevelLoopError:
        assert session.state is old
        return
    chosen = set(shown) or {old.document.active}
    # Instances show the edit of their common cage too.
    shared = {part.shared for part in old.document.parts if part.id in chosen and part.shared}
    allowed = chosen | {part.id for part in old.document.parts if part.shared in shared}
    was, now = geometry(old.document), geometry(session.document)
    changed = {part_id for part_id in was if was[part_id] != now[part_id]}
    assert changed <= allowed
    if shown:
        number = sum(len(selection) for selection in shown.values())
        assert sum(int(word) for word in session.state.acted_on.split() if word.isdigit()) >= number


def test_a_copy_leaves_nothing_selected_behind() -> None:
    for key in ("duplicate", "instance", "detach"):
        session = Session.new()
        session.do("add_box", size=(20, 20, 20), name="body")
        session.select_where("faces", normal="z")
        session.do(key, name="lid")
        assert not session.state.shown_selections
        session.do("move", by=(0, 0, 20))
        body = session.document.by_name("body")
        assert np.ptp(body.to_world(body.mesh).points[:, 2]) == pytest.approx(20)


def test_selecting_means_all_parts() -> None:
    session = Session.new()
    session.do("add_box", name="one")
    session.do("add_box", name="two", at=(40, 0, 0))
    session.select(faces=[0, 1])
    session.set_active("one", keep_others=True)
    session.select(faces=[0, 1], add=True)
    session.do("grow")
    assert {key: len(chosen) for key, chosen in session.state.shown_selections.items()} == {"part1": 6, "part2": 6}
    assert "12 faces in 2 parts" in session.do("move", by=(0, 0, 1))
    session.select(faces=[0])
    assert list(session.state.shown_selections) == ["part1"]
    session.set_active("two", keep_others=True)
    session.select_none()
    assert not session.state.shown_selections


@pytest.fixture
def two(empty: Hands) -> Hands:
    for name, x in (("one", 0), ("two", 30)):
        empty.session.do("add_box", size=(20, 20, 20), at=(x, 0, 0), name=name)
    empty.view.look("top")
    empty.view.frame(everything=True)
    empty.window.set_kind("faces")
    empty.settle()
    return empty


def choose_tops(two: Hands) -> None:
    for name, modifiers in (("one", Qt.KeyboardModifier.NoModifier), ("two", SHIFT)):
        two.session.activate(two.session.document.by_name(name).id, keep_others=True)
        two.settle()
        two.click("faces", two.face(normal="z"), modifiers)


def test_the_window_counts_all_parts_and_clears_all(two: Hands) -> None:
    choose_tops(two)
    assert "2 faces in 2 parts" in two.window.strip.readout.text()
    two.key(Qt.Key.Key_Escape)
    assert not two.session.state.shown_selections
    choose_tops(two)
    two.key(Qt.Key.Key_A, CONTROL | SHIFT)
    assert not two.session.state.shown_selections
    choose_tops(two)
    two.click("faces", two.face(normal="z"))
    assert [len(chosen) for chosen in two.session.state.shown_selections.values()] == [1]


def test_what_escape_takes_back_can_be_done_again(two: Hands) -> None:
    two.click("faces", two.face(normal="z"))
    two.key(Qt.Key.Key_U)
    before = two.session.part.mesh.n_faces
    two.key(Qt.Key.Key_Escape)
    assert two.session.part.mesh.n_faces == before - 4 and "redo" in two.window.message
    two.key(Qt.Key.Key_Z, CONTROL | SHIFT)
    assert two.session.part.mesh.n_faces == before


def test_what_has_no_number_is_kept_at_once(two: Hands) -> None:
    two.click("faces", two.face(normal="z"))
    two.key(Qt.Key.Key_Delete)
    assert two.session.part.mesh.n_faces == 5
    two.key(Qt.Key.Key_E)
    assert two.view.kind == "edges"
    two.key(Qt.Key.Key_Escape)
    assert two.session.part.mesh.n_faces == 5
    two.key(Qt.Key.Key_Z, CONTROL)
    assert two.session.part.mesh.n_faces == 6
    two.key(Qt.Key.Key_Z, CONTROL | SHIFT)
    assert two.session.part.mesh.n_faces == 5
