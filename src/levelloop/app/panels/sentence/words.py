"""The words of the sentence: labels, fields and links in a row, made from what an operation says of itself."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPoint, Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from levelloop.app.panels.sentence.field import Field
from levelloop.app.theme import plain_label, text_font
from levelloop.document.parameters import Choice, Toggle
from levelloop.document.registry import Operation

MOST_OFFERED = 2  # optional numbers that stand in the sentence each for itself


class SentenceWords(QWidget):
    """One operation as a row of words and fields.

    typed, stepped, left, tabbed, axis_turned: what happened in a field; kept: Enter in one, or Shift+Enter; chosen: a
    value of a parameter from a list or a link; given: an optional number that is to be in the sentence.
    """

    typed = Signal(Field)
    stepped = Signal(Field, float)
    kept = Signal(bool)
    left = Signal(Field)
    tabbed = Signal(Field, int)
    axis_turned = Signal(Field, int)
    chosen = Signal(str, object)
    given = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(5)
        self._operation: Operation | None = None
        self._values: dict[str, Any] = {}
        self._unit = "mm"
        self.fields: dict[str, Field] = {}

    def tell(self, text: str) -> None:
        """Shows plain words instead of an operation."""
        self._clear()
        self._say(text, quiet=True)

    def compose(self, operation: Operation, values: dict[str, Any], subject: str, sides: int, watcher: QWidget) -> None:
        """Makes the row anew; subject: what it acts on; sides: of what is selected, 0 where that makes no form.

        watcher: filters the events of the fields. Their texts are left to `write`.
        """
        self._clear()
        self._operation = operation
        pieces = operation.pieces(values)
        for text, name in pieces:
            # Between fields the gaps do what commas do in the history.
            if text.strip(" ,"):
                self._say(text.strip(" ,"))
            if name == "selection":
                self._say(subject, strong=True)
            elif name is not None:
                self._add_field(operation, name).installEventFilter(watcher)
        if operation.acts_on == "form" and "sides" in self.fields and sides:
            button = self._link(f"as selected: {sides}")
            button.setToolTip("As many sides as edges were selected")
            button.clicked.connect(lambda: self.chosen.emit("sides", sides))
        missing = _missing(operation, pieces)
        if len(missing) > MOST_OFFERED:
            button = self._link("+ more")
            button.clicked.connect(lambda: self._open_missing(button, operation, missing))
        else:
            for name in missing:
                link = self._link(f"+ {name.replace('_', ' ')}")
                link.clicked.connect(lambda _=False, name=name: self.given.emit(name))

    def write(self, operation: Operation, values: dict[str, Any], unit: str, but: Field | None) -> None:
        """Brings the fields up to date with the values, but for the one that is typed into."""
        self._values, self._unit = values, unit
        for name, field in self.fields.items():
            if field is but:
                continue
            text = operation.show(name, values, unit)
            if field.text() != text:
                field.setText(text)
            if field.objectName():
                # It was marked as wrong.
                field.setObjectName("")
                field.style().polish(field)

    # Helpers

    def _clear(self) -> None:
        while self._row.count():
            item = self._row.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                # Later, since this may run inside one of the field's own signals.
                QTimer.singleShot(0, widget.deleteLater)
        self.fields, self._operation = {}, None

    def _add_field(self, operation: Operation, name: str) -> Field:
        parameter = operation.parameter(name)
        field = Field(name, parameter.hint, isinstance(parameter, Choice | Toggle), self)
        field.textEdited.connect(lambda _: self.typed.emit(field))
        field.stepped.connect(lambda by: self.stepped.emit(field, by))
        field.kept.connect(self.kept)
        field.left.connect(lambda: self.left.emit(field))
        field.tabbed.connect(lambda by: self.tabbed.emit(field, by))
        field.asked_list.connect(lambda: self._open_list(field))
        field.axis_turned.connect(lambda by: self.axis_turned.emit(field, by))
        self.fields[name] = field
        self._row.addWidget(field)
        field.show()
        return field

    def _say(self, text: str, strong: bool = False, quiet: bool = False) -> None:
        label = plain_label(text, self)
        font = text_font(10)
        if strong:
            font = text_font(10, font.Weight.DemiBold)
        label.setFont(font)
        if quiet:
            label.setObjectName("quiet")
        self._row.addWidget(label)
        label.show()

    def _link(self, words: str) -> QPushButton:
        button = QPushButton(words, self)
        button.setObjectName("link")
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._row.addWidget(button)
        button.show()
        return button

    def _open_missing(self, button: QPushButton, operation: Operation, names: list[str]) -> None:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for name in names:
            action = menu.addAction(name.replace("_", " "))
            action.setToolTip(operation.parameter(name).hint)
            action.triggered.connect(lambda _=False, name=name: self.given.emit(name))
        menu.popup(button.mapToGlobal(QPoint(0, button.height())))
        menu.aboutToHide.connect(menu.deleteLater)

    def _open_list(self, field: Field) -> None:
        """The words that a choice may be, as a list."""
        if self._operation is None:
            return
        parameter = self._operation.parameter(field.name)
        menu = QMenu(self)
        for value in parameter.words if isinstance(parameter, Choice) else (True, False):
            action = menu.addAction(parameter.show(value, self._unit))
            action.setCheckable(True)
            action.setChecked(self._values.get(field.name) == value)
            action.triggered.connect(lambda _=False, value=value: self.chosen.emit(field.name, value))
        menu.popup(field.mapToGlobal(QPoint(0, field.height())))
        menu.aboutToHide.connect(menu.deleteLater)


def _missing(operation: Operation, pieces: list[tuple[str, str | None]]) -> list[str]:
    """Optional numbers that the sentence leaves out; each can be given by a click."""
    shown = {name for _, name in pieces}
    return [
        parameter.name
        for parameter in operation.parameters
        if parameter.optional and parameter.name not in shown and parameter.offered and parameter.is_typed
    ]
