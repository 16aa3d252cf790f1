"""Every sentence of the program in one place, to be read aloud: python -m tests.sentences > docs/reference/messages.md."""

from __future__ import annotations

import ast
import functools
import re
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path

PACKAGE = Path(__file__).parents[1] / "src/ulterion"
FEWEST = 3  # words that make a sentence
LEFT_OUT = (
    "cli/completion.py",
    "cli/manual.py",
    "features/archive/schema.py",
    "core/links",
    "model/review_template.py",
)
"""What holds no sentences of ours: shell scripts, database commands, sources of standards, a template."""
NOT_SHOWN = ("description", "why", "pattern", "metavar")
"""Keywords whose strings no user meets as they stand."""
HEAD = """# Every sentence

What the program can say, by the module that says it. What is filled in stands in ‹angle brackets›. This page is made from
the source: `python -m tests.sentences > docs/reference/messages.md`; a test fails when it is stale.
"""


@functools.cache
def sentences() -> dict[str, list[str]]:
    """Return the sentences of every module below the package, in the order of their lines."""
    found = {}
    for path in sorted(PACKAGE.rglob("*.py")):
        name = path.relative_to(PACKAGE).as_posix()
        if not name.startswith(LEFT_OUT):
            mine = list(dict.fromkeys(_sentences(ast.parse(path.read_text()))))
            found |= {name: mine} if mine else {}
    return found


def page() -> str:
    """Return the page."""
    parts = [HEAD]
    for module, found in sentences().items():
        parts.append(f"\n## {module}\n\n" + "\n".join(f"- {one}" for one in found) + "\n")
    return "".join(parts)


def _sentences(module: ast.Module) -> Iterator[str]:
    nodes = list(ast.walk(module))
    skipped = set(_not_shown(nodes))
    for node in sorted(_strings(nodes), key=lambda n: (n.lineno, n.col_offset)):
        if id(node) in skipped:
            continue
        text = _text(node)
        words = [w for w in text.split() if re.search("[a-z]{2}", w)]
        if len(words) >= FEWEST and not re.match(r"[a-z]+\.[a-z_.]+$|\^|SELECT |<|--\w+ --|\(\?:", text):
            yield " ".join(text.split())


def _strings(nodes: Sequence[ast.AST]) -> Iterator[ast.expr]:
    """Yield constants and formatted strings that are not a part of another."""
    inner = {id(v) for n in nodes if isinstance(n, ast.JoinedStr) for v in n.values}
    for node in nodes:
        plain = isinstance(node, ast.Constant) and isinstance(node.value, str)
        if (plain or isinstance(node, ast.JoinedStr)) and id(node) not in inner:
            assert isinstance(node, ast.expr)
            yield node


def _not_shown(nodes: Sequence[ast.AST]) -> Iterator[int]:
    """Yield what is a docstring, or stands behind a keyword of `NOT_SHOWN`."""
    for node in nodes:
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            yield id(node.value)
        if isinstance(node, ast.keyword) and node.arg in NOT_SHOWN:
            yield from (id(n) for n in ast.walk(node.value))
        if isinstance(node, ast.Call) and _called(node.func).startswith(("re.", "Field", "_link")):
            yield from (id(n) for n in ast.walk(node))


def _called(function: ast.expr) -> str:
    """Return the name of what is called, with one before it, as far as it has names."""
    if isinstance(function, ast.Attribute) and isinstance(function.value, ast.Name):
        return f"{function.value.id}.{function.attr}"
    return function.id if isinstance(function, ast.Name) else ""


def _text(node: ast.expr) -> str:
    if isinstance(node, ast.Constant):
        return str(node.value)
    assert isinstance(node, ast.JoinedStr)
    return "".join(str(v.value) if isinstance(v, ast.Constant) else f"‹{_filled(v)}›" for v in node.values)


def _filled(value: ast.expr) -> str:
    """Return a word for what is filled in: the last name of the expression."""
    names = re.findall(r"[a-z_]{2,}", re.sub(r"'[^']*'|\"[^\"]*\"", "", ast.unparse(value)))
    return names[-1].strip("_").replace("_", " ") if names else "…"


if __name__ == "__main__":
    sys.stdout.write(page())
