"""Doing something again whenever the files of review folders have changed, until Ctrl-C."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from ulterion.core.errors import Interrupted, UlterionError
from ulterion.model.photographs import FOLDER as PHOTOS
from ulterion.terminal.environment import Environment

EVERY = 30.0  # seconds between two times that a run under way is looked at
LOOKS = 2.0  # seconds between two looks at whether anything changed


def watch(
    env: Environment,
    folders: Sequence[Path],
    again: Callable[[list[Path]], None],
    ended: str,
    *,
    journals: bool = False,
) -> None:
    """Call `again` with all folders, then with those that changed, as often as any does, until stopped by hand; then tell `ended`.

    With `journals` a run under way counts as a change too, now and then.

    An error of the first call is the caller's; later ones are told, and the next change is waited for.
    """
    from ulterion.terminal.signals import stoppable

    before = {
        folder: seen(folder, journals=journals) for folder in folders
    }  # looked at first: what ends during the first call counts
    again(list(folders))
    env.out.flush()
    env.tell("watching; Ctrl-C ends it")
    try:
        with stoppable():
            while True:
                time.sleep(LOOKS)
                now = {folder: seen(folder, journals=journals) for folder in folders}
                changed = [folder for folder in folders if now[folder] != before[folder]]
                before = now
                if changed:
                    try:
                        again(changed)
                        env.out.flush()
                    except UlterionError as error:
                        if isinstance(error, Interrupted):
                            raise
                        env.tell(str(error))  # a file that is just being edited
    except (Interrupted, KeyboardInterrupt):
        env.tell(f"stopped by hand; {ended}")


def seen(folder: Path, *, journals: bool = False) -> dict[str, tuple[int, int]]:
    """Return size and moment of change of every file that says something of a review; with `journals` of runs under way the half minute of their last change."""
    found = {}
    for path in [
        folder / "review.toml",
        folder / "notes.json",
        *(folder / "runs").glob("*.json"),
        *(folder / "remarks").glob("*.md"),
        *(folder / PHOTOS).glob("*"),
    ]:
        with contextlib.suppress(OSError):
            state = path.stat()
            found[str(path)] = (state.st_size, state.st_mtime_ns)
    for path in (folder / "runs").glob("*.journal") if journals else ():
        with contextlib.suppress(OSError):
            found[str(path)] = (0, int(path.stat().st_mtime / EVERY))
    return found
