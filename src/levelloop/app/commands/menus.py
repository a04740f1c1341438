"""Menus and the table of commands behind them, built from the registry; the menu of what fits the selection."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any, Literal

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QDialog, QMenu, QMenuBar, QTextBrowser, QVBoxLayout

from levelloop import __version__
from levelloop.app.commands.finder import Command
from levelloop.app.theme import THEMES
from levelloop.app.view.snapping import SNAPS, TITLES
from levelloop.document.document import Guide
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation
from levelloop.document.running import described
from levelloop.document.session import Session

if TYPE_CHECKING:
    from levelloop.app.window import Window

MENUS = ("File", "Edit", "Add", "Select", "Transform", "Build", "Smooth", "Recipe", "Part", "View", "Help")


PIVOTS: tuple[tuple[Literal["middle", "each", "origin", "anchor", "last"], str], ...] = (
    ("middle", "the middle"),
    ("each", "each piece"),
    ("origin", "the world's origin"),
    ("anchor", "the anchor"),
    ("last", "the last picked"),
)


def build_menus(window: Window, bar: QMenuBar) -> None:
    """Fills the menu bar, and the window's table of commands."""
    menus = {name: bar.addMenu(name) for name in MENUS}

    def add(
        menu: str,
        title: str,
        run: Callable[[], Any],
        keys: str | list[str] = "",
        hint: str = "",
        why_not: Callable[[], str] = lambda: "",
    ) -> None:
        shortcuts = [keys] if isinstance(keys, str) else keys
        action = QAction(title, window)
        action.setShortcuts([QKeySequence(key) for key in shortcuts if key])
        action.triggered.connect(lambda _=False: run())
        action.setToolTip(hint)
        menus[menu].addAction(action)
        window.commands.append(Command(title, menu, run, shortcuts[0], hint, why_not))

    add("File", "New", window.on_files.new_document, "Ctrl+N", "An empty document")
    add("File", "Open…", window.on_files.ask_open, "Ctrl+O", "A document or a cage")
    menus["File"].addSeparator()
    add("File", "Save", window.on_files.save, "Ctrl+S", "Writes the document")
    add("File", "Save as…", window.on_files.ask_save, "Ctrl+Shift+S", "Writes the document under another name")
    add("File", "Export…", window.on_files.ask_export, "Ctrl+E", "The smooth surface as STL, OBJ or USD")
    menus["File"].addSeparator()
    add("File", "Quit", window.close, "Ctrl+Q")
    add("Edit", "Undo", lambda: window.attempt(window.undo), "Ctrl+Z")
    add("Edit", "Redo", lambda: window.attempt(window.redo), ["Ctrl+Shift+Z", "Ctrl+Y"])
    add(
        "Edit",
        "Repeat last",
        lambda: window.attempt(window.repeat),
        "Ctrl+R",
        "The last operation on what is selected now",
    )
    menus["Edit"].addSeparator()
    add("Edit", "Copy", window.on_parts.copy, "Ctrl+C", "The selected faces, or the active part")
    add("Edit", "Paste", lambda: window.on_parts.paste(True), "Ctrl+V", "Into the active part")
    add("Edit", "Paste as a new part", lambda: window.on_parts.paste(False), "Ctrl+Shift+V")
    menus["Edit"].addSeparator()
    add("Select", "Points", lambda: window.set_kind("points"), "P", "Select points; again converts the selection")
    add("Select", "Edges", lambda: window.set_kind("edges"), "E", "Select edges; again converts the selection")
    add("Select", "Faces", lambda: window.set_kind("faces"), "F", "Select faces; again converts the selection")
    add("Select", "Parts", lambda: window.set_kind("parts"), "A", "Select parts")
    menus["Select"].addSeparator()
    add("Select", "Everything", window.select_all, "Ctrl+A", "Every element of the active part")
    add("Select", "Nothing", window.select_none, "Ctrl+D")
    add("Select", "Lock the selection", window.on_view.toggle_kept, "Alt+L", "Against clicks, boxes and brushes")
    add(
        "Select",
        "Reach",
        window.on_view.toggle_reach,
        "Alt+T",
        "Pick what is seen, what faces the view, or everything through",
    )
    menus["Select"].addSeparator()
    for operation in REGISTRY.all():
        _add_operation(window, add, operation)
    add("Add", "Draw a curve", window.on_view.draw_curve, "", "By clicks, on a part or beside it")
    for axes in ("world", "part", "normal", "view"):
        hint = "What the handle and typed moves count along"
        add("Transform", f"Axes of the {axes}", partial(window.on_view.set_axes, axes), "", hint)
    for pivot, word in PIVOTS:
        hint = "What stays when it is rotated or scaled"
        add("Transform", f"Pivot: {word}", partial(window.on_view.set_pivot, pivot), "", hint)
    for snap in SNAPS:
        add(
            "Transform",
            f"Snap to {TITLES[snap]}",
            partial(window.on_view.toggle_snap, snap),
            "",
            "While dragging",
        )
    add(
        "View",
        "Measure",
        window.on_view.toggle_measure,
        "U",
        "The distance between the last two picks; what a face is like",
    )
    add("Transform", "Soft range", window.on_view.toggle_soft, "R", "What is around follows move, rotate and scale")
    add("Part", "Show or hide", window.on_parts.toggle_part, "", "Hides the active part, or shows it")
    add("Part", "Show all parts", window.on_parts.show_all_parts)
    add("Select", "Hide", lambda: window.on_parts.hide(False), "V", "What is selected, or the active part")
    add(
        "Select",
        "Hide the rest",
        lambda: window.on_parts.hide(True),
        "Shift+V",
        "All but the selection, or the other parts",
    )
    add("Select", "Show what is hidden", window.on_parts.show_hidden, "Alt+V", "Elements and parts")
    add("Part", "Remove", window.on_parts.remove_part, "", "Takes the active part out of the document")
    add("Smooth", "Cage or smooth", window.toggle_smooth, "", "Space")
    add("Smooth", "Level up", lambda: window.set_stop(window.line.stepped(1)), "PgUp")
    add("Smooth", "Level down", lambda: window.set_stop(window.line.stepped(-1)), "PgDown")
    for title, direction, key in (
        ("Front", "front", "1"),
        ("Back", "back", "Shift+1"),
        ("Right", "right", "2"),
        ("Left", "left", "Shift+2"),
        ("Top", "top", "3"),
        ("Bottom", "bottom", "Shift+3"),
    ):
        add("View", title, partial(window.view.look, direction), key)
    add("View", "Perspective or orthographic", window.view.toggle_perspective, "4")
    add("View", "Move a guide", window.on_view.move_guide, "", "Drag it, or a corner of it")
    _add_cameras_and_guides(window, menus["View"])
    add("View", "Frame selection", window.view.frame, "0", "The selection, or the active part")
    add("View", "Frame everything", lambda: window.view.frame(everything=True), "Shift+0")
    menus["View"].addSeparator()
    for count, word in ((1, "One view"), (2, "Two views"), (4, "Four views")):
        add("View", word, partial(window.panes.show_views, count), f"Ctrl+{count}", "Side by side")
    menus["View"].addSeparator()
    add("View", "X-ray", lambda: window.on_view.toggle_look("x_ray"), "Alt+X", "Shows what is behind")
    add(
        "View",
        "Wires and flow lines",
        lambda: window.on_view.toggle_look("wire"),
        "Alt+W",
        "The cage's edges on the surface",
    )
    add("View", "Normals", lambda: window.on_view.toggle_look("normals"), "Alt+N", "Which way the faces look")
    add(
        "View",
        "Cut open",
        window.on_view.cut_view,
        "Alt+C",
        "Hides what lies before the middle, square to the view's axis",
    )
    for title, shading, key in (
        ("Clay", "clay", "Alt+1"),
        ("Silhouette", "silhouette", "Alt+2"),
        ("Valleys", "valleys", "Alt+3"),
    ):
        add(
            "View",
            title,
            partial(window.on_view.set_look, shading=shading),
            key,
            "How the view is shaded",
        )
    for title, inside in (("tinted", "tinted"), ("plain", "plain"), ("hidden", "hidden")):
        add("View", f"Back faces {title}", partial(window.on_view.set_look, inside=inside))
    menus["View"].addSeparator()
    for name in THEMES:
        add("View", f"Theme {name}", partial(window.set_theme, name), "", "How everything is coloured")
    menus["View"].addSeparator()
    add("View", "Next finding", lambda: window.review.walk(1), ".")
    add("View", "Previous finding", lambda: window.review.walk(-1), ",")
    add("Help", "Find a command", lambda: window.finder.open(), "Ctrl+K")
    add("Help", "Keys", lambda: show_keys(window), "F1", "All keys, from the table of commands")
    add("Help", "Open the demo", window.on_files.open_demo)
    add("Help", "About Level Loop", lambda: show_about(window))


