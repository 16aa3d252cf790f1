"""What a command may use of the outside world, in one object, so that tests can pass their own."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import IO, Any, NamedTuple


class Environment(NamedTuple):
    """Streams and the folder a command was called from."""

    out: IO[str]
    err: IO[str]
    folder: Path

    @classmethod
    def real(cls) -> Environment:
        """Return the process's own."""
        return cls(sys.stdout, sys.stderr, Path.cwd())

    def show(self, lines: list[Any]) -> None:
        """Print renderables to the standard output."""
        from ulterion.report.screen import console

        out = console(self.out)
        for line in lines:
            out.print(line, crop=False)  # tables cut themselves; a path must stay whole

    def show_json(self, data: Any) -> None:
        """Print one JSON document to the standard output."""
        import json

        self.out.write(json.dumps(data, indent=2, ensure_ascii=False, allow_nan=False) + "\n")

    def notice(self, sentences: list[str]) -> None:
        """Print sentences to the standard error."""
        for sentence in sentences:
            self.err.write(f"ulterion: {sentence}\n")
