"""What a still shows as plain values: surfaces as triangles, what they are made of, lights, ground and camera."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from levelloop.core.arrays import Floats, distinct
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import corner_normals, triangle_corners, triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.values import dataclass
from levelloop.document.cameras import NamedCamera, find_camera, view_axes
from levelloop.document.document import Document
from levelloop.document.materials import Material, material_named
from levelloop.document.part import Part
from levelloop.files.usd.materials import linear_of
from levelloop.still.lights import LIGHTS, Light

ROOM = 1.18  # times what fills the picture: air around it
FIELD_OF_VIEW = 28.0
SPOT = 1 / 500  # of the picture's height: a spot that small is seen as a point
CLAY = 0.7  # how rough what has no material is


@dataclass(frozen=True)
class Request:
    """A still to be made: pixels wide and high, rays a pixel, lights, degrees that the scene is turned by.

    camera: one of the document's; view: a place to look from that is none of them; all is framed without either.
    sharp: mm of depth about what is looked at that are sharp, 0 for all of it.
    """

    width: int = 960
    height: int = 600
    samples: int = 64
    light: Light = "studio"
    camera: str = ""
    turned: float = 0.0
    view: NamedCamera | None = None
    ground: bool = True
    sharp: float = 0.0


def describe(document: Document, request: Request, folder: Path) -> dict[str, Any]:
    """The scene as values that are written as JSON, its surfaces as arrays in a folder.

    Parts are at the level they are given out at. Raises EditError where nothing of the document can be seen, or for a
    light or camera that is not there.
    """
    if request.light not in LIGHTS:
        raise EditError(f"The lights are {', '.join(LIGHTS[:-1])} and {LIGHTS[-1]}, not “{request.light}”.")
    if not 0 <= request.sharp < np.inf:
        raise EditError("The depth that is sharp is 0 mm, for all of it, or more.")
    shapes: list[dict[str, Any]] = []
    points = [np.zeros((0, 3))]
    for part in document.given_out:
        if part.stepped.n_faces == 0:
            continue
        mesh = part.output()
        points.append(mesh.points[mesh.topology.point_face_count > 0])
        shapes += _shapes(document, part, mesh, folder, len(shapes))
    if not shapes:
        raise EditError("There is nothing to be seen: no part that is shown has faces.")
    whole = np.concatenate(points)
    low, high = whole.min(axis=0), whole.max(axis=0)
    camera = find_camera(document, request.camera) if request.camera else request.view or _framing(whole, request)
    return {
        "width": request.width,
        "height": request.height,
        "samples": request.samples,
        "light": request.light,
        "ground": float(low[2]) if request.ground and request.light != "even" else None,
        "middle": (0.5 * (low + high)).tolist(),
        "radius": float(0.5 * np.linalg.norm(high - low)),
        "shapes": shapes,
        "camera": _camera(camera, request),
    }


# Helpers


def _shapes(document: Document, part: Part, mesh: Mesh, folder: Path, first: int) -> list[dict[str, Any]]:
    """A part's triangles, a shape for each material."""
    topology = mesh.topology
    shown, face = triangles(topology, mesh.points, mesh.diagonal)
    solid = ~mesh.hole[face]
    shown, face = shown[solid], face[solid]
    soft = mesh.soft if mesh.soft is not None else np.zeros(mesh.n_edges, dtype=np.bool_)
    normals = mesh.normals if mesh.normals is not None else corner_normals(topology, mesh.points, soft)
    corners = triangle_corners(topology, shown, face)
    shapes: list[dict[str, Any]] = []
    for number in distinct(mesh.material[face]).tolist():
        own = mesh.material[face] == number
        made_of = (
            material_named(document.materials, mesh.materials[number])
            if number >= 0
            else Material("clay", part.colour, CLAY, opacity=part.opacity)
        )
        name = f"shape{first + len(shapes)}"
        image = _image(made_of.image, folder / f"{name}.png") if mesh.uv is not None else ""
        np.savez(
            folder / f"{name}.npz",
            points=mesh.points[shown[own]].reshape(-1, 3).astype(np.float32),
            normals=normals[corners[own]].reshape(-1, 3).astype(np.float32),
            uv=np.zeros((0, 2), np.float32) if mesh.uv is None else mesh.uv[corners[own]].reshape(-1, 2).astype("f4"),
        )
        surface = {**_surface(made_of), "image": image}
        shapes.append({"file": str(folder / f"{name}.npz"), "name": part.name, "material": surface})
    return shapes


def _image(path: str, copy: Path) -> str:
    """A copy of a material's image as the renderer reads it, empty where there is none that can be read."""
    from PIL import Image

    if not path:
        return ""
    try:
        with Image.open(path) as picture:
            picture.convert("RGB").save(copy)
    except (OSError, ValueError):
        # As in the view: what has lost its image has its colour.
        return ""
    return str(copy)


def _surface(material: Material) -> dict[str, Any]:
    return {
        "colour": linear_of(material.colour).tolist(),
        "roughness": material.roughness,
        "metalness": material.metalness,
        "opacity": material.opacity,
        "refraction": material.refraction,
        "glow": material.glow,
    }


def _framing(points: Floats, request: Request) -> NamedCamera:
    """A camera that sees all of some points, from the front a little above and to the right."""
    turn, tilt = 28.0, 20.0
    axes = view_axes(turn, tilt)
    middle = 0.5 * (points.min(axis=0) + points.max(axis=0))
    local = (points - middle) @ axes.T
    half = np.tan(np.radians(FIELD_OF_VIEW) / 2.0)
    aspect = request.width / request.height
    # Far enough for each point, however near it is itself.
    need = np.maximum(np.abs(local[:, 0]) / aspect, np.abs(local[:, 1])) / half + local[:, 2]
    distance = ROOM * float(need.max())
    return NamedCamera("", tuple(middle.tolist()), distance, turn, tilt, True, FIELD_OF_VIEW)


def _camera(camera: NamedCamera, request: Request) -> dict[str, Any]:
    """Where from, where to, up: the scene turned one way is the camera turned the other."""
    axes = view_axes(camera.turn - request.turned, camera.tilt)
    target = np.array(camera.target)
    half_height = float(np.tan(np.radians(camera.field_of_view) / 2.0) * camera.distance)
    lens = 0.0
    if request.sharp > 0:
        if not camera.perspective or any(camera.shift):
            raise EditError("Only a camera with perspective and without shift has a depth that is sharp.")
        # A place half that depth behind what is looked at becomes a spot of SPOT of the picture's height (similar
        # triangles through the lens).
        behind = 0.5 * request.sharp
        lens = SPOT * half_height * (camera.distance + behind) / behind
    return {
        "lens": lens,
        "distance": camera.distance,
        "target": target.tolist(),
        "origin": (target + axes[2] * camera.distance).tolist(),
        "up": axes[1].tolist(),
        "field_of_view": camera.field_of_view,
        "perspective": camera.perspective,
        "half_height": half_height,
        "shift": list(camera.shift),
    }
