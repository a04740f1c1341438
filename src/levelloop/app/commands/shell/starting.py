"""What an empty window offers, and the work that is kept safe while the window lives."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QByteArray, QEvent, QIODevice, QObject

from levelloop.app.commands.files.recent import small
from levelloop.app.commands.shell.lesson import LessonLine
from levelloop.app.panels.start_card import StartCard
from levelloop.app.post import post
from levelloop.document.session import Session
from levelloop.files.journal import Journal, Rescued, given_up, rescued, taken_up

if TYPE_CHECKING:
    from levelloop.app.window import Window

PICTURED_EVERY = 15.0  # seconds


class Starting(QObject):
    """The start card, the lesson and the journal of a window. journal: None where nothing is kept."""

    def __init__(self, window: Window, journal: Journal | None) -> None:
        super().__init__(window)
        self.window, self.journal = window, journal
        self.lesson = LessonLine(window)
        self.card = StartCard(window.panes)
        self._pictured = 0.0
        if journal is not None:
            over = post()
            journal.changed = lambda: over.ask(self._journal_changed)
        card = self.card
        card.form.connect(window.start)
        card.asked_open.connect(window.on_files.ask_open)
        card.opened.connect(window.on_files.open_recent)
        card.taken_up.connect(self._take_up)
        card.given_up.connect(self._give_up)
        card.asked_lesson.connect(self.begin_lesson)
        card.asked_demo.connect(window.on_files.open_demo)
        window.panes.installEventFilter(self)
        self._fill()
        self.refresh()

    def refresh(self) -> None:
        """Shows the card while there is no part, and what the lesson wants next."""
        empty = not self.window.session.document.parts
        if empty != self.card.isVisibleTo(self.window.panes):
            if empty:
                self._fill()
            self.card.setVisible(empty)
            self.card.place()
        self.lesson.refresh()

    def begin_lesson(self) -> None:
        """Starts the lesson, in an empty document."""
        if self.window.session.document.parts:
            if not self.window.on_files.may_leave():
                return
            self.window.adopt(Session.new())
        self.lesson.begin()

    def keep_safe(self) -> None:
        """Writes what has been done to the journal, soon and beside the window's own work."""
        session = self.window.session
        if self.journal is None or session.is_saved:
            return
        picture = None
        if time.monotonic() - self._pictured > PICTURED_EVERY:
            self._pictured = time.monotonic()
            picture = _as_png(self.window)
        self.journal.note(session.document, session.path, picture)

    def forget(self) -> None:
        """What was kept safe is saved now, or was given up on purpose."""
        if self.journal is not None:
            self.journal.forget()

    def close(self) -> None:
        """Ends the journal."""
        if self.journal is not None:
            self.journal.forget()
            self.journal.close()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.card.place()
        return False

    @property
    def trouble(self) -> str:
        """Why what is done is not kept safe, in a sentence; empty where it is, or need not be."""
        return self.journal.trouble if self.journal is not None else ""

    # Helpers

    def _journal_changed(self) -> None:
        self.window.strip.refresh()
        if self.trouble:
            self.window.tell(f"■ What you do is not kept safe: {self.trouble}")
        else:
            self.window.tell("What you do is kept safe again.")

    def _fill(self) -> None:
        self.card.fill(rescued() if self.journal is not None else ())

    def _take_up(self, work: Rescued) -> None:
        opened: list[Session] = []
        if self.window.attempt(lambda: opened.append(taken_up(work))):
            self.window.adopt(opened[0])
            self.keep_safe()
            # The old copy goes once there is a new one.
            if self.journal is not None and self.journal.flush():
                given_up(work)
            self.window.tell(f"“{work.name}” goes on as it was at {work.at:%H:%M}; it is not saved yet.")

    def _give_up(self, work: Rescued) -> None:
        given_up(work)
        self._fill()
        self.card.place()


def _as_png(window: Window) -> bytes:
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    small(window.view.grab()).save(buffer, "PNG")
    return bytes(data.data())
