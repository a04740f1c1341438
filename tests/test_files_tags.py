"""Tags through files: everything of ours both ways, and what foreign files say about UV, holes, subsets and groups."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from conftest import CAGES, richly_tagged
from pxr import Sdf, Usd, UsdGeom

from levelloop.cli import cli
from levelloop.core.forms.primitives import box, plane
from levelloop.core.mesh.mesh import UV_RULES, Mesh, NamedSet, Scheme
from levelloop.core.surface.surface import smooth
from levelloop.demo.build import demo_document
from levelloop.document.document import Document, new_part
from levelloop.files import notes_on, read_document, write_document, write_meshes
from levelloop.files.obj import read_obj


def document_of(mesh: Mesh) -> Document:
    return Document().with_part(new_part(Document(), mesh, "cage"))


def assert_same_sets(one: Mesh, other: Mesh) -> None:
    assert {(s.name, s.kind): s.indices.tolist() for s in one.sets} == {
        (s.name, s.kind): s.indices.tolist() for s in other.sets
    }


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
@pytest.mark.parametrize("name", list(CAGES))
def test_every_tag_comes_back(name: str, ending: str, tmp_path: Path) -> None:
    for seed, rule in enumerate(UV_RULES):
        cage = replace(richly_tagged(CAGES[name], seed), scheme=Scheme(uv=rule, creases="chaikin"))
        write_document(document_of(cage), tmp_path / f"cage{ending}")
        mesh = read_document(tmp_path / f"cage{ending}").part.mesh
        assert np.array_equal(mesh.topology.wires, cage.topology.wires)
        assert np.array_equal(mesh.creases, cage.creases) and np.array_equal(mesh.seams, cage.seams)
        assert np.array_equal(mesh.hidden, cage.hidden)
        assert np.array_equal(mesh.hole, cage.hole) and np.array_equal(mesh.diagonal, cage.diagonal)
        assert mesh.uv is not None and cage.uv is not None and np.array_equal(mesh.uv, cage.uv)
        assert mesh.scheme == cage.scheme
        assert_same_sets(mesh, cage)


def test_saved_stages_pass_the_checks_of_usd(tmp_path: Path) -> None:
    # OpenUSD's own validators, all that come with the library.
    from pxr import UsdValidation

    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    documents = [demo_document(), *(document_of(richly_tagged(CAGES[name], 1)) for name in ("grid", "n-gon caps"))]
    for number, document in enumerate(documents):
        path = tmp_path / f"{number}.usda"
        write_document(document, path)
        stage = Usd.Stage.Open(str(path))
        errors = [error.GetMessage() for error in context.Validate(stage)]
        assert errors == []
        for prim in stage.Traverse():
            if UsdGeom.Subset.GetGeomSubsets(UsdGeom.Mesh(prim), UsdGeom.Tokens.face, "materialBind"):
                valid, why = UsdGeom.Subset.ValidateFamily(UsdGeom.Mesh(prim), UsdGeom.Tokens.face, "materialBind")
                assert valid, why


def foreign(path: Path) -> tuple[Usd.Stage, UsdGeom.Mesh]:
    stage = Usd.Stage.CreateNew(str(path))
    mesh = UsdGeom.Mesh.Define(stage, "/thing")
    mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (2, 0, 0), (0, 1, 0), (1, 1, 0), (2, 1, 0)])
    mesh.CreateFaceVertexCountsAttr([4, 4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 4, 3, 1, 2, 5, 4])
    return stage, mesh


def test_a_foreign_stage_with_holes_and_subsets(tmp_path: Path) -> None:
    stage, mesh = foreign(tmp_path / "foreign.usda")
    mesh.CreateHoleIndicesAttr([1])
    mesh.CreateFaceVaryingLinearInterpolationAttr("boundaries")
    UsdGeom.Subset.CreateGeomSubset(mesh, "left", UsdGeom.Tokens.face, [0])
    UsdGeom.Subset.CreateGeomSubset(mesh, "tips", UsdGeom.Tokens.point, [0, 5])
    UsdGeom.Subset.CreateGeomSubset(mesh, "rail", UsdGeom.Tokens.edge, [4, 1, 0, 5])
    UsdGeom.Subset.CreateGeomSubset(mesh, "wrong", UsdGeom.Tokens.face, [7])
    stage.Save()
    cage = read_document(tmp_path / "foreign.usda").part.mesh
    assert cage.hole.tolist() == [False, True] and cage.scheme.uv == "boundaries"
    assert smooth(cage, 1).n_faces == 4
    found = {named.name: named for named in cage.sets}
    assert set(found) == {"left", "tips", "rail"}
    assert found["tips"].indices.tolist() == [0, 5]
    # The pair 0, 5 is no edge; the other one is.
    assert cage.topology.edges[found["rail"].indices].tolist() == [[1, 4]]


@pytest.mark.parametrize("interpolation", ["faceVarying", "vertex"])
@pytest.mark.parametrize("orientation", ["rightHanded", "leftHanded"])
def test_foreign_uv_lands_on_its_corners(interpolation: str, orientation: str, tmp_path: Path) -> None:
    stage, mesh = foreign(tmp_path / "foreign.usda")
    mesh.CreateOrientationAttr(orientation)
    indices = [0, 1, 4, 3, 1, 2, 5, 4] if interpolation == "faceVarying" else list(range(6))
    table = [(0.1 * i, 0.2 * i) for i in range(6)]
    primvar = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("map", Sdf.ValueTypeNames.TexCoord2fArray, interpolation)
    primvar.Set(table)
    primvar.SetIndices(indices)
    stage.Save()
    cage = read_document(tmp_path / "foreign.usda").part.mesh
    assert cage.uv is not None
    assert cage.uv == pytest.approx(np.array(table)[cage.topology.corners], abs=1e-6)


def test_uv_in_a_saved_stage_is_what_usd_means(tmp_path: Path) -> None:
    sheet = plane((2, 2), (2, 2))
    uv = sheet.points[sheet.topology.corners][:, :2] / 2 + 0.5
    write_document(document_of(replace(sheet, uv=uv)), tmp_path / "sheet.usda")
    stage = Usd.Stage.Open(str(tmp_path / "sheet.usda"))
    mesh = next(prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    st = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st")
    assert st.GetInterpolation() == "faceVarying" and len(st.Get()) == 9
    assert np.array(st.ComputeFlattened()) == pytest.approx(uv)


def test_a_rule_usd_cannot_state_is_said_on_saving(tmp_path: Path) -> None:
    plain = document_of(box())
    even = document_of(replace(box(), scheme=Scheme(creases="chaikin")))
    path = Path("cage.usda")
    assert notes_on(plain, path) == [] and "“cage”" in notes_on(even, path)[0]
    script = tmp_path / "script.json"
    script.write_text('[{"do": "add_box"}, {"do": "set_scheme", "creases": "chaikin"}]', encoding="utf-8")
    done = CliRunner().invoke(cli, ["run", str(script), "-o", str(tmp_path / "box.usda")])
    assert done.exit_code == 0 and "Chaikin" in done.stderr


def test_obj_keeps_uv_groups_and_materials(tmp_path: Path) -> None:
    cage = richly_tagged(CAGES["quad caps"], 3)
    sets = (NamedSet("two words", "faces", np.array([0, 1, 7])), NamedSet("rim", "faces", np.array([1, 2])))
    cage = replace(cage, sets=sets)
    write_meshes([("jar", cage), ("lid", cage)], tmp_path / "two.obj")
    for _, mesh in read_obj(tmp_path / "two.obj"):
        assert np.array_equal(mesh.points, cage.points) and np.array_equal(mesh.uv, cage.uv)
        assert np.array_equal(mesh.topology.corners, cage.topology.corners)
        assert np.array_equal(mesh.topology.wires, cage.topology.wires)
        names = [mesh.materials[i] if i >= 0 else "" for i in mesh.material]
        assert names == [cage.materials[i] if i >= 0 else "" for i in cage.material]
        assert {s.name: s.indices.tolist() for s in mesh.sets} == {"two_words": [0, 1, 7], "rim": [1, 2]}


CORNERS = {
    "uv": "f 1/1 2/2 3/3",
    "uv and normals": "f 1/1/1 2/2/1 3/3/1",
    "backwards": "f -3/-3 -2/-2 -1/-1",
    "over two lines": "f 1/1 2/2 \\\n3/3",
    "mixed": "f 1/1/1 2/2 3/3",
}


@pytest.mark.parametrize("name", list(CORNERS))
def test_obj_corners_however_they_are_written(name: str, tmp_path: Path) -> None:
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 0.5 0\nvt 0 0.25 0\nvn 0 0 1\n" + CORNERS[name] + "\n"
    (tmp_path / "a.obj").write_text(text.replace("vt 0 0.25 0", "vt 0 0.25"), encoding="utf-8")
    mesh = read_obj(tmp_path / "a.obj")[0][1]
    assert mesh.uv is not None and mesh.uv.tolist() == [[0, 0], [0.5, 0], [0, 0.25]]
    (tmp_path / "b.obj").write_text(text.replace("vt 0 0\n", "vt 0 0 0\n").replace("0.5 0\n", "0.5 0 0\n"), "utf-8")
    again = read_obj(tmp_path / "b.obj")[0][1]
    assert again.uv is not None and again.uv.tolist() == mesh.uv.tolist()


def test_obj_with_normals_only_or_partly_without_uv(tmp_path: Path) -> None:
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvn 0 0 1\nf 1//1 2//1 3//1\n"
    (tmp_path / "a.obj").write_text(text, encoding="utf-8")
    assert read_obj(tmp_path / "a.obj")[0][1].uv is None
    (tmp_path / "b.obj").write_text(text + "vt 0.5 0.5\nf 3/1 2/1 1\n", encoding="utf-8")
    mesh = read_obj(tmp_path / "b.obj")[0][1]
    assert mesh.uv is not None and mesh.uv.tolist() == [[0, 0]] * 3 + [[0.5, 0.5]] * 2 + [[0, 0]]
