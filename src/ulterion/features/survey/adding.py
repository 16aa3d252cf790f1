"""What `ulterion add` writes: tables of review.toml from words on a command line, or asked for one at a time."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from pathlib import Path

from ulterion.core.errors import UsageError, unknown
from ulterion.core.facts.devices import Drive, as_target
from ulterion.core.records import dataclass
from ulterion.model.claims import CLAIMS
from ulterion.model.reading import read_text
from ulterion.model.review import Review, parse_review
from ulterion.model.review_editing import Tables, Value, with_tables
from ulterion.run.naming import drive_tables, expected_facts

Ask = Callable[[str], str | None]
"""Asks for a line of text; None where nobody can be asked."""


@dataclass(frozen=True)
class Wanted:
    """One value of a table: its key, the question that asks for it, and whether it is needed."""

    key: str
    question: str
    needed: bool = False


PART = (
    Wanted("name", "name, maker and product as readers know it", needed=True),
    Wanted("kind", "kind: drive, card, enclosure, reader, hub, adapter, cable, ...", needed=True),
    Wanted("link", "its link towards the host, such as 'USB 10 Gb/s' (Enter: unknown)"),
    Wanted("claims", "what the box claims, such as 'read 1050 MB/s, write 1000 MB/s' (Enter: nothing)"),
    Wanted("price", "price, such as '34 EUR' (Enter: unknown)"),
)
PORT = (Wanted("link", "its link, such as 'USB 10 Gb/s' (Enter: unknown)"),)
SETUP = (
    Wanted("chain", "chain, port first and drive last, such as 'left > pod > reed'", needed=True),
    Wanted("target", "the folder where the drive is mounted (Enter: you name it when you measure)"),
)
ASKED = {"part": PART, "port": PORT, "setup": SETUP}


def claims_of(text: str) -> dict[str, str]:
    """Read claims: 'read 1050 MB/s, random write 400000 IOPS'; raise UsageError."""
    claims: dict[str, str] = {}
    names = sorted((c.replace("_", " ") for c in CLAIMS), key=len, reverse=True)
    for one in filter(None, (part.strip() for part in text.split(","))):
        name = next((n for n in names if one.casefold().startswith(f"{n} ")), None)
        if name is None:
            raise UsageError(
                f"'{one}': {unknown('claim', one.split()[0], names)}; write 'read 1050 MB/s, write 1000 MB/s'"
            )
        claims[name.replace(" ", "_")] = one[len(name) :].strip()
    if not claims:
        raise UsageError("no claim; write 'read 1050 MB/s, write 1000 MB/s'")
    return claims


def chain_of(text: str, review: Review) -> list[str]:
    """Read a chain: 'left > pod > reed', each a key or a name of the review; raise UsageError."""
    by_name = {p.name.casefold(): k for k, p in review.parts.items()}
    keys = [word for part in re.split(r"\s*(?:>|->|,)\s*", text.strip()) if (word := part.strip())]
    return [k if k in review.parts or k in review.ports else by_name.get(k.casefold(), k) for k in keys]


def values_of(what: str, given: dict[str, str], review: Review) -> dict[str, Value]:
    """Return the values of a table from the words given, by key; raise UsageError."""
    values: dict[str, Value] = {}
    for key, text in given.items():
        if key == "claims":
            values[key] = claims_of(text)
        elif key == "chain":
            values[key] = chain_of(text, review)
        else:
            values[key] = text
    if what == "port":
        values.setdefault("link", "unknown")
    return values


def asked_for(
    path: Path, what: str, key: str, given: dict[str, str], *, ask: Ask, tell: Callable[[str], None]
) -> dict[str, str]:
    """Return the words given, and the answers to what was missing; a wrong answer is asked for again."""
    review = parse_review(read_text(path), path)
    answers = dict(given)
    for wanted in ASKED[what]:
        known = f"; here: {', '.join([*review.ports, *review.parts])}" if wanted.key == "chain" else ""
        while wanted.key not in answers:
            answer = ask(f"{wanted.question}{known}")
            if answer is None or (not answer and not wanted.needed):
                break
            if not answer:
                continue
            try:
                tried = values_of(what, {wanted.key: answer}, review)
                _check_alone(path, what, key, tried)
                answers[wanted.key] = answer
            except UsageError as error:
                tell(_short(str(error)))
    return answers


def _check_alone(path: Path, what: str, key: str, values: dict[str, Value]) -> None:
    """Check one entry of a table by reading a table that holds it and what else must be there; raise UsageError."""
    needed: dict[str, Value] = {"name": "x", "kind": "x"} if what == "part" else {}
    if what == "setup" and "chain" not in values:
        return
    parse_review(with_tables(read_text(path), {(f"{what}s", key): {**needed, **values}}), path)


def _short(words: str) -> str:
    """Return an error without the place in a file that the reviewer never saw."""
    return re.sub(r"^.*?, line \d+, ", "", words)


def checked(path: Path, tables: Tables) -> Tables:
    """Return tables that can be added to a review.toml; raise UsageError for one that is there already, or cannot be read."""
    review = parse_review(read_text(path), path)
    there: dict[str, Iterable[str]] = {"ports": review.ports, "parts": review.parts, "setups": review.setups}
    for kind, key in tables:
        if key in there[kind]:
            raise UsageError(f"{path} has a {kind[:-1]} '{key}' already; choose another name, or edit it there")
    try:
        parse_review(with_tables(read_text(path), tables), path)
    except UsageError as error:
        raise UsageError(_short(str(error))) from error
    return tables


def setup_from(review: Review, key: str, drive: Drive, label: str, through: list[str]) -> Tables:
    """Return the tables of a setup of what is plugged in: chain and expectation from the survey, parts and port where they are new."""
    facts = as_target(drive, drive.name, "device", drive.name)
    medium, port, tables = drive_tables(review, facts)
    mounted = next((v.mounted for v in drive.volumes if v.mounted), None)
    values: dict[str, Value] = {"chain": [*([port] if port else []), *through, medium]}
    if label:
        values["label"] = label
    if mounted is not None:
        values["target"] = mounted
    expect = expected_facts(facts)
    if expect:
        values["expect"] = expect
    return {**tables, ("setups", key): values}
