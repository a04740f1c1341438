"""Materials: what surfaces are made of, in the words of UsdPreviewSurface; the shipped ones under plain names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from levelloop.core.errors import EditError
from levelloop.core.values import dataclass
from levelloop.core.words import shortened

if TYPE_CHECKING:
    from levelloop.document.document import Document


@dataclass(frozen=True)
class Material:
    """A material. colour: #RRGGBB as it is seen; roughness, metalness, opacity: 0…1; refraction: its index; glow: how
    many times its colour it sends out; image: the path of a picture of its colour, empty for none.
    """

    name: str
    colour: str = "#D3CABB"
    roughness: float = 0.5
    metalness: float = 0.0
    opacity: float = 1.0
    refraction: float = 1.5
    glow: float = 0.0
    image: str = ""


SHIPPED: tuple[Material, ...] = (
    Material("clay", "#D3CABB", 0.85),
    Material("lacquer", "#7A1F1B", 0.08),
    Material("brushed steel", "#B9BCC0", 0.38, 1.0),
    Material("brass", "#C9A24B", 0.22, 1.0),
    Material("copper", "#B8714B", 0.25, 1.0),
    Material("glass", "#F2F6F5", 0.02, 0.0, 0.12, 1.52),
    Material("rubber", "#2B2B2D", 0.75),
    Material("wood", "#9A6B3F", 0.55),
    Material("cloth", "#8C93A3", 0.95),
    Material("paper", "#EFEBE0", 0.9),
    Material("honey", "#D98E12", 0.05, 0.0, 0.6, 1.49),
    Material("wax", "#E6C36A", 0.4, 0.0, 0.95, 1.44),
)


def material_named(materials: Sequence[Material], name: str) -> Material:
    """A document's material, a shipped one, or a plain one of that name."""
    known = (one for one in (*materials, *SHIPPED) if one.name == name)
    return next(known, Material(name))


def with_material(
    document: Document,
    name: str,
    colour: str | None = None,
    roughness: float | None = None,
    metalness: float | None = None,
    opacity: float | None = None,
    refraction: float | None = None,
    glow: float | None = None,
    image: str | None = None,
    rename: str | None = None,
) -> Document:
    """The document with a material made or changed; None leaves what it was, or what the shipped one of its name is.

    rename: its other name, also where faces have it. Raises EditError without a name, or where the other is taken.
    """
    if not name:
        raise EditError("A material has a name.")
    given = {
        "colour": colour,
        "roughness": roughness,
        "metalness": metalness,
        "opacity": opacity,
        "refraction": refraction,
        "glow": glow,
        "image": image,
    }
    changes = {key: value for key, value in given.items() if value is not None}
    changed = replace(material_named(document.materials, name), **changes)  # type: ignore[arg-type]
    if rename:
        used = {one for part in document.parts for one in part.mesh.materials} | {
            one.name for one in document.materials
        }
        if rename != name and rename in used:
            raise EditError(f"There is a material “{shortened(rename)}” already.")
        changed = replace(changed, name=rename)
        parts = tuple(
            replace(part, mesh=replace(part.mesh, materials=_renamed(part.mesh.materials, name, rename)))
            if name in part.mesh.materials
            else part
            for part in document.parts
        )
        document = replace(document, parts=parts)
    if any(one.name == name for one in document.materials):
        materials = tuple(changed if one.name == name else one for one in document.materials)
    else:
        materials = (*document.materials, changed)
    return replace(document, materials=materials)


def without_material(document: Document, name: str) -> Document:
    """The document without a material; faces that had it have none. Raises EditError where none is called so."""
    used = any(name in part.mesh.materials for part in document.parts)
    if not used and all(one.name != name for one in document.materials):
        raise EditError(f"There is no material “{shortened(name)}” in this document.")
    for part in document.parts:
        if name in part.mesh.materials:
            number = part.mesh.materials.index(name)
            numbers = part.mesh.material.copy()
            numbers[part.mesh.material == number] = -1
            numbers[part.mesh.material > number] -= 1
            names = tuple(one for one in part.mesh.materials if one != name)
            document = document.with_part(replace(part, mesh=replace(part.mesh, material=numbers, materials=names)))
    return replace(document, materials=tuple(one for one in document.materials if one.name != name))


def _renamed(names: Sequence[str], old: str, new: str) -> tuple[str, ...]:
    return tuple(new if one == old else one for one in names)
