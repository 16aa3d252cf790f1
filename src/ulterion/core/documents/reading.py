"""Plain data, as they come from JSON or TOML, read by type: each value is checked, and every fault named with its place.

Numbers are taken for what they are: `1.0` is a whole number, `true` and `"1"` are none.
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import MISSING, Field, fields, is_dataclass
from functools import cache, cached_property
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

from ulterion.core.documents.fields import After, Before, Instead, Limits, ToldBy, has_default, key_of
from ulterion.core.records import dataclass
from ulterion.core.text import has_surrogates

Reader = Callable[[object], Any]
"""Makes a value of plain data.  Raises ValueError."""
Bulk = Callable[[Sequence[Any]], list[Any] | None]
"""Reads a list at once, or returns None where each of its values must be looked at."""
Place = tuple[int | str, ...]
Kind = TypeVar("Kind")


@dataclass(frozen=True)
class Fault:
    """A fault of plain data: the keys and numbers that lead to it, what kind of fault, and why in words."""

    place: Place
    kind: Literal["unknown", "missing", "wrong"]
    why: str


class InvalidError(ValueError):
    """Plain data that do not fit their type.

    Attributes:
        faults: every one that was found.
    """

    def __init__(self, faults: Sequence[Fault]) -> None:
        first = faults[0]
        super().__init__(f"{'.'.join(map(str, first.place))}: {first.why}" if first.place else first.why)
        self.faults = faults


def _inside(step: int | str, error: ValueError) -> list[Fault]:
    """Return the faults of an error that was met one step further in."""
    if isinstance(error, InvalidError):
        return [Fault((step, *f.place), f.kind, f.why) for f in error.faults]
    return [Fault((step,), "wrong", str(error))]


def _wrong(value: object, wanted: str) -> ValueError:
    told = {dict: "a table", list: "a list", bool: str(value).lower(), NoneType: "null"}
    return ValueError(f"is {told.get(type(value), repr(value)[:60])}, not {wanted}")


def _text(value: object) -> str:
    if not isinstance(value, str):
        raise _wrong(value, "text")
    if has_surrogates(value):
        raise ValueError("holds bytes that are not UTF-8")
    return value


def _whole_number(value: object) -> int:
    if type(value) is int:
        return value
    if isinstance(value, float) and value.is_integer():
        return int(value)
    raise _wrong(value, "a whole number")


def _number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise _wrong(value, "a number")
    try:
        number = float(value)
    except OverflowError as error:
        raise ValueError("is too large a number") from error
    if not math.isfinite(number):
        raise ValueError(f"is {number}, not a number that can be reckoned with")
    return number


def _yes_or_no(value: object) -> bool:
    if not isinstance(value, bool):
        raise _wrong(value, "true or false")
    return value


def _nothing(value: object) -> None:
    if value is not None:
        raise _wrong(value, "null")


def _date(value: object) -> datetime.date:
    if isinstance(value, str):
        try:
            return datetime.date.fromisoformat(value)
        except ValueError:
            pass
    if type(value) is not datetime.date:
        raise _wrong(value, "a date, such as 2026-03-02")
    return value


_SIMPLE: Mapping[object, Reader] = {
    str: _text,
    int: _whole_number,
    float: _number,
    bool: _yes_or_no,
    None: _nothing,
    NoneType: _nothing,
    datetime.date: _date,
    object: lambda value: value,
    Any: lambda value: value,
}


@cache
def reader_of(kind: Any) -> Reader:
    """Return what reads plain data of a type: a simple one, a record, and lists, tables, tuples, choices and unions of such.

    Raises TypeError for a type that no document can hold.
    """
    if kind in _SIMPLE:
        return _SIMPLE[kind]
    own: Reader | None = getattr(kind, "from_document", None) or getattr(kind, "record_reader", None)
    if own is not None:
        return own
    if is_dataclass(kind) and isinstance(kind, type):
        return RecordReader(kind)
    origin, arguments = get_origin(kind), get_args(kind)
    made = _COMPOSED.get(origin)
    if made is None:
        raise TypeError(f"no document can hold {kind}")
    return made(arguments)


def _marked(arguments: tuple[Any, ...]) -> Reader:
    """Return what reads a type with marks: what is done before, after, or instead; limits; or what tells which of a union it is."""
    kind, *marks = arguments
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


def within(read: Reader, limits: Limits) -> Reader:
    """Return what reads as `read` does, and refuses what is outside limits."""

    def read_within(value: object) -> object:
        got = read(value)
        limits.check(got)
        return got

    return read_within


def _told(by: ToldBy) -> Reader:
    """Return what reads one of several records, told by the value of a field."""
    readers = {
        name: reader_of(record)
        for record in by.kinds
        for name in get_args(get_type_hints(record, include_extras=True)[by.field])
    }

    def read_told(value: object) -> object:
        if isinstance(value, by.kinds):
            return value
        if not isinstance(value, dict):
            raise _wrong(value, "a table")
        name = value.get(by.field)
        if not isinstance(name, str) or name not in readers:
            why = f"is {str(name)[:60]!r}; it must be one of: {', '.join(readers)}"
            raise InvalidError([Fault((by.field,), "wrong", why)])
        return readers[name](value)

    return read_told


def _choice(known: tuple[Any, ...]) -> Reader:
    def read_choice(value: object) -> object:
        if not isinstance(value, str | int) or value not in known or isinstance(value, bool):
            shown = f"'{value[:60]}'" if isinstance(value, str) else repr(value)[:60]
            raise ValueError(f"is {shown}; it must be {' or '.join(map(str, known))}")
        return value

    return read_choice


def _union(kinds: tuple[Any, ...]) -> Reader:
    """Return what reads the first of several types that fits; of one that may be null, that type says what is wrong."""
    readers = [reader_of(k) for k in kinds if k is not NoneType]
    nullable = NoneType in kinds

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


def _list(arguments: tuple[Any, ...]) -> Reader:
    read, bulk = reader_of(arguments[0]), bulk_reader_of(arguments[0])

    def read_list(value: object) -> list[object]:
        if not isinstance(value, list | tuple):
            raise _wrong(value, "a list")
        got = bulk(value) if bulk is not None else None
        return list(_each(enumerate(value), read)) if got is None else got

    return read_list


def _each(steps: Iterable[tuple[int | str, object]], read: Reader) -> list[object]:
    got, faults = [], list[Fault]()
    for step, value in steps:
        try:
            got.append(read(value))
        except ValueError as error:
            faults += _inside(step, error)
    if faults:
        raise InvalidError(faults)
    return got


def _table(arguments: tuple[Any, ...]) -> Reader:
    read_key, read = reader_of(arguments[0]), reader_of(arguments[1])

    def read_table(value: object) -> dict[object, object]:
        if not isinstance(value, dict):
            raise _wrong(value, "a table")
        return dict(zip(map(read_key, value), _each(value.items(), read), strict=True))

    return read_table


def _tuple(arguments: tuple[Any, ...]) -> Reader:
    if len(arguments) == 2 and arguments[1] is Ellipsis:
        read_list = _list(arguments)
        return lambda value: tuple(read_list(value))
    readers = [reader_of(a) for a in arguments]

    def read_tuple(value: object) -> tuple[object, ...]:
        if not isinstance(value, list | tuple) or len(value) != len(readers):
            raise _wrong(value, f"a list of {len(readers)}")
        steps = zip(readers, value, strict=True)
        return tuple(got for i, (read, v) in enumerate(steps) for got in _each([(i, v)], read))

    return read_tuple


_COMPOSED: Mapping[object, Callable[[tuple[Any, ...]], Reader]] = {
    Annotated: _marked,
    Literal: _choice,
    Union: _union,
    UnionType: _union,
    list: _list,
    dict: _table,
    tuple: _tuple,
}


def bulk_reader_of(kind: Any) -> Bulk | None:
    """Return what reads long lists of numbers, of text, and of short tuples of such at once; None for other types.

    Series have thousands of values, and most are sound: only where one is not, each must be looked at.
    """
    if kind in (int, float):
        return _bulk_numbers(kind, Limits())
    if kind is str:
        return lambda values: list(values) if set(map(type, values)) <= {str} and "".join(values).isascii() else None
    origin, arguments = get_origin(kind), get_args(kind)
    if (
        origin is Annotated
        and arguments[0] in (int, float)
        and len(arguments) == 2
        and isinstance(arguments[1], Limits)
    ):
        return _bulk_numbers(arguments[0], arguments[1])
    if origin in (Union, UnionType) and NoneType in arguments and len(arguments) == 2:
        return _bulk_nullable(bulk_reader_of(next(a for a in arguments if a is not NoneType)))
    if origin is tuple and Ellipsis not in arguments:
        return _bulk_tuples([bulk_reader_of(a) for a in arguments])
    return None


def _bulk_numbers(kind: type, limits: Limits) -> Bulk:
    known = {int} if kind is int else {int, float}

    def read_numbers(values: Sequence[Any]) -> list[Any] | None:
        found = set(map(type, values))
        if not found <= known or (values and not limits.hold(min(values), max(values))):
            return None
        if kind is int:
            return list(values)
        try:
            numbers = list(map(float, values)) if int in found else list(values)
        except OverflowError:
            return None
        return numbers if math.isfinite(sum(numbers)) else None

    return read_numbers


def _bulk_nullable(bulk: Bulk | None) -> Bulk | None:
    if bulk is None:
        return None

    def read_nullable(values: Sequence[Any]) -> list[Any] | None:
        known = [v for v in values if v is not None]
        got = bulk(known)
        if got is None or len(known) == len(values):
            return got
        rest = iter(got)
        return [None if v is None else next(rest) for v in values]

    return read_nullable


def _bulk_tuples(bulks: Sequence[Bulk | None]) -> Bulk | None:
    if None in bulks:
        return None

    def read_tuples(values: Sequence[Any]) -> list[Any] | None:
        if not set(map(type, values)) <= {list, tuple} or not set(map(len, values)) <= {len(bulks)}:
            return None
        columns = [bulk(column) for bulk, column in zip(bulks, zip(*values, strict=True), strict=False) if bulk]
        return None if None in columns else list(zip(*columns, strict=True))

    return read_tuples


class RecordReader:
    """Reads tables into the records of a class.  How its fields are read is looked up when the first is met."""

    def __init__(self, kind: type) -> None:
        self._kind = kind

    def __call__(self, data: object) -> object:
        """Return the record that a table holds; a record is one already.  Raises InvalidError."""
        kind: Any = self._kind
        if isinstance(data, kind):
            return data
        as_now = getattr(kind, "as_now", None)
        if as_now is not None:
            data = as_now(data)
        if not isinstance(data, dict):
            raise _wrong(data, "a table")
        values = self._values(data, self._by_key)
        return getattr(kind, "made_of", kind)(**values)

    @cached_property
    def _fields(self) -> Sequence[tuple[Field[Any], Reader]]:
        hints = get_type_hints(self._kind, include_extras=True)
        return [(f, _field_reader(hints[f.name], f)) for f in fields(self._kind) if f.init]

    @cached_property
    def defaults(self) -> Mapping[str, object]:
        """The values of fields that are not given."""
        return {f.name: f.default for f in fields(self._kind) if f.default is not MISSING}

    @cached_property
    def factories(self) -> Mapping[str, Callable[[], object]]:
        """What makes such a value for each record anew."""
        return {f.name: f.default_factory for f in fields(self._kind) if f.default_factory is not MISSING}

    @cached_property
    def _by_key(self) -> Mapping[str, tuple[str, Reader]]:
        """The name of each field and what reads it, by what it is called in documents."""
        return {key_of(f): (f.name, read) for f, read in self._fields}

    @cached_property
    def _by_name(self) -> Mapping[str, tuple[str, Reader]]:
        """The name of each field and what reads it, by its name."""
        return {f.name: (f.name, read) for f, read in self._fields}

    @cached_property
    def _required(self) -> Sequence[str]:
        return [f.name for f in fields(self._kind) if f.init and not has_default(f)]

    def values_by_name(self, values: Mapping[str, object]) -> dict[str, object]:
        """Return values, given by the names of fields, as they were read.  Raises InvalidError with every fault."""
        return self._values(values, self._by_name) if values or self._required else {}

    def _values(self, data: Mapping[str, object], known: Mapping[str, tuple[str, Reader]]) -> dict[str, object]:
        """Return the values of the fields that data have, by name.  Raises InvalidError with every fault."""
        values: dict[str, object] = {}
        faults: list[Fault] = []
        for key, (name, read) in known.items():
            if key in data:
                try:
                    values[name] = read(data[key])
                except ValueError as error:
                    faults += _inside(key, error)
        if faults or len(values) != len(data) or not values.keys() >= set(self._required):
            faults += [Fault((key,), "unknown", "is not known here") for key in data if key not in known]
            missing = [k for k, (name, _) in known.items() if k not in data and name in self._required]
            faults += [Fault((key,), "missing", "is missing; add it") for key in missing]
        if faults:
            raise InvalidError(faults)
        return values


def _field_reader(kind: object, field: Field[Any]) -> Reader:
    limits = field.metadata.get("limits")
    return reader_of(kind) if limits is None else within(reader_of(kind), limits)
