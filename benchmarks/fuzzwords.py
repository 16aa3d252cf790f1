"""The words of `benchmarks.fuzz`: for each set of commands its options with good values, its words, and how often each is tried."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Vocabulary:
    """What command lines are made of.

    Attributes:
        options: of each command, with values that are good; ("",) for one without a value.
        words: of each command that stand without an option.
        weights: how often each command is tried, beside the others.
        phrases: words and options of each command that go together; one of them stands at the beginning of most of its lines.
        quick: options that each command gets as well, so that it takes no long time.
    """

    options: dict[str, dict[str, tuple[str, ...]]]
    words: dict[str, tuple[str, ...]]
    weights: dict[str, float]
    quick: dict[str, list[str]] = field(default_factory=dict)
    phrases: dict[str, tuple[tuple[str, ...], ...]] = field(default_factory=dict)


_OPTIONS: dict[str, dict[str, tuple[str, ...]]] = {
    "new": {"--title": ()},
    "survey": {
        "--brief": ("",), "--for": ("0.05s", "x"), "--learn": ("box", "bx"), "--simulated": ("",), "--json": ("",),
        "--record": ("m2.json", "no/m.json"), "--replay": ("machine.json", "review.toml"), "--review": (".", "nope"),
    },
    "measure": {
        "--setup": ("box", "direct"), "--suite": ("brief", "breif"), "--workload": ("random read 4 KiB", "random red"),
        "--sweep": ("random read 4 KiB to 8 KiB",), "--places": ("2",), "--seconds": ("0.05",), "--span": ("16 MiB", "1 PB"),
        "--workers": ("2",), "--seed": ("1",), "--passes": ("1", "2"), "--until-sure": ("1 %",), "--max-passes": ("2",),
        "--rest": ("0.01s",), "--cool-to": ("45 C",), "--stall": ("5s",), "--overwrite": ("X",), "--lose-contents": ("",),
        "--figure": ("f.png", "f.doc", "no/f.svg"), "--units": ("Gb/s", "MBps"), "--json": ("",), "--accept": ("",),
        "--together": ("direct", "box"), "--review": (".",), "--warm-up": ("",), "--wait": ("0.01s",),
    },
    "soak": {
        "--setup": ("box", "direct"), "--load": ("sequential write 1 MiB", "x"), "--files": ("4 MB", "4 MB to 1 MB"),
        "--for": ("5 s", "1 s"), "--amount": ("1 GB", "200 %", "0 %"), "--until-steady": ("",), "--idle": ("0", "x"),
        "--cool": ("0", "1s"), "--again": ("",), "--probe": ("case=echo 38", "case=yes", "a=b=c", "x"), "--sensor": ("x=y",),
        "--figure": ("s.png",), "--dark": ("",), "--pace": ("1e5", "0"), "--json": ("",), "--resume": ("",),
        "--interval": ("1s", "0.1s"),
    },
    "note": {
        "--run": ("abcdef",), "--setup": ("box", "bx"), "--log": ("log.csv", "review.toml"), "--name": ("case",),
        "--time-column": ("when",), "--value-column": ("value",), "--zone": ("UTC", "Mars"), "--shift": ("-3 s", "x"),
        "--json": ("",), "--review": (".",),
    },
    "compare": {
        "--soaks": ("",), "--against": ("direct", "box"), "--margin": ("3 %", "300 %"), "--figure": ("c.png", "/dev/full"),
        "--dark": ("",), "--units": ("MiB/s",), "--fail-on": ("slower",), "--json": ("",), "--review": (".",),
    },
    "claims": {"--everywhere": ("",), "--units": ("Gb/s",), "--fail-on": ("missed",), "--json": ("",), "--review": (".",)},
    "demo": {"--units": ("MB/s",)},
}  # fmt: skip
_WORDS: dict[str, tuple[str, ...]] = {
    "new": ("kit", "review.toml", "."), "survey": ("sda", "x"), "measure": ("drive", "sim:bench.toml", "review.toml", "/dev/null"),
    "soak": ("drive", "review.toml"), "note": ("case 38 C", "not recognised", "case 38 C at 12m", "hum"),
    "compare": ("box", "direct", "bx"), "claims": ("box", "bx"), "demo": ("review.toml",),
}  # fmt: skip
_WEIGHTS: dict[str, float] = {
    "compare": 10,
    "claims": 6,
    "note": 10,
    "survey": 5,
    "measure": 6,
    "soak": 4,
    "new": 2,
    "demo": 0.1,
}
_QUICK = {"measure": ["--passes", "1", "--max-passes", "2", "--seconds", "0.05", "--span", "16 MiB"],
         "soak": ["--for", "3 s", "--idle", "0", "--span", "16 MiB"]}  # fmt: skip


MEASURING = Vocabulary(_OPTIONS, _WORDS, _WEIGHTS, _QUICK)

_REVIEW = {"--review": (".", "nope", "drive"), "--json": ("",)}
FILES = Vocabulary(
    {
        "copy": {
            "--from": ("direct", "bx"), "--to": ("real", "bx"), "--of": ("1 MB", "9 PB"), "--task": ("clips",),
            "--passes": ("1", "2"), "--at-once": ("1", "3"), "--rest": ("0.01s",), "--keep": ("",), "--manifest": ("m2.txt", "clips", "no/m"),
            "--check": ("sums.txt", "log.csv", "fifo"), "--verify-only": ("",), "--open": ("true", "grep '"), "--no-proof": ("",), "--plain": ("",),
            "--seed": ("3",), "--stall": ("5s",), **_REVIEW,
        },
        "verify": {"--beside": ("report.html", ".", "log.csv"), "--units": ("Gb/s",), "--json": ("",)},
        "archive": {
            "--archive": ("all.sqlite", "theirs.sqlite", "log.csv", "fifo", "drive", "postgresql://localhost:1/x", "mysql://x", "a?b#c"),
            "--every": ("",), "--most": ("3",), "--figure": ("a.png", "log.csv"), "--dark": ("",), "--units": ("Gb/s",), "--json": ("",),
        },
        "export": {"--as": ("csv", "json", "parquet", "markdown", "html"), "--to": ("tables", "log.csv", "drive", "/dev/null"), **_REVIEW},
        "clock": {
            "--setup": ("box", "direct", "bx"), "--task": ("clips",), "--read": ("",), "--reaction": ("0.2 s", "0 s"), "--size": ("1 GB",),
            "--table": ("timings.csv", "log.csv", "fifo", "nope"), "--units": ("Gb/s",), **_REVIEW,
        },
        "plan": {
            "--time": ("1h",), "--host": ("testbench",), "--figure": ("p.png", "log.csv"), "--dark": ("",), "--workload": ("x",), **_REVIEW,
        },
        "estimate": {
            "--setup": ("box",), "--from": ("direct",), "--to": ("box",), "--check": ("",), "--buffer": ("1 GB",), "--part": ("drive", "box"),
            "--cable": ("2 m 28 AWG", "2 m"), "--least": ("400 MB/s",), "--writes": ("",), "--mix": ("read 3, write 1", "read"), "--length": ("8h",),
            "--for": ("a laptop with USB 5 Gb/s, 200 GB a week",), "--figure": ("e.svg", "log.csv"), "--dark": ("",), **_REVIEW,
        },
        "race": {"--figure": ("r.png", "log.csv"), "--film": ("r.gif", "film.gif"), "--speed": ("2000",), "--dark": ("",), **_REVIEW},
        "survey": {
            "--replay": ("machine.json", "review.toml", "fifo"), "--record": ("m3.json", "log.csv"), "--learn": ("box",), "--brief": ("",),
            "--json": ("",),
        },
        "report": {"--figures": ("drawn", "log.csv"), "--units": ("Gb/s",), **_REVIEW},
    },
    {
        "copy": ("clips", "target", "nope", "clips/a.mov", "fifo", "odd"), "verify": ("report.html", ".", "log.csv", "fifo"),
        "archive": ("add", "find", "find", "rebuild", "chart", ".", "enclosures over 100 MB/s", "since 2025"),
        "export": ("results", "passes", "series", "claims", "comparisons"),
        "clock": ("4.2 GB in 1m12s", "64 GB not finished after 10m", "stopped at 30 of 64 GB after 5m", "shows 95 MB/s", "64 GB still at 0 % after 2m",
                  "1 GB in 1:02:03", "1 GB in 99999999999:59"),
        "plan": ("show", "run", "grid", "effects", "ranks", "compatibility", "ports"),
        "estimate": ("read", "write", "copy", "record", "value", "power", "energy", "units", "200 GB", "10 Gb/s", "box"),
        "race": ("box", "direct", "real", "abcdef"), "survey": ("sdb", "x"), "report": ("page.html", "log.csv"),
    },
    {"copy": 5, "verify": 0.6, "archive": 8, "export": 5, "clock": 10, "plan": 5, "estimate": 8, "race": 4, "survey": 6, "report": 0.2},
    {"copy": ["--passes", "1"]},
    {
        "copy": (("clips", "target"), ("clips", "target", "--keep"), ("target", "--check", "sums.txt"), ("clips", "target", "--verify-only"),
                 ("--set", "tree", "--of", "1 MB", ".", "target"), ("clips", "odd", "target"), ("odd", "--check", "sums.txt")),
        "verify": (("report.html",), ("report.html", "--beside", "."), (".",)),
        "archive": (("add", "--archive", "all.sqlite"), ("rebuild", ".", "--archive", "all.sqlite"), ("find", "enclosures", "--archive", "all.sqlite"),
                    ("find", "--every", "--archive", "all.sqlite"), ("chart", "read", "--figure", "a.png", "--archive", "all.sqlite"),
                    ("add", "--archive", "theirs.sqlite"), ("rebuild", "--archive", "theirs.sqlite"), ("add", "--archive", "new.sqlite")),
        "export": (("results",), ("--to", "tables"), ("claims", "--as", "markdown"), ("series", "--as", "json"), ("--to", "drive", "--as", "html")),
        "clock": (("--setup", "box", "4.2 GB in 1m12s"), ("--setup", "direct", "64 GB not finished after 10m", "shows 95 MB/s"),
                  ("--table", "timings.csv"), ("--setup", "box", "stopped at 30 of 64 GB after 5m", "--reaction", "0 s"), ("--setup", "box")),
        "plan": (("show",), ("run",), ("grid",), ("effects",), ("ranks",), ("compatibility",), ("ports",)),
        "estimate": (("read", "200 GB"), ("write", "1 TB"), ("copy", "10 GB", "--from", "direct", "--to", "box"), ("record", "400 Mb/s"),
                     ("value", "200 GB"), ("power", "box", "--part", "drive", "--cable", "2 m 28 AWG"), ("energy",), ("units", "10 Gb/s"),
                     ("--for", "a laptop with USB 5 Gb/s, 200 GB a week"), ("copy", "clips", "--to", "box")),
        "race": (("box", "direct"), ("box", "direct", "--figure", "r.png")),
        "survey": (("--replay", "machine.json"), ("sdb", "--replay", "machine.json"), ()),
        "report": (("page.html",), ("--figures", "drawn")),
    },
)  # fmt: skip
