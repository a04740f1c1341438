"""Smooth surfaces: refinement, limit points and normals, patches."""
