"""kill -9 at random moments of what writes files: python -m benchmarks.kills_of_files [KILLS].

Copies that stay and copies that go, an archive filled and made anew (SQLite and PostgreSQL), a proof of capacity that is taken
up again, a table of timings, a plan.  After each kill the folder is looked at, and the command is given again until it ends.
Nothing may be lost, doubled, or lie half-written under a final name.
"""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from unittest import mock

from tests.running import Running
from tests.support import BENCH, REVIEW

from benchmarks.fuzz import PLAN, run
from ulterion.core.facts.target import TargetFacts
from ulterion.features.archive.opening import NoArchiveError, opened_to_read
from ulterion.features.archive.query import Question, ask, parse_question
from ulterion.features.capacity import media
from ulterion.features.capacity import run as capacity_run
from ulterion.features.copy import settle
from ulterion.host import facts as host
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.store import ReviewFolder
from ulterion.run import overwrite_guard

MAX_TRIES = 6  # that a killed command may take until it ends
CAPACITY = 48 * 2**20  # bytes of the medium that is proven
ALL_AT_ONCE = 1.2  # of a command's time, within which the kill falls


@dataclass
class Scene:
    """A command that is killed, and what must hold.

    Attributes:
        name: what it is called.
        words: the command line.
        prepare: makes the folder.
        after: yields what is wrong after a kill; `end` what is wrong once the command was given again and has ended.
        again: the command line that takes it up again, where that is another.
    """

    name: str
    words: list[str]
    prepare: Callable[[Path], None]
    after: Callable[[Path], Iterator[str]]
    end: Callable[[Path], Iterator[str]]
    again: list[str] = field(default_factory=list)


def contents(folder: Path) -> dict[str, bytes]:
    """Return the plain files below a folder."""
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file() and not p.is_symlink()}


def review(folder: Path, more: str = "") -> None:
    """Make a review on the simulated bench."""
    (folder / "bench.toml").write_text(BENCH)
    (folder / "review.toml").write_text(REVIEW + more)


def with_clips(folder: Path) -> None:
    """Make a review, and files to copy."""
    review(folder)
    (folder / "clips/deep").mkdir(parents=True)
    (folder / "target").mkdir()
    rng = random.Random(4)
    for number in range(40):
        (folder / f"clips/{'deep/' if number % 3 else ''}{number}.mov").write_bytes(
            rng.randbytes(rng.randrange(1, 900_000))
        )


def sound(folder: Path) -> Iterator[str]:
    """Yield what is wrong with the review itself: runs that cannot be read, doubled, half-written."""
    opened = ReviewFolder.open(folder)
    ids = [r.id for r in opened.runs()]
    if len(ids) != len(set(ids)):
        yield "a run is there twice"
    yield from (f"set aside: {n}" for n in opened.notices if "cut off" not in n)
    left = [p.name for p in (folder / "runs").glob("*") if p.suffix in (".journal", ".together", ".new")]
    if left:
        yield f"left behind: {left}"


def copy_after(folder: Path) -> Iterator[str]:
    """A final name is whole or not there; the source is what it was."""
    yield from sound(folder)
    if sum(len(b) for b in contents(folder / "clips").values()) != with_clips_bytes(folder):
        yield "the source changed"
    for path in (folder / "target").iterdir():
        if path.name == "clips":
            if contents(path) != contents(folder / "clips"):
                yield "a kept copy is not whole"
        elif not path.name.startswith("ulterion-"):
            yield f"strange: {path.name}"


_bytes: dict[str, int] = {}


def with_clips_bytes(folder: Path) -> int:
    """Return the bytes that the source had at first."""
    return _bytes.setdefault("clips", sum(len(b) for b in contents(folder / "clips").values()))


def copy_end(folder: Path) -> Iterator[str]:
    """Nothing of ours is left at the target."""
    left = [p.name for p in (folder / "target").iterdir() if p.name != "clips"]
    if left:
        yield f"left at the target: {left}"


def kept_end(folder: Path) -> Iterator[str]:
    """The copy stands, whole."""
    yield from copy_end(folder)
    if not (folder / "target/clips").is_dir():
        yield "no copy was kept"


def measured(folder: Path) -> None:
    """Make a review with a few dozen runs."""
    review(folder)
    for setup in ("direct", "box"):
        status, _, err = run(
            ["measure", "--setup", setup, "--suite", "brief", "--passes", "3", "--seconds", "0.1"], folder
        )
        assert status == 0, err
    rng = random.Random(9)
    for path in list((folder / "runs").glob("*.json")):
        text = path.read_text()
        known = path.stem.rpartition("-")[2]
        for _ in range(30):
            other = f"{rng.getrandbits(24) | 0xA00000:06x}"
            path.with_name(path.name.replace(known, other)).write_text(text.replace(known, other, 1))


