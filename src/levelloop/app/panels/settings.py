"""Settings and keys: a window of their own beside the work; what is changed holds at once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from levelloop.app.commands.shell.keys import GESTURES, entries, is_own, keys_of, own_keys, reset_keys, set_key
from levelloop.app.commands.table import Entry
from levelloop.app.preferences import ALLOWED, Preferences
from levelloop.app.theme import plain_label, text_font
from levelloop.core.errors import LevelLoopError
from levelloop.core.words import counted

LABELS: dict[str, tuple[str, Callable[[Any], str]]] = {
    "theme": ("Theme", str),
    "text": ("Size of words", lambda value: f"{value:.0%}"),
    "orbit": ("Turn the view with", lambda value: f"the {value} button"),
    "speed": ("Speed of turning", lambda value: f"{value:.0%}"),
    "unit": ("New documents count in", str),
    "level": (
        "Parts of new documents are smoothed to",
        lambda value: f"level {value}" if value else "nothing, the cage",
    ),
    "grid": ("Grid step", lambda value: f"{value:g} mm"),
    "decimals": (
        "Measured numbers are told with",
        lambda value: f"up to {counted(value, 'decimal')}" if value else "no decimals",
    ),
    "safe": ("Keep work safe while it is done", lambda value: "yes, moments after each step" if value else "no"),
}


class SettingsWindow(QDialog):
    """changed: the preferences are others now; rekeyed: keys are."""

    changed = Signal(object)
    rekeyed = Signal()

    def __init__(self, preferences: Preferences, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Settings")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(620, 560)
        self.preferences = preferences
        column = QVBoxLayout(self)
        self.tabs = QTabWidget(self)
        self.tabs.addTab(self._settings(), "&Settings")
        self.keys = KeysPage(self)
        self.keys.changed.connect(self.rekeyed)
        self.tabs.addTab(self.keys, "&Keys")
        column.addWidget(self.tabs)

    def _settings(self) -> QWidget:
        page = QWidget(self)
        form = QFormLayout(page)
        form.setContentsMargins(16, 16, 16, 16)
        form.setVerticalSpacing(10)
        self.boxes: dict[str, QComboBox] = {}
        for name, (title, told) in LABELS.items():
            box = QComboBox(page)
            box.setAccessibleName(title)
            for value in ALLOWED[name]:
                box.addItem(told(value), value)
            box.setCurrentIndex(ALLOWED[name].index(getattr(self.preferences, name)))
            box.activated.connect(lambda index, name=name: self._choose(name, ALLOWED[name][index]))
            form.addRow(title, box)
            self.boxes[name] = box
        return page

    def _choose(self, name: str, value: Any) -> None:
        self.preferences = replace(self.preferences, **{name: value})
        self.preferences.keep()
        self.changed.emit(self.preferences)


class KeysPage(QWidget):
    """All commands with their keys, and all gestures: found by words or by pressing a key, changed by pressing one."""

    changed = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        top = QHBoxLayout()
        self.words = QLineEdit(self)
        self.words.setPlaceholderText("Find by words")
        self.words.textChanged.connect(self._filter)
        self.pressed = QKeySequenceEdit(self)
        self.pressed.setMaximumSequenceLength(2)
        self.pressed.setAccessibleName("Find by pressing a key")
        self.pressed.setClearButtonEnabled(True)
        self.pressed.keySequenceChanged.connect(lambda _: self._filter())
        top.addWidget(self.words, 2)
        top.addWidget(plain_label("or by its key:", self))
        top.addWidget(self.pressed, 1)
        column.addLayout(top)
        self.table = QTableWidget(0, 3, self)
        self.table.setHorizontalHeaderLabels(["Command", "Menu", "Key"])
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.itemSelectionChanged.connect(self._chosen)
        column.addWidget(self.table, 1)
        bottom = QHBoxLayout()
        self.given = QKeySequenceEdit(self)
        self.given.setMaximumSequenceLength(2)
        self.given.setAccessibleName("The new key")
        self.give = QPushButton("Give it this key", self)
        self.none = QPushButton("No key", self)
        self.reset = QPushButton("As it came", self)
        self.reset_all = QPushButton("All as they came", self)
        self.give.clicked.connect(lambda: self._give(self.given.keySequence().toString()))
        self.none.clicked.connect(lambda: self._give(""))
        self.reset.clicked.connect(lambda: self._reset(self.entry))
        self.reset_all.clicked.connect(lambda: self._reset(None))
        for widget in (self.given, self.give, self.none, self.reset, self.reset_all):
            bottom.addWidget(widget)
        column.addLayout(bottom)
        self.told = plain_label("", self)
        self.told.setFont(text_font(9))
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self._rows: list[Entry | tuple[str, str]] = [*entries(), *GESTURES]
        self._fill()

    @property
    def entry(self) -> Entry | None:
        """The chosen command; None for a gesture or none."""
        row = self.table.currentRow()
        entry = self._rows[row] if 0 <= row < len(self._rows) else None
        return entry if isinstance(entry, Entry) else None

    def choose(self, title: str) -> None:
        """Chooses a command by its title."""
        titles = [entry.title if isinstance(entry, Entry) else "" for entry in self._rows]
        self.table.selectRow(titles.index(title))

    def shown(self) -> list[str]:
        """What is listed now."""
        rows = [row for row in range(self.table.rowCount()) if not self.table.isRowHidden(row)]
        return [item.text() for row in rows if (item := self.table.item(row, 0)) is not None]

    # Helpers

    def _fill(self) -> None:
        self.table.setRowCount(len(self._rows))
        given = own_keys()
        for row, entry in enumerate(self._rows):
            if isinstance(entry, Entry):
                own = "  (yours)" if entry.name in given else ""
                words = (entry.title, entry.menu.replace("/", " › "), " or ".join(keys_of(entry, given)) + own)
            else:
                words = (entry[1], "gesture", entry[0])
            for at, text in enumerate(words):
                self.table.setItem(row, at, QTableWidgetItem(text))
        self._chosen()

    def _filter(self) -> None:
        words, pressed = self.words.text().lower().split(), self.pressed.keySequence().toString()
        given = own_keys()
        for row, entry in enumerate(self._rows):
            if isinstance(entry, Entry):
                text, keys = f"{entry.title} {entry.menu} {entry.hint} {entry.also}".lower(), keys_of(entry, given)
            else:
                text, keys = " ".join(entry).lower(), ()
            fits = all(word in text for word in words) and (not pressed or _same(pressed, keys))
            self.table.setRowHidden(row, not fits)

    def _chosen(self) -> None:
        entry = self.entry
        for widget in (self.given, self.give, self.none):
            widget.setEnabled(entry is not None)
        self.reset.setEnabled(entry is not None and is_own(entry.name))

    def _give(self, key: str) -> None:
        entry = self.entry
        if entry is None:
            return
        try:
            set_key(entry.name, key)
        except LevelLoopError as error:
            self.told.setText(f"■ {error}")
            return
        self.told.setText(f"“{entry.title}” has {f'the key {key}' if key else 'no key'} now.")
        self._changed()

    def _reset(self, entry: Entry | None) -> None:
        reset_keys(entry.name if entry else None)
        told = f"“{entry.title}” has the key that it came with." if entry else "All keys are as they came."
        self.told.setText(told)
        self._changed()

    def _changed(self) -> None:
        row = self.table.currentRow()
        self._fill()
        self.table.selectRow(row)
        self.changed.emit()


def _same(pressed: str, keys: tuple[str, ...]) -> bool:
    return any(QKeySequence(key).toString() == pressed for key in keys)
