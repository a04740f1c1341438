"""What scripts say: places instead of numbers, conditions joined, cuts drawn over a form, parts' looks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from levelloop.core.arrays import Floats
from levelloop.core.edit.divide.cut import cut
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder
from levelloop.core.forms.solids import torus
from levelloop.core.mesh.faces import edge_lengths, face_areas, signed_volume
from levelloop.core.mesh.mesh import Mesh, NamedSet
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.select.where import select_where
from levelloop.document.document import Document
from levelloop.document.scripting.script import ScriptError, run_script
from levelloop.document.session import Session


@pytest.fixture
def session() -> Session:
    session = Session(Document())
    session.do("add_box", size=(20, 10, 4), cells=(2, 2, 1), name="lid")
    return session


def selected(session: Session) -> list[int]:
    return sorted(session.selection.indices.tolist())


def test_conditions_by_size_agree_with_what_is_measured(session: Session) -> None:
    mesh = session.part.mesh
    session.select_where("edges", length=">0.5 cm")
    assert selected(session) == np.flatnonzero(edge_lengths(mesh.topology, mesh.points) > 5).tolist()
    session.select_where("faces", area="0.5 cm²")
    assert selected(session) == np.flatnonzero(np.isclose(face_areas(mesh.topology, mesh.points), 50)).tolist()
    session.select_sentence("faces where area < 0.5 cm² and not normal x within 5")
    assert 0 < len(session.selection) < mesh.n_faces


@given(st.lists(st.floats(-30, 30), min_size=3, max_size=3), st.integers(1, 5))
def test_near_takes_the_nearest(place: list[float], count: int) -> None:
    mesh = box((20, 10, 4), (2, 2, 1))
    found = select_where(mesh, "points", near=place, count=count).indices
    far = np.linalg.norm(mesh.points - place, axis=1)
    assert len(found) == count and far[found].max() <= np.delete(far, found).min() + 1e-12
    face = select_where(mesh, "faces", near=mesh.points[mesh.topology.face(7)].mean(axis=0)).indices
    assert face.tolist() == [7]


def test_uneven_faces_are_those_beside_much_larger_ones() -> None:
    mesh = box((30, 10, 10), (3, 1, 1))
    points = mesh.points.copy()
    points[np.isclose(points[:, 0], 5), 0] = 14.0
    uneven = select_where(mesh.with_points(points), "faces", uneven_over=10.0)
    assert len(uneven) == 8  # the four thin walls and the four wide ones beside them; the end has ten times as much
    assert len(select_where(mesh, "faces", uneven_over=3.0)) == 0


def test_sentences_join_by_and_or_not(session: Session) -> None:
    def found(sentence: str) -> set[int]:
        session.select_sentence(sentence)
        return set(selected(session))

    top, bottom, left = found("faces where normal z"), found("faces where normal -z"), found("faces where normal -x")
    every = set(range(session.part.mesh.n_faces))
    assert found("faces where normal z or normal -z") == top | bottom
    assert found("faces where not normal z and not normal -x") == every - top - left
    assert found("faces where normal z and near 10 5 2 or normal -x") == left | {min(top, key=lambda f: -f)}
    assert len(found("points where 3 near 0 0 9")) == 3


def test_a_set_is_a_condition() -> None:
    mesh = box((2, 2, 2))
    kept = replace(mesh, sets=(NamedSet("rim", "points", np.array([0, 1, 2, 3])),))
    assert select_where(kept, "points", on="rim").indices.tolist() == [0, 1, 2, 3]
    with pytest.raises(EditError, match="no set “lid”"):
        select_where(kept, "points", on="lid")


@pytest.mark.parametrize(
    "sentence",
    [
        "faces where",
        "faces where area",
        "faces where area > x",
        "edges where near 1 2",
        "edges where not",
        "x where open",
    ],
)
def test_a_wrong_sentence_says_so_and_keeps_the_selection(session: Session, sentence: str) -> None:
    session.select_all("faces")
    with pytest.raises(EditError):
        session.select_sentence(sentence)
    assert len(session.selection) == session.part.mesh.n_faces


def test_elements_by_places_and_directed_edges(session: Session) -> None:
    session.select(edges=[{"near": [(0, 5, 2), (10, 5, 2)]}])
    a = select_where(session.part.mesh, "points", near=(0, 5, 2)).indices[0]
    edge = session.part.mesh.topology.edges[session.selection.indices[0]]
    assert a in edge and bool(session.selection.backwards[0]) == bool(edge[0] != a)
    with pytest.raises(EditError, match="no edge"):
        session.select(edges=[{"near": [(-10, 5, 2), (10, 5, 2)]}])


def test_looks_by_a_script_line(session: Session) -> None:
    run_script(session, [{"set_part": "lid", "visible": False, "colour": "#112233"}])
    assert not session.part.visible and session.part.colour == "#112233"
    with pytest.raises(ScriptError, match="Step 1"):
        run_script(session, [{"set_part": "nothing", "visible": False}])


FORMS: dict[str, Callable[[], Mesh]] = {
    "box": lambda: box((20, 20, 20), (3, 4, 2)),
    "cylinder": lambda: cylinder(20, 20, 16, 3, "quads"),
    "torus": lambda: torus(30, 10, 24, 12),
}


@given(st.sampled_from(sorted(FORMS)), st.floats(-6, 6), st.floats(-6, 6), st.booleans())
def test_a_line_drawn_over_a_form_cuts_it_and_bends_nothing(form: str, a: float, b: float, through: bool) -> None:
    mesh = FORMS[form]()
    line: list[Any] = [(-40.0, a, 50.0), (40.0, b, 50.0)] if through else [(11.0, a / 3, 50.0), (14.0, b / 3, 50.0)]
    if form != "torus" and not through:
        line = [(-8.0, a / 2, 50.0), (8.0, b / 2, 50.0)] if form == "box" else [(-5.0, a / 2, 50.0), (5.0, b / 2, 50.0)]
    # Along edges that are there, in the middle and at every 5 mm of the box, there is nothing to cut.
    assume(max(abs(a), abs(b)) > 1e-3 and not (abs(a - b) < 1e-3 and abs(a / 5 - round(a / 5)) < 1e-3))
    edit = cut(mesh, NOTHING, line, toward="-z", through=through)
    assert edit.mesh.topology.euler_number() == mesh.topology.euler_number()
    assert not edit.mesh.topology.open_edges.any()
    assert signed_volume(edit.mesh) == pytest.approx(signed_volume(mesh), rel=0.01)
    ends = edit.mesh.points[edit.mesh.topology.edges[edit.selection.indices]]
    on_line = np.abs(_height(ends.reshape(-1, 3), np.array(line)))
    # All but the two ties of the ends inside a face lie under the line.
    assert np.count_nonzero(on_line > 1e-6) <= (0 if through else 4)


def test_a_cut_through_goes_all_around_and_one_in_front_does_not() -> None:
    mesh = box((20, 20, 20), (3, 3, 3))
    line = [(-40.0, 0.7, 50.0), (40.0, -0.7, 50.0)]
    around = cut(mesh, NOTHING, line, toward="-z", through=True)
    # Three faces of each side, walls that are seen edge on too, and nothing but the line.
    assert around.mesh.n_faces == mesh.n_faces + 12
    assert around.mesh.topology.euler_number() == 2 and len(around.selection) == 12
    with pytest.raises(EditError, match="Place 1"):
        cut(mesh, NOTHING, line, toward="-z")
    with pytest.raises(EditError, match="leaves what is seen"):
        cut(torus(30, 10, 24, 12), NOTHING, [(-15, 0.1, 50), (15, 0.1, 50)], toward="-z")
    with pytest.raises(EditError, match="toward"):
        cut(mesh, NOTHING, line)


def _height(places: Floats, line: Floats) -> Floats:
    way = line[1, :2] - line[0, :2]
    return np.asarray((places[:, :2] - line[0, :2]) @ np.array([-way[1], way[0]]) / np.linalg.norm(way))


@given(st.sampled_from([6, 8, 12, 16, 24]), st.floats(0, 90), st.sampled_from([2, 3, 4, 6]))
def test_a_slice_begins_where_no_face_is_cut(sides: int, turn: float, count: int) -> None:
    if sides % count:
        return
    session = Session(Document())
    session.do("add_cylinder", diameter=10, height=10, sides=sides, caps="open", turn=turn)
    whole = session.part.mesh.n_faces
    session.do("keep_slice", count=count)
    assert session.part.mesh.n_faces == whole // count
    assert session.part.stepped.n_faces == whole


def test_a_slice_begins_at_the_typed_angle(session: Session) -> None:
    session.do("keep_slice", count=4, start=45)
    angle = np.degrees(np.arctan2(*session.part.mesh.points[:, 1::-1].T))
    assert angle.min() >= 45 - 1e-6 or np.allclose(session.part.mesh.points[angle < 45 - 1e-6, :2], 0)


def test_conditions_and_cuts_on_parts_without_faces_say_so() -> None:
    session = Session(Document())
    session.do("add_disc", fill="open", diameter=10)
    for kind, conditions in (
        ("faces", {"near": (0, 0, 0)}),
        ("faces", {"area": ">1"}),
        ("faces", {"uneven_over": 2.0}),
        ("faces", {"none_of": [{"sides": 4}]}),
    ):
        session.select_where(kind, **conditions)  # type: ignore[arg-type]
        assert len(session.selection) == 0
    session.select_where("edges", length="<1 m")
    assert len(session.selection) == 16
    with pytest.raises(EditError, match="no faces"):
        session.do("cut", path=[(0, 0, 5), (1, 0, 5)], toward="-z")
    with pytest.raises(EditError, match="no faces to be near"):
        session.select(faces=[{"near": (0, 0, 0)}])


@pytest.mark.parametrize(
    "conditions",
    [
        {"sides": ">inf"},
        {"sides": float("nan")},
        {"area": "<inf"},
        {"near": (0, 0, 0), "count": "many"},
        {"near": (0, 0, 0), "count": 1e400},
        {"near": (0, 0, 0), "count": 0},
        {"near": "here"},
        {"area": "> 2 parsec"},
        {"any_of": [3]},
        {"uneven_over": "much"},
    ],
)
def test_odd_conditions_are_one_sentence(session: Session, conditions: dict[str, Any]) -> None:
    with pytest.raises(EditError):
        session.select_where("faces", **conditions)
    nested: dict[str, Any] = {"sides": 4}
    for _ in range(400):
        nested = {"any_of": [nested]}
    with pytest.raises(EditError, match="deep"):
        session.select_where("faces", **nested)
