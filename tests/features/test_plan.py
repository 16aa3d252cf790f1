"""`ulterion plan`: the demo's plan from beginning to end, killed and taken up again, bad plans, proofs, hosts, compatibility, and figures."""

from __future__ import annotations

import json
import random
import re
import shutil
import signal
import time
import unittest
from importlib import resources
from pathlib import Path
from typing import Any
from unittest import mock

from tests.support import BENCH, WARM, FolderCase
from ulterion.api import Review
from ulterion.core.errors import UsageError
from ulterion.features.plan import run, setting_proofs, steps
from ulterion.features.plan.run import run_plan
from ulterion.features.plan.state import PlanRequest
from ulterion.features.plan.steps import PlanObserver, sentence_of
from ulterion.model.lock import try_lock
from ulterion.model.review import parse_review

HEAD = """
schema = 2
[review]
title = "A plan"
[ports."b:fast"]
link = "PCIe 4.0 x4"
[ports."b:usb"]
link = "USB 10 Gb/s"
[parts.drive]
name = "Test Drive"
kind = "drive"
[parts.box]
name = "Test Box"
kind = "enclosure"
[setups.direct]
chain = ["b:fast", "drive"]
target = "sim:bench.toml"
baseline = true
"""
PLAN = """
[plan]
chain = ["b:usb", "{case}", "drive"]
target = "sim:bench.toml"
workloads = ["sequential read 4 MiB depth 4"]
seconds = "1 s"
[plan.factors]
case = ["box", "none"]
driver = ["uas", "slow"]
"""
SLOW = """
[[settings]]
factor = "driver"
level = "slow"
[settings.parts.box]
driver = "usb-storage"
read = "300 MB/s"
"""


class PlanCase(FolderCase):
    def plan(self, plan: str = PLAN, bench: str = SLOW) -> None:
        self.store = self.review(HEAD + plan, BENCH + bench)

    def demo_plan(self, name: str) -> Path:
        folder = self.folder / name
        folder.mkdir()
        for file in ("review.toml", "bench.toml"):
            text = resources.files("ulterion.demo").joinpath("plan", file).read_text(encoding="utf-8")
            (folder / file).write_text(text, encoding="utf-8")
        return folder


