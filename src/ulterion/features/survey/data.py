"""The shape of a survey in JSON."""

from __future__ import annotations

from dataclasses import fields

from typing_extensions import TypedDict

from ulterion.core.facts import devices
from ulterion.core.facts.devices import Adapter, Change, Drive, Refused, Tunnel, Volume
from ulterion.core.facts.target import BenchFacts
from ulterion.core.links.chain import Step
from ulterion.core.links.standards import Link

Plain = dict[str, object]


class Survey(TypedDict):
    """`ulterion survey`."""

    bench: Plain
    drives: list[Plain]
    adapters: list[Plain]
    tunnels: list[Plain]
    root_would_add: list[str]
    doubts: list[str]
    refused: list[Plain]
    empty_slots: list[str]


class Learned(TypedDict):
    """`ulterion survey --learn`."""

    setup: str
    drive: str
    expect: dict[str, str]
    alike: list[str]


class Recorded(TypedDict):
    """`ulterion survey --record`."""

    recorded: str
    files_and_links: int


def plain(facts: BenchFacts | Drive | Adapter | Tunnel | Refused | Change | Step | Volume) -> dict[str, object]:
    """Return a dataclass as plain data; a link is its name."""
    return {f.name: _plain_value(getattr(facts, f.name)) for f in fields(facts)}


def _plain_value(value: object) -> object:
    if isinstance(value, Link):
        return value.name
    if isinstance(value, Step | Volume | Drive):
        return plain(value)
    return [_plain_value(v) for v in value] if isinstance(value, tuple | list) else value


def survey_as_data(survey: devices.Survey) -> Survey:
    """Return a survey: bytes, C, W."""
    return {
        "bench": plain(survey.bench),
        "drives": [plain(d) for d in survey.drives],
        "adapters": [plain(a) for a in survey.adapters],
        "tunnels": [plain(t) for t in survey.tunnels],
        "root_would_add": list(survey.root_would_add),
        "doubts": list(survey.doubts),
        "refused": [plain(r) for r in survey.refused],
        "empty_slots": list(survey.empty_slots),
    }
