"""Between two copies: what was removed is trimmed where it may be, and the device is waited for until it is quiet."""

from __future__ import annotations

import errno
import itertools
import os
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from ulterion.engine.copies import naming
from ulterion.engine.copies.trimming import trim
from ulterion.features.copy import settle


class Naming(unittest.TestCase):
    def test_nothing_is_replaced(self) -> None:
        """A name that is taken is refused, by the kernel's own call and where there is none; else it moves."""
        for lacking in (False, True):
            with (
                tempfile.TemporaryDirectory() as name,
                mock.patch.object(
                    naming, "_by_kernel", (lambda old, new: errno.ENOSYS) if lacking else naming._by_kernel
                ),
            ):
                old, new = Path(name) / "old", Path(name) / "new"
                for path in (old, new):
                    path.write_text(path.name)
                with self.assertRaises(FileExistsError):
                    naming.name_anew(os.fsencode(old), os.fsencode(new))
                new.unlink()
                naming.name_anew(os.fsencode(old), os.fsencode(new))
                self.assertEqual(new.read_text(), "old")


class Resting(unittest.TestCase):
    def test_a_device_is_waited_for_until_it_is_quiet(self) -> None:
        """One that goes on for a while, one that never stops, one that the kernel counts nothing of."""

        def counting(ends: float) -> Callable[[], object]:
            seen = itertools.count()
            return lambda: min(next(seen), ends)

        clock = mock.Mock()
        clock.monotonic.return_value = 0.0

        def sleep(seconds: float) -> None:
            clock.monotonic.return_value += seconds

        clock.sleep = sleep
        with mock.patch.multiple(settle, QUIET=0.05, LOOK=0.01, MAX_SECONDS=0.4, time=clock):
            quiet = settle._quiet(counting(6))
            assert quiet is not None
            self.assertAlmostEqual(quiet, 0.06)  # the last of six changes, a look apart
            self.assertEqual(settle._quiet(counting(1e9)), 0.4)
            self.assertIn("still busy", settle._quiet_words(0.4))
        self.assertIsNone(settle._quiet(None))
        self.assertEqual(settle._quiet_words(0.0), "device idle at once")

    def test_a_trim_that_may_not_be_says_why(self) -> None:
        """By the kernel's error; what it handed back where it did."""
        with tempfile.TemporaryDirectory() as name:
            folder = os.fsencode(name)
            for number, words in (
                (errno.EPERM, "only the administrator may"),
                (errno.EOPNOTSUPP, "does not support it"),
                (errno.EIO, "Input/output error"),
            ):
                with mock.patch("fcntl.ioctl", side_effect=OSError(number, os.strerror(number))):
                    size, why = trim(folder)
                self.assertEqual(size, 0)
                self.assertIn(words, why)

            def handed(fd: int, call: int, given: bytearray) -> int:
                given[8:16] = (12345).to_bytes(8, "little")
                return 0

            with mock.patch("fcntl.ioctl", handed):
                self.assertEqual(trim(folder), (12345, ""))


if __name__ == "__main__":
    unittest.main()