def _add_operation(window: Window, add: Any, operation: Operation) -> None:
    keys: str | list[str] = operation.shortcut
    if operation.key == "grow":
        keys = ["+", "="]
    if operation.key == "delete":
        keys = ["Delete", "Backspace"]

    def why_not() -> str:
        if operation.acts_on in ("form", "document"):
            return ""
        if not window.session.document.parts:
            return "There is no part yet; add a form first."
        return window.why_not(operation)

    add(operation.menu, operation.title, lambda: window.start(operation.key), keys, operation.hint, why_not)


def _add_cameras_and_guides(window: Window, menu: QMenu) -> None:
    """The menus of named cameras and of guides, filled with what there is each time they open."""
    cameras, guides = menu.addMenu("Look through"), menu.addMenu("Guides")

    def list_cameras() -> None:
        cameras.clear()
        for camera in window.session.document.cameras:
            cameras.addAction(camera.name).triggered.connect(
                lambda _=False, camera=camera: window.on_view.look_through(camera)
            )
        if cameras.isEmpty():
            cameras.addAction("Keep the view as a camera").triggered.connect(window.on_view.keep_camera)

    def list_guides() -> None:
        guides.clear()
        for guide in window.session.document.guides:
            _fill_guide_menu(window, guides.addMenu(f"{guide.name} · {guide.view}"), guide)
        if guides.isEmpty():
            guides.addAction("Add an image").triggered.connect(window.on_view.ask_guide)

    cameras.aboutToShow.connect(list_cameras)
    guides.aboutToShow.connect(list_guides)


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
        lambda: window.attempt(lambda: window.session.do("remove_guide", name=guide.name))
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


