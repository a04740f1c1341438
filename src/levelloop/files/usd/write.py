"""The document as an OpenUSD stage: each part a UsdGeom Mesh that holds its cage.

Creases, corner sharpness, scheme and transform are USD's own; what USD has no word for stands in namespaced
levelloop: attributes.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Container, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from levelloop.core.arrays import chains
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.tags import TAGS
from levelloop.core.recipe.chain import build
from levelloop.core.surface.surface import faces_at, without_holes
from levelloop.document.document import Document, new_part
from levelloop.document.materials import SHIPPED
from levelloop.document.part import Part
from levelloop.files.errors import FileError
from levelloop.files.shading import shown_normals
from levelloop.files.usd import library
from levelloop.files.usd.cameras import write_cameras
from levelloop.files.usd.materials import write_material
from levelloop.files.usd.settings import part_settings_of, settings_of
from levelloop.files.usd.uv import identifier, write_uv

METRES_PER_MILLIMETRE = 0.001
# Faces of what recipes make, in one file: as many as are written within half a second.
MOST_RESULT = {".usda": 50_000, ".usdc": 200_000}
# The families of subsets that are named sets; a family is of one kind.
_SETS = {"points": "pointSets", "edges": "edgeSets", "faces": "faceSets"}


def write_usd(path: Path, document: Document, results: bool = True) -> None:
    """Writes the document to an empty or existing file path.

    results: what recipes make of the cages too, for other programs, as far as that is not too large.
    """
    too_large = {part.id for part in without_result(document, path.suffix)} if results else set()
    shown = {part.id for part in document.parts if part.recipe and results} - too_large
    _write(path, lambda stage: _write_document(stage, document, shown))


def without_result(document: Document, ending: str) -> list[Part]:
    """The parts with a recipe that are saved as their cages alone: with their results the file would be too large."""
    left, found = MOST_RESULT[ending.lower()], []
    for part in document.parts:
        if part.recipe:
            faces = faces_at(part.stepped.topology, part.level)
            if faces > left:
                found.append(part)
            else:
                left -= int(faces)
    return found


def write_usd_meshes(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes named meshes as they are, not to be smoothed again, with the normals that are shown; wires as curves."""
    document = Document()
    for name, mesh in meshes:
        document = document.with_part(replace(new_part(document, mesh, name), level=0))

    def write(stage: Any) -> None:
        materials = _Names("/Model/Materials")
        for part in document.parts:
            _write_made(stage, part, part.mesh, part.id, materials)

    _write(path, write)


# Helpers


def _write(path: Path, fill: Callable[[Any], None]) -> None:
    """Writes a stage that is filled by a function; Z up, in millimetres, everything under one root."""
    with library():
        from pxr import Sdf, Usd, UsdGeom

        layer = Sdf.Layer.CreateAnonymous(path.suffix)
        stage = Usd.Stage.Open(layer)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, METRES_PER_MILLIMETRE)
        root = UsdGeom.Xform.Define(stage, "/Model")
        stage.SetDefaultPrim(root.GetPrim())
        fill(stage)
        if not layer.Export(str(path)):
            raise FileError(f"{path} cannot be written.")


class _Names:
    """Prims under one path for names of any kind: two names never share one."""

    def __init__(self, root: str) -> None:
        self._root = root
        self._known: dict[str, str] = {}

    def path(self, name: str) -> str:
        """The path that stands for a name."""
        if name not in self._known:
            plain, taken = identifier(name), set(self._known.values())
            numbered = (plain if number == 1 else f"{plain}_{number}" for number in range(1, len(taken) + 2))
            self._known[name] = next(path for path in (f"{self._root}/{one}" for one in numbered) if path not in taken)
        return self._known[name]


def _write_document(stage: Any, document: Document, shown: Container[str]) -> None:
    """The whole document; shown: the ids of the parts that are written with what their recipes make of them."""
    from pxr import Sdf

    _set(stage.GetDefaultPrim(), "settings", Sdf.ValueTypeNames.String, json.dumps(settings_of(document)))
    taken = {part.id for part in document.parts} | {"Materials", "Cameras"}
    materials = _Names("/Model/Materials")
    # In their own order, before parts that have some of them.
    for material in document.materials:
        write_material(stage, materials.path(material.name), material)
    for part in document.parts:
        _write_part(stage, part, taken, materials, part.id in shown)
    known = {material.name for material in document.materials}
    used = dict.fromkeys(name for part in document.parts for name in part.mesh.materials if name not in known)
    for material in SHIPPED:
        if material.name in used:
            # Other readers see it; here it is what the program ships.
            write_material(stage, materials.path(material.name), material, is_shipped=True)
    write_cameras(stage, document.cameras)


