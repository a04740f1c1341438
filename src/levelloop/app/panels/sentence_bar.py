"""The sentence bar: the running or last operation as a sentence whose numbers can be typed."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QScrollArea, QWidget

from levelloop.app.theme import Theme, plain_label, text_font
from levelloop.core.errors import LevelLoopError
from levelloop.document.document import Document
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Vector
from levelloop.document.registry import Operation
from levelloop.document.running import described
from levelloop.document.scripting.typed_fields import typed_values
from levelloop.document.session import Session

TEACHING = "Pick something, then choose a tool. Everything can be searched: Ctrl+K."
EMPTY = "Add a form to start: Add › Box. Or open the demo: Help › Open the demo."


class Field(QLineEdit):
    """One number of the sentence. stepped: arrow keys or wheel, in steps; chosen: Enter, Shift+Enter or Esc."""

    stepped = Signal(float)
    kept = Signal(bool)
    reverted = Signal()
    axis_turned = Signal(int)

    def __init__(self, name: str, hint: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.name = name
        self.setToolTip(hint)
        self.setFont(text_font(10))
        self.textChanged.connect(self._fit)
        self._fit()

    def _fit(self) -> None:
        self.setFixedWidth(max(34, self.fontMetrics().horizontalAdvance(self.text()) + 20))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, modifiers = event.key(), event.modifiers()
        size = 1.0
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            size = 10.0
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            size = 0.1
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.stepped.emit(size if key == Qt.Key.Key_Up else -size)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.kept.emit(bool(modifiers & Qt.KeyboardModifier.ShiftModifier))
        elif key == Qt.Key.Key_Escape:
            self.reverted.emit()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.hasSelectedText() and not modifiers:
            self.axis_turned.emit(1 if key == Qt.Key.Key_Right else -1)
            super().keyPressEvent(event)
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        size = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self.stepped.emit(size if event.angleDelta().y() > 0 else -size)
        event.accept()


class SentenceBar(QWidget):
    """Shows what ran last or what waits for its numbers; typing changes the model live.

    told: a sentence for the person. left: the person is done with the fields.
    """

    told = Signal(str)
    left = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sentence")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(44)
        self.session = session
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 4, 12, 4)
        self._row.setSpacing(6)
        self._words = QWidget(self)
        self._word_row = QHBoxLayout(self._words)
        self._word_row.setContentsMargins(0, 0, 0, 0)
        self._word_row.setSpacing(5)
        # A long sentence scrolls with the field that has the keyboard, instead of widening the window.
        self._scroll = QScrollArea(self)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidgetResizable(True)
        self._scroll.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        self._scroll.setWidget(self._words)
        self._row.addWidget(self._scroll, 1)
        self.keep = QPushButton("Keep", self)
        self.keep.setObjectName("primary")
        self.keep.setToolTip("Enter")
        self.again = QPushButton("Keep and again", self)
        self.again.setToolTip("Shift+Enter")
        self.revert = QPushButton("Revert", self)
        self.revert.setToolTip("Esc")
        for button in (self.keep, self.again, self.revert):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self._row.addWidget(button)
        self.keep.clicked.connect(lambda: self.finish(False))
        self.again.clicked.connect(lambda: self.finish(True))
        self.revert.clicked.connect(self.take_back)
        self._pending: tuple[Operation, dict[str, Any]] | None = None
        self._pending_since = 0
        self._shown: tuple[Any, ...] = ()
        self._open = False
        self.fields: dict[str, Field] = {}
        self._typing: Field | None = None
        self.refresh()

    # What runs

    @property
    def is_open(self) -> bool:
        """Whether an operation's numbers are being decided."""
        return self._open

    def start(self, operation: Operation, parameters: Mapping[str, Any], waiting: bool) -> None:
        """Begins an operation: runs it at once, or waits for its numbers."""
        if waiting:
            values = operation.read(parameters, self.session.document.reading)
            self._pending = (operation, values)
            self._pending_since = self.session.here
        else:
            self._pending = None
            message = self.session.perform(operation.key, **parameters)
            if self.session.state.message:
                self.told.emit(message)
        self._open = waiting or operation.has_numbers
        self.refresh()
        if self._open:
            self.focus_first()

    def change(self, **values: Any) -> None:
        """Changes numbers of the operation that waits or runs; nothing where there is none."""
        if self._pending is not None:
            operation, known = self._pending
            self._pending = (operation, operation.read({**known, **values}, self.session.document.reading))
            self.refresh()
        elif self._open and self.session.state.key:
            self.session.change_last(**values)

    def numbers(self, operation: Operation) -> dict[str, Any]:
        """The numbers of an operation that waits or ran last, else those it begins with."""
        if self._pending is not None and self._pending[0] is operation:
            return dict(self._pending[1])
        if self.session.state.key == operation.key:
            return dict(self.session.state.parameters)
        return operation.defaults()

    @property
    def is_waiting(self) -> bool:
        """Whether an operation waits for its numbers and has not run yet."""
        return self._pending is not None

    def finish(self, again: bool) -> None:
        """Keeps what was done; again: runs it once more on what is selected now."""
        self._pending = None
        self._open = False
        if again:
            try:
                self.session.repeat_last()
                self._open = True
            except LevelLoopError as error:
                self.told.emit(str(error))
        self.refresh()
        if not again:
            self.left.emit()

    def take_back(self) -> None:
        """Reverts the operation as if it had never run."""
        if self._pending is not None:
            self._pending = None
        elif self._open and self.session.state.key:
            self.session.revert_last()
            self.told.emit("Taken back; redo brings it again.")
        self._open = False
        self.refresh()
        self.left.emit()

    def close_fields(self) -> None:
        """Stops waiting and leaves the fields; what ran stays."""
        self._pending = None
        self._open = False
        self.refresh()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusIn and isinstance(watched, QWidget):
            self._scroll.ensureWidgetVisible(watched, 24, 0)
        return super().eventFilter(watched, event)

    def focus(self, name: str) -> None:
        """Puts the keyboard into a field, ready to type over."""
        self.fields[name].setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.fields[name].selectAll()

    def focus_first(self) -> None:
        """Puts the keyboard into the first field, ready to type over."""
        if self.fields:
            self.focus(next(iter(self.fields)))

    # What is shown

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.close_fields()

    def set_theme(self, theme: Theme) -> None:
        """Writes the sentence anew, so that its words and fields take the theme's colours."""
        self._shown = ()
        self.refresh()

    def refresh(self) -> None:
        """Brings the sentence up to date with the session."""
        waiting = self._pending[0].key if self._pending is not None else ""
        if waiting and self.session.here > self._pending_since and self.session.state.key == waiting:
            # A drag has run what waited for numbers; from now on the sentence shows those.
            self._pending = None
        operation, values, subject = self._subject()
        shown: tuple[Any, ...] = ("", subject, bool(self.session.document.parts))
        if operation is not None:
            shown = (operation.key, subject, self._selected_before(), *operation.pieces(values))
        if shown != self._shown:
            self._shown = shown
            self._rebuild(operation, values, subject)
        elif operation is not None:
            self._write(operation, values)
        can_change = self._open or self._pending is not None
        for button in (self.keep, self.again, self.revert):
            button.setVisible(can_change and operation is not None)
        self.again.setVisible(can_change and self._pending is None and operation is not None)

    def _subject(self) -> tuple[Operation | None, dict[str, Any], str]:
        if self._pending is not None:
            operation, values = self._pending
            chosen = self.session.state.shown_selections.values()
            return operation, values, described(*chosen) if chosen else "all"
        state = self.session.state
        if not state.key:
            return None, {}, state.sentence
        return REGISTRY[state.key], dict(state.parameters), state.acted_on

    def _rebuild(self, operation: Operation | None, values: dict[str, Any], subject: str) -> None:
        # The keyboard stays in the field of that name: the first digit typed may be what rebuilds the sentence.
        held = next((field for field in self.fields.values() if field.hasFocus()), None)
        typed = self._typing
        self._compose(operation, values, subject)
        again = self.fields.get(held.name) if held is not None else None
        if held is None or again is None:
            return
        if typed is held:
            self._typing = again
            again.setText(held.text())
        again.setFocus(Qt.FocusReason.OtherFocusReason)
        again.setCursorPosition(held.cursorPosition())

    def _compose(self, operation: Operation | None, values: dict[str, Any], subject: str) -> None:
        while self._word_row.count():
            # The stretch at the end goes too; it comes back below.
            item = self._word_row.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.setParent(None)
                # Later, since this may run inside one of the field's own signals.
                QTimer.singleShot(0, widget.deleteLater)
        self.fields = {}
        if operation is None:
            text = TEACHING if self.session.document.parts else EMPTY
            if self.session.can_undo and self.session.document.parts:
                text = subject + "."
            self._say(text, quiet=True)
            self._word_row.addStretch(1)
            return
        pieces = operation.pieces(values)
        for text, name in pieces:
            # Between fields the gaps do what commas do in the history.
            if text.strip(" ,"):
                self._say(text.strip(" ,"))
            if name == "selection":
                self._say(subject, strong=True)
            elif name is not None:
                parameter = operation.parameter(name)
                field = Field(name, parameter.hint, self._words)
                field.textEdited.connect(lambda _, field=field: self._typed(field))
                field.stepped.connect(lambda by, field=field: self._step(field, by))
                field.kept.connect(self.finish)
                field.reverted.connect(self.take_back)
                field.axis_turned.connect(lambda by, field=field: self._turn_axis(field, by))
                field.installEventFilter(self)
                self.fields[name] = field
                self._word_row.addWidget(field)
                field.show()
        as_selected = self._selected_before()
        if operation.acts_on == "form" and "sides" in self.fields and as_selected:
            button = QPushButton(f"as selected: {as_selected}", self._words)
            button.setObjectName("link")
            button.setToolTip("As many sides as edges were selected")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda: self._apply({"sides": as_selected}, None))
            self._word_row.addWidget(button)
            button.show()
        for name in self._missing(operation, pieces):
            button = QPushButton(f"+ {name.replace('_', ' ')}", self._words)
            button.setObjectName("link")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _=False, name=name: self._give(name))
            self._word_row.addWidget(button)
            button.show()
        self._word_row.addStretch(1)
        self._write(operation, values)

    def _missing(self, operation: Operation, pieces: list[tuple[str, str | None]]) -> list[str]:
        """Optional numbers that the sentence leaves out; each can be given by a click."""
        shown = {name for _, name in pieces}
        return [
            parameter.name
            for parameter in operation.parameters
            if parameter.optional and parameter.name not in shown and parameter.offered and parameter.is_typed
        ]

    def _give(self, name: str) -> None:
        operation, _, _ = self._subject()
        if operation is None:
            return
        parameter = operation.parameter(name)
        first = parameter.first(self.session.document)
        if first is None:
            self.told.emit("There is no other part to name.")
            return
        self._apply({name: first, **({parameter.instead_of: None} if parameter.instead_of else {})}, None)
        if name in self.fields:
            self.fields[name].setFocus()
            self.fields[name].selectAll()

    def _selected_before(self) -> int:
        """How many edges, or points, were selected before the running operation; 0 where that makes no form."""
        if self.session.here == 0:
            return 0
        before = self.session.history[self.session.here - 1]
        selection = before.selection(before.document.active)
        return len(selection) if selection.kind != "faces" and 3 <= len(selection) <= 512 else 0

    def _say(self, text: str, strong: bool = False, quiet: bool = False) -> None:
        label = plain_label(text, self._words)
        font = text_font(10)
        if strong:
            font = text_font(10, font.Weight.DemiBold)
        label.setFont(font)
        if quiet:
            label.setObjectName("quiet")
        self._word_row.addWidget(label)
        label.show()

    def _write(self, operation: Operation, values: dict[str, Any]) -> None:
        unit = self.session.document.unit
        for name, field in self.fields.items():
            if self._typing is field:
                continue
            text = operation.show(name, values, unit)
            if field.text() != text:
                field.setText(text)
            field.setObjectName("")
            field.style().polish(field)

    # What is typed

    def _typed(self, field: Field) -> None:
        operation, _, _ = self._subject()
        if operation is None:
            return
        self._typing = field
        try:
            document: Document = self.session.document
            values = typed_values(operation, field.name, field.text(), document.reading)
            self._apply(values, field)
        except LevelLoopError as error:
            self._wrong(field, str(error))
        finally:
            self._typing = None

    def _step(self, field: Field, by: float) -> None:
        operation, values, _ = self._subject()
        if operation is not None:
            parameter = operation.parameter(field.name)
            self._apply({field.name: parameter.stepped(values[field.name], by)}, None)
            field.selectAll()

    def _turn_axis(self, field: Field, by: int) -> None:
        """Left and right change the axis that a typed move or turn goes along."""
        operation, values, _ = self._subject()
        if operation is None or not operation.handle:
            return
        name = "axis" if "axis" in values else field.name
        parameter = operation.parameter(name)
        if isinstance(parameter, Vector):
            self._apply({name: parameter.turned(values[name], by)}, None)
        field.selectAll()

    def _apply(self, changes: dict[str, Any], field: Field | None) -> None:
        try:
            if self._pending is not None:
                operation, values = self._pending
                merged = {**values, **changes}
                if operation.drawn and not merged[operation.drawn]:
                    # What is drawn in the view comes first; until then numbers are only kept.
                    self._pending = (operation, operation.read(merged, self.session.document.reading))
                    self.refresh()
                    return
                self.session.perform(operation.key, **merged)
                # What only selects is no entry of the history that could be changed: it goes on waiting.
                selects = operation.acts_on == "selection"
                self._pending = (operation, operation.read(merged, self.session.document.reading)) if selects else None
            else:
                self.session.change_last(**changes)
            self._open = True
            self.told.emit("" if self._pending is not None else self.session.state.message)
        except LevelLoopError as error:
            if self._pending is not None:
                self._remember(changes)
            if field is not None:
                self._wrong(field, str(error))
            else:
                self.told.emit(str(error))
                self.refresh()
            return
        if field is not None:
            field.setObjectName("")
            field.style().polish(field)
        self.refresh()

    def _remember(self, changes: dict[str, Any]) -> None:
        """Keeps numbers of an operation that waits although it cannot run yet: others may still be missing."""
        assert self._pending is not None
        operation, values = self._pending
        with contextlib.suppress(LevelLoopError):
            self._pending = (operation, operation.read({**values, **changes}, self.session.document.reading))

    def _wrong(self, field: Field, sentence: str) -> None:
        field.setObjectName("wrong")
        field.style().polish(field)
        self.told.emit(sentence)
