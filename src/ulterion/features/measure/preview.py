"""What is about to be tested, in plain text."""

from __future__ import annotations

from ulterion.core.facts.target import TargetFacts
from ulterion.core.units import show_block, show_size, show_size_both
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakRun
from ulterion.show import network_words


def _drive(facts: TargetFacts) -> str:
    if facts.kind == "simulated":
        return ", ".join(p for p in (facts.model, facts.serial and f"serial {facts.serial}", "simulated") if p)
    if facts.device is None:
        return "no block device of its own"
    names = [facts.device, facts.model, facts.serial and f"serial {facts.serial}"]
    return ", ".join(p for p in names if p)


def preview(run: MeasureRun | SoakRun) -> list[tuple[str, str]]:
    """Return what will be tested: shown before a byte is written."""
    facts = run.target
    if facts.network is not None:
        return network_words.preview(facts)
    link = ", ".join(p for p in (facts.transport, facts.link, facts.driver) if p) or "not shown by the system"
    rows = [("target", facts.path), ("drive", _drive(facts)), ("link", link)]
    if facts.capacity_bytes:
        rows.append(("capacity", show_size_both(facts.capacity_bytes)))
    if facts.kind != "simulated" and facts.filesystem_bytes is not None and facts.free_bytes is not None:
        free = f"{facts.filesystem}, {show_size(facts.free_bytes)} of {show_size(facts.filesystem_bytes)} free"
        rows.append(("file system", free))
    how = {"file": "reads only, in your file", "device": _device_use(run)}.get(
        facts.kind, "in a test file of its own, removed afterwards"
    )
    fitted = "up to " if isinstance(run, MeasureRun) and run.settings.span_fitted else ""
    rows.append(("span", f"{fitted}{show_block(run.settings.span_bytes)}, {how}"))
    return rows


def _device_use(run: MeasureRun | SoakRun) -> str:
    loads = [r.workload for r in run.workloads] if isinstance(run, MeasureRun) else [run.soak.workload]
    writes = any(w.direction != "read" for w in loads)
    return "OVERWRITTEN: data on the device will be lost" if writes else "read only, nothing is written"
