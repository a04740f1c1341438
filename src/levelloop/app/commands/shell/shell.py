"""What opens beside the work: settings, keys, help, messages, history; and the shape the window had last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QPoint, QSettings, Qt

from levelloop.app.commands.shell.menus import fitting_menu, set_keys, show_about
from levelloop.app.measured import set_decimals
from levelloop.app.panels.help import HelpWindow
from levelloop.app.panels.messages import MessageLog
from levelloop.app.panels.settings import SettingsWindow
from levelloop.app.preferences import Preferences
from levelloop.app.theme import scaled

if TYPE_CHECKING:
    from levelloop.app.window import Window


class Shell:
    """Commands that open something, and what the person prefers."""

    def __init__(self, window: Window) -> None:
        self.window = window

    def show_messages(self) -> None:
        """Opens the log of everything that was said."""
        log = MessageLog(self.window.sentence.messages, self.window)
        log.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        log.open_above(self.window.strip.mapToGlobal(QPoint(self.window.strip.width(), 0)))

    def show_settings(self) -> SettingsWindow:
        """Opens the settings and the keys."""
        settings = SettingsWindow(self.window.preferences, self.window)
        settings.changed.connect(self.prefer)
        settings.rekeyed.connect(lambda: set_keys(self.window))
        settings.show()
        return settings

    def show_history(self) -> None:
        """Opens the list of what was done below the sentence bar."""
        self.window.history.open_at(
            self.window.sentence.past.mapToGlobal(QPoint(0, self.window.sentence.past.height() + 4))
        )

    def show_keys(self) -> None:
        """Opens the keys, to be found and changed."""
        settings = self.show_settings()
        settings.tabs.setCurrentWidget(settings.keys)

    def show_help(self) -> HelpWindow:
        """Opens what there is to read."""
        shown = HelpWindow(self.window)
        shown.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        shown.show()
        return shown

    def show_about(self) -> None:
        """Says what this is."""
        show_about(self.window)

    def open_menu(self, place: QPoint) -> None:
        """Opens the menu of what fits the selection at a place of the active view."""
        menu = fitting_menu(self.window)
        menu.exec(self.window.view.mapToGlobal(place))
        menu.deleteLater()

    def prefer(self, preferences: Preferences) -> None:
        """Lets everything be as the person prefers it, now."""
        hands, text = self.window.panes.hands, self.window.preferences.text
        self.window.preferences = preferences
        hands.orbits_with_middle, hands.orbit_speed = preferences.orbit == "middle", preferences.speed
        hands.grid = preferences.grid
        set_decimals(preferences.decimals)
        if preferences.theme != self.window.theme.name:
            self.window.set_theme(preferences.theme, remember=False)
        if preferences.text != text:
            self.window.tell("Words have their new size in the next window.")
        self.window.strip.refresh()
        self.window.refresh_readout()
        self.window.panes.refresh()

    @property
    def _split(self) -> str:
        """What the split is kept under: panels are as wide as their words are large."""
        return f"middle {scaled(100)}"

    def restore_shape(self) -> None:
        """Has the size and the split that it had when it was closed last."""
        settings = QSettings("Level Loop", "Level Loop")
        for name, restore in (("shape", self.window.restoreGeometry), (self._split, self.window.middle.restoreState)):
            kept = settings.value(name)
            if isinstance(kept, QByteArray):
                restore(kept)

    def keep_shape(self) -> None:
        """Remembers the size and the split for the next start."""
        settings = QSettings("Level Loop", "Level Loop")
        settings.setValue("shape", self.window.saveGeometry())
        settings.setValue(self._split, self.window.middle.saveState())
