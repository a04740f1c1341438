"""Parts that name other parts in their steps: evaluated after those, again when those change, and no others."""

from itertools import pairwise

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.errors import EditError
from levelloop.document.document import Document
from levelloop.document.recipe.evaluation import Evaluation, circle
from levelloop.document.session import Session
from levelloop.files import read_document, write_document


def three_boxes(*links: tuple[str, str]) -> Session:
    session = Session.new()
    for number, name in enumerate("abc"):
        session.do("add_box", size=(10, 10, 10), at=(4.0 * number, 3.0 * number, 2.0 * number), name=name)
    for name, other in links:
        session.set_active(name)
        session.add_step("boolean", kind="union", other=other)
    return session


def volume(session: Session, name: str) -> float:
    session.set_active(name)
    mesh = session.document.by_name(name).stepped
    return signed_volume(mesh)


def signed_volume(mesh) -> float:
    total = 0.0
    for face in range(mesh.n_faces):
        ring = mesh.points[mesh.topology.face(face)]
        for one, two in pairwise(ring[1:]):
            total += float(np.dot(ring[0], np.cross(one, two))) / 6.0
    return total


def test_a_part_follows_what_its_step_names():
    session = three_boxes(("a", "b"))
    # Two boxes of 10 that share 6 x 7 x 8.
    assert volume(session, "a") == pytest.approx(2000 - 6 * 7 * 8)
    session.set_active("b")
    session.do("move", by=(0.0, 0.0, 50.0))
    assert volume(session, "a") == pytest.approx(2000)
    session.undo()
    assert volume(session, "a") == pytest.approx(2000 - 6 * 7 * 8)


def test_only_what_needs_a_changed_part_is_made_again():
    session = three_boxes(("a", "b"))
    before = {part.name: part for part in session.document.parts}
    session.set_active("c")
    session.do("move", by=(1.0, 0.0, 0.0))
    after = {part.name: part for part in session.document.parts}
    assert after["a"] is before["a"] and after["b"] is before["b"]
    assert after["a"].plain is before["a"].plain
    session.set_active("b")
    session.do("move", by=(1.0, 0.0, 0.0))
    again = {part.name: part for part in session.document.parts}
    assert again["a"] is not after["a"] and again["c"] is after["c"]


def test_a_chain_is_made_in_order_whatever_the_order_of_the_parts():
    session = three_boxes(("a", "b"), ("b", "c"))
    evaluation = Evaluation(session.document)
    ids = {part.name: part.id for part in session.document.parts}
    assert [evaluation.order.index(ids[name]) for name in "cba"] == [0, 1, 2]
    assert evaluation.needs(ids["a"]) == (ids["b"],)
    assert evaluation.feeds(ids["c"]) == (ids["b"],)
    both, shared = volume(session, "b"), 6 * 7 * 8
    assert both == pytest.approx(2000 - shared)
    # a takes b together with c; all three boxes share 2 x 4 x 6.
    assert volume(session, "a") == pytest.approx(3000 - 2 * shared - 2 * 4 * 6 + 2 * 4 * 6)
    assert evaluation.result(ids["a"], 0).n_faces == session.document.by_name("a").stepped.n_faces


@pytest.mark.parametrize("links", [[("a", "a")], [("a", "b"), ("b", "a")], [("a", "b"), ("b", "c"), ("c", "a")]])
def test_a_circle_is_refused_and_names_its_parts(links):
    session = three_boxes(*links[:-1])
    before = session.document
    name, other = links[-1]
    session.set_active(name)
    before = session.document
    with pytest.raises(EditError) as refused:
        session.add_step("boolean", kind="union", other=other)
    for one, _ in links:
        assert f"“{one}”" in str(refused.value)
    assert session.document is before


def test_a_circle_by_switching_on_and_by_copying_is_refused():
    session = three_boxes(("a", "b"))
    session.set_active("a")
    session.enable_step(0, False)
    session.set_active("b")
    session.add_step("boolean", kind="union", other="a")
    session.set_active("a")
    with pytest.raises(EditError, match="each other"):
        session.enable_step(0, True)
    session.set_active("b")
    with pytest.raises(EditError, match="cannot take itself"):
        session.do("copy_recipe", to="a")


def test_a_removed_part_leaves_the_step_standing_and_comes_back_by_undo():
    session = three_boxes(("a", "b"))
    united = volume(session, "a")
    session.do("remove_part", part="b")
    part = session.document.by_name("a")
    assert len(part.steps) == 1 and part.plain.troubles[0].reason.startswith("the part it takes is not there")
    assert volume(session, "a") == pytest.approx(1000)
    assert any(finding.check == "recipe" and finding.severity == "stop" for finding in session.review())
    with pytest.raises(EditError, match="not there any more"):
        part.result()
    session.undo()
    assert volume(session, "a") == pytest.approx(united)


def test_links_go_by_id_so_that_a_new_name_changes_nothing(tmp_path):
    session = three_boxes(("a", "b"))
    session.set_active("b")
    session.do("rename_part", name="drill")
    assert volume(session, "a") == pytest.approx(2000 - 6 * 7 * 8)
    session.set_active("a")
    session.set_step(0, kind="subtract")
    assert volume(session, "a") == pytest.approx(1000 - 6 * 7 * 8)
    write_document(session.document, tmp_path / "linked.usda")
    again = read_document(tmp_path / "linked.usda")
    part = again.by_name("a")
    assert [other.name for other in part.inputs.values()] == ["drill"]
    assert signed_volume(part.stepped) == pytest.approx(1000 - 6 * 7 * 8)


def test_what_a_step_takes_is_put_into_the_parts_own_space():
    session = three_boxes(("a", "b"))
    session.set_active("a")
    session.select_none()
    session.do("rotate", angle=90.0)  # a part with a recipe turns as a whole
    part = session.document.by_name("a")
    assert not part.in_place
    world = part.to_world(part.stepped)
    other = session.document.by_name("b")
    assert world.points.max(axis=0) == pytest.approx(np.maximum(other.mesh.points.max(axis=0), 5.0))


@some(25)
@given(st.lists(st.tuples(st.sampled_from("abc"), st.sampled_from("abc")), max_size=5))
def test_whatever_is_linked_there_is_never_a_circle(links):
    session = three_boxes()
    for name, other in links:
        session.set_active(name)
        try:
            session.add_step("boolean", kind="union", other=other)
        except EditError:
            continue
    assert circle(session.document.parts, {}) == []
    assert set(Evaluation(session.document).order) == {part.id for part in session.document.parts}


def test_a_file_with_a_circle_opens_and_the_step_says_what_is_wrong():
    session = three_boxes(("a", "b"))
    a, b = session.document.by_name("a"), session.document.by_name("b")
    from dataclasses import replace

    crossed = replace(b, steps=(replace(a.steps[0], parameters={**a.steps[0].parameters, "other": a.id}),))
    document = Document((a, crossed), a.id)
    assert circle(document.parts, {})
    assert sum(bool(part.plain.troubles) for part in document.parts) == 1
