"""Edits that join points and parts."""
