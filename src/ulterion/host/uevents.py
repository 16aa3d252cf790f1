"""The kernel's own messages of devices coming and going; where they cannot be had, a look every second."""

from __future__ import annotations

import contextlib
import select
import socket
import time

NETLINK_KOBJECT_UEVENT = 15  # linux/netlink.h
KERNEL_GROUP = 1
LOOK_EVERY = 1.0  # seconds between two looks where the kernel sends nothing
SETTLE = 0.3  # seconds of quiet after a message: one plug makes a dozen


class Uevents:
    """Wait for something to happen to a device."""

    def __init__(self) -> None:
        self._socket: socket.socket | None = None
        family = getattr(socket, "AF_NETLINK", None)
        if family is not None:
            with contextlib.suppress(OSError):
                self._socket = socket.socket(family, socket.SOCK_RAW, NETLINK_KOBJECT_UEVENT)
                self._socket.bind((0, KERNEL_GROUP))
                self._socket.setblocking(False)

    @property
    def live(self) -> bool:
        """Whether the kernel sends messages here."""
        return self._socket is not None

    def wait(self, seconds: float) -> bool:
        """Return True once something happened and it is quiet again, False after `seconds` of nothing."""
        if self._socket is None:
            time.sleep(min(seconds, LOOK_EVERY))
            return True
        if not select.select([self._socket], [], [], seconds)[0]:
            return False
        while select.select([self._socket], [], [], SETTLE)[0]:
            with contextlib.suppress(OSError):
                self._socket.recv(65536)
        return True

    def close(self) -> None:
        """Let go."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None
