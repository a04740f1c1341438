"""No error leaves what the toolkit calls in a shape that ends the process."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from overrides_run import ERRORS, our_classes, overridden
from PySide6.QtWidgets import QWidget

from levelloop.app.guard import GUARDED, overrides_of


def test_every_override_in_the_package_is_guarded() -> None:
    kinds = list(our_classes())
    overrides = [(kind, name) for kind in kinds for name in overrides_of(kind)]
    assert len(overrides) > 80
    bare = [f"{kind.__name__}.{name}" for kind, name in overrides if not hasattr(vars(kind)[name], GUARDED)]
    assert not bare


def test_a_new_override_is_guarded_by_being_written() -> None:
    class Made(QWidget):
        def mousePressEvent(self, event: object) -> None:
            """Does nothing."""

        def no_override(self) -> None:
            """Neither."""

    assert hasattr(vars(Made)["mousePressEvent"], GUARDED) and not hasattr(vars(Made)["no_override"], GUARDED)


def test_errors_of_compiled_code_in_every_override_are_told_and_the_process_lives(tmp_path: Path) -> None:
    script = Path(__file__).parent / "overrides_run.py"
    done = subprocess.run(
        [sys.executable, str(script)], capture_output=True, text=True, timeout=300, env={**os.environ}, cwd=tmp_path
    )
    lines = done.stdout.splitlines()
    assert done.returncode == 0, (lines[-2:], done.stderr[-500:])
    assert not [line for line in lines if line.startswith("NOT")]
    assert int(lines[-1].split()[0]) >= len(overridden()) * len(ERRORS)
