"""The shape of the program: imports go one way, the start is light, the documents are true."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import unittest
from pathlib import Path

REPOSITORY = Path(__file__).parents[1]
PACKAGE = REPOSITORY / "src/ulterion"
FLOORS = [{"core"}, {"model"}, {"engine", "host", "sim"}, {"tasks"}, {"report"}, {"demo"}, {"cli"}]
"""From the ground up.  A package imports itself and packages on lower floors."""
HEAVY = ("numpy", "scipy", "pandas", "matplotlib", "pydantic", "rich")
CORE_MAY = {"numpy", "scipy", "ulterion"}


def imports_of(path: Path) -> set[str]:
    """Return the full names of all modules that a file imports, at the top and inside functions."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            found.add(node.module or "")
            found.update(f"{node.module}.{alias.name}" for alias in node.names)
    return found


def floor(package: str) -> int:
    return next(i for i, names in enumerate(FLOORS) if package in names)


class Layers(unittest.TestCase):
    def test_imports_go_down(self) -> None:
        """Every package imports only itself and what lies below; engine, host and sim do not know one another."""
        packages = {p.name for p in PACKAGE.iterdir() if p.is_dir() and (p / "__init__.py").exists()}
        self.assertEqual(packages, set().union(*FLOORS))
        for path in PACKAGE.rglob("*.py"):
            own = path.relative_to(PACKAGE).parts[0]
            for name in imports_of(path):
                other = name.split(".")[1] if name.startswith("ulterion.") else ""
                if own in packages and other in packages and other != own:
                    self.assertLess(floor(other), floor(own), f"{path} imports {name}")

    def test_the_core_is_pure(self) -> None:
        """Core imports the standard library, NumPy and SciPy, and touches neither files, clocks nor the screen."""
        for path in (PACKAGE / "core").glob("*.py"):
            for name in imports_of(path):
                top = name.split(".")[0]
                self.assertTrue(top in CORE_MAY or top in sys.stdlib_module_names, f"{path} imports {name}")
                self.assertNotIn(top, {"os", "time", "pathlib", "argparse", "io", "socket", "subprocess", "random"})
            calls = {n.func.id for n in ast.walk(ast.parse(path.read_text()))
                     if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}  # fmt: skip
            self.assertFalse(calls & {"print", "open", "input"}, path)

    def test_functions_stay_short(self) -> None:
        """No function is longer than 60 lines."""
        for path in PACKAGE.rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.FunctionDef):
                    self.assertLessEqual((node.end_lineno or 0) - node.lineno, 60, f"{path}: {node.name}")


class Start(unittest.TestCase):
    def test_help_imports_nothing_heavy(self) -> None:
        """`--help`, `--version` and `import ulterion` load none of the big libraries."""
        for words in ("--help", "--version", "measure --help"):
            code = (
                "import sys, ulterion\nfrom ulterion.cli.main import main\n"
                f"try: main({words.split()!r})\nexcept SystemExit as done: assert not done.code\n"
                f"loaded = [m for m in {HEAVY!r} if m in sys.modules]\nsys.exit(repr(loaded) if loaded else 0)"
            )
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, f"{words}: {done.stderr}")


class Documents(unittest.TestCase):
    def test_links_and_pictures_exist(self) -> None:
        """Every relative link in the documents leads somewhere, and every picture is shown in the README."""
        for path in [REPOSITORY / "README.md", *(REPOSITORY / "docs").glob("*.md")]:
            for target in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", path.read_text()):
                self.assertTrue((path.parent / target).exists(), f"{path.name}: {target}")
        readme = (REPOSITORY / "README.md").read_text()
        for picture in (REPOSITORY / "docs/screenshots").glob("*.png"):
            self.assertIn(picture.name, readme)

    def test_every_command_is_explained(self) -> None:
        """The guide has a section for each command, and no command that does not exist."""
        from ulterion.cli.main import COMMANDS

        guide = (REPOSITORY / "docs/guide.md").read_text()
        for name in COMMANDS:
            self.assertIn(f"ulterion {name}", guide)
        for name in re.findall(r"^ *ulterion ([a-z]+)", guide, re.MULTILINE):
            self.assertIn(name, COMMANDS)

    def test_every_link_of_the_table_is_documented(self) -> None:
        """docs/methods.md carries the table of links as the program has it."""
        from ulterion.core.links import LINKS
        from ulterion.core.units import significant

        methods = (REPOSITORY / "docs/methods.md").read_text()
        for link in LINKS:
            most, low, high = (significant(v / 1e6) for v in (link.payload, link.practical_low, link.practical_high))
            row = f"| {link.name} | {most} | {low} to {high} |"
            self.assertIn(row, methods)
