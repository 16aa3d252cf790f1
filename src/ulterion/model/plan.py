"""The [plan] of review.toml: factors and levels, what is measured in each cell, and what must hold before one counts.

Each cell is a setup: one of the review that has its levels, or one that the plan's own `chain` makes.
"""

from __future__ import annotations

from typing import Literal

from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.core.errors import UsageError, unknown
from ulterion.core.matrix.grid import Cell, by_cables, expand, shuffled, words
from ulterion.core.patterns import pattern
from ulterion.core.workloads.network import NETWORK_SUITE, parse_each
from ulterion.core.workloads.suites import DEFAULT_SUITE, find_suite
from ulterion.model.expect import Expect
from ulterion.model.quantities import Duration, KnownLink, Size

NONE = "none"  # a level that stands for nothing in that place of the chain
_HOLE = pattern(r"\{([^{}]*)\}")
_UNNAMED = pattern(r"[^0-9A-Za-z]+")


class ProofOfSetting(Written):
    """What must hold before a cell counts: each kind of proof that is given."""

    when: dict[str, str] = Field(default={}, description="levels of the cells it is for; of all cells when left out")
    command: str | None = Field(default=None, min_length=1, description="a command line; it must end with status 0")
    shows: str | None = Field(default=None, min_length=1, description="words that must stand in its output")
    driver: str | None = Field(default=None, min_length=1, description="the kernel driver that the drive must run with")
    link: KnownLink | None = Field(default=None, description="the link that it must run at, or more")
    ask: str | None = Field(
        default=None, min_length=1, description="a question to the reviewer, to be answered with yes"
    )
    replugged: bool = Field(
        default=False, description="whether it must have been unplugged and plugged in since its last cell"
    )


class Plan(Written):
    """A matrix that is to be measured."""

    factors: dict[str, list[str]] = Field(description="names of factors, each with its levels")
    cells: list[dict[str, str]] = Field(default=[], description="these cells alone; the full grid when left out")
    exclude: list[dict[str, str]] = Field(default=[], description="levels whose cells are left out")
    chain: list[str] = Field(
        default=[], description="of setups that are made for cells: names, or {factor} for its level"
    )
    target: str | None = Field(default=None, description="of those setups: folder, or sim:FILE; {factor} for a level")
    expect: dict[str, Expect] = Field(
        default={}, description="by level: what those setups expect of the drive that is plugged in"
    )
    suite: str = DEFAULT_SUITE
    workloads: list[str] = Field(default=[], description="instead of the suite, in words")
    passes: int = Field(default=3, ge=2, le=100, description="of each workload, at least")
    max_passes: int = Field(default=15, ge=2, le=1000, description="where a comparison is still open")
    seconds: Duration | None = Field(default=None, description="length of a pass")
    span: Size | None = Field(default=None, description="stretch of the medium that is covered")
    soak: Duration | None = Field(default=None, description="and a load of this length in each cell")
    checks: int = Field(
        default=3, ge=2, le=100, description="times that the baselines are measured, from beginning to end"
    )
    order: Literal["few changes", "random"] = "few changes"
    seed: int = Field(default=1, ge=0)
    host: str | None = Field(
        default=None, description="the factor whose level is the host that the cell is measured on"
    )
    proofs: list[ProofOfSetting] = []
    compatibility: list[str] = Field(default=[], description="questions of what works, asked in each cell")
    max_rest: Duration = Field(
        default=900.0, description="waited at most for a drive to be as cool, and as fresh, as in its first cell"
    )
    call: str | None = Field(
        default=None, min_length=1, description="a command that calls the reviewer, with the sentence as its last word"
    )

    def ordered(self) -> list[Cell]:
        """Return its cells in the order in which they are to be done; raise UsageError that names what is wrong."""
        cells = expand(self.factors, self.cells, self.exclude)
        return by_cables(cells) if self.order == "few changes" else shuffled(cells, self.seed)

    def proofs_for(self, cell: Cell) -> list[ProofOfSetting]:
        """Return what must hold before a cell counts."""
        return [p for p in self.proofs if p.when.items() <= dict(cell).items()]

    def check(self) -> None:
        """Raise UsageError for names that are no factor or level of it, and settings of which one is of no use without the other."""
        expand(self.factors)
        self._check_proofs()
        self._check_names()
        if not self.workloads and self.suite != NETWORK_SUITE.name:
            find_suite(self.suite)
        for text in self.workloads:
            parse_each(text)
        if self.max_passes < self.passes:
            raise UsageError("plan: 'max_passes' is below 'passes'; give it at least as many")

    def _check_proofs(self) -> None:
        for proof in self.proofs:
            for factor, level in proof.when.items():
                if level not in self.factors.get(factor, []):
                    raise UsageError(
                        f"plan: proofs: there is no '{factor}' that is '{level}'; name a factor and one of its levels"
                    )
            if proof.shows is not None and proof.command is None:
                raise UsageError("plan: proofs: 'shows' needs the 'command' whose output it is compared with")

    def _check_names(self) -> None:
        levels = {level for each in self.factors.values() for level in each}
        for level in self.expect:
            if level not in levels:
                raise UsageError(f"plan: expect: {unknown('level', level, levels)}")
        if self.host is not None and self.host not in self.factors:
            raise UsageError(f"plan: host: '{self.host}' is not a factor; name the one whose levels are hosts")
        for name in (n for text in (*self.chain, self.target or "") for n in _HOLE.findall(text)):
            if name not in self.factors:
                raise UsageError(f"plan: '{{{name}}}' stands for no factor; the factors are: {', '.join(self.factors)}")


