"""Edits that repeat what is there."""
