"""A short run of random recipes, operations and hands; the longer ones are run from the command line."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from driving import needs_screen
from random_work import Trial, try_operations, try_recipe

from levelloop.app.view.render.picture import Picture, make_picture
from levelloop.document.part import Part


def seen(part: Part) -> Picture:
    """The picture of a part with all that views and hands ask of it."""
    for smooth in (False, True):
        picture = make_picture(part, smooth).made_ready()
        _ = picture.copied_points, picture.copied_edges, picture.cage_places, picture.face_middles, picture.uv
    return picture


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(12))
def test_no_recipe_raises(seed: int, tmp_path: Path) -> None:
    trial = Trial()
    for one in range(2 * seed, 2 * seed + 2):
        try_recipe(trial, one, tmp_path, seen)
    assert not trial.faults, trial.faults[0]
    assert trial.counts["step"] and trial.counts["save"] + trial.counts["too large"] == 2


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(8))
def test_no_operation_raises_and_undo_is_exact(seed: int) -> None:
    trial = Trial()
    try_operations(trial, seed, 60)
    assert not trial.faults, trial.faults[0]


@needs_screen
@pytest.mark.thorough
def test_random_hands_end_nothing(tmp_path: Path) -> None:
    script = Path(__file__).parent / "random_hands.py"
    kept = {name: str(tmp_path) for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME")}
    done = subprocess.run(
        [sys.executable, str(script), "1", "120", str(tmp_path)],
        capture_output=True,
        text=True,
        timeout=400,
        env={**os.environ, **kept},
        cwd=tmp_path,
    )
    assert done.returncode == 0, (done.stdout[-1500:], done.stderr[-800:])
    assert done.stdout.strip().endswith("0 defects")
