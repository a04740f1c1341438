"""The C++ reference library, where a compiler and its package (Debian: libosd-dev) are present."""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np

from levelloop.core.mesh import Mesh

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
    boundary: str = "edgeAndCorner",
    smooth_triangles: bool = False,
) -> tuple[dict[str, float], np.ndarray]:
    """Times in milliseconds, best of the repeats, and the points of the level in the library's order."""
    topology = mesh.topology
    creased, sharp = np.flatnonzero(mesh.creases > 0), np.flatnonzero(mesh.corner_sharpness > 0)
    counts = [mesh.n_points, mesh.n_faces, topology.n_corners, len(creased), len(sharp)]
    counts += [BOUNDARIES.index(boundary), int(smooth_triangles)]
    arrays = [
        np.array(counts), mesh.points.ravel(), topology.face_sizes, topology.corners,
        topology.edges[creased].ravel(), mesh.creases[creased], sharp, mesh.corner_sharpness[sharp],
    ]  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        cage, out = Path(folder) / "cage.txt", Path(folder) / "points"
        cage.write_text("\n".join(" ".join(map(repr, array.tolist())) for array in arrays), encoding="utf-8")
        words = [str(program), str(cage), str(level), str(out), str(repeats)]
        done = subprocess.run(words, capture_output=True, text=True, check=True)
        return json.loads(done.stdout), np.fromfile(out, dtype=np.float64).reshape(-1, 3)
