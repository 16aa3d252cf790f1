"""What a soak says, in words and tables."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.soak.findings import Findings, TemperatureFinding
from ulterion.core.soak.trace import LOAD
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.soak.judging import Soak, SoakDifference
from ulterion.features.soak.readings import readings_table
from ulterion.features.soak.words import (
    cache_words,
    counter_words,
    difference_words,
    event_words,
    lowest_words,
    moment,
    request_words,
    soak_sentence,
    steady_words,
    why_not_settled,
)
from ulterion.model.review import About
from ulterion.model.runs.soak import SoakRun
from ulterion.results.bottleneck import Bottleneck
from ulterion.show.blocks import BLANK, Definitions, Shown, Table, Text, bullet_list
from ulterion.show.bottleneck_words import bottleneck_text
from ulterion.show.depth import Depth
from ulterion.show.sentences import sentence_of


def soak_results(
    run: SoakRun, soak: Soak | None, unit: str, bottleneck: Bottleneck | None = None, *, depth: Depth = Depth.ANSWER
) -> list[Shown]:
    """Return what a finished soak says, and what limited its setup."""
    if soak is None:
        return [Text("The load never began."), *_remarks(run, None, depth)]
    return [*findings_lines(soak, unit, bottleneck, depth=depth), *_remarks(run, soak.findings, depth)]


def findings_lines(
    soak: Soak, unit: str, bottleneck: Bottleneck | None = None, *, depth: Depth = Depth.ANSWER
) -> list[Shown]:
    """Return the findings of one soak: a sentence, events and temperatures; with their evidence, everything else that was seen."""
    rows = [("" if i else "events", w) for i, w in enumerate(event_words(soak, unit, evidence=depth >= Depth.WHY))]
    rows += [("" if i else "lowest", w) for i, w in enumerate(lowest_words(soak, unit))]
    rows += _evidence_rows(soak, unit, bottleneck) if depth >= Depth.WHY else []
    heat = _heat_table(soak.findings, evidence=depth >= Depth.WHY)
    seen: list[Shown] = [BLANK, Definitions(tuple(rows))] if rows else []
    return [Text(soak_sentence(soak, unit)), *seen, *heat]


def _evidence_rows(soak: Soak, unit: str, bottleneck: Bottleneck | None) -> list[tuple[str, str]]:
    """Return what stands behind the findings of a soak: load, bottleneck, latency, steadiness, counters, energy."""
    findings, record = soak.findings, soak.run.soak
    assert record is not None
    parts = len({p.part for p in record.phases})
    rows = [("load", f"{record.text}{f', in {parts} parts' if parts > 1 else ''}")]
    if bottleneck is not None and bottleneck.finding.suspects:
        rows.append(("bottleneck", bottleneck_text(bottleneck)))
    rows += [("requests", w) for w in request_words(soak)]
    rows += [("steady", steady_words(findings, unit))]
    if findings.recovered is not None:
        rows.append(
            ("recovery", f"{findings.recovered * 100:.0f}% of the write cache had recovered for the second load")
        )
    counted = counter_words(soak)
    if counted:
        rows.append(("counters", counted))
    if findings.energy is not None:
        per = findings.energy / (findings.bytes / 1e9)
        rows.append(("energy", f"{findings.energy / 3600:.2f} Wh under the load, {per:.2f} J for each GB"))
    return rows


def _heat_table(findings: Findings, *, evidence: bool) -> list[Shown]:
    """Return the temperatures of a load; with the `evidence`, why some settled and some did not."""
    if not findings.temperatures:
        return []
    rows = [_heat_row(w, findings) for w in findings.temperatures]
    columns = [
        ("temperature", "left"),
        ("start", "right"),
        ("peak", "right"),
        ("settled", "right"),
        ("±", "right"),
        ("rise", "right"),
        ("after", "right"),
    ]
    reasons = dict.fromkeys(why_not_settled(w) for w in findings.temperatures if why_not_settled(w))
    notes = [
        f"{', '.join(w.sensor for w in findings.temperatures if why_not_settled(w) == reason)}: {reason}"
        for reason in reasons
    ]
    hot = [w for w in findings.temperatures if w.above_limit]
    notes += [f"{w.sensor}: at or above the drive's limit for {show_duration(w.above_limit or 0)}" for w in hot]
    legend = []
    if any(w.settling for w in findings.temperatures):
        legend.append("settled ± half its 95% interval; after: time until within 1 °C of it")
        if not all(w.settling.sure for w in findings.temperatures if w.settling):
            legend.append("~ extrapolated")
        if findings.room is not None:
            moved = f" ± {findings.room_spread / 2:.1f}" if findings.room_spread > 1 else ""
            legend.append(f"rise: settled temperature minus ambient ({findings.room:.1f}{moved} °C)")
    table: list[Shown] = [BLANK, Table(columns, rows, spare=("after", "±"))]
    table += [Text("; ".join(legend), style="muted")] if legend else []
    return [*table, *bullet_list("Temperatures", notes)] if evidence else table


def _heat_row(warmth: TemperatureFinding, findings: Findings) -> list[str]:
    settling = warmth.settling
    start = "–" if warmth.start is None else f"{warmth.start:.1f} °C"
    row = [warmth.sensor, start, f"{warmth.peak:.1f} °C"]
    if settling is None:
        return [*row, "–", "–", "–", "–"]
    about = "" if settling.sure else "~ "
    rise = "–" if findings.room is None else f"{about}{settling.end - findings.room:.1f} °C"
    after = "–" if settling.time is None or not settling.sure else show_duration(settling.time)
    return [*row, f"{about}{settling.end:.1f} °C", f"{(settling.high - settling.low) / 2:.1f}", rise, after]


def _remarks(run: SoakRun, findings: Findings | None, depth: Depth) -> list[Shown]:
    ended = run.state.sentence("soak")
    phases = [f"{p.name}: {show_duration(p.seconds)}, {p.ended}" for p in run.soak.phases if p.ended]
    doubts = [f"{d.sensor}: {d.why}" for d in findings.doubts] if findings else []
    cut = [p for p in run.soak.phases if p.name == LOAD]
    gap = (
        [f"the load was interrupted at {show_duration(cut[0].end)} and resumed at {show_duration(cut[1].start)}"]
        if len(cut) > 1
        else []
    )
    noted = [f"{moment(n.at_seconds)}{n.text}" for n in run.standing_notes]
    read = [f"{moment(r.at_seconds)}{r}" for r in run.standing_readings]
    return [
        *(bullet_list("Phases", phases) if depth >= Depth.WHY else []),
        *bullet_list("Noted by hand", [*read, *noted]),
        *bullet_list("Warnings", [*ended, *gap, *doubts, *run.warnings]),
    ]


def soaks_table(soaks: Sequence[Soak], differences: Sequence[SoakDifference], unit: str, about: About) -> list[Shown]:
    """Return several soaks beside each other, and how each differs from the first; `about` the review says what a reading by hand may be off by."""
    rows = [_soak_row(s, unit) for s in soaks]
    columns = [
        ("soak", "left"),
        ("first", "right"),
        ("last", "right"),
        ("lowest", "right"),
        ("cache", "right"),
        ("throttled", "right"),
        ("start", "right"),
        ("end", "right"),
        ("peak", "right"),
        ("settled", "right"),
        ("rise", "right"),
    ]
    against = [Text(sentence_of(w)) for d in differences for w in (difference_words(d), *cache_words(d))]
    lines: list[Shown] = [
        *against,
        *([BLANK] if against else []),
        Table(columns, rows, spare=("start", "cache", "lowest", "peak")),
        Text(
            f"{unit}: first level, last minute, lowest second; cache: bytes written before it was full; "
            "throttled: since when; rise: settled temperature minus ambient",
            style="muted",
        ),
    ]
    lines += readings_table(soaks, about)
    for one in differences:
        lines += bullet_list(f"Other differences: {one.first} and {one.second}", one.unlike)
    return lines


def _soak_row(soak: Soak, unit: str) -> list[str]:
    findings = soak.findings
    cache, heat = findings.fall("write cache"), findings.fall("throttling")
    low = findings.lowest
    rates = [show_rate(r, unit, with_unit=False) for r in (findings.fast, findings.last)]
    rates.append(show_rate(low.by_row, unit, with_unit=False) if low else "–")
    drive, rise = findings.drive, findings.rise
    warm = drive or next(iter(findings.temperatures), None)
    sure = drive is not None and drive.settling is not None and drive.settling.sure
    about = "" if sure else "~ "
    return [
        soak.label,
        *rates,
        show_size(cache.written) if cache else "–",
        show_duration(heat.at - soak.load_start) if heat else "–",
        _degrees(warm.start if warm else None),
        _degrees(soak.at_end(warm.sensor) if warm else None),
        _degrees(warm.peak if warm else None),
        f"{about}{drive.settling.end:.1f} °C" if drive and drive.settling else "–",
        f"{about}{rise.value:.1f} °C" if rise else "–",
    ]


def _degrees(celsius: float | None) -> str:
    return "–" if celsius is None else f"{celsius:.0f} °C"
