"""The table of commands, and what operations say of themselves to the window."""

import ast
from pathlib import Path

import pytest

from levelloop.app.commands import table
from levelloop.app.commands.table import Entry, commands
from levelloop.document.document import Document
from levelloop.document.operations import REGISTRY
from levelloop.document.parameters import Number

APP = Path(table.__file__).parents[1]


def test_every_operation_is_a_command_and_no_two_commands_have_one_key():
    titles = {(entry.menu, entry.title) for entry in commands()}
    assert {(operation.menu, operation.title) for operation in REGISTRY.all()} <= titles
    keys = [key for entry in commands() if isinstance(entry, Entry) for key in entry.keys]
    assert len(keys) == len(set(keys)) > 60


def test_two_commands_of_one_key_are_refused(monkeypatch):
    clash = Entry("File", "Clash", lambda window: None, (REGISTRY["bevel"].shortcut,))
    monkeypatch.setattr(table, "AFTER", (*table.AFTER, clash))
    with pytest.raises(ValueError, match="Clash and Bevel both have the key B"):
        list(commands())


def test_the_window_compares_no_operation_by_its_key():
    """How operations behave stands in their records: no comparison, and no table by key, in the window's code."""
    # Handles are called so too, guides can be flipped, and a box takes what is inside.
    keys = {operation.key for operation in REGISTRY.all()} - {"move", "rotate", "scale", "flip", "inside"}
    for path in APP.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            compared = [*node.comparators, node.left] if isinstance(node, ast.Compare) else []
            listed = [key for key in node.keys if key is not None] if isinstance(node, ast.Dict) else []
            for one in (*compared, *listed):
                assert not (isinstance(one, ast.Constant) and one.value in keys), f"{path.name}: {one.value}"


@pytest.mark.parametrize("operation", REGISTRY.all(), ids=lambda operation: operation.key)
def test_what_an_optional_number_is_at_first_is_one_it_may_be(operation):
    document = Document()
    for parameter in operation.parameters:
        if parameter.optional and parameter.offered and isinstance(parameter, Number):
            first = parameter.first(document)
            assert parameter.read(first, document.reading) == first, parameter.name
        if parameter.instead_of:
            assert operation.parameter(parameter.instead_of).instead_of == parameter.name


@pytest.mark.parametrize("operation", [o for o in REGISTRY.all() if o.begins_with], ids=lambda operation: operation.key)
def test_what_an_operation_begins_with_is_of_its_own_parameters(operation):
    values = operation.read(operation.begins_with, Document().reading)
    assert values != operation.defaults()
