"""The text of a new review.toml."""

from __future__ import annotations

from ulterion.model import tomlfile


def started_toml(title: str, *, examples: bool = True) -> str:
    """Return the text of a new review.toml; its title is written so that it is read back as it was."""
    if not examples:
        return f"schema = 2\n\n[review]\ntitle = {tomlfile.quoted(title)}\n"
    return TEMPLATE.format(title=tomlfile.quoted(title))


TEMPLATE = """\
# A review: what is under test, what its makers claim, and how it is hooked up.
# Every quantity is written with its unit, in quotes.  Lines that start with # are examples or remarks.
schema = 2

[review]
title = {title}
margin = "3%"        # differences smaller than this do not matter to your readers
tolerance = "2%"     # what a claim may be missed by and still count as met

[bench]
host = ""             # your name for the machine; what it can tell itself is recorded with every run
# room = "21 C"       # read the thermometer: heat is judged above it

# The ports of the host that you use, each with the link it is labelled with.
# [ports."laptop:slot"]
# link = "PCIe 4.0 x4"
# [ports."laptop:left"]
# link = "USB 10 Gb/s"

# The parts, each with what the box says.  `link` is towards the host, `inside` towards the medium.
# [parts.drive]
# name = "Maker Model 1 TB"
# kind = "drive"
# link = "PCIe 4.0 x4"
# price = "118 EUR"
# [parts.drive.claims]
# read = "5000 MB/s"
# write = "4200 MB/s"
# capacity = "1 TB"

# [parts.pod]
# name = "Maker Enclosure"
# kind = "enclosure"
# link = "USB 10 Gb/s"
# [parts.pod.claims]
# read = "1000 MB/s"

# The setups: the chain from the port to the medium, and the folder where the drive is mounted.
# Mark the best direct connection of each medium with `baseline = true`: it is the baseline.
# [setups.direct]
# chain = ["laptop:slot", "drive"]
# target = "/mnt/drive"
# baseline = true

# [setups.pod]
# chain = ["laptop:left", "pod", "drive"]
# target = "/mnt/drive"

# A plan: a whole matrix of them, taken cell by cell by 'ulterion plan run'.  A level 'none' leaves its place in the chain empty.
# [plan]
# chain = ["{{port}}", "{{enclosure}}", "drive"]
# target = "/mnt/drive"
# [plan.factors]
# port = ["laptop:left"]
# enclosure = ["pod", "none"]
"""
