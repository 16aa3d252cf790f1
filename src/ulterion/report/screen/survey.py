"""A survey as a tree by port: host first, then what hangs on each controller, faults in words."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import RenderableType
from rich.table import Table
from rich.text import Text

from ulterion.core.chain import Step
from ulterion.core.surveyed import Adapter, Change, Drive, Survey, Volume
from ulterion.core.units import show_size, show_size_both
from ulterion.report.screen.console import bullets

INDENT = 3
LABEL = 6  # characters of what stands before a detail of a drive


def survey_lines(survey: Survey, *, brief: bool = False) -> list[RenderableType]:
    """Return the survey for people."""
    bench = survey.bench
    facts = [
        bench.host,
        bench.system,
        bench.cpu,
        f"{show_size(bench.memory_bytes)} memory" if bench.memory_bytes else None,
    ]
    lines: list[RenderableType] = [Text(", ".join(f for f in facts if f), style="head"), Text("")]
    shown: tuple[Step, ...] = ()
    for drive in sorted(survey.drives, key=lambda d: [s.name for s in d.steps] or ["~"]):
        lines += _branch(drive.steps, shown)
        shown = drive.steps
        depth = len(_trunk(drive.steps))
        lines += _drive(drive, depth, brief)
    for adapter in survey.adapters:
        lines += _branch(adapter.steps, shown)
        shown = adapter.steps
        lines.append(_row(len(_trunk(adapter.steps)), adapter.name, _adapter_words(adapter), "name"))
    for tunnel in survey.tunnels:
        speed = f"{tunnel.speed} x {tunnel.lanes}" if tunnel.lanes else tunnel.speed or ""
        lines.append(_row(0, f"tunnel {tunnel.name}", ", ".join(w for w in (tunnel.title, speed) if w), "name"))
    if not survey.drives:
        lines.append(Text("No drive is seen."))
    return [*lines, *bullets("Root would add", survey.root_would_add)]


def _trunk(steps: Sequence[Step]) -> list[Step]:
    """Return the steps that stand as lines of their own: all but the drive itself."""
    return [s for s in steps if s.role != "drive"]


def _branch(steps: Sequence[Step], before: Sequence[Step]) -> list[RenderableType]:
    """Return the lines of the steps that were not shown for the drive before."""
    trunk, known = _trunk(steps), _trunk(before)
    same = 0
    while same < min(len(trunk), len(known)) and trunk[same].name == known[same].name:
        same += 1
    return [
        _row(depth, f"{step.role} {step.name}", _step_words(step), "muted")
        for depth, step in enumerate(trunk)
        if depth >= same
    ]


def _row(depth: int, head: str, words: str, style: str) -> RenderableType:
    """Return a line of the tree; what is too long hangs below its beginning."""
    grid = Table.grid(padding=0)
    grid.add_column(width=depth * INDENT + len(head) + 2, no_wrap=True)
    grid.add_column(overflow="fold")
    mark = " " * (depth * INDENT)
    grid.add_row(Text(mark + head, style=style), Text(words))
    return grid


def _step_words(step: Step) -> str:
    words = [step.title, step.driver, step.link]
    if step.asks:
        words.append(f"asks for {step.asks:.1f} W" + (f" of {step.gives:.1f} W" if step.gives else ""))
    return ", ".join(w for w in words if w)


def _adapter_words(adapter: Adapter) -> str:
    state = "no cable" if adapter.up is False else None
    return ", ".join(w for w in ("network", adapter.driver, adapter.link, state) if w)


def _drive(drive: Drive, depth: int, brief: bool) -> list[RenderableType]:
    size = show_size_both(drive.size) if drive.size else "no medium"
    words = ", ".join(
        w
        for w in (
            drive.model,
            size,
            f"serial {drive.serial}" if drive.serial else None,
            "the system disk" if drive.system else None,
        )
        if w
    )
    lines = [_row(depth, drive.name, words, "name")]
    if not brief:
        lines += [_row(depth + 1, f"{k:<{LABEL}}", v, "muted") for k, v in _details(drive)]
        lines += [_row(depth + 1, f"{v.name:<{LABEL}}", _volume_words(v), "muted") for v in drive.volumes]
    for fault in drive.faults:
        lines.append(_row(depth + 1, f"{'!':<{LABEL}}", fault, "bad"))
    return lines


def _details(drive: Drive) -> list[tuple[str, str]]:
    blocks = [b for b in (drive.logical_block, drive.physical_block) if b]
    kind = {True: "spinning", False: "no moving parts", None: None}[drive.rotational]
    # what a virtual disk says of itself means nothing, and most USB bridges and sticks do not say that nothing spins
    kind = None if drive.transport == "virtual" or (drive.transport == "USB" and drive.rotational) else kind
    how = [drive.transport, drive.link, drive.driver and _driver_words(drive.driver)]
    what = [
        kind,
        f"blocks of {' / '.join(str(b) for b in dict.fromkeys(blocks))} B" if blocks else None,
        f"queue of {drive.queue_depth}" if drive.queue_depth else None,
        f"cache {drive.write_cache}" if drive.write_cache else None,
        "read-only" if drive.read_only else None,
        "removable" if drive.removable else None,
    ]
    found = [("link", ", ".join(w for w in how if w))]
    found.append(("drive", ", ".join(w for w in what if w)))
    if drive.port:
        found.append(("port", drive.port))
    if drive.temperature is not None:
        found.append(("heat", f"{drive.temperature:.0f} C"))
    if drive.health:
        worn = drive.health.get("percentage_used")
        told = [
            f"{worn:.0f} % of its rated writes used" if worn is not None else None,
            f"{show_size(drive.health['bytes_written'])} written" if drive.health.get("bytes_written") else None,
        ]
        found.append(("health", ", ".join(t for t in told if t) or "asked, nothing of note"))
    return [(k, v) for k, v in found if v]


def _driver_words(driver: str) -> str:
    why = {"uas": "uas (queues commands)", "usb-storage": "usb-storage (one command at a time)"}
    return why.get(driver, driver)


def _volume_words(volume: Volume) -> str:
    words = [
        show_size(volume.size) if volume.size else None,
        volume.filesystem,
        f"on {volume.mounted}" if volume.mounted else "not mounted",
        volume.options or None,
        f"{show_size(volume.free)} free" if volume.free is not None else None,
    ]
    return ", ".join(w for w in words if w)


def change_line(change: Change) -> RenderableType:
    """Return one line for a drive that came, went or changed."""
    style = {"came": "good", "went": "bad", "changed": "open"}[change.what]
    drive = change.drive
    words = change.words
    if change.what == "came":
        size = show_size(drive.size) if drive.size else "no medium"
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
        words += "".join(f"; {f}" for f in drive.faults)
    return _row(0, f"{change.what:<8}{drive.name}", words, style)
