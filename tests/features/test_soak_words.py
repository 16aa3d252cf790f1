"""Soaks in words, as running lines, and as figures."""

from __future__ import annotations

import io
import math
import os
from dataclasses import replace
from unittest import mock

from hypothesis import example, given
from hypothesis import strategies as st

from tests.chart_checks import faults
from tests.support import BENCH, REVIEW, FolderCase
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import TraceRow
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.estimate.energy import energies
from ulterion.features.estimate.transfer_time import moving
from ulterion.features.soak.charts import soaks_chart
from ulterion.features.soak.judging import Soak, difference, marks_of, soak_of
from ulterion.features.soak.live_view import SoakDisplay
from ulterion.features.soak.run import soak
from ulterion.features.soak.tables import findings_lines, soak_results, soaks_table
from ulterion.features.soak.words import event_words, next_step
from ulterion.model.review import About
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import RunScope, State
from ulterion.model.runs.notes import Reading
from ulterion.model.runs.soak import Sensor, SoakPhase, SoakPlan, SoakRecord, SoakRun
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import SoakRequest
from ulterion.show.depth import Depth
from ulterion.show.draw import draw
from ulterion.show.figure_files import save_picture
from ulterion.show.live import Lines, console
from ulterion.show.looks import look_of
from ulterion.show.sparkline import STEPS, RunningLine

WRITING = parse_workload("sequential write 1 MiB depth 4")
HOT = """
[parts.drive.heat]
idle = "0.5 W"
awake = "4 W"
writing = "4 W"
capacity = "8 J/K"
to_case = "4 K/W"
throttles_at = "80 °C"
resumes_at = "72 °C"
throttled = "200 MB/s"
limit = "82 °C"
[parts.box.case]
capacity = "20 J/K"
to_room = "7 K/W"
probe = true
"""


def printed(lines: list) -> str:
    out = io.StringIO()
    with mock.patch.dict(os.environ, {"COLUMNS": "80"}):
        screen = console(out)
    for line in lines:
        screen.print(Lines(line), crop=False)
    return out.getvalue()


