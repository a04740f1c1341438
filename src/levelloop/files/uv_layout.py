"""UV layouts as pictures: islands filled light, their edges, seams stronger; PNG by size, SVG by lines."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np

from levelloop.core.arrays import Booleans, Floats
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.uv.islands import uv_cuts
from levelloop.core.values import dataclass
from levelloop.files.atomic import replacing
from levelloop.files.errors import FileError, guarded

LARGEST = 16_384  # pixels to a side
FINER = 2  # times as fine as it is drawn before it is made small again
FILL, EDGE, RIM = "#E4E9F7", "#8C94A6", "#22262B"


@dataclass(frozen=True, eq=False)
class Layout:
    """What a layout draws: polygons of faces in UV, lines within islands and along their rims: (n, 2, 2)."""

    polygons: list[Floats]
    inner: Floats
    rims: Floats


def layout_of(meshes: Sequence[Mesh]) -> Layout:
    """The layout of some cages. Raises FileError where none of them has UV."""
    polygons: list[Floats] = []
    inner, rims = [np.zeros((0, 2, 2))], [np.zeros((0, 2, 2))]
    for mesh in meshes:
        if mesh.uv is None or mesh.n_faces == 0:
            continue
        topology = mesh.topology
        polygons += np.split(mesh.uv, topology.face_offsets[1:-1])
        lines = np.stack((mesh.uv, mesh.uv[topology.next_corner]), axis=1)
        at_rim: Booleans = (uv_cuts(mesh) | topology.open_edges)[topology.corner_edge]
        inner.append(lines[~at_rim])
        rims.append(lines[at_rim])
    if not polygons:
        raise FileError("There is no UV to draw; unwrap first.")
    return Layout(polygons, np.concatenate(inner), np.concatenate(rims))


def write_layout(path: Path, meshes: Sequence[Mesh], size: int = 2048) -> None:
    """Draws the UV of cages into a PNG or SVG, by the ending of the path.

    size: pixels to a side of the unit square, which is all that is drawn. Raises FileError.
    """
    writers = {".png": _write_png, ".svg": _write_svg}
    ending = path.suffix.lower()
    if ending not in writers:
        raise FileError(f'A layout is written as .png or .svg, not as "{ending or path.name}".')
    if not 16 <= size <= LARGEST:
        raise FileError(f"A layout has 16 to {LARGEST} pixels to a side.")
    layout = layout_of(meshes)
    with guarded(path, "written"), replacing(path) as fresh:
        writers[ending](fresh, layout, size)


# Helpers


def _write_png(path: Path, layout: Layout, size: int) -> None:
    from PIL import Image, ImageDraw

    fine = size * FINER if size * FINER <= LARGEST else size
    picture = Image.new("RGBA", (fine, fine), (255, 255, 255, 0))
    pen = ImageDraw.Draw(picture)
    thin = max(1, round(fine / 2048))

    def pixels(places: Floats) -> list[tuple[float, float]]:
        # UV counts from below, pictures from above.
        return [(u * fine, (1.0 - v) * fine) for u, v in places.tolist()]

    for polygon in layout.polygons:
        pen.polygon(pixels(polygon), fill=FILL)
    for lines, colour, width in ((layout.inner, EDGE, thin), (layout.rims, RIM, 2 * thin)):
        for line in lines:
            pen.line(pixels(line), fill=colour, width=width)
    if fine != size:
        picture = picture.resize((size, size), Image.Resampling.LANCZOS)
    picture.save(path, format="PNG")


def _write_svg(path: Path, layout: Layout, size: int) -> None:
    def places(values: Floats) -> str:
        return " ".join(f"{u * size:.3f},{(1.0 - v) * size:.3f}" for u, v in values.tolist())

    def drawn(lines: Floats) -> str:
        return " ".join(f"M{places(line[:1])}L{places(line[1:])}" for line in lines)

    faces = "\n".join(f'<polygon points="{places(polygon)}"/>' for polygon in layout.polygons)
    title = escape(f"UV layout, {len(layout.polygons)} faces")
    text = f"""<svg xmlns="http://www.w3.org/2000/svg" width="{size}" height="{size}" viewBox="0 0 {size} {size}">
<title>{title}</title>
<g fill="{FILL}">
{faces}
</g>
<path id="edges" fill="none" stroke="{EDGE}" stroke-width="1" d="{drawn(layout.inner)}"/>
<path id="rims" fill="none" stroke="{RIM}" stroke-width="2" d="{drawn(layout.rims)}"/>
</svg>
"""
    path.write_text(text, encoding="utf-8")
