"""Matrices: grids and orders, effects and ranks against truths that are known, what is confounded, and where one may stop."""

from __future__ import annotations

import itertools
import math
import random
import unittest
from collections import Counter

import numpy as np
from benchmarks import sweeps
from benchmarks.matrices import count, made, runs_of
from hypothesis import given, settings
from hypothesis import strategies as st

from ulterion.core.errors import UsageError
from ulterion.core.matrix.across_sizes import across_sizes
from ulterion.core.matrix.deciding import decided
from ulterion.core.matrix.effects import effects_of
from ulterion.core.matrix.grid import Cell, by_cables, changes_between, expand, shuffled
from ulterion.core.matrix.ranks import ranks_of
from ulterion.core.matrix.weights import Observed
from ulterion.core.matrix.winners import winners
from ulterion.features.plan.words import cautions

FACTORS = {"card": ["a", "b", "c"], "port": ["left", "right"], "driver": ["old", "new"]}


def changed(order: list[Cell]) -> int:
    return sum(len(changes_between(a, b)) for a, b in itertools.pairwise(order))


class Grids(unittest.TestCase):
    def test_cells(self) -> None:
        """The full grid, without what is left out, or those listed; each fault by name."""
        self.assertEqual(len(expand(FACTORS)), 12)
        kept = expand(FACTORS, (), [{"card": "c", "port": "left"}])
        self.assertEqual(len(kept), 10)
        self.assertEqual(len(expand(FACTORS, [dict(kept[0])])), 1)
        for factors, listed, out, says in (
            ({}, (), (), "no factor"), ({"card": []}, (), (), "no level"), ({"card": ["a", "a"]}, (), (), "'a' twice"),
            (FACTORS, [{"crad": "a"}], (), "did you mean 'card'"), (FACTORS, [{"card": "z"}], (), "level of card"), (FACTORS, [{"card": "a"}], (), "no level of 'port'"),
            (FACTORS, [dict(kept[0]), dict(kept[0])], (), "listed twice"), (FACTORS, (), [{"card": c} for c in "abc"], "no cell is left"),
            (FACTORS, (), [{"card": "c"}, {"card": "c", "port": "left"}], "excludes no cell"), ({f"f{i}": list("abcde") for i in range(6)}, (), (), "more than anyone"),
        ):  # fmt: skip
            with self.assertRaisesRegex(UsageError, says):
                expand(factors, listed, out)

    @given(st.lists(st.integers(2, 4), min_size=1, max_size=4), st.integers(0, 999))
    @settings(max_examples=60, deadline=None)
    def test_a_full_grid_changes_one_level_a_step(self, sizes: list[int], seed: int) -> None:
        """From whatever order it begins; and no cell is lost."""
        cells = shuffled(expand({f"f{i}": [str(n) for n in range(size)] for i, size in enumerate(sizes)}), seed)
        order = by_cables(cells)
        self.assertEqual(sorted(order), sorted(cells))
        self.assertEqual(changed(order), len(cells) - 1)

    def test_holes_cost_little(self) -> None:
        """Half of a grid, in an order that has hardly more changes than cells."""
        rng = random.Random(4)
        cells = [c for c in expand({f"f{i}": list("abcd") for i in range(4)}) if rng.random() < 0.5]
        self.assertLess(changed(by_cables(cells)), 1.2 * len(cells))
        self.assertGreater(changed(shuffled(cells, 1)), 2 * len(cells))


def observed(levels: dict[str, float], cells: list[Cell], noise: float = 0.002, seed: int = 1) -> list[Observed]:
    """Runs of cells whose log is the sum of their levels', two direct runs at each end."""
    rng, runs = random.Random(seed), []
    order: list[Cell | None] = [None, *cells, None, None]
    for hour, cell in enumerate(order):
        mean = 5.0 if cell is None else 5 + sum(levels.get(level, 0.0) for _, level in cell)
        logs = tuple(mean + rng.gauss(0, noise) for _ in range(4))
        runs.append(Observed(cell, "direct" if cell is None else "cell", logs, hour))
    return runs


