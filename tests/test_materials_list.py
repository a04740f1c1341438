"""The list of materials in the real window: given, dropped, looked for, changed and removed."""

from __future__ import annotations

import numpy as np
import pytest
from driving import LEFT, Hands, needs_screen
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QImage

from levelloop.app.main import application
from levelloop.app.panels.materials import MIME, swatch
from levelloop.core.errors import EditError
from levelloop.document.materials import SHIPPED, Material
from levelloop.document.session import Session


def test_a_material_is_removed_and_the_others_stay_where_they_are() -> None:
    session = Session.new()
    session.do("add_box")
    session.do("material", name="mint", colour="#7FC9A6")
    for face, name in ((0, "mint"), (1, "brass"), (2, "mint"), (3, "wood")):
        session.select(faces=[face])
        session.do("set_material", material=name)
    session.do("remove_material", name="mint")
    mesh = session.part.mesh
    assert [mesh.materials[n] if n >= 0 else "" for n in mesh.material.tolist()] == ["", "brass", "", "wood", "", ""]
    assert session.document.materials == () and "mint" not in mesh.materials
    with pytest.raises(EditError, match="no material “mint”"):
        session.do("remove_material", name="mint")
    session.undo()
    assert session.document.materials[0].name == "mint"


def test_every_shipped_material_has_a_swatch_of_its_own_colour() -> None:
    """Rendered or drawn: the ball's middle is nearer to the material's colour than the ground is, but for glass."""
    application()
    for material in (*SHIPPED, Material("mint", "#7FC9A6", 0.3), Material("gold", "#D0A030", 0.2, 1.0)):
        image = swatch(material).toImage().convertToFormat(QImage.Format.Format_RGB32)
        assert image.width() == image.height() == 96
        wanted = np.array([int(material.colour[i : i + 2], 16) for i in (1, 3, 5)], dtype=float)
        wanted -= wanted.mean()
        middle = np.array(image.pixelColor(52, 60).getRgb()[:3], dtype=float)
        middle -= middle.mean()
        # Hue: colours that are none have none here either.
        size = np.linalg.norm(wanted)
        if size > 40 and material.opacity > 0.5:
            assert wanted @ middle / (size * max(np.linalg.norm(middle), 1e-9)) > 0.85, material.name


def row_of(hands: Hands, name: str) -> int:
    names = hands.window.materials.list
    return next(n for n in range(names.count()) if names.item(n).data(Qt.ItemDataRole.UserRole) == name)


def shown(hands: Hands) -> None:
    hands.session.do("add_box", size=(20, 20, 20))
    hands.window.materials.toggle()
    hands.view.frame(everything=True)
    hands.settle()


def click(hands: Hands, words: str) -> None:
    button = next(one for one in hands.window.materials.buttons if one.text() == words)
    hands.qtbot.mouseClick(button, LEFT)
    hands.settle()


@needs_screen
def test_materials_are_given_looked_for_changed_and_removed(empty: Hands) -> None:
    shown(empty)
    session, panel, window = empty.session, empty.window.materials, empty.window
    session.select(faces=[1, 2])
    panel.list.setCurrentRow(row_of(empty, "brass"))
    click(empty, "Give")
    assert session.part.mesh.material.tolist() == [-1, 0, 0, -1, -1, -1] and window.view.look_of.materials
    assert "2 faces in 1 part" in panel.list.item(row_of(empty, "brass")).text()
    session.select_none()
    click(empty, "Where used")
    assert sorted(session.selection.indices.tolist()) == [1, 2]
    # The material of what is selected is the chosen one.
    session.select(faces=[4])
    panel.list.setCurrentRow(row_of(empty, "wood"))
    panel.list.setFocus()
    empty.qtbot.keyClick(panel.list, Qt.Key.Key_Return)
    assert session.part.mesh.materials[session.part.mesh.material[4]] == "wood"
    session.select(faces=[2])
    empty.settle()
    assert panel.chosen == "brass"
    click(empty, "Change")
    assert window.sentence.is_open and session.document.materials[0].name == "brass"
    window.sentence.change(colour="#FF0000")
    empty.key(Qt.Key.Key_Return)
    assert session.document.materials[0].colour == "#FF0000"
    panel.list.setCurrentRow(row_of(empty, "brass"))
    click(empty, "Remove")
    assert "brass" not in session.part.mesh.materials and session.document.materials == ()


@needs_screen
def test_a_material_is_dropped_onto_a_face_or_a_part(empty: Hands) -> None:
    shown(empty)
    session, window = empty.session, empty.window
    empty.view.look("top")
    empty.view.frame(everything=True)
    empty.settle()

    def drop(place: QPoint) -> None:
        data = QMimeData()
        data.setData(MIME, b"honey")
        at = QPointF(empty.view.mapTo(window, place))
        everything = Qt.DropAction.CopyAction
        window.dropEvent(QDropEvent(at, everything, data, LEFT, Qt.KeyboardModifier.NoModifier))
        empty.settle()

    top = session.part.mesh.topology
    drop(QPoint(empty.view.width() // 2, empty.view.height() // 2))
    given = np.flatnonzero(session.part.mesh.material >= 0)
    assert len(given) == 1 and session.part.mesh.points[top.face(int(given[0]))][:, 2].min() == 10
    drop(QPoint(4, 80))
    assert "onto a part" in window.message
    window.set_kind("parts")
    drop(QPoint(empty.view.width() // 2, empty.view.height() // 2))
    assert (session.part.mesh.material >= 0).all()
