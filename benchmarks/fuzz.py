"""Bad input, thousands of times: python -m benchmarks.fuzz [CASES] [--seed N] [--only K].

Each case is a small review, spoiled in one way or more, and a command line of which much is nonsense; it runs in this
process.  Whatever happens there must be an exit status of the table, one line that says why, no traceback, no fault of ours,
and not a byte of the review lost: what cannot be read is set aside, what is recovered or noted holds all it held before.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import json
import os
import random
import resource
import shutil
import sqlite3
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from unittest import mock

from benchmarks.badinput import BAD_TEXTS, spoil, surroundings
from benchmarks.fuzzwords import FILES, MEASURING, Vocabulary
from ulterion.cli.commands import COMMANDS
from ulterion.cli.main import main
from ulterion.core.documents.plain import plain
from ulterion.features.copy import settle
from ulterion.model.reading import parse_json
from ulterion.model.runs.document import run_of
from ulterion.model.setup_notes import parse_notebook
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status
from ulterion.terminal.streams import readable

HOW_MANY = (0, 0, 1, 1, 1, 2, 3)  # words of a command line
OURS_TO_REPLACE = ("report.html", "all.sqlite", "all.sqlite-wal", "all.sqlite-shm", ".bench.toml.left")
SLOWEST = 20.0  # seconds that any case may take
STATUSES = {int(s) for s in Status} - {Status.FAULT}
GROWING = ("readings", "notes", "warnings", "soak", "schema", "state", "ended")
"""What a note, a log or an upgrade may change in a run that is there already."""

PLAN = """
[plan]
chain = ["b:usb", "{case}", "drive"]
target = "sim:bench.toml"
workloads = ["sequential read 4 MiB depth 4"]
seconds = "0.1 s"
passes = 2
[plan.factors]
case = ["box", "none"]
"""


def command_line(rng: random.Random, known: Vocabulary) -> list[str]:
    """Return a command line: a command, some of its words and options, values good and bad."""
    command = rng.choices(list(known.weights), list(known.weights.values()))[0]
    phrase = rng.choice(known.phrases[command]) if command in known.phrases and rng.random() < 0.8 else ()
    words = [command, *phrase]
    if not phrase or rng.random() < 0.2:
        words += [_value(rng, known.words[command]) for _ in range(rng.choice(HOW_MANY))]
    for option, good in rng.sample(
        list(known.options[command].items()),
        min(rng.choice((0, 0, 1, 2, 3, 5) if phrase else (0, 1, 1, 2, 3, 5)), len(known.options[command])),
    ):
        words.append(option if rng.random() < 0.97 else option[:-1])
        if good != ("",):
            words.append(_value(rng, good))
    if rng.random() < 0.03:
        words[0] = rng.choice(BAD_TEXTS)
    # a hostile length would only take time: the last of an option that is given twice counts
    return words + (known.quick.get(words[0], []) if "--resume" not in words else [])


def _value(rng: random.Random, good: tuple[str, ...]) -> str:
    return rng.choice(good) if good and rng.random() < 0.7 else rng.choice(BAD_TEXTS)


def template(folder: Path) -> None:
    """Make the review that every case starts from: both setups measured, one soaked, notes, a cut-off run, a log."""
    from tests.support import BENCH, REVIEW

    (folder / "drive").mkdir(parents=True)
    (folder / "bench.toml").write_text(BENCH)
    (folder / "review.toml").write_text(REVIEW)
    (folder / "log.csv").write_text("when,value\n0,20.5\n1,21\n2,22\n3,23\n")
    for words in (
        ["measure", "--setup", "direct", "--suite", "brief", "--passes", "3", "--seconds", "0.2"],
        ["measure", "--setup", "box", "--suite", "brief", "--passes", "3", "--seconds", "0.2"],
        ["soak", "--setup", "box", "--for", "60 s", "--idle", "0"],
        ["note", "case", "38", "C"], ["note", "--setup", "box", "not recognised"],
        ["survey", "--record", "machine.json"],
    ):  # fmt: skip
        status, out, err = run(words, folder)
        assert status == 0, (words, out, err)
    first = min((folder / "runs").glob("*.json"))
    run_data = json.loads(first.read_text())
    for record in run_data["workloads"]:
        done, record["passes"] = record["passes"], []
    lines = [json.dumps(run_data | {"id": "facade"}), *(json.dumps({"workload": 0, "pass": p}) for p in done)]
    (folder / "runs/20260101T000300Z-measure-direct-facade.journal").write_text("\n".join(lines) + "\n")
    (folder / "runs/20260101T000300Z-measure-direct-facade.notes").write_text(
        json.dumps({"note": {"kind": "remark", "text": "hum", "noted": "2026-01-01T00:00:00Z"}}) + "\n"
    )


def more_files(folder: Path) -> None:
    """Add what the commands on files need: files to copy, a copy with its manifest, timings, an archive, somebody else's database, a page."""
    (folder / "clips/deep").mkdir(parents=True)
    for number, name in enumerate(("a.mov", "deep/b.mov", "deep/c.txt")):
        (folder / "clips" / name).write_bytes(random.Random(number).randbytes(30_000 * number + 5))
    (folder / "clips/link").symlink_to("deep/b.mov")
    (folder / "target").mkdir()
    (folder / "odd").mkdir()
    (folder / "film.gif").write_text("mine")
    with sqlite3.connect(folder / "theirs.sqlite") as theirs:
        theirs.execute("CREATE TABLE runs(key TEXT, mine TEXT)")
        theirs.execute("INSERT INTO runs VALUES ('a', 'b')")
    theirs.close()
    with (folder / "review.toml").open("a") as review:
        review.write(PLAN)
    (folder / "timings.csv").write_text("timing,setup\n4.2 GB in 1m12s,box\n4.2 GB in 31s,direct\n")
    for words in (
        ["copy", "clips", "target", "--passes", "1", "--no-ends", "--manifest", "sums.txt", "--to", "box"],
        ["clock", "--setup", "box", "--task", "clips", "4.2 GB in 1m12s", "still at 30 of 64 GB after 5m"],
        ["clock", "--setup", "direct", "--task", "clips", "4.2 GB in 31s"],
        ["plan", "run"], ["archive", "add", "--archive", "all.sqlite"], ["report"],
    ):  # fmt: skip
        status, out, err = run(words, folder)
        assert status == 0, (words, out, err)


