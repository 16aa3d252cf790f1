"""Writes the table of how often Welch's test finds what is not there, which comparisons of few passes are corrected by.  Run: python -m benchmarks.welch."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ulterion.core.stats import spreads


def main() -> None:
    """Write the table beside the module that reads it."""
    np.save(Path(spreads.__file__).with_name(spreads.FILE), spreads.table())


if __name__ == "__main__":
    main()
