"""The shape of the program: imports go one way, the start is light, the documents are true."""

from __future__ import annotations

import ast
import functools
import re
import subprocess
import sys
import unittest
from pathlib import Path

REPOSITORY = Path(__file__).parents[1]
PACKAGE = REPOSITORY / "src/ulterion"
MAY = {
    "core": "", "model": "core", "engine": "core model", "host": "core model", "sim": "core model", "results": "core model",
    "run": "core model engine host sim results", "show": "core model results", "terminal": "core model run show",
    "features": "core model engine host sim results run show terminal", "api": "core model results features",
    "demo": "core model results run show terminal features", "cli": "core model run show terminal features demo api", "__main__": "cli terminal", "": "core api",
}  # fmt: skip
"""What each floor may import besides itself: downwards only; results know no hardware."""
SUBJECTS = (
    "survey", "measure", "copy", "notes", "clock", "archive", "capacity", "soak", "compare", "claims", "estimate", "plan", "page",
)  # fmt: skip
"""The features in the order of their imports: each may use those before it."""
HEAVY = ("numpy", "scipy", "pandas", "matplotlib", "rich")
CORE_MAY = {"_typeshed", "numpy", "scipy", "ulterion"}


@functools.cache
def nodes(path: Path) -> tuple[ast.AST, ...]:
    """Return all nodes of a module's tree, which several tests go through."""
    return tuple(ast.walk(ast.parse(path.read_text())))


@functools.cache
def imports_of(path: Path) -> set[str]:
    """Return the full names of all modules that a file imports, at the top and inside functions."""
    found = set()
    for node in nodes(path):
        if isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            found.add(node.module or "")
            found.update(f"{node.module}.{alias.name}" for alias in node.names)
    return found


