"""A survey as a tree by port: host first, then what hangs on each controller, faults in words."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from ulterion.core.facts.devices import Change, Drive, Survey
from ulterion.core.links.chain import Step
from ulterion.core.units import show_size, show_size_both
from ulterion.features.survey.words import adapter_words, details, first, in_use, no_size, step_words, volume_words
from ulterion.show.blocks import BLANK, Definitions, Shown, Text, bullet_list, heading

INDENT = 3
LABEL = 6  # characters of what stands before a detail of a drive


def survey_lines(survey: Survey, *, brief: bool = False) -> list[Shown]:
    """Return the survey for people."""
    bench = survey.bench
    facts = [
        bench.host,
        bench.system,
        bench.cpu,
        f"{show_size(bench.memory_bytes)} memory" if bench.memory_bytes else None,
    ]
    found = bullet_list("Attention", first(survey.drives, survey.adapters, survey.refused))
    lines: list[Shown] = [heading(", ".join(f for f in facts if f)), *found, BLANK]
    shown: tuple[Step, ...] = ()
    ordered = sorted(survey.drives, key=lambda d: ([s.name for s in d.steps] or ["~"], d.empty))
    for (steps, empty), group in itertools.groupby(ordered, key=lambda d: (d.steps, d.empty)):
        lines += _branch(steps, shown)
        shown, depth, alike = steps, len(_trunk(steps)), list(group)
        if empty:
            lines += _empty(alike, depth)
        else:
            lines += [line for drive in alike for line in _drive(drive, depth, brief)]
    for adapter in survey.adapters:
        lines += _branch(adapter.steps, shown)
        shown = adapter.steps
        lines.append(_row(len(_trunk(adapter.steps)), adapter.name, adapter_words(adapter), "name"))
    for tunnel in survey.tunnels:
        speed = f"{tunnel.speed} x {tunnel.lanes}" if tunnel.lanes else tunnel.speed or ""
        lines.append(_row(0, f"tunnel {tunnel.name}", ", ".join(w for w in (tunnel.title, speed) if w), "name"))
    lines += [_row(0, slot, "card slot, empty", "muted") for slot in survey.empty_slots]
    if not survey.drives:
        lines.append(Text("No drives found."))
    return [*lines, *bullet_list("Available as root", survey.root_would_add), *bullet_list("Warnings", survey.doubts)]


def _empty(slots: Sequence[Drive], depth: int) -> list[Definitions]:
    """Return the lines of slots without a medium: slots of one name share a line."""
    lines = []
    for model, group in itertools.groupby(slots, key=lambda d: d.model):
        names = [d.name for d in group]
        words = "empty slot" if len(names) == 1 else "empty slots"
        lines.append(_row(depth, ", ".join(names), ", ".join(w for w in (model, words) if w), "name"))
    return lines


def _trunk(steps: Sequence[Step]) -> list[Step]:
    """Return the steps that stand as lines of their own: all but the drive itself."""
    return [s for s in steps if s.role != "drive"]


def _branch(steps: Sequence[Step], before: Sequence[Step]) -> list[Definitions]:
    """Return the lines of the steps that were not shown for the drive before."""
    trunk, known = _trunk(steps), _trunk(before)
    same = 0
    while same < min(len(trunk), len(known)) and trunk[same].name == known[same].name:
        same += 1
    return [
        _row(depth, f"{step.role} {step.name}", step_words(step), "muted")
        for depth, step in enumerate(trunk)
        if depth >= same
    ]


def _row(depth: int, head: str, words: str, style: str) -> Definitions:
    """Return a line of the tree; what is too long hangs below its beginning."""
    return Definitions(((" " * (depth * INDENT) + head, words),), depth * INDENT + len(head) + 2, style)


def _drive(drive: Drive, depth: int, brief: bool) -> list[Definitions]:
    size = show_size_both(drive.size) if drive.size else no_size(drive)
    words = ", ".join(
        w
        for w in (
            drive.model,
            size,
            f"serial {drive.serial}" if drive.serial else None,
            "the system disk" if drive.system else None,
            *(in_use(drive) if brief else []),
        )
        if w
    )
    lines = [_row(depth, drive.name, words, "name")]
    if not brief:
        lines += [_row(depth + 1, f"{k:<{LABEL}}", v, "muted") for k, v in details(drive)]
        lines += [_row(depth + 1, f"{v.name:<{LABEL}}", volume_words(v), "muted") for v in drive.volumes]
    for fault in drive.faults:
        lines.append(_row(depth + 1, f"{'!':<{LABEL}}", fault, "bad"))
    for ceiling in drive.ceilings:
        lines.append(_row(depth + 1, f"{'limit':<{LABEL}}", ceiling, "open"))
    return lines


def change_line(change: Change) -> Shown:
    """Return one line for a drive that came, went or changed."""
    style = {"came": "good", "went": "bad", "changed": "open"}[change.what]
    drive = change.drive
    words = change.words
    if change.what == "came":
        size = show_size(drive.size) if drive.size else no_size(drive)
        words = ", ".join(
            w
            for w in (
                drive.model,
                size,
                drive.serial and f"serial {drive.serial}",
                drive.link,
                drive.driver,
                drive.port,
            )
            if w
        )
        words += "".join(f"; {f}" for f in (*drive.faults, *drive.ceilings))
    return _row(0, f"{change.what:<8}{drive.name}", words, style)
