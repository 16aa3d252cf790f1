"""Which runs a setup's figures rest on: the newest, and those before it that differ from it in nothing that is known."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.facts.differences import ROOM, START, differences
from ulterion.core.identity_cache import IdentityCache
from ulterion.core.workloads.pass_states import SLOW_STATES
from ulterion.core.workloads.suites import is_ad_hoc
from ulterion.model.review import Review
from ulterion.model.run_summary import RunSummary
from ulterion.model.runs.document import AnyRun, kind_of
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord
from ulterion.model.runs.soak import SoakRun
from ulterion.model.store import ReviewFolder
from ulterion.results.measurement import Measurement, run_facts
from ulterion.results.standing_soaks import standing_soak, standing_soaks

MAX_POOLED = 12  # runs of a workload on a setup, the newest ones, that are taken together
LONGEST = 4  # soaks of a setup, the longest, that are looked at: one can stand for each of its loads
VARIES = (START, ROOM)  # differences that are part of what varies from run to run


_asked = IdentityCache[dict[str, dict[str, Measurement]]](4)


def pooled_results(runs: Sequence[AnyRun]) -> dict[str, dict[str, Measurement]]:
    """Return, for each setup and workload text, what its runs gave.

    The newest run counts, and with it those before it that nothing known tells from it: what varies between them enters as such.
    An older one in other circumstances (another driver, host, drive, length of pass, ...) is superseded.  What was asked for by
    words, or as a sweep, never takes the place of a suite's figure.  Runs that the reviewer lets count for nothing are left out.
    The answer is nobody's to change: who asks again of the same documents gets it again.
    """
    return _asked.of(runs, lambda: _latest(runs))


def _latest(runs: Sequence[AnyRun]) -> dict[str, dict[str, Measurement]]:
    suites: dict[str, dict[str, Measurement]] = {}
    free: dict[str, dict[str, Measurement]] = {}
    every: dict[tuple[str, bool, str], list[Measurement]] = {}
    for run in sorted(runs, key=lambda r: (r.started, r.id)):
        if not isinstance(run, MeasureRun) or run.setup is None or run.excluded:
            continue
        by_the_way = is_ad_hoc(run.suite)
        of_setup = (free if by_the_way else suites).setdefault(run.setup, {})
        for record in _with_passes(run):
            for state in (None, *SLOW_STATES):
                of_setup.pop(record.key_in(state), None)  # the order of the newest run counts
            for figure in record.figures:
                one = Measurement.of(run.setup, figure, run, record.suspect)
                every.setdefault((run.setup, by_the_way, figure.text), []).append(one)
                of_setup[figure.text] = one
    for by_the_way, setups in ((False, suites), (True, free)):
        for name, figures in setups.items():
            figures.update({text: _pooled(every[name, by_the_way, text]) for text in figures})
    names = dict.fromkeys([*suites, *free])
    found = {name: _suite_first(suites.get(name, {}), free.get(name, {})) for name in names}
    return {name: figures for name, figures in found.items() if figures}


def _with_passes(run: MeasureRun) -> list[WorkloadRecord]:
    return [record for record in run.workloads if record.counted]


def _pooled(measured: Sequence[Measurement]) -> Measurement:
    """Return the newest of a figure's measurements with those before it that nothing known tells from it."""
    *older, newest = measured
    like = [*[one for one in older if _alike(one, newest)][-(MAX_POOLED - 1) :], newest]
    pooled = replace(newest, older=tuple(one.run for one in like[:-1]))
    apart = _apart(like) if (connections(pooled) or 1) > 1 else [[one] for one in like]
    return replace(
        pooled,
        rates=tuple(
            unit[0].rates[0] if len(unit) == 1 else [r for one in unit for r in one.rates[0]] for unit in apart
        ),
        unflushed=tuple(tuple(r for one in unit for r in one.unflushed[0]) for unit in apart),
    )


