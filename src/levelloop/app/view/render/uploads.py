"""Uploads: what the views of a window have on the GPU together, by the arrays it was made from.

The views' contexts share what they make, so each array is uploaded once, whichever view shows it first. An array
that is new takes over a buffer of its size that no view uses any more, and only what differs is written: while points
are dragged nothing is made anew.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import count
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from levelloop.app.view.render.picture import Changes
from levelloop.core.values import dataclass

Uploaded = NDArray[Any]
CLOSE = 64  # rows between two that are written at once: less than what a call costs
KEPT_IDLE = 8  # frames: four views come round twice


@dataclass
class Upload:
    """A buffer and the array that it holds.

    number: never used twice, other than OpenGL's name of it; idle: how many frames were drawn without it since it was
    needed; written: up to which of its changes it holds; is_live: whether its array is written in place, and so may be
    ahead of the buffer.
    """

    number: int
    array: Uploaded
    buffer: Any
    idle: int = 0
    written: int = 0
    is_live: bool = False

    @property
    def name(self) -> int:
        """OpenGL's name of the buffer in all contexts."""
        return int(self.buffer.glo)

    @property
    def size(self) -> int:
        """Its bytes."""
        return int(self.buffer.size)


class Uploads:
    """The buffers of all views; written: how many bytes were uploaded so far."""

    def __init__(self) -> None:
        self._held: dict[int, Upload] = {}
        self._uses: dict[object, set[int]] = {}
        self._numbers = count(1)
        self.written = 0

    @property
    def is_used(self) -> bool:
        """Whether any view shows something."""
        return bool(self._uses)

    def begin(self, view: object, arrays: Iterable[Uploaded]) -> None:
        """Says which arrays a view's next frame needs; buffers that no view needs any more are free."""
        self._uses[view] = {id(array) for array in arrays}

    def upload(self, context: moderngl.Context, array: Uploaded, changes: Changes | None = None) -> Upload:
        """The buffer that holds an array, uploaded where none does yet; changes: what was written into it in place."""
        found = self._held.get(id(array))
        if found is None or found.array is not array:
            found = self._held[id(array)] = self._taken_over(array) or self._made(context, array)
        elif changes is not None and changes.number != found.written:
            self._write_rows(found, changes)
        found.written, found.is_live = (0, False) if changes is None else (changes.number, True)
        return found

    def holds(self, numbers: Iterable[int]) -> bool:
        """Whether all uploads of these numbers are still there."""
        return {upload.number for upload in self._held.values()}.issuperset(numbers)

    def drop_unused(self) -> None:
        """Frees what no view has needed for some frames; until then what is new may take it over."""
        free = set(self._free())
        for key, upload in list(self._held.items()):
            upload.idle = upload.idle + 1 if key in free else 0
            if upload.idle > KEPT_IDLE:
                del self._held[key]
                upload.buffer.release()

    def leave(self, view: object) -> None:
        """A view shows nothing for now: what only it needed is free."""
        self._uses.pop(view, None)

    def release(self) -> None:
        """Frees everything."""
        for upload in self._held.values():
            upload.buffer.release()
        self._held.clear()
        self._uses.clear()

    # Helpers

    def _write_rows(self, upload: Upload, changes: Changes) -> None:
        """Writes the rows that have changed, those that lie close together at once; all where some were missed."""
        array, rows = upload.array, changes.rows
        if changes.number != upload.written + 1:
            rows = np.arange(len(array))
        if len(rows) == 0:
            return
        ends = np.flatnonzero(np.diff(rows) > CLOSE)
        size = array.nbytes // len(array)
        for first, last in zip(rows[np.append(0, ends + 1)].tolist(), rows[np.append(ends, -1)].tolist(), strict=True):
            upload.buffer.write(array[first : last + 1].tobytes(), offset=first * size)
            self.written += (last + 1 - first) * size

    def _free(self) -> list[int]:
        needed = set().union(*self._uses.values())
        return [key for key in self._held if key not in needed]

    def _taken_over(self, array: Uploaded) -> Upload | None:
        """A free buffer of the same size, brought to what an array holds."""
        for key in self._free():
            upload = self._held[key]
            if upload.array.nbytes == array.nbytes and upload.array.dtype == array.dtype and array.nbytes:
                del self._held[key]
                first, end = (0, array.size) if upload.is_live else changed(upload.array, array)
                if end > first:
                    flat = np.ascontiguousarray(array).reshape(-1)[first:end]
                    upload.buffer.write(flat.tobytes(), offset=first * array.itemsize)
                    self.written += flat.nbytes
                upload.array = array
                return upload
        return None

    def _made(self, context: moderngl.Context, array: Uploaded) -> Upload:
        # OpenGL knows no empty buffers.
        content = np.ascontiguousarray(array).tobytes() or bytes(32)
        self.written += len(content)
        return Upload(next(self._numbers), array, context.buffer(content))


def changed(old: Uploaded, new: Uploaded) -> tuple[int, int]:
    """Between which numbers, counted flat, two arrays of one size differ: first and end; 0, 0 where nowhere."""
    different = np.flatnonzero(np.ascontiguousarray(old).reshape(-1) != np.ascontiguousarray(new).reshape(-1))
    return (int(different[0]), int(different[-1]) + 1) if len(different) else (0, 0)
