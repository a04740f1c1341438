"""What a stage keeps of a document beside its meshes, as JSON: unit, named values, anchor, symmetry, guides, cameras,
kept recipes, recipes of groups, and of each part its level, locks, group and recipe."""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, field, fields, replace
from typing import Any, Literal

from levelloop.core.errors import LevelLoopError
from levelloop.core.tolerance import Automatic
from levelloop.core.values import dataclass
from levelloop.core.words import shortened
from levelloop.document.cameras import NamedCamera
from levelloop.document.document import TWINS_WITHIN, Document, Guide, Symmetry, unique_names
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import AUTOMATIC_WORD, Reading
from levelloop.document.part import DEFAULT_LEVEL, Part
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step
from levelloop.files.errors import FileError
from levelloop.files.schema import WrongValueError, checked

MOST_STEPS = 200  # of one recipe
LARGEST = 256 * 1024 * 1024  # letters of settings, embedded images counted


@dataclass(frozen=True)
class StepSettings:
    """One step of a recipe as it is kept."""

    step: str
    on: bool = True
    parameters: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class PartSettings:
    """What is kept of a part beside its mesh."""

    level: int = DEFAULT_LEVEL
    limit: bool = False
    locked: bool = False
    helper: bool | None = None
    accepted: Mapping[str, str] = field(default_factory=dict)
    group: str = ""
    shared: str = ""
    attached: str = ""
    colour: str = ""
    opacity: float | None = None
    steps: tuple[StepSettings, ...] = ()


@dataclass(frozen=True)
class Settings:
    """What is kept of a document beside its parts. values: name → (text, millimetres)."""

    unit: Literal["mm", "cm", "m", "in", "ft"] = "mm"
    active: str = ""
    values: Mapping[str, tuple[str, float]] = field(default_factory=dict)
    anchor: tuple[float, float, float] | None = None
    cameras: tuple[NamedCamera, ...] | None = None
    guides: tuple[Guide, ...] = ()
    recipes: Mapping[str, tuple[StepSettings, ...]] = field(default_factory=dict)
    group_recipes: Mapping[str, tuple[StepSettings, ...]] = field(default_factory=dict)
    symmetry: tuple[Literal["x", "y", "z"], float | None, tuple[int, int] | None] | None = None
    next_id: int = 1
    start_level: int = DEFAULT_LEVEL


def settings_of(document: Document) -> dict[str, Any]:
    """The document's settings, ready for JSON."""
    symmetry = document.symmetry
    # An automatic distance is written as none.
    typed = None if symmetry is None or isinstance(symmetry.tolerance, Automatic) else symmetry.tolerance
    return {
        "unit": document.unit,
        "active": document.active,
        "values": dict(document.values),
        "anchor": document.anchor,
        "cameras": [asdict(camera) for camera in document.cameras],
        "guides": [_guide_json(guide) for guide in document.guides],
        "recipes": {name: _steps_json(steps) for name, steps in document.recipes.items()},
        "group_recipes": {group: _steps_json(steps) for group, steps in document.group_recipes.items()},
        "symmetry": None if symmetry is None else [symmetry.axis, typed, symmetry.middle],
        "next_id": document.next_id,
        "start_level": document.start_level,
    }


def part_settings_of(part: Part) -> dict[str, Any]:
    """A part's settings, ready for JSON."""
    return {
        "level": part.level,
        "limit": part.limit,
        "locked": part.locked,
        "helper": part.helper,
        "accepted": dict(part.accepted),
        "group": part.group,
        "shared": part.shared,
        "attached": part.attached,
        "colour": part.colour,
        "opacity": part.opacity,
        "steps": _steps_json(part.steps),
    }


