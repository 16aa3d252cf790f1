"""Regular expressions that are compiled when they are first used: a command defines dozens and uses a few."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    pattern = re.compile
else:

    class pattern:  # noqa: N801 - it stands in the place of a function
        """A regular expression with the methods of `re.Pattern`."""

        def __init__(self, text, flags=0):
            self._text, self._flags = text, flags

        def __getattr__(self, name):
            compiled = re.compile(self._text, self._flags)
            for method in ("match", "fullmatch", "search", "sub", "findall", "finditer", "split"):
                setattr(self, method, getattr(compiled, method))
            return getattr(compiled, name)
