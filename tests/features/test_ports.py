"""Ports beside each other, and what could not be kept alike: from documents whose facts are known."""

from __future__ import annotations

import unittest
from dataclasses import replace

from tests.support import PEAK_READ, REVIEW, FolderCase, simulate
from ulterion.core.links.chain import Step
from ulterion.core.links.standards import find_link
from ulterion.features.plan.differences import unlike
from ulterion.features.plan.judging import all_observations
from ulterion.model.planned import cells_of
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.pooling import pooled_results
from ulterion.results.ports import ports

QUICK = ("--workload", "sequential read 1 MiB depth 2", "--passes", "3")
PLAN = '[plan]\nchain = ["{port}", "box", "drive"]\ntarget = "sim:bench.toml"\nworkloads = ["sequential read 4 MiB depth 4"]\n[plan.factors]\nport = ["b:usb", "b:fast"]\n'


class Ports(FolderCase):
    def measured(self, setup: str) -> MeasureRun:
        return simulate(self.store, setup, [PEAK_READ], passes=3).run

    def test_who_shares_a_controller(self) -> None:
        """Two ports behind one controller name each other; on another host, or behind another, they do not."""
        review = (
            REVIEW
            + '[ports."b:other"]\nlink = "USB 10 Gb/s"\n[setups.third]\nchain = ["b:other", "box", "drive"]\ntarget = "sim:bench.toml"\n'
        )
        self.store = self.review(review)
        run = self.measured("box")
        shared, alone = (
            Step("controller", name, title, "xhci_hcd")
            for name, title in (("0000:00:14.0", "One"), ("0000:05:00.0", "Two"))
        )
        made = []
        for number, (setup, host, step) in enumerate(
            (("box", "desk", shared), ("third", "desk", shared), ("direct", "desk", alone), ("third", "tower", shared))
        ):
            chain = list(self.store.review.setup(setup).chain)
            target, bench = replace(run.target, steps=(step,)), replace(run.bench, host=host)
            made.append(run.changed(id=f"bbbb{number}0", setup=setup, chain=chain, target=target, bench=bench))
        rows = {(r.host, r.port): r for r in ports(self.store.review, made[:3])}
        self.assertEqual((rows["desk", "b:usb"].shares, rows["desk", "b:other"].shares), (("b:other",), ("b:usb",)))
        self.assertEqual((rows["desk", "b:fast"].shares, rows["desk", "b:fast"].controller), ((), "Two (xhci_hcd)"))
        apart = {(r.host, r.port): r.shares for r in ports(self.store.review, [made[0], made[3]])}
        self.assertEqual(set(apart.values()), {()})
        self.assertAlmostEqual(rows["desk", "b:usb"].best["read"][0].rate / 1e9, 1.0, delta=0.02)

    def test_the_link_carries_what_was_measured(self) -> None:
        """Never above what the port can do, nor below what was carried: then it is the port's own, or not told."""
        self.store = self.review(REVIEW)
        run = self.measured("direct")
        rate = run.workloads[0].passes[0].rate
        for seen, told in (
            ("PCIe 3.0 x4", "PCIe 3.0 x4"),
            ("PCIe 3.0 x1", "PCIe 4.0 x4"),
            ("PCIe 5.0 x4", "PCIe 4.0 x4"),
            (None, "PCIe 4.0 x4"),
        ):
            (row,) = ports(self.store.review, [run.changed(target=replace(run.target, link=seen))])
            self.assertEqual(row.link, told, (seen, rate))
        narrow = self.store.review.changed(
            ports={k: p.changed(link=find_link("USB 480 Mb/s")) for k, p in self.store.review.ports.items()}
        )
        (row,) = ports(narrow, [run])
        self.assertIsNone(row.link)

    def test_a_cell_has_the_figure_that_a_comparison_has(self) -> None:
        """Two runs of a cell with other firmware are not pooled in either; alike, they are in both."""
        self.store = self.review(REVIEW + PLAN)
        names = [n for n, h in self.store.review.setups.items() if h.levels]
        one, other = (self.measured(n).changed(suite="plan") for n in names[:2])
        again = self.measured(names[0]).changed(suite="plan")
        one = one.changed(target=replace(one.target, firmware="1.0"))
        for firmware in ("1.0", "2.0"):
            last = again.changed(target=replace(again.target, firmware=firmware))
            (observations,) = all_observations(self.store.review, [one, other, last])
            compared = pooled_results([one, other, last])[names[0]][observations.text].estimate
            cell = next(c for c, h in cells_of(self.store.review).items() if h == names[0])
            self.assertEqual(observations.figures[cell], compared)

    def test_what_was_not_alike(self) -> None:
        """Temperatures, fill, file system and version over the cells of a medium; small differences are none."""
        self.store = self.review(
            REVIEW.replace('[setups.box]\nchain = ["b:usb", "box", "drive"]\ntarget = "sim:bench.toml"', "") + PLAN
        )
        name = next(n for n, h in self.store.review.setups.items() if h.levels)
        run = self.measured(name).changed(suite="plan")
        warm = replace(run.target, temperature=41.0, filesystem="exfat", filesystem_bytes=100, free_bytes=20)
        cool = replace(run.target, temperature=29.0, filesystem="ext4", filesystem_bytes=100, free_bytes=90)
        bench = replace(run.bench, versions={"ulterion": "0.0"})
        runs = [
            run.changed(target=cool),
            run.changed(id="cccc10", target=warm, bench=bench, unequal=["the drive was still at 41 °C"]),
        ]
        told = " ".join(unlike(self.store.review, runs))
        for words in ("temperature at the start: from 29 to 41 °C", "fill: from 10 to 80%", "file system: exfat, ext4",
                      "Ulterion version: ", "the drive was still at 41 °C"):  # fmt: skip
            self.assertIn(words, told)
        self.assertEqual(unlike(self.store.review, [runs[0], runs[0].changed(id="cccc20")]), [])


