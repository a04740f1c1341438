"""All benchmarks in one run: what was measured, the target, the verdict. `make bench`.

Best of several repeats, one thread where the library allows it, side by side with the C++ reference library where
that can be built. Writes docs/benchmarks.md.
"""

from __future__ import annotations

import os
import platform
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from functools import partial
from itertools import count
from pathlib import Path

import numpy as np
import reference
from opening import opening

from levelloop.core.edit.bevel.bevel import bevel
from levelloop.core.edit.build.bridge import bridge
from levelloop.core.edit.build.extrude import extrude, inset
from levelloop.core.edit.build.groove import groove
from levelloop.core.edit.build.sweeping import extrude_along, revolve
from levelloop.core.edit.build.thicken import thicken
from levelloop.core.edit.build.weave import weave
from levelloop.core.edit.clean.flats import swing_edge, take_out_flats
from levelloop.core.edit.clean.simple import delete
from levelloop.core.edit.clean.take_out import take_out
from levelloop.core.edit.clean.to_quads import to_quads
from levelloop.core.edit.divide.cut import cut
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.edit.divide.slicing import slice_planes
from levelloop.core.edit.divide.split import split_ring, subdivide
from levelloop.core.edit.join.boolean import boolean
from levelloop.core.edit.join.weld import weld
from levelloop.core.edit.move.transform import move
from levelloop.core.edit.repeat.copies import array, keep_slice, mirror_across
from levelloop.core.forms.primitives import box, cylinder, plane, quad_sphere
from levelloop.core.forms.solids import geodesic
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.faces import face_centres
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import (
    NOTHING,
    Selection,
    grow,
    select_all,
    select_boundary,
    select_loop,
    select_ring,
)
from levelloop.core.mesh.topology import Topology
from levelloop.core.review import Subject, review, reviews
from levelloop.core.review.between import Body, meetings
from levelloop.core.review.findings import Finding, Remedy
from levelloop.core.select.soft_range import Soft, soft_weights
from levelloop.core.surface.samples import sampled
from levelloop.core.surface.surface import SmoothSurface
from levelloop.core.uv.flatten import unwrap
from levelloop.core.uv.packing import packed
from levelloop.core.uv.seams import suggest_seams
from levelloop.demo.build import demo_document
from levelloop.document.document import Document, new_part
from levelloop.document.review.remedies import Effect, place_of, remedies_of, tried
from levelloop.document.review.reviewing import reviewed_alone
from levelloop.files import outputs_for, read_document, write_document, write_meshes
from levelloop.still.render import render
from levelloop.still.scene import Request

Row = tuple[str, float, float | None, str]
LEVEL = 3
ROUNDS = 5  # in which ours and the reference are measured in turn


def best(run: Callable[[], object], repeats: int = 5) -> float:
    """The shortest of several runs, in milliseconds."""
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        run()
        times.append(1000.0 * (time.perf_counter() - start))
    return min(times)


def fresh(mesh: Mesh) -> Mesh:
    """The same cage with nothing derived yet."""
    topology = Topology(mesh.topology.face_offsets, mesh.topology.corners, mesh.n_points)
    return Mesh(topology, mesh.points)


def cube_of(faces: int) -> Mesh:
    """A closed cage of about so many quads."""
    cells = max(1, round((faces / 6) ** 0.5))
    return box((100, 100, 100), (cells, cells, cells))


