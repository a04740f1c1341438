"""Reading an OpenUSD stage as a document: one of ours with all it keeps, or a foreign one.

Up axis, units, orientation, holes and subsets of foreign stages are honoured.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from levelloop.core.arrays import mask_of
from levelloop.core.edit.simple import flipped
from levelloop.core.errors import LevelLoopError, MeshError
from levelloop.core.mesh import (
    BOUNDARIES,
    CREASE_RULES,
    SHARPNESS_NEVER_FADES,
    TRIANGLE_RULES,
    UV_RULES,
    Mesh,
    NamedSet,
    Scheme,
)
from levelloop.core.topology import Topology
from levelloop.document.document import DEFAULT_LEVEL, Document, Part
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Reading
from levelloop.document.recipe import Step
from levelloop.files.errors import FileError
from levelloop.files.usd import METRES_PER_MILLIMETRE
from levelloop.files.usd_cameras import read_cameras
from levelloop.files.usd_settings import document_of


def read_usd(path: Path) -> Document:
    """The document of a stage, ours or a foreign one. Raises FileError."""
    from pxr import Tf, Usd, UsdGeom

    _check_start(path)
    try:
        stage = Usd.Stage.Open(str(path))
    except Tf.ErrorException as error:
        raise FileError(f"{path.name} is damaged or no USD file.") from error
    if not stage:
        raise FileError(f"{path.name} is damaged or no USD file.")
    own = stage.GetDefaultPrim().GetAttribute("levelloop:settings") if stage.GetDefaultPrim() else None
    settings = _json(own.Get() if own else None, path)
    document = document_of(settings)
    to_ours = _to_ours(stage)
    cache = UsdGeom.XformCache()
    parts: list[Part] = []
    # Instances are read as parts of their own.
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        if prim.IsA(UsdGeom.Mesh) and not prim.GetAttribute("levelloop:resultOf"):
            part = _read_part(path, UsdGeom.Mesh(prim), replace(document, parts=tuple(parts)))
            world = np.array(cache.GetLocalToWorldTransform(prim), dtype=np.float64) @ to_ours
            parts.append(replace(part, transform=world))
    if "cameras" not in settings:
        document = replace(document, cameras=read_cameras(stage, to_ours))
    if not parts and not settings:
        raise FileError(f"{path.name} holds no mesh.")
    wanted = settings.get("active")
    active = wanted if any(part.id == wanted for part in parts) else (parts[0].id if parts else "")
    return replace(document, parts=tuple(parts), active=active)


# Helpers


def _read_part(path: Path, geometry: Any, document: Document) -> Part:
    from pxr import UsdGeom

    prim = geometry.GetPrim()
    name = prim.GetDisplayName() or prim.GetName()

    def values(attribute: Any, dtype: type) -> np.ndarray:
        found = attribute.Get() if attribute else None
        return np.array(found if found is not None else [], dtype=dtype)

    sizes = values(geometry.GetFaceVertexCountsAttr(), np.int64)
    corners = values(geometry.GetFaceVertexIndicesAttr(), np.int64)
    points = values(geometry.GetPointsAttr(), np.float64).reshape(-1, 3)
    exact = values(prim.GetAttribute("levelloop:points"), np.float64).reshape(-1, 3)
    # Another program may have moved the points; ours count only where they still say the same.
    if exact.shape == points.shape and np.allclose(exact, points, rtol=1e-6, atol=1e-6):
        points = exact
    try:
        if len(sizes) and sizes.sum() != len(corners):
            raise MeshError(f"its faces need {sizes.sum()} corners, but it lists {len(corners)}.")
        wires = values(prim.GetAttribute("levelloop:wires"), np.int64)
        topology = Topology(np.concatenate(([0], np.cumsum(sizes))), corners, len(points), wires[: len(wires) // 2 * 2])
        mesh = Mesh(topology, points, uv=_uv(geometry, topology, values))
    except MeshError as error:
        raise FileError(f"{path.name}, “{name}”: {error}") from error
    mesh = _with_tags(path, name, mesh, geometry, values)
    if geometry.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded:
        mesh = flipped(mesh, np.ones(mesh.n_faces, dtype=np.bool_))[0]
    look = _json((prim.GetAttribute("levelloop:part") or _Nothing).Get(), path)
    colours = geometry.GetDisplayColorAttr().Get()
    used = {part.id for part in document.parts}
    part_id = prim.GetName() if prim.GetName() not in used else document.free_id()
    part = Part(
        part_id,
        document.free_name(name),
        mesh,
        level=int(look.get("level", DEFAULT_LEVEL)),
        limit=bool(look.get("limit", False)),
        visible=geometry.ComputeVisibility() != UsdGeom.Tokens.invisible,
        locked=bool(look.get("locked", False)),
        helper=bool(look.get("helper", geometry.ComputePurpose() == UsdGeom.Tokens.guide)),
        accepted=dict(look.get("accepted", {})),
        group=str(look.get("group", "")),
        shared=str(look.get("shared", "")),
        attached=str(look.get("attached", "")),
        steps=_steps(look.get("steps"), path, name),
    )
    opacity = geometry.GetDisplayOpacityAttr().Get()
    if opacity is not None and len(opacity) == 1:
        part = replace(part, opacity=min(max(float(opacity[0]), 0.0), 1.0))
    if colours:
        part = replace(part, colour="#" + "".join(f"{round(255 * min(max(c, 0), 1)):02X}" for c in colours[0]))
    return part


class _Nothing:
    @staticmethod
    def Get() -> None:
        return None


def _with_tags(path: Path, name: str, mesh: Mesh, geometry: Any, values: Any) -> Mesh:
    topology = mesh.topology
    indices = values(geometry.GetCreaseIndicesAttr(), np.int64)
    lengths = values(geometry.GetCreaseLengthsAttr(), np.int64)
    sharpness = values(geometry.GetCreaseSharpnessesAttr(), np.float64)
    creases = np.zeros(topology.n_edges)
    if len(lengths):
        if lengths.min() < 2 or lengths.sum() != len(indices):
            raise FileError(f"{path.name}, “{name}”: its crease lengths don't fit its crease points.")
        last = np.cumsum(lengths) - 1
        inner = np.ones(len(indices), dtype=np.bool_)
        inner[last] = False
        start = np.flatnonzero(inner)
        edges = topology.find_edges(np.stack((indices[start], indices[start + 1]), axis=1))
        if len(sharpness) == len(lengths):
            each = np.repeat(sharpness, lengths - 1)
        elif len(sharpness) == len(start):
            each = sharpness
        else:
            raise FileError(f"{path.name}, “{name}”: its crease weights don't fit its creases.")
        creases[edges[edges >= 0]] = each[edges >= 0]
    corner_indices = values(geometry.GetCornerIndicesAttr(), np.int64)
    corner_values = values(geometry.GetCornerSharpnessesAttr(), np.float64)
    corners = np.zeros(mesh.n_points)
    if len(corner_indices):
        if (
            len(corner_indices) != len(corner_values)
            or corner_indices.min() < 0
            or corner_indices.max() >= mesh.n_points
        ):
            raise FileError(f"{path.name}, “{name}”: its sharp corners name points that are not there.")
        corners[corner_indices] = corner_values
    material, names, sets = _subsets(geometry, topology)
    holes = values(geometry.GetHoleIndicesAttr(), np.int64)
    seams = topology.find_edges(_pairs(values(geometry.GetPrim().GetAttribute("levelloop:seams"), np.int64)))
    soft = topology.find_edges(_pairs(values(geometry.GetPrim().GetAttribute("levelloop:softEdges"), np.int64)))
    hidden = values(geometry.GetPrim().GetAttribute("levelloop:hidden"), np.int64)
    radius = values(geometry.GetPrim().GetAttribute("levelloop:radii"), np.float64)
    curve = (geometry.GetPrim().GetAttribute("levelloop:curve") or _Nothing).Get()
    diagonal = values(geometry.GetPrim().GetAttribute("levelloop:diagonals"), np.int64)
    never = SHARPNESS_NEVER_FADES
    return Mesh(
        topology,
        mesh.points,
        np.clip(creases, 0, never),
        np.clip(corners, 0, never),
        material,
        names,
        _scheme(geometry),
        mask_of(seams[seams >= 0], topology.n_edges),
        mask_of(holes[(holes >= 0) & (holes < mesh.n_faces)], mesh.n_faces),
        mesh.uv,
        sets,
        np.clip(diagonal, 0, 2) if len(diagonal) == mesh.n_faces else np.zeros(mesh.n_faces, dtype=np.int64),
        mask_of(hidden[(hidden >= 0) & (hidden < mesh.n_faces)], mesh.n_faces),
        mask_of(soft[soft >= 0], topology.n_edges),
        curve if curve in ("straight", "smooth") else "",
        radius if len(radius) == mesh.n_points and len(radius) else None,
    )


def _subsets(geometry: Any, topology: Topology) -> tuple[np.ndarray, tuple[str, ...], tuple[NamedSet, ...]]:
    """Materials of faces with their names, and the subsets without one as named sets."""
    from pxr import UsdGeom, UsdShade

    material = np.full(topology.n_faces, -1, dtype=np.int64)
    names: list[str] = []
    sets: list[NamedSet] = []
    counts = {"point": topology.n_points, "face": topology.n_faces, "edge": topology.n_points}
    for subset in UsdGeom.Subset.GetAllGeomSubsets(geometry):
        kind = str(subset.GetElementTypeAttr().Get())
        indices = np.array(subset.GetIndicesAttr().Get() or [], dtype=np.int64)
        if kind not in counts or (len(indices) and (indices.min() < 0 or indices.max() >= counts[kind])):
            continue
        bound = UsdShade.MaterialBindingAPI(subset.GetPrim()).GetDirectBinding().GetMaterial()
        if bound and kind == "face":
            label = bound.GetPrim().GetDisplayName() or bound.GetPrim().GetName()
            if label not in names:
                names.append(label)
            material[indices] = names.index(label)
            continue
        if kind == "edge":
            wires = (subset.GetPrim().GetAttribute("levelloop:wires") or _Nothing).Get()
            indices = np.concatenate((indices, np.array(wires or [], dtype=np.int64)))
            indices = topology.find_edges(_pairs(indices))
            indices = indices[indices >= 0]
        label = subset.GetPrim().GetDisplayName() or subset.GetPrim().GetName()
        sets.append(NamedSet(label, f"{kind}s", indices))  # type: ignore[arg-type]
    return material, tuple(names), tuple(sets)


def _scheme(geometry: Any) -> Scheme:
    boundary, triangles = geometry.GetInterpolateBoundaryAttr().Get(), geometry.GetTriangleSubdivisionRuleAttr().Get()
    uv = geometry.GetFaceVaryingLinearInterpolationAttr().Get()
    creases = (geometry.GetPrim().GetAttribute("levelloop:creaseRule") or _Nothing).Get()
    return Scheme(
        boundary if boundary in BOUNDARIES else "edgeAndCorner",
        triangles if triangles in TRIANGLE_RULES else "catmullClark",
        uv if uv in UV_RULES else "cornersPlus1",
        creases if creases in CREASE_RULES else "uniform",
    )


def _uv(geometry: Any, topology: Topology, values: Any) -> np.ndarray | None:
    """UV for each corner from the stage's texture coordinates: "st" where there is one, else the first such."""
    from pxr import Sdf, UsdGeom

    kinds = (Sdf.ValueTypeNames.TexCoord2fArray, Sdf.ValueTypeNames.Float2Array, Sdf.ValueTypeNames.TexCoord2dArray)
    found = [primvar for primvar in UsdGeom.PrimvarsAPI(geometry).GetPrimvars() if primvar.GetTypeName() in kinds]
    found.sort(key=lambda primvar: primvar.GetPrimvarName() != "st")
    for primvar in found:
        table = np.array(primvar.ComputeFlattened() or [], dtype=np.float64).reshape(-1, 2)
        if primvar.GetInterpolation() == UsdGeom.Tokens.faceVarying and len(table) == topology.n_corners:
            uv = table
        elif primvar.GetInterpolation() in ("vertex", "varying") and len(table) == topology.n_points:
            uv = table[topology.corners]
        else:
            continue
        exact = values(geometry.GetPrim().GetAttribute("levelloop:uv"), np.float64).reshape(-1, 2)
        fits = exact.shape == uv.shape and np.allclose(exact, uv, rtol=1e-6, atol=1e-6)
        return np.array(exact if fits else uv)
    return None


