"""Which system this is, and whether its own engine is to be left aside for the one that runs on every system."""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import threading
from collections.abc import Iterator
from types import FrameType
from typing import Literal

from ulterion.core.errors import UsageError

System = Literal["linux", "macos", "windows"]
ENGINE = "ULTERION_ENGINE"  # in the environment: 'portable' takes the portable engine on Linux too
PORTABLE = "portable"
NAMES: dict[System, str] = {"linux": "Linux", "macos": "macOS", "windows": "Windows"}
UNTRIED = "written from the system's public documentation and tried on stand-ins only, never on real hardware"
STOPPING = {getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name)}
"""What asks a program to stop: Ctrl-C, and the signals that end a session or a service."""


@contextlib.contextmanager
def stops_held() -> Iterator[None]:
    """Hold back signals that ask the program to stop until the block ends.

    Some libraries catch every exception while they load. They would swallow the one that a signal raises.
    """
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    asked: list[tuple[int, FrameType | None]] = []
    handlers = {number: signal.getsignal(number) for number in STOPPING}
    held = {number: handler for number, handler in handlers.items() if callable(handler)}
    for number in held:
        signal.signal(number, lambda number, frame: asked.append((number, frame)))
    try:
        yield
    finally:
        for number, handler in held.items():
            signal.signal(number, handler)
    for number, frame in asked[:1]:
        held[number](number, frame)


def system() -> System:
    """Return the system; any other is treated as Linux, where what it lacks is reported."""
    return "macos" if sys.platform == "darwin" else "windows" if sys.platform == "win32" else "linux"


def is_portable() -> bool:
    """Return whether bytes are moved by the portable engine."""
    return system() != "linux" or os.environ.get(ENGINE) == PORTABLE


def check_engine() -> None:
    """Raise UsageError where the environment asks for an engine that does not exist."""
    asked = os.environ.get(ENGINE, "")
    if asked not in ("", PORTABLE):
        raise UsageError(
            f"{ENGINE}={asked}: there is no such engine; write {PORTABLE}, or leave it out for this system's own"
        )


def linux_alone(what: str) -> None:
    """Raise UsageError where something is asked for that is there on Linux only."""
    if system() != "linux":
        raise UsageError(
            f"{what} works on Linux only so far; on {NAMES[system()]} there are 'survey', and 'measure' and 'soak' of folders and files"
        )


def untried() -> str | None:
    """Return what a reader must know of figures from this system, None on Linux."""
    here = system()
    return (
        None
        if here == "linux"
        else f"measuring on {NAMES[here]} is {UNTRIED}: check its figures against another measurement"
    )