def smoothing(mesh: Mesh, program: Path | None) -> list[Row]:
    """Refinement, stencils and new points, against the reference: in turn with it, for a machine has its moods."""

    def refined() -> None:
        cage = fresh(mesh)
        SmoothSurface(cage, LEVEL).points(cage.points)

    def stencils() -> None:
        _ = SmoothSurface(fresh(mesh), LEVEL).matrices

    surface = SmoothSurface(mesh, LEVEL)
    _ = surface.matrices
    # As the reference does, into memory that is there already.
    kept = np.empty((3, surface.topology.n_points))
    uneven = mixed_cage(mesh)
    rough = SmoothSurface(uneven, LEVEL)
    rough.fast_points(uneven.points, kept)
    work: list[tuple[str, Callable[[], object], str, float]] = [
        ("level 3: connectivity + positions", refined, "refine", 0.6),
        ("level 3: connectivity + stencil matrices", stencils, "stencil", 0.4),
        ("level 3: new points", lambda: surface.fast_points(mesh.points, kept), "apply", 0.5),
    ]
    odd = every_tenth_irregular(mesh)
    for title, form, cage in (("level 3", surface, mesh), ("level 3, 10 % irregular", SmoothSurface(odd, LEVEL), odd)):
        placed = form.points(cage.points)
        normals = partial(form.normals, placed, cage.points)
        work += [
            (f"{title}: limit normals", normals, "apply", 2.0),
            (f"{title}: limit points, normals, curvatures", partial(sampled, form, cage.points), "apply", 6.0),
        ]
    for _, run, _, _ in work:
        run()
    ours: dict[str, list[float]] = {title: [] for title, *_ in work}
    theirs: list[dict[str, float]] = []
    for _ in range(ROUNDS):
        if program is not None:
            theirs.append(reference.run(program, mesh, LEVEL, 3)[0])
        for title, run, _, _ in work:
            ours[title].append(best(run, 4))
    rows: list[Row] = []
    for title, _, key, share in work:
        taken = float(np.median(ours[title]))
        if theirs:
            ratio = float(np.median([one / other[key] for one, other in zip(ours[title], theirs, strict=True)]))
            usual = float(np.median([other[key] for other in theirs]))
            # Held against the reference of its own round: the target is its share of what is told beside it.
            note = f"{ratio:.2f} × the reference's {usual:.0f} ms (up to {share}), round by round"
            rows.append((title, taken, taken * share / ratio, note))
        else:
            rows.append((title, taken, None, "reference not built"))
    rows.append(
        (
            "level 3: new points, every 5th edge creased",
            best(lambda: rough.fast_points(uneven.points, kept)),
            None,
            "",
        )
    )
    return rows


def every_tenth_irregular(mesh: Mesh) -> Mesh:
    """The cage with poles at a tenth of its faces: an inset has five faces of its own, eight more touch its corners."""
    faces = Selection("faces", np.arange(0, mesh.n_faces, 123))
    return inset(mesh, faces, 0.3, each=True).mesh


def mixed_cage(mesh: Mesh) -> Mesh:
    """The cage with so many semi-sharp creases that little of it is regular."""
    return mesh.with_creases(np.where(np.arange(mesh.n_edges) % 5 == 0, 1.5, 0.0))


