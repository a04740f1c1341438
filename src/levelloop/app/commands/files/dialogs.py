"""Questions to the person: which file, and whether to save first."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from levelloop.document.guides import ENDINGS
from levelloop.files import READERS, TITLES

VERBS = {
    QMessageBox.StandardButton.Save: "&Save",
    QMessageBox.StandardButton.Discard: "&Let it go",
    QMessageBox.StandardButton.Cancel: "&Go on here",
    QMessageBox.StandardButton.Yes: "&Replace",
    QMessageBox.StandardButton.No: "&Keep it",
}


def may_discard(parent: QWidget, save: Callable[[], bool]) -> bool:
    """Asks whether to save unsaved changes; whether the document may be left after that."""
    buttons = QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel
    answer = _asked(parent, "Unsaved changes", "The document has changes that are not saved. Save them?", buttons)
    if answer == QMessageBox.StandardButton.Save:
        return save()
    return answer == QMessageBox.StandardButton.Discard


def may_replace(parent: QWidget, sentence: str) -> bool:
    """Whether a file that is there may be replaced all the same."""
    buttons = QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No
    answer = _asked(parent, "Replace the file", f"{sentence}\n\nReplace it?", buttons)
    return answer == QMessageBox.StandardButton.Yes


def may_revert(parent: QWidget, name: str) -> bool:
    """Whether what was done since a file was saved may go."""
    buttons = QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel
    answer = _asked(parent, "Back to what was saved", f"What was done since {name} was saved goes.", buttons)
    return answer == QMessageBox.StandardButton.Discard


def image_to_open(parent: QWidget) -> Path | None:
    """An image that the person chooses."""
    pattern = " ".join(f"*{ending}" for ending in ENDINGS)
    chosen, _ = QFileDialog.getOpenFileName(parent, "Guide", _folder(), f"Images ({pattern})")
    return _remembered(Path(chosen)) if chosen else None


def file_to_open(parent: QWidget) -> Path | None:
    """A file that can be read, chosen by the person; None where they changed their mind."""
    endings = " ".join(f"*{ending}" for ending in READERS)
    name, _ = QFileDialog.getOpenFileName(parent, "Open", _folder(), f"Documents and cages ({endings})")
    return _remembered(Path(name)) if name else None


def file_to_write(parent: QWidget, title: str, endings: Iterable[str]) -> Path | None:
    """A file to write, with one of the endings; None where the person changed their mind."""
    allowed = list(endings)
    filters = ";;".join(f"{TITLES[ending]} (*{ending})" for ending in allowed)
    name, chosen = QFileDialog.getSaveFileName(parent, title, _folder(), filters)
    if not name:
        return None
    path = Path(name)
    if path.suffix.lower() not in allowed:
        path = path.with_name(path.name + chosen[chosen.index("*") + 1 : chosen.index(")")])
        # The dialog has asked about the name without its ending only.
        if path.exists() and not may_replace(parent, f"{path.name} is there already."):
            return None
    return _remembered(path)


def _asked(parent: QWidget, title: str, text: str, buttons: QMessageBox.StandardButton) -> QMessageBox.StandardButton:
    """What the person answers; the text is shown as it is, whatever names stand in it."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, title, "", buttons, parent)
    for button, verb in VERBS.items():
        shown = box.button(button)
        if shown is not None:
            shown.setText(verb)
            shown.setIcon(QIcon())
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    answer = QMessageBox.StandardButton(box.exec())
    box.deleteLater()
    return answer


def _folder() -> str:
    return str(QSettings("Level Loop", "Level Loop").value("folder", str(Path.home())))


def _remembered(path: Path) -> Path:
    QSettings("Level Loop", "Level Loop").setValue("folder", str(path.parent))
    return path
