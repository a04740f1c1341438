"""Several sets of UV: worked on one at a time, all carried through edits, smoothing, recipes and files."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from conftest import CAGES
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from test_properties import PARAMETERS

from levelloop.core.errors import EditError
from levelloop.core.mesh.mesh import Mesh, UVSet
from levelloop.document.session import Session
from levelloop.files import read_document


def unwrapped() -> Session:
    session = Session.new()
    session.do("add_box", size=(4, 3, 2), cells=(2, 2, 1), name="box")
    session.do("project_uv", by="box")
    session.do("use_uv_set", name="baked light")
    session.do("project_uv", by="plane", axis="z")
    return session


def by_name(mesh: Mesh) -> dict[str, np.ndarray]:
    assert mesh.uv is not None
    return {mesh.uv_name: mesh.uv, **{kept.name: kept.uv for kept in mesh.uv_sets}}


def test_a_new_name_begins_as_a_copy_and_what_was_worked_on_is_kept() -> None:
    session = unwrapped()
    sets = by_name(session.part.mesh)
    assert list(sets) == ["baked light", "st"] and not np.allclose(sets["st"], sets["baked light"])
    session.do("use_uv_set", name="st")
    again = by_name(session.part.mesh)
    assert list(again) == ["st", "baked light"]
    assert all(np.array_equal(again[name], sets[name]) for name in sets)
    session.do("drop_uv_set", name="st")
    assert list(by_name(session.part.mesh)) == ["baked light"]
    session.do("drop_uv_set", name="baked light")
    assert session.part.mesh.uv is None and not session.part.mesh.uv_sets


def test_what_cannot_be_is_one_sentence() -> None:
    session = unwrapped()
    with pytest.raises(EditError, match="is the UV that is worked on already"):
        session.do("use_uv_set", name="baked light")
    with pytest.raises(EditError, match="there are “baked light”, “st”"):
        session.do("drop_uv_set", name="third")
    with pytest.raises(EditError, match="has a name"):
        session.do("use_uv_set", name=" ")
    session.do("add_box")
    with pytest.raises(EditError, match="no UV yet"):
        session.do("use_uv_set", name="first")


@some(40)
@given(key=st.sampled_from(sorted(PARAMETERS)), cage=st.sampled_from(["box with cells", "grid"]), data=st.data())
def test_every_edit_carries_every_set_as_it_carries_the_one_that_is_worked_on(
    key: str, cage: str, data: st.DataObject
) -> None:
    mesh = CAGES[cage]
    uv = mesh.points[mesh.topology.corners][:, :2] / 10.0
    session = Session.new()
    session.do("add_box", name="thing")
    twice = replace(mesh, uv=uv, uv_sets=(UVSet("second", uv), UVSet("shifted", uv + 1.0)))
    session.apply(session.document.with_part(replace(session.part, mesh=twice)), "Put")
    session.select(faces=data.draw(st.lists(st.integers(0, mesh.n_faces - 1), min_size=1, max_size=3, unique=True)))
    try:
        session.perform(key, **{name: data.draw(numbers) for name, numbers in PARAMETERS[key].items()})
    except EditError:
        return
    for part in session.document.parts:
        made = part.mesh
        if made.uv is None or not made.uv_sets or key in ("unwrap", "project_uv", "pack", "straighten_uv", "move_uv"):
            continue
        sets = by_name(made)
        assert np.allclose(sets["second"], made.uv)
        smooth = part.result(2)
        assert smooth.uv is not None and np.allclose(by_name(smooth)["second"], smooth.uv)


def test_parts_combined_keep_the_sets_of_both() -> None:
    session = unwrapped()
    session.do("add_box", at=(9, 0, 0), name="other")
    session.do("project_uv", by="box")
    session.do("combine", parts=["box", "other"])
    mesh = session.part.mesh
    assert list(by_name(mesh)) == ["baked light", "st"]
    assert (by_name(mesh)["st"][-24:] == 0).all() and mesh.uv is not None and (mesh.uv[-24:] != 0).any()


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
def test_sets_come_back_and_other_readers_find_them_by_name(tmp_path: Path, ending: str) -> None:
    from pxr import Usd, UsdGeom

    session = unwrapped()
    session.add_step("array", count=2, move=(9, 0, 0), weld=None)
    path = session.save(tmp_path / f"sets{ending}")
    sets, again = by_name(session.part.mesh), by_name(read_document(path).part.mesh)
    assert list(again) == list(sets) and all(np.array_equal(again[name], sets[name]) for name in sets)
    stage = Usd.Stage.Open(str(path))
    for prim, count in ((session.part.id, 1), (f"{session.part.id}_result", 2)):
        primvars = UsdGeom.PrimvarsAPI(stage.GetPrimAtPath(f"/Model/{prim}"))
        found = {
            one.GetPrimvarName(): one
            for one in primvars.GetPrimvars()
            if "TexCoord" in str(one.GetTypeName().type) or str(one.GetTypeName()) == "texCoord2f[]"
        }
        assert set(found) == {"st", "baked_light"}
        assert len(found["st"].ComputeFlattened()) % (count * session.part.mesh.topology.n_corners) == 0


def test_foreign_sets_are_kept_st_first(tmp_path: Path) -> None:
    from pxr import Sdf, Usd, UsdGeom

    stage = Usd.Stage.CreateNew(str(tmp_path / "foreign.usda"))
    quad = UsdGeom.Mesh.Define(stage, "/quad")
    quad.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)])
    quad.CreateFaceVertexCountsAttr([4])
    quad.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    for number, name in enumerate(("bakedUV", "map1", "st")):
        kind = Sdf.ValueTypeNames.TexCoord2fArray
        made = UsdGeom.PrimvarsAPI(quad).CreatePrimvar(name, kind, UsdGeom.Tokens.faceVarying)
        made.Set([(number, 0), (number + 1, 0), (number + 1, 1), (number, 1)])
    stage.Save()
    sets = by_name(read_document(tmp_path / "foreign.usda").part.mesh)
    assert next(iter(sets)) == "st" and set(sets) == {"st", "bakedUV", "map1"}
    assert [float(uv[0, 0]) for uv in (sets["st"], sets["bakedUV"], sets["map1"])] == [2.0, 0.0, 1.0]


@pytest.mark.parametrize(
    ("steps", "copies"),
    [
        ([("mirror", {"planes": "x"})], 2),
        ([("mirror", {"planes": "xyz"})], 8),
        ([("array", {"count": 5, "move": (9.0, 0.0, 0.0)})], 5),
        ([("array", {"count": 3, "move": (4.0, 0.0, 0.0), "weld": 0.001})], 3),
    ],
)
def test_copies_share_their_uv_or_have_it_side_by_side(steps: list[tuple[str, dict[str, object]]], copies: int) -> None:
    session = Session.new()
    session.do("add_plane", size=(4, 4), cells=(2, 2), at=(5, 6, 7), name="sheet")
    session.do("unwrap")
    own = session.part.mesh.uv
    assert own is not None
    for key, numbers in steps:
        session.add_step(key, **numbers)
    shared = session.part.stepped.uv
    assert shared is not None and shared.min() >= 0 and shared.max() <= 1
    assert any(finding.check == "uv_shared" for finding in session.review("render"))
    for place in range(len(steps)):
        session.set_step(place, uv="side by side")
    aside = session.part.stepped.uv
    assert aside is not None and len(aside) == copies * len(own)
    # One picture after the other, each with all of it.
    picture = np.floor(aside.reshape(-1, 4, 2).mean(axis=1)[:, 0]).astype(int)
    assert np.array_equal(np.bincount(picture), [len(own) // 4] * copies)
    assert np.allclose(np.sort(aside[:, 0] % 1.0), np.sort(np.tile(own[:, 0], copies)))
    assert not any(finding.check in ("uv_shared", "uv_overlap") for finding in session.review("render"))
    assert "UV side by side" in session.state.sentence
