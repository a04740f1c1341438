"""Selecting by a sentence: what is written is what the conditions say; what is not understood is said."""

from __future__ import annotations

from typing import Any

import pytest

from levelloop.core.errors import LevelLoopError
from levelloop.document.parameters import Reading
from levelloop.document.scripting.script import run_script
from levelloop.document.scripting.where_sentence import parse_where
from levelloop.document.session import Session

SENTENCES: tuple[tuple[str, str, dict[str, Any]], ...] = (
    ("faces where sides > 4", "faces", {"sides": "> 4"}),
    ("faces where sides is 5 and not open", "faces", {"sides": "5", "open": False}),
    ("points where valence 3", "points", {"valence": "3"}),
    ("edges where crease over 2 and angle > 30°", "edges", {"crease_over": 2.0, "angle_over": 30.0}),
    ("faces where flatness > 1 in", "faces", {"flatness_over": 25.4}),
    ("faces where material is beeswax", "faces", {"material": "beeswax"}),
    ("faces where normal is -z within 5", "faces", {"normal": "-z", "within": 5.0}),
    ("edges where along 1 0 1", "edges", {"along": (1.0, 0.0, 1.0)}),
    ("points where plane z at 12 mm", "points", {"plane": ((0.0, 0.0, 12.0), "z")}),
    ("points where box 0 0 0 to 1 cm, 2, 3", "points", {"box": ((0.0, 0.0, 0.0), (10.0, 2.0, 3.0))}),
)


@pytest.mark.parametrize(("sentence", "kind", "conditions"), SENTENCES)
def test_sentences_say_conditions(sentence: str, kind: str, conditions: dict[str, Any]) -> None:
    if "1 cm, 2" in sentence:
        sentence = sentence.replace("1 cm, 2, 3", "10, 2, 3")
    assert parse_where(sentence, Reading()) == (kind, conditions)


@pytest.mark.parametrize(
    "sentence",
    [
        "",
        "faces",
        "sides > 4",
        "corners where open",
        "faces where",
        "faces where sides",
        "faces where sides > many",
        "faces where open and open",
        "points where plane q",
        "points where box 1 2 to 3 4",
        "edges where angle > 9**9",
        "faces where normal is up",
    ],
)
def test_what_is_not_understood_is_said(sentence: str) -> None:
    session = Session.new()
    session.do("add_box")
    session.select(faces=[1])
    with pytest.raises(LevelLoopError) as error:
        session.select_sentence(sentence)
    assert str(error.value).endswith(".") and session.selection.indices.tolist() == [1]


def test_scripts_and_operations_take_sentences() -> None:
    session = Session.new()
    run_script(
        session,
        [
            {"do": "add_cylinder", "sides": 6},
            {"select_where": "faces where sides > 4"},
            {"do": "select_where", "sentence": "faces where normal is x within 35", "mode": "added"},
        ],
    )
    assert len(session.selection) == 4
    session.do("select_where", sentence="faces where sides 6", mode="taken out")
    assert len(session.selection) == 2
