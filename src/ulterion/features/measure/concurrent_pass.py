"""One pass on several targets at once, also where networks are among them."""

from __future__ import annotations

import threading
from collections.abc import Sequence

from ulterion.core.errors import TargetFailed
from ulterion.core.workloads.passes import PassResult, Tick
from ulterion.core.workloads.workload import Workload
from ulterion.run.targets.protocol import SharedTarget, Target

Outcome = PassResult | TargetFailed


def run_at_once(
    targets: Sequence[Target], workloads: Sequence[Workload], seeds: Sequence[int], tick: Tick, stall: float
) -> list[Outcome]:
    """Run one pass on every target, begun together; a failure stands in the place of its result.

    Drives are driven together by the first of them; each network has a thread of its own.  Raises PassSpoiled, and TargetFailed when
    no drive makes progress.
    """
    drives = {i: t for i, t in enumerate(targets) if isinstance(t, SharedTarget)}
    networks = [i for i in range(len(targets)) if i not in drives]
    done: dict[int, Outcome] = {}
    raised: list[BaseException] = []

    def over_network(index: int) -> None:
        try:
            done[index] = targets[index].run_pass(workloads[index], seeds[index], None if drives else tick)
        except TargetFailed as error:
            done[index] = error
        except BaseException as error:  # told where it was asked for
            raised.append(error)

    threads = [threading.Thread(target=over_network, args=(i,), daemon=True) for i in networks]
    for thread in threads:
        thread.start()
    try:
        if drives:
            first, *others = drives.values()
            mine = [workloads[i] for i in drives], [seeds[i] for i in drives]
            done.update(zip(drives, first.run_with(others, *mine, tick, stall), strict=True))
    finally:
        for thread in threads:
            thread.join()
    if raised:
        raise raised[0]
    return [done[i] for i in range(len(targets))]
