"""Thermometers: log pages built from the standards' field tables, kernel trees, and commands of the reviewer's."""

from __future__ import annotations

import json
import os
import resource
import struct
import subprocess
import sys
import threading
import time
import unittest

from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.errors import UsageError
from ulterion.host import ata, nvme, sensors
from ulterion.host.sampler import sample


def health_page(**fields: int) -> bytes:
    """Build a health log from the field table: name -> (offset, bytes)."""
    table = {
        "warning": (0, 1), "composite": (1, 2), "spare": (3, 1), "used": (5, 1), "read": (32, 16), "written": (48, 16),
        "media_errors": (160, 16), "warning_minutes": (192, 4), "critical_minutes": (196, 4), "sensor1": (200, 2),
        "sensor2": (202, 2), "sensor8": (214, 2), "light": (216, 4), "heavy": (220, 4), "light_seconds": (224, 4),
        "heavy_seconds": (228, 4),
    }  # fmt: skip
    page = bytearray(512)
    for name, value in fields.items():
        offset, size = table[name]
        page[offset : offset + size] = value.to_bytes(size, "little")
    return bytes(page)


def statistics_page(number: int, **values: tuple[int, int, int, int]) -> bytes:
    """Build a page of device statistics; each value is (offset, bytes, value, flags)."""
    page = bytearray(512)
    page[:3] = struct.pack("<HB", 1, number)
    for offset, size, value, flags in values.values():
        page[offset : offset + size] = value.to_bytes(size, "little", signed=value < 0)
        page[offset + 7] = flags
    return bytes(page)


class HealthLog(unittest.TestCase):
    def test_every_field_is_read_from_its_place(self) -> None:
        """The page built from the table comes back in degrees, bytes and seconds."""
        page = health_page(composite=345, used=7, read=10, written=2_000_000, media_errors=3, warning_minutes=5,
                           critical_minutes=1, sensor1=340, sensor8=350, light=12, heavy=2, light_seconds=300,
                           heavy_seconds=40)  # fmt: skip
        found = nvme.parse_health(page)
        self.assertEqual(found.temperature, 71.85)
        self.assertEqual(found.sensors, {1: 66.85, 8: 76.85})
        self.assertEqual(
            (found.percentage_used, found.bytes_written, found.bytes_read), (7, 1_024_000_000_000, 5_120_000)
        )
        self.assertEqual(found.counters["throttlings"], 14)
        self.assertEqual(found.counters["throttled_seconds"], 340)
        self.assertEqual((found.warning_seconds, found.critical_seconds, found.media_errors), (300, 60, 3))

    def test_what_is_no_health_log_is_refused(self) -> None:
        """Too short, too long, empty, all ones, a temperature of 3 K: each a clear word."""
        good = health_page(composite=300)
        cases = [(good[:-1], "512 bytes"), (good + b"x", "512 bytes"), (bytes(512), "empty"), (b"\xff" * 512, "empty"),
                 (health_page(composite=3), "nonsense"), (health_page(composite=300, sensor1=9), "nonsense")]  # fmt: skip
        for page, words in cases:
            with self.assertRaisesRegex(nvme.LogError, words):
                nvme.parse_health(page)

    @given(st.binary(max_size=600))
    def test_no_page_breaks_the_reader(self, page: bytes) -> None:
        """Any bytes either give a health log with sane temperatures, or a LogError."""
        try:
            found = nvme.parse_health(page)
        except nvme.LogError:
            return
        self.assertTrue(found.temperature is None or -80 < found.temperature < 230)

    def test_the_limit_is_the_warning_temperature(self) -> None:
        """Identify Controller: 266 warning, else 268 critical, else none."""
        page = bytearray(4096)
        self.assertIsNone(nvme.parse_limit(bytes(page)))
        page[268:270] = (358).to_bytes(2, "little")
        self.assertEqual(nvme.parse_limit(bytes(page)), 84.85)
        page[266:268] = (353).to_bytes(2, "little")
        self.assertEqual(nvme.parse_limit(bytes(page)), 79.85)
        with self.assertRaises(nvme.LogError):
            nvme.parse_limit(bytes(512))

    def test_a_file_is_no_drive(self) -> None:
        """Asking something that does not accept such commands says so."""
        with self.assertRaises(nvme.LogError):
            nvme.read_health(nvme.Path("/dev/null"))
        with self.assertRaises(ata.LogError):
            ata.read_temperature(ata.Path("/dev/null"))


