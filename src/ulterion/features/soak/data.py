"""Soaks as plain data for JSON: bytes, seconds, bytes per second, C."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import NotRequired

from ulterion.features.soak import judging
from ulterion.features.soak.judging import difference
from ulterion.features.survey.data import Plain
from ulterion.model.runs.soak import SoakRun
from ulterion.results.bottleneck import Bottleneck
from ulterion.show.bottleneck_data import BottleneckData
from ulterion.show.data import bottleneck_as_data
from ulterion.terminal.answers import Drawing


class Soak(Drawing):
    """`ulterion soak`."""

    run: str
    setup: str | None
    state: str
    findings: Plain | None
    kept_in: NotRequired[str]
    bottleneck: NotRequired[BottleneckData]


class Soaks(Drawing):
    """`ulterion compare --soaks`."""

    soaks: list[Soak]
    differences: list[Plain]


def soak_as_data(
    run: SoakRun, soak: judging.Soak | None, path: Path | None = None, bottleneck: Bottleneck | None = None
) -> Soak:
    """Return a soak as plain data for JSON: bytes, seconds, bytes per second, C."""
    findings = None if soak is None else asdict(soak.findings)
    data: Soak = {"run": run.id, "setup": run.setup, "state": run.state.name, "findings": findings}
    if path is not None:
        data["kept_in"] = str(path)
    if bottleneck is not None:
        data["bottleneck"] = bottleneck_as_data(bottleneck)
    return data


def soaks_as_data(soaks: Sequence[judging.Soak]) -> Soaks:
    """Return several soaks and how each differs from the first."""
    return {
        "soaks": [soak_as_data(s.run, s) for s in soaks],
        "differences": [asdict(difference(s, soaks[0])) for s in soaks[1:]],
    }
