"""The base class of records read from documents: immutable, with unknown keys refused."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from inspect import get_annotations
from typing import ClassVar, Self, cast, dataclass_transform

from ulterion.core.documents.fields import Field
from ulterion.core.documents.reading import RecordReader
from ulterion.core.documents.values import Fault, InvalidError
from ulterion.core.records import dataclass


@dataclass_transform(kw_only_default=True, frozen_default=True, field_specifiers=(Field,))
class Written:
    """A record whose values are checked against the types of their fields.  Subclasses become data classes.

    A subclass may define `as_now`, a class method that converts plain data from an older version, or another form, to the current one.

    Attributes:
        tells_given: whether records keep in `given` the names of the fields that were set explicitly.
    """

    tells_given: ClassVar[bool] = False
    given: frozenset[str]
    record_reader: ClassVar[RecordReader]
    __dataclass_fields__: ClassVar[dict[str, dataclasses.Field[object]]]

    def __init_subclass__(cls) -> None:
        """Make the subclass a data class.  Each record gets its own copy of a default list or dict."""
        for name in get_annotations(cls):
            if isinstance(cls.__dict__.get(name), list | dict):
                setattr(cls, name, Field(default=cls.__dict__[name]))
        dataclass(cls, frozen=True, kw_only=True, init=False)
        cls.record_reader = RecordReader(cls)

    def __init__(self, **values: object) -> None:
        """Make a record from values by field name, and check them.  Raises InvalidError."""
        self._fill(self.record_reader.values_by_name(values))

    def _fill(self, values: Mapping[str, object]) -> None:
        own = self.__dict__
        own |= self.record_reader.defaults
        for name, make in self.record_reader.factories.items():
            if name not in values:
                own[name] = make()
        own |= values
        if self.tells_given:
            own["given"] = frozenset(values)
        self.check_whole()

    def check_whole(self) -> None:
        """Check the values against one another; subclasses override this.  Raises ValueError."""

    @classmethod
    def of_values(cls, values: Mapping[str, object]) -> Self:
        """Return a record of values that have been read already.  Raises ValueError from `check_whole`."""
        record = cls.__new__(cls)
        record._fill(values)
        return record

    @classmethod
    def made_of(cls, **values: object) -> Self:
        """Return a record of values in base units, without checking their types.  Raises ValueError from `check_whole`."""
        return cls.of_values(values)

    @classmethod
    def from_data(cls, data: object) -> Self:
        """Read a record from plain data.  Raises InvalidError with every fault."""
        try:
            return cast(Self, cls.record_reader(data))
        except InvalidError:
            raise
        except ValueError as error:
            raise InvalidError([Fault((), "wrong", str(error))]) from error

    def changed(self, **values: object) -> Self:
        """Return a copy with some values changed, unchecked.  Raises AttributeError for a name that is not a field."""
        strange = values.keys() - self.__dataclass_fields__.keys()
        if strange:
            raise AttributeError(f"{type(self).__name__} has no field {', '.join(sorted(strange))}")
        record = type(self).__new__(type(self))
        record.__dict__.update(self.__dict__)
        for name in self.record_reader.derived:
            record.__dict__.pop(name, None)
        record.__dict__.update(values)
        if self.tells_given:
            record.__dict__["given"] = self.given | values.keys()
        return record
