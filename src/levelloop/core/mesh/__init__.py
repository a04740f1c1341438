"""Cages as values: connectivity, points and tags, and how tags follow through an edit."""
