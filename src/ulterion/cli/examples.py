"""Two examples of each command, for its help and the manual."""

EXAMPLES = {
    "new": ("ulterion new my-review", "ulterion new my-review --title 'Three enclosures'"),
    "survey": ("ulterion survey", "ulterion survey --brief --watch"),
    "measure": ("ulterion measure /media/me/drive", "ulterion measure --setup pod --suite large --until-sure '1 %'"),
    "soak": ("ulterion soak --setup pod --for 30m --figure pod.png", "ulterion soak --setup pod --probe 'case=my-thermometer'"),
    "copy": ("ulterion copy ~/pictures /media/me/drive", "ulterion copy --set shoot --to pod ~/scratch /media/me/drive"),
    "clock": ("ulterion clock --setup pod '4.2 GB in 18.5 s'", "ulterion clock --setup pod --size '4.2 GB'"),
    "capacity": ("ulterion capacity /media/me/card --setup reader", "ulterion capacity /dev/sdb --overwrite SERIAL --quick"),
    "note": ("ulterion note 'case 38 C at 12m'", "ulterion note --setup pod 'noise: hums under load'"),
    "compare": ("ulterion compare --figure compare.png", "ulterion compare --soaks pod draught"),
    "race": ("ulterion race pod slip --figure race.png", "ulterion race pod slip --film race.gif"),
    "claims": ("ulterion claims", "ulterion claims --everywhere --fail-on missed"),
    "estimate": ("ulterion estimate write '200 GB' --figure times.png", "ulterion estimate --for 'a laptop with USB 5 Gb/s, 200 GB a week'"),
    "plan": ("ulterion plan run", "ulterion plan effects --figure effects.png"),
    "report": ("ulterion report", "ulterion report --figures figures --watch"),
    "verify": ("ulterion verify report.html", "ulterion verify mine.html --beside theirs.html"),
    "export": ("ulterion export --as csv --to tables", "ulterion export comparisons --as markdown"),
    "archive": ("ulterion archive add ~/reviews/*", "ulterion archive find 'USB 10 Gb/s enclosures, write over 900 MB/s'"),
    "peer": ("ulterion peer", "ulterion peer --for 30m --once"),
    "completion": ("ulterion completion bash > ~/.local/share/bash-completion/completions/ulterion", "ulterion completion fish | source"),
    "demo": ("ulterion demo", "ulterion demo my-demo --plan"),
}  # fmt: skip
