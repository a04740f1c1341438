"""Swatches of the shipped materials, made by tools/swatches.py."""
