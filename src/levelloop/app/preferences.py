"""What the person prefers, kept from one start to the next; anything damaged counts as not set."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any, get_args, get_type_hints

from PySide6.QtCore import QSettings

from levelloop.core.values import dataclass
from levelloop.document.document import Document

TEXT_SCALES = (0.8, 0.9, 1.0, 1.1, 1.25, 1.5, 1.75, 2.0)
SPEEDS = (0.5, 0.75, 1.0, 1.5, 2.0)


@dataclass(frozen=True)
class Preferences:
    """text: how large words are, 1 as designed; orbit: the button that turns a view, the other of right and middle
    pans; speed: of turning; unit, level: of new documents and of the parts made in them; safe: whether work is kept
    safe while it is done; grid: mm; decimals: of measured numbers, at most.
    """

    theme: str = "Bench"
    text: float = 1.0
    orbit: str = "right"
    speed: float = 1.0
    unit: str = "mm"
    level: int = 2
    safe: bool = True
    grid: float = 1.0
    decimals: int = 4

    @classmethod
    def load(cls) -> Preferences:
        """What is kept."""
        settings, hints = QSettings("Level Loop", "Level Loop"), get_type_hints(cls)
        result = cls()
        for one in fields(cls):
            read = _read(settings.value(one.name), hints[one.name])
            if read is not None and _is_allowed(one.name, read):
                result = replace(result, **{one.name: read})
        return result

    def new_document(self) -> Document:
        """An empty document."""
        return Document(unit=self.unit, start_level=self.level)

    def keep(self) -> None:
        """Keeps them for the next start."""
        settings = QSettings("Level Loop", "Level Loop")
        for one in fields(self):
            settings.setValue(one.name, getattr(self, one.name))


ALLOWED: dict[str, tuple[Any, ...]] = {
    "theme": ("Bench", "Dusk"),
    "text": TEXT_SCALES,
    "orbit": ("right", "middle"),
    "speed": SPEEDS,
    "unit": ("mm", "cm", "m", "in", "ft"),
    "level": (0, 1, 2, 3, 4),
    "safe": (True, False),
    "grid": (0.1, 0.5, 1.0, 5.0, 10.0),
    "decimals": (0, 1, 2, 3, 4),
}


def _is_allowed(name: str, value: Any) -> bool:
    return value in ALLOWED[name]


def _read(kept: Any, kind: Any) -> Any:
    if kept is None or get_args(kind):
        return None
    if kind is bool:
        return str(kept).lower() == "true"
    try:
        return kind(kept)
    except (TypeError, ValueError):
        return None
