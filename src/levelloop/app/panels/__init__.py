"""Panels around the views."""
