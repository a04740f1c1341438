"""Bevels of edges and points."""
