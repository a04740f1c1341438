"""The document as an OpenUSD stage: each part a UsdGeom Mesh that holds its cage.

Creases, corner sharpness, scheme and transform are USD's own; what USD has no word for stands in namespaced
levelloop: attributes. Foreign stages are read with their up axis, units and orientation honoured.
"""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from levelloop.core.arrays import mask_of, unique_rows
from levelloop.core.edit.simple import flipped
from levelloop.core.errors import LevelLoopError, MeshError
from levelloop.core.measure.faces import corner_normals
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
from levelloop.core.steps.chain import build
from levelloop.core.subdivision.surface import without_holes
from levelloop.core.topology import Topology
from levelloop.document.document import DEFAULT_LEVEL, Document, Part
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Reading
from levelloop.document.recipe import Step, links_of
from levelloop.files.errors import FileError
from levelloop.files.usd_cameras import read_cameras, write_cameras
from levelloop.files.usd_settings import document_of, settings_of

_METRES_PER_MILLIMETRE = 0.001
# The families of subsets that are named sets; a family is of one kind.
_SETS = {"points": "pointSets", "edges": "edgeSets", "faces": "faceSets"}


def write_usd(path: Path, document: Document) -> None:
    """Writes the document to an empty or existing file path."""
    from pxr import Sdf, Usd, UsdGeom

    layer = Sdf.Layer.CreateAnonymous(path.suffix)
    stage = Usd.Stage.Open(layer)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, _METRES_PER_MILLIMETRE)
    root = UsdGeom.Xform.Define(stage, "/Model")
    stage.SetDefaultPrim(root.GetPrim())
    settings = settings_of(document)
    _set(root.GetPrim(), "settings", Sdf.ValueTypeNames.String, json.dumps(settings))
    taken = {part.id for part in document.parts}
    for part in document.parts:
        _write_part(stage, part, taken)
    write_cameras(stage, document.cameras)
    if not layer.Export(str(path)):
        raise FileError(f"{path} cannot be written.")


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


def _write_part(stage: Any, part: Part, taken: set[str]) -> None:
    """The part's cage, and where it has a recipe what that makes of it, which any reader shows.

    taken: names of the stage that stand for parts.
    """
    from pxr import Sdf, UsdGeom

    mesh = part.mesh
    topology = mesh.topology
    geometry = UsdGeom.Mesh.Define(stage, f"/Model/{part.id}")
    prim = geometry.GetPrim()
    prim.SetDisplayName(part.name)
    geometry.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.catmullClark)
    geometry.CreateInterpolateBoundaryAttr(mesh.scheme.boundary)
    geometry.CreateTriangleSubdivisionRuleAttr(mesh.scheme.triangles)
    _write_shape(stage, geometry, mesh)
    _write_look(geometry, part)
    # USD keeps points in single precision; the cage's own digits stand beside them.
    _set(prim, "points", Sdf.ValueTypeNames.Double3Array, _doubles(mesh.points))
    creased = np.flatnonzero(mesh.creases > 0)
    if len(creased):
        geometry.CreateCreaseIndicesAttr(_integers(topology.edges[creased].ravel()))
        geometry.CreateCreaseLengthsAttr(_integers(np.full(len(creased), 2)))
        geometry.CreateCreaseSharpnessesAttr(_floats(mesh.creases[creased]))
    sharpened = np.flatnonzero(mesh.corner_sharpness > 0)
    if len(sharpened):
        geometry.CreateCornerIndicesAttr(_integers(sharpened))
        geometry.CreateCornerSharpnessesAttr(_floats(mesh.corner_sharpness[sharpened]))
    holes = np.flatnonzero(mesh.hole)
    if len(holes):
        geometry.CreateHoleIndicesAttr(_integers(holes))
    _write_own_tags(prim, mesh)
    look = {
        "level": part.level,
        "limit": part.limit,
        "locked": part.locked,
        "helper": part.helper,
        "accepted": dict(part.accepted),
        "group": part.group,
        "shared": part.shared,
        "attached": part.attached,
        "steps": [{"step": step.key, "on": step.enabled, "parameters": dict(step.parameters)} for step in part.steps],
    }
    _set(prim, "part", Sdf.ValueTypeNames.String, json.dumps(look))
    _write_sets(geometry, mesh)
    if part.steps:
        geometry.CreatePurposeAttr(UsdGeom.Tokens.guide)
        name = f"{part.id}_result"
        while name in taken:
            name += "_"
        _write_result(stage, part, name)
    elif part.helper:
        geometry.CreatePurposeAttr(UsdGeom.Tokens.guide)


