"""The demo document built in a process of its own while the program loads the window: two processors share the start.

It must begin before anything large is imported. Values come back as they were made, without what was derived of them.
"""

from __future__ import annotations

import os
import pickle
import signal
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from io import BytesIO
from typing import TYPE_CHECKING, Any, BinaryIO

if TYPE_CHECKING:
    from levelloop.document.document import Document


def demo_beside() -> Callable[[], Document]:
    """Begins to build the demo; the function that comes back waits for it, and builds it where that went wrong."""
    read, write = os.pipe()
    try:
        child = os.fork()
    except OSError:
        # No room for another process: what comes through the pipe is nothing.
        child = -1
    if child == 0:
        _build(read, write)
    os.close(write)
    return lambda: _received(child, read)


def packed(document: Document) -> bytes:
    """A document as bytes for a process of the same program."""
    room = BytesIO()
    _Packer(room).dump(document)
    return room.getvalue()


def unpacked(data: bytes) -> Document:
    """The document of packed(). Raises what pickle raises where the bytes are not whole."""
    document: Document = pickle.loads(data)
    return document


# Helpers


def _build(read: int, write: int) -> None:
    """What the other process does; it ends here."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    try:
        os.close(read)
        from levelloop.demo.build import demo_document

        with open(write, "wb") as pipe:
            pipe.write(packed(demo_document()))
    finally:
        # Without what the program does at its end: that is for the first process alone.
        os._exit(0)


def _received(child: int, read: int) -> Document:
    with open(read, "rb") as pipe:
        data = pipe.read()
    if child > 0:
        os.waitpid(child, 0)
    try:
        return unpacked(data)
    except (pickle.UnpicklingError, EOFError):
        from levelloop.demo.build import demo_document

        return demo_document()


class _Packer(pickle.Pickler):
    """Packs values by their fields: what is kept beside these is worked out again where it is asked for."""

    def __init__(self, file: BinaryIO) -> None:
        import numpy as np

        from levelloop.core.mesh.topology import Topology

        super().__init__(file, pickle.HIGHEST_PROTOCOL)
        self._array, self._topology = np.ndarray, Topology

    def reducer_override(self, value: Any) -> Any:
        """How one value is made again."""
        if isinstance(value, self._array):
            if value.size and not any(value.strides):
                return _one_value, (value.dtype.str, value.shape, value.flat[:1].tobytes())
            return _array, (value.dtype.str, value.shape, value.tobytes())
        if isinstance(value, self._topology):
            return _topology, (value.face_offsets, value.corners, value.n_points, value.wires)
        if is_dataclass(value) and not isinstance(value, type):
            return _value, (type(value), {field.name: getattr(value, field.name) for field in fields(value)})
        return NotImplemented


def _array(dtype: str, shape: tuple[int, ...], data: bytes) -> Any:
    import numpy as np

    # Over bytes it is read-only, as arrays of values are.
    return np.frombuffer(data, dtype).reshape(shape)


def _one_value(dtype: str, shape: tuple[int, ...], data: bytes) -> Any:
    import numpy as np

    return np.broadcast_to(np.frombuffer(data, dtype)[0], shape)


def _topology(face_offsets: Any, corners: Any, n_points: int, wires: Any) -> Any:
    from levelloop.core.mesh.topology import Topology

    return Topology.derived(face_offsets, corners, n_points).with_wires(wires)


def _value(kind: type, values: dict[str, Any]) -> Any:
    return kind(**values)
