"""A comparison in words: what each setup came to, what held it back, on which runs it rests."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence

from ulterion.core.stats.verdicts import DIFFERENT, Comparison, Verdict
from ulterion.core.units import show_between, show_duration, significant
from ulterion.core.workloads.network import lost_share
from ulterion.results.comparison import Group, Nearest
from ulterion.show.bottleneck_words import bottleneck_names
from ulterion.show.columns import show_change
from ulterion.show.network_words import datagram_words
from ulterion.show.sentences import listed

ORDER: tuple[Verdict, ...] = ("faster", "a little faster", "same", "a little slower", "slower", "undecided")


def summaries(group: Group, margin: float) -> list[str]:
    """Return one sentence for each setup compared: how many workloads came out which way, and what held it back."""
    return [f"{name}: {'; '.join(parts)}" for name, parts in summary_parts(group, margin).items()]


def summary_parts(group: Group, margin: float) -> dict[str, list[str]]:
    """Return the parts of each compared setup's summary, by its name."""
    parts = {}
    for name in dict.fromkeys(r.setup for r in group.rows if r.comparison):
        counted = _counted([r.comparison for r in group.rows if r.setup == name and r.comparison], margin)
        parts[name] = [*counted, *filter(None, [bottleneck_names(group.bottlenecks, name)])]
    return parts


def nearest(group: Group, margin: float, labels: Mapping[str, str]) -> list[str]:
    """Return what each part costs by itself: a setup against the one without it."""
    return [
        f"cost of {labels.get(one.without, one.without)} ({one.setup} against {one.base}): {cost_words(one, margin)}"
        for one in group.nearest
    ]


def cost_words(one: Nearest, margin: float) -> str:
    """Return what a part costs over all tests: 'under 3% in 4 of 9 tests; slower in 2, by 4-12%; 3 undecided'."""
    compared = list(one.comparisons.values())
    verdicts = Counter(c.verdict for c in compared)
    near, told = verdicts["same"], list[str]()
    if near:
        tests = _of(near, near) if near == len(compared) else f"{near} of {len(compared)} tests"
        told.append(f"under {margin * 100:g}% in {tests}")
    told += [f"{v} in {verdicts[v]}{_reach(compared, v)}" for v in DIFFERENT if verdicts[v]]
    told += [f"{verdicts['undecided']} undecided"] if verdicts["undecided"] else []
    return "; ".join(told)


def missing(group: Group, outcomes: Mapping[str, Sequence[str]]) -> list[str]:
    """Return what is to do for setups without a figure, and what became of them so far."""
    sentences = []
    for name in group.not_measured:
        told = "; ".join(
            [*outcomes.get(name, ()), *([group.failed_runs[name].words] if name in group.failed_runs else [])]
        )
        sentences.append(f"{name}: {told or 'has not been measured'}; ulterion measure --setup {name}")
    return sentences


def strangers(group: Group) -> list[str]:
    """Return the setups that were measured with nothing that the baseline was, and what to do."""
    base = next((r for r in group.rows if r.setup == group.baseline), None)
    told = []
    for name in group.caveats if group.baseline else ():
        if name == group.baseline or any(r.setup == name and r.comparison for r in group.rows):
            continue
        first = next((r for r in group.rows if r.setup == name), None)
        setup, row = (name, base) if base is not None else (group.baseline, first)
        remedy = f"; ulterion measure --setup {setup} --workload '{row.workload.text}'" if row is not None else ""
        told.append(f"{name}: no test in common with '{group.baseline}', so nothing can be compared{remedy}")
    return told


def _counted(compared: Sequence[Comparison], margin: float) -> list[str]:
    """Return how many comparisons came out which way, and how far, a phrase for each way."""
    verdicts = Counter(c.verdict for c in compared)
    if verdicts["same"] == len(compared):
        return [f"within {margin * 100:g}% in all {len(compared)} tests"]
    total = len(compared)
    return [f"{v} in {_of(verdicts[v], total)}{_reach(compared, v)}" for v in ORDER if verdicts[v]]


