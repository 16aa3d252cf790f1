"""What a recorder does with a finished pass, in which order."""

from __future__ import annotations

import contextlib
import os
import signal
import unittest
from collections.abc import Callable
from unittest import mock

from ulterion.core.errors import Interrupted, UsageError
from ulterion.core.facts.target import BenchFacts
from ulterion.core.soak.warmth import Warmth
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import parse_workload
from ulterion.engine.requests.calibration import RequestCost
from ulterion.model.runs.measure import Before
from ulterion.model.systems import stops_held
from ulterion.run.session import RunRecorder
from ulterion.run.targets.host import HostTarget
from ulterion.terminal.signals import stoppable

READ = parse_workload("sequential read 4 MiB depth 4")


class Kept(unittest.TestCase):
    def test_a_pass_is_in_the_journal_before_it_is_told(self) -> None:
        """Whoever is told of a pass may kill the program: it is on the medium by then; one that cannot be kept is not told."""
        result = PassResult(10**9, 1.0, 100, LatencyHistogram.lognormal(1e-3, 0.1, 100), None, None, 0.1, (10**8,) * 10)
        steps = mock.Mock()
        recorder = RunRecorder(steps.observer, steps.journal, Warmth, Before(recent_bytes=0))
        recorder.begin(0, READ, 1)
        recorder.end(0, READ, 1, result)
        order = [call[0] for call in steps.mock_calls]
        self.assertLess(order.index("journal.add"), order.index("observer.end"))
        steps.journal.add.side_effect = UsageError("the disk is full")
        steps.observer.end.reset_mock()
        with self.assertRaises(UsageError):
            recorder.end(0, READ, 2, result)
        steps.observer.end.assert_not_called()


class StopCase(unittest.TestCase):
    def setUp(self) -> None:
        # a caller may have Ctrl-C ignored, as nohup has it
        self.addCleanup(signal.signal, signal.SIGINT, signal.signal(signal.SIGINT, signal.default_int_handler))


class Loading(StopCase):
    def target(self, done: list[str], cost: Callable[[], object]) -> HostTarget:
        """Return a target whose steps are noted in `done`."""
        engine = mock.Mock()
        engine.prepare.side_effect = lambda seed, told: (done.append("laying"), told(1, 2), done.append("laid"))
        self.enterContext(mock.patch("ulterion.engine.requests.calibration.own_cost", side_effect=cost))
        return HostTarget(engine)

    def test_the_engine_loads_while_the_file_is_laid_down(self) -> None:
        """Once, after laying has begun; without `late` before; what a request costs is known from then on."""
        for late, order in ((True, ["laying", "loaded", "laid"]), (False, ["loaded", "laying", "laid"])):
            done: list[str] = []
            cost = RequestCost(1e-7, 2e-6, None)
            target = self.target(done, lambda done=done, cost=cost: done.append("loaded") or cost)
            target.make_ready(lambda words: None, late=late)
            target.prepare(1)
            target.prepare(1)
            self.assertEqual(done, [*order, "laying", "laid"])
            self.assertEqual(target.with_own_cost(BenchFacts("bench")).request_cost, 1e-7)

    def test_a_stop_while_it_loads_is_not_lost(self) -> None:
        """Though what loads takes every exception for its own."""

        def loads() -> None:
            with contextlib.suppress(Exception):
                os.kill(os.getpid(), signal.SIGINT)

        with stoppable(), self.assertRaisesRegex(Interrupted, "by hand"):
            self.target([], loads).make_ready(lambda words: None)


class Stops(StopCase):
    def test_a_stop_outlives_what_loads_meanwhile(self) -> None:
        """What takes any exception for a fault of its own does not get it; the stop comes once that is done, and once."""
        done = []
        with (
            stoppable(),
            self.assertRaisesRegex(Interrupted, "by hand"),
            stops_held(),
            contextlib.suppress(Exception),
        ):
            os.kill(os.getpid(), signal.SIGINT)
            os.kill(os.getpid(), signal.SIGINT)
            done.append(True)
        self.assertEqual(done, [True])
        with stoppable(), stops_held():
            pass  # nobody asked


if __name__ == "__main__":
    unittest.main()
