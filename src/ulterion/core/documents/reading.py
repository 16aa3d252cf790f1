"""Readers of plain data (from JSON or TOML) by type: every value is checked, every fault reported with its place."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence, Set
from dataclasses import MISSING, Field, fields, is_dataclass
from functools import cache, cached_property
from inspect import get_annotations
from itertools import repeat
from types import NoneType, UnionType
from typing import Annotated, Literal, Union, get_args, get_origin, get_type_hints

from ulterion.core.documents.fields import After, Before, Hint, Instead, Limits, Reader, ToldBy, has_default, key_of
from ulterion.core.documents.series import bulk_reader_of
from ulterion.core.documents.values import SIMPLE, Fault, InvalidError, faults_inside, wrong

Hints = tuple[Hint, ...]


@cache
def reader_of(kind: Hint) -> Reader:
    """Return a reader for a type: a simple one, a record, or a list, dict, tuple, literal or union of these.

    Raises TypeError for a type that cannot be read.
    """
    if kind in SIMPLE:
        return SIMPLE[kind]
    made = _COMPOSED.get(get_origin(kind))
    if made is not None:
        return made(get_args(kind))
    own: Reader | None = getattr(kind, "from_document", None) or getattr(kind, "record_reader", None)
    if own is not None:
        return own
    if is_dataclass(kind) and isinstance(kind, type):
        return RecordReader(kind)
    if hasattr(kind, "_fields"):
        return _named_tuple(kind)
    raise TypeError(f"no document can hold {kind}")


def _marked(arguments: Hints) -> Reader:
    """Return a reader for an annotated type: with limits, functions before, after or instead, or a choice of records."""
    kind, *marks = arguments
    if len(marks) == 1 and isinstance(marks[0], Limits):
        return _limited(kind, marks[0])
    told_by = next((m for m in marks if isinstance(m, ToldBy)), None)
    instead = next((m.function for m in marks if isinstance(m, Instead)), None)
    read: Reader = instead or (_told(told_by) if told_by is not None else reader_of(kind))
    for mark in marks:
        read = _with_mark(read, mark)
    return read


def _with_mark(read: Reader, mark: object) -> Reader:
    if isinstance(mark, Before):
        before = mark.function
        return lambda value: read(before(value))
    if isinstance(mark, After):
        after = mark.function
        return lambda value: after(read(value))
    return within(read, mark) if isinstance(mark, Limits) else read


def _number_within(kind: type, limits: Limits, *, nullable: bool) -> Reader:
    """Return a reader for a number within limits, with a short path for valid ones: most fields of runs are such numbers."""
    low, high = limits.ends(kind)
    read = within(SIMPLE[kind], limits)

    def read_number(value: Hint) -> object:
        found = type(value)
        if found is kind and low <= value <= high:
            return value
        return None if value is None and nullable else read(value)

    return read_number


def within(read: Reader, limits: Limits) -> Reader:
    """Return a reader that also refuses values outside limits."""

    def read_within(value: object) -> object:
        got = read(value)
        limits.check(got)
        return got

    return read_within


def _told(by: ToldBy) -> Reader:
    """Return a reader that chooses between records by the value of a field."""
    readers = {name: reader_of(record) for record in by.kinds for name in get_args(hints_of(record)[by.field])}

    def read_told(value: object) -> object:
        if isinstance(value, by.kinds):
            return value
        if not isinstance(value, dict):
            raise wrong(value, "a table")
        name = value.get(by.field)
        if not isinstance(name, str) or name not in readers:
            why = f"is {str(name)[:60]!r}; it must be one of: {', '.join(readers)}"
            raise InvalidError([Fault((by.field,), "wrong", why)])
        return readers[name](value)

    return read_told


def _choice(known: Hints) -> Reader:
    def read_choice(value: object) -> object:
        if not isinstance(value, str | int) or value not in known or isinstance(value, bool):
            shown = f"'{value[:60]}'" if isinstance(value, str) else repr(value)[:60]
            raise ValueError(f"is {shown}; it must be {' or '.join(map(repr, known))}")
        return value

    return read_choice


def _union(kinds: Hints) -> Reader:
    """Return a reader for a union: the first type that fits; the last one reports the faults."""
    others, nullable = [k for k in kinds if k is not NoneType], NoneType in kinds
    if nullable and len(others) == 1:
        kind, *marks = get_args(others[0]) if get_origin(others[0]) is Annotated else (others[0], Limits())
        if kind in (int, float) and len(marks) == 1 and isinstance(marks[0], Limits):
            return _number_within(kind, marks[0], nullable=True)
    readers = [reader_of(k) for k in others]

    def read_union(value: object) -> object:
        if value is None and nullable:
            return None
        for read in readers[:-1]:
            try:
                return read(value)
            except ValueError:
                continue
        return readers[-1](value)

    return read_union


def _list(arguments: Hints) -> Callable[[object], list[object]]:
    read, bulk = reader_of(arguments[0]), bulk_reader_of(arguments[0])

    def read_list(value: object) -> list[object]:
        if not isinstance(value, list | tuple):
            raise wrong(value, "a list")
        got = bulk(value) if bulk is not None else None
        return _each(zip(range(len(value)), value, repeat(read))) if got is None else got

    return read_list


def _each(steps: Iterable[tuple[int | str, object, Reader]]) -> list[object]:
    """Read values, each given with its key or position and its reader."""
    got, faults = [], list[Fault]()
    for step, value, read in steps:
        try:
            got.append(read(value))
        except ValueError as error:
            faults += faults_inside(step, error)
    if faults:
        raise InvalidError(faults)
    return got


def _table(arguments: Hints) -> Reader:
    read_key, read = reader_of(arguments[0]), reader_of(arguments[1])

    def read_table(value: object) -> dict[object, object]:
        if not isinstance(value, dict):
            raise wrong(value, "a table")
        values = _each(zip(value.keys(), value.values(), repeat(read)))
        return dict(zip(map(read_key, value), values, strict=True))

    return read_table


def _tuple(arguments: Hints) -> Callable[[object], tuple[object, ...]]:
    if len(arguments) == 2 and arguments[1] is Ellipsis:
        read_list = _list(arguments)
        return lambda value: tuple(read_list(value))
    readers = [reader_of(a) for a in arguments]

    def read_tuple(value: object) -> tuple[object, ...]:
        if not isinstance(value, list | tuple) or len(value) != len(readers):
            raise wrong(value, f"a list of {len(readers)}")
        return tuple(_each(zip(range(len(value)), value, readers, strict=True)))

    return read_tuple


def _named_tuple(kind: Hint) -> Reader:
    read = _tuple(tuple(get_type_hints(kind, include_extras=True).values()))

    def read_named(value: object) -> object:
        made: object = kind._make(read(value))
        return made

    return read_named


_COMPOSED: Mapping[object, Callable[[Hints], Reader]] = {
    Annotated: _marked,
    Literal: _choice,
    Union: _union,
    UnionType: _union,
    list: _list,
    dict: _table,
    tuple: _tuple,
}


def hints_of(kind: type) -> Mapping[str, Hint]:
    """Return the annotations of a record's fields, as `typing.get_type_hints` does, without its slow second pass over each."""
    return {
        name: hint for base in reversed(kind.__mro__) for name, hint in get_annotations(base, eval_str=True).items()
    }