def module_of(path: Path) -> str:
    """Return the dotted name of a file of the package."""
    parts = path.relative_to(PACKAGE.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {module_of(p): p for p in PACKAGE.rglob("*.py")}


def modules_in(path: Path) -> set[str]:
    """Return the modules of the package that a file imports, the root as 'ulterion'."""
    return {
        n if n in MODULES else n.rpartition(".")[0]
        for n in imports_of(path)
        if n in MODULES or n.rpartition(".")[0] in MODULES
    } - {""}


def part_of(module: str) -> str:
    """Return the part of the package that a module belongs to; '' for the root."""
    return ([*module.split("."), ""])[1]


class Layers(unittest.TestCase):
    def test_imports_go_down(self) -> None:
        """Every part imports only itself and what it may, at the top and inside functions; nobody imports the root."""
        self.assertEqual({part_of(m) for m in MODULES}, set(MAY))
        for module, path in MODULES.items():
            own = part_of(module)
            for name in modules_in(path):
                other = part_of(name)
                if other != own:
                    self.assertIn(other, MAY[own].split(), f"{path} imports {name}")
                if own == other == "features":
                    subject, used = (SUBJECTS.index(m.split(".")[2]) for m in (module, name) if m.count(".") > 1)
                    self.assertLessEqual(used, subject, f"{path} imports {name}")

    def test_words_need_no_terminal(self) -> None:
        """What is said is plain text: words know neither the terminal nor how it is laid out."""
        for path in (PACKAGE / "features").rglob("*words.py"):
            self.assertFalse(
                {n for n in imports_of(path) if n.startswith("rich") or n.endswith((".tables", ".terminal"))}, path
            )
        for path in PACKAGE.rglob("*.py"):
            for line in path.read_text().splitlines():
                if "# fmt: " + "skip" in line:
                    self.assertRegex(self._statement(path, line), r"^[A-Z_, ]+(:.*)?=|^[A-Z]", f"{path}: {line}")

    def _statement(self, path: Path, line: str) -> str:
        """Return the first line of the statement at the top of a module that ends with a line."""
        lines = path.read_text().splitlines()
        return next(one for one in reversed(lines[: lines.index(line) + 1]) if re.match(r"[A-Za-z_]", one))

    def test_no_modules_import_one_another_in_a_ring(self) -> None:
        """Followed from any module, imports (also those inside functions) never lead back to it."""
        graph = {m: modules_in(p) - {m} for m, p in MODULES.items()}
        packages = {m for m, p in MODULES.items() if p.name == "__init__.py"}

        def visit(module: str, trail: tuple[str, ...]) -> None:
            self.assertNotIn(module, trail, " > ".join((*trail, module)))
            if module not in seen:
                for name in graph[module] - packages:
                    visit(name, (*trail, module))
                seen.add(module)

        seen: set[str] = set()
        for module in graph:
            visit(module, ())

    def test_the_core_is_pure(self) -> None:
        """Core imports the standard library, NumPy and SciPy, and touches neither files, clocks nor the screen."""
        for path in (PACKAGE / "core").rglob("*.py"):
            for name in imports_of(path):
                top = name.split(".")[0]
                self.assertTrue(top in CORE_MAY or top in sys.stdlib_module_names, f"{path} imports {name}")
                self.assertNotIn(top, {"os", "time", "pathlib", "argparse", "io", "socket", "subprocess", "random"})
            calls = {n.func.id for n in nodes(path)
                     if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}  # fmt: skip
            self.assertFalse(calls & {"print", "open", "input"}, path)

    def test_modules_and_functions_stay_short(self) -> None:
        """No module is longer than 400 lines, no function's body than 40, its docstring left out."""
        for path in PACKAGE.rglob("*.py"):
            self.assertLessEqual(len(path.read_text().splitlines()), 400, path)
            for node in nodes(path):
                if isinstance(node, ast.FunctionDef):
                    body = node.body[1:] if ast.get_docstring(node) else node.body
                    lines = (node.end_lineno or 0) - body[0].lineno + 1 if body else 0
                    self.assertLessEqual(lines, 40, f"{path}: {node.name}")

    def test_types_are_said(self) -> None:
        """Few places do without: at most 40 times `Any`, 4 times `type: ignore`."""
        text = "\n".join(p.read_text() for p in PACKAGE.rglob("*.py"))
        self.assertLessEqual(len(re.findall(r"\bAny\b(?!,| as|\n)", re.sub(r"import .*Any.*", "", text))), 40)
        self.assertLessEqual(text.count("type: ignore"), 4)


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
    def test_pictures_are_shown(self) -> None:
        """Every picture is in the gallery, and linked from the README.  Links: tests/test_docs.py."""
        for page in ("README.md", "docs/gallery.md"):
            text = (REPOSITORY / page).read_text()
            for picture in (REPOSITORY / "docs/screenshots").glob("*.png"):
                self.assertIn(f"screenshots/{picture.name})", text, page)

    def test_calls_name_what_is_more_than_five_arguments(self) -> None:
        """Of our own functions and classes; the kernel's calls, and tables and groups of others' making, take what they take."""
        kernel = ("engine/requests/uring.py", "engine/requests/loops.py", "engine/requests/compiled_calls.py")
        every = {path: nodes(path) for path in MODULES.values()}
        ours = {n.name for some in every.values() for n in some if isinstance(n, ast.FunctionDef | ast.ClassDef)}
        for path, some in every.items():
            for node in some:
                if isinstance(node, ast.Call) and len(node.args) > 5 and not str(path).endswith(kernel):
                    called = ast.unparse(node.func).rpartition(".")[2]
                    self.assertTrue(
                        called not in ours or called in ("Group", "Table"), f"{path}:{node.lineno} {called}"
                    )

    def test_every_link_of_the_table_is_documented(self) -> None:
        """docs/reference/links.md carries the table of links as the program has it."""
        from ulterion.core.links.standards import LINKS
        from ulterion.core.units import significant

        methods = (REPOSITORY / "docs/reference/links.md").read_text()
        for link in LINKS:
            most, low, high = (significant(v / 1e6) for v in (link.payload, link.practical_low, link.practical_high))
            row = f"| {link.name} | {most} | {low}–{high} |"
            self.assertIn(row, methods)