class Demo(PlanCase):
    def test_killed_three_times_it_comes_to_the_same(self) -> None:
        """Every cell once, none twice; the documents are those of a plan that nobody stopped, byte for byte."""
        left, folder, rng = self.demo_plan("left"), self.demo_plan("killed"), random.Random(6)
        for each in (left, folder):
            text = (each / "review.toml").read_text()
            (each / "review.toml").write_text(re.sub(r"(?m)^enclosure = .*$", 'enclosure = ["pod", "slip"]', text))
        self.assertEqual(self.ulterion("plan", "run", cwd=left).returncode, 0)
        whole = {p.name: p.read_bytes() for p in left.glob("runs/*.json")}
        self.assertGreaterEqual(len(whole), 16 + 4)  # cells, and checks
        for _ in range(3):
            process = self.start("plan", "run", cwd=folder)
            until = time.monotonic() + 20
            had = len(list(folder.glob("runs/*.json")))
            while len(list(folder.glob("runs/*.json"))) < had + rng.randrange(2, 5) and time.monotonic() < until:
                time.sleep(0.01)
            time.sleep(rng.uniform(0, 0.1))
            process.send_signal(signal.SIGKILL)
            process.wait()
        self.assertEqual(self.ulterion("plan", "run", cwd=folder).returncode, 0)
        self.assertEqual({p.name: p.read_bytes() for p in folder.glob("runs/*.json")}, whole)

    def test_what_the_demos_matrix_says(self) -> None:
        """It is the truth of its bench."""
        folder = self.demo("whole", plan=True)
        shutil.copytree(folder, self.folder / "other")
        self.assertIn(len(list(folder.glob("runs/*.json"))), range(38, 42))  # 32 cells, 6 checks, and further visits

        def answer(*arguments: str) -> Any:
            return self.json_of("plan", *arguments, cwd=folder)

        plan = answer()
        self.assertEqual(([c["state"] for c in plan["cells"]], plan["next"]), (["done"] * 32, None))
        self.assertEqual(len({c["setup"] for c in plan["cells"]}), 32)
        write = next(w for w in answer("effects")["workloads"] if "write" in w["text"] and "sequential" in w["text"])
        told = {(e["factor"], e["level"]): e for e in write["effects"]}
        self.assertTrue(0.36 < told["enclosure", "slip"]["low"] < told["enclosure", "slip"]["high"] < 0.42)
        self.assertTrue(0.87 < told["enclosure", "crate"]["low"] < 884 / 1006 * 1.01 < 0.9)
        port = next(t for t in write["interactions"] if set(t["factors"]) == {"port", "driver"})
        by_driver = {e["where"]["driver"]: e for e in port["effects"]}
        self.assertTrue(by_driver["uas"]["low"] < 1 < by_driver["uas"]["high"])
        self.assertLess(by_driver["bulk-only"]["high"], 0.8)
        places = next(w for w in answer("ranks")["workloads"] if w["text"] == write["text"])["places"]
        self.assertEqual([p["level"] for p in places], ["pod", "fold", "crate", "slip"])
        self.assertEqual((places[0]["best"], places[3]["worst"]), (1, 4))
        table = Review(self.opened(folder))
        self.assertEqual((len(table.plan()), set(table.plan()["state"])), (32, {"done"}))
        self.assertEqual(len(table.ranks("drive")), 6)
        self.assertIn("slip", set(table.effects()["level"]))
        (other,) = {o["review"] for o in answer("grid", "--beside", str(self.folder / "other"))["others"]}
        self.assertEqual(other, "Four enclosures for a sound archive")
        ports = {p["port"]: p for p in answer("ports")["ports"]}
        self.assertEqual(
            (ports["desk:usb10"]["setups"], ports["desk:m2"]["best"]["read"]["setup"]), (16, "reed-direct")
        )
        self.assertEqual(len(answer("grid", "--workload", write["text"])["workloads"][0]["cells"]), 32)
        for what, name in (("grid", "g.png"), ("effects", "e.svg"), ("ranks", "r.png")):
            drawn = answer(what, "--figure", name, "--dark")["figures"]
            self.assertTrue(all((folder / Path(p).name).stat().st_size > 5000 for p in drawn), drawn)
        shown = self.ulterion("plan", "effects", cwd=folder).stdout
        self.assertRegex(" ".join(shown.split()), "no effect with uas, −2\\d% with bulk-only")


