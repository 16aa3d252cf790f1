"""Setups made from a reviewer's label and what is plugged in, as tables of review.toml."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Mapping
from dataclasses import replace
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.facts.target import TargetFacts
from ulterion.core.links.standards import known_link
from ulterion.core.records import dataclass
from ulterion.model.review import PEER, Review
from ulterion.model.review_editing import Tables, Value
from ulterion.model.store import ReviewFolder
from ulterion.run.place import NET, SIM

MAX_LABEL, MAX_KEY = 80, 40  # characters
BY_HAND = "by-hand"  # key of the medium of transfers that a hand timed, where none is named


def checked_label(text: str) -> str:
    """Return a label with its spaces tidied; raise UsageError where nothing is left of it."""
    label = " ".join(text.split())
    if not label or not any(c.isalnum() for c in label):
        raise UsageError("a label is a word or a few, such as 'front port'")
    if len(label) > MAX_LABEL:
        raise UsageError(f"'{label[:30]}...' is too long for a label; at most {MAX_LABEL} characters")
    return label


def key_of(label: str, taken: Collection[str] = ()) -> str:
    """Return a key made from a label, as file names and TOML bear it, that is not taken: 'Front port' gives 'front-port'."""
    plain = unicodedata.normalize("NFKD", label.casefold()).encode("ascii", "ignore").decode()
    key = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:MAX_KEY].strip("-") or "setup"
    free, number = key, 2
    while free in taken:
        free, number = f"{key}-{number}", number + 1
    return free


def named_setup(folder: ReviewFolder, label: str, target: str, start: Path, *, medium: str | None = None) -> str:
    """Return the setup of a label and a target; a new one is made from what is plugged in, and added to the review.

    `target` is a folder, a file, a device or 'net:HOST', seen from the folder `start`; `medium` the key of the drive where that is known
    already, whatever a box around it shows.  Raises UsageError.
    """
    label = checked_label(label)
    if target.startswith(SIM):
        raise UsageError(
            f"{target} has setups of its own: name one with --setup instead of --as (ulterion measure --setup NAME)"
        )
    if target.startswith(NET):
        return _taken_up(folder, label, _Seen(_peer_key(folder.review, target), _peer(target)), target)
    path = start / Path(target).expanduser()
    if not path.exists():
        raise UsageError(f"{target} is not there; mount the drive, or check the name")
    from ulterion.host.here import facts_of, facts_of_device

    facts = facts_of_device(path, path.resolve().name) if path.is_block_device() else facts_of(path)
    seen = _seen(folder.review, facts)
    if medium is not None:
        seen = replace(seen, medium=medium, part=None)
    return _taken_up(folder, label, seen, str(path.resolve()))


def setup_of_facts(folder: ReviewFolder, name: str, facts: TargetFacts) -> str:
    """Return the setup of a name or label for an earlier run; a new one is made from what the run recorded.  Raises UsageError."""
    review = folder.review
    if name in review.setups:
        return name
    if facts.kind == "simulated":
        return review.setup_called(name)
    label = checked_label(name)
    if facts.network is not None:
        peer = f"{NET}{facts.network.there.host or facts.path.removeprefix(NET)}"
        return _taken_up(folder, label, _Seen(_peer_key(review, peer), _peer(peer)), peer)
    return _taken_up(folder, label, _seen(review, facts), facts.path)


def setup_by_hand(folder: ReviewFolder, label: str, medium: str | None = None) -> str:
    """Return the setup of a label for what no program sees; one that is new is taken up by the review.

    `medium` is a part that holds the data; without one the things that were timed share a medium that is not named.
    """
    label = checked_label(label)
    known = _labelled(folder.review, label)
    if known:
        return known[0]
    review = folder.review
    tables: Tables = {}
    part = _part_called(review, label)
    if part is None:
        part = key_of(label, [*review.ports, *review.parts])
        tables["parts", part] = {"name": label, "kind": "device"}
    holds = medium or BY_HAND
    if holds not in review.parts:
        tables["parts", holds] = {"name": "what was copied", "kind": "files"}
    key = key_of(label, review.setups)
    tables["setups", key] = {"label": label, "chain": [part, holds] if part != holds else [part]}
    folder.take_up(tables)
    return key


@dataclass(frozen=True)
class _Seen:
    """What is plugged in: the medium's key, its table if it is new, the port, and what a setup of it expects."""

    medium: str
    part: Mapping[str, Value] | None = None
    port: str | None = None
    port_link: str | None = None
    expect: Mapping[str, str] | None = None


