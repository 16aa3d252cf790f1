"""review.toml: what is under test, what its makers claim, and how it is hooked up.

The format is described in docs/reference/files.md.  Its `schema` number changes when an older Ulterion would misread it:
2 (2026) plain names: `setups`, `baseline`; 1 (2026) the first.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Literal

from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.core.errors import UsageError, unknown
from ulterion.core.links.standards import Link, lower
from ulterion.core.matrix.grid import words
from ulterion.core.stats.samples import VARIES
from ulterion.core.stats.verdicts import MARGIN, TOLERANCE
from ulterion.model import tomlfile
from ulterion.model.claims import Claims, Faster, PowerFacts, Said, with_said
from ulterion.model.expect import Expect
from ulterion.model.older import checked_version, review_of_one
from ulterion.model.plan import Plan, chain_of, expected, filled, serves, serving, setup_name
from ulterion.model.quantities import KnownLink, PortLink, Price, Share, Temperature
from ulterion.model.reading import read_text
from ulterion.model.reportsettings import ReportSettings

FILE_NAME = "review.toml"
SCHEMA = 2
PEER = "peer"  # kind of a part that is another bench, reached over a network; it ends a chain
MAX_NAME_BYTES = 180  # bytes of a setup's name: file names, which hold it, end at 255


class Part(Written):
    """Anything with a spec sheet."""

    name: str = Field(min_length=1, description="maker and product, as readers know it")
    kind: str = Field(
        default="device", min_length=1, description="drive, card, enclosure, reader, hub, adapter, cable, ..."
    )
    link: KnownLink | None = Field(default=None, description="its link towards the host")
    inside: KnownLink | None = Field(default=None, description="its link towards the medium")
    price: Price | None = None
    price_date: datetime.date | None = Field(default=None, description="when it was to be had for that")
    claims: Claims = Claims()
    power: PowerFacts = PowerFacts()
    faster: list[Faster] = []
    verdict: str = Field(
        default="",
        description="the reviewer's sentence on it, in the article, instead of the one that is made of the findings",
    )
    said: list[Said] = Field(default=[], description="who says its claims, where and when; two may disagree")
    note: str = ""


class Port(Written):
    """A port or slot of the host."""

    link: PortLink = Field(
        default=None, description="what it is labelled with; left out, or 'unknown', where that is the question"
    )
    name: str = Field(default="", description="what readers call it")
    claims: Claims = Claims()
    note: str = ""


class Setup(Written):
    """An ordered chain from a port of the host to the medium."""

    chain: list[str] = Field(min_length=1, description="names of a port and of parts, host first, medium last")
    label: str = Field(default="", description="what the reviewer calls it: 'front port', 'with the charger'")
    target: str | None = Field(default=None, description="the folder where the drive is mounted, or sim:FILE")
    baseline: bool = Field(default=False, description="the baseline for this medium")
    expect: Expect | None = None
    levels: dict[str, str] = Field(
        default={}, description="its levels of a plan's factors, where the chain does not name them"
    )
    note: str = ""

    @property
    def medium(self) -> str:
        """The last of the chain: what holds the data."""
        return self.chain[-1]


CAMERA = 2.0  # degrees C


class Bench(Written):
    """The host and the room, as far as the machine cannot tell them itself."""

    host: str = ""
    room: Temperature | None = None
    note: str = ""


class About(Written):
    """The review itself and the limits its verdicts use."""

    title: str = ""
    margin: Share = Field(default=MARGIN, description="differences smaller than this do not matter to readers")
    timing_spread: Share = Field(
        default=VARIES, description="what a transfer timed by hand varies by, where one or two timings cannot show it"
    )
    thermometer: Temperature = Field(
        default=CAMERA, description="what a temperature read by hand may be off by (95%), as of a thermal camera"
    )
    thermometers: dict[str, Temperature] = Field(
        default={}, description="likewise of what was read with another instrument, by its name: case, skin"
    )
    tolerance: Share = Field(default=TOLERANCE, description="what a claim may be missed by")

    def reading_error(self, what: str) -> float:
        """Return what a temperature read by hand may be off by, C (95%)."""
        return self.thermometers.get(what, self.thermometer)


class Review(Written):
    """The whole of review.toml."""

    format_version: Literal[2] = Field(default=2, key="schema")
    review: About = About()
    bench: Bench = Bench()
    ports: dict[str, Port] = {}
    parts: dict[str, Part] = {}
    setups: dict[str, Setup] = {}
    report: ReportSettings = ReportSettings()
    plan: Plan | None = None

    @classmethod
    def as_now(cls, data: object) -> object:
        """Return a file of an earlier version as it would be written now.  Raises ValueError of one that is not known."""
        return review_of_one(data) if checked_version(data, SCHEMA) == 1 and isinstance(data, dict) else data

    def setup(self, name: str) -> Setup:
        """Return a setup by name; raise UsageError with the near one."""
        if name not in self.setups:
            raise UsageError(unknown("setup", name, self.setups))
        return self.setups[name]

    def setups_called(self, name: str) -> list[str]:
        """Return the setup of a name, or all that bear it as their label; raise UsageError with the near one."""
        if name in self.setups:
            return [name]
        wanted = name.casefold().strip()
        labelled = [key for key, setup in self.setups.items() if setup.label and setup.label.casefold() == wanted]
        if not labelled:
            known = [*self.setups, *(s.label for s in self.setups.values() if s.label)]
            raise UsageError(unknown("setup", name, known))
        return labelled

    def setup_called(self, name: str) -> str:
        """Return the one setup of a name or label; raise UsageError where there is none, or several."""
        keys = self.setups_called(name)
        if len(keys) > 1:
            raise UsageError(f"several setups are labelled '{name}': {', '.join(keys)}; name one of them")
        return keys[0]

    def narrowest_link(self, name: str) -> Link | None:
        """Return the link on a setup's way that carries least, as its ports and parts state theirs, or None where none does."""
        link: Link | None = None
        for key in self.setup(name).chain:
            part = self.ports.get(key) or self.parts.get(key)
            link = lower(link, part.link if part is not None else None)
        return link

    def baseline_for(self, medium: str) -> str | None:
        """Return the name of the baseline for a medium, or None."""
        return next((n for n, h in self.setups.items() if h.baseline and h.medium == medium), None)

    def is_peer(self, key: str) -> bool:
        """Whether a part is another bench, reached over a network."""
        return key in self.parts and self.parts[key].kind == PEER

    def label(self, key: str) -> str:
        """Return how a part or port is called in sentences."""
        if key in self.parts:
            return self.parts[key].name
        return (self.ports[key].name if key in self.ports else "") or key

    @cached_property
    def _titles(self) -> Mapping[str, str]:
        """The title of each setup."""
        return {
            name: setup.label or self.joined(setup.chain[1:-1]) or self.label(setup.chain[0])
            for name, setup in self.setups.items()
        }

    def setup_title(self, name: str) -> str:
        """Return how a setup is called: by its label, or the products between port and medium, else by the port.

        Of a part whose name goes on from that of the part before ('H4' and 'H4, Ethernet') only the longer is named.
        """
        return self._titles[name]

    @property
    def has_claims(self) -> bool:
        """Whether a part or a port claims anything."""
        every = [*(p.claims for p in self.parts.values()), *(p.claims for p in self.ports.values())]
        return any(claims != Claims() for claims in every)

    def joined(self, keys: Sequence[str]) -> str:
        """Return the names of parts joined by plus signs."""
        products = [self.label(k) for k in keys]
        return " + ".join(p for p in products if not any(o != p and o.startswith(f"{p},") for o in products))

    def setup_among_all(self, name: str) -> str:
        """Return how a setup is called beside those of other media: with its medium, where another is called alike."""
        title, medium = self.setup_title(name), self.setups[name].medium
        alike = [n for n, other in self._titles.items() if n != name and other == title]
        media = f" with {self.label(medium)}" if any(self.setups[n].medium != medium for n in alike) else ""
        return title + media + self._told_apart(name, [n for n in alike if self.setups[n].medium == medium])

    def setup_label(self, name: str) -> str:
        """Return how a setup is called in a sentence or a figure, told apart from those of the same products and medium."""
        title, medium = self.setup_title(name), self.setups[name].medium
        alike = [n for n, other in self._titles.items() if n != name and other == title]
        alike = [n for n in alike if self.setups[n].medium == medium]
        return title + self._told_apart(name, alike)

    def _told_apart(self, name: str, alike: Sequence[str]) -> str:
        """Return what tells a setup from others that are called alike: its port, levels of a plan's factors, or else its own name."""
        if not alike:
            return ""
        mine, others = self.setups[name], [self.setups[n] for n in alike]
        beside = [h for h in others if h.chain[0] == mine.chain[0]]
        told = f" on {self.label(mine.chain[0])}" if len(beside) < len(others) else ""
        varied = [f for f, level in mine.levels.items() if any(h.levels.get(f, level) != level for h in beside)]
        if any(all(h.levels.get(f) == mine.levels[f] for f in varied) for h in beside):
            return f" ({name})"
        return told + "".join(f", {factor} {mine.levels[factor]}" for factor in varied)