def held(place: str | Path) -> int | None:
    """Return how many results an archive gives, None where there is none."""
    try:
        engine = opened_to_read(place)
    except NoArchiveError:
        return None
    found = [a for way in ("read", "write") for a in ask(engine, every_result(way), 5000)]
    engine.dispose()
    return len(found)


def every_result(way: str) -> Question:
    """Return the question for every result of a way."""
    return replace(parse_question(way), best_only=False)


def archive_scenes(place: str, name: str) -> Iterator[Scene]:
    """Yield the scenes of an archive at a place ('' for a file in the folder)."""
    full: dict[str, int] = {}

    def where(folder: Path) -> str | Path:
        return place or folder / "all.sqlite"

    def filled(folder: Path) -> None:
        measured(folder)
        emptied(folder)
        assert run(["archive", "add", "--archive", str(where(folder))], folder)[0] == 0
        full["count"] = held(where(folder)) or 0
        assert full["count"] > 100

    def emptied(folder: Path) -> None:
        if place:
            from ulterion.features.archive.adding import rebuild
            from ulterion.features.archive.opening import opened

            engine = opened(place)
            rebuild(engine, [])
            engine.dispose()

    def anything(folder: Path) -> Iterator[str]:
        count = held(where(folder))
        if count is not None and count > full.get("count", 10**9):
            yield f"{count} results, and there are {full['count']}"

    def everything(folder: Path) -> Iterator[str]:
        count = held(where(folder))
        if "count" in full and count != full["count"]:
            yield f"{count} results, and there are {full['count']}"

    def to_fill(folder: Path) -> None:
        filled(folder)
        if place:
            emptied(folder)
        else:
            for path in folder.glob("all.sqlite*"):
                path.unlink()

    words = ["--archive", place or "all.sqlite"]
    yield Scene(f"archive add, {name}", ["archive", "add", *words], to_fill, anything, everything)
    yield Scene(f"archive rebuild, {name}", ["archive", "rebuild", ".", *words], filled, everything, everything)


def timings(folder: Path) -> None:
    """Make a review and a table of timings."""
    review(folder)
    lines = [f"{n} GB in {20 + n}s,{('box', 'direct')[n % 2]},task {n}" for n in range(1, 9)]
    (folder / "t.csv").write_text("timing,setup,task\n" + "\n".join(lines) + "\n")


def timed(folder: Path) -> Iterator[str]:
    """A table is there whole, as often as it was given, or not at all."""
    yield from sound(folder)
    count = len(ReviewFolder.open(folder).summaries())
    if count % 8:
        yield f"{count} of 8 timings"


def planned(folder: Path) -> None:
    """Make a review with a small plan."""
    review(folder, PLAN.replace('["box", "none"]', '["box", "none"]\nround = ["a", "b"]'))


def plan_end(folder: Path) -> Iterator[str]:
    """Every cell was measured once; the direct connection is measured again in between, as the plan has it."""
    yield from sound(folder)
    runs = [r for r in ReviewFolder.open(folder).runs() if r.state.name == "complete"]
    whole = [r.setup for r in runs if r.setup != "direct"]
    if len(whole) != len(set(whole)) or len(whole) < 4:
        yield f"cells: {sorted(map(str, whole))}"


def card(folder: Path) -> None:
    """Make a review and a medium as a file."""
    review(folder)
    with (folder / "card.img").open("wb") as out:
        out.truncate(CAPACITY)
    (folder / "other.img").write_bytes(b"photographs" * 100_000)


def card_after(folder: Path) -> Iterator[str]:
    """The review is sound, and the medium beside it untouched."""
    yield from sound(folder)
    if (folder / "other.img").read_bytes() != b"photographs" * 100_000:
        yield "another medium changed"


def card_end(folder: Path) -> Iterator[str]:
    """The last proof says whole, of all of it."""
    yield from card_after(folder)
    proofs = [r for r in ReviewFolder.open(folder).runs() if isinstance(r, CapacityRun)]
    if proofs[-1].capacity.finding != "whole" or proofs[-1].capacity.sound_bytes != CAPACITY:
        yield f"it says {proofs[-1].capacity.finding}, {proofs[-1].capacity.sound_bytes}"


