"""The one builder of edits: what stays, what takes a place, what is added, and that tags follow."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from levelloop.core.forms.primitives import box as box_of
from levelloop.core.mesh.builder import MeshBuilder
from levelloop.core.mesh.mesh import mesh_of_faces
from levelloop.core.mesh.tags import TAGS


@given(st.integers(1, 4), st.data())
def test_faces_that_are_not_touched_keep_their_place_and_their_tags(cells, data):
    box = box_of((10, 10, 10), (cells, cells, cells))
    chosen = np.unique(data.draw(st.lists(st.integers(0, box.n_faces - 1), min_size=1, max_size=8)))
    values = {}
    for tag in TAGS:
        count = box.count(tag.on)
        values[tag.name] = (1 + np.arange(count) % 2 if tag.type is not np.bool_ else np.arange(count) % 3 == 0).astype(
            tag.type
        )
    box = box.with_tags(values)
    builder = MeshBuilder(box)
    outlines = box.topology.corners[box.topology.corners_of_faces(chosen)]
    builder.replace(box.topology.face_sizes[chosen], outlines, chosen)
    corner = builder.points(np.array([[0.0, 0.0, 50.0]]))
    builder.faces(np.array([[0, 1, int(corner[0])]]))
    edit = builder.edit()
    assert edit.selection.indices.tolist() == [box.n_faces]
    assert np.array_equal(edit.mesh.topology.corners[: box.topology.n_corners], box.topology.corners)
    for tag in TAGS:
        old, new = box.tagged(tag), edit.mesh.tagged(tag)
        assert np.array_equal(new, tag.taken(old, edit.origin.of(tag.on))), tag.name
        assert (edit.origin.of(tag.on) >= 0).sum() == box.count(tag.on), tag.name


def test_the_first_piece_of_a_split_face_takes_its_place():
    places = [[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0], [3, 0, 0], [3, 1, 0]]
    strip = mesh_of_faces(places, [[0, 1, 2, 3], [1, 4, 5, 2]])
    builder = MeshBuilder(strip)
    split = strip.topology.find_edges(np.array([[0, 1], [2, 3]]))
    low, high = builder.points(np.array([[1.0, 0, 0], [1.0, 1, 0]]), on_edge=split)
    builder.split(np.array([[0, low, high, 3], [low, 1, 2, high]]), np.array([0, 0]))
    mesh, origin = builder.build()
    assert origin.faces.tolist() == [0, 1, 0]
    assert mesh.topology.face(1).tolist() == [1, 4, 5, 2]
    assert (origin.edges < 0).sum() == 1  # the edge across; the halves come from the edges they were put on


def test_points_that_no_face_needs_any_more_can_go_but_lone_ones_stay():
    mesh = mesh_of_faces([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [9, 9, 9]], [[0, 1, 2, 3]])
    builder = MeshBuilder(mesh)
    builder.replace(np.array([3]), np.array([0, 1, 2]), np.array([0]))
    assert builder.build()[0].n_points == 5
    dropped, origin = builder.build(drop_unused=True)
    assert origin.points.tolist() == [0, 1, 2, 4]
    assert dropped.points[3].tolist() == [9, 9, 9]
