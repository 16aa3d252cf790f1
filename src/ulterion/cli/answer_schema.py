"""The shape of every answer that `--json` prints, published as docs/answers.schema.json.

An answer begins with `schema`: its name, version and kind.  The version changes when a reader of an older one would be
misled: 1 (2026) the first, 2 with bottlenecks in the place of `limit`, 3 with the words of setups, latency and workloads that are used
now.  Sizes are bytes, times seconds, rates bytes per second, temperatures C; unknown values are null.
"""

from __future__ import annotations

from ulterion.core.documents.json_schema import DIALECT, json_schema
from ulterion.core.documents.plain import Plain
from ulterion.core.facts.devices import Survey
from ulterion.core.records import dataclass
from ulterion.features.capacity.data import Proven
from ulterion.features.claims.data import Claims
from ulterion.features.clock.data import Clocked, Race
from ulterion.features.compare.data import Comparison, MachinesData, PortsData
from ulterion.features.copy.data import Checked, Copied
from ulterion.features.estimate.data import (
    EnergiesData,
    PowerData,
    ReaderData,
    RecordingsData,
    UnitsData,
    ValuesData,
    WorksData,
)
from ulterion.features.measure.data import Measurement, SharingData
from ulterion.features.notes.data import Assigned, Noted, Notes
from ulterion.features.page.data import ArchivedData, ExportedData, FoundData, ReportMade, VerifiedData
from ulterion.features.plan.data import CompatibilityData, EffectsData, GridData, PlanData, RanksData
from ulterion.features.soak.data import SoakData, Soaks
from ulterion.features.survey.data import Added, Learned, Recorded
from ulterion.show.answers import NAME, VERSION, Answer


@dataclass(frozen=True)
class Error(Answer):
    """Any command that did not end well: a refusal, a failure or a stop."""

    kind: str
    status: int
    message: str


@dataclass(frozen=True)
class ErrorAnswer(Answer):
    """The answer of a command that did not end well."""

    error: Error


ANSWERS: dict[str, type] = {
    "comparison": Comparison,
    "claims": Claims,
    "measurement": Measurement,
    "sharing": SharingData,
    "soak": SoakData,
    "soaks": Soaks,
    "machines": MachinesData,
    "survey": Survey,
    "learned": Learned,
    "added": Added,
    "assigned": Assigned,
    "clocked": Clocked,
    "copied": Copied,
    "checked": Checked,
    "capacity": Proven,
    "race": Race,
    "plan": PlanData,
    "effects": EffectsData,
    "ranks": RanksData,
    "grid": GridData,
    "compatibility": CompatibilityData,
    "ports": PortsData,
    "works": WorksData,
    "recordings": RecordingsData,
    "units": UnitsData,
    "values": ValuesData,
    "power": PowerData,
    "reader": ReaderData,
    "energies": EnergiesData,
    "report": ReportMade,
    "verified": VerifiedData,
    "exported": ExportedData,
    "archived": ArchivedData,
    "found": FoundData,
    "recorded": Recorded,
    "notes": Notes,
    "noted": Noted,
    "error": ErrorAnswer,
}


def published_schema() -> Plain:
    """Return the JSON Schema of all answers, by kind."""
    return {
        "$schema": DIALECT,
        "title": "Answers of Ulterion, by the kind that their `schema` names",
        "schema": {"name": NAME, "version": VERSION},
        "beside": {"figures": "paths of the figures that were asked for", "figure_error": "why there is none"},
        "kinds": {kind: json_schema(answer, whole=True) for kind, answer in ANSWERS.items()},
    }
