"""What held a hookup back, in a sentence, with its evidence; and the command that would tell suspects apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.ceilings import Direction
from ulterion.core.culprits import Finding, Suspect
from ulterion.core.units import show_rate
from ulterion.judge.culprits import DIRECTIONS, Blame, NextMeasurement

DOING: dict[tuple[Direction, bool], tuple[str, str]] = {
    ("read", False): ("read", "reading"),
    ("write", False): ("write", "writing"),
    ("read", True): ("receive", "receiving"),
    ("write", True): ("send", "sending"),
}
"""What is done, by direction and whether over a network: as a workload says it, and as a sentence does."""


def blame_words(blame: Blame) -> str:
    """Return what held a hookup back."""
    finding = blame.finding
    culprit = finding.culprit
    if culprit is not None:
        return f"{culprit.label}: {evidence(finding, culprit)}"
    if not finding.suspects:
        return "no part by itself: each carried more elsewhere; the pair, a cable, or what else differed"
    names = [s.label + (f" ({s.link.name})" if s.link else "") for s in finding.suspects]
    listed = f"{', '.join(names[:-1])} or {names[-1]}"
    return f"{listed}; {next_words(blame.next)}" if blame.next else f"{listed}: nothing measured tells them apart"


def evidence(finding: Finding, culprit: Suspect) -> str:
    """Return what shows that a part is what held the hookup back."""
    carried = f"{finding.other} carried {show_rate(finding.other_rate)}" if finding.other_rate is not None else ""
    link = ""
    if culprit.link is not None:
        low, high = show_rate(culprit.link.practical_low, with_unit=False), show_rate(culprit.link.practical_high)
        link = f"{culprit.link.name} gives {low} to {high} in practice"
    if finding.how == "swap":
        return f"without it {carried}{f'; {link}' if link else ''}"
    if finding.how == "own rate":
        return f"its own rate; {carried}" if carried else "its own rate"
    spared = _spared(finding)
    return "; ".join(p for p in (link, spared) if p) or "nothing else is left"


def _spared(finding: Finding) -> str:
    """Say by what the others were cleared, the telling ones first."""
    words = []
    for one in finding.cleared:
        if one.why == "carried more" and one.rate is not None:
            words.append(f"{one.label} carried {show_rate(one.rate)} on {one.hookup}")
        elif one.why == "carried more the other way" and one.rate is not None:
            words.append(f"{one.label} carried {show_rate(one.rate)} the other way on {one.hookup}")
        elif one.why == "no difference":
            words.append(f"no difference without {one.label} ({one.hookup})")
        else:
            words.append(f"{one.label} has room to spare")
    return ", ".join(words)


def next_words(following: NextMeasurement) -> str:
    """Return the measurement that would tell, as a command."""
    if following.hookup is not None:
        return f"to tell: ulterion measure --hookup {following.hookup}"
    chain = ", ".join(f'"{key}"' for key in following.chain)
    needs = f" (with {following.fetch} that does more)" if following.fetch else ""
    return f"to tell, add a hookup with chain = [{chain}]{needs}, then: ulterion measure --hookup NAME"


def culprit_lines(blames: Mapping[tuple[str, Direction], Blame], hookups: Sequence[str]) -> list[str]:
    """Return a line for each hookup and direction; one where both directions come to the same."""
    lines = []
    for hookup in hookups:
        said = {d: blame_words(b) for d in DIRECTIONS if (b := blames.get((hookup, d))) is not None}
        if (
            len(said) == 2
            and len({_names(blames[hookup, d]) for d in said}) == 1
            and not blames[hookup, "read"].finding.culprit
        ):
            lines.append(f"{hookup}: {said['read']}")
            continue
        lines += [f"{hookup}, {DOING[d, blames[hookup, d].network][0]}: {words}" for d, words in said.items()]
    return lines


def culprit_names(blames: Mapping[tuple[str, Direction], Blame], hookup: str) -> str:
    """Return by what a hookup is held back, in a word for the end of a sentence; empty where nothing is known."""
    said = {d: _either(b) for d in DIRECTIONS if (b := blames.get((hookup, d))) is not None and b.finding.suspects}
    if not said:
        return ""
    if len(set(said.values())) == 1:
        return f"held back by {next(iter(said.values()))}"
    return "held back " + ", ".join(f"{DOING[d, blames[hookup, d].network][1]} by {names}" for d, names in said.items())


def held_words(blame: Blame | None) -> str:
    """Return by what a hookup was held back in one direction, in a word; empty where nothing is known."""
    return f"held back by {_either(blame)}" if blame is not None and blame.finding.suspects else ""


def _either(blame: Blame) -> str:
    return " or ".join(s.label for s in blame.finding.suspects)


def _names(blame: Blame) -> tuple[str, ...]:
    return tuple(s.key for s in blame.finding.suspects)
