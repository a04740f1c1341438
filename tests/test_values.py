"""Values are what the standard library's dataclasses are."""

from __future__ import annotations

import copy
import dataclasses
import inspect
import pickle
from collections.abc import Callable
from typing import Any

import pytest

from levelloop.core import values
from levelloop.core.mesh.mesh import Mesh

RULES = [{}, {"frozen": True}, {"eq": False}, {"frozen": True, "eq": False}]
CALLS: list[tuple[tuple[Any, ...], dict[str, Any]]] = [
    ((1, 2.0), {}),
    ((1,), {"length": 2.0}),
    ((), {"length": 2.0, "count": 1}),
    ((1, 2.0, "three"), {}),
    ((1, 2.0), {"name": "three", "rest": [4]}),
    ((1, 2.0, "three", [4], 5), {}),
]
WRONG: list[tuple[tuple[Any, ...], dict[str, Any]]] = [
    ((), {}),
    ((1,), {}),
    ((1,), {"count": 1, "length": 2.0}),
    ((1, 2.0), {"colour": "red"}),
    ((1, 2.0, "three", [4], 5, 6), {}),
    ((), {"length": 2.0, "name": "three"}),
]


def declared(by: Callable[..., Any], rules: dict[str, bool]) -> Any:
    @by(**rules)
    class Piece:
        """A piece."""

        count: int
        length: float
        name: str = "piece"
        rest: list[int] = dataclasses.field(default_factory=list)
        aside: int = dataclasses.field(default=0, compare=False)

        @property
        def whole(self) -> float:
            return self.count * self.length

    return Piece


@pytest.mark.parametrize("rules", RULES)
@pytest.mark.parametrize(("given", "named"), CALLS)
def test_they_hold_compare_and_show_the_same(
    rules: dict[str, bool], given: tuple[Any, ...], named: dict[str, Any]
) -> None:
    theirs, ours = (declared(by, rules) for by in (dataclasses.dataclass, values.dataclass))
    one, other = theirs(*given, **named), ours(*given, **named)
    assert vars(one) == vars(other) and one.whole == other.whole
    assert repr(one) == repr(other)
    assert dataclasses.asdict(one) == dataclasses.asdict(other)
    assert vars(dataclasses.replace(one, count=7)) == vars(dataclasses.replace(other, count=7))
    assert vars(copy.copy(other)) == vars(other)
    # What is made anew is nobody else's.
    assert other.rest is not ours(1, 2.0).rest
    for piece, kind in ((one, theirs), (other, ours)):
        same = kind(*given, **{**named, "rest": list(piece.rest)} if len(given) < 4 else named)
        beside = dataclasses.replace(piece, aside=9)
        assert (piece == same) == rules.get("eq", True) == (piece == beside)
        assert piece != dataclasses.replace(piece, count=8)
        assert piece != "a piece"


@pytest.mark.parametrize("rules", RULES)
def test_they_hash_and_change_the_same(rules: dict[str, bool]) -> None:
    for by in (dataclasses.dataclass, values.dataclass):
        kind = declared(by, rules)
        piece, same = kind(1, 2.0, rest=(3,)), kind(1, 2.0, rest=(3,))
        if rules.get("eq", True) and not rules.get("frozen"):
            with pytest.raises(TypeError):
                hash(piece)
        else:
            assert (hash(piece) == hash(same)) == rules.get("eq", True)
        if rules.get("frozen"):
            with pytest.raises(dataclasses.FrozenInstanceError, match="count"):
                piece.count = 2
            with pytest.raises(dataclasses.FrozenInstanceError, match="count"):
                del piece.count
            assert piece.count == 1
        else:
            piece.count = 2
            assert piece.count == 2


@pytest.mark.parametrize(("given", "named"), WRONG)
def test_they_refuse_the_same(given: tuple[Any, ...], named: dict[str, Any]) -> None:
    for by in (dataclasses.dataclass, values.dataclass):
        with pytest.raises(TypeError):
            declared(by, {})(*given, **named)


@values.dataclass(frozen=True)
class Kept:
    """What goes through a file and looks after itself."""

    size: int

    def __post_init__(self) -> None:
        if self.size < 0:
            raise ValueError("less than nothing")

    def __repr__(self) -> str:
        return f"kept {self.size}"


@values.dataclass(frozen=True)
class Coloured(Kept):
    """With one thing more."""

    colour: str = "red"


def test_they_look_after_themselves_come_back_and_are_built_upon() -> None:
    with pytest.raises(ValueError, match="nothing"):
        Kept(-1)
    assert repr(Kept(2)) == "kept 2"
    assert pickle.loads(pickle.dumps(Kept(2))) == Kept(2)
    assert Coloured(2, "blue") == Coloured(colour="blue", size=2) != Coloured(2)
    assert Coloured(2) != Kept(2)
    assert [field.name for field in dataclasses.fields(Coloured)] == ["size", "colour"]
    with pytest.raises(ValueError, match="nothing"):
        dataclasses.replace(Coloured(2), size=-1)


def test_they_say_what_they_are_called_with() -> None:
    theirs, ours = (inspect.signature(declared(by, {})) for by in (dataclasses.dataclass, values.dataclass))
    for name, one in theirs.parameters.items():
        other = ours.parameters[name]
        assert (one.kind, one.annotation) == (other.kind, other.annotation)
        assert (one.default is one.empty) == (other.default is other.empty)
    assert str(inspect.signature(Coloured)) == "(size: 'int', colour: 'str' = 'red')"
    assert list(inspect.signature(Mesh).parameters)[:2] == ["topology", "points"]