class Effects(unittest.TestCase):
    def test_what_lacks_is_named(self) -> None:
        """Of a pair that cannot be determined: cells that were not measured, or, with all of them there, repetition."""
        cells = expand({"port": ["left", "right"], "driver": ["old", "new"]})
        for measured, missing, words in (
            (cells, False, "measure some combinations again"),
            (cells[:3], True, "some combinations are not measured"),
        ):
            found = effects_of([o for o in observed({"right": -0.1}, measured) if o.cell is not None])
            assert found is not None
            self.assertEqual([(u.factors, u.missing) for u in found.untested], [(("port", "driver"), missing)])
            self.assertIn(words, " ".join(cautions(found)))

    def test_random_matrices(self) -> None:
        """Intervals of effects and ranks hold, pairs and drifts are found, and few that are not there."""
        told: Counter[str] = Counter()
        for number in range(36):
            rng = random.Random(number)
            truth = made(rng)
            count(truth, runs_of(truth, rng), told)
        self.assertGreater(told["effects held"], 0.91 * told["effects"])
        self.assertGreaterEqual(told["ranks held"], 0.95 * told["ranked"])
        self.assertGreater(told["pairs found"], 0.9 * told["pairs"])
        self.assertGreater(told["drift told"], 0.75 * told["drifting"])
        self.assertLess(told["with a false pair"] + told["drift told falsely"], 0.1 * told["matrices"])

    def test_what_is_confounded_is_refused_by_name(self) -> None:
        """A card that was only ever in one port; and a factor that always changed with two others together."""
        cells = expand(
            FACTORS, (), [{"card": "c", "port": "left"}, {"card": "a", "port": "right"}, {"card": "b", "port": "right"}]
        )
        found = effects_of(observed({"c": -0.3}, cells))
        assert found is not None
        told = {(e.factor, e.level): e for e in found.effects}
        self.assertIsNone(told["card", "c"].ratio)
        self.assertEqual(told["card", "c"].why, "every test of c had port right, and none of a had")
        self.assertIsNone(told["port", "right"].ratio)
        self.assertIn("card", told["port", "right"].why or "")
        self.assertTrue(told["driver", "new"].low < 1 < told["driver", "new"].high)  # type: ignore[operator]
        self.assertTrue(told["card", "b"].low < 1 < told["card", "b"].high)  # type: ignore[operator]
        ranks = ranks_of(observed({"c": -0.3}, cells), "card", 0.03)
        assert ranks is not None
        self.assertEqual([level for level, _ in ranks.refused], ["c"])
        self.assertEqual({p.level for p in ranks.places}, {"a", "b"})

    def test_a_pair_that_does_something_only_together(self) -> None:
        """The new driver gives 41% on the right port and nothing on the left one."""
        rng, runs = random.Random(2), []
        for hour, cell in enumerate(shuffled(expand(FACTORS), 3)):
            levels = dict(cell)
            mean = 6 + math.log(1.41) * (levels["driver"] == "new" and levels["port"] == "right")
            runs.append(Observed(cell, "cell", tuple(mean + rng.gauss(0, 0.004) for _ in range(4)), hour))
        found = effects_of(runs)
        assert found is not None
        (pair,) = found.together
        self.assertEqual(set(pair.factors), {"port", "driver"})
        at = {one.where: one for one in pair.effects if one.where is not None}
        self.assertEqual({one.factor for one in pair.effects}, {"port"})
        new, old = at["driver", "new"], at["driver", "old"]
        ratio = 1.41 if new.level == "right" else 1 / 1.41
        self.assertTrue(new.low < ratio < new.high and (new.high < 0.75 or new.low > 1.35), new)  # type: ignore[operator]
        self.assertTrue(old.low < 1 < old.high)  # type: ignore[operator]

    def test_a_matrix_that_nothing_repeats(self) -> None:
        """As many runs as the model needs: told, and the passes alone decide."""
        cells = expand({"card": ["a", "b"], "port": ["left", "right"]})
        runs = [
            Observed(c, "cell", (1.0 + i / 10, 1.001 + i / 10, 0.999 + i / 10), float(i))
            for i, c in enumerate(cells[:3])
        ]
        found = effects_of(runs)
        assert found is not None
        self.assertTrue(found.passes_alone)
        self.assertIsNone(found.drift)
        self.assertIsNone(effects_of(runs[:1]))


