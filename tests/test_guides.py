"""Guides: added, changed, calibrated, saved with the document or lost, and drawn in their view."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from driving import needs_screen

from levelloop.core.errors import EditError
from levelloop.document.session import Session
from levelloop.files.errors import FileError


def test_a_guide_is_added_changed_and_removed(image: Path) -> None:
    session = Session.new()
    session.do("add_guide", path=str(image), view="right", width=50)
    session.do("add_guide", path=str(image))
    assert [guide.name for guide in session.document.guides] == ["bee", "bee 2"]
    session.do("set_guide", name="bee", opacity=0.3, crop="left", flip=True, at=(5, 6), locked=True)
    guide = session.document.guides[0]
    assert (guide.opacity, guide.crop, guide.flip, guide.at, guide.width) == (0.3, "left", True, (5, 6), 50)
    with pytest.raises(EditError, match="is locked"):
        session.do("set_guide", name="bee", opacity=0.5)
    session.do("set_guide", name="bee", locked=False)
    session.do("remove_guide", name="bee 2")
    assert len(session.document.guides) == 1
    session.undo()
    assert len(session.document.guides) == 2


def test_two_places_and_a_length_give_the_true_size(image: Path) -> None:
    session = Session.new()
    session.do("add_guide", path=str(image), width=80)
    # What measures 20 on the image is 120 mm: six times as large, the first place staying where it is.
    session.do("calibrate_guide", start=(-10, 5), end=(10, 5), length="120 mm")
    guide = session.document.guides[0]
    assert guide.width == pytest.approx(480) and guide.at == pytest.approx((50, -25))
    with pytest.raises(EditError, match="lie on each other"):
        session.do("calibrate_guide", start=(1, 1), end=(1, 1), length=5)


def test_what_is_no_image_is_said(tmp_path: Path) -> None:
    session = Session.new()
    with pytest.raises(EditError, match="PNG, JPEG or SVG"):
        session.do("add_guide", path=str(tmp_path / "bee.txt"))
    with pytest.raises(FileError, match="cannot be read"):
        session.do("add_guide", path=str(tmp_path / "bee.png"))
    with pytest.raises(EditError, match="no guide yet"):
        session.do("remove_guide")


@pytest.mark.parametrize("embed", [True, False])
def test_guides_come_back_from_a_file(image: Path, tmp_path: Path, embed: bool) -> None:
    session = Session.new()
    session.do("add_box")
    session.do("add_guide", path=str(image), embed=embed, width=33)
    session.do("set_guide", through=True, opacity=0.25, at=(1, 2))
    again = Session.open(session.save(tmp_path / "guided.usda")).document.guides[0]
    before = session.document.guides[0]
    assert (again.name, again.view, again.width, again.at) == (before.name, before.view, 33.0, (1.0, 2.0))
    assert again.through and again.opacity == 0.25
    assert again.data == (image.read_bytes() if embed else None)


@needs_screen
def test_a_guide_shows_in_its_view_only(demo: Any, image: Path) -> None:
    demo.session.do("add_guide", path=str(image), view="front", width=40)
    demo.session.do("set_guide", at=(-70, 200), opacity=1.0)
    demo.view.look("front")
    demo.view.camera.perspective = True
    demo.settle()

    def shown() -> list[Any]:
        return [image_ for image_ in demo.view.scene().images if image_.pixels.shape[:2] == (40, 80)]

    assert len(shown()) == 1 and np.allclose(shown()[0].across, [40, 0, 0])
    assert np.allclose(shown()[0].upward, [0, 0, 20])
    demo.view.camera.distance *= 2
    demo.view.look_changed()
    x, y, _ = demo.view.on_screen(np.array([[-80.0, 0.0, 200.0]]))[0]
    colour = demo.view.grab().toImage().pixelColor(round(x), round(y))
    assert colour.red() > 200 and colour.blue() < 60
    demo.session.do("set_guide", flip=True)
    demo.settle()
    colour = demo.view.grab().toImage().pixelColor(round(x), round(y))
    assert colour.blue() > 200 and colour.red() < 60
    demo.view.camera.orbit(30, 0)
    assert shown() == []
    demo.session.do("set_guide", standing=True)
    assert len(shown()) == 1
    demo.session.do("set_guide", shown=False)
    assert shown() == []


@needs_screen
def test_a_missing_image_is_a_placeholder_that_keeps_everything_else(demo: Any, image: Path) -> None:
    demo.session.do("add_guide", path=str(image), embed=False)
    image.unlink()
    demo.view.look("front")
    demo.settle()
    placed = [shown for shown in demo.view.scene().images if shown.pixels.shape == (768, 1024, 4)]
    assert len(placed) == 1
    assert len(demo.session.document.guides) == 3
