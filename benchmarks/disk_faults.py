"""Every write fails once: python -m benchmarks.disk_faults [--most N].

A small library, compiled here and loaded before the C library, counts what the program writes below a folder (writes,
flushes, truncations, renames, new files and folders), in all its processes, SQLite's included, and lets the nth of them fail:
the disk is full, read-only, or gives an error, once or from then on.  Each command is run once for every n.  It must end with one
line and no traceback; what was there must be there, and what has a final name must be whole.
"""

from __future__ import annotations

import argparse
import errno
import os
import shutil
import struct
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

from benchmarks.fuzz import faults_of, run
from benchmarks.kills_of_files import (
    Scene,
    archive_scenes,
    copy_after,
    copy_end,
    kept_end,
    measured,
    plan_end,
    planned,
    sound,
    timed,
    timings,
    with_clips,
)

PROGRAM = Path(sys.executable).with_name("ulterion")
ERRORS = (errno.ENOSPC, errno.EIO, errno.EROFS)
COUNTER = struct.Struct("=Q")
SHIM = r"""
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

static unsigned long *counter;
static const char *under;
static unsigned long nth, stays;
static int error_number;

__attribute__((constructor)) static void begin(void) {
    const char *file = getenv("FAULT_COUNTER");
    int fd = file ? open(file, O_RDWR) : -1;
    if (fd < 0) return;
    counter = mmap(0, sizeof *counter, PROT_READ | PROT_WRITE, MAP_SHARED, fd, 0);
    close(fd);
    under = getenv("FAULT_UNDER"); nth = strtoul(getenv("FAULT_NTH"), 0, 10);
    stays = strtoul(getenv("FAULT_STAYS"), 0, 10); error_number = atoi(getenv("FAULT_ERROR"));
}
static int hit(const char *path) {
    if (!counter || counter == MAP_FAILED || strncmp(path, under, strlen(under))) return 0;
    unsigned long now = __sync_add_and_fetch(counter, 1);
    if (!nth || now < nth || (now > nth && !stays)) return 0;
    errno = error_number;
    return 1;
}
static int hit_fd(int fd) {
    char name[64], path[4096];
    if (!counter) return 0;
    snprintf(name, sizeof name, "/proc/self/fd/%d", fd);
    ssize_t length = readlink(name, path, sizeof path - 1);
    if (length <= 0) return 0;
    path[length] = 0;
    return hit(path);
}
static int hit_at(int dir, const char *path) {
    char name[64], whole[8192];
    if (!counter || !path) return 0;
    if (path[0] == '/') return hit(path);
    if (dir == AT_FDCWD) { if (!getcwd(whole, 4096)) return 0; }
    else {
        snprintf(name, sizeof name, "/proc/self/fd/%d", dir);
        ssize_t length = readlink(name, whole, 4095);
        if (length <= 0) return 0;
        whole[length] = 0;
    }
    strcat(whole, "/"); strncat(whole, path, 4000);
    return hit(whole);
}
#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))
ssize_t write(int fd, const void *b, size_t n) { return hit_fd(fd) ? -1 : REAL(write)(fd, b, n); }
ssize_t pwrite(int fd, const void *b, size_t n, off_t o) { return hit_fd(fd) ? -1 : REAL(pwrite)(fd, b, n, o); }
ssize_t pwrite64(int fd, const void *b, size_t n, off64_t o) { return hit_fd(fd) ? -1 : REAL(pwrite64)(fd, b, n, o); }
ssize_t writev(int fd, const struct iovec *v, int n) { return hit_fd(fd) ? -1 : REAL(writev)(fd, v, n); }
int fsync(int fd) { return hit_fd(fd) ? -1 : REAL(fsync)(fd); }
int fdatasync(int fd) { return hit_fd(fd) ? -1 : REAL(fdatasync)(fd); }
int syncfs(int fd) { return hit_fd(fd) ? -1 : REAL(syncfs)(fd); }
int ftruncate(int fd, off_t n) { return hit_fd(fd) ? -1 : REAL(ftruncate)(fd, n); }
int ftruncate64(int fd, off64_t n) { return hit_fd(fd) ? -1 : REAL(ftruncate64)(fd, n); }
ssize_t copy_file_range(int a, off64_t *x, int b, off64_t *y, size_t n, unsigned f)
{ return hit_fd(b) ? -1 : REAL(copy_file_range)(a, x, b, y, n, f); }
int rename(const char *a, const char *b) { return hit_at(AT_FDCWD, b) ? -1 : REAL(rename)(a, b); }
int renameat(int d, const char *a, int e, const char *b) { return hit_at(e, b) ? -1 : REAL(renameat)(d, a, e, b); }
int renameat2(int d, const char *a, int e, const char *b, unsigned f) { return hit_at(e, b) ? -1 : REAL(renameat2)(d, a, e, b, f); }
int mkdir(const char *p, mode_t m) { return hit_at(AT_FDCWD, p) ? -1 : REAL(mkdir)(p, m); }
int mkdirat(int d, const char *p, mode_t m) { return hit_at(d, p) ? -1 : REAL(mkdirat)(d, p, m); }
#define OPENS(name, dir, call) \
    mode_t mode = 0; \
    if (flags & (O_CREAT | O_TMPFILE)) { va_list more; va_start(more, flags); mode = va_arg(more, mode_t); va_end(more); \
        if (hit_at(dir, path)) return -1; } \
    return call;
int open(const char *path, int flags, ...) { OPENS(open, AT_FDCWD, REAL(open)(path, flags, mode)) }
int open64(const char *path, int flags, ...) { OPENS(open64, AT_FDCWD, REAL(open64)(path, flags, mode)) }
int openat(int d, const char *path, int flags, ...) { OPENS(openat, d, REAL(openat)(d, path, flags, mode)) }
int openat64(int d, const char *path, int flags, ...) { OPENS(openat64, d, REAL(openat64)(d, path, flags, mode)) }
"""


