"""The list of parts: groups in groups, folding, renaming, showing, dragging."""

from __future__ import annotations

import pytest
from driving import LEFT, Hands, needs_screen
from PySide6.QtCore import QMimeData, QPointF, Qt
from PySide6.QtGui import QDropEvent

from levelloop.app.panels.parts.part_rows import GroupRow, PartRow
from levelloop.core.errors import EditError
from levelloop.document.running.part_edits import grouped, in_group, moved_in_list, rename_group, show_group
from levelloop.document.session import Session


def workshop(session: Session) -> None:
    for name, group in (("jar", "table"), ("bolt", "hive/fittings"), ("lid", "table"), ("roof", "hive"), ("bee", "")):
        session.do("add_box", name=name)
        session.do("group_part", group=group)


def rows(session: Session) -> list[str]:
    return [f"[{path}]" if part is None else part.name for part, path in grouped(session.document)]


def test_groups_stand_where_their_first_part_does() -> None:
    session = Session.new()
    workshop(session)
    assert rows(session) == ["[table]", "jar", "lid", "[hive]", "[hive/fittings]", "bolt", "roof", "bee"]
    assert [part.name for part in in_group(session.document, "hive")] == ["bolt", "roof"]


def test_groups_are_renamed_shown_and_parts_moved() -> None:
    session = Session.new()
    workshop(session)
    document = rename_group(session.document, "hive", "home")
    assert document.by_name("bolt").group == "home/fittings" and document.by_name("jar").group == "table"
    hidden = show_group(document, "home", False)
    assert [part.name for part in hidden.parts if not part.visible] == ["bolt", "roof"]
    moved = moved_in_list(
        session.document, session.document.by_name("bee").id, session.document.by_name("lid").id, "table"
    )
    assert [part.name for part in moved.parts] == ["jar", "bolt", "bee", "lid", "roof"]
    assert moved.by_name("bee").group == "table"
    with pytest.raises(EditError):
        moved_in_list(session.document, "nobody", None, "")


@needs_screen
def test_groups_fold_and_are_renamed_in_place(empty: Hands) -> None:
    workshop(empty.session)
    panel = empty.window.parts
    assert panel.list.count() == 8
    header = panel.list.itemWidget(panel.list.item(3))
    assert isinstance(header, GroupRow)
    header.fold.click()
    assert panel.list.count() == 5
    header = panel.list.itemWidget(panel.list.item(3))
    assert isinstance(header, GroupRow)
    header.eye.click()
    assert not empty.session.document.by_name("bolt").visible and not empty.session.document.by_name("roof").visible
    header = panel.list.itemWidget(panel.list.item(3))
    assert isinstance(header, GroupRow)
    empty.qtbot.mouseDClick(header, LEFT, pos=header.name.geometry().center())
    header.name.setText("a/b")
    empty.qtbot.keyClick(header.name, Qt.Key.Key_Return)
    assert "without" in empty.window.message
    header = panel.list.itemWidget(panel.list.item(3))
    assert isinstance(header, GroupRow)
    empty.qtbot.mouseDClick(header, LEFT, pos=header.name.geometry().center())
    header.name.setText("home")
    empty.qtbot.keyClick(header.name, Qt.Key.Key_Return)
    assert empty.session.document.by_name("bolt").group == "home/fittings"


