"""Edits of one line: delete, flip, crease, corner sharpness, material."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from levelloop.core.arrays import distinct, mask_of
from levelloop.core.edit.hold.hold import told_radius
from levelloop.core.errors import EditError
from levelloop.core.mesh.directions import flipped, flipped_faces
from levelloop.core.mesh.faces import edge_folds, second_diagonal
from levelloop.core.mesh.mesh import (
    SHARPNESS_NEVER_FADES,
    Boundary,
    CreaseRule,
    Mesh,
    NamedSet,
    Scheme,
    TriangleRule,
    UVRule,
)
from levelloop.core.mesh.origins import Edit, identity, mapped
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.mesh.selection import Selection, edges_of
from levelloop.core.words import counted

NO_FACES = np.zeros(0, dtype=np.int64)


def delete(mesh: Mesh, selection: Selection, keep_unattached: bool = False) -> Edit:
    """Removes selected faces, or every face at selected edges or points.

    Points that no face needs any more go too, unless keep_unattached. Selected after: nothing. Raises EditError
    where nothing is selected.
    """
    topology = mesh.topology
    if len(selection) == 0:
        raise EditError("Nothing is selected to delete.")
    gone = np.zeros(mesh.n_faces, dtype=np.bool_)
    drop_points = drop_edges = None
    if selection.kind == "faces":
        gone[selection.indices] = True
    elif selection.kind == "edges":
        drop_edges = selection.mask(topology)
        gone[topology.corner_face[drop_edges[topology.corner_edge]]] = True
    else:
        drop_points = mask_of(selection.indices, mesh.n_points)
        gone[topology.corner_face[drop_points[topology.corners]]] = True
    new_mesh, origin = drop_faces(mesh, gone, keep_unattached, drop_points, drop_edges)
    return Edit(new_mesh, Selection(selection.kind, np.zeros(0, dtype=np.int64)), origin)


def flip(mesh: Mesh, selection: Selection) -> Edit:
    """Turns the selected faces, or all where none are selected, to face the other way.

    Raises EditError for points or edges.
    """
    topology = mesh.topology
    if selection.kind != "faces" and len(selection):
        raise EditError("To flip, select faces, or nothing to flip them all.")
    turned = selection.mask(topology) if len(selection) else np.ones(mesh.n_faces, dtype=np.bool_)
    new_mesh, origin = flipped(mesh, turned)
    return Edit(new_mesh, mapped(selection, origin), origin)


def face_outward(mesh: Mesh, selection: Selection) -> Edit:
    """Turns the selected faces, or all, outward: by the volume that their piece encloses.

    Sheets that enclose nothing have no outside; their faces are made to agree, as most of their area faces. Raises
    EditError for points or edges.
    """
    if selection.kind != "faces" and len(selection):
        raise EditError("To face outward, select faces, or nothing for all.")
    turned, vague = flipped_faces(mesh)
    chosen = selection.mask(mesh.topology) if len(selection) else np.ones(mesh.n_faces, dtype=np.bool_)
    turned &= chosen
    sheets = len(distinct(mesh.topology.sheet_label[vague & chosen]))
    no_outside = f"{counted(sheets, 'open piece has', 'open pieces have')} no outside." if sheets else ""
    if not turned.any():
        rest = "All other faces face outward already." if sheets else "All faces face outward already."
        told = f"{no_outside} {rest if not (vague | ~chosen).all() else ''}".strip()
        return Edit(mesh, selection, identity(mesh), told)
    new_mesh, origin = flipped(mesh, turned)
    message = f"{counted(int(turned.sum()), 'face was', 'faces were')} turned outward. {no_outside}".strip()
    return Edit(new_mesh, mapped(selection, origin), origin, message)


def turn_diagonal(mesh: Mesh, selection: Selection) -> Edit:
    """Splits the selected quads along their other diagonal where they are split into triangles.

    Raises EditError where no quad is selected.
    """
    topology = mesh.topology
    quads = selection.indices[topology.face_sizes[selection.indices] == 4] if selection.kind == "faces" else NO_FACES
    if len(quads) == 0:
        raise EditError("To turn diagonals, select quads; other faces have none to turn.")
    diagonal = mesh.diagonal.copy()
    diagonal[quads] = np.where(second_diagonal(topology, mesh.points, quads, mesh.diagonal), 1, 2)
    return Edit(replace(mesh, diagonal=diagonal), selection, identity(mesh))


def seam(mesh: Mesh, selection: Selection, on: bool = True) -> Edit:
    """Makes the selected edges seams, where UV islands end, or no seams.

    Raises EditError for anything but edges.
    """
    if selection.kind != "edges" or len(selection) == 0:
        raise EditError("To set seams, select edges.")
    seams = mesh.seams.copy()
    seams[selection.indices] = on
    return Edit(replace(mesh, seam=seams), selection, identity(mesh))


def keep_set(mesh: Mesh, selection: Selection, name: str) -> Edit:
    """Keeps the selection under a name; nothing selected takes the name away.

    Raises EditError without a name, or where nothing is selected.
    """
    if not name:
        raise EditError("A set needs a name.")
    others = tuple(named for named in mesh.sets if named.name != name)
    if len(selection) == 0 and len(others) == len(mesh.sets):
        raise EditError(f"Nothing is selected to keep as “{name}”.")
    kept = (NamedSet(name, selection.kind, selection.indices),) if len(selection) else ()
    return Edit(replace(mesh, sets=others + kept), selection, identity(mesh))


def hide(mesh: Mesh, selection: Selection, rest: bool = False) -> Edit:
    """Hides the selected faces, or all faces at selected edges or points; rest: all others instead.

    Raises EditError where nothing is selected.
    """
    topology = mesh.topology
    if len(selection) == 0:
        raise EditError("Nothing is selected to hide.")
    if selection.kind == "faces":
        chosen = selection.mask(topology)
    else:
        chosen = np.zeros(mesh.n_faces, dtype=np.bool_)
        if selection.kind == "edges":
            chosen[topology.corner_face[selection.mask(topology)[topology.corner_edge]]] = True
        else:
            chosen[topology.corner_face[selection.mask(topology)[topology.corners]]] = True
    hidden = mesh.hidden | (~chosen if rest else chosen)
    kept = selection if rest else Selection(selection.kind, NO_FACES)
    return Edit(replace(mesh, hidden=hidden), kept, identity(mesh))


def show_all(mesh: Mesh, selection: Selection) -> Edit:
    """Shows every hidden face again."""
    number = int(mesh.hidden.sum())
    told = f"{number} {'face' if number == 1 else 'faces'} shown again." if number else "Nothing was hidden."
    return Edit(replace(mesh, hidden=np.zeros(mesh.n_faces, dtype=np.bool_)), selection, identity(mesh), told)


def crease(mesh: Mesh, selection: Selection, weight: float) -> Edit:
    """Gives the selected edges, or the edges of selected faces, a crease weight; 0 takes it away, 10 never fades.

    Says with which radius they turn on the limit surface then. Raises EditError for anything but edges.
    """
    if len(selection) == 0 or selection.kind == "points":
        raise EditError("To crease, select edges; for points, sharpen them.")
    sharpness = mesh.creases.copy()
    edges = edges_of(mesh.topology, selection)
    sharpness[edges] = weight
    return Edit(mesh.with_creases(sharpness), selection, identity(mesh), told_radius(mesh, edges, weight))


def sharpen_points(mesh: Mesh, selection: Selection, weight: float) -> Edit:
    """Gives the selected points a sharpness of their own; 0 takes it away, 10 never fades.

    Raises EditError for anything but points.
    """
    if selection.kind != "points" or len(selection) == 0:
        raise EditError("To sharpen, select points.")
    sharpness = mesh.corner_sharpness.copy()
    sharpness[selection.indices] = min(weight, SHARPNESS_NEVER_FADES)
    new_mesh = replace(mesh, corner_sharpness=sharpness)
    return Edit(new_mesh, selection, identity(mesh))


def shade(mesh: Mesh, selection: Selection, kind: str = "angle", angle: float = 20.0) -> Edit:
    """Shades a cage hard or soft over the selected edges, those of selected faces, or all, where it is not smoothed.

    kind: "hard", "soft", or "angle": soft where the faces fold by at most an angle, degrees, hard elsewhere. Raises
    EditError for points.
    """
    if selection.kind == "points" and len(selection):
        raise EditError("To shade, select edges or faces, or nothing for all.")
    chosen = edges_of(mesh.topology, selection) if len(selection) else np.arange(mesh.n_edges)
    soft = mesh.soft_edges.copy()
    soft[chosen] = kind == "soft" if kind != "angle" else edge_folds(mesh.topology, mesh.points)[chosen] <= angle
    number = int(soft[chosen].sum())
    message = f"{number:,} of {len(chosen):,} edges are soft." if kind == "angle" else ""
    return Edit(replace(mesh, soft=soft), selection, identity(mesh), message)


def set_material(mesh: Mesh, selection: Selection, material: str) -> Edit:
    """Gives the selected faces, or all, a material by name; an empty name takes it away.

    Where there are only wires, what is made of them is of it. Raises EditError for points or edges.
    """
    if mesh.n_faces == 0:
        return Edit(replace(mesh, materials=(material,) if material else ()), selection, identity(mesh))
    if selection.kind != "faces" and len(selection):
        raise EditError("A material goes on faces; select faces, or nothing for all.")
    chosen = selection.indices if len(selection) else np.arange(mesh.n_faces)
    names = mesh.materials
    if material and material not in names:
        names = (*names, material)
    indices = mesh.material.copy()
    indices[chosen] = names.index(material) if material else -1
    new_mesh = replace(mesh, material=indices, materials=names)
    return Edit(new_mesh, selection, identity(mesh))


def set_scheme(
    mesh: Mesh,
    selection: Selection,
    boundary: Boundary = "edgeAndCorner",
    triangles: TriangleRule = "catmullClark",
    uv: UVRule = "cornersPlus1",
    creases: CreaseRule = "uniform",
) -> Edit:
    """Chooses how the whole cage is smoothed: at its boundary, across triangles, its UV, along uneven creases."""
    return Edit(replace(mesh, scheme=Scheme(boundary, triangles, uv, creases)), selection, identity(mesh))
