"""The sentence bar: the running or last operation as a sentence whose numbers can be typed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QWidget

from levelloop.app.panels.messages import Messages
from levelloop.app.panels.sentence.field import Field
from levelloop.app.panels.sentence.running import Keep, Note, Running
from levelloop.app.panels.sentence.words import SentenceWords
from levelloop.app.theme import Theme, plain_label, scaled, text_font
from levelloop.core.errors import LevelLoopError
from levelloop.document.parameters import Choice, Expression, Text, Toggle, Vector
from levelloop.document.registry import Operation
from levelloop.document.scripting.typed_fields import along_axis, typed_values
from levelloop.document.scripting.where_sentence import Sentence
from levelloop.document.session import Session

TEACHING = "Pick something, then choose a tool. Everything can be searched: Ctrl+K."
BY_HAND = (Qt.FocusReason.MouseFocusReason, Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
MESSAGE_ROOM = 120  # pixels that are left to messages beside a long sentence
EMPTY = "Add a form to start: Add › Box. Or open the demo: Help › Open the demo."


class SentenceBar(QWidget):
    """Shows what ran last or what waits for its numbers; typing changes the model live.

    It has three faces: idle, a hint for what is selected; open, numbers being decided; kept, the same sentence in quiet
    ink whose numbers can still be changed.

    told: a sentence for the person. left: the person is done with the fields. asked_history: the list of what was done.
    """

    told = Signal(str)
    left = Signal()
    asked_history = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sentence")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(scaled(44))
        self.running = Running(session)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(8, 4, 12, 4)
        self._row.setSpacing(6)
        self.past = QPushButton("↶", self)
        self.past.setProperty("quiet", True)
        self.past.setAccessibleName("History")
        self.past.setToolTip("What was done (Ctrl+H)")
        self.past.setFixedWidth(30)
        self.past.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.past.clicked.connect(self.asked_history)
        self._row.addWidget(self.past)
        self._words = SentenceWords(self)
        self._words.typed.connect(self._typed)
        self._words.stepped.connect(self._step)
        self._words.kept.connect(self.finish)
        self._words.left.connect(self._leave)
        self._words.tabbed.connect(self._tab)
        self._words.axis_turned.connect(self._turn_axis)
        self._words.chosen.connect(lambda name, value: self._apply({name: value}, None))
        self._words.given.connect(self._give)
        # A long sentence scrolls with the field that has the keyboard, instead of widening the window.
        self._scroll = QScrollArea(self)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidgetResizable(True)
        self._scroll.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        self._scroll.setWidget(self._words)
        self._row.addWidget(self._scroll)
        self.keep = QPushButton("Keep ⏎", self)
        self.keep.setObjectName("primary")
        self.keep.setToolTip("Enter")
        self.again = QPushButton("again", self)
        self.again.setToolTip("Keeps it and applies it to what is picked next, until Esc (Shift+Enter)")
        self.revert = QPushButton("Revert", self)
        self.revert.setToolTip("Esc")
        for button in (self.keep, self.again, self.revert):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self._row.addWidget(button)
        self.keep.clicked.connect(lambda: self.finish(False))
        self.again.clicked.connect(lambda: self.finish(True))
        self.revert.clicked.connect(self.take_back)
        self.note = plain_label("", self)
        self.note.setFont(text_font(9.5))
        self._row.addWidget(self.note)
        self.messages = Messages(self)
        self._row.addWidget(self.messages, 1)
        self.may_go_on: Callable[[], bool] = lambda: False  # whether what ran last can be applied to single picks
        self.axis = ""  # along which a bare number was typed last; empty: the normal of what is selected
        self._before: dict[str, Any] = {}  # what the field in use held when it was opened
        self._shown: tuple[Any, ...] = ()
        self._typing: Field | None = None
        self._complaint = ""  # about what stands in a field
        self.refresh()

    @property
    def fields(self) -> dict[str, Field]:
        """The fields of the sentence, by the parameter each is for."""
        return self._words.fields

    @property
    def session(self) -> Session:
        """The session that the sentence is about."""
        return self.running.session

    # What runs

    @property
    def is_open(self) -> bool:
        """Whether an operation's numbers are being decided."""
        return self.running.is_open

    @property
    def is_waiting(self) -> bool:
        """Whether an operation waits for its numbers and has not run yet."""
        return self.running.waiting is not None

    def start(self, operation: Operation, parameters: Mapping[str, Any], waiting: bool) -> None:
        """Begins an operation: runs it at once, or waits for its numbers."""
        if waiting:
            self.running.wait(operation, parameters, None)
        else:
            self.running.run(operation, parameters)
            if self.session.state.message:
                self.told.emit(self.session.state.message)
        self.refresh()
        first = operation.parameters[0] if operation.parameters else None
        if waiting and isinstance(first, Text | Sentence | Expression) and first.name in self.fields:
            # It cannot go on without a word.
            self.focus(first.name)

    def ask(self, question: Operation, values: Mapping[str, Any], keep: Keep, note: Note) -> None:
        """Asks something as an operation's numbers are asked: nothing runs until it is kept.

        keep: called with the values then; note: what stands beside Keep.
        """
        self._complaint = ""
        self.running.wait(question, values, (keep, note))
        self.refresh()

    def change(self, **values: Any) -> None:
        """Changes numbers of the operation that waits or runs; nothing where there is none."""
        if self.running.change(values):
            self.refresh()
        elif self.is_open and self.session.state.key:
            self.session.change_last(**values)

    def give(self, values: dict[str, Any]) -> None:
        """Runs what waits or ran last with other numbers, as if they had been typed."""
        self._apply(values, None)

    def finish(self, again: bool) -> None:
        """Keeps what was done; again: applies it to what is picked next, or where nothing can be, once more."""
        question, waiting = self.running.question, self.running.waiting
        if question is not None and self._complaint:
            # Nothing has run that could be seen: what is kept must be what stands there.
            self.told.emit(self._complaint)
            return
        self.running.drop()
        if question is not None and waiting is not None:
            self.refresh()
            self.left.emit()
            question[0](waiting[1])
            return
        if again and self.may_go_on():
            self.running.goes_on = True
            self.told.emit("Pick the next one: it is done there too, until Esc.")
        elif again:
            self.repeat()
        self.refresh()
        if not again or self.running.goes_on:
            self.left.emit()

    def repeat(self) -> None:
        """Runs what ran last once more on what is selected now; its numbers are open then."""
        goes_on = self.running.goes_on
        try:
            self.session.repeat_last()
            self.running.is_open = True
        except LevelLoopError as error:
            self.told.emit(str(error))
        self.running.goes_on = goes_on
        self.refresh()

    def end_again(self) -> None:
        """Applies nothing to what is picked next any more; what was done stays."""
        self.running.goes_on = False
        self.refresh()

    def take_back(self) -> None:
        """Reverts the operation as if it had never run."""
        if not self.is_waiting and self.is_open and self.session.state.key:
            self.session.revert_last()
            self.told.emit("Taken back; redo brings it again.")
        self.running.drop()
        self.refresh()
        self.left.emit()

    def close_fields(self) -> None:
        """Stops waiting and leaves the fields; what ran stays."""
        self.running.drop()
        if self.is_typing:
            self.left.emit()
        self.refresh()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusIn and isinstance(watched, Field):
            self._scroll.ensureWidgetVisible(watched, 24, 0)
            operation, values, _ = self.running.subject()
            if operation is not None and self._typing is None:
                self._before = dict(values)
                if not self.is_open and isinstance(event, QFocusEvent) and event.reason() in BY_HAND:
                    # A click into what was kept opens it again.
                    self.running.is_open = True
                    QTimer.singleShot(0, self.refresh)
        return super().eventFilter(watched, event)

    @property
    def is_typing(self) -> bool:
        """Whether a field is in use: then the keyboard is its own."""
        return any(field.hasFocus() for field in self.fields.values())

    def open_field(self, text: str) -> bool:
        """Opens the first field that takes numbers, with what was typed; whether there is one."""
        name = self._first_number()
        if name is None:
            return False
        self.focus(name)
        if text:
            # What is there is selected, so it goes; "=" opens an empty field for a name.
            self.fields[name].insert("" if text == "=" else text)
        return True

    def step_first(self, by: float) -> None:
        """Steps the first number of an open sentence, its field left closed."""
        name = self._first_number()
        if name is not None:
            self._step(self.fields[name], by)
            self.left.emit()

    def _first_number(self) -> str | None:
        """The first field that takes numbers, of a sentence that is open."""
        operation, _, _ = self.running.subject()
        if not self.is_open or operation is None:
            return None
        return next((name for name in self.fields if not isinstance(operation.parameter(name), Choice | Toggle)), None)

    def reopen(self) -> None:
        """Opens the numbers of what ran last again."""
        if self.session.state.key:
            self.running.is_open = True
            self.refresh()
            self.focus_first()

    def set_axis(self, axis: str) -> bool:
        """Lets an open move, rotate or scale go along an axis; whether one is open."""
        operation, values, _ = self.running.subject()
        if not self.is_open or operation is None or not operation.handle:
            return False
        self.axis = axis
        change = along_axis(operation, values, axis)
        if change:
            self._apply(change, None)
        else:
            self.told.emit(f"Along {axis}.")
        return True

    def step_axis(self, by: int) -> bool:
        """Lets an open move, rotate or scale go along the next or previous axis; whether one is open."""
        known = self.axis if self.axis else "z" if by > 0 else "x"
        return self.set_axis("xyz"[("xyz".index(known) + by) % 3])

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
        self.running.session = session
        self.close_fields()

    def set_theme(self, theme: Theme) -> None:
        """Writes the sentence anew, so that its words and fields take the theme's colours."""
        self._shown = ()
        self.refresh()

    def refresh(self) -> None:
        """Brings the sentence up to date with the session."""
        self.running.catch_up()
        operation, values, subject = self.running.subject()
        shown: tuple[Any, ...] = ("", subject, bool(self.session.document.parts))
        if operation is not None:
            shown = (operation.key, subject, self.running.selected_before, *operation.pieces(values))
        can_change, question = self.is_open or self.is_waiting, self.running.question
        face = "idle" if operation is None else "open" if can_change else "kept"
        is_other, self._shown = shown != self._shown, shown
        # Words that are about to go need no new look.
        self._show_face(face, [] if is_other else self._words.findChildren(QWidget))
        if is_other:
            self._rebuild(operation, values, subject)
        elif operation is not None:
            self._words.write(operation, values, self.session.document.unit, self._typing)
        self.note.setText(question[1](values) if question is not None else "")
        self.note.setVisible(question is not None)
        for button in (self.keep, self.revert):
            button.setVisible(can_change and operation is not None)
        goes_on = self.running.goes_on
        self.again.setVisible(goes_on or (can_change and not self.is_waiting and operation is not None))
        if self.again.property("lit") != goes_on:
            self.again.setProperty("lit", goes_on)
            self.again.style().unpolish(self.again)
            self.again.style().polish(self.again)
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()

    def _fit(self) -> None:
        """Gives the sentence the room it needs, as far as buttons and messages leave it."""
        shown = [widget for widget in (self.keep, self.again, self.revert, self.note) if not widget.isHidden()]
        taken = self.past.width() + sum(widget.sizeHint().width() + 6 for widget in shown) + MESSAGE_ROOM
        self._words.adjustSize()
        self._scroll.setFixedWidth(max(min(self._words.sizeHint().width(), self.width() - taken), 80))

    def _show_face(self, face: str, words: Sequence[QWidget]) -> None:
        if self.property("face") == face:
            return
        self.setProperty("face", face)
        for widget in (self, self.note, self.messages, *words):
            widget.style().unpolish(widget)
            widget.style().polish(widget)

    def _rebuild(self, operation: Operation | None, values: dict[str, Any], subject: str) -> None:
        # The keyboard stays in the field of that name: the first digit typed may be what rebuilds the sentence.
        held = next((field for field in self.fields.values() if field.hasFocus()), None)
        typed = self._typing
        if operation is None:
            self._words.tell(self._hint(subject))
        else:
            self._words.compose(operation, values, subject, self.running.selected_before, self)
            self._words.write(operation, values, self.session.document.unit, self._typing)
        again = self.fields.get(held.name) if held is not None else None
        if held is None or again is None or not self.is_open:
            return
        if typed is held:
            self._typing = again
            again.setText(held.text())
        again.setFocus(Qt.FocusReason.OtherFocusReason)
        again.setCursorPosition(held.cursorPosition())

    def _hint(self, subject: str) -> str:
        """What is said where no operation runs."""
        if not self.session.document.parts:
            return EMPTY
        return f"{subject}." if self.session.can_undo else TEACHING

    def _give(self, name: str) -> None:
        operation, _, _ = self.running.subject()
        if operation is None:
            return
        parameter = operation.parameter(name)
        first = parameter.first(self.session.document)
        if first is None:
            self.told.emit(parameter.lacking)
            return
        self._apply({name: first}, None)
        if name in self.fields:
            self.fields[name].setFocus()
            self.fields[name].selectAll()

    # What is typed

    def _typed(self, field: Field) -> None:
        operation, known, _ = self.running.subject()
        if operation is None:
            return
        self._typing = field
        try:
            text, document = field.text(), self.session.document
            if operation.handle and text.strip()[-1:].lower() in ("x", "y", "z"):
                self.axis = text.strip()[-1].lower()
            along = self.running.along(operation, known, self.axis)
            values = typed_values(operation, field.name, text, document.reading, along)
            self._apply(values, field)
        except LevelLoopError as error:
            self._wrong(field, str(error))
        finally:
            self._typing = None

    def _leave(self, field: Field) -> None:
        """Esc: the field has its old value again, and the keyboard is the view's."""
        operation, values, _ = self.running.subject()
        old = {name: value for name, value in self._before.items() if name in values and value != values[name]}
        self._typing, self._complaint = None, ""
        if operation is not None and old:
            self._apply(old, None)
        self._shown = ()
        self.refresh()
        self.left.emit()

    def _tab(self, field: Field, by: int) -> None:
        names = list(self.fields)
        self.focus(names[(names.index(field.name) + by) % len(names)])

    def _step(self, field: Field, by: float) -> None:
        operation, values, _ = self.running.subject()
        if operation is not None:
            parameter = operation.parameter(field.name)
            self._apply({field.name: parameter.stepped(values[field.name], by)}, None)
            field.selectAll()

    def _turn_axis(self, field: Field, by: int) -> None:
        """Left and right change the axis that a typed move or turn goes along."""
        operation, values, _ = self.running.subject()
        if operation is None or not operation.handle:
            return
        name = "axis" if "axis" in values else field.name
        parameter = operation.parameter(name)
        if isinstance(parameter, Vector):
            self._apply({name: parameter.turned(values[name], by)}, None)
        field.selectAll()

    def _apply(self, changes: dict[str, Any], field: Field | None) -> None:
        self._complaint = ""
        try:
            self.told.emit(self.running.apply(changes))
        except LevelLoopError as error:
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

    def _wrong(self, field: Field, sentence: str) -> None:
        self._complaint = sentence
        field.setObjectName("wrong")
        field.style().polish(field)
        self.told.emit(sentence)
