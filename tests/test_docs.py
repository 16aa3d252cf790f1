"""The books: every command in them is one that the program takes, those that can be played print what stands there, and no link leads nowhere."""

from __future__ import annotations

import re
import shlex
import subprocess
import sys
import tempfile
import tomllib
import unittest
from collections.abc import Sequence
from itertools import takewhile
from pathlib import Path

from benchmarks.docs import BLOCK, MADE, TOP, every_command, faults_of, matches, pages, played, steps, words_of

from tests.support import FolderCase
from ulterion.cli import manual
from ulterion.cli.commands import COMMANDS
from ulterion.cli.main import build_parser

MOST = {"README.md": 120}
"""Lines."""


class Books(FolderCase):
    def environment(self) -> dict[str, str]:
        return super().environment() | {"COLUMNS": "100"}

    def test_every_page_plays(self) -> None:
        """Its commands one after the other in a clean folder: each ends well and prints what the page shows, numbers aside."""
        home, count = self.folder, 0
        said = re.sub(r"\s/\S+/demo-played", " ulterion-demo", "\n".join(self.demo_said()))

        def run(words: Sequence[str], folder: Path) -> str:
            if words[:2] == ["demo", "--plan"]:
                self.demo(str((folder / words[2]).relative_to(self.folder)), plan=True)
                return ""
            if words[0] == "measure" and "--quick" in words:
                words = [*words, "--seconds", "0.05", "--span", "16 MiB"]
            done = self.ulterion(*words, cwd=folder)
            self.assertIn(done.returncode, (0, 3, 4), f"{words}: {done.stderr}")
            return done.stdout

        def demo(folder: Path) -> str:
            self.demo(str(folder.relative_to(self.folder)))
            return said

        for page in pages():
            text = page.read_text(encoding="utf-8")
            if not any(step.commands for step in steps(text)):
                continue
            with tempfile.TemporaryDirectory() as place:
                self.folder = Path(place).resolve()
                for command, printed in played(text, self.folder, run, demo):
                    with self.subTest(page=page.name, command=command.words):
                        self.assertTrue(
                            matches(command.printed, printed), "\n".join([*command.printed, "---", *printed])
                        )
                    count += 1
            self.folder = home
        self.assertGreater(count, 70)

    def test_every_command_is_one(self) -> None:
        """The parser takes every line that begins with the program's name."""
        for page in pages():
            for line in every_command(page.read_text(encoding="utf-8")):
                with self.subTest(page.name, line=line):
                    argv = list(takewhile(lambda word: word not in ("|", ";", ">"), shlex.split(line)))[1:]
                    if argv and argv[0] in COMMANDS:
                        build_parser(argv).parse_args(argv)

    def test_every_table_is_one(self) -> None:
        """What is shown of review.toml and of personal defaults is TOML."""
        for page in pages():
            for block in BLOCK.finditer(page.read_text(encoding="utf-8")):
                if block["kind"] == "toml":
                    with self.subTest(page.name):
                        tomllib.loads(block["body"])

    def test_links_and_sentences(self) -> None:
        """No link leads nowhere, no sentence has more than forty words, and the front page stays short."""
        self.assertEqual([fault for page in pages() for fault in faults_of(page)], [])
        for name, most in MOST.items():
            self.assertLessEqual(len((TOP / name).read_text(encoding="utf-8").splitlines()), most)
        self.assertLess(sum(words_of(p.read_text(encoding="utf-8")) for p in pages()), 24_000)

    def test_the_librarys_page(self) -> None:
        """Its Python runs as it stands there, on the demo as the review."""
        self.demo("my-review")
        text = (TOP / "docs/reference/api.md").read_text(encoding="utf-8")
        blocks = [b["body"] for b in BLOCK.finditer(text) if b["kind"] == "python"]
        done = self.python("\n".join([*blocks, "assert len(review.compare()) > 50"]))
        self.assertEqual((len(blocks), done.returncode), (1, 0), done.stderr)

    def test_what_is_made_from_the_program(self) -> None:
        self.assertEqual((TOP / "docs" / MADE[0]).read_text(encoding="utf-8"), manual.reference())

    def test_the_site_is_built(self) -> None:
        """Strictly: every page is in the contents, every link and anchor is there; and it can be searched."""
        done = subprocess.run(
            [sys.executable, "-m", "mkdocs", "build", "--strict", "--quiet", "--site-dir", str(self.folder / "site")],
            cwd=TOP, capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue((self.folder / "site/search/search_index.json").stat().st_size > 100_000)
        self.assertTrue((self.folder / "site/how-to/two-ports/index.html").is_file())


if __name__ == "__main__":
    unittest.main()
