"""Menus and the table of commands behind them, built from the registry; the menu of what fits the selection."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QDialog, QMenu, QMenuBar, QTextBrowser, QVBoxLayout

from levelloop import __version__
from levelloop.app.commands.files.recent import recent_files
from levelloop.app.commands.shell.finder import Command
from levelloop.app.commands.shell.keys import entries, keys_of, own_keys
from levelloop.app.commands.table import MENUS, Entry, Submenu, commands
from levelloop.document.document import Guide
from levelloop.document.operations import REGISTRY, keys
from levelloop.document.running.running import described
from levelloop.document.session import Session

if TYPE_CHECKING:
    from levelloop.app.window import Window


def build_menus(window: Window, bar: QMenuBar) -> None:
    """Fills the menu bar, and the window's list of commands, from the table."""
    menus = {name.replace("&", ""): bar.addMenu(name) for name in MENUS}

    def menu_of(path: str) -> QMenu:
        if path not in menus:
            above, _, title = path.rpartition("/")
            menus[path] = menu_of(above).addMenu(title)
        return menus[path]

    window.view_menus = [menu_of(path) for path in ("View/Look from", "View/Looks", "View/Guides", "View/Cameras")]
    own = own_keys()
    for entry in commands():
        menu = menu_of(entry.menu)
        if isinstance(entry, Submenu):
            _FILLED[entry.name](window, menu.addMenu(entry.title))
            continue
        if entry.line:
            menu.addSeparator()
        action = QAction(entry.title, window)
        window.key_actions[entry.name] = action
        action.triggered.connect(lambda _=False, entry=entry: entry.run(window))
        action.setToolTip(entry.hint)
        if entry.listed:
            menu.addAction(action)
        else:
            # Known by its key and to the search all the same.
            window.addAction(action)
        if entry.is_on is not None:
            action.setCheckable(True)
            menu.aboutToShow.connect(lambda entry=entry, action=action: action.setChecked(_is_on(entry, window)))
        shortcut = next(iter(keys_of(entry, own)), "")
        run, why_not = partial(entry.run, window), partial(entry.why_not, window)
        window.commands.append(Command(entry.title, entry.menu, run, shortcut, entry.hint, why_not, entry.also))


def open_view_menu(window: Window, place: QPoint) -> QMenu:
    """Opens the list of what a view may show: its direction, look, guides and cameras."""
    menu = QMenu(window)
    for one in window.view_menus:
        # By its action: a menu added to another goes with it in the binding, and this one is gone once it is closed.
        menu.addAction(one.menuAction())
    menu.popup(place)
    menu.aboutToHide.connect(menu.deleteLater)
    return menu


def set_keys(window: Window) -> None:
    """Gives all commands their keys, the person's own ones first."""
    own = own_keys()
    places = {(command.title, command.menu): number for number, command in enumerate(window.commands)}
    for entry in entries():
        keys = keys_of(entry, own)
        window.key_actions[entry.name].setShortcuts([QKeySequence(key) for key in keys])
        number = places[entry.title, entry.menu]
        window.commands[number] = replace(window.commands[number], shortcut=next(iter(keys), ""))


def looks(window: Window) -> tuple[tuple[str, str, Callable[[], bool]], ...]:
    """The letters that follow I, what each shows and whether it does now."""
    found = []
    for entry in commands():
        if isinstance(entry, Entry) and entry.keys and entry.keys[0].startswith("I, "):
            found.append((entry.keys[0][3:], entry.title, partial(_is_on, entry, window)))
    return tuple(found)


def _is_on(entry: Entry, window: Window) -> bool:
    return entry.is_on is not None and entry.is_on(window)


def _list_cameras(window: Window, menu: QMenu) -> None:
    def fill() -> None:
        menu.clear()
        for camera in window.session.document.cameras:
            menu.addAction(camera.name).triggered.connect(
                lambda _=False, camera=camera: window.on_view.look_through(camera)
            )
        if menu.isEmpty():
            keep = REGISTRY.by_tool("camera")
            menu.addAction("Keep the view as a camera").triggered.connect(lambda: window.start(keep.key))

    menu.aboutToShow.connect(fill)


