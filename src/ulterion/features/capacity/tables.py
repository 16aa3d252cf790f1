"""A proof of capacity on the screen, and as plain data."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.units import show_duration, show_percent, show_rate, show_size, show_size_both
from ulterion.model.runs.capacity import CapacityRun
from ulterion.show.blocks import BLANK, Shown, Text, bullet_list, kept_line
from ulterion.show.sentences import first_few, sentence_of

STYLES = {"whole": "good", "stopped": "open", "unproven": "open", "suspected": "bad"}
KINDS = {
    "elsewhere": "what was written elsewhere",
    "nothing": "nothing",
    "damaged": "something else",
    "unreadable": "an error",
}


def after(run: CapacityRun, path: Path | None, unit: str) -> list[Shown]:
    """Return the result, and where it is kept."""
    one = run.capacity
    lines: list[Shown] = [
        Text(sentence_of(one.summary), style=STYLES.get(one.finding, "bad")),
        BLANK,
        Text(f"{run.target.path}, reported as {show_size_both(one.claimed_bytes)}; {one.method}"),
    ]
    if one.real_bytes is not None and one.real_bytes < one.claimed_bytes and one.finding != "suspected":
        lines.append(
            Text(
                f"real: {show_size_both(one.real_bytes)}, {show_percent(one.real_bytes / one.claimed_bytes)} of what it reports"
            )
        )
    for what, size, seconds in (
        ("written", one.written_bytes, one.write_seconds),
        ("read back", one.read_bytes, one.read_seconds),
    ):
        if size and seconds:
            lines.append(
                Text(f"{what} {show_size(size)} in {show_duration(seconds)}, {show_rate(size / seconds, unit)}")
            )
    if one.method == "quick look" and one.write_seconds:
        lines.append(Text(f"checked in {show_duration(one.write_seconds)}"))
    if one.wrong_bytes:
        told = [
            f"{show_size(s.bytes)} from {show_size(s.first) if s.first else 'the beginning'} on: {KINDS[s.kind]}"
            for s in one.stretches
        ]
        lines += bullet_list("What came back wrong", first_few(told))
    lines += bullet_list("Warnings", run.warnings)
    lines += bullet_list("Ended early", run.state.sentence("proof"))
    if one.finding == "stopped" and one.method == "whole device" and one.written_bytes:
        lines.append(Text("to go on from there, repeat the command with --resume", style="muted"))
    return lines if path is None else [*lines, BLANK, kept_line(path)]
