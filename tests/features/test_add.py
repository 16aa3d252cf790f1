"""`ulterion add`: tables of review.toml from words, what is there kept, what cannot be refused; and all faults of a file at once."""

from __future__ import annotations

import tomllib
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from tests.support import REVIEW, FolderCase
from ulterion.core.errors import UsageError
from ulterion.features.survey.adding import asked_for, claims_of
from ulterion.model.review import load_review, parse_review
from ulterion.model.review_editing import tables_text

TEXT = "# mine\nschema = 2\n\n[ports.left]\nlink = 'USB'   # which one?\n"


class Add(FolderCase):
    def test_a_whole_review_without_an_editor(self) -> None:
        """Port, parts, claims and setup; the file begins as it did, and is read as what was said."""
        path = self.write("review.toml", TEXT)
        for words in (("part", "pod", "--name", "Brindlewick Pod", "--kind", "enclosure", "--claims", "read 1050 MB/s, write 1000 MB/s", "--price", "34 EUR"),
                      ("part", "reed", "--name", "Tarnfell Reed", "--kind", "drive"), ("claim", "pod", "link USB 10 Gb/s"),
                      ("setup", "pod", "--chain", "left > Brindlewick Pod > reed", "--label", "on the left", "--baseline")):  # fmt: skip
            done = self.ulterion("add", *words)
            self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue(path.read_text().startswith(TEXT))
        review = load_review(path)
        pod = review.parts["pod"]
        self.assertEqual((pod.claims.read, pod.claims.write, pod.price.amount), (1050e6, 1000e6, 34))
        assert pod.claims.link is not None
        self.assertEqual((pod.claims.link.name, review.ports["left"].link), ("USB 10 Gb/s", None))
        self.assertEqual((review.setups["pod"].chain, review.baseline_for("reed")), (["left", "pod", "reed"], "pod"))

    def test_what_cannot_be_is_refused_and_nothing_written(self) -> None:
        """Twice the same, an unknown part, a claim that is there, options of another kind; with --print too."""
        path = self.write("review.toml", REVIEW)
        for words, says in (
            (("part", "box", "--name", "x"), "a part 'box' already"), (("setup", "new", "--chain", "b:usb > bax > drive"), "did you mean 'box'"),
            (("claim", "box", "read 5 MB/s"), "claims read 1000 MB/s already"), (("claim", "bax", "read 5 MB/s"), "did you mean 'box'"),
            (("claim", "box", "raed 5 MB/s"), "did you mean 'read'"), (("port", "p", "--price", "3 EUR"), "a port has no --price"),
            (("part", "new"), "needs --name"), (("port", "p", "--link", "USB 7 Gb/s"), "unknown link"), (("claim", "box"), "write a claim like this"),
        ):  # fmt: skip
            self.refused("add", *words, says=says)
        printed = self.json_of("add", "port", "b:new", "--link", "USB 5 Gb/s", "--print")
        self.assertEqual(
            (printed["written"], tomllib.loads(printed["toml"])), (False, {"ports": {"b:new": {"link": "USB 5 Gb/s"}}})
        )
        self.assertEqual(path.read_text(), REVIEW)

    def test_what_is_missing_is_asked_for(self) -> None:
        """One at a time; a wrong answer is told and asked again, and the others are kept; Enter leaves out what need not be."""
        path = self.write("review.toml", TEXT)
        replies, told = iter(["", "Pod", "enclosure", "USB 11 Gb/s", "USB 10 Gb/s", "", "34 EUR"]), list[str]()
        answers = asked_for(path, "part", "pod", {}, ask=lambda question: next(replies), tell=told.append)
        self.assertEqual(answers, {"name": "Pod", "kind": "enclosure", "link": "USB 10 Gb/s", "price": "34 EUR"})
        self.assertRegex(told[0], "unknown link 'USB 11 Gb/s'")

    @given(st.text(min_size=1, max_size=60), st.text(max_size=60))
    def test_any_text_is_read_back(self, key: str, value: str) -> None:
        """Whatever is in a key or value, the TOML that is written says it."""
        kept = value.encode("utf-8", "replace").decode()
        read = tomllib.loads(tables_text({("parts", key): {"name": value, "claims": {"read": value}}}))
        (table,) = read["parts"].values()
        self.assertEqual(table, {"name": kept, "claims": {"read": kept}})

    def test_claims_in_words(self) -> None:
        """Names of two words, any spacing; what is no claim is refused by name."""
        self.assertEqual(
            claims_of("Random read 400000 IOPS,  write 3 GB/s"), {"random_read": "400000 IOPS", "write": "3 GB/s"}
        )
        for text in ("", "fast", "read"):
            with self.assertRaises(UsageError):
                claims_of(text)

    def test_every_fault_of_a_file_at_once(self) -> None:
        """Each with its line, in order, whichever kind it is."""
        for text, faults in (
            ("schema = 2\n[parts.a]\nname = 'A'\nlink = 'USB 9'\nprise = '3 EUR'\n[parts.b]\nkind = 'drive'\n", ("line 4, parts.a.link", "line 5, parts.a.prise", "line 6, parts.b.name")),
            ("schema = 2\n[parts.a]\nname = 'A'\n[setups.x]\nchain = ['a', 'q']\n[setups.y]\nchain = ['r']\n[report]\nagainst = 'z'\n",
             ("line 5, setups.x.chain: unknown part or port 'q'", "line 7, setups.y.chain", "line 9, report.against")),
        ):  # fmt: skip
            with self.assertRaises(UsageError) as caught:
                parse_review(text, Path("review.toml"))
            words = str(caught.exception)
            self.assertEqual([words.index(f) for f in faults], sorted(words.index(f) for f in faults), words)
            self.assertNotIn("\n", words)
