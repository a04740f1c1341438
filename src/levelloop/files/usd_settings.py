"""What a stage keeps of a document beside its parts: unit, named values, anchor, symmetry, guides, cameras, as JSON."""

from __future__ import annotations

import base64
import binascii
from dataclasses import asdict, fields
from typing import Any

from levelloop.document.cameras import NamedCamera
from levelloop.document.document import Document, Guide, Symmetry


def settings_of(document: Document) -> dict[str, Any]:
    """The document's settings, ready for JSON."""
    symmetry = document.symmetry
    return {
        "unit": document.unit,
        "active": document.active,
        "values": dict(document.values),
        "anchor": document.anchor,
        "cameras": [asdict(camera) for camera in document.cameras],
        "guides": [_guide_json(guide) for guide in document.guides],
        "symmetry": None if symmetry is None else [symmetry.axis, symmetry.tolerance, symmetry.middle],
    }


def document_of(settings: dict[str, Any]) -> Document:
    """A document without parts with the settings; what is missing or damaged has its default."""
    return Document(
        unit=str(settings.get("unit", "mm")),
        values={str(k): (str(v[0]), float(v[1])) for k, v in settings.get("values", {}).items()},
        **_anchor_and_symmetry(settings),
    )


# Helpers


def _anchor_and_symmetry(settings: dict[str, Any]) -> dict[str, Any]:
    """What of the two a stage's settings hold, as a document takes them."""
    result: dict[str, Any] = {}
    anchor, symmetry = settings.get("anchor"), settings.get("symmetry")
    if isinstance(anchor, list) and len(anchor) == 3:
        result["anchor"] = tuple(float(value) for value in anchor)
    if isinstance(symmetry, list) and len(symmetry) == 3 and symmetry[0] in ("x", "y", "z"):
        middle = symmetry[2]
        pair = (int(middle[0]), int(middle[1])) if isinstance(middle, list) and len(middle) == 2 else None
        result["symmetry"] = Symmetry(symmetry[0], float(symmetry[1]), pair)
    guides = settings.get("guides")
    if isinstance(guides, list):
        result["guides"] = tuple(_guide(entry) for entry in guides if isinstance(entry, dict))
    cameras = settings.get("cameras")
    if isinstance(cameras, list):
        result["cameras"] = tuple(_camera(entry) for entry in cameras if isinstance(entry, dict))
    return result


def _camera(entry: dict[str, Any]) -> NamedCamera:
    """A camera of the settings; what is damaged in it falls back to its default."""
    plain = NamedCamera("")
    values: dict[str, Any] = {}
    for field in fields(NamedCamera):
        value, default = entry.get(field.name), getattr(plain, field.name)
        if isinstance(default, tuple):
            fits = isinstance(value, list) and len(value) == len(default)
            values[field.name] = tuple(float(number) for number in value) if fits and value else default
        elif isinstance(default, float) and isinstance(value, int | float):
            values[field.name] = float(value)
        else:
            values[field.name] = value if isinstance(value, type(default)) else default
    return NamedCamera(**values)


def _guide_json(guide: Guide) -> dict[str, Any]:
    """A guide as the settings keep it, its image in base 64."""
    kept = {field.name: getattr(guide, field.name) for field in fields(Guide)}
    kept["data"] = None if guide.data is None else base64.b64encode(guide.data).decode("ascii")
    return kept


def _guide(entry: dict[str, Any]) -> Guide:
    """A guide of the settings; what is damaged in it falls back to its default."""
    plain = Guide("", "")
    values: dict[str, Any] = {}
    for field in fields(Guide):
        value = entry.get(field.name)
        default = getattr(plain, field.name)
        if field.name == "data":
            values["data"] = _image(value) if isinstance(value, str) else None
        elif field.name == "at":
            is_pair = isinstance(value, list) and len(value) == 2
            values["at"] = (float(value[0]), float(value[1])) if is_pair else default
        elif isinstance(default, float) and isinstance(value, int):
            values[field.name] = float(value)
        else:
            values[field.name] = value if isinstance(value, type(default)) else default
    return Guide(**values)


def _image(text: str) -> bytes | None:
    try:
        return base64.b64decode(text, validate=True)
    except binascii.Error:
        return None
