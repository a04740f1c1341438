"""The keyboard: one rule for keys, for those that no field and no command has taken."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QWidget

from levelloop.app.commands.next_place import ask_next_place

if TYPE_CHECKING:
    from levelloop.app.window import Window

TAP = 250  # milliseconds; a longer press of Space is a peek
OPENS_A_FIELD = "0123456789-.(=+"  # what is typed with no field in use goes into the first one of an open sentence
REPEAT = 40  # milliseconds within which a key that comes down again was never let go: the keyboard repeats it


class Keyboard(QObject):
    """What keys do in a window while no field is in use."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        self._space_down = False
        self._space_at = self._space_left = 0.0
        self._everything = False  # whether Space shows all parts, not only the active one
        self._letting_go = QTimer(self)
        self._letting_go.setSingleShot(True)
        self._letting_go.setInterval(REPEAT)
        self._letting_go.timeout.connect(self._end_peek)

    def press(self, event: QKeyEvent) -> bool:
        """Takes a key that no field wants; whether it means something here."""
        key, text = event.key(), event.text()
        plain = not event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        if key == Qt.Key.Key_Space and plain:
            self._letting_go.stop()
            if not self._space_down and not event.isAutoRepeat():
                self._space_down, self._space_at = True, time.monotonic()
                self._everything = bool(event.modifiers())
                self._peek(True)
        elif key == Qt.Key.Key_Escape:
            self.escape()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            again = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            if not self.window.on_view.finish_tool() and self.window.sentence.is_open:
                self.window.sentence.finish(again)
        elif key in (Qt.Key.Key_F6, Qt.Key.Key_Backtab) and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.go_round(-1)
        elif key == Qt.Key.Key_F6:
            self.go_round(1)
        elif plain and text and text in OPENS_A_FIELD:
            if self.window.sentence.running.question is not None or not ask_next_place(self.window, text):
                self.window.sentence.open_field(text)
        elif plain and text and text.lower() in "xyz":
            self.window.sentence.set_axis(text.lower())
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and not event.modifiers():
            self.window.sentence.step_axis(1 if key == Qt.Key.Key_Right else -1)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.window.sentence.step_first(1 if key == Qt.Key.Key_Up else -1)
        elif key == Qt.Key.Key_Menu:
            self.window.shell.open_menu(self.window.view.rect().center())
        else:
            return False
        return True

    def release(self, event: QKeyEvent) -> bool:
        """Takes a key being let go; whether it means something here."""
        if event.key() != Qt.Key.Key_Space:
            return False
        if self._space_down and not event.isAutoRepeat():
            self._space_left = time.monotonic()
            self._letting_go.start()
        return True

    def leave(self) -> None:
        """Another window has the keyboard now: it will hear the key being let go, not this one."""
        if self._space_down:
            self._space_left = float("inf")
            self._end_peek()

    def stop(self) -> None:
        """Waits for no key any more."""
        self._letting_go.stop()

    def escape(self) -> None:
        """One thing a press: running work, a drawing or an open sentence, the selection, the tool."""
        hands = self.window.panes.hands
        if self.window.runner.is_busy:
            self.window.runner.stop()
        elif self.window.stage.is_working:
            self.window.stage.stop_work()
            self.window.tell("Stopped; the cage is shown.")
        elif self.window.sentence.running.question is not None:
            self.window.sentence.take_back()
        elif hands.tool is not None and hands.tool.drop():
            self.window.tell("What was drawn is dropped.")
        elif self.window.sentence.running.goes_on:
            self.window.sentence.end_again()
            self.window.tell("Done with again; what was done stays.")
        elif self.window.sentence.is_open and not (self.window.sentence.is_waiting and hands.tool is not None):
            waited = self.window.sentence.is_waiting
            self.window.sentence.take_back()
            if waited:
                # Nothing has run: the handle is all there was of it.
                self.window.view.mode = None
        elif self.window.session.state.shown_selections:
            self.window.session.select_none()
        elif hands.tool is not None:
            # What was drawn stays: it can be undone.
            self.window.on_view.take_tool(None)
            self.window.sentence.close_fields()
        else:
            self.window.view.mode = None
        self.window.tools.refresh()
        self.window.panes.refresh()

    def go_round(self, by: int) -> None:
        """Gives the keyboard to the next part of the window."""
        window = self.window
        places: list[QWidget] = [window.tools, window.sentence, window.view, window.line, window.strip]
        beside = (window.uv, window.parts, window.guides, window.materials, window.review)
        places += [one for one in beside if not one.isHidden()]
        focused = QApplication.focusWidget()
        here = next((n for n, place in enumerate(places) if focused and place.isAncestorOf(focused)), 2)
        here = next((n for n, place in enumerate(places) if focused is place), here)
        for step in range(1, len(places)):
            place = places[(here + by * step) % len(places)]
            inside = first_focus(place)
            if inside is not None:
                inside.setFocus(Qt.FocusReason.TabFocusReason)
                return

    def _peek(self, on: bool) -> None:
        self.window.stage.peek(on, self._everything)
        self.window.line.update()

    def _end_peek(self) -> None:
        """Space was let go: after a tap the other of cage and smooth stays, after a hold all is as before."""
        self._letting_go.stop()
        self._space_down = False
        self._peek(False)
        if self._space_left - self._space_at < TAP / 1000.0:
            if self._everything:
                self.window.levels.toggle_all()
            else:
                self.window.levels.toggle()


def first_focus(place: QWidget) -> QWidget | None:
    """What of a part of the window takes the keyboard first: itself, or what is in it; None where nothing is shown."""
    widgets = [place, *place.findChildren(QWidget)]
    takes = Qt.FocusPolicy.TabFocus
    return next((one for one in widgets if one.isVisible() and one.focusPolicy() & takes == takes), None)
