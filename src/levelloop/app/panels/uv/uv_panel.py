"""The UV view with what stands around it: its ground, its tools, and what the islands are like in numbers."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from levelloop.app.panels.pieces import heading
from levelloop.app.panels.uv.flat import Flat
from levelloop.app.panels.uv.flat_drawing import MOST_STRETCH, Ground
from levelloop.app.theme import Theme, plain_label, quiet_button, scaled, text_font
from levelloop.document.operations import REGISTRY, keys
from levelloop.document.session import Session

GROUNDS: tuple[tuple[Ground, str], ...] = (
    ("plain", "Islands in the part's colour"),
    ("checker", "Numbered squares: mirrored islands show"),
    ("stretch", "How far lengths are stretched against each other"),
)
TOOLS = (keys.UNWRAP, keys.SEAM, keys.JOIN_UV, keys.STRAIGHTEN_UV, keys.PACK)


class UvPanel(QWidget):
    """The UV view with what stands around it: its ground, its tools, and what the islands are like in numbers.

    chosen: a tool, by the key of its operation; toggled: whether it is shown now.
    """

    chosen = Signal(str)
    toggled = Signal(bool)

    def __init__(self, session: Session, theme: Theme, kind: Callable[[], str]) -> None:
        super().__init__()
        self.theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(2)
        head.addWidget(heading("UV", self))
        head.addStretch(1)
        self.buttons: dict[Ground, QPushButton] = {}
        for name, hint in GROUNDS:
            button = quiet_button(name, hint, self)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, name=name: self.show_ground(name))
            self.buttons[name] = button
            head.addWidget(button)
        column.addLayout(head)
        self.flat = Flat(session, theme, kind, self)
        column.addWidget(self.flat, 1)
        tools = QHBoxLayout()
        tools.setSpacing(2)
        self.tools: list[QPushButton] = []
        for key in TOOLS:
            operation = REGISTRY[key]
            button = quiet_button(operation.title, operation.hint, self)
            button.clicked.connect(lambda _=False, key=key: self.chosen.emit(key))
            self.tools.append(button)
            tools.addWidget(button)
        tools.addStretch(1)
        column.addLayout(tools)
        self.words = plain_label("", self)
        self.words.setObjectName("quiet")
        self.words.setFont(text_font(8.5))
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(scaled(16))
        column.addWidget(self.words)
        self.show_ground("plain")
        self.hide()

    def show_ground(self, ground: Ground) -> None:
        """Shows islands plain, over the checker, or in the colours of their stretch."""
        self.flat.ground = ground
        for name, button in self.buttons.items():
            button.setChecked(name == ground)
        self.refresh()

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.flat.session = session
        self.refresh()

    def refresh(self) -> None:
        """Brings the islands and their numbers up to date."""
        if self.isHidden():
            return
        picture = self.flat.picture
        said = "" if picture is None else picture.words
        if picture is not None and self.flat.ground == "stretch":
            said += f". White is even, dark is {MOST_STRETCH:g} × and more."
        mesh = self.flat.session.part.mesh if self.flat.session.document.parts else None
        if mesh is not None and mesh.uv_sets:
            said = f"“{mesh.uv_name}” of {len(mesh.uv_sets) + 1} UV sets: {said}"
        self.words.setText(said)
        self.flat.forget()

    def set_theme(self, theme: Theme) -> None:
        """Shows itself in a theme's colours."""
        self.theme = self.flat.theme = theme
        self.refresh()

    def toggle(self) -> None:
        """Shows the UV view beside the views, or puts it away."""
        self.setVisible(self.isHidden())
        self.toggled.emit(not self.isHidden())
        if not self.isHidden():
            self.refresh()
            self.flat.frame(everything=True)
            self.flat.setFocus()
