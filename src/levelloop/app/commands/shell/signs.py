"""The signs of the state strip as data: what each says, when it is lit, what its list holds."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING, Literal, get_args

import numpy as np

from levelloop.app.measured import length_told, number_told
from levelloop.app.panels.state_strip import Pick, Sign
from levelloop.app.view.ground import ground_step
from levelloop.app.view.hands import HandleAxes, HandlePivot
from levelloop.app.view.picking.picking import REACHES, BoxRule, Reach
from levelloop.app.view.picking.snapping import SNAPS, TITLES
from levelloop.document.operations import keys
from levelloop.document.scripting.units import MILLIMETRES

if TYPE_CHECKING:
    from levelloop.app.window import Window

REACH_WORDS: dict[Reach, str] = {"visible": "what is seen", "facing": "what faces you", "through": "through all"}
PIVOT_WORDS: dict[HandlePivot, str] = {
    "middle": "the middle",
    "each": "each piece",
    "origin": "the world's origin",
    "anchor": "the anchor",
    "last": "the last picked",
}
BOX_WORDS: dict[BoxRule, str] = {"inside": "inside a box", "touched": "touched by a box"}
GRIDS = (0.1, 0.5, 1.0, 5.0, 10.0)  # times the power of ten of the unit that is nearest a millimetre
SOFT_SHAPES = ("bell", "dome", "cone")
Axis = Literal["off", "x", "y", "z"]
Unit = Literal["mm", "cm", "m", "in", "ft"]


def signs(window: Window) -> tuple[Sign, ...]:
    """All signs, from left to right."""
    return (
        _safety(window),
        _symmetry(window),
        _soft(window),
        _axes(window),
        _pivot(window),
        _snaps(window),
        _reach(window),
        _hidden(window),
        _lock(window),
        _unit(window),
        _progress(window),
        _messages(window),
    )


def grids(unit: str) -> list[float]:
    """The steps of a grid that one may choose, mm: even numbers of the unit."""
    one = MILLIMETRES[unit]
    return [step * one / 10.0 ** round(np.log10(one)) for step in GRIDS]


def _safety(window: Window) -> Sign:
    return Sign(
        "safety",
        "The program cannot write down what you do: if it ends now, it is lost. It goes on trying; saving may work.",
        lambda: "■ not kept safe" if window.starting.trouble else "",
        lambda: True,
        lambda: [Pick(window.starting.trouble, lambda: None), None, Pick("save as …", window.on_files.ask_save)],
    )


def _symmetry(window: Window) -> Sign:
    def axis() -> str:
        symmetry = window.session.document.symmetry
        return symmetry.axis if symmetry is not None else "off"

    def choose(wanted: Axis) -> Callable[[], object]:
        return lambda: window.attempt(lambda: window.session.do(keys.SET_SYMMETRY, axis=wanted))

    return Sign(
        "symmetry",
        "Edits made on both sides of a plane",
        lambda: "not symmetric" if axis() == "off" else f"symmetric {axis()}",
        lambda: axis() != "off",
        lambda: [
            Pick(word if word == "off" else f"across {word}", choose(word), word == axis()) for word in get_args(Axis)
        ],
    )


def _soft(window: Window) -> Sign:
    hands = window.panes.hands

    def words() -> str:
        return (
            f"soft {length_told(hands.soft['soft_range'], window.session.document.unit)}" if hands.soft else "not soft"
        )

    def picks() -> Sequence[Pick | None]:
        shape = hands.soft.get("soft_shape", "bell")
        on = Pick("on", lambda: window.on_view.toggle_soft(), bool(hands.soft))
        sizes = [
            Pick("wider (Ctrl+wheel)", lambda: window.on_view.turn_soft(1.25)),
            Pick("narrower", lambda: window.on_view.turn_soft(0.8)),
        ]
        shapes = [Pick(name, partial(window.on_view.set_soft, soft_shape=name), name == shape) for name in SOFT_SHAPES]
        along = bool(hands.soft.get("along_surface", False))
        surface = Pick("along the surface", lambda: window.on_view.set_soft(along_surface=not along), along)
        return [on, None, *sizes, None, *shapes, None, surface] if hands.soft else [on]

    return Sign("soft", "What is around follows move, rotate and scale", words, lambda: bool(hands.soft), picks)


def _axes(window: Window) -> Sign:
    hands = window.panes.hands
    return Sign(
        "axes",
        "What the handle and typed moves count along",
        lambda: f"axes of the {hands.axes}",
        lambda: hands.axes != "world",
        lambda: [
            Pick(f"of the {axes}", partial(window.on_view.set_axes, axes), axes == hands.axes)
            for axes in get_args(HandleAxes)
        ],
    )


def _pivot(window: Window) -> Sign:
    hands = window.panes.hands
    return Sign(
        "pivot",
        "What stays when it is rotated or scaled",
        lambda: f"pivot {hands.pivot}",
        lambda: hands.pivot != "middle",
        lambda: [
            Pick(words, partial(window.on_view.set_pivot, pivot), pivot == hands.pivot)
            for pivot, words in PIVOT_WORDS.items()
        ],
    )


def _snaps(window: Window) -> Sign:
    hands = window.panes.hands

    def words() -> str:
        unit = window.session.document.unit
        grid = f"grid {number_told(hands.grid / MILLIMETRES[unit])}"
        names = [grid if snap == "grid" else snap for snap in SNAPS if snap in hands.snaps]
        step = ground_step(window.view.camera.distance, unit)
        ground = f" · ground {number_told(step / MILLIMETRES[unit])}"
        return (f"snap {', '.join(names)}" if names else "no snap") + ground

    def picks() -> Sequence[Pick | None]:
        kinds = [
            Pick(f"to {TITLES[snap]}", partial(window.on_view.toggle_snap, snap), snap in hands.snaps) for snap in SNAPS
        ]
        unit = window.session.document.unit
        steps = [
            Pick(
                f"grid of {step / MILLIMETRES[unit]:g} {unit}",
                partial(window.on_view.set_hands, grid=step),
                bool(np.isclose(step, hands.grid)),
            )
            for step in grids(unit)
        ]
        return [*kinds, None, *steps]

    return Sign("snap", "What catches a drag", words, lambda: bool(hands.snaps), picks)


def _reach(window: Window) -> Sign:
    hands = window.panes.hands

    def choose_box(rule: BoxRule) -> Callable[[], object]:
        return lambda: window.on_view.set_hands(box_rule=rule)

    return Sign(
        "reach",
        "What a click, a box or a brush picks",
        lambda: "picks " + REACH_WORDS[hands.reach] + ("" if hands.box_rule == "inside" else ", touched"),
        lambda: hands.reach != "visible" or hands.box_rule != "inside",
        lambda: [
            *(
                Pick(REACH_WORDS[reach], partial(window.on_view.set_hands, reach=reach), reach == hands.reach)
                for reach in REACHES
            ),
            None,
            *(Pick(words, choose_box(rule), rule == hands.box_rule) for rule, words in BOX_WORDS.items()),
        ],
    )


def _hidden(window: Window) -> Sign:
    def count() -> int:
        parts = window.session.document.parts
        return sum(int(part.mesh.hidden.sum()) for part in parts) + sum(not part.visible for part in parts)

    return Sign(
        "hidden",
        "Faces and parts that are hidden",
        lambda: f"{count():,} hidden" if count() else "",
        lambda: True,
        lambda: [Pick("show all", window.on_parts.show_hidden)],
    )


def _lock(window: Window) -> Sign:
    hands = window.panes.hands
    return Sign(
        "lock",
        "Clicks, boxes and brushes leave the selection as it is",
        lambda: "selection locked" if hands.keeps_selection else "",
        lambda: hands.keeps_selection,
        lambda: [Pick("free it", window.on_view.toggle_kept)],
    )


def _unit(window: Window) -> Sign:
    def choose(unit: Unit) -> Callable[[], object]:
        return lambda: window.attempt(lambda: window.session.do(keys.SET_UNIT, unit=unit))

    return Sign(
        "unit",
        "What numbers without a unit count in",
        lambda: window.session.document.unit,
        lambda: window.session.document.unit != "mm",
        lambda: [Pick(unit, choose(unit), unit == window.session.document.unit) for unit in get_args(Unit)],
    )


def _progress(window: Window) -> Sign:
    return Sign(
        "progress",
        "Surfaces that are being made; Esc stops it",
        lambda: "smoothing …" if window.stage.is_working else "",
        lambda: True,
        lambda: [Pick("stop it and show the cage", window.stage.stop_work)],
    )


def _messages(window: Window) -> Sign:
    return Sign(
        "messages",
        "Everything that was said",
        lambda: "messages",
        lambda: False,
        lambda: [Pick("show all messages", window.shell.show_messages)],
    )
