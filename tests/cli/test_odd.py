"""Documents that are valid, with figures that no bench ever made: zeros, ends, nothing, a thousand times as much.  No command has a fault from them."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Iterator
from typing import Any

from tests.support import BENCH, REVIEW, WARM, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.model.runs.document import parse_run

ROADS = (
    ("compare", "--long"),
    ("compare", "--soaks"),
    ("claims", "--everywhere"),
    ("estimate", "read", "200 GB"),
    ("estimate", "write", "200 GB"),
    ("estimate", "energy"),
    ("race",),
    ("clock",),
    ("export", "--as", "json", "--to", "tables"),
    ("archive", "add", "--archive", "all.sqlite", "."),
)
DRAWN = (("report",), ("compare", "--figure", "all.png"), ("compare", "--soaks", "--figure", "soaks.png"))
TRIES = 10
NO_NUMBER = re.compile(r"(?<![\w-])(nan|inf|infinity)(?![\w-])", re.IGNORECASE)
Place = tuple[Any, ...]


def places(node: Any, path: Place = ()) -> Iterator[tuple[Place, Any]]:
    """Yield every value of a document, and where it stands."""
    if isinstance(node, dict):
        for key, value in node.items():
            yield from places(value, (*path, key))
    else:
        yield path, node
        for number, value in enumerate(node[:5]) if isinstance(node, list) else ():
            yield from places(value, (*path, number))


def odd(rng: random.Random, value: Any) -> Any:
    """Return what could stand in a value's place."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, int | float):
        return rng.choice([0, 0, 1, value * 1000, value / 1000, -value, 1e-9, 10**15, None, int(value)])
    if isinstance(value, list):
        some = rng.randrange(len(value) + 1)
        return rng.choice(
            [[], value[:some], [0] * len(value), [None] * len(value), [*value[:some], *[0] * (len(value) - some)]]
        )
    return rng.choice(["", None, "x", 0, 1.5, []])


def changed(rng: random.Random, text: str) -> str:
    """Return a document that differs from a valid one in up to a dozen places, and is as valid."""
    for _ in range(12):
        document = json.loads(text)
        found: dict[Place, list[Place]] = {}  # by name, so that long series are not all that is ever chosen
        for place, _ in places(document):
            if place and place[0] not in ("schema", "bench", "target"):
                found.setdefault(tuple(p for p in place if isinstance(p, str)), []).append(place)
        *way, last = rng.choice(found[rng.choice(list(found))])
        node = document
        for step in way:
            node = node[step]
        node[last] = odd(rng, node[last])
        made = json.dumps(document)
        try:
            parse_run(made.encode(), "odd.json")
        except UsageError:
            continue
        text = made
    return text


class Odd(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        store = self.review(REVIEW, BENCH + WARM)
        for setup in ("direct", "box"):
            simulate(store, setup, passes=4)
            self.done(
                "soak",
                "--setup",
                setup,
                "--for",
                "20 s",
                "--idle",
                "4 s",
                "--cool",
                "5 s",
                "--load",
                "sequential write 1 MiB depth 4",
            )
            self.done(
                "clock",
                "--setup",
                setup,
                "--task",
                "a wedding",
                "4.2 GB in 12 s",
                "4.2 GB in 12.5 s",
                "4.2 GB in 11.9 s",
            )
        (self.folder / "from").mkdir()
        self.write("from/a.txt", "a" * 9000)
        self.done("copy", "--to", "box", "--passes", "1", "--no-ends", "from", str(self.folder / "to"))
        self.runs = {p: p.read_text() for p in sorted((self.folder / "runs").glob("*.json"))}

    def done(self, *words: str) -> None:
        (self.folder / "to").mkdir(exist_ok=True)
        done = self.ulterion(*words)
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_no_figure_is_a_fault(self) -> None:
        """Each road answers or refuses in a sentence, and no answer holds what is no number."""
        differ = 0
        for seed in range(TRIES):
            rng = random.Random(seed)
            for path, text in self.runs.items():
                made = changed(rng, text) if rng.random() < 0.6 else text
                differ += json.loads(made) != json.loads(text)
                path.write_text(made)
            roads = (*rng.sample(ROADS, 5), *(DRAWN if seed % 10 == 0 else ()))
            for road in roads:
                with self.subTest(road, seed=seed):
                    done = self.ulterion(*road)
                    self.assertIn(done.returncode, (0, 2), done.stderr)
                    self.assertIsNone(NO_NUMBER.search(done.stdout), done.stdout)
        self.assertGreater(differ, TRIES * len(self.runs) * 0.4)  # else it would prove nothing