def show_keys(window: Window) -> None:
    """All keys, from the table of commands."""
    rows = [(command.shortcut, command.title) for command in window.commands if command.shortcut]
    extra = [
        ("Space", "Cage or smooth; hold to peek"),
        ("Click, Shift, Ctrl", "Select, add, remove"),
        ("Double-click, triple-click", "Loop, ring"),
        ("G or Q held while dragging", "Lasso, brush"),
        ("Z held while dragging", "Pull test: what was dragged springs back"),
        ("Ctrl+drag with the move tool", "Pull an edge, face or point out"),
        ("Ctrl+Shift+click", "The stretch from the last pick"),
        ("Shift+click while numbers are open", "Apply the operation there too"),
        ("Ctrl+wheel with a soft range", "Its size"),
        ("Right drag, middle drag, wheel", "Orbit, pan, zoom"),
        ("Enter, Shift+Enter, Esc", "Keep, keep and again, revert"),
    ]
    cells = "".join(f"<tr><td><b>{key}</b>&nbsp;&nbsp;</td><td>{what}</td></tr>" for key, what in rows + extra)
    _show_text(window, "Keys", f"<table cellspacing=3>{cells}</table>")


def show_about(window: Window) -> None:
    """What this is."""
    _show_text(window, "About", f"<b>Level Loop {__version__}</b><p>Modeling for surfaces that must be right.</p>")


def _show_text(window: Window, title: str, text: str) -> None:
    dialog = QDialog(window)
    dialog.setWindowTitle(title)
    dialog.resize(460, 560 if title == "Keys" else 180)
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
