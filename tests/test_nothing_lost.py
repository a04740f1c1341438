"""What may never happen to work: lost by a replay, a drop, an instance's size, another thread, a large result."""

from __future__ import annotations

import threading
import time
from pathlib import Path

import numpy as np
import pytest
from driving import Hands, needs_screen
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

import levelloop as ll
from levelloop.app.commands.files.picturing import QUESTION
from levelloop.core.edit.join.boolean import boolean
from levelloop.core.errors import EditError
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.forms.primitives import placed as put
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import KINDS
from levelloop.core.surface.bends import SAMPLES
from levelloop.core.surface.fans import _in_groups
from levelloop.core.surface.samples import _bends, _bends_by_rings
from levelloop.core.surface.surface import SmoothSurface
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters.base import Reading
from levelloop.document.session import Session
from levelloop.files import notes_on, write_meshes
from levelloop.files.errors import FileError
from levelloop.files.usd.write import MOST_RESULT, without_result, write_usd

# Surfaces and recipes


@pytest.mark.parametrize("level", [2, 3])
@pytest.mark.parametrize("count", [1, 8, 40])
def test_poles_of_one_kind_in_any_number_have_a_surface(count: int, level: int) -> None:
    """Weights of low levels have fewer samples than points around: 40 balls are 2,880 faces with points of four."""
    balls = [put(quad_sphere(10, 3), (20.0 * number, 0, 0)) for number in range(count)]
    cage = combined(balls)
    surface = SmoothSurface(cage, level)
    one, _ = _bends(surface, cage.points, 2, False)
    other, _ = _bends_by_rings(surface, surface.points(cage.points), 2, False)
    assert np.abs(one.numbers - other.numbers).max() < 1e-8
    fans = None if surface.patched is None else surface.patched[1].fans
    assert fans is not None or level == 2
    for family in fans.families if fans is not None else ():
        assert all(part.around.size <= SAMPLES for part in _in_groups(family))


CUTTERS = [put(quad_sphere(20, 3), (8, 6, 9)), put(cylinder(8, 60, 8, 1, "face"), (3, 2, 0)), box((6, 60, 6))]


@pytest.mark.parametrize("kind", ["union", "subtract", "intersect"])
@pytest.mark.parametrize("cutter", CUTTERS)
def test_what_a_boolean_brought_from_the_other_part_has_no_origin(kind: str, cutter: Mesh) -> None:
    mesh = box((20, 22, 24), (2, 3, 2))
    edit = boolean(mesh, cutter, kind)  # type: ignore[arg-type]
    for elements in KINDS:
        origins = edit.origin.of(elements)
        assert len(origins) == edit.mesh.count(elements) and origins.max() < mesh.count(elements)
    # Points that have an origin are where it is; faces lie in the plane of theirs.
    known = edit.origin.points >= 0
    assert np.allclose(edit.mesh.points[known], mesh.points[edit.origin.points[known]])
    assert (edit.origin.faces >= 0).any() and (edit.origin.faces < 0).any()


@pytest.mark.parametrize("after", ["slant", "smooth", "bend", "array"])
def test_steps_after_a_boolean_are_measured(after: str) -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=20, name="ball", at=(8, 6, 9))
    session.do("add_box", size=(20, 22, 24), cells=(2, 3, 2))
    session.add_step("boolean", kind="union", other="ball")
    given = {"slant": {"by": (2, 0, 0), "along": "z"}, "smooth": {"level": 1}, "bend": {"angle": 30.0}, "array": {}}
    session.add_step(after, **given[after])
    for level in range(4):
        assert np.isfinite(session.part.surface(level).k1).all()
    volume = session.measure().volume
    assert volume is not None and volume > 0


