"""What there is to copy: the files, folders and links below the sources, one after the other, in any number."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass

BLOCK = 512  # bytes in one of st_blocks (stat(2))
Kind = Literal["file", "folder", "link", "other", "unreadable"]


class Entry(NamedTuple):
    """One thing to copy.

    Attributes:
        source: its path.
        name: its path below the copy's own folder.
        kind: 'file', 'folder', 'link' (kept as a link), 'other' (a pipe, a socket, a device: not copied), or 'unreadable'.
        size: bytes, of a file.
        modified: nanoseconds since 1970.
        mode: permissions.
        allocated: bytes on the medium; fewer than the size where there are holes.
        names: how many names a file has (hard links).
        why: why it cannot be read, '' where it can.
    """

    source: bytes
    name: bytes
    kind: Kind
    size: int = 0
    modified: int = 0
    mode: int = 0o644
    allocated: int = 0
    names: int = 1
    why: str = ""

    @property
    def sparse(self) -> bool:
        """Whether it has holes."""
        return self.allocated < self.size


def entry_of(source: bytes, name: bytes) -> Entry:
    """Return what lies at a path; one that cannot be read says why."""
    try:
        facts = os.lstat(source)
    except OSError as error:
        return Entry(source, name, "unreadable", why=error.strerror or "it cannot be read")
    # never more than rights: set-user-id and its like make of a file what its owner decides on
    mode = facts.st_mode & 0o777
    if stat.S_ISREG(facts.st_mode):
        allocated = facts.st_blocks * BLOCK
        return Entry(
            source=source,
            name=name,
            kind="file",
            size=facts.st_size,
            modified=facts.st_mtime_ns,
            mode=mode,
            allocated=allocated,
            names=facts.st_nlink,
        )
    if stat.S_ISDIR(facts.st_mode):
        return Entry(source=source, name=name, kind="folder", size=0, modified=facts.st_mtime_ns, mode=mode)
    if stat.S_ISLNK(facts.st_mode):
        return Entry(source=source, name=name, kind="link", size=0, modified=facts.st_mtime_ns, mode=mode)
    return Entry(source, name, "other", why="it is no file, folder or link")


def walk(sources: Sequence[bytes], *, follow: bool = True) -> Iterator[Entry]:
    """Yield everything below the sources, a folder before what is in it; one folder's names at a time are held, and no more.

    A link that is found is kept as a link; one that is named as a source is followed, unless `follow` is off.
    """
    for source in sources:
        bare = source.rstrip(b"/") or b"/"
        real = os.path.realpath(bare) if follow and os.path.islink(bare) else bare
        yield from _below(entry_of(real, os.path.basename(bare)))


def _below(top: Entry) -> Iterator[Entry]:
    waiting: list[Entry] = [top]
    while waiting:
        entry = waiting.pop()
        if entry.kind != "folder":
            yield entry
            continue
        source, path = entry.source, entry.name
        try:
            names = sorted(os.listdir(source))
        except OSError as error:
            yield Entry(entry.source, entry.name, "unreadable", why=error.strerror or "it cannot be read")
            continue
        yield entry
        for name in names:
            found = entry_of(b"%b/%b" % (source, name), b"%b/%b" % (path, name))
            if found.kind == "folder":
                waiting.append(found)
            else:
                yield found


@dataclass
class Count:
    """How much there is; `more_names` files with hard links, `attributed` files and folders with extended attributes or access lists."""

    files: int = 0
    bytes: int = 0
    folders: int = 0
    links: int = 0
    others: int = 0
    largest: int = 0
    more_names: int = 0
    attributed: int = 0

    def add(self, entry: Entry) -> None:
        """Count one."""
        if entry.kind == "file":
            self.files, self.bytes = self.files + 1, self.bytes + entry.size
            self.largest = max(self.largest, entry.size)
            self.more_names += entry.names > 1
        elif entry.kind == "folder":
            self.folders += 1
        elif entry.kind == "link":
            self.links += 1
        else:
            self.others += 1
        if entry.kind in ("file", "folder"):
            self.attributed += _has_attributes(entry.source)


def _has_attributes(path: bytes) -> bool:
    """Return whether a file or folder has extended attributes or access lists, labels that the system sets by itself left out."""
    try:
        return any(not name.startswith("security.selinux") for name in os.listxattr(path, follow_symlinks=False))
    except (OSError, AttributeError):  # a file system, or a system, without them
        return False


def count(sources: Sequence[bytes]) -> Count:
    """Return how much there is below the sources; raise UsageError where there is nothing to copy, or two of one name."""
    names = [os.path.basename(s.rstrip(b"/")) for s in sources]
    for name in names:
        if names.count(name) > 1:
            raise UsageError(f"two sources are called '{os.fsdecode(name)}'; copy them one after the other")
    found = Count()
    for entry in walk(sources):
        found.add(entry)
    if not found.files:
        raise UsageError(f"there is no file to copy in {', '.join(os.fsdecode(s) for s in sources)}")
    return found
