"""The window: menus, tool line, sentence bar, views, panels, build line and state strip around one session."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QMenu, QMenuBar, QSplitter, QVBoxLayout, QWidget

from levelloop.app import beside
from levelloop.app.beside import Later
from levelloop.app.commands.comparing import Comparing
from levelloop.app.commands.files.documents import FileCommands
from levelloop.app.commands.files.exporting import Exporting
from levelloop.app.commands.files.picturing import Picturing
from levelloop.app.commands.levels import Levels
from levelloop.app.commands.operating import Operating
from levelloop.app.commands.part import PartCommands
from levelloop.app.commands.recipe import RecipeCommands
from levelloop.app.commands.reviewing import Reviewing
from levelloop.app.commands.shell.finder import Command, Finder
from levelloop.app.commands.shell.menus import (
    build_menus,
    looks,
    open_view_menu,
    set_keys,
)
from levelloop.app.commands.shell.shell import Shell
from levelloop.app.commands.shell.signs import signs
from levelloop.app.commands.shell.starting import Starting
from levelloop.app.commands.skin import SkinCommands
from levelloop.app.commands.view import ViewCommands
from levelloop.app.defects import told_defect
from levelloop.app.jobs import Runner
from levelloop.app.keyboard import Keyboard
from levelloop.app.panels.build_line.line import BuildLine
from levelloop.app.panels.guides import GuidesPanel
from levelloop.app.panels.history import HistoryPopover
from levelloop.app.panels.materials import MIME, MaterialsPanel
from levelloop.app.panels.panel import Panel
from levelloop.app.panels.parts.parts_panel import PartsPanel
from levelloop.app.panels.readout import readout, shortly, strays, without
from levelloop.app.panels.review.panel import ReviewPanel
from levelloop.app.panels.sentence.bar import SentenceBar
from levelloop.app.panels.state_strip import StateStrip
from levelloop.app.panels.tool_line import ToolLine
from levelloop.app.panels.uv.uv_panel import UvPanel
from levelloop.app.post import Collector
from levelloop.app.preferences import Preferences
from levelloop.app.ready import Ready
from levelloop.app.theme import BENCH, THEMES, scaled, set_text_scale, style_sheet, text_font
from levelloop.app.view.panes import Panes
from levelloop.app.view.picking.picking import element_places
from levelloop.app.view.stage import AT_ONCE, Stage
from levelloop.app.view.viewport import Viewport
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Kind
from levelloop.document.operations import REGISTRY, keys
from levelloop.document.running.running import State
from levelloop.document.session import Session
from levelloop.files.journal import Journal


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
        self._ready = Ready(self)
        self._collector = Collector(self)
        self.stage = Stage(session)
        self.panes: Panes = Panes(session, self.stage, self.theme)
        self.sentence: SentenceBar = SentenceBar(session)
        self.operating: Operating = Operating(self)
        self.tools = ToolLine(session, lambda: self.view.kind, self.operating.reason, self.operating.running)
        self.parts = PartsPanel(session, self.stage, self.theme)
        self.guides = GuidesPanel(session, self.theme)
        self.history = HistoryPopover(session, self.theme, self)
        self.review: ReviewPanel = ReviewPanel(session, self.theme)
        self.materials: MaterialsPanel = MaterialsPanel(session, self.theme)
        self.uv: UvPanel = UvPanel(session, self.theme, lambda: self.view.kind)
        self.line: BuildLine = BuildLine(session, self.stage, self.theme)
        self.commands: list[Command] = []
        self.key_actions: dict[str, QAction] = {}
        self.view_menus: list[QMenu] = []
        self.on_files: FileCommands = FileCommands(self)
        self.exporting: Exporting = Exporting(self)
        self.picturing: Picturing = Picturing(self)
        self.on_parts: PartCommands = PartCommands(self)
        self.on_view: ViewCommands = ViewCommands(self)
        self.on_recipe = RecipeCommands(self)
        self.on_skin: SkinCommands = SkinCommands(self)
        self.strip: StateStrip = StateStrip(lambda: self.view.kind, signs(self))
        self.panels: tuple[Panel, ...] = (
            self.tools,
            self.sentence,
            self.parts,
            self.guides,
            self.history,
            self.review,
            self.line,
            self.uv,
            self.materials,
            self.strip,
        )
        self.keyboard = Keyboard(self)
        self.shell: Shell = Shell(self)
        self.levels: Levels = Levels(self)
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
        self.reviewing = Reviewing(self)
        self.comparing: Comparing = Comparing(self)
        self._connect()
        self._refresh_all()
        self.stage.refresh()
        self._shown = False
        self.panes.hands.flies = QApplication.isEffectEnabled(Qt.UIEffect.UI_General)
        if REGISTRY.refused:
            self.tell(" ".join(REGISTRY.refused))
        self.shell.prefer(self.preferences)
        self.shell.restore_shape()

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

    def start(self, key: str, **given: Any) -> None:
        """Begins an operation as its menu entry, tool or key does; given: numbers that it begins with."""
        self.operating.start(key, **given)

    def set_kind(self, kind: Kind | str) -> None:
        """Selects points, edges, faces or parts; a second time converts what is selected."""
        if kind == self.view.kind and kind != "parts" and self.session.document.parts:
            if len(self.session.selection) and self.session.selection.kind != kind:
                self.attempt(lambda: self.session.do(keys.CONVERT, kind=kind))
        elif kind == "parts":
            self.view.kind = "parts"
        else:
            self.view.kind = kind  # type: ignore[assignment]
        self.view.hover = None
        self.refresh_readout()
        self.strip.refresh()
        self.tools.refresh()
        self.panes.refresh()

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
        if not self._shown:
            self._shown = True
            self.reviewing.soon()
            self._ready.begin()

    def closeEvent(self, event: QCloseEvent) -> None:
        # Whatever happens on the way: the window stays until the document is safe.
        event.ignore()
        may_leave = False

        def ask() -> None:
            nonlocal may_leave
            may_leave = self.on_files.may_leave()

        if not self.attempt(ask) or not may_leave:
            return
        self.shell.keep_shape()
        self.session.changed.disconnect(self._changed)
        self.reviewing.stop()
        self.comparing.stop()
        self.keyboard.stop()
        self.stage.close()
        self._later.forget()
        self._ready.stop()
        self._collector.stop()
        self.sentence.messages.fade()
        self.starting.close()
        self.panes.release()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.keyboard.press(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not self.keyboard.release(event):
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.keyboard.leave()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()) or event.mimeData().hasFormat(MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        if event.mimeData().hasFormat(MIME):
            name = bytes(event.mimeData().data(MIME).data()).decode("utf-8")
            self.attempt(lambda: self.on_skin.drop(name, event.position().toPoint()))
            return
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        self.on_files.drop(paths)

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
        middle.addWidget(self.uv)
        side = QSplitter(Qt.Orientation.Vertical)
        side.setObjectName("side")
        side.setMinimumWidth(230)
        side.setChildrenCollapsible(False)
        side.setHandleWidth(1)
        side.addWidget(self.parts)
        side.addWidget(self.guides)
        side.addWidget(self.materials)
        side.addWidget(self.review)
        side.setStretchFactor(0, 3)
        side.setStretchFactor(3, 4)
        side.setSizes([290, 60, 220, 330])
        middle.addWidget(side)
        middle.setStretchFactor(0, 1)
        middle.setStretchFactor(1, 1)
        middle.setSizes([1280 - scaled(268), 0, scaled(268)])
        self.middle = middle
        column.addWidget(middle, 1)
        column.addWidget(self.line)
        column.addWidget(self.strip)
        self.setCentralWidget(centre)
        self.view.setFocus()

    def _connect(self) -> None:
        self.session.changed.connect(self._changed)
        self.stage.changed.connect(self.line.update)
        self.stage.changed.connect(self.refresh_readout)
        self.stage.changed.connect(self.starting.lesson.refresh)
        self.stage.changed.connect(self.comparing.soon)
        self.history.asked_compare.connect(self.comparing.with_version)
        self.review.chosen.connect(lambda *_: self.starting.lesson.refresh())
        self.stage.told.connect(self.tell)
        self.stage.busy.connect(lambda _: self.strip.refresh())
        self.panes.told.connect(self.tell)
        self.panes.asked_menu.connect(self.shell.open_menu)
        self.panes.asked_label.connect(lambda place: open_view_menu(self, place))
        self.panes.camera_moved.connect(self.refresh_readout)
        self.panes.soft_turned.connect(self.on_view.turn_soft)
        self.panes.asked_on_loop.connect(self.on_view.start_on_loop)
        self.panes.hands.repeats = self.operating.repeats
        self.panes.hands.apply_again = self.operating.apply_again
        self.panes.hands.open_field = self.sentence.open_field
        self.panes.hands.looks = looks(self)
        self.sentence.may_go_on = self.operating.may_go_on
        self.sentence.told.connect(self.tell)
        self.sentence.left.connect(self._left_sentence)
        self.sentence.asked_history.connect(self.shell.show_history)
        self.history.asked_change.connect(self.operating.change_entry)
        self.tools.chosen.connect(self.start)
        self.tools.told.connect(self.tell)
        self.strip.kind_chosen.connect(self.set_kind)
        self.strip.readout.linkActivated.connect(self._follow)
        self.parts.told.connect(self.tell)
        self.uv.chosen.connect(self.start)
        self.uv.toggled.connect(self._make_room)
        self.uv.flat.asked.connect(self.operating.begin_with)
        self.uv.flat.changed.connect(lambda values: self.attempt(lambda: self.sentence.change(**values)))
        self.uv.flat.touches = lambda: self.panes.hands.box_rule == "touched"
        self.uv.flat.is_smooth = lambda: bool(self.session.document.parts) and self.session.part.level > 0
        self.guides.told.connect(self.tell)
        self.guides.asked_calibrate.connect(lambda: self.start(REGISTRY.by_tool("two places").key))
        self.parts.asked_menu.connect(self.on_parts.menu)
        self.line.chosen.connect(self.levels.show)
        self.line.output_chosen.connect(self.levels.give_out)
        self.review.chosen.connect(self.reviewing.choose)
        self.review.remedied.connect(self.reviewing.remedy)
        self.review.accepted.connect(self.reviewing.accept)
        self.review.purpose_changed.connect(lambda _: self.reviewing.run())

    def _make_room(self, shown: bool) -> None:
        """Shares what the views had with the UV view that has come beside them."""
        if shown:
            views, _, side = self.middle.sizes()
            room = views + max(self.width() - views - side, 0)
            self.middle.setSizes([room - round(0.44 * room), round(0.44 * room), side])

    # Following the session

    def _changed(self, old: State, new: State) -> None:
        beside.begin()
        try:
            self._follow_change(old, new)
        finally:
            # After what is posted by now, drawing among it.
            QTimer.singleShot(0, beside.end)

    def _follow_change(self, old: State, new: State) -> None:
        same_document = old.document is new.document
        if not same_document:
            self.on_recipe.follow(old.document, new.document)
            self.stage.refresh()
            self.reviewing.soon()
            self.starting.keep_safe()
            if new.key and new.parameters is not old.parameters:
                self.operating.remember(new)
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
        self.refresh_title()
        self.panes.refresh()
        self.refresh_readout()

    def refresh_readout(self) -> None:
        """Tells anew what is selected."""
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

    def _left_sentence(self) -> None:
        self.view.setFocus()
        self.tools.refresh()
        self.starting.refresh()

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
        self.refresh_readout()
        self.reviewing.soon()
        if remember:
            self.preferences = replace(self.preferences, theme=name)
            self.preferences.keep()