def read_settings(text: Any) -> Settings | None:
    """The settings of a stage's text, None where it has none. Raises FileError for damaged ones."""
    found = _json(text)
    if found is None:
        return None
    settings: Settings = checked(Settings, found, "its settings")
    for camera in settings.cameras or ():
        if not (camera.distance > 0 and 1 <= camera.field_of_view <= 150 and -90 <= camera.tilt <= 90):
            raise WrongValueError(f"its camera “{shortened(camera.name)}” looks from nowhere")
    for guide in settings.guides:
        if not (guide.width > 0 and 0 <= guide.opacity <= 1 and guide.crop in ("whole", "left", "right")):
            raise WrongValueError(f"its guide “{shortened(guide.name)}” has a size or look that cannot be")
    if settings.symmetry is not None and (settings.symmetry[1] or 0.0) < 0:
        raise WrongValueError("its symmetry has a tolerance below 0")
    if not 0 <= settings.start_level <= 6:
        raise WrongValueError("its level of new parts is none of 0 to 6")
    return settings


def document_of(settings: Settings) -> Document:
    """A document without parts with the settings."""
    symmetry = None
    if settings.symmetry is not None:
        axis, tolerance, middle = settings.symmetry
        symmetry = Symmetry(axis, TWINS_WITHIN if tolerance is None else tolerance, middle)
    names = unique_names([guide.name for guide in settings.guides])
    guides = tuple(replace(guide, name=name) for guide, name in zip(settings.guides, names, strict=True))
    return Document(
        unit=settings.unit,
        values=settings.values,
        anchor=settings.anchor,
        symmetry=symmetry,
        guides=guides,
        cameras=settings.cameras or (),
        recipes={name: steps_of(steps) for name, steps in settings.recipes.items()},
        group_recipes=_group_recipes(settings),
        next_id=max(1, settings.next_id),
        start_level=settings.start_level,
    )


def read_part_settings(text: Any) -> PartSettings:
    """The settings of a part's text, the defaults where it has none. Raises FileError for damaged ones."""
    settings: PartSettings = checked(PartSettings, _json(text) or {}, "its settings")
    if not 0 <= settings.level <= 6:
        raise WrongValueError(f"its level is 0 to 6, not {settings.level}")
    if settings.opacity is not None and not 0 <= settings.opacity <= 1:
        raise WrongValueError(f"its opacity is 0 to 1, not {settings.opacity:g}")
    return settings


def steps_of(recipe: Sequence[StepSettings]) -> tuple[Step, ...]:
    """The steps of a kept recipe. Raises FileError for a step that this version does not know or cannot read."""
    if len(recipe) > MOST_STEPS:
        raise WrongValueError(f"its recipe has {len(recipe):,} steps; {MOST_STEPS} are the most")
    steps = []
    for kept in recipe:
        try:
            values = REGISTRY[f"step_{kept.step}"].read(kept.parameters, Reading())
        except LevelLoopError as error:
            raise FileError(f"its recipe has a step that cannot be read: {error}") from error
        numbers = {parameter.name: values[parameter.name] for parameter in STEPS[kept.step].parameters}
        steps.append(Step(kept.step, numbers, kept.on))
    return tuple(steps)


# Helpers


def _group_recipes(settings: Settings) -> dict[str, tuple[Step, ...]]:
    found = {group: steps_of(steps) for group, steps in settings.group_recipes.items()}
    if any(not STEPS[step.key].in_groups for steps in found.values() for step in steps):
        raise WrongValueError("a group's recipe has a step that only a part's can have")
    return found


def _steps_json(steps: Sequence[Step]) -> list[dict[str, Any]]:
    return [{"step": step.key, "on": step.enabled, "parameters": _plain(step.parameters)} for step in steps]


def _plain(parameters: Mapping[str, Any]) -> dict[str, Any]:
    """Numbers as they are, automatic distances by their word: typed ones stay apart from them."""
    return {name: AUTOMATIC_WORD if isinstance(value, Automatic) else value for name, value in parameters.items()}


def _json(text: Any) -> dict[str, Any] | None:
    if not isinstance(text, str) or not text:
        return None
    if len(text) > LARGEST:
        raise WrongValueError("its settings are too large")
    try:
        found = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise WrongValueError("its settings are damaged") from error
    if not isinstance(found, dict):
        raise WrongValueError("its settings are damaged")
    return found


def _guide_json(guide: Guide) -> dict[str, Any]:
    """A guide as the settings keep it, its image in base 64."""
    kept = {one.name: getattr(guide, one.name) for one in fields(Guide)}
    kept["data"] = None if guide.data is None else base64.b64encode(guide.data).decode("ascii")
    return kept