def _write_result(stage: Any, part: Part, name: str) -> None:
    """What the recipe makes of a part, at its level; steps that cannot run are left out."""
    from pxr import Sdf, UsdGeom

    mesh = without_holes(build(part.mesh, links_of(part.steps, part.level, part.limit)).mesh)
    geometry = UsdGeom.Mesh.Define(stage, f"/Model/{name}")
    geometry.GetPrim().SetDisplayName(part.name)
    geometry.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    _write_shape(stage, geometry, mesh)
    _write_look(geometry, part)
    if mesh.n_faces and part.level:
        normals = corner_normals(mesh.topology, mesh.points, mesh.creases == 0)
        geometry.CreateNormalsAttr(_vectors(normals))
        geometry.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying)
    if part.helper:
        geometry.CreatePurposeAttr(UsdGeom.Tokens.guide)
    _set(geometry.GetPrim(), "resultOf", Sdf.ValueTypeNames.String, part.id)


def _write_shape(stage: Any, geometry: Any, mesh: Mesh) -> None:
    """Points, faces, UV and materials."""
    from pxr import UsdGeom, UsdShade

    geometry.CreateFaceVaryingLinearInterpolationAttr(mesh.scheme.uv)
    geometry.CreatePointsAttr(_vectors(mesh.points))
    geometry.CreateFaceVertexCountsAttr(_integers(mesh.topology.face_sizes))
    geometry.CreateFaceVertexIndicesAttr(_integers(mesh.topology.corners))
    if mesh.uv is not None:
        _write_uv(geometry, mesh)
    if mesh.n_points:
        geometry.CreateExtentAttr(_vectors(np.stack((mesh.points.min(axis=0), mesh.points.max(axis=0)))))
    for index, name in enumerate(mesh.materials):
        faces = np.flatnonzero(mesh.material == index)
        subset = UsdGeom.Subset.CreateGeomSubset(
            geometry, f"material_{index}", UsdGeom.Tokens.face, _integers(faces), UsdShade.Tokens.materialBind
        )
        material = UsdShade.Material.Define(stage, f"/Model/Materials/{_identifier(name)}")
        material.GetPrim().SetDisplayName(name)
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(material)
    if mesh.materials:
        UsdGeom.Subset.SetFamilyType(geometry, UsdShade.Tokens.materialBind, UsdGeom.Tokens.nonOverlapping)


