"""Who is short: one threshold, wherever it is told or counted."""

from __future__ import annotations

from typing import Any, Final, overload

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r

Floats = NDArray[np.floating[Any]]
Bools = NDArray[np.bool_]

_ROUNDING: Final = 1e-6
"""What a recording in single precision may be off by, MHz or MiB."""


@overload
def falls_short(lacks: float, wanted: float) -> bool: ...
@overload
def falls_short(lacks: Floats, wanted: Floats) -> Bools: ...
def falls_short(lacks: float | Floats, wanted: float | Floats) -> bool | Bools:
    """Tell whether somebody who lacks something is short of it: lacks more than a thousandth of what it wants.

    Parameters
    ----------
    lacks, wanted
        Numbers, or arrays of one shape; both in the same unit, of memory the need.

    Examples
    --------
    >>> falls_short(0.9, 1000.0), falls_short(1.1, 1000.0)
    (False, True)
    """
    found = lacks > r.SHORT_PART * wanted + _ROUNDING
    return bool(found) if np.ndim(found) == 0 else np.asarray(found)