class Steps(PlanCase):
    def test_one_factor(self) -> None:
        """Its levels are rows and the workloads columns; a grid against itself is refused."""
        self.plan(PLAN.replace('case = ["box", "none"]\n', "").replace("{case}", "box"))
        self.json_of("plan", "run")
        shown = self.ulterion("plan", "grid").stdout
        self.assertRegex(shown, r"fastest is uas \(1,0\d\d MB/s\), slowest slow \((29|30)\d MB/s\)")
        self.assertLess(shown.index("\nuas "), shown.index("\nslow "))
        self.refused("plan", "grid", "--figure", "x.png", says="of one factor has no grid")

    def test_a_cell_that_is_the_baseline_is_measured_as_its_check(self) -> None:
        """Nothing is measured twice for it: three checks and one other cell make four runs, and its effect rests on them."""
        self.plan(PLAN.replace('["b:usb", "{case}", "drive"]', '["{port}", "{case}", "drive"]').replace(
            '[plan.factors]\ncase = ["box", "none"]\ndriver = ["uas", "slow"]',
            "passes = 3\nexclude = [{port = 'b:fast', case = 'box'}, {port = 'b:usb', case = 'none'}]\n"
            "[plan.factors]\nport = ['b:fast', 'b:usb']\ncase = ['box', 'none']",
        ))  # fmt: skip
        self.assertEqual(self.ulterion("plan", "run").returncode, 0)
        plan = self.json_of("plan")
        told = {c["setup"]: (c["state"], len(c["runs"])) for c in plan["cells"]}
        self.assertEqual(told, {"direct": ("done", 3), "b-usb-box": ("done", 1)})
        self.assertEqual(len(list((self.folder / "runs").glob("*-measure-*.json"))), 4)

    def test_step_by_step(self) -> None:
        """What is open, what comes next, what is left; a limit of steps, one of time, and the passes that were saved."""
        self.plan()
        first = self.json_of("plan")
        self.assertEqual(([c["state"] for c in first["cells"]], first["seconds_left"]), (["open"] * 4, None))
        self.assertEqual((first["next_setup"], first["next"]), ("direct", "check 1: direct"))
        two = self.json_of("plan", "run", "--steps", "2")
        self.assertEqual((two["steps"], two["stopped"]), (2, "2 steps were taken"))
        self.assertEqual([c["state"] for c in two["cells"]].count("done"), 1)
        self.assertGreater(two["seconds_left"], 0)
        short = self.json_of("plan", "run", "--for", "1 s")
        self.assertEqual((short["steps"], short["stopped"]), (0, "the time was up"))
        done = self.json_of("plan", "run")
        self.assertEqual({c["state"] for c in done["cells"]}, {"done"})
        self.assertEqual([c["number"] for c in done["checks"] if c["run"]], [1, 2, 3])
        runs = {r.setup: r for r in self.opened().runs() if r.cell is not None and r.cell.levels}
        self.assertEqual(runs["box-slow"].cell.levels, {"case": "box", "driver": "slow"})  # type: ignore[union-attr]
        self.assertLess(runs["box-slow"].workloads[0].counted[0].rate, 320e6)  # type: ignore[union-attr]
        self.assertEqual(len(runs["box-slow"].workloads[0].counted), 3)  # type: ignore[union-attr]
        self.assertIn("'slower' against the baseline", runs["box-slow"].workloads[0].ended or "")  # type: ignore[union-attr]
        self.assertIn(
            "box-slow: slower in the only test, by 90%; bottleneck: driver slow", self.ulterion("compare").stdout
        )
        told = " ".join(self.ulterion("plan", "grid", "--of", "driver").stdout.split())
        self.assertRegex(
            told,
            r"uas is fastest or tied with each case: with Test Box uas is fastest \((1,0|99)\d+ MB/s\); with no case",
        )
        once_more = self.json_of("plan", "run", "--again", "Box, slow")
        counts = {c["setup"]: len(c["runs"]) for c in once_more["cells"]}
        self.assertEqual((once_more["steps"], counts["box-slow"], sum(counts.values())), (1, 2, 5))
        newest = max((r for r in self.opened().runs() if r.setup == "box-slow"), key=lambda r: r.started)
        self.assertIsNone(newest.workloads[0].ended)  # type: ignore[union-attr]
        self.refused("plan", "grid", "--of", "case", "--across", "case", says="is named for both")
        self.refused("plan", "run", "--again", "box-slo", says="unknown cell 'box-slo'.*box-slow")
        shown = self.ulterion("plan").stdout
        self.assertIn("4 of 4 cells measured, 3 of 3 checks", shown)
        self.assertIn("next: ulterion plan effects", shown)

    def test_what_fails_is_tried_again_then_left(self) -> None:
        """A chain that is not recognised costs its own cells alone; the rest is measured, and the status tells."""
        self.plan(bench=SLOW + '[[faults]]\npart = "box"\nwhat = "not recognised"\n')
        done = self.ulterion("plan", "run", "--json")
        self.assertEqual(done.returncode, 3)
        answer = json.loads(done.stdout)
        self.assertEqual({c["levels"]["case"]: c["state"] for c in answer["cells"]}, {"box": "open", "none": "done"})
        self.assertIn("box is not recognised", answer["failed"]["box-uas"])
        self.assertIn("2 of the plan's setups failed", done.stderr)

    def test_what_must_hold_before_a_cell_counts(self) -> None:
        """Commands, drivers, words of the reviewer: what does not hold stops the plan with its cell's name, and nothing is measured."""
        proof = '\n[[plan.proofs]]\nwhen = {{ driver = "slow", case = "box" }}\n{}\n'
        for given, says in (
            ('command = "false"', "'false' of the cell 'case box, driver slow' ended with status 1"), ('command = "no-such-program"', "cannot be run"),
            ('command = "echo uas"\nshows = "slow"', "does not show 'slow', but: uas"), ('command = "echo \'"', "is not a command line"),
            ('driver = "uas"', "its driver is usb-storage, expected uas"),
        ):  # fmt: skip
            self.plan(PLAN + proof.format(given))
            done = self.ulterion("plan", "run", "--json")
            self.assertEqual((done.returncode, json.loads(done.stdout)["schema"]["kind"]), (2, "error"))
            self.assertRegex(done.stderr, says)
            shutil.rmtree(self.folder / "runs")
        with mock.patch.object(setting_proofs, "MAX_SECONDS", 0.2):
            self.plan(PLAN + proof.format('command = "sleep 5"'))
            self.assertRegex(self.ulterion("plan", "run").stderr, "was not done after 0.2 s")
        shutil.rmtree(self.folder / "runs")
        self.plan(PLAN + proof.format('command = "echo all well"\ndriver = "usb-storage"\nask = "Is the charger in?"'))
        self.assertEqual(self.ulterion("plan", "run").returncode, 0)
        run = next(r for r in self.opened().runs() if r.setup == "box-slow" and r.cell)
        self.assertEqual(run.cell.shown, ["echo all well: all well", "Is the charger in? yes"])  # type: ignore[union-attr]
        with self.assertRaisesRegex(UsageError, "was not answered with yes"):
            setting_proofs.prove(self.opened().review.plan.proofs, "a cell", lambda q: False)  # type: ignore[union-attr]

    def test_hosts_take_their_own_cells(self) -> None:
        """A cell for another machine is left to it; two programs are never at one setup."""
        plan = PLAN.replace('driver = ["uas", "slow"]', 'host = ["testbench", "tower"]').replace(
            "[plan.factors]", 'host = "host"\n[plan.factors]'
        )
        self.plan(plan, "")
        done = self.json_of("plan", "run", "--host", "testbench")
        states = {(c["levels"]["host"], c["state"]) for c in done["cells"]}
        self.assertEqual(states, {("testbench", "done"), ("tower", "elsewhere")})
        self.assertIn("2 waiting for another host", self.ulterion("plan", "--host", "testbench").stdout)
        other = self.json_of("plan", "--host", "tower")
        self.assertEqual(other["next_setup"], "box-tower")
        with (self.folder / "runs/.plan-box-tower.lock").open("ab") as held:
            self.assertTrue(try_lock(held.fileno()))
            process = self.start("plan", "run", "--host", "tower", "--json")
            self.assertEqual(process.wait(), 0)
        taken = {c["setup"]: c["state"] for c in self.json_of("plan", "--host", "tower")["cells"]}
        self.assertEqual(
            (taken["box-tower"], taken["none-tower"]), ("open", "doubtful")
        )  # the bench says it is another host

    def test_two_at_once_take_every_cell_once(self) -> None:
        """Two programs on one folder: no cell twice, none left."""
        self.plan(PLAN.replace('["uas", "slow"]', '["uas", "slow", "a", "b", "c"]'))
        both = [self.start("plan", "run") for _ in range(2)]
        self.assertEqual([p.wait() for p in both], [0, 0])
        self.assertEqual(self.ulterion("plan", "run").returncode, 0)
        cells = [r.setup for r in self.opened().runs() if r.cell is not None and r.cell.levels]
        self.assertEqual((len(cells), len(set(cells))), (10, 10))

    def test_what_works_where(self) -> None:
        """Answers are kept as outcomes of the cell's run, and make a table; what nobody answered stays open."""
        self.plan(PLAN.replace("[plan.factors]", 'compatibility = ["wakes up", "boots"]\n[plan.factors]'))

        class Answers(PlanObserver):
            def ask(self, question: str) -> bool | None:
                return {"wakes up": True, "boots": None}[question]

        run_plan(PlanRequest(self.opened()), Answers())
        rows = self.json_of("plan", "compatibility")["cells"]
        self.assertEqual([r["works"] for r in rows], [{"wakes up": True, "boots": None}] * 4)
        box = next(r.id for r in self.opened().runs() if r.setup == "box-uas")
        self.ulterion("note", "--run", box, "boots: does not work")
        self.assertIs(
            next(r for r in self.json_of("plan", "compatibility")["cells"] if r["setup"] == "box-uas")["works"][
                "boots"
            ],
            False,
        )
        self.assertIn("yes", self.ulterion("plan", "compatibility").stdout)

    def fair(self) -> None:
        """A drive that warms and has a write cache, in a plan of writes that waits half a minute at most."""
        cache = '[parts.drive]\ncache = "20 GB"\nafter_cache = "20 MB/s"\nfold = "20 MB/s"'
        writes = PLAN.replace("sequential read", "sequential write")
        plan = writes.replace("seconds =", 'max_rest = "30 s"\nseconds =')
        bench = BENCH.replace("[parts.drive]", cache, 1).replace("[parts.box]", WARM + "[parts.box]")
        self.store = self.review(HEAD + plan, bench + SLOW)

    def test_a_warm_drive_is_waited_for(self) -> None:
        """What could not be had is listed with the plan."""
        self.fair()
        self.json_of("plan", "run", "--steps", "2")
        self.ulterion("soak", "--setup", "direct", "--for", "3m", "--idle", "0", "--cool", "0")
        done = " ".join(self.json_of("plan", "run", "--steps", "1")["unlike"])
        self.assertRegex(done, "the drive was still at .* °C after 30.0 s, and began its first cell at 2\\d °C")
        self.assertIn("Differed between cells", self.ulterion("plan").stdout)

    def test_a_cache_in_use_is_waited_for(self) -> None:
        """A soak knows the cache and used it up: half a minute later it is still in use."""
        self.fair()
        self.ulterion("soak", "--setup", "direct", "--for", "3m", "--idle", "0", "--cool", "0")
        done = " ".join(self.json_of("plan", "run", "--steps", "1")["unlike"])
        self.assertIn("direct: the write cache was not empty after 30.0 s", done)

    def test_the_same_cell_again_where_its_comparison_is_open(self) -> None:
        """Two that differ by as much as the margin: the passes go on to the most allowed, then a second visit."""
        bench = BENCH.replace('noise = "0.5%"', 'noise = "4%"').replace('read = "3000 MB/s"', 'read = "1030 MB/s"')
        self.store = self.review(
            HEAD + PLAN.replace('"slow"]', '"other"]').replace("seconds =", "max_passes = 5\nseconds ="), bench
        )
        done = self.json_of("plan", "run", "--visits", "2")
        again = [c for c in done["cells"] if len(c["runs"]) == 2]
        self.assertTrue(again)
        self.assertTrue(all(len(c["runs"]) <= 2 for c in done["cells"]))
        for cell in again:
            runs = [r for r in self.opened().runs() if r.id in cell["runs"]]
            self.assertIn("5 passes, the most allowed", runs[0].workloads[0].ended or "")  # type: ignore[union-attr]

    def test_a_soak_belongs_to_a_cell(self) -> None:
        """With a soak asked for, a cell is done once it has one; what is left in the cache is waited for."""
        second = '[parts.box2]\nname = "Second"\nkind = "enclosure"\n'
        plan = PLAN.replace("seconds =", 'soak = "2 min"\nseconds =').replace('"none"', '"box2"').replace("slow", "x")
        sim = '[parts.box2]\nlink = "USB 10 Gb/s"\nread = "900 MB/s"\nwrite = "900 MB/s"\n'
        self.store = self.review(HEAD + second + plan, BENCH + sim)
        self.assertEqual(self.ulterion("plan", "run", "--steps", "3").returncode, 0)
        self.assertEqual(sum(r.kind == "soak" for r in self.opened().runs()), 2)


