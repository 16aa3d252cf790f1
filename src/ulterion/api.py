"""The library for notebooks: a review as pandas tables.  Units are stated in each column's name."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import asdict, fields, replace
from pathlib import Path
from typing import TYPE_CHECKING

import pandas as pd

from ulterion.core.errors import UsageError, unknown
from ulterion.core.links.ceilings import Direction
from ulterion.features.claims.judging import judge_claims
from ulterion.features.clock.judging import clocked_rows
from ulterion.features.notes.compatibility import what_works
from ulterion.features.plan.judging import all_observations, effects, ranks
from ulterion.features.soak.judging import soak_of
from ulterion.model.planned import planned
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakRun
from ulterion.model.store import ReviewFolder
from ulterion.results.bottleneck import Bottleneck
from ulterion.results.comparison import ComparedRow, Group, compare_review
from ulterion.results.pooling import pooled_results

if TYPE_CHECKING:
    from sqlalchemy.engine import Engine


def _suspects(bottleneck: Bottleneck | None) -> list[str] | None:
    """Return the names of what may have held a setup back; one is the bottleneck."""
    return None if bottleneck is None else [s.key for s in bottleneck.finding.suspects]


def _bottleneck_of(group: Group, row: ComparedRow) -> Bottleneck | None:
    directions: dict[str, Direction] = {"read": "read", "write": "write"}
    direction = directions.get(row.workload.direction)
    return group.bottlenecks.get((row.setup, direction)) if direction and row.workload.is_large else None


TABLES = {
    "results": "results",
    "passes": "frame",
    "series": "pass_series",
    "soaks": "soaks",
    "soak-series": "soak_series",
    "claims": "claims",
    "comparisons": "compare",
    "compatibility": "compatibility",
    "readings": "readings",
    "transfers": "transfers",
}
"""The tables that can be exported, and the method of `Review` that gives each."""


def _scaled(rate: float | None) -> float | None:
    return None if rate is None else rate / 1e6


class Review:
    """An opened review folder.

    Attributes:
        folder: the folder and its review.toml.
        runs: every run document that could be read, oldest first.
    """

    def __init__(self, folder: ReviewFolder) -> None:
        self.folder = folder
        self.runs: Sequence[AnyRun] = folder.runs()

    def frame(self) -> pd.DataFrame:
        """Return one row for each pass: run, setup, workload, pass, bytes, seconds, MB_per_s, latencies in seconds."""
        rows = [
            {
                "run": run.id,
                "started": pd.Timestamp(run.started),
                "kind": run.kind,
                "setup": run.setup,
                "workload": record.workload.title,
                "text": record.text,
                "pass": one.number,
                "bytes": one.bytes,
                "seconds": one.seconds,
                "MB_per_s": one.rate / 1e6,
                "requests": one.requests,
                "latency_p50_s": one.latency.p50 if one.latency else None,
                "latency_p99_s": one.latency.p99 if one.latency else None,
                "state": run.state.name,
            }
            for run in self.runs
            if isinstance(run, MeasureRun)
            for record in run.workloads
            for one in record.counted
        ]
        return pd.DataFrame(rows)

    def results(self) -> pd.DataFrame:
        """Return one row for each setup and workload: the figure that stands, with its 95% interval, passes and newest run."""
        rows = [
            {
                "setup": setup,
                "workload": cell.workload.title,
                "text": text,
                "run": cell.run.id,
                "started": pd.Timestamp(cell.run.started),
                "host": cell.run.bench.host,
                "link": cell.run.target.link,
                "driver": cell.run.target.driver,
                "passes": cell.estimate.passes,
                "MB_per_s": cell.estimate.rate / 1e6,
                "MB_per_s_low": _scaled(cell.estimate.low),
                "MB_per_s_high": _scaled(cell.estimate.high),
                "suspect": cell.suspect,
            }
            for setup, cells in pooled_results(self.runs).items()
            for text, cell in cells.items()
        ]
        return pd.DataFrame(rows)

    def pass_series(self) -> pd.DataFrame:
        """Return one row for each interval of each pass: run, text, pass, interval, interval_s, bytes."""
        rows = [
            (run.id, record.text, one.number, i, one.series.interval, count)
            for run in self.runs
            if isinstance(run, MeasureRun)
            for record in run.workloads
            for one in record.passes
            for i, count in enumerate(one.series.bytes)
        ]
        return pd.DataFrame(rows, columns=["run", "text", "pass", "interval", "interval_s", "bytes"])

    def soak_series(self) -> pd.DataFrame:
        """Return the series of every soak: run, setup, seconds since its load began, MB_per_s, and each sensor's values."""
        frames = [
            self.series(s.run.id).assign(run=s.run.id, setup=s.run.setup) for s in filter(None, map(soak_of, self.runs))
        ]
        if not frames:
            return pd.DataFrame(columns=["run", "setup", "seconds", "MB_per_s"])
        whole = pd.concat(frames, ignore_index=True)
        return whole[["run", "setup", *(c for c in whole.columns if c not in ("run", "setup"))]]

    def transfers(self) -> pd.DataFrame:
        """Return one row for each setup and task timed by hand or copied: bytes, seconds, MB_per_s with its interval, ratio and verdict."""
        rows = [
            {
                "setup": row.setup,
                "task": row.task,
                "direction": row.direction,
                "by": "copy" if row.copied else "hand",
                "bytes": row.size,
                "seconds": row.seconds,
                "MB_per_s": _scaled(row.estimate.rate if row.estimate else None),
                "MB_per_s_low": _scaled(row.estimate.low if row.estimate else None),
                "MB_per_s_high": _scaled(row.estimate.high if row.estimate else None),
                "slower_than_MB_per_s": _scaled(row.bound),
                "against": row.against,
                "ratio": row.comparison.ratio.value if row.comparison else None,
                "at_least": row.at_least,
                "verdict": row.verdict,
            }
            for row in clocked_rows(self.folder.review, self.runs, self.folder.review.review.margin)
        ]
        return pd.DataFrame(rows)

    def compatibility(self) -> pd.DataFrame:
        """Return one row for each outcome noted: setup, question, works ('works', 'works with help', 'does not work'), condition."""
        rows = [
            {"setup": row.setup, "question": one.question, "works": one.works, "condition": one.condition}
            for row in what_works(self.folder)
            for one in row.outcomes.values()
        ]
        return pd.DataFrame(rows, columns=["setup", "question", "works", "condition"])

    def readings(self) -> pd.DataFrame:
        """Return one row for each value read by hand: run, setup, what, value and its unit, at_s (since the run began), above_room_K."""
        rows = []
        for run in self.runs:
            soak = soak_of(run)
            room = soak.findings.room if soak is not None else run.bench.room_temperature
            for one in run.standing_readings:
                above = (
                    one.value - room if one.unit == "C" and room is not None and one.what.casefold() != "room" else None
                )
                rows.append([run.id, run.setup, one.what, one.value, one.unit, one.at_seconds, above])
        return pd.DataFrame(rows, columns=["run", "setup", "what", "value", "unit", "at_s", "above_room_K"])

    def table(self, name: str) -> pd.DataFrame:
        """Return one of `TABLES` by its name; raise UsageError for another, or where there is nothing for it."""
        if name not in TABLES:
            raise UsageError(unknown("table", name, TABLES))
        found: pd.DataFrame = getattr(self, TABLES[name])()
        return found

    def compare(self, *, against: str | None = None, margin: float | None = None) -> pd.DataFrame:
        """Return one row for each workload and setup; `margin` as a ratio (0.03).  Raises UsageError: nothing measured."""
        groups = compare_review(self.folder.review, self.runs, against=against, margin=margin)
        rows = [
            {
                "medium": group.medium,
                "setup": row.setup,
                "run": row.run,
                "workload": row.workload.title,
                "MB_per_s": row.estimate.rate / 1e6,
                "ratio": row.comparison.ratio.value if row.comparison else None,
                "ratio_low": row.comparison.ratio.low if row.comparison else None,
                "ratio_high": row.comparison.ratio.high if row.comparison else None,
                "verdict": row.comparison.verdict if row.comparison else None,
                "suspects": _suspects(_bottleneck_of(group, row)),
            }
            for group in groups
            for row in group.rows
        ]
        return pd.DataFrame(rows)

    def claims(self) -> pd.DataFrame:
        """Return one row for each claim: numbers in `unit`, the share that was reached (1.0 for all of it) and the verdict."""
        rows = [
            {
                "part": row.part,
                "claim": row.claim,
                "unit": row.unit,
                "claimed": row.claimed,
                "measured": row.measured,
                "run": row.run,
                "share": row.judgement.share,
                "verdict": row.judgement.verdict,
                "setup": row.setup,
                "suspects": _suspects(row.bottleneck),
            }
            for row in judge_claims(self.folder.review, self.runs)
        ]
        return pd.DataFrame(rows)

    def plan(self) -> pd.DataFrame:
        """Return one row for each cell of the plan: its levels, setup, state, runs.  Raises UsageError where there is no plan."""
        now = planned(self.folder.review, self.runs, self.folder.review.review.margin)
        return pd.DataFrame(
            [{**dict(c.cell), "setup": c.setup, "state": c.state, "runs": list(c.runs)} for c in now.cells]
        )

    def effects(self) -> pd.DataFrame:
        """Return one row for each workload and level of the plan: its ratio to the factor's first level, with low and high; None where it is refused.

        `where` names the level of another factor that a row holds at, for pairs that do something only together.
        """
        rows = []
        for observations in all_observations(self.folder.review, self.runs):
            found = effects(observations)
            for one in [*found.effects, *(e for t in found.together for e in t.effects)] if found else []:
                rows.append({"workload": observations.workload.title, "text": observations.text, **asdict(one)})
        return pd.DataFrame(rows)

    def ranks(self, factor: str | None = None) -> pd.DataFrame:
        """Return one row for each workload and level of a factor of the plan (its first unless named): best and worst place, ratio to the mean."""
        rows = []
        for observations in all_observations(self.folder.review, self.runs):
            found = ranks(self.folder.review, observations, factor, self.folder.review.review.margin)
            for place in found.places if found else ():
                rows.append({"workload": observations.workload.title, "text": observations.text, **asdict(place)})
        return pd.DataFrame(rows)

    def soaks(self) -> pd.DataFrame:
        """Return one row for each soak with a load: rates in MB/s, bytes, seconds since the load began, temperatures in C."""
        rows = []
        for soak in filter(None, map(soak_of, self.runs)):
            findings, start = soak.findings, soak.load_start
            cache, heat, drive, rise = (
                findings.fall("write cache"),
                findings.fall("throttling"),
                findings.drive,
                findings.rise,
            )
            rows.append(
                {
                    "run": soak.run.id,
                    "setup": soak.run.setup,
                    "load_s": findings.seconds,
                    "bytes": findings.bytes,
                    "first_MB_per_s": findings.fast / 1e6,
                    "last_MB_per_s": findings.last / 1e6,
                    "cache_bytes": cache.written if cache else None,
                    "throttled_at_s": heat.at - start if heat else None,
                    "peak_C": drive.peak if drive else None,
                    "settled_C": drive.settling.end if drive and drive.settling else None,
                    "rise_K": rise.value if rise else None,
                    "state": soak.run.state.name,
                }
            )
        return pd.DataFrame(rows)

    def series(self, run: str) -> pd.DataFrame:
        """Return the series of a soak by its run's id: seconds since its load began, MB/s, and each sensor's values.

        Raises UsageError when there is no such soak.
        """
        soak = next((s for r in self.runs if r.id == run and (s := soak_of(r))), None)
        if soak is None:
            raise UsageError(unknown("soak", run, [r.id for r in self.runs if isinstance(r, SoakRun)]))
        trace = soak.trace
        columns = {"seconds": trace.at - soak.load_start, "MB_per_s": trace.rate / 1e6, **trace.sensors}
        return pd.DataFrame(columns)


