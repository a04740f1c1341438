"""Commands on parts, and how what is shaped follows the pointer."""

from __future__ import annotations

from typing import Any, Literal

from levelloop.app.commands.table.entry import Entry
from levelloop.app.view.picking.snapping import SNAPS, TITLES

Pivot = Literal["middle", "each", "origin", "anchor", "last"]


def _axes(axes: Literal["world", "part", "normal", "view"]) -> Entry:
    hint = "What the handle and typed moves count along"
    return Entry(
        "Transform", f"Axes of the {axes}", lambda window: window.on_view.set_axes(axes), (), hint, listed=False
    )


def _pivot(pivot: Pivot, words: str) -> Entry:
    hint = "What stays when it is rotated or scaled"
    return Entry("Transform", f"Pivot: {words}", lambda window: window.on_view.set_pivot(pivot), (), hint, listed=False)


def _snap(snap: Any) -> Entry:
    title = f"Snap to {TITLES[snap]}"
    return Entry(
        "Transform", title, lambda window: window.on_view.toggle_snap(snap), (), "While dragging", listed=False
    )


SHAPING: tuple[Entry, ...] = (
    Entry(
        "Add",
        "Draw a curve",
        lambda window: window.on_view.draw_curve(),
        (),
        "By clicks, on a part or beside it",
        True,
    ),
    _axes("world"),
    _axes("part"),
    _axes("normal"),
    _axes("view"),
    _pivot("middle", "the middle"),
    _pivot("each", "each piece"),
    _pivot("origin", "the world's origin"),
    _pivot("anchor", "the anchor"),
    _pivot("last", "the last picked"),
    *(_snap(snap) for snap in SNAPS),
    Entry(
        "Transform",
        "Soft range",
        lambda window: window.on_view.toggle_soft(),
        ("Shift+S",),
        "What is around follows move, rotate and scale",
        listed=False,
        also="proportional falloff",
    ),
    Entry(
        "Part",
        "Show or hide",
        lambda window: window.on_parts.toggle_part(),
        (),
        "Hides the active part, or shows it",
    ),
    Entry("Part", "Show all parts", lambda window: window.on_parts.show_all_parts()),
    Entry(
        "Select",
        "Hide",
        lambda window: window.on_parts.hide(False),
        ("V",),
        "What is selected; with nothing selected shows all that is hidden",
    ),
    Entry(
        "Select",
        "Hide the rest",
        lambda window: window.on_parts.hide(True),
        ("Shift+V",),
        "All but the selection, or the other parts",
    ),
    Entry("Select", "Show what is hidden", lambda window: window.on_parts.show_hidden(), (), "Elements and parts"),
    Entry("Smooth", "Cage or smooth", lambda window: window.levels.toggle(), (), "Space; held: a peek"),
    Entry("Smooth", "All parts cage or smooth", lambda window: window.levels.toggle_all(), (), "Shift+Space"),
    Entry("Smooth", "Level up", lambda window: window.levels.show(window.line.stepped(1)), ("PgUp",)),
    Entry("Smooth", "Level down", lambda window: window.levels.show(window.line.stepped(-1)), ("PgDown",)),
)
