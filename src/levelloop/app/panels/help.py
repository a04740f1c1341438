"""Help: everything that can be done, searched by any word, made from the registry and the table of keys."""

from __future__ import annotations

import html
from importlib.resources import files

from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from levelloop.app.commands.shell.keys import GESTURES, entries, keys_of
from levelloop.app.commands.table import Entry
from levelloop.core.values import dataclass
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation
from levelloop.document.scripting.where_sentence import EXAMPLE


@dataclass(frozen=True)
class Article:
    """One thing to read: its title, its text as rich text, the words it is found by."""

    title: str
    text: str
    words: str


def articles() -> list[Article]:
    """All there is to read: how to work, gestures, every command, every operation with its numbers."""
    found = [_working(), _gestures(), _looking_for()]
    of_operations = {operation.title: operation for operation in REGISTRY.all()}
    for entry in entries():
        operation = of_operations.get(entry.title)
        if operation is not None and operation.menu == entry.menu:
            found.append(_of_operation(operation, entry))
        else:
            text = f"<p>{html.escape(entry.hint or 'In the menu.')}</p>{_where(entry)}"
            found.append(Article(entry.title, text, f"{entry.title} {entry.hint} {entry.also} {entry.menu}".lower()))
    return found


class HelpWindow(QDialog):
    """A list that is searched at the left, what is chosen at the right."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help")
        self.resize(760, 560)
        self.articles = articles()
        column = QVBoxLayout(self)
        self.words = QLineEdit(self)
        self.words.setPlaceholderText("Find: extrude, radius, merge, lasso …")
        self.words.textChanged.connect(self._filter)
        column.addWidget(self.words)
        row = QHBoxLayout()
        self.list = QListWidget(self)
        self.list.setFixedWidth(230)
        self.list.setAccessibleName("What there is to read")
        self.list.currentRowChanged.connect(self._show)
        self.page = QTextBrowser(self)
        row.addWidget(self.list)
        row.addWidget(self.page, 1)
        column.addLayout(row, 1)
        for article in self.articles:
            QListWidgetItem(article.title, self.list)
        self.list.setCurrentRow(0)
        self.words.setFocus()

    def search(self, words: str) -> list[str]:
        """Lists what has all of some words in it; returns the titles."""
        self.words.setText(words)
        rows = range(self.list.count())
        return [self.articles[row].title for row in rows if not self.list.item(row).isHidden()]

    def _filter(self) -> None:
        wanted = self.words.text().lower().split()
        first = -1
        for row, article in enumerate(self.articles):
            fits = all(word in article.words for word in wanted)
            self.list.item(row).setHidden(not fits)
            named = fits and wanted and all(word in article.title.lower() for word in wanted)
            if fits and (first < 0 or (named and not self._is_named(first, wanted))):
                first = row
        if first >= 0:
            self.list.setCurrentRow(first)

    def _is_named(self, row: int, wanted: list[str]) -> bool:
        return all(word in self.articles[row].title.lower() for word in wanted)

    def _show(self, row: int) -> None:
        article = self.articles[row]
        self.page.setHtml(f"<h3>{html.escape(article.title)}</h3>{article.text}")


def _of_operation(operation: Operation, entry: Entry) -> Article:
    rows = "".join(
        f"<tr><td><b>{parameter.name.replace('_', ' ')}</b>&nbsp;&nbsp;</td><td>{html.escape(parameter.hint)}</td></tr>"
        for parameter in operation.parameters
        if parameter.offered
    )
    sentence = html.escape(operation.says(operation.defaults(), "what is selected"))
    picture = f"<p>{_drawing(operation.icon)}</p>" if operation.icon else ""
    needs = f"<p>It needs {' or '.join(operation.needs)}.</p>" if operation.needs and not operation.or_all else ""
    text = (
        f"{picture}<p>{html.escape(operation.hint)}.</p><p><i>{sentence}</i></p>{needs}{_where(entry)}"
        f"<table cellspacing=3>{rows}</table>"
    )
    words = f"{operation.title} {operation.hint} {operation.also} {operation.menu}"
    hints = " ".join(f"{parameter.name} {parameter.hint}" for parameter in operation.parameters)
    return Article(operation.title, text, f"{words} {hints}".lower())


def _drawing(name: str) -> str:
    path = files("levelloop.app.icons").joinpath(f"{name}.svg")
    return f'<img src="{html.escape(str(path))}" width="48" height="48">'


def _where(entry: Entry) -> str:
    keys = " or ".join(keys_of(entry))
    told = f" Its key is <b>{html.escape(keys)}</b>." if keys else ""
    return f"<p>{html.escape(entry.menu.replace('/', ' › '))} › {html.escape(entry.title)}.{told}</p>"


def _working() -> Article:
    text = (
        "<p>Select something; the line of tools says what can be done with it. What you choose is a sentence whose "
        "numbers you type or drag: the model follows at once. Enter keeps it, Esc takes it back.</p>"
        "<p>Space shows the smooth surface, the build line says how the part is made, R steps through what the review "
        "has found.</p><p>Numbers take units and sums: 2 in + 3 mm, 360/20, 2*last.</p>"
    )
    return Article("How to work", text, "start begin how work numbers units sentence keep revert help")


def _gestures() -> Article:
    rows = "".join(
        f"<tr><td><b>{html.escape(gesture)}</b>&nbsp;&nbsp;</td><td>{html.escape(what)}</td></tr>"
        for gesture, what in GESTURES
    )
    words = " ".join(f"{gesture} {what}" for gesture, what in GESTURES)
    return Article("Keys and gestures of the views", f"<table cellspacing=4>{rows}</table>", words.lower())


def _looking_for() -> Article:
    text = f"<p>Select where a property holds, in a sentence: <i>{html.escape(EXAMPLE)}</i>.</p>"
    return Article("Selecting by a sentence", text, "select where property sentence filter find")
