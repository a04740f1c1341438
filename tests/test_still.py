"""The still: against a furnace and Lambert's cosine, from the command line and the window, stopped and refused."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from driving import Hands, needs_screen
from PIL import Image
from PySide6.QtCore import QTimer

from levelloop.app.commands.files.picturing import ALL, AS_SEEN
from levelloop.core.errors import EditError
from levelloop.core.progress import CancelledError, watched
from levelloop.document.cameras import NamedCamera
from levelloop.document.session import Session
from levelloop.files.errors import FileError
from levelloop.still import render as rendering
from levelloop.still.render import render
from levelloop.still.scene import Request


def ball(colour: str = "#FFFFFF") -> Session:
    session = Session.new()
    session.do("add_quad_sphere", diameter=40, cells=8)
    session.do("set_level", level=3)
    session.do("set_material", material="chalk")
    session.do("material", name="chalk", colour=colour, roughness=1.0)
    return session


def pixels(path: Path) -> np.ndarray:
    with Image.open(path) as picture:
        return np.asarray(picture).astype(int)


def test_a_white_ball_in_white_light_vanishes(tmp_path: Path) -> None:
    """The furnace test: what reflects all of an even light looks as bright as that light."""
    path = tmp_path / "ball.png"
    render(ball().document, path, Request(64, 64, 64, "even"))
    seen = pixels(path)
    inside = seen[24:40, 24:40, :3]
    assert np.abs(inside - 255).mean() < 1.5 and np.abs(inside - 255).max() <= 9 and seen[32, 32, 3] == 255
    # Where nothing is, nothing covers.
    assert (seen[0, 0, 3], seen[-1, -1, 3]) == (0, 0)
    grey = tmp_path / "grey.png"
    render(ball("#808080").document, grey, Request(64, 64, 64, "even"))
    assert np.abs(pixels(grey)[24:40, 24:40, :3].mean() - 0x80) < 1.5


def test_a_slanted_face_is_as_bright_as_the_cosine_says(tmp_path: Path) -> None:
    """Lambert: two sheets under one small far light, one facing it and one turned by 60°, are as 1 to 1/2."""
    from levelloop.still.lights import PANELS

    bright = []
    middle = np.array(PANELS["evening"][0][0])
    towards = middle / np.linalg.norm(middle)
    for angle in (0.0, 60.0):
        session = Session.new()
        session.do("add_plane", size=(1, 1))
        session.do("set_level", level=0)
        session.do("set_material", material="chalk")
        session.do("material", name="chalk", colour="#404040", roughness=1.0)
        side = np.cross(towards, (0, 0, 1))
        side /= np.linalg.norm(side)
        turn = np.radians(angle)
        normal = np.cos(turn) * towards + np.sin(turn) * np.cross(side, towards)
        # The sheet faces z; turned so that it faces the normal.
        axis = np.cross((0, 0, 1), normal)
        session.select_all("points")
        session.do(
            "rotate",
            angle=float(np.degrees(np.arctan2(np.linalg.norm(axis), normal[2]))),
            axis=tuple(axis / np.linalg.norm(axis)),
        )
        path = tmp_path / f"{angle}.exr"
        session.do(
            "keep_camera",
            name="front",
            target=(0, 0, 0),
            distance=4,
            turn=float(np.degrees(np.arctan2(normal[0], -normal[1]))),
            tilt=float(np.degrees(np.arcsin(normal[2]))),
            perspective=True,
            field_of_view=6,
            shift=(0, 0),
        )
        render(session.document, path, Request(16, 16, 512, "evening", "front", ground=False))
        import mitsuba

        mitsuba.set_variant("scalar_rgb")
        seen = np.array(mitsuba.Bitmap(str(path)))[6:10, 6:10, 0].mean()
        bright.append(float(seen))
    # The cosine of 60° is a half; the light all around adds the same to both.
    assert 0.45 < bright[1] / bright[0] < 0.68


def test_an_image_lies_on_the_still_as_uv_says(tmp_path: Path) -> None:
    # Red above blue, by the picture's rows; v counts upwards.
    image = tmp_path / "two.png"
    rows = np.zeros((8, 8, 3), dtype=np.uint8)
    rows[:4], rows[4:] = (220, 20, 20), (20, 20, 220)
    Image.fromarray(rows).save(image)
    session = Session.new()
    session.do("add_plane", size=(20, 20), cells=(4, 4), axis="-y")
    session.do("set_level", level=0)
    session.select_all("points")
    session.do("project_uv", by="plane", axis="y", size=20.0)
    session.select_none()
    session.do("set_material", material="banner")
    session.do("material", name="banner", image=str(image), roughness=1.0)
    view = NamedCamera("", (0, 0, 0), 100.0, 0.0, 0.0, True, 12.0)
    session.do("face_outward")

    def seen() -> np.ndarray:
        path = tmp_path / "seen.png"
        render(session.document, path, Request(32, 32, 16, "even", view=view))
        return pixels(path)[:, :, :3]

    found = seen()
    top, bottom = found[9, 16], found[22, 16]
    points, uv = session.part.mesh.points, session.part.mesh.uv
    assert uv is not None
    highest = session.part.mesh.topology.corners[uv[:, 1].argmax()]
    upper, lower = (top, bottom) if points[highest, 2] > 0 else (bottom, top)
    assert upper[0] > 150 > upper[2] and lower[2] > 150 > lower[0]
    # Where the image is gone the colour is there.
    image.unlink()
    session.do("material", name="banner", colour="#10C010")
    assert (seen()[9, 16].argmax(), seen()[22, 16].argmax()) == (1, 1)


def test_only_the_depth_that_is_asked_for_is_sharp(tmp_path: Path) -> None:
    session = Session.new()
    for depth, name in ((0, "here"), (60, "behind")):
        session.do("add_box", size=(8, 1, 40), at=(-8 if depth else 8, depth, 0), name=name)
        session.do("set_level", level=0)
    view = NamedCamera("", (0, 0, 0), 200.0, 0.0, 0.0, True, 12.0)

    def edges(sharp: float) -> dict[str, float]:
        """How steep the outline of each box is in the picture, of 1 from one pixel to the next."""
        path = tmp_path / f"{sharp}.png"
        render(session.document, path, Request(96, 64, 96, "even", view=view, sharp=sharp))
        steps = np.abs(np.diff(pixels(path)[32, :, 3] / 255.0))
        return {"here": float(steps[48:].max()), "behind": float(steps[:48].max())}

    all_sharp, half, little = edges(0.0), edges(200.0), edges(1.0)
    assert min(all_sharp.values()) > 0.4
    assert min(half.values()) > 0.4
    assert little["here"] > 0.4 and little["behind"] < 0.25
    with pytest.raises(EditError, match="0 mm"):
        render(session.document, tmp_path / "a.png", Request(8, 8, 1, sharp=-1.0))
    flat = NamedCamera("", (0, 0, 0), 200.0, 0.0, 0.0, False, 12.0)
    with pytest.raises(EditError, match="perspective"):
        render(session.document, tmp_path / "a.png", Request(8, 8, 1, view=flat, sharp=5.0))


def test_the_command_line_writes_sizes_and_turns(tmp_path: Path) -> None:
    path = ball().save(tmp_path / "ball.usda")

    def run(*words: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "levelloop", "still", *words]
        return subprocess.run(command, check=False, capture_output=True, text=True)

    assert run(str(path), "-o", str(tmp_path / "a.png"), "--size", "48x32", "--samples", "1").returncode == 0
    assert pixels(tmp_path / "a.png").shape[:2] == (32, 48)
    around = run(str(path), "-o", str(tmp_path / "b.png"), "--size", "16x16", "--samples", "1", "--turn", "3")
    assert around.returncode == 0
    assert sorted(one.name for one in tmp_path.glob("b_*.png")) == ["b_1.png", "b_2.png", "b_3.png"]
    for wrong, told in (
        (("--size", "16"), "WIDTHxHEIGHT"),
        (("--light", "moon"), "The lights are"),
        (("--camera", "none"), "no camera"),
        (("--samples", "0"), "0"),
    ):
        failed = run(str(path), "-o", str(tmp_path / "c.png"), *wrong)
        assert failed.returncode == 2 and told in failed.stderr and failed.stderr.count("\n") == 1
    assert not (tmp_path / "c.png").exists()


def test_what_cannot_be_is_said_and_loses_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session = ball()
    with pytest.raises(FileError, match=r"\.png or \.exr"):
        render(session.document, tmp_path / "a.jpg", Request())
    with pytest.raises(FileError, match="pixels each way"):
        render(session.document, tmp_path / "a.png", Request(0, 10))
    with pytest.raises(EditError, match="nothing to be seen"):
        render(Session.new().document, tmp_path / "a.png", Request(8, 8, 1))
    old = tmp_path / "old.png"
    old.write_bytes(b"what was there")
    # The renderer ends badly: one sentence, the picture that was there stays.
    monkeypatch.setattr(rendering, "describe", lambda *_: {"samples": 1})
    with pytest.raises(FileError, match="The renderer could not finish: KeyError"):
        render(session.document, old, Request(8, 8, 1))
    assert old.read_bytes() == b"what was there"
    monkeypatch.setattr(rendering.importlib.util, "find_spec", lambda name: None)
    with pytest.raises(EditError, match="No renderer is installed"):
        render(session.document, old, Request(8, 8, 1))


def test_it_is_stopped_at_once_and_tells_how_far_it_is(tmp_path: Path) -> None:
    told: list[float] = []
    began: list[float] = []

    def stop_after(seconds: float) -> Callable[[], bool]:
        def stops() -> bool:
            began[:] = began or [time.monotonic()]
            return time.monotonic() - began[0] > seconds

        return stops

    with pytest.raises(CancelledError), watched(told.append, stop_after(1.5)):
        render(ball().document, tmp_path / "large.png", Request(4000, 3000, 5000))
    assert time.monotonic() - began[0] < 8.0 and not (tmp_path / "large.png").exists()
    told.clear()
    with watched(told.append):
        render(ball().document, tmp_path / "small.png", Request(16, 16, 12))
    assert told == sorted(told) and told[-1] > 0 and (tmp_path / "small.png").exists()


@needs_screen
def test_the_window_pictures_what_it_sees(empty: Hands, tmp_path: Path) -> None:
    window = empty.window
    window.picturing.ask()
    assert "no part to picture" in window.message
    empty.session.do("add_box", size=(20, 20, 20))
    empty.view.look("front")
    empty.view.frame(everything=True)
    empty.settle()
    window.picturing.ask()
    assert window.sentence.is_open
    values = {"size": "64 x 64", "samples": 2, "light": "studio", "ground": False, "sharp": None}
    for what in (AS_SEEN, ALL):
        path = tmp_path / f"{len(what)}.png"
        assert window.picturing.make({**values, "what": what}, path)
        assert pixels(path).shape[:2] == (64, 64) and "Wrote" in window.message
    # What was made stays in a card until it is closed.
    card = window.view.still_card
    assert card.isVisible() and "Wrote" in card.told.text() and not card.picture.pixmap().isNull()
    card.end.click()
    assert not card.isVisible()
    seen = pixels(tmp_path / f"{len(AS_SEEN)}.png")
    assert seen[32, 32, 3] == 255 and seen[2, 2, 3] == 0


@needs_screen
def test_a_still_is_seen_while_it_grows_clearer(empty: Hands, tmp_path: Path) -> None:
    window = empty.window
    empty.session.do("add_quad_sphere", diameter=20, cells=6)
    card = window.view.still_card
    told: list[str] = []
    values = {"size": "160 x 100", "samples": 1500, "light": "studio", "ground": True, "sharp": None, "what": ALL}

    def look() -> None:
        if not card.picture.pixmap().isNull():
            told.append(card.told.text())
        if "left" in "".join(told) or len(told) > 200:
            window.runner.stop()
        else:
            QTimer.singleShot(150, look)

    QTimer.singleShot(150, look)
    assert not window.picturing.make(values, tmp_path / "never.png")
    assert not (tmp_path / "never.png").exists()
    assert all("Esc stops it" in words and "%" in words for words in told) and any("left" in words for words in told)
    # What is there so far stays to be looked at.
    assert card.isVisible() and "Stopped" in card.told.text()


def test_what_is_there_so_far_comes_nearer_to_the_picture(tmp_path: Path) -> None:
    far: list[np.ndarray] = []
    shares: list[float] = []

    def grown(so_far: Path, share: float) -> None:
        far.append(pixels(so_far))
        shares.append(share)

    render(ball("#C08040").document, tmp_path / "ball.png", Request(160, 120, 400), grown)
    end = pixels(tmp_path / "ball.png")
    off = [float(np.abs(one - end).mean()) for one in far]
    assert len(off) >= 2 and shares == sorted(shares) and off[-1] < 0.5 * off[0]
