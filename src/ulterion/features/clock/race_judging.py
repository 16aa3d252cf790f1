"""Which transfers of a review can race, and as what: copies and soaks by their series, timings by hand by their laps, or straight."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.errors import UsageError, unknown
from ulterion.core.transfers.course import Course, Transfer
from ulterion.core.transfers.race import Runner, to_amount
from ulterion.core.units import show_size
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun

FEWEST, MOST = 2, 6


def runners_of(review: Review, runs: Sequence[AnyRun], wanted: Sequence[str]) -> list[Runner]:
    """Return the transfers named by a run's id or a setup (its newest that can race), as far as the smallest of them; raise UsageError."""
    if not FEWEST <= len(wanted) <= MOST:
        raise UsageError(f"a race needs 2 to 6 transfers, named by setup or run; you gave {len(wanted)}")
    able = [(run, course) for run in runs if (course := run.course) is not None and not run.excluded]
    chosen = [_chosen(review, able, name) for name in wanted]
    ids = [run.id for run, _ in chosen]
    twice = next((name for name, one in zip(wanted, ids, strict=True) if ids.count(one) > 1), None)
    if twice is not None:
        raise UsageError(f"'{twice}' is in the race twice; name another setup, or one of its runs by id")
    return _runners(review, chosen)


def _runners(review: Review, chosen: Sequence[tuple[AnyRun, Course]]) -> list[Runner]:
    names = [review.setup_label(run.setup) if run.setup in review.setups else run.id for run, _ in chosen]
    named = [n if names.count(n) == 1 else f"{n}, {run.id}" for n, (run, _) in zip(names, chosen, strict=True)]
    runners = [
        Runner(name, course.seconds, course.bytes, course.total, done=course.done, setup=run.setup)
        for name, (run, course) in zip(named, chosen, strict=True)
    ]
    amount = min(r.total for r in runners)
    return [to_amount(r, amount) for r in runners]


def races_of(review: Review, runs: Sequence[AnyRun]) -> list[tuple[str, list[Runner]]]:
    """Return, by what was transferred, the races that a review's copies and timings by hand allow, each setup's newest transfer in it.

    Transfers race that had the same task, in the same direction and by the same means; of more than six the first in the order of the review.
    """
    newest: dict[Transfer, dict[str, tuple[AnyRun, Course]]] = {}
    for run in sorted(runs, key=lambda r: r.started):
        task = run.transfer if run.setup in review.setups and not run.excluded else None
        course = run.course if task is not None else None
        if task is not None and course is not None:
            newest.setdefault(task, {})[run.setup or ""] = (run, course)
    races = []
    for transfer, found in newest.items():
        chosen = [found[h] for h in review.setups if h in found][:MOST]
        if len(chosen) >= FEWEST:
            races.append((transfer.words, _runners(review, chosen)))
    return races


def _chosen(review: Review, able: Sequence[tuple[AnyRun, Course]], name: str) -> tuple[AnyRun, Course]:
    setups = [
        key for key, one in review.setups.items() if key == name or (one.label or key).casefold() == name.casefold()
    ]
    fitting = [(run, course) for run, course in able if run.id == name or run.setup in setups]
    if fitting:
        return max(fitting, key=lambda pair: pair[0].started)
    if setups:
        raise UsageError(
            f"setup '{name}' has no copy, soak or timing to race; run 'ulterion copy' or 'ulterion clock' on it"
        )
    raise UsageError(unknown("run or setup", name, [*review.setups, *(run.id for run, _ in able)]))


def amount_words(runners: Sequence[Runner]) -> str:
    """Return the amount over which they raced, in words."""
    return show_size(runners[0].total)
