"""Pictures of parts, and the one place that draws with OpenGL."""
