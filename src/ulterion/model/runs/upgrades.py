"""From every older version of the run document to the present one, a step each, on the raw data.

Versions, newest first.  Every version loads for ever.

    7   2026  a share of writes in the words of a workload is closed up: '30% writes'
    6   2026  a workload has the fields of its kind only: of a drive, or of a network
    5   2026  plain names: `setup`, `workers`, workloads and suites as they are called now
    4   2026  a note of its own kind excludes a run; before, a remark that said so did.  What was unexpected or unequal has fields
    3   2026  a header and a union by kind: a soak has no suite, workloads, passes or seconds of its own
    2   2026  soaks (`soak`), readings with their moment and hand, outcomes and remarks (`notes`)
    1   2026  the first
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, cast

from ulterion.core.patterns import pattern
from ulterion.core.renamed import SUITES, WORKLOADS
from ulterion.model.runs.header import NAME, VERSION

Raw = dict[str, Any]


def _to_two(data: Raw) -> Raw:
    """Version 2 only adds: what a run of version 1 did not have stays missing."""
    return data


def _to_three(data: Raw) -> Raw:
    """A soak loses what only a measurement has; a measurement loses a `soak` that is null."""
    if data.get("kind") != "soak":
        return data if data.get("soak") is not None else {k: v for k, v in data.items() if k != "soak"}
    settings = data.get("settings")
    if isinstance(settings, dict):
        settings = {k: v for k, v in settings.items() if k in ("span_bytes", "seed")}
    return {k: v for k, v in data.items() if k not in ("suite", "workloads")} | {"settings": settings}


_UNEQUAL, _UNEXPECTED = "not alike: ", "not as the setup expects, and accepted: "
_EXCLUDES = pattern(r"does not count(?:\s*[:;,.–-]\s*(.*))?", re.IGNORECASE | re.DOTALL)


def _to_four(data: Raw) -> Raw:
    """A remark that was, as a whole, 'does not count' or 'does not count: WHY' excluded the run; two kinds of warning were known by their first words."""
    notes, warnings = data.get("notes"), data.get("warnings")
    if isinstance(notes, list):
        data = data | {"notes": [_excluding(n) for n in notes]}
    if isinstance(warnings, list):
        told = [w for w in warnings if isinstance(w, str)]
        unequal = [w.removeprefix(_UNEQUAL) for w in told if w.startswith(_UNEQUAL)]
        data = data | {"unequal": unequal, "unexpected": [w for w in told if w.startswith(_UNEXPECTED)]}
    return data


def _excluding(note: object) -> object:
    text = note.get("text") if isinstance(note, dict) and note.get("kind") == "remark" else None
    match = _EXCLUDES.fullmatch(text) if isinstance(text, str) else None
    if match is None or not isinstance(note, dict):
        return note
    return note | {"kind": "excluded", "text": (match[1] or "").strip() or "no reason given"}


RENAMED: dict[str, dict[str, str]] = {
    "": {"hookup": "setup"},
    "settings": {"lanes": "workers", "sure_within": "relative_half_width", "most_passes": "max_passes"},
    "before": {"laid_bytes": "prefilled_bytes"},
    "workloads.workload": {"company": "concurrent_targets"},
    "workloads.passes": {"lanes": "workers"},
    "soak.workload": {"company": "concurrent_targets"},
    "copied": {"from_hookup": "from_setup", "way": "method"},
    "copied.passes": {"left_out": "skipped", "left_out_count": "skipped_count"},
    "capacity": {"way": "method", "words": "summary"},
    "clock.timings": {"hand": "reaction_seconds"},
}
"""What fields of version 4 and before are called now, by where they stand."""
LINES = {"pass": "workloads.passes", "copied": "copied.passes", "capacity": "capacity"}
"""Which records of a document the lines of a journal hold, by their key."""
_NAMED = {"workloads.workload": ("name", WORKLOADS), "soak.workload": ("name", WORKLOADS), "": ("suite", SUITES)}


def _renamed(data: object, place: str = "") -> object:
    """Return a part of a document of version 4 with the names of version 5; what is not a record stays as it is."""
    if isinstance(data, list) and place in ("workloads", "workloads.passes", "copied.passes", "clock.timings"):
        return [_renamed(one, place) for one in data]
    if not isinstance(data, dict):
        return data
    names = RENAMED.get(place, {})
    renamed = {names.get(k, k): _renamed(v, f"{place}.{k}" if place else k) for k, v in data.items()}
    key, known = _NAMED.get(place, ("", {}))
    if isinstance(named := renamed.get(key), str):
        name, at, rest = named.partition("@")
        renamed[key] = known.get(name, name) + at + rest
    return renamed


def _to_five(data: Raw) -> Raw:
    """Fields, workloads and suites have the names by which reviewers know them."""
    return cast("Raw", _renamed(data))


_OF_DRIVES, _OF_NETWORKS = ("span_bytes", "write_share", "origin_bytes", "place", "state"), ("pace",)


def _to_six(data: Raw) -> Raw:
    """A workload loses what only workloads of the other kind have."""
    workloads, soak = data.get("workloads"), data.get("soak")
    if isinstance(workloads, list):
        data = data | {"workloads": [_of_its_kind(record) for record in workloads]}
    return data if soak is None else data | {"soak": _of_its_kind(soak)}


def _of_its_kind(record: object) -> object:
    workload = record.get("workload") if isinstance(record, dict) else None
    if not isinstance(workload, dict) or not isinstance(record, dict):
        return record
    other = _OF_DRIVES if workload.get("pattern") in ("streams", "messages", "datagrams") else _OF_NETWORKS
    return record | {"workload": {k: v for k, v in workload.items() if k not in other}}


_SPACED_SHARE = pattern(r"(?<=\d) % writes")


def _to_seven(data: Raw) -> Raw:
    """The words of mixed workloads, by which runs are matched, have no space before the percent sign."""
    workloads, soak = data.get("workloads"), data.get("soak")
    if isinstance(workloads, list):
        data = data | {"workloads": [_closed_up(record) for record in workloads]}
    return data if soak is None else data | {"soak": _closed_up(soak)}


def _closed_up(record: object) -> object:
    if not isinstance(record, dict):
        return record
    workload, text = record.get("workload"), record.get("text")
    if isinstance(workload, dict) and isinstance(name := workload.get("name"), str):
        record = record | {"workload": workload | {"name": _SPACED_SHARE.sub("% writes", name)}}
    return record | {"text": _SPACED_SHARE.sub("% writes", text)} if isinstance(text, str) else record


def upgraded_line(line: Raw, version: int) -> Raw:
    """Return a line of a journal of any known version as one of the present version."""
    if version >= 5:
        return line
    return {k: _renamed(v, LINES[k]) if k in LINES else v for k, v in line.items()}


STEPS: dict[int, Callable[[Raw], Raw]] = {1: _to_two, 2: _to_three, 3: _to_four, 4: _to_five, 5: _to_six, 6: _to_seven}


def upgraded(data: Raw) -> Raw:
    """Return raw data of any known version as data of the present one."""
    version: int = data["schema"]["version"]
    if version == VERSION:
        return data
    for step in range(version, VERSION):
        data = STEPS[step](data)
    return data | {"schema": {"name": NAME, "version": VERSION}}
