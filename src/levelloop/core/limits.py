"""How much fits: what an operation would make is reckoned, and refused, before any of it is there."""

from __future__ import annotations

from levelloop.core.errors import EditError

# Measured: a face with its points, edges and what is derived from them, while an operation or smoothing makes it; and
# while a step of a recipe does, which keeps what it began with.
BYTES_OF_FACE = 1_000
BYTES_IN_RECIPE = 2_000
MOST_BYTES = 4_000_000_000
MOST_FACES = MOST_BYTES // BYTES_OF_FACE


def check_fits(faces: float, bytes_each: int = BYTES_OF_FACE) -> None:
    """Raises EditError, with the memory it would need, where so many faces are more than fit."""
    if faces * bytes_each <= MOST_BYTES:
        return
    if faces > 1e12:
        raise EditError(f"That would be far more than the {MOST_BYTES // bytes_each:,} faces that fit.")
    need, most = faces * bytes_each / 1e9, MOST_BYTES / 1e9
    raise EditError(
        f"That would be about {round(faces):,} faces and {need:,.3g} GB of memory; {most:,.3g} GB is the most."
    )
