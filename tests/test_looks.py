"""The look: contrast, icons, fonts; and every marker and panel state once on screen."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import CAGES, demo_once, fin, moebius
from driving import LEFT, NONE, opened
from PySide6.QtCore import QPoint, QSettings, Qt
from PySide6.QtGui import QColor, QFontDatabase
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from levelloop.app.icons import icon
from levelloop.app.main import application
from levelloop.app.theme import BENCH, FAMILY, THEMES, Theme, style_sheet, text_font
from levelloop.core.forms.primitives import cylinder, placed, plane
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.document.document import Document, new_part
from levelloop.document.operations import OPERATIONS
from levelloop.document.session import Session

pytestmark = pytest.mark.skipif(
    application().platformName() != "xcb", reason="the window's tests need X with OpenGL: run make test"
)


def luminance(name: str) -> float:
    """Relative luminance (WCAG 2.1, definition of relative luminance)."""
    channels = np.array(QColor(name).getRgbF()[:3])
    linear = np.where(channels <= 0.04045, channels / 12.92, ((channels + 0.055) / 1.055) ** 2.4)
    return float(linear @ [0.2126, 0.7152, 0.0722])


def contrast(one: str, other: str) -> float:
    """Contrast ratio (WCAG 2.1, success criterion 1.4.3)."""
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_white_on_black_is_twenty_one_to_one() -> None:
    assert contrast("#FFFFFF", "#000000") == pytest.approx(21)


@pytest.mark.parametrize("text", ["ink", "quiet", "stop", "warn", "note", "selection"])
@pytest.mark.parametrize("ground", ["paper", "panel"])
@pytest.mark.parametrize("theme", list(THEMES.values()), ids=list(THEMES))
def test_text_stands_out(text: str, ground: str, theme: Theme) -> None:
    # 4.5 : 1 for text (WCAG 2.1 AA).
    assert contrast(getattr(theme, text), getattr(theme, ground)) >= 4.5
    for under in (theme.field, theme.under, theme.chosen):
        assert contrast(theme.ink, under) >= 4.5


def test_the_theme_changes_everywhere_and_is_remembered(qtbot: QtBot) -> None:
    for hands in opened(Session(demo_once()), qtbot):
        before = hands.window.grab().toImage()
        hands.window.set_theme("Dusk")
        hands.settle()
        dark = hands.window.grab().toImage()
        for x, y in ((40, 10), (1100, 700), (600, 45), (50, 740), (300, 200)):
            assert dark.pixelColor(x, y).lightness() < before.pixelColor(x, y).lightness() - 60
        assert str(QSettings("Level Loop", "Level Loop").value("theme")) == "Dusk"
        hands.window.set_theme("Bench")
        hands.settle()
        assert hands.window.grab().toImage().pixelColor(1100, 700) == before.pixelColor(1100, 700)


def test_every_tool_has_its_icon_and_the_font_is_there() -> None:
    for operation in OPERATIONS:
        if operation.icon:
            assert not icon(operation.icon).isNull()
    assert FAMILY in QFontDatabase.families()
    assert text_font().family() == FAMILY
    assert "{" in style_sheet(BENCH) and "theme." not in style_sheet(BENCH)


def faulty() -> list[tuple[str, Mesh]]:
    """One part for each kind of finding."""
    seam = combined((plane((8, 8)), placed(plane((8, 8)), (8, 0, 0))))
    loose = mesh_of_faces([[0, 0, 0], [9, 0, 0], [0, 9, 0], [5, 5, 5]], [[0, 1, 2]])
    thin = mesh_of_faces([[0, 0, 0], [4, 0, 0], [8, 0, 0], [0, 4, 0], [4, 4, 0]], [[0, 1, 2], [0, 1, 4, 3]])
    bow = mesh_of_faces(
        [[0, 0, 0], [4, 0, 0], [4, 4, 0], [0, 4, 0], [8, 4, 0], [8, 8, 0], [4, 8, 0]], [[0, 1, 2, 3], [2, 4, 5, 6]]
    )
    bent = mesh_of_faces([[0, 0, 0], [8, 0, 0], [8, 8, 4], [0, 8, 0]], [[0, 1, 2, 3]])
    return [
        ("seam", seam), ("loose", loose), ("thin", thin), ("bow", bow), ("bent", bent), ("fin", fin()),
        ("strip", moebius()), ("drum", cylinder(9, 9, 7, 1, "triangles")), ("caps", CAGES["n-gon caps"]),
    ]  # fmt: skip


def test_every_finding_is_shown_framed_and_marked(qtbot: object) -> None:
    document = Document()
    for number, (name, mesh) in enumerate(faulty()):
        moved = mesh.with_points(mesh.points + np.array([25.0 * (number % 3), 25.0 * (number // 3), 0.0]))
        document = document.with_part(new_part(document, moved, name))
    for hands in opened(Session(document), qtbot):  # type: ignore[arg-type]
        window = hands.window
        window.reviewing.run()
        assert {finding.check for _, finding in window.review.rows} >= {
            "doubles", "unattached", "zero_area", "non_manifold", "one_sided", "triangles", "ngons", "poles",
            "not_flat", "open_edges",
        }  # fmt: skip
        before = window.view.grab().toImage()
        for row in range(len(window.review.rows)):
            window.review.show_row(row, 0)
            hands.settle()
            assert window.review.place.text().startswith("1 of")
            assert window.view.grab().toImage() != before
        # Place by place by the keys, from one finding to the next, and around again.
        window.review.show_row(0, 0)
        for _ in range(window.review.rows[0][1].count):
            window.review.walk(1)
        assert (window.review.row, window.review.step) == (1, 0)
        last = len(window.review.rows) - 1
        window.review.show_row(last, max(window.review.rows[last][1].count - 1, 0))
        window.review.walk(1)
        assert (window.review.row, window.review.step) == (0, 0)
        window.review.walk(-1)
        assert window.review.row == last


def test_purposes_are_switched_and_remedies_run(qtbot: object) -> None:
    seam = combined((plane((8, 8)), placed(plane((8, 8)), (8, 0, 0))))
    document = Document()
    for hands in opened(Session(document.with_part(new_part(document, seam, "seam"))), qtbot):  # type: ignore[arg-type]
        window = hands.window
        window.reviewing.run()
        assert "■" in window.review.marks["smooth"].text()
        row = next(i for i, (_, finding) in enumerate(window.review.rows) if finding.check == "doubles")
        window.review.show_row(row, 0)
        window.review.remedies.buttons[0].click()
        assert hands.session.part.mesh.n_points == 6
        assert "4 points became 2" in window.message
        window.reviewing.run()
        assert "✓" in window.review.marks["smooth"].text() and "■" in window.review.marks["print"].text()
        window.review.marks["print"].click()
        assert window.review.purpose == "print"
        assert any(finding.severity == "stop" for _, finding in window.review.rows)


def test_fields_step_through_words_and_switches(qtbot: object) -> None:
    for hands in opened(Session.new(), qtbot):  # type: ignore[arg-type]
        window = hands.window
        window.start("add_cylinder")
        window.sentence.fields["caps"].setFocus()
        hands.key(Qt.Key.Key_Up)
        assert hands.session.state.parameters["caps"] == "quads"
        hands.key(Qt.Key.Key_Down)
        assert hands.session.state.parameters["caps"] == "face"
        window.sentence.fields["sides"].setFocus()
        for _ in range(20):
            hands.key(Qt.Key.Key_Down)
        assert hands.session.state.parameters["sides"] == 3
        assert hands.session.part.mesh.n_faces == 5
        window.sentence.keep.click()
        assert len(hands.session.history) == 2
        top = hands.face(normal="z")
        hands.session.select(faces=[top])
        window.start("inset")
        window.sentence.fields["each"].setFocus()
        hands.key(Qt.Key.Key_Up)
        assert hands.session.state.parameters["each"] is True
        window.sentence.revert.click()
        assert hands.session.part.mesh.n_faces == 5


def test_the_rail_is_walked_by_wheel_and_refuses_what_does_not_fit(qtbot: object) -> None:
    document = Document()
    document = document.with_part(new_part(document, CAGES["quad caps"], "drum"))
    for hands in opened(Session(document), qtbot):  # type: ignore[arg-type]
        line = hands.window.line
        assert line.stop == 0 and line.stepped(1) == 1 and line.stepped(-1) == 0
        for place in line.places():
            if place.stop in (1, "limit"):
                hands.qtbot.mouseClick(line, LEFT, NONE, QPoint(round(place.x), 27))
                hands.settle()
                assert line.stop == place.stop
        assert not hands.session.part.limit
        hands.qtbot.mouseClick(line, LEFT, NONE, QPoint(round(line.places()[0].x), 27))
        assert line.stop == 0 and not hands.session.part.limit
        assert line.stop_at(line.width() - 5.0) is None
        QApplication.processEvents()
