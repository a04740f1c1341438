"""Commands on files, on what was done, and on what is copied."""

from __future__ import annotations

from levelloop.app.commands.table.entry import Entry, Submenu

FILES: tuple[Entry | Submenu, ...] = (
    Entry("File", "New", lambda window: window.on_files.new_document(), ("Ctrl+N",), "An empty document"),
    Submenu("File", "Open recent", "recent"),
    Entry("File", "Open…", lambda window: window.on_files.ask_open(), ("Ctrl+O",), "A document or a cage"),
    Entry("File", "Save", lambda window: window.on_files.save(), ("Ctrl+S",), "Writes the document", True),
    Entry(
        "File",
        "Save as…",
        lambda window: window.on_files.ask_save(),
        ("Ctrl+Shift+S",),
        "Writes the document under another name",
    ),
    Entry("File", "Save a copy…", lambda window: window.on_files.save_copy(), (), "And go on under the same name"),
    Entry(
        "File",
        "Save the next version",
        lambda window: window.on_files.save_version(),
        ("Ctrl+Alt+S",),
        "Under the same name with the next number",
    ),
    Entry("File", "Back to what was saved", lambda window: window.on_files.revert(), (), "Drops what was done since"),
    Entry(
        "File",
        "Import…",
        lambda window: window.on_files.ask_import(),
        ("Ctrl+Shift+O",),
        "The parts of another file into this document",
        True,
    ),
    Entry(
        "File",
        "Export",
        lambda window: window.exporting.ask(),
        ("Ctrl+E",),
        "The smooth surfaces as STL, OBJ, PLY, 3MF or USD",
    ),
    Entry(
        "File",
        "Still picture",
        lambda window: window.picturing.ask(),
        (),
        "A picture with real light, materials and shadows",
        also="render photo image",
    ),
    Entry("File", "Quit", lambda window: window.close(), ("Ctrl+Q",), line=True),
    Entry(
        "Edit",
        "Settings",
        lambda window: window.shell.show_settings(),
        ("Ctrl+,",),
        "Words, theme, hands and keys",
        also="preferences options shortcuts",
    ),
    Entry(
        "Edit",
        "History",
        lambda window: window.shell.show_history(),
        ("Ctrl+H",),
        "What was done; its numbers can change",
    ),
    Entry("Edit", "Undo", lambda window: window.attempt(window.operating.undo), ("Ctrl+Z",)),
    Entry("Edit", "Redo", lambda window: window.attempt(window.operating.redo), ("Ctrl+Shift+Z", "Ctrl+Y")),
    Entry(
        "Edit",
        "Repeat last",
        lambda window: window.attempt(window.operating.repeat),
        ("Ctrl+R",),
        "The last operation on what is selected now",
    ),
    Entry(
        "Edit",
        "Copy",
        lambda window: window.on_parts.copy(),
        ("Ctrl+C",),
        "The selected faces, or the active part",
        True,
    ),
    Entry("Edit", "Paste", lambda window: window.on_parts.paste(True), ("Ctrl+V",), "Into the active part"),
    Entry("Edit", "Paste as a new part", lambda window: window.on_parts.paste(False), ("Ctrl+Shift+V",)),
)
