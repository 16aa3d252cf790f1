"""Personal defaults: ~/.config/ulterion/config.toml (or under XDG_CONFIG_HOME), for what one would type every time.

units = "Gb/s"            # of every table
review = "/home/me/now"   # the review folder, where one stands in none
archive = "/mnt/all.sqlite"
archive_each_run = true   # what ends is put into the archive at once
colour = false            # never, also on a terminal
"""

from __future__ import annotations

import os
from pathlib import Path

from ulterion.terminal.status import Refused

TYPE_CHECKING = False  # as in `typing`, which starting does not need
if TYPE_CHECKING:
    import argparse

KEYS = ("units", "review", "archive", "archive_each_run", "colour")
MAX_CHARACTERS = 100_000  # characters of the file
SWITCHES = ("archive_each_run", "colour")


def config_path() -> Path:
    """Return where the file is, whether it is there or not."""
    base = os.environ.get("XDG_CONFIG_HOME") or "~/.config"
    return Path(base).expanduser() / "ulterion" / "config.toml"


def apply(parser: argparse.ArgumentParser) -> None:
    """Set a command's defaults as the file says; raise Refused for one that cannot be read, or says what nothing listens to."""
    told, path = personal(), config_path()
    if told.get("colour") is False:
        os.environ["NO_COLOR"] = "1"
    for action in parser._actions:
        value = told.get(action.dest) if action.option_strings else None
        if value is None or (action.dest == "review" and _in_a_review()):
            continue
        if action.choices is not None and value not in action.choices:
            raise Refused(f'{path}: {action.dest} = "{value}" is not one of {", ".join(map(str, action.choices))}')
        action.default = Path(str(value)).expanduser() if action.dest == "review" else value


def personal() -> dict[str, object]:
    """Return the defaults in the file, empty without one; raise Refused."""
    try:
        path = config_path()
        text = _text_of(path) if path.is_file() else ""
    except (OSError, ValueError, RuntimeError) as error:
        raise Refused(f"the personal defaults cannot be read: {error}; correct the file, or move it away") from error
    return _read(text, path) if text else {}


def _text_of(path: Path) -> str:
    with path.open(encoding="utf-8") as source:
        text = source.read(MAX_CHARACTERS + 1)
    if len(text) > MAX_CHARACTERS:
        raise ValueError(f"it is longer than {MAX_CHARACTERS:,} characters")
    return text


def _in_a_review() -> bool:
    here = Path.cwd()
    return any((folder / "review.toml").is_file() for folder in (here, *here.parents))


def _read(text: str, path: Path) -> dict[str, object]:
    import tomllib

    try:
        told = tomllib.loads(text)
    except (ValueError, RecursionError) as error:  # TOMLDecodeError, or a number of thousands of digits
        raise Refused(f"{path} is not TOML: {str(error)[:200]}; correct that place and try again") from error
    for key, value in told.items():
        if key not in KEYS:
            raise Refused(f"{path}: '{key}' is not a personal default; there are {', '.join(KEYS)}")
        if not isinstance(value, bool if key in SWITCHES else str):
            raise Refused(
                f"{path}: {key} is {value!r}; write {'true or false' if key in SWITCHES else 'text in quotes'}"
            )
    return told
