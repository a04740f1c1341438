"""Renders the swatches of the shipped materials, once: a ball of each on a ground, by the still renderer."""

from __future__ import annotations

from pathlib import Path

from levelloop.document.materials import SHIPPED
from levelloop.document.session import Session
from levelloop.still.render import render
from levelloop.still.scene import Request

SIDE, SAMPLES = 96, 256


def main(folder: Path) -> None:
    """Writes one PNG for each shipped material."""
    folder.mkdir(exist_ok=True)
    for material in SHIPPED:
        session = Session.new()
        session.do("add_quad_sphere", diameter=40, cells=4, at=(0, 0, 20))
        session.do("set_level", level=4)
        session.do("set_material", material=material.name)
        render(session.document, folder / f"{material.name}.png", Request(SIDE, SIDE, SAMPLES))


if __name__ == "__main__":
    main(Path(__file__).parent.parent / "src" / "levelloop" / "app" / "swatches")