def _of(count: int, total: int) -> str:
    """Return a count of tests in words: '3 of 7', 'all 7 tests'."""
    if count == total:
        return f"all {total} tests" if total > 1 else "the only test"
    return f"{count} of {total}"


def _reach(compared: Sequence[Comparison], word: str) -> str:
    """Return how much faster or slower, from the smallest difference to the largest."""
    if word not in DIFFERENT:
        return ""
    ratios = sorted((c.ratio.value for c in compared if c.verdict == word), key=lambda v: abs(v - 1))
    least, most = _much(ratios[0]), _much(ratios[-1])
    return f", by {most if least == most else show_between(least, most)}"


def _much(ratio: float) -> str:
    """Return how far a ratio is from one: '27%', or '2.9×'."""
    return show_change(ratio).lstrip("+−")


def added_latency(group: Group, labels: Mapping[str, str]) -> list[str]:
    """Return what each setup adds to the latency of a small request, with its interval."""
    sentences = []
    for one in group.added_latency:
        parts = listed([labels.get(k, k) for k in one.parts] or ["what else differed"])
        each = "message" if one.messages else "request"
        if not one.is_sure:
            most = show_duration(max(abs(one.low), abs(one.high)))
            sentences.append(f"{one.setup}, {one.workload}: no measurable added latency (under {most})")
            continue
        low, high = sorted((abs(one.low), abs(one.high)))
        verb = ("add" if one.seconds > 0 else "save") + ("" if len(one.parts) > 1 else "s")
        sentences.append(
            f"{one.setup}, {one.workload}: {parts} {verb} {show_duration(abs(one.seconds))} per {each} "
            f"(95%: {show_between(show_duration(low), show_duration(high))})"
        )
    return sentences


def datagrams(group: Group) -> list[str]:
    """Return what became of the datagrams on each setup; those that lost none together."""
    told = [(r, r.datagrams) for r in group.rows if r.datagrams is not None]
    whole = [(r, d) for r, d in told if not (d.lost or d.late or d.twice)]
    most = max((lost_share(d).high for _, d in whole), default=0.0)
    names = list(dict.fromkeys(r.setup for r, _ in whole))
    lines = (
        [
            f"{listed(names)}: no datagrams lost, late or duplicated (loss below {significant(most * 100, 2)}%, 95% confidence)"
        ]
        if whole
        else []
    )
    return lines + [f"{r.setup}: {datagram_words(r.workload.title, d)}" for r, d in told if d.lost or d.late or d.twice]


def once(group: Group) -> list[str]:
    """Return which setups rest on one connection, and what to do about it."""
    if not group.single_connection:
        return []
    return [
        f"{listed(group.single_connection)}: each connected once, so these intervals leave out variation between connections. "
        f"Unplug, reconnect, then: ulterion measure --setup {group.single_connection[-1]}"
    ]


def drifts(group: Group) -> list[str]:
    """Return the figures whose passes rise or sink one after the other."""
    return [
        f"{row.workload.title} on {row.setup}: results drifted {'up' if row.estimate.drift > 0 else 'down'} "
        f"{significant(abs(math.expm1(row.estimate.drift)) * 100, 2)}% over the run; the interval allows for it"
        for row in group.rows
        if row.estimate.drift
    ]


def sources(group: Group) -> list[str]:
    """Return which runs stand behind which figures: the same for all of a setup's, or by workload."""
    phrases = []
    for setup in dict.fromkeys(r.setup for r in group.rows):
        runs: dict[tuple[str, ...], list[str]] = {}
        for row in group.rows:
            if row.setup == setup:
                runs.setdefault(row.runs, []).append(row.workload.title)
        parts = [
            listed(ids) if len(runs) == 1 else f"{listed(ids)} ({', '.join(names)})" for ids, names in runs.items()
        ]
        phrases.append(f"{setup} {'; '.join(parts)}")
    return [", ".join(phrases)] if phrases else []


def excluded(group: Group) -> list[str]:
    """Return which runs do not count, and why."""
    return [f"{setup}, excluded: {'; '.join(told)}" for setup, told in group.excluded.items()]
