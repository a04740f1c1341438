"""Files there and back, read by other libraries, and what happens to damaged ones."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import trimesh
from conftest import CAGES
from pxr import Sdf, Usd, UsdGeom

import levelloop as ll
from levelloop.core.mesh.mesh import Mesh, Scheme
from levelloop.core.surface.surface import smooth
from levelloop.demo.build import demo_document
from levelloop.document.document import Document, new_part
from levelloop.files import read_document, write_document, write_meshes
from levelloop.files.errors import FileError
from levelloop.files.obj import read_obj


def document_of(mesh: Mesh, name: str = "cage") -> Document:
    return Document().with_part(new_part(Document(), mesh, name))


def creased_box() -> Mesh:
    cage = CAGES["box with cells"]
    creases = np.linspace(0, 10, cage.n_edges)
    return Mesh(
        cage.topology,
        cage.points / 3,
        creases,
        np.linspace(0, 5, cage.n_points),
        np.arange(cage.n_faces) % 2,
        ("brass", "old wood"),
        Scheme("edgeOnly", "smooth"),
    )


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
def test_a_document_comes_back_exactly(tmp_path: Path, ending: str) -> None:
    document = demo_document()
    write_document(document, tmp_path / f"demo{ending}")
    again = read_document(tmp_path / f"demo{ending}")
    assert again.active == document.active
    for before, after in zip(document.parts, again.parts, strict=True):
        assert (before.id, before.name, before.level, before.limit) == (after.id, after.name, after.level, after.limit)
        assert (before.colour, before.visible) == (after.colour, after.visible)
        assert np.array_equal(before.mesh.points, after.mesh.points)
        assert np.array_equal(before.mesh.topology.corners, after.mesh.topology.corners)
        assert before.mesh.creases == pytest.approx(after.mesh.creases, abs=1e-6)
        assert np.array_equal(before.mesh.material, after.mesh.material)
        assert before.mesh.materials == after.mesh.materials


def test_every_cage_of_the_family_comes_back(cage: Mesh, tmp_path: Path) -> None:
    write_document(document_of(cage), tmp_path / "cage.usdc")
    mesh = read_document(tmp_path / "cage.usdc").part.mesh
    assert np.array_equal(mesh.points, cage.points)
    assert np.array_equal(mesh.topology.face_offsets, cage.topology.face_offsets)
    assert np.array_equal(mesh.topology.corners, cage.topology.corners)


def test_tags_come_back(tmp_path: Path) -> None:
    cage = creased_box()
    write_document(document_of(cage), tmp_path / "cage.usda")
    mesh = read_document(tmp_path / "cage.usda").part.mesh
    assert mesh.creases == pytest.approx(cage.creases, abs=1e-6)
    assert mesh.corner_sharpness == pytest.approx(cage.corner_sharpness, abs=1e-6)
    assert mesh.scheme == cage.scheme
    assert mesh.materials == cage.materials and np.array_equal(mesh.material, cage.material)


def test_pxr_reads_the_creases_as_usd_means_them(tmp_path: Path) -> None:
    # OpenUSD's mesh schema: creaseIndices in runs of creaseLengths, one sharpness a run; 10 is infinitely sharp.
    cage = creased_box()
    write_document(document_of(cage), tmp_path / "cage.usda")
    stage = Usd.Stage.Open(str(tmp_path / "cage.usda"))
    assert UsdGeom.GetStageUpAxis(stage) == "Z"
    assert UsdGeom.GetStageMetersPerUnit(stage) == pytest.approx(0.001)
    mesh = next(UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    assert mesh.GetSubdivisionSchemeAttr().Get() == "catmullClark"
    assert mesh.GetInterpolateBoundaryAttr().Get() == "edgeOnly"
    assert mesh.GetTriangleSubdivisionRuleAttr().Get() == "smooth"
    indices, lengths = mesh.GetCreaseIndicesAttr().Get(), mesh.GetCreaseLengthsAttr().Get()
    assert sum(lengths) == len(indices) == 2 * (cage.creases > 0).sum()
    pairs = np.array(indices).reshape(-1, 2)
    expected = cage.creases[cage.topology.find_edges(pairs)]
    assert np.array(mesh.GetCreaseSharpnessesAttr().Get()) == pytest.approx(expected, abs=1e-6)
    assert UsdGeom.Mesh.SHARPNESS_INFINITE == 10.0
    valid, why = UsdGeom.Mesh.ValidateTopology(
        mesh.GetFaceVertexIndicesAttr().Get(), mesh.GetFaceVertexCountsAttr().Get(), cage.n_points
    )
    assert valid, why


def test_a_foreign_stage_in_metres_with_y_up(tmp_path: Path) -> None:
    stage = Usd.Stage.CreateNew(str(tmp_path / "foreign.usda"))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    mesh = UsdGeom.Mesh.Define(stage, "/thing")
    mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)])
    mesh.CreateFaceVertexCountsAttr([4])
    mesh.CreateFaceVertexIndicesAttr([0, 3, 2, 1])
    mesh.CreateOrientationAttr(UsdGeom.Tokens.leftHanded)
    mesh.CreateCreaseIndicesAttr([0, 1, 2])
    mesh.CreateCreaseLengthsAttr([3])
    mesh.CreateCreaseSharpnessesAttr([2.5])
    UsdGeom.Xformable(mesh).AddTranslateOp().Set((0, 2, 0))
    stage.Save()
    part = read_document(tmp_path / "foreign.usda").part
    world = part.to_world(part.mesh)
    assert world.points[2] == pytest.approx([1000, 0, 3000])
    assert world.points[0] == pytest.approx([0, 0, 2000])
    assert part.mesh.topology.face(0).tolist() == [0, 1, 2, 3]
    assert part.mesh.creases[part.mesh.topology.find_edges([[0, 1], [1, 2], [2, 3]])].tolist() == [2.5, 2.5, 0]


def test_obj_keeps_polygons_and_parts(tmp_path: Path) -> None:
    meshes = [("drum", CAGES["n-gon caps"]), ("sheet", CAGES["grid"])]
    write_meshes(meshes, tmp_path / "two.obj")
    again = read_obj(tmp_path / "two.obj")
    assert [name for name, _ in again] == ["drum", "sheet"]
    for (_, before), (_, after) in zip(meshes, again, strict=True):
        assert np.array_equal(before.points, after.points)
        assert np.array_equal(before.topology.corners, after.topology.corners)


def test_obj_with_negative_numbers_slashes_and_long_lines(tmp_path: Path) -> None:
    path = tmp_path / "odd.obj"
    path.write_text("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nf -4/1 -3/1 \\\n -2/1 -1/1\n# end\n", encoding="utf-8")
    assert read_obj(path)[0][1].topology.face(0).tolist() == [0, 1, 2, 3]


def test_a_large_coordinate_survives_stl_in_one_piece(tmp_path: Path) -> None:
    far = smooth(CAGES["box"], 2)
    write_meshes([("far", far.with_points(far.points + 5000.0))], tmp_path / "far.stl")
    assert trimesh.load_mesh(tmp_path / "far.stl").is_watertight


def test_stl_comes_back_welded_from_binary_and_text(tmp_path: Path) -> None:
    drum = smooth(CAGES["quad caps"], 1)
    write_meshes([("drum", drum)], tmp_path / "drum.stl")
    mesh = read_document(tmp_path / "drum.stl").part.mesh
    assert mesh.n_points == drum.n_points and not mesh.topology.open_edges.any()
    text = trimesh.load_mesh(tmp_path / "drum.stl").export(file_type="stl_ascii")
    (tmp_path / "text.stl").write_text(text, encoding="ascii")
    again = read_document(tmp_path / "text.stl").part.mesh
    assert (again.n_points, again.n_faces) == (mesh.n_points, mesh.n_faces)


def test_triangles_read_from_stl_pair_back_to_the_quads_they_were(tmp_path: Path) -> None:
    cage = CAGES["box with cells"]
    write_meshes([("cage", cage)], tmp_path / "cage.stl")
    session = ll.Session.open(tmp_path / "cage.stl")
    session.do("to_quads")
    assert session.part.mesh.n_faces == cage.n_faces
    assert (session.part.mesh.topology.face_sizes == 4).all()


def test_ply_keeps_polygons_and_trimesh_reads_it(tmp_path: Path) -> None:
    drum = CAGES["n-gon caps"]
    write_meshes([("drum", drum)], tmp_path / "drum.ply")
    mesh = read_document(tmp_path / "drum.ply").part.mesh
    assert np.array_equal(mesh.points, drum.points)
    assert np.array_equal(mesh.topology.corners, drum.topology.corners)
    box = CAGES["box"]
    write_meshes([("box", box)], tmp_path / "box.ply")
    assert trimesh.load_mesh(tmp_path / "box.ply").volume == pytest.approx(24)


def test_a_packed_stage_with_instances(tmp_path: Path) -> None:
    from pxr import UsdUtils

    stage = Usd.Stage.CreateNew(str(tmp_path / "scene.usda"))
    UsdGeom.SetStageMetersPerUnit(stage, 0.001)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    mesh = UsdGeom.Mesh.Define(stage, "/Library/bolt/shape")
    mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (0, 1, 0)])
    mesh.CreateFaceVertexCountsAttr([3])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
    stage.GetPrimAtPath("/Library").SetSpecifier(Sdf.SpecifierClass)
    for i in range(2):
        copy = UsdGeom.Xform.Define(stage, f"/Scene/copy{i}")
        copy.GetPrim().GetReferences().AddInternalReference("/Library/bolt")
        copy.GetPrim().SetInstanceable(True)
        copy.AddTranslateOp().Set((10.0 * i, 0, 0))
    stage.Save()
    assert UsdUtils.CreateNewUsdzPackage(str(tmp_path / "scene.usda"), str(tmp_path / "scene.usdz"))
    for name in ("scene.usda", "scene.usdz"):
        parts = read_document(tmp_path / name).parts
        assert [part.to_world(part.mesh).points[0].tolist() for part in parts] == [[0, 0, 0], [10, 0, 0]]
        assert len({part.name for part in parts}) == len({part.id for part in parts}) == 2


BAD = {
    "noise.stl": ("solid is not enough", "damaged or no STL"),
    "none.stl": ("solid a\nendsolid a\n", "no triangles"),
    "cut.stl": ("solid a\nvertex 0 0 0\nvertex 1 0 0\nendsolid a\n", "last triangle has 2 corners"),
    "word.stl": ("solid a\nvertex 0 0 x\nvertex 1 0 0\nvertex 0 1 0\nendsolid a\n", "no number"),
    "noise.ply": ("ply or not", "damaged or no PLY"),
    "cut.ply": ("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\n", "damaged or no PLY"),
    "noise.usdz": ("hello", "damaged or no USD"),
    "empty.obj": ("", "holds no points"),
    "gone.obj": ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "names point 8, but there are only 3"),
    "zero.obj": ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n", "line 4: there is no point 0"),
    "short.obj": ("v 0 0\n", "needs three numbers"),
    "two.obj": ("v 0 0 0\nv 1 0 0\nf 1 2\n", "at least three corners"),
    "nan.obj": ("v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not a finite number"),
    "word.obj": ("v 0 0 x\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "no number"),
    "corner.obj": ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf a b c\n", '"a" is no corner'),
    "uv.obj": ("v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/1 2/2 3/1\n", "names texture coordinate 2; there are 1"),
    "back.obj": ("v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/-2 2/-1 3/-1\n", "no texture coordinate -2"),
    "half.obj": ("v 0 0 0\nvt 0.5\n", "line 2: a texture coordinate needs two numbers"),
    "wire.obj": ("v 0 0 0\nv 1 0 0\nl 1 5\n", "names point 5, which is not there"),
    "noise.usda": ("hello", "damaged or no USD"),
    "cut.usda": ('#usda 1.0\ndef Mesh "m" { point3f[] points = [(0,0', "damaged or no USD"),
    "nothing.usda": ("#usda 1.0\n", "holds no mesh"),
    "missing.usda": (
        '#usda 1.0\ndef Mesh "m" { int[] faceVertexCounts = [3] int[] faceVertexIndices = [0, 1, 7]'
        " point3f[] points = [(0,0,0), (1,0,0), (0,1,0)] }",
        "damaged or no USD",
    ),
    "far.usda": (
        '#usda 1.0\ndef Mesh "m"\n{\nint[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 1, 7]\n'
        "point3f[] points = [(0,0,0), (1,0,0), (0,1,0)]\n}\n",
        "names point 7, but there are only 3",
    ),
    "count.usda": (
        '#usda 1.0\ndef Mesh "m"\n{\nint[] faceVertexCounts = [4]\nint[] faceVertexIndices = [0, 1, 2]\n'
        "point3f[] points = [(0,0,0), (1,0,0), (0,1,0)]\n}\n",
        "need 4 corners, at least 3 each, but it lists 3",
    ),
    "picture.png": ("", "cannot be opened"),
}


@pytest.mark.parametrize("name", list(BAD))
def test_damaged_files_are_one_sentence(name: str, tmp_path: Path) -> None:
    text, sentence = BAD[name]
    (tmp_path / name).write_text(text, encoding="utf-8")
    with pytest.raises(FileError, match=sentence) as caught:
        read_document(tmp_path / name)
    assert str(caught.value).endswith(".") and "\n" not in str(caught.value)


def test_truncated_binary_files(tmp_path: Path) -> None:
    write_document(demo_document(), tmp_path / "whole.usdc")
    data = (tmp_path / "whole.usdc").read_bytes()
    for share in (0.2, 0.6, 0.95):
        (tmp_path / "cut.usdc").write_bytes(data[: int(len(data) * share)])
        with pytest.raises(FileError):
            read_document(tmp_path / "cut.usdc")


def test_saving_is_all_or_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session = ll.Session(demo_document())
    target = session.save(tmp_path / "kept.usda")
    before = target.read_bytes()

    def fails(path: Path, document: Document) -> None:
        path.write_text("half", encoding="utf-8")
        raise FileError("The disk is full.")

    from levelloop import files

    monkeypatch.setitem(files.DOCUMENT_WRITERS, ".usda", fails)
    with pytest.raises(FileError):
        session.save()
    assert target.read_bytes() == before
    assert [path.name for path in tmp_path.iterdir() if path.name != "settings"] == ["kept.usda"]
    with pytest.raises(FileError, match="cannot be written"):
        session.save(tmp_path / "no such folder" / "a.usda")
    with pytest.raises(FileError, match="saved as"):
        session.save(tmp_path / "a.stl")


# The command line, as a person runs it


def run(*words: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "levelloop.cli", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)


@pytest.mark.thorough
def test_the_command_line_end_to_end(tmp_path: Path) -> None:
    script = tmp_path / "part.json"
    script.write_text(
        json.dumps(
            [
                {"do": "add_box", "size": ["20 mm", 20, "2 cm"]},
                {"select_where": {"kind": "faces", "normal": [0, 0, 1]}},
                {"do": "extrude", "distance": "5 mm"},
                {"do": "inset", "width": 2},
                {"level": 3},
            ]
        ),
        encoding="utf-8",
    )
    part = tmp_path / "part.usda"
    assert run("run", script, "-o", part).returncode == 0
    review = run("review", part, "--json", "--for", "print")
    report = json.loads(review.stdout)
    assert review.returncode == 0 and report["ready"] and report["purpose"] == "print"
    cage = report["parts"][0]["cage"]
    assert (cage["points"], cage["edges"], cage["faces"], cage["euler"]) == (16, 28, 14, 2)
    assert cage["poles"] == {"3": 8} and report["parts"][0]["findings"][0]["where"]["kind"] == "points"
    assert run("smooth", part, "-o", tmp_path / "part.stl").returncode == 0
    solid = trimesh.load_mesh(tmp_path / "part.stl")
    assert solid.is_watertight and len(solid.faces) == 2 * 56 * 16
    assert run("smooth", part, "-o", tmp_path / "limit.obj", "--level", "1", "--limit").returncode == 0
    assert read_obj(tmp_path / "limit.obj")[0][1].n_faces == 56
    assert run("convert", part, "-o", tmp_path / "part.obj").returncode == 0
    assert read_obj(tmp_path / "part.obj")[0][1].n_faces == 14
    assert run("review", tmp_path / "part.obj").stdout.endswith("Ready to smooth.\n")


@pytest.mark.thorough
def test_a_flipped_face_is_not_ready(tmp_path: Path) -> None:
    write_document(demo_document(), tmp_path / "demo.usda")
    result = run("review", tmp_path / "demo.usda")
    assert result.returncode == 1 and "1 face faces inwards." in result.stdout


@pytest.mark.thorough
@pytest.mark.parametrize(
    "words",
    [
        ["review", "nothing.obj"],
        ["smooth", "DEMO", "-o", "out.png"],
        ["smooth", "DEMO"],
        ["smooth", "DEMO", "-o", "out.stl", "--level", "9"],
        ["smooth", "DEMO", "-o", "out.stl", "--part", "lid"],
        ["run", "nothing.json", "-o", "out.usda"],
        ["nothing.usda"],
        ["review", "DEMO", "--for", "sale"],
        ["run", "DEMO", "-o", "out.usda"],
    ],
)
def test_bad_input_is_one_line_and_exit_code_two(words: list[str], tmp_path: Path) -> None:
    demo = tmp_path / "demo.usda"
    write_document(demo_document(), demo)
    result = run(*[{"DEMO": demo}.get(word, word) if "." not in word else (tmp_path / word) for word in words])
    assert result.returncode == 2
    assert len(result.stderr.strip().splitlines()) == 1 and "Traceback" not in result.stderr
    assert not (tmp_path / "out.usda").exists() and not (tmp_path / "out.stl").exists()
