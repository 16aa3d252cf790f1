"""Run by itself: takes away from Python what Windows lacks, loads every module, and plays the demo."""

import builtins
import contextlib
import ctypes
import importlib
import io
import mmap
import os
import pkgutil
import signal
import socket
import sys
import time
import types
from pathlib import Path

LIBRARIES = (
    "concurrent.futures jinja2 markdown_it matplotlib.animation matplotlib.figure mpl_toolkits.mplot3d multiprocessing.pool numpy pandas "
    "PIL.Image platformdirs rich.live sqlalchemy subprocess"
)
for name in LIBRARIES.split():  # they know their own systems, and are loaded as they are
    importlib.import_module(name)
for name in ("os", "signal"):  # a process is started as this system starts one
    setattr(sys.modules["subprocess"], name, types.SimpleNamespace(**vars(sys.modules[name])))
windows = types.ModuleType("msvcrt")  # what Windows has in their place
windows.LK_NBLCK, windows.LK_UNLCK, windows.locking = 2, 0, lambda descriptor, how, count: None
sys.modules["msvcrt"] = windows
for name in ("resource", "fcntl", "termios", "pwd", "grp", "tty", "pty"):
    sys.modules[name] = None
LACKING = {
    mmap: "MAP_PRIVATE MAP_ANONYMOUS MAP_SHARED MADV_HUGEPAGE PROT_READ PROT_WRITE",
    os: "fork O_DIRECT O_TMPFILE O_CLOEXEC O_NOFOLLOW O_DIRECTORY O_NONBLOCK O_PATH pread pwrite preadv pwritev fdatasync posix_fadvise "
    "posix_fallocate statvfs sched_getaffinity memfd_create geteuid getppid waitpid WNOHANG setsid killpg getuid major minor uname sysconf "
    "POSIX_FADV_DONTNEED copy_file_range sendfile sync",
    signal: "pthread_sigmask SIGKILL SIGCONT SIGHUP SIGSTOP SIGWINCH SIGALRM setitimer SIG_BLOCK SIG_SETMASK SIG_UNBLOCK",
    time: "CLOCK_BOOTTIME",
    socket: "AF_UNIX AF_NETLINK send_fds recv_fds SO_REUSEPORT",
}
for module, names in LACKING.items():
    for name in names.split():
        if hasattr(module, name):
            delattr(module, name)
real_library, real_open = ctypes.CDLL, builtins.open


class Library(real_library):
    """No library without a name, as on Windows."""

    def __init__(self, name=None, *arguments, **named):
        if name is None:
            raise TypeError("a library has a name")
        super().__init__(name, *arguments, **named)


def no_system_files(name, *arguments, **named):
    """Open a file, but none of the kernel's."""
    if isinstance(name, str | os.PathLike) and os.fspath(name).startswith(("/proc", "/sys")):
        raise FileNotFoundError(2, "No such file or directory", os.fspath(name))
    return real_open(name, *arguments, **named)


ctypes.CDLL = Library
builtins.open = io.open = no_system_files
os.environ["ULTERION_ENGINE"] = "portable"

package = importlib.import_module("ulterion")
for found in pkgutil.walk_packages(package.__path__, "ulterion."):
    if found.name not in (
        "ulterion.__main__",
        "ulterion.engine.requests.compiled_calls",
    ):  # the second is loaded where there is a compiler
        importlib.import_module(found.name)
environment, main = (
    importlib.import_module("ulterion.terminal.environment").Environment,
    importlib.import_module("ulterion.cli.main").main,
)

for words in (
    ["demo", "--no-report", "demo"],
    ["report", "page.html", "--review", "demo"],
    ["compare", "--review", "demo", "pod"],
):
    if words[0] == "report":
        Path("played").mkdir()  # the test holds them against those of another play
        for run in Path("demo/runs").iterdir():
            Path("played", run.name).write_bytes(run.read_bytes())
        # a page of three runs takes the same way as one of all
        for run in Path("demo/runs").iterdir():
            if not any(f"-measure-{setup}-" in run.name for setup in ("pod", "direct", "slip")):
                run.unlink()
    told = io.StringIO()
    with contextlib.redirect_stdout(told):
        status = main(words, environment(told, sys.stderr, Path.cwd()))
    assert status == 0, (words, told.getvalue()[-300:])
    if words[0] == "report":
        line = next(x for x in told.getvalue().splitlines() if "sections" in x)
print("all loaded, the demo played:", line)
