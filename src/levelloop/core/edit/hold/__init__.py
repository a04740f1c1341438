"""Holding edges: support loops that let the smooth surface turn with a given radius."""
