"""What may be read at all: regular files of a checked size, drawings that name nothing outside themselves."""

from __future__ import annotations

import stat
from functools import cache
from pathlib import Path
from xml.etree import ElementTree

from levelloop.core.words import shortened
from levelloop.files.errors import FileError

LARGEST_FILE = 4 * 1024**3  # bytes
LARGEST_IMAGE = 64 * 1024**2  # bytes; a picture beyond that is no reference, and every save would carry it
MOST_DRAWN = 200_000  # elements of a drawing, copies counted


def check_regular(path: Path, largest: int = LARGEST_FILE) -> None:
    """Raises FileError for what is no regular file, such as a device or a pipe, or is larger than so many bytes."""
    name = shortened(path.name)
    try:
        found = path.stat()
    except OSError as error:
        raise FileError(f"{name} cannot be read: {error.strerror}.") from error
    except ValueError as error:
        raise FileError(f"{name!r} is no name of a file.") from error
    if not stat.S_ISREG(found.st_mode):
        kind = "a folder" if stat.S_ISDIR(found.st_mode) else "a device or pipe"
        raise FileError(f"{name} is {kind}, not a file.")
    if found.st_size > largest:
        raise FileError(f"{name} is larger than {largest // 1024**2:,} MB, too large to be read here.")


def read_bytes(path: Path, largest: int = LARGEST_FILE) -> bytes:
    """The bytes of a regular file of at most so many bytes. Raises FileError."""
    check_regular(path, largest)
    try:
        with path.open("rb") as stream:
            data = stream.read(largest + 1)
    except OSError as error:
        raise FileError(f"{shortened(path.name)} cannot be read: {error.strerror}.") from error
    if len(data) > largest:
        raise FileError(f"{shortened(path.name)} grew while it was read.")
    return data


def check_drawing(name: str, data: bytes) -> None:
    """Raises FileError for an SVG that names files outside itself, or unfolds into more than can be drawn."""
    refused = FileError(f"{shortened(name)} is no SVG drawing that can be read.")
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise FileError(f"{shortened(name)} declares entities of its own; save it as a plain SVG.")
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, ValueError, RecursionError) as error:
        raise refused from error
    by_id = {element.get("id"): element for element in root.iter() if element.get("id")}
    for element in root.iter():
        for key, value in element.attrib.items():
            link = value.strip()
            if key.rpartition("}")[2] == "href" and not link.startswith(("#", "data:image/png", "data:image/jpeg")):
                raise FileError(f"{shortened(name)} names “{shortened(link)}”; a guide has to be whole in itself.")
            if "url(" in value and "url(#" not in value.replace(" ", "").replace("'", "").replace('"', ""):
                raise FileError(f"{shortened(name)} names a file outside itself; a guide has to be whole in itself.")

    @cache
    def drawn(key: str, depth: int) -> int:
        if depth > 40:
            raise FileError(f"{shortened(name)} refers to itself.")
        return size(by_id[key], depth + 1) if key in by_id else 0

    def size(element: ElementTree.Element, depth: int) -> int:
        total = 0
        for inner in element.iter():
            total += 1
            if inner.tag.rpartition("}")[2] == "use":
                link = next((value for key, value in inner.attrib.items() if key.rpartition("}")[2] == "href"), "")
                total += drawn(link.strip().lstrip("#"), depth)
            if total > MOST_DRAWN:
                raise FileError(f"{shortened(name)} unfolds into more than {MOST_DRAWN:,} elements.")
        return total

    size(root, 0)
