"""The link of a drive while data moves: a link at rest, to save power, shows its lowest speed until then.

While a run moves data, a link that may be at rest (core/links/chain) is polled, and its fastest speed counts.
A survey reads a little from the drive itself, if it is allowed to.
"""

from __future__ import annotations

import contextlib
import mmap
import os
import threading
import time
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from ulterion.core.facts.target import TargetFacts
from ulterion.core.links.chain import Step, ceilings, faults
from ulterion.host import chains, nvmepaths, stacks

LOOK_EVERY = 0.1  # seconds between two looks: they cost a few small reads of /sys
READ_FOR, READ_BYTES = 0.3, 2**20  # seconds, and bytes of a read, that a survey moves
LIVE = Path("/")


def may_rest(steps: Sequence[Step]) -> bool:
    """Return whether a link on the way may be at rest."""
    return any(s.may_rest for s in steps)


class LinkWatch:
    """Looks at the links of a disk until it is stopped; start it before data moves."""

    def __init__(self, disk: str, root: Path = LIVE) -> None:
        self._place, self._root = nvmepaths.place_of(disk, root), root
        self._stop = threading.Event()
        self._best: tuple[Step, ...] = ()
        self._thread = threading.Thread(target=self._look, name="link-watch", daemon=True)
        self._thread.start()

    def _look(self) -> None:
        while not self._stop.wait(LOOK_EVERY):
            with contextlib.suppress(OSError):  # the drive may be pulled out
                self._best = _faster(self._best, chains.steps_of(self._place, self._root))
            if self._best and not may_rest(self._best):
                return

    def stop(self) -> tuple[Step, ...]:
        """Stop, and return the steps as they were at their fastest; empty where there was no time to look."""
        self._stop.set()
        self._thread.join()
        return tuple(replace(s, loaded=True) if s.role == "controller" else s for s in self._best)


def _faster(old: tuple[Step, ...], new: tuple[Step, ...]) -> tuple[Step, ...]:
    if any(s.role == "controller" and s.link is None for s in new):  # not readable just then: that is no faster link
        return old
    return new if not old or (new and not may_rest(new)) else old


def steps_under_load(disk: str, steps: tuple[Step, ...], root: Path = LIVE) -> tuple[Step, ...]:
    """Return the steps to a disk while it is read for a moment, where a link may be at rest and the disk may be read."""
    if not may_rest(steps):
        return steps
    watch = LinkWatch(disk, root)
    try:
        read = _read_for_a_moment(root / "dev" / disk)
    finally:
        seen = watch.stop()
    return seen or steps if read else steps


def _read_for_a_moment(device: Path) -> bool:
    """Read scattered blocks past the cache; return whether the device could be read."""
    try:
        fd = os.open(device, os.O_RDONLY | os.O_DIRECT)
    except OSError:
        return False
    try:
        size, end, at = os.lseek(fd, 0, os.SEEK_END), time.monotonic() + READ_FOR, 0
        with mmap.mmap(-1, READ_BYTES) as buffer:
            while time.monotonic() < end:
                os.preadv(fd, [buffer], at)
                at = (at + 3 * READ_BYTES) % max(1, size - READ_BYTES) // READ_BYTES * READ_BYTES
        return True
    except OSError:
        return False
    finally:
        os.close(fd)


@contextlib.contextmanager
def watched(facts: TargetFacts, root: Path = LIVE) -> Iterator[LinkedFacts]:
    """Watch a target's links while a run moves data, where one may be at rest."""
    watch = None
    if facts.device is not None and may_rest(facts.steps):
        watch = LinkWatch(stacks.whole_disk(facts.device, root), root)
    linked = LinkedFacts(facts, watch)
    try:
        yield linked
    finally:
        linked.known()


class LinkedFacts:
    """The facts of a target, with its links as they are under load once the run is over."""

    def __init__(self, facts: TargetFacts, watch: LinkWatch | None) -> None:
        self._facts, self._watch = facts, watch

    def known(self) -> TargetFacts:
        """Stop watching, and return the facts."""
        if self._watch is not None:
            steps, self._watch = self._watch.stop(), None
            self._facts = with_steps(self._facts, steps) if steps else self._facts
        return self._facts


def warnings_under_load(warnings: Sequence[str], before: TargetFacts, after: TargetFacts) -> list[str]:
    """Return a run's warnings with what the links show under load in place of what they showed at rest."""
    gone = {*before.faults, *before.ceilings} - {*after.faults, *after.ceilings}
    kept = [w for w in warnings if w not in gone]
    return kept if before == after else list(dict.fromkeys([*kept, *after.faults, *after.ceilings]))


def with_steps(facts: TargetFacts, steps: tuple[Step, ...]) -> TargetFacts:
    """Return the facts of a target whose links were looked at again."""
    old = {s for look in (faults, ceilings) for s in look(facts.steps)}
    controller = next((s for s in reversed(steps) if s.role == "controller"), None)
    was = next((s for s in facts.steps if controller is not None and s.name == controller.name), None)
    same = was is not None and was.link is not None and was.link.name == facts.link
    return replace(
        facts,
        steps=steps,
        link=controller.link.name if same and controller is not None and controller.link is not None else facts.link,
        faults=(*(f for f in facts.faults if f not in old), *faults(steps)),
        ceilings=(*(c for c in facts.ceilings if c not in old), *ceilings(steps)),
    )