@contextlib.contextmanager
def files_as_devices() -> Iterator[None]:
    """Let a file stand for a device with a serial number, as far as a proof of capacity asks."""

    def opened(path: Path, permit: overwrite_guard.Overwrite, *_: object) -> mock.Mock:
        fd = os.open(path, os.O_RDWR)
        return mock.Mock(fd=fd, size=path.stat().st_size, device_name="sdx", close=lambda: os.close(fd))

    with (
        mock.patch.object(media, "is_device", lambda path: path.suffix == ".img"),
        mock.patch.object(media, "open_device", opened),
        mock.patch.object(host, "device_facts", lambda path, name: TargetFacts(str(path), "device", serial="S-1")),
        mock.patch.object(media, "pulse_of", lambda fd: None),
        mock.patch.object(settle, "QUIET", 0.05),
        mock.patch.object(capacity_run, "CHUNK", 512),
        mock.patch.object(capacity_run, "KEPT_EVERY", 0.0),
    ):
        yield


PROOF = ["capacity", "card.img", "--overwrite", "S-1"]


def scenes(server: str) -> list[Scene]:
    """Return all scenes; `server` is the address of a PostgreSQL database."""
    copy = ["copy", "clips", "target", "--passes", "2", "--no-ends"]
    return [
        Scene("copy", copy, with_clips, copy_after, copy_end),
        Scene("copy --keep", [*copy, "--keep"], with_clips, copy_after, kept_end),
        *archive_scenes("", "SQLite"),
        *archive_scenes(server, "PostgreSQL"),
        Scene("capacity", PROOF, card, card_after, card_end, [*PROOF, "--resume"]),
        Scene("clock --table", ["clock", "--table", "t.csv"], timings, timed, timed),
        Scene("plan", ["plan", "run"], planned, sound, plan_end),
    ]


def kill_once(scene: Scene, source: Path, folder: Path, rng: random.Random, took: float) -> list[str]:
    """Kill a command at a random moment, look, and give it again until it ends; return what was wrong."""
    shutil.copytree(source, folder, symlinks=True)
    environment = {**os.environ, "NO_COLOR": "1", "COLUMNS": "100"}
    with Running(scene.words, folder, environment) as process:
        time.sleep(rng.uniform(0, took * ALL_AT_ONCE))
        process.kill()
        process.wait()
    faults = list(scene.after(folder))
    for words in [scene.again or scene.words, *[scene.words] * MAX_TRIES]:
        with Running(words, folder, environment) as process:
            _, err = process.communicate()
        if process.returncode == 0 or (process.returncode == 2 and "is there already" in err):
            return [*faults, *scene.end(folder)]
    return [*faults, f"it did not end: {err[-300:]}"]


def killed(scene: Scene, kills: int, scratch: Path) -> tuple[list[str], float]:
    """Kill a command so many times; return what was wrong, and the seconds it takes when nobody does."""
    rng, source = random.Random(scene.name), scratch / "source"
    source.mkdir(parents=True)
    scene.prepare(source)
    whole = scratch / "whole"
    shutil.copytree(source, whole, symlinks=True)
    begin = time.monotonic()
    with Running(scene.words, whole, {**os.environ, "NO_COLOR": "1"}) as process:
        _, err = process.communicate()
    assert process.returncode == 0, err
    took, faults = time.monotonic() - begin, list(scene.end(whole))
    for number in range(kills):
        if "PostgreSQL" in scene.name:
            shutil.rmtree(source)
            source.mkdir()
            scene.prepare(source)
        folder = scratch / "one"
        faults += [f"{number}: {f}" for f in kill_once(scene, source, folder, rng, took)]
        shutil.rmtree(folder)
    return faults, took


def main() -> int:
    """Kill, look, count."""
    import pgserver

    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    bad = 0
    with tempfile.TemporaryDirectory() as home, tempfile.TemporaryDirectory() as scratch, files_as_devices():
        os.environ |= {"XDG_DATA_HOME": f"{scratch}/personal", "XDG_STATE_HOME": f"{scratch}/state"}
        server = pgserver.get_server(home)  # type: ignore[attr-defined]
        server.psql("CREATE DATABASE kills;")
        every = scenes(server.get_uri("kills"))
        for number, scene in enumerate(every):
            count = kills // len(every) + (number < kills % len(every))
            faults, took = killed(scene, count, Path(scratch) / f"scene-{number}")
            bad += len(faults)
            print(
                f"{scene.name}: {count} kills within {took:.2f} s, {len(faults)} faults",
                *faults[:10],
                sep="\n  ",
                flush=True,
            )
        server.cleanup()
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
