"""What the rates of a matrix come from: factors, pairs of factors and the hour, fitted on the logs.

A run in a cell gives the mean of the logs of its passes.  It is taken as

    mean + level of each factor + level of each pair of factors + drift x hour + what varies from run to run + what varies from pass to pass

with levels that add up to nothing (sum coding), so that a factor's level is its mean over all levels of the others alike, whatever cells are
missing (S. R. Searle, F. M. Speed, G. A. Milliken, Population Marginal Means in the Linear Model, 1980).  A run that repeats a cell, and each
of a setup outside the grid that was measured again and again (the baseline, as a check), tells what varies from run to run.  Runs are weighted by both
variances, the one between runs by the method of R. C. Paule and J. Mandel (1982), and the uncertainty is that of G. Knapp and J. Hartung (2003), its
factor drawn towards 1 by `SCALE_DF`.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field
from typing import Literal, get_args

from ulterion.core.arrays import Floats, np
from ulterion.core.matrix.weights import Observed, Space, between_runs, weighted, within_runs
from ulterion.core.records import dataclass
from ulterion.core.stats.beta import f_tail

Pairs = Literal["all", "whole", "none"]
SPARE = 3  # degrees of freedom that are left over before pairs of factors, or a drift, are fitted
COUNTS_BELOW = {
    2: 0.05,
    3: 0.01,
}  # p, from which on a pair is taken in where there are too few runs for all, and three factors
SCALE_DF = (
    4  # that the variances which are known are worth beside what is left over: few runs may lie together by chance
)
USUAL_BETWEEN, BETWEEN_DF = 0.005, 8
"""What varies from run to run, as a standard deviation of the log, and how many degrees of freedom that is worth, for the drift alone: it is looked
for in every matrix, and from three runs left over nothing but a landslide would count."""


@dataclass(frozen=True)
class Term:
    """Columns of a model that belong together: a factor, a pair of factors, or the drift."""

    factors: tuple[str, ...]
    columns: tuple[int, ...]


@dataclass
class Fitted:
    """A model that was fitted.

    Attributes:
        factors: levels by factor, as they occur.
        terms: what it has.
        beta, covariance: its coefficients.
        df: degrees of freedom of the covariance.
        between: standard deviation of the log from run to run, found in it.
        passes_alone: whether nothing was left to tell what varies from run to run, so that the passes' spread stands alone.
        hour: the drift from the first run to the last as a log, its standard error and degrees of freedom; None where it is not in the model.
        space: what the runs determine.
    """

    factors: dict[str, list[str]]
    terms: list[Term]
    beta: Floats
    covariance: Floats
    df: int
    between: float
    passes_alone: bool
    hour: tuple[float, float, int] | None
    space: Space = field(repr=False)

    def row(self, levels: Mapping[str, str]) -> Floats:
        """Return the row of a combination of levels; a factor that is not named stands at its mean."""
        row = np.zeros(len(self.beta))
        row[0] = 1.0
        for term in self.terms:
            if term.factors and all(f in levels for f in term.factors):
                (row[list(term.columns)],) = _coded(self.factors, term.factors, [levels])
        return row

    def estimable(self, contrast: Floats) -> bool:
        """Return whether the runs determine a combination of the coefficients."""
        return self.space.determines(contrast)

    def value(self, contrast: Floats) -> tuple[float, float]:
        """Return a combination of the coefficients and its standard error."""
        variance = float(contrast @ self.covariance @ contrast)
        return float(contrast @ self.beta), math.sqrt(max(variance, 0.0))


def levels_of(observed: Sequence[Observed]) -> dict[str, list[str]]:
    """Return the levels of each factor that occur, in the order in which they do."""
    found: dict[str, dict[str, None]] = {}
    for one in observed:
        for factor, level in one.cell or ():
            found.setdefault(factor, {})[level] = None
    return {factor: list(levels) for factor, levels in found.items()}


def fit(observed: Sequence[Observed], pairs: Pairs = "all") -> Fitted:
    """Return the model of runs: every factor, the drift where enough is left over for it, pairs of factors, and threes of them that count.

    `pairs` are all of them, 'whole' ones of which every combination of levels was measured, or none; where that leaves too little over, one after
    the other, the plainest first, as long as it counts.  There must be two runs at least.
    """
    factors = levels_of(observed)
    varied = [f for f, levels in factors.items() if len(levels) > 1]
    mains: list[tuple[str, ...]] = [(f,) for f in varied]
    hours = _Tried.of(observed, factors, mains, hours=True).left >= SPARE
    found = [
        p
        for p in itertools.combinations(varied, 2)
        if pairs == "all" or (pairs == "whole" and is_whole(observed, factors, p))
    ]
    tried = _Tried.of(observed, factors, [*mains, *found], hours=hours)
    if found and tried.left < SPARE:
        tried = _with_plainest(observed, factors, _Tried.of(observed, factors, mains, hours=hours), found, hours=hours)
    elif found:
        threes = [t for t in itertools.combinations(varied, 3) if is_whole(observed, factors, t)]
        tried = _with_plainest(observed, factors, tried, threes, hours=hours)
    return _solved(observed, factors, tried)


@dataclass
class Models:
    """The models of one matrix, those with the most pairs first; each is fitted when it is first asked for.

    Attributes:
        observed: the runs, two at least.
    """

    observed: Sequence[Observed]
    _fitted: dict[Pairs, Fitted] = field(default_factory=dict)

    def of(self, pairs: Pairs) -> Fitted:
        """Return the model with these pairs of factors."""
        if pairs not in self._fitted:
            self._fitted[pairs] = fit(self.observed, pairs)
        return self._fitted[pairs]

    def __iter__(self) -> Iterator[Fitted]:
        yield from (self.of(pairs) for pairs in get_args(Pairs))


def is_whole(observed: Sequence[Observed], factors: Mapping[str, list[str]], names: Sequence[str]) -> bool:
    """Return whether every combination of levels of some factors was measured."""
    seen = {tuple(dict(o.cell)[n] for n in names) for o in observed if o.cell is not None}
    return len(seen) == math.prod(len(factors[n]) for n in names)


@dataclass(frozen=True)
class _Tried:
    """A model before it is solved: names of its terms, the terms, rows and what they span, and the degrees of freedom left over."""

    names: tuple[tuple[str, ...], ...]
    terms: list[Term]
    design: Floats
    space: Space
    left: int

    @classmethod
    def of(
        cls,
        observed: Sequence[Observed],
        factors: dict[str, list[str]],
        names: Sequence[tuple[str, ...]],
        *,
        hours: bool,
    ) -> _Tried:
        design, terms = _design(observed, factors, names, hours=hours)
        space = Space.of(design)
        return cls(tuple(names), terms, design, space, len(observed) - space.rank)


def _with_plainest(
    observed: Sequence[Observed],
    factors: dict[str, list[str]],
    now: _Tried,
    terms: Sequence[tuple[str, ...]],
    *,
    hours: bool,
) -> _Tried:
    """Return a model with those further terms that count, found one after the other by the F of what each takes off the squares."""
    means, within = np.array([o.mean for o in observed]), np.maximum(within_runs(observed), 1e-12)
    while True:
        squares = now.space.squares(means, within)
        best: tuple[float, _Tried] | None = None
        for term in terms:
            more = _Tried.of(observed, factors, [*now.names, term], hours=hours) if term not in now.names else None
            if more is None or more.left < SPARE or more.left == now.left:
                continue
            rest, gained = more.space.squares(means, within), now.left - more.left
            p = f_tail(gained, more.left, (squares - rest) / gained / max(rest / more.left, 1e-12))
            if p * (len(terms) if len(term) > 2 else 1) <= COUNTS_BELOW[len(term)] and (best is None or p < best[0]):
                best = (p, more)
        if best is None:
            return now
        now = best[1]


def _coded(factors: Mapping[str, list[str]], names: Sequence[str], cells: Sequence[Mapping[str, str]]) -> Floats:
    """Return the sum coding of one factor's level, or the products of several: a row for each cell."""
    coded = np.ones((len(cells), 1))
    for name in names:
        known = factors[name]
        each = np.vstack([np.eye(len(known) - 1), np.full(len(known) - 1, -1.0)])  # the last level is minus all others
        part = each[[known.index(cell[name]) for cell in cells]]
        coded = (coded[:, :, None] * part[:, None, :]).reshape(len(cells), -1)
    return coded


