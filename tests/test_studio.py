"""The studio that materials are shown in: the light of the still picture, and surfaces in it as their physics says."""

from __future__ import annotations

import numpy as np
import pytest
from driving import Hands
from PySide6.QtCore import QPoint

from levelloop.app.view.camera import Camera
from levelloop.app.view.render.light.studio import (
    HEIGHT,
    ROUGHNESS,
    WIDTH,
    brightness,
    directions,
    made_levels,
    seen_by,
    studio_levels,
)
from levelloop.app.view.render.renderer import Renderer
from levelloop.app.view.render.scene import Scene
from levelloop.core.arrays import Floats
from levelloop.files.usd.materials import linear_of
from levelloop.still.lights import AROUND, LIGHTS, PANELS, Light


@pytest.mark.parametrize("roughness", [*ROUGHNESS, None])
def test_in_an_even_room_every_surface_sees_the_room(roughness: float | None) -> None:
    """The furnace: a mean over any lobe of what is 1 everywhere is 1."""
    assert np.allclose(seen_by(np.ones((12, 24, 3)), roughness), 1.0)


@pytest.mark.parametrize("light", LIGHTS)
def test_the_ground_is_as_bright_as_what_falls_on_it(light: Light) -> None:
    """Against the integral of the sky over the hemisphere, by a hundred thousand directions evenly in z and around."""
    count = 100_000
    number = np.arange(count)
    up, turn = (number + 0.5) / count, number * np.pi * (3.0 - np.sqrt(5.0))
    across = np.sqrt(1.0 - up**2)
    ways = np.stack((across * np.cos(turn), across * np.sin(turn), up), axis=1)
    falls = 2.0 * np.pi * (brightness(ways, light) * up[:, None]).mean(axis=0)
    below = brightness(np.array([[0.0, 0.0, -1.0]]), light)[0]
    assert np.allclose(below, np.array((0.52, 0.50, 0.47)) * falls / np.pi, rtol=0.01)


def test_what_is_shipped_is_what_the_lights_make() -> None:
    shipped, small = studio_levels(), made_levels("even")
    assert shipped.shape == (len(ROUGHNESS) + 1, HEIGHT, WIDTH, 3)
    # An even room is even above the horizon at every roughness that sees nothing of the ground.
    assert np.allclose(small[0][: HEIGHT // 2], AROUND["even"])
    ways = directions(HEIGHT, WIDTH).reshape(-1, 3)
    for panel in PANELS["studio"]:
        towards = np.array(panel.place) / np.linalg.norm(panel.place)
        at = int((ways @ towards).argmax())
        assert np.allclose(shipped[0].reshape(-1, 3)[at], panel.strength * np.array(panel.tint), rtol=2e-3)
    assert np.allclose(seen_by(shipped[0], None), shipped[-1], rtol=2e-3)


# Of what is before a surface of roughness 1 that is faced: times its colour, and beside it; Karis 2014 by hand:
# r = (0, 0.015, 0.468, −0.018), a = 0.015.
SHARE = (-1.04 * 0.015 + 0.468, 1.04 * 0.015 - 0.018)


def as_drawn(linear: Floats) -> Floats:
    """Linear colour as it is drawn, 0 … 255: IEC 61966-2-1."""
    clipped = np.clip(linear, 0.0, 1.0)
    return np.asarray(255.0 * np.where(clipped <= 0.0031308, 12.92 * clipped, 1.055 * clipped ** (1 / 2.4) - 0.055))


@pytest.mark.parametrize(("material", "colour", "metal"), [("chalk", "#E8E4DA", 0.0), ("gold", "#C9A24B", 1.0)])
def test_a_sheet_seen_from_above_is_as_bright_as_its_physics_says(
    empty: Hands, material: str, colour: str, metal: float
) -> None:
    """A rough sheet sends back what falls on it by its colour; a metal mirrors what its roughness sees above it."""
    session, view = empty.session, empty.view
    session.do("add_plane", size=(40, 40))
    session.do("material", name=material, colour=colour, roughness=1.0, metalness=metal, refraction=1.0)
    session.do("set_material", material=material)
    empty.window.on_view.set_look(materials=True)
    view.look("top")
    view.frame(everything=True)
    empty.settle()
    middle = QPoint(view.width() // 2 + 9, view.height() // 2 + 7)
    seen = view.grabFramebuffer().pixelColor(middle * view.devicePixelRatioF())
    levels, own = studio_levels(), np.array(linear_of(colour))
    sheen = levels[-2, 0].mean(axis=0) * (own * SHARE[0] + SHARE[1]) if metal else 0.0
    expected = (1.0 - metal) * own * levels[-1, 0].mean(axis=0) + sheen
    assert np.abs(np.array([seen.red(), seen.green(), seen.blue()]) - as_drawn(expected)).max() < 4.0


def brightness_at(hands: Hands, place: tuple[float, float, float]) -> int:
    view = hands.view
    x, y = view.on_screen(np.array([place]))[0, :2]
    return view.grabFramebuffer().pixelColor(QPoint(round(x), round(y)) * view.devicePixelRatioF()).lightness()


@pytest.mark.parametrize("direction", ["top", "perspective"])
def test_what_lies_beside_something_gets_less_light(empty: Hands, direction: str) -> None:
    session, view = empty.session, empty.view
    session.do("add_plane", size=(60, 60), cells=(12, 12))
    session.do("set_material", material="paper")
    session.do("add_box", size=(12, 12, 3), at=(0, 0, 1.5))
    session.select_none()
    if direction == "top":
        view.look("top")
    view.frame(everything=True)
    empty.window.on_view.set_look(materials=True, wire=False, shadow=False)
    empty.settle()
    # In front of the box, on the side that is seen, and far from it.
    beside, away = brightness_at(empty, (2.0, -6.6, 0.0)), brightness_at(empty, (2.0, -22.0, 0.0))
    assert away - beside > 4
    empty.window.on_view.set_look(materials=False)
    empty.settle()
    # Clay is judged by its form alone.
    assert abs(brightness_at(empty, (2.0, -6.6, 0.0)) - brightness_at(empty, (2.0, -22.0, 0.0))) < 3


def test_a_wipe_darkens_hollows_once_on_either_side(empty: Hands) -> None:
    session, view = empty.session, empty.view
    session.do("add_plane", size=(60, 60), cells=(12, 12))
    session.do("add_box", size=(12, 12, 3), at=(0, 0, 1.5))
    session.select_none()
    view.frame(everything=True)
    empty.window.on_view.set_look(materials=True, wire=False, shadow=False)
    empty.settle()
    beside, away = (2.0, -6.6, 0.0), (2.0, -22.0, 0.0)
    plain = brightness_at(empty, beside), brightness_at(empty, away)
    renderer = view.frames._renderer
    assert renderer is not None and plain[0] < plain[1]
    scene = view.scene()

    def wiped(share: float) -> tuple[int, int]:
        def draw(target: int, one: Scene, camera: Camera, width: int, height: int, fine: bool, left: object) -> None:
            del left
            Renderer.draw(renderer, target, one, camera, width, height, fine, (scene, share))

        renderer.draw = draw  # type: ignore[method-assign]
        return brightness_at(empty, beside), brightness_at(empty, away)

    for share in (0.1, 0.9):
        assert np.abs(np.subtract(wiped(share), plain)).max() <= 1
    del renderer.draw
