"""The still as a sentence: what it shows, its size, how finely it is worked out, its light; then where it goes."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtGui import QImage

from levelloop.app.commands.files.dialogs import file_to_write
from levelloop.app.post import post
from levelloop.app.view.viewport import Viewport
from levelloop.document.cameras import NamedCamera
from levelloop.document.parameters import Choice, Count, Length, Toggle
from levelloop.document.registry import Operation
from levelloop.still.lights import LIGHTS
from levelloop.still.render import ENDINGS, render
from levelloop.still.scene import Request

if TYPE_CHECKING:
    from levelloop.app.window import Window

AS_SEEN, ALL = "what the view sees", "all that is shown"
SIZES = ("960 x 600", "1920 x 1200", "640 x 640", "1600 x 1600", "2880 x 1800")

# A question that is asked as operations are; what it comes to is a picture.
QUESTION = Operation(
    "",
    "Still picture",
    "File",
    lambda document: document,
    "Picture {what}, {size} pixels, {samples} rays each, by {light} light, {ground}[, sharp over a depth of {sharp}]",
    "A picture with real light, materials and shadows",
    "document",
    (
        Choice("what", AS_SEEN, "What it shows", words=(AS_SEEN, ALL)),
        Choice("size", SIZES[0], "Its size", words=SIZES),
        Count("samples", 64, "More take longer and are less grainy", low=1, high=65_536),
        Choice("light", LIGHTS[0], "Where light comes from", words=LIGHTS),
        Length("sharp", None, "About what is looked at; nearer and farther it is blurred", optional=True, low=0),
        Toggle("ground", True, "What it stands on", on="on the ground", off="on nothing, seen through"),
    ),
)


class Picturing:
    """Asks for a still in the sentence bar and renders it beside the window; Esc stops it."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._last: dict[str, Any] = {}

    def ask(self) -> None:
        """Opens the sentence."""
        if not self.window.session.document.given_out:
            self.window.tell("There is no part to picture; helpers and hidden parts are left out.")
            return
        self.window.sentence.ask(QUESTION, self._last, self._keep, self._note)

    def make(self, values: Mapping[str, Any], path: Path) -> bool:
        """Renders what a sentence says into a file; whether it could."""
        width, height = (int(side) for side in values["size"].split(" x "))
        view = _camera(self.window.view) if values["what"] == AS_SEEN else None
        ground, sharp = bool(values["ground"]), float(values["sharp"] or 0.0)
        request = Request(width, height, values["samples"], values["light"], view=view, ground=ground, sharp=sharp)
        document = self.window.session.document

        card, back = self.window.view.still_card, post()

        def grown(so_far: Path, share: float) -> None:
            # In the thread that renders; the file may be another one by the time the window looks.
            image = QImage(str(so_far))
            if not image.isNull():
                back.ask(lambda: card.grow(image, share))

        def run() -> None:
            card.begin(width, height)
            told, image = "Stopped; nothing was written.", None
            try:
                self.window.runner.run(lambda: render(document, path, request, grown), f"Rendering {path.name}")
                told, image = f"Wrote {path.name}, {width} x {height} pixels.", QImage(str(path))
                self.window.tell(told)
            finally:
                card.finish(told, image)

        return self.window.attempt(run)

    # Helpers

    def _keep(self, values: dict[str, Any]) -> None:
        self._last = values
        path = file_to_write(self.window, "Still picture", list(ENDINGS))
        if path is not None:
            self.make(values, path)

    def _note(self, values: Mapping[str, Any]) -> str:
        """Which parts are shown otherwise than they will be."""
        stage = self.window.stage
        differ = [
            part.name
            for part in self.window.session.document.given_out
            if part.level > 0 and not (stage.is_smooth(part) and stage.level_now(part) == part.level)
        ]
        if not differ:
            return ""
        named = f"“{differ[0]}”" if len(differ) == 1 else f"{len(differ)} parts"
        return f"{named} will be at the level given out, not as shown"


def _camera(view: Viewport) -> NamedCamera:
    camera = view.camera
    x, y, z = (float(value) for value in camera.target)
    return NamedCamera(
        "", (x, y, z), camera.distance, camera.turn, camera.tilt, camera.perspective, camera.field_of_view, camera.shift
    )
