"""UV on a stage: what is worked on and what is kept beside it, each under its name."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, unique_rows
from levelloop.core.mesh.mesh import UV_NAME, Mesh, UVSet
from levelloop.core.mesh.topology import Topology
from levelloop.document.document import unique_names
from levelloop.files.errors import FileError

MOST_KEPT = 15
# What the stage has for us alone of each set: its digits, and with an ending its name and what it is called there.
_ATTRIBUTES = ("uv", *(f"uvSet{number}" for number in range(MOST_KEPT)))


def write_uv(geometry: Any, mesh: Mesh) -> None:
    """Writes all UV of a mesh as texture coordinates that any reader knows."""
    if mesh.uv is not None:
        _write(geometry, _ATTRIBUTES[0], mesh.uv_name, mesh.uv)
    for own, kept in zip(_ATTRIBUTES[1:], mesh.uv_sets, strict=False):
        _write(geometry, own, kept.name, kept.uv)


def read_uv(geometry: Any, topology: Topology, values: Callable[..., Any]) -> dict[str, Any]:
    """The stage's texture coordinates for each corner, as a mesh has them.

    What is worked on is what was when we saved it; else UV_NAME where there is one, else the first such.
    """
    from pxr import Sdf, UsdGeom

    kinds = (Sdf.ValueTypeNames.TexCoord2fArray, Sdf.ValueTypeNames.Float2Array, Sdf.ValueTypeNames.TexCoord2dArray)
    prim = geometry.GetPrim()
    # Our own name and digits of each, by what the stage calls it; the one that is worked on comes first.
    known = [own for own in _ATTRIBUTES if _own(prim, own) is not None]
    ours = {str(_own(prim, f"{own}Primvar", UV_NAME)): own for own in reversed(known)}
    order = {called: number for number, called in enumerate(reversed(ours))}
    named = {primvar.GetPrimvarName(): primvar for primvar in UsdGeom.PrimvarsAPI(geometry).GetPrimvars()}
    found: list[UVSet] = []
    for called in sorted(named, key=lambda name: (order.get(name, len(order)), name != UV_NAME)):
        primvar = named[called]
        if primvar.GetTypeName() not in kinds or len(found) == len(_ATTRIBUTES):
            continue
        table = np.array(primvar.ComputeFlattened() or [], dtype=np.float64).reshape(-1, 2)
        if not np.isfinite(table).all():
            raise FileError("its UV has a number that is not finite.")
        if primvar.GetInterpolation() == UsdGeom.Tokens.faceVarying and len(table) == topology.n_corners:
            uv = table
        elif primvar.GetInterpolation() in ("vertex", "varying") and len(table) == topology.n_points:
            uv = table[topology.corners]
        else:
            continue
        own = ours.get(called, "")
        exact = values(prim.GetAttribute(f"levelloop:{own}"), np.float64).reshape(-1, 2)
        fits = exact.shape == uv.shape and np.array_equal(exact.astype(np.float32), uv.astype(np.float32))
        found.append(UVSet(str(_own(prim, f"{own}Name", called)), np.array(exact if fits else uv)))
    if not found:
        return {}
    names = unique_names([one.name for one in found])
    kept = tuple(UVSet(name, one.uv) for name, one in zip(names[1:], found[1:], strict=True))
    return {"uv": found[0].uv, "uv_name": names[0], "uv_sets": kept}


def identifier(name: str) -> str:
    """A name as a stage may have it."""
    plain = re.sub(r"\W", "_", name, flags=re.ASCII)
    return plain if plain[:1].isalpha() else f"m_{plain}"


# Helpers


def _write(geometry: Any, own: str, name: str, uv: Floats) -> None:
    from pxr import Sdf, UsdGeom, Vt

    unique, indices = unique_rows(uv)
    primvars, prim = UsdGeom.PrimvarsAPI(geometry), geometry.GetPrim()
    called = identifier(name)
    while primvars.HasPrimvar(called):
        called += "_"
    made = primvars.CreatePrimvar(called, Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
    made.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(unique, dtype=np.float32)))
    made.SetIndices(Vt.IntArray.FromNumpy(np.ascontiguousarray(indices, dtype=np.int32)))
    # As with points: single precision for everybody, our own digits beside it.
    digits = Vt.Vec2dArray.FromNumpy(np.ascontiguousarray(uv))
    for attribute, kind, value in (
        (own, Sdf.ValueTypeNames.Double2Array, digits),
        (f"{own}Primvar", Sdf.ValueTypeNames.Token, called),
        (f"{own}Name", Sdf.ValueTypeNames.String, name),
    ):
        prim.CreateAttribute(f"levelloop:{attribute}", kind, custom=True).Set(value)


def _own(prim: Any, name: str, default: Any = None) -> Any:
    """A value that the stage has for us alone."""
    attribute = prim.GetAttribute(f"levelloop:{name}")
    found = attribute.Get() if attribute else None
    return default if found is None else found