@needs_screen
def test_rows_are_dragged_into_groups_and_out(empty: Hands) -> None:
    workshop(empty.session)
    panel = empty.window.parts

    panel.drop(panel.row_of(empty.session.document.by_name("bee").id), 0, True)
    assert empty.session.document.by_name("bee").group == "table" and rows(empty.session)[:4] == [
        "[table]",
        "jar",
        "lid",
        "bee",
    ]
    panel.drop(panel.row_of(empty.session.document.by_name("bee").id), 1, False)
    assert rows(empty.session)[:4] == ["[table]", "bee", "jar", "lid"]
    panel.drop(panel.row_of(empty.session.document.by_name("bee").id), panel.list.count(), False)
    assert empty.session.document.by_name("bee").group == "" and rows(empty.session)[-1] == "bee"
    # A whole group into another, but never into itself.
    panel.drop(0, 3, True)
    assert empty.session.document.by_name("jar").group == "hive/table"
    hive = next(n for n, row in enumerate(panel.rows) if row.group == "hive" and row.part is None)
    inner = next(n for n, row in enumerate(panel.rows) if row.group == "hive/fittings" and row.part is None)
    panel.drop(hive, inner, True)
    assert "into itself" in empty.window.message
    empty.session.undo()
    assert empty.session.document.by_name("jar").group == "table"


@needs_screen
def test_a_row_let_go_is_told_and_never_moved_by_the_list_itself(empty: Hands) -> None:
    workshop(empty.session)
    panel = empty.window.parts
    told: list[tuple[int, int, bool]] = []
    panel.list.dropped.disconnect()
    panel.list.dropped.connect(lambda *what: told.append(what))
    below = panel.list.viewport().rect().bottomLeft()
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    event = QDropEvent(QPointF(below), Qt.DropAction.MoveAction, QMimeData(), left, none)
    panel.list.dropEvent(event)
    assert panel.list.mark.isHidden()
    # What takes the drop is marked while it is dragged: a row all around, a place between two by a line.
    panel.list.show_target(2, True)
    row = panel.list.visualItemRect(panel.list.item(2))
    assert panel.list.mark.isVisible() and panel.list.mark.geometry() == row
    panel.list.show_target(2, False)
    assert panel.list.mark.height() == 3 and abs(panel.list.mark.y() - row.top()) <= 1
    panel.list.show_target(panel.list.count(), False)
    assert abs(panel.list.mark.y() - panel.list.visualItemRect(panel.list.item(panel.list.count() - 1)).bottom()) <= 1
    assert told and told[0][0] == panel.list.currentRow() and panel.list.count() == 8


def test_what_acts_on_a_part_acts_on_all_that_are_chosen(empty: Hands) -> None:
    """Groups, output levels, places: one entry of the history, said with their number; a name is one part's own."""
    session = empty.session
    for name in ("left", "right", "top"):
        session.do("add_box", name=name, at=(0, 0, 30))
    session.choose_parts(["left", "top"])
    before = len(session.history)
    session.do("group_part", group="frame/outer")
    session.do("set_level", level=4)
    assert [part.group for part in session.document.parts] == ["frame/outer", "", "frame/outer"]
    assert [part.level for part in session.document.parts] == [4, 2, 4]
    assert session.state.sentence == "Smooth 2 parts to level 4" and len(session.history) == before + 2
    assert {part.name for part in session.state.parts_chosen} == {"left", "top"}
    session.change_last(level=1)
    assert [part.level for part in session.document.parts] == [1, 2, 1]
    session.do("rename_part", name="bar")
    assert sorted(part.name for part in session.document.parts) in (["bar", "left", "right"], ["bar", "right", "top"])
    session.undo(), session.undo(), session.undo()
    assert [part.level for part in session.document.parts] == [2, 2, 2] and not session.document.parts[0].group


