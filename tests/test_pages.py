"""The pages in docs/: every example of the scripting page runs as it stands."""

from __future__ import annotations

import json
import re
import runpy
import subprocess
from pathlib import Path

import pytest

from levelloop.document.scripting.script import run_script
from levelloop.document.session import Session

ROOT = Path(__file__).parent.parent
MADE = {
    "operations_page": ("page", "docs/operations.md"),
    "keys_page": ("page", "docs/keys.md"),
    "typed_do": ("stub", "src/levelloop/document/typed_do.pyi"),
    "operation_keys": ("module", "src/levelloop/document/operations/keys.py"),
    "man_page": ("page", "packaging/levelloop.1"),
}
PAGES = Path(__file__).parent.parent / "docs"


def examples(page: str, language: str) -> list[str]:
    return re.findall(rf"```{language}\n(.*?)```", (PAGES / page).read_text(encoding="utf-8"), re.DOTALL)


@pytest.mark.parametrize("number", range(len(examples("scripting.md", "python"))))
def test_python_examples_run(number: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    exec(compile(examples("scripting.md", "python")[number], "scripting.md", "exec"), {})


def test_json_examples_run() -> None:
    for text in examples("scripting.md", "json"):
        session = Session.new()
        run_script(session, json.loads(text))
        assert session.part.level == 3 and session.part.stepped.n_faces > session.part.mesh.n_faces


def test_folders_named_in_the_page_are_there() -> None:
    source = PAGES.parent / "src" / "levelloop"
    for names in re.findall(r"^\| `([^|]*)` \|", (PAGES / "contributing.md").read_text(encoding="utf-8"), re.MULTILINE):
        for name in re.findall(r"[\w/]+", names):
            assert (source / name).is_dir(), name


@pytest.mark.parametrize("tool", MADE)
def test_what_is_made_from_the_registry_and_the_command_line_is_as_they_are_now(tool: str) -> None:
    """Where this fails `make pages` writes them anew."""
    function, target = MADE[tool]
    made = runpy.run_path(str(ROOT / "tools" / f"{tool}.py"))[function]
    assert (ROOT / target).read_text(encoding="utf-8") == made()


def test_the_desktop_finds_what_is_installed_and_nothing_of_it_stays(tmp_path: Path) -> None:
    install = ROOT / "tools" / "install"
    subprocess.run([install, "--desktop-only", tmp_path], check=True, capture_output=True)
    entry = (tmp_path / "share/applications/levelloop.desktop").read_text(encoding="utf-8")
    assert f"Exec={tmp_path}/bin/levelloop %f" in entry
    # Every kind of file that the entry opens is one that the installed table of kinds knows.
    kinds = (tmp_path / "share/mime/packages/levelloop.xml").read_text(encoding="utf-8")
    for kind in re.findall(r"MimeType=(.*);", entry)[0].split(";"):
        assert f'type="{kind}"' in kinds
    assert (tmp_path / "share/man/man1/levelloop.1").exists()
    assert (tmp_path / "share/icons/hicolor/scalable/apps/levelloop.svg").exists()
    subprocess.run([install, "--remove", tmp_path], check=True, capture_output=True)
    assert not [path for path in tmp_path.rglob("levelloop*") if path.is_file() or path.is_symlink()]
    assert subprocess.run([install, "--elsewhere", tmp_path], capture_output=True).returncode == 2


def test_the_manual_page_reads_without_a_complaint() -> None:
    """Checked by the formatter of manual pages, where the machine has it."""
    import shutil

    if shutil.which("groff") is None:
        pytest.skip("there is no groff here")
    told = subprocess.run(
        ["groff", "-man", "-ww", "-z", ROOT / "packaging" / "levelloop.1"], capture_output=True, text=True
    )
    assert told.returncode == 0 and not told.stderr


def test_pins_fit_what_is_asked_for() -> None:
    """Everything that the project asks for is pinned, and by a version that it allows."""
    import tomllib

    from packaging.requirements import Requirement
    from packaging.utils import canonicalize_name

    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]
    lines = (ROOT / "constraints.txt").read_text(encoding="utf-8").split()
    pins = {canonicalize_name(name): version for name, version in (line.split("==") for line in lines)}
    for text in [*project["dependencies"], *project["optional-dependencies"]["dev"]]:
        asked = Requirement(text)
        assert asked.specifier.contains(pins[canonicalize_name(asked.name)]), text
