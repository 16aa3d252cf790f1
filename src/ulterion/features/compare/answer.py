"""The result of a comparison in a sentence or two: which setup is faster, by how much, and on which bus that shows it to run."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from ulterion.core.units import show_rate
from ulterion.model.review import Review
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.bus_words import bus_sentence
from ulterion.show.looks import in_sentence
from ulterion.show.sentences import how_much, how_much_than, listed

WAYS = {"read": ("reads", "reading"), "write": ("writes", "writing")}
MOST = 3  # setups that a sentence names; of more it tells the fastest and the slowest


def answers(review: Review, group: Group, unit: str) -> list[str]:
    """Return the sentences on one medium; none where nothing was compared."""
    rows = _telling(group)
    others = list(dict.fromkeys(r.setup for r in rows if r.comparison is not None))
    if group.baseline is None or not others:
        return []
    first = _pair(review, group, rows, unit) if len(others) == 1 else _ranked(review, group, rows, unit)
    buses = [bus_sentence(b, partial(in_sentence, review), unit) for b in group.buses]
    return [first, *_machines(review, group, [r.setup for r in rows]), *buses]


def answers_of_all(review: Review, groups: Sequence[Group], unit: str) -> list[str]:
    """Return the sentences on several media; each names its medium where its setups are called as those of another are."""
    found = []
    for group in groups:
        mine = answers(review, group, unit)
        if mine and called_alike(review, group, groups):
            mine[0] = f"with {review.label(group.medium)}, {mine[0]}"
        found += mine
    return found


def called_alike(review: Review, group: Group, groups: Sequence[Group]) -> bool:
    """Return whether setups of a medium are called as setups of another are, such as one reader with two cards."""
    labels = [{review.setup_label(row.setup) for row in each.rows} for each in (group, *groups)]
    return any(labels[0] & theirs for theirs, each in zip(labels[1:], groups, strict=True) if each is not group)


def _machines(review: Review, group: Group, setups: Sequence[str]) -> list[str]:
    """Return which setup is on which machine, where they are not on one; nothing of names that begin with their machine's."""
    on: dict[str, list[str]] = {}
    for setup in dict.fromkeys(setups):
        on.setdefault(group.hosts[setup], []).append(review.setup_label(setup))
    if len(on) < 2 or all(name.startswith(f"{host}:") for host, names in on.items() for name in names):
        return []
    told = [f"{listed(names)} {'is' if len(names) == 1 else 'are'} on {host}" for host, names in on.items()]
    return [f"the machine differs too: {listed(told)}"]


def _telling(group: Group) -> list[ComparedRow]:
    """Return the rows a sentence rests on, for each direction those of one workload that was compared: large transfers, if there are any."""
    rows: list[ComparedRow] = []
    for way in WAYS:
        mine = [r for r in group.rows if r.workload.drive_direction == way]
        mine = [r for r in mine if r.workload.drive_pattern == "sequential"] or mine
        compared = [r for r in mine if r.comparison is not None]
        main = [r.workload.text for r in compared if r.workload.text == group.main_workloads.get(way)]
        fastest = sorted(compared, key=lambda r: -r.estimate.rate)
        for text in [*main, *(r.workload.text for r in fastest)][:1]:
            rows += [r for r in mine if r.workload.text == text]
    return rows


def _pair(review: Review, group: Group, rows: Sequence[ComparedRow], unit: str) -> str:
    """Return the only other setup compared with the baseline, by direction."""
    baseline = group.baseline or ""
    compared = [r for r in rows if r.comparison is not None]
    other = compared[0].setup
    names = (in_sentence(review, other), in_sentence(review, baseline))
    verdicts = {r.comparison.verdict for r in compared if r.comparison is not None}
    slower = verdicts <= {"slower", "a little slower"}
    rates = {r.workload.drive_direction: _both(r, rows, unit, baseline_first=slower) for r in compared}
    if verdicts == {"same"}:
        each = listed([f"{WAYS[way][0]} {told}" for way, told in rates.items()])
        return f"{names[0]} and {names[1]} are equally fast: {each}"
    if not group.assumed and slower:
        return _of_the_baseline(names, compared, unit)
    if len(verdicts) == 1:
        return _one_way(names, compared, rates)
    phrases = [_phrase(r, _both(r, rows, unit)) for r in compared]
    return f"{names[0]}, compared with {names[1]}: {listed(phrases)}"


def _of_the_baseline(names: tuple[str, str], compared: Sequence[ComparedRow], unit: str) -> str:
    """Return the rates of a product that is slower than its baseline, and what share of the baseline's they are."""
    parts = []
    for number, row in enumerate(compared):
        assert row.comparison is not None
        ratio, rate = row.comparison.ratio.value, show_rate(row.estimate.rate, unit)
        share = f"{ratio * 100:.0f}%" if ratio >= 0.0995 else f"{ratio * 100:.1f}%"
        of = f" of {names[1]}" if number == 0 else ""
        parts.append(f"{WAYS[row.workload.drive_direction][0]} at {rate}, {share}{of}")
    return f"{names[0]} {', and '.join(parts)}"


