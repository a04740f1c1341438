"""How much a stage unfolds into, known before it is composed: references to references multiply."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from levelloop.core.words import shortened
from levelloop.files.errors import FileError
from levelloop.files.reading import check_regular

MOST_PRIMS = 200_000
MOST_LAYERS = 1_000
DEEPEST = 200


def check_composition(path: Path) -> None:
    """Raises FileError for a stage that would unfold into more prims than can be read, or that names devices."""
    from pxr import Sdf

    layer = Sdf.Layer.FindOrOpen(str(path))
    if layer:
        _Counting(path).layer(layer, 0)


class _Counting:
    """Counts what layers and prims unfold into, each once."""

    def __init__(self, path: Path) -> None:
        self._name, self._is_package = path.name, path.suffix.lower() == ".usdz"
        self._layers: dict[str, int] = {}
        self._prims: dict[tuple[str, str], int] = {}

    def layer(self, layer: Any, depth: int) -> int:
        """The prims that a layer and its sublayers unfold into."""
        known = self._layers.get(layer.identifier)
        if known is not None:
            return known
        self._layers[layer.identifier] = 0
        if depth > DEEPEST or len(self._layers) > MOST_LAYERS:
            raise FileError(f"{self._name} refers to more files than can be read.")
        total = sum(self._inner(layer, prim, depth) for prim in layer.rootPrims)
        for sub in layer.subLayerPaths:
            found = self._open(layer, sub)
            total += self.layer(found, depth + 1) if found else 0
        self._layers[layer.identifier] = self._checked(total)
        return total

    def _inner(self, layer: Any, prim: Any, depth: int) -> int:
        key = (layer.identifier, str(prim.path))
        known = self._prims.get(key)
        if known is not None:
            return known
        self._prims[key] = 1
        if depth > DEEPEST:
            raise FileError(f"{self._name} refers deeper than can be read.")
        total = 1 + sum(self._inner(layer, child, depth + 1) for child in prim.nameChildren)
        for variants in prim.variantSets:
            total += sum(self._inner(layer, variant.primSpec, depth + 1) for variant in variants.variants.values())
        for listed in (prim.referenceList, prim.payloadList):
            for arc in listed.GetAddedOrExplicitItems():
                other = self._open(layer, arc.assetPath) if arc.assetPath else layer
                if other:
                    total += self._target(other, arc.primPath, depth)
        for listed in (prim.inheritPathList, prim.specializesList):
            total += sum(self._target(layer, arc, depth) for arc in listed.GetAddedOrExplicitItems())
        self._prims[key] = self._checked(total)
        return total

    def _target(self, layer: Any, path: Any, depth: int) -> int:
        if not str(path):
            path = f"/{layer.defaultPrim}" if layer.defaultPrim else ""
        target = layer.GetPrimAtPath(path) if str(path) else None
        return self._inner(layer, target, depth + 1) if target else 0

    def _open(self, layer: Any, asset: str) -> Any:
        from pxr import Sdf

        place = layer.ComputeAbsolutePath(asset)
        if self._is_package and place and "[" not in place:
            # What is packed has all it needs within; it must not lead a reader to files of its own choosing.
            raise FileError(f"{self._name} refers to {shortened(asset)}, which lies outside of its package.")
        if place and Path(place).exists():
            check_regular(Path(place))
        return Sdf.Layer.FindOrOpen(place) if place else None

    def _checked(self, total: int) -> int:
        if total > MOST_PRIMS:
            raise FileError(f"{self._name} unfolds into more than {MOST_PRIMS:,} pieces, more than can be read.")
        return total
