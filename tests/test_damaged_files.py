"""Nothing lost, nothing believed: files come back exactly, damaged ones are one sentence, whatever the damage is."""

from __future__ import annotations

import json
import os
import random
import shutil
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from conftest import CAGES, richly_tagged
from pxr import UsdUtils

from levelloop.core.errors import LevelLoopError
from levelloop.core.forms.primitives import box, cylinder, plane
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.document.cameras import NamedCamera
from levelloop.document.document import Document, Guide, Symmetry, new_part
from levelloop.document.recipe.steps import Step
from levelloop.document.session import Session
from levelloop.files import READERS, read_document, write_document, write_meshes
from levelloop.files.errors import FileError, guarded
from levelloop.files.reading import check_drawing

WORDS = ("木", "金", "steel 1", "steel_1", "a/b", "x" * 60, "“lid”", "Ωmega", "<b>bold</b>", "part1", "Materials")


def random_document(seed: int) -> Document:
    """Everything that a document can hold, with odd names and numbers of all sizes."""
    random_ = np.random.default_rng(seed)
    document = Document(
        unit=str(random_.choice(["mm", "cm", "m", "in", "ft"])),
        start_level=int(random_.integers(0, 7)),
        values={"hose": ("5 mm", 5.0), "wall": ("1/3 in", 25.4 / 3)},
        anchor=tuple(random_.normal(size=3)) if seed % 2 else None,
        symmetry=(Symmetry("y", 0.037, (0, 1)), Symmetry("z"), None)[seed % 3],
        guides=(Guide("g", "g.png", data=bytes(random_.integers(0, 256, 50).tolist()), at=(0.1, 1 / 3)),),
        cameras=(NamedCamera("cam", (0.1, 0.2, 0.3), 77.7, 12.3, 4.56, False, 33.3, (0.01, -0.02)),),
    )
    cages = [cage for cage in CAGES.values() if cage.n_faces]
    for number in range(3):
        mesh = richly_tagged(cages[int(random_.integers(len(cages)))], seed * 7 + number)
        names = tuple(random_.choice(WORDS, 2, replace=False).tolist())
        mesh = replace(
            mesh,
            materials=names,
            crease_sharpness=np.where(mesh.creases > 0, random_.random(mesh.n_edges) * 10, 0.0),
            corner_sharpness=np.where(mesh.corner_sharpness > 0, random_.random(mesh.n_points) * 10, 0.0),
            points=mesh.points * float(10.0 ** random_.integers(-3, 4)),
        )
        part = new_part(document, mesh, str(random_.choice(WORDS)))
        place = np.eye(4)
        place[:3] += random_.normal(size=(3, 4)) @ np.diag([1, 1, 1, 0])
        place[3, :3] = random_.normal(size=3) * 100
        part = replace(
            part,
            level=int(random_.integers(0, 3)),
            limit=bool(random_.random() < 0.3),
            opacity=float(random_.random()),
            colour=f"#{int(random_.integers(0, 2**24)):06X}",
            visible=bool(random_.random() < 0.7),
            locked=bool(random_.random() < 0.3),
            helper=bool(random_.random() < 0.3),
            group=str(random_.choice(["", "table", "table/lids"])),
            accepted={"poles": "on purpose"},
            transform=place,
        )
        document = document.with_part(part)
    first = document.parts[0]
    if seed % 2:
        twist = {"angle": 30.0, "axis": "z", "pivot": "middle"}
        document = document.with_part(replace(first, steps=(Step("twist", twist, enabled=False),), shared="pair"))
        copy = new_part(document, first.mesh, "copy")
        twin = replace(copy, steps=document.parts[0].steps, shared="pair", attached=document.parts[1].id)
        document = document.with_part(twin)
    return replace(document, active=document.parts[1].id)


