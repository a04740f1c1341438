"""The selection in words, with strays as links."""

from __future__ import annotations

import numpy as np

from levelloop.app.camera import Camera
from levelloop.app.picture import Picture
from levelloop.core.arrays import Booleans
from levelloop.core.measure.faces import edge_lengths, face_areas, face_normals, point_normals
from levelloop.core.review.findings import counted
from levelloop.core.selection import Selection, describe_runs
from levelloop.document.session import Session, described
from levelloop.document.units import format_number

TEACHING = {
    "points": "Selecting points: click, drag a box; Shift adds, Ctrl removes",
    "edges": "Selecting edges: double-click a loop, triple-click a ring",
    "faces": "Selecting faces: click, drag a box; Shift adds, Ctrl removes",
    "parts": "Selecting parts: click one to make it active",
}


def readout(session: Session, picture: Picture | None, kind: str, camera: Camera, link: str = "#2457E6") -> str:
    """The selection in words, as rich text: "12 faces · 1 closed loop · 3 on the far side"."""
    if not session.document.parts:
        return "Nothing here yet"
    selection = session.selection
    if len(selection) == 0:
        return TEACHING[kind]
    mesh = session.part.mesh
    words = [f'<span style="font-weight:600">{described(selection)}</span>']
    runs = describe_runs(mesh, selection)
    if runs:
        words.append(runs)
    if selection.kind == "edges":
        length = float(edge_lengths(mesh.topology, mesh.points)[selection.indices].sum())
        words.append(f"{format_number(length)} mm long")
    elif selection.kind == "faces":
        area = float(face_areas(mesh.topology, mesh.points)[selection.indices].sum())
        sides = np.unique(mesh.topology.face_sizes[selection.indices])
        if len(sides) == 1 and sides[0] != 4:
            words.append(f"{int(sides[0])} sides")
        words.append(f"{format_number(area)} mm²")
    elif len(selection) == 1:
        x, y, z = mesh.points[selection.indices[0]]
        words.append(f"at {format_number(x)}, {format_number(y)}, {format_number(z)} mm")
    if picture is not None and picture.part.mesh is mesh:
        far = int(far_side(selection, picture, camera).sum())
        if 0 < far < len(selection):
            words.append(f'<a href="far" style="color:{link}">{far:,} on the far side</a>')
        elif far == len(selection):
            words.append("on the far side" if far == 1 else "all on the far side")
    shells = _shells(session)
    if shells > 1:
        words.append(f"in {counted(shells, 'piece')}")
    return " · ".join(words)


def far_side(selection: Selection, picture: Picture, camera: Camera) -> Booleans:
    """Which selected elements face away from the camera: (n,)."""
    mesh = picture.part.to_world(picture.part.mesh)
    topology = mesh.topology
    if selection.kind == "faces":
        normals, places = face_normals(topology, mesh.points), picture.face_middles
    elif selection.kind == "points":
        normals, places = point_normals(topology, mesh.points), picture.cage_places
    else:
        at_faces = face_normals(topology, mesh.points)
        if mesh.n_faces == 0:
            return np.zeros(len(selection), dtype=np.bool_)
        faces = topology.edge_faces
        towards = _towards(at_faces, picture.face_middles, camera)
        second = np.where(faces[:, 1] >= 0, faces[:, 1], faces[:, 0])
        # A wire has no side to look at.
        away: Booleans = (towards[faces[:, 0]] < 0) & (towards[second] < 0) & (faces[:, 0] >= 0)
        return np.asarray(away[selection.indices])
    return np.asarray(_towards(normals, places, camera)[selection.indices] < 0)


def without_far_side(selection: Selection, picture: Picture, camera: Camera) -> Selection:
    """The selection without what faces away."""
    keep = ~far_side(selection, picture, camera)
    backwards = None if selection.backwards is None else selection.backwards[keep]
    return Selection(selection.kind, selection.indices[keep], backwards)


def _towards(normals: np.ndarray, places: np.ndarray, camera: Camera) -> np.ndarray:
    """Positive where a normal faces the camera."""
    sight = camera.eye - places if camera.perspective else np.broadcast_to(camera.axes[2], places.shape)
    return np.asarray(np.einsum("ij,ij->i", normals, sight))


def _shells(session: Session) -> int:
    """In how many pieces the selected faces lie."""
    selection = session.selection
    topology = session.part.mesh.topology
    if selection.kind != "faces" or topology.n_shells < 2:
        return 1
    return len(np.unique(topology.shell_label[selection.indices]))