def compiled(folder: Path) -> Path:
    """Compile the library; raise CalledProcessError."""
    (folder / "faults.c").write_text(SHIM)
    made = folder / "faults.so"
    subprocess.run(["gcc", "-shared", "-fPIC", "-O1", "-o", str(made), str(folder / "faults.c"), "-ldl"], check=True)
    return made


class Faults:
    """Runs the program with the nth of its writes below a folder failing."""

    def __init__(self, scratch: Path) -> None:
        self._shim, self._counter = compiled(scratch), scratch / "counter"

    def run(self, words: Sequence[str], folder: Path, nth: int = 0) -> tuple[int, str, str, int]:
        """Return status, both outputs, and how many writes there were; 0 for `nth` lets none fail."""
        self._counter.write_bytes(bytes(COUNTER.size))
        told = {
            "LD_PRELOAD": self._shim, "FAULT_COUNTER": self._counter, "FAULT_UNDER": folder, "FAULT_NTH": nth,
            "FAULT_STAYS": nth // len(ERRORS) % 2, "FAULT_ERROR": ERRORS[nth % len(ERRORS)],
        }  # fmt: skip
        environment = {**os.environ, "NO_COLOR": "1", "COLUMNS": "100", **{k: str(v) for k, v in told.items()}}
        done = subprocess.run(
            [str(PROGRAM), *words],
            cwd=folder,
            env=environment,
            capture_output=True,
            text=True,
            timeout=300,
            check=False,
        )
        return done.returncode, done.stdout, done.stderr, COUNTER.unpack(self._counter.read_bytes())[0]


def exported(folder: Path) -> Iterator[str]:
    """Every table is whole: its last line is."""
    yield from sound(folder)
    for path in (folder / "tables").glob("*.csv"):
        if not path.read_bytes().endswith(b"\n"):
            yield f"{path.name} is not whole"


def noted(folder: Path) -> Iterator[str]:
    """The notebook can be read."""
    yield from sound(folder)
    status, _, err = run(["note"], folder)
    if status:
        yield f"the notebook cannot be read: {err}"


def nothing(folder: Path) -> Iterator[str]:
    """There is nothing more to ask for."""
    yield from ()


def scenes() -> list[Scene]:
    """Return what is run."""
    copy = ["copy", "clips", "target", "--passes", "1", "--no-ends"]
    return [
        Scene(
            "measure",
            ["measure", "--setup", "box", "--suite", "brief", "--passes", "3", "--seconds", "0.1"],
            measured,
            sound,
            nothing,
        ),
        Scene("note", ["note", "--setup", "box", "hums"], measured, noted, nothing),
        Scene("clock --table", ["clock", "--table", "t.csv"], timings, timed, timed),
        Scene("export", ["export", "--to", "tables"], measured, exported, nothing),
        Scene("copy", copy, with_clips, copy_after, copy_end),
        Scene("copy --keep", [*copy, "--keep", "--plain"], with_clips, copy_after, kept_end),
        *archive_scenes("", "SQLite"),
        Scene("plan", ["plan", "run"], planned, sound, plan_end),
    ]


def failed(scene: Scene, faults: Faults, scratch: Path, most: int) -> tuple[list[str], int]:
    """Let each write of a command fail once, `most` of them at most; return what was wrong, and how many failed."""
    source, folder = scratch / "source", scratch / "one"
    source.mkdir(parents=True)
    scene.prepare(source)
    shutil.copytree(source, folder, symlinks=True)
    status, _, err, writes = faults.run(scene.words, folder)
    shutil.rmtree(folder)
    assert status == 0, err
    wrong: list[str] = []
    step = max(1, writes // most)
    chosen = range(1, writes + 1, step)
    for nth in chosen:
        shutil.copytree(source, folder, symlinks=True)
        status, out, err, _ = faults.run(scene.words, folder, nth)
        told = [*faults_of(status, out, err, scene.words), *scene.after(folder)]
        again = run(scene.words, folder)
        if again[0] not in (0, 2) or "fault of ours" in again[2]:
            told.append(f"given again: {again[2][-200:]}")
        told += scene.end(folder) if again[0] == 0 else []
        wrong += [
            f"write {nth} of {writes}, {errno.errorcode[ERRORS[nth % len(ERRORS)]]}: {t}: {err.strip()[-300:]}"
            for t in told
        ]
        shutil.rmtree(folder)
    return wrong, len(chosen)


def main() -> int:
    """Fail, look, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--most", type=int, default=60, help="writes of each command that fail (default: %(default)s)")
    options = parser.parse_args()
    bad = 0
    with tempfile.TemporaryDirectory() as place:
        scratch = Path(place).resolve()
        os.environ |= {
            "XDG_DATA_HOME": f"{scratch}/personal",
            "XDG_STATE_HOME": f"{scratch}/state",
            "XDG_CONFIG_HOME": f"{scratch}/config",
        }
        faults = Faults(scratch)
        for number, scene in enumerate(scenes()):
            wrong, count = failed(scene, faults, scratch / f"scene-{number}", options.most)
            bad += len(wrong)
            print(
                f"{scene.name}: {count} writes failed once each, {len(wrong)} faults",
                *wrong[:10],
                sep="\n  ",
                flush=True,
            )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
