"""The books checked: links, commands, sentences, spelling; and the outputs in them written anew.

Run: python -m benchmarks.docs            (checks, a line for each fault; status 1 with any)
     python -m benchmarks.docs --write [PAGE...]   (plays the commands of pages and writes down what they print)

A page shows commands in blocks of `console`: lines that begin with `$ ` are played in order, in a clean folder, and what follows them
is what was printed.  A line `...` stands for any lines.  `ulterion demo` plays the demo once for all pages.
"""

from __future__ import annotations

import re
import shlex
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

TOP = Path(__file__).parents[1]
DOCS = TOP / "docs"
MADE = ("reference/commands.md", "reference/messages.md")  # written by programs
HOME = "/home/me"  # where pages are played, as they show it
LONG, TOO_LONG = 30, 40  # words of a sentence
BLOCK = re.compile(r"^(?P<indent> *)```(?P<kind>\w*)[^\n]*\n(?P<body>.*?)^(?P=indent)```$", re.MULTILINE | re.DOTALL)
FILE = re.compile(r"<!-- file: (\S+) -->\s*\n```\w+\n(.*?)^```$", re.MULTILINE | re.DOTALL)
LINK = re.compile(r"(?<!!)\[[^\]\n]+\]\(([^)\s]+)\)|!\[[^\]\n]*\]\(([^)\s]+)\)")
INLINE = re.compile(r"`(ulterion [^`\n]+)`")


@dataclass
class Command:
    """A command in a page, and what the page says that it prints; `lines` of the whole are shown."""

    words: str
    printed: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Step:
    """What a page does next: commands of a block, or a file that is written."""

    commands: tuple[Command, ...] = ()
    file: str | None = None
    text: str = ""


def pages() -> list[Path]:
    """Return every page that is written by hand, the README first."""
    found = [p for p in sorted(DOCS.rglob("*.md")) if str(p.relative_to(DOCS)) not in MADE]
    return [TOP / "README.md", TOP / "CONTRIBUTING.md", *found]


def steps(text: str) -> list[Step]:
    """Return what is played of a page, in order."""
    found: list[tuple[int, Step]] = [(m.start(), Step(file=m[1], text=m[2])) for m in FILE.finditer(text)]
    for block in BLOCK.finditer(text):
        if block["kind"] == "console":
            found.append((block.start(), Step(tuple(_commands(block["body"])))))
    return [step for _, step in sorted(found, key=lambda pair: pair[0])]


def _commands(body: str) -> Iterator[Command]:
    command: Command | None = None
    for line in body.splitlines():
        if line.startswith("$ "):
            if command is not None:
                yield command
            command = Command(line[2:].partition("  #")[0].strip())
        elif command is not None:
            command.printed.append(line)
    if command is not None:
        yield command


def every_command(text: str) -> list[str]:
    """Return every `ulterion ...` line of a page, in blocks and in the text, for the parser to be asked."""
    found = [m[1] for m in INLINE.finditer(BLOCK.sub("", text)) if len(m[1].split()) > 2]  # `ulterion new` is its name
    for block in BLOCK.finditer(text):
        if block["kind"] in ("console", "sh"):
            lines = (line.strip().removeprefix("$ ") for line in block["body"].splitlines())
            found += [line.partition("  #")[0].strip() for line in lines if line.startswith("ulterion ")]
    return found


Runner = Callable[[Sequence[str], Path], str]
"""Runs `ulterion` with words in a folder and returns what it printed on standard output."""