def run(words: list[str], folder: Path, encoding: str = "utf-8") -> tuple[int, str, str]:
    """Run one command line in this process; return status and both outputs."""
    raw, raw_err = io.BytesIO(), io.BytesIO()
    out, err = (readable(io.TextIOWrapper(r, encoding=encoding, write_through=True)) for r in (raw, raw_err))
    with contextlib.chdir(folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        status = main(words, Environment(out, err, folder))
    return int(status), raw.getvalue().decode(encoding, "replace"), raw_err.getvalue().decode(encoding, "replace")


def contents(folder: Path) -> dict[str, bytes]:
    """Return the plain files of a review by their place, but the test drive's."""
    return {str(p.relative_to(folder)): p.read_bytes() for p in sorted(folder.rglob("*"))
            if p.is_file() and not p.is_symlink() and "drive" not in p.parts and p.name != ".lock"}  # fmt: skip


def lost(before: dict[str, bytes], after: dict[str, bytes], folder: Path) -> Iterator[str]:
    """Yield what a command lost of a review, in words."""
    there = Counter(hashlib.sha256(data).digest() for data in after.values())
    for name, data in before.items():
        if there[hashlib.sha256(data).digest()]:
            continue
        fault = _changed(name, data, after, folder)
        if fault:
            yield f"{name}: {fault}"


def _changed(name: str, data: bytes, after: dict[str, bytes], folder: Path) -> str | None:
    """Return what is wrong with a file that is not as it was, None when it may be so."""
    stem, _, ending = name.rpartition(".")
    if ending in ("journal", "notes") and f"{stem}.json" in after:
        return None  # taken into a document; that it holds all is what `benchmarks.kills` tries
    if name == "review.toml":
        return None if b"expect" in after.get(name, b"") else "changed"
    if name == "notes.json":
        noted, grown = (parse_notebook(d, name).notes for d in (data, after.get(name, b"{}")))
        return None if noted == grown[: len(noted)] else "notes are gone"
    if ending in ("png", "svg") or name in OURS_TO_REPLACE:
        return None
    try:
        was, now = (plain(run_of(parse_json(d, name), name)) for d in (data, after[name]))
    except (KeyError, ValueError) as error:
        return f"gone or damaged ({type(error).__name__})"
    kept = [k for k in was if k not in GROWING and was[k] != now[k]]
    short = [k for k in ("readings", "notes") if was[k] != now[k][: len(was[k])]]
    return f"{kept + short} changed" if kept or short else None


def faults_of(status: int, out: str, err: str, words: list[str]) -> Iterator[str]:
    """Yield what is wrong with how a command ended."""
    if status not in STATUSES:
        yield f"status {status}"
    if "Traceback" in err + out or "a fault of ours" in err:
        yield "traceback or fault"
    if status == Status.USAGE and not (err.rstrip("\n").rpartition("\n")[2].startswith("ulterion:")):
        yield "no line that says why"
    if any(c in out + err for c in "\x1b\x07\x9b"):
        yield "a control character reached the terminal"
    if "--json" in words and status != Status.DONE and out:
        try:
            json.loads(out)
        except ValueError:
            yield "standard output is not one JSON document"


def one_case(source: Path, folder: Path, seed: int, known: Vocabulary = MEASURING) -> list[str]:
    """Run one case; return what was wrong."""
    rng = random.Random(seed)
    shutil.copytree(source, folder, symlinks=True)
    if known is FILES:
        os.mkfifo(folder / "odd/pipe")
        os.mkfifo(folder / "fifo")
    try:
        spoiled = [spoil(folder, rng) for _ in range(rng.choice((0, 1, 1, 1, 2, 4)))]
        words = command_line(rng, known)
        before, begin = contents(folder), time.monotonic()
        encoding = rng.choice(("utf-8", "utf-8", "ascii", "latin-1"))
        try:
            with surroundings(rng, folder.with_name("config")):
                status, out, err = run(words, folder, encoding)
        except BaseException as error:
            return [f"case {seed}: {words} {spoiled}: {type(error).__name__}: {error}"]
        wrong = [*faults_of(status, out, err, words), *lost(before, contents(folder), folder)]
        if time.monotonic() - begin > SLOWEST:
            wrong.append(f"took {time.monotonic() - begin:.0f} s")
        told = err.strip().splitlines()[-1:] or [""]
        return [f"case {seed}: {[w[:60] for w in words]} {spoiled}: {w}: {told[0][:200]}" for w in wrong]
    finally:
        for path in folder.rglob("*"):
            if path.is_dir() and not path.is_symlink():
                path.chmod(0o700)
        shutil.rmtree(folder)


def fuzz(cases: int, seed: int, tell: Callable[[str], Any] = print, known: Vocabulary = MEASURING) -> int:
    """Run many cases; tell what was wrong with each and return how many were."""
    bad = 0
    with tempfile.TemporaryDirectory() as scratch:
        home = {
            "XDG_DATA_HOME": f"{scratch}/personal",
            "XDG_STATE_HOME": f"{scratch}/state",
            "NO_COLOR": "1",
            "COLUMNS": "80",
        }
        os.environ |= home
        # a machine that is kept busy by others is never quiet enough for the rest between two copies
        quiet = mock.patch.object(settle, "QUIET", 0.02)
        source = Path(scratch) / "a/b/c/source"  # deep enough that ".." leads nowhere else
        template(source)
        if known is FILES:
            more_files(source)
        with quiet:
            for number in range(seed, seed + cases):
                wrong = one_case(source, source.with_name("case"), number, known)
                bad += bool(wrong)
                for line in wrong:
                    tell(line)
    return bad


def main_program() -> int:
    """Fuzz and report."""
    parser = argparse.ArgumentParser()
    parser.add_argument("cases", nargs="?", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--only", type=int)
    parser.add_argument(
        "--files", action="store_true", help="the commands on files: copy, verify, archive, clock, plan, ..."
    )
    options = parser.parse_args()
    begin = time.monotonic()
    cases, seed = (1, options.only) if options.only is not None else (options.cases, options.seed)
    bad = fuzz(cases, seed, known=FILES if options.files else MEASURING)
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(
        f"{cases} cases over {len(COMMANDS)} commands, {bad} bad; {time.monotonic() - begin:.0f} s, at most {most:.0f} MiB"
    )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main_program())
