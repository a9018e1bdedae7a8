"""How kernels are compiled: cached where that can be written, free of the interpreter's lock, same bits each time."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np

from ruvex.engine import _mode
from ruvex.engine._cache import cache_folder

Kernel = TypeVar("Kernel", bound=Callable[..., object])

exp2: Callable[[float], float]
"""Two to a power, to the same bit compiled and in plain Python: NumPy's own differs in the last bit of some."""

if _mode.is_plain:
    exp2 = math.exp2

    def _compiled(function: Kernel, **_options: Any) -> Kernel:
        return function

else:
    import numba

    exp2 = np.exp2
    numba.config.CACHE_DIR = str(cache_folder())  # type: ignore[attr-defined]

    def _compiled(function: Kernel, **options: Any) -> Kernel:
        try:
            made: Kernel = numba.njit(cache=True, nogil=True, error_model="numpy", **options)(function)
        except RuntimeError:
            # The folder cannot be written: it is compiled anew in each process instead.
            made = numba.njit(nogil=True, error_model="numpy", **options)(function)
        return made


def kernel(function: Kernel) -> Kernel:
    """Compile a function of arrays and numbers that makes no array, when it is first called.

    Without Numba's counting of references: counted at each call within a loop, they would cost more than the loop.
    """
    return _compiled(function, _nrt=False)


def part(function: Kernel) -> Kernel:
    """Compile a function that kernels call once for every guest: it becomes part of their loops."""
    return _compiled(function, _nrt=False, forceinline=True)


def maker(function: Kernel) -> Kernel:
    """Compile a function that makes arrays."""
    return _compiled(function)