def filled(text: str, cell: Cell) -> str:
    """Return a text with each {factor} replaced by the cell's level."""
    levels = dict(cell)
    return _HOLE.sub(lambda m: levels.get(m[1], m[0]), text)


def expected(plan: Plan, cell: Cell) -> Expect | None:
    """Return what a cell's setup expects: all that its levels do."""
    told = [plan.expect[level] for _, level in cell if level in plan.expect]
    values = {name: getattr(one, name) for one in told for name in one.given}
    return Expect.made_of(**values) if values else None


def chain_of(plan: Plan, cell: Cell) -> list[str]:
    """Return the chain that a plan makes for a cell; levels called 'none' stand for nothing."""
    return [name for name in (filled(part, cell) for part in plan.chain) if name != NONE]


def setup_name(cell: Cell) -> str:
    """Return what the setup of a cell is called: its levels."""
    return "-".join(_UNNAMED.sub("-", level).strip("-") or "x" for _, level in cell)


def serving(
    plan: Plan, cells: list[Cell], setups: dict[str, tuple[list[str], dict[str, str]]]
) -> dict[Cell, str | None]:
    """Return which setup, given with its chain and levels, serves each cell; None for one that the plan must make.

    A setup serves a cell when each level is one of its own, or stands in its chain; where the plan makes chains and the setup names no
    level, its chain is the one that the plan makes.  Raises UsageError where two serve one cell, or one serves two.
    """
    found: dict[Cell, str | None] = {}
    taken: dict[str, Cell] = {}
    for cell in cells:
        made = chain_of(plan, cell)
        serve = [
            n
            for n, (chain, levels) in setups.items()
            if serves(cell, chain, levels) and (levels or not made or chain == made)
        ]
        if len(serve) > 1:
            raise UsageError(
                f"plan: the cell '{words(cell)}' is served by the setups '{serve[0]}' and '{serve[1]}'; give them levels that differ"
            )
        if serve and serve[0] in taken:
            raise UsageError(
                f"plan: the setup '{serve[0]}' serves two cells: '{words(taken[serve[0]])}' and '{words(cell)}'; name its levels"
            )
        if serve:
            taken[serve[0]] = cell
        found[cell] = serve[0] if serve else None
    missing = next((cell for cell, name in found.items() if name is None), None)
    if missing is not None and not plan.chain:
        raise UsageError(
            f"plan: no setup serves the cell '{words(missing)}'; add one with these levels, leave the cell out, or give the plan a chain"
        )
    return found


def serves(cell: Cell, chain: list[str], levels: dict[str, str]) -> bool:
    """Return whether a setup serves a cell: each level is one of its own, or stands in its chain."""
    return all(levels[factor] == level if factor in levels else level in chain for factor, level in cell)


def outcome_of(question: str, *, works: bool) -> str:
    """Return how the answer to a question of what works is noted."""
    return f"{question}: {'works' if works else 'does not work'}"
