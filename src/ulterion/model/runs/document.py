"""Run documents of every kind and every version, read and checked."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import TYPE_CHECKING, Protocol, cast

from ulterion.core.documents.values import InvalidError
from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.model.reading import parse_json
from ulterion.model.runs.header import NAME, VERSION, Header, State
from ulterion.model.runs.upgrades import Raw, upgraded

if TYPE_CHECKING:
    from ulterion.model.runs.any_run import AnyRun
else:
    AnyRun = Header  # the kinds are loaded when a run of theirs is met


class Recovery(Protocol):
    """What takes the lines of a journal, and makes a run of them."""

    def take(self, line: Raw) -> None:
        """Take a line; raise a built-in exception where it is not one of this kind."""

    def run(self, state: State) -> AnyRun:
        """Return the run with what was taken."""


@dataclass(frozen=True)
class Kind:
    """A kind of run, registered once.  Its module is loaded when a run of it is met.

    Attributes:
        module: of this package, with the class of its documents and its `Recovery`; or `recovered_by`, a module for that alone.
        name: of the class of its documents.
        in_series: whether what is judged of it is in its series, so that it is read whole.
        newest: how many of its newest runs on a setup count together, or None for as many as are pooled.
    """

    module: str
    name: str
    recovered_by: str | None = None
    in_series: bool = False
    newest: int | None = None

    @property
    def document(self) -> type[Header]:
        """The class of its documents."""
        return cast(type[Header], getattr(import_module(f"{__package__}.{self.module}"), self.name))

    @property
    def recovery(self) -> Callable[..., Recovery]:
        """What takes the lines of its journal."""
        module = import_module(f"{__package__}.{self.recovered_by or self.module}")
        return cast(Callable[..., Recovery], module.Recovery)


MEASURE = Kind("measure", "MeasureRun")
KINDS = {
    "measure": MEASURE,
    "network": MEASURE,
    "soak": Kind("soak", "SoakRun", recovered_by="phase_builder", in_series=True),
    "clock": Kind("clock", "ClockRun", newest=1000),
    "copy": Kind("copied", "CopyRun", newest=1000),
    "capacity": Kind("capacity", "CapacityRun"),
}


def kind_of(name: str) -> Kind:
    """Return a kind of run by its name; of one that is not known, what it takes to read it and say so."""
    return KINDS.get(name, MEASURE)


class NewerRunError(UsageError):
    """A run document of a later format: sound, but not for this version."""


def check_schema(data: object, name: str) -> Raw:
    """Return plain data that say they are a run document of a version that can be read; raise UsageError."""
    schema = data.get("schema") if isinstance(data, dict) else None
    version = schema.get("version") if isinstance(schema, dict) and schema.get("name") == NAME else None
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise UsageError(f"{name} is not a run document of Ulterion")
    if version > VERSION:
        raise NewerRunError(
            f"{name} was written by a newer Ulterion (run format {str(version)[:20]}); update to read it"
        )
    assert isinstance(data, dict)
    return data


def run_of(data: object, name: str) -> AnyRun:
    """Return the run that plain data of any version hold; `name` is for messages.  Raises UsageError."""
    data = upgraded(check_schema(data, name))
    kind = data.get("kind")
    if not isinstance(kind, str) or kind not in KINDS:
        raise UsageError(f"{name} is not valid: kind: it is not one of {', '.join(KINDS)}")
    try:
        return cast("AnyRun", KINDS[kind].document.from_data(data))
    except InvalidError as error:
        raise UsageError(f"{name} is not valid: {error}") from error
    except RecursionError as error:
        raise UsageError(f"{name} is nested too deep to be one of ours") from error


def parse_run(text: bytes | str, name: str, *, light: bool = False) -> AnyRun:
    """Read a run document; `name` is for messages, `light` for one whose series were left out.

    Raises UsageError that says what is wrong with it.
    """
    run = run_of(parse_json(text, name), name)
    return run.marked_light() if light else run


__all__ = [
    "KINDS",
    "AnyRun",
    "NewerRunError",
    "check_schema",
    "kind_of",
    "parse_run",
    "run_of",
]
