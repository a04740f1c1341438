"""Recipes kept in the document under names: given to other parts, saved and read back, dropped."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from driving import Hands, needs_screen
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu

from levelloop.core.errors import EditError
from levelloop.document.session import Session


def ribbed() -> Session:
    session = Session.new()
    session.do("add_box", size=(10, 6, 4), name="rib")
    session.add_step("array", count=5, move=(10, 0, 0))
    session.add_step("bend", angle=90, along="x", around="z")
    session.do("keep_recipe", name="ribs")
    session.do("add_cylinder", diameter=4, height=10, axis="x", name="tube")
    return session


@pytest.mark.parametrize("ending", [".usda", ".usdc"])
def test_a_kept_recipe_makes_of_another_part_what_it_made_of_the_first(tmp_path: Path, ending: str) -> None:
    session = ribbed()
    path = tmp_path / f"ribs{ending}"
    session.save(path)
    again = Session.open(path)
    assert [step.key for step in again.document.recipes["ribs"]] == ["array", "bend"]
    for one in (session, again):
        one.set_active("tube")
        one.do("use_recipe", name="ribs")
    assert np.array_equal(session.part.result().points, again.part.result().points)
    assert session.part.stepped.n_faces == 5 * session.part.mesh.n_faces


def test_it_comes_after_what_is_there_or_in_its_place() -> None:
    session = ribbed()
    session.add_step("mirror", planes="z")
    assert "gone" not in session.do("use_recipe", name="ribs", after=True)
    assert [step.key for step in session.part.steps] == ["mirror", "array", "bend"]
    assert "The 1 step it had is gone." in session.change_last(after=False)
    assert [step.key for step in session.part.steps] == ["array", "bend"]
    # The part's own from then on: what is kept does not follow.
    session.set_step(0, count=2)
    assert session.document.recipes["ribs"][0].parameters["count"] == 5


def test_what_cannot_be_is_one_sentence() -> None:
    session = ribbed()
    before = session.document
    for act, said in (
        (lambda: session.do("keep_recipe", name="empty"), "no steps to keep"),
        (lambda: session.do("keep_recipe", name="  "), "needs a name"),
        (lambda: session.do("use_recipe", name="folds"), "kept are “ribs”"),
        (lambda: session.do("drop_recipe", name="folds"), "kept are “ribs”"),
    ):
        with pytest.raises(EditError, match=said):
            act()
    assert session.document is before
    session.do("drop_recipe", name="ribs")
    with pytest.raises(EditError, match="none is kept yet"):
        session.do("use_recipe", name="ribs")
    session.undo()
    assert "ribs" in session.document.recipes


def test_a_recipe_of_links_is_refused_where_it_would_go_round() -> None:
    session = Session.new()
    session.do("add_curve", points=[(0, 0, 0), (0, 0, 20), (5, 0, 40)], name="way")
    session.do("add_point", name="hose")
    session.add_step("sweep", curve="way", sides=6)
    session.do("keep_recipe", name="along the way")
    session.do("add_point", name="second hose")
    session.do("use_recipe", name="along the way")
    assert session.part.result().n_faces == session.document.by_name("hose").result().n_faces > 0
    session.set_active("way")
    with pytest.raises(EditError):
        session.do("use_recipe", name="along the way")


@needs_screen
def test_the_build_line_offers_what_is_kept(empty: Hands, monkeypatch: pytest.MonkeyPatch) -> None:
    session, recipe = empty.session, empty.window.on_recipe
    session.do("add_box", size=(10, 6, 4), name="rib")
    session.add_step("array", count=5, move=(10, 0, 0))
    opened: list[QMenu] = []
    monkeypatch.setattr(recipe, "_open", lambda menu, at: opened.append(menu))
    recipe.menu(0, empty.view.pos())
    keep = next(one for one in opened[-1].actions() if one.text().startswith("Keep the recipe"))
    keep.trigger()
    empty.settle()
    empty.type("ribs")
    empty.key(Qt.Key.Key_Return)
    assert list(session.document.recipes) == ["ribs"]
    session.do("add_cylinder", diameter=4, height=10, name="tube")
    recipe.add_menu(empty.view.pos())
    next(one for one in opened[-1].actions() if one.text() == "Use “ribs”").trigger()
    empty.settle()
    assert [step.key for step in session.part.steps] == ["array"] and session.part.name == "tube"
