"""Edits that divide faces."""
