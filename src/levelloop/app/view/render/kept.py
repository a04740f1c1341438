"""What a view keeps on the GPU from frame to frame: programs, arrays as they draw them, and images."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.render.light.hollows import DARKEN, HOLLOWS
from levelloop.app.view.render.picture import Changes
from levelloop.app.view.render.shaders import CAST, FLAT, IMAGE, LAY, LINE, PICK, POINT, SKY, SOFTEN, SURFACE
from levelloop.app.view.render.uniforms import tell
from levelloop.app.view.render.uploads import Upload, Uploaded, Uploads

PROGRAMS = {
    "surface": SURFACE,
    "line": LINE,
    "point": POINT,
    "flat": FLAT,
    "sky": SKY,
    "pick": PICK,
    "image": IMAGE,
    "cast": CAST,
    "soften": SOFTEN,
    "lay": LAY,
    "hollows": HOLLOWS,
    "darken": DARKEN,
}
# How vertices lie in their buffers, and what programs call them.
SURFACE_LAYOUT = ("3f 3f", "place", "normal")
BEND_LAYOUT = ("2f", "bend")
UV_LAYOUT = ("2f", "uv")
PICK_LAYOUT = ("3f 12x", "place")
FLAT_LAYOUT = ("3f", "place")
LINE_LAYOUT = ("3f 3f/i", "a", "b")
POINT_LAYOUT = ("3f/i", "a")
Layout = tuple[str, ...]


class Kept:
    """Programs, vertex arrays over the uploads and textures of a context, each made when it is first drawn with.

    is_checked: whether all that is drawn is looked through first, as tests want it: what lies beyond the end of a
    buffer ends the process, or tears the picture.
    """

    is_checked = False

    def __init__(self, context: moderngl.Context, uploads: Uploads) -> None:
        self.context, self.uploads = context, uploads
        self.programs = {
            name: context.program(vertex_shader=vertex, fragment_shader=fragment)
            for name, (vertex, fragment) in PROGRAMS.items()
        }
        self.corners = context.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], dtype="f4").tobytes())
        # By program and the uploads they are made of.
        self._arrays: dict[tuple[Any, ...], Any] = {}
        self._textures: dict[int, tuple[NDArray[np.uint8], Any]] = {}

    def square(self, program: str) -> Any:
        """A square as a program draws it."""
        return self.context.vertex_array(self.programs[program], [(self.corners, "2f", "corner")])

    def array(
        self,
        program: str,
        *parts: tuple[Uploaded, Layout],
        indices: Uploaded | None = None,
        instances: bool = False,
        changes: Changes | None = None,
    ) -> Any:
        """Arrays as a program draws them; instances: one of its strips for each row; changes: written in place."""
        uploads = [self.uploads.upload(self.context, array, changes) for array, _ in parts]
        if indices is not None:
            uploads.append(self.uploads.upload(self.context, indices))
        key = (program, *(upload.number for upload in uploads))
        found = self._arrays.get(key)
        if found is None:
            held = [self.context.external_buffer(upload.name, upload.size) for upload in uploads]
            content: list[tuple[Any, ...]] = [(self.corners, "2f", "corner")] if instances else []
            content += [(buffer, *layout) for buffer, (_, layout) in zip(held, parts, strict=False)]
            index = held[-1] if indices is not None else None
            # These stand for the uploads' own buffers in this context and are never released: that would delete the
            # buffers themselves, under whoever else draws from them, and give their names to the next ones.
            found = self._arrays[key] = self.context.vertex_array(self.programs[program], content, index)
        if Kept.is_checked:
            _check(found, [array for array, _ in parts], indices, uploads, instances)
        return found

    def texture(self, pixels: NDArray[np.uint8]) -> Any:
        """An image on the GPU, kept while frames use it."""
        found = self._textures.get(id(pixels))
        if found is None or found[0] is not pixels:
            height, width = pixels.shape[:2]
            texture = self.context.texture((width, height), 4, pixels.tobytes())
            texture.build_mipmaps()
            found = self._textures[id(pixels)] = (pixels, texture)
        return found[1]

    def tell(self, program: str, **uniforms: Any) -> None:
        """Says to a program what it draws with."""
        tell(self.programs[program], **uniforms)

    def forget(self, pixels: set[int]) -> None:
        """Releases what stands on uploads that are gone, and images other than these."""
        self.uploads.drop_unused()
        for key in [key for key in self._arrays if not self.uploads.holds(key[1:])]:
            self._arrays.pop(key).release()
        for image in [image for image in self._textures if image not in pixels]:
            self._textures.pop(image)[1].release()

    def release(self) -> None:
        """Frees the arrays."""
        for array in self._arrays.values():
            array.release()
        self._arrays.clear()


# Helpers


def _check(
    drawn: Any, parts: list[Uploaded], indices: Uploaded | None, uploads: list[Upload], instances: bool
) -> None:
    """Raises ValueError where a draw would reach beyond what lies in its buffers."""
    for array, upload in zip([*parts, *([indices] if indices is not None else [])], uploads, strict=True):
        if array.nbytes == 0:
            continue
        if upload.array is not array or upload.size != array.nbytes:
            raise ValueError(f"a buffer of {upload.size} bytes holds another array than the one of {array.nbytes}")
        held = np.frombuffer(upload.buffer.read(array.nbytes), dtype=array.dtype)
        if not np.array_equal(held, np.ascontiguousarray(array).reshape(-1), equal_nan=array.dtype.kind == "f"):
            raise ValueError(f"a buffer holds other numbers than the array of {array.shape}")
    if instances:
        return
    count = len(parts[0]) if indices is None else indices.size
    if drawn.vertices != count:
        raise ValueError(f"{drawn.vertices} vertices are drawn of {count}")
    reach = count if indices is None else int(indices.max(initial=0)) + (indices.size > 0)
    if any(reach > len(array) for array in parts):
        raise ValueError(f"vertex {reach} is drawn of {[len(array) for array in parts]}")
