"""Commands that lead through findings, and help."""

from __future__ import annotations

from levelloop.app.commands.table.entry import Entry

HELP: tuple[Entry, ...] = (
    Entry(
        "View",
        "Pin the loop gauge",
        lambda window: window.on_view.pin_gauge(),
        ("Shift+I",),
        "Keeps the card of the loop the pointer rests on, or lets it go",
        listed=False,
    ),
    Entry("View", "Next finding", lambda window: window.review.walk(1), ("R",), line=True),
    Entry("View", "Previous finding", lambda window: window.review.walk(-1), ("Shift+R",)),
    Entry("Help", "Find a command", lambda window: window.finder.open(), ("Ctrl+K",)),
    Entry(
        "Help",
        "Help",
        lambda window: window.shell.show_help(),
        ("F1",),
        "Everything that can be done, searched by any word",
    ),
    Entry("Help", "Keys", lambda window: window.shell.show_keys(), (), "All keys, to find and to change"),
    Entry("Help", "A first part in six steps", lambda window: window.starting.begin_lesson(), (), "Done by you"),
    Entry("Help", "Messages", lambda window: window.shell.show_messages(), (), "Everything that was said"),
    Entry("Help", "Open the demo", lambda window: window.on_files.open_demo()),
    Entry("Help", "About Level Loop", lambda window: window.shell.show_about()),
)
