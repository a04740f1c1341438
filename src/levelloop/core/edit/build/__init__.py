"""Edits that build new faces."""
