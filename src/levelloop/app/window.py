"""The window: menus, tool line, sentence bar, views, panels, build line and state strip around one session."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, QEvent, QPoint, QSettings, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QMenu, QMenuBar, QSplitter, QVBoxLayout, QWidget

from levelloop.app.commands.exporting import Exporting
from levelloop.app.commands.file import FileCommands
from levelloop.app.commands.finder import Command, Finder
from levelloop.app.commands.menus import (
    build_menus,
    fitting_menu,
    looks,
    open_view_menu,
    set_keys,
    show_about,
    show_keys,
)
from levelloop.app.commands.part import PartCommands
from levelloop.app.commands.recipe import RecipeCommands
from levelloop.app.commands.reviewing import Reviewing
from levelloop.app.commands.signs import signs
from levelloop.app.commands.starting import Starting
from levelloop.app.commands.table import NO_PART
from levelloop.app.commands.view import ViewCommands
from levelloop.app.defects import told_defect
from levelloop.app.jobs import Later, Runner
from levelloop.app.panels.build_line import BuildLine, Stop
from levelloop.app.panels.history import HistoryPopover
from levelloop.app.panels.messages import MessageLog
from levelloop.app.panels.panel import Panel
from levelloop.app.panels.parts import PartsPanel
from levelloop.app.panels.readout import readout, shortly, strays, without
from levelloop.app.panels.review import ReviewPanel
from levelloop.app.panels.sentence_bar import SentenceBar
from levelloop.app.panels.settings import SettingsWindow
from levelloop.app.panels.state_strip import StateStrip
from levelloop.app.panels.tool_line import ToolLine
from levelloop.app.preferences import Preferences
from levelloop.app.theme import BENCH, THEMES, scaled, set_text_scale, style_sheet, text_font
from levelloop.app.view.panes import Panes
from levelloop.app.view.picking import element_places
from levelloop.app.view.stage import AT_ONCE, Stage
from levelloop.app.view.viewport import Viewport
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Kind, Selection
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation
from levelloop.document.running import State, why_not
from levelloop.document.session import Session
from levelloop.files.journal import Journal

TAP = 250  # milliseconds; a longer press of Space is a peek
OPENS_A_FIELD = "0123456789-.(=+"  # what is typed with no field in use goes into the first one of an open sentence
REPEAT = 40  # milliseconds within which a key that comes down again was never let go: the keyboard repeats it


class Window(QMainWindow):
    """The main window."""

    def __init__(self, session: Session, journal: Journal | None = None) -> None:
        super().__init__()
        self.session: Session = session
        self.preferences = Preferences.load()
        set_text_scale(self.preferences.text)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setFont(text_font())
        self.theme = BENCH
        self.setMinimumSize(1024, 700)
        self.setAcceptDrops(True)
        self.runner = Runner(lambda widget: isinstance(widget, Viewport), self)
        self.runner.told.connect(self.tell)
        session.runs, session.works = self.runner.run_job, self.runner.run
        self._later = Later(self)
        self.stage = Stage(session)
        self.panes: Panes = Panes(session, self.stage, self.theme)
        self.sentence: SentenceBar = SentenceBar(session)
        self.tools = ToolLine(session, lambda: self.view.kind, self._reason, self._running)
        self.parts = PartsPanel(session, self.stage, self.theme)
        self.history = HistoryPopover(session, self.theme, self)
        self.review: ReviewPanel = ReviewPanel(session, self.theme)
        self.line: BuildLine = BuildLine(session, self.stage, self.theme)
        self.commands: list[Command] = []
        self.key_actions: dict[str, QAction] = {}
        self.view_menus: list[QMenu] = []
        self._last_used: dict[str, dict[str, Any]] = {}
        self.on_files: FileCommands = FileCommands(self)
        self.exporting: Exporting = Exporting(self)
        self.on_parts: PartCommands = PartCommands(self)
        self.on_view: ViewCommands = ViewCommands(self)
        self.on_recipe = RecipeCommands(self)
        self.strip: StateStrip = StateStrip(lambda: self.view.kind, signs(self))
        self.panels: tuple[Panel, ...] = (
            self.tools,
            self.sentence,
            self.parts,
            self.history,
            self.review,
            self.line,
            self.strip,
        )
        self._space_down = False
        self.starting: Starting = Starting(self, journal)
        self._build_layout()
        head = QWidget(self)
        head.setObjectName("window")
        head_row = QHBoxLayout(head)
        head_row.setContentsMargins(4, 3, 12, 3)
        bar = QMenuBar(head)
        build_menus(self, bar)
        set_keys(self)
        self.finder: Finder = Finder(lambda: self.commands, self.tell, self)
        head_row.addWidget(bar, 4)
        head_row.addWidget(self.finder, 1)
        self.setMenuWidget(head)
        self._space_at = self._space_left = 0.0
        self._everything = False  # whether Space shows all parts, not only the active one
        self._letting_go = QTimer(self)
        self._letting_go.setSingleShot(True)
        self._letting_go.setInterval(REPEAT)
        self._letting_go.timeout.connect(self._end_peek)
        self.reviewing = Reviewing(self)
        self._connect()
        self._refresh_all()
        self.stage.refresh()
        self._framed = False
        self.panes.hands.flies = QApplication.isEffectEnabled(Qt.UIEffect.UI_General)
        if REGISTRY.refused:
            self.tell(" ".join(REGISTRY.refused))
        self._prefer(self.preferences)
        self._restore_shape()

    # Public

    @property
    def view(self) -> Viewport:
        """The view that was last used."""
        return self.panes.active

    def tell(self, sentence: str) -> None:
        """Shows a sentence in the sentence bar for a while; the log keeps it."""
        self.sentence.messages.tell(sentence)

    @property
    def message(self) -> str:
        """The sentence that was said last."""
        return self.sentence.messages.last

    def show_messages(self) -> None:
        """Opens the log of everything that was said."""
        log = MessageLog(self.sentence.messages, self)
        log.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        log.open_above(self.strip.mapToGlobal(QPoint(self.strip.width(), 0)))

    def show_settings(self) -> SettingsWindow:
        """Opens the settings and the keys."""
        settings = SettingsWindow(self.preferences, self)
        settings.changed.connect(self._prefer)
        settings.rekeyed.connect(lambda: set_keys(self))
        settings.show()
        return settings

    def _prefer(self, preferences: Preferences) -> None:
        """Lets everything be as the person prefers it, now."""
        hands, text = self.panes.hands, self.preferences.text
        self.preferences = preferences
        hands.orbits_with_middle, hands.orbit_speed = preferences.orbit == "middle", preferences.speed
        hands.grid = preferences.grid
        if preferences.theme != self.theme.name:
            self.set_theme(preferences.theme, remember=False)
        if preferences.text != text:
            self.tell("Words have their new size in the next window.")
        self.strip.refresh()

    def _restore_shape(self) -> None:
        """Has the size and the split that it had when it was closed last."""
        settings = QSettings("Level Loop", "Level Loop")
        for name, restore in (("shape", self.restoreGeometry), ("split", self._middle.restoreState)):
            kept = settings.value(name)
            if isinstance(kept, QByteArray):
                restore(kept)

    def _keep_shape(self) -> None:
        settings = QSettings("Level Loop", "Level Loop")
        settings.setValue("shape", self.saveGeometry())
        settings.setValue("split", self._middle.saveState())

    def show_history(self) -> None:
        """Opens the list of what was done below the sentence bar."""
        self.history.open_at(self.sentence.past.mapToGlobal(QPoint(0, self.sentence.past.height() + 4)))

    def start(self, key: str) -> None:
        """Begins an operation as its menu entry, tool or key does."""
        operation = REGISTRY[key]
        document, selected = self.session.document, self.session.selection
        if document.parts and self.view.kind == "parts":
            operation = REGISTRY[operation.instead.get("parts", key)]
        elif document.parts and len(selected) > 1:
            operation = REGISTRY[operation.instead.get(selected.kind, key)]
        take = self._take_of(operation)
        if take is not None and operation.acts_on != "cage":
            take(operation)
            return
        if not document.parts and operation.acts_on not in ("form", "document"):
            self.tell("There is no part yet; add a form first.")
            return
        if operation.acts_on == "selection" and not operation.waits:
            self.attempt(lambda: self.session.perform(operation.key))
            return
        reason = self.why_not(operation)
        picks = take is not None and not operation.drawn and len(selected) == 0
        if reason and not picks:
            self.tell(reason)
            return
        self.tell("")
        self.panes.hands.tool = None
        if take is not None and (operation.drawn or picks):
            take(operation)
            return
        self.view.mode = operation.handle or None
        waits = operation.waits or bool(operation.handle)
        begins = self.on_view.begins_with(operation) if operation.handle else operation.begins_with
        last = {} if waits else self._last_used.get(operation.key, {})
        done = self.attempt(lambda: self.sentence.start(operation, {**begins, **last}, waits))
        if not done and last:
            # What was last typed does not fit here; what the operation begins with may.
            done = self.attempt(lambda: self.sentence.start(operation, begins, waits))
        if done and operation.acts_on == "form":
            # Everything, since the new part may stand inside another.
            self.view.frame(everything=True)
        if not self.sentence.is_typing:
            self.view.setFocus()
        self.tools.refresh()
        self.panes.refresh()

    def _take_of(self, operation: Operation) -> Callable[[Operation], None] | None:
        """How an operation's pointer tool, or its question, is begun; None where it has none."""
        tables = (self.on_view.tools, self.on_parts.tools, self.on_recipe.tools)
        return next((table[operation.tool] for table in tables if operation.tool in table), None)

    def _reason(self, operation: Operation) -> str:
        """Why a tool of the tool line does not fit now, worked out without looking at the mesh where that will do."""
        document, selection = self.session.document, self.session.selection
        if not document.parts:
            return "" if operation.acts_on in ("form", "document") else NO_PART
        if operation.acts_on != "cage" or (operation.tool and len(selection) == 0):
            return ""
        if not operation.needs or selection.kind in operation.needs or len(selection) == 0:
            return operation.why_not(selection)
        return self.why_not(operation)

    def _running(self) -> frozenset[str]:
        """The operations that are under way: whose handle or tool is there, or whose numbers are open."""
        hands, running = self.panes.hands, set()
        if hands.mode is not None:
            running.add(REGISTRY.by_handle(hands.mode).key)
        if hands.tool is not None and hands.tool.key:
            running.add(hands.tool.key)
        if self.sentence.is_open and self.sentence.running_key:
            running.add(self.sentence.running_key)
        return frozenset(running)

    def why_not(self, operation: Operation) -> str:
        """Why an operation cannot run on what is selected now, in a sentence; empty where it can."""
        if operation.acts_on != "cage" or not self.session.document.parts:
            return operation.why_not(self.session.selection)
        return why_not(operation, self.session.part.mesh, self.session.selection)

    def set_kind(self, kind: Kind | str) -> None:
        """Selects points, edges, faces or parts; a second time converts what is selected."""
        if kind == self.view.kind and kind != "parts" and self.session.document.parts:
            if len(self.session.selection) and self.session.selection.kind != kind:
                self.attempt(lambda: self.session.do("convert", kind=kind))
        elif kind == "parts":
            self.view.kind = "parts"
        else:
            self.view.kind = kind  # type: ignore[assignment]
        self.view.hover = None
        self._refresh_readout()
        self.strip.refresh()
        self.tools.refresh()
        self.panes.refresh()

    def set_stop(self, stop: Stop) -> None:
        """Shows the active part at a stop of the rail, with its whole recipe: looking, not an edit.

        "cage": the cage alone.
        """
        if not self.session.document.parts:
            return
        part = self.session.part
        if stop in (0, "cage"):
            self.stage.show_until(part.id, 0 if stop == "cage" else None, False)
        else:
            self.stage.show_stop(part, stop)
        self._looked()

    def set_output(self, stop: Stop) -> None:
        """Lets the active part be given out at a stop of the rail: an edit."""
        self.sentence.close_fields()
        if self.attempt(lambda: self.session.do("set_level", level=stop)):
            self.stage.show_until(self.session.part.id, None, stop != 0)
            self.tell(
                f"“{self.session.part.name}” is given out at {'the limit' if stop == 'limit' else f'level {stop}'}."
            )
        self._looked()

    def toggle_smooth(self) -> None:
        """Shows the other of cage and smooth."""
        if self.session.document.parts:
            part = self.session.part
            smooth = not self.stage.is_smooth(part)
            if smooth and self.stage.stop(part) == 0:
                self.set_stop(1)
                return
            self.stage.show_smooth([part], smooth)
            self._looked()

    def toggle_smooth_all(self) -> None:
        """Shows all parts smooth, or their cages where all are smooth already."""
        parts = self.session.document.parts
        self.stage.show_smooth(parts, not all(self.stage.is_smooth(part) for part in parts))
        self._looked()

    def _looked(self) -> None:
        self.line.update()
        self.parts.refresh()

    # Documents

    def adopt(self, session: Session) -> None:
        """Makes another session the one this window works on."""
        self.session.changed.disconnect(self._changed)
        self.session = session
        session.runs, session.works = self.runner.run_job, self.runner.run
        self.starting.forget()
        self.stage.forget()
        self.panes.set_session(session)
        self.stage.session = session
        for panel in self.panels:
            panel.follow(session)
        session.changed.connect(self._changed)
        self.panes.hands.tool = None
        self.view.mode = None
        self.view.hover = None
        self._refresh_all()
        self.stage.refresh()
        self.view.frame(everything=True)
        self.reviewing.soon()

    # Qt

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        if not self._framed:
            self._framed = True
            QTimer.singleShot(0, lambda: self.view.frame(everything=True))
            self.reviewing.soon()

    def closeEvent(self, event: QCloseEvent) -> None:
        # Whatever happens on the way: the window stays until the document is safe.
        event.ignore()
        may_leave = False

        def ask() -> None:
            nonlocal may_leave
            may_leave = self.on_files.may_leave()

        if not self.attempt(ask) or not may_leave:
            return
        self._keep_shape()
        self.session.changed.disconnect(self._changed)
        self.reviewing.stop()
        self._letting_go.stop()
        self.stage.close()
        self._later.forget()
        self.sentence.messages.fade()
        self.starting.close()
        self.panes.release()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, text = event.key(), event.text()
        plain = not event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        if key == Qt.Key.Key_Space and plain:
            self._letting_go.stop()
            if not self._space_down and not event.isAutoRepeat():
                self._space_down, self._space_at = True, time.monotonic()
                self._everything = bool(event.modifiers())
                self._peek(True)
        elif key == Qt.Key.Key_Escape:
            self._escape()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            again = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            if not self.on_view.finish_tool() and self.sentence.is_open:
                self.sentence.finish(again)
        elif key in (Qt.Key.Key_F6, Qt.Key.Key_Backtab) and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._go_round(-1)
        elif key == Qt.Key.Key_F6:
            self._go_round(1)
        elif plain and text and text in OPENS_A_FIELD:
            self.sentence.open_field(text)
        elif plain and text and text.lower() in "xyz":
            self.sentence.set_axis(text.lower())
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and not event.modifiers():
            self.sentence.step_axis(1 if key == Qt.Key.Key_Right else -1)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.sentence.step_first(1 if key == Qt.Key.Key_Up else -1)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            if self._space_down and not event.isAutoRepeat():
                self._space_left = time.monotonic()
                self._letting_go.start()
        else:
            super().keyReleaseEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        self.on_files.drop(paths)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow() and self._space_down:
            # Another window has the keyboard now: it will hear the key being let go, not this one.
            self._space_left = float("inf")
            self._end_peek()

    # Building

    def _build_layout(self) -> None:
        centre = QWidget(self)
        centre.setObjectName("window")
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.tools)
        column.addWidget(self.sentence)
        column.addWidget(self.starting.lesson)
        middle = QSplitter(Qt.Orientation.Horizontal)
        middle.setObjectName("middle")
        middle.setChildrenCollapsible(False)
        middle.setHandleWidth(1)
        middle.addWidget(self.panes)
        side = QSplitter(Qt.Orientation.Vertical)
        side.setObjectName("side")
        side.setMinimumWidth(230)
        side.setChildrenCollapsible(False)
        side.setHandleWidth(1)
        side.addWidget(self.parts)
        side.addWidget(self.review)
        side.setSizes([300, 330])
        middle.addWidget(side)
        middle.setStretchFactor(0, 1)
        middle.setSizes([1280 - scaled(268), scaled(268)])
        self._middle = middle
        column.addWidget(middle, 1)
        column.addWidget(self.line)
        column.addWidget(self.strip)
        self.setCentralWidget(centre)
        self.view.setFocus()

    def _connect(self) -> None:
        self.session.changed.connect(self._changed)
        self.stage.changed.connect(self.line.update)
        self.stage.changed.connect(self._refresh_readout)
        self.stage.changed.connect(self.starting.lesson.refresh)
        self.review.chosen.connect(lambda *_: self.starting.lesson.refresh())
        self.stage.told.connect(self.tell)
        self.stage.busy.connect(lambda _: self.strip.refresh())
        self.panes.told.connect(self.tell)
        self.panes.asked_menu.connect(self._context_menu)
        self.panes.asked_label.connect(lambda place: open_view_menu(self, place))
        self.panes.camera_moved.connect(self._refresh_readout)
        self.panes.soft_turned.connect(self.on_view.turn_soft)
        self.panes.hands.repeats = self._repeats
        self.panes.hands.apply_again = self._apply_again
        self.panes.hands.open_field = self.sentence.open_field
        self.panes.hands.looks = looks(self)
        self.sentence.told.connect(self.tell)
        self.sentence.left.connect(self._left_sentence)
        self.sentence.asked_history.connect(self.show_history)
        self.history.asked_change.connect(self.change_entry)
        self.tools.chosen.connect(self.start)
        self.tools.told.connect(self.tell)
        self.strip.kind_chosen.connect(self.set_kind)
        self.strip.readout.linkActivated.connect(self._follow)
        self.parts.told.connect(self.tell)
        self.parts.asked_menu.connect(self.on_parts.menu)
        self.line.chosen.connect(self.set_stop)
        self.line.output_chosen.connect(self.set_output)
        self.review.chosen.connect(self.reviewing.choose)
        self.review.remedied.connect(self.reviewing.remedy)
        self.review.accepted.connect(self.reviewing.accept)
        self.review.purpose_changed.connect(lambda _: self.reviewing.run())

    # Following the session

    def _changed(self, old: State, new: State) -> None:
        same_document = old.document is new.document
        if not same_document:
            self.on_recipe.follow(old.document, new.document)
            self.stage.refresh()
            self.reviewing.soon()
            self.starting.keep_safe()
            operation = REGISTRY[new.key] if new.key else None
            if operation and new.parameters is not old.parameters and operation.acts_on == "cage":
                self._last_used[new.key] = {} if operation.handle else dict(new.parameters)
        self.on_view.follow_cameras(old.document, new.document)
        self.view.hover = None
        kind = new.selection(new.document.active).kind
        if len(new.selection(new.document.active)) and self.view.kind not in (kind, "parts"):
            self.view.kind = kind
        self._refresh_all()

    def _refresh_all(self) -> None:
        for panel in self.panels:
            panel.refresh()
        self.starting.refresh()
        self._refresh_readout()
        self.refresh_title()
        self.panes.refresh()

    def _refresh_readout(self) -> None:
        picture = self.stage.picture(self.session.document.active) if self.session.document.parts else None
        state, kind, camera, link = self.session.state, self.view.kind, replace(self.view.camera), self.theme.link
        if not state.document.parts or state.document.part.mesh.n_faces <= AT_ONCE:
            self._later.forget()
            self.strip.readout.setText(readout(state, picture, kind, camera, link))
            return
        self.strip.readout.setText(shortly(state, kind))
        self._later.ask(lambda: readout(state, picture, kind, camera, link), self.strip.readout.setText)

    def refresh_title(self) -> None:
        """Says in the title what is open, and whether it is saved."""
        name = self.session.path.name if self.session.path else "Untitled"
        mark = "" if self.session.is_saved else " •"
        self.setWindowTitle(f"{name}{mark} — Level Loop")

    def _follow(self, link: str) -> None:
        """A click on strays in the readout drops them from the selection, or frames them."""
        picture = self.stage.picture(self.session.document.active)
        if picture is None:
            return
        do, _, name = link.partition(":")
        selection = self.session.selection
        found = strays(name, selection, picture, self.view.camera)
        if do == "drop":
            self.session.set_selection(without(selection, found), keep_others=True)
        elif found.any():
            self.view.frame_points(element_places(picture, selection.kind)[selection.indices[found]])

    def _repeats(self) -> Kind | None:
        """The kind of element that the operation whose numbers are open was applied to, where there is one."""
        state = self.session.state
        if not self.sentence.is_open or self.sentence.is_waiting or not state.key:
            return None
        operation = REGISTRY[state.key]
        if operation.handle or operation.acts_on != "cage" or not operation.needs or operation.least > 1:
            return None
        before = self.session.history[self.session.here - 1].selection(state.document.active)
        return before.kind if len(before) else None

    def _apply_again(self, selection: Selection) -> None:
        """Keeps the operation whose numbers are open and applies it to something else."""
        self.session.set_selection(selection)
        self.sentence.finish(True)

    # Commands

    def attempt(self, run: Callable[[], Any]) -> bool:
        """Runs something; what goes wrong is one sentence, a defect of ours with its traceback in the log."""
        try:
            run()
        except LevelLoopError as error:
            self.tell(str(error))
            return False
        except Exception as error:
            self.tell(told_defect(error))
            return False
        return True

    def undo(self) -> None:
        self.sentence.close_fields()
        sentence = self.session.state.sentence
        self.session.undo()
        self.tell(f"Undone: {sentence}.")

    def redo(self) -> None:
        self.sentence.close_fields()
        self.session.redo()
        self.tell(f"Redone: {self.session.state.sentence}.")

    def repeat(self) -> None:
        self.tell(self.session.repeat_last())

    def _escape(self) -> None:
        """One thing a press: running work, a drawing or an open sentence, the selection, the tool."""
        hands = self.panes.hands
        if self.runner.is_busy:
            self.runner.stop()
        elif self.stage.is_working:
            self.stage.stop_work()
            self.tell("Stopped; the cage is shown.")
        elif hands.tool is not None and hands.tool.drop():
            self.tell("What was drawn is dropped.")
        elif self.sentence.is_open and not (self.sentence.is_waiting and hands.tool is not None):
            waited = self.sentence.is_waiting
            self.sentence.take_back()
            if waited:
                # Nothing has run: the handle is all there was of it.
                self.view.mode = None
        elif self.session.state.shown_selections:
            self.session.select_none()
        elif hands.tool is not None:
            # What was drawn stays: it can be undone.
            self.on_view.take_tool(None)
            self.sentence.close_fields()
        else:
            self.view.mode = None
        self.tools.refresh()
        self.panes.refresh()

    def _left_sentence(self) -> None:
        self.view.setFocus()
        self.tools.refresh()

    def _go_round(self, by: int) -> None:
        """Gives the keyboard to the next part of the window."""
        places: list[QWidget] = [self.tools, self.sentence, self.view, self.line, self.strip, self.parts, self.review]
        focused = QApplication.focusWidget()
        here = next((n for n, place in enumerate(places) if focused and place.isAncestorOf(focused)), 2)
        here = next((n for n, place in enumerate(places) if focused is place), here)
        for step in range(1, len(places)):
            place = places[(here + by * step) % len(places)]
            inside = first_focus(place)
            if inside is not None:
                inside.setFocus(Qt.FocusReason.TabFocusReason)
                return

    def change_entry(self, row: int) -> None:
        """Opens the numbers of an entry of the history; what follows runs again with each change."""
        self.sentence.close_fields()
        if self.attempt(lambda: self.session.go_to(row)):
            self.sentence.reopen()

    def select_all(self) -> None:
        kind: Kind = "faces" if self.view.kind == "parts" else self.view.kind
        self.attempt(lambda: self.session.select_all(kind))

    def select_none(self) -> None:
        self.attempt(self.session.select_none)

    def set_theme(self, name: str, remember: bool = True) -> None:
        """Shows everything in the theme of that name, now and from now on."""
        self.theme = theme = THEMES[name]
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setStyleSheet(style_sheet(theme))
        self.panes.set_theme(theme)
        for panel in self.panels:
            panel.set_theme(theme)
        self._refresh_readout()
        self.reviewing.soon()
        if remember:
            self.preferences = replace(self.preferences, theme=name)
            self.preferences.keep()

    def _peek(self, on: bool) -> None:
        self.stage.peek(on, self._everything)
        self.line.update()

    def _end_peek(self) -> None:
        """Space was let go: after a tap the other of cage and smooth stays, after a hold all is as before."""
        self._letting_go.stop()
        self._space_down = False
        self._peek(False)
        if self._space_left - self._space_at < TAP / 1000.0:
            if self._everything:
                self.toggle_smooth_all()
            else:
                self.toggle_smooth()

    def show_keys(self) -> None:
        show_keys(self)

    def show_about(self) -> None:
        show_about(self)

    def _context_menu(self, place: QPoint) -> None:
        menu = fitting_menu(self)
        menu.exec(self.view.mapToGlobal(place))
        menu.deleteLater()


def first_focus(place: QWidget) -> QWidget | None:
    """What of a part of the window takes the keyboard first: itself, or what is in it; None where nothing is shown."""
    widgets = [place, *place.findChildren(QWidget)]
    takes = Qt.FocusPolicy.TabFocus
    return next((one for one in widgets if one.isVisible() and one.focusPolicy() & takes == takes), None)
