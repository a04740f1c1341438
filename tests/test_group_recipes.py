"""Recipes of groups: what they make of all parts together, who is made again, what is kept, moved and refused."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.errors import EditError, LevelLoopError
from levelloop.core.mesh.combine import combined
from levelloop.document.document import Document
from levelloop.document.importing import imported
from levelloop.document.part import Part
from levelloop.document.recipe.evaluation import Evaluation
from levelloop.document.recipe.step_kinds import STEPS
from levelloop.document.recipe.steps import Step
from levelloop.document.running.part_edits import regrouped
from levelloop.document.scripting.script import run_script
from levelloop.document.session import Session
from levelloop.files import read_document, write_document

# Steps whose points hang on where all of the group is, and some for which that does not count.
TOGETHER: dict[str, dict[str, Any]] = {
    "bend": {"angle": 70.0, "along": "x", "around": "z"},
    "bend to a ring": {"angle": 360.0, "along": "x", "around": "y"},
    "bend between limits": {"angle": 40.0, "limits": (-3.0, 5.0)},
    "twist": {"angle": 120.0, "axis": "x"},
    "taper": {"factor": 0.3, "axis": "x"},
    "slant": {"by": (0.0, 4.0, 1.0), "along": "x"},
    "array": {"count": 3, "rotate": 35.0, "axis": "z", "pivot": "middle", "weld": None},
    "mirror": {"planes": "y"},
}


def key_of(case: str) -> str:
    return case.split(" ")[0]


def row(count: int, group: str = "row") -> Session:
    """Boxes side by side along x, in one group."""
    session = Session.new()
    for number in range(count):
        session.do("add_box", size=(6, 3, 2), cells=(3, 1, 1), at=(6.0 * number, 2.0, 1.0), name=f"box {number}")
        session.do("set_part", group=group)
    return session


def in_world(document: Document) -> Any:
    return combined([part.to_world(part.stepped) for part in document.parts])


def as_one(session: Session) -> Session:
    """The same boxes as one part."""
    session.do("combine", parts=[part.name for part in session.document.parts])
    session.do("set_part", group="")
    return session


def same_places(one: Any, other: Any) -> bool:
    """Whether two sets of points are equal but for their order."""
    gap = np.linalg.norm(one[:, None] - other[None], axis=2)
    return len(one) == len(other) and gap.min(axis=0).max() < 1e-9 and gap.min(axis=1).max() < 1e-9


@pytest.mark.parametrize("case", TOGETHER)
@some(8)
@given(count=st.integers(1, 3), turned=st.booleans())
def test_a_groups_step_does_to_its_parts_together_what_it_does_to_them_as_one(
    case: str, count: int, turned: bool
) -> None:
    session, one = row(count), as_one(row(count)) if count > 1 else row(1, "")
    if turned:
        # Each part stands in a space of its own; the world is as it was.
        for part in session.document.parts:
            put = replace(part, transform=TURNED, mesh=part.mesh.with_points(part.mesh.points @ BACK))
            session.apply(session.document.with_part(put), "Turn")
    session.add_step(key_of(case), **TOGETHER[case], group="row")
    one.add_step(key_of(case), **TOGETHER[case])
    assert same_places(in_world(session.document).points, one.part.stepped.points)


TURNED = np.eye(4)
TURNED[:3, :3] = [[0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]
BACK = np.linalg.inv(TURNED[:3, :3])


def test_steps_run_one_after_the_other_and_inner_groups_before_outer_ones() -> None:
    session = row(2, "train/front")
    session.add_step("array", count=2, move=(0.0, 8.0, 0.0), weld=None, group="train/front")
    session.add_step("bend", angle=90.0, around="z", group="train")
    session.add_step("mirror", planes="z", group="train")
    assert [step.key for step in session.part.recipe] == ["array", "bend", "mirror"]
    assert [session.part.step_name(place) for place in range(3)] == [
        "step 1 of the group “train/front” (array)",
        "step 1 of the group “train” (bend)",
        "step 2 of the group “train” (mirror)",
    ]
    one = as_one(row(2))
    one.add_step("array", count=2, move=(0.0, 8.0, 0.0), weld=None)
    one.add_step("bend", angle=90.0, around="z")
    one.add_step("mirror", planes="z")
    assert same_places(in_world(session.document).points, one.part.stepped.points)


def test_parts_of_a_group_see_each_other_as_they_are_before_its_recipe() -> None:
    session = Session.new()
    session.do("add_curve", points=[(0, 0, 0), (0, 0, 10), (0, 0, 20)], name="way")
    session.do("set_part", group="hose")
    session.do("add_curve", points=[(0, 0, 0), (1, 0, 0)], name="hose")
    session.do("set_part", group="hose")
    session.add_step("sweep", curve="way", sides=6)
    before = session.part.stepped.points
    session.add_step("mirror", planes="x", group="hose")
    session.move_step(0, 0, group="hose")
    session.set_step(0, planes="y", group="hose")
    session.remove_step(0, group="hose")
    session.add_step("array", count=2, move=(30.0, 0.0, 0.0), weld=None, group="hose")
    # Were the curve repeated before it is swept, there would be four of it.
    assert same_places(session.part.stepped.points, np.concatenate((before, before + np.array([30.0, 0.0, 0.0]))))


def test_only_parts_for_which_it_counts_are_made_again() -> None:
    session = row(3)
    session.add_step("mirror", planes="y", group="row")
    session.do("add_box", size=(1, 1, 1), at=(0, 30, 0), name="apart")

    def moved(name: str) -> tuple[dict[str, Part], dict[str, Part]]:
        before = {part.name: part for part in session.document.parts}
        for part in before.values():
            _ = part.plain
        session.set_active(name)
        session.select_none()
        session.do("move", by=(0.0, 0.5, 0.0))
        return before, {part.name: part for part in session.document.parts}

    before, after = moved("box 0")
    assert [name for name in before if before[name] is not after[name]] == ["box 0"]
    session.add_step("twist", angle=10.0, axis="x", group="row")
    before, after = moved("apart")
    assert [name for name in before if before[name] is not after[name]] == ["apart"]
    before, after = moved("box 0")
    # A twist runs over all of the group.
    assert [name for name in before if before[name] is not after[name]] == ["box 0", "box 1", "box 2"]
    assert after["box 1"].inner is before["box 1"].inner


def test_helpers_do_not_say_how_far_a_group_reaches() -> None:
    session = row(1)
    session.add_step("twist", angle=90.0, axis="x", group="row")
    alone = session.part.stepped.points
    session.do("add_box", size=(1, 1, 1), at=(90, 0, 0), name="far")
    session.do("set_part", group="row", helper=True)
    assert np.array_equal(session.document.by_name("box 0").stepped.points, alone)
    session.do("set_part", helper=False)
    assert not np.allclose(session.document.by_name("box 0").stepped.points, alone)


def test_a_smooth_step_before_a_groups_mirror_leaves_no_fold_at_its_plane() -> None:
    session, one = Session.new(), Session.new()
    for here in (session, one):
        here.do("add_box", size=(10, 10, 10), cells=(2, 2, 2), name="half")
        here.do("place", x=5.0)
        here.select_where("faces", normal=(-1, 0, 0))
        here.do("delete")
        here.add_step("smooth", level=2)
    session.do("set_part", group="both")
    session.add_step("mirror", planes="x", group="both")
    one.add_step("mirror", planes="x")
    assert np.allclose(session.part.stepped.points, one.part.stepped.points, atol=1e-12)


def test_parts_that_would_need_each_other_through_a_group_are_refused() -> None:
    session = row(2)
    session.do("add_box", size=(2, 2, 2), at=(0, 0, 0), name="tool")
    session.add_step("boolean", kind="subtract", other="box 0")
    with pytest.raises(EditError, match="would need each other"):
        session.add_step("boolean", kind="subtract", other="tool", group="row")
    assert "row" not in session.document.group_recipes
    session.remove_step(0)
    session.add_step("boolean", kind="subtract", other="tool", group="row")
    order = Evaluation(session.document).order
    assert order.index(session.document.by_name("tool").id) == 0


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
def test_a_groups_recipe_is_saved_and_any_reader_sees_what_it_makes(tmp_path: Path, ending: str) -> None:
    from pxr import Usd, UsdGeom

    session = row(2)
    session.add_step("bend", angle=60.0, around="z", group="row")
    session.enable_step(0, False, group="row")
    session.enable_step(0, True, group="row")
    path = session.save(tmp_path / f"row{ending}")
    again = read_document(path)
    assert [(one.key, dict(one.parameters)) for one in again.group_recipes["row"]] == [
        (one.key, dict(one.parameters)) for one in session.document.group_recipes["row"]
    ]
    for one, other in zip(again.parts, session.document.parts, strict=True):
        assert np.array_equal(one.result().points, other.result().points)
    stage = Usd.Stage.Open(str(path))
    shown = UsdGeom.Mesh(stage.GetPrimAtPath(f"/Model/{session.part.id}_result"))
    assert np.allclose(np.array(shown.GetPointsAttr().Get()), session.part.result().points, atol=1e-5)


def test_a_damaged_recipe_of_a_group_is_one_sentence(tmp_path: Path) -> None:
    session = row(1)
    session.add_step("taper", group="row")
    path = session.save(tmp_path / "row.usda")
    text = path.read_text()
    for old, new in (("taper", "tapper"), ("0.5", "-1e9"), ('"step":', '"stop":')):
        assert old in text
        path.write_text(text.replace(old, new))
        with pytest.raises(LevelLoopError):
            read_document(path)
    hold = Step("hold", {"set": "rim", "radius": 1.0, "sides": "both", "fill": "tip"})
    write_document(replace(session.document, group_recipes={"row": (hold,)}), path)
    with pytest.raises(LevelLoopError, match="only a part's can have"):
        read_document(path)


def test_a_recipe_goes_where_its_group_goes_and_ends_with_it() -> None:
    session = row(2)
    session.add_step("mirror", planes="z", group="row")
    session.apply(regrouped(session.document, "row", "store/line"), "Move the group")
    assert list(session.document.group_recipes) == ["store/line"] and len(session.part.recipe) == 1
    for name in ("box 0", "box 1"):
        session.do("set_part", part=name, group="")
    assert not session.document.group_recipes and not session.part.recipe
    session.undo()
    assert list(session.document.group_recipes) == ["store/line"]


def test_what_comes_from_a_file_stays_apart_from_groups_that_are_there(tmp_path: Path) -> None:
    session = row(2)
    session.add_step("mirror", planes="z", group="row")
    write_document(session.document, tmp_path / "row.usda")
    other = row(1)
    both = imported(other.document, read_document(tmp_path / "row.usda"))
    assert [part.group for part in both.parts] == ["row", "row 2", "row 2"]
    assert [len(part.recipe) for part in both.parts] == [0, 1, 1]
    again = imported(both, read_document(tmp_path / "row.usda"))
    assert list(again.group_recipes) == ["row 2", "row 3"]


def test_made_plain_a_group_looks_as_it_did() -> None:
    session = row(3, "store/row")
    session.add_step("taper", factor=0.5, axis="x")
    session.add_step("array", count=2, move=(0.0, 9.0, 0.0), weld=None, group="store/row")
    session.add_step("bend", angle=80.0, around="z", group="store")
    session.add_step("twist", angle=20.0, axis="y", group="store")
    looks = in_world(session.document).points
    told = session.bake_steps(0, group="store")
    assert "bend will no longer update" in told
    assert [step.key for step in session.part.recipe] == ["twist"]
    assert np.allclose(in_world(session.document).points, looks, atol=1e-9)
    session.bake_steps(group="store")
    assert not session.document.group_recipes and np.allclose(in_world(session.document).points, looks, atol=1e-9)


def test_what_is_combined_or_baked_inside_a_group_goes_through_its_recipe_once() -> None:
    session = row(2)
    session.add_step("array", count=2, move=(0.0, 9.0, 0.0), weld=None, group="row")
    looks = in_world(session.document).points
    session.do("combine", parts=["box 0", "box 1"])
    assert same_places(in_world(session.document).points, looks)
    session.do("bake", level=0)
    assert same_places(in_world(session.document).points, looks)


def test_a_group_keeps_and_uses_named_recipes() -> None:
    session = row(2)
    session.add_step("mirror", planes="z", group="row")
    session.do("keep_recipe", name="both halves", group="row")
    session.do("use_recipe", name="both halves")
    assert [step.key for step in session.part.steps] == ["mirror"]
    session.add_step("true_size", size=(5.0, None, None))
    session.do("keep_recipe", name="sized")
    with pytest.raises(EditError, match="True size is a step of one part"):
        session.do("use_recipe", name="sized", group="row")
    session.do("use_recipe", name="both halves", after=True, group="row")
    assert len(session.document.group_recipes["row"]) == 2


def test_what_cannot_be_is_one_sentence_and_changes_nothing() -> None:
    session = row(2)
    before = session.document
    with pytest.raises(EditError, match="There is no group “shelf”; the document has “row”"):
        session.add_step("mirror", group="shelf")
    with pytest.raises(LevelLoopError, match="has no"):
        session.add_step("hold", set="rim", radius=1.0, group="row")
    with pytest.raises(EditError, match=r"“row” has 0 steps; there is no step 1\."):
        session.remove_step(0, group="row")
    with pytest.raises(EditError, match="has no steps to make plain"):
        session.bake_steps(group="row")
    with pytest.raises(EditError, match="turns nothing"):
        session.add_step("bend", along="x", around="x", group="row")
    assert session.document is before
    session.do("set_part", part="box 1", locked=True)
    with pytest.raises(EditError, match="“box 1” of the group “row” is locked"):
        session.add_step("mirror", group="row")


def test_a_part_that_a_step_does_not_fit_is_left_out_and_said() -> None:
    session = row(1)
    session.do("add_curve", points=[(0, 0, 0), (0, 0, 10)], name="wire")
    session.do("set_part", group="row")
    told = session.add_step("thicken", outward=0.5, group="row")
    assert "“wire” was left out" in told
    assert session.document.by_name("box 0").stepped.n_faces > 14


def test_instances_are_made_and_reviewed_where_they_stand() -> None:
    session = Session.new()
    session.do("add_box", size=(6, 4, 4), cells=(3, 1, 1), at=(0, 0, 2), name="box")
    session.do("instance", name="twin")
    session.do("move", by=(0.0, 0.0, 30.0))
    session.do("set_part", part="twin", group="bent")
    # It folds what lies above the pivot onto itself; the box that is in no group stays as it is.
    session.add_step("bend", angle=300.0, along="x", around="y", pivot=(0.0, 0.0, 33.0), group="bent")
    reports = {part.name: report for part, report in session.reports("smooth")}
    assert any(finding.severity == "stop" or finding.check == "fold_under" for finding in reports["twin"].findings)
    assert reports["box"].ready and not any(finding.check == "fold_under" for finding in reports["box"].findings)


def test_scripts_name_the_group() -> None:
    session = row(2)
    run_script(session, [{"step": "mirror", "planes": "z", "group": "row"}, {"do": "remove_step", "group": "row"}])
    assert not session.document.group_recipes
    run_script(session, [{"step": "array", "count": 4, "move": [0, 9, 0], "group": "row"}])
    assert all(part.stepped.n_faces == 4 * part.mesh.n_faces for part in session.document.parts)


def test_every_kind_says_whether_a_group_may_have_it() -> None:
    alone = {kind.key for kind in STEPS.values() if not kind.in_groups}
    assert alone == {"hold", "true_size", "revolve", "helix", "sweep", "extrude_along"}
    # What ends or turns about the middle of something must know the middle of the whole.
    assert {kind.key for kind in STEPS.values() if kind.reaches} == {"bend", "twist", "taper", "slant", "follow"}


def test_what_cannot_be_made_leaves_the_step_out_and_the_part_stands() -> None:
    """A target whose own step fails, in a part's recipe or a group's, before or after other steps."""
    for key, numbers in (("lay_on", {"at": (0.0, 0.0, 30.0)}), ("conform", {}), ("conform", {"onto": "cage"})):
        for group in (None, "pair"):
            session = Session.new()
            session.do("add_box", name="tool", size=(6, 6, 6))
            session.do("add_box", name="base", size=(20, 20, 20))
            session.add_step("boolean", kind="union", other="tool")
            session.do("add_box", name="badge", size=(2, 2, 1))
            session.do("set_part", group="pair")
            whose = {"group": group} if group else {}
            session.add_step(key, target="base", **numbers, **whose)
            session.add_step("array", count=2, move=(5.0, 0.0, 0.0), **whose)
            session.do("remove_part", part="tool")
            part = session.document.by_name("badge")
            fails = numbers.get("onto") != "cage"
            assert [trouble.place for trouble in part.plain.troubles] == ([0] if fails else [])
            assert part.stepped.n_faces == 2 * part.mesh.n_faces
            session.undo()
            assert not session.document.by_name("badge").plain.troubles


def test_groups_of_helpers_and_of_empty_parts_are_groups_too() -> None:
    session = Session.new()
    session.do("add_box", name="a")
    session.do("set_part", group="g", helper=True)
    session.add_step("twist", angle=50.0, group="g")
    assert not session.part.plain.troubles and not np.allclose(session.part.stepped.points, session.part.mesh.points)
    session.select_all("faces")
    session.do("delete")
    assert len(session.part.plain.troubles) == 1 and session.part.stepped.n_faces == 0
    before = session.document
    for key, numbers in (("bend", {}), ("array", {"pivot": "middle"}), ("taper", {})):
        with pytest.raises(EditError):
            session.add_step(key, **numbers, group="g")
        assert session.document is before