def played(text: str, folder: Path, run: Runner, demo: Callable[[Path], str]) -> Iterator[tuple[Command, list[str]]]:
    """Play a page in a folder; yield each command with the lines it printed.  `demo` makes the demo in a folder and says what it printed."""
    here = folder
    for step in steps(text):
        if step.file is not None:
            path = here / step.file
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("a", encoding="utf-8") as out:
                out.write(step.text)
        for command in step.commands:
            words = shlex.split(command.words)
            if words[0] == "cd":
                here = (here / words[1]).resolve()
                printed = ""
            elif words[:2] == ["ulterion", "demo"] and len(words) == 2:
                printed = demo(here / "ulterion-demo")
            elif words[0] == "ulterion":
                printed = run([_real(w, folder) for w in words[1:]], here)
            else:
                raise ValueError(f"a page plays ulterion and cd only, not: {command.words}")
            printed = re.sub(
                r"\bin\n(?=/)", "in ", printed.replace(str(folder), HOME)
            )  # its length differs from place to place
            yield command, [line.rstrip() for line in printed.splitlines()]


def _real(word: str, folder: Path) -> str:
    """Return a word of a command with the places of drives in it put into the folder, made if need be."""
    if not word.startswith("/media/me/"):
        return word
    place = folder / "media" / word.removeprefix("/media/me/")
    if not place.suffix:
        place.mkdir(parents=True, exist_ok=True)
    return str(place)


def shape(line: str) -> str:
    """Return a line as it is compared: numbers, ids and moments are all alike, spaces count once."""
    line = re.sub(r"/\S*/media/", "/media/me/", line)
    line = re.sub(r"\b[0-9a-f]{6}\b|\d[\d.,:]*\d|\d", "0", line)
    line = re.sub(r"\b0(?: min)?(?:m0s| 0 s)\b|\b0 s\b", "0 s", line)
    return re.sub(r"[▏▎▍▌▋▊▉█]+", "█", re.sub(r"\s+", " ", line)).strip()


def matches(wanted: Sequence[str], printed: Sequence[str]) -> bool:
    """Return whether what was printed has the shape of what a page shows, `...` standing for any lines."""
    if not wanted:
        return True
    mine, theirs = wanted[0], printed[0] if printed else None
    if mine.strip() == "...":
        return any(matches(wanted[1:], printed[at:]) for at in range(len(printed) + 1))
    return (
        theirs is not None
        and shape(mine) == shape(theirs)
        and (len(wanted) > 1 or True)
        and matches(wanted[1:], printed[1:])
    )


def rewritten(text: str, outputs: dict[str, list[str]]) -> str:
    """Return a page with its outputs written anew, as many lines of each as it shows now; one that shows none gets all."""

    def block(match: re.Match[str]) -> str:
        if match["kind"] != "console":
            return match[0]
        lines: list[str] = []
        for command in _commands(match["body"]):
            original = next(x for x in match["body"].splitlines() if x.startswith("$ ") and command.words in x)
            lines.append(original)
            lines += _shown(command.printed, outputs.get(command.words, command.printed))
        return f"```console\n{chr(10).join(lines)}\n```"

    return BLOCK.sub(block, text)


def _shown(before: list[str], now: list[str]) -> list[str]:
    """Return the lines to show: `!12` asks for the first twelve; none where a page shows none, else as many at both ends of `...` as it shows."""
    while now and not now[-1]:
        now = now[:-1]
    asked = before[0].removeprefix("!") if len(before) == 1 and before[0].startswith("!") else ""
    if asked:
        return now if len(now) <= int(asked) else [*now[: int(asked)], "..."]
    if not before:
        return []
    if "..." in before:
        first, last = before.index("..."), len(before) - before.index("...") - 1
        return [*now[:first], "...", *(now[-last:] if last else [])]
    return now[: len(before)] if len(before) < len(now) else now


def sentences(text: str) -> Iterator[str]:
    """Yield the sentences of a page's prose, without code, tables, headings and comments."""
    text = re.sub(r"<!--.*?-->", "", BLOCK.sub("\n\n", text), flags=re.DOTALL)
    for paragraph in re.split(r"\n\s*\n|\n(?=[-*] |\d+\. |\|)", text):
        if paragraph.lstrip().startswith(("|", "#", "    ")):
            continue
        plain = re.sub(r"`[^`]*`", "code", re.sub(r"!?\[([^\]]*)\]\([^)]*\)", r"\1", paragraph))
        yield from (s.strip() for s in re.split(r"(?<=[.!?:;])\s+", " ".join(plain.split())) if s.strip())


