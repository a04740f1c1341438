"""How steps run: operations on all that a part has come to, or on a named set of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from levelloop.core.arrays import Floats
from levelloop.core.edit.build.sweeping import follow_pipe, sweep
from levelloop.core.edit.hold.hold import hold
from levelloop.core.edit.join.boolean import Kind as Way
from levelloop.core.edit.join.boolean import boolean
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import path_of
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.mesh.selection import NOTHING, Kind, Selection, convert, select_all
from levelloop.core.recipe.along import sweep_profile


def edges_of_set(mesh: Mesh, set: str) -> Selection:
    """The edges of a named set. Raises EditError where it is not there, or empty."""
    named = next((one for one in mesh.sets if one.name == set), None)
    if named is None:
        raise EditError(f"There is no set “{set}”; keep the edges that it should hold under that name.")
    edges = convert(mesh.topology, Selection(named.kind, named.indices), "edges")
    if len(edges) == 0:
        raise EditError(f"The set “{set}” is empty.")
    return edges


def on_all(run: Callable[..., Edit]) -> Callable[..., Edit]:
    """An operation run on everything there is."""

    def run_on(mesh: Mesh, **parameters: Any) -> Edit:
        return run(mesh, NOTHING, **parameters)

    return run_on


def on_profile(run: Callable[..., Edit]) -> Callable[..., Edit]:
    """An operation run on all faces, or on all edges of a part that is a line."""

    def run_on(mesh: Mesh, **parameters: Any) -> Edit:
        return run(mesh, select_all(mesh.topology, "faces" if mesh.n_faces else "edges"), **parameters)

    return run_on


def hold_set(mesh: Mesh, set: str = "", **parameters: Any) -> Edit:
    """Edges of a named set held."""
    # A step only adds: what it would move belongs to the cage.
    return hold(mesh, edges_of_set(mesh, set), moves=False, **parameters)


def swept(mesh: Mesh, curve: Mesh | None, profile: Mesh | None, steps: int, sides: int, caps: str, even: bool) -> Edit:
    """Along a curve, or the part's own wires: a profile, or a circle by the curve's radii."""
    if profile is None:
        return sweep(mesh, NOTHING, curve, steps, sides, caps, even)
    if curve is None and not len(mesh.topology.wires):
        raise EditError("A sweep needs a curve: name a part, or give this one wires.")
    path = path_of(mesh if curve is None else curve)
    return sweep_profile(mesh, path, path.places(path.spans * steps, even), path_of(profile), caps)


def follow_swept(
    before: Mesh, edit: Edit, mesh: Mesh, curve: Mesh | None, profile: Mesh | None, **numbers: Any
) -> Floats | None:
    """A round sweep's points, where nothing but points has moved."""
    return follow_pipe(mesh, curve, **numbers) if profile is None else None


def on_every(kind: Kind, run: Callable[..., Edit]) -> Callable[..., Edit]:
    """An operation run on all elements of a kind, hidden ones too."""

    def run_on(mesh: Mesh, **parameters: Any) -> Edit:
        return run(mesh, select_all(mesh.topology, kind), **parameters)

    return run_on


def cut_by(mesh: Mesh, other: Mesh, kind: Way) -> Edit:
    """A boolean with another part. Raises EditError where that is nothing."""
    if other.n_faces == 0:
        raise EditError("the part it takes has no faces.")
    return boolean(mesh, other, kind)


def rounds(parameters: Mapping[str, Any]) -> float:
    """How many times as many faces a profile becomes that is turned in steps."""
    return max(float(parameters["steps"]) * abs(float(parameters.get("turns", 1.0))), 1.0)