class Hands(PlanCase):
    def test_what_to_plug_where(self) -> None:
        """One sentence with what changes; on real hardware it is waited for, and a command calls."""
        self.plan(PLAN.replace("[plan.factors]", 'call = "touch"\n[plan.factors]'))
        store = self.opened()
        step = run.look(PlanRequest(store)).next
        assert step is not None
        self.assertEqual(sentence_of(store, None, step), "plug in b:fast > Test Drive")
        self.ulterion("plan", "run", "--steps", "1")
        step = run.look(PlanRequest(self.opened())).next
        assert step is not None
        self.assertEqual(
            sentence_of(store, "box-slow", step),
            "plug in b:usb > Test Box > Test Drive, with driver uas (changes driver: slow to uas)",
        )
        with mock.patch.object(steps.subprocess, "run", side_effect=OSError):  # type: ignore[attr-defined]
            steps._call(store.review.plan, "words")  # type: ignore[arg-type]

    def test_a_real_folder_is_waited_for_and_measured(self) -> None:
        """Targets that are folders: the plan waits until they are there, then measures each."""
        (self.folder / "there").mkdir()
        plan = (
            PLAN.replace('"sim:bench.toml"', '"{case}"')
            .replace('case = ["box", "none"]', 'case = ["there", "away"]')
            .replace('"b:usb", "{case}", "drive"', '"b:usb", "drive"')
        )
        plan = plan.replace('"uas", "slow"', '"x"').replace('seconds = "1 s"', 'seconds = "0.1 s"\nspan = "16 MiB"')
        head = HEAD.replace('target = "sim:bench.toml"', 'target = "there"')
        self.store = self.review(head + plan)
        with mock.patch("ulterion.run.wait_for_setup._missing", side_effect=lambda setup, target: None if target.exists() else f"{target} is not there yet; mount the drive"), \
             mock.patch("ulterion.run.waiting.SETTLED", 0.01), mock.patch("ulterion.features.plan.steps.CHECK_PASSES", 2):  # fmt: skip
            done = self.ulterion("plan", "run", "--wait", "0.2 s", "--steps", "4")
            self.assertEqual(done.returncode, 2)
            self.assertIn("setup 'away-x' was not ready after 200 ms", done.stderr)
        self.assertEqual({r.setup for r in self.opened().runs()}, {"direct", "there-x"})


