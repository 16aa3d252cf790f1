"""A thousand single changes to a report, each looked for: python -m benchmarks.tampering REPORT [CHANGES].

Half of them anywhere in the page (most of it is the archive of the runs), half in what is read: text, tables and figures.  The page is made anew once
from what it carries; a change within the archive must be found by its checksums before that.
"""

from __future__ import annotations

import argparse
import hashlib
import random
import tempfile
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.features.page import verify


def found_inside(text: str) -> bool:
    """Return whether a change within the archive is found without making anything anew."""
    try:
        _, archive = verify.carried(text, "page")
    except UsageError:
        return True
    return hashlib.sha256(archive.encode()).hexdigest() != verify._stated(text).get("archive")


def main() -> None:
    """Count what is found."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("report", type=Path)
    parser.add_argument("changes", type=int, nargs="?", default=1000)
    arguments = parser.parse_args()
    text = verify.read_page(arguments.report)
    archive = verify._RUNS.search(text)
    assert archive is not None
    with tempfile.TemporaryDirectory() as scratch:
        files, packed = verify.carried(text, "page")
        anew = verify._made_anew(files, packed, text, Path(scratch), lambda folder: {})
    print("unchanged: the same" if anew == text else "unchanged: DIFFERENT")
    rng, found, inside = random.Random(1), 0, 0
    for number in range(arguments.changes):
        at = rng.randrange(len(text) if number % 2 else archive.start())
        other = rng.choice([c for c in "0123456789abcdefgzABC .,<>&" if c != text[at]])
        changed = text[:at] + other + text[at + 1 :]
        within = archive.start(1) <= at < archive.end(1)
        inside += within
        found += found_inside(changed) if within else bool(verify._lines_that_differ(changed, anew))
    print(f"{found} of {arguments.changes} found, {inside} of them within the archive of the runs")


if __name__ == "__main__":
    main()
