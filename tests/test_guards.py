"""Nothing that goes wrong loses work or goes unsaid: the guards of the window and of the command line."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from driving import Hands
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QLabel, QMessageBox

import levelloop.files as files
from levelloop.document.session import Session

COMMAND = [sys.executable, "-m", "levelloop"]


def run(*words: object, **options: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run([*COMMAND, *map(str, words)], capture_output=True, text=True, timeout=120, **options)  # type: ignore[call-overload]


@pytest.mark.parametrize("error", [OSError(28, "No space left on device"), RuntimeError("odd"), MemoryError()])
def test_closing_with_save_on_a_full_disk_keeps_the_window_and_the_work(
    empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, error: Exception
) -> None:
    empty.session.do("add_box")
    empty.window.setProperty("unattended", False)
    monkeypatch.setattr(QMessageBox, "exec", lambda _: QMessageBox.StandardButton.Save)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "a.usda"), ""))

    def fail(*_: object) -> None:
        raise error

    monkeypatch.setitem(files.DOCUMENT_WRITERS, ".usda", fail)
    assert not empty.window.close()
    assert empty.window.isVisible() and "a.usda" in empty.window.message and not empty.session.is_saved
    monkeypatch.undo()
    assert empty.window.on_files.save_path(tmp_path / "a.usda")


def test_a_name_typed_without_its_ending_overwrites_nothing_unasked(
    empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    empty.session.do("add_box")
    (tmp_path / "a.usda").write_text("precious")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "a"), "OpenUSD, text (*.usda)"))
    monkeypatch.setattr(QMessageBox, "exec", lambda _: QMessageBox.StandardButton.No)
    assert not empty.window.on_files.ask_save()
    assert (tmp_path / "a.usda").read_text() == "precious"
    monkeypatch.setattr(QMessageBox, "exec", lambda _: QMessageBox.StandardButton.Yes)
    assert empty.window.on_files.ask_save()


def test_a_newer_file_is_replaced_only_when_the_person_says_so(
    empty: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    empty.session.do("add_box")
    assert empty.window.on_files.save_path(tmp_path / "a.usda")
    other = Session.open(tmp_path / "a.usda")
    other.do("add_cylinder")
    other.save()
    empty.session.do("add_box")
    monkeypatch.setattr(QMessageBox, "exec", lambda _: QMessageBox.StandardButton.No)
    assert not empty.window.on_files.save() and "changed on disk" in empty.window.message
    monkeypatch.setattr(QMessageBox, "exec", lambda _: QMessageBox.StandardButton.Yes)
    assert empty.window.on_files.save()


def test_a_defect_is_a_sentence_and_a_traceback_in_the_log(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    from levelloop.files.log import log_path

    def fail() -> None:
        raise ZeroDivisionError("secret")

    assert not empty.window.attempt(fail)
    assert "ZeroDivisionError" in empty.window.message and str(log_path()) in empty.window.message
    assert "secret" in log_path().read_text()


def test_text_of_a_document_is_never_markup(empty: Hands) -> None:
    odd = "<img src='/dev/zero'><b>x</b>"
    empty.session.do("add_box", name=odd)
    empty.session.do("duplicate", name=odd)
    empty.session.do("set_material", material=odd)
    empty.window.tell(f"Something about “{odd}”.")
    empty.settle()
    for label in empty.window.findChildren(QLabel):
        if label is not empty.window.strip.readout and label.pixmap().isNull():
            assert label.textFormat() == Qt.TextFormat.PlainText, label.text()
    assert odd not in empty.window.strip.readout.text()


# The command line


def test_a_misspelt_command_is_told(tmp_path: Path) -> None:
    done = run("reviw", tmp_path / "a.usda")
    assert done.returncode == 2 and 'did you mean "review"' in done.stderr
    assert run("--version").stdout.startswith("Level Loop")


def test_a_defect_exits_3_with_one_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    code = "import levelloop.cli as c; c._document = lambda _: 1 / 0; c.main()"
    words = [sys.executable, "-c", code, "review", str(tmp_path / "a.usda")]
    done = subprocess.run(words, capture_output=True, text=True, timeout=60)
    assert done.returncode == 3 and done.stderr.count("\n") == 1 and "ZeroDivisionError" in done.stderr


def test_an_interrupt_exits_130_without_a_traceback(tmp_path: Path) -> None:
    code = "import time, levelloop.cli as c; c._document = lambda _: (print('x', flush=True), time.sleep(30)); c.main()"
    words = [sys.executable, "-c", code, "review", str(tmp_path / "a.usda")]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert process.stdout is not None and process.stdout.readline() == "x\n"
    time.sleep(0.1)
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=30)
    assert process.returncode == 130 and told == "Interrupted.\n"


def test_a_closed_pipe_is_no_complaint(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    session.save(tmp_path / "a.usda")
    line = f"{sys.executable} -m levelloop review {tmp_path / 'a.usda'} --json | true"
    done = subprocess.run(["bash", "-c", line], capture_output=True, text=True, timeout=60)
    assert done.stderr == ""


def test_odd_names_and_scripts_are_sentences(tmp_path: Path) -> None:
    for words in (("review", b"\xff\xfe.usda"), ("open", b"\xff.obj")):
        done = subprocess.run([*COMMAND, *words], capture_output=True, timeout=60, cwd=tmp_path)
        assert done.returncode == 2 and done.stderr.count(b"\n") == 1
    script = tmp_path / "s.json"
    for text in ("[" * 5000, "5", "[5]", '[{"select": {"edges": [[1], [2, 3]]}}]', '[{"do": "cut", "path": 5}]'):
        script.write_text(text)
        done = run("run", script, "-o", tmp_path / "out.usda")
        assert done.returncode == 2 and done.stderr.count("\n") == 1, done.stderr


def test_no_display_is_one_line() -> None:
    away = {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}
    bare = {name: value for name, value in os.environ.items() if name not in away}
    done = run("--demo", env=bare)
    assert done.returncode == 2 and "no display" in done.stderr and done.stderr.count("\n") == 1


def test_a_review_imports_no_more_than_it_needs(tmp_path: Path) -> None:
    session = Session.new()
    session.do("add_box")
    session.save(tmp_path / "box.usda")
    code = (
        "import sys; from levelloop.cli import cli\n"
        f"try: cli(['review', {str(tmp_path / 'box.usda')!r}])\n"
        "except SystemExit: pass\n"
        "slow = {'scipy.spatial', 'scipy.sparse.linalg', 'PySide6', 'manifold3d', 'potpourri3d'} & set(sys.modules)\n"
        "sys.exit(', '.join(sorted(slow)) or 0)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
