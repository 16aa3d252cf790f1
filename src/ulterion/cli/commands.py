"""Every command: what it answers, where it is, and two examples of it for help and manual."""

from __future__ import annotations

TYPE_CHECKING = False  # as in `typing`, which `--help` does not need
if TYPE_CHECKING:
    from types import ModuleType


class Command:
    """A command of the program.

    Attributes:
        module: below the package, with `add_arguments` and `run`; imported when the command is chosen.
        summary: what it answers, for the list of commands.
        examples: command lines.
        keeps: whether it keeps something in a review.
        answers_only: whether it has nothing that `--quiet` could leave out.
    """

    __slots__ = ("answers_only", "examples", "keeps", "module", "summary")

    def __init__(
        self, module: str, summary: str, *examples: str, keeps: bool = False, answers_only: bool = False
    ) -> None:
        self.module, self.summary, self.examples = f"ulterion.{module}", summary, examples
        self.keeps, self.answers_only = keeps, answers_only

    def load(self) -> ModuleType:
        """Return its module."""
        import importlib

        return importlib.import_module(self.module)


COMMANDS = {
    "new": Command(
        "features.survey.new_command",
        "start a review folder with a commented review.toml",
        "ulterion new my-review",
        "ulterion new my-review --title 'Three enclosures'",
    ),
    "add": Command(
        "features.survey.add_command",
        "write a port, part, claim or setup into review.toml",
        "ulterion add part pod --name 'Brindlewick Pod' --kind enclosure --claims 'read 1050 MB/s, write 1000 MB/s'",
        "ulterion add setup pod --chain 'laptop:left > pod > reed'",
    ),
    "survey": Command(
        "features.survey.command",
        "what this machine sees: drives, how each is linked, driver, capacity, temperature",
        "ulterion survey",
        "ulterion survey --brief --watch",
    ),
    "measure": Command(
        "features.measure.command",
        "run a suite of transfer tests on a folder, a file, a setup or a network",
        "ulterion measure /media/me/drive",
        "ulterion measure --setup pod --suite sequential --until-sure '1 %'",
        keeps=True,
    ),
    "soak": Command(
        "features.soak.command",
        "a long load with throughput and temperature logged",
        "ulterion soak --setup pod --for 30m --figure pod.png",
        "ulterion soak --setup pod --probe 'case=my-thermometer'",
        keeps=True,
    ),
    "copy": Command(
        "features.copy.command",
        "real files or made ones copied, timed, and proven intact",
        "ulterion copy ~/pictures /media/me/drive",
        "ulterion copy --set shoot --to pod ~/scratch /media/me/drive",
        keeps=True,
    ),
    "clock": Command(
        "features.clock.command",
        "a transfer timed by hand: a stopwatch, or size and time typed in",
        "ulterion clock --setup pod '4.2 GB in 18.5 s'",
        "ulterion clock --setup pod --size '4.2 GB'",
        keeps=True,
    ),
    "capacity": Command(
        "features.capacity.command",
        "prove that the capacity is really there",
        "ulterion capacity /media/me/card --setup reader",
        "ulterion capacity /dev/sdb --overwrite SERIAL --quick",
        keeps=True,
    ),
    "note": Command(
        "features.notes.command",
        "a reading, an outcome or a remark, put where it belongs",
        "ulterion note 'case 38 C at 12m'",
        "ulterion note --setup pod 'noise: hums under load'",
        keeps=True,
    ),
    "assign": Command(
        "features.notes.assign_command",
        "say which setup an earlier run was made on",
        "ulterion assign 26a0d6 'front port'",
        "ulterion assign 26a0d6 pod --review field-kit",
    ),
    "compare": Command(
        "features.compare.command",
        "setups against the baseline, with what else differed",
        "ulterion compare --figure compare.png",
        "ulterion compare --soaks pod draught",
    ),
    "versus": Command(
        "features.compare.versus_command",
        "one drive in two or more places, moved by hand: measured in each, compared at once",
        "ulterion versus 'front port' 'the hub'",
        "ulterion versus 'left' 'right' 'the dock' --drive sdb",
        keeps=True,
    ),
    "race": Command(
        "features.clock.race_command",
        "two to six transfers on one clock, as a figure and a film",
        "ulterion race pod slip --figure race.png",
        "ulterion race pod slip --film race.gif",
    ),
    "claims": Command(
        "features.claims.command",
        "measured against advertised",
        "ulterion claims",
        "ulterion claims --everywhere --fail-on missed",
    ),
    "estimate": Command(
        "features.estimate.command",
        "what it means: time of work, recordings, units, money",
        "ulterion estimate write '200 GB' --figure times.png",
        "ulterion estimate --for 'a laptop with USB 5 Gb/s, 200 GB a week'",
    ),
    "plan": Command(
        "features.plan.command",
        "the matrix still to run: shown, run, and what it shows (effects, ranks)",
        "ulterion plan run",
        "ulterion plan effects --figure effects.png",
        keeps=True,
    ),
    "report": Command(
        "features.page.command",
        "the review as one page that can be published, and checked",
        "ulterion report",
        "ulterion report --figures figures --watch",
    ),
    "verify": Command(
        "features.page.verify_command",
        "recompute every figure of a report, or look for runs that were changed",
        "ulterion verify report.html",
        "ulterion verify mine.html --beside theirs.html",
    ),
    "export": Command(
        "cli.export_command",
        "results, passes, series, claims as CSV, JSON, Parquet, Markdown or HTML",
        "ulterion export --as csv --to tables",
        "ulterion export comparisons --as markdown",
    ),
    "archive": Command(
        "features.archive.command",
        "all reviews together: add, find by words, chart old and new products",
        "ulterion archive add ~/reviews/*",
        "ulterion archive find 'USB 10 Gb/s enclosures, write over 900 MB/s'",
    ),
    "peer": Command(
        "features.measure.peer_command",
        "the other end of a network: listens for one bench, for a limited time",
        "ulterion peer",
        "ulterion peer --for 30m --once",
        answers_only=True,
    ),
    "completion": Command(
        "cli.completion",
        "what a shell needs to complete command lines: bash, zsh, fish",
        "ulterion completion bash > ~/.local/share/bash-completion/completions/ulterion",
        "ulterion completion fish | source",
        answers_only=True,
    ),
    "demo": Command(
        "demo.command",
        "the full worked example on the simulated bench",
        "ulterion demo",
        "ulterion demo my-demo --plan",
    ),
}
