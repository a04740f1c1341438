"""What every panel of the window is."""

from __future__ import annotations

from typing import Protocol

from levelloop.app.theme import Theme
from levelloop.document.session import Session


class Panel(Protocol):
    """A piece of the window around the views: the window's tuple of panels is all that needs to know it."""

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""

    def refresh(self) -> None:
        """Brings what is shown up to date with the session."""

    def set_theme(self, theme: Theme) -> None:
        """Shows itself in a theme's colours."""
