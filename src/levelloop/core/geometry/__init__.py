"""Geometry on places: what is near, planes and figures in them, offsets."""
