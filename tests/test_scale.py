"""Any size, any place: the same work on the same form, small, large and far away, has the same result and findings."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from levelloop.core.mesh.mesh import Mesh
from levelloop.document.session import Session
from levelloop.files import notes_on_meshes, read_document, write_meshes

Place = tuple[float, float, float]
SIZES = (1e-4, 1e-3, 1.0, 1e3, 1e4)
PLACES: dict[str, Place] = {"here": (0.0, 0.0, 0.0), "100 m": (1e5, 2e4, -1e5), "10 km": (1e7, 0.0, 1e7)}


class Bench:
    """A box of a size at a place, and what is done with it in that size."""

    def __init__(self, size: float, at: Place) -> None:
        self.size, self.at = size, at
        self.session = Session.new()
        self.do("add_box", size=self.vector(20, 12, 8), cells=(3, 2, 2), at=at)

    def vector(self, x: float, y: float, z: float) -> Place:
        return x * self.size, y * self.size, z * self.size

    def place(self, x: float, y: float, z: float) -> Place:
        return tuple(a + b for a, b in zip(self.at, self.vector(x, y, z), strict=True))  # type: ignore[return-value]

    def do(self, key: str, **values: object) -> None:
        self.session.do(key, **values)

    def length(self, millimetres: float) -> float:
        return millimetres * self.size

    def top(self) -> None:
        self.session.select_where("faces", normal="z", within=5)

    def without_top(self) -> None:
        self.top()
        self.do("delete")
        self.session.select_none()

    def end(self, kind: str) -> None:
        low, high = self.place(-11, -7, -5), self.place(-9, 7, 5)
        self.session.select_where(kind, box=[low, high])  # type: ignore[arg-type]

    def other(self, key: str, **values: object) -> None:
        self.do(key, name="other", at=self.place(1.2, 0.7, 0), **values)
        self.session.set_active("box")


def on_top(key: str, **lengths: float) -> Callable[[Bench], None]:
    def work(bench: Bench) -> None:
        bench.top()
        bench.do(key, **{name: bench.length(value) for name, value in lengths.items()})

    return work


def bevel(bench: Bench) -> None:
    bench.session.select_where("edges", angle_over=60)
    bench.do("bevel", width=bench.length(1), steps=2)


def bevel_points(bench: Bench) -> None:
    bench.session.select_where("points", valence=3)
    bench.do("bevel", width=bench.length(1), steps=2)


def thicken(bench: Bench) -> None:
    bench.without_top()
    bench.do("thicken", inward=bench.length(1), outward=0)


def thicken_step(bench: Bench) -> None:
    bench.without_top()
    bench.session.add_step("thicken", inward=bench.length(1), outward=0)


def loop(bench: Bench) -> None:
    bench.session.select(edges=[bench.session.part.mesh.topology.edges[0].tolist()])
    bench.do("run_loop", distance=bench.length(1))


def slices(bench: Bench) -> None:
    bench.do("slice", plane=(bench.place(1.1, 0, 0), "x"), offsets=[0, bench.length(1.7)])


def half(bench: Bench) -> None:
    bench.do("slice", plane=(bench.place(1.1, 0, 0), (1, 0.3, 0.1)), keep="front", fill=True)


def groove(bench: Bench) -> None:
    bench.session.select_where("edges", plane=(bench.at, "z"))
    bench.do("groove", width=bench.length(1), height=-bench.length(0.5))


def weld(bench: Bench) -> None:
    bench.session.select_all("points")
    bench.do("weld")


def mirrored(bench: Bench) -> None:
    plane = (bench.place(1.1, 0, 0), "x")
    bench.do("slice", plane=plane, keep="front")
    bench.session.select_none()
    bench.do("mirror_across", plane=plane)


def mirror_step(bench: Bench) -> None:
    bench.do("slice", plane=(bench.at, "x"), keep="front")
    bench.session.select_none()
    bench.do("move", by=tuple(-value for value in bench.at))
    bench.session.add_step("mirror")
    bench.do("bake_steps")
    bench.do("move", by=bench.at)


def rows(bench: Bench) -> None:
    bench.do("array", count=3, move=bench.vector(20, 0, 0), weld=bench.length(1e-3))


def revolved(bench: Bench) -> None:
    bench.session.select_where("edges", plane=(bench.place(0, -6, 0), "y"))
    bench.do("revolve", steps=8, angle=90, pivot=bench.place(-30, 0, 0))


def relaxed(bench: Bench) -> None:
    bench.session.select_all("points")
    bench.do("relax")


def triangles(bench: Bench) -> None:
    bench.without_top()
    bench.do("select_boundary")
    bench.do("fill", kind="face")
    bench.session.select_none()
    bench.do("to_quads")


def drilled(bench: Bench) -> None:
    bench.other("add_cylinder", diameter=bench.length(5), height=bench.length(30), sides=9)
    bench.do("boolean", kind="subtract", other="other")


def united(bench: Bench) -> None:
    bench.other("add_box", size=bench.vector(10, 30, 7))
    bench.do("boolean", kind="union", other="other")


def refilled(bench: Bench) -> None:
    bench.without_top()
    bench.do("select_boundary")
    bench.do("fill")


def cut(bench: Bench) -> None:
    bench.do("cut", path=[bench.place(-4, 1, 9), bench.place(4.2, -2, 9)], toward="-z")


def bent(bench: Bench) -> None:
    bench.session.add_step("smooth", level=1)
    bench.session.add_step("bend", angle=90, around="y", along="x", pivot=bench.at)


def twisted(bench: Bench) -> None:
    bench.session.add_step("twist", angle=90, axis="x", pivot=bench.at)
    bench.session.add_step("taper", factor=0.5, axis="x", pivot=bench.at)


WORKS: dict[str, Callable[[Bench], None]] = {
    "extrude": on_top("extrude", distance=2),
    "inset": on_top("inset", width=1),
    "move along normals": on_top("move_along_normals", distance=1),
    "subdivide": lambda bench: bench.do("subdivide", smooth=1.0),
    **{
        work.__name__: work
        for work in (
            *(bevel, bevel_points, thicken, thicken_step, loop, slices, half, groove, weld, mirrored, mirror_step),
            *(rows, revolved, relaxed, triangles, drilled, united, refilled, cut, bent, twisted),
        )
    },
}


def made(work: str, size: float, at: Place) -> tuple[Mesh, list[tuple[str, int]]]:
    bench = Bench(size, at)
    WORKS[work](bench)
    part = bench.session.document.by_name("box")
    found = [(finding.check, len(finding.indices)) for finding in bench.session.review("print")]
    return part.to_world(part.stepped), found


@pytest.mark.thorough
@pytest.mark.parametrize("work", sorted(WORKS))
def test_the_same_at_any_size_and_place(work: str) -> None:
    plain, findings = made(work, 1.0, PLACES["here"])
    assert plain.n_faces
    for size in SIZES:
        for at in PLACES.values():
            mesh, found = made(work, size, at)
            assert np.array_equal(mesh.topology.corners, plain.topology.corners), (size, at)
            assert np.array_equal(mesh.topology.face_offsets, plain.topology.face_offsets), (size, at)
            # As exactly as numbers of that size say where something is.
            exact = 1e-6 + 100 * float(np.spacing(max(map(abs, at)))) / size
            assert np.abs((mesh.points - np.array(at)) / size - plain.points).max() < exact, (size, at)
            assert found == findings, (size, at)


def test_small_and_large_forms_stand_in_one_document() -> None:
    session = Session.new()
    session.do("add_box", size=(0.9, 0.9, 0.9), name="cube")
    session.do("add_box", size=(100_000, 50, 50), name="beam", at=(0, 100, 0))
    assert all(report.ready for _, report in session.reports("print"))
    session.do("combine")
    assert all(report.ready for _, report in session.reports("print"))
    assert session.part.mesh.topology.n_shells == 2


def test_a_single_precision_file_says_how_far_off_it_is(tmp_path: Path) -> None:
    for at, is_told in (((0.0, 0.0, 0.0), False), ((1e6, 0.0, 0.0), True)):
        session = Session.new()
        session.do("add_box", size=(1, 1, 1), at=at)
        meshes = [(part.name, part.output()) for part in session.document.parts]
        for ending in (".stl", ".usda", ".obj", ".ply"):
            path = tmp_path / f"box{ending}"
            write_meshes(meshes, path)
            notes = notes_on_meshes(meshes, path)
            there = np.concatenate([part.mesh.points for part in read_document(path).parts])
            off = np.abs(np.sort(there, axis=0) - np.sort(meshes[0][1].points, axis=0)).max() if ending != ".stl" else 0
            assert bool(notes) == (is_told and ending in (".stl", ".usda"))
            assert notes or off < 1e-4
