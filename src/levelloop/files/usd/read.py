"""Reading an OpenUSD stage as a document: one of ours with all it keeps, or a foreign one.

Up axis, units, orientation, holes and subsets of foreign stages are honoured.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import numpy as np

from levelloop.core.arrays import mask_of
from levelloop.core.errors import LevelLoopError, MeshError
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.mesh import (
    BOUNDARIES,
    CREASE_RULES,
    TRIANGLE_RULES,
    UV_RULES,
    Mesh,
    NamedSet,
    Scheme,
)
from levelloop.core.mesh.selection import KINDS
from levelloop.core.mesh.tags import CORNER, CREASE, TAGS, Tag
from levelloop.core.mesh.topology import Topology
from levelloop.core.progress import pieces
from levelloop.core.words import shortened
from levelloop.document.document import Document, number_of_id, unique_names
from levelloop.document.materials import Material
from levelloop.document.part import Part
from levelloop.document.running.editing import FLATTENED, SMALLEST
from levelloop.files.errors import FileError
from levelloop.files.reading import check_regular
from levelloop.files.usd import library
from levelloop.files.usd.cameras import read_cameras
from levelloop.files.usd.composition import check_composition
from levelloop.files.usd.materials import read_material
from levelloop.files.usd.settings import (
    PartSettings,
    document_of,
    part_settings_of,
    read_part_settings,
    read_settings,
    steps_of,
)
from levelloop.files.usd.uv import read_uv
from levelloop.files.usd.write import METRES_PER_MILLIMETRE


def read_usd(path: Path) -> Document:
    """The document of a stage, ours or a foreign one. Raises FileError."""
    with library():
        return _read(path)


# Helpers


def _read(path: Path) -> Document:
    from pxr import Tf, Usd, UsdGeom

    _check_start(path)
    damaged = FileError(f"{path.name} is damaged or no USD file.")
    try:
        check_composition(path)
        stage = Usd.Stage.Open(str(path))
    except Tf.ErrorException as error:
        raise damaged from error
    if not stage:
        raise damaged
    own = stage.GetDefaultPrim().GetAttribute("levelloop:settings") if stage.GetDefaultPrim() else None
    try:
        settings = read_settings(own.Get() if own else None)
    except FileError as error:
        raise FileError(f"{path.name}: {error}.") from error
    document = document_of(settings) if settings is not None else Document()
    to_ours = _to_ours(stage)
    cache = UsdGeom.XformCache()
    materials = _MaterialNames()
    read: list[tuple[str, str, Part]] = []
    # Instances are read as parts of their own.
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        if prim.IsA(UsdGeom.Mesh) and not prim.GetAttribute("levelloop:resultOf"):
            name = str(prim.GetDisplayName() or prim.GetName())
            try:
                part = _read_part(UsdGeom.Mesh(prim), name, materials)
                world = np.array(cache.GetLocalToWorldTransform(prim), dtype=np.float64) @ to_ours
                if not np.isfinite(world).all():
                    raise FileError("its place has a number that is not finite.")
            except LevelLoopError as error:
                raise FileError(f"{path.name}, “{shortened(name)}”: {error}") from error
            read.append((prim.GetName(), name, _put(part, world)))
    document = replace(document, materials=_materials(stage, materials))
    if settings is None or settings.cameras is None:
        document = replace(document, cameras=read_cameras(stage, to_ours))
    if not read and settings is None:
        raise FileError(f"{path.name} holds no mesh.")
    ids = _ids([prim for prim, _, _ in read], document.next_id)
    names = unique_names([name for _, name, _ in read])
    parts = [replace(part, id=own_id, name=name) for (_, _, part), own_id, name in zip(read, ids, names, strict=True)]
    wanted = settings.active if settings is not None else ""
    active = wanted if wanted in ids else (ids[0] if ids else "")
    next_id = max([document.next_id, *(number_of_id(one) + 1 for one in ids)])
    return replace(document, parts=_believable(parts), active=active, next_id=next_id)


class _MaterialNames:
    """What materials are called: two of one display name are two, unless they are the same prim."""

    def __init__(self) -> None:
        self._of_path: dict[str, str] = {}

    def name(self, prim: Any) -> str:
        """The name of a material's prim."""
        path, wanted = str(prim.GetPath()), str(prim.GetDisplayName() or prim.GetName())
        if path not in self._of_path:
            taken = set(self._of_path.values())
            numbered = (wanted if n == 1 else f"{wanted} {n}" for n in range(1, len(taken) + 2))
            self._of_path[path] = next(name for name in numbered if name not in taken)
        return self._of_path[path]