class Soaked(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        bench = BENCH.replace(
            "parallel = 32", 'parallel = 32\ncache = "60 GB"\nafter_cache = "500 MB/s"\nfold = "1 GB/s"'
        )
        self.folder_opened = self.review(REVIEW, bench.replace("seed = 7", 'seed = 7\nroom = "21 °C"') + HOT)

    def soak(self, setup: str = "box", **plan: object) -> Soak:
        settings = {"idle": 60.0, "load_seconds": 900.0, "cool": 120.0} | plan
        request = SoakRequest(Place(self.folder_opened, self.folder, None, setup), WRITING, SoakPlan(**settings))  # type: ignore[arg-type]
        found = soak_of(soak(request, Observer()).run)
        assert found is not None
        return found

    def changed(self, one: Soak, **update: object) -> Soak:
        run: AnyRun = one.run.changed(**update)
        found = soak_of(run)
        assert found is not None
        return found

    def test_the_words_say_what_happened_and_fit(self) -> None:
        """Cache, throttling with its evidence, requests, lowest, temperatures; no line beyond 80 columns."""
        found = self.soak()
        text = printed(findings_lines(found, "MB/s", depth=Depth.WHY))
        for words in ("write cache used up after 60", "throttled at 8", "evidence:", "IOPS; latency", "in any minute",
                      "throttling capped the temperature"):  # fmt: skip
            self.assertIn(words, " ".join(text.split()))
        assert found.run.soak is not None
        record = found.run.soak.changed(counters_before={"throttlings": 1, "warning_seconds": 60}, counters_after={"throttlings": 4, "warning_seconds": 180})  # fmt: skip
        counted = printed(findings_lines(self.changed(found, soak=record), "MB/s", depth=Depth.WHY))
        self.assertIn("by the drive: throttled 3 times, 2m00s above its warning temperature", " ".join(counted.split()))
        self.assertLessEqual(max(len(line.rstrip()) for line in text.splitlines()), 80)
        self.assertIn("Gb/s", printed(findings_lines(found, "Gb/s")))

    def test_what_cannot_be_told_says_what_would_tell(self) -> None:
        """Without a thermometer a fall for good has no cause, and the step that would tell it names the bytes to look for."""
        found = self.soak()
        assert found.run.soak is not None
        phases = [p.changed(sensors={}) for p in found.run.soak.phases]
        blind = self.changed(found, soak=found.run.soak.changed(phases=phases))
        text = " ".join(printed(findings_lines(blind, "MB/s")).split())
        self.assertNotIn("write cache used up", text)
        self.assertRegex(
            text, r"next: after a rest, repeat the soak with a fan: a write cache is used up after 6\d\.\d GB again"
        )

    def test_what_was_tried_already_is_not_advised_again(self) -> None:
        """An earlier soak of the same load: it held, it fell at the same bytes as warm, or at another temperature; each leaves something else to do."""
        found = self.soak()
        fall = replace(found.findings.falls[0], cause="unexplained", heat=None, temperature=60.0)
        now = replace(found, findings=replace(found.findings, falls=(fall,)))
        for falls, words in (
            ((), "held its rate for"),
            ((fall,), "and was as warm: repeat it much cooler"),
            ((replace(fall, temperature=50.0),), "at another temperature, so the write cache was full"),
            ((replace(fall, temperature=None),), "if neither had a fan, repeat it with one"),
            ((replace(fall, written=fall.written * 0.5),), "next: after a rest, repeat the soak with a fan"),
        ):
            before = replace(found, label="soak abc", findings=replace(found.findings, falls=falls))
            told = " ".join(event_words(replace(now, earlier=(before,)), "MB/s", evidence=False))
            self.assertIn(words, told)
            self.assertEqual("soak abc" in told, "after a rest" not in words)

    def test_a_fall_that_has_not_lasted_wants_a_longer_soak(self) -> None:
        """Five seconds at the end are no cache: a longer soak would tell."""
        late = Fall("unexplained", 600.0, None, 9e8, 5e8, 5e11, None, "nothing was read", 1, 5.6)
        self.assertEqual(next_step(late, writing=True), "soak longer: the drop lasted only 5.6 s, to the end")
        self.assertIn("nothing else running", next_step(replace(late, until=605.6), writing=True))
        self.assertIn("link resets", next_step(replace(late, until=605.6, after=0.0), writing=True))
        self.assertEqual(next_step(replace(late, cause="write cache"), writing=True), "")

    def test_a_small_fall_is_not_called_none(self) -> None:
        """A tenth less for a while is no fall, and the rate is not said to have held; an even one is."""
        found = self.soak("direct", load_seconds=900.0)
        findings = replace(found.findings, falls=())
        held = replace(findings, fast=1e9, last=1e9, lowest=replace(findings.lowest, by_minute=0.99e9))
        lower = replace(held, lowest=replace(held.lowest, by_minute=0.9e9))
        for told, words in ((held, []), (lower, ["the rate varied, but never fell by 15% or more for good"])):
            self.assertEqual(event_words(replace(found, findings=told), "MB/s", evidence=True), words)

    def test_a_doubted_sensor_and_hand_notes_stand_below(self) -> None:
        """A sensor that stood still is said and marked in the figure; readings are listed and drawn."""
        found = self.soak()
        assert found.run.soak is not None
        phases = [p.changed(sensors=p.sensors | {"stuck": [50.0] * len(p.sensors["drive"])})
                  for p in found.run.soak.phases]  # fmt: skip
        record = found.run.soak.changed(phases=phases)
        reading = Reading(what="skin", value=44.0, unit="C", at_seconds=300.0)
        changed = self.changed(found, soak=record, readings=[reading])
        text = printed(soak_results(changed.run, changed, "MB/s"))
        self.assertIn("stuck: stood at 50.0 °C without moving", text)
        self.assertIn("skin 44 °C", text)
        below = soaks_chart([changed], "MB/s").panels[1]
        self.assertIn("stuck (implausible)", [line.label for line in below.lines])
        self.assertIn("skin 44 °C", [words for line in below.lines for words in line.words])

    def test_the_figure_names_events_and_claims(self) -> None:
        """Rate above, temperatures below on one axis; events, claims and the drive's limit are named; light and dark."""
        found = self.soak()
        marks = marks_of(self.folder_opened.review, found.run)
        chart = soaks_chart([found], "MB/s", marks)
        above, below = chart.panels
        self.assertEqual(
            (chart.across.name, round(chart.across.least or 0.0, 2)), ("minutes since the load began", -1.0)
        )
        told = [m.label for m in chart.moments] + [x.label for x in (*above.levels, *below.levels)]
        told += [words for _, _, words in chart.rests]
        for words in (
            "cache used up after 60",
            "throttled",
            "Test Box claims 1,400 MB/s",
            "the drive's limit, 82 °C",
            "idle",
        ):
            self.assertTrue(any(words in one for one in told), (words, told))
        for dark in (False, True):
            picture, path = draw(chart, look_of(dark=dark)), self.folder / f"f{dark}.png"
            self.assertEqual(faults(picture, look_of(dark=dark).palette), [])
            save_picture(picture, path)
            self.assertEqual(int.from_bytes(path.read_bytes()[16:20]), 2560)

    def test_several_soaks_share_one_axis(self) -> None:
        """Two soaks: a row and a line each, and what they differ by; a long one counts hours."""
        one, other = self.soak(), self.soak("direct", load_seconds=4 * 3600.0)
        text = printed(soaks_table([one, other], [difference(other, one)], "MB/s", About()))
        for words in ("Direct finishes", "temperatures cannot be compared"):
            self.assertIn(words, " ".join(text.split()))
        chart = soaks_chart([one, other], "MB/s")
        self.assertEqual(chart.across.name, "hours since the load began")
        self.assertTrue({"box", "direct"} <= {line.label for line in chart.panels[0].lines})
        self.assertRegex(chart.caption.title, "^(Box|Direct|box|direct) finishes .* than|as fast as")


class Live(FolderCase):
    @given(st.lists(st.one_of(st.none(), st.floats(-50, 5000)), max_size=1500), st.integers(1, 100))
    def test_a_running_line_holds_everything_in_its_width(self, values: list[float | None], width: int) -> None:
        """Never wider than asked, however long; only its own marks; the greatest value at the top."""
        line = RunningLine()
        for value in values:
            line.add(value)
        drawn = line.draw(width, line.low if line.low < line.high else 0.0, max(line.high, 1.0))
        self.assertLessEqual(len(drawn), width)
        self.assertLessEqual(set(drawn), set(STEPS + " "))
        known = [v for v in values if v is not None]
        self.assertEqual((line.high if known else None), max(known, default=None))
        self.assertEqual(line.last, values[-1] if values else None)

    def test_the_view_shows_phase_rate_heat_trouble_and_time_left(self) -> None:
        """What a reviewer sees in the middle of a load."""
        out = io.StringIO()
        display = SoakDisplay(out, "MB/s", SoakPlan(load_seconds=600.0, load_bytes=10**12))
        self.addCleanup(display.close)
        display.phase("load", "for 10m00s")
        for second in range(1, 61):
            row = TraceRow(1.0, 10**9, 1000, sensors={"drive": 40.0 + second / 10, "case": None})
            display.row("load", row, float(second), second * 10**9)
        display.trouble({"case": "gave no answer within 5 s"})
        display.console.print(display._render())
        text = out.getvalue()
        for words in ("load for 10m00s", "60.0 GB", "about 9m00s left", "1,000 MB/s", "0 to 1,000", "46.0 °C", "40 to 46",
                      "case: gave no answer"):  # fmt: skip
            self.assertIn(words, text)


class Stalls(FolderCase):
    """A drive that stands still, at first, in the end or nearly always: every road tells it, and none fails."""

    def setUp(self) -> None:
        super().setUp()
        self.kept = self.review().review

    def stalled(self, moved: list[int], lasted: float) -> SoakRun:
        phases = [
            SoakPhase(part=1, name="idle", start=0.0, end=0.5, interval=0.1, sensors={"power": [None, 1.5]}),
            SoakPhase(part=1, name="load", start=1.0, end=1.0 + lasted, interval=0.1, bytes=moved,
                        requests=[b // 2**20 for b in moved], p50=[1e-3 if b else None for b in moved],
                        sensors={"power": [4.5] * len(moved), "drive": [40.0 + n for n in range(len(moved))]}),
        ]  # fmt: skip
        record = SoakRecord(plan=SoakPlan(load_seconds=lasted), workload=WRITING, text=WRITING.text, engine="simulated",
                            phases=phases, sensors=[Sensor(name="power", source="made", unit="W")])  # fmt: skip
        return SoakRun(
            id="abcdef", started="2026-01-01T00:00:00.000Z", kind="soak", setup="box", chain=["b:usb", "box", "drive"],
            target=TargetFacts("sim:x", "simulated"), bench=BenchFacts("testbench"), settings=RunScope(span_bytes=2**30, seed=1),
            cache_bypassed=True, soak=record, state=State(name="complete"),
        )  # fmt: skip

    @given(st.lists(st.just(0) | st.integers(1, 2**28), min_size=1, max_size=40), st.floats(0.01, 1.0))
    @example([0, 0, 0, 2**27], 1.0)
    @example([2**27, 2**27, 2**27, 0, 0, 0, 0, 0, 0, 0, 0, 0], 1.0)
    def test_nothing_that_stands_still_is_a_fault(self, moved: list[int], share: float) -> None:
        run = self.stalled(moved, len(moved) * 0.1 * share)
        one = soak_of(run)
        said = printed(soak_results(run, one, "MB/s"))
        self.assertEqual(one is None, "never began" in said)
        self.assertNotRegex(said, r"\b(nan|inf)\b")
        if one is None:
            return
        self.assertGreater(one.findings.fast, 0)
        (found,) = energies([run])
        self.assertAlmostEqual(found.per_gigabyte * one.findings.bytes / 1e9, found.joules)
        apart = difference(one, one)
        self.assertEqual(apart.rate, 1.0 if one.findings.last else None)
        table = " ".join(printed(soaks_table([one, one], [apart], "MB/s", 2.0)).split())
        self.assertIn("finishes as fast as" if one.findings.last else "still moves data at the end", table)
        (row,) = (r for r in moving(self.kept, [run], 1e9, "write") if r.setup == "box")
        assert row.work is not None
        self.assertTrue(0 < row.work.low <= row.work.high < math.inf)