def fields_of(value: Any) -> Any:
    """A value as plain data that compares, arrays by their bytes."""
    if isinstance(value, np.ndarray):
        return (value.dtype.kind, value.shape, value.tobytes() if value.size else b"")
    if isinstance(value, Mesh):
        tags = {
            name: fields_of(getattr(value, name))
            for name in (
                "points",
                "creases",
                "corner_sharpness",
                "material",
                "materials",
                "scheme",
                "seams",
                "hole",
                "uv",
            )
        }
        more = {
            name: fields_of(getattr(value, name)) for name in ("diagonal", "hidden", "soft_edges", "curve", "radius")
        }
        sets = sorted((named.name, named.kind, named.indices.tolist()) for named in value.sets)
        topology = value.topology
        who = (fields_of(topology.face_offsets), fields_of(topology.corners), fields_of(topology.wires))
        return (tags, more, sets, who)
    if isinstance(value, Document):
        settings = [value.unit, dict(value.values), value.anchor, value.symmetry, value.active]
        settings += [value.next_id, value.start_level]
        guides = [(guide.name, guide.at, guide.data) for guide in value.guides]
        return (settings, guides, value.cameras, [fields_of(part) for part in value.parts])
    if hasattr(value, "__dataclass_fields__"):
        return {name: fields_of(getattr(value, name)) for name in value.__dataclass_fields__}
    if isinstance(value, tuple | list):
        return [fields_of(entry) for entry in value]
    return dict(value) if hasattr(value, "items") else value


@pytest.mark.thorough
@pytest.mark.parametrize("ending", [".usda", ".usdc", ".usdz"])
def test_sixty_documents_come_back_exactly_and_saved_again_they_are_the_same_bytes(tmp_path: Path, ending: str) -> None:
    for seed in range(20):
        document = random_document(seed + {".usda": 0, ".usdc": 100, ".usdz": 200}[ending])
        path = tmp_path / f"a{seed}{'.usdc' if ending == '.usdz' else ending}"
        write_document(document, path)
        if ending == ".usdz":
            packed = tmp_path / f"a{seed}.usdz"
            assert UsdUtils.CreateNewUsdzPackage(str(path), str(packed))
            assert fields_of(read_document(packed)) == fields_of(document)
            continue
        again = read_document(path)
        assert fields_of(again) == fields_of(document)
        twice = tmp_path / f"b{seed}{ending}"
        write_document(again, twice)
        assert twice.read_bytes() == path.read_bytes()


def whole_files(folder: Path) -> dict[str, bytes]:
    """A good file of each format."""
    document = random_document(1)
    meshes = [(part.name, part.to_world(part.mesh)) for part in document.parts]
    found = {}
    for ending in (".usda", ".usdc", ".obj", ".ply", ".stl"):
        path = folder / f"whole{ending}"
        if ending in (".usda", ".usdc"):
            write_document(document, path)
        else:
            write_meshes(meshes, path)
        found[ending] = path.read_bytes()
    text = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    found[".ply "] = (text + "element face 1\nproperty list uchar int vertex_index\nend_header\n"
                      "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n").encode()  # fmt: skip
    found[".stl "] = (
        b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\n"
        b"endloop\nendfacet\nendsolid a\n"
    )
    return found


ODD = ("nan", "inf", "-1", "99999999999999999999999", "1e999", "", "0", "#", "mm", "parsec", "[]", "{}", "null", "\x00")


def damaged(data: bytes, chance: random.Random) -> bytes:
    """The data with something wrong in it."""
    kind = chance.randrange(5)
    place = chance.randrange(max(len(data), 1))
    if kind == 0:
        return data[:place]
    if kind == 1:
        return data[:place] + bytes([chance.randrange(256)]) + data[place + 1 :]
    if kind == 2:
        end = min(len(data), place + chance.randrange(1, 60))
        return data[:place] + data[end:]
    if kind == 3:
        return data[:place] + chance.choice(ODD).encode() + data[place:]
    words = data.split(b" ")
    words[chance.randrange(len(words))] = chance.choice(ODD).encode()
    return b" ".join(words)


def read_or_refused(path: Path) -> None:
    """A file opens as a document that can be used and saved, or is refused in one short sentence."""
    try:
        document = read_document(path)
    except LevelLoopError as error:
        assert "\n" not in str(error) and len(str(error)) < 600, str(error)
        return
    for part in document.parts:
        assert np.isfinite(part.mesh.points).all() and np.isfinite(part.transform).all()
        assert (part.mesh.creases >= 0).all() and 0 <= part.level <= 6 and 0 <= part.opacity <= 1
    write_document(document, path.with_name("again.usdc"))


@pytest.mark.thorough
# The library decodes its own complaints about damaged text as if they were not damaged.
@pytest.mark.qt_no_exception_capture
@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")
@pytest.mark.parametrize("ending", [".usda", ".usdc", ".obj", ".ply", ".ply ", ".stl", ".stl "])
def test_damaged_files_open_or_are_one_sentence(tmp_path: Path, ending: str) -> None:
    whole = whole_files(tmp_path)[ending]
    chance = random.Random(ending)
    for number in range(60):
        path = tmp_path / f"damaged{number}{ending.strip()}"
        path.write_bytes(damaged(whole, chance))
        read_or_refused(path)
        path.unlink()