MACHINE = """
schema = 2
[bench]
host = "{host}"
seed = {seed}
epoch = 2026-01-01T00:00:00Z
[ports."{host}:inner"]
link = "SATA 6 Gb/s"
[ports."{host}:front"]
link = "USB 10 Gb/s"
[ports."{host}:rear"]
link = "USB 10 Gb/s"
[parts.inner]
link = "SATA 6 Gb/s"
capacity = "1 TB"
read = "{inner}"
write = "400 MB/s"
parallel = 8
[parts.hub]
link = "USB 10 Gb/s"
read = "900 MB/s"
[parts.stick]
link = "USB 10 Gb/s"
capacity = "256 GB"
read = "840 MB/s"
write = "610 MB/s"
parallel = 8
[parts.other]
link = "USB 10 Gb/s"
capacity = "256 GB"
read = "840 MB/s"
write = "610 MB/s"
parallel = 8
"""


class Machines(FolderCase):
    """Two machines with an inner drive each, and one stick that goes from one to the other."""

    def setUp(self) -> None:
        super().setUp()
        rates = {"fern": "300 MB/s", "oak": "545 MB/s"}
        for seed, (host, inner) in enumerate(rates.items()):
            self.write(f"{host}.toml", MACHINE.format(host=host, seed=seed, inner=inner))
        places = {"inner": ["inner"], "front": ["stick"], "rear": ["other"]}
        review = ["schema = 2", *(f"[parts.{p}]\nname = 'The {p}'" for p in ("inner", "stick", "other"))]
        for host in rates:
            for port, rest in places.items():
                review.append(f"[ports.'{host}:{port}']")
                review.append(
                    f"[setups.{host}-{port}]\nchain = {[f'{host}:{port}', *rest]}\ntarget = 'sim:{host}.toml'"
                )
        review.append("[setups.again]\nchain = ['oak:front', 'stick']\nlabel = 'the old PC'\ntarget = 'sim:oak.toml'")
        self.write("review.toml", "\n".join(review))

    def test_each_against_its_own_inner_drive(self) -> None:
        """The stick is 2.8 times the inner drive here and 1.5 times there; ports measured together and what boots are told."""
        for setup in ("fern-inner", "oak-inner", "fern-front", "oak-front"):
            self.json_of("measure", "--setup", setup, *QUICK)
        self.json_of("measure", "--setup", "fern-front", "--together", "fern-rear", *QUICK)
        self.ulterion("note", "--setup", "oak-front", "boots with the charger")
        found = {m["host"]: m for m in self.json_of("compare", "--machines")["machines"]}
        told = {h: {r["setup"]: r["ratio"] for r in m["group"]["rows"] if "ratio" in r} for h, m in found.items()}
        self.assertEqual([m["inner"] for m in found.values()], ["fern-inner", "oak-inner"])
        self.assertAlmostEqual(told["fern"]["fern-front"], 840 / 300, delta=0.06)
        self.assertAlmostEqual(told["oak"]["oak-front"], 840 / 545, delta=0.04)
        ports = {p["port"]: p for m in found.values() for p in m["ports"]}
        self.assertAlmostEqual(ports["fern:rear"]["kept"]["fern:front"], 1.0, delta=0.03)
        self.assertEqual(ports["oak:front"]["kept"], {})
        self.assertEqual(ports["oak:front"]["boots"]["oak-front"]["condition"], "with the charger")
        shown = self.ulterion("compare", "--machines").stdout
        shown = " ".join(self.ulterion("compare", "--machines").stdout.split())
        self.assertIn("On oak, beside the inner drive (The inner), The stick on oak:front reads at", shown)
        self.assertIn("yes, with the charger", shown)
        self.refused("compare", "--machines", "--against", "oak-inner", says="--machines takes no --against")

    def test_one_stick_on_two_machines(self) -> None:
        """The answer names the machines where the names of the setups do not."""
        for setup in ("fern-front", "again"):
            self.json_of("measure", "--setup", setup, *QUICK)
        first, second, *_ = self.ulterion("compare", "fern-front", "again").stdout.split("\n")
        self.assertRegex(first, "equally fast")
        self.assertEqual(second, "The machine differs too: fern:front is on fern and the old PC is on oak.")
        (lonely,) = [m for m in self.json_of("compare", "--machines")["machines"] if m["host"] == "fern"]
        self.assertEqual((lonely["inner"], lonely["group"]), (None, None))
        self.assertIn("On fern no inner drive was measured", self.ulterion("compare", "--machines").stdout)


if __name__ == "__main__":
    unittest.main()