def _write_part(stage: Any, part: Part, taken: set[str], materials: _Names, with_result: bool) -> None:
    """The part's cage, and where it is wanted what its recipe makes of it, which any reader shows.

    taken: names of the stage that stand for something else.
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
    _write_shape(stage, geometry, mesh, materials)
    _write_look(geometry, part)
    # USD keeps points in single precision; the cage's own digits stand beside them.
    _set(prim, "points", Sdf.ValueTypeNames.Double3Array, _doubles(mesh.points))
    creased = np.flatnonzero(mesh.creases > 0)
    if len(creased):
        geometry.CreateCreaseIndicesAttr(_integers(topology.edges[creased].ravel()))
        geometry.CreateCreaseLengthsAttr(_integers(np.full(len(creased), 2)))
        geometry.CreateCreaseSharpnessesAttr(_floats(mesh.creases[creased]))
        _set(prim, "creaseSharpnesses", Sdf.ValueTypeNames.DoubleArray, mesh.creases[creased].tolist())
    sharpened = np.flatnonzero(mesh.corner_sharpness > 0)
    if len(sharpened):
        geometry.CreateCornerIndicesAttr(_integers(sharpened))
        geometry.CreateCornerSharpnessesAttr(_floats(mesh.corner_sharpness[sharpened]))
        _set(prim, "cornerSharpnesses", Sdf.ValueTypeNames.DoubleArray, mesh.corner_sharpness[sharpened].tolist())
    holes = np.flatnonzero(mesh.hole)
    if len(holes):
        geometry.CreateHoleIndicesAttr(_integers(holes))
    _write_own_tags(prim, mesh)
    _set(prim, "part", Sdf.ValueTypeNames.String, json.dumps(part_settings_of(part)))
    _write_sets(geometry, mesh)
    if with_result:
        geometry.CreatePurposeAttr(UsdGeom.Tokens.guide)
        name = f"{part.id}_result"
        while name in taken:
            name += "_"
        taken.add(name)
        _write_result(stage, part, name, materials)
    elif part.helper:
        geometry.CreatePurposeAttr(UsdGeom.Tokens.guide)


def _write_result(stage: Any, part: Part, name: str, materials: _Names) -> None:
    """What the recipe makes of a part, at its level; steps that cannot run are left out."""
    from pxr import Sdf

    mesh = without_holes(build(part.mesh, part.links(part.level, part.limit)).mesh)
    prim = _write_made(stage, part, mesh, name, materials)
    _set(prim, "resultOf", Sdf.ValueTypeNames.String, part.id)


def _write_made(stage: Any, part: Part, mesh: Mesh, name: str, materials: _Names) -> Any:
    """A mesh that is shown as it is, with its normals; its wires as straight curves beside it."""
    from pxr import UsdGeom

    geometry = UsdGeom.Mesh.Define(stage, f"/Model/{name}")
    geometry.GetPrim().SetDisplayName(part.name)
    geometry.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    _write_shape(stage, geometry, mesh, materials)
    _write_look(geometry, part)
    if mesh.n_faces:
        geometry.CreateNormalsAttr(_vectors(shown_normals(mesh)))
        geometry.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying)
    if part.helper:
        geometry.CreatePurposeAttr(UsdGeom.Tokens.guide)
    if len(mesh.topology.wires):
        runs = chains(mesh.topology.wires, mesh.n_points)
        curves = UsdGeom.BasisCurves.Define(stage, f"/Model/{name}_curves")
        curves.GetPrim().SetDisplayName(part.name)
        curves.CreateTypeAttr(UsdGeom.Tokens.linear)
        ordered = [np.append(run, run[0]) if closed else run for run, closed in runs]
        curves.CreateCurveVertexCountsAttr(_integers(np.array([len(run) for run in ordered])))
        curves.CreatePointsAttr(_vectors(mesh.points[np.concatenate(ordered)]))
        _write_look(curves, part)
    return geometry.GetPrim()


def _write_shape(stage: Any, geometry: Any, mesh: Mesh, materials: _Names) -> None:
    """Points, faces, UV and materials."""
    from pxr import UsdGeom, UsdShade

    geometry.CreateFaceVaryingLinearInterpolationAttr(mesh.scheme.uv)
    geometry.CreatePointsAttr(_vectors(mesh.points))
    geometry.CreateFaceVertexCountsAttr(_integers(mesh.topology.face_sizes))
    geometry.CreateFaceVertexIndicesAttr(_integers(mesh.topology.corners))
    write_uv(geometry, mesh)
    if mesh.n_points:
        geometry.CreateExtentAttr(_vectors(np.stack((mesh.points.min(axis=0), mesh.points.max(axis=0)))))
    for index, name in enumerate(mesh.materials):
        faces = np.flatnonzero(mesh.material == index)
        if len(faces) == 0:
            continue
        subset = UsdGeom.Subset.CreateGeomSubset(
            geometry, f"material_{index}", UsdGeom.Tokens.face, _integers(faces), UsdShade.Tokens.materialBind
        )
        material = UsdShade.Material.Define(stage, materials.path(name))
        material.GetPrim().SetDisplayName(name)
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(material)
    if (mesh.material >= 0).any():
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


def _write_own_tags(prim: Any, mesh: Mesh) -> None:
    """What USD has no word for: wires, seams, soft edges, turned diagonals, the rule along uneven creases."""
    from pxr import Sdf

    if len(mesh.topology.wires):
        _set(prim, "wires", Sdf.ValueTypeNames.IntArray, _integers(mesh.topology.wires.ravel()))
    for tag in TAGS:
        values = mesh.tagged(tag)
        # Radii that are all as they are usual are something else than none.
        is_told = tag.type is np.float64 and getattr(mesh, tag.name) is not None
        if not tag.own or ((values == tag.default).all() and not is_told):
            continue
        if tag.type is np.bool_:
            members = np.flatnonzero(values)
            stored = mesh.topology.edges[members].ravel() if tag.on == "edges" else members
            _set(prim, tag.own, Sdf.ValueTypeNames.IntArray, _integers(stored))
        elif tag.type is np.int64:
            _set(prim, tag.own, Sdf.ValueTypeNames.IntArray, _integers(values))
        else:
            _set(prim, tag.own, Sdf.ValueTypeNames.DoubleArray, values.tolist())
    if mesh.materials:
        # In their order, and those that no face has any more.
        _set(prim, "materials", Sdf.ValueTypeNames.StringArray, list(mesh.materials))
    if mesh.curve:
        _set(prim, "curve", Sdf.ValueTypeNames.Token, mesh.curve)
    if mesh.scheme.creases != "uniform":
        _set(prim, "creaseRule", Sdf.ValueTypeNames.Token, mesh.scheme.creases)


def _write_sets(geometry: Any, mesh: Mesh) -> None:
    """Named sets as subsets, edges by the pairs of their points."""
    from pxr import Sdf, UsdGeom

    # A family of subsets without an index is none to USD.
    empty = [f"{named.kind} {named.name}" for named in mesh.sets if not len(named.indices)]
    if empty:
        _set(geometry.GetPrim(), "emptySets", Sdf.ValueTypeNames.StringArray, empty)
    used: set[str] = set()
    for number, named in enumerate(named for named in mesh.sets if len(named.indices)):
        indices, wires = named.indices, named.indices[:0]
        if named.kind == "edges":
            is_wire = mesh.topology.wire_edges[indices]
            wires = mesh.topology.edges[indices[is_wire]].ravel()
            indices = mesh.topology.edges[indices[~is_wire]].ravel()
        called = identifier(named.name)
        while called in used:
            called = f"{called}_{number}"
        used.add(called)
        subset = UsdGeom.Subset.CreateGeomSubset(
            geometry, f"set_{called}", named.kind[:-1], _integers(indices), _SETS[named.kind]
        )
        subset.GetPrim().SetDisplayName(named.name)
        if len(wires):
            # To USD they are no edges of the mesh.
            _set(subset.GetPrim(), "wires", Sdf.ValueTypeNames.IntArray, _integers(wires))


def _set(prim: Any, name: str, kind: Any, value: Any) -> None:
    prim.CreateAttribute(f"levelloop:{name}", kind, custom=True).Set(value)


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
