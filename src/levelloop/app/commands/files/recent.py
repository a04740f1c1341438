"""Recent files with their pictures, remembered from one start to the next."""

from __future__ import annotations

import hashlib
from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QPixmap

MOST = 12
WIDE, HIGH = 240, 150  # pixels of a picture


def recent_files() -> list[Path]:
    """The files last opened or saved that are still there, the latest first."""
    kept = QSettings("Level Loop", "Level Loop").value("recent", [])
    names = [kept] if isinstance(kept, str) else kept if isinstance(kept, list) else []
    return [path for path in (Path(str(name)) for name in names) if path.is_file()]


def remember(path: Path, picture: QPixmap | None = None) -> None:
    """Makes a file the latest; picture: of what the view shows of it."""
    path = path.resolve()
    names = [str(path), *(str(one) for one in recent_files() if one != path)][:MOST]
    QSettings("Level Loop", "Level Loop").setValue("recent", names)
    if picture is not None and not picture.isNull():
        where = _picture_path(path)
        try:
            where.parent.mkdir(parents=True, exist_ok=True)
        except OSError:
            return
        small(picture).save(str(where))


def picture_of(path: Path) -> QPixmap | None:
    """What the view showed of a file when it was last open; None where that is not known."""
    found = QPixmap(str(_picture_path(path.resolve())))
    return None if found.isNull() else found


def small(picture: QPixmap) -> QPixmap:
    """A picture as it stands in lists."""
    aspect = Qt.AspectRatioMode.KeepAspectRatioByExpanding
    scaled = picture.scaled(WIDE, HIGH, aspect, Qt.TransformationMode.SmoothTransformation)
    left, top = (scaled.width() - WIDE) // 2, (scaled.height() - HIGH) // 2
    return scaled.copy(left, top, WIDE, HIGH)


def _picture_path(path: Path) -> Path:
    from platformdirs import user_cache_path

    name = hashlib.sha256(str(path).encode()).hexdigest()[:24]
    return user_cache_path("levelloop") / "pictures" / f"{name}.png"
