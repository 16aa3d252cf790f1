"""What every answer that `--json` prints begins with, and the figures and errors that may be in it."""

from __future__ import annotations

from typing import Literal

from typing_extensions import TypedDict

NAME, VERSION = "ulterion-answer", 3

Kind = Literal[
    "comparison",
    "claims",
    "measurement",
    "sharing",
    "soak",
    "soaks",
    "survey",
    "learned",
    "clocked",
    "copied",
    "checked",
    "capacity",
    "race",
    "plan",
    "effects",
    "ranks",
    "grid",
    "compatibility",
    "ports",
    "works",
    "recordings",
    "units",
    "values",
    "power",
    "reader",
    "energies",
    "report",
    "verified",
    "exported",
    "archived",
    "found",
    "recorded",
    "notes",
    "noted",
    "error",
]


class Schema(TypedDict):
    """Which format, and what is answered."""

    name: Literal["ulterion-answer"]
    version: Literal[2]
    kind: Kind


class Drawing(TypedDict, total=False):
    """Figures that were asked for beside an answer."""

    figures: list[str]
    figure_error: str


class ErrorData(TypedDict):
    """A refusal, a failure or a stop."""

    kind: str
    status: int
    message: str


class Error(TypedDict):
    """Any command that did not end well."""

    error: ErrorData
