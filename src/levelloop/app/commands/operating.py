"""Operating: how the window begins operations, keeps what was typed last, takes back and brings back."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from levelloop.app.commands.table.entry import NO_PART
from levelloop.core.mesh.selection import Kind, Selection
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation
from levelloop.document.running.running import State, why_not

if TYPE_CHECKING:
    from levelloop.app.window import Window


class Operating:
    """What menus, tools and keys begin."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._last_used: dict[str, dict[str, Any]] = {}

    def start(self, key: str, **given: Any) -> None:
        """Begins an operation as its menu entry, tool or key does; given: numbers that it begins with."""
        operation = REGISTRY[key]
        document, selected = self.window.session.document, self.window.session.selection
        if document.parts and self.window.view.kind == "parts":
            operation = REGISTRY[operation.instead.get("parts", key)]
        elif document.parts and len(selected) > 1:
            operation = REGISTRY[operation.instead.get(selected.kind, key)]
        take = self._take_of(operation)
        if take is not None and operation.acts_on != "cage":
            take(operation)
            return
        if not document.parts and operation.acts_on not in ("form", "document"):
            self.window.tell(NO_PART)
            return
        if operation.acts_on == "selection" and not operation.waits:
            self.window.attempt(lambda: self.window.session.perform(operation.key))
            return
        reason = self.why_not(operation)
        picks = take is not None and not operation.drawn and len(selected) == 0
        if reason and not picks:
            self.window.tell(reason)
            return
        self.window.tell("")
        self.window.panes.hands.tool = None
        if take is not None and (operation.drawn or picks):
            take(operation)
            return
        self.window.view.mode = operation.handle or None
        waits = operation.waits or bool(operation.handle)
        begins = self.window.on_view.begins_with(operation) if operation.handle else operation.begins_with
        last = {} if waits else self._last_used.get(operation.key, {})
        done = self.window.attempt(lambda: self.window.sentence.start(operation, {**begins, **last, **given}, waits))
        if not done and last:
            # What was last typed does not fit here; what the operation begins with may.
            done = self.window.attempt(lambda: self.window.sentence.start(operation, {**begins, **given}, waits))
        if done and operation.acts_on == "form":
            # Everything, since the new part may stand inside another.
            self.window.view.frame(everything=True)
        if not self.window.sentence.is_typing:
            self.window.view.setFocus()
        self.window.tools.refresh()
        self.window.panes.refresh()

    def begin_with(self, key: str, values: dict[str, Any]) -> None:
        """Begins an operation with numbers that were drawn elsewhere than in the views; the keyboard stays there."""
        operation = REGISTRY[key]
        if operation.acts_on == "selection":
            self.window.attempt(lambda: self.window.session.perform(key, **values))
            return
        self.window.view.mode = None
        self.window.attempt(lambda: self.window.sentence.start(operation, values, False))
        self.window.tools.refresh()

    def why_not(self, operation: Operation) -> str:
        """Why an operation cannot run on what is selected now, in a sentence; empty where it can."""
        if operation.acts_on != "cage" or not self.window.session.document.parts:
            return operation.why_not(self.window.session.selection)
        return why_not(operation, self.window.session.part.mesh, self.window.session.selection)

    def reason(self, operation: Operation) -> str:
        """Why a tool of the tool line does not fit now, worked out without looking at the mesh where that will do."""
        document, selection = self.window.session.document, self.window.session.selection
        if not document.parts:
            return "" if operation.acts_on in ("form", "document") else NO_PART
        if operation.acts_on != "cage" or (operation.tool and len(selection) == 0):
            return ""
        if not operation.needs or selection.kind in operation.needs or len(selection) == 0:
            return operation.why_not(selection)
        return self.why_not(operation)

    def running(self) -> frozenset[str]:
        """The operations that are under way: whose handle or tool is there, or whose numbers are open."""
        hands, running = self.window.panes.hands, set()
        if hands.mode is not None:
            running.add(REGISTRY.by_handle(hands.mode).key)
        if hands.tool is not None and hands.tool.key:
            running.add(hands.tool.key)
        if self.window.sentence.is_open and self.window.sentence.running.key:
            running.add(self.window.sentence.running.key)
        return frozenset(running)

    def repeats(self, plainly: bool = False) -> Kind | None:
        """The kind of element that what ran last is applied to by a pick, None where it is not.

        That is what Shift+click does while its numbers are open, and plainly every click after "again".
        """
        sentence = self.window.sentence
        picks = sentence.running.goes_on if plainly else sentence.is_open or sentence.running.goes_on
        return self._single_kind() if picks and not sentence.is_waiting else None

    def may_go_on(self) -> bool:
        """Whether what ran last can be applied to one picked element."""
        return self._single_kind() is not None

    def _single_kind(self) -> Kind | None:
        state = self.window.session.state
        if not state.key:
            return None
        operation = REGISTRY[state.key]
        if operation.handle or operation.acts_on != "cage" or not operation.needs or operation.least > 1:
            return None
        before = self.window.session.history[self.window.session.here - 1].selection(state.document.active)
        return before.kind if len(before) else None

    def apply_again(self, selection: Selection) -> None:
        """Keeps the operation whose numbers are open and applies it to something else."""
        self.window.session.set_selection(selection)
        self.window.sentence.repeat()

    def undo(self) -> None:
        """Takes back what was done last."""
        self.window.sentence.close_fields()
        sentence = self.window.session.state.sentence
        self.window.session.undo()
        self.window.tell(f"Undone: {sentence}.")

    def redo(self) -> None:
        """Brings back what was taken back last."""
        self.window.sentence.close_fields()
        self.window.session.redo()
        self.window.tell(f"Redone: {self.window.session.state.sentence}.")

    def repeat(self) -> None:
        """Applies what ran last to what is selected now."""
        self.window.tell(self.window.session.repeat_last())

    def change_entry(self, row: int) -> None:
        """Opens the numbers of an entry of the history; what follows runs again with each change."""
        self.window.sentence.close_fields()
        if self.window.attempt(lambda: self.window.session.go_to(row)):
            self.window.sentence.reopen()

    def remember(self, state: State) -> None:
        """Keeps the numbers of what has run: it begins with them next time."""
        operation = REGISTRY[state.key]
        if operation.acts_on == "cage":
            self._last_used[state.key] = {} if operation.handle else dict(state.parameters)

    # Helpers

    def _take_of(self, operation: Operation) -> Callable[[Operation], None] | None:
        """How an operation's pointer tool, or its question, is begun; None where it has none."""
        tables = (self.window.on_view.tools, self.window.on_parts.tools, self.window.on_recipe.tools)
        return next((table[operation.tool] for table in tables if operation.tool in table), None)
