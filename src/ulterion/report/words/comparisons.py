"""A comparison in words: what each hookup came to, what held it back, on which runs it rests."""

from __future__ import annotations

from collections import Counter

from ulterion.core.verdicts import Verdict
from ulterion.judge.comparisons import Group
from ulterion.report.words.columns import show_ratio

ORDER: tuple[Verdict, ...] = ("faster", "same", "slower", "undecided")


def summaries(group: Group, margin: float) -> list[str]:
    """Return one sentence for each hookup compared: how many workloads came out which way."""
    sentences = []
    for name in dict.fromkeys(r.hookup for r in group.rows if r.comparison):
        verdicts = Counter(r.comparison.verdict for r in group.rows if r.hookup == name and r.comparison)
        total = sum(verdicts.values())
        if verdicts["same"] == total:
            sentences.append(f"{name}: no measurable loss beyond {margin * 100:g} % in any of {total} workloads")
            continue
        parts = [f"{v} in {verdicts[v]} of {total}{_reach(group, name, v)}" for v in ORDER if verdicts[v]]
        sentences.append(f"{name}: {'; '.join(parts)}")
    return sentences


def _reach(group: Group, hookup: str, word: str) -> str:
    """Return the range of the ratios that came out `faster` or `slower`."""
    if word not in ("faster", "slower"):
        return ""
    ratios = [
        r.comparison.ratio.value
        for r in group.rows
        if r.hookup == hookup and r.comparison and r.comparison.verdict == word
    ]
    low, high = show_ratio(min(ratios)), show_ratio(max(ratios))
    return f" ({low} times the baseline)" if low == high else f" ({low} to {high} times the baseline)"


def sources(group: Group) -> list[str]:
    """Return which run stands behind which figures: one for a hookup, or one for each workload where there are several."""
    phrases = []
    for hookup in dict.fromkeys(r.hookup for r in group.rows):
        runs: dict[str, list[str]] = {}
        for row in group.rows:
            if row.hookup == hookup:
                runs.setdefault(row.run, []).append(row.workload.name)
        parts = [run if len(runs) == 1 else f"{run} ({', '.join(names)})" for run, names in runs.items()]
        phrases.append(f"{hookup} {'; '.join(parts)}")
    return [", ".join(phrases)] if phrases else []
