"""Parts are known by ids that are never given twice; names are unique; what is asked of a part is checked."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

import pytest
from driving import Hands
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from levelloop.app.keyboard import TAP
from levelloop.core.errors import EditError, LevelLoopError
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Reading
from levelloop.document.session import Session


@some(60)
@given(
    st.lists(st.tuples(st.sampled_from(["add", "remove", "rename", "copy", "instance", "combine"]), st.integers(0, 4)))
)
def test_names_are_unique_and_ids_never_come_back(steps: list[tuple[str, int]]) -> None:
    session = Session.new()
    seen: set[str] = set()
    names = ("part2", "box", "part1", "lid")
    for what, number in steps:
        parts = session.document.parts
        chosen = parts[number % len(parts)].name if parts else ""
        before = {part.id for part in parts}
        try:
            if what == "add":
                session.do("add_box", name=names[number % 4])
            elif what == "remove":
                session.do("remove_part", part=chosen)
            elif what == "rename":
                session.do("set_part", part=chosen, name=names[number % 4])
            elif what == "copy":
                session.do("duplicate", name=names[number % 4])
            else:
                session.do(what)
        except LevelLoopError:
            continue
        parts = session.document.parts
        assert len({part.name for part in parts}) == len(parts)
        assert all(part.id not in seen for part in parts if part.id not in before)
        seen.update(part.id for part in parts)


def test_a_name_like_an_id_means_the_part_of_that_name() -> None:
    session = Session.new()
    session.do("add_box", name="box")
    session.do("add_cylinder", name="cylinder")
    session.do("set_part", part="box", name="part2")
    session.do("set_part", part="part2", visible=False)
    assert [part.visible for part in session.document.parts] == [False, True]
    session.set_active("part2")
    assert session.part.id == "part1"
    session.do("remove_part")
    session.do("add_box")
    assert session.part.id == "part3"


def test_the_row_that_is_clicked_is_the_part_that_changes(empty: Hands) -> None:
    empty.session.do("add_box", name="box")
    empty.session.do("add_cylinder", name="cylinder")
    empty.session.do("set_part", part="box", name="part2")
    panel = empty.window.parts
    panel.list.itemWidget(panel.list.item(panel.row_of("part2"))).eye.click()
    assert [part.visible for part in empty.session.document.parts] == [True, False]


def test_rows_follow_the_document_that_is_shown(empty: Hands, tmp_path: Path) -> None:
    empty.session.do("add_box", name="box")
    empty.session.save(tmp_path / "box.usda")
    old = empty.session
    empty.window.on_files.open_path(tmp_path / "box.usda")
    panel = empty.window.parts
    panel.list.itemWidget(panel.list.item(0)).eye.click()
    assert not empty.session.part.visible and old.part.visible


def test_a_taken_name_gets_a_number_and_says_so() -> None:
    session = Session.new()
    session.do("add_box", name="lid")
    session.do("add_box", name="jar")
    told = session.do("rename_part", name="lid")
    assert session.part.name == "lid 2" and "taken" in told


def test_looks_are_checked_wherever_they_enter() -> None:
    session = Session.new()
    session.do("add_box")
    for wrong in ({"opacity": 7}, {"colour": "mauve"}, {"level": 99}, {"name": ""}, {"visible": "maybe"}, {"id": "x"}):
        with pytest.raises(EditError):
            session.edit_part("part1", "Change", **wrong)
        with pytest.raises(EditError):
            session.do("set_part", **wrong)
    with pytest.raises(EditError):
        session.do("set_part")
    session.do("set_part", colour="#aabbcc", opacity=0.5, locked=True, helper=True, group="table / lids")
    part = session.part
    assert (part.colour, part.opacity, part.locked, part.helper, part.group) == (
        "#AABBCC",
        0.5,
        True,
        True,
        "table/lids",
    )


def test_the_word_anchor_is_a_place_only_where_a_place_is_meant(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    session.select(faces=[0])
    session.do("keep_set", name="anchor")
    session.do("set_material", material="anchor")
    with pytest.raises(EditError):
        session.do("rotate", angle=10, pivot="anchor")
    session.do("set_anchor", at=(1, 2, 3))
    session.do("rotate", angle=10, pivot="anchor")
    session.save(tmp_path / "anchor.usda")
    again = Session.open(tmp_path / "anchor.usda")
    assert again.part.mesh.sets[0].name == "anchor" and again.part.mesh.materials == ("anchor",)


ODD: tuple[Any, ...] = (
    3, -1, 0, 10**30, 10**400, float("nan"), float("inf"), True, "", "x" * 5000, "1 mm", None, [], {}, [1], [[1, 2]],
    [None], {"a": 1}, object(), (1, 2, 3), [(0, 0, 0), (1, 1, 1)], [{"edge": 5}], [{"edge": [0, 1]}], b"bytes",
)  # fmt: skip


def odd_session() -> Session:
    session = Session.new()
    session.do("add_box", cells=(2, 2, 2))
    session.select_where("edges", plane="x")
    return session


@pytest.mark.parametrize("operation", REGISTRY.all(), ids=lambda operation: operation.key)
def test_any_value_of_any_parameter_is_read_or_refused_in_a_short_sentence(operation: Any) -> None:
    for parameter in operation.parameters:
        for value in ODD:
            try:
                read = parameter.read(value, Reading())
            except LevelLoopError as error:
                assert len(str(error)) < 400
                continue
            for by in (1, -1):
                parameter.stepped(read, by)
            parameter.show(read, "mm")
        for by in (1, -1):
            parameter.stepped(parameter.default, by)
            parameter.stepped(None, by)
    # Values that were read run, or are refused by the operation.
    for parameter in operation.parameters:
        for value in ODD[:18] + ODD[19:]:
            if operation.key in ("add_geodesic", "add_guide") or value in (10**30,):
                continue
            session = odd_session()
            before = session.state
            try:
                session.do(operation.key, **{parameter.name: value})
            except LevelLoopError as error:
                assert len(str(error)) < 400
                assert session.state is before


def test_last_is_the_last_number_of_its_own_measure() -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20))
    session.select_where("faces", normal="z")
    session.do("extrude", distance=4)
    session.do("rotate", angle=45)
    session.do("extrude", distance="2*last")
    assert session.state.parameters["distance"] == 8
    session.do("rotate", angle="last / 3")
    assert session.state.parameters["angle"] == 15
    with pytest.raises(EditError, match="no last"):
        Session.new().do("add_box", size=("last", 1, 1))


# Hands


def keys(text: str) -> None:
    """Keys as they come from a keyboard: each to whatever has the keyboard then."""
    for letter in text:
        QTest.keyClicks(QApplication.focusWidget(), letter)
        QApplication.processEvents()


def test_a_number_is_typed_to_its_end_although_its_first_digit_runs_the_operation(empty: Hands, image: Path) -> None:
    empty.session.do("add_guide", path=str(image), width=80)
    empty.window.sentence.start(REGISTRY["calibrate_guide"], {"start": (-20, 0), "end": (20, 0), "length": 1.0}, True)
    empty.window.sentence.focus("length")
    keys("120")
    empty.key(Qt.Key.Key_Return)
    assert empty.session.document.guides[0].width == pytest.approx(240)
    empty.session.do("add_box")
    for key, name in (("move", "by"), ("scale", "factors"), ("rotate", "angle")):
        empty.view.setFocus()
        empty.window.start(key)
        empty.window.sentence.focus(name)
        keys({"move": "125 x", "scale": "1.25", "rotate": "125"}[key])
        empty.key(Qt.Key.Key_Return)
        value = empty.session.state.parameters[name]
        assert (max(value, key=abs) if isinstance(value, tuple) else value) in (125, 1.25), key


def test_a_rename_ends_with_escape_and_lets_later_keys_be_commands(empty: Hands) -> None:
    empty.session.do("add_box", name="box")
    row = empty.window.parts.list.itemWidget(empty.window.parts.list.item(0))
    row.name.begin()
    keys("abc")
    empty.key(Qt.Key.Key_Escape)
    assert row.name.text() == "box" and not row.name.hasFocus()
    empty.view.setFocus()
    keys("e")
    assert empty.session.part.name == "box" and empty.view.kind == "edges"
    chip = row.eye.geometry().center()
    QTest.mouseDClick(row, Qt.MouseButton.LeftButton, pos=chip)
    assert row.name.isReadOnly()
    QTest.mouseDClick(row, Qt.MouseButton.LeftButton, pos=row.name.geometry().center())
    keys("jar")
    empty.key(Qt.Key.Key_Return)
    assert empty.session.part.name == "jar"


@pytest.mark.parametrize("held", [60, 400])
@pytest.mark.parametrize("flagged", [True, False])
def test_a_repeating_keyboard_does_not_end_a_peek(demo: Hands, held: int, flagged: bool) -> None:
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QKeyEvent

    stage, part = demo.window.stage, demo.session.part
    was = stage.is_smooth(part)

    def send(kind: QEvent.Type, repeats: bool) -> None:
        event = QKeyEvent(kind, Qt.Key.Key_Space, Qt.KeyboardModifier.NoModifier, " ", repeats)
        QApplication.sendEvent(demo.view, event)

    began = time.monotonic()
    send(QEvent.Type.KeyPress, False)
    for _ in range(held // 20):
        demo.qtbot.wait(20)
        # Some keyboards say that they repeat, others let go and press again at once.
        send(QEvent.Type.KeyRelease, flagged)
        send(QEvent.Type.KeyPress, flagged)
        assert stage.is_smooth(part) != was
    # As long as it was held by the clock: drawing may take its time here.
    tapped = time.monotonic() - began < TAP / 1000.0
    send(QEvent.Type.KeyRelease, False)
    demo.qtbot.wait(90)
    assert stage.is_smooth(part) == (was if not tapped else not was)


def test_what_is_reviewed_is_what_is_given_out() -> None:
    session = Session.new()
    for name, looks in (("shown", {}), ("hidden", {"visible": False}), ("helper", {"helper": True}), ("locked", {})):
        session.do("add_plane", name=name)
        session.do("set_part", part=name, locked=name == "locked", **looks)
    assert [part.name for part, _ in session.reports()] == ["shown", "locked"]
    session.set_active("shown")
    session.do("instance")
    session.do("move", by=(30, 0, 0))
    session.do("rotate", angle=40)
    assert [part.name for part, _ in session.reports()] == ["shown", "locked"]
    # A mirrored or stretched one has findings of its own.
    session.do("scale", factors=(1, 1, 3))
    assert len(session.reports()) == 2  # a plane that is stretched square to itself is as it was
    session.do("scale", factors=(3, 1, 1))
    assert len(session.reports()) == 3