def _one_way(names: tuple[str, str], compared: Sequence[ComparedRow], rates: dict[str, str]) -> str:
    """Return a sentence where both directions came out alike."""
    verdict = compared[0].comparison.verdict if compared[0].comparison else "undecided"
    if verdict == "undecided":
        told = listed([f"{WAYS[way][1]} {r}" for way, r in rates.items()])
        why = next((r.comparison.why for r in compared if r.comparison and r.comparison.why), None)
        doubtful = any(r.comparison and r.comparison.ratio.low and r.comparison.more is None for r in compared)
        head = "undecided between" if doubtful else "no difference shown yet between"
        return f"{head} {names[0]} and {names[1]}: {told}" + (f"; {why}" if why else "")
    winner, loser = names if "faster" in verdict else names[::-1]
    parts = []
    for row in compared:
        ratio = row.comparison.ratio.value if row.comparison else 1.0
        times = ratio if "faster" in verdict else 1 / ratio
        parts.append((WAYS[row.workload.drive_direction][1], times, rates[row.workload.drive_direction]))
    way, times, told = parts[0]
    rest = [f"{how_much(t)} {w} ({r})" for w, t, r in parts[1:]]
    return f"{winner} is {how_much_than(times)} {loser} {way} ({told})" + (f", {listed(rest)}" if rest else "")


def _phrase(row: ComparedRow, rates: str) -> str:
    compared = row.comparison
    assert compared is not None
    doing = WAYS[row.workload.drive_direction][1]
    if compared.verdict in ("same", "undecided"):
        return f"{compared.verdict if compared.verdict == 'undecided' else 'equally fast'} {doing} ({rates})"
    return f"{how_much(compared.ratio.value)} {doing} ({rates})"


def _both(row: ComparedRow, rows: Sequence[ComparedRow], unit: str, *, baseline_first: bool = False) -> str:
    """Return the rates of a setup and of its baseline in the order in which a sentence names them: '231 against 37 MB/s'."""
    both = (row, next(r for r in rows if r.workload.text == row.workload.text and r.setup != row.setup))
    first, second = both[::-1] if baseline_first else both
    return f"{show_rate(first.estimate.rate, unit, with_unit=False)} against {show_rate(second.estimate.rate, unit)}"


def _ends(rows: Sequence[ComparedRow]) -> tuple[ComparedRow, ...]:
    """Return the fastest and the slowest row."""
    ordered = sorted(rows, key=lambda r: -r.estimate.rate)
    return (ordered[0], ordered[-1]) if ordered else ()


def _ranked(review: Review, group: Group, rows: Sequence[ComparedRow], unit: str) -> str:
    """Return the order of three setups or more, by direction; of many, the fastest and the slowest in one phrase where both directions agree."""
    ends = {way: _ends([r for r in rows if r.workload.drive_direction == way]) for way in WAYS}
    ties = any(len(_first(group, [r for r in rows if r.workload.drive_direction == way])) > 1 for way in WAYS)
    if (
        len({r.setup for r in rows}) > MOST
        and len({tuple(r.setup for r in found) for found in ends.values()}) == 1
        and not ties
    ):
        told = []
        for number in (0, 1):
            rates = [show_rate(found[number].estimate.rate, unit) for found in ends.values()]
            told.append(f"({', '.join(f'{WAYS[w][1]} at {rate}' for w, rate in zip(ends, rates, strict=True))})")
        first, last = (in_sentence(review, r.setup) for r in ends["read"])
        return f"{first} is fastest {told[0]}, {last} slowest {told[1]}"
    phrases = []
    for way, (_, doing) in WAYS.items():
        mine = [r for r in rows if r.workload.drive_direction == way]
        if mine:
            phrases.append(f"{doing}, {_order(review, group, mine, unit)}")
    return "; ".join(phrases)


def _order(review: Review, group: Group, rows: Sequence[ComparedRow], unit: str) -> str:
    """Return which of several setups is fastest in one direction, or which are equally fast, and who follows, or of many who is last."""
    ordered = sorted(rows, key=lambda r: -r.estimate.rate)
    told = [f"{in_sentence(review, r.setup)} ({show_rate(r.estimate.rate, unit)})" for r in ordered]
    tied = len(_first(group, rows))
    head = f"fastest is {told[0]}" if tied == 1 else f"{listed(told[:tied])} are equally fast"
    if tied == 1 and _verdict(group, ordered[0], ordered[1]) == "undecided":
        head, tied = f"undecided between {told[0]} and {told[1]}", 2
    rest = told[tied:]
    if not rest:
        return head
    alike = len(rest) == 2 and _verdict(group, *ordered[-2:]) == "same"
    return f"{head}, {f'then {listed(rest)}' if len(told) <= MOST else f'slowest {rest[-1]}'}{', equally fast' if alike else ''}"


def _first(group: Group, rows: Sequence[ComparedRow]) -> list[ComparedRow]:
    """Return the fastest of one direction and those that are shown to be as fast, each as the one before it."""
    ordered = sorted(rows, key=lambda r: -r.estimate.rate)
    found = ordered[:1]
    while found and len(found) < len(ordered) and _verdict(group, found[-1], ordered[len(found)]) == "same":
        found.append(ordered[len(found)])
    return found


def _verdict(group: Group, one: ComparedRow, other: ComparedRow) -> str | None:
    return group.neighbours.get((one.workload.text, one.setup, other.setup))
