"""What must hold for any selection and any numbers, on every cage of the family."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from conftest import CAGES, CLOSED, richly_tagged
from examples import some
from hypothesis import HealthCheck, given
from hypothesis import strategies as st

from levelloop.core.edit.move.slide import NUDGE_MODES
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.mesh import BOUNDARIES, CREASE_RULES, TRIANGLE_RULES, UV_RULES, Mesh
from levelloop.core.mesh.origins import Edit, mapped
from levelloop.core.mesh.selection import Kind, Selection, count_of, points_of
from levelloop.core.review import review
from levelloop.core.select.soft_range import SOFT_SHAPES
from levelloop.core.surface.surface import smooth
from levelloop.document.document import Document, new_part
from levelloop.document.operations import REGISTRY
from levelloop.document.session import Session

NUMBERS = st.floats(-3, 3, allow_nan=False).map(lambda x: round(x, 3))
PARAMETERS: dict[str, dict[str, st.SearchStrategy[Any]]] = {
    "move": {
        "by": st.tuples(NUMBERS, NUMBERS, NUMBERS),
        "soft_range": st.floats(0, 4),
        "soft_shape": st.sampled_from(SOFT_SHAPES),
        "along_surface": st.booleans(),
    },
    "rotate": {"angle": NUMBERS.map(lambda x: 60 * x), "axis": st.sampled_from("xyz")},
    "scale": {"factors": st.one_of(NUMBERS, st.tuples(NUMBERS, NUMBERS, NUMBERS))},
    "move_along_normals": {"distance": NUMBERS, "keep_wall": st.booleans()},
    "extrude": {
        "distance": NUMBERS,
        "steps": st.integers(1, 3),
        "end_scale": st.floats(0, 2),
        "each": st.booleans(),
    },
    "inset": {"width": NUMBERS, "depth": NUMBERS, "each": st.booleans()},
    "run_loop": {
        "count": st.integers(1, 3),
        "mirrored": st.booleans(),
        "follow": st.floats(0, 1),
        "within_selection": st.booleans(),
    },
    "join_points": {},
    "weld": {"distance": st.one_of(st.just("middle"), st.floats(0, 2)), "onto_edges": st.booleans()},
    "take_out": {"two_edge_points": st.booleans()},
    "fill": {"kind": st.sampled_from(["face", "triangles", "quads"])},
    "delete": {"keep_unattached": st.booleans()},
    "flip": {},
    "crease": {"weight": st.floats(0, 10)},
    "sharpen_points": {"weight": st.floats(0, 10)},
    "weld_onto": {},
    "collapse": {},
    "to_quads": {"over": st.floats(0, 180)},
    "face_outward": {},
    "bevel": {
        "width": st.floats(0.01, 2),
        "steps": st.integers(1, 5),
        "roundness": st.floats(-1, 1),
        "middle_loop": st.booleans(),
    },
    "turn_diagonal": {},
    "shade": {"kind": st.sampled_from(["hard", "soft", "angle"]), "angle": st.floats(0, 180)},
    "extrude_along": {
        "curve": st.lists(st.tuples(NUMBERS, NUMBERS, NUMBERS), min_size=2, max_size=4),
        "steps": st.integers(1, 4),
        "end_scale": st.floats(0, 2),
        "twist": NUMBERS.map(lambda x: 60 * x),
        "even": st.booleans(),
    },
    "revolve": {
        "angle": st.sampled_from([360.0, -360.0, 90.0, -45.0, 270.5]),
        "steps": st.integers(1, 5),
        "axis": st.sampled_from("xyz"),
        "weld": st.one_of(st.none(), st.floats(0, 0.5)),
    },
    "helix": {
        "pitch": st.one_of(st.none(), NUMBERS),
        "turns": st.floats(-2, 2),
        "steps": st.integers(3, 6),
        "run_out": st.sampled_from([0.0, 0.25]),
    },
    "sweep": {
        "curve": st.lists(st.tuples(NUMBERS, NUMBERS, NUMBERS), min_size=2, max_size=4),
        "steps": st.integers(1, 3),
        "sides": st.integers(3, 6),
        "caps": st.sampled_from(["open", "face", "quads", "round"]),
    },
    "array": {
        "count": st.integers(1, 4),
        "move": st.tuples(NUMBERS, NUMBERS, NUMBERS),
        "rotate": NUMBERS.map(lambda x: 60 * x),
        "scale": st.floats(0.1, 2),
        "weld": st.one_of(st.none(), st.floats(0, 0.5)),
    },
    "mirror_across": {
        "plane": st.one_of(
            st.sampled_from("xyz"), st.tuples(st.tuples(NUMBERS, NUMBERS, NUMBERS), st.just((1.0, 2.0, 0.5)))
        ),
        "keep": st.sampled_from([None, "+", "-"]),
        "weld": st.floats(0, 0.3),
    },
    "thicken": {
        "inward": st.floats(0, 1),
        "outward": st.floats(0, 1),
        "even_wall": st.booleans(),
        "rim_steps": st.integers(1, 3),
        "reversed": st.booleans(),
    },
    "groove": {"width": st.floats(0.01, 3), "height": NUMBERS},
    "split_ring": {"count": st.integers(1, 3)},
    "slice": {
        "plane": st.one_of(
            st.sampled_from("xyz"), st.tuples(st.tuples(NUMBERS, NUMBERS, NUMBERS), st.just((1.0, 2.0, 0.5)))
        ),
        "offsets": st.lists(NUMBERS, min_size=1, max_size=3),
        "keep": st.sampled_from(["both", "front", "back"]),
        "fill": st.booleans(),
    },
    "subdivide": {"times": st.integers(1, 2), "smooth": st.floats(0, 1)},
    "take_out_flats": {"angle": st.floats(0, 180)},
    "weave": {"turn": st.integers(-3, 3), "blend": st.floats(0, 1)},
    "bridge": {"steps": st.integers(1, 3), "twist": st.integers(-2, 2), "bulge": st.floats(-1, 1)},
    "swing_edge": {"times": st.integers(-3, 3)},
    "hide": {"rest": st.booleans()},
    "show_all": {},
    "place": {"x": st.one_of(st.none(), NUMBERS), "by": st.sampled_from(["middle", "bottom", "top"])},
    "resize": {"size": st.tuples(*[st.one_of(st.none(), st.floats(0, 5))] * 3)},
    "slant": {"by": st.tuples(NUMBERS, NUMBERS, NUMBERS), "along": st.sampled_from("xyz")},
    "slide": {"ratio": st.floats(-1, 1), "keep_shape": st.booleans()},
    "nudge": {
        "path": st.lists(st.tuples(NUMBERS, NUMBERS, NUMBERS), max_size=4),
        "mode": st.sampled_from(NUDGE_MODES),
        "radius": st.floats(0.1, 5),
    },
    "make_round": {"diameter": st.one_of(st.none(), st.floats(0.1, 5)), "equal_spacing": st.booleans()},
    "flatten": {"normal": st.sampled_from(["fitted", "x", "z"])},
    "straighten": {"even": st.booleans()},
    "even_out": {},
    "relax": {"times": st.integers(1, 4), "strength": st.floats(0, 1), "keep_outline": st.booleans()},
    "to_plane": {"within": st.floats(0, 2)},
    "seam": {"on": st.booleans()},
    "keep_set": {"name": st.just("kept")},
    "set_scheme": {
        "boundary": st.sampled_from(BOUNDARIES),
        "triangles": st.sampled_from(TRIANGLE_RULES),
        "uv": st.sampled_from(UV_RULES),
        "creases": st.sampled_from(CREASE_RULES),
    },
}
KEEP_EULER = (
    *("move", "rotate", "scale", "flip", "crease", "run_loop", "join_points", "move_along_normals", "seam"),
    *("shade", "split_ring", "subdivide", "swing_edge", "groove"),
)
SET_TAGS = ("hide", "show_all", "crease", "sharpen_points", "seam", "keep_set", "set_scheme", "turn_diagonal")
MERGE = ("weld", "weld_onto", "collapse")
HEIRS = ("bevel", "thicken")
WELD_AFTER = ("revolve", "helix", "array", "mirror_across", "weld")
WHOLE = ("relax", "to_plane")
OPENS = (("extrude", "edges"), ("extrude", "points"))


def check_valid(mesh: Mesh) -> None:
    topology = mesh.topology
    assert topology.face_offsets[0] == 0 and topology.face_offsets[-1] == len(topology.corners)
    assert (topology.face_sizes >= 3).all()
    if len(topology.corners):
        assert topology.corners.min() >= 0 and topology.corners.max() < mesh.n_points
    assert np.isfinite(mesh.points).all()
    assert mesh.creases.shape == (mesh.n_edges,) and mesh.corner_sharpness.shape == (mesh.n_points,)
    assert not mesh.points.flags.writeable and not mesh.creases.flags.writeable
    assert mesh.seams.shape == (mesh.n_edges,) and mesh.hole.shape == mesh.material.shape == (mesh.n_faces,)
    assert mesh.uv is None or (mesh.uv.shape == (topology.n_corners, 2) and np.isfinite(mesh.uv).all())
    for named in mesh.sets:
        assert len(named.indices) == 0 or named.indices.max() < count_of(topology, named.kind)
    assert (topology.edge_face_count[topology.find_edges(topology.wires)] == 0).all()


def check_tags(old: Mesh, edit: Edit, key: str) -> None:
    """Every element has the tags of the one it comes from; what comes from nothing has none."""
    new, origin = edit.mesh, edit.origin
    merges = key in MERGE or key in WELD_AFTER
    edges, faces, points = origin.edges, origin.faces, origin.points
    kept = edges >= 0
    creases, seams = old.creases[edges[kept]], old.seams[edges[kept]]
    if merges:
        # The sharpest of those that met stays.
        assert (new.creases[kept] >= creases).all() and (new.seams[kept] >= seams).all()
        assert (new.corner_sharpness[points >= 0] >= old.corner_sharpness[points[points >= 0]]).all()
    elif key == "bevel":
        assert ((new.creases[kept] == creases) | (new.creases[kept] == 0)).all()
        assert ((new.seams[kept] == seams) | ~new.seams[kept]).all()
    else:
        assert np.array_equal(new.creases[kept], creases) and np.array_equal(new.seams[kept], seams)
        assert np.array_equal(new.corner_sharpness[points >= 0], old.corner_sharpness[points[points >= 0]])
    if key not in WELD_AFTER:
        # Where new edges met old ones they have what those had.
        assert not new.creases[~kept].any() and not new.seams[~kept].any()
    assert np.array_equal(new.material[faces >= 0], old.material[faces[faces >= 0]])
    assert np.array_equal(new.hole[faces >= 0], old.hole[faces[faces >= 0]])
    for before, after in zip(old.sets, new.sets, strict=True):
        of_kind = origin.of(before.kind)
        expected = np.isin(of_kind, before.indices) & (of_kind >= 0)
        member = np.isin(np.arange(len(of_kind)), after.indices)
        if merges:
            assert (member >= expected).all()
        elif key in HEIRS:
            # Not all that comes from a member inherits its place: see test_heirs.
            assert (member <= expected).all()
        else:
            assert np.array_equal(member, expected)


def check_origins(old: Mesh, edit: Edit) -> None:
    counts = {"points": (old.n_points, edit.mesh.n_points), "edges": (old.n_edges, edit.mesh.n_edges)}
    counts["faces"] = (old.n_faces, edit.mesh.n_faces)
    for kind, (before, after) in counts.items():
        origin = edit.origin.of(kind)  # type: ignore[arg-type]
        assert origin.shape == (after,)
        if after:
            assert origin.min() >= -1 and origin.max() < max(before, 1)


@pytest.mark.parametrize("key", list(PARAMETERS))
@some(40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_any_edit_of_any_selection(key: str, data: st.DataObject) -> None:
    name = data.draw(st.sampled_from(list(CAGES)))
    plain = data.draw(st.booleans())
    cage = CAGES[name] if plain else richly_tagged(CAGES[name], data.draw(st.integers(0, 20)))
    operation = REGISTRY[key]
    kind: Kind = data.draw(st.sampled_from(operation.needs or ("faces",)))
    count = count_of(cage.topology, kind)
    chosen = data.draw(st.lists(st.integers(0, max(count - 1, 0)), max_size=8, unique=True)) if count else []
    values = {**operation.defaults(), **{n: data.draw(s) for n, s in PARAMETERS[key].items()}}
    selection = Selection(kind, np.array(chosen, dtype=np.int64))
    before = cage.points.copy()
    try:
        edit = operation.run(cage, selection, **values)
    except LevelLoopError as error:
        assert str(error).endswith((".", "?")) and str(error)[0].isupper()
        return
    check_valid(edit.mesh)
    check_origins(cage, edit)
    if operation.moves_only:
        # Only points move; a mirroring scale turns faces outward again.
        assert edit.mesh.n_faces == cage.n_faces and np.array_equal(edit.mesh.topology.edges, cage.topology.edges)
        untouched = cage.hidden_points.copy()
        untouched[points_of(cage.topology, selection)] = False
        assert np.array_equal(edit.mesh.points[untouched], cage.points[untouched]) or key in WHOLE
    if key not in SET_TAGS:
        check_tags(cage, edit, key)
    assert np.array_equal(cage.points, before)
    count_after = count_of(edit.mesh.topology, edit.selection.kind)
    assert len(edit.selection) == 0 or edit.selection.indices.max() < count_after
    # Where sheets only touch, a groove along an open edge parts them.
    if key in KEEP_EULER and (key != "groove" or name in CLOSED):
        assert edit.mesh.topology.euler_number() == cage.topology.euler_number()
    if name in CLOSED and key in (*KEEP_EULER, "extrude", "inset", "bevel") and (key, kind) not in OPENS:
        assert not edit.mesh.topology.open_edges.any()
    moved = mapped(selection, edit.origin)
    assert moved.kind == kind
    # Whatever an edit leaves behind can be reviewed and smoothed.
    review(edit.mesh)
    assert np.isfinite(smooth(edit.mesh, 1).points).all()


@some(25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(keys=st.lists(st.sampled_from(["extrude", "inset", "run_loop", "crease", "flip", "move"]), max_size=5))
def test_undo_is_exact(keys: list[str]) -> None:
    document = Document()
    session = Session(document.with_part(new_part(document, CAGES["box with cells"], "cage")))
    session.select(faces=[0])
    states = [session.state]
    for key in keys:
        if key in ("run_loop", "crease"):
            session.select(edges=session.part.mesh.topology.edges[:1])
        else:
            session.select(faces=[0])
        states[-1] = session.state
        session.do(key, **({"distance": 0.5} if key == "extrude" else {"weight": 2} if key == "crease" else {}))
        states.append(session.state)
    for state in reversed(states[:-1]):
        session.undo()
        assert session.state is state
    for state in states[1:]:
        session.redo()
        assert session.state is state


def test_values_refuse_to_be_written_to() -> None:
    mesh = CAGES["box"]
    for array in (mesh.points, mesh.topology.corners, mesh.topology.edges, mesh.creases):
        with pytest.raises(ValueError, match="read-only"):
            array[0] = 0
