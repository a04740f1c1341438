"""Dataclasses as the standard library has them, declared in a tenth of the time.

The library writes and compiles up to seven functions for each class; for the two hundred of this program that is a
fifth of its start. Here all classes share the same few.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from dataclasses import dataclass
else:
    import dataclasses
    from collections.abc import Callable

    def dataclass(cls: type | None = None, /, *, frozen: bool = False, eq: bool = True) -> Any:
        """As dataclasses.dataclass: of the fields that are annotated, with what it does of `frozen` and `eq`."""

        def declared(cls: type) -> type:
            made = dataclasses.dataclass(init=False, repr=False, eq=False)(cls)
            members = [("__init__", _init(made)), ("__repr__", _repr), ("__signature__", _Fields())]
            if frozen:
                members += [("__setattr__", _refuse_setting), ("__delattr__", _refuse_deleting)]
            if eq:
                made._compared = tuple(field.name for field in dataclasses.fields(made) if field.compare)
                members += [("__eq__", _equal), ("__hash__", _hash if frozen else None)]
            for name, member in members:
                # What a class says itself holds.
                if name not in cls.__dict__ or cls.__dict__[name] is None:
                    setattr(made, name, member)
            return made

        return declared if cls is None else declared(cls)

    # Helpers

    def _init(cls: type) -> Callable[..., None]:
        fields = dataclasses.fields(cls)
        names = tuple(field.name for field in fields)
        known = frozenset(names)
        defaults = {field.name: field.default for field in fields if field.default is not dataclasses.MISSING}
        made = {
            field.name: field.default_factory for field in fields if field.default_factory is not dataclasses.MISSING
        }
        settles = hasattr(cls, "__post_init__")

        def filled(self: Any, *given: Any, **named: Any) -> None:
            values = self.__dict__
            if given:
                values.update(zip(names, given, strict=False))
            if named:
                if not (known.issuperset(named) and values.keys().isdisjoint(named)):
                    raise TypeError(f"{cls.__name__} takes {', '.join(names)}, each once")
                values.update(named)
            if len(values) != len(given) + len(named):
                raise TypeError(f"{cls.__name__} takes {len(names)} values, not {len(given)}")
            if len(values) < len(names):
                for name in names:
                    if name not in values:
                        values[name] = _default(cls, name, defaults, made)
            if settles:
                self.__post_init__()

        return filled

    def _default(cls: type, name: str, defaults: dict[str, Any], made: dict[str, Callable[[], Any]]) -> Any:
        if name in defaults:
            return defaults[name]
        if name in made:
            return made[name]()
        raise TypeError(f"{cls.__name__} needs {name}")

    class _Fields:
        """What a class is called with, for who asks: its signature is made only then."""

        def __get__(self, value: Any, cls: type) -> Any:
            from inspect import Parameter, Signature

            asked = []
            for field in dataclasses.fields(cls):
                default = Parameter.empty if field.default is dataclasses.MISSING else field.default
                if field.default_factory is not dataclasses.MISSING:
                    default = ...
                asked.append(
                    Parameter(field.name, Parameter.POSITIONAL_OR_KEYWORD, default=default, annotation=field.type)
                )
            return Signature(asked)

    def _repr(self: Any) -> str:
        shown = ", ".join(f"{field.name}={getattr(self, field.name)!r}" for field in dataclasses.fields(self))
        return f"{type(self).__qualname__}({shown})"

    def _refuse_setting(self: Any, name: str, value: Any) -> None:
        raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")

    def _refuse_deleting(self: Any, name: str) -> None:
        raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")

    def _parts(self: Any) -> tuple[Any, ...]:
        values = self.__dict__
        return tuple(values[name] for name in self._compared)

    def _equal(self: Any, other: Any) -> Any:
        return _parts(self) == _parts(other) if other.__class__ is self.__class__ else NotImplemented

    def _hash(self: Any) -> int:
        return hash(_parts(self))
