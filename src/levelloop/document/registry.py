"""The registry: every operation declared once, from which menus, search, sentences and scripts follow."""

from __future__ import annotations

import difflib
import string
from collections.abc import Callable, Mapping
from dataclasses import field
from typing import Any, Literal

from levelloop.core.arrays import Floats, Integers
from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind, Selection
from levelloop.core.values import dataclass
from levelloop.document.parameters import Choice, Parameter, Reading, Toggle

ActsOn = Literal["cage", "form", "selection", "part", "document", "parts"]
Handle = Literal["", "move", "rotate", "scale"]
Line = Literal["nothing", "points", "edges", "faces", "parts"]
AtMiddle = Literal["alone", "local", "spanning", "closing", "merging", "drawn", "making"]


@dataclass(frozen=True)
class Operation:
    """One operation as data.

    run: for acts_on "cage" (mesh, selection, **parameters) → Edit; "form" (**parameters) → Mesh; "selection"
    (mesh, selection, **parameters) → Selection; "part" (part, **parameters) → Part, for each that is chosen; "document"
    (document, **parameters) → Document; "parts" (document, selections, **parameters) → Change.
    needs: kinds of selection it takes; empty: none needed. least: how many elements. or_all: nothing selected
    means everything. anew: for acts_on "selection": what was selected before does not matter. moves_only: changes
    nothing but where points are, so that symmetry can mirror it. in_turn: makes one thing of all that is selected, so
    that symmetry runs it once for each side. drawn: the parameter that is drawn in the view; typed numbers wait for it.
    advice: what is worth knowing about a form of such sizes, in a sentence.
    In the window: begins_with: values where its own defaults would show nothing; waits: it needs a word or a number
    first; handle: the handle it is dragged by in the view; tool: the pointer tool, or the question, by which it comes
    to its values, or to its elements where none are selected; more_keys: besides the shortcut; instead: the operation
    that is meant where elements of these kinds are selected, two and more, or whole parts. also: other words that
    people search for it by. on_line: the tool lines that offer it, and its place there: the line for each kind that may
    be selected, "nothing" where nothing is.
    at_middle: what it does at the planes of a mirror step. "local": looks at what lies beside, so it is run on the
    whole where a face beside what is selected meets a plane; "spanning": where what is selected meets one; "closing":
    the same, edges on the planes left out, and where the cage alone is refused; "merging": what becomes one point stays
    on the planes it was on; "drawn": names its elements, run on the whole and kept on the cage's side; "making": makes
    faces of the cage alone, none of them on a plane.
    mirrored: for what names elements or places itself instead of taking a selection: (mesh, values, twin of each
    point, matrix (4, 4) across the plane for places in the world) → the values of the other side, None where they are
    the same.
    """

    key: str
    title: str
    menu: str
    run: Callable[..., Any]
    sentence: str
    hint: str
    acts_on: ActsOn = "cage"
    parameters: tuple[Parameter, ...] = ()
    needs: tuple[Kind, ...] = ()
    least: int = 1
    or_all: bool = False
    anew: bool = False
    shortcut: str = ""
    icon: str = ""
    on_line: Mapping[Line, int] = field(default_factory=dict)
    moves_only: bool = False
    in_turn: bool = False
    at_middle: AtMiddle = "alone"
    drawn: str = ""
    begins_with: Mapping[str, Any] = field(default_factory=dict)
    waits: bool = False
    handle: Handle = ""
    tool: str = ""
    more_keys: tuple[str, ...] = ()
    instead: Mapping[Line, str] = field(default_factory=dict)
    also: str = ""
    advice: Callable[[Mapping[str, Any]], str] | None = None
    mirrored: Callable[[Mesh, dict[str, Any], Integers, Floats], dict[str, Any] | None] | None = None

    @property
    def shortcuts(self) -> tuple[str, ...]:
        """All its keys, the first one the one that is told."""
        return (self.shortcut, *self.more_keys) if self.shortcut else self.more_keys

    @property
    def has_numbers(self) -> bool:
        """Whether there is a number, word or place to decide on; what has none is kept as soon as it has run."""
        return any(not isinstance(parameter, Toggle | Choice) for parameter in self.parameters)

    def parameter(self, name: str) -> Parameter:
        """A parameter by name. Raises EditError where there is none."""
        for parameter in self.parameters:
            if parameter.name == name:
                return parameter
        names = [parameter.name for parameter in self.parameters]
        raise EditError(f'{self.title} has no "{name}"{_suggestion(name, names)}')

    def defaults(self) -> dict[str, Any]:
        """The default of every parameter."""
        return {parameter.name: parameter.default for parameter in self.parameters}

    def read(self, given: Mapping[str, Any], reading: Reading) -> dict[str, Any]:
        """All parameters, given ones checked and the others at their defaults. Raises EditError."""
        values = self.changed(self.defaults(), given)
        for name in given:
            values[name] = self.parameter(name).read(values[name], reading)
        return values

    def changed(self, values: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
        """Values with those that are given in their place; where one is given instead of another, that is let go of."""
        let_go = {
            parameter.instead_of: None
            for parameter in self.parameters
            if parameter.instead_of and given.get(parameter.name) is not None and parameter.instead_of not in given
        }
        return {**values, **let_go, **given}

    def why_not(self, selection: Selection) -> str:
        """Why the operation cannot run on a selection, in a sentence; empty where it can."""
        if not self.needs or (self.or_all and len(selection) == 0):
            return ""
        kinds = " or ".join(filter(None, (", ".join(self.needs[:-1]), self.needs[-1])))
        if len(selection) < self.least or selection.kind not in self.needs:
            least = "" if self.least == 1 else f"at least {self.least} "
            return f"{self.title} needs {least}selected {kinds}."
        return ""

    def says(self, values: Mapping[str, Any], selection: str, unit: str = "mm") -> str:
        """The operation's sentence with its numbers."""
        return "".join(
            text + ("" if name is None else selection if name == "selection" else self.show(name, values, unit))
            for text, name in self.pieces(values)
        )

    def brief(self, values: Mapping[str, Any], selection: str, unit: str = "mm") -> str:
        """The sentence with only those of its parts between commas that differ from the defaults, after the first."""
        parts: list[list[tuple[str, str | None]]] = [[]]
        for text, name in self.pieces(values):
            before, *others = text.split(", ")
            parts[-1].append((before, None))
            for one in others:
                parts.append([(one, None)])
            parts[-1].append(("", name))
        defaults = self.defaults()
        said = []
        for number, part in enumerate(parts):
            names = [name for _, name in part if name is not None]
            if number and names and all(values.get(name) == defaults.get(name) for name in names):
                continue
            shown = (
                text + ("" if name is None else selection if name == "selection" else self.show(name, values, unit))
                for text, name in part
            )
            said.append("".join(shown))
        return ", ".join(said)

    def show(self, name: str, values: Mapping[str, Any], unit: str = "mm") -> str:
        """One parameter in words."""
        return self.parameter(name).show(values.get(name), unit)

    def pieces(self, values: Mapping[str, Any]) -> list[tuple[str, str | None]]:
        """The sentence as (text, field name or None) pairs; bracketed parts only where their field is set.

        "Run {count} loop(s)[ at {distance}]" leaves the bracket out while distance is None, and the s where count is 1.
        """
        template = self.sentence
        while "[" in template:
            start, end = template.index("["), template.index("]")
            inner = template[start + 1 : end]
            names = [name for _, name, _, _ in string.Formatter().parse(inner) if name]
            shown = all(self._is_said(name, values) for name in names)
            template = template[:start] + (inner if shown else "") + template[end + 1 :]
        found: list[tuple[str, str | None]] = []
        for text, name, _, _ in string.Formatter().parse(template):
            if "(s)" in text:
                # A noun after a count agrees with it: "1 step", "2 steps".
                before = found[-1][1] if found else None
                text = text.replace("(s)", "" if before and values.get(before) == 1 else "s", 1)
            found.append((text, name))
        return found

    def _is_said(self, name: str, values: Mapping[str, Any]) -> bool:
        parameter = self.parameter(name)
        replaced = bool(parameter.unless) and values.get(parameter.unless) is not None
        return not replaced and values.get(name) not in (None, parameter.closed_at)


class Registry:
    """Operations by key, refusing two of one key, shortcut or tool.

    refused: what other packages brought and could not be taken, in sentences.
    """

    def __init__(self) -> None:
        self._operations: dict[str, Operation] = {}
        self._claimed: dict[tuple[str, str], str] = {}  # tools and keys, by whom
        self.refused: list[str] = []

    def add(self, operation: Operation) -> None:
        """Declares an operation. Raises ValueError for a key, shortcut or sentence field that clashes."""
        if operation.key in self._operations:
            raise ValueError(f"two operations are called {operation.key}")
        claims = [("have the tool", operation.tool)] if operation.tool else []
        claims += [("want", key) for key in operation.shortcuts]
        for verb, what in claims:
            if (verb, what) in self._claimed:
                raise ValueError(f"{operation.key} and {self._claimed[verb, what]} both {verb} {what}")
        names = {parameter.name for parameter in operation.parameters} | {"selection"}
        fields = {
            name for _, name, _, _ in string.Formatter().parse(operation.sentence.replace("[", "").replace("]", ""))
        }
        unknown = {name for name in fields if name} - names
        if unknown:
            raise ValueError(f"the sentence of {operation.key} names {unknown}")
        self._operations[operation.key] = operation
        self._claimed |= dict.fromkeys(claims, operation.key)

    def __getitem__(self, key: str) -> Operation:
        if key not in self._operations:
            raise EditError(f'There is no operation "{key}"{_suggestion(key, list(self._operations))}')
        return self._operations[key]

    def __contains__(self, key: str) -> bool:
        return key in self._operations

    def by_handle(self, handle: Handle) -> Operation:
        """The operation that a handle of the view drags."""
        return next(operation for operation in self._operations.values() if operation.handle == handle)

    def by_tool(self, tool: str) -> Operation:
        """The operation that a pointer tool or a question gives its values."""
        return next(operation for operation in self._operations.values() if operation.tool == tool)

    def on_line(self, line: Line) -> tuple[Operation, ...]:
        """What a tool line offers, in its order."""
        offered = [operation for operation in self._operations.values() if line in operation.on_line]
        return tuple(sorted(offered, key=lambda operation: operation.on_line[line]))

    def key_of(self, operation: Operation, kind: Line) -> str:
        """The key that begins an operation where elements of a kind are selected; empty for none."""
        others = (other for other in self._operations.values() if other.shortcut)
        instead = next((other for other in others if other.instead.get(kind) == operation.key), None)
        return operation.shortcut or (instead.shortcut if instead else "")

    def all(self) -> tuple[Operation, ...]:
        """Every operation, in the order declared."""
        return tuple(self._operations.values())


def _suggestion(name: str, known: list[str]) -> str:
    close = difflib.get_close_matches(str(name), known, n=1)
    if close:
        return f'; did you mean "{close[0]}"?'
    return "; it has " + ", ".join(known) + "." if 0 < len(known) < 12 else "."
