"""What one end does in a pass, whichever end it is: its sending and receiving threads."""

from __future__ import annotations

import os
import socket
from collections.abc import Callable
from functools import partial

from ulterion.engine.network.passes import Order, Outcome, at_once
from ulterion.engine.network.streams import Meter, ask, echo, receive, send

Watch = Callable[[], None]


def carry_streams(
    order: Order, socks: dict[int, socket.socket], meter: Meter, watch: Watch | None = None, *, is_bench: bool
) -> Outcome:
    """Send and receive on the connections of a pass; the bench's own receiving is counted live, else its sending."""
    outcome, jobs = Outcome({}, {}), []
    block = os.urandom(order.block)
    receives = {n: order.is_received(n) == is_bench for n in socks}
    tell_sent = not any(receives.values())

    def take(number: int, sock: socket.socket) -> None:
        outcome.counted[number] = receive(sock, order.window, meter, number)

    def give(number: int, sock: socket.socket) -> None:
        outcome.sent[number] = send(sock, block, order.window, meter, number, told=tell_sent)

    for number, sock in socks.items():
        sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        jobs.append(partial(take if receives[number] else give, number, sock))
    at_once(jobs, watch)
    return outcome


def carry_messages(
    order: Order, sock: socket.socket, meter: Meter, watch: Watch | None = None, *, is_bench: bool
) -> Outcome:
    """Ask, or answer, small messages."""
    outcome = Outcome({}, {})
    sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def asking() -> None:
        outcome.counted[0] = ask(sock, order.block, order.window, meter)

    at_once([asking if is_bench else partial(echo, sock, order.block, order.window)], watch)
    return outcome
