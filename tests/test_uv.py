"""UV: islands that are discs, laid flat without flips, against developable forms, Tutte's theorem and by counting."""

from __future__ import annotations

import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
from conftest import CAGES
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from levelloop.core.arrays import Floats
from levelloop.core.errors import EditError
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.uv.flatten import overlaps_itself, stretch_of, unwrap
from levelloop.core.uv.islands import island_uv, islands_of, uv_islands
from levelloop.core.uv.measure import jacobians
from levelloop.core.uv.packing import packed
from levelloop.core.uv.seams import cut_to_discs, suggest_seams
from levelloop.core.uv.straighten import grid_of
from levelloop.document.session import Session
from levelloop.files.errors import FileError
from levelloop.files.uv_layout import write_layout

FORMS = [
    ("add_box", {"cells": (3, 2, 1)}),
    ("add_cylinder", {"sides": 12, "caps": "quads"}),
    ("add_cone", {"sides": 8, "caps": "triangles"}),
    ("add_tube", {"sides": 10}),
    ("add_torus", {"sides": 12, "around": 6}),
    ("add_quad_sphere", {"cells": 4}),
    ("add_sphere", {}),
    ("add_geodesic", {"splits": 1}),
    ("add_disc", {"fill": "face"}),
]


def form(key: str, **numbers: object) -> Mesh:
    session = Session.new()
    session.do(key, **numbers)
    return session.part.mesh


def signed_areas(flat: Floats, shown: np.ndarray) -> Floats:
    a, b, c = (flat[shown[:, n]] for n in range(3))
    one, other = b - a, c - a
    return 0.5 * (one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0])


@pytest.mark.parametrize(("key", "numbers"), FORMS, ids=[key for key, _ in FORMS])
@pytest.mark.parametrize("fold", [20.0, 40.0, 180.0])
def test_every_island_can_be_laid_flat_after_seams_were_suggested(
    key: str, numbers: dict[str, object], fold: float
) -> None:
    mesh = form(key, **numbers)
    edit = suggest_seams(mesh, NOTHING, fold)
    islands = islands_of(edit.mesh, np.arange(mesh.n_faces), edit.mesh.seams)
    assert sum(len(one.faces) for one in islands) == mesh.n_faces
    for one in islands:
        # A disc: Euler's number 1, one rim.
        assert one.is_disc
        _, offsets, closed = one.topology.boundary_chains
        assert len(offsets) == 2 and closed.all()
    assert (edit.mesh.seams | ~mesh.seams).all()
    assert suggest_seams(edit.mesh, NOTHING, fold).message.startswith("0 edges")


@pytest.mark.parametrize(("key", "numbers"), FORMS, ids=[key for key, _ in FORMS])
@pytest.mark.parametrize("method", ["low stretch", "angles"])
def test_what_is_laid_flat_has_no_flips_and_lies_in_the_square(
    key: str, numbers: dict[str, object], method: str
) -> None:
    mesh = form(key, **numbers)
    flat = unwrap(suggest_seams(mesh, NOTHING).mesh, NOTHING, method).mesh  # type: ignore[arg-type]
    assert flat.uv is not None and flat.uv.min() > 0 and flat.uv.max() < 1
    for island in uv_islands(flat, np.arange(flat.n_faces)):
        places = island_uv(flat, island)
        shown, _ = triangles(island.topology, flat.points[island.point])
        assert (signed_areas(places, shown) > 0).all()
        assert not overlaps_itself(island, places)


@given(st.integers(3, 24), st.floats(5, 50), st.floats(2, 80))
def test_the_side_of_a_cylinder_is_a_rectangle_of_its_own_size(sides: int, diameter: float, height: float) -> None:
    """A prism's side is developable: flattened it keeps all lengths."""
    mesh = form("add_cylinder", diameter=diameter, height=height, sides=sides, caps="open")
    cut = suggest_seams(mesh, NOTHING, 180.0).mesh
    assert int(cut.seams.sum()) == 1
    flat = unwrap(cut, NOTHING, pack=False).mesh
    assert flat.uv is not None
    keeps_all_lengths(flat)


def keeps_all_lengths(flat: Mesh) -> None:
    assert flat.uv is not None
    topology = flat.topology
    for across in (topology.next_corner, topology.next_corner[topology.next_corner]):
        lengths = np.linalg.norm(flat.uv[across] - flat.uv, axis=1)
        real = np.linalg.norm(flat.points[topology.corners[across]] - flat.points[topology.corners], axis=1)
        assert lengths == pytest.approx(real, rel=1e-3)


