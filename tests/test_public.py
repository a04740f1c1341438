"""What `import levelloop` offers: it costs nothing until it is used, and works without a window."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import levelloop as ll


def test_every_public_name_is_there_and_nothing_else() -> None:
    for name in ll.__all__:
        assert getattr(ll, name) is not None and name in dir(ll)
    with pytest.raises(AttributeError, match="surfaces"):
        ll.surfaces  # noqa: B018


def test_importing_loads_nothing_heavy() -> None:
    code = (
        "import levelloop, sys; print([name for name in ('numpy', 'PySide6', 'pxr', 'scipy') if name in sys.modules])"
    )
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True).stdout.strip() == "[]"


@pytest.mark.parametrize("ending", [".usda", ".usdc", ".obj", ".stl", ".ply"])
def test_what_is_written_is_read_again(ending: str, tmp_path: Path) -> None:
    session = ll.Session.new()
    session.do("add_box", size=(20, 20, 20), name="crate")
    session.do("set_level", level=0)
    ll.write(session.document, tmp_path / f"crate{ending}")
    again = ll.read(str(tmp_path / f"crate{ending}"))
    assert again.parts[0].mesh.n_points == 8 and np.abs(again.parts[0].mesh.points).max() == 10
    ll.write(session.part.mesh, tmp_path / f"one{ending}")
    ll.write({"a": session.part.mesh, "b": session.part.result(1)}, tmp_path / f"two{ending}")
    assert ll.read(tmp_path / f"one{ending}").parts[0].mesh.n_points == 8


def test_operations_are_declared_for_scripts_too() -> None:
    bevel = ll.operations["bevel"]
    assert bevel.title == "Bevel" and {"width", "steps"} <= {parameter.name for parameter in bevel.parameters}
    with pytest.raises(ll.EditError, match="did you mean"):
        ll.operations["bevle"]


BROUGHT = """
from dataclasses import replace
import levelloop as ll
flip = ll.operations["flip"]
fine, clash = replace(flip, key="turn_over", title="Turn over", shortcut=""), (flip,)
"""
POINTS = """
[levelloop.operations]
fine = brought_operations:fine
clash = brought_operations:clash
broken = no_such_module:any
"""


def test_operations_of_other_packages_are_like_ours_and_bad_ones_are_left_out(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """A package as it is installed: its module, and beside it the list of its entry points."""
    from levelloop.document import operations

    (tmp_path / "brought_operations.py").write_text(BROUGHT, encoding="utf-8")
    (tmp_path / "brought-1.0.dist-info").mkdir()
    (tmp_path / "brought-1.0.dist-info/METADATA").write_text("Name: brought\nVersion: 1.0\n", encoding="utf-8")
    assert operations.build_registry().all() == ll.operations.all()
    (tmp_path / "brought-1.0.dist-info/entry_points.txt").write_text(POINTS, encoding="utf-8")
    monkeypatch.syspath_prepend(str(tmp_path))
    registry = operations.build_registry()
    assert registry.all()[-1].key == "turn_over" and len(registry.all()) == len(ll.operations.all()) + 1
    assert len(registry.refused) == 2
    assert "“broken” are left out: No module named" in registry.refused[0]
    assert "“clash” are left out: two operations are called flip" in registry.refused[1]
