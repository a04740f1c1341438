"""Selecting by property, along runs, by symmetry, softly."""
