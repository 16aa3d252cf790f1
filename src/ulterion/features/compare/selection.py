"""The selection of what is compared: setups by name or label, runs by id, or outside a review the latest runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.core.units import spell_duration
from ulterion.model.review import Part, Review, Setup
from ulterion.model.run_summary import RunSummary
from ulterion.model.runs.document import AnyRun
from ulterion.model.store import ReviewFolder
from ulterion.results.late_runs import LAST, late
from ulterion.results.pooling import runs_for_results


@dataclass(frozen=True)
class Selection:
    """What is compared.

    Attributes:
        review: with the setups that are compared.
        runs: those that count.
        setups: the setups asked for, in order; empty for all.
        against: the setup that all others are compared with, or None for each medium's baseline.
        scope: what the comparison was narrowed to, in words; '' for everything.
    """

    review: Review
    runs: list[AnyRun]
    setups: tuple[str, ...] = ()
    against: str | None = None
    scope: str = ""


def selected(
    folder: ReviewFolder, names: Sequence[str], against: str | None, since: float | None, *, personal: bool
) -> Selection:
    """Return what is compared; `since` is in seconds before the newest run, `personal` means outside any review.  Raises UsageError."""
    ids = {s.id: s for s in folder.summaries()}
    if names and all(name in ids and name not in folder.review.setups for name in names):
        return _of_runs(folder, [ids[n] for n in names], against)
    review, runs = folder.review, runs_for_results(folder)
    setups = tuple(dict.fromkeys(key for name in names for key in review.setups_called(name)))
    chosen = Selection(review, runs, setups, _against(review, setups, against))
    if since is None and (names or not personal):
        return chosen
    return _of_late(chosen, since or LAST, one_drive=personal and not names)


def _against(review: Review, setups: Sequence[str], named: str | None) -> str | None:
    """Return the baseline of everything: the one named, or the first of several setups that each have another medium and no baseline; else None."""
    if named is not None:
        return review.setup_called(named)
    media = {review.setups[key].medium for key in setups}
    marked = {baseline for medium in media if (baseline := review.baseline_for(medium)) is not None}
    return setups[0] if len(setups) > 1 and len(media) == len(setups) and marked <= set(setups) else None


def _of_late(chosen: Selection, seconds: float, *, one_drive: bool) -> Selection:
    """Return only the runs within so many seconds before the newest; with `one_drive`, only those of its drive."""
    review = chosen.review
    mine = [r for r in chosen.runs if r.setup in review.setups]
    if not mine:
        return chosen
    medium = review.setups[max(mine, key=lambda r: r.started).setup or ""].medium
    recent = [r for r in late(mine, seconds) if not one_drive or review.setups[r.setup or ""].medium == medium]
    kept = {r.setup for r in recent}
    shown = review.changed(setups={k: s for k, s in review.setups.items() if k in kept})
    scope = f"runs of the last {spell_duration(seconds)}" + (f" with {review.label(medium)}" if one_drive else "")
    return replace(chosen, review=shown, runs=recent, scope=scope)


def _of_runs(folder: ReviewFolder, summaries: Sequence[RunSummary], against: str | None) -> Selection:
    """Return single runs as if each were a setup of its own, the first of them the baseline."""
    if len(summaries) < 2:
        raise UsageError(f"{summaries[0].id} is one run; name two or more to compare")
    review = folder.review
    parts, setups, runs, by_id = dict(review.parts), dict[str, Setup](), list[AnyRun](), dict[str, str]()
    for run in folder.without_series(summaries):
        chain = [k for k in run.chain if k in review.parts or k in review.ports] or [_medium_of(run)]
        if chain[-1] in review.ports:
            chain.append(_medium_of(run))
        parts.setdefault(chain[-1], Part(name=run.target.model or chain[-1], kind="drive"))
        known = review.setups.get(run.setup or "")
        key = by_id[run.id] = f"{run.setup or 'run'}-{run.id}"
        label = f"{known.label} ({run.id})" if known is not None and known.label else ""
        setups[key] = Setup(chain=chain, label=label)
        runs.append(run.changed(setup=key))
    missing = next((s.id for s in summaries if s.id not in by_id), None)
    if missing is not None:
        raise UsageError(f"the run {missing} cannot be read any more")
    if against is not None and against not in by_id:
        raise UsageError(f"--against {against} is not among the runs named")
    shown = review.changed(parts=parts, setups=setups)
    first = by_id[against or summaries[0].id]
    return Selection(shown, runs, tuple(by_id.values()), first)


def _medium_of(run: AnyRun) -> str:
    return run.target.serial or run.target.model or run.target.device or run.target.path
