"""A figure beside an answer: whatever goes wrong with it never costs the answer, which is shown first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    import argparse

    from matplotlib.figure import Figure

    from ulterion.show.blocks import Shown


@dataclass
class SavedFigures:
    """Figures that were drawn, and the error that ended the drawing, if one did."""

    paths: list[Path] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    error: Exception | None = None

    def as_data(self) -> dict[str, object]:
        """Return for JSON where the figures are; nothing when none was asked for."""
        told: dict[str, object] = {"figures": [str(p) for p in self.paths]} if self.paths else {}
        return told | ({"figure_error": str(self.error)} if self.error is not None else {})

    def show(self, env: Environment) -> None:
        """Show where they are."""
        env.show([f"figure: {p.relative_to(env.folder) if p.is_relative_to(env.folder) else p}" for p in self.paths])

    def end(self, env: Environment) -> None:
        """Tell what should be known of them, and raise the error, once everything else was shown."""
        env.notice(self.notes)
        if self.error is not None:
            raise self.error


def check_paths(wanted: Path, names: Sequence[str] = ()) -> list[Path]:
    """Return where figures go, each checked before anything else is done; with several names each has its own file.

    Raises UsageError.
    """
    from ulterion.show.figure_files import beside, check_figure_path

    paths = [wanted] if len(names) < 2 else [beside(wanted, name) for name in names]
    for path in {wanted, *paths}:
        check_figure_path(path)
    return paths


def draw(wanted: Sequence[tuple[Path, Callable[[], Figure]]]) -> SavedFigures:
    """Draw and write figures; an error, of whatever kind, is kept to be raised later."""
    from ulterion.show.figure_files import save_figure

    drawn = SavedFigures()
    try:
        for path, make in wanted:
            drawn.notes += save_figure(make(), path)
            drawn.paths.append(path)
    except Exception as error:
        drawn.error = error
    return drawn


def show_answer(
    arguments: argparse.Namespace,
    env: Environment,
    kind: str,
    data: object,
    lines: Sequence[Shown],
    *,
    drawn: SavedFigures | None = None,
) -> Status:
    """Show an answer as JSON where that was asked for, else as lines; then where its figures are."""
    drawn = drawn or SavedFigures()
    if arguments.json:
        env.show_json(kind, data, drawn.as_data())
    else:
        env.show(lines)
        drawn.show(env)
    drawn.end(env)
    return Status.DONE
