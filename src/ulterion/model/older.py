"""review.toml and bench.toml as earlier versions wrote them: what their keys are called now."""

from __future__ import annotations

from collections.abc import Mapping

from ulterion.core.renamed import BENCH_KEYS, REVIEW_KEYS, SUITES, WORKLOADS

Table = dict[str, object]


def checked_version(data: object, present: int) -> int | None:
    """Return the `schema` that a file states, or the present one where it states none; None where the file is not a table.  Raises ValueError."""
    if not isinstance(data, dict):
        return None
    version = data.get("schema", 1 if "hookups" in data else present)
    if version not in range(1, present + 1):
        raise ValueError(f"schema {version!r} is not known; this Ulterion reads schema {present}: install a newer one")
    return int(version)


def renamed(table: object, names: Mapping[str, str]) -> object:
    """Return a table with its keys as they are called now; anything else as it is."""
    return {names.get(k, k): v for k, v in table.items()} if isinstance(table, dict) else table


def _each(table: object, names: Mapping[str, str]) -> object:
    """Return a table of tables, or a list of them, each with its keys as they are called now."""
    if isinstance(table, dict):
        return {k: renamed(v, names) for k, v in table.items()}
    return [renamed(v, names) for v in table] if isinstance(table, list) else table


def review_of_one(data: Table) -> Table:
    """Return a review.toml of schema 1 as one of schema 2."""
    new: Table = {REVIEW_KEYS.get(k, k): v for k, v in data.items()} | {"schema": 2}
    new["setups"] = _each(new.get("setups", {}), REVIEW_KEYS)
    if isinstance(plan := new.get("plan"), dict):
        new["plan"] = {
            REVIEW_KEYS.get(k, k): SUITES.get(v, v) if k == "suite" and isinstance(v, str) else v
            for k, v in plan.items()
        }
    if isinstance(parts := new.get("parts"), dict):
        new["parts"] = {k: _with_rivals(v) for k, v in parts.items()}
    return new


def _with_rivals(part: object) -> object:
    """Return a part whose claims to be faster name workloads as they are called now."""
    if not isinstance(part, dict) or not isinstance(part.get("faster"), list):
        return part
    rivals = [
        f | {"workload": WORKLOADS.get(f["workload"], f["workload"])}
        if isinstance(f, dict) and isinstance(f.get("workload"), str)
        else f
        for f in part["faster"]
    ]
    return part | {"faster": rivals}


def bench_of_one(data: Table) -> Table:
    """Return a bench.toml of schema 1 as one of schema 2."""
    new: Table = {BENCH_KEYS.get(k, k): v for k, v in data.items()} | {"schema": 2}
    return new | {k: _each(new[k], BENCH_KEYS) for k in ("events", "faults") if k in new}
