"""What all tests share: the family of cages, and a settings folder of their own."""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from examples import MOST
from hypothesis import settings

from levelloop.app.view.render.kept import Kept
from levelloop.core.forms.primitives import box, cylinder, plane
from levelloop.core.mesh.mesh import Mesh, NamedSet, Scheme, empty_mesh, mesh_of_faces
from levelloop.core.mesh.selection import KINDS, count_of
from levelloop.document.document import Document

# Machines that decide run the same examples every time; people's runs go on looking for new ones. How long an example
# takes says more about the machine than about the code: no deadlines anywhere.
settings.register_profile("same every time", derandomize=True, deadline=None, max_examples=MOST)
settings.register_profile("new every time", deadline=None, max_examples=MOST)
settings.load_profile("same every time" if os.environ.get("CI") else "new every time")


# What would be drawn from beyond the end of a buffer, or from another's, is an error in every test.
Kept.is_checked = True


def moebius(count: int = 10) -> Mesh:
    """A strip of quads that comes back with its sides exchanged."""
    points = []
    for i in range(count):
        angle = 2 * np.pi * i / count
        for side in (-1.0, 1.0):
            radius = 5 + side * np.cos(angle / 2)
            points.append([radius * np.cos(angle), radius * np.sin(angle), side * np.sin(angle / 2)])
    faces = [[2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2] for i in range(count - 1)]
    return mesh_of_faces(points, [*faces, [2 * count - 2, 2 * count - 1, 0, 1]])


def fin() -> Mesh:
    """Three quads that share one edge."""
    points = [[0, 0, 0], [0, 0, 1], [1, 0, 0], [1, 0, 1], [-1, 1, 0], [-1, 1, 1], [-1, -1, 0], [-1, -1, 1]]
    return mesh_of_faces(points, [[0, 2, 3, 1], [4, 0, 1, 5], [6, 0, 1, 7]])


def mixed() -> Mesh:
    """An open cage of triangles and quads."""
    points = [[0, 0, 0], [2, 0, 0], [4, 0, 0], [0, 2, 0], [2, 2, 0.5], [4, 2, 0], [1, 3, 0], [3, 3, 0]]
    return mesh_of_faces(points, [[0, 1, 4, 3], [1, 2, 5, 4], [3, 4, 6], [4, 5, 7], [4, 7, 6]])


def two_boxes() -> Mesh:
    """Two shells in one mesh."""
    from levelloop.core.forms.primitives import placed
    from levelloop.core.mesh.combine import combined

    return combined((box((2, 2, 2)), placed(box((1, 1, 1), (2, 1, 1)), (4, 0, 0))))


CAGES: dict[str, Mesh] = {
    "box": box((2, 3, 4)),
    "box with cells": box((2, 2, 2), (2, 3, 1)),
    "open strip": plane((8, 2), (4, 1)),
    "grid": plane((6, 6), (3, 3)),
    "single face": mesh_of_faces([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]]),
    "mixed polygons": mixed(),
    "n-gon caps": cylinder(4, 6, 7, 2, "face"),
    "quad caps": cylinder(4, 6, 8, 2, "quads"),
    "two shells": two_boxes(),
    "non-manifold edge": fin(),
    "moebius": moebius(),
    "empty": empty_mesh(),
}
CLOSED = ("box", "box with cells", "n-gon caps", "quad caps", "two shells")


def richly_tagged(cage: Mesh, seed: int) -> Mesh:
    """The cage with every kind of tag, and wires between some of its points."""
    random = np.random.default_rng(seed)
    pairs = random.integers(0, max(cage.n_points, 1), (3 if cage.n_points else 0, 2))
    topology = cage.topology.with_wires(pairs)
    sets = [
        NamedSet(f"some {kind}", kind, np.flatnonzero(random.random(count_of(topology, kind)) < 0.4)) for kind in KINDS
    ]
    return Mesh(
        topology,
        cage.points,
        random.choice([0.0, 0.0, 0.5, 2.0, 10.0], topology.n_edges),
        random.choice([0.0, 0.0, 0.0, 1.5, 10.0], topology.n_points),
        random.integers(-1, 2, topology.n_faces),
        ("wax", "brass"),
        Scheme(),
        random.random(topology.n_edges) < 0.3,
        random.random(topology.n_faces) < 0.1,
        random.random((topology.n_corners, 2)),
        tuple(sets),
        random.integers(0, 3, topology.n_faces),
        random.random(topology.n_faces) < 0.15,
        random.random(topology.n_edges) < 0.25,
        "smooth",
        random.random(topology.n_points),
    )


@pytest.fixture(params=list(CAGES))
def cage(request: pytest.FixtureRequest) -> Mesh:
    return CAGES[request.param]


@pytest.fixture(params=CLOSED)
def closed_cage(request: pytest.FixtureRequest) -> Mesh:
    return CAGES[request.param]


@pytest.fixture(autouse=True)
def own_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "settings"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    from PySide6.QtCore import QSettings

    # Qt looks at the environment once only.
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(tmp_path / "settings"))
    yield


@pytest.fixture
def empty(qtbot: Any) -> Iterator[Any]:
    """Hands at the window with an empty document."""
    from driving import opened

    from levelloop.document.session import Session

    yield from opened(Session.new(), qtbot)


@pytest.fixture
def demo(qtbot: Any) -> Iterator[Any]:
    """Hands at the window with the demo document."""
    from driving import opened

    from levelloop.document.session import Session

    yield from opened(Session(demo_once()), qtbot)


@cache
def demo_once() -> Document:
    """The demo document, built once: documents never change."""
    from levelloop.demo.build import demo_document

    return demo_document()


@pytest.fixture
def image(tmp_path: Path) -> Path:
    """A picture that is red on its left and blue on its right half, twice as wide as high."""
    from PySide6.QtGui import QColor, QImage

    picture = QImage(80, 40, QImage.Format.Format_RGB32)
    for x in range(80):
        for y in range(40):
            picture.setPixelColor(x, y, QColor("#FF0000" if x < 40 else "#0000FF"))
    path = tmp_path / "bee.png"
    picture.save(str(path))
    return path
