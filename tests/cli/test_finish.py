"""What a program has besides its work: examples that can be typed, completion, a manual that is current, types for those who import it."""

from __future__ import annotations

import itertools
import shlex
import shutil
import subprocess
import unittest
from pathlib import Path

from tests.support import FolderCase, simulate
from ulterion.cli import completion, manual
from ulterion.cli.commands import COMMANDS
from ulterion.cli.main import build_parser

ROOT = Path(__file__).parents[2]


class Finish(FolderCase):
    def test_examples_can_be_typed(self) -> None:
        """Two of each command, in its help; every one is taken by the parser as it stands."""
        for name, command in COMMANDS.items():
            shown = self.ulterion(name, "--help").stdout
            for line in command.examples:
                self.assertIn(line, shown)
                words = list(itertools.takewhile(lambda word: word not in (">", "|"), shlex.split(line)))[1:]
                self.assertEqual(build_parser(words).parse_args(words).command, name)

    def test_completion(self) -> None:
        """bash completes commands, options and the values of options; the other shells' scripts know every option too."""
        self.review()
        script = self.write("ulterion.bash", self.ulterion("completion", "bash").stdout)
        for line, wanted in (
            ("arc", ["archive"]),
            ("export --as ma", ["markdown"]),
            ("measure --netw", ["--network"]),
            ("estimate rec", ["record"]),
            ("completion f", ["fish"]),
            ("measure --setup b", ["box"]),
            ("compare --dark d", ["direct"]),
            ("copy --from di", ["direct"]),
        ):
            words = ["ulterion", *line.split()]
            asked = f'COMP_WORDS=({" ".join(words)}); COMP_CWORD={len(words) - 1}; _ulterion; echo "${{COMPREPLY[@]}}"'
            done = subprocess.run(
                ["bash", "-c", f"source {script}; {asked}"], cwd=self.folder, capture_output=True, text=True, check=True
            )
            self.assertEqual(done.stdout.split(), wanted, line)
        zsh, fish = self.ulterion("completion", "zsh").stdout, self.ulterion("completion", "fish").stdout
        for command in completion.commands():
            for option in command.options:
                for name in option.names:
                    self.assertIn(name, zsh)
                    self.assertIn(f"-l {name[2:]}" if name.startswith("--") else f"-s {name[1:]}", fish)
        self.refused("completion", "csh", says="did you mean 'zsh'")

    def test_personal_defaults(self) -> None:
        """Units and the review folder as the file says, the command line before it; what it cannot be is refused with the file's name."""
        store = self.review()
        simulate(store, "direct")
        elsewhere = self.folder / "elsewhere"
        elsewhere.mkdir()
        shutil.move(self.folder / "review.toml", elsewhere / "review.toml")
        for name in ("bench.toml", "runs"):
            shutil.move(self.folder / name, elsewhere / name)
        self.write("config/ulterion/config.toml", f'units = "Gb/s"\nreview = "{elsewhere}"\ncolour = false\n')
        told = self.ulterion("compare", "--long").stdout
        self.assertIn("Gb/s", told)
        self.assertIn("MB/s", self.ulterion("compare", "--long", "--units", "MB/s").stdout)
        for text, says in (
            ("units = 3", "write text in quotes"),
            ('units = "furlongs"', "is not one of"),
            ("unit = 'x'", "is not a personal default"),
            ("= =", "is not TOML"),
        ):
            self.write("config/ulterion/config.toml", text)
            done = self.ulterion("compare")
            self.assertEqual(done.returncode, 2)
            self.assertIn(says, done.stderr)

    def test_the_manual_is_current(self) -> None:
        """docs/ulterion.1 is what the parser makes now: python -m ulterion.cli.manual > docs/ulterion.1."""
        self.assertEqual((ROOT / "docs/ulterion.1").read_text(), manual.manual())
        for command in COMMANDS:
            self.assertIn(f".SS ulterion {command}\n", manual.manual())
        self.assertTrue((ROOT / "src/ulterion/py.typed").exists())


if __name__ == "__main__":
    unittest.main()
