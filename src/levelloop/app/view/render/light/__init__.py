"""Light and shadow of a view."""
