"""A mesh that is reviewed again after an edit: what is looked at again, and that nothing else comes out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from examples import some
from hypothesis import given
from hypothesis import strategies as st
from labelled import CLEAN, FAULTS

from levelloop.core.edit.build.extrude import extrude
from levelloop.core.edit.clean.simple import delete
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, plane, quad_sphere
from levelloop.core.mesh.alike import unchanged
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.directions import flipped
from levelloop.core.mesh.mesh import Mesh, Scheme
from levelloop.core.mesh.selection import Selection
from levelloop.core.review import Report, reviews, subject
from levelloop.core.review.subject import Known, Subject
from levelloop.document.review.reviewing import reviewed_alone, reviewed_for_all
from levelloop.document.session import Session


def test_what_a_moved_point_reaches_is_looked_at_again_and_nothing_else() -> None:
    ball = quad_sphere(20.0, 24)
    points = ball.points.copy()
    points[1000] *= 1.02
    subject_now = Subject(ball.with_points(points), True, reviewed(ball))
    reviews(subject_now)
    assert "surface" not in subject_now.__dict__
    assert subject_now.renewed.subject.mesh.n_faces < 0.2 * ball.n_faces


@pytest.mark.parametrize("name", sorted(CLEAN) + sorted(FAULTS))
def test_every_form_of_the_labelled_set_is_judged_alike_after_an_edit(name: str, always: None) -> None:
    mesh = CLEAN[name](1) if name in CLEAN else FAULTS[name](1).mesh
    known = reviewed(mesh)
    # A third of the edits for each, and every edit for a third of the forms.
    for edit in list(EDITS.values())[len(name) % 3 :: 3]:
        edited = edit(mesh, 3)
        again = Subject(edited, True, known)
        assert_alike(reviews(again), reviews(Subject(edited)))
        # What was put together from both is as good to go on from, and back.
        assert_alike(reviews(Subject(mesh, True, again.known)), reviews(Subject(mesh)))


@some(25)
@given(
    st.sampled_from(sorted(CLEAN) + sorted(FAULTS)),
    st.lists(st.tuples(st.sampled_from(sorted([*"abcdefghij"])), st.integers(0, 10_000)), min_size=1, max_size=4),
)
def test_however_many_edits_follow_each_other(name: str, edits: list[tuple[str, int]]) -> None:
    mesh = CLEAN[name](2) if name in CLEAN else FAULTS[name](2).mesh
    known = reviewed(mesh)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(subject, "WORTH", 1.0)
        for letter, number in edits:
            mesh = list(EDITS.values())[ord(letter) - ord("a")](mesh, number)
            again = Subject(mesh, True, known)
            assert_alike(reviews(again), reviews(Subject(mesh)))
            known = again.known


def test_elements_have_their_counterparts_whatever_their_numbers_are() -> None:
    ball = quad_sphere(20.0, 12)
    order = np.random.default_rng(3).permutation(ball.n_faces)
    # Another body before it, and its faces in another order: numbers are others, places are not.
    offsets = ball.topology.face_offsets[:-1]
    corners = (offsets[order][:, None] + np.arange(4)).ravel()
    shuffled = replace_faces(ball, ball.topology.corners[corners])
    both = combined([box((2.0, 2.0, 2.0)), shuffled])
    found = unchanged(both, ball, 1)
    own = found.points >= 0
    assert own.sum() == ball.n_points and not own[:8].any()
    assert np.array_equal(both.points[own], ball.points[found.points[own]])
    ends = both.topology.edges[found.edges >= 0]
    was = ball.topology.edges[found.edges[found.edges >= 0]]
    assert np.array_equal(np.sort(found.points[ends], axis=1), np.sort(was, axis=1))
    there = found.corners >= 0
    assert np.array_equal(found.points[both.topology.corners[there]], ball.topology.corners[found.corners[there]])
    assert np.array_equal(np.sort(found.faces[found.faces >= 0]), np.arange(ball.n_faces))


@pytest.mark.parametrize("rings", [0, 1, 3])
def test_what_is_within_reach_of_a_change_has_no_counterpart(rings: int) -> None:
    sheet = plane((20.0, 20.0), (20, 20))
    points = sheet.points.copy()
    middle = int(np.argmin(np.linalg.norm(points, axis=1)))
    points[middle, 2] = 1.0
    found = unchanged(sheet.with_points(points), sheet, rings)
    away = np.abs(sheet.points - sheet.points[middle]).max(axis=1)
    assert np.array_equal(found.points < 0, away < rings + 0.5)
    assert ((found.faces < 0).sum(), (found.edges < 0).sum()) == (
        4 * (rings + 1) ** 2,
        2 * (2 * rings + 1) * (2 * rings + 2),
    )


def test_points_in_one_place_are_never_taken_for_each_other() -> None:
    two = combined([plane((4.0, 4.0), (4, 4)), plane((4.0, 4.0), (4, 4))])
    again = replace_faces(two, two.topology.corners)
    assert (unchanged(again, two, 0).points < 0).all()


def test_an_edited_part_is_reviewed_as_if_it_were_new() -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20.0, cells=16)
    known: dict[str, Known] = {}
    reviewed_for_all(session.document, known=known)
    part = session.part.id
    first = known[part]
    session.select(points=[200])
    session.do("move", by=(0.0, 0.0, 0.6))
    found = reviewed_for_all(session.document, known=known)
    assert known[part] is not first and known[part].mesh is not first.mesh
    session.part.forget()
    assert_alike({purpose: rows[0][1] for purpose, rows in found.items()}, reviewed_alone(session.part))
    session.undo()
    session.undo()
    reviewed_for_all(session.document, known=known)
    assert known == {}


# Helpers


@pytest.fixture
def always(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever share of a mesh has changed, the rest is taken over."""
    monkeypatch.setattr(subject, "WORTH", 1.0)


