"""What a command may use of the outside world, in one object, so that tests can pass their own."""

from __future__ import annotations

import contextlib
import io
import os
import sys
from collections.abc import Mapping, Sequence
from dataclasses import field
from pathlib import Path
from typing import IO, TYPE_CHECKING

from ulterion.core.records import dataclass
from ulterion.show.width import as_it_is, columns
from ulterion.terminal.streams import open_standard_descriptors, readable

if TYPE_CHECKING:
    from ulterion.show.blocks import Shown


@dataclass
class Environment:
    """Streams and the folder a command was called from.

    Attributes:
        out, err: standard output and standard error.
        folder: the working folder.
        answered: whether a JSON document was written; there is never a second.
        quiet: whether only what was asked for as data is written, and what goes wrong or has to be known.
    """

    out: IO[str]
    err: IO[str]
    folder: Path
    answered: bool = field(default=False)
    quiet: bool = field(default=False)

    @classmethod
    def real(cls) -> Environment:
        """Return the process's own; raise UsageError when the working folder is gone."""
        open_standard_descriptors()
        return cls(readable(sys.stdout), readable(sys.stderr), _working_folder())

    @property
    def screen(self) -> IO[str]:
        """Where it is shown how far a run is."""
        return _Nowhere() if self.quiet else self.err

    def show(self, lines: Sequence[Shown]) -> None:
        """Print blocks to the standard output."""
        if self.quiet:
            return
        width = columns(self.out)
        if all(isinstance(line, str) and as_it_is(line, width) for line in lines):
            self.out.writelines(f"{line}\n" for line in lines)
            return
        from ulterion.show.terminal import text_of

        self.out.writelines(text_of(line, self.out) for line in lines)

    def show_json(self, kind: str, answer: object, beside: Mapping[str, object] | None = None) -> None:
        """Print an answer of a kind (`ulterion.cli.answer_schema`) to the standard output, one JSON document; `beside` tells of its figures."""
        import json

        from ulterion.core.text import json_safe
        from ulterion.show.answers import NAME, VERSION, as_json

        plain = (getattr(self.out, "encoding", None) or "utf-8").casefold().replace("-", "") != "utf8"
        self.answered = True
        schema = {"name": NAME, "version": VERSION, "kind": kind}
        whole = {"schema": schema, **as_json(answer), **(beside or {})}
        self.out.write(json_safe(json.dumps(whole, indent=2, ensure_ascii=plain, allow_nan=False)) + "\n")

    def notice(self, sentences: list[str]) -> None:
        """Print sentences to the standard error, a line each; where it is closed or full they are lost."""
        from ulterion.core.text import brief

        with contextlib.suppress(OSError, ValueError):
            for sentence in sentences:
                self.err.write(f"ulterion: {brief(sentence)}\n")
            self.err.flush()

    def confirm(self, question: str) -> bool:
        """Ask at the terminal and return whether the answer was yes; without a terminal the answer is no."""
        return bool(self.ask(question))

    def ask(self, question: str) -> bool | None:
        """Ask at the terminal and return whether the answer was yes; None without a terminal."""
        if not (sys.stdin is not None and sys.stdin.isatty() and self.err.isatty()):
            return None
        self.err.write(f"{question} [y/N] ")
        self.err.flush()
        return sys.stdin.readline().strip().casefold() in ("y", "yes")

    def ask_text(self, question: str) -> str | None:
        """Ask for a line at the terminal and return it; None without a terminal, or where it is over."""
        if not (sys.stdin is not None and sys.stdin.isatty() and self.err.isatty()):
            return None
        self.err.write(f"{question}: ")
        self.err.flush()
        line = sys.stdin.readline()
        return line.strip() if line else None

    def show_progress(self, words: str) -> None:
        """Write over the line that says how far the work is, on a terminal; no words clear it."""
        if self.screen.isatty():
            self.screen.write(f"\r{words:<40}" if words else f"\r{'':<40}\r")
            self.screen.flush()

    def tell(self, sentence: str) -> None:
        """Print one sentence to the standard error."""
        self.notice([sentence])


class _Nowhere(io.StringIO):
    """A stream that discards what is written, and is not a terminal."""

    def write(self, text: str) -> int:
        return len(text)


def _working_folder() -> Path:
    try:
        return Path(os.getcwd())  # noqa: PTH109 - one call that may fail
    except OSError as error:
        from ulterion.core.errors import UsageError

        raise UsageError(f"the folder you are in is gone or closed to you ({error.strerror}); go to another") from error
