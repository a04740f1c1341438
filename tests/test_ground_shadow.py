"""The soft shadow on the ground: under what stands on it, lighter the higher that is, and worked out once."""

from __future__ import annotations

import numpy as np
import pytest
from driving import Hands, needs_screen
from PySide6.QtWidgets import QApplication

from levelloop.app.view.render.light.ground_shadow import GroundShadow
from levelloop.app.view.render.picture import Picture
from levelloop.core.arrays import Floats

pytestmark = needs_screen


def brightness(hands: Hands, places: Floats) -> Floats:
    """How bright the view is at places in the world: (n,), 0 … 255."""
    hands.view.refresh()
    hands.settle()
    QApplication.processEvents()
    image = hands.view.grabFramebuffer()
    ratio = hands.view.devicePixelRatioF()
    on = hands.view.on_screen(places)[:, :2] * ratio
    return np.array([image.pixelColor(round(x), round(y)).lightness() for x, y in on.tolist()], dtype=np.float64)


def plain(hands: Hands) -> None:
    hands.view.look_of.ground = False
    hands.view.look_of.wire = False
    hands.view.camera.look("top")
    hands.view.camera.tilt = 35.0
    hands.view.frame(everything=True)
    hands.settle()


def darkening(hands: Hands, places: Floats) -> Floats:
    """How much darker places are with the shadow than without."""
    with_it = brightness(hands, places)
    hands.view.look_of.shadow = False
    without = brightness(hands, places)
    hands.view.look_of.shadow = True
    return without - with_it


@pytest.mark.parametrize("height", [0.0, 1.5, 12.0])
def test_what_stands_on_the_ground_darkens_it_and_what_floats_less(empty: Hands, height: float) -> None:
    empty.session.do("add_quad_sphere", diameter=20, cells=6, at=(0, 0, 10 + height))
    plain(empty)
    # Beside the ball, towards the eye, where it hides nothing; and far away.
    beside, away = (0.0, -4.0 - 0.7 * height, 0.0), (0.0, -9.6, 0.0)
    dark = darkening(empty, np.array([beside, away]))
    assert dark[1] < 6
    if height == 0:
        assert dark[0] > 12
    elif height == 12:
        assert dark[0] < 5


def test_it_is_worked_out_once_and_stays_while_the_camera_moves(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    thrown: list[int] = []
    throw = GroundShadow._throw

    def noted(shadow: GroundShadow, pictures: list[Picture]) -> None:
        thrown.append(len(pictures))
        throw(shadow, pictures)

    monkeypatch.setattr(GroundShadow, "_throw", noted)
    empty.session.do("add_box", size=(20, 20, 20), at=(0, 0, 10))
    plain(empty)
    brightness(empty, np.zeros((1, 3)))
    thrown.clear()
    for turn in (10.0, 40.0, 80.0):
        empty.view.camera.turn = turn
        brightness(empty, np.zeros((1, 3)))
    assert not thrown
    empty.session.do("move", by=(5, 0, 0))
    brightness(empty, np.zeros((1, 3)))
    assert thrown == [1]
    # Hidden parts throw none, and without parts there is none.
    empty.session.do("set_part", visible=False)
    assert np.isfinite(brightness(empty, np.zeros((1, 3)))).all()


def test_from_below_there_is_none_and_judging_looks_have_none(empty: Hands) -> None:
    empty.session.do("add_quad_sphere", diameter=20, cells=6, at=(0, 0, 10))
    plain(empty)
    empty.view.camera.tilt = -40.0
    assert abs(darkening(empty, np.array([[0.0, 6.0, 0.0]]))[0]) <= 1
    empty.view.camera.tilt = 35.0
    for shading in ("silhouette", "stripes", "curvature", "raking light"):
        empty.view.look_of.shading = shading
        assert empty.view.scene().shadow is None