class Archive:
    """All reviews together."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def find(self, words: str = "", *, every: bool = False, most: int = 500) -> pd.DataFrame:
        """Return the results that fit words ('USB 10 Gb/s enclosures, write over 900 MB/s'), the highest rate first.

        Of each products and workload the best run alone, unless `every` is wanted.  Raises UsageError for a rate or a date that is none.
        """
        from ulterion.features.archive.query import Answer, ask, parse_question

        found = ask(self._engine, replace(parse_question(words), best_only=not every), most)
        rows = pd.DataFrame([asdict(a) for a in found], columns=[f.name for f in fields(Answer)])
        rates = ["rate", "low", "high"]
        named = rows.rename(columns=dict(zip(rates, ("MB_per_s", "MB_per_s_low", "MB_per_s_high"), strict=True)))
        named[["MB_per_s", "MB_per_s_low", "MB_per_s_high"]] = rows[rates].astype(float) / 1e6
        return named

    def add(self, review: Review) -> int:
        """Put the runs of a review in; return how many were new or changed."""
        from ulterion.features.archive.adding import add_review

        added = add_review(self._engine, review.folder)
        return added.new + added.changed


def load_archive(where: str | Path) -> Archive:
    """Open an archive: a file, which is begun where it is not there, or 'postgresql://...'; raise UsageError."""
    from ulterion.features.archive.opening import opened

    return Archive(opened(where))


def load_review(folder: str | Path) -> Review:
    """Open the review in a folder; raise UsageError when there is none or its review.toml is wrong.

    Warns of runs that were recovered after a crash, and of files that could not be read and were set aside.
    """
    return Review(ReviewFolder.open(Path(folder), lambda sentence: warnings.warn(sentence, stacklevel=4)))