@needs_screen
def test_the_list_is_worked_by_keys_alone(empty: Hands) -> None:
    workshop(empty.session)
    panel = empty.window.parts
    panel.list.setFocus(Qt.FocusReason.TabFocusReason)
    panel.list.setCurrentRow(next(row for row, one in enumerate(panel.rows) if one.part and one.part.name == "lid"))
    empty.key(Qt.Key.Key_F2)
    empty.type("cover")
    empty.key(Qt.Key.Key_Return)
    assert "cover" in {part.name for part in empty.session.document.parts}
    # Left goes up to the group, folds it; right opens it again.
    panel.list.setFocus(Qt.FocusReason.TabFocusReason)
    panel.list.setCurrentRow(next(row for row, one in enumerate(panel.rows) if one.part and one.part.name == "cover"))
    empty.key(Qt.Key.Key_Left)
    here = panel.rows[panel.list.currentRow()]
    assert here.part is None and here.group == "table"
    shown = len(panel.rows)
    empty.key(Qt.Key.Key_Left)
    assert len(panel.rows) == shown - 2 and panel.rows[panel.list.currentRow()].group == "table"
    empty.key(Qt.Key.Key_Right)
    assert len(panel.rows) == shown
    # A letter is a command, not the start of a name.
    before = panel.list.currentRow()
    empty.key(Qt.Key.Key_P)
    assert empty.window.view.kind == "points" and panel.list.currentRow() == before


@needs_screen
def test_rows_stay_and_show_what_changes(empty: Hands) -> None:
    workshop(empty.session)
    panel = empty.window.parts
    widgets = [panel.widget_of(row) for row in range(len(panel.rows))]
    empty.session.set_active("bolt")
    empty.session.do("subdivide")
    bolt = panel.widget_of(panel.row_of(empty.session.part.id))
    assert isinstance(bolt, PartRow) and bolt.lock.toolTip() == "Lock"
    empty.session.do("set_part", locked=True, name="screw")
    assert (bolt.lock.toolTip(), bolt.lock.accessibleName(), bolt.name.text()) == ("Unlock", "Unlock", "screw")
    # A name that is being typed is left alone.
    panel.begin_rename(panel.row_of(empty.session.part.id))
    empty.qtbot.keyClicks(bolt.name, "pin")
    empty.session.do("set_part", locked=False)
    assert bolt.name.text() == "pin" and bolt.lock.toolTip() == "Lock"
    bolt.smooth.click()
    assert bolt.smooth.toolTip() == "Show its cage"
    assert [panel.widget_of(row) for row in range(len(panel.rows))] == widgets


@needs_screen
def test_of_many_rows_only_those_that_are_seen_are_made(empty: Hands) -> None:
    for number in range(60):
        empty.session.do("add_plane", name=f"sheet {number}")
    panel = empty.window.parts
    empty.qtbot.wait(20)

    def made() -> list[int]:
        return [row for row in range(60) if panel.list.itemWidget(panel.list.item(row)) is not None]

    panel.list.scrollToTop()
    panel.set_theme(panel.theme)
    assert made() == list(panel.list.seen) and 3 < len(made()) < 40
    panel.list.scrollToBottom()
    assert {59, *panel.list.seen} <= set(made())
    # A name is typed where it is seen.
    panel.begin_rename(30)
    assert 30 in panel.list.seen and not panel.widget_of(30).name.isReadOnly()
    # What was hidden meanwhile is there when it is shown.
    panel.hide()
    panel.set_theme(panel.theme)
    assert made() == []
    panel.show()
    assert made() == list(panel.list.seen) != []


@needs_screen
def test_a_name_that_is_cut_off_says_so_until_it_is_typed_over(empty: Hands) -> None:
    empty.session.do("add_plane", name="a sheet with a very long name that no row has room for")
    row = empty.window.parts.widget_of(0)
    empty.settle()
    name = row.name
    assert name.fontMetrics().horizontalAdvance(name.text()) > name.width() and row.toolTip() == name.text()
    cut = name.grab().toImage()
    name.begin()
    empty.settle()
    assert name.grab().toImage() != cut
    empty.qtbot.keyClick(name, Qt.Key.Key_Escape)
    empty.settle()
    assert name.isReadOnly() and name.grab().toImage() == cut
    # What stands at the end is the sign, not a letter cut in half: nothing touches the right side.
    side = [cut.pixelColor(cut.width() - 1, y) for y in range(cut.height())]
    assert len({(tone.red(), tone.green(), tone.blue(), tone.alpha()) for tone in side}) == 1
