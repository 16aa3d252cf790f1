"""The runner of the tests: what it says when a module fails, or its process dies."""

from __future__ import annotations

import contextlib
import io
import os
import sys
import unittest
from unittest import mock

from tests.__main__ import SHARED, main
from tests.support import FolderCase

PASSES = "import unittest\nclass A(unittest.TestCase):\n    def test_it(self): pass\n"


class Runner(FolderCase):
    def run_of(self, **modules: str) -> tuple[int, str]:
        """Run modules with these tests; return the exit status and what was printed."""
        for name, text in modules.items():
            self.write(f"{name}.py", text)
            self.addCleanup(sys.modules.pop, name, None)
        told = io.StringIO()
        with (
            mock.patch.object(sys, "path", [str(self.folder), *sys.path]), mock.patch.dict(os.environ),
            contextlib.redirect_stdout(told),
        ):  # fmt: skip
            os.environ.pop(SHARED, None)
            return main(list(modules)), told.getvalue()

    def test_what_it_says(self) -> None:
        """All well; a failure with its report; a skip with its reason."""
        self.assertRegex(self.run_of(well=PASSES)[1], r"^\.\nRan 1 tests in \d+ s by 1 processes, 0 skipped\n")
        status, told = self.run_of(well=PASSES, wrong=PASSES.replace("pass", "self.fail('too slow')"))
        self.assertEqual(status, 1)
        self.assertRegex(told, r"(?s)AssertionError: too slow.*Ran 2 tests.*FAILED \(1 modules\)")
        status, told = self.run_of(skips=PASSES.replace("pass", "self.skipTest('no disk')"))
        self.assertEqual((status, told.count("skipped: test_it (skips.A.test_it): no disk")), (0, 1))

    def test_a_process_that_dies(self) -> None:
        """The run fails, and every module that was not finished is named."""
        status, told = self.run_of(dies=PASSES.replace("pass", "import os; os.kill(os.getpid(), 9)"))
        self.assertEqual(status, 1)
        self.assertRegex(told, r"dies: not finished: .*\n(?s:.*)FAILED \(1 modules\)")


if __name__ == "__main__":
    unittest.main()
