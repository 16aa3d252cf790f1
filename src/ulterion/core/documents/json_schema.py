"""JSON Schema (draft 2020-12) of records, made from the types of their fields."""

from __future__ import annotations

import datetime
import inspect
from collections.abc import Iterable, Mapping
from dataclasses import MISSING, Field, fields, is_dataclass
from types import NoneType, UnionType
from typing import Annotated, Literal, Union, get_args, get_origin, get_type_hints

from ulterion.core.documents.fields import Hint, Limits, ToldBy, has_default, key_of
from ulterion.core.documents.plain import Plain, plain

Schema = Plain

DIALECT = "https://json-schema.org/draft/2020-12/schema"
_SIMPLE: Mapping[object, Schema] = {
    str: {"type": "string"},
    int: {"type": "integer"},
    float: {"type": "number"},
    bool: {"type": "boolean"},
    NoneType: {"type": "null"},
    None: {"type": "null"},
    datetime.datetime: {"type": "string", "format": "date-time"},
    datetime.date: {"type": "string", "format": "date"},
    object: {},
    Hint: {},  # anything
}
_WORDS = {
    "ge": "minimum",
    "gt": "exclusiveMinimum",
    "le": "maximum",
    "lt": "exclusiveMaximum",
    "min_length": "minLength",
    "pattern": "pattern",
}


def json_schema(kind: Hint, *, whole: bool = False) -> Schema:
    """Return the schema of a type as JSON, with its records under `$defs`.

    Args:
        kind: a record, or a union of such.
        whole: whether every field is present, as in answers; otherwise fields with a default may be missing.
    """
    maker = _Maker(whole=whole)
    schema = maker.of(kind)
    if "$ref" in schema and not isinstance(kind, UnionType):
        schema = maker.records.pop(kind.__name__) if not maker.refers_to(kind) else schema
    return schema | ({"$defs": dict(sorted(maker.records.items()))} if maker.records else {})


class _Maker:
    """Builds the schema of a type, and collects the schemas of its records."""

    def __init__(self, *, whole: bool) -> None:
        self._whole = whole
        self.records: dict[str, Schema] = {}

    def refers_to(self, kind: type) -> bool:
        """Return whether a collected record refers to this one."""
        return f"'#/$defs/{kind.__name__}'" in str(self.records)

    def of(self, kind: Hint) -> Schema:
        """Return the schema of a type.  Raises TypeError for a type that cannot be in a document."""
        if kind in _SIMPLE:
            return dict(_SIMPLE[kind])
        if isinstance(kind, type) and (issubclass(kind, str) or hasattr(kind, "to_document")):
            return {"type": "string"}
        if is_dataclass(kind) and isinstance(kind, type):
            return self._record(kind)
        if isinstance(kind, type) and hasattr(kind, "_fields"):  # a named tuple
            return self._tuple(get_type_hints(kind, include_extras=True).values())
        origin: Hint = get_origin(kind)
        arguments = get_args(kind)
        if origin is Annotated:
            kinds = [k for m in arguments[1:] if isinstance(m, ToldBy) for k in m.kinds]
            schema = self._any_of(kinds) if kinds else self.of(arguments[0])
            return self._marked(schema, [m for m in arguments[1:] if isinstance(m, Limits)])
        if origin is Literal:
            return {"enum": list(arguments)}
        if origin in (Union, UnionType):
            return self._any_of(arguments)
        if origin is tuple and Ellipsis not in arguments:
            return self._tuple(arguments)
        if origin in (list, tuple):
            return {"type": "array", "items": self.of(arguments[0])}
        if origin in (dict, Mapping):
            return {"type": "object", "additionalProperties": self.of(arguments[1])}
        raise TypeError(f"no document can hold {kind}")

    def _tuple(self, kinds: Iterable[Hint]) -> Schema:
        items = [self.of(kind) for kind in kinds]
        return {"type": "array", "prefixItems": items, "items": False, "minItems": len(items)}

    def _any_of(self, kinds: Iterable[Hint]) -> Schema:
        return {"anyOf": [self.of(kind) for kind in kinds]}

    def _record(self, kind: type) -> Schema:
        name = kind.__name__
        if name not in self.records:
            self.records[name] = {}  # it may hold itself
            hints = get_type_hints(kind, include_extras=True)
            told = fields(kind)
            optional = [f for f in told if f.metadata.get("optional") or (not self._whole and has_default(f))]
            self.records[name] = {
                "type": "object",
                "description": inspect.getdoc(kind) or "",
                "properties": {key_of(f): self._field(hints[f.name], f) for f in told},
                "required": [key_of(f) for f in told if f not in optional],
                "additionalProperties": False,
            }
        return {"$ref": f"#/$defs/{name}"}

    def _field(self, kind: object, field: Field[object]) -> Schema:
        limits = field.metadata.get("limits")
        schema = self._marked(self.of(kind), [limits] if limits else [])
        if field.metadata.get("description"):
            schema["description"] = field.metadata["description"]
        if field.default is not MISSING and not self._whole:
            schema["default"] = plain(field.default)
        return schema

    @staticmethod
    def _marked(schema: Schema, marks: list[Limits]) -> Schema:
        """Return a schema with limits added.  A null satisfies all of them, as JSON Schema has it."""
        for limits in marks:
            told = {word: getattr(limits, name) for name, word in _WORDS.items() if getattr(limits, name)}
            told |= {word: 0 for name, word in _WORDS.items() if getattr(limits, name) == 0 and name in ("ge", "gt")}
            if "minLength" in told and schema.get("type") == "array":
                told["minItems"] = told.pop("minLength")
            schema = schema | told
        return schema