class Ranking(unittest.TestCase):
    def test_the_order_turns_where_it_turns(self) -> None:
        """Card a is best on the whole, and last on the right port: told, with the cells."""
        rng, runs = random.Random(5), []
        for hour, cell in enumerate([*shuffled(expand(FACTORS), 1), *shuffled(expand(FACTORS), 2)]):
            levels = dict(cell)
            mean = {"a": 0.2, "b": 0.0, "c": -0.2}[levels["card"]] - 0.3 * (
                levels["card"] == "a" and levels["port"] == "right"
            )
            runs.append(Observed(cell, "cell", tuple(mean + rng.gauss(0, 0.005) for _ in range(4)), hour))
        ranks = ranks_of(runs, "card", 0.03)
        assert ranks is not None
        self.assertEqual([p.level for p in ranks.places][2], "c")
        turned = {(t.better, t.worse): t.cells for t in ranks.turns}
        self.assertEqual({dict(c)["port"] for c in turned["b", "a"]}, {"right"})
        self.assertEqual(len(turned["b", "a"]), 2)

    def test_alike_ones_are_tied(self) -> None:
        """Two that differ by nothing may be first or second, and are within the margin of each other."""
        cells = [*expand(FACTORS), *shuffled(expand(FACTORS), 7)]
        ranks = ranks_of(observed({"c": -0.4}, cells), "card", 0.03)
        assert ranks is not None
        places = {p.level: p for p in ranks.places}
        self.assertEqual((places["a"].tied, places["b"].tied, places["c"].tied), (("b",), ("a",), ()))
        self.assertEqual((places["a"].best, places["a"].worst, places["c"].best), (1, 2, 3))


class AcrossSizes(unittest.TestCase):
    def test_what_a_setting_does_across_sizes(self) -> None:
        """On made-up matrices: never the wrong way, never unlike where it is the same, no false interaction; most of what is there is shown."""
        told: Counter[str] = Counter()
        for number in range(24):
            rng = random.Random(number)
            truth = sweeps.Truth(rng)
            for one in across_sizes(sweeps.measured(truth, rng), 0.03):
                if one.factor == "setting":
                    sweeps.count(truth, one, told)
        for false in (
            "wrong way",
            "the same, called unlike",
            "called alike falsely",
            "sizes called none falsely",
            "although it is not",
            "although it does not",
        ):
            self.assertEqual(told[false], 0, false)
        self.assertGreater(told["most held"], 0.85 * told["most named"])
        self.assertGreater(told["most named"], 0.6 * told["levels"])
        self.assertGreater(
            told["said to differ by controller"] + told["said alike on every controller"], 0.8 * told["most named"]
        )


class Winners(unittest.TestCase):
    def test_who_is_fastest_with_each_card(self) -> None:
        """By readers of which the truth is known: the slow one is never among the first, those alike are hardly ever beaten."""
        rng, beaten, tied = np.random.default_rng(4), 0, 0
        truths = {"one": 1.0, "same": 1.0, "slow": 0.8}
        for _ in range(150):
            card = float(rng.choice([40e6, 900e6]))
            rates: dict[Cell, list[list[float]]] = {
                (("reader", name), ("card", "oak")): [[float(card * v * math.exp(e)) for e in rng.normal(0, 0.006, 6)]]
                for name, v in truths.items()
            }
            (won,) = winners(rates, "reader", 0.03)
            self.assertEqual(won.rest, (("card", "oak"),))
            self.assertNotIn("slow", (*won.first, *won.unsure))
            beaten += len(won.first) + len(won.unsure) < 2
            tied += len(won.first) == 2
        self.assertLessEqual(beaten, 12)
        self.assertGreater(tied, 120)
        alone = {
            (("reader", "one"), ("card", "oak")): [[1e8, 1e8]],
            (("reader", "same"), ("card", "elm")): [[1e8, 1e8]],
        }
        self.assertEqual(winners(alone, "reader", 0.03), [])


class Deciding(unittest.TestCase):
    def test_looking_at_every_pass_misleads_in_few(self) -> None:
        """Alike ones are called different, at any look, in at most 5%; those far apart are decided at once."""
        rng, wrong = np.random.default_rng(9), 0
        for _ in range(150):
            reference, mine = (list(np.exp(rng.normal(0, 0.01, n))) for n in (18, 20))
            looks = (decided(mine[:n], reference, 0.03) for n in range(3, 21))
            wrong += any(v not in ("undecided", "same") for v in looks)
        self.assertLessEqual(wrong, 12)
        self.assertEqual(decided([0.6, 0.605, 0.597], [1.0, 1.01, 0.99, 1.0, 1.005, 0.995], 0.03), "slower")
        self.assertEqual(decided([], [1.0], 0.03), "undecided")


if __name__ == "__main__":
    unittest.main()