def _write_look(geometry: Any, part: Part) -> None:
    """Colour, place, and whether it is shown."""
    from pxr import Gf, UsdGeom

    red, green, blue = (int(part.colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    geometry.CreateDisplayColorAttr([Gf.Vec3f(red, green, blue)])
    if part.opacity < 1:
        geometry.CreateDisplayOpacityAttr([part.opacity])
    if not part.in_place:
        geometry.AddTransformOp().Set(Gf.Matrix4d(part.transform.tolist()))
    if not part.visible:
        geometry.CreateVisibilityAttr(UsdGeom.Tokens.invisible)


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


def _write_own_tags(prim: Any, mesh: Mesh) -> None:
    """What USD has no word for: wires, seams, soft edges, turned diagonals, the rule along uneven creases."""
    from pxr import Sdf

    for name, values in (
        ("wires", mesh.topology.wires.ravel()),
        ("seams", mesh.topology.edges[mesh.seams].ravel()),
        ("softEdges", mesh.topology.edges[mesh.soft_edges].ravel()),
        ("diagonals", mesh.diagonal if mesh.diagonal.any() else mesh.diagonal[:0]),
        ("hidden", np.flatnonzero(mesh.hidden)),
    ):
        if len(values):
            _set(prim, name, Sdf.ValueTypeNames.IntArray, _integers(values))
    if mesh.radius is not None:
        _set(prim, "radii", Sdf.ValueTypeNames.DoubleArray, mesh.radius.tolist())
    if mesh.curve:
        _set(prim, "curve", Sdf.ValueTypeNames.Token, mesh.curve)
    if mesh.scheme.creases != "uniform":
        _set(prim, "creaseRule", Sdf.ValueTypeNames.Token, mesh.scheme.creases)


def _write_uv(geometry: Any, mesh: Mesh) -> None:
    from pxr import Sdf, UsdGeom, Vt

    assert mesh.uv is not None
    unique, indices = unique_rows(mesh.uv)
    primvars = UsdGeom.PrimvarsAPI(geometry)
    st = primvars.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
    st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(unique, dtype=np.float32)))
    st.SetIndices(_integers(indices))
    # As with points: single precision for everybody, our own digits beside it.
    exact = Vt.Vec2dArray.FromNumpy(np.ascontiguousarray(mesh.uv))
    _set(geometry.GetPrim(), "uv", Sdf.ValueTypeNames.Double2Array, exact)


def _write_sets(geometry: Any, mesh: Mesh) -> None:
    """Named sets as subsets, edges by the pairs of their points."""
    from pxr import Sdf, UsdGeom

    used: set[str] = set()
    for number, named in enumerate(mesh.sets):
        indices, wires = named.indices, named.indices[:0]
        if named.kind == "edges":
            is_wire = mesh.topology.wire_edges[indices]
            wires = mesh.topology.edges[indices[is_wire]].ravel()
            indices = mesh.topology.edges[indices[~is_wire]].ravel()
        identifier = _identifier(named.name)
        identifier = identifier if identifier not in used else f"{identifier}_{number}"
        used.add(identifier)
        subset = UsdGeom.Subset.CreateGeomSubset(
            geometry, f"set_{identifier}", named.kind[:-1], _integers(indices), _SETS[named.kind]
        )
        subset.GetPrim().SetDisplayName(named.name)
        if len(wires):
            # To USD they are no edges of the mesh.
            _set(subset.GetPrim(), "wires", Sdf.ValueTypeNames.IntArray, _integers(wires))


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
    factor = UsdGeom.GetStageMetersPerUnit(stage) / _METRES_PER_MILLIMETRE
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


def _set(prim: Any, name: str, kind: Any, value: Any) -> None:
    prim.CreateAttribute(f"levelloop:{name}", kind, custom=True).Set(value)


def _identifier(name: str) -> str:
    plain = re.sub(r"\W", "_", name, flags=re.ASCII)
    return plain if plain[:1].isalpha() else f"m_{plain}"


def _integers(values: np.ndarray) -> Any:
    from pxr import Vt

    return Vt.IntArray.FromNumpy(np.ascontiguousarray(values, dtype=np.int32))


def _floats(values: np.ndarray) -> Any:
    from pxr import Vt

    return Vt.FloatArray.FromNumpy(np.ascontiguousarray(values, dtype=np.float32))


def _vectors(values: np.ndarray) -> Any:
    from pxr import Vt

    return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(values, dtype=np.float32).reshape(-1, 3))


def _doubles(values: np.ndarray) -> Any:
    from pxr import Vt

    return Vt.Vec3dArray.FromNumpy(np.ascontiguousarray(values, dtype=np.float64).reshape(-1, 3))
