"""Selecting."""

from __future__ import annotations

from typing import Any

from levelloop.core.edit.clean.simple import (
    hide,
    keep_set,
    show_all,
)
from levelloop.core.errors import EditError
from levelloop.core.mesh import selection as selecting
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Kind, Selection
from levelloop.core.select.symmetry import select_twins
from levelloop.core.select.where import select_where
from levelloop.document.operations.common import ANY
from levelloop.document.parameters import (
    Choice,
    Length,
    Text,
    Toggle,
)
from levelloop.document.registry import Operation
from levelloop.document.scripting.where_sentence import EXAMPLE, Sentence, Where


def _select(walk: Any) -> Any:
    return lambda mesh, selection, **parameters: walk(mesh.topology, selection, **parameters)


def _select_set(mesh: Mesh, _: Selection, name: str) -> Selection:
    for named in mesh.sets:
        if named.name == name:
            return Selection(named.kind, named.indices)
    known = ", ".join(f"“{named.name}”" for named in mesh.sets)
    raise EditError(f"There is no set “{name}”" + (f"; there are {known}." if known else "; keep a selection as one."))


def _select_where(mesh: Mesh, selection: Selection, sentence: Where | str, mode: str) -> Selection:
    if isinstance(sentence, str):
        raise EditError(f"Write what to select; for example: {EXAMPLE}.")
    found = select_where(mesh, sentence.kind, **sentence.conditions)
    return selecting.combine(selection, found, mode == "added", mode == "taken out")


def _convert(mesh: Mesh, selection: Selection, kind: Kind) -> Selection:
    return selecting.convert(mesh.topology, selection, kind)


SELECTING: tuple[Operation, ...] = (
    Operation(
        "select_loop",
        "Select loop",
        "Select",
        _select(selecting.select_loop),
        "Select the loop of {selection}",
        "The edge loop, or the face loop of two neighbouring faces",
        "selection",
        (),
        ("edges", "faces"),
    ),
    Operation(
        "select_ring",
        "Select ring",
        "Select",
        _select(selecting.select_ring),
        "Select the ring of {selection}",
        "Edges across from each other in quads",
        "selection",
        (),
        ("edges",),
    ),
    Operation(
        "select_boundary",
        "Select boundary",
        "Select",
        _select(selecting.select_boundary),
        "Select the boundary",
        "All open edges, of what is selected or of the whole cage",
        "selection",
    ),
    Operation(
        "grow",
        "Grow",
        "Select",
        _select(selecting.grow),
        "Grow the selection",
        "Adds what touches the selection",
        "selection",
        (),
        ANY,
        shortcut="Shift+Up",
    ),
    Operation(
        "shrink",
        "Shrink",
        "Select",
        _select(selecting.shrink),
        "Shrink the selection",
        "Takes away its rim",
        "selection",
        (),
        ANY,
        shortcut="Shift+Down",
    ),
    Operation(
        "select_connected",
        "Select connected",
        "Select",
        _select(selecting.select_connected),
        "Select what is connected",
        "Everything joined to the selection by edges",
        "selection",
        (),
        ANY,
    ),
    Operation(
        "select_between",
        "Select the stretch between",
        "Select",
        _select(selecting.select_between),
        "Select between the last two of {selection}",
        "The stretch between the last two picks",
        "selection",
        (),
        ANY,
        2,
    ),
    Operation(
        "inside",
        "Select the inside",
        "Select",
        _select(selecting.inside),
        "Select the inside of {selection}",
        "The smaller side of a closed loop of edges",
        "selection",
        (),
        ("edges",),
        3,
    ),
    Operation(
        "hide",
        "Hide",
        "Select",
        hide,
        "Hide {selection}, {rest}",
        "Hidden elements are never picked, walked to or moved",
        "cage",
        (Toggle("rest", False, "What is hidden", on="the rest instead", off="itself"),),
        ANY,
    ),
    Operation(
        "show_all",
        "Show all",
        "Select",
        show_all,
        "Show all that is hidden",
        "Shows every hidden element again",
        "cage",
    ),
    Operation(
        "select_twins",
        "Select both sides",
        "Select",
        select_twins,
        "Select {selection} and its twins across {axis} within {tolerance}",
        "Adds what lies across the plane from the selection",
        "selection",
        (
            Choice("axis", "x", "The plane's axis", words=("x", "y", "z")),
            Length("tolerance", 0.01, "Within which places are twins", low=0),
        ),
        ANY,
    ),
    Operation(
        "outline",
        "Select outline",
        "Select",
        _select(selecting.outline),
        "Select the outline of {selection}",
        "Edges between selected faces and the rest",
        "selection",
        (),
        ANY,
    ),
    Operation(
        "invert",
        "Invert",
        "Select",
        _select(selecting.invert),
        "Invert the selection",
        "What is not selected",
        "selection",
        (),
        shortcut="Ctrl+I",
    ),
    Operation(
        "keep_set",
        "Keep as a set",
        "Select/Sets",
        keep_set,
        "Keep {selection} as “{name}”",
        "Keeps the selection under a name; with nothing selected the name is forgotten",
        "cage",
        (Text("name", "", "Its name"),),
        waits=True,
        also="group selection name",
    ),
    Operation(
        "select_set",
        "Select a set",
        "Select/Sets",
        _select_set,
        "Select the set “{name}”",
        "Selects what was kept under a name",
        "selection",
        (Text("name", "", "Its name"),),
        anew=True,
        waits=True,
    ),
    Operation(
        "select_where",
        "Select where",
        "Select",
        _select_where,
        "Select {sentence}, {mode}",
        "By a property: faces where sides > 4; edges where angle > 30; points where valence 3 and plane x",
        "selection",
        (
            Sentence("sentence", "", f"For example: {EXAMPLE}"),
            Choice("mode", "only", "What becomes of the selection", words=("only", "added", "taken out")),
        ),
        anew=True,
        waits=True,
        on_line={"nothing": 150},
        also="filter find query",
    ),
    Operation(
        "convert",
        "Convert",
        "Select",
        _convert,
        "Convert the selection to {kind}",
        "The same place as another kind",
        "selection",
        (Choice("kind", "points", "To what", words=ANY),),
        ANY,
    ),
)
