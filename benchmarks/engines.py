"""The portable engine against the Linux one, turn by turn on one folder.  Run: python -m benchmarks.engines FOLDER [ROUNDS]."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
from pathlib import Path

from ulterion.model.systems import ENGINE, PORTABLE

LARGE = ("sequential read 4 MiB depth 4", "sequential write 4 MiB depth 4", "sequential read 1 MiB depth 8")
SMALL = ("random read 4 KiB depth 1", "random read 4 KiB depth 32")
SPAN, SECONDS, PASSES = "1 GiB", "1", "3"
ROUNDS = 5
WANTED = 0.95  # of the Linux engine's rate on large transfers


def measured(folder: str, workloads: tuple[str, ...], engine: str) -> tuple[dict[str, float], dict[str, float]]:
    """Return the rate and the median wait of each workload by one engine, and what it says that it costs itself."""
    words = [w for text in workloads for w in ("--workload", text)]
    command = [str(Path(sys.executable).with_name("ulterion")), "measure", folder, *words]
    command += ["--span", SPAN, "--seconds", SECONDS, "--passes", PASSES, "--json"]
    done = subprocess.run(command, env={**os.environ, ENGINE: engine}, check=True, capture_output=True, text=True)
    document = json.loads(done.stdout)["run"]
    told = {r["text"]: statistics.median(p["bytes"] / p["seconds"] for p in r["passes"]) for r in document["workloads"]}
    waits = {r["text"]: statistics.median(p["latency"]["p50"] for p in r["passes"]) for r in document["workloads"]}
    own = {k: document["bench"][k] for k in ("request_cost", "request_cost_deep")}
    return told, {**{f"wait {t}": w for t, w in waits.items()}, **own}


def main() -> None:
    """Print for each workload both rates, and the median of the paired ratios."""
    folder, rounds = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else ROUNDS
    for workloads in (LARGE, SMALL):
        pairs = []
        for number in range(rounds):
            order = ("", PORTABLE) if number % 2 else (PORTABLE, "")
            both = {engine: measured(folder, workloads, engine) for engine in order}
            pairs.append((both[PORTABLE], both[""]))
        for text in pairs[0][0][0]:
            ours, theirs = (statistics.median(p[i][0][text] for p in pairs) / 1e6 for i in (0, 1))
            ratio = statistics.median(p[0][0][text] / p[1][0][text] for p in pairs)
            wait, usual = (statistics.median(p[i][1][f"wait {text}"] for p in pairs) * 1e6 for i in (0, 1))
            print(
                f"{text:32} portable {ours:8.1f}  Linux {theirs:8.1f} MB/s  ratio {ratio:5.3f}   median wait {wait:7.0f} and {usual:7.0f} µs"
            )
        if workloads == SMALL:
            one, deep = (
                statistics.median(p[0][1][k] for p in pairs) * 1e6 for k in ("request_cost", "request_cost_deep")
            )
            print(f"told of the portable engine: {one:.1f} µs for one at a time, {deep:.1f} µs for each of many")
        else:
            print(f"wanted on large transfers: {WANTED} or more")


if __name__ == "__main__":
    main()
