"""Panes: one, two or four views of the document side by side, each with its own direction and look."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from levelloop.app.theme import Theme
from levelloop.app.view.hands import Hands
from levelloop.app.view.render.uploads import Uploads
from levelloop.app.view.stage import Stage
from levelloop.app.view.viewport import Viewport
from levelloop.document.session import Session

# Where each pane looks from at first; the first one is as it was.
DIRECTIONS = ("", "top", "front", "right")


class Panes(QWidget):
    """The views. What hands do (what is selected for, the tool, the finding) is shared by all of them.

    active: the view that was last used; keys and commands go there. changed: another one became active.
    """

    asked_menu = Signal(QPoint)
    asked_label = Signal(QPoint)
    told = Signal(str)
    camera_moved = Signal()
    soft_turned = Signal(float)
    asked_on_loop = Signal(str, str, object)
    changed = Signal()

    def __init__(self, session: Session, stage: Stage, theme: Theme) -> None:
        super().__init__()
        self._session, self._stage, self._theme = session, stage, theme
        self.hands = Hands()
        self.uploads = Uploads()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        whole = QSplitter(Qt.Orientation.Vertical, self)
        self._rows = (QSplitter(Qt.Orientation.Horizontal, whole), QSplitter(Qt.Orientation.Horizontal, whole))
        for splitter in (whole, *self._rows):
            splitter.setObjectName("middle")
            splitter.setHandleWidth(3)
            splitter.setChildrenCollapsible(False)
        column.addWidget(whole)
        self.views: list[Viewport] = []
        self.active = self._new_view()
        self.show_views(1)

    @property
    def count(self) -> int:
        """How many views there are."""
        return sum(1 for view in self.views if not view.isHidden())

    def show_views(self, count: int) -> None:
        """Shows one, two or four views; those that were there keep how they look."""
        while len(self.views) < count:
            view = self._new_view()
            view.camera.look(DIRECTIONS[len(self.views) - 1])
            view.camera.perspective = False
        for number, view in enumerate(self.views):
            view.setVisible(number < count)
        for number, row in enumerate(self._rows):
            row.setVisible(count > 2 * number)
            row.setSizes([1, 1])
        if self.active not in self.views[:count]:
            self._activate(self.views[0])
        self._mark()

    def set_session(self, session: Session) -> None:
        """Makes another session the one that is shown."""
        self._session = session
        for view in self.views:
            view.session = session

    def set_theme(self, theme: Theme) -> None:
        """Shows all views in another theme."""
        self._theme = theme
        for view in self.views:
            view.set_theme(theme)

    def refresh(self) -> None:
        """Draws all views that are shown again."""
        for view in self.views:
            if not view.isHidden():
                view.refresh()

    def frame(self, everything: bool = False) -> None:
        """Frames the selection, the active part or everything in all views."""
        for view in self.views:
            view.frame(everything)

    def release(self) -> None:
        """Frees what all views hold on the GPU."""
        for view in self.views:
            view.release()

    # Qt

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.MouseButtonPress, QEvent.Type.FocusIn) and isinstance(watched, Viewport):
            self._activate(watched)
        return False

    # Helpers

    def _new_view(self) -> Viewport:
        view = Viewport(self._session, self._stage, self._theme, self, self.hands, self.uploads)
        view.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        view.looked.connect(self._look_changed)
        view.asked_menu.connect(self.asked_menu)
        view.asked_label.connect(self.asked_label)
        view.told.connect(self.told)
        view.camera_moved.connect(self.camera_moved)
        view.soft_turned.connect(self.soft_turned)
        view.asked_on_loop.connect(self.asked_on_loop)
        view.installEventFilter(self)
        # A view never changes its place: it would lose what it holds on the GPU.
        self._rows[len(self.views) // 2].addWidget(view)
        self.views.append(view)
        return view

    def _look_changed(self) -> None:
        """Lets pictures know how their surface bends while a view shows it."""
        self._stage.show_bends(any(view.look_of.shading == "curvature" for view in self.views))

    def _mark(self) -> None:
        """Shows which of several views keys go to."""
        several = self.count > 1
        for view in self.views:
            view.is_active = several and view is self.active
            view.overlay.update()

    def _activate(self, view: Viewport) -> None:
        if view is self.active:
            return
        self.active = view
        self._mark()
        self.changed.emit()
