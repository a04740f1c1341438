"""Commands that say what is selected."""

from __future__ import annotations

from levelloop.app.commands.table.entry import Entry

PICKING: tuple[Entry, ...] = (
    Entry(
        "Select",
        "Points",
        lambda window: window.set_kind("points"),
        ("P",),
        "Select points; again converts the selection",
        listed=False,
    ),
    Entry(
        "Select",
        "Edges",
        lambda window: window.set_kind("edges"),
        ("E",),
        "Select edges; again converts the selection",
        listed=False,
    ),
    Entry(
        "Select",
        "Faces",
        lambda window: window.set_kind("faces"),
        ("F",),
        "Select faces; again converts the selection",
        listed=False,
    ),
    Entry("Select", "Parts", lambda window: window.set_kind("parts"), ("A",), "Select parts", listed=False),
    Entry(
        "Select",
        "Everything",
        lambda window: window.select_all(),
        ("Ctrl+A",),
        "Every element of the active part",
        True,
    ),
    Entry("Select", "Nothing", lambda window: window.select_none(), ("Ctrl+Shift+A",), "In no part"),
    Entry(
        "Select",
        "Lock the selection",
        lambda window: window.on_view.toggle_kept(),
        ("Ctrl+L",),
        "Against clicks, boxes and brushes",
        listed=False,
    ),
    Entry(
        "Select",
        "Reach",
        lambda window: window.on_view.toggle_reach(),
        ("Ctrl+T",),
        "Pick what is seen, what faces the view, or everything through",
        listed=False,
    ),
)
