"""What a plan shows on the terminal while it runs, and how it asks; loaded by nothing but `plan run`."""

from __future__ import annotations

from ulterion.features.measure.live_view import Display
from ulterion.features.plan.steps import PlanObserver
from ulterion.features.plan.tables import measured_line
from ulterion.features.plan.words import step_title
from ulterion.model.planned import Planned, Step
from ulterion.model.review import Review
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.observers import Kept, Observer
from ulterion.terminal.environment import Environment


class PlanScreen(PlanObserver):
    """Shows each step, what to plug where, and what came of it; a terminal also sees the passes as they run."""

    def __init__(self, env: Environment, review: Review, unit: str, *, quiet: bool) -> None:
        self._env, self._review, self._unit, self._quiet = env, review, unit, quiet
        self._live: Display | None = None

    def _say(self, line: str) -> None:
        if not self._quiet:
            self._env.show([line])
            self._env.out.flush()

    def step(self, step: Step, now: Planned) -> None:
        """Say which step begins."""
        over = now.count("done") + now.count("doubtful")
        place = "" if step.check is not None or step.again else f"{over + 1} of {len(now.cells)}: "
        self._say(f"{place}{step_title(self._review, step)}")

    def hand(self, sentence: str) -> None:
        """Say what to plug where, with a sound on a terminal."""
        if self._env.err.isatty():
            self._env.err.write("\a")
            self._env.err.flush()
        self._say(f"    {sentence}")

    def ask(self, question: str) -> bool | None:
        """Ask at the terminal."""
        return self._env.ask(question)

    def measuring(self) -> Observer:
        """Return a live view on a terminal."""
        self._live = Display(self._env.screen, self._unit) if self._env.screen.isatty() else None
        return self._live or Observer()

    def measured(self, done: Kept[MeasureRun]) -> None:
        """Say what came of it."""
        self.close()
        self._say(f"    {measured_line(done.run, self._unit)}")

    def remark(self, words: str) -> None:
        """Say it beside the answer."""
        self._env.tell(words)

    def close(self) -> None:
        """Let go of the live view."""
        if self._live is not None:
            self._live.close()
            self._live = None