def reviewed(mesh: Mesh) -> Known:
    first = Subject(mesh)
    reviews(first)
    return first.known


def assert_alike(again: dict[str, Report], whole: dict[str, Report]) -> None:
    for purpose, report in whole.items():
        others = again[purpose]
        assert others.counts == report.counts
        assert [one.check for one in others.findings] == [one.check for one in report.findings]
        for one, other in zip(others.findings, report.findings, strict=True):
            assert (one.severity, one.kind, set(one.indices.tolist())) == (
                other.severity,
                other.kind,
                set(other.indices.tolist()),
            ), one.message
            assert one.value == pytest.approx(other.value, rel=1e-6, abs=1e-9), one.message


def replace_faces(mesh: Mesh, corners: np.ndarray) -> Mesh:
    from levelloop.core.mesh.topology import Topology

    return Mesh(Topology.derived(mesh.topology.face_offsets, corners, mesh.n_points), mesh.points)


def _moved(mesh: Mesh, number: int) -> Mesh:
    points = mesh.points.copy()
    points[number % mesh.n_points] += 0.03 * np.ptp(mesh.points, axis=0).max()
    return mesh.with_points(points)


def _creased(mesh: Mesh, number: int) -> Mesh:
    sharp = mesh.creases.copy()
    sharp[number % mesh.n_edges] = 2.5
    return mesh.with_creases(sharp)


def _pulled_out(mesh: Mesh, number: int) -> Mesh:
    return extrude(mesh, Selection("faces", np.array([number % mesh.n_faces])), 0.5).mesh


def _opened(mesh: Mesh, number: int) -> Mesh:
    return delete(mesh, Selection("faces", np.array([number % mesh.n_faces]))).mesh


def _looped(mesh: Mesh, number: int) -> Mesh:
    return run_loop(mesh, Selection("edges", np.array([number % mesh.n_edges]))).mesh


def _thinned(mesh: Mesh, number: int) -> Mesh:
    return take_out(mesh, Selection("edges", np.array([number % mesh.n_edges]))).mesh


def _turned(mesh: Mesh, number: int) -> Mesh:
    mask = np.zeros(mesh.n_faces, dtype=np.bool_)
    mask[number % mesh.n_faces] = True
    return flipped(mesh, mask)[0]


def _left_out(mesh: Mesh, number: int) -> Mesh:
    hole = mesh.hole.copy()
    hole[number % mesh.n_faces] = True
    return replace(mesh, hole=hole)


def _beside(mesh: Mesh, number: int) -> Mesh:
    return combined([quad_sphere(1.0, 2), mesh])


def _otherwise(mesh: Mesh, number: int) -> Mesh:
    return replace(mesh, scheme=Scheme(boundary="edgeOnly", creases="chaikin"))


def _or_as_it_was(edit: Callable[[Mesh, int], Mesh]) -> Callable[[Mesh, int], Mesh]:
    def tried(mesh: Mesh, number: int) -> Mesh:
        try:
            return edit(mesh, number)
        except EditError:
            return mesh

    return tried


EDITS = {
    edit.__name__: _or_as_it_was(edit)
    for edit in (*(_moved, _creased, _pulled_out, _opened, _looped, _thinned, _turned, _left_out, _beside, _otherwise),)
}