def selecting() -> list[Row]:
    """Loops and rings on a large cage, connectivity known."""
    topology = cube_of(100_000).topology
    edge = Selection("edges", np.array([topology.n_edges // 3]))
    select_loop(topology, edge), select_ring(topology, edge)
    half = Selection("faces", np.arange(topology.n_faces // 2))
    derived = best(lambda: derive(topology), 3)
    return [
        (
            "100,000 faces: all connectivity derived",
            derived,
            120.0,
            "with rings, boundaries, shells",
        ),
        ("100,000 faces: select a loop", best(lambda: select_loop(topology, edge)), 2.0, ""),
        ("100,000 faces: select a ring", best(lambda: select_ring(topology, edge)), 2.0, ""),
        ("100,000 faces: grow half of them", best(lambda: grow(topology, half)), None, ""),
    ]


def derive(topology: Topology) -> None:
    """Everything an edit or a picture needs to know."""
    new = Topology(topology.face_offsets, topology.corners, topology.n_points)
    _ = new.edges, new.edge_faces, new.twin, new.around, new.valence, new.point_face_count, new.open_points
    _ = new.point_rings, new.boundary_chains, new.n_shells, new.orientation


def editing(faces: int) -> list[Row]:
    """Edits on a cage whose connectivity is known, the new cage's edges included."""
    mesh = cube_of(faces)
    topology = mesh.topology
    _ = topology.twin, topology.ring_label, topology.around, mesh.creases
    chosen = Selection("faces", np.arange(topology.n_faces // 4))
    edge = Selection("edges", np.array([topology.n_edges // 3]))
    loop = select_loop(topology, edge)
    target = 60.0 if faces == 20_000 else None
    return [
        (f"{faces:,} faces: extrude a quarter", best(lambda: extrude(mesh, chosen, 1.0)), target, ""),
        (f"{faces:,} faces: inset a quarter, each", best(lambda: inset(mesh, chosen, 0.1, each=True)), target, ""),
        (f"{faces:,} faces: bevel a loop, 2 steps", best(lambda: bevel(mesh, loop, 0.1, 2)), target, ""),
        (f"{faces:,} faces: run a loop", best(lambda: run_loop(mesh, edge)), target, ""),
        (f"{faces:,} faces: take a loop out", best(lambda: take_out(mesh, loop)), target, ""),
        (
            f"{faces:,} faces: weld all within 0.001",
            best(lambda: weld(mesh, select_all(topology, "points"))),
            target,
            "",
        ),
    ]


def building(faces: int) -> list[Row]:
    """The operations that change faces, on a cage whose connectivity is known; targets at 20,000 faces."""
    mesh = cube_of(faces)
    topology = mesh.topology
    _ = topology.twin, topology.ring_label, topology.around, mesh.creases, topology.corners_by_point
    quarter = Selection("faces", np.arange(topology.n_faces // 4))
    edge = Selection("edges", np.array([topology.n_edges // 3]))
    ring, loop = select_ring(topology, edge), select_loop(topology, edge)
    nothing = Selection("faces", np.zeros(0, dtype=np.int64))
    # A box without its top, for what closes boundaries; two of them for what joins them.
    top = np.flatnonzero(face_centres(topology, mesh.points)[:, 2] > 49.999)
    cup = delete(mesh, Selection("faces", top)).mesh
    rim = select_boundary(cup.topology, nothing)
    half = cube_of(faces // 2)
    cups = []
    for height in (0.0, 200.0):
        lid = np.flatnonzero(
            np.abs(face_centres(half.topology, half.points)[:, 2] - (50 if height == 0 else -50)) < 1e-3
        )
        open_ = delete(half, Selection("faces", lid)).mesh
        cups.append(open_.with_points(open_.points + np.array([0.0, 0.0, height])))
    both = combined(cups)
    rims = select_boundary(both.topology, nothing)
    _ = both.topology.twin, cup.topology.twin
    bent = quad_sphere(100, max(1, round((faces / 6) ** 0.5)))
    triangles_ = subdivided_triangles(faces)
    corner = topology.face(0)
    drill = cylinder(30, 300, 16)
    work: list[tuple[str, Callable[[], object], float]] = [
        ("split a ring", lambda: split_ring(mesh, ring), 60.0),
        ("slice by a slanted plane", lambda: slice_planes(bent, nothing, ((0, 0, 0), (1.0, 0.3, 0.2))), 60.0),
        ("subdivide a quarter", lambda: subdivide(mesh, quarter), 60.0),
        ("groove a loop", lambda: groove(mesh, loop, 0.2, -0.1), 60.0),
        ("thicken all", lambda: thicken(cup, nothing, 1.0, 0.0), 60.0),
        ("take out flats", lambda: take_out_flats(mesh, nothing), 60.0),
        ("mirror across, keep one side", lambda: mirror_across(bent, nothing, "x", "+"), 60.0),
        ("array of 2, welded", lambda: array(mesh, nothing, 2, (100, 0, 0), weld=0.001), 60.0),
        ("keep a slice of 8", lambda: keep_slice(bent, nothing, 8), 60.0),
        ("extrude along a curve, a quarter", lambda: extrude_along(mesh, quarter, [(0, 0, 50), (0, 0, 90)], 4), 60.0),
        ("revolve a loop, 16 steps", lambda: revolve(mesh, loop, 90.0, 16, weld=None), 60.0),
        ("weave a boundary", lambda: weave(cup, rim), 1000.0),
        ("bridge two boundaries", lambda: bridge(both, rims, 4), 60.0),
        ("to quads", lambda: to_quads(triangles_, nothing), 60.0),
        ("swing an edge", lambda: swing_edge(mesh, edge), 60.0),
        ("cut a face", lambda: cut(mesh, nothing, [{"point": int(corner[0])}, {"point": int(corner[2])}]), 60.0),
        ("boolean with a cylinder", lambda: boolean(mesh, drill, "subtract"), 1000.0),
    ]
    rows: list[Row] = []
    for title, run, target in work:
        run()
        rows.append((f"{faces:,} faces: {title}", best(run, 3), target if faces == 20_000 else None, ""))
    return rows


def subdivided_triangles(faces: int) -> Mesh:
    """A sphere of about so many triangles."""
    return geodesic(100, max(0, round(np.log(faces / 20) / np.log(4))))


def hands() -> list[Row]:
    """What follows the pointer: picking on a large cage, a soft drag of many points."""
    from levelloop.app.view.camera import Camera
    from levelloop.app.view.picking.picking import Sight, pick
    from levelloop.app.view.render.picture import make_picture
    from levelloop.app.view.render.what_is_where import WhatIsWhere

    part = new_part(Document(), cube_of(100_000), "cage")
    picture = make_picture(part, False)
    camera = Camera()
    camera.frame(picture.extent(), 1280, 800)
    size = (800, 1280)
    what = WhatIsWhere(np.zeros(size, dtype=np.int32), np.ones(size, dtype=np.float32))
    sight = Sight(camera, 1280, 800, [picture], what)
    rows: list[Row] = []
    for kind in ("points", "edges", "faces"):
        pick(sight, kind, 640, 400)
        note = "projected once for the frame"
        rows.append((f"100,000 faces: pick {kind}", best(lambda kind=kind: pick(sight, kind, 640, 400)), 16.0, note))
    fresh_sight = best(lambda: pick(Sight(camera, 1280, 800, [picture], what), "edges", 640, 400), 3)
    rows.append(("100,000 faces: pick edges after the view moved", fresh_sight, 16.0, ""))
    sheet = plane((100, 100), (120, 120))
    middle = Selection("points", np.array([sheet.n_points // 2]))
    _ = sheet.hidden_points
    moving = int((soft_weights(sheet, middle.indices, Soft(50.0)) > 0).sum())
    drag = best(lambda: move(sheet, middle, (0, 0, 1), soft_range=50.0))
    rows.append((f"soft move of {moving:,} points", drag, 16.0, "without smoothing"))
    return [*rows, *dragging(40, False), *dragging(40, True), *dragging(16, True)]


def dragging(cells: int, bends: bool) -> list[Row]:
    """A point of a cage shown at level 3 dragged, all of it shown: from the operation to the arrays that are drawn."""
    from levelloop.app.theme import BENCH
    from levelloop.app.view.render.live import Shown, followed
    from levelloop.app.view.render.picture import make_picture
    from levelloop.app.view.scenery import Scenery
    from levelloop.app.view.view_state import ViewState
    from levelloop.document.session import Session

    session = Session(Document().with_part(new_part(Document(), box((100,) * 3, (cells,) * 3), "cage")))
    session.do("set_level", level=LEVEL)
    session.set_selection(Selection("points", np.array([session.part.mesh.n_points // 2])))
    picture, scenery, way = make_picture(session.part, True, bends=bends), Scenery(BENCH), count(2)

    def frame() -> None:
        nonlocal picture
        session.change_last(by=(0.0, 0.0, 0.1 * next(way)))
        found = followed(picture, session.part, Shown(LEVEL, None, False, bends))
        assert found is not None
        picture = found
        scenery.scene(session.state, ViewState(shown=[picture], pictures={picture.part.id: picture}))

    session.do("move", by=(0.0, 0.0, 0.1))
    frame()
    what = f"{session.part.mesh.n_faces:,} quads at level 3: one dragged point{', curvature colours' if bends else ''}"
    return [(what, best(frame, 12), 16.0, f"{picture.n_shown_faces:,} faces shown")]


def recipes() -> list[Row]:
    """One cage point dragged, the whole recipe after it."""
    from levelloop.core.forms.curves import add_curve
    from levelloop.core.recipe.chain import build
    from levelloop.document.operations import REGISTRY
    from levelloop.document.parameters import Reading
    from levelloop.document.recipe.step_kinds import STEPS
    from levelloop.document.recipe.steps import Step, links_of

    def step(key: str, **given: object) -> Step:
        values = REGISTRY[f"step_{key}"].read(given, Reading())
        return Step(key, {parameter.name: values[parameter.name] for parameter in STEPS[key].parameters})

    quarter, strip, half = plane((40, 30), (40, 30)), plane((400, 12), (200, 6)), plane((125, 50), (125, 50))
    turns = np.linspace(0.0, 12.0 * np.pi, 101)
    spiral = add_curve(np.stack((60.0 * np.cos(turns), 60.0 * np.sin(turns), 4.0 * turns), axis=1), "smooth", radii=3.0)
    # Work, its cage and steps, the rail's level, targets from nothing and while a point is dragged.
    work: list[tuple[str, Mesh, list[Step], int, float | None, float]] = [
        ("1,200 faces: mirror xy", quarter, [step("mirror", planes="xy")], 1, None, 33.0),
        (
            "1,200 faces: array of 8, welded",
            quarter,
            [step("array", count=8, move=(40, 0, 0), weld=0.001)],
            1,
            None,
            33.0,
        ),
        ("1,200 faces: smooth, then bend", strip, [step("smooth"), step("bend")], 2, None, 33.0),
        (
            "6,250 faces: mirror, smooth, bend",
            half,
            [step("mirror", planes="x"), step("smooth"), step("bend")],
            2,
            None,
            30.0,
        ),
        ("curve of 101 points: sweep, smoothed", spiral, [step("sweep", steps=10, sides=20)], 1, None, 30.0),
        (
            "1,000 faces: array of 100, welded",
            plane((50, 20), (50, 20)),
            [step("array", count=100, move=(50, 0, 0), weld=0.001)],
            0,
            300.0,
            20.0,
        ),
    ]
    rows: list[Row] = []
    for title, mesh, steps, level, at_first, at_once in work:
        cage = mesh.with_points(mesh.points + np.array([200.0, 15.0, 0.0]))
        links = links_of(steps, level)
        first = build(cage, links)
        dragged = cage.points.copy()
        dragged[mesh.n_points // 2 + 3] += (0.1, 0.2, 0.5)
        faces = f"{first.topology.n_faces:,} faces after it"
        fresh = best(lambda cage=cage, links=links: build(cage, links), 3)
        rows.append((f"{title}, from nothing", fresh, at_first, faces))
        moved = cage.with_points(dragged)
        again = best(lambda moved=moved, links=links, first=first: build(moved, links, first), 3)
        rows.append((f"{title}, a point dragged", again, at_once, faces))
    return rows


def reviewing() -> list[Row]:
    """The whole review, and what is found between many parts."""
    mesh = cube_of(20_000)
    rows: list[Row] = [("20,000 faces: full review", best(lambda: review(fresh(mesh)), 3), 1000.0, "")]
    first = Subject(mesh)
    reviews(first)
    points = mesh.points.copy()
    points[500] *= 1.01
    edits = {
        "a point was moved": mesh.with_points(points),
        "a face was extruded": extrude(mesh, Selection("faces", np.array([700])), 0.3).mesh,
    }
    for title, edited in edits.items():

        def again(edited: Mesh = edited) -> None:
            reviews(Subject(fresh(edited) if edited.topology is not mesh.topology else edited, True, first.known))

        rows.append((f"20,000 faces: reviewed again, {title}", best(again, 3), 200.0, ""))
    # On every other square of a board, so that the box of each meets those of four others.
    ball = quad_sphere(10, 40)
    squares = [(i, j) for i in range(10) for j in range(10) if (i + j) % 2 == 0]
    places = [(7.0 * i + 0.05 * np.sin(7.0 * j), 7.0 * j, 0.1 * np.cos(5.0 * i)) for i, j in squares]
    meshes = [ball.with_points(ball.points + np.array(place)) for place in places]

    def bodies() -> list[Body]:
        return [Body(f"{number}", one, np.arange(one.n_faces)) for number, one in enumerate(meshes)]

    what, size = "50 parts", f"{2 * ball.n_faces:,} triangles each"
    rows.append((f"{what}: what meets, from nothing", best(lambda: meetings(bodies()), 2), 1000.0, size))
    known = bodies()
    meetings(known)

    def after_an_edit() -> None:
        known[25] = Body("edited", meshes[25], known[25].origin)
        meetings(known)

    rows.append((f"{what}: what meets, one of them edited", best(after_an_edit, 3), 100.0, size))
    return rows


def skin() -> list[Row]:
    """Islands laid flat and packed, a remedy tried, a first picture."""
    cage = cube_of(5_000)
    seamed = suggest_seams(cage, NOTHING).mesh
    rows: list[Row] = [("5,000 faces: unwrap", best(lambda: unwrap(seamed, NOTHING), 2), 3000.0, "six islands")]
    random = np.random.default_rng(7)
    outlines = []
    for _ in range(200):
        angle = np.sort(random.random(random.integers(5, 40))) * 2.0 * np.pi
        reach = random.uniform(0.3, 1.0, len(angle)) * random.uniform(0.2, 2.0)
        outlines.append(np.stack((reach * np.cos(angle), reach * np.sin(angle)), axis=1))
    rows.append(("200 islands: pack", best(lambda: packed(outlines), 2), 1000.0, ""))
    points = cage.points.copy()
    points[cage.n_points // 2] *= 1.03
    document = Document().with_part(new_part(Document(), cage.with_points(points), "cage"))
    part = document.parts[0]
    tries = [(found, remedy) for found in reviewed_alone(part)["smooth"].findings for remedy in remedies_of(found)]

    def preview(found: Finding, remedy: Remedy) -> Effect:
        return tried(document, part.id, found, remedy, "smooth", place_of(remedy, 0))

    found, remedy = next(one for one in tries if preview(*one).runs)
    rows.append((f"5,000 faces: a remedy tried ({remedy.key})", best(lambda: preview(found, remedy), 3), 300.0, ""))
    with tempfile.TemporaryDirectory() as folder:
        whole = demo_document()
        request = Request(640, 360, 4)
        rows.append(
            (
                "still of the demo, 640 × 360, 4 samples",
                best(lambda: render(whole, Path(folder) / "a.png", request), 1),
                3000.0,
                "",
            )
        )
    return rows


def files() -> list[Row]:
    """Opening and saving a large cage."""
    document = Document().with_part(new_part(Document(), cube_of(100_000), "cage"))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "cage.usdc"
        write_document(document, path)
        large = Path(folder) / "large.obj"
        write_meshes([("sheet", plane((100, 100), (1000, 1000)))], large)
        large_part = new_part(Document(), cube_of(9_600), "cage")
        solid = Path(folder) / "solid.stl"

        def exported() -> None:
            write_meshes(outputs_for([large_part], solid, 4, False), solid)

        return [
            ("2,457,600 faces: export level 4 of 9,600 quads (.stl)", best(exported, 2), 3000.0, ""),
            ("1,000,000 faces: open (.obj)", best(lambda: read_document(large), 2), 4000.0, ""),
            ("100,000 faces: save (.usdc)", best(lambda: write_document(document, path), 3), 1000.0, ""),
            ("100,000 faces: open (.usdc)", best(lambda: read_document(path), 3), 1000.0, ""),
        ]


DRAGGING = """
import sys, time
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from levelloop.app.main import application
from levelloop.app.window import Window
from levelloop.document.session import Session
app = application()
window = Window(Session.new())
window.setProperty('unattended', True)
window.resize(1280, 800)
window.show()
QTest.qWaitForWindowExposed(window)
session = window.session
session.do('add_box', size=(100, 100, 100), cells=(40, 40, 40))
window.stage.show_until(session.document.active, None, True)
window.stage.wait()
window.view.frame(everything=True)
session.select(points=[100])
window.start('move')
session.do('move', by=(0, 0, 1), soft_range=20.0)
QTest.qWait(300)
drawn = []
window.view.frameSwapped.connect(lambda: drawn.append(time.perf_counter()))
window.stage.hurry(True)
pointer, whole = [], []
for step in range(20):
    count, start = len(drawn), time.perf_counter()
    session.change_last(by=(0, 0, 1 + 0.1 * step))
    pointer.append(time.perf_counter() - start)
    while len(drawn) == count:
        QApplication.processEvents()
    whole.append(drawn[-1] - start)
print(1000 * sorted(pointer)[10], 1000 * sorted(whole)[10])
window.close()
"""


def on_screen() -> list[Row]:
    """From the command to the demo's first picture, and from the pointer to the picture; nothing without a screen."""
    # Installed programs have their bytecode.
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    server = None
    if "DISPLAY" not in os.environ:
        if shutil.which("Xvfb") is None:
            return []
        server = subprocess.Popen(["Xvfb", ":97", "-screen", "0", "1600x1200x24"], stderr=subprocess.DEVNULL)
        time.sleep(1.5)
        environment |= {"DISPLAY": ":97", "QT_QPA_PLATFORM": "xcb", "LIBGL_ALWAYS_SOFTWARE": "1"}
    how = "software OpenGL" if server is not None else "this screen"

    def printed(code: str) -> list[float]:
        words = [sys.executable, "-c", code]
        done = subprocess.run(words, capture_output=True, text=True, check=False, env=environment)
        return [float(word) for word in done.stdout.split()] if done.returncode == 0 else []

    opened = opening()
    dragged = printed(DRAGGING)
    beat = printed("import sys; sys.path.insert(0, 'benchmarks'); import heartbeat; print(heartbeat.longest_silence())")
    turned = printed("import sys; sys.path.insert(0, 'benchmarks'); import turning; print(*turning.frames().values())")
    if server is not None:
        server.terminate()
    rows: list[Row] = [("window on screen with the demo", min(opened), 1500.0, "software OpenGL")] if opened else []
    if dragged:
        what = "9,600 quads shown smooth: soft drag"
        rows.append((f"{what}, pointer to buffers", dragged[0], 33.0, "the level drops while dragging"))
        rows.append((f"{what}, pointer to picture", dragged[1], 33.0, how))
    if turned:
        empty, empty_turning, demo, demo_turning, lit, uploaded, many, many_turning, most, most_turning = turned[:10]
        plain, clothed = turned[10:]
        rows += [
            ("empty view: a frame at rest", empty, None, how),
            ("demo: a frame at rest", demo, None, how),
            ("demo: pointer to lit face", lit, 1.1 * demo, f"one frame; {uploaded:.1f} kB uploaded"),
            ("demo: a frame while the view turns", demo_turning, demo, f"empty view: {empty_turning:.0f} ms"),
            ("100,000 faces: a frame while the view turns", many_turning, 0.5 * many, f"at rest: {many:.0f} ms"),
            ("1,000,000 faces: a frame while the view turns", most_turning, 0.1 * most, f"at rest: {most:.0f} ms"),
            ("100,000 triangles: a frame with materials and shadow", clothed, 1.4 * plain, f"plain: {plain:.0f} ms"),
        ]
    if beat:
        what = "a session on 100,000 faces: longest block of the window's thread"
        rows.append((what, beat[0], 100.0, "drawing not counted"))
    return rows


def memory() -> list[Row]:
    """The most memory that level 3 of the 9,600-quad cage takes, in a process of its own."""
    code = (
        "from levelloop.core.forms.primitives import box\n"
        "from levelloop.core.surface.surface import SmoothSurface\n"
        "cage = box((100,) * 3, (40,) * 3)\n"
        "surface = SmoothSurface(cage, 3)\n"
        "surface.points(cage.points), surface.fast_points(cage.points)\n"
        "print(next(int(l.split()[1]) / 1024 for l in open('/proc/self/status') if l.startswith('VmHWM')))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return [("level 3 of 9,600 quads: memory in all, MB", float(done.stdout), 600.0, "megabytes, not milliseconds")]


def main() -> None:
    mesh = cube_of(9_600)
    program = reference.build()
    rows = smoothing(mesh, program) + selecting()
    for faces in (1_000, 5_000, 20_000, 100_000):
        rows += editing(faces) + building(faces)
    rows += hands() + recipes() + reviewing() + skin() + files() + on_screen() + memory()
    lines = ["| work | ms | target | verdict | |", "| --- | ---: | ---: | --- | --- |"]
    for title, taken, target, note in rows:
        verdict = "" if target is None else "met" if taken <= target else "**missed**"
        shown = "" if target is None else f"{target:.0f}" if target >= 10 else f"{target:.1f}"
        lines.append(f"| {title} | {taken:.1f} | {shown} | {verdict} | {note} |")
        print(f"{title:46} {taken:9.1f}  {shown:>6}  {verdict:10} {note}")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    facts = (
        f"{date.today()}, {os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}, "
        f"NumPy {np.__version__}; peak memory of the run {peak:.0f} MB.\n"
        "Machines have moods: rows against the reference are held against it round by round."
    )
    text = "\n".join(["# Benchmarks", "", f"Last run of `make bench`: {facts}", "", *lines, ""])
    (Path(__file__).parent.parent / "docs" / "benchmarks.md").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
