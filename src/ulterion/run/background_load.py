"""What else loaded the machine while a run was going on: a busy bench is a warning."""

from __future__ import annotations

import os
import time

from ulterion.core.facts.target import TargetFacts
from ulterion.host.activity import activity, busyness
from ulterion.host.stacks import whole_disk


class BackgroundLoad:
    """Looks at the kernel's counters when it is made, and again at the end."""

    def __init__(self) -> None:
        self._before, self._begun, self._own = activity(), time.monotonic(), _own_cpu()

    def warnings(self, target: TargetFacts) -> list[str]:
        """Return what else loaded the machine since, in sentences; nothing for a simulated target."""
        if target.kind == "simulated":
            return []
        disk = whole_disk(target.device) if target.device else None
        return busyness(
            self._before,
            activity(),
            time.monotonic() - self._begun,
            own_cpu=_own_cpu() - self._own,
            own_disk=disk,
            cores=os.cpu_count() or 1,
        )


def _own_cpu() -> float:
    """Return the processor time (seconds) of this process and of its children that have ended."""
    spent = os.times()
    return spent.user + spent.system + spent.children_user + spent.children_system
