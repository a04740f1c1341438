"""Parts and the document."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from levelloop.core.errors import EditError
from levelloop.core.mesh.selection import Selection
from levelloop.core.surface.surface import HIGHEST_LEVEL
from levelloop.document.cameras import keep_camera, remove_camera, set_camera
from levelloop.document.document import Document
from levelloop.document.guides import add_guide, calibrate_guide, remove_guide, set_guide
from levelloop.document.looks import LOOKS, set_part
from levelloop.document.parameters import (
    Angle,
    Choice,
    Count,
    Expression,
    Length,
    OfPart,
    PartName,
    PartNames,
    Ratio,
    Text,
    Toggle,
    Vector,
)
from levelloop.document.part import DEFAULT_LEVEL, Part
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import (
    Change,
    attach,
    boolean_parts,
    clip,
    combine,
    curve_from_edges,
    detach,
    duplicate,
    instance,
    remove_part,
)
from levelloop.document.scripting.units import MILLIMETRES, parse_length


def _rename(document: Document, selections: Mapping[str, Selection], name: str) -> Change:
    return set_part(document, selections, name=name)


def _set_value(document: Document, name: str, value: Any) -> Document:
    if not name.isidentifier() or name in ("mm", "cm", "m", "in", "ft", "last"):
        raise EditError(f'"{name}" cannot be a name; use letters, digits and _, and no unit.')
    reading = document.reading
    text = str(value)
    number = parse_length(text, document.unit, reading.values)
    return replace(document, values={**document.values, name: (text, number)})


def _reset_transform(part: Part) -> Part:
    if part.shared:
        raise EditError(f"“{part.name}” shares its cage; put into it, its place would move the others too.")
    if part.steps:
        raise EditError(f"The recipe of “{part.name}” counts in its own space; make it plain first.")
    return replace(part, mesh=part.to_world(part.mesh), transform=np.eye(4))


PARTS: tuple[Operation, ...] = (
    Operation(
        "rename_part",
        "Rename part",
        "Part",
        _rename,
        "Call the part {name}",
        "Gives the active part a name",
        "parts",
        (Text("name", "", "Its new name"),),
        waits=True,
    ),
    Operation(
        "set_part",
        "Part's looks",
        "Part",
        set_part,
        "Let {part} be[ called {name}][ of colour {colour}][ of opacity {opacity}][ {visible}][ {locked}][ {helper}]"
        "[ in the group {group}]",
        "Name, looks and locks of a part; the active one where none is named",
        "parts",
        (OfPart("part", None, "Which part", optional=True), *LOOKS),
        waits=True,
    ),
    Operation(
        "remove_part",
        "Remove",
        "Part",
        remove_part,
        "Remove {part}",
        "Takes a part out of the document; the active one where none is named",
        "parts",
        (OfPart("part", None, "Which part", optional=True),),
        tool="parts out",
        on_line={"parts": 150},
    ),
    Operation(
        "set_value",
        "Named value",
        "Edit",
        _set_value,
        "Let {name} be {value}",
        "A length that typed numbers may use",
        "document",
        (Text("name", "", "Its name"), Expression("value", "0 mm")),
        waits=True,
        also="variable name number",
    ),
    Operation(
        "set_unit",
        "Unit",
        "Edit",
        lambda document, unit: replace(document, unit=unit),
        "Count in {unit}",
        "What numbers without a unit count in",
        "document",
        (Choice("unit", "mm", "Of numbers without one", words=tuple(MILLIMETRES)),),
        also="units mm inch centimetre",
    ),
    Operation(
        "set_start_level",
        "Level of new parts",
        "Edit",
        lambda document, level: replace(document, start_level=level),
        "Let new parts be smoothed to level {level}",
        "What parts made from now on are given out at; those that are there stay as they are",
        "document",
        (Count("level", DEFAULT_LEVEL, "0 is the cage", low=0, high=HIGHEST_LEVEL),),
        also="default subdivision smoothing",
    ),
    Operation(
        "combine",
        "Combine",
        "Part",
        lambda document, selections, parts, weld, name: combine(document, selections, parts, weld, name),
        "Combine[ {parts}] to one part[, weld within {weld}]",
        "Makes several parts one; all that are shown and unlocked where none are named",
        "parts",
        (
            PartNames("parts", None, "Which ones", optional=True),
            Length("weld", None, "Points nearer than that become one", optional=True, low=0, step=0.01),
            Text("name", "", "The name of what they become"),
        ),
        on_line={"parts": 120},
        also="join parts merge",
    ),
    Operation(
        "detach",
        "Detach",
        "Part",
        detach,
        "Detach by {by}, called {name}",
        "Takes faces into a part of their own",
        "parts",
        (
            Choice("by", "selection", "What goes together", words=("selection", "connected", "material")),
            Text("name", "", "The new part's name"),
        ),
        on_line={"faces": 120},
        also="separate split off",
    ),
    Operation(
        "duplicate",
        "Duplicate",
        "Part",
        lambda document, selections, new_part, name: duplicate(document, selections, new_part, name),
        "Duplicate {selection} {new_part}, called {name}",
        "Copies the selected faces, or the whole part",
        "parts",
        (
            Toggle("new_part", True, "Where the copy goes", on="as a new part", off="within the part"),
            Text("name", "", "The copy's name"),
        ),
        on_line={"parts": 40},
        also="copy clone",
    ),
    Operation(
        "boolean",
        "Boolean",
        "Part",
        boolean_parts,
        "Boolean {kind} with {other}, {clean}, {keep_other}",
        "Unites two closed parts, takes one from the other, or keeps what both share",
        "parts",
        (
            Choice("kind", "union", "What is made of both", words=("union", "subtract", "intersect")),
            PartName("other", None, "The other part", optional=True),
            Toggle("clean", True, "The seam's points", on="seam cleaned", off="seam as it is"),
            Toggle("keep_other", False, "What becomes of the other part", on="keeping it", off="using it up"),
        ),
        waits=True,
        on_line={"parts": 110},
        also="union subtract intersect hole carve",
    ),
    Operation(
        "clip",
        "Clip at the mirror",
        "Mend",
        clip,
        "Take off what lies beyond the mirror's planes",
        "The cage ends where its image begins",
        "parts",
    ),
    Operation(
        "curve_from_edges",
        "Curve from edges",
        "Part/Curves",
        curve_from_edges,
        "Make a curve of {selection}, called {name}",
        "To sweep or extrude along",
        "parts",
        (Text("name", "", "Its name"),),
    ),
    Operation(
        "instance",
        "Instance",
        "Part",
        instance,
        "Make an instance called {name}",
        "A part that shares this one's cage and has its own place",
        "parts",
        (Text("name", "", "Its name"),),
        on_line={"parts": 50},
        also="linked copy",
    ),
    Operation(
        "attach",
        "Attach",
        "Part",
        attach,
        "Attach the part to {to}",
        "It moves with the other part; nothing sets it free",
        "parts",
        (PartName("to", None, "The other part", optional=True),),
    ),
    Operation(
        "group_part",
        "Group",
        "Part",
        lambda part, group: replace(part, group="/".join(filter(None, (word.strip() for word in group.split("/"))))),
        "Put {selection} into the group {group}",
        "Groups stand in the list as one; / makes groups in groups; no name takes it out",
        "part",
        (Text("group", "", "The group's name"),),
        waits=True,
    ),
    Operation(
        "reset_transform",
        "Put its place into the cage",
        "Part",
        _reset_transform,
        "Put the place of {selection} into the cage",
        "The part stays where it is; its cage is in world space again",
        "part",
    ),
    Operation(
        "clear_transform",
        "Back to its own place",
        "Part",
        lambda part: replace(part, transform=np.eye(4)),
        "Take {selection} back to where the cage is",
        "Forgets how the part was moved as a whole",
        "part",
    ),
    Operation(
        "add_guide",
        "Guide",
        "View/Guides",
        add_guide,
        "Add the guide {path} to the {view}, {width} wide, {embed}, called {name}",
        "A reference image in a view",
        "document",
        (
            Text("path", "", "The image's file", longest=4096),
            Text("view", "front", "The direction or the named camera it is seen from"),
            Length("width", 100.0, "Of the image", low=0, above_low=True),
            Toggle("embed", True, "Where the image is kept", on="kept in the document", off="read from its file"),
            Text("name", "", "The guide's name"),
        ),
        tool="image",
        also="image reference picture background",
    ),
    Operation(
        "set_guide",
        "Change a guide",
        "View/Guides",
        set_guide,
        "Change the guide {name}[, opacity {opacity}][, width {width}][, at {at}][, {flip}][, {crop}][, {through}]"
        "[, {standing}][, {locked}][, {shown}][, projected onto {onto}]",
        "How a guide looks; nothing given leaves it",
        "document",
        (
            Text("name", "", "The guide; the last one where none is named"),
            Ratio("opacity", None, "0 to 1", optional=True, low=0, high=1),
            Length("width", None, "Of the image", optional=True, low=0, above_low=True),
            Vector("at", None, "Right and up from the origin", optional=True, size=2),
            Toggle("flip", None, "Left to right", optional=True, on="mirrored", off="as it is"),
            Choice("crop", None, "What is shown of it", optional=True, words=("whole", "left", "right")),
            Toggle("through", None, "Where it is drawn", optional=True, on="over the parts", off="behind the parts"),
            Toggle("standing", None, "Seen from", optional=True, on="standing in space", off="in its view only"),
            Toggle("locked", None, "Whether it can be changed", optional=True, on="locked", off="unlocked"),
            Toggle("shown", None, "Whether it is shown", optional=True, on="shown", off="hidden"),
            Text("onto", None, "A part the image is projected onto, to cut along; no name ends it", optional=True),
        ),
        waits=True,
    ),
    Operation(
        "calibrate_guide",
        "Calibrate a guide",
        "View/Guides",
        calibrate_guide,
        "Make {start} to {end} on the guide {name} {length} long",
        "Two places of the image and how far apart they truly are",
        "document",
        (
            Text("name", "", "The guide; the last one where none is named"),
            Vector("start", (0.0, 0.0), "One place, right and up", size=2),
            Vector("end", (100.0, 0.0), "The other", size=2),
            Length("length", 100.0, "How far apart they are", low=0, above_low=True),
        ),
        tool="two places",
    ),
    Operation(
        "remove_guide",
        "Remove a guide",
        "View/Guides",
        remove_guide,
        "Remove the guide {name}",
        "Takes an image out",
        "document",
        (Text("name", "", "The guide; the last one where none is named"),),
    ),
    Operation(
        "keep_camera",
        "Keep the view as a camera",
        "View/Cameras",
        keep_camera,
        "Keep the camera {name}, looking at {target} from {distance}, turn {turn}, tilt {tilt}, {perspective},"
        " field of view {field_of_view}, shift {shift}",
        "A place to look from under a name",
        "document",
        (
            Text("name", "", "Its name"),
            Vector("target", (0.0, 0.0, 0.0), "What it looks at"),
            Length("distance", 120.0, "From there", low=0, above_low=True),
            Angle("turn", 0.0, "About z; at 0 it looks along +y"),
            Angle("tilt", 0.0, "Down from the horizon", low=-90, high=90),
            Toggle("perspective", True, "How depth is shown", on="perspective", off="orthographic"),
            Angle("field_of_view", 32.0, "From bottom to top", low=1, high=150),
            Vector("shift", (0.0, 0.0), "Right and up, in shares of the height", size=2, is_length=False),
        ),
        tool="camera",
        also="view bookmark",
    ),
    Operation(
        "set_camera",
        "Change a camera",
        "View/Cameras",
        set_camera,
        "Change the camera {name}[, field of view {field_of_view}][, shift {shift}][, {perspective}]",
        "What is at its target stays as large; nothing given leaves it",
        "document",
        (
            Text("name", "", "The camera; the last one where none is named"),
            Angle("field_of_view", None, "From bottom to top", optional=True, low=1, high=150),
            Vector("shift", None, "Right and up, in shares of the height", optional=True, size=2, is_length=False),
            Toggle("perspective", None, "How depth is shown", optional=True, on="perspective", off="orthographic"),
        ),
        waits=True,
    ),
    Operation(
        "remove_camera",
        "Remove a camera",
        "View/Cameras",
        remove_camera,
        "Remove the camera {name} and its guides",
        "Takes a camera out",
        "document",
        (Text("name", "", "The camera; the last one where none is named"),),
        waits=True,
    ),
)
