"""What a command is: one entry of the table, or a menu that is filled with what there is."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from levelloop.core.values import dataclass
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.window import Window

# Each with the letter that opens it together with Alt.
MENUS = (
    "&File",
    "&Edit",
    "&Add",
    "&Select",
    "&Transform",
    "&Build",
    "&Divide",
    "&Mend",
    "Sm&ooth",
    "S&kin",
    "&Recipe",
    "&Part",
    "&View",
    "&Help",
)
# Operations that the window has commands of its own for, which also act on whole parts.
COMMANDS_OF_THE_WINDOW = ("Hide", "Show all", "Symmetric editing", "Unit", "Convert")
NO_PART = "There is no part yet; add a form first."


@dataclass(frozen=True)
class Entry:
    """One command. run: what it does to a window; keys: the first is the one that is told; line: with a line above it;
    why_not: why it cannot run now, in a sentence, empty where it can; is_on: whether what it switches is on; listed:
    whether it stands in its menu, not only in the search and the keys; also: other words to find it by. menu: a menu,
    or one in it: "View/Looks".
    """

    menu: str
    title: str
    run: Callable[[Window], Any]
    keys: tuple[str, ...] = ()
    hint: str = ""
    line: bool = False
    why_not: Callable[[Window], str] = lambda window: ""
    is_on: Callable[[Window], bool] | None = None
    listed: bool = True
    also: str = ""

    @property
    def name(self) -> str:
        """What the command is known by: a step may have the title of an operation."""
        return f"{self.menu}/{self.title}"


@dataclass(frozen=True)
class Submenu:
    """A menu in a menu that is filled with what there is each time it opens: (title, run) pairs, or menus of them."""

    menu: str
    title: str
    name: str


def of_operation(operation: Operation) -> Entry:
    """The command that begins an operation."""

    def why_not(window: Window) -> str:
        if operation.acts_on in ("form", "document"):
            return ""
        return window.operating.why_not(operation) if window.session.document.parts else NO_PART

    return Entry(
        operation.menu,
        operation.title,
        lambda window: window.start(operation.key),
        operation.shortcuts,
        operation.hint,
        why_not=why_not,
        listed=operation.title not in COMMANDS_OF_THE_WINDOW,
        also=operation.also,
    )