def load_review(path: Path) -> Review:
    """Read review.toml; raise UsageError that names file, place and remedy."""
    return parse_review(read_text(path), path)


def parse_review(text: str, path: Path) -> Review:
    """Read the text of a review.toml; `path` is for messages.  Raises UsageError that names file, place and remedy."""
    review = _with_cells(_with_said(tomlfile.parse(text, path, Review)), path)
    faults = [*_wrong_names(review), *_wrong_chains(review), *_wrong_baselines(review)]
    if review.report.against is not None and review.report.against not in review.setups:
        faults.append((("report", "against"), unknown("setup", review.report.against, review.setups)))
    if faults:
        raise UsageError(tomlfile.joined_faults(path, [(tomlfile.where(text, place), why) for place, why in faults]))
    return review


def _with_said(review: Review) -> Review:
    """Return a review whose parts claim what is only noted as said somewhere."""
    parts = {k: p.changed(claims=with_said(p.claims, p.said)) for k, p in review.parts.items()}
    return review.changed(parts=parts)


def _with_cells(review: Review, path: Path) -> Review:
    """Return a review with a setup for each cell of its plan."""
    plan = review.plan
    if plan is None:
        return review
    try:
        plan.check()
        known = {n: (h.chain, h.levels) for n, h in review.setups.items() if not h.baseline}
        for key, setup in review.setups.items():
            levels = _levels(plan, setup, known) if setup.baseline else {}
            known |= {key: (setup.chain, levels)} if levels else {}
        served = serving(plan, plan.ordered(), known)
    except UsageError as error:
        raise UsageError(f"{path}: {error}") from error
    made = dict(review.setups)
    for cell, name in served.items():
        if name is None:
            chain = chain_of(plan, cell)
            if not chain:
                raise UsageError(
                    f"{path}: plan: the chain of the cell '{words(cell)}' is empty; give it a port and a drive"
                )
            strange = next((key for key in chain if key not in review.ports and key not in review.parts), None)
            if strange is not None:
                told = unknown("part or port", strange, [*review.ports, *review.parts])
                raise UsageError(f"{path}: plan: the chain of the cell '{words(cell)}': {told}")
            name = setup_name(cell)
            if name in made:
                raise UsageError(
                    f"{path}: plan: the cell '{words(cell)}' would be called '{name}', as another setup is; rename a level"
                )
            target = filled(plan.target, cell) if plan.target is not None else None
            expect = expected(plan, cell)
            made[name] = Setup(chain=chain, target=target, expect=expect, levels=dict(cell))
        else:
            made[name] = made[name].changed(levels=dict(cell))
    return review.changed(setups=made)


