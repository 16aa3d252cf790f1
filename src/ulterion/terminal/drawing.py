"""A figure beside an answer: whatever goes wrong with it never costs the answer, which is shown first."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.core.records import dataclass
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    import argparse

    from ulterion.show.blocks import Shown
    from ulterion.show.charts import Chart


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


def draw(
    arguments: argparse.Namespace,
    wanted: Sequence[tuple[Path, str, Callable[[], Chart]]],
    titles: Mapping[str, str] | None = None,
) -> SavedFigures:
    """Draw and write charts, each with its path and its name; an error, of whatever kind, is kept to be raised later.

    `titles` are the reviewer's own, by name.
    """
    drawn = SavedFigures()
    if not wanted:
        return drawn
    try:
        from ulterion.show.charts import titled
        from ulterion.show.draw import draw as drawn_chart
        from ulterion.show.figure_files import save_picture
        from ulterion.show.looks import look_of

        look = look_of(dark=arguments.dark, size=getattr(arguments, "figure_size", None))
        for path, name, make in wanted:
            drawn.notes += save_picture(drawn_chart(titled(make(), (titles or {}).get(name)), look), path)
            drawn.paths.append(path)
    except Exception as error:
        drawn.error = error
    return drawn


def draw_one(
    arguments: argparse.Namespace,
    env: Environment,
    name: str,
    make: Callable[[], Chart],
    titles: Mapping[str, str] | None = None,
) -> SavedFigures:
    """Draw the one chart of an answer where --figure asks for it; raise UsageError where it cannot be written."""
    if not arguments.figure:
        return SavedFigures()
    (path,) = check_paths(env.folder / arguments.figure)
    return draw(arguments, [(path, name, make)], titles)


def show_answer(
    arguments: argparse.Namespace,
    env: Environment,
    kind: str,
    data: object,
    lines: Sequence[Shown],
    *,
    drawn: SavedFigures | None = None,
) -> Status:
    """Show an answer as JSON where that was asked for, else as lines; then where its figures are.  `data` may be what makes the data."""
    drawn = drawn or SavedFigures()
    if arguments.json:
        env.show_json(kind, data() if callable(data) else data, drawn.as_data())
    else:
        env.show(lines)
        drawn.show(env)
    drawn.end(env)
    return Status.DONE
