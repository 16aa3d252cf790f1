"""NumPy, loaded when a number first needs it: half of our short answers need none, and loading it takes longer than they do."""

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
        """NumPy as it looks to whoever uses it; what was once asked for is kept."""

        def __getattr__(self, name: str) -> Any:
            import numpy

            value = getattr(numpy, name)
            setattr(self, name, value)
            return value

    np = _WhenUsed()

__all__ = ["Flags", "Floats", "Integers", "np"]