def expected_facts(facts: TargetFacts) -> dict[str, str]:
    """Return what a setup should expect, from what is plugged in now: serial, port, link and driver, where known."""
    link = known_link(facts.link)
    known = {"serial": facts.serial, "port": facts.port, "link": link.name if link else None, "driver": facts.driver}
    return {k: v for k, v in known.items() if v}


def drive_tables(review: Review, facts: TargetFacts) -> tuple[str, str | None, Tables]:
    """Return the keys of medium and port (None: not shown) of what is plugged in, and their tables where the review lacks them."""
    seen = _seen(review, facts)
    return seen.medium, seen.port, _new_tables(review, seen)


def _new_tables(review: Review, seen: _Seen) -> Tables:
    """Return the tables of port and medium that the review lacks."""
    tables: Tables = {}
    if seen.port is not None and seen.port not in review.ports:
        tables["ports", seen.port] = {"link": seen.port_link or "unknown"}
    if seen.part is not None and seen.medium not in review.parts:
        tables["parts", seen.medium] = dict(seen.part)
    return tables


def _seen(review: Review, facts: TargetFacts) -> _Seen:
    expect = expected_facts(facts)
    medium, part = _medium(review, facts)
    port, link = _port(review, facts)
    return _Seen(medium, part, port, link, expect)


def _medium(review: Review, facts: TargetFacts) -> tuple[str, dict[str, Value] | None]:
    """Return the key of the drive that is plugged in, and its table where the review does not know it."""
    name = facts.model or facts.device or facts.filesystem or "drive"
    if facts.serial is not None:
        for setup in review.setups.values():
            if setup.expect is not None and setup.expect.serial == facts.serial:
                return setup.medium, None
    media = {setup.medium for setup in review.setups.values()}
    serials = {s.medium: s.expect.serial for s in review.setups.values() if s.expect is not None and s.expect.serial}
    for key, known in review.parts.items():
        same = known.name.casefold() == name.casefold() or (
            facts.model and facts.model.casefold() in known.name.casefold()
        )
        if same and (key not in media or key not in serials):
            return key, None
    key = key_of(name, [*review.ports, *review.parts])
    return key, {"name": name, "kind": "drive"}


def _port(review: Review, facts: TargetFacts) -> tuple[str | None, str | None]:
    """Return the key of the port, and its fastest link where the port is new to the review."""
    if facts.port is None:
        return None, None
    for setup in review.setups.values():
        if setup.expect is not None and setup.expect.port == facts.port and setup.chain[0] in review.ports:
            return setup.chain[0], None
    able = next((s.port_capable for s in reversed(facts.steps) if s.port_capable is not None), None)
    return facts.port, able.name if able is not None else "unknown"


def _peer_key(review: Review, target: str) -> str:
    same = next((s.medium for s in review.setups.values() if s.target == target), None)
    return same or key_of(target.removeprefix(NET), [*review.ports, *review.parts])


def _peer(target: str) -> dict[str, Value]:
    return {"name": target.removeprefix(NET), "kind": PEER}


def _labelled(review: Review, label: str) -> list[str]:
    """Return the setups of a label, or of that name."""
    return [k for k, s in review.setups.items() if label.casefold() in (s.label.casefold(), k.casefold())]


def _part_called(review: Review, label: str) -> str | None:
    """Return the part that a label is the name or the key of, or None."""
    called = (k for k, p in review.parts.items() if label.casefold() in (k.casefold(), p.name.casefold()))
    return next(called, None)


def _taken_up(folder: ReviewFolder, label: str, seen: _Seen, target: str) -> str:
    """Return the setup of a label on a medium, which the review takes up where it has none."""
    review = folder.review
    for key in _labelled(review, label):
        if review.setups[key].medium == seen.medium:
            return key
    tables = _new_tables(review, seen)
    through = _part_called(review, label)
    between = [through] if through is not None and through != seen.medium else []
    key = key_of(label, review.setups)
    chain = [*([seen.port] if seen.port else []), *between, seen.medium]
    tables["setups", key] = {"label": label, "chain": chain, "target": target}
    if seen.expect:
        tables["setups", key]["expect"] = dict(seen.expect)
    folder.take_up(tables)
    return key
