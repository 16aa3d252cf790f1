"""The first lines of the program: `ulterion`, and `python -m ulterion`.

A Ctrl-C while the program is still being loaded ends it with the same word as later, and no traceback.
"""

import gc
import os
import signal
import sys

# matrices are small here: a second thread of the linear algebra costs more than it gives, and the machine is being measured
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
gc.set_threshold(50_000, 20, 50)  # libraries are loaded and figures drawn in a tenth less time, for two megabytes


def _stopped_early(number: int, frame: object) -> None:
    os.write(2, b"ulterion: stopped by hand\n")
    os._exit(130)


if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
    signal.signal(signal.SIGINT, _stopped_early)


def main() -> int:
    """Run the command line; return the exit status."""
    from ulterion.cli.main import main as run

    status = run(before=_stopped_early)
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _stopped_early)  # all is done: no traceback from the interpreter's own end
    return status


if __name__ == "__main__":
    sys.exit(main())