class Sweeps(PlanCase):
    def test_a_sweep_of_sizes_is_one_table_one_chart_and_a_sentence_a_level(self) -> None:
        """Every size is measured in every cell; what a level does is told where it does least and most."""
        sweep = PLAN.replace("sequential read 4 MiB depth 4", "sequential read 256 KiB to 4 MiB depth 4")
        self.plan(sweep.replace("seconds =", "passes = 2\nmax_passes = 2\nseconds ="))
        self.assertEqual(self.ulterion("plan", "run").returncode, 0)
        found = self.json_of("plan", "effects", "--figure", "sweep.svg")
        self.assertEqual([w["text"].split()[2:4] for w in found["workloads"]],
                         [["256", "KiB"], ["512", "KiB"], ["1", "MiB"], ["2", "MiB"], ["4", "MiB"]])  # fmt: skip
        drawn = (self.folder / "sweep.svg").read_text()
        self.assertIn("Sequential read, depth 4: change of the rate by request size", drawn)
        shown = self.ulterion("plan", "effects").stdout.splitlines()
        self.assertEqual(shown[0], "None against Test Box: 2.0× at all sizes; it depends on the driver.")
        self.assertEqual(shown[1], "Slow against uas: −45% at all sizes; it depends on the case.")
        self.assertRegex(" ".join(shown), r"none depends on the driver: .* \+10% with uas, 3.7× with slow")
        table = [line for line in shown if re.match(r" *\d+ [KM]iB ", line)]
        self.assertEqual(len(table), 5)

    def test_a_sweep_that_is_none_is_refused(self) -> None:
        """A range from large to small names what is wrong."""
        self.write("review.toml", HEAD + PLAN.replace("read 4 MiB depth 4", "read 8 MiB to 4 KiB depth 4"))
        self.refused("plan", "run", says="from small to large")