def _materials(stage: Any, names: _MaterialNames) -> tuple[Material, ...]:
    """The materials of a stage that say how they look."""
    from pxr import Usd, UsdShade

    found = []
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        if prim.IsA(UsdShade.Material):
            material = read_material(prim, names.name(prim))
            found += [material] if material is not None else []
    return tuple(found)


def _ids(prims: list[str], next_id: int) -> list[str]:
    """An id for each prim: its name, or a new number where that is taken."""
    used: set[str] = set()
    fresh = max([next_id, *(number_of_id(prim) + 1 for prim in prims)])
    result = []
    for prim in pieces(prims):
        if prim in used:
            prim, fresh = f"part{fresh}", fresh + 1
        used.add(prim)
        result.append(prim)
    return result


def _believable(parts: list[Part]) -> tuple[Part, ...]:
    """The parts without what cannot be: attached to what is not there or in a circle, sharing a cage that differs."""
    above = {part.id: part.attached for part in parts}
    first: dict[str, Part] = {}
    result = []
    for part in parts:
        seen, here = {part.id}, part.attached
        while here and here in above and here not in seen:
            seen.add(here)
            here = above[here]
        if here or (part.attached and part.attached not in above):
            part = replace(part, attached="")
            above[part.id] = ""
        model = first.setdefault(part.shared, part) if part.shared else part
        if model is not part:
            same = _same_cage(model.mesh, part.mesh) and json.dumps(part_settings_of(model)["steps"]) == json.dumps(
                part_settings_of(part)["steps"]
            )
            # One cage for all, as it was before it was saved.
            part = replace(part, mesh=model.mesh, steps=model.steps) if same else replace(part, shared="")
        result.append(part)
    return tuple(result)


def _same_cage(one: Mesh, other: Mesh) -> bool:
    a, b = one.topology, other.topology
    return (
        np.array_equal(one.points, other.points)
        and np.array_equal(a.face_offsets, b.face_offsets)
        and np.array_equal(a.corners, b.corners)
        and np.array_equal(a.wires, b.wires)
    )


