"""Levels: what the rail shows, which is only looking, and what it gives out, which is an edit."""

from __future__ import annotations

from typing import TYPE_CHECKING

from levelloop.app.view.render.picture import Stop
from levelloop.document.operations import keys

if TYPE_CHECKING:
    from levelloop.app.window import Window


class Levels:
    """Commands on the level rail of a window's active part."""

    def __init__(self, window: Window) -> None:
        self.window = window

    def show(self, stop: Stop) -> None:
        """Shows the active part at a stop of the rail, with its whole recipe: looking, not an edit.

        "cage": the cage alone.
        """
        if not self.window.session.document.parts:
            return
        part = self.window.session.part
        if stop in (0, "cage"):
            self.window.stage.show_until(part.id, 0 if stop == "cage" else None, False)
        else:
            self.window.stage.show_stop(part, stop)
        self._looked()

    def give_out(self, stop: Stop) -> None:
        """Lets the active part be given out at a stop of the rail: an edit."""
        self.window.sentence.close_fields()
        if self.window.attempt(lambda: self.window.session.do(keys.SET_LEVEL, level=stop)):
            self.window.stage.show_until(self.window.session.part.id, None, stop != 0)
            where = "the limit" if stop == "limit" else f"level {stop}"
            self.window.tell(f"“{self.window.session.part.name}” is given out at {where}.")
        self._looked()

    def toggle(self) -> None:
        """Shows the other of cage and smooth."""
        if self.window.session.document.parts:
            part = self.window.session.part
            smooth = not self.window.stage.is_smooth(part)
            if smooth and self.window.stage.stop(part) == 0:
                self.show(1)
                return
            self.window.stage.show_smooth([part], smooth)
            self._looked()

    def toggle_all(self) -> None:
        """Shows all parts smooth, or their cages where all are smooth already."""
        parts = self.window.session.document.parts
        self.window.stage.show_smooth(parts, not all(self.window.stage.is_smooth(part) for part in parts))
        self._looked()

    def _looked(self) -> None:
        self.window.line.update()
        self.window.parts.refresh()
