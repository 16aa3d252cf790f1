"""The shape of every answer that `--json` prints, published as docs/answers.schema.json.

An answer begins with `schema`: its name, version and kind.  The version changes when a reader of an older one would be
misled: 1 (2026) the first, 2 with bottlenecks in the place of `limit`, 3 with the words of setups, latency and workloads that are used
now.  Sizes are bytes, times seconds, rates bytes per second, temperatures C; what is not known is null.
"""

from __future__ import annotations

from ulterion.features.capacity.data import Proven
from ulterion.features.claims.data import Claims
from ulterion.features.clock.data import Clocked
from ulterion.features.clock.race_data import Race
from ulterion.features.compare.data import Comparison
from ulterion.features.copy.data import Checked, Copied
from ulterion.features.estimate.data import PowerData, RecordingsData, UnitsData, ValuesData, WorksData
from ulterion.features.estimate.other_port_data import EnergiesData, ReaderData
from ulterion.features.measure.data import Measurement, Sharing
from ulterion.features.notes.data import Noted, Notes
from ulterion.features.page.data import ArchivedData, ExportedData, FoundData, ReportMade, VerifiedData
from ulterion.features.plan.data import CompatibilityData, GridData, PlanData, PortsData
from ulterion.features.plan.effects_data import EffectsData, RanksData
from ulterion.features.soak.data import Soak, Soaks
from ulterion.features.survey.data import Learned, Plain, Recorded, Survey
from ulterion.terminal.answers import NAME, VERSION, Error, Kind

ANSWERS: dict[Kind, type] = {
    "comparison": Comparison,
    "claims": Claims,
    "measurement": Measurement,
    "sharing": Sharing,
    "soak": Soak,
    "soaks": Soaks,
    "survey": Survey,
    "learned": Learned,
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
    "error": Error,
}


def published_schema() -> Plain:
    """Return the JSON Schema of all answers, by kind."""
    from pydantic import TypeAdapter

    return {
        "title": "Answers of Ulterion, by the kind that their `schema` names",
        "schema": {"name": NAME, "version": VERSION},
        "kinds": {kind: TypeAdapter(answer).json_schema() for kind, answer in ANSWERS.items()},
    }
