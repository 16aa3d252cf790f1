"""A log of another instrument, lined up with a soak."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.units import show_duration
from ulterion.features.notes.attach import find_run
from ulterion.model.instrument import InstrumentLog, read_log
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import LoggedSeries, SoakRun
from ulterion.model.store import ReviewFolder


def attach_log(
    folder: ReviewFolder,
    run_id: str | None,
    path: Path,
    name: str,
    columns: tuple[str | None, str | None],
    *,
    zone: str | None,
    shift: float,
) -> dict[str, object]:
    """Line a log of another instrument up with a soak; return what and where.  Raises UsageError."""
    log = read_log(path, columns, zone)
    told: dict[str, object] = {}
    folder.change(
        find_run(folder, run_id, soaks=True), lambda run: _with_log(run, log, path, name=name, shift=shift, told=told)
    )
    return told


def _with_log(
    run: AnyRun, log: InstrumentLog, path: Path, name: str, shift: float, *, told: dict[str, object]
) -> AnyRun:
    """Return a soak with a log lined up with it; `told` gets what and where.  Raises UsageError."""
    if not isinstance(run, SoakRun):
        raise UsageError(f"the run {run.id} is not a soak; a log is lined up with one")
    began = run.started.timestamp()
    times = [round(t + shift - (began if log.absolute else 0.0), 2) for t in log.times]
    end = run.soak.phases[-1].end if run.soak.phases else 0.0
    inside = [i for i, t in enumerate(times) if -1.0 <= t <= end + 1.0]
    if len(inside) < 2:
        raise UsageError(f"{path} does not cover the soak: {_where(times, end)}; check --zone and --shift")
    if name in {s.name for s in run.soak.sensors}:
        raise UsageError(f"the soak has a sensor '{name}' already; give the log another --name")
    unit = "W" if name == "power" else "C"
    series = LoggedSeries(
        name=name, source=path.name, unit=unit, at=[times[i] for i in inside], values=[log.values[i] for i in inside]
    )
    kept = [one for one in run.soak.logs if one.name != name]
    soaked = run.soak.changed(logs=[*kept, series])
    warnings = [*run.warnings, *_log_warnings(name, log.bad, list(log.gaps))]
    what = f"{len(inside)} values of {name} from {path.name}"
    told |= {"what": what, "where": f"soak {run.id}", "bad_rows": log.bad, "gaps": len(log.gaps)}
    return run.changed(soak=soaked, warnings=list(dict.fromkeys(warnings)))


def _where(times: list[float], end: float) -> str:
    if times and times[0] > end:
        return f"it begins {show_duration(times[0] - end)} after the soak's end"
    if times and times[-1] < 0:
        return f"it ends {show_duration(-times[-1])} before the soak's beginning"
    return "fewer than two of its rows fall into it"


def _log_warnings(name: str, bad: int, gaps: list[tuple[float, float]]) -> list[str]:
    warnings = [f"the log of {name} has {bad} rows that could not be read"] if bad else []
    if gaps:
        longest = max(g for _, g in gaps)
        warnings.append(f"the log of {name} has {len(gaps)} gaps, the longest of {show_duration(longest)}")
    return warnings
