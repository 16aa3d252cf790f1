"""What held a setup back, in a sentence, with its evidence; and the command that would tell suspects apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.bottleneck import Finding, Suspect
from ulterion.core.links.ceilings import Direction
from ulterion.core.units import show_between, show_rate
from ulterion.results.bottleneck import DIRECTIONS, Bottleneck, NextMeasurement

DOING: dict[tuple[Direction, bool], tuple[str, str]] = {
    ("read", False): ("read", "reading"),
    ("write", False): ("write", "writing"),
    ("read", True): ("receive", "receiving"),
    ("write", True): ("send", "sending"),
}
"""What is done, by direction and whether over a network: as a workload says it, and as a sentence does."""


def bottleneck_text(bottleneck: Bottleneck) -> str:
    """Return what held a setup back."""
    finding = bottleneck.finding
    sole_suspect = finding.sole_suspect
    if sole_suspect is not None:
        return f"{sole_suspect.label}: {evidence(finding, sole_suspect)}"
    if not finding.suspects:
        return "no single part: each ran faster elsewhere. Suspect the combination, a cable, or another difference"
    names = [s.label + (f" ({s.link.name})" if s.link else "") for s in finding.suspects]
    listed = f"{', '.join(names[:-1])} or {names[-1]}"
    return (
        f"{listed}; {next_words(bottleneck.next)}"
        if bottleneck.next
        else f"{listed}: the measurements so far cannot separate them"
    )


def evidence(finding: Finding, sole_suspect: Suspect) -> str:
    """Return what shows that a part is what held the setup back."""
    carried = f"{show_rate(finding.other_rate)} without it ({finding.other})" if finding.other_rate is not None else ""
    link = ""
    if sole_suspect.link is not None:
        ends = (show_rate(r) for r in (sole_suspect.link.practical_low, sole_suspect.link.practical_high))
        link = f"typical for {sole_suspect.link.name}: {show_between(*ends)}"
    if finding.how == "swap":
        return f"{carried}{f'; {link}' if link else ''}"
    if finding.how == "own rate":
        there = (
            f" ({show_rate(finding.other_rate)} on {finding.other} as well)" if finding.other_rate is not None else ""
        )
        return f"the drive itself{there}"
    spared = _spared(finding)
    return "; ".join(p for p in (link, spared) if p) or "by elimination"


def _spared(finding: Finding) -> str:
    """Say how the others were cleared, the strongest evidence first."""
    words = []
    for one in finding.cleared:
        if one.why == "carried more" and one.rate is not None:
            words.append(f"{one.label} managed {show_rate(one.rate)} on {one.setup}")
        elif one.why == "carried more in the other direction" and one.rate is not None:
            words.append(f"{one.label} managed {show_rate(one.rate)} in the other direction ({one.setup})")
        elif one.why == "no difference":
            words.append(f"the same without {one.label} ({one.setup})")
        else:
            words.append(f"{one.label} is not the limit")
    return ", ".join(words)


def next_words(following: NextMeasurement) -> str:
    """Return the measurement that would tell, as a command."""
    if following.setup is not None:
        return f"to separate them: ulterion measure --setup {following.setup}"
    chain = ", ".join(f'"{key}"' for key in following.chain)
    needs = f" (with {following.fetch} that does more)" if following.fetch else ""
    return f"to separate them, add a setup with chain = [{chain}]{needs}, then: ulterion measure --setup NAME"


def bottleneck_lines(bottlenecks: Mapping[tuple[str, Direction], Bottleneck], setups: Sequence[str]) -> list[str]:
    """Return a line for each setup and direction; one where both directions come to the same."""
    lines = []
    for setup in setups:
        said = {d: bottleneck_text(b) for d in DIRECTIONS if (b := bottlenecks.get((setup, d))) is not None}
        if (
            len(said) == 2
            and len({_names(bottlenecks[setup, d]) for d in said}) == 1
            and not bottlenecks[setup, "read"].finding.sole_suspect
        ):
            lines.append(f"{setup}: {said['read']}")
            continue
        lines += [f"{setup}, {DOING[d, bottlenecks[setup, d].network][0]}: {words}" for d, words in said.items()]
    return lines


def bottleneck_names(bottlenecks: Mapping[tuple[str, Direction], Bottleneck], setup: str) -> str:
    """Return what limits a setup, for the end of a sentence; empty where nothing is known."""
    said = {d: _either(b) for d in DIRECTIONS if (b := bottlenecks.get((setup, d))) is not None and b.finding.suspects}
    if not said:
        return ""
    if len(set(said.values())) == 1:
        return f"bottleneck: {next(iter(said.values()))}"
    return "bottleneck " + ", ".join(
        f"{DOING[d, bottlenecks[setup, d].network][1]}: {names}" for d, names in said.items()
    )


def bottleneck_caption(bottleneck: Bottleneck | None) -> str:
    """Return what limited a setup in one direction, in a word; empty where nothing is known."""
    return f"bottleneck: {_either(bottleneck)}" if bottleneck is not None and bottleneck.finding.suspects else ""


def _either(bottleneck: Bottleneck) -> str:
    return " or ".join(s.label for s in bottleneck.finding.suspects)


def _names(bottleneck: Bottleneck) -> tuple[str, ...]:
    return tuple(s.key for s in bottleneck.finding.suspects)