def _list_guides(window: Window, menu: QMenu) -> None:
    def fill() -> None:
        menu.clear()
        for guide in window.session.document.guides:
            _fill_guide_menu(window, menu.addMenu(f"{guide.name} · {guide.view}"), guide)
        if menu.isEmpty():
            add = REGISTRY.by_tool("image")
            menu.addAction("Add an image").triggered.connect(lambda: window.start(add.key))

    menu.aboutToShow.connect(fill)


def _list_recent(window: Window, menu: QMenu) -> None:
    def fill() -> None:
        menu.clear()
        for path in recent_files():
            action = menu.addAction(path.name)
            action.setToolTip(str(path))
            action.triggered.connect(lambda _=False, path=path: window.on_files.open_recent(path))
        if menu.isEmpty():
            menu.addAction("Nothing opened or saved yet").setEnabled(False)

    menu.setToolTipsVisible(True)
    menu.aboutToShow.connect(fill)


# Menus that list what there is, by their names in the table.
_FILLED = {"cameras": _list_cameras, "guides": _list_guides, "recent": _list_recent}


def _fill_guide_menu(window: Window, menu: QMenu, guide: Guide) -> None:
    """What can be done with one guide."""
    edits: tuple[tuple[str, dict[str, Any]], ...] = (
        ("Hide" if guide.shown else "Show", {"shown": not guide.shown}),
        ("Unlock" if guide.locked else "Lock", {"locked": not guide.locked}),
        ("Draw behind the parts" if guide.through else "Draw over the parts", {"through": not guide.through}),
        ("Only in its view" if guide.standing else "Standing in space", {"standing": not guide.standing}),
        ("Mirror left to right", {"flip": not guide.flip}),
        ("Whole image", {"crop": "whole"}),
        ("Left half", {"crop": "left"}),
        ("Right half", {"crop": "right"}),
        ("Fainter", {"opacity": max(round(guide.opacity - 0.2, 2), 0.2)}),
        ("Stronger", {"opacity": min(round(guide.opacity + 0.2, 2), 1.0)}),
    )
    for title, changes in edits:
        menu.addAction(title).triggered.connect(
            lambda _=False, changes=changes: window.on_view.edit_guide(guide, **changes)
        )
    onto = "No longer project it" if guide.onto == window.session.document.active else "Project it onto the active part"
    menu.addAction(onto).triggered.connect(lambda: window.on_view.project_guide(guide))
    menu.addAction("Remove").triggered.connect(
        lambda: window.attempt(lambda: window.session.do(keys.REMOVE_GUIDE, name=guide.name))
    )


def fitting_menu(window: Window) -> QMenu:
    """The menu of what fits the selection."""
    menu = QMenu(window)
    if not window.session.document.parts:
        chosen = [operation for operation in REGISTRY.all() if operation.acts_on == "form"]
    else:
        selection = window.session.selection
        menu.addSection(_selected_words(window.session))
        chosen = [
            operation
            for operation in REGISTRY.all()
            if operation.acts_on in ("cage", "selection") and operation.needs and not operation.why_not(selection)
        ]
    last = ""
    for operation in chosen:
        if last and operation.menu != last:
            menu.addSeparator()
        last = operation.menu
        action = menu.addAction(operation.title)
        action.setShortcut(QKeySequence(operation.shortcut))
        action.triggered.connect(lambda _=False, key=operation.key: window.start(key))
    if not chosen:
        menu.addAction("Frame everything").triggered.connect(lambda: window.view.frame(everything=True))
    return menu


def show_about(window: Window) -> None:
    """What this is."""
    _show_text(window, "About", f"<b>Level Loop {__version__}</b><p>Modeling for surfaces that must be right.</p>")


def _show_text(window: Window, title: str, text: str) -> None:
    dialog = QDialog(window)
    dialog.setWindowTitle(title)
    dialog.resize(460, 180)
    column = QVBoxLayout(dialog)
    browser = QTextBrowser(dialog)
    browser.setHtml(text)
    column.addWidget(browser)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.show()


def _selected_words(session: Session) -> str:
    """What is selected, in a few words."""
    selection = session.selection
    return described(selection) if len(selection) else "Nothing selected"
