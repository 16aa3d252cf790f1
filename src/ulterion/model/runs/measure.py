"""A run of transfer tests: its suite, and the passes of each workload."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field

from ulterion.core.passstates import PassState, states_of
from ulterion.core.suites import SWEEP
from ulterion.core.workload import Workload
from ulterion.model.quantities import Count, Seconds, Spoken, Written
from ulterion.model.runs.header import Ground, Header, State
from ulterion.model.runs.passes import PassRecord
from ulterion.model.runs.workload import checked_workload

AFTER: PassState = "after the cache"


class WorkloadRecord(Written):
    """A workload as it was run, and its finished passes."""

    workload: Annotated[Workload, AfterValidator(checked_workload)]
    text: str = Field(description="the workload in words, by which runs are matched")
    engine: str = Field(description="how the requests were issued")
    engine_why: str = ""
    passes: list[PassRecord] = []
    ended: Spoken | None = Field(None, description="why no more passes were run, when that was left to the result")
    suspect: Spoken | None = Field(None, description="why the figure cannot be the drive's")

    @property
    def counted(self) -> list[PassRecord]:
        """The passes that count: all but a warm-up."""
        return [p for p in self.passes if p.number > 0]

    @property
    def figures(self) -> list[WorkloadRecord]:
        """A record for each state that was seen, with its passes alone, the cached first; mixed passes count for none.

        What was done after the cache is named so: it is compared with its like alone.
        """
        every = []
        order: tuple[PassState | None, ...] = (None, "cached", AFTER)
        for state in order:
            passes = [p for p in self.counted if p.state == state]
            named = {
                "text": f"{self.text}, {AFTER}",
                "workload": replace(self.workload, name=f"{self.workload.name}, {AFTER}"),
            }
            if passes:
                every.append(self.model_copy(update={"passes": passes, **(named if state == AFTER else {})}))
        return every

    def with_states(self) -> WorkloadRecord:
        """Return it with the state of each pass named, where a workload writes and two are told apart."""
        if self.workload.direction == "read":
            return self
        states = dict(zip([p.number for p in self.counted], states_of([p.shape for p in self.counted]), strict=True))
        named = [p.model_copy(update={"state": states.get(p.number)}) for p in self.passes]
        return self.model_copy(update={"passes": named})


class Settings(Ground):
    """What was asked for."""

    passes: Count
    seconds: Seconds
    lanes: int | None = Field(None, description="worker processes that were asked for, each with the workload's depth")
    warm_up: bool | None = None
    rest_seconds: float | None = None
    cool_to: float | None = Field(None, description="degrees Celsius waited for between passes")
    sure_within: float | None = Field(None, description="half the relative interval asked for, as a ratio")
    most_passes: Count | None = Field(None, description="passes after which that was given up")


class MeasureRun(Header):
    """A suite of workloads done on a hookup."""

    kind: Literal["measure"] = "measure"
    suite: str
    settings: Settings
    workloads: list[WorkloadRecord]

    def with_passes(self, passes: Sequence[tuple[int, PassRecord]], state: State) -> MeasureRun:
        """Return the run with its finished passes, given as (workload index, pass), and its state."""
        workloads = [
            record.model_copy(update={"passes": [p for at, p in passes if at == index]})
            for index, record in enumerate(self.workloads)
        ]
        return self.model_copy(update={"workloads": workloads, "state": state})

    @property
    def is_sweep(self) -> bool:
        """Whether its workloads sweep sizes or depths."""
        return self.suite == SWEEP

    @property
    def at_places(self) -> bool:
        """Whether its workloads were run at places of the medium."""
        return any(r.workload.place is not None for r in self.workloads)

    @property
    def kept_words(self) -> str:
        """What a cut-off run has, in words."""
        return f"its {sum(len(w.passes) for w in self.workloads)} finished passes are"


class Recovery:
    """The passes that the lines of a journal hold."""

    def __init__(self, run: MeasureRun) -> None:
        self._run = run
        self._passes: list[tuple[int, PassRecord]] = []

    def take(self, line: dict[str, Any]) -> None:
        """Take a line; raise KeyError, TypeError or ValueError when it is none of ours."""
        index = int(line["workload"])
        if not 0 <= index < len(self._run.workloads):
            raise ValueError(f"no workload {index}")
        self._passes.append((index, PassRecord.model_validate(line["pass"])))

    def run(self, state: State) -> MeasureRun:
        """Return the run with what was taken."""
        return self._run.with_passes(self._passes, state)