def _pairs(values: np.ndarray) -> np.ndarray:
    return values[: len(values) // 2 * 2].reshape(-1, 2)


def _to_ours(stage: Any) -> np.ndarray:
    """From the stage's units and up axis to millimetres and Z up, for row vectors: (4, 4)."""
    from pxr import UsdGeom

    matrix = np.eye(4)
    factor = UsdGeom.GetStageMetersPerUnit(stage) / METRES_PER_MILLIMETRE
    if not np.isclose(factor, 1.0):
        matrix[:3, :3] *= factor
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y:
        matrix = matrix @ np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]], dtype=np.float64)
    return matrix


def _check_start(path: Path) -> None:
    """Raises FileError for a file that is missing or plainly no stage, before the library complains at length."""
    try:
        with path.open("rb") as stream:
            start = stream.read(8)
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror}.") from error
    if not start.startswith((b"#usda", b"PXR-USDC", b"PK")):
        raise FileError(f"{path.name} is damaged or no USD file.")


def _json(text: Any, path: Path) -> dict[str, Any]:
    if not text:
        return {}
    try:
        found = json.loads(str(text))
    except ValueError as error:
        raise FileError(f"{path.name} has damaged settings.") from error
    return found if isinstance(found, dict) else {}


def _steps(listed: Any, path: Path, name: str) -> tuple[Step, ...]:
    """The recipe of a part's settings. Raises FileError for a step that this version does not know or cannot read."""
    steps = []
    for entry in listed if isinstance(listed, list) else []:
        try:
            key, given = str(entry["step"]), dict(entry.get("parameters", {}))
            values = REGISTRY[f"step_{key}"].read(given, Reading())
            numbers = {number: value for number, value in values.items() if number != "step"}
            steps.append(Step(key, numbers, bool(entry.get("on", True))))
        except (LevelLoopError, KeyError, TypeError, ValueError, AttributeError) as error:
            raise FileError(f"{path.name}, “{name}”: its recipe has a step that cannot be read: {error}") from error
    return tuple(steps)
