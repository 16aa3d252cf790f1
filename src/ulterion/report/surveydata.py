"""The shape of a survey in JSON."""

from __future__ import annotations

from typing_extensions import TypedDict

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
