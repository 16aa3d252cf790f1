"""Copies in words."""

from __future__ import annotations

from ulterion.core.stats.estimates import Estimate, estimate
from ulterion.core.transfers.copies import End, by_turns, slow_end
from ulterion.core.units import show_between, show_duration, show_rate, show_size
from ulterion.model.runs.copied import CopyRun


def what_words(run: CopyRun) -> str:
    """Return what is copied."""
    one = run.copied
    parts = [f"{one.files} file{'s' if one.files != 1 else ''}, {show_size(one.bytes)}"]
    parts += [f"{one.folders} folder{'s' if one.folders != 1 else ''}"] if one.folders else []
    parts += [f"{one.links} link{'s' if one.links != 1 else ''}, kept as such"] if one.links else []
    return ", ".join(parts)


def expected_words(run: CopyRun) -> str | None:
    """Return what earlier copies let expect, or None."""
    one = run.copied
    if one.predicted_seconds is None or one.predicted_low is None or one.predicted_high is None:
        return None
    span = show_between(show_duration(one.predicted_low), show_duration(one.predicted_high))
    return f"{show_duration(one.predicted_seconds)}, going by earlier copies between these two (90%: {span})"


def between_words(run: CopyRun) -> str:
    """Return what was done between the copies, by the last of them."""
    told = next((p.after for p in reversed(run.copied.passes) if p.after), "")
    return f"between two copies: {told}" if told else ""


def figure(run: CopyRun) -> Estimate | None:
    """Return the rate of its copies, None where none is a figure."""
    return estimate(run.rates) if run.rates else None


def one_drive(run: CopyRun) -> str | None:
    """Return the drive that both ends of a copy are on, None where they are on two, or it is not known."""
    source = run.copied.source
    return run.target.device if source is not None and source.device == run.target.device else None


def slow_end_of(run: CopyRun) -> End | None:
    """Return which end was the bottleneck, None where an end was not measured alone."""
    rate, one = figure(run), run.copied
    if rate is None or one.source_alone is None or one.target_alone is None:
        return None
    return slow_end(rate.rate, one.source_alone.rate, one.target_alone.rate, one_drive=one_drive(run) is not None)


def slow_end_words(end: End, copied: float, source: float, target: float, drive: str | None) -> str:
    """Return which end a copy tells about, with the rates that show it; `drive` is the one that both ends are on."""
    told = f"alone, the source reads at {show_rate(source)} and the target writes at {show_rate(target)}; the copy ran at {show_rate(copied)}"
    if end in ("source", "target"):
        return f"the {end} is the limit: {told}"
    if end == "both":
        return f"both ends are about as fast: {told}"
    if end == "one drive":
        return (
            f"{told}: both ends are on {drive}, which reads and writes in turn at {show_rate(by_turns(source, target))}"
        )
    if copied < min(source, target):
        return f"{told}: the limit is what connects the two, or the copying itself"
    slow = "source" if source < target else "target"
    return f"{told}: faster than the {slow} alone, so a cache helped or something changed in between"


def findings(run: CopyRun) -> list[str]:
    """Return what a copy comes to: which end was slow, what was expected, whether it arrived."""
    one, told = run.copied, figure(run)
    sentences = []
    end = slow_end_of(run)
    if end is not None and told is not None and one.source_alone is not None and one.target_alone is not None:
        rates = told.rate, one.source_alone.rate, one.target_alone.rate
        sentences.append(slow_end_words(end, *rates, one_drive(run)))
    if one.predicted_seconds is not None and one.passes:
        took = sum(p.seconds for p in one.passes) / len(one.passes)
        off = (took / one.predicted_seconds - 1) * 100
        sentences.append(
            f"took {show_duration(took)}, {abs(off):.0f}% {'longer' if off > 0 else 'less'} than expected ({show_duration(one.predicted_seconds)})"
        )
    return [*sentences, *_proof(run)]


def _proof(run: CopyRun) -> list[str]:
    passes = run.copied.passes
    proven = [p for p in passes if p.proven_files is not None]
    if not proven:
        return ["not verified: nothing was read back"] if passes else []
    wrong = sum(p.wrong_count for p in proven)
    if wrong:
        return [f"NOT INTACT: {wrong} file{'s' if wrong != 1 else ''} arrived damaged"]
    files, size = proven[-1].proven_files or 0, show_size(proven[-1].proven_bytes or 0)
    times = f"all {len(proven)} copies" if len(proven) > 1 else "the copy"
    return [
        f"intact: {times} read back past the caches, {files} file{'s' if files != 1 else ''} of {size}; checksums, lengths, names and times match, nothing is missing or extra"
    ]


def troubles(run: CopyRun) -> list[str]:
    """Return what was left out, and what arrived wrong, each once."""
    told: dict[str, None] = {}
    for one in run.copied.passes:
        told |= {f"{r.name}: {r.what} (copy {one.number})": None for r in one.wrong}
        told |= {f"{r.name}: {r.what}; it was left out": None for r in one.skipped}
    return list(told)


def rate_of_class(files: int, size: int, seconds: float, unit: str) -> tuple[str, str]:
    """Return files a second and rate of a class of files, by the seconds its workers took."""
    if seconds <= 0:
        return "–", "–"
    return f"{files / seconds:.0f}", show_rate(size / seconds, unit, with_unit=False)
