"""The answers of `ulterion survey`."""

from __future__ import annotations

from ulterion.core.records import dataclass
from ulterion.show.answers import Answer


@dataclass(frozen=True)
class Learned(Answer):
    """`ulterion survey --learn`."""

    setup: str
    drive: str
    expect: dict[str, str]
    alike: tuple[str, ...]


@dataclass(frozen=True)
class Added(Answer):
    """`ulterion add`: the TOML that was written, or would be, and into which file."""

    path: str
    written: bool
    toml: str


@dataclass(frozen=True)
class Recorded(Answer):
    """`ulterion survey --record`."""

    recorded: str
    files_and_links: int
