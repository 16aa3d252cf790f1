"""Every error Ulterion raises on purpose.

A message is one line that names the thing, says why, and says what to do.  The command line turns the class into an
exit status; nothing else in the program ends the process.
"""

from __future__ import annotations

import errno
from collections.abc import Iterable

from ulterion.core.renamed import new_name


class UlterionError(Exception):
    """Base of all errors that carry a message meant for the reviewer."""


class UsageError(UlterionError, ValueError):
    """Wrong use or wrong input: nothing was measured and nothing was changed."""


class UnitError(UsageError):
    """A quantity that cannot be read, or that could mean two things."""


class TargetFailed(UlterionError, OSError):  # noqa: N818 - it names what happened, as the exit status does
    """The thing under test failed while it was used.

    Attributes:
        offset: byte offset of the request that failed, or None.
        moved: bytes moved in the unfinished pass before the failure.
        code: the system's error number, or None.
    """

    def __init__(self, message: str, *, offset: int | None = None, moved: int = 0, code: int | None = None) -> None:
        super().__init__(message)
        self.offset, self.moved, self.code = offset, moved, code

    @classmethod
    def of_request(cls, error: OSError, offset: int, moved: int) -> TargetFailed:
        """Return the failure of a request at `offset`, after `moved` bytes."""
        name = errno.errorcode.get(error.errno or 0, "error")
        return cls(f"{error.strerror} ({name}) at offset {offset}", offset=offset, moved=moved, code=error.errno)


class Interrupted(UlterionError):  # noqa: N818 - not a fault
    """The reviewer, or the system, asked the program to stop."""


class WorkerLost(Interrupted):
    """A worker process was ended from outside (by the system when memory ran short, or by hand)."""


class PassSpoiled(UlterionError):  # noqa: N818 - it names what happened
    """A pass does not count, though nothing failed: the machine or the program stood still meanwhile, or the figure is impossible.

    Attributes:
        of_target: whether it is the target that spoils passes, so that one that goes on doing so has failed.
    """

    def __init__(self, message: str, *, of_target: bool = False) -> None:
        super().__init__(message)
        self.of_target = of_target


FEW = 3  # names that a question can hold


def nearest(name: str, known: Iterable[str], alike: float = 0.5) -> str | None:
    """Return the known name that begins with `name` or is most like it; None where none reaches the likeness `alike` (0 to 1)."""
    from difflib import get_close_matches  # loaded where something was misspelt

    names = {k.casefold(): k for k in known}
    longer = [k for k in names if name and k.startswith(name.casefold())]
    if len(longer) == 1:
        return names[longer[0]]
    close = get_close_matches(name.casefold(), names, n=1, cutoff=alike)
    return names[close[0]] if close else None


def unknown(what: str, name: str, known: Iterable[str], *, most: int = 12) -> str:
    """Return the sentence for an unknown name: the near one when there is one, else those that exist."""
    known = sorted(known)
    now = new_name(name)
    if now in known:
        return f"unknown {what} '{name}'; it is called '{now}' now"
    longer = [f"'{k}'" for k in known if name and k.casefold().startswith(name.casefold())]
    if 1 < len(longer) <= FEW:
        return f"unknown {what} '{name}'; did you mean {' or '.join(longer)}?"
    near = nearest(name, known)
    if near is not None:
        return f"unknown {what} '{name}'; did you mean '{near}'?"
    if not known:
        return f"unknown {what} '{name}'; there are none yet"
    more = ", ..." if len(known) > most else ""
    return f"unknown {what} '{name}'; there are: {', '.join(known[:most])}{more}"
