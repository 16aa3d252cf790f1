"""Compiles the timed loops on the spot; where that is not possible they run uncompiled, and `WHY_NOT` says why.

Compiled code is kept in the user's cache folder, so that only a first run waits for it.  Import this only where something is
measured: the compiler takes most of a second to load.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Protocol, TypeVar, cast

import numpy as np
import numpy.typing as npt

from ulterion.engine.requests import code_cache
from ulterion.model.systems import is_portable

if TYPE_CHECKING:
    from typing_extensions import Buffer  # which mypy knows; Python has it from 3.12 on


class Words(Protocol):
    """A row of whole numbers: an array, or a memoryview."""

    def __len__(self) -> int:
        """Return how many."""

    def __getitem__(self, at: int) -> int:
        """Return one."""

    def __setitem__(self, at: int, value: int) -> None:
        """Set one."""


Loop = TypeVar("Loop", bound=Callable[..., Any])


def _words(error: Exception) -> str:
    return f"{type(error).__name__}: {error}".splitlines()[0][:200]


def _load() -> tuple[Any, str | None]:
    """Return the compiler's module, or None with the reason."""
    if is_portable():  # the compiled loops call what only Linux has, and make requests that only its engine makes
        return None, "the portable engine"
    try:
        os.environ["NUMBA_CACHE_DIR"] = str(code_cache.folder() or "")
        os.environ["NUMBA_CPU_NAME"] = (
            "generic"  # what is kept serves any processor of the kind, and costs nothing here
        )
        os.environ["NUMBA_CPU_FEATURES"] = ""
        import numba

        return numba, None
    except Exception as error:  # whatever it dislikes of this machine is no reason not to measure
        return None, _words(error)


NUMBA, WHY_NOT = _load()


def refuse(error: Exception) -> None:
    """Do without the compiler from now on, for a reason found later; code compiled before must not be used."""
    global NUMBA, WHY_NOT
    NUMBA, WHY_NOT = None, _words(error)


def compiled(loop: Loop) -> Loop:
    """Compile a function on its first call (a decorator).  Without a compiler: as it is.

    It holds no interpreter's lock, and counts no references to the arrays it is lent (`_nrt`), which would cost as much as all
    else in a request.
    """
    return _made(loop)


def compiled_within(loop: Loop) -> Loop:
    """Compile a function that only compiled code calls, as `compiled` does, and leave out the way in from Python, which takes as long to compile."""
    return _made(loop, no_cpython_wrapper=True)


def _made(loop: Loop, **options: bool) -> Loop:
    if NUMBA is None:
        return loop
    kept = code_cache.folder() is not None
    made: Loop = NUMBA.njit(nogil=True, _nrt=False, no_cfunc_wrapper=True, cache=kept, error_model="numpy", **options)(
        loop
    )
    return made


def words_of(memory: Buffer | npt.NDArray[Any], kind: str) -> Words:
    """Return memory as words of a kind ('q', 'I', 'i', 'B'): an array for compiled code, else what Python indexes faster."""
    plain = memoryview(cast("Buffer", memory)).cast("B")
    return cast(Words, plain.cast(kind) if NUMBA is None else np.frombuffer(plain, dtype=np.dtype(kind)))  # type: ignore[call-overload]