@pytest.mark.parametrize("step", ["revolve", "sweep"])
def test_what_is_made_of_wires_is_measured(step: str) -> None:
    """A cylinder by turning: its radius is what the ring of 64 points smooths to (uniform cubic B-splines)."""
    session = Session.new()
    session.do("add_line", points=((10, 0, 0), (10, 0, 10), (10, 0, 20), (10, 0, 30)))
    session.add_step(step, **({"steps": 64} if step == "revolve" else {"sides": 8, "caps": "open"}))
    measures = session.measure()
    assert measures.area > 0 and all(side > 0 for side in measures.size)
    if step == "revolve":
        assert measures.size[0] / 2 == pytest.approx(10 * (2 + np.cos(2 * np.pi / 64)) / 3, rel=1e-4)


def test_a_defect_of_a_step_is_its_trouble_and_the_rest_goes_on(monkeypatch: pytest.MonkeyPatch) -> None:
    from levelloop.core.recipe import onto

    session = Session.new()
    session.do("add_plane", size=(100, 100), name="ground")
    session.do("add_box", size=(10, 10, 10))
    session.add_step("conform", target="ground")
    session.add_step("mirror", planes="x")
    whole = session.part.stepped.n_faces
    monkeypatch.setattr(onto, "skin_of", lambda target: [][1])
    session.do("move", by=(1, 0, 0))
    (trouble,) = session.part.plain.troubles
    assert trouble.place == 0 and "IndexError" in trouble.reason and session.part.stepped.n_faces == whole
    found = [one for one in session.review() if one.check == "recipe"]
    assert len(found) == 1 and found[0].severity == "stop"


def test_copies_of_points_that_a_weld_took_away_are_told_apart() -> None:
    from levelloop.app.view.render.picture import make_picture

    session = Session.new()
    session.do("add_box", size=(20, 20, 20), cells=(4, 4, 4))
    session.add_step("weld", distance=6)
    session.add_step("array", count=3, move=(60, 0, 0))
    picture = make_picture(session.part, True)
    copies, sources = picture.copied_points
    assert len(copies) and copies.max() < len(picture.places) and sources.max() < session.part.mesh.n_points
    # A copy is its source, farther on by the array's move.
    source = picture.built.trace.points[sources]
    moved = picture.places[copies] - picture.places[source]
    assert set(np.round(moved[:, 0], 6)) <= {60.0, 120.0} and np.allclose(moved[:, 1:], 0, atol=1e-6)
    assert len(picture.cage_places) == session.part.mesh.n_points


# Sessions


def test_a_replay_leaves_what_was_done_meanwhile() -> None:
    session = Session.new()
    session.do("add_box", name="first")
    session.do("add_cylinder")
    session.undo()

    def meanwhile(work: object, title: str) -> object:
        made = work()  # type: ignore[operator]
        session.works = lambda work, title: work()
        session.do("add_torus", name="meanwhile")
        return made

    session.works = meanwhile  # type: ignore[assignment]
    with pytest.raises(EditError, match="meanwhile"):
        session.change_last(size=(5, 5, 5))
    assert [part.name for part in session.document.parts] == ["first", "meanwhile"]


def test_connectivity_is_let_go_while_others_work_it_out() -> None:
    topology = plane((10, 10), (30, 30)).topology
    names = ("edges", "twin", "valence", "next_corner", "corner_edge", "open_edges", "edge_faces", "corners_by_point")
    failed: list[Exception] = []
    stop = time.monotonic() + 1.5

    def work() -> None:
        while time.monotonic() < stop:
            try:
                for name in names:
                    getattr(topology, name)
            except Exception as error:
                failed.append(error)
                return

    threads = [threading.Thread(target=work) for _ in range(2)]
    for thread in threads:
        thread.start()
    while time.monotonic() < stop and not failed:
        topology.forget()
    for thread in threads:
        thread.join()
    assert not failed and topology.valence.sum() == 2 * topology.n_edges


