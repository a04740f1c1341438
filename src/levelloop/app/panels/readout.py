"""The selection in words, with strays as links."""

from __future__ import annotations

import numpy as np

from levelloop.app.measured import area_told, length_told, lengths_told
from levelloop.app.view.camera import Camera
from levelloop.app.view.render.picture import Picture
from levelloop.core.arrays import Booleans, distinct, unique_rows
from levelloop.core.errors import EditError
from levelloop.core.forms.curves import path_of
from levelloop.core.mesh.faces import edge_lengths, face_areas, face_centres, face_normals, point_normals
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import Selection, describe_runs
from levelloop.core.tolerance import AUTOMATIC, settled
from levelloop.document.part import Part
from levelloop.document.running.running import State, described

TEACHING = {
    "points": "Selecting points: click, drag a box; Shift adds, Ctrl removes",
    "edges": "Selecting edges: double-click a loop, triple-click a ring",
    "faces": "Selecting faces: click, drag a box; Shift adds, Ctrl removes",
    "parts": "Selecting parts: click one to make it active",
}


def readout(state: State, picture: Picture | None, kind: str, camera: Camera, link: str = "#2457E6") -> str:
    """The selection in words, as rich text: "12 faces · 1 closed loop · 3 on the far side"."""
    chosen, document = state.shown_selections, state.document
    words = [shortly(state, kind)]
    if not chosen and document.parts:
        words = [curve_words(document.part, document.unit) or words[0]]
    if list(chosen) != [document.active]:
        return " · ".join(words)
    mesh, selection, unit = document.part.mesh, chosen[document.active], document.unit
    points = document.part.placed(mesh.points)
    runs = describe_runs(mesh, selection)
    if runs:
        words.append(runs)
    # Strays before sizes: where there is little room, these are cut off.
    if picture is not None and picture.part.mesh is mesh:
        far = int(far_side(selection, picture, camera).sum())
        if 0 < far < len(selection):
            words.append(_stray("far", f"{far:,} on the far side", link))
        elif far == len(selection):
            words.append("on the far side" if far == 1 else "all on the far side")
    for name, count, what in (
        ("doubles", int(doubles(mesh, selection).sum()), "stacked on others"),
        ("other", int(on_other_shells(mesh, selection).sum()), "on another piece"),
    ):
        if count > 0:
            words.append(_stray(name, f"{count:,} {what}", link))
    if selection.kind == "edges":
        length = float(edge_lengths(mesh.topology, points)[selection.indices].sum())
        words.append(f"{length_told(length, unit)} long")
    elif selection.kind == "faces":
        area = float(face_areas(mesh.topology, points)[selection.indices].sum())
        sides = distinct(mesh.topology.face_sizes[selection.indices])
        if len(sides) == 1 and sides[0] != 4:
            words.append(f"{int(sides[0])} sides")
        words.append(area_told(area, unit))
    elif len(selection) == 1:
        words.append(f"at {lengths_told(points[selection.indices[0]].tolist(), unit, ', ')}")
    return " · ".join(words)


def curve_words(part: Part, unit: str = "mm") -> str:
    """How long a curve is and how tightly it turns, in words; empty for anything else."""
    if part.mesh.n_faces or not len(part.mesh.topology.wires):
        return ""
    try:
        path = path_of(part.to_world(part.mesh))
    except EditError:
        return ""
    tightest = path.tightest()
    turns = "" if tightest is None else f" · turns with {length_told(tightest[0], unit)} at its tightest"
    return f"Curve of {length_told(path.length(), unit)}{turns}"


def shortly(state: State, kind: str) -> str:
    """How much is selected, as rich text, or how to select something: what takes no time to say."""
    if not state.document.parts:
        return "Nothing here yet"
    chosen = state.shown_selections.values()
    return f'<span style="font-weight:600">{described(*chosen)}</span>' if chosen else TEACHING[kind]


