"""The base of records that are read from documents: fixed once read, unknown keys refused."""

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
    """A record whose values are checked by the types of their fields, whoever gives them.  A class made of it is a data class.

    A class may have `as_now`, which takes plain data of an older version, or in another form, and returns them as they are written now.

    Attributes:
        tells_given: whether its records keep in `given` which of their fields were given, not left to their default.
    """

    tells_given: ClassVar[bool] = False
    given: frozenset[str]
    record_reader: ClassVar[RecordReader]
    __dataclass_fields__: ClassVar[dict[str, dataclasses.Field[object]]]

    def __init_subclass__(cls) -> None:
        """Make the class a data class.  Each record has a list, or a table, of its own for a default."""
        for name in get_annotations(cls):
            if isinstance(cls.__dict__.get(name), list | dict):
                setattr(cls, name, Field(default=cls.__dict__[name]))
        dataclass(cls, frozen=True, kw_only=True, init=False)
        cls.record_reader = RecordReader(cls)

    def __init__(self, **values: object) -> None:
        """Make a record of values by the names of its fields.  Raises InvalidError."""
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
        """Look at the values together.  Raises ValueError; the base has nothing to say."""

    @classmethod
    def of_values(cls, values: Mapping[str, object]) -> Self:
        """Return a record of values that were read.  Raises ValueError as `check_whole` does."""
        record = cls.__new__(cls)
        record._fill(values)
        return record

    @classmethod
    def made_of(cls, **values: object) -> Self:
        """Return a record of values as they are held, in base units; their types are not looked at.  Raises ValueError as `check_whole` does."""
        return cls.of_values(values)

    @classmethod
    def from_data(cls, data: object) -> Self:
        """Return the record that plain data hold.  Raises InvalidError with every fault."""
        try:
            return cast(Self, cls.record_reader(data))
        except InvalidError:
            raise
        except ValueError as error:
            raise InvalidError([Fault((), "wrong", str(error))]) from error

    def changed(self, **values: object) -> Self:
        """Return a copy with other values, which are taken as they are.  Raises AttributeError for a name that is not a field."""
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
