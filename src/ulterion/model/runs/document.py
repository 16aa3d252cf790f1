"""Run documents of every kind and every version, read and checked; published as docs/run.schema.json."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Protocol

from pydantic import Field, TypeAdapter, ValidationError

from ulterion.core.errors import UsageError
from ulterion.model.reading import parse_json
from ulterion.model.runs import capacity, clock, copied, measure, phase_builder
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.clock import ClockRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.header import NAME, VERSION, Header, State
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakRun
from ulterion.model.runs.upgrades import Raw, upgraded

AnyRun = MeasureRun | SoakRun | ClockRun | CopyRun | CapacityRun
"""A run document: a header, and what its kind adds."""


class Recovery(Protocol):
    """What takes the lines of a journal, and makes a run of them."""

    def take(self, line: Raw) -> None:
        """Take a line; raise an error of Python's when it is none of this kind."""

    def run(self, state: State) -> AnyRun:
        """Return the run with what was taken."""


@dataclass(frozen=True)
class Kind:
    """A kind of run, registered once.

    Attributes:
        document: its class; `recovery` takes the lines of its journal.
        in_series: whether what is judged of it is in its series, so that it is read whole.
        newest: how many of its newest runs on a setup count together, or None for as many as are pooled.
    """

    document: type[Header]
    recovery: Callable[[Any], Recovery]
    in_series: bool = False
    newest: int | None = None


KINDS = {
    "measure": Kind(MeasureRun, measure.Recovery),
    "network": Kind(MeasureRun, measure.Recovery),
    "soak": Kind(SoakRun, phase_builder.Recovery, in_series=True, newest=1),
    "clock": Kind(ClockRun, clock.Recovery, newest=1000),
    "copy": Kind(CopyRun, copied.Recovery, newest=1000),
    "capacity": Kind(CapacityRun, capacity.Recovery),
}


def kind_of(name: str) -> Kind:
    """Return a kind of run by its name; of one that is not known, what it takes to read it and say so."""
    return KINDS.get(name, KINDS["measure"])


_ADAPTER: TypeAdapter[AnyRun] = TypeAdapter(Annotated[AnyRun, Field(discriminator="kind")])


class NewerRunError(UsageError):
    """A run document of a later format: sound, but not for this version."""


def published_schema() -> dict[str, object]:
    """Return the JSON Schema of run documents."""
    return _ADAPTER.json_schema(by_alias=True)


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
    try:
        return _ADAPTER.validate_python(data)
    except ValidationError as error:
        fault = error.errors()[0]
        place = ".".join(str(p) for p in fault["loc"][1:]) or "kind"
        raise UsageError(f"{name} does not hold together: {place}: {fault['msg']}") from error
    except RecursionError as error:
        raise UsageError(f"{name} is nested too deep to be one of ours") from error


def parse_run(text: bytes | str, name: str, *, light: bool = False) -> AnyRun:
    """Read a run document; `name` is for messages, `light` for one whose series were left out.

    Raises UsageError that says what is wrong with it.
    """
    run = run_of(parse_json(text, name), name)
    run._light = light
    return run


__all__ = [
    "KINDS",
    "NAME",
    "VERSION",
    "AnyRun",
    "CapacityRun",
    "ClockRun",
    "CopyRun",
    "MeasureRun",
    "NewerRunError",
    "SoakRun",
    "State",
    "check_schema",
    "kind_of",
    "parse_run",
    "published_schema",
    "run_of",
]