def strays(name: str, selection: Selection, picture: Picture, camera: Camera) -> Booleans:
    """Which selected elements are strays of a kind that the readout names: (n,)."""
    if name == "far":
        return far_side(selection, picture, camera)
    mesh = picture.part.mesh
    return doubles(mesh, selection) if name == "doubles" else on_other_shells(mesh, selection)


def doubles(mesh: Mesh, selection: Selection) -> Booleans:
    """Which selected elements lie on another one of their kind, selected or not: (n,)."""
    topology = mesh.topology
    if selection.kind == "points":
        places = mesh.points
    elif selection.kind == "edges":
        places = mesh.points[topology.edges].mean(axis=1)
    else:
        places = face_centres(topology, mesh.points)
    within = settled(AUTOMATIC, mesh.points, topology.edges)
    _, group = unique_rows(np.round((places - mesh.points.mean(axis=0)) / within).astype(np.int64))
    shared = np.bincount(group)[group] > 1
    if selection.kind == "faces":
        # A box inside another has its middle where the other has: only faces as large count.
        areas = face_areas(topology, mesh.points)
        size = 1e-3 * max(float(areas.max(initial=0.0)), 1e-300)
        _, group = unique_rows(np.stack((group, np.round(areas / size)), axis=1).astype(np.int64))
        shared = np.bincount(group)[group] > 1
    return np.asarray(shared[selection.indices])


def on_other_shells(mesh: Mesh, selection: Selection) -> Booleans:
    """Which selected elements are on another piece than most of them are: (n,)."""
    topology = mesh.topology
    if topology.n_shells < 2 or mesh.n_faces == 0:
        return np.zeros(len(selection), dtype=np.bool_)
    shell_of_point = np.full(mesh.n_points, -1, dtype=np.int64)
    shell_of_point[topology.corners] = topology.shell_label[topology.corner_face]
    if selection.kind == "points":
        shell = shell_of_point[selection.indices]
    elif selection.kind == "edges":
        shell = shell_of_point[topology.edges[selection.indices, 0]]
    else:
        shell = topology.shell_label[selection.indices]
    most = np.bincount(shell + 1).argmax() - 1
    return np.asarray(shell != most)


def without(selection: Selection, gone: Booleans) -> Selection:
    """The selection without the masked elements: (n,)."""
    backwards = None if selection.backwards is None else selection.backwards[~gone]
    return Selection(selection.kind, selection.indices[~gone], backwards)


def _stray(name: str, words: str, link: str) -> str:
    """A link that drops strays, and one that frames them."""
    style = f'style="color:{link}"'
    return f'<a href="drop:{name}" {style}>{words}</a> (<a href="frame:{name}" {style}>show</a>)'


def far_side(selection: Selection, picture: Picture, camera: Camera) -> Booleans:
    """Which selected elements face away from the camera: (n,)."""
    topology, shown = picture.part.mesh.topology, picture.cage_places
    if selection.kind == "faces":
        normals, places = face_normals(topology, shown), picture.face_middles
    elif selection.kind == "points":
        normals, places = point_normals(topology, shown), shown
    else:
        at_faces = face_normals(topology, shown)
        if topology.n_faces == 0:
            return np.zeros(len(selection), dtype=np.bool_)
        faces = topology.edge_faces
        towards = _towards(at_faces, picture.face_middles, camera)
        second = np.where(faces[:, 1] >= 0, faces[:, 1], faces[:, 0])
        # A wire has no side to look at.
        away: Booleans = (towards[faces[:, 0]] < 0) & (towards[second] < 0) & (faces[:, 0] >= 0)
        return np.asarray(away[selection.indices])
    return np.asarray(_towards(normals, places, camera)[selection.indices] < 0)


def _towards(normals: np.ndarray, places: np.ndarray, camera: Camera) -> np.ndarray:
    """Positive where a normal faces the camera."""
    sight = camera.eye - places if camera.perspective else np.broadcast_to(camera.axes[2], places.shape)
    return np.asarray(np.einsum("ij,ij->i", normals, sight))
