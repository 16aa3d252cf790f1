"""How the work of a child process ended, in a form that the parent receives.

A request to a device that does not answer cannot be interrupted, and neither can opening it.  So children do both, and the
parent only watches.
"""

from __future__ import annotations

import errno
import os
import signal
from collections.abc import Callable
from typing import cast

from ulterion.core.errors import TargetFailed, UsageError, WorkerLost

SCARCE = (errno.EMFILE, errno.ENFILE, errno.ENOMEM, errno.EAGAIN)  # what the system may run short of
GRACE = 5.0  # seconds that a child gets to end in order

Outcome = tuple[str, object]
"""How a child's work ended: a kind ('done', 'failed', 'refused', 'scarce', 'broken') and what belongs to it."""


def outcome(work: Callable[[], object]) -> Outcome:
    """Do work and return how it ended; never raises, so that the parent always hears."""
    try:
        return "done", work()
    except TargetFailed as error:
        return "failed", (str(error), error.offset, error.moved, error.code)
    except UsageError as error:
        return "refused", str(error)
    except MemoryError:
        return "scarce", errno.ENOMEM
    except Exception as error:
        for one in (error, error.__cause__):
            if isinstance(one, OSError) and one.errno in SCARCE:
                return "scarce", one.errno
        return "broken", f"{type(error).__name__}: {error}"


def value_of(ended: Outcome) -> object:
    """Return the result of a child's work, or raise its error."""
    kind, value = ended
    if kind == "done":
        return value
    if kind == "failed":
        text, offset, moved, code = cast("tuple[str, int | None, int, int | None]", value)
        raise TargetFailed(text, offset=offset, moved=moved, code=code)
    if kind == "refused":
        raise UsageError(str(value))
    if kind == "scarce":
        number = cast(int, value)
        raise OSError(number, os.strerror(number))
    raise RuntimeError(f"a worker process failed: {value}")


def lost(status: int) -> WorkerLost:
    """Return the error for a child that ended without a word, by its wait status."""
    number = os.waitstatus_to_exitcode(status)
    how = f"ended by {signal.Signals(-number).name}" if number < 0 else f"ended with status {number}"
    why = "the system may have run short of memory" if number == -signal.SIGKILL else "it was killed from outside"
    return WorkerLost(f"a worker process was {how}: {why}; what was measured before is kept")
