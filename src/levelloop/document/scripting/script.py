"""Scripts: a list of small objects, one step each, run on a session."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from levelloop.core.errors import LevelLoopError
from levelloop.document.session import Session, named_value

LARGEST = 64 * 1024**2  # bytes of a script


class ScriptError(LevelLoopError):
    """A script that cannot be read or run; says which line of the list."""


def read_script(path: Path) -> list[dict[str, Any]]:
    """The steps of a script file. Raises ScriptError where it is not a JSON list of objects."""
    from levelloop.files.reading import read_bytes

    try:
        steps = json.loads(read_bytes(path, LARGEST).decode("utf-8"))
    except RecursionError as error:
        raise ScriptError(f"{path.name} is nested deeper than can be read.") from error
    except ValueError as error:
        raise ScriptError(f"{path.name} is not JSON: {error}.") from error
    if not isinstance(steps, list):
        raise ScriptError(f"{path.name} must be a list of steps.")
    return steps


def run_script(session: Session, steps: list[dict[str, Any]]) -> None:
    """Runs every step in order. Raises ScriptError naming the step that cannot run; nothing after it runs."""
    for number, step in enumerate(steps, start=1):
        try:
            _run_step(session, step)
        except LevelLoopError as error:
            raise ScriptError(f"Step {number}: {error}") from error


# Helpers


def _run_step(session: Session, step: Any) -> None:
    if not isinstance(step, dict):
        raise ScriptError(f'{step!r} is not a step; write an object such as {{"do": "grow"}}.')
    # Numbers may be called like another word: {"do": "remove_step", "step": 0}, {"step": "smooth", "level": 2}.
    with_numbers = [word for word in ("do", "step") if word in step]
    found = with_numbers[:1] or [word for word in _STEPS if word in step]
    if len(found) != 1:
        raise ScriptError(f"A step has one of {', '.join(_STEPS)}; this one has {', '.join(found) or 'none'}.")
    word = found[0]
    rest = {str(key): value for key, value in step.items() if key != word}
    try:
        _STEPS[word](session, step[word], rest)
    except TypeError as error:
        raise ScriptError(f'The step "{word}" does not take {", ".join(rest) or "that"}.') from error


def _do(session: Session, key: Any, rest: dict[str, Any]) -> None:
    session.perform(str(key), **rest)


def _add_step(session: Session, key: Any, rest: dict[str, Any]) -> None:
    session.add_step(str(key), **rest)


def _select(session: Session, what: Any, rest: dict[str, Any]) -> None:
    _none_left(rest)
    session.select(**_object(what))


def _select_all(session: Session, kind: Any, rest: dict[str, Any]) -> None:
    _none_left(rest)
    session.select_all(kind)


def _select_where(session: Session, what: Any, rest: dict[str, Any]) -> None:
    _none_left(rest)
    if isinstance(what, str):
        session.select_sentence(what)
    else:
        session.select_where(**_object(what))


def _select_none(session: Session, _: Any, rest: dict[str, Any]) -> None:
    _none_left(rest)
    session.select_none()


def _part(session: Session, name: Any, rest: dict[str, Any]) -> None:
    _none_left(rest)
    session.set_active(str(name))


def _level(session: Session, level: Any, rest: dict[str, Any]) -> None:
    _none_left(rest)
    session.do("set_level", level=level)


def _value(session: Session, name: Any, rest: dict[str, Any]) -> None:
    if set(rest) != {"is"}:
        raise ScriptError('A named value is written {"value": "hose", "is": "5 mm"}.')
    named_value(session, str(name), str(rest["is"]))


def _object(what: Any) -> dict[str, Any]:
    if not isinstance(what, dict):
        raise ScriptError(f"{what!r} is not an object.")
    return what


def _none_left(rest: dict[str, Any]) -> None:
    if rest:
        raise ScriptError(f"The step has something it does not know: {', '.join(rest)}.")


def _set_part(session: Session, name: Any, rest: dict[str, Any]) -> None:
    session.do("set_part", part=str(name), **rest)


_STEPS: dict[str, Callable[[Session, Any, dict[str, Any]], None]] = {
    "do": _do,
    "step": _add_step,
    "select": _select,
    "select_all": _select_all,
    "select_where": _select_where,
    "select_none": _select_none,
    "part": _part,
    "set_part": _set_part,
    "level": _level,
    "value": _value,
}
