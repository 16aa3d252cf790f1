"""How a command ends that did not end well: one line on standard error, an exit status, and with --json a document.

A fault of our own is said to be ours, with what was kept and where its details are.
"""

from __future__ import annotations

import datetime
import errno
import os
import traceback
from pathlib import Path

from ulterion.core.errors import Interrupted, TargetFailed, UlterionError, WorkerLost
from ulterion.core.text import brief
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Refused, Status
from ulterion.terminal.streams import silence

KINDS = {
    Status.USAGE: "refused",
    Status.TARGET_FAILED: "target failed",
    Status.FAULT: "fault of ours",
    Status.INTERRUPTED: "interrupted",
}
EXTRAS = {"pandas": "tables", "sqlalchemy": "archive"}  # packages that only some commands need, and what installs them
SCARCE = {
    errno.EMFILE: "this program cannot open any more files: raise the limit (ulimit -n), or use fewer workers or targets",
    errno.ENFILE: "the system cannot open any more files; close other programs",
    errno.ENOMEM: "the system has no memory left; close other programs, or use smaller or fewer requests",
    errno.EAGAIN: "the system cannot start more processes (ulimit -u); close other programs",
}


def end(error: BaseException, argv: list[str], env: Environment | None) -> Status:
    """Say how a command ended by an error, and return its exit status."""
    if env is None:
        env = _plain_environment()
    if isinstance(error, BrokenPipeError):
        silence(env.out)  # whoever read the output has gone; there is no one to complain to
        return Status.DONE
    status, sentence = _told(error, env)
    if "--debug" in argv:
        traceback.print_exception(error, file=env.err)
    env.notice([sentence])
    if "--json" in argv and not env.answered:
        _answer(env, status, sentence)
    return status


def _plain_environment() -> Environment:
    """Return the process's environment; where the working folder is gone, with another in its place."""
    try:
        return Environment.real()
    except UlterionError:
        import sys

        from ulterion.terminal.streams import readable

        return Environment(readable(sys.stdout), readable(sys.stderr), Path("/"))


def _told(error: BaseException, env: Environment) -> tuple[Status, str]:
    if isinstance(error, Refused):
        return Status.USAGE, str(error)
    if isinstance(error, KeyboardInterrupt):
        return Status.INTERRUPTED, "stopped by hand"
    if isinstance(error, UlterionError):
        return _status_of(error), str(error)
    if isinstance(error, MemoryError):
        return Status.USAGE, SCARCE[errno.ENOMEM]
    if isinstance(error, OSError):
        return _of_the_system(error, env)
    if isinstance(error, ModuleNotFoundError) and error.name in EXTRAS:
        return Status.USAGE, f"this needs the package {error.name}: pip install 'ulterion[{EXTRAS[error.name]}]'"
    return Status.FAULT, _fault(error)


def _status_of(error: UlterionError) -> Status:
    if isinstance(error, TargetFailed):
        return Status.TARGET_FAILED
    return Status.INTERRUPTED if isinstance(error, Interrupted | WorkerLost) else Status.USAGE


def _of_the_system(error: OSError, env: Environment) -> tuple[Status, str]:
    """Return what to say when the system refused something that no command expected it to refuse."""
    if error.errno in SCARCE:
        return Status.USAGE, SCARCE[error.errno]
    if error.filename is None and error.errno in (errno.ENOSPC, errno.EIO, errno.EBADF, errno.EDQUOT):
        silence(env.out)
        return Status.USAGE, f"the standard output cannot be written: {error.strerror}; what was measured is kept"
    if error.filename is not None and error.errno in (
        errno.EACCES,
        errno.EPERM,
        errno.ENOENT,
        errno.ENOSPC,
        errno.EROFS,
        errno.ENAMETOOLONG,
        errno.ENOTDIR,
        errno.ELOOP,
        errno.EDQUOT,
    ):
        name = os.fsdecode(error.filename) if isinstance(error.filename, str | bytes) else str(error.filename)
        return Status.USAGE, f"{name}: {error.strerror}; correct that, or name another place"
    return Status.FAULT, _fault(error)


def _fault(error: BaseException) -> str:
    """Return the sentence on a fault of ours, once its details are written down."""
    kept = "finished passes are kept, and recovered by the next command"
    return f"a fault of this program, not of the drive: {type(error).__name__}: {brief(str(error))[:200]}; {kept}; {_details(error)}"


def _details(error: BaseException) -> str:
    """Write the traceback into the user's folder for logs; return where it is."""
    try:
        import platformdirs

        folder = Path(platformdirs.user_log_dir("ulterion", appauthor=False))
        folder.mkdir(parents=True, exist_ok=True)
        moment = datetime.datetime.now(datetime.UTC).strftime("%Y%m%dT%H%M%S.%f")
        path = folder / f"fault-{moment}-{os.getpid()}.txt"
        path.write_text("".join(traceback.format_exception(error)), encoding="utf-8", errors="backslashreplace")
    except (OSError, ImportError):
        return "run it again with --debug and report it"
    return f"details for a report are in {path}"


def _answer(env: Environment, status: Status, sentence: str) -> None:
    """Write the refusal as a document."""
    try:
        env.show_json(
            "error",
            {"error": {"kind": KINDS.get(status, "refused"), "status": int(status), "message": brief(sentence)}},
        )
        env.out.flush()
    except OSError:
        silence(env.out)
