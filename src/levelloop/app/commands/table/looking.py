"""Commands that turn the views and count them."""

from __future__ import annotations

from typing import Literal

from levelloop.app.commands.table.entry import Entry, Submenu


def _direction(title: str) -> Entry:
    return Entry(
        "View/Look from",
        title,
        lambda window: window.view.fly(lambda: window.view.look(title.lower())),
        (),
        "Straight, without perspective",
    )


def _step(towards: Literal["left", "right", "up", "down"]) -> Entry:
    return Entry(
        "View",
        f"Step to the {towards}" if towards in ("left", "right") else f"Step {towards}",
        lambda window: window.view.fly(lambda: window.view.step(towards)),
        (f"Ctrl+{towards.capitalize()}",),
        "The next straight direction on that side",
        listed=False,
    )


def _views(count: int, title: str) -> Entry:
    return Entry(
        "View", title, lambda window: window.panes.show_views(count), (f"Ctrl+{count}",), "Side by side", count == 1
    )


LOOKING: tuple[Entry | Submenu, ...] = (
    Entry(
        "View",
        "Measure",
        lambda window: window.on_view.toggle_measure(),
        ("Shift+M",),
        "The distance between the last two picks; what a face is like",
    ),
    *(_direction(name) for name in ("Front", "Back", "Right", "Left", "Top", "Bottom")),
    *(_step(towards) for towards in ("left", "right", "up", "down")),
    Entry("View", "Perspective or orthographic", lambda window: window.view.toggle_perspective(), ("Ctrl+Home",)),
    Entry("View/Guides", "Move a guide", lambda window: window.on_view.move_guide(), (), "Drag it, or a corner of it"),
    Submenu("View/Cameras", "Look through", "cameras"),
    Submenu("View/Guides", "Change a guide here", "guides"),
    Entry(
        "View",
        "Frame selection",
        lambda window: window.view.fly(window.view.frame),
        ("Home",),
        "The selection, or the active part",
    ),
    Entry(
        "View",
        "Frame everything",
        lambda window: window.view.fly(lambda: window.view.frame(everything=True)),
        ("Shift+Home",),
    ),
    Entry(
        "Skin",
        "Materials list",
        lambda window: window.materials.toggle(),
        (),
        "Swatches to be given or dragged onto faces and parts",
        True,
        is_on=lambda window: not window.materials.isHidden(),
        also="shader library palette",
    ),
    Entry(
        "Skin",
        "UV view",
        lambda window: window.uv.toggle(),
        ("I, U",),
        "The islands of the active part, picked and moved by hand",
        is_on=lambda window: not window.uv.isHidden(),
        also="unwrap islands texture layout flat",
    ),
    _views(1, "One view"),
    _views(2, "Two views"),
    _views(4, "Four views"),
)
