"""Smooth results, file results and volumes against general-purpose libraries, on data they ship."""

from __future__ import annotations

from pathlib import Path

import compas
import numpy as np
import pytest
import trimesh
from compas.datastructures import Mesh as OtherMesh
from scipy.spatial import cKDTree

from levelloop.core.forms.primitives import box, cylinder
from levelloop.core.mesh.faces import signed_volume
from levelloop.core.mesh.mesh import Mesh, mesh_of_faces
from levelloop.core.surface.surface import SmoothSurface, smooth
from levelloop.files import write_meshes
from levelloop.files.obj import read_obj


def ours(other: OtherMesh) -> Mesh:
    points, faces = other.to_vertices_and_faces()
    return mesh_of_faces(points, faces)


@pytest.mark.parametrize("faces", [4, 6, 8, 12, 20])
def test_closed_polyhedra_smooth_as_in_compas(faces: int) -> None:
    # compas 2, Mesh.subdivided("catmullclark"): triangles, quads and pentagons.
    solid = OtherMesh.from_polyhedron(faces)
    expected = np.array(solid.subdivided("catmullclark", k=3).to_vertices_and_faces()[0])
    result = smooth(ours(solid), 3).points
    assert len(result) == len(expected)
    assert cKDTree(expected).query(result)[0].max() < 1e-12


def test_the_inside_of_an_open_mesh_smooths_as_in_compas() -> None:
    # compas has no rule for boundaries, so only points that no boundary point has a say in are compared.
    tube = OtherMesh.from_obj(compas.get("tubemesh.obj"))
    cage = ours(tube)
    surface = SmoothSurface(cage, 2)
    near = np.zeros(cage.n_points)
    near[cage.topology.edges[np.isin(cage.topology.edges, np.flatnonzero(cage.topology.open_points)).any(axis=1)]] = 1
    inside = np.asarray(surface.stencils @ near).ravel() == 0
    expected = np.array(tube.subdivided("catmullclark", k=2).to_vertices_and_faces()[0])
    assert inside.sum() > 500
    assert cKDTree(expected).query(surface.points(cage.points)[inside])[0].max() < 1e-9


@pytest.mark.parametrize("level", [0, 1, 3])
def test_a_smoothed_stl_is_watertight_and_keeps_its_volume(tmp_path: Path, level: int) -> None:
    drum = smooth(cylinder(20, 30, 12, 3, "quads"), level)
    write_meshes([("drum", drum)], tmp_path / "drum.stl")
    read = trimesh.load_mesh(tmp_path / "drum.stl")
    assert read.is_watertight and read.is_winding_consistent
    assert read.volume == pytest.approx(signed_volume(drum), rel=1e-5)


def test_volumes_agree_with_trimesh_on_a_concave_cage() -> None:
    from levelloop.core.edit.build.extrude import inset
    from levelloop.core.select.where import select_where

    cup = inset(box((20, 20, 20)), select_where(box((20, 20, 20)), "faces", normal="z"), 2, -10).mesh
    from levelloop.core.mesh.faces import triangles

    other = trimesh.Trimesh(cup.points, triangles(cup.topology, cup.points)[0], process=False)
    assert other.volume == pytest.approx(signed_volume(cup))


def test_an_obj_that_compas_ships_reads_alike() -> None:
    path = Path(compas.get("tubemesh.obj"))
    name, mesh = read_obj(path)[0]
    other = OtherMesh.from_obj(path)
    assert (mesh.n_points, mesh.n_edges, mesh.n_faces) == (
        other.number_of_vertices(),
        other.number_of_edges(),
        other.number_of_faces(),
    )
    assert mesh.topology.euler_number() == other.euler()
    assert name
