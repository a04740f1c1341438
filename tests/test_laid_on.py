"""What is laid on by UV in the views: the checker and images of materials, on cages and on smooth surfaces."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from driving import Hands, needs_screen
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor

from levelloop.app.view.render.checker import SQUARES, checker, square_colour
from levelloop.app.view.render.picture import make_picture
from levelloop.core.mesh.mesh import Mesh
from levelloop.document.session import Session


def laid_flat(mesh: Mesh) -> Mesh:
    """UV that follows from the place: where it lies on a surface is known without it."""
    at = mesh.points[mesh.topology.corners]
    return replace(mesh, uv=np.stack((0.02 * at[:, 0] + 0.5, 0.02 * at[:, 1] - 0.01 * at[:, 2] + 0.5), axis=1))


RECIPES = {
    "cage": lambda session: None,
    "soft shading": lambda session: session.do("shade", kind="soft"),
    "two materials": lambda session: (
        session.select(faces=[3, 1]),
        session.do("set_material", material="brass"),
        session.select_none(),
    ),
    "mirrored": lambda session: session.do("step_array", count=2, move=(0, 0, 0.0)),
}


@pytest.mark.parametrize("recipe", RECIPES)
@pytest.mark.parametrize("level", [0, 1, 3])
@pytest.mark.parametrize("form", ["add_plane", "add_geodesic", "add_cylinder"])
def test_uv_lies_where_the_place_says(recipe: str, level: int, form: str) -> None:
    """UV smooths as places do where it has no cuts: at every triangle's corners it is that of the place."""
    session = Session.new()
    values = {"add_plane": {"cells": (4, 4)}, "add_geodesic": {"splits": 1}, "add_cylinder": {"sides": 7}}
    session.perform(form, **values[form])
    RECIPES[recipe](session)
    part = replace(session.part, mesh=laid_flat(session.part.mesh), level=max(level, 1))
    picture = make_picture(part, level > 0, level=level)
    assert picture.uv is not None and len(picture.uv) == len(picture.unrolled) == 3 * len(picture.indices)
    x, y, z = picture.unrolled[:, :3].astype(np.float64).T
    assert np.allclose(picture.uv, np.stack((0.02 * x + 0.5, 0.02 * y - 0.01 * z + 0.5), axis=1), atol=1e-5)


def test_what_has_no_uv_has_none_laid_on() -> None:
    session = Session.new()
    session.do("add_box")
    assert make_picture(session.part, False).uv is None


def test_the_checker_names_its_squares_and_warms_upwards() -> None:
    pixels = checker()
    step = len(pixels) // SQUARES
    for row in range(SQUARES):
        for column in range(SQUARES):
            # A place of the square beside its name; pictures count from above.
            found = pixels[len(pixels) - row * step - step // 8, column * step + step // 8]
            assert found[:3].tolist() == list(square_colour(row, column).getRgb()[:3])
    warmth = [square_colour(row, row % 2).red() - square_colour(row, row % 2).blue() for row in range(SQUARES)]
    assert warmth == sorted(warmth) and warmth[0] < warmth[-1]


def sheet_from_above(hands: Hands) -> None:
    session = hands.session
    session.do("add_plane", size=(100, 100), cells=(2, 2))
    session.do("project_uv", by="plane", axis="z", size=100)
    uv = session.part.mesh.uv
    low = uv.min(axis=0)
    session.do("move_uv", right=float(-low[0]), up=float(-low[1]))
    session.select_none()
    hands.view.look("top")
    hands.view.frame(everything=True)
    hands.view.look_of.wire = hands.view.look_of.ground = False
    hands.settle()


def seen(hands: Hands, x: float, y: float) -> QColor:
    place = hands.view.on_screen(np.array([[x, y, 0.0]]))[0]
    return QColor(hands.view.grabFramebuffer().pixel(round(place[0]), round(place[1])))


@needs_screen
def test_the_checker_is_seen_on_the_part_right_side_up(empty: Hands) -> None:
    sheet_from_above(empty)
    empty.key(Qt.Key.Key_I)
    empty.key(Qt.Key.Key_K)
    empty.settle()
    assert empty.view.look_of.shading == "checker"
    for row, column in ((0, 0), (0, 1), (7, 7), (7, 0), (3, 5)):
        wanted = square_colour(row, column)
        found = seen(empty, (column + 0.12) * 12.5 - 50, (row + 0.12) * 12.5 - 50)
        # Lit, so darker or brighter as a whole.
        ratio = np.array(found.getRgb()[:3]) / np.array(wanted.getRgb()[:3])
        assert np.ptp(ratio) < 0.12, (row, column, found.name(), wanted.name())
    clay = empty.view.grabFramebuffer()
    empty.key(Qt.Key.Key_I)
    empty.key(Qt.Key.Key_K)
    empty.settle()
    assert empty.view.look_of.shading == "clay" and empty.view.grabFramebuffer() != clay


@needs_screen
def test_the_image_of_a_material_is_seen_where_its_faces_are(empty: Hands, tmp_path: Path) -> None:
    """Red below and green above, on the left half; a missing image leaves the material's colour."""
    sheet_from_above(empty)
    pixels = np.zeros((64, 64, 3), dtype=np.uint8)
    pixels[:32], pixels[32:] = (30, 160, 40), (200, 30, 30)
    Image.fromarray(pixels).save(tmp_path / "cloth.png")
    session = empty.session
    session.do("material", name="printed", image=str(tmp_path / "cloth.png"))
    session.do("material", name="plain", colour="#2040C0", image=str(tmp_path / "gone.png"))
    for name, x in (("printed", -25), ("plain", 25)):
        session.select_where("faces", near=(x, -25, 0))
        session.select_where("faces", near=(x, 25, 0), add=True)
        session.do("set_material", material=name)
    session.select_none()
    empty.key(Qt.Key.Key_I)
    empty.key(Qt.Key.Key_A)
    empty.settle()
    below, above, other = seen(empty, -25, -25), seen(empty, -25, 25), seen(empty, 25, 25)
    assert below.red() > 2 * below.green() and above.green() > 2 * above.red()
    assert other.blue() > 2 * other.red()
