"""Parts taken apart, put together, copied: what changes more than one part at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Booleans, connected_labels, distinct, inverse_of, mask_of
from levelloop.core.edit.clean.flats import take_out_flats as joined_flats
from levelloop.core.edit.join.boolean import boolean
from levelloop.core.edit.join.weld import weld
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import add_curve
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit, carry, identity
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import NOTHING, Selection, faces_of, points_of, select_all
from levelloop.core.mesh.topology import Topology
from levelloop.core.select.runs import runs_of_selection
from levelloop.core.values import dataclass
from levelloop.core.words import counted
from levelloop.document.document import Document, new_part
from levelloop.document.part import Part
from levelloop.document.recipe.groups import is_within
from levelloop.document.running.middles import clipped, made_on_whole


@dataclass(frozen=True, eq=False)
class Change:
    """A changed document with its selections, and what was done where there is more to say."""

    document: Document
    selections: Mapping[str, Selection]
    message: str = ""


def combine(
    document: Document,
    selections: Mapping[str, Selection],
    parts: Sequence[str] | None = None,
    weld_within: float | None = None,
    name: str = "",
) -> Change:
    """Makes several parts one, the first of them, in its place; all visible and unlocked ones where none are named.

    weld_within: mm, points within that distance become one; None: none do.
    """
    named = [document.by_name(part) for part in parts or ()]
    shown = [part for part in document.parts if part.visible and not part.locked]
    chosen = list({part.id: part for part in (named if parts else shown)}.values())
    if len(chosen) < 2:
        raise EditError("To combine, name at least two parts.")
    for part in chosen:
        if part.locked:
            raise EditError(f"“{part.name}” is locked.")
    first = chosen[0]
    baked = [part.name for part in chosen if part.steps]
    # The first one's groups go on working on what becomes of it.
    seen = [part.seen_from(first.group) for part in chosen]
    mesh = combined([seen[0].stepped, *(part.in_space_of(first) for part in seen[1:])])
    told = ""
    if weld_within is not None:
        edit = weld(mesh, select_all(mesh.topology, "points"), weld_within)
        mesh, told = edit.mesh, edit.message
    if baked:
        names = " and ".join(f"“{part}”" for part in baked)
        told = f"The recipe of {names} was made plain. {told}".strip()
    for part in chosen[1:]:
        document = document.without(part.id)
    document = replace(
        document.with_part(replace(first, mesh=mesh, name=name or first.name, steps=())), active=first.id
    )
    return Change(document, {}, told)


def detach(document: Document, selections: Mapping[str, Selection], by: str = "selection", name: str = "") -> Change:
    """Takes faces out of the active part into parts of their own.

    by: "selection": the selected ones; "connected": each connected piece; "material": each material. The copies
    keep the part's place, level and tags; the last one becomes active.
    """
    part = _unlocked(document.part)
    mesh = part.mesh
    if by == "selection":
        inside = _selected_faces(part, selections)
        if inside is None:
            raise EditError("To detach, select faces.")
        if inside.all():
            raise EditError("All faces are selected; there would be nothing left to detach from.")
        groups = [inside]
    elif by == "connected":
        _, label = connected_labels(mesh.topology.edges, mesh.n_points)
        of_face = label[mesh.topology.corners[mesh.topology.face_offsets[:-1]]]
        groups = [of_face == one for one in distinct(of_face)[1:]]
        if not groups:
            raise EditError(f"“{part.name}” is one connected piece; there is nothing to detach.")
    else:
        groups = [mesh.material == one for one in distinct(mesh.material)[1:]]
        if not groups:
            raise EditError(f"“{part.name}” has one material only; there is nothing to detach.")
    rest = ~np.logical_or.reduce(groups)
    document = document.with_part(replace(part, mesh=_only(mesh, rest), shared=""))
    for inside in groups:
        piece = _only(mesh, inside)
        known = mesh.materials[int(mesh.material[inside][0])] if by == "material" else f"{part.name} piece"
        own = new_part(document, piece, name or known)
        document = document.with_part(_like(own, part))
    return Change(document, {}, f"{counted(len(groups), 'new part')}.")


def duplicate(
    document: Document, selections: Mapping[str, Selection], new_part_: bool = True, name: str = ""
) -> Change:
    """Copies the selected faces, or the whole active part where none are selected.

    new_part_: the copy is a part of its own and becomes active; else it lies in the same part and is selected.
    """
    part = document.part
    mesh = part.mesh
    inside = _selected_faces(part, selections)
    copy = mesh if inside is None or inside.all() else _only(mesh, inside)
    if new_part_:
        own = new_part(document, copy, name or f"{part.name} copy")
        return Change(document.with_part(_like(own, part)), {})
    _unlocked(part)
    both = combined([mesh, copy])
    chosen = Selection("faces", np.arange(mesh.n_faces, both.n_faces))
    return Change(document.with_part(replace(part, mesh=both)), {part.id: chosen})


def boolean_parts(
    document: Document,
    selections: Mapping[str, Selection],
    kind: str = "union",
    other: str | None = None,
    clean: bool = True,
    keep_other: bool = False,
) -> Change:
    """The active part united with another, without it, or what both share; the other one goes unless it is kept."""
    part = _unlocked(document.part)
    if not other:
        raise EditError("Name the other part of the boolean.")
    second = document.by_name(other)
    if second.id == part.id:
        raise EditError("A boolean needs another part than the active one.")
    if not keep_other:
        _unlocked(second)
    cutter = second.in_space_of(part)

    def made(whole: Mesh, with_images: Callable[[Mesh], Mesh]) -> Edit:
        return boolean(whole, with_images(cutter), kind, clean, second.name)  # type: ignore[arg-type]

    edit = made_on_whole(part, made) or made(part.mesh, lambda mesh: mesh)
    document = document.with_part(replace(part, mesh=edit.mesh))
    if not keep_other:
        document = replace(document.without(second.id), active=part.id)
    return Change(document, {part.id: edit.selection}, edit.message)


def bake(
    document: Document, selections: Mapping[str, Selection], level: int | None = None, take_out_flats: bool = False
) -> Change:
    """The active part's cage replaced by what its recipe and smoothing make of it at a level, its own where not given.

    take_out_flats: faces that lie flat beside each other become one.
    """
    part = _unlocked(document.part)
    wanted = part.level if level is None else level
    # What its groups make of it, they make of the baked one.
    mesh = part.seen_from(part.group).result(wanted)
    told = f"{counted(mesh.n_faces, 'face')} now"
    if take_out_flats:
        try:
            mesh = joined_flats(mesh, NOTHING).mesh
            told += f", {counted(mesh.n_faces, 'face')} after flats were taken out"
        except EditError:
            told += ", none of them flat beside each other"
    gone = [name for name, there in (("its recipe", bool(part.steps)), ("creases", bool(mesh.creases.any()))) if there]
    told += f"; {' and '.join(['smoothing', *gone])} will no longer update it."
    plain = replace(mesh, crease_sharpness=np.zeros(mesh.n_edges), corner_sharpness=np.zeros(mesh.n_points))
    changed = replace(part, mesh=as_cage(plain), steps=(), level=0, limit=False)
    kept = {key: chosen for key, chosen in selections.items() if key != part.id}
    return Change(document.with_part(changed), kept, told)


def as_cage(mesh: Mesh) -> Mesh:
    """The mesh with connectivity of its own, not as that of the one it was smoothed from."""
    topology = Topology.derived(mesh.topology.face_offsets, mesh.topology.corners, mesh.n_points)
    same = identity(mesh)
    return carry(mesh, topology, mesh.points, same.points, same.faces, corner_origin=np.arange(topology.n_corners))[0]


def clip(document: Document, selections: Mapping[str, Selection]) -> Change:
    """What lies beyond the planes of the active part's mirror step taken off its cage."""
    part = _unlocked(document.part)
    edit = clipped(part)
    return Change(document.with_part(replace(part, mesh=edit.mesh)), {**selections, part.id: NOTHING}, edit.message)


