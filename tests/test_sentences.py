"""Sentences of all operations, read with typical, single and extreme values."""

from __future__ import annotations

import re
from typing import Any

import pytest

from levelloop.document.document import Document
from levelloop.document.operations import OPERATIONS, REGISTRY
from levelloop.document.parameters import Choice, Count, Number, Toggle
from levelloop.document.registry import Operation
from levelloop.document.running.replay import briefly
from levelloop.document.session import Session

# Nouns after a 1 that end in s and are no plural.
SINGULAR = {"across", "axis", "its", "this", "is"}


def values_of(operation: Operation, which: str) -> dict[str, Any]:
    """An operation's values: its defaults, every count 1, or every number at its limit and every choice another."""
    values, document = operation.defaults(), Document()
    for parameter in operation.parameters:
        name = parameter.name
        if which == "every field" and parameter.optional and parameter.offered:
            values[name] = parameter.first(document)
        if isinstance(parameter, Count) and which == "single":
            values[name] = max(1, int(parameter.low))
        elif isinstance(parameter, Number) and which == "lowest":
            values[name] = parameter.low if parameter.low > -1e9 else -1.5
        elif isinstance(parameter, Number) and which == "highest":
            values[name] = min(parameter.high, 12345.0)
        elif isinstance(parameter, Choice) and which == "highest":
            values[name] = parameter.words[-1]
        elif isinstance(parameter, Toggle) and which == "highest":
            values[name] = True
    return values


@pytest.mark.parametrize("which", ["typical", "single", "lowest", "highest", "every field"])
@pytest.mark.parametrize("operation", REGISTRY.all(), ids=lambda operation: operation.key)
def test_sentences_read_well(operation: Operation, which: str) -> None:
    values = values_of(operation, which)
    for sentence in (operation.says(values, "1 edge"), operation.brief(values, "12 edges")):
        assert sentence[0].isupper() and not sentence.endswith((" ", ",", "."))
        assert "  " not in sentence and " ," not in sentence and "(s)" not in sentence and "[" not in sentence
        assert "None" not in sentence and sentence.count("as it is") < 2, sentence
        for noun in re.findall(r"(?<![\d.x] )(?<![\d.,])\b1 ([a-z]+s)\b", sentence):
            assert noun in SINGULAR, sentence
        for noun in re.findall(r"\b(?:[2-9]|\d\d+) (edge|step|side|cell|row|time|quad|slice)\b", sentence):
            raise AssertionError(f"{noun}: {sentence}")


def test_history_says_only_what_differs() -> None:
    session = Session.new()
    session.do("add_box")
    session.select(faces=[0])
    session.do("extrude", distance=5, steps=2)
    session.do("inset", width=2, each=True)
    assert [briefly(state) for state in session.history] == [
        "New document",
        "Add a box 20 x 20 x 20 mm",
        "Extrude 1 face by 5 mm along normal, steps 2",
        "Inset 1 face by 2 mm, each face",
    ]
    assert session.state.sentence == "Inset 1 face by 2 mm, raised 0 mm, each face"


def test_what_is_given_instead_of_another_takes_its_place() -> None:
    """From a script as in the sentence: a distance lets go of the ratio that is the default."""
    pairs = [
        (operation, one)
        for operation in OPERATIONS
        for one in operation.parameters
        if one.instead_of and one.default is None
    ]
    assert len(pairs) >= 2
    for operation, one in pairs:
        changed = operation.changed(operation.defaults(), {one.name: 1.0})
        assert changed[one.name] == 1.0 and changed[one.instead_of] is None
        back = operation.changed(changed, {one.instead_of: 0.5})
        assert back[one.name] is None and back[one.instead_of] == 0.5
        # What is said of both is left as it is said, and nothing at all lets go of nothing.
        assert operation.changed(changed, {one.name: None})[one.instead_of] is None


def test_a_slide_by_a_distance_is_changed_to_one_by_a_ratio() -> None:
    session = Session.new()
    session.do("add_plane", size=(40, 40), cells=(4, 4))
    session.select(edges=[(6, 7)])
    session.do("slide", distance=2.5)
    first = session.part.mesh.points
    session.change_last(ratio=0.25)
    assert session.part.mesh.points == pytest.approx(first)
    assert session.state.parameters["distance"] is None