class AtaLogs(unittest.TestCase):
    def test_the_temperature_page(self) -> None:
        """Current temperature, the maker's limit and the minutes above it; below zero too."""
        page = statistics_page(5, now=(8, 1, 41, 0xC0), hot=(80, 4, 3, 0xC0), limit=(88, 1, 70, 0xC0))
        self.assertEqual(ata.parse_temperature(page), ata.Temperature(41.0, 70.0, 180.0))
        cold = statistics_page(5, now=(8, 1, -5, 0xC0), limit=(88, 1, 70, 0x80))
        self.assertEqual(ata.parse_temperature(cold), ata.Temperature(-5.0, None, None))

    def test_what_is_no_such_page_is_refused(self) -> None:
        """Another page, wrong lengths, no flags, zeros, an SCT status that marks its temperature as not valid."""
        good = statistics_page(5, now=(8, 1, 41, 0xC0))
        cases = [(good[:100], "512 bytes"), (statistics_page(1), "not page 05h"), (bytes(512), "not page 05h"),
                 (statistics_page(5, now=(8, 1, 41, 0x80)), "keeps no temperature")]  # fmt: skip
        for page, words in cases:
            with self.assertRaisesRegex(ata.LogError, words):
                ata.parse_temperature(page)
        sct = bytearray(512)
        sct[0], sct[200] = 3, 0x80
        for page, words in ((bytes(sct), "keeps no temperature"), (bytes(512), "not an SCT"), (b"", "512 bytes")):
            with self.assertRaisesRegex(ata.LogError, words):
                ata.parse_sct_status(page)
        sct[200] = 38
        self.assertEqual(ata.parse_sct_status(bytes(sct)).current, 38.0)

    def test_counters_and_the_command(self) -> None:
        """Sectors written in bytes, percentage used; the command block is READ LOG EXT in ATA PASS-THROUGH (16)."""
        general = statistics_page(1, sectors=(24, 6, 1000, 0xC0))
        solid = statistics_page(7, used=(8, 1, 12, 0xC0))
        found = ata.parse_counters(general, solid, ata.Temperature(40.0, None, 60.0))
        self.assertEqual(found, {"bytes_written": 512_000.0, "percentage_used": 12.0, "warning_seconds": 60.0})
        self.assertEqual(ata.log_command(0x04, 0x05).hex(), "85090e000000010004000500" + "00002f00")


class Kernel(FolderCase):
    def test_the_sensors_of_a_disk_and_of_the_machine(self) -> None:
        """The drive's first temperature is 'drive', its others carry their labels; limits come along."""
        for path, text in {
            "sys/block/nvme0n1/device/hwmon1/name": "nvme", "sys/block/nvme0n1/device/hwmon1/temp1_input": "49850",
            "sys/block/nvme0n1/device/hwmon1/temp1_label": "Composite",
            "sys/block/nvme0n1/device/hwmon1/temp1_max": "81850",
            "sys/block/nvme0n1/device/hwmon1/temp2_input": "51850",
            "sys/block/nvme0n1/device/hwmon1/temp2_label": "Sensor 1",
            "sys/class/hwmon/hwmon0/name": "coretemp", "sys/class/hwmon/hwmon0/temp1_input": "55000",
            "sys/class/hwmon/hwmon0/temp1_label": "Package",
        }.items():  # fmt: skip
            self.write(path, text)
        found, why = sensors.of_disk("nvme0n1", self.folder)
        self.assertEqual([(s.name, s.read(), s.limit) for s in found],
                         [("drive", 49.85, 81.85), ("drive sensor 1", 51.85, None)])  # fmt: skip
        self.assertEqual(why, "")
        cpu = sensors.parse_sensor("cpu=coretemp/Package", self.folder)
        self.assertEqual((cpu.name, cpu.read()), ("cpu", 55.0))
        with self.assertRaisesRegex(UsageError, "did you mean 'coretemp/Package'"):
            sensors.parse_sensor("cpu=coretemp/Pakage", self.folder)
        (self.folder / "sys/class/hwmon/hwmon0/temp1_input").write_text("nonsense")
        with self.assertRaises(sensors.SensorError):
            cpu.read()
        none, why = sensors.of_disk("sda", self.folder)
        self.assertEqual(none, [])
        self.assertIn("ties no thermometer to sda", why)
        self.assertEqual(sensors.counters_of("sda", self.folder), {})


