"""Several sets of UV of one mesh: one is worked on and shown, the others are kept with it."""

from __future__ import annotations

from dataclasses import replace

from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import UV_NAME, Mesh, UVSet
from levelloop.core.mesh.origins import Edit, identity
from levelloop.core.mesh.selection import Selection
from levelloop.core.words import shortened


def use_uv_set(mesh: Mesh, selection: Selection, name: str = "") -> Edit:
    """Works on another set of UV from now on; the one so far is kept. A name that is new is given to a copy of it.

    Raises EditError without a name, or for the one that is worked on already.
    """
    wanted = name.strip()
    if not wanted:
        raise EditError(f"A UV set has a name; there {_listed(mesh)}.")
    if wanted == mesh.uv_name and mesh.uv is not None:
        raise EditError(f"“{shortened(wanted)}” is the UV that is worked on already.")
    found = next((kept for kept in mesh.uv_sets if kept.name == wanted), None)
    others = tuple(kept for kept in mesh.uv_sets if kept is not found)
    if mesh.uv is not None:
        others = (*others, UVSet(mesh.uv_name, mesh.uv))
    if found is None and mesh.uv is None:
        raise EditError("There is no UV yet to be called so; unwrap it first.")
    uv = mesh.uv if found is None else found.uv
    told = "" if found is not None else f"“{shortened(wanted)}” begins as a copy of “{shortened(mesh.uv_name)}”."
    return Edit(replace(mesh, uv=uv, uv_name=wanted, uv_sets=others), selection, identity(mesh), told)


def drop_uv_set(mesh: Mesh, selection: Selection, name: str = "") -> Edit:
    """Keeps a set of UV no longer; where it was worked on, the first of the others is from now on.

    Raises EditError for one that is not there.
    """
    wanted = name.strip()
    others = tuple(kept for kept in mesh.uv_sets if kept.name != wanted)
    if wanted == mesh.uv_name and mesh.uv is not None:
        first = others[0] if others else UVSet(UV_NAME, mesh.uv)
        uv = first.uv if others else None
        return Edit(replace(mesh, uv=uv, uv_name=first.name, uv_sets=others[1:]), selection, identity(mesh))
    if len(others) == len(mesh.uv_sets):
        raise EditError(f"There is no UV set “{shortened(wanted)}”; there {_listed(mesh)}.")
    return Edit(replace(mesh, uv_sets=others), selection, identity(mesh))


def _listed(mesh: Mesh) -> str:
    names = [*([mesh.uv_name] if mesh.uv is not None else []), *(kept.name for kept in mesh.uv_sets)]
    quoted = [f"“{shortened(name)}”" for name in names]
    return "is none" if not quoted else f"is {quoted[0]}" if len(quoted) == 1 else f"are {', '.join(quoted)}"