@pytest.mark.parametrize("factor", [0.5, 1e-2, 9e-4, 1e-5, 1e3])
def test_an_instance_scaled_by_anything_leaves_the_cage_that_it_shares(factor: float) -> None:
    session = Session.new()
    session.do("add_box", size=(20, 20, 20), name="a")
    session.do("instance")
    cage = session.document.by_name("a").mesh
    session.do("scale", factors=factor)
    assert all(part.mesh is cage for part in session.document.parts)
    sizes = {part.name: np.ptp(part.output(0).points, axis=0) for part in session.document.parts}
    assert np.allclose(sizes.pop("a"), 20) and np.allclose(*sizes.values(), 20 * factor)
    with pytest.raises(EditError, match="shares its cage"):
        session.do("scale", factors=(1, 1, 0))
    assert session.document.by_name("a").mesh is cage


@pytest.mark.parametrize("key", ["take_out_row", "move_along_normals", "hold", "thicken", "extrude_along"])
def test_wires_and_curves_are_refused_in_words_on_both_sides_too(key: str) -> None:
    values = {
        "move_along_normals": {"distance": 1, "keep_wall": True},
        "hold": {"radius": 0.2, "by": "loops"},
        "thicken": {"profile": "way"},
        "extrude_along": {"curve": "way"},
    }.get(key, {})
    for symmetric in (False, True):
        for form, numbers in (("add_line", {"points": ((4, 0, 0), (9, 0, 6), (5, 0, 15))}), ("add_box", {})):
            session = Session.new()
            session.do("add_curve", points=((0, 0, 0), (0, 10, 30), (10, 10, 60)), name="way")
            session.do(form, **numbers)
            if symmetric:
                session.do("set_symmetry", axis="x")
            for kind in KINDS:
                session.select_all(kind)
                try:
                    session.do(key, **values)
                    session.undo()
                except ll.EditError as refusal:
                    assert str(refusal)


def test_a_closed_form_with_small_folds_is_held_by_loops() -> None:
    session = Session.new()
    session.do("add_quad_sphere", diameter=40, cells=24)
    a, b = session.part.mesh.topology.edges[700].tolist()
    session.select(edges=[(a, b)])
    session.do("select_loop")
    session.do("hold", radius=0.1, by="loops")
    assert not session.part.mesh.topology.open_edges.any()


def test_what_is_offered_for_an_optional_value_may_be_given() -> None:
    session = Session.new()
    session.do("add_curve", points=((0, 0, 0), (1, 0, 0)), name="way")
    session.do("add_box", name="box")
    reading = session.document.reading
    assert isinstance(reading, Reading)
    for operation in REGISTRY.all():
        for parameter in operation.parameters:
            first = parameter.first(session.document) if parameter.optional and parameter.is_typed else None
            if first not in (None, ""):
                parameter.read(first, reading)


# Files