@given(st.integers(3, 24), st.floats(5, 50), st.floats(5, 80))
def test_the_side_of_a_cone_is_a_fan_of_its_own_triangles(sides: int, diameter: float, height: float) -> None:
    session = Session.new()
    session.do("add_cone", bottom=diameter, top=0.0, height=height, sides=sides, caps="open")
    apex = int(np.argmax(session.part.mesh.points[:, 2]))
    session.select(edges=[[apex, 0 if apex else 1]])
    session.do("seam")
    keeps_all_lengths(unwrap(session.part.mesh, NOTHING, pack=False).mesh)


def test_what_is_not_smoothed_is_laid_flat_as_it_is() -> None:
    for level, is_flat in ((0, True), (2, False)):
        session = Session.new()
        session.do("add_cylinder", diameter=20, height=30, sides=8, cells=2, caps="open")
        session.do("set_level", level=level)
        session.do("suggest_seams", fold=180)
        session.select_none()
        session.do("unwrap", pack=False)
        mesh = session.part.mesh
        assert mesh.uv is not None
        around = np.linalg.norm(mesh.uv[mesh.topology.next_corner] - mesh.uv, axis=1)
        real = np.linalg.norm(mesh.points[mesh.topology.corner_end] - mesh.points[mesh.topology.corners], axis=1)
        assert np.allclose(around, real, rtol=1e-3) == is_flat


def test_a_plane_is_not_stretched_and_a_half_ball_hardly() -> None:
    mesh = form("add_plane", size=(30, 20), cells=(6, 4))
    flat = unwrap(mesh, NOTHING, pack=False).mesh
    (island,) = uv_islands(flat, np.arange(flat.n_faces))
    stretch = stretch_of(island, flat.points, island_uv(flat, island))
    assert stretch.worst == pytest.approx(1.0, abs=1e-3) and stretch.area == pytest.approx(1.0, abs=1e-3)
    session = Session.new()
    session.do("add_quad_sphere", cells=8)
    session.select_where("faces", normal=(0, 0, 1), within=85)
    told = session.do("unwrap", pack=False)
    # A half ball cannot lie flat without stretch: its rim of 2πr would lie at πr/2, π/2 times too short.
    assert "1 island" in told and 1.05 < float(told.split("at most ")[1].split()[0]) < np.pi / 2 + 0.3


def test_low_stretch_is_less_than_where_it_starts_from_and_angles_keep_angles() -> None:
    session = Session.new()
    session.do("add_quad_sphere", cells=6)
    session.select_where("faces", normal=(0, 0, 1), within=100)
    seen = {}
    for method in ("low stretch", "angles"):
        session.do("unwrap", method=method, pack=False)
        mesh = session.part.mesh
        chosen = session.selection.indices
        (island,) = islands_of(mesh, chosen, mesh.seams)
        seen[method] = stretch_of(island, mesh.points, island_uv(mesh, island))
        session.undo()
        session.select_where("faces", normal=(0, 0, 1), within=100)
    assert seen["angles"].mean <= seen["low stretch"].mean + 0.02
    assert seen["low stretch"].area.max() < seen["angles"].area.max()


@pytest.mark.parametrize("name", list(CAGES))
def test_any_cage_is_unwrapped_or_refused_in_words(name: str) -> None:
    mesh = CAGES[name]
    try:
        flat = unwrap(mesh, NOTHING)
    except EditError as error:
        assert str(error).endswith(".")
        return
    assert flat.mesh.uv is not None and np.isfinite(flat.mesh.uv).all()
    assert flat.mesh.uv.min() >= 0 and flat.mesh.uv.max() <= 1


def test_pinned_points_keep_their_uv() -> None:
    session = Session.new()
    session.do("add_plane", size=(40, 40), cells=(6, 6))
    session.do("unwrap", pack=False)
    session.select(points=[0, 6])
    session.do("keep_set", name="pinned")
    session.select_none()
    mesh = session.part.mesh
    at = np.isin(mesh.topology.corners, [0, 6])
    assert mesh.uv is not None
    before = mesh.uv[at]
    session.select_where("points", near=(3, 2, 0), count=1)
    session.do("move", by=(4, 1, 9))
    session.select_none()
    session.do("unwrap")
    after = session.part.mesh.uv
    assert after is not None and after[at] == pytest.approx(before, abs=0.05)
    assert not np.allclose(after, mesh.uv)


