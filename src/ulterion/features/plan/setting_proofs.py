"""Proofs of a setting: what must hold before a cell of a plan counts, shown by a command, or by the reviewer's own word."""

from __future__ import annotations

import shlex
import subprocess
from collections.abc import Callable, Sequence

from ulterion.core.errors import UsageError
from ulterion.model.expect import Expect
from ulterion.model.plan import ProofOfSetting

MAX_SECONDS = 60.0  # seconds that a command may take
MAX_SHOWN = 200  # characters of its output


def prove(proofs: Sequence[ProofOfSetting], cell: str, ask: Callable[[str], bool]) -> list[str]:
    """Return in words what was shown to hold; raise UsageError for what does not.

    `ask` puts a question to the reviewer and returns whether the answer was yes.
    """
    shown = []
    for proof in proofs:
        if proof.command is not None:
            shown.append(_by_command(proof.command, proof.shows, cell))
        if proof.ask is not None:
            if not ask(proof.ask):
                raise UsageError(
                    f"plan: the cell '{cell}' is not set up as planned: '{proof.ask}' was not answered with yes; set the cell up, and go on with 'ulterion plan run'"
                )
            shown.append(f"{proof.ask} yes")
    return shown


def expectations(proofs: Sequence[ProofOfSetting]) -> list[Expect]:
    """Return what the drive must show."""
    return [Expect(driver=p.driver, link=p.link) for p in proofs if p.driver is not None or p.link is not None]


def _by_command(command: str, shows: str | None, cell: str) -> str:
    place = f"plan: the proof '{command}' of the cell '{cell}'"
    try:
        done = subprocess.run(
            shlex.split(command),
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            errors="replace",
            timeout=MAX_SECONDS,
        )
    except ValueError as error:
        raise UsageError(f"{place} is not a command line: {error}") from error
    except OSError as error:
        raise UsageError(f"{place} cannot be run: {error.strerror}; correct it in review.toml") from error
    except subprocess.TimeoutExpired as error:
        raise UsageError(f"{place} was not done after {MAX_SECONDS:g} s; correct it in review.toml") from error
    if done.returncode:
        raise UsageError(f"{place} ended with status {done.returncode}: {_first(done.stderr or done.stdout)}")
    if shows is not None and shows not in done.stdout:
        raise UsageError(f"{place} does not show '{shows}', but: {_first(done.stdout)}")
    return f"{command}: {_first(done.stdout) if shows is None else shows}"


def _first(text: str) -> str:
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return lines[0][:MAX_SHOWN] if lines else "nothing"
