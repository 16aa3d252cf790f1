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
        common: its options that are wanted most, which the help shows first.
        keeps: whether it keeps something in a review.
        answers_only: whether it has nothing that `--quiet` could leave out.
    """

    __slots__ = ("answers_only", "common", "examples", "keeps", "module", "summary")

    def __init__(
        self,
        module: str,
        summary: str,
        *examples: str,
        common: str = "",
        keeps: bool = False,
        answers_only: bool = False,
    ) -> None:
        self.module, self.summary, self.examples = f"ulterion.{module}", summary, examples
        self.common, self.keeps, self.answers_only = common.split(), keeps, answers_only

    def load(self) -> ModuleType:
        """Return its module."""
        import importlib

        return importlib.import_module(self.module)


COMMANDS = {
    "new": Command(
        "features.survey.new_command",
        "start a review: a folder with a commented review.toml",
        "ulterion new my-review",
        "ulterion new my-review --title 'Three enclosures'",
    ),
    "add": Command(
        "features.survey.add_command",
        "write a port, part, claim or setup into review.toml",
        "ulterion add part pod --name 'Brindlewick Pod' --kind enclosure --claims 'read 1050 MB/s, write 1000 MB/s'",
        "ulterion add setup pod --chain 'laptop:left > pod > reed'",
        common="--name --kind --link --claims --chain",
    ),
    "survey": Command(
        "features.survey.command",
        "show what is plugged in: every drive with its link, driver, capacity and temperature",
        "ulterion survey",
        "ulterion survey --brief --watch",
        common="--brief --watch --ask --learn --json",
    ),
    "measure": Command(
        "features.measure.command",
        "run transfer tests on a folder, a file, a setup or a network",
        "ulterion measure /media/me/drive",
        "ulterion measure --setup pod --suite sequential --until-sure '1%'",
        common="--setup --as --suite --quick --why",
        keeps=True,
    ),
    "soak": Command(
        "features.soak.command",
        "run a long load, with throughput and temperature logged",
        "ulterion soak --setup pod --for 30m --figure pod.png",
        "ulterion soak --setup pod --probe 'case=my-thermometer'",
        common="--setup --for --amount --figure --why",
        keeps=True,
    ),
    "copy": Command(
        "features.copy.command",
        "copy real files or made ones, time the copy and prove it intact",
        "ulterion copy ~/pictures /media/me/drive",
        "ulterion copy --set shoot --to pod ~/scratch /media/me/drive",
        common="--from --to --as --set --passes",
        keeps=True,
    ),
    "clock": Command(
        "features.clock.command",
        "time a transfer by hand: with a stopwatch, or from a size and a time",
        "ulterion clock --setup pod '4.2 GB in 18.5 s'",
        "ulterion clock --setup pod --size '4.2 GB'",
        common="--setup --as --task --size --table",
        keeps=True,
    ),
    "capacity": Command(
        "features.capacity.command",
        "prove that a card or drive holds what it claims",
        "ulterion capacity /media/me/card --setup reader",
        "ulterion capacity /dev/sdb --overwrite SERIAL --quick",
        common="--setup --as --quick --resume --overwrite",
        keeps=True,
    ),
    "note": Command(
        "features.notes.command",
        "write down a reading, an outcome or a remark",
        "ulterion note 'case 38 C at 12m'",
        "ulterion note --setup pod 'noise: hums under load'",
        common="--setup --run --exclude --correct --take-back",
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
        "compare setups with the baseline, and name the bottleneck",
        "ulterion compare --figure compare.png",
        "ulterion compare --soaks pod draught",
        common="--why --long --workload --against --figure",
    ),
    "versus": Command(
        "features.compare.versus_command",
        "measure one drive in two or more places, moved by hand, and compare at once",
        "ulterion versus 'front port' 'the hub'",
        "ulterion versus 'left' 'right' 'the dock' --drive sdb",
        common="--drive --full --wait",
        keeps=True,
    ),
    "race": Command(
        "features.clock.race_command",
        "play two to six transfers on one clock, as a figure and a film",
        "ulterion race pod slip --figure race.png",
        "ulterion race pod slip --film race.gif",
        common="--figure --film --speed",
    ),
    "claims": Command(
        "features.claims.command",
        "compare results with advertised figures",
        "ulterion claims",
        "ulterion claims --everywhere --fail-on missed",
        common="--why --long --everywhere --fail-on --json",
    ),
    "estimate": Command(
        "features.estimate.command",
        "say what the results mean: times, recordings, value, power, units",
        "ulterion estimate write '200 GB' --figure times.png",
        "ulterion estimate --for 'a laptop with USB 5 Gb/s, 200 GB a week'",
    ),
    "plan": Command(
        "features.plan.command",
        "run a matrix of setups, and show what each factor does",
        "ulterion plan run",
        "ulterion plan effects --figure effects.png",
        keeps=True,
    ),
    "report": Command(
        "features.page.command",
        "make the review into one page that can be published",
        "ulterion report",
        "ulterion report --figures figures --watch",
        common="--figures --watch",
    ),
    "verify": Command(
        "features.page.verify_command",
        "check a page: recompute every figure from its runs",
        "ulterion verify report.html",
        "ulterion verify mine.html --beside theirs.html",
        common="--beside",
    ),
    "export": Command(
        "cli.export_command",
        "write results as CSV, JSON, Parquet, Markdown or HTML, or every figure",
        "ulterion export comparisons --as markdown",
        "ulterion export --figures --to figures --size card",
        common="--as --to",
    ),
    "archive": Command(
        "features.archive.command",
        "search and chart all reviews together",
        "ulterion archive add ~/reviews/*",
        "ulterion archive find 'USB 10 Gb/s enclosures, write over 900 MB/s'",
    ),
    "peer": Command(
        "features.measure.peer_command",
        "be the other end of a network measurement, for a limited time",
        "ulterion peer",
        "ulterion peer --for 30m --once",
        common="--for --once --port --listen --code",
        answers_only=True,
    ),
    "completion": Command(
        "cli.completion",
        "print what bash, zsh or fish needs to complete command lines",
        "ulterion completion bash > ~/.local/share/bash-completion/completions/ulterion",
        "ulterion completion fish | source",
        answers_only=True,
    ),
    "demo": Command(
        "demo.command",
        "make the full worked example on a simulated bench",
        "ulterion demo",
        "ulterion demo my-demo --plan",
        common="--plan --no-report",
    ),
}

STEPS = {
    "set up": ("new", "add", "survey"),
    "measure": ("measure", "versus", "soak", "copy", "clock", "capacity", "plan", "peer"),
    "write down": ("note", "assign"),
    "answer": ("compare", "claims", "estimate", "race"),
    "publish": ("report", "verify", "export", "archive"),
    "learn": ("demo", "completion"),
}
"""The commands in the order of a review."""
