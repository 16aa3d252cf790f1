"""`ulterion race`: who was ahead when, from copies, soaks and laps; its figure and its film."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.support import FolderCase
from ulterion.core.transfers.race import Runner, crossings, order, to_amount


def straight(name: str, rates: list[tuple[float, float]]) -> Runner:
    """A transfer of stretches of (seconds, rate)."""
    seconds, moved = [0.0], [0.0]
    for length, rate in rates:
        seconds.append(seconds[-1] + length)
        moved.append(moved[-1] + length * rate)
    return Runner(name, tuple(seconds), tuple(moved), moved[-1])


class Progress(unittest.TestCase):
    def test_who_was_ahead_and_where_that_changed(self) -> None:
        """A sprinter whose cache runs out against a steady one: they cross once, where their lines do."""
        sprinter, steady = straight("sprinter", [(10, 50.0), (100, 5.0)]), straight("steady", [(100, 10.0)])
        (one,) = crossings([sprinter, steady])
        self.assertEqual((one.ahead, one.behind), ("steady", "sprinter"))
        self.assertAlmostEqual(one.seconds, 90, delta=2)
        self.assertEqual([r.name for r in order([sprinter, steady])], ["steady", "sprinter"])
        self.assertAlmostEqual(sprinter.at(100), 0.95)

    @given(st.lists(st.tuples(st.floats(0.5, 50), st.floats(1, 1000)), min_size=1, max_size=5), st.floats(0.1, 1))
    @settings(max_examples=60, deadline=None)
    def test_as_far_as_an_amount(self, rates: list[tuple[float, float]], share: float) -> None:
        """Cut at an amount a transfer is over when it had moved as much, and is where it was before that."""
        whole = straight("x", rates)
        cut = to_amount(whole, whole.total * share)
        self.assertAlmostEqual(cut.at(cut.end), 1)
        self.assertLessEqual(cut.end, whole.end + 1e-9)
        middle = cut.end / 2
        self.assertAlmostEqual(cut.at(middle) * cut.total, whole.at(middle) * whole.total, delta=1e-6 * whole.total)

    def test_what_did_not_end_is_no_winner(self) -> None:
        """However far it came; its share is never more than was seen."""
        broken = Runner("broken", (0.0, 5.0), (0.0, 90.0), 100.0, done=False)
        slow = straight("slow", [(100, 1.0)])
        self.assertEqual([r.name for r in order([broken, slow])], ["slow", "broken"])
        self.assertAlmostEqual(broken.at(50), 0.9)


def _after(film: Image.Image, number: int) -> Image.Image:
    film.seek(number)
    return film


class Command(FolderCase):
    def test_a_race_of_a_copy_a_soak_and_laps(self) -> None:
        """By setup and by run; the figure and the film are written; what cannot race says what would."""
        folder = self.demo()
        race = self.json_of(
            "race", "pod", "slip", "--figure", "r.png", "--film", "r.gif", "--speed", "1500", cwd=folder
        )
        first, second = race["racers"]
        self.assertEqual((first["name"], second["name"]), ("Brindlewick Pod", "Hollowbeck Slip"))
        self.assertTrue(0 < second["share_then"] < first["share_then"] == 1)
        self.assertIn("by then", race["story"][1])
        with Image.open(folder / "r.gif") as film:
            self.assertGreater(getattr(film, "n_frames", 1), 10)
            lasts = sum(_after(film, n).info["duration"] for n in range(getattr(film, "n_frames", 1))) / 1000
            self.assertAlmostEqual(lasts, max(r["seconds"] for r in race["racers"]) / 1500 + 1, delta=0.1)
        with Image.open(folder / "r.png") as figure:
            self.assertGreater(figure.size[0], 1000)
        source, target = folder / "s", folder / "t"
        source.mkdir()
        target.mkdir()
        (source / "a").write_bytes(b"x" * 5_000_000)
        self.assertEqual(
            self.ulterion(
                "copy", "s", "t", "--to", "direct", "--from", "vault", "--passes", "1", "--no-ends", cwd=folder
            ).returncode,
            0,
        )
        mixed = self.json_of("race", "direct", "pod", cwd=folder)
        self.assertEqual(mixed["amount"], 5_000_000)
        bare = self.folder / "bare"  # outside any review: timings of the notebook, by their labels
        bare.mkdir()
        for label, timing in (("old reader", "4.2 GB in 72 s"), ("new reader", "4.2 GB in 38 s")):
            self.ulterion("clock", "--as", label, timing, cwd=bare)
        typed = self.json_of("race", "old reader", "New reader", cwd=bare)["racers"]
        self.assertEqual([r["seconds"] for r in typed], [38, 72])
        self.assertAlmostEqual(typed[1]["share_then"], 38 / 72)
        self.assertIn("111 MB/s on average", self.ulterion("estimate", "record", "V30", cwd=bare).stdout)
        for arguments, words in ((("hub-pod", "pod"), "has no copy, soak"), (("pod",), "2 to 6"), (("pod", "pod"), "in the race twice"), (("pod", "nope"), "unknown run or setup"),
                                 (("pod", "slip", "--film", "x.mp4"), "does not end in .gif"), (("pod", "slip", "--speed", "3"), "add --film"),
                                 (("pod", "slip", "--film", "x.gif", "--speed", "1"), "would last")):  # fmt: skip
            done = self.ulterion("race", *arguments, cwd=folder)
            self.assertEqual(done.returncode, 2)
            self.assertRegex(done.stderr, words)


if __name__ == "__main__":
    unittest.main()
