"""What can go wrong, each with one sentence a modeler understands."""

from __future__ import annotations


class LevelLoopError(Exception):
    """A mistake in what was asked or given; its text is one clear sentence."""


class EditError(LevelLoopError):
    """An edit that this selection or these numbers do not allow."""


class MeshError(LevelLoopError):
    """Arrays that do not describe a mesh."""
