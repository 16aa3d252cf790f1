"""Waiting for a hand: what to plug where, until the right drive is at the right place, mounted and settled."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import Drive
from ulterion.core.units import show_duration
from ulterion.host import machine
from ulterion.host.here import storage_under
from ulterion.model.review import Setup
from ulterion.run.place import Place
from ulterion.run.targets.simulated import clock, free_from
from ulterion.run.waiting import SETTLED, wait_until
from ulterion.sim.bench import load_bench


def wait_for(place: Place, seconds: float, tell: Callable[[str], None], *, told: bool = False) -> float:
    """Return once the drive of a setup is plugged in where it belongs and its target can be used.

    Tells what to do (unless that was `told`), and at once when a wrong drive or port is seen.  Returns the virtual seconds that passed on a simulated
    bench, and 0.0 on a real one, where they have passed.  Raises UsageError when the time is up.
    """
    setup, target = place.entry, place.path
    if setup is None or place.where is None:
        raise UsageError(f"--wait is for setups with a target; '{place.setup}' has none")
    parts = " > ".join(place.review.review.label(k) for k in setup.chain)
    mounted = f" and mounted on {target}" if target is not None else ""
    if not told:
        tell(f"plug in: {parts}; it is measured once it is there{mounted} (waiting {show_duration(seconds)} at most)")
    if target is None:
        return _wait_on_the_bench(place, setup, seconds, tell)
    _wait_for_real(place, setup, target, seconds, tell)
    return 0.0


def _wait_on_the_bench(place: Place, setup: Setup, seconds: float, tell: Callable[[str], None]) -> float:
    """Let virtual time pass until the bench's script of events has plugged the setup in."""
    bench = load_bench(place.bench_file)
    now = free_from(bench, place.simulated_ends)
    if bench.plugged_in(place.setup, now):
        tell("there it is")
        return 0.0
    medium, known = setup.chain[-1], {m.setup for m in bench.events}
    rivals = [n for n, h in place.review.review.setups.items() if h.chain[-1] == medium and n in known]
    for other in rivals:
        if bench.plugged_in(other, now):
            tell(f"{place.review.review.label(medium)} is still in the setup '{other}'")
    at = bench.next_event(place.setup, "plugged in", now)
    if at is None or at - now > seconds:
        raise UsageError(
            f"setup '{place.setup}' was not ready after {show_duration(seconds)} on the simulated bench: "
            + ("no event plugs it in" if at is None else f"it is plugged in at {clock(bench, at)}")
        )
    tell(f"there it is, at {clock(bench, at)} on the bench's clock")
    return at + SETTLED - now


def _wait_for_real(place: Place, setup: Setup, target: Path, seconds: float, tell: Callable[[str], None]) -> None:
    said = ""

    def look() -> Path | None:
        nonlocal said
        words = _missing(setup, target)
        if words is not None and words != said:
            tell(words)
            said = words
        return target if words is None else None

    wait_until(
        look,
        seconds,
        lambda: f"setup '{place.setup}' was not ready after {show_duration(seconds)}: {said}; give --wait more time",
    )
    tell("there it is")


def _missing(setup: Setup, target: Path) -> str | None:
    """Return what is still missing, in words, or None when all is as it should be."""
    expect = setup.expect
    drives = [d for d in machine.survey().drives if d.size]
    mine = next((d for d in drives if expect and expect.serial and d.serial == expect.serial), None)
    if expect is not None and expect.serial is not None:
        if mine is None:
            other = _at_port(drives, expect.port)
            wrong = f"; another drive is there: {other.name}, serial {other.serial}" if other else ""
            return f"the drive with serial {expect.serial} is not there{wrong}"
        if expect.port is not None and mine.port is not None and mine.port != expect.port:
            return f"wrong port: it is in {mine.port} and belongs in {expect.port}"
    if not target.exists():
        return f"{target} is not there yet; mount the drive"
    if target.is_block_device():
        return None
    storage = storage_under(target)
    if mine is not None and storage.disk != mine.name:
        where = storage.name or storage.filesystem or "no disk that the system shows"
        return f"{target} is on {where} and not on {mine.name}; mount the drive there"
    if mine is None and storage.system:
        return f"{target} is still on the system disk; mount the drive there"
    return None


def _at_port(drives: list[Drive], port: str | None) -> Drive | None:
    return next((d for d in drives if port is not None and d.port == port), None)
