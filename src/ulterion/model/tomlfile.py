"""Reading a TOML file into a model, with errors that name file, place and remedy."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from dataclasses import fields
from pathlib import Path
from typing import TypeVar, get_args, get_type_hints

from ulterion.core.documents.fields import Hint, key_of
from ulterion.core.documents.values import Fault, InvalidError, Place
from ulterion.core.documents.written import Written
from ulterion.core.errors import UsageError, nearest
from ulterion.core.patterns import pattern
from ulterion.core.renamed import new_name
from ulterion.model.reading import read_text

Model = TypeVar("Model", bound=Written)
MOST = 12  # faults of a file that are named
_UNQUOTABLE = pattern(r'["\\\x00-\x1f\x7f-\x9f\u2028\u2029]')


def read(path: Path, model: type[Model]) -> Model:
    """Read a TOML file into `model`; raise UsageError that names every fault found."""
    return parse(read_text(path), path, model)


def quoted(text: str) -> str:
    """Return text as a TOML basic string (toml.io, 1.0): what may not stand in one is escaped or, being no text, marked."""
    safe = text.encode("utf-8", "replace").decode()
    return '"' + _UNQUOTABLE.sub(lambda m: f"\\u{ord(m[0]):04x}", safe) + '"'


def parse(text: str, path: Path, model: type[Model]) -> Model:
    """Read TOML text into `model`; `path` is for messages only.  Raises UsageError that names every fault, with its line."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"{path}: not valid TOML: {error}; correct that place and try again") from error
    except RecursionError as error:
        raise UsageError(f"{path}: nested too deep; correct that and try again") from error
    except ValueError as error:  # a number of thousands of digits, a date that is none
        raise UsageError(f"{path}: not valid TOML: {str(error)[:80]}; correct that place and try again") from error
    try:
        return model.from_data(data)
    except InvalidError as error:
        raise UsageError(_faults(error, text, path, model)) from error
    except RecursionError as error:
        raise UsageError(f"{path}: nested too deep; correct that and try again") from error


def _faults(error: InvalidError, text: str, path: Path, model: type[Written]) -> str:
    """Return every fault in a sentence of its own, in the order of their lines."""
    unknown_at = {f.place[:-1] for f in error.faults if f.kind == "unknown"}
    # a misspelt key also shows up as a missing one, which would mislead
    told = [f for f in error.faults if not (f.kind == "missing" and f.place[:-1] in unknown_at)]
    faults = [(_line_of(text, f.place) or 0, where(text, f.place), _reason(f, model)) for f in told]
    return joined_faults(path, [(where, why) for _, where, why in sorted(faults)])


def joined_faults(path: Path, faults: Sequence[tuple[str, str]]) -> str:
    """Return faults of a file, each given as (where, why), in one line."""
    told = [f"{where}: {why}" if where else why for where, why in dict.fromkeys(faults)]
    more = [f"and {len(told) - MOST} more"] if len(told) > MOST else []
    return f"{path}{', ' if faults[0][0] else ': '}{'; '.join([*told[:MOST], *more])}"


def where(text: str, place: Place) -> str:
    """Return 'line N, a.b.c' for a dotted place; without a line when it cannot be found."""
    line = _line_of(text, place)
    return ", ".join(p for p in (f"line {line}" if line else "", ".".join(str(p) for p in place)) if p)


def _reason(fault: Fault, model: type[Written]) -> str:
    if fault.kind != "unknown":
        return fault.why
    key, known = str(fault.place[-1]), _keys_at(model, fault.place[:-1])
    now = new_name(key)
    if now in known:
        return f"is called '{now}' now; rename it"
    near = nearest(key, known)
    return "unknown key; " + (f"did you mean '{near}'?" if near else f"known here: {', '.join(sorted(known))}")


def _keys_at(model: type[Written], place: Place) -> list[str]:
    """Return the keys that are known at a place of the model."""
    current: Hint = model
    for step in place:
        if _is_record(current):
            hints = get_type_hints(current)
            current = next((hints[f.name] for f in fields(current) if key_of(f) == step), None)
        else:  # a table of tables, or a list: the step is its key or index
            current = _record_in(current)
    current = current if _is_record(current) else _record_in(current)  # one that may be left out
    return [] if current is None else [key_of(f) for f in fields(current)]


def _record_in(kind: object) -> Hint:
    return next((a for a in get_args(kind) if _is_record(a)), None)


def _is_record(kind: object) -> bool:
    return isinstance(kind, type) and issubclass(kind, Written)


def place_in(text: str, path: Path, place: Place) -> str:
    """Return 'FILE, line N, a.b.c' for a dotted place; without a line when it cannot be found."""
    return ", ".join(p for p in (str(path), where(text, place)) if p)


def _line_of(text: str, place: Place) -> int | None:
    """Return the line (from 1) of the deepest part of a place that can be found in TOML text."""
    names = [new_name(p) or p for p in place if isinstance(p, str)]
    table: list[str] = []
    best, depth = None, 0
    for number, line in enumerate(text.splitlines(), 1):
        header = re.fullmatch(r"\s*\[\[?(.+?)\]\]?\s*(?:#.*)?", line)
        key = re.match(r"\s*([\w\"':.-]+?)\s*=", line)
        if header:
            table = _split_key(header[1])
            here = table
        elif key:
            here = table + _split_key(key[1])
        else:
            continue
        shared = min(len(here), len(names)) if here[: len(names)] == names[: len(here)] else 0
        if shared > depth:
            best, depth = number, shared
    return best


def _split_key(key: str) -> list[str]:
    """Return the parts of a dotted key, those of an older version as they are called now."""
    parts = [a or b or c for a, b, c in re.findall(r"\"([^\"]*)\"|'([^']*)'|([^.\s\"']+)", key)]
    return [new_name(p) or p for p in parts]
