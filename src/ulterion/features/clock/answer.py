"""What transfers say about each other, in a sentence: which is faster, how much, and on how many timings that rests."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import partial

from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.clock.judging import ClockRow
from ulterion.model.review import Review
from ulterion.results.buses import findings_among, of_estimates
from ulterion.show.bus_words import bus_sentence
from ulterion.show.looks import in_sentence
from ulterion.show.sentences import how_much_than, listed

COUNTS = {1: "one", 2: "two"}


def answers(review: Review, rows: Sequence[ClockRow], unit: str) -> list[str]:
    """Return a sentence for each task of which two setups were timed or copied."""
    tasks: dict[tuple[str, str, str | None], list[ClockRow]] = {}
    for row in rows:
        tasks.setdefault((row.task, row.direction, row.source), []).append(row)
    every = [_answer(review, mine, unit) for mine in tasks.values() if any(r.against for r in mine)]
    links = [words for mine in tasks.values() for words in _links(review, mine, unit)]
    return [sentence for sentence in [*every, *links] if sentence]


def _links(review: Review, rows: Sequence[ClockRow], unit: str) -> list[str]:
    """Return what links explain: a rate at the limit of its setup's narrowest link, or a slower bus behind one of two."""
    sentences = []
    for row in rows:
        link = review.narrowest_link(row.setup)
        rate = row.estimate.rate if row.estimate is not None and row.suspect is None else None
        if link is not None and rate is not None and link.practical_low <= rate <= link.practical_high:
            name = in_sentence(review, row.setup)
            sentences.append(
                f"{show_rate(rate, unit)} on {name} is what {link.name} gives in practice, so that link is the limit"
            )
    known = [(r, r.estimate) for r in rows if r.estimate is not None and r.suspect is None and r.source is None]
    rates = [of_estimates(review, r.setup, {r.direction: e}) for r, e in known]
    return sentences + [bus_sentence(found, partial(in_sentence, review), unit) for found in findings_among(rates)]


def _answer(review: Review, rows: Sequence[ClockRow], unit: str) -> str:
    compared = [r for r in rows if r.against is not None and r.verdict is not None]
    if not compared:
        return ""
    if len(compared) > 1:
        return _order(review, rows, unit)
    row = compared[0]
    base = next((r for r in rows if r.setup == row.against), None)
    return _pair(review, row, base, unit)


def _pair(review: Review, row: ClockRow, base: ClockRow | None, unit: str) -> str:
    """Return a row compared with its baseline, the faster of the two first."""
    assert row.against is not None
    names = [in_sentence(review, row.setup), in_sentence(review, row.against)]
    told = [_took(row, unit), _took(base, unit) if base is not None else "its measured rate"]
    if row.verdict == "same":
        return f"{names[0]} and {names[1]} are equally fast: {told[0]} and {told[1]}{_basis(row, base)}"
    if row.verdict == "undecided":
        return f"undecided between {names[0]} and {names[1]}: {told[0]} against {told[1]}; {row.why}"
    times = row.comparison.ratio.value if row.comparison is not None else row.at_least or 1.0
    if row.verdict in ("slower", "a little slower"):
        times = 1 / times if row.comparison is not None else times
        names.reverse()
        told.reverse()
    least = "at least " if row.comparison is None else ""
    return f"{names[0]} is {least}{how_much_than(times)} {names[1]}: {told[0]} against {told[1]}{_basis(row, base)}"


def _order(review: Review, rows: Sequence[ClockRow], unit: str) -> str:
    """Return several setups, fastest first; those with only a bound come last."""
    ranked = sorted(rows, key=lambda r: (r.estimate is None, -(r.estimate.rate if r.estimate else r.bound or 0.0)))
    phrases = [f"{in_sentence(review, r.setup)} ({_took(r, unit)})" for r in ranked]
    unsure = [in_sentence(review, r.setup) for r in rows if r.verdict == "undecided"]
    doubt = f"; undecided against {in_sentence(review, rows[0].setup)}: {listed(unsure)}" if unsure else ""
    return f"fastest is {phrases[0]}, then {listed(phrases[1:])}{doubt}"


def timed_alone(review: Review, row: ClockRow, unit: str) -> str:
    """Return the time of a row that has nothing to be compared with."""
    return f"{in_sentence(review, row.setup)}: {_took(row, unit)}"


def _took(row: ClockRow, unit: str) -> str:
    """Return the size, time and rate of a row: '2.6 GB in 52 s, 50 MB/s'."""
    if row.estimate is None:
        return typed(row.progress[-1]) if row.progress else "not finished"
    rate = show_rate(row.estimate.rate, unit)
    if row.seconds is None or row.size is None:
        return rate
    return f"{typed(show_size(row.size))} in {typed(show_duration(row.seconds))}, {rate}"


def typed(number: str) -> str:
    """Return a number with its unit as a hand types it: '2.6 GB' for '2.60 GB', '52 s' for '52.0 s'."""
    return re.sub(r"(\.\d*?)0+ ", lambda m: f"{m[1].rstrip('.')} ", number)


def _basis(row: ClockRow, base: ClockRow | None) -> str:
    """Return on how few timings it rests, where these are few; nothing otherwise."""
    counts = [r.estimate.passes for r in (row, base) if r is not None and r.estimate is not None and not r.copied]
    if not counts or min(counts) > len(COUNTS):
        return ""
    if len(set(counts)) == 1 and len(counts) == 2:
        return f" ({COUNTS[counts[0]]} timing{'s' if counts[0] > 1 else ''} each)"
    few = min(counts)
    return f" ({COUNTS[few]} timing{'s' if few > 1 else ''} on one side)"
