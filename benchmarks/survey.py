"""What a survey of a hundred drives costs, against the bare interpreter with the same imports, in turn.

    python -m benchmarks.survey [DRIVES]

Prints the medians and their difference in seconds; fails when that is a second or more.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from ulterion.host.recorded import replayed

DRIVES, PAIRS, MOST = 100, 7, 1.0
IMPORTS = "import ulterion.features.survey.command, ulterion.features.survey.run, ulterion.features.survey.tables, ulterion.host.machine"


def machine(count: int) -> dict[str, object]:
    """Return a recorded machine with so many sticks on the ports of one controller."""
    files, links = {"sys/devices/pci0000:00/0000:00:14.0/class": "0x0c0330\n"}, {}
    hub = "sys/devices/pci0000:00/0000:00:14.0/usb2"
    files |= {f"{hub}/speed": "5000\n", f"{hub}/idVendor": "1d6b\n", f"{hub}/bDeviceClass": "09\n"}
    for number in range(1, count + 1):
        stick, name = f"{hub}/2-{number}", f"sd{number}"
        files |= {f"{stick}/speed": "5000\n", f"{stick}/idVendor": "0001\n", f"{stick}/idProduct": "0002\n",
                  f"{stick}/serial": f"S-{number}\n", f"{stick}/bMaxPower": "896mA\n", f"{stick}/product": "Stick\n"}  # fmt: skip
        scsi = f"{stick}/2-{number}:1.0/host{number}/target/{number}:0:0:0"
        block = f"{scsi}/block/{name}"
        files |= {f"{block}/size": "1000000\n", f"{block}/dev": f"8:{number}\n", f"{block}/queue/rotational": "0\n",
                  f"{scsi}/model": "Stick\n", f"{scsi}/vendor": "Maker\n", f"{scsi}/queue_depth": "1\n"}  # fmt: skip
        links[f"{block}/device"] = "../.."
        links[f"sys/block/{name}"] = f"../{block.removeprefix('sys/')}"
        links[f"sys/class/block/{name}"] = f"../../{block.removeprefix('sys/')}"
    return {
        "schema": {"name": "ulterion-machine", "version": 1},
        "host": "many",
        "files": files,
        "bytes": {},
        "links": links,
    }


def timed(code: str) -> float:
    """Return the seconds that the interpreter takes for some code."""
    begin = time.perf_counter()
    subprocess.run([sys.executable, "-c", code], check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - begin


def main() -> int:
    """Survey in turn with the bare imports; print and judge."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else DRIVES
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "machine.json"
        path.write_text(json.dumps(machine(count)))
        with replayed(path) as (root, _):
            bare = IMPORTS
            survey = (
                f"{IMPORTS}\nimport sys\nfrom pathlib import Path\nfrom ulterion.show.live import console\n"
                f"found = ulterion.host.machine.survey(root=Path({str(root)!r}))\nassert len(found.drives) == {count}\n"
                "out = console(sys.stdout)\n"
                "for line in ulterion.features.survey.tables.survey_lines(found):\n    out.print(line)"
            )
            pairs = [(timed(survey), timed(bare)) for _ in range(PAIRS)]
    with_survey, without = (statistics.median(p[i] for p in pairs) for i in (0, 1))
    print(f"{count} drives: {with_survey:.2f} s; the same start without the survey: {without:.2f} s; "
          f"the survey: {with_survey - without:.2f} s")  # fmt: skip
    return int(with_survey - without >= MOST)


if __name__ == "__main__":
    sys.exit(main())