class RecordReader:
    """Reads dicts into records of one class.  The readers of its fields are made on first use."""

    def __init__(self, kind: Hint) -> None:
        self._kind = kind

    def __call__(self, data: object) -> object:
        """Return the record in a dict, or the value itself if it is one already.  Raises InvalidError."""
        if isinstance(data, self._kind):
            return data
        if self._as_now is not None:
            data = self._as_now(data)
        if not isinstance(data, dict):
            raise wrong(data, "a table")
        return self._make(self._values(data, self._by_key))

    @cached_property
    def _as_now(self) -> Reader | None:
        """Converts older or other forms of plain data to the current one, if the class does that."""
        return getattr(self._kind, "as_now", None)

    @cached_property
    def _make(self) -> Callable[[dict[str, object]], object]:
        kind = self._kind
        return getattr(kind, "of_values", None) or (lambda values: kind(**values))

    @cached_property
    def _fields(self) -> Sequence[tuple[Field[object], Reader]]:
        hints = hints_of(self._kind)
        return [(f, _field_reader(hints[f.name], f)) for f in fields(self._kind) if f.init]

    @cached_property
    def defaults(self) -> Mapping[str, object]:
        """Default values, by field name."""
        return {f.name: f.default for f in fields(self._kind) if f.default is not MISSING}

    @cached_property
    def factories(self) -> Mapping[str, Callable[[], object]]:
        """Factories of defaults that each record needs its own copy of."""
        return {f.name: f.default_factory for f in fields(self._kind) if f.default_factory is not MISSING}

    @cached_property
    def _by_key(self) -> Mapping[str, tuple[str, Reader]]:
        """The name and reader of each field, by its key in documents."""
        return {key_of(f): (f.name, read) for f, read in self._fields}

    @cached_property
    def _by_name(self) -> Mapping[str, tuple[str, Reader]]:
        """The name and reader of each field, by its name."""
        return {f.name: (f.name, read) for f, read in self._fields}

    @cached_property
    def _required(self) -> Set[str]:
        return {f.name for f in fields(self._kind) if f.init and not has_default(f)}

    @cached_property
    def derived(self) -> Set[str]:
        """Names of cached properties, which a changed copy must work out anew."""
        each = (vars(base).items() for base in self._kind.__mro__)
        return {name for own in each for name, value in own if isinstance(value, cached_property)}

    def values_by_name(self, values: Mapping[str, object]) -> dict[str, object]:
        """Read values given by field name.  Raises InvalidError with every fault."""
        return self._values(values, self._by_name) if values or self._required else {}

    def _values(self, data: Mapping[str, object], known: Mapping[str, tuple[str, Reader]]) -> dict[str, object]:
        """Read the fields present in data; return their values by name.  Raises InvalidError with every fault."""
        values: dict[str, object] = {}
        faults: list[Fault] = []
        for key, value in data.items():
            if key not in known:
                faults.append(Fault((key,), "unknown", "unknown key"))
                continue
            name, read = known[key]
            try:
                values[name] = read(value)
            except ValueError as error:
                faults += faults_inside(key, error)
        if faults or not self._required <= values.keys():
            missing = [k for k, (name, _) in known.items() if k not in data and name in self._required]
            faults += [Fault((key,), "missing", "is missing; add it") for key in missing]
        if faults:
            raise InvalidError(faults)
        return values


def _field_reader(kind: object, field: Field[object]) -> Reader:
    limits = field.metadata.get("limits")
    return reader_of(kind) if limits is None else _limited(kind, limits)


def _limited(kind: Hint, limits: Limits) -> Reader:
    """Return a reader for a type within limits."""
    origin: Hint = get_origin(kind)
    others = [k for k in get_args(kind) if k is not NoneType] if origin in (Union, UnionType) else [kind]
    if len(others) == 1 and others[0] in (int, float):
        return _number_within(others[0], limits, nullable=others[0] is not kind)
    return within(reader_of(kind), limits)
