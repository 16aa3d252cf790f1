"""A drive that is moved from port to port by hand, and recognised wherever it is plugged in again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import Drive, Survey
from ulterion.core.records import dataclass
from ulterion.core.units import show_duration, show_size
from ulterion.host import machine
from ulterion.run.waiting import wait_until

Ask = Callable[[str], bool | None]
Tell = Callable[[str], None]


@dataclass(frozen=True)
class Moving:
    """The drive that is moved.

    Attributes:
        name: as it is called in sentences.
        serial: its serial number, or None where it shows none.
        size: its size in bytes.
    """

    name: str
    serial: str | None
    size: int | None

    def is_it(self, drive: Drive) -> bool:
        """Return whether a drive shows the serial number of this one."""
        return self.serial is not None and drive.serial == self.serial

    def may_be(self, drive: Drive, others: Sequence[Drive]) -> bool:
        """Return whether a drive is the only one of this one's size: a card in another reader shows that reader's serial number.

        Another drive of the same model is of the same size too.
        """
        return self.size is not None and drive.size == self.size and [d.size for d in others].count(self.size) == 1


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
        mounted = (d for d in survey.drives if named.rstrip("/") in {v.mounted for v in d.volumes})
        drive = next(mounted, None) or survey.drive_called(named)
        if drive is None:
            raise UsageError(f"there is no drive '{named}'; {_listed(there)}")
        if drive.system:
            raise UsageError(f"{named} is the system's disk, which cannot be moved from port to port")
        if _folder(drive) is None:
            raise UsageError(f"{drive.name} is not mounted; mount it, and try again")
        return drive
    if len(there) == 1:
        return there[0]
    if not there:
        raise UsageError(
            "no drive is plugged in and mounted besides the system's; plug in the one that is to be moved, and mount it"
        )
    raise UsageError(f"which drive do you move? Name it with --drive: {_listed(there)}")


def moving(drive: Drive) -> Moving:
    """Return what a drive is recognised by wherever it is plugged in again."""
    name = drive.model or drive.name
    return Moving(f"{name}, serial {drive.serial}" if drive.serial else name, drive.serial, drive.size)


def arrived(drive: Drive) -> Arrived:
    """Return a mounted drive as one that can be measured."""
    folder = _folder(drive)
    assert folder is not None
    return Arrived(folder, drive)


def wait_until_moved(one: Moving, last_port: str | None, seconds: float, tell: Tell, ask: Ask) -> Arrived:
    """Return once the drive was taken out of its port and is back in another, mounted and settled.

    Says at once when another drive, or the same port, is seen, and asks what only the reviewer knows: whether a drive of the same size with
    another serial number is the same card in another reader, and whether the same port is intended, as with another cable.  Raises UsageError
    when the time is up.
    """
    others = {d.name: d.serial for d in machine.survey().drives if d.size and d.port != last_port}
    watch = _Watch(one, last_port, others, ask)
    return wait_until(
        lambda: watch.look(machine.survey().drives, tell),
        seconds,
        lambda: (
            f"{one.name} was not plugged in elsewhere within {show_duration(seconds)}; run the same command again to go on"
        ),
    )


class _Watch:
    """What was seen of the drive since it was asked to be moved."""

    def __init__(self, one: Moving, last_port: str | None, others: dict[str, str | None], ask: Ask) -> None:
        self._one, self._port, self._others, self._ask = one, last_port, others, ask
        self._gone = self._same_port_is_meant = False
        self._said = ""
        self._answers: dict[str, bool | None] = {}

    def look(self, drives: Sequence[Drive], tell: Tell) -> Arrived | None:
        """Return the drive once it can be measured in another port; say once what is wrong."""
        there = [d for d in drives if d.size and not d.system]
        mine = next((d for d in there if self._one.is_it(d)), None) or self._by_size(there)
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
            self._say(tell, f"{mine.name} is plugged in but not mounted yet")
            return None
        return Arrived(folder, mine)

    def _by_size(self, there: Sequence[Drive]) -> Drive | None:
        """Return the only drive of the same size, where the serial number cannot tell and the reviewer says it is the one."""
        mine = next((d for d in self._new(there) if self._one.may_be(d, there)), None)
        if mine is None or self._one.serial is None or mine.serial is None:
            return mine
        question = f"{mine.name} is the same size, serial {mine.serial}. Is it the same card or drive, in another reader or enclosure?"
        if question not in self._answers:
            self._answers[question] = self._ask(question)
        return mine if self._answers[question] else None

    def _stranger(self, there: Sequence[Drive]) -> str:
        new = next(iter(self._new(there)), None)
        if new is None:
            return ""
        size = f", {show_size(new.size)}" if new.size else ""
        return f"that is another drive: {new.model or new.name}{size}, serial {new.serial or 'not shown'}; waiting for {self._one.name}"

    def _new(self, there: Sequence[Drive]) -> list[Drive]:
        """Return the drives that were not plugged in from the start, besides the one that is moved."""
        return [d for d in there if self._others.get(d.name, "") != d.serial]

    def _is_meant(self, mine: Drive, tell: Tell) -> bool:
        if self._same_port_is_meant:
            return True
        words = f"it is in the same port again ({mine.port})"
        if self._said == words:
            return False
        self._said = words
        answer = self._ask(f"{words}. Is that intended, for example with another cable?")
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