@given(st.integers(1, 14), st.integers(0, 1000), st.sampled_from([0, 4, 16]), st.booleans())
def test_packed_islands_lie_apart_by_the_margin(count: int, seed: int, margin: int, turn: bool) -> None:
    random = np.random.default_rng(seed)
    flats, shown = [], []
    for _ in range(count):
        sides = random.integers(3, 9)
        angle = np.sort(random.uniform(0, 2 * np.pi, sides))
        if np.diff(np.append(angle, angle[0] + 2 * np.pi)).max() > 3:
            angle = np.linspace(0, 2 * np.pi, sides, endpoint=False)
        rim = random.uniform(2, 20) * np.stack((np.cos(angle), np.sin(angle)), axis=1)
        flats.append(np.concatenate((rim, [[0.0, 0.0]])))
        shown.append(np.array([(i, (i + 1) % sides, sides) for i in range(sides)]))
    placed = packed(flats, margin, 512, turn)
    whole = np.concatenate(placed)
    rim_ = margin / 512
    assert whole.min() >= rim_ - 1e-6 and whole.max() <= 1 - rim_ + 1e-6
    scales = [np.linalg.norm(b[0] - b[-1]) / np.linalg.norm(a[0] - a[-1]) for a, b in zip(flats, placed, strict=True)]
    assert scales == pytest.approx([scales[0]] * count, rel=1e-9)
    # By many places of each: between two lies the margin.
    boxes = [(one.min(axis=0), one.max(axis=0)) for one in placed]
    for first in range(count):
        for second in range(first + 1, count):
            samples = _filled(placed[first], shown[first])
            other = _filled(placed[second], shown[second])
            if (boxes[first][0] > boxes[second][1] + rim_).any() or (boxes[second][0] > boxes[first][1] + rim_).any():
                continue
            assert np.linalg.norm(samples[:, None] - other, axis=2).min() >= rim_ - 1e-6


def _filled(flat: Floats, shown: np.ndarray) -> Floats:
    weights = np.array([(a, b, 6 - a - b) for a in range(7) for b in range(7 - a)]) / 6
    return np.einsum("wc,tcj->twj", weights, flat[shown]).reshape(-1, 2)


