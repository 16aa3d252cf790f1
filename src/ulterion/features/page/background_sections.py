"""The sections of an article on how it came about: what was done by hand, what was noted, the method, the bench, the runs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ulterion.core.version import __version__
from ulterion.features.capacity.tables import after as capacity_table
from ulterion.features.clock.answer import answers
from ulterion.features.clock.race_charts import race_chart
from ulterion.features.clock.race_judging import amount_words, races_of
from ulterion.features.clock.race_words import story
from ulterion.features.clock.tables import clocked_table
from ulterion.features.copy.tables import after as copy_table
from ulterion.features.notes.compatibility import what_works, works_table
from ulterion.features.page.article import Drawing, PageBlock, Section
from ulterion.features.page.inputs import ReportInputs
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.header import counted
from ulterion.show.blocks import Items, Table, Text, captioned, heading
from ulterion.show.looks import Cast
from ulterion.show.sentences import sentence_of

if TYPE_CHECKING:
    pass

HEADINGS = {
    "noise": "Noise",
    "tool": "Tools needed",
    "tools": "Tools needed",
    "cable": "The cable",
    "light": "Lights",
    "lights": "Lights",
    "stand-in": "What stood in for what",
    "stand-ins": "What stood in for what",
}
"""How a remark begins ('noise: hums under load') that stands under a heading of its own."""
OTHERS = "Remarks"


def by_files(inputs: ReportInputs) -> Iterator[Section]:
    """Yield real files copied, transfers timed by hand, and capacities proven."""
    blocks: list[PageBlock] = []
    for copied in counted(inputs.runs, CopyRun):
        shown = copy_table(copied, None, inputs.unit)
        setup = copied.setup
        place = inputs.review.setup_label(setup) if setup in inputs.review.setups else copied.target.path
        blocks += [
            heading(f"{copied.copied.task}, {'to' if copied.transfer.written else 'from'} {place}, run {copied.id}"),
            *captioned(shown, f"Copy {copied.id}"),
        ]
    for number, (title, runners) in enumerate(races_of(inputs.review, inputs.transfers), 1):
        words = f"{title}: {amount_words(runners)} on one clock"
        told = story(runners)
        blocks += [
            heading(words),
            Drawing(f"race-{number}", race_chart(runners, f"{title}: {amount_words(runners)}", Cast.of(inputs.review))),
            Items(tuple(told)),
        ]
    timed = inputs.clocked
    blocks += [Text(sentence_of(a)) for a in answers(inputs.review, timed, inputs.unit)]
    blocks += captioned(clocked_table(inputs.review, timed, inputs.unit), "Timed by hand")
    for run in counted(inputs.runs, CapacityRun):
        shown = capacity_table(run, None, inputs.unit)
        name = inputs.labels.get(run.chain[-1], run.chain[-1]) if run.chain else run.target.model or run.id
        blocks += [heading(f"The capacity of {name}"), *captioned(shown, f"Proof of {name}")]
    if blocks:
        yield Section("files", "Files, and capacity", tuple(blocks))


def noted(inputs: ReportInputs) -> Iterator[Section]:
    """Yield findings without a figure, under headings: noise, tools, cables, lights, what stood in for what."""
    found: dict[str, list[str]] = {}
    for run in inputs.every:
        for note in run.standing_notes:
            if note.kind == "remark":
                _sort(found, run.setup, note.text)
    for one in inputs.folder.notebook().notes:
        if one.note is not None and one.note.taken_back is None and one.note.kind == "remark":
            _sort(found, one.setup, one.note.text)
    blocks: list[PageBlock] = list(_what_works(inputs))
    for title in dict.fromkeys([*HEADINGS.values(), OTHERS]):
        if title in found:
            blocks += [heading(title), Items(tuple(found[title]))]
    if blocks:
        yield Section("noted", "Seen and heard", tuple(blocks))


def _what_works(inputs: ReportInputs) -> Iterator[PageBlock]:
    """Yield the table of what works where."""
    for block in works_table(inputs.review, what_works(inputs.folder)):
        if isinstance(block, Table | Text):
            yield block


def _sort(found: dict[str, list[str]], setup: str | None, text: str) -> None:
    start, colon, rest = text.partition(":")
    heading = HEADINGS.get(start.strip().casefold()) if colon else None
    words = rest.strip() if heading else text
    lines = found.setdefault(heading or OTHERS, [])
    line = f"{setup}: {words}" if setup else words
    if line not in lines:
        lines.append(line)


def method(inputs: ReportInputs) -> Iterator[Section]:
    """Yield how it was measured, in plain words, as far as it was used."""
    review = inputs.review.review
    told = [
        "Each pass moves data for a set time and bypasses the operating system's cache. A result is the mean of several passes, "
        "and ± half its 95% interval.",
        f"Two setups differ where the interval of their ratio lies outside ±{review.margin * 100:g}%, which is what would matter "
        "to readers; all comparisons of a medium are one family (Holm's correction).",
    ]
    if inputs.claims:
        told.append(
            f"A claim is met where its interval lies above the claim less {review.tolerance * 100:g}%, missed where it lies below, "
            "undecided where it straddles it, and not testable where another part of the setup cannot do as much."
        )
    if inputs.groups:
        told.append(
            "Bottlenecks are found by elimination: a part that was faster elsewhere is cleared. If several remain, none is named."
        )
    if inputs.soaks:
        told.append(
            "In a long run the rate and the temperature are logged every second; a fall is put down to heat or to a used-up write cache only by "
            "evidence, and where temperatures settle is worked out from their course."
        )
    if any(inputs.works.values()):
        told.append("Times of work follow from the course of the long run, with 90% intervals.")
    links = "Every definition and formula, with its source, is in the documentation of the program (docs/engineering/definitions.md)."
    yield Section("method", "How it was measured", (Items(tuple(told)), Text(links, "muted")))


def bench(inputs: ReportInputs) -> Iterator[Section]:
    """Yield the benches, versions, warnings and runs that it rests on."""
    runs = inputs.every
    if not runs:
        return
    facts = {
        (r.bench.host, r.bench.system or "", r.bench.cpu or "", r.bench.versions.get("ulterion", "?")): None
        for r in runs
    }
    benches = tuple(tuple(Text(text) for text in one) for one in facts)
    heads = tuple((h, "left") for h in ("host", "system", "processor", "Ulterion"))
    blocks: list[PageBlock] = [Table(heads, benches, "Benches")]
    warnings = list(dict.fromkeys(f"{r.setup or r.id}: {w}" for r in runs for w in r.warnings))
    if warnings:
        blocks += [heading("Warnings"), Items(tuple(warnings))]
    left = [f"{r.id} ({r.setup or r.target.path}): {r.excluded}" for r in runs if r.excluded]
    if left:
        blocks += [heading("Excluded runs"), Items(tuple(left))]
    rows = tuple(
        (Text(r.id), Text(r.kind), Text(r.setup or ""), Text(f"{r.started:%Y-%m-%d %H:%M} UTC"), Text(r.state.name))
        for r in runs
    )
    columns = tuple((h, "left") for h in ("run", "kind", "setup", "begun", "ended"))
    blocks.append(Table(columns, rows, "Runs"))
    blocks.append(
        Text(
            f"Made by Ulterion {__version__}. The runs are in this page: ulterion verify PAGE recomputes all of it.",
            "muted",
        )
    )
    yield Section("bench", "Bench and runs", tuple(blocks))
