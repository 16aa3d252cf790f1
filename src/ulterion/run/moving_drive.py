"""A drive that a hand moves from port to port: found once, and known again wherever it comes back."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import Drive, Survey
from ulterion.core.units import show_duration, show_size
from ulterion.host import machine
from ulterion.host.uevents import Uevents

SETTLED = 2.0  # seconds that the drive must stay as it is
STEP = 1.0  # seconds between two looks; mounting sends no message
Ask = Callable[[str], bool | None]
Tell = Callable[[str], None]


@dataclass(frozen=True)
class Moving:
    """The drive that is moved.

    Attributes:
        name: as it is called in sentences.
        serial: its serial number, or None where it shows none.
        size: bytes of it: what a medium is known by whose reader or box shows a serial of its own.
        bridged: whether it hangs behind a bridge or in a reader, which may be exchanged with everything it shows.
    """

    name: str
    serial: str | None
    size: int | None
    bridged: bool = False

    def is_it(self, drive: Drive, others: Sequence[Drive]) -> bool:
        """Return whether a drive is this one: by its serial, or as the only one of just its size where the serial may be a box's."""
        if self.serial is not None and drive.serial == self.serial:
            return True
        alike = [d for d in others if d.size == self.size]
        return self.size is not None and drive.size == self.size and len(alike) == 1


@dataclass(frozen=True)
class Arrived:
    """A drive that is where it can be measured: the folder where it is mounted, and what the system shows of it."""

    folder: Path
    drive: Drive


def candidates(survey: Survey) -> list[Drive]:
    """Return the drives that a hand could have plugged in: mounted, and not the system's."""
    return [d for d in survey.drives if _folder(d) is not None and not d.system and not d.read_only]


def chosen_drive(survey: Survey, named: str | None) -> Drive:
    """Return the drive that is meant, by kernel name, serial number or the folder where it is mounted; raise UsageError."""
    there = candidates(survey)
    if named is not None:
        bare = named.removeprefix("/dev/").rstrip("/")
        for drive in survey.drives:
            mounted = {v.mounted for v in drive.volumes if v.mounted}
            if bare in (drive.name, drive.serial) or named.rstrip("/") in mounted:
                if drive.system:
                    raise UsageError(f"{named} is the system's disk, which cannot be moved from port to port")
                if _folder(drive) is None:
                    raise UsageError(f"{drive.name} is not mounted; mount it, and try again")
                return drive
        raise UsageError(f"there is no drive '{named}'; {_listed(there)}")
    if len(there) == 1:
        return there[0]
    if not there:
        raise UsageError(
            "no drive is plugged in and mounted besides the system's; plug in the one that is to be moved, and mount it"
        )
    raise UsageError(f"which drive is moved? Name it with --drive: {_listed(there)}")


def moving(drive: Drive) -> Moving:
    """Return what a drive is known by wherever it comes back."""
    name = drive.model or drive.name
    bridged = any(s.role in ("bridge", "slot") for s in drive.steps)
    return Moving(f"{name}, serial {drive.serial}" if drive.serial else name, drive.serial, drive.size, bridged)


def arrived(drive: Drive) -> Arrived:
    """Return a mounted drive as one that can be measured."""
    folder = _folder(drive)
    assert folder is not None
    return Arrived(folder, drive)


def wait_until_moved(one: Moving, last_port: str | None, seconds: float, tell: Tell, ask: Ask) -> Arrived:
    """Return once the drive was taken out of its port and is back in another, mounted and settled.

    Another drive, or the same port again, is told at once; whether that port is meant, as with another cable, is asked.  Raises UsageError when
    the time is up.
    """
    events, until = Uevents(), time.monotonic() + seconds
    watch = _Watch(one, last_port, {d.name: d.serial for d in machine.survey().drives}, ask)
    try:
        while True:
            found = watch.look(machine.survey().drives, tell)
            if found is not None:
                time.sleep(SETTLED)
                again = watch.look(machine.survey().drives, tell)
                if again is not None:
                    return again
                continue
            left = until - time.monotonic()
            if left <= 0:
                raise UsageError(
                    f"{one.name} did not come back in {show_duration(seconds)}; run the same command again to go on"
                )
            events.wait(min(left, STEP))
    finally:
        events.close()


class _Watch:
    """What was seen of the drive since it was asked to be moved."""

    def __init__(self, one: Moving, last_port: str | None, known: dict[str, str | None], ask: Ask) -> None:
        self._one, self._port, self._known, self._ask = one, last_port, known, ask
        self._gone = self._same_port_is_meant = False
        self._said = ""

    def look(self, drives: Sequence[Drive], tell: Tell) -> Arrived | None:
        """Return the drive where it is back and can be measured; tell what is wrong, once."""
        there = [d for d in drives if d.size and not d.system]
        mine = next((d for d in there if self._one.is_it(d, there)), None)
        if mine is None:
            if not self._gone:
                self._gone = True
                tell("unplugged")
            self._say(tell, self._stranger(there))
            return None
        if not self._gone and mine.port == self._port:
            return None  # it was not taken out yet
        self._gone = True
        if mine.port is not None and mine.port == self._port and not self._is_meant(mine, tell):
            return None
        folder = _folder(mine)
        if folder is None:
            self._say(tell, f"{mine.name} is there, and not mounted yet")
            return None
        return Arrived(folder, mine)

    def _stranger(self, there: Sequence[Drive]) -> str:
        new = next((d for d in there if self._known.get(d.name, "") != d.serial and d.size != self._one.size), None)
        if new is None:
            return ""
        size = f", {show_size(new.size)}" if new.size else ""
        return f"that is another drive: {new.model or new.name}{size}, serial {new.serial or 'not shown'}; waiting for {self._one.name}"

    def _is_meant(self, mine: Drive, tell: Tell) -> bool:
        if self._same_port_is_meant:
            return True
        words = f"it is in the same port again ({mine.port})"
        if self._said == words:
            return False
        self._said = words
        answer = self._ask(f"{words}. Is that meant, as with another cable?")
        if answer:
            self._same_port_is_meant = True
            return True
        tell(f"{words}; plug it into the other one")
        self._gone = False
        return False

    def _say(self, tell: Tell, words: str) -> None:
        if words and words != self._said:
            tell(words)
            self._said = words


def _folder(drive: Drive) -> Path | None:
    """Return where the largest mounted volume of a drive is, or None."""
    mounted = [v for v in drive.volumes if v.mounted]
    best = max(mounted, key=lambda v: v.size or 0, default=None)
    return Path(best.mounted) if best is not None and best.mounted else None


def _listed(there: Sequence[Drive]) -> str:
    told = [f"{d.name} ({d.model or 'no model'}, {show_size(d.size or 0)}, {_folder(d)})" for d in there]
    return "here: " + ", ".join(told) if told else "none is mounted besides the system's"