class Probes(unittest.TestCase):
    def test_a_command_that_prints_a_number(self) -> None:
        """Words are split as a shell would, and no shell runs them."""
        self.assertEqual(sensors.parse_probe("case=echo 38.5").read(), 38.5)
        self.assertEqual(sensors.parse_probe("power=echo 4.2").unit, "W")
        with self.assertRaisesRegex(sensors.SensorError, "printed '1; echo 2'"):
            sensors.parse_probe("case=echo '1; echo 2'").read()

    def test_one_that_does_not(self) -> None:
        """Hanging, words, nothing, a heat that cannot be, a failure, a program that is not there."""
        for command, words in {
            "sleep 30": "no answer within", "echo warm": "instead of one number", "true": "instead of one number",
            "echo 999": "cannot be C", "echo nan": "cannot be C", "sh -c 'echo broken >&2; exit 3'": "status 3: broken",
            "no-such-program-here": "cannot be run",
        }.items():  # fmt: skip
            probe = sensors.Probe("case", sensors.parse_probe(f"case={command}").words, seconds=0.5)
            with self.assertRaisesRegex(sensors.SensorError, words):
                probe.read()
        for text in ("case", "=x", "case=", "case='x"):
            with self.assertRaises(UsageError):
                sensors.parse_probe(text)

    def test_nothing_of_a_command_outlives_it(self) -> None:
        """One that prints for ever takes no memory; what it started is ended with it, in time, on an error, or when we are killed."""
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        with self.assertRaisesRegex(sensors.SensorError, "never stops printing"):
            sensors.Probe("case", ("yes",), seconds=20).read()
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 32 * 1024)
        mark = f"61{os.getpid() % 1000:03d}.5"
        for tail, words in (("sleep 60", "no answer within"), ("echo 1 2", "instead of one number")):
            with self.assertRaisesRegex(sensors.SensorError, words):
                sensors.Probe("case", ("sh", "-c", f"sleep {mark} & {tail}"), seconds=0.3).read()
            self.assertEqual(self.left(mark), [])
        code = ("import sys\nfrom ulterion.host.sensors import Probe\nfrom ulterion.run.targets.sensor_process import Thermometers\nimport time\n"
                "one = Thermometers([Probe('case', ('sh', '-c', sys.argv[1]), seconds=60)], 0.1)\n"
                "print('on', flush=True)\nwhile True:\n    one.look()\n    time.sleep(0.05)\n")  # fmt: skip
        words = [sys.executable, "-c", code, f"sleep {mark} & sleep {mark}"]
        with subprocess.Popen(words, stdout=subprocess.PIPE) as program:
            deadline = time.monotonic() + 20
            while len(self.left(mark)) < 2 and time.monotonic() < deadline:
                time.sleep(0.05)
            self.assertEqual(len(self.left(mark)), 2)
            program.kill()
        deadline = time.monotonic() + 10
        while self.left(mark) and time.monotonic() < deadline:
            time.sleep(0.05)
        self.assertEqual(self.left(mark), [])

    def left(self, mark: str) -> list[str]:
        """Return the sleeping commands that a test started and that still run."""
        return subprocess.run(["pgrep", "-x", "-f", f"sleep {mark}"], capture_output=True, text=True).stdout.split()

    def test_a_hanging_sensor_holds_nothing_up(self) -> None:
        """One that hangs, one that dies later and one that works: values come all the time, with what is wrong."""

        class Fake:
            source, unit, limit = "fake", "C", None

            def __init__(self, name: str, read: object) -> None:
                self.name, self.read = name, read

        calls = iter(range(1000))

        def dies() -> float:
            if next(calls) > 2:
                raise sensors.SensorError("gone")
            return 30.0

        reader, writer = os.pipe()
        stop = threading.Event()
        fakes = [Fake("works", lambda: 20.0), Fake("hangs", lambda: time.sleep(60)), Fake("dies", dies)]
        thread = threading.Thread(target=sample, args=(fakes, 0.1, writer, stop))
        thread.start()
        time.sleep(1.5)
        stop.set()
        thread.join()
        os.close(writer)
        with os.fdopen(reader) as lines:
            seen = [json.loads(line) for line in lines]
        self.assertGreaterEqual(len(seen), 10)
        self.assertEqual(seen[-1]["values"], {"works": 20.0, "hangs": None, "dies": None})
        self.assertEqual(seen[-1]["trouble"], {"dies": "gone"})
        self.assertIn(30.0, [s["values"]["dies"] for s in seen])
