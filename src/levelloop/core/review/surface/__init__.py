"""Checks of the smooth surface: where it bends too tightly, unevenly or not at all."""
