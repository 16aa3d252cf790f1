"""NumPy, loaded on first use: many short answers need no arrays, and loading NumPy would take longer than they do."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Integers = npt.NDArray[np.int64]
    Flags = npt.NDArray[np.bool_]
else:
    Floats = Integers = Flags = Any

    class _WhenUsed:
        """Stands in for NumPy: loads it on the first attribute, and remembers each attribute."""

        def __getattr__(self, name: str) -> Any:
            import numpy

            value = getattr(numpy, name)
            setattr(self, name, value)
            return value

    np = _WhenUsed()

__all__ = ["Flags", "Floats", "Integers", "np"]