def test_results_that_are_too_large_are_left_to_the_recipe_and_said(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box", size=(10, 10, 10), cells=(8, 8, 8), name="small")
    session.add_step("mirror", planes="x")
    session.do("set_level", level=2)
    session.do("add_box", size=(10, 10, 10), cells=(8, 8, 8), name="large")
    session.add_step("mirror", planes="y")
    session.do("set_level", level=6)
    assert [part.name for part in without_result(session.document, ".usda")] == ["large"]
    (note,) = notes_on(session.document, tmp_path / "it.usda")
    assert "“large”" in note and f"{MOST_RESULT['.usda']:,}" in note
    began = time.monotonic()
    session.save(tmp_path / "it.usda")
    assert time.monotonic() - began < 20 and (tmp_path / "it.usda").stat().st_size < 5_000_000
    again = Session.open(tmp_path / "it.usda")
    assert [part.name for part in again.document.parts] == ["small", "large"]
    assert [part.level for part in again.document.parts] == [2, 6] and len(again.document.parts[1].steps) == 1
    write_usd(tmp_path / "bare.usda", session.document, results=False)
    assert "_result" not in (tmp_path / "bare.usda").read_text()


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
def test_orders_radii_paths_and_empty_sets_come_back(ending: str, tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box", name="box")
    for name in ("zebra", "apple", "mango"):
        session.do("material", name=name, colour="#112233")
    session.do("material", name="wood", image="textures/not there.png")
    for face, name in enumerate(("mango", "wood", "apple")):
        session.select(faces=[face])
        session.do("set_material", material=name)
    session.select(faces=[3])
    session.do("keep_set", name="gone")
    session.do("delete")
    session.do("add_curve", points=((0, 0, 0), (1, 0, 0), (2, 1, 0)), radii=1)
    session.save(tmp_path / f"it{ending}")
    again = Session.open(tmp_path / f"it{ending}")
    for one in (session, again):
        assert [material.name for material in one.document.materials] == ["zebra", "apple", "mango", "wood"]
        assert one.document.materials[3].image == "textures/not there.png"
        assert [(named.name, len(named.indices)) for named in one.document.parts[0].mesh.sets] == [("gone", 0)]
        assert one.part.mesh.radius is not None and one.part.mesh.radius.tolist() == [1.0, 1.0, 1.0]


def test_a_package_that_leads_out_of_itself_is_refused(tmp_path: Path) -> None:
    from zipfile import ZIP_STORED, ZipFile

    session = Session.new()
    session.do("add_box")
    session.save(tmp_path / "outside.usda")
    for asset in (str(tmp_path / "outside.usda"), "../outside.usda"):
        stage = f'#usda 1.0\n(defaultPrim = "A")\ndef Xform "A" (references = @{asset}@</Model>) {{}}\n'
        (tmp_path / "in").mkdir(exist_ok=True)
        with ZipFile(tmp_path / "in" / "it.usdz", "w", ZIP_STORED) as package:
            package.writestr("it.usda", stage)
        with pytest.raises(FileError):
            Session.open(tmp_path / "in" / "it.usdz")


@pytest.mark.parametrize("scale", [(0, 0, 0), (1, 1, 0), (1, 1e-12, 1), (1e-300, 1e-300, 1e-300)])
def test_a_part_that_a_stage_scales_to_nothing_can_be_worked_on(scale: tuple[float, ...], tmp_path: Path) -> None:
    (tmp_path / "flat.usda").write_text(
        f"""#usda 1.0
(metersPerUnit = 0.001
upAxis = "Z")
def Mesh "A" {{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, 0, 0), (10, 0, 2), (10, 10, 0), (0, 10, 0)]
    double3 xformOp:scale = {scale}
    uniform token[] xformOpOrder = ["xformOp:scale"]
}}
"""
    )
    session = Session.open(tmp_path / "flat.usda")
    assert np.linalg.matrix_rank(session.part.transform) == 4
    session.do("add_plane", size=(50, 50), name="ground")
    session.set_active(session.document.parts[0].name)
    session.add_step("conform", target="ground")
    session.do("move", by=(1, 2, 3))
    session.do("set_part", group="some")
    session.add_step("taper", group="some")
    assert np.isfinite(session.part.output().points).all()
    session.review()


def test_names_are_one_line_and_scripts_are_refused_in_words(tmp_path: Path) -> None:
    from levelloop.document.scripting.script import ScriptError, read_script, run_script

    session = Session.new()
    session.do("add_box", name="a\nb\x00 \u2028c")
    assert session.part.name == "a b c"
    for step in ({"do": "add_box", "key": "x"}, {"step": "bend", "key": "x"}, {"set_part": "a b c", "part": "b"}):
        with pytest.raises(ScriptError) as refused:
            run_script(session, [step])
        assert "argument" not in str(refused.value) and "()" not in str(refused.value)
    (tmp_path / "deep.json").write_text("[" * 100_000)
    with pytest.raises(ScriptError, match="nested deeper"):
        read_script(tmp_path / "deep.json")


def test_copies_along_a_curve_are_bounded() -> None:
    session = Session.new()
    session.do("add_curve", points=((0, 0, 0), (60, 0, 0)), kind="straight", name="way")
    session.do("add_box")
    for values in ({"spacing": 1e-3}, {"spacing": 1e-300}):
        with pytest.raises(EditError, match="copies along the curve"):
            session.add_step("array_along", curve="way", **values)


def test_the_name_of_a_temporary_file_is_told_to_nobody(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_line", points=((0, 0, 0), (1, 0, 0)))
    with pytest.raises(FileError) as refused:
        write_meshes([("line", session.part.mesh)], tmp_path / "line.stl")
    assert str(refused.value).startswith("line.stl") and "levelloop-" not in str(refused.value)


def test_a_still_of_any_size_of_scene_is_whole(tmp_path: Path) -> None:
    from levelloop.still.render import render
    from levelloop.still.scene import Request

    seen = []
    for size in (0.02, 20.0, 200_000.0):
        session = Session.new()
        session.do("add_box", size=(size, size, size))
        render(session.document, tmp_path / "it.png", Request(32, 32, 4))
        with Image.open(tmp_path / "it.png") as picture:
            seen.append(np.asarray(picture).astype(int))
    assert seen[1][..., 3].min() < 255 or seen[1][16, 16, :3].max() > 20
    for other in (seen[0], seen[2]):
        assert np.abs(other - seen[1]).mean() < 12


# UV


def test_seams_that_are_selected_mean_the_islands_beside_them() -> None:
    session = Session.new()
    session.do("add_cylinder", diameter=20, height=30, sides=12, caps="quads")
    session.do("suggest_seams")
    assert session.selection.kind == "edges"
    session.do("unwrap")
    mesh = session.part.mesh
    assert mesh.uv is not None
    following = mesh.uv[mesh.topology.next_corner]
    twice = mesh.uv[:, 0] * following[:, 1] - mesh.uv[:, 1] * following[:, 0]
    areas = 0.5 * np.abs(np.add.reduceat(twice, mesh.topology.face_offsets[:-1]))
    # Every face has its share, and none lies over another.
    assert (areas > 0).all() and areas.sum() < 1.0


def test_packing_never_fills_less_than_what_was_right_before() -> None:
    from levelloop.core.uv.measure import filled

    session = Session.new()
    session.do("add_plane", size=(3000, 2), cells=(60, 1))
    session.do("add_box", size=(20, 20, 20), name="box")
    session.do("combine", parts=[part.name for part in session.document.parts])
    session.do("suggest_seams")
    session.select_none()
    session.do("unwrap")
    told = ""
    for values in ({"margin": 40, "size": 256}, {"margin": 4}, {"turn": False}, {"equal_density": False}):
        before = filled(session.part.mesh)
        said = str(session.do("pack", **values))
        after = filled(session.part.mesh)
        told += said
        assert after >= before - 1e-9 and f"{100 * after:.0f} %" in said
    assert "sets their size" in told


# The window


@needs_screen
def test_a_mesh_dropped_onto_guides_leaves_the_guides(empty: Hands, tmp_path: Path) -> None:
    Image.new("RGB", (40, 30)).save(tmp_path / "front.png")
    ll.write(box((10, 10, 10)), tmp_path / "cage.obj")
    empty.window.on_files.drop([tmp_path / "front.png"])
    empty.settle()
    assert len(empty.session.document.guides) == 1
    empty.window.on_files.drop([tmp_path / "cage.obj"])
    empty.settle()
    assert len(empty.session.document.guides) == 1 and len(empty.session.document.parts) == 1


@needs_screen
def test_enter_in_the_sentence_of_a_still_writes_it(
    empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    empty.session.do("add_box")
    empty.settle()
    asked: list[str] = []

    def chosen(parent: object, title: str, folder: str, filters: str) -> tuple[str, str]:
        asked.append(filters)
        return str(tmp_path / "still.png"), filters.split(";;")[0]

    monkeypatch.setattr(QFileDialog, "getSaveFileName", chosen)
    empty.window.picturing._last = {"size": "960 x 600", "samples": 1, "what": QUESTION.defaults()["what"]}
    empty.window.picturing.ask()
    empty.window.sentence.fields["samples"].setFocus()
    empty.key(Qt.Key.Key_Return)
    assert asked and "*.png" in asked[0] and "*.exr" in asked[0]
    assert (tmp_path / "still.png").is_file(), empty.window.message


@needs_screen
def test_a_colour_of_a_material_is_typed_in_its_field(empty: Hands) -> None:
    empty.session.do("add_box")
    empty.window.start("material")
    sentence = empty.window.sentence
    sentence.fields["name"].setFocus()
    sentence.fields["name"].selectAll()
    empty.type("rust")
    sentence._give("colour")
    empty.settle()
    assert "colour" in sentence.fields, empty.window.message
    sentence.fields["colour"].setFocus()
    sentence.fields["colour"].selectAll()
    empty.type("#A0522D")
    empty.key(Qt.Key.Key_Return)
    (rust,) = [one for one in empty.session.document.materials if one.name == "rust"]
    assert rust.colour == "#A0522D"


@needs_screen
def test_unwrap_right_after_suggested_seams_lays_all_flat(empty: Hands) -> None:
    empty.session.do("add_box", size=(20, 30, 10))
    empty.window.start("suggest_seams")
    empty.settle()
    empty.window.start("unwrap")
    empty.settle()
    uv = empty.session.part.mesh.uv
    assert uv is not None
    corners = uv.reshape(-1, 4, 2)
    assert all(np.linalg.matrix_rank(face - face[0]) == 2 for face in corners)


@needs_screen
def test_work_that_cannot_be_kept_safe_is_said_in_the_strip(empty: Hands, tmp_path: Path) -> None:
    from levelloop.app.window import Window
    from levelloop.files.journal import Journal

    (tmp_path / "state").write_text("in the way")
    journal = Journal(tmp_path / "state")
    window = Window(Session.new(), journal)
    window.setProperty("unattended", True)
    window.show()
    try:
        window.session.do("add_box")
        window.starting.keep_safe()
        empty.qtbot.waitUntil(lambda: "not kept safe" in window.strip.signs["safety"].text(), timeout=10_000)
        empty.qtbot.waitUntil(lambda: "Not a directory" in window.message, timeout=5_000)
        (tmp_path / "state").unlink()
        empty.qtbot.waitUntil(lambda: not window.strip.signs["safety"].text(), timeout=15_000)
        empty.qtbot.waitUntil(lambda: "safe again" in window.message, timeout=5_000)
        assert journal.folder is not None
    finally:
        window.close()
        window.deleteLater()


@needs_screen
def test_rescued_work_goes_only_once_its_successor_is_on_the_disk(empty: Hands, tmp_path: Path) -> None:
    from levelloop.app.window import Window
    from levelloop.files.journal import Journal, rescued

    session = Session.new()
    session.do("add_box", name="rescued")
    left = Journal(tmp_path / "work")
    left.note(session.document)
    assert left.flush()
    left.close()
    left._lock.close()  # type: ignore[union-attr]
    (work,) = rescued(tmp_path / "work")
    (tmp_path / "full").write_text("in the way")
    for home, is_kept in ((tmp_path / "full", True), (tmp_path / "other", False)):
        window = Window(Session.new(), Journal(home))
        window.setProperty("unattended", True)
        try:
            window.starting._take_up(work)
            assert [part.name for part in window.session.document.parts] == ["rescued"]
            assert work.folder.exists() == is_kept
        finally:
            window.close()
            window.deleteLater()


@needs_screen
def test_the_menu_of_a_view_opens_again_and_again(empty: Hands) -> None:
    import shiboken6

    from levelloop.app.commands.shell.menus import open_view_menu

    for _ in range(3):
        menu = open_view_menu(empty.window, empty.view.mapToGlobal(empty.view.rect().center()))
        assert [action.menu() for action in menu.actions()] == empty.window.view_menus
        menu.close()
        empty.qtbot.wait(50)
        assert all(shiboken6.isValid(one) for one in empty.window.view_menus)
