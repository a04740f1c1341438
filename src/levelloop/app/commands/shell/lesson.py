"""A first part in six steps, done by the person in the real window; each is ticked off when it has been done."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from levelloop.app.theme import plain_label, text_font
from levelloop.core.values import dataclass

if TYPE_CHECKING:
    from levelloop.app.window import Window


@dataclass(frozen=True)
class Step:
    """One step: what to do, and whether it has been done."""

    sentence: str
    is_done: Callable[[Window], bool]


def _faces(window: Window) -> int:
    return window.session.part.mesh.n_faces if window.session.document.parts else 0


def _is_smooth(window: Window) -> bool:
    return bool(window.session.document.parts) and window.stage.is_smooth(window.session.part)


STEPS: tuple[Step, ...] = (
    Step(
        "Click “Box” in the line of tools, then press Enter to keep it.",
        lambda w: _faces(w) > 0 and not w.sentence.is_open,
    ),
    Step(
        "Press F for faces and click the top of the box.",
        lambda w: w.session.selection.kind == "faces" and len(w.session.selection) == 1,
    ),
    Step("Press U to extrude, type 10 and press Enter.", lambda w: _faces(w) >= 10 and not w.sentence.is_open),
    Step("Press N to inset the top, type 2 and press Enter.", lambda w: _faces(w) >= 14 and not w.sentence.is_open),
    Step("Tap Space to see the smooth surface; Space again shows the cage.", _is_smooth),
    Step(
        "Press R to step through what the review has found.",
        lambda w: w.review.row >= 0 or (bool(w.review.reports) and not w.review.rows),
    ),
)


class LessonLine(QWidget):
    """One line under the sentence bar that says what comes next."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window_ = window
        self.setObjectName("lesson")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(34)
        self.at = -1
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 10, 0)
        row.setSpacing(10)
        self.ticks = plain_label("", self)
        self.ticks.setFont(text_font(10))
        self.sentence = plain_label("", self)
        self.sentence.setFont(text_font(10, text_font().Weight.DemiBold))
        leave = QPushButton("Leave the lesson", self)
        leave.setProperty("quiet", True)
        leave.clicked.connect(self.leave)
        row.addWidget(self.ticks)
        row.addWidget(self.sentence, 1)
        row.addWidget(leave)
        self.hide()

    def begin(self) -> None:
        """Starts at the first step."""
        self.at = 0
        self.show()
        self.refresh()

    def leave(self) -> None:
        """Ends it."""
        self.at = -1
        self.hide()

    def refresh(self) -> None:
        """Ticks off what has been done; one step at a time."""
        if self.at < 0:
            return
        if self.at < len(STEPS) and STEPS[self.at].is_done(self.window_):
            self.at += 1
        self.ticks.setText("".join("●" if number < self.at else "○" for number in range(len(STEPS))))
        done = self.at >= len(STEPS)
        told = "That was a part from nothing to a reviewed smooth surface. Ctrl+S saves it."
        self.sentence.setText(told if done else f"{self.at + 1}  {STEPS[self.at].sentence}")
