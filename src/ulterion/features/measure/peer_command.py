"""`ulterion peer`: the other end of a network, for `ulterion measure --network` on another machine."""

from __future__ import annotations

import argparse

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

DEFAULT_TIME = 3600.0


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    from ulterion.engine.network import PORT

    parser.add_argument("--listen", default="", metavar="ADDRESS", help="listen only at this address")
    parser.add_argument(
        "--port", type=_port, default=PORT, metavar="N", help="port for TCP and UDP (default: %(default)s)"
    )
    parser.add_argument(
        "--code", metavar="CODE", help="the pairing code a bench must give (default: a random one, shown)"
    )
    parser.add_argument(
        "--for",
        dest="time",
        type=options.quantity("parse_duration"),
        default=DEFAULT_TIME,
        metavar="TIME",
        help="stop after this time (default: 1 h)",
    )
    parser.add_argument("--once", action="store_true", help="stop after the first bench has finished")


def _port(text: str) -> int:
    if not text.isdecimal() or int(text) > 65535:
        raise argparse.ArgumentTypeError(f"'{text}' is not a port; give a whole number from 0 (any free one) to 65535")
    return int(text)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Listen until the time is up or Ctrl-C."""
    from ulterion.core.errors import Interrupted
    from ulterion.core.units import show_duration, show_size
    from ulterion.features.measure.peer import Serving
    from ulterion.terminal.signals import stoppable

    serving = Serving(arguments.code, arguments.listen, arguments.port, env.tell)
    env.tell(f"listening on port {serving.port} for {show_duration(arguments.time)}; Ctrl-C ends it")
    env.tell(f"on the bench: ulterion measure --network {serving.address} --code {serving.code}")
    try:
        with stoppable():
            serving.serve(arguments.time, once=arguments.once)
    except (Interrupted, KeyboardInterrupt):
        env.tell("stopped by hand")
    finally:
        serving.close()
    done = serving.happenings
    env.tell(f"{done.served} served, {show_size(done.bytes)} moved, {done.refused} refused")
    return Status.DONE
