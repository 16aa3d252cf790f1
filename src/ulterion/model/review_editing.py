"""Writing into review.toml without touching what the reviewer wrote: new tables at the end, new keys in a table that is there."""

from __future__ import annotations

import codecs
import re
import tomllib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.core.errors import UsageError, unknown
from ulterion.core.patterns import pattern
from ulterion.core.renamed import REVIEW_KEYS
from ulterion.model import tomlfile
from ulterion.model.aside import RUNS
from ulterion.model.files import locked, replace_in_place
from ulterion.model.reading import MAX_TEXT_BYTES, as_text, read_bytes
from ulterion.model.review import parse_review

if TYPE_CHECKING:
    from tomlkit import TOMLDocument
    from tomlkit.items import Item

Value = str | bool | list[str] | Mapping[str, str]
Tables = dict[tuple[str, str], dict[str, Value]]
"""Tables to write, by kind and key, such as ('parts', 'pod'): what stands in each; a value that is a mapping is a table of its own."""
_BARE = pattern(r"[A-Za-z0-9_-]+")


def tables_text(tables: Tables) -> str:
    """Return tables as TOML."""
    return "\n".join(_table_text(kind, key, values) for (kind, key), values in tables.items())


def _table_text(kind: str, key: str, values: Mapping[str, Value]) -> str:
    head = f"{kind}.{key if _BARE.fullmatch(key) else tomlfile.quoted(key)}"
    own = [f"{k} = {_value_text(v)}" for k, v in values.items() if not isinstance(v, Mapping)]
    below = [
        "\n".join([f"[{head}.{k}]", *(f"{n} = {_value_text(each)}" for n, each in v.items())])
        for k, v in values.items()
        if isinstance(v, Mapping) and v
    ]
    return "\n".join(["\n".join([f"[{head}]", *own]), *below]) + "\n"


def _value_text(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list):
        return f"[{', '.join(map(tomlfile.quoted, value))}]"
    assert isinstance(value, str)
    return tomlfile.quoted(value)


def with_tables(text: str, tables: Tables) -> str:
    """Return the text of a review.toml with new tables at its end, in the words of its schema."""
    first = text.rstrip()
    return f"{first}{chr(10) * 2 if first else ''}{tables_text(_as_it_calls_them(text, tables))}"


def _as_it_calls_them(text: str, tables: Tables) -> Tables:
    """Return tables as a file of schema 1 calls them, where the text is one: there a setup was a hookup, and a baseline direct."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return tables
    if data.get("schema", 1 if "hookups" in data else 2) != 1:
        return tables
    old = {now: before for before, now in REVIEW_KEYS.items()}
    return {
        (old.get(kind, kind), key): {old.get(k, k): v for k, v in values.items()}
        for (kind, key), values in tables.items()
    }


def add_tables(path: Path, tables: Tables) -> None:
    """Write new tables at the end of a review.toml; all else stays as it is.  Raises UsageError, and then nothing is written."""
    if tables:
        change_review(path, lambda text: with_tables(text, tables))


def change_review(path: Path, change: Callable[[str], str], *, write: bool = True) -> None:
    """Write a review.toml with its text changed, if it can be read afterwards; line ends stay.  Raises UsageError.

    Without `write` it is only looked whether it could be.
    """
    with locked(path.parent / RUNS, must=False):
        before = read_bytes(path, MAX_TEXT_BYTES)
        text = as_text(before, path)
        windows = "\r\n" in text and not re.search(r"(?<!\r)\n", text)
        written = change(text.replace("\r\n", "\n") if windows else text)
        parse_review(written, path)
        if not write:
            return
        mark = codecs.BOM_UTF8 if before.startswith(codecs.BOM_UTF8) else b""
        after = mark + (written.replace("\n", "\r\n") if windows else written).encode()
        if read_bytes(path, MAX_TEXT_BYTES) != before:
            raise UsageError(f"{path} was changed by another program just now; nothing was written, try again")
        replace_in_place(path, after)


def change_document(path: Path, change: Callable[[TOMLDocument], None], *, write: bool = True) -> None:
    """Change the tables of a review.toml in place, comments and order kept; raise UsageError."""
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    def changed(text: str) -> str:
        try:
            document = tomlkit.parse(text)
            change(document)
            return tomlkit.dumps(document)
        except TOMLKitError as error:
            raise UsageError(f"{path} cannot be changed: {error}; write it by hand") from error

    change_review(path, changed, write=write)


def setup_expects(document: TOMLDocument, path: Path, setup: str, facts: Mapping[str, str]) -> None:
    """Let a setup of a review.toml expect these facts; raise UsageError where it is not written there."""
    setups = document.get("setups") or document.get("hookups", {})  # as schema 1 called them
    table = setups.get(setup)
    if table is None and "plan" in document:
        raise UsageError(
            f"{path}: the setup '{setup}' is not written there; where the plan makes it, add what it expects under [plan.expect.LEVEL]"
        )
    if table is None:
        raise UsageError(f"{path}: {unknown('setup', setup, setups)}")
    table["expect"] = _as_table(facts)


def add_claims(path: Path, kind: str, key: str, claims: Mapping[str, str], *, write: bool = True) -> None:
    """Write claims of a part or port (`kind` 'parts' or 'ports') into its table; raise UsageError for one that is there already.

    Without `write` it is only looked whether they could be.
    """

    def changed(document: TOMLDocument) -> None:
        import tomlkit

        tables = document.get(kind, {})
        table = tables.get(key)
        if table is None:
            raise UsageError(f"{path}: {unknown(kind[:-1], key, tables)}")
        if "claims" not in table:
            table["claims"] = tomlkit.table()
        for name, value in claims.items():
            if name in table["claims"]:
                raise UsageError(f"{path}: {kind}.{key} claims {name} {table['claims'][name]} already; change it there")
            table["claims"][name] = value

    change_document(path, changed, write=write)


def _as_table(values: Mapping[str, str]) -> Item:
    import tomlkit

    table = tomlkit.table()
    for key, value in values.items():
        table.add(key, tomlkit.string(value.encode("utf-8", "replace").decode()))
    return table
