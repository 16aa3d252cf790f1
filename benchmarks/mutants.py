"""Faults put into the code, a line each, that tests must notice: python -m benchmarks.mutants [--only N ...] [--jobs N].

Each entry changes one line in a copy of the project and runs the test modules that must fail then.  Printed are those that live:
a test is missing there.  First every module is run without a change; what fails by itself proves nothing.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

TOP = Path(__file__).parents[1]
LONGEST = 300.0  # seconds that the tests of a mutant may take; one that hangs is noticed


@dataclass(frozen=True)
class Mutant:
    """A line that is changed, and the test modules of which one must fail.

    Attributes:
        path: of the module, below src/ulterion.
        line: a piece of it that stands there once; `instead` what is put in its place.
        tests: modules below tests.
    """

    path: str
    line: str
    instead: str
    tests: tuple[str, ...]


def _(path: str, line: str, instead: str, *tests: str) -> Mutant:
    return Mutant(path, line, instead, tests)


MUTANTS = (
    # verdicts, statistics, claims
    _("core/stats/verdicts.py", "if -band < low and high < band:", "if -band < low or high < band:", "core.test_verdicts"),
    _("core/stats/verdicts.py", "if abs(centre) < band:", "if abs(centre) < 0:", "core.test_verdicts"),
    _("core/stats/verdicts.py", ">= band / 2 else", ">= band else", "core.test_verdicts"),
    _("core/stats/verdicts.py", "if measured.high < needed:", "if measured.rate < needed:", "core.test_verdicts"),
    _("core/stats/estimates.py", "+ abs(one.drift) / 2", "", "core.test_stats"),
    _("core/stats/estimates.py", "error = math.sqrt(va + vb)", "error = math.sqrt(max(va, vb))", "core.test_stats", "core.test_verdicts"),
    _("core/workloads/histogram.py", "math.ceil(q / 100 * total - 1e-9)", "math.floor(q / 100 * total)", "core.test_measures"),
    _("core/workloads/histogram.py", "bucket + 0.5", "bucket + 1.5", "core.test_measures"),
    _("core/facts/differences.py", '    Fact("system", lambda r: r.bench.system, ("system",)),\n', "", "core.test_measures"),
    _("core/facts/differences.py", '    Fact("Ulterion version", lambda r: r.engine, ("versions",)),\n', "", "core.test_measures"),
    _("core/facts/differences.py", "return one != other", "return False", "core.test_measures", "results.test_pooling"),
    _("core/facts/differences.py", '("firmware",), "chain")', '("firmware",), "nothing")', "results.test_pooling", "core.test_measures"),
    _("core/bottleneck.py", "other.chain[-1].key != target.chain[-1].key or not", "not", "core.test_bottleneck"),
    _("core/bottleneck.py", "link.practical_low * SPARE", "link.practical_high", "core.test_bottleneck", "results.test_bottleneck"),
    _("core/bottleneck.py", "return compared.low > 1.0 and compared.value > MORE", "return True", "core.test_bottleneck"),
    _("results/bottleneck.py", "and c.state not in SLOW_STATES", "", "results.test_bottleneck"),
    _("features/claims/judging.py", "{s.key for s in bottleneck.finding.suspects} == {part}", "part in {s.key for s in bottleneck.finding.suspects}", "results.test_bottleneck"),
    _("results/pooling.py", "same_chain and not differences", "same_chain or not differences", "results.test_pooling"),
    _("features/claims/speedup.py", "if reached == len(ratios):", "if reached:", "features.test_estimate"),
    # capacity, by hand, power, estimates
    _("core/capacity.py", "tally.distance >= tally.sound", "tally.distance", "features.test_capacity"),
    _("engine/capacity/proof.py", "elif pattern.is_foreign(words, place):", "elif False:", "cli.test_others"),
    _("engine/capacity/proof.py", "TRIES = 2", "TRIES = 0", "features.test_capacity"),
    _("engine/capacity/proof.py", "lost_from=lost_from, driven=driven)", "lost_from=lost_from, driven=10 * driven)", "features.test_capacity"),
    _("features/capacity/run.py", "if seen.ours and seen.foreign is None:", "if seen.foreign is None:", "cli.test_others"),
    _("features/claims/capacity_proofs.py", 'if one.finding == "bad areas" and one.sound_bytes >= enough:', "if False:", "features.test_capacity"),
    _("features/claims/capacity_proofs.py", "if found and proofs[-1]", "if not found and proofs[-1]", "features.test_estimate"),
    _("features/estimate/transfer_time.py", "if room is not None and room.bytes < size:", "if False:", "features.test_estimate"),
    _("features/estimate/transfer_time.py", "after = Piece(math.inf, known.slow,", "after = Piece(math.inf, known.fast,", "features.test_estimate"),
    _("features/estimate/value.py", ">= least and fits", ">= least", "features.test_estimate"),
    _("core/estimates/transfer_time.py", "return 1 / (1 / reading + 1 / rate)", "return min(reading, rate)", "features.test_estimate"),
    _("core/estimates/power.py", "self.volts**2 / (4 * self.ohms)", "self.volts**2 / (2 * self.ohms)", "features.test_estimate"),
    _("core/units.py", '1e-3 if product[2] == "mA" else 1.0', "1.0", "core.test_units"),
    _("core/transfers/timings.py", '[t for t in figures if t.end == "done"] or figures', "figures", "core.test_clocked"),
    _("core/transfers/timings.py", "self.seconds - self.seconds_step / 2", "self.seconds", "core.test_clocked"),
    _("core/transfers/timings.py", "t.rounding**2 + t.habit**2", "t.rounding**2", "core.test_clocked"),
    # soaks
    _("core/soak/classes.py", "trace.block * trace.depth)", "trace.block)", "core.test_soaks"),
    _("core/soak/heatevidence.py", " and not _counted_here(load, temperature, drops)", "", "core.test_soaks"),
    _("core/soak/heatevidence.py", "return bool(load.counters.throttled) and not any(", "return bool(load.counters.throttled) or not any(", "core.test_soaks"),
    _("core/soak/settling.py", "max(ends) + half + hidden,", "max(ends) + half,", "core.test_soaks"),
    _("core/soak/falls.py", "elif heat is False and drop.for_good and load.writes > 0:", "elif drop.for_good and load.writes > 0:", "core.test_soaks"),
    _("features/soak/words.py", 'coarse or "below V6 at times"', '"below V6 at times"', "core.test_soaks"),
    # moving bytes
    _("engine/targets/base.py", 'if workload.direction != "read":', 'if workload.direction == "write":', "engine.test_target"),
    _("run/session.py", "        self._journal.add(index, record)\n", "        self._observer.end(index, workload, number, result)\n        self._journal.add(index, record)\n", "run.test_keeping"),
    _("engine/copies/walk.py", "facts.st_mode & 0o777", "facts.st_mode & 0o7777", "cli.test_others"),
    _("engine/copies/below.py", ' | getattr(os, "O_NOFOLLOW", 0) | ', " | ", "cli.test_others"),
    _("engine/copies/onepass.py", "    _give_times(done, target)\n", "", "cli.test_others"),
    _("engine/copies/onepass.py", 'with contextlib.suppress(TargetFailed):\n            for _ in pool.run(iter([("flush", folder)])):', 'with contextlib.suppress(TargetFailed):\n            for _ in ():', "features.test_copy"),
    _("engine/copies/readback.py", "if not stat.S_ISREG(", "if stat.S_ISLNK(", "cli.test_others"),
    _("engine/copies/batches.py", "return min(self.moved, max(0, self._written() - self._first_written))", "return self.moved", "features.test_copy"),
    _("model/runs/copied.py", "self.bytes), s, number * pace)", "self.bytes), s)", "features.test_copy"),
    _("model/runs/copied.py", " and not p.from_memory", "", "features.test_copy"),
    _("features/copy/run.py", "if work.request.keep and not has_room(work.request.target, work.count):", "if False:", "cli.test_others"),
    # networks
    _("engine/network/session.py", "return bool(poll.poll(seconds * 1000))", "return bool(poll.poll(seconds * 1000)) and False", "engine.test_network"),
    _("engine/network/frames.py", "            data, ensure_ascii=False\n", "            data\n", "engine.test_network"),
    _("engine/network/peer.py", "if error.errno not in SCARCE:", "if True:", "engine.test_network"),
    _("run/targets/network_pass.py", "if result.seconds < SHORT * order.window.seconds:", "if False:", "engine.test_network"),
    _("run/targets/network_pass.py", "if each_way > link.payload * ROUNDING:", "if False:", "engine.test_network"),
    # what is written, and whose it is
    _("features/archive/opening.py", "if strange or odd or missing:", "if missing:", "cli.test_others"),
    _("features/archive/opening.py", "    if reads and not there:", "    if False:", "cli.test_others"),
    _("features/archive/query.py", "if not (is_number or isinstance(value, kind)) or", "if", "cli.test_others"),
    _("model/ownfiles.py", " or _sum(read_bytes(path)) not in self._sums.get(name, [])", "", "cli.test_others"),
    _("model/bundle.py", "outside = not path.resolve().is_relative_to(folder.resolve())", "outside = False", "cli.test_others"),
    _("model/bundle.py", "min(MAX_BYTES, MAX_TIMES * len(data) + MAX_TEXT_BYTES)", "8 * MAX_BYTES", "cli.test_others"),
    _("model/aside.py", "if not folder.resolve().is_relative_to(review.resolve()):", "if False:", "cli.test_others"),
    _("model/together.py", "for path in (*(p for p, _ in documents), first):", "for path in (first,):", "cli.test_others"),
    _("model/together.py", "if not path_of(run).exists():", "if path_of(run).exists():", "cli.test_others"),
    _("model/runs/header.py", 'n.kind == "excluded"', 'n.kind != "outcome"', "model.test_soak", "model.test_runs"),
    _("model/runs/upgrades.py", "_EXCLUDES.fullmatch(text)", "_EXCLUDES.match(text)", "model.test_runs"),
    _("features/notes/attach.py", "soaks=run_id is None and of_soak", "soaks=False", "model.test_soak"),
    _("features/notes/attach.py", "return idle[1], 0.0", "return text, None", "model.test_soak"),
    _("features/notes/parsing.py", "if _UNCLEAR.match(text):", "if False:", "model.test_soak"),
    _("cli/main.py", 'if action.option_strings and "--" in arg_strings:', "if False:", "cli.test_hostile"),
    # links, tunnels and what is at rest; timings; temperatures on other bodies; ports
    _("host/tunnels.py", "for p in way[::2])", "for p in way)", "host.test_machines"),
    _("core/links/chain.py", "if self.loaded or self.role", "if self.role", "host.test_machines"),
    _("run/expectations.py", "if not resting else None", "", "host.test_machines"),
    _("host/cards.py", "port = higher(port, running) if port is not None else None", "port = port", "host.test_machines"),
    _("host/stacks.py", "if path and through_files and not slaves", "if path and not through_files", "host.test_stacks"),
    _("core/workloads/sanity_limits.py", "rate <= link.payload * ROUNDING", "rate > 0", "features.test_clock"),
    _("features/clock/judging.py", 'verdict="undecided", why=doubt', "why=doubt", "features.test_clock"),
    _("core/soak/settling.py", "for way in WAYS:", "for way in WAYS[:1]:", "core.test_soaks"),
    _("core/soak/settling.py", "if _hardly_slowed(", "if not seconds and _hardly_slowed(", "core.test_soaks"),
    _("features/plan/ports.py", "(lower(fastest, stated), stated)", "(fastest, stated)", "features.test_ports"),
    _("features/plan/judging.py", "measured = pooled_results(runs)", "measured = pooled_results(mine[:1])", "features.test_ports"),
)  # fmt: skip


def copied(where: Path) -> Path:
    """Copy the project; return where it is."""
    for name in ("src", "tests", "benchmarks", "docs", "README.md", "pyproject.toml"):
        source = TOP / name
        if source.is_dir():
            shutil.copytree(source, where / name, ignore=shutil.ignore_patterns("__pycache__", "screenshots"))
        else:
            shutil.copy(source, where / name)
    return where


def passes(where: Path, tests: tuple[str, ...]) -> bool:
    """Return whether test modules pass in a copy of the project."""
    environment = {**os.environ, "PYTHONPATH": f"{where / 'src'}{os.pathsep}{where}", "PYTHONDONTWRITEBYTECODE": "1"}
    words = [sys.executable, "-W", "ignore", "-m", "unittest", "-f", *(f"tests.{name}" for name in tests)]
    try:
        done = subprocess.run(words, cwd=where, env=environment, capture_output=True, timeout=LONGEST, check=False)
    except subprocess.TimeoutExpired:
        return False
    return done.returncode == 0


def lives(mutant: Mutant) -> bool:
    """Return whether no test notices a mutant."""
    with tempfile.TemporaryDirectory(prefix="ulterion-mutant-") as scratch:
        where = copied(Path(scratch))
        path = where / "src/ulterion" / mutant.path
        text = path.read_text(encoding="utf-8")
        path.write_text(text.replace(mutant.line, mutant.instead), encoding="utf-8")
        return passes(where, mutant.tests)


def main() -> int:
    """Try all mutants and print those that live."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", type=int, nargs="+", metavar="N", help="by their place in the table, from 1")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    options = parser.parse_args()
    chosen = [(n, m) for n, m in enumerate(MUTANTS, 1) if options.only is None or n in options.only]
    unfit = [
        f"{m.path}: '{m.line.strip()}'"
        for _, m in chosen
        if (TOP / "src/ulterion" / m.path).read_text().count(m.line) != 1
    ]
    if unfit:
        print("not there once; mend the table: " + "; ".join(unfit))
        return 1
    modules = sorted({t for _, m in chosen for t in m.tests})
    with tempfile.TemporaryDirectory(prefix="ulterion-mutant-") as scratch:
        where = copied(Path(scratch))
        broken = [name for name in modules if not passes(where, (name,))]
    if broken:
        print(f"fail without any change: {', '.join(broken)}")
        return 1
    with ThreadPoolExecutor(options.jobs) as pool:
        living = 0
        for (number, mutant), alive in zip(chosen, pool.map(lambda pair: lives(pair[1]), chosen), strict=True):
            if alive:
                living += 1
                change = f"'{mutant.line.strip()}' made '{mutant.instead.strip()}'"
                print(f"{number} lives: {mutant.path}: {change} ({', '.join(mutant.tests)})", flush=True)
    print(f"{len(chosen)} mutants, {living} live")
    return 1 if living else 0


if __name__ == "__main__":
    sys.exit(main())
