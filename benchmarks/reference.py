"""The C++ reference library, where a compiler and its package (Debian: libosd-dev) are present."""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np

from levelloop.core.mesh.mesh import UV_RULES, Mesh
from levelloop.core.surface.face_varying import uv_topology

HERE = Path(__file__).parent
BOUNDARIES = ("none", "edgeOnly", "edgeAndCorner")


def build() -> Path | None:
    """The comparison program, built where it can be; None where not."""
    program = HERE / "reference"
    source = HERE / "reference.cpp"
    if program.exists() and program.stat().st_mtime > source.stat().st_mtime:
        return program
    if shutil.which("g++") is None or not Path("/usr/include/opensubdiv").exists():
        return None
    done = subprocess.run(["g++", "-O3", "-std=c++17", str(source), "-o", str(program), "-losdCPU"], check=False)
    return program if done.returncode == 0 else None


def run(
    program: Path,
    mesh: Mesh,
    level: int,
    repeats: int = 1,
) -> tuple[dict[str, float], np.ndarray]:
    """Times in milliseconds, best of the repeats, and the points of the level in the library's order.

    For a mesh with UV the corners of the level's faces instead of its points: x, y, z, u, v.
    """
    topology = mesh.topology
    creased, sharp = np.flatnonzero(mesh.creases > 0), np.flatnonzero(mesh.corner_sharpness > 0)
    counts = [mesh.n_points, mesh.n_faces, topology.n_corners, len(creased), len(sharp)]
    scheme = mesh.scheme
    counts += [BOUNDARIES.index(scheme.boundary), int(scheme.triangles == "smooth"), int(scheme.creases == "chaikin")]
    uv_corners, uv = (np.zeros(0, dtype=np.int64), np.zeros((0, 2)))
    if mesh.uv is not None:
        places, uv = uv_topology(mesh, mesh.uv)
        uv_corners = places.corners
    counts += [UV_RULES.index(scheme.uv), len(uv)]
    arrays = [
        np.array(counts), mesh.points.ravel(), topology.face_sizes, topology.corners,
        topology.edges[creased].ravel(), mesh.creases[creased], sharp, mesh.corner_sharpness[sharp],
        uv.ravel(), uv_corners,
    ]  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        cage, out = Path(folder) / "cage.txt", Path(folder) / "points"
        cage.write_text("\n".join(" ".join(map(repr, array.tolist())) for array in arrays), encoding="utf-8")
        words = [str(program), str(cage), str(level), str(out), str(repeats)]
        done = subprocess.run(words, capture_output=True, text=True, check=True)
        return json.loads(done.stdout), np.fromfile(out, dtype=np.float64).reshape(-1, 5 if len(uv) else 3)