def curve_from_edges(document: Document, selections: Mapping[str, Selection], name: str = "") -> Change:
    """A curve part from a run of selected edges."""
    part = document.part
    selection = selections.get(part.id)
    if selection is None or selection.kind != "edges" or len(selection) == 0:
        raise EditError("To make a curve, select a run of edges.")
    runs = runs_of_selection(part.mesh, selection)
    if len(runs) != 1:
        raise EditError(f"A curve is one run of edges; these are {len(runs)}.")
    places = part.to_world(part.mesh).points[runs[0].points]
    own = new_part(document, add_curve(places, "straight", runs[0].closed), name or f"{part.name} curve")
    return Change(document.with_part(own), {})


def instance(document: Document, selections: Mapping[str, Selection], name: str = "") -> Change:
    """A part that shares the active part's cage: edits of one show in all; each has its own place."""
    part = document.part
    shared = part.shared or part.id
    document = document.with_part(replace(part, shared=shared))
    own = new_part(document, part.mesh, name or f"{part.name} instance")
    return Change(document.with_part(replace(_like(own, part), shared=shared)), {})


def attach(document: Document, selections: Mapping[str, Selection], to: str | None = None) -> Change:
    """Attaches the active part to another, so that it moves with it; None sets it free."""
    part = document.part
    if not to:
        return Change(document.with_part(replace(part, attached="")), selections)
    other = document.by_name(to)
    above = other
    while True:
        if above.id == part.id:
            raise EditError(f"“{other.name}” moves with “{part.name}” already; it cannot be the other way round too.")
        if not above.attached:
            break
        above = document.by_id(above.attached)
    return Change(document.with_part(replace(part, attached=other.id)), selections)


