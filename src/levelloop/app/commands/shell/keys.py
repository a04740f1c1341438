"""Keys: those that commands come with, those that the person gave them, and the gestures of the views."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from PySide6.QtCore import QSettings

from levelloop.app.commands.table import Entry, commands
from levelloop.core.errors import EditError

# What hands do in a view, beside the keys of commands.
GESTURES: tuple[tuple[str, str], ...] = (
    ("Space", "cage or smooth; held: a peek; Shift: all parts"),
    ("click, Shift+click, Ctrl+click", "select, add, remove"),
    ("double-click, triple-click", "loop, ring; with Shift added, with Ctrl removed"),
    ("Ctrl+Shift+click", "the stretch from the last pick"),
    ("drag on empty", "a box, of what is inside or touched"),
    ("G held while dragging", "lasso"),
    ("Q held while dragging", "brush"),
    ("Z held while dragging", "pull test: what was dragged springs back"),
    ("Ctrl+drag with the move tool", "pull an edge, a face or a point out"),
    ("Shift+click while numbers are open", "apply the operation there too"),
    ("Ctrl+wheel with a soft range", "its size"),
    ("right drag, middle drag, wheel", "orbit, pan, zoom to the pointer"),
    ("right click", "what fits the selection"),
    ("a digit, -, . or (", "opens the first field of an open sentence; = opens it for a name"),
    ("Tab, Shift+Tab", "the next or previous field of the sentence"),
    ("Up, Down", "step the number; with Shift ten times, with Ctrl a tenth"),
    ("X, Y, Z; Left, Right", "the axis of an open move, rotate or scale"),
    ("Enter, Shift+Enter", "keep, keep and again"),
    ("Esc", "one thing a press: stops work, leaves a field, drops a drawing, takes back an open sentence, clears the "
     "selection, puts the tool away"),
    ("F6, Shift+F6", "round the parts of the window"),
    ("F10, Alt with a letter", "the menus"),
)  # fmt: skip


def keys_of(entry: Entry, own: Mapping[str, str] | None = None) -> tuple[str, ...]:
    """The keys of a command: the person's, else its own; what somebody gave to another command it has no more.

    own: the person's, where they have been read already.
    """
    own = own_keys() if own is None else own
    if entry.name in own:
        return (own[entry.name],) if own[entry.name] else ()
    given = set(own.values())
    return tuple(key for key in entry.keys if key not in given)


def own_keys() -> dict[str, str]:
    """The keys that the person gave to commands, by their names."""
    kept = QSettings("Level Loop", "Level Loop").value("keys", {})
    return {str(name): str(key) for name, key in kept.items()} if isinstance(kept, dict) else {}


def set_key(name: str, key: str) -> None:
    """Gives a command another key, "" for none. Raises EditError where another one has it, and says which."""
    own = own_keys()
    others = (entry for entry in entries() if entry.name != name)
    holder = next((entry.title for entry in others if key and key in keys_of(entry, own)), None)
    if holder is not None:
        raise EditError(f"{key} is the key of “{holder}”; take it from there first.")
    own[name] = key
    _keep(own)


def reset_keys(name: str | None = None) -> None:
    """Gives one command, or all, the keys they came with."""
    own = {} if name is None else {other: key for other, key in own_keys().items() if other != name}
    _keep(own)


def is_own(name: str) -> bool:
    """Whether the person gave a command its key."""
    return name in own_keys()


def entries() -> Iterator[Entry]:
    """All commands that can have a key."""
    return (entry for entry in commands() if isinstance(entry, Entry))


def page() -> str:
    """The page of all keys and gestures, as Markdown."""
    told = "Made from the table of commands by `make pages`; all can be changed in Edit › Settings."
    lines = ["# Keys", "", told, ""]
    by_menu: dict[str, list[Entry]] = {}
    for entry in entries():
        if entry.keys:
            by_menu.setdefault(entry.menu.split("/")[0], []).append(entry)
    for menu, found in by_menu.items():
        lines += [f"## {menu}", "", "| key | does |", "| --- | --- |"]
        lines += [f"| {' or '.join(entry.keys)} | {entry.title}{_hint(entry)} |" for entry in found]
        lines.append("")
    lines += ["## In the views and the sentence", "", "| gesture | does |", "| --- | --- |"]
    lines += [f"| {gesture} | {what} |" for gesture, what in GESTURES]
    return "\n".join(lines) + "\n"


def _hint(entry: Entry) -> str:
    return f": {entry.hint[0].lower()}{entry.hint[1:]}" if entry.hint else ""


def _keep(own: dict[str, str]) -> None:
    QSettings("Level Loop", "Level Loop").setValue("keys", own)
