"""The pages in docs/: every example of the scripting page runs as it stands."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from levelloop.document.scripting.script import run_script
from levelloop.document.session import Session

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
