"""The shape of a proof of capacity in JSON: bytes, seconds."""

from __future__ import annotations

from typing_extensions import TypedDict


class Proven(TypedDict):
    """`ulterion capacity`: `run` is the run document."""

    kept_in: str
    state: str
    method: str
    finding: str
    claimed: int
    real: int | None
    summary: str
    run: dict[str, object]
