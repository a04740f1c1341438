"""Views: camera, picking, what is shown."""
