"""Data classes that are quick to define: their fields are looked at, and their methods made, when they are first used.

The standard library looks at every field, and writes and compiles up to six methods, of each data class at its definition, which takes more
than a millisecond. A command defines hundreds of classes and makes objects of a few. What is used of a class works as `dataclasses.dataclass` would have it; the
functions of that module (`fields`, `replace`, `asdict`) take these classes too.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from functools import cache
from operator import attrgetter
from types import FunctionType, MethodType
from typing import TYPE_CHECKING

__all__ = ["dataclass"]

if TYPE_CHECKING:
    from dataclasses import dataclass

    from _typeshed import DataclassInstance
else:

    def dataclass(cls=None, /, *, frozen=False, kw_only=False, init=True):
        """Make a class a data class, as `dataclasses.dataclass` does with these options."""

        def made(cls):
            own = dict(vars(cls))
            cls.__doc__ = cls.__doc__ or cls.__name__  # the standard library would write a signature there
            cls.__dataclass_fields__ = _LateFields(cls, kw_only)
            methods = {"__init__": _LateInit(cls)} if init else {}
            for name, method in (methods | {"__repr__": _repr, "__eq__": _eq}).items():
                if name not in own:
                    setattr(cls, name, method)
            if own.get("__hash__") is None:  # Python writes None there where __eq__ is defined
                cls.__hash__ = _hash if frozen else None
            if frozen:
                cls.__setattr__, cls.__delattr__ = _refuse_to_set, _refuse_to_delete
            return cls

        return made if cls is None else made(cls)


class _LateFields:
    """In the place of a class's fields until they are first asked for."""

    def __init__(self, owner: type, kw_only: bool) -> None:
        self.owner, self.kw_only = owner, kw_only

    def __get__(self, one: object | None, kind: type | None = None) -> object:
        delattr(self.owner, "__dataclass_fields__")
        return vars(self._made())["__dataclass_fields__"]

    def _made(self) -> type[DataclassInstance]:
        return dataclasses.dataclass(self.owner, init=False, repr=False, eq=False, kw_only=self.kw_only)


class _LateInit:
    """In the place of a class's `__init__` until that is first asked for."""

    def __init__(self, owner: type[DataclassInstance]) -> None:
        self.owner = owner

    def __get__(self, one: object | None, kind: type | None = None) -> Callable[..., None]:
        init = _init_of(self.owner)
        type.__setattr__(self.owner, "__init__", init)
        return init if one is None else MethodType(init, one)


def _init_of(owner: type[DataclassInstance]) -> FunctionType:
    """Return the `__init__` of a data class, which gives every field its argument or default, then calls `__post_init__`."""
    names: dict[str, object] = {"_set": object.__setattr__, "_missing": dataclasses.MISSING}
    plain, by_name, body = ["self"], list[str](), list[str]()
    for one in dataclasses.fields(owner):
        names |= {f"_default_{one.name}": one.default, f"_make_{one.name}": one.default_factory}
        has_default, is_made = (v is not dataclasses.MISSING for v in (one.default, one.default_factory))
        default, made = f"_default_{one.name}", f"_make_{one.name}()"
        if one.init:
            optional = f"={default}" if has_default else "=_missing" if is_made else ""
            (by_name if one.kw_only else plain).append(one.name + optional)
            value = f"{made} if {one.name} is _missing else {one.name}" if is_made else one.name
        elif is_made:
            value = made
        else:
            continue  # the class has its default, or `__post_init__` sets it
        frozen = owner.__setattr__ is _refuse_to_set
        body.append(f"_set(self, {one.name!r}, {value})" if frozen else f"self.{one.name} = {value}")
    if hasattr(owner, "__post_init__"):
        body.append("self.__post_init__()")
    arguments = ", ".join([*plain, *(["*", *by_name] if by_name else [])])
    exec(f"def __init__({arguments}):\n " + "\n ".join(body or ["pass"]), names)
    init = names["__init__"]
    assert isinstance(init, FunctionType)
    init.__qualname__ = f"{owner.__qualname__}.__init__"
    return init


@cache
def _values_of(owner: type[DataclassInstance], use: str) -> Callable[[object], tuple[object, ...]]:
    """Return what gets the values of a data class that it is compared or hashed by, as a tuple."""
    found = dataclasses.fields(owner)
    names = [f.name for f in found if (f.compare if use == "compare" or f.hash is None else f.hash)]
    return attrgetter(*names) if len(names) > 1 else lambda one: tuple(getattr(one, name) for name in names)


def _eq(self: DataclassInstance, other: object) -> object:
    if other.__class__ is not self.__class__:
        return NotImplemented
    values = _values_of(self.__class__, "compare")
    return values(self) == values(other)


def _hash(self: DataclassInstance) -> int:
    return hash(_values_of(self.__class__, "hash")(self))


def _repr(self: DataclassInstance) -> str:
    shown = (f.name for f in dataclasses.fields(self) if f.repr)
    return f"{self.__class__.__qualname__}({', '.join(f'{name}={getattr(self, name)!r}' for name in shown)})"


def _refuse_to_set(self: object, name: str, value: object) -> None:
    raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")


def _refuse_to_delete(self: object, name: str) -> None:
    raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")
