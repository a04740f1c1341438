"""Edits that move points."""
