"""The facts of a target and of this machine, whichever system it runs."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.facts import BenchFacts, TargetFacts
from ulterion.host import facts
from ulterion.host.elsewhere import asking
from ulterion.model.systems import system


def facts_of(path: Path) -> TargetFacts:
    """Return what lies under a folder or a file; what cannot be read stays None."""
    return facts.target_facts(path) if system() == "linux" else asking.target_facts(path)


def facts_of_device(path: Path, name: str) -> TargetFacts:
    """Return what a raw device is; what cannot be read stays None."""
    return facts.device_facts(path, name) if system() == "linux" else asking.device_facts(path)


def facts_of_machine(versions: dict[str, str], room_temperature: float | None) -> BenchFacts:
    """Return the facts of this machine."""
    if system() == "linux":
        return facts.bench_facts(versions, room_temperature)
    return asking.bench_facts(versions, room_temperature)