def _levels(plan: Plan, baseline: Setup, others: dict[str, tuple[list[str], dict[str, str]]]) -> dict[str, str]:
    """Return the levels of a baseline that is a cell of the plan as well: those it names, or those of the one cell that is hooked up as it is.

    Where the plan makes no chains that is the one cell whose levels are all in its chain, if no other setup serves it.
    """
    if set(baseline.levels) == set(plan.factors):
        return baseline.levels
    if plan.chain:
        cells = [cell for cell in plan.ordered() if baseline.chain == chain_of(plan, cell)]
    else:
        cells = [cell for cell in plan.ordered() if serves(cell, baseline.chain, baseline.levels)]
        cells = [cell for cell in cells if not any(serves(cell, *other) for other in others.values())]
    return dict(cells[0]) if len(cells) == 1 else {}


Fault = tuple[tuple[str, ...], str]
"""A place in a review.toml, and what is wrong there."""


def _wrong_names(review: Review) -> Iterator[Fault]:
    for key, part in review.parts.items():
        for rival in (f.than for f in part.faster):
            if rival not in review.parts:
                yield ("parts", key, "faster"), unknown("part", rival, review.parts)
        if key in review.ports:
            yield ("parts", key), "is also the name of a port; give one of them another name"
    for key in review.setups:
        if not key.replace("-", "").replace("_", "").isalnum():
            yield ("setups", key), "use letters, digits, '-' and '_' in the name of a setup"
        if len(key.encode()) > MAX_NAME_BYTES:
            yield ("setups", key), f"has a name longer than {MAX_NAME_BYTES} bytes, too long for a file name"


def _wrong_chains(review: Review) -> Iterator[Fault]:
    known = [*review.ports, *review.parts]
    for name, setup in review.setups.items():
        place = ("setups", name, "chain")
        for index, key in enumerate(setup.chain):
            if key not in known:
                yield place, unknown("part or port", key, known)
            if key in review.ports and index > 0:
                yield place, f"'{key}' is a port of the host and can only stand first"
        if setup.medium in review.ports:
            yield place, "ends at a port; end it with the drive or card that holds the data"


def _wrong_baselines(review: Review) -> Iterator[Fault]:
    seen: dict[str, str] = {}
    for name, setup in review.setups.items():
        if not setup.baseline:
            continue
        if setup.medium in seen:
            why = (
                f"is the baseline for '{setup.medium}', and so is '{seen[setup.medium]}'; only one can be the baseline"
            )
            yield ("setups", name, "baseline"), why
        seen[setup.medium] = name