def words_of(text: str) -> int:
    """Return how many words of prose a page has."""
    return sum(len(s.split()) for s in sentences(text))


def faults_of(page: Path) -> Iterator[str]:
    """Yield what is wrong with a page: links that lead nowhere, sentences that are too long."""
    text = page.read_text(encoding="utf-8")
    name = page.relative_to(TOP)
    for match in LINK.finditer(BLOCK.sub("", text)):
        target, _, anchor = (match[1] or match[2]).partition("#")
        if target.startswith(("http:", "https:", "mailto:")):
            continue
        there = page if not target else (page.parent / target)
        if not there.exists():
            yield f"{name}: the link to {target} leads nowhere"
        elif anchor and there.suffix == ".md" and anchor not in anchors(there.read_text(encoding="utf-8")):
            yield f"{name}: {target or 'this page'} has no heading for #{anchor}"
    for sentence in sentences(text):
        if len(sentence.split()) > TOO_LONG:
            yield f"{name}: a sentence of {len(sentence.split())} words: {sentence[:80]}"


def anchors(text: str) -> set[str]:
    """Return the names by which the headings of a page are linked to."""
    heads = re.findall(r"^#+ (.+)$", BLOCK.sub("", text), re.MULTILINE)
    return {re.sub(r"[^\w -]", "", h.lower()).strip().replace(" ", "-") for h in heads}


def main(arguments: Sequence[str]) -> int:
    """Check the pages, or write the outputs in them anew."""
    if arguments[:1] == ["--write"]:
        return _write([Path(a).resolve() for a in arguments[1:]] or pages())
    faults = [fault for page in pages() for fault in faults_of(page)]
    command = [sys.executable, "-m", "codespell_lib", "--quiet-level", "2", *map(str, pages())]
    faults += subprocess.run(command, capture_output=True, text=True, check=False).stdout.splitlines()
    print("\n".join(faults) or "no fault")
    texts = {p.relative_to(TOP): p.read_text(encoding="utf-8") for p in pages()}
    long = [(n, s) for n, t in texts.items() for s in sentences(t) if len(s.split()) > LONG]
    for name, sentence in long:
        print(f"{name}: {len(sentence.split())} words: {sentence[:100]}")
    for name, text in texts.items():
        print(f"{words_of(text):6} words  {name}")
    print(f"{sum(map(words_of, texts.values())):6} words in all, {len(long)} sentences of more than {LONG}")
    return 1 if faults else 0


def _write(wanted: Sequence[Path]) -> int:
    import os
    import shutil

    program = str(Path(sys.executable).with_name("ulterion"))
    with tempfile.TemporaryDirectory() as scratch:
        home = {f"XDG_{n}_HOME": str(Path(scratch, n.lower())) for n in ("DATA", "STATE", "CONFIG")}
        settings = {**os.environ, **home, "COLUMNS": "100", "NO_COLOR": "1"}

        def run(words: Sequence[str], folder: Path) -> str:
            done = subprocess.run(
                [program, *words], cwd=folder, env=settings, capture_output=True, text=True, check=False
            )
            if done.returncode not in (0, 3, 4):
                sys.exit(f"ulterion {' '.join(words)}: {done.stderr}")
            return done.stdout

        shared = Path(scratch, "ulterion-demo")
        said = run(["demo", str(shared)], Path(scratch)).replace(str(shared), "ulterion-demo")

        def demo(folder: Path) -> str:
            shutil.copytree(shared, folder)
            return said

        for page in wanted:
            text = page.read_text(encoding="utf-8")
            with tempfile.TemporaryDirectory() as place:
                outputs = {c.words: printed for c, printed in played(text, Path(place), run, demo)}
            page.write_text(rewritten(text, outputs), encoding="utf-8")
            print(f"{page.relative_to(TOP)}: {len(outputs)} commands played")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