def paste(document: Document, selections: Mapping[str, Selection], copied: Part, into: bool = True) -> Change:
    """Puts a copied piece into the active part, where it becomes selected, or into a part of its own."""
    if not into or not document.parts:
        own = new_part(document, copied.mesh, copied.name)
        return Change(document.with_part(_like(own, copied)), {})
    part = _unlocked(document.part)
    both = combined([part.mesh, copied.in_space_of(part)])
    chosen = Selection("faces", np.arange(part.mesh.n_faces, both.n_faces))
    return Change(document.with_part(replace(part, mesh=both)), {part.id: chosen})


def copied(document: Document, selections: Mapping[str, Selection]) -> Part:
    """The selected faces of the active part as a part of no document, or all of it. Raises EditError for none."""
    part = document.part
    inside = _selected_faces(part, selections)
    if inside is None:
        return part
    return replace(part, mesh=_only(part.mesh, inside), shared="", attached="", steps=())


def remove_part(document: Document, selections: Mapping[str, Selection], part: str | None = None) -> Change:
    """Takes a part out of the document, the active one where none is named."""
    gone = document.by_name(part) if part else document.part
    return Change(document.without(gone.id), {key: value for key, value in selections.items() if key != gone.id})


# Helpers


def _unlocked(part: Part) -> Part:
    if part.locked:
        raise EditError(f"“{part.name}” is locked.")
    return part


def _selected_faces(part: Part, selections: Mapping[str, Selection]) -> Booleans | None:
    """The selected faces of a part: (m,), None where nothing is selected. Raises EditError for less than a face."""
    selection = selections.get(part.id)
    if selection is None or len(selection) == 0:
        return None
    inside = mask_of(faces_of(part.mesh.topology, selection), part.mesh.n_faces)
    if not inside.any():
        raise EditError("The selection holds no whole face.")
    return inside


def _only(mesh: Mesh, inside: Booleans) -> Mesh:
    """Some faces with the points they use, and of the materials those they have."""
    topology = mesh.topology
    loose = np.ones(mesh.n_points, dtype=np.bool_)
    loose[points_of(topology, Selection("faces", np.flatnonzero(inside)))] = False
    piece = drop_faces(mesh, ~inside, keep_unattached=False, drop_points=loose)[0]
    used = distinct(piece.material[piece.material >= 0])
    number = np.append(inverse_of(used, len(piece.materials)), -1)  # −1 reads the spare last entry
    return replace(piece, material=number[piece.material], materials=tuple(piece.materials[i] for i in used.tolist()))


def _like(own: Part, part: Part) -> Part:
    """A new part that stands, is made and is smoothed as another."""
    return replace(
        own, level=part.level, limit=part.limit, transform=part.transform, group=part.group, steps=part.steps
    )


# Groups and order in the list


def grouped(document: Document) -> list[tuple[Part | None, str]]:
    """The parts as a list shows them, each group's path, with None for the part, before what is in it.

    A group stands where its first part stands in the document; what is in it follows in the document's order.
    """
    rows: list[tuple[Part | None, str]] = []

    def list_level(parts: list[Part], path: str) -> None:
        done: set[str] = set()
        depth = path.count("/") + 1 if path else 0
        for part in parts:
            names = part.group.split("/") if part.group else []
            if len(names) == depth:
                rows.append((part, part.group))
                continue
            inner = "/".join(names[: depth + 1])
            if inner not in done:
                done.add(inner)
                rows.append((None, inner))
                list_level([other for other in parts if is_within(other.group, inner)], inner)

    list_level(list(document.parts), "")
    return rows


def in_group(document: Document, group: str) -> list[Part]:
    """All parts of a group and of the groups in it."""
    return [part for part in document.parts if is_within(part.group, group)]


def moved_in_list(document: Document, part_id: str, before: str | None, group: str) -> Document:
    """The document with a part in a group, before another part of the list, or last."""
    part = replace(document.by_id(part_id), group=group)
    parts = [other for other in document.parts if other.id != part_id]
    place = next((n for n, other in enumerate(parts) if other.id == before), len(parts))
    return replace(document, parts=(*parts[:place], part, *parts[place:]))


def rename_group(document: Document, group: str, name: str) -> Document:
    """The document with a group called otherwise; groups in it go with it."""
    return regrouped(document, group, "/".join((*group.split("/")[:-1], name)))


def regrouped(document: Document, group: str, path: str) -> Document:
    """The document with a group at another path, with its recipe and the groups in it.

    Where there is such a group already, the two become one; the recipe of the one that was there stays.
    """

    def there(name: str) -> str:
        return path + name[len(group) :] if is_within(name, group) else name

    parts = tuple(
        replace(part, group=there(part.group)) if is_within(part.group, group) else part for part in document.parts
    )
    recipes = {there(name): steps for name, steps in document.group_recipes.items() if is_within(name, group)}
    others = {name: steps for name, steps in document.group_recipes.items() if not is_within(name, group)}
    return replace(document, parts=parts, group_recipes={**recipes, **others})


def show_group(document: Document, group: str, shown: bool) -> Document:
    """The document with all parts of a group shown or hidden."""
    parts = tuple(replace(part, visible=shown) if is_within(part.group, group) else part for part in document.parts)
    return replace(document, parts=parts)