class Bad(PlanCase):
    def test_bad_plans(self) -> None:
        """Each one line that names the thing."""
        (self.folder / "review.toml").write_text(HEAD)
        self.refused("plan", says="has no plan")
        for old, new, says in (
            ('case = ["box", "none"]', "case = []", "factor 'case' has no level"), ("{case}", "{cas}", "'{cas}' stands for no factor"),
            ('chain = ["b:usb", "{case}", "drive"]', "", "no setup serves the cell 'case box, driver uas'"),
            ("seconds =", 'exclude = [{ case = "bx" }]\nseconds =', "did you mean 'box'"), ("seconds =", "passes = 9\nmax_passes = 3\nseconds =", "'max_passes' is below"),
            ("seconds =", 'cells = [{ case = "box" }]\nseconds =', "has no level of 'driver'"), ('"uas", "slow"', '"u.a", "u-a"', "would be called"),
            ("seconds =", 'host = "machine"\nseconds =', "'machine' is not a factor"), ("seconds =", 'proofs = [{ when = { case = "x" } }]\nseconds =', "there is no 'case' that is 'x'"),
            ("[plan.factors]", '[plan.expect.bx]\nserial = "1"\n[plan.factors]', "did you mean 'box'"), ("seconds =", 'proofs = [{ shows = "x" }]\nseconds =', "needs the 'command'"), ('workloads = ["sequential read 4 MiB depth 4"]', 'suite = "none"', "unknown suite"),
            ('"none"]', '"bax"]', "unknown part or port 'bax'"), ("[plan.factors]", "[plan.factor]", "unknown key|factors"), ("seconds =", 'order = "alphabet"\nseconds =', "order"),
        ):  # fmt: skip
            self.write("review.toml", HEAD + PLAN.replace(old, new))
            self.write("bench.toml", BENCH + SLOW)
            self.refused("plan", "run", says=says)
        self.write("review.toml", HEAD + PLAN)
        for arguments, says in ((("effects",), "fewer than two cells"), (("grid", "--dark"), "add --figure"), (("--figure", "x.png"), "--figure goes with grid, effects, ranks"),
                                (("compatibility",), "has no compatibility questions")):  # fmt: skip
            self.refused("plan", *arguments, says=says)

    def test_setups_of_the_review_serve_cells(self) -> None:
        """By their chain and their levels; two for one cell, and one for two, are refused."""
        two = "\n".join(
            f'[setups.{n}]\nchain = ["b:usb", "box", "drive"]\ntarget = "sim:bench.toml"\nlevels = {{ driver = "{d}" }}\n'
            for n, d in (("one", "uas"), ("two", "slow"))
        )
        plan = PLAN.replace('chain = ["b:usb", "{case}", "drive"]\n', "").replace('"box", "none"', '"box"')
        review = parse_review(HEAD + two + plan, Path("review.toml"))
        self.assertEqual(set(review.setups), {"direct", "one", "two"})
        self.assertEqual(review.setups["two"].levels, {"case": "box", "driver": "slow"})
        made = parse_review(
            HEAD + PLAN + '[plan.expect.box]\nserial = "T-1"\n[plan.expect.slow]\ndriver = "usb-storage"\n',
            Path("review.toml"),
        )
        told = made.setups["box-slow"].expect
        assert told is not None
        self.assertEqual((told.serial, told.driver, told.port), ("T-1", "usb-storage", None))
        self.assertIsNone(made.setups["none-uas"].expect)
        for setups, says in ((two.replace('"slow"', '"uas"'), "is served by the setups 'one' and 'two'"), (two.replace('levels = { driver = "uas" }', "").replace("two", "one2"), "no setup serves"),
                              (two.split("[setups.two]")[0].replace('levels = { driver = "uas" }', 'levels = { driver = "uas", case = "box" }'), "no setup serves the cell 'case box, driver slow'")):  # fmt: skip
            with self.assertRaisesRegex(UsageError, says):
                parse_review(HEAD + setups + plan, Path("review.toml"))


if __name__ == "__main__":
    unittest.main()
