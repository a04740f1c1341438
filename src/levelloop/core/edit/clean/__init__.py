"""Edits that clean up."""
