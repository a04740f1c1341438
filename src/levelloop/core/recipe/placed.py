"""Links that run in another space than that of the mesh they are run on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from levelloop.core.arrays import Floats
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Edit
from levelloop.core.recipe.chain import Link


def placed(link: Link, into: Floats) -> Link:
    """A link that is run where a matrix (4, 4), for row vectors, puts a mesh; what it makes is put back."""
    if np.array_equal(into, np.eye(4)):
        return link
    back = np.asarray(np.linalg.inv(into), dtype=np.float64)

    def run(mesh: Mesh) -> Edit:
        edit = link.run(_put(mesh, into))
        return replace(edit, mesh=_put(edit.mesh, back))

    def follow(before: Mesh, edit: Edit, mesh: Mesh) -> Floats | None:
        assert link.follow is not None
        points = link.follow(_put(before, into), replace(edit, mesh=_put(edit.mesh, into)), _put(mesh, into))
        return None if points is None else _moved(points, back)

    return replace(
        link, key=(link.key, into.tobytes()), run=run, follow=None if link.follow is None else follow, lacking=None
    )


def placed_images(images: Callable[[Mesh], Sequence[Floats]], into: Floats) -> Callable[[Mesh], Sequence[Floats]]:
    """Images of a mesh, as matrices (4, 4), that are found where a matrix puts it."""
    back = np.asarray(np.linalg.inv(into), dtype=np.float64)
    return lambda mesh: [np.asarray(into @ image @ back) for image in images(_put(mesh, into))]


# Helpers


def _put(mesh: Mesh, matrix: Floats) -> Mesh:
    return mesh.with_points(_moved(mesh.points, matrix))


def _moved(points: Floats, matrix: Floats) -> Floats:
    return np.asarray(points @ matrix[:3, :3] + matrix[3, :3], dtype=np.float64)