def _apart(measured: Sequence[Measurement]) -> list[list[Measurement]]:
    """Return figures by connection: runs on the same one are no two samples of what varies between them."""
    units: dict[str | None, list[Measurement]] = {}
    for one in measured:
        units.setdefault(one.run.target.attachment, []).append(one)
    return list(units.values())


def _alike(one: Measurement, other: Measurement) -> bool:
    same_chain = one.run.chain == other.run.chain and not one.suspect and not other.suspect
    return same_chain and not differences(run_facts(one), run_facts(other), leaving_out=VARIES)


def _suite_first(suite: dict[str, Measurement], free: dict[str, Measurement]) -> dict[str, Measurement]:
    """Return a suite's figures, and behind them what was only measured by the way: it never takes the place of a suite's."""
    return {**suite, **{text: one for text, one in free.items() if text not in suite}}


def connections(measured: Measurement) -> int | None:
    """Return how many pluggings-in a figure rests on, None where that is not known of all its runs."""
    known = [run.target.attachment for run in measured.documents]
    return None if None in known else len(set(known))


def once_connected(review: Review, measured: dict[str, dict[str, Measurement]]) -> list[str]:
    """Return the setups of which some figure rests on one connection, or on one run where that is not known."""
    return [
        name
        for name, figures in measured.items()
        if name in review.setups and any((connections(m) or len(m.documents)) == 1 for m in figures.values())
    ]


def counting(folder: ReviewFolder, summaries: Sequence[RunSummary]) -> list[RunSummary]:
    """Return those of several runs that the reviewer lets count."""
    return [s for s in summaries if not (s.noted and any(run.excluded for run in folder.with_series([s])))]


def runs_for_results(folder: ReviewFolder) -> list[AnyRun]:
    """Return the runs that comparisons and claims rest on, oldest first; what newer ones supersede is not even parsed.

    These are the measurements of which a workload is among the newest of its setup, transfers timed by hand, and runs that bear notes,
    all without their series; and the soak that stands for each setup and load, whole.
    """
    seen: Counter[tuple[str | None, str, bool]] = Counter()
    wanted: list[RunSummary] = []
    soaks: dict[str | None, list[RunSummary]] = {}
    for one in reversed(folder.summaries()):
        free = is_ad_hoc(one.suite)
        cells = {(one.setup, text, free) for text in one.texts} or {(one.setup, one.kind, free)}
        if one.kind == "soak":
            soaks.setdefault(one.setup, []).append(one)
            continue
        kind = kind_of(one.kind)
        if all(seen[cell] >= (kind.newest or MAX_POOLED) for cell in cells) and (kind.in_series or not one.noted):
            continue
        if kind.in_series and not counting(folder, [one]):
            continue
        seen.update(cells)
        wanted.append(one)
    runs = folder.for_judging([*wanted, *(s for mine in soaks.values() for s in _newest_and_longest(folder, mine))])
    standing = {run.id for run in standing_soaks([r for r in runs if isinstance(r, SoakRun)])}
    return [run for run in runs if run.kind != "soak" or run.id in standing]


def soak_in_place_of(folder: ReviewFolder, run: SoakRun) -> SoakRun | None:
    """Return the longer soak of the same setup and load that results rest on in place of this one; None where they rest on this one."""
    soaks = [s for s in folder.summaries() if s.kind == "soak" and s.setup == run.setup]
    known = folder.for_judging(_newest_and_longest(folder, sorted(soaks, key=lambda s: s.started, reverse=True)))
    standing = standing_soak([r for r in known if isinstance(r, SoakRun) and r.soak.text == run.soak.text])
    return None if standing is None or standing.id == run.id else standing


def _newest_and_longest(folder: ReviewFolder, soaks: Sequence[RunSummary]) -> list[RunSummary]:
    """Return of the soaks of a setup that count, the newest first, those of which one can stand for it."""
    by_length = sorted(soaks, key=lambda s: s.started - (s.ended or s.started))
    found = [counting(folder, order) for order in (soaks, by_length)]
    return list({s.id: s for s in [*found[0][:1], *found[1][:LONGEST]]}.values())
