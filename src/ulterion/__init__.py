"""Ulterion benchmarks drives, enclosures, card readers and hubs for hardware reviewers.

In a notebook:

    import ulterion
    review = ulterion.load_review("my-review")
    review.frame()              # one row for each pass, a pandas DataFrame
    review.compare()            # one row for each workload and setup, with ratio, interval and verdict
    review.claims()             # one row for each claim
    review.soaks()              # one row for each long run; review.series(ID) its series
    ulterion.load_archive("all.sqlite").find("enclosures, large read")

What of it stays as it is stands in docs/reference/api.md.
"""

from __future__ import annotations

from ulterion.core.version import __version__

TYPE_CHECKING = False  # as in `typing`, which is not imported here: it would double the time of `ulterion --help`

__all__ = ["Archive", "Review", "load_archive", "load_review", "__version__"]

if TYPE_CHECKING:
    from typing import Any

    from ulterion.api import Archive, Review, load_archive, load_review


def __getattr__(name: str) -> Any:
    """Import the API on first use, so that `import ulterion` stays light."""
    if name in __all__:
        from ulterion import api

        return getattr(api, name)
    raise AttributeError(f"module 'ulterion' has no attribute '{name}'")
