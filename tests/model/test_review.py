"""review.toml: reading, and errors that name file, place and remedy."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.support import REVIEW, FolderCase
from ulterion.core.errors import UsageError
from ulterion.model.review import load_review, parse_review
from ulterion.model.store import ReviewFolder, find_review, new_review


class Read(FolderCase):
    def test_quantities_come_in_base_units(self) -> None:
        """Links, claims, shares and defaults are read."""
        review = load_review(self.write("review.toml", REVIEW))
        self.assertEqual(review.parts["box"].claims.write, 1.4e9)
        self.assertEqual(review.ports["b:usb"].link.name, "USB 10 Gb/s")
        self.assertEqual((review.review.margin, review.review.tolerance), (0.03, 0.02))
        self.assertEqual((review.baseline_for("drive"), review.baseline_for("box")), ("direct", None))

    def test_every_fault_names_file_line_and_remedy(self) -> None:
        """Each fault gives one line with the file, where in it, and what to do."""
        faults = [
            ("schema = 2", "schema = ", r"not valid TOML.*line 2"),
            ("schema = 2", "schema = 9", r"schema 9 is not known"),
            ('kind = "enclosure"', 'kindd = "enclosure"', r"line 15, parts\.box\.kindd: unknown key; did you mean 'kind'"),
            ('read = "1000 MB/s"', 'read = "1000 MBps"', r"line 18, parts\.box\.claims\.read: .*MB/s.*Mb/s"),
            ('read = "1000 MB/s"', 'read = "1000 W"', r"parts\.box\.claims\.read: '1000 W' is not a rate"),
            ('read = "1000 MB/s"', "read = 1000", r"has no unit"),
            ('read = "1000 MB/s"', 'raed = "1000 MB/s"', r"claims\.raed: unknown key; did you mean 'read'"),
            ('link = "USB 10 Gb/s"', 'link = "USB 11 Gb/s"', r"line 6, ports\.b:usb\.link: unknown link.*did you mean"),
            ('"box", "drive"]', '"bxo", "drive"]', r"setups\.box\.chain: unknown part or port 'bxo'; did you mean 'box'"),
            ('"box", "drive"]', '"box"', r"not valid TOML"),
            ('["b:usb", "box", "drive"]', '["box", "b:usb", "drive"]', r"can only stand first"),
            ('["b:usb", "box", "drive"]', '["b:usb"]', r"ends at a port"),
            ("[setups.box]", "[setups.box]\nbaseline = true", r"line 25, setups\.box\.baseline: .*so is 'direct'"),
            ("[setups.box]", '[setups."a/b"]', r"letters, digits"),
            ('name = "Test Box"\n', "", r"parts\.box\.name: is missing"),
            ("[parts.box]", '[parts."b:usb"]\nname = "N"\nkind = "k"\n[parts.box]', r"is also the name of a port"),
        ]  # fmt: skip
        for old, new, says in faults:
            self.assertIn(old, REVIEW)
            path = self.write("review.toml", REVIEW.replace(old, new, 1))
            with self.subTest(new), self.assertRaisesRegex(UsageError, says) as caught:
                load_review(path)
            self.assertTrue(str(caught.exception).startswith(str(path)))
            self.assertNotIn("\n", str(caught.exception))

    def test_two_media_may_each_have_a_direct_setup(self) -> None:
        """The baseline belongs to a medium: a card and a drive each have theirs."""
        more = '[parts.card]\nname = "C"\nkind = "card"\n[setups.slot]\nchain = ["card"]\nbaseline = true\n'
        review = load_review(self.write("review.toml", REVIEW + more))
        self.assertEqual((review.baseline_for("drive"), review.baseline_for("card")), ("direct", "slot"))


class New(FolderCase):
    def test_starts_a_review_that_loads_and_overwrites_nothing(self) -> None:
        """The commented file loads, also with its examples uncommented; a second start is refused."""
        path = new_review(self.folder / "a" / "b", 'My "best"\\ review')
        text = path.read_text()
        self.assertEqual(ReviewFolder.open(path.parent).review.setups, {})
        with self.assertRaisesRegex(UsageError, "left as it is"):
            new_review(path.parent, "again")
        self.assertEqual(path.read_text(), text)
        examples = [line.removeprefix("# ") if line.startswith(("# [", "# ")) and ("=" in line or "# [" in line) else line
                    for line in text.splitlines()]  # fmt: skip
        review = load_review(self.write("review.toml", "\n".join(e for e in examples if not e.startswith("Mark"))))
        self.assertEqual(
            sorted(review.setups), ["direct", "laptop-left-none", "pod"]
        )  # two of them serve the plan's cells

    def test_is_found_from_any_folder_inside(self) -> None:
        """From the review folder and below it is found; beside it is not."""
        self.write("r/review.toml", REVIEW)
        (self.folder / "r/x/y").mkdir(parents=True)
        self.assertEqual(find_review(self.folder / "r/x/y"), self.folder / "r")
        self.assertIsNone(find_review(self.folder))


class Names(unittest.TestCase):
    def test_a_setup_is_called_by_its_products(self) -> None:
        """What stands between port and medium; directly in a port; and the port, the levels or its own name where two would be called alike."""
        text = (
            'schema = 2\n[ports.a]\nlink = "USB 10 Gb/s"\n[ports.b]\nlink = "USB 5 Gb/s"\n[parts.box]\nname = "Box One"\nkind = "enclosure"\n'
            '[parts.hub]\nname = "Hub Two"\nkind = "hub"\n[parts.d]\nname = "Drive"\nkind = "drive"\n'
            '[setups.direct]\nchain = ["a", "d"]\n[setups.x]\nchain = ["a", "box", "d"]\n[setups.y]\nchain = ["b", "box", "d"]\n'
            '[setups.z]\nchain = ["a", "hub", "box", "d"]\n'
        )
        review = parse_review(text, Path("review.toml"))
        self.assertEqual(
            [review.setup_label(n) for n in review.setups],
            ["a", "Box One on a", "Box One on b", "Hub Two + Box One"],
        )
        text += '[setups.y2]\nchain = ["b", "box", "d"]\n'
        levels = [
            f'levels = {{ driver = "{d}", port = "{p}" }}\n' for d, p in (("uas", "a"), ("uas", "b"), ("bulk", "b"))
        ]
        for name, level in zip(("x", "y", "y2"), levels, strict=True):
            text = text.replace(f"[setups.{name}]\n", f"[setups.{name}]\n{level}")
        review = parse_review(text, Path("review.toml"))
        self.assertEqual(
            [review.setup_label(n) for n in ("x", "y", "y2")],
            ["Box One on a", "Box One on b, driver uas", "Box One on b, driver bulk"],
        )
        review = parse_review(text.replace('"bulk"', '"uas"'), Path("review.toml"))
        self.assertEqual(
            [review.setup_label(n) for n in ("x", "y", "y2")], ["Box One on a", "Box One (y)", "Box One (y2)"]
        )