@given(st.floats(5, 85))
def test_a_lone_island_fills_the_square_as_well_as_turning_allows(angle: float) -> None:
    turn = np.radians(angle)
    square = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]]) @ np.array(
        [[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]
    )
    (placed,) = packed([square], 8, 1024)
    assert np.ptp(placed, axis=0) == pytest.approx([1 - 16 / 1024] * 2, rel=2e-3)


@pytest.mark.parametrize("by", ["plane", "box", "cylinder", "sphere", "view"])
def test_projections_are_what_geometry_says(by: str) -> None:
    session = Session.new()
    session.do("add_cylinder", diameter=20, height=30, sides=16, cells=2, caps="quads", at=(5, -3, 2))
    session.do("project_uv", by=by, axis="z", size=100)
    mesh = session.part.mesh
    uv, points = mesh.uv, mesh.points[mesh.topology.corners] - [5, -3, 2]
    assert uv is not None
    if by in ("plane", "view"):
        assert (uv - 0.5) * 100 == pytest.approx(np.abs(points[:, :2]) * np.sign(uv - 0.5), abs=1e-9)
    elif by == "cylinder":
        side = np.abs(points[:, 2]) <= 15
        assert (uv[side, 1] - 0.5) * 100 == pytest.approx(points[side, 2], abs=1e-9)
    elif by == "box":
        # Seen from the side that a face faces most, nothing is longer than it is.
        a, b = uv[0::4], uv[1::4]
        real = np.linalg.norm(points[1::4] - points[0::4], axis=1)
        assert (np.linalg.norm(b - a, axis=1) * 100 <= real + 1e-9).all()
    session.do("project_uv", by=by)
    fitted = session.part.mesh.uv
    assert fitted is not None and np.ptp(fitted, axis=0).max() == pytest.approx(1.0)


@given(st.integers(1, 8), st.integers(1, 8), st.integers(0, 3))
def test_grids_are_straightened_to_rectangles(across: int, along: int, seed: int) -> None:
    session = Session.new()
    session.do("add_plane", size=(30, 20), cells=(across, along))
    session.do("unwrap", pack=False)
    mesh = session.part.mesh
    assert mesh.uv is not None
    (island,) = uv_islands(mesh, np.arange(mesh.n_faces))
    grid = grid_of(island)
    assert grid is not None and sorted(grid.max(axis=0)) == sorted((across, along))
    bent = mesh.uv + 0.3 * np.sin(mesh.uv[:, ::-1] / 9 + seed)
    from levelloop.core.uv.straighten import straighten_uv

    straight = straighten_uv(replace(mesh, uv=bent), NOTHING).mesh.uv
    assert straight is not None
    sides = np.abs(straight[mesh.topology.next_corner] - straight)
    assert np.minimum(sides[:, 0], sides[:, 1]) == pytest.approx(np.zeros(len(sides)), abs=1e-9)


def test_what_is_no_grid_or_has_no_uv_is_said() -> None:
    session = Session.new()
    session.do("add_disc", fill="face")
    for key in ("straighten_uv", "pack"):
        with pytest.raises(EditError, match="unwrap first"):
            session.do(key)
    session.do("unwrap")
    with pytest.raises(EditError, match="None of the islands is a grid"):
        session.do("straighten_uv")
    with pytest.raises(EditError, match="margin is too large"):
        session.do("pack", margin=200, size=256)
    with pytest.raises(EditError):
        session.do("project_uv", size=-3)


def test_hidden_sides_are_cut_first() -> None:
    """A torus cut twice: the cheaper way runs underneath where that counts as shorter."""
    mesh = form("add_torus", diameter=60, thickness=20, sides=24, around=12)
    plain = cut_to_discs(mesh, np.arange(mesh.n_faces), mesh.seams, np.ones(mesh.n_edges))
    hidden = suggest_seams(mesh, NOTHING, 180.0).mesh.seams
    middle = lambda seams: mesh.points[mesh.topology.edges[seams]].mean(axis=1)[:, 2].mean()  # noqa: E731
    assert middle(hidden) < middle(plain) - 0.5


def test_layouts_are_drawn_by_size_and_lines(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(2, 2, 2))
    with pytest.raises(FileError, match="unwrap first"):
        write_layout(tmp_path / "no.png", [session.part.mesh])
    session.do("suggest_seams")
    session.select_none()
    session.do("unwrap")
    path = session.save(tmp_path / "crate.usda")
    for name in ("crate.png", "crate.svg"):
        command = [sys.executable, "-m", "levelloop", "uv", str(path), "-o", str(tmp_path / name), "--size", "256"]
        assert subprocess.run(command, check=False, capture_output=True, text=True).returncode == 0
    with Image.open(tmp_path / "crate.png") as drawn_:
        picture = np.asarray(drawn_)
    assert picture.shape == (256, 256, 4)
    mesh = session.part.mesh
    assert mesh.uv is not None
    middles = mesh.uv.reshape(-1, 4, 2).mean(axis=1)
    at = np.floor(middles * 256).astype(int)
    assert (picture[255 - at[:, 1], at[:, 0], 3] == 255).all() and picture[0, 0, 3] == 0
    drawn = ElementTree.parse(tmp_path / "crate.svg").getroot()
    space = "{http://www.w3.org/2000/svg}"
    assert len(drawn.findall(f".//{space}polygon")) == mesh.n_faces
    paths = {one.get("id"): str(one.get("d")).count("M") for one in drawn.findall(f".//{space}path")}
    # 24 inner edges drawn from both sides; 24 seams as the rims of both faces.
    assert paths == {"edges": 48, "rims": 48}
    with pytest.raises(FileError, match="A layout is written"):
        write_layout(tmp_path / "crate.bmp", [mesh])


@pytest.mark.parametrize("thin", [0.0, 5e-324, 5.3e-182, 1e-160, 1e-20])
def test_slivers_of_any_thinness_have_no_stretch_of_their_own(thin: float) -> None:
    points = np.array([[0, 0, 0], [2, 0, 0], [2, 1, 0], [2, 1, thin], [0, thin, 0]], dtype=np.float64)
    flat = points[:, :2] * 0.25
    jacobian, area, good = jacobians(points, flat, np.array([[0, 1, 2], [1, 2, 3], [0, 1, 4], [3, 2, 2]]))
    assert good.tolist() == [True, False, False, False]
    assert np.allclose(area, 1.0) and np.allclose(np.linalg.svd(jacobian, compute_uv=False), 0.25)