def settings_paths(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    found = [path] if path else []
    entries = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in entries:
        found += settings_paths(inner, (*path, key))
    return found


@pytest.mark.thorough
def test_every_key_of_the_settings_may_be_anything(tmp_path: Path) -> None:
    from pxr import Sdf

    document = random_document(3)
    path = tmp_path / "whole.usda"
    write_document(document, path)
    wrong = (None, True, -1, 1.5, 10**30, "", "parsec", [], [1], {}, {"a": [1]}, "x" * 20_000, [[1, 2], 3])
    layer = Sdf.Layer.FindOrOpen(str(path))
    chance = random.Random(5)
    where = ["/Model.levelloop:settings", "/Model/part1.levelloop:part"]
    for place in where:
        text = layer.GetAttributeAtPath(place).default
        for at in settings_paths(json.loads(text)):
            for value in chance.sample(wrong, 4):
                changed = json.loads(text)
                inner = changed
                for key in at[:-1]:
                    inner = inner[key]
                inner[at[-1]] = value
                layer.GetAttributeAtPath(place).default = json.dumps(changed)
                damaged_path = tmp_path / "damaged.usda"
                damaged_path.unlink(missing_ok=True)
                layer.Export(str(damaged_path))
                read_or_refused(damaged_path)
                Sdf.Layer.FindOrOpen(str(damaged_path)).Reload(True)
        layer.GetAttributeAtPath(place).default = text


def test_what_a_file_says_is_not_believed(tmp_path: Path) -> None:
    document = Document()
    for name in ("a", "b", "c"):
        document = document.with_part(new_part(document, box(), name))
    ids = [part.id for part in document.parts]
    circle = tuple(replace(part, attached=ids[(n + 1) % 3], shared="same") for n, part in enumerate(document.parts))
    parts = (*circle[:2], replace(circle[2], mesh=plane()))
    path = tmp_path / "circle.usda"
    write_document(replace(document, parts=parts), path)
    read = read_document(path)
    assert [part.shared for part in read.parts] == ["same", "same", ""]
    session = Session(read)
    session.do("move", by=(1, 0, 0))
    above = {part.id: part.attached for part in read.parts}
    for part in read.parts:
        seen, here = set(), part.id
        while here:
            assert here not in seen
            seen.add(here)
            here = above[here]
    for line, old in (("metersPerUnit = 0.001", "metersPerUnit = 0"), ("metersPerUnit = 0.001", "metersPerUnit = nan")):
        (tmp_path / "unit.usda").write_text(path.read_text().replace(line, old))
        with pytest.raises(FileError, match="metersPerUnit"):
            read_document(tmp_path / "unit.usda")


def test_a_bomb_of_references_is_refused_before_it_goes_off(tmp_path: Path) -> None:
    lines = ["#usda 1.0", 'def Xform "p0"', "{", "}"]
    for depth in range(1, 30):
        lines += [f'def Xform "p{depth}"', "{"]
        for n in range(4):
            lines += [f'    def "c{n}" (', f"        references = </p{depth - 1}>", "    )", "    {", "    }"]
        lines += ["}"]
    path = tmp_path / "bomb.usda"
    path.write_text("\n".join(lines))
    with pytest.raises(FileError, match="unfolds into more"):
        read_document(path)


def test_only_regular_files_of_a_usual_size_are_read(tmp_path: Path) -> None:
    for ending in READERS:
        os.mkfifo(tmp_path / f"pipe{ending}")
        with pytest.raises(FileError, match="device or pipe"):
            read_document(tmp_path / f"pipe{ending}")
        (tmp_path / f"folder{ending}").mkdir()
        with pytest.raises(FileError, match="folder"):
            read_document(tmp_path / f"folder{ending}")
    session = Session.new()
    (tmp_path / "zero.png").symlink_to("/dev/zero")
    with pytest.raises(LevelLoopError, match="device"):
        session.do("add_guide", path=str(tmp_path / "zero.png"))


def test_drawings_are_whole_in_themselves() -> None:
    head = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink">'
    check_drawing("good.svg", f'{head}<g id="a"><rect/></g><use href="#a"/><use xlink:href="#a"/></svg>'.encode())
    bomb = "".join(
        f'<g id="g{n}">' + "".join(f'<use href="#g{n - 1}"/>' for _ in range(10)) + "</g>" for n in range(1, 12)
    )
    for wrong in (
        f'{head}<image href="file:///etc/passwd"/></svg>',
        f'{head}<image xlink:href="/etc/hostname"/></svg>',
        f'{head}<rect style="fill:url(http://x.invalid/a)"/></svg>',
        f'{head}<g id="g0"><rect/></g>{bomb}</svg>',
        f'{head}<g id="a"><use href="#a"/></g></svg>',
        '<!DOCTYPE svg [<!ENTITY a "b">]><svg>&a;</svg>',
        "<svg>",
    ):
        with pytest.raises(FileError):
            check_drawing("wrong.svg", wrong.encode())


def test_whatever_a_library_raises_is_a_sentence(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    for error in (RuntimeError("odd\nlines"), MemoryError(), KeyError("x"), OSError(28, "No space left on device")):
        with pytest.raises(FileError) as told, guarded(tmp_path / "a.usda", "written"):
            raise error
        assert "\n" not in str(told.value) and "a.usda" in str(told.value)
    assert "Traceback" in caplog.text


def test_saving_follows_links_and_minds_permissions_and_leaves_nothing(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    (tmp_path / "deep").mkdir()
    session.save(tmp_path / "deep" / "true.usda")
    (tmp_path / "link.usda").symlink_to(tmp_path / "deep" / "true.usda")
    session.do("add_box")
    session.save(tmp_path / "link.usda")
    assert (tmp_path / "link.usda").is_symlink()
    assert len(read_document(tmp_path / "deep" / "true.usda").parts) == 2
    long = tmp_path / ("n" * 240 + ".usda")
    session.save(long)
    assert len(read_document(long).parts) == 2
    # What a killed save left goes with the next one; what a running one writes stays.
    (tmp_path / ".levelloop-999999999-abcd.usda").touch()
    (tmp_path / f".levelloop-{os.getpid()}-abcd.usda").touch()
    session.save(tmp_path / "other.usda")
    left = {path.name for path in tmp_path.iterdir() if path.name.startswith(".levelloop")}
    assert left == {f".levelloop-{os.getpid()}-abcd.usda"}
    with pytest.raises(FileError, match="no folder"):
        session.save(tmp_path / "nowhere" / "a.usda")
    with pytest.raises(FileError, match="folder"):
        (tmp_path / "dir.usda").mkdir()
        session.save(tmp_path / "dir.usda")


def test_a_file_that_changed_on_disk_is_not_overwritten_unasked(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    path = session.save(tmp_path / "a.usda")
    other = Session.open(path)
    session.do("add_box")
    session.save()
    other.do("add_cylinder")
    with pytest.raises(FileError, match="changed on disk"):
        other.save()
    assert len(read_document(path).parts) == 2
    other.save(replace_newer=True)
    other.save()
    assert [part.name for part in read_document(path).parts] == ["box", "cylinder"]
    path.unlink()
    other.save()
    shutil.rmtree(tmp_path / "gone", ignore_errors=True)


@pytest.mark.thorough
def test_reading_thousands_of_objects_is_linear(tmp_path: Path) -> None:
    import time

    lines = []
    for n in range(20_000):
        base = 3 * n
        lines.append(
            f"o thing {n % 15_000}\nv {n} 0 0\nv {n} 1 0\nv {n} 0 1\ng set{n % 7}\nf {base + 1} {base + 2} {base + 3}\n"
        )
    path = tmp_path / "many.obj"
    path.write_text("".join(lines))
    start = time.perf_counter()
    document = read_document(path)
    assert len(document.parts) == 15_000 and document.parts[0].mesh.n_faces == 2
    assert len({part.name for part in document.parts}) == 15_000
    # A bound that only what grows with the square of the number misses, by far.
    assert time.perf_counter() - start < 20


def test_shading_leaves_the_program(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_cylinder", sides=12, caps="face")
    session.do("shade", kind="angle", angle=40)
    part = session.part
    write_meshes([("hard", part.output(level=0))], tmp_path / "a.obj")
    normals = [line for line in (tmp_path / "a.obj").read_text().splitlines() if line.startswith("vn ")]
    # One for each of twelve soft seams, two for the caps.
    assert len(normals) == 14
    smooth = part.output(level=3)
    assert smooth.normals is not None
    away = smooth.points[smooth.topology.corners] * (1, 1, 0)
    side = np.abs(smooth.normals[:, 2]) < 1e-3
    away = away[side] / np.linalg.norm(away[side], axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", away, smooth.normals[side]).min() > 0.995
    import trimesh

    write_meshes([("round", smooth)], tmp_path / "a.ply")
    read = trimesh.load(tmp_path / "a.ply", process=False)
    at = np.argsort(np.arange(len(read.vertices)))
    assert np.abs(np.linalg.norm(read.vertex_normals[at], axis=1) - 1).max() < 1e-4
    from pxr import Usd, UsdGeom

    write_meshes([("round", smooth)], tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/Model/part1"))
    assert mesh.GetSubdivisionSchemeAttr().Get() == "none"
    assert np.allclose(np.array(mesh.GetNormalsAttr().Get()), smooth.normals, atol=1e-6)


def test_materials_of_odd_names_stay_apart(tmp_path: Path) -> None:
    session = Session.new()
    for name in ("木", "金", "steel 1", "steel_1", "steel-1"):
        session.do("add_box", name=f"of {name}")
        session.do("set_material", material=name)
    again = Session.open(session.save(tmp_path / "m.usda"))
    assert [part.mesh.materials for part in again.document.parts] == [
        ("木",),
        ("金",),
        ("steel 1",),
        ("steel_1",),
        ("steel-1",),
    ]


def test_a_fading_crease_where_fans_touch_can_be_saved(tmp_path: Path) -> None:
    ring = [[np.cos(a), np.sin(a), 0.0] for a in np.arange(4) * np.pi / 2]
    far = [[2 * np.cos(a + np.pi / 4), 2 * np.sin(a + np.pi / 4), 0.0] for a in np.arange(4) * np.pi / 2]
    points = [[0.0, 0.0, 0.0], *ring, *far, [1, 0, 3], [1, 1, 3], [0, 1, 3]]
    faces = [[0, 1 + n, 5 + n, 1 + (n + 1) % 4] for n in range(4)] + [[0, 9, 10, 11]]
    mesh = mesh_of_faces(points, faces)
    for weight in (0.5, 1.5, 10.0):
        creases = np.zeros(mesh.n_edges)
        creases[mesh.topology.find_edges([[0, 1], [0, 3], [0, 9]])] = weight
        session = Session.new()
        document = session.document.with_part(
            new_part(session.document, replace(mesh, crease_sharpness=creases), "fans")
        )
        normals = document.part.output(level=2).normals
        assert normals is not None and np.isfinite(normals).all()
        assert np.abs(np.linalg.norm(normals, axis=1) - 1).max() < 1e-9
        write_document(document, tmp_path / "fans.usda")
        write_meshes([("fans", document.part.output(level=2))], tmp_path / "fans.obj")


def test_wires_are_written(tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    session = Session.new()
    session.do("add_curve", points=((0, 0, 0), (1, 0, 0), (1, 1, 0)), closed=True)
    write_meshes([("curve", session.part.output())], tmp_path / "c.obj")
    assert (tmp_path / "c.obj").read_text().count("\nl ") == 3
    write_meshes([("curve", session.part.output())], tmp_path / "c.usda")
    stage = Usd.Stage.Open(str(tmp_path / "c.usda"))
    curves = UsdGeom.BasisCurves(stage.GetPrimAtPath("/Model/part1_curves"))
    assert list(curves.GetCurveVertexCountsAttr().Get()) == [4]


def test_ply_reads_both_byte_orders_and_mixed_sides(tmp_path: Path) -> None:
    mesh = cylinder(4, 6, 7, 2, "face")
    path = tmp_path / "a.ply"
    write_meshes([("a", mesh)], path)
    head = b"ply\nformat binary_big_endian 1.0\nelement vertex 3\nproperty uchar red\n"
    head += b"property double x\nproperty double y\n"
    head += (
        b"property float z\nelement face 2\nproperty list uchar ushort vertex_index\nproperty int flag\nend_header\n"
    )
    rows = b"".join(
        bytes([7]) + np.array([x, y], ">f8").tobytes() + np.array([0.5], ">f4").tobytes()
        for x, y in ((0, 0), (1, 0), (0, 1))
    )
    faces = bytes([3]) + np.array([0, 1, 2], ">u2").tobytes() + np.array([5], ">i4").tobytes()
    faces += bytes([4]) + np.array([0, 1, 2, 1], ">u2").tobytes() + np.array([5], ">i4").tobytes()
    path.write_bytes(head + rows + faces)
    read = read_document(path).part.mesh
    assert read.topology.face_sizes.tolist() == [3, 4] and read.points[1].tolist() == [1, 0, 0.5]