def _read_part(geometry: Any, name: str, materials: _MaterialNames) -> Part:
    from pxr import UsdGeom

    prim = geometry.GetPrim()

    def values(attribute: Any, dtype: type) -> np.ndarray:
        found = attribute.Get() if attribute else None
        array: np.ndarray = np.array(found if found is not None else [], dtype=dtype)
        if dtype is np.float64 and not np.isfinite(array).all():
            raise FileError(f"its {attribute.GetName()} has a number that is not finite.")
        return array

    sizes = values(geometry.GetFaceVertexCountsAttr(), np.int64)
    corners = values(geometry.GetFaceVertexIndicesAttr(), np.int64)
    points = values(geometry.GetPointsAttr(), np.float64).reshape(-1, 3)
    exact = values(prim.GetAttribute("levelloop:points"), np.float64).reshape(-1, 3)
    # Another program may have moved the points; ours count only where they still say the same.
    if exact.shape == points.shape and np.array_equal(exact.astype(np.float32), points.astype(np.float32)):
        points = exact
    if len(sizes) and (sizes.min() < 3 or sizes.sum() != len(corners)):
        raise MeshError(f"its faces need {sizes.sum()} corners, at least 3 each, but it lists {len(corners)}.")
    wires = values(prim.GetAttribute("levelloop:wires"), np.int64)
    topology = Topology(np.concatenate(([0], np.cumsum(sizes))), corners, len(points), wires[: len(wires) // 2 * 2])
    mesh = Mesh(topology, points, **read_uv(geometry, topology, values))
    mesh = _with_tags(mesh, geometry, values, materials)
    if geometry.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded:
        mesh = flipped(mesh, np.ones(mesh.n_faces, dtype=np.bool_))[0]
    own = prim.GetAttribute("levelloop:part")
    settings = read_part_settings(own.Get() if own else None)
    # What is not to be smoothed is a cage shown as it is.
    as_it_is = not own and geometry.GetSubdivisionSchemeAttr().Get() == UsdGeom.Tokens.none
    helper = geometry.ComputePurpose() == UsdGeom.Tokens.guide if settings.helper is None else settings.helper
    return Part(
        "",
        name,
        mesh,
        level=0 if as_it_is else settings.level,
        limit=settings.limit,
        visible=geometry.ComputeVisibility() != UsdGeom.Tokens.invisible,
        locked=settings.locked,
        helper=helper,
        accepted=settings.accepted,
        group=settings.group,
        shared=settings.shared,
        attached=settings.attached,
        steps=steps_of(settings.steps),
        **_tint(geometry, settings, values),
    )


def _put(part: Part, world: np.ndarray) -> Part:
    """A part at its place; one that is scaled to nothing there lies flat in the world."""
    stretches = np.linalg.svd(world[:3, :3], compute_uv=False)
    if stretches[2] > FLATTENED * max(float(stretches[0]), SMALLEST):
        return replace(part, transform=world)
    return replace(part, mesh=part.mesh.with_points(part.mesh.points @ world[:3, :3] + world[3, :3]))


def _tint(geometry: Any, settings: PartSettings, values: Any) -> dict[str, Any]:
    """Colour and opacity: the stage's, exact where it still says the same as our own."""
    result: dict[str, Any] = {}
    colours = values(geometry.GetDisplayColorAttr(), np.float64).reshape(-1, 3)
    if len(colours):
        result["colour"] = "#" + "".join(f"{round(255 * min(max(c, 0), 1)):02X}" for c in colours[0].tolist())
    opacity = values(geometry.GetDisplayOpacityAttr(), np.float64)
    shown = min(max(float(opacity[0]), 0.0), 1.0) if len(opacity) == 1 else 1.0
    kept = settings.opacity
    result["opacity"] = kept if kept is not None and np.float32(kept) == np.float32(shown) else shown
    return result


def _with_tags(mesh: Mesh, geometry: Any, values: Any, materials: _MaterialNames) -> Mesh:
    topology = mesh.topology

    def own(name: str) -> Any:
        return geometry.GetPrim().GetAttribute(f"levelloop:{name}")

    def exact(name: str, coarse: np.ndarray) -> np.ndarray:
        """Our own digits of numbers that USD keeps in single precision, where both still say the same."""
        fine = values(own(name), np.float64)
        return fine if np.array_equal(fine.astype(np.float32), coarse.astype(np.float32)) else coarse

    indices = values(geometry.GetCreaseIndicesAttr(), np.int64)
    lengths = values(geometry.GetCreaseLengthsAttr(), np.int64)
    sharpness = exact("creaseSharpnesses", values(geometry.GetCreaseSharpnessesAttr(), np.float64))
    creases = np.zeros(topology.n_edges)
    if len(lengths):
        if lengths.min() < 2 or lengths.sum() != len(indices):
            raise FileError("its crease lengths don't fit its crease points.")
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
            raise FileError("its crease weights don't fit its creases.")
        creases[edges[edges >= 0]] = each[edges >= 0]
    corner_indices = values(geometry.GetCornerIndicesAttr(), np.int64)
    corner_values = exact("cornerSharpnesses", values(geometry.GetCornerSharpnessesAttr(), np.float64))
    corners = np.zeros(mesh.n_points)
    if len(corner_indices):
        if (
            len(corner_indices) != len(corner_values)
            or corner_indices.min() < 0
            or corner_indices.max() >= mesh.n_points
        ):
            raise FileError("its sharp corners name points that are not there.")
        corners[corner_indices] = corner_values
    material, names, sets = _subsets(geometry, topology, materials)
    listed = tuple(str(name) for name in own("materials").Get() or ()) if own("materials") else ()
    if set(names) <= set(listed) and len(set(listed)) == len(listed):
        # In our own order, with those that no face has.
        number = np.array([*(listed.index(name) for name in names), -1], dtype=np.int64)
        material, names = number[material], listed
    holes = values(geometry.GetHoleIndicesAttr(), np.int64)
    curve = own("curve").Get() if own("curve") else ""
    ours: dict[str, Any] = {tag.name: _own_tag(tag, mesh, values(own(tag.own), np.float64)) for tag in TAGS if tag.own}
    return replace(
        mesh,
        crease_sharpness=np.clip(creases, CREASE.least, CREASE.most),
        corner_sharpness=np.clip(corners, CORNER.least, CORNER.most),
        material=material,
        materials=names,
        scheme=_scheme(geometry),
        hole=mask_of(holes[(holes >= 0) & (holes < mesh.n_faces)], mesh.n_faces),
        sets=sets,
        curve=_curve_kind(curve),
        **ours,
    )


def _own_tag(tag: Tag, mesh: Mesh, stored: np.ndarray) -> np.ndarray | None:
    """A tag that is ours alone: elements it is true of, edges by the pairs of their points; or a number for each."""
    if len(stored) == 0:
        return None
    count = mesh.count(tag.on)
    if tag.type is not np.bool_:
        return np.clip(stored, tag.least, tag.most).astype(tag.type) if len(stored) == count else None
    members = stored.astype(np.int64)
    if tag.on == "edges":
        members = mesh.topology.find_edges(_pairs(members))
    return mask_of(members[(members >= 0) & (members < count)], count)


def _subsets(
    geometry: Any, topology: Topology, materials: _MaterialNames
) -> tuple[np.ndarray, tuple[str, ...], tuple[NamedSet, ...]]:
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
            label = materials.name(bound.GetPrim())
            if label not in names:
                names.append(label)
            material[indices] = names.index(label)
            continue
        if kind == "edge":
            kept = subset.GetPrim().GetAttribute("levelloop:wires")
            wires = kept.Get() if kept else None
            indices = np.concatenate((indices, np.array(wires or [], dtype=np.int64)))
            indices = topology.find_edges(_pairs(indices))
            indices = indices[indices >= 0]
        label = subset.GetPrim().GetDisplayName() or subset.GetPrim().GetName()
        sets.append(NamedSet(label, f"{kind}s", indices))  # type: ignore[arg-type]
    kept = geometry.GetPrim().GetAttribute("levelloop:emptySets")
    for said in (kept.Get() or []) if kept else []:
        kind, _, label = str(said).partition(" ")
        if label and kind in KINDS:
            sets.append(NamedSet(label, kind, np.zeros(0, dtype=np.int64)))
    return material, tuple(names), tuple(sets)


def _scheme(geometry: Any) -> Scheme:
    boundary, triangles = geometry.GetInterpolateBoundaryAttr().Get(), geometry.GetTriangleSubdivisionRuleAttr().Get()
    uv = geometry.GetFaceVaryingLinearInterpolationAttr().Get()
    rule = geometry.GetPrim().GetAttribute("levelloop:creaseRule")
    creases = rule.Get() if rule else None
    return Scheme(
        boundary if boundary in BOUNDARIES else "edgeAndCorner",
        triangles if triangles in TRIANGLE_RULES else "catmullClark",
        uv if uv in UV_RULES else "cornersPlus1",
        creases if creases in CREASE_RULES else "uniform",
    )


def _pairs(values: np.ndarray) -> np.ndarray:
    return values[: len(values) // 2 * 2].reshape(-1, 2)


def _to_ours(stage: Any) -> np.ndarray:
    """From the stage's units and up axis to millimetres and Z up, for row vectors: (4, 4)."""
    from pxr import UsdGeom

    matrix = np.eye(4)
    factor = UsdGeom.GetStageMetersPerUnit(stage) / METRES_PER_MILLIMETRE
    if not (np.isfinite(factor) and 1e-9 < factor < 1e12):
        raise FileError("Its unit of length (metersPerUnit) cannot be.")
    if not np.isclose(factor, 1.0):
        matrix[:3, :3] *= factor
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y:
        matrix = matrix @ np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]], dtype=np.float64)
    return matrix


def _check_start(path: Path) -> None:
    """Raises FileError for a file that is missing or plainly no stage, before the library complains at length."""
    check_regular(path)
    with path.open("rb") as stream:
        start = stream.read(8)
    if not start.startswith((b"#usda", b"PXR-USDC", b"PK")):
        raise FileError(f"{path.name} is damaged or no USD file.")


def _curve_kind(word: Any) -> Literal["", "straight", "smooth"]:
    if word == "straight":
        return "straight"
    return "smooth" if word == "smooth" else ""
