"""A small picture of a found place: the faces around it as they are seen from outside, what was found marked."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from levelloop.app.theme import Theme, colour
from levelloop.core.arrays import Floats, distinct
from levelloop.core.mesh.faces import face_centres, face_normals, point_normals, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import count_of
from levelloop.core.review.findings import Finding
from levelloop.core.values import dataclass
from levelloop.document.part import Part

FACES = 70  # at most around a place
SHOWN = 20  # of them fill the picture
MARKED = 60  # found elements at most
LIGHT = np.array([-0.35, 0.45, 0.82])  # from the left above, towards who looks


@dataclass(frozen=True, eq=False)
class Sketch:
    """Faces from back to front, and marks; y is up, the middle at 0, the picture's shorter side 1 long.

    faces: (k, 2) corners of each; tones: 0 dark … 1 light; marks: (k, 2) corners of what was found, one for a point.
    """

    faces: tuple[Floats, ...]
    tones: Floats
    marks: tuple[Floats, ...]


def sketched(part: Part, finding: Finding) -> Sketch:
    """The worst place of a finding, from outside and a little from above."""
    mesh = mesh_of(part, finding)
    topology = mesh.topology
    centre = finding.at[0]
    away = np.linalg.norm(face_centres(topology, mesh.points) - centre, axis=1)
    near = np.argsort(away, kind="stable")[:FACES]
    axes = _axes(outwards(mesh, finding, 0))
    starts, sizes = topology.face_offsets[near], topology.face_sizes[near]
    corners = [topology.corners[start : start + size] for start, size in zip(starts, sizes, strict=True)]
    wanted = distinct(np.concatenate([*corners[:SHOWN], np.zeros(0, dtype=np.int64)]))
    seen = np.vstack(((mesh.points[wanted] - centre) @ axes[:2].T, np.zeros((1, 2))))
    low, high = seen.min(axis=0), seen.max(axis=0)
    middle, reach = (low + high) / 2, float((high - low).max()) or 1.0
    normals = face_normals(topology, mesh.points)[near] @ axes.T
    depths = [float(((mesh.points[one] - centre) @ axes[2]).mean()) for one in corners]
    order = np.argsort(depths, kind="stable")

    def flat(points: Floats) -> Floats:
        return np.asarray(((np.reshape(points, (-1, 3)) - centre) @ axes[:2].T - middle) / reach)

    tones = np.where(normals[:, 2] > 0, 0.45 + 0.55 * np.clip(normals @ unit(LIGHT), 0.0, 1.0), 0.25)
    return Sketch(
        tuple(flat(mesh.points[corners[one]]) for one in order),
        tones[order],
        tuple(flat(places) for places in _found(mesh, finding)),
    )


def drawn(sketch: Sketch, size: QSize, theme: Theme, tone: str, ratio: float) -> QPixmap:
    """The picture of a sketch. tone: of what was found; ratio: pixels of the screen for one of the window."""
    pixmap = QPixmap(size * ratio)
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(QColor(theme.paper))
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    scale = float(min(size.width(), size.height()))
    middle = QPointF(size.width() / 2, size.height() / 2)

    def placed(points: Floats) -> QPolygonF:
        return QPolygonF([middle + QPointF(x * scale, -y * scale) for x, y in points.tolist()])

    painter.setPen(QPen(colour(theme.ink, 0.45), 0.6))
    dark, light = sorted((QColor(theme.panel), QColor(theme.quiet)), key=lambda one: one.lightnessF())
    for points, amount in zip(sketch.faces, sketch.tones.tolist(), strict=True):
        painter.setBrush(_between(dark, light, amount))
        painter.drawPolygon(placed(points))
    for points in sketch.marks:
        shape = placed(points)
        if len(points) == 1:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(tone))
            painter.drawEllipse(shape.at(0), 2.2, 2.2)
            continue
        painter.setPen(QPen(QColor(tone), 2.0 if len(points) == 2 else 1.2))
        painter.setBrush(colour(tone, 0.4) if len(points) > 2 else Qt.BrushStyle.NoBrush)
        painter.drawPolygon(shape)
    painter.setPen(QPen(QColor(theme.line), 1.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(0.5, 0.5, size.width() - 1.0, size.height() - 1.0))
    painter.end()
    return pixmap


def mesh_of(part: Part, finding: Finding) -> Mesh:
    """The mesh whose elements a finding names, in the world."""
    return part.to_world(part.mesh if finding.mesh == "cage" else part.stepped)


def outwards(mesh: Mesh, finding: Finding, step: int) -> Floats:
    """Where the surface faces at a found place, nothing where the mesh is another by now; flipped faces face away."""
    index = int(finding.indices[step])
    if index >= count_of(mesh.topology, finding.kind):
        return np.zeros(3)
    if finding.kind == "faces":
        normal = np.asarray(face_normals(mesh.topology, mesh.points)[index])
        return -normal if finding.check == "flipped" else normal
    normals = point_normals(mesh.topology, mesh.points)
    if finding.kind == "points":
        return np.asarray(normals[index])
    return unit(normals[mesh.topology.edges[index]].sum(axis=0))


def _axes(outward: Floats) -> Floats:
    """Right, up and towards who looks, as rows: a little from the side and from above."""
    out = outward if np.abs(outward).any() else np.array([0.4, -0.7, 0.6])
    above = np.array([0.0, 0.0, 1.0]) if abs(out[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    side = unit(np.cross(above, out))
    out = unit(out + 0.3 * side + 0.3 * np.cross(out, side))
    side = unit(np.cross(above, out))
    return np.stack((side, np.cross(out, side), out))


def _found(mesh: Mesh, finding: Finding) -> list[Floats]:
    """The places of what was found, the worst first."""
    topology = mesh.topology
    indices = finding.indices[:MARKED]
    if finding.kind == "points" or indices.max(initial=-1) >= count_of(topology, finding.kind):
        return list(finding.at[:MARKED])
    if finding.kind == "edges":
        return list(mesh.points[topology.edges[indices]])
    starts, ends = topology.face_offsets[indices], topology.face_offsets[indices + 1]
    return [mesh.points[topology.corners[start:end]] for start, end in zip(starts, ends, strict=True)]


def _between(dark: QColor, light: QColor, amount: float) -> QColor:
    ends = ((dark.red(), light.red()), (dark.green(), light.green()), (dark.blue(), light.blue()))
    return QColor(*(round(low + (high - low) * amount) for low, high in ends))