def _design(
    observed: Sequence[Observed], factors: Mapping[str, list[str]], terms: Sequence[tuple[str, ...]], *, hours: bool
) -> tuple[Floats, list[Term]]:
    """Return the rows of the runs and the terms: mean, factors and pairs, the drift, and a column for each check."""
    checks = list(dict.fromkeys(o.name for o in observed if o.cell is None))
    made, width = [], 1
    for names in terms:
        count = math.prod(len(factors[n]) - 1 for n in names)
        made.append(Term(names, tuple(range(width, width + count))))
        width += count
    drift = width if hours else None
    first = width + (1 if hours else 0)
    rows = np.zeros((len(observed), first + len(checks)))
    times = np.array([o.hour for o in observed])
    span = float(np.ptp(times)) or 1.0
    within = [i for i, o in enumerate(observed) if o.cell is not None]
    cells = [dict(o.cell) for o in observed if o.cell is not None]
    rows[within, 0] = 1.0
    for term in made:
        rows[within, term.columns[0] : term.columns[-1] + 1] = _coded(factors, term.factors, cells)
    for row, one in zip(rows, observed, strict=True):
        if one.cell is None:
            row[first + checks.index(one.name)] = 1.0
    if drift is not None:
        rows[:, drift] = (times - times.mean()) / span
    return rows, [*made, *([Term((), (drift,))] if drift is not None else [])]


def _solved(observed: Sequence[Observed], factors: dict[str, list[str]], tried: _Tried) -> Fitted:
    design, left = tried.design, tried.left
    means, within = np.array([o.mean for o in observed]), np.maximum(within_runs(observed), 1e-12)
    between = between_runs(means, within, tried.space, left) if left > 0 else 0.0
    beta, bread, squares = weighted(means, design, within + between)
    alone = left <= 0
    df = max(1, sum(len(o.logs) - 1 for o in observed)) if alone else left
    scale = 1.0 if alone else (squares + SCALE_DF) / (left + SCALE_DF)
    hour = None if alone else _hour(means, within, between, tried)
    return Fitted(
        factors=factors,
        terms=tried.terms,
        beta=beta,
        covariance=bread * scale,
        df=df,
        between=math.sqrt(between),
        passes_alone=alone,
        hour=hour,
        space=tried.space,
    )


def _hour(means: Floats, within: Floats, between: float, tried: _Tried) -> tuple[float, float, int] | None:
    """Return the drift, its standard error and degrees of freedom, the variance between runs drawn towards the usual one."""
    column = next((t.columns[0] for t in tried.terms if not t.factors), None)
    if column is None or not tried.space.determines(np.eye(tried.design.shape[1])[column]):
        return None
    usual = (tried.left * between + BETWEEN_DF * USUAL_BETWEEN**2) / (tried.left + BETWEEN_DF)
    beta, bread, _ = weighted(means, tried.design, within + usual)
    return float(beta[column]), math.sqrt(float(bread[column, column])), tried.left + BETWEEN_DF
